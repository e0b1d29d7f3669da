"""The backflow assemblies of a job: where they stand, the tests that are kept of them, and when the next is due."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from ...job.model import DeviceItem, Item, Run
from ...layout import Layout
from ...quantity import PA_PER_PSI, length_text
from ...work.house_view import along
from ...work.records import Record, in_order
from ...work.steps import Reminder, months_on
from .backflow import KINDS, PART_OF, Verdict, judge
from .stations import SPEC

KIND_OF = {part: kind for kind, part in PART_OF.items()}
GUARDS = {"containment": "protects the street", "point-of-use": "protects the house from one appliance"}
EVERY_MONTHS = 12
RECORD = "backflow"


@dataclass(frozen=True, slots=True)
class Assembly:
    """One that stands in the pipe. key: of its records, stable under edits; kind: rpz, dc or pvb; title: of its part;
    where: in words; guards: what it protects, "" where that is not said; up_mm: above its floor, None unknown; new:
    whether it goes in with this job."""

    key: str
    kind: str
    title: str
    size: str
    where: str
    guards: str
    up_mm: float | None
    new: bool


@dataclass(frozen=True, slots=True)
class AssemblyTest:
    """A test as kept, with what its readings say."""

    record: Record
    verdict: Verdict

    @property
    def gauge_said(self) -> str:
        """What is said of a gauge whose calibration was not known, or over, on the day; "" for one in date."""
        gauge = self.record.body["gauge"]
        if not gauge.get("calibrated_on"):
            return "calibration of the gauge not known"
        return f"read on a gauge out of date since {gauge['due_on']}" if self.out_of_date else ""

    @property
    def out_of_date(self) -> bool:
        """Whether the gauge's calibration was over on the day: no certificate follows then."""
        due = self.record.body["gauge"].get("due_on") or ""
        return bool(due) and due < self.record.made_at[:10]

    @property
    def certifies(self) -> bool:
        """Whether it passed, on a gauge that was not out of date."""
        return self.verdict.passed and not self.out_of_date


@dataclass(frozen=True, slots=True)
class Tested:
    """An assembly with its tests, the last first. due: the day of the next, of one that failed the day it did, None
    before the first; stands: never tested, passed, failed (to repair and test again), or that its gauge was out of
    date."""

    assembly: Assembly
    tests: tuple[AssemblyTest, ...]
    due: date | None
    stands: str

    def overdue(self, today: date) -> bool:
        """Whether it should have been tested by a day."""
        return self.stands != "passed" or (self.due is not None and self.due < today)


def assemblies(design: Layout) -> tuple[Assembly, ...]:
    """Those of a job, in the order of its runs; none of what goes."""
    places = along(design)
    found = []
    for run in design.job.runs:
        if run.service == SPEC.id and run.state != "remove":
            found += [
                _assembly(design, run, item, places.get(item.id))
                for item in run.items
                if isinstance(item, DeviceItem) and item.part in KIND_OF
            ]
    return tuple(found)


def _assembly(design: Layout, run: Run, item: DeviceItem, along_mm: float | None) -> Assembly:
    unit = design.job.pace_unit
    node = design.traced.nodes.get(f"{item.id}/device")
    floors = [level.floor_mm for level in design.job.house.levels]
    up = None
    if node is not None:
        up = node.at.z - max((one for one in floors if one <= node.at.z + 1), default=min(floors, default=0.0))
    pipe = _pipe_at(run, item)
    at = f", {length_text(round(along_mm), unit, with_unit=True)} from {run.start}" if along_mm is not None else ""
    title = design.context.catalogue.device_titles().get(item.part, item.part)
    guards = GUARDS.get(item.setting or "", "")
    return Assembly(item.id, KIND_OF[item.part], title, pipe, f"{run.id}{at}", guards, up, run.state == "new")


def _pipe_at(run: Run, item: Item) -> str:
    """The size of a run's pipe where an item stands."""
    size = run.pipe.size
    for one in run.items:
        if one is item:
            break
        if one.kind == "pipe":
            size = one.pipe.size
    return size


def tests_of(records: Iterable[Record]) -> dict[str, list[AssemblyTest]]:
    """Assembly -> its tests, the last first."""
    found: dict[str, list[AssemblyTest]] = {}
    for record in in_order(records):
        if record.kind == RECORD:
            readings = {name: float(value) for name, value in record.body["readings_pa"].items()}
            found.setdefault(record.key, []).insert(0, AssemblyTest(record, judge(record.body["kind"], readings)))
    return found


def tested(design: Layout, records: Iterable[Record]) -> tuple[Tested, ...]:
    """Every assembly of a job with its tests and how it stands."""
    kept = tests_of(records)
    found = []
    for one in assemblies(design):
        tests = tuple(kept.get(one.key, ()))
        found.append(Tested(one, tests, _due(tests), _stands(tests)))
    return tuple(found)


def _stands(tests: Sequence[AssemblyTest]) -> str:
    """How an assembly stands by its last test."""
    if not tests:
        return "never tested"
    last = tests[0]
    return "passed" if last.certifies else "read on a gauge out of date" if last.verdict.passed else "failed"


def _due(tests: Sequence[AssemblyTest]) -> date | None:
    """A year after the last test where that certifies; at once where it failed, or its gauge was out of date."""
    if not tests:
        return None
    day = date.fromisoformat(tests[0].record.made_at[:10])
    return months_on(day, EVERY_MONTHS) if tests[0].certifies else day


def reminders(design: Layout, start: date) -> tuple[Reminder, ...]:
    """The test of every assembly: at installation, then each year."""
    return tuple(
        Reminder(
            f"Test the {one.title} on {one.where.partition(',')[0]}",
            "",
            months_on(start, EVERY_MONTHS),
            EVERY_MONTHS,
            "by a certified tester, with a differential gauge",
            one.key,
        )
        for one in assemblies(design)
    )


def renewed(records: Iterable[Record]) -> Mapping[str, date]:
    """What was tested: key -> the day it is due again."""
    return {key: due for key, tests in tests_of(records).items() if (due := _due(tests)) is not None}


def readings_said(kind: str, readings_pa: Mapping[str, float], unit: str) -> list[tuple[str, str]]:
    """The readings of a test in words: (what, figure with its unit)."""
    per = PA_PER_PSI if unit == "psi" else 1000.0
    return [
        (words, f"{readings_pa[name] / per:.1f} {unit}") for name, words in KINDS[kind].readings if name in readings_pa
    ]
