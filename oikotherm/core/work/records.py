"""What records add up to: the present state of joints, steps and dry marks. Records themselves are never changed."""

from __future__ import annotations

import contextlib
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from ..catalogue import Catalogue
from ..joints.mate import takes_insert

CLOCK_OFF_S = 300.0  # a clock that is further off than this is marked
UNREADABLE = "unreadable"  # the kind of a kept record whose body is none of its kind
JOINT_FIELDS = ("made", "mark_seen", "dry", "insert", "locked", "olive", "witness", "jaw")
CHECK_WORDS = {
    "mark_seen": "Mark seen",
    "insert": "Insert in",
    "locked": "Collet locked",
    "olive": "Olive right",
    "witness": "Seen in window",
    "jaw": "Jaw matches",
}


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


@dataclass(frozen=True, slots=True)
class JointState:
    """A joint by its latest records. Each field: (yes or no, by whom, when) or None where nothing was recorded."""

    key: str
    label: str
    made: tuple[bool, str, str] | None = None
    mark_seen: tuple[bool, str, str] | None = None
    dry: tuple[bool, str, str] | None = None
    method: str = ""
    pipe: str = ""
    insert: tuple[bool, str, str] | None = None
    locked: tuple[bool, str, str] | None = None
    olive: tuple[bool, str, str] | None = None
    witness: tuple[bool, str, str] | None = None
    jaw: tuple[bool, str, str] | None = None

    def yes(self, name: str) -> bool:
        found: tuple[bool, str, str] | None = getattr(self, name)
        return bool(found and found[0])


def joint_states(records: Iterable[Record]) -> dict[str, JointState]:
    """The state of every joint with a record, vanished ones included. Later records overrule earlier ones, field by
    field."""
    found: dict[str, JointState] = {}
    for record in in_order(records):
        if record.kind != "joint":
            continue
        old = found.get(record.key) or JointState(record.key, record.label)
        values = {name: getattr(old, name) for name in JOINT_FIELDS}
        for name in JOINT_FIELDS:
            if isinstance(record.body.get(name), bool):
                by = f"{record.by_role} ({record.clock_said})" if record.clock_said else record.by_role
                values[name] = (record.body[name], by, record.made_at)
        method = str(record.body.get("method") or old.method)
        pipe = str(record.body.get("pipe") or old.pipe)
        found[record.key] = JointState(record.key, old.label, method=method, pipe=pipe, **values)
    return found


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
