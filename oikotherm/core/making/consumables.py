"""What a job uses up beside fittings and pipe: inserts, olives, sleeves, nuts, washers, solder, flux, tape, clips,
lagging, screws."""

from __future__ import annotations

import functools
import math
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from ..catalogue import Catalogue, parse_end
from ..catalogue.parts import end_od_mm
from ..errors import Refused
from ..job.model import Job, Pass, Tee
from ..joints.fitted import Fitted, Joint
from ..joints.mate import takes_insert
from ..joints.recipe import solder_mm
from ..practice import options_of
from ..quantity import INCH_MM, length_text, trim
from ..tables import CORE, read_rows
from .cut import BOUGHT
from .supports import RunClips

TAPE_TURNS = {"gas": 4, "tail": 10, "": 5}  # turns of tape a joint: gas-rated 3-5, radiator tails 8-12, water 3-6 (typ)


@dataclass(frozen=True, slots=True)
class Consumable:
    """What is used up of one thing. count: as it is used, in unit; packs: of what one buys, None where it is bought by
    the piece or metre."""

    title: str
    count: float
    unit: str
    why: str
    source: str
    packs: int | None = None

    @property
    def said(self) -> str:
        """The amount with its unit: 12, 3.4 m."""
        return trim(self.count, 1) + (f" {self.unit}" if self.unit else "")


@functools.cache
def _rows() -> dict[str, tuple[float, str, float, str]]:
    """What -> pack, unit, amount a joint, source."""
    return {
        r["what"]: (float(r["pack"]), r["unit"], float(r["amount"]), r["source"])
        for r in read_rows(CORE, "consumables.csv")
    }


def consumables(job: Job, fitted: Fitted, supports: Iterable[RunClips], catalogue: Catalogue) -> tuple[Consumable, ...]:
    """All that is used up on new pipe, by the joints as they are decided and the house's school. Source: one insert a
    plastic end, one olive a compression end, wire of one diameter a socket and so on (rule of the trade); packs typ."""
    return _Count(job, fitted, catalogue).all(supports)


BOUGHT_MM = tuple(12 * INCH_MM * feet for feet in (1, 1.5, 2, 2.5, 3, 4, 5, 6))  # typ: lengths of gas connectors


