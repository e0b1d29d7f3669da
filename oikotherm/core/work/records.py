"""What records add up to: the present state of joints, steps and dry marks. Records themselves are never changed."""

from __future__ import annotations

import contextlib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from ..catalogue import Catalogue
from ..joints.mate import takes_insert

CLOCK_OFF_S = 300.0  # a clock that is further off than this is marked
UNREADABLE = "unreadable"  # the kind of a kept record whose body is none of its kind
CHECK_WORDS = {
    "mark_seen": "Mark seen",
    "insert": "Insert in",
    "locked": "Collet locked",
    "olive": "Olive right",
    "turns": "Turns given",
    "direction": "Stopped forwards",
    "witness": "Witness seen",
    "jaw": "Contour",
    "ring": "Ring all round",
    "flux_off": "Flux wiped off",
    "nut_first": "Nut on first",
    "ridge": "No ridge felt",
    "face": "Face clean",
    "diameter": "Wide as the cone",
    "shoulder": "At the shoulder",
    "held": "Held 5 to 10 s",
}
"""What a hand and an eye check of a joint, by its name in a record."""

JOINT_FIELDS = ("made", "dry", *CHECK_WORDS)
CONTOURS = {"press": ("V", "M"), "press-mlc": ("TH", "U", "H", "B", "F")}
"""Letters of press contours, as they stand on fittings and jaws, by method."""


def missing_checks(catalogue: Catalogue, method: str, pipe: str, state: JointState | None) -> list[str]:
    """What is still blank of a joint before it may be put under pressure, in words; a jaw of another contour is
    said."""
    words = [] if state and state.yes("made") else ["made"]
    words += [
        CHECK_WORDS[name].lower() for name in checks_of(catalogue, method, pipe) if not (state and state.yes(name))
    ]
    return (
        words
        if state is None or not state.wrong_jaw
        else [*(one for one in words if one != "contour"), state.wrong_jaw]
    )


def checks_of(catalogue: Catalogue, method: str, pipe: str) -> tuple[str, ...]:
    """What a hand and an eye check of a joint before it is put under pressure, beside that it is made; plastic always
    takes an insert."""
    row = catalogue.methods.get(method)
    inserts = takes_insert(pipe.split()[0]) if pipe else False
    found = row.checks if row else ()
    return ("insert", *found) if inserts and row and row.socket == "push" else found


@dataclass(frozen=True, slots=True)
class Record:
    """One line of evidence as stored. body: what was done, with a snapshot of what it was done to."""

    uuid: str
    kind: str
    key: str
    label: str
    rev: int
    made_at: str
    by_role: str
    body: dict[str, Any] = field(hash=False)
    corrects: str | None = None
    clock_off_s: float = 0.0
    """How far the clock it was made by was off when it was sent, plus for ahead."""

    @property
    def clock_said(self) -> str:
        """What is said of a clock that was off; empty for one that was right."""
        if abs(self.clock_off_s) <= CLOCK_OFF_S:
            return ""
        way = "fast" if self.clock_off_s > 0 else "slow"
        return f"clock {abs(self.clock_off_s) / 60:.0f} min {way}"


def made_at(said: str) -> datetime:
    """The moment a record was made; a time without zone is UTC. Raises ValueError for what is no time."""
    found = datetime.fromisoformat(said.replace("Z", "+00:00"))
    return found if found.tzinfo else found.replace(tzinfo=UTC)


def in_order(records: Iterable[Record]) -> list[Record]:
    """The records by when they were made, then by arrival: a phone's queue may come late, and a correction before what
    it corrects."""
    times: list[tuple[datetime, int, Record]] = []
    last = datetime.min.replace(tzinfo=UTC)
    for number, record in enumerate(records):
        with contextlib.suppress(ValueError):  # an old record without a proper time stands where it came
            last = made_at(record.made_at)
        times.append((last, number, record))
    return [record for _, _, record in sorted(times, key=lambda row: row[:2])]


Mark = tuple[bool, str, str]


@dataclass(frozen=True, slots=True)
class JointState:
    """A joint by its latest records. marks: field -> (yes or no, by whom, when); contours: the letter read on the
    fitting and on the jaw, "" where it was not entered."""

    key: str
    label: str
    method: str = ""
    pipe: str = ""
    marks: Mapping[str, Mark] = field(default_factory=dict, hash=False)
    contours: tuple[str, str] = ("", "")

    def mark(self, name: str) -> Mark | None:
        """What was recorded of a field last; None where nothing was."""
        return self.marks.get(name)

    def yes(self, name: str) -> bool:
        """Whether a field was last recorded as so. The contour is, where the two letters were entered, by comparing
        them."""
        if name == "jaw" and all(self.contours):
            return self.contours[0] == self.contours[1]
        found = self.marks.get(name)
        return bool(found and found[0])

    @property
    def wrong_jaw(self) -> str:
        """What is said of a jaw of another contour than the fitting; empty where none was used."""
        fitting, jaw = self.contours
        return (
            f"{fitting} on the fitting, {jaw} on the jaw: stop, this is no joint"
            if all(self.contours) and fitting != jaw
            else ""
        )


def joint_states(records: Iterable[Record]) -> dict[str, JointState]:
    """The state of every joint with a record, vanished ones included. Later records overrule earlier ones, field by
    field."""
    found: dict[str, JointState] = {}
    for record in in_order(records):
        if record.kind != "joint":
            continue
        old = found.get(record.key) or JointState(record.key, record.label)
        marks = dict(old.marks)
        for name in JOINT_FIELDS:
            if isinstance(record.body.get(name), bool):
                by = f"{record.by_role} ({record.clock_said})" if record.clock_said else record.by_role
                marks[name] = (record.body[name], by, record.made_at)
        fitting, jaw = (
            str(record.body.get(name, before)).upper()
            for name, before in zip(("contour_fitting", "contour_jaw"), old.contours, strict=True)
        )
        method = str(record.body.get("method") or old.method)
        pipe = str(record.body.get("pipe") or old.pipe)
        found[record.key] = JointState(record.key, old.label, method, pipe, marks, (fitting, jaw))
    return found


def used(records: Iterable[Record]) -> dict[str, float]:
    """Item of the order -> how much of it was used, as last said."""
    return {
        record.key: float(record.body["count"])
        for record in in_order(records)
        if record.kind == "used" and isinstance(record.body.get("count"), int | float)
    }


def ticked(records: Iterable[Record]) -> dict[str, tuple[str, str]]:
    """Steps that are done: step key -> (by whom, when). A tick is taken back by one made later."""
    found: dict[str, tuple[str, str]] = {}
    for record in in_order(records):
        if record.kind == "step":
            if record.body.get("done") is True:
                found[record.key] = record.by_role, record.made_at
            else:
                found.pop(record.key, None)
    return found