class _Count:
    """Counts thing after thing."""

    def __init__(self, job: Job, fitted: Fitted, catalogue: Catalogue) -> None:
        self.job = job
        self.fitted = fitted
        self.catalogue = catalogue
        self.school: Mapping[str, str] = options_of(job)
        self.services = {run.id: run.service for run in job.runs}
        self.new = {run.id for run in job.runs if run.state == "new"}
        self.pieces: Counter[tuple[str, str]] = Counter()  # (title, why) -> how many
        self.amounts: dict[str, float] = {}  # what is bought by the pack -> used

    def all(self, supports: Iterable[RunClips]) -> tuple[Consumable, ...]:
        for joint in self.fitted.joints.values():
            self._joint(joint)
        self._supports(supports)
        found = [Consumable(title, count, "", why, "rule of the trade") for (title, why), count in self.pieces.items()]
        found += [self._pack(what, used) for what, used in self.amounts.items()]
        found += self._lagging()
        found += self._sleeves_and_caps()
        found += self._bought()
        return tuple(sorted(found, key=lambda one: one.title))

    def _pack(self, what: str, used: float) -> Consumable:
        pack, unit, _, source = _rows()[what]
        if unit.startswith("mm "):
            return Consumable(what, used / 1000, f"m{unit[2:]}", "by the joints", source, math.ceil(used / pack - 1e-9))
        if unit == "piece":
            return Consumable(what, used, "", "one a clip", source, math.ceil(used / pack - 1e-9))
        count = math.ceil(used - 1e-9)
        return Consumable(what, count, unit if count == 1 else f"{unit}s", "by the joints", source, count)

    def _use(self, what: str, amount: float | None = None) -> None:
        self.amounts[what] = self.amounts.get(what, 0.0) + (_rows()[what][2] if amount is None else amount)

    def _joint(self, joint: Joint) -> None:
        """What one joint uses up."""
        words = joint.pipe.split()
        code, size = words[0], words[1] if len(words) > 1 else ""
        is_pipe = code in self.catalogue.systems
        method, service = joint.method, self.services.get(joint.run, "heating")
        od_mm = self._od_mm(joint.pipe)
        if is_pipe and takes_insert(code) and method in ("push-fit", "push-fit-metal", "compression-plastic"):
            kind = "stiffener" if code == "pexa" else "pipe insert"
            self.pieces[f"{size} {kind} for {code}", "one a plastic end"] += 1
        if method in ("compression", "compression-plastic"):
            metal = "brass" if method == "compression" else "copper"
            self.pieces[f"{size} olive, {metal}", "one a compression end"] += 1
            if self.school["olive"] == "smear":
                self._use("jointing compound")
        elif method == "compression-mlc":
            self.pieces[f"{size} clamp set for {code}: insert with O-rings, split ring", "one an end"] += 1
        elif method == "expansion":
            self.pieces[f"{size} expansion sleeve", "one an end"] += 1
        elif method == "flare":
            self.pieces[f"{size} flare nut", "one a flare"] += int(is_pipe)
        elif method == "washer":
            self.pieces[f"{size} flat washer", "a new one each"] += 1
        elif method == "capillary":
            self._use("solder", solder_mm(od_mm))
            self._use("flux")
        elif method == "braze":
            self._use("brazing rod", solder_mm(od_mm))
        elif method == "solvent":
            self._use("solvent cement")
        elif method == "tail":
            self._use("thread tape", TAPE_TURNS["tail"] * math.pi * od_mm)
        elif method == "slip":
            self.pieces["sheet-metal screw", "three a slip joint"] += 3
        elif method == "thread":
            self._seal(service, od_mm)

    def _seal(self, service: str, od_mm: float) -> None:
        """Tape, paste or hemp of a threaded joint, as the house seals."""
        gas = service == "gas"
        seal = self.school["gas-thread-seal" if gas else "water-thread-seal"]
        if "tape" in seal:
            what = "gas-rated thread tape" if gas else "thread tape"
            self._use(what, TAPE_TURNS["gas" if gas else ""] * math.pi * od_mm)
        if "paste" in seal or seal == "hemp":
            self._use("thread paste")
        if seal == "hemp":
            self._use("hemp")

    def _od_mm(self, said: str) -> float:
        """Outside diameter of a pipe or thread as a joint has it [mm]."""
        words = said.split()
        try:
            end = parse_end(f"{said} pipe" if len(words) == 2 else said)
        except Refused:
            return 0.0
        return end_od_mm(self.catalogue, end) or 0.0

    def _supports(self, supports: Iterable[RunClips]) -> None:
        straights = self.fitted.pipework.straights
        for run in supports:
            for row in run.straights:
                if row.clips is None or not row.clips.count or row.kind.startswith("none"):
                    continue
                size = straights[row.straight].pipe.size
                self.pieces[f"{size} {row.kind}", "by the distances of the table"] += row.clips.count
                if not row.kind.startswith("J hook"):  # which is nailed
                    self._use("screw and plug", row.clips.count)

    def _lagging(self) -> list[Consumable]:
        """Metres of lagging by what it goes round and its wall."""
        metres: dict[tuple[str, float], float] = {}
        for key, straight in self.fitted.pipework.straights.items():
            if straight.lag_mm > 0 and straight.run in self.new and key in self.fitted.spans:
                a, b = self.fitted.spans[key]
                key_of = str(straight.pipe), straight.lag_mm
                metres[key_of] = metres.get(key_of, 0.0) + b.minus(a).length / 1000
        return [
            Consumable(
                f"lagging {trim(wall_mm, 0)} mm for {self._outside(pipe)}",
                math.ceil(length),
                "m",
                f"round {pipe}",
                "said",
            )
            for (pipe, wall_mm), length in metres.items()
        ]

    def _outside(self, pipe: str) -> str:
        od_mm = self._od_mm(pipe)
        return f"{trim(od_mm, 0)} mm pipe" if od_mm else pipe

    def _bought(self) -> list[Consumable]:
        """Pipe that is bought in one length, a new one each: the next length that reaches."""
        counts: Counter[str] = Counter()
        for piece in self.fitted.pieces.values():
            if piece.run in self.new and piece.pipe.code in BOUGHT:
                long = piece.centre_mm - piece.from_mating.take_off_mm - piece.to_mating.take_off_mm
                step = next((mm for mm in BOUGHT_MM if mm >= long - 1e-6), long)
                title = self.catalogue.systems[piece.pipe.code].title
                length = length_text(step, self.job.pace_unit, with_unit=True)
                counts[f"{title} {piece.pipe.size}, {length}"] += 1
        return [Consumable(title, count, "", "one length, new", "typ") for title, count in counts.items()]

    def _sleeves_and_caps(self) -> list[Consumable]:
        """Sleeves through walls, caps for ends that wait, and what shuts a tee nobody is on."""
        counts: Counter[tuple[str, str]] = Counter()
        for run in self.job.runs:
            if run.state != "new" or run.id not in self.fitted.pipework.runs:
                continue
            trace = self.fitted.pipework.runs[run.id]
            pipe = str(run.pipe)
            for item in trace.items:
                if item.kind == "pipe":
                    pipe = str(item.pipe)
                elif isinstance(item, Pass) and item.sleeve:
                    counts[f"sleeve for {pipe}", "through a wall"] += 1
                elif isinstance(item, Tee) and item.closed and len(self.fitted.pipework.arms[f"{item.id}/tee"]) < 3:
                    size = pipe.split()[1]
                    counts[f"{size} {item.closed} for a tee", "its outlet is shut"] += 1
        for node in self.fitted.pipework.nodes.values():
            if node.run in self.new and node.kind in ("open", "stub"):
                arms = self.fitted.pipework.arms[node.key].values()
                pipe = next((str(self.fitted.pipework.straights[key].pipe) for key in arms), "")
                counts[f"temporary cap for {pipe}", "an end that waits"] += 1
        return [Consumable(title, count, "", why, "rule of the trade") for (title, why), count in counts.items()]
