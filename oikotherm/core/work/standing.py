"""How each section stands by the tests kept of it: the one place that says what is proved.

Only a whole pass proves, and it proves the joints it covered as they were made then. A later test of them that failed,
or was begun under pressure and never finished, takes the pass away; a change of a joint takes it from that joint. A
test that proves nothing changes nothing, nor does one that was withdrawn with a reason.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from ..errors import Refused
from ..layout import Layout
from ..services.rooms import rooms
from .made import made_of
from .readings import kept_in, read_readings
from .records import Record, in_order
from .sections import TestSection
from .steps import LEFT_AIR, TestKind
from .verdict import Evidence, Gauge, TestRule, Verdict, judge, nothing_of

Standing = Literal["never", "proved", "failed", "changed"]
BY_SIGHT = "filled, seen dry cold and hot"
SAYS = {"never": "not proved", "proved": "proved", "failed": "failed", "changed": "changed since it was proved"}
PRESSURE_SHARE = 0.1  # of the test pressure: from here on a reading is under pressure


@dataclass(frozen=True, slots=True)
class KeptTest:
    """A test with its verdict. covers: joints of the section as it is now that it speaks of, made as they were then;
    changed: those made otherwise since; stands: whether it is the pass by which some of them are proved now; clears:
    whether it takes an earlier pass away; outgrown: a pass at less than the section asks for now."""

    record: Record
    verdict: Verdict
    covers: frozenset[str]
    changed: frozenset[str]
    stands: bool = False
    clears: bool = False
    outgrown: bool = False

    @property
    def withdrawn(self) -> str:
        """Why it was withdrawn; "" where it was not."""
        return str(self.record.body.get("withdrawn") or "")


@dataclass(frozen=True, slots=True)
class SectionProof:
    """A section, how it is proved, how it stands, the tests of it (the newest first), its joints that no pass proves,
    whether a test of it is under pressure now, and whether it is filled and seen dry and not held at all."""

    section: TestSection
    kind: TestKind[Layout]
    rule: TestRule
    standing: Standing
    tests: tuple[KeptTest, ...]
    unproved: tuple[str, ...]
    running: bool = False
    by_sight: bool = False

    @property
    def test(self) -> str:
        """How it is proved, in words."""
        return BY_SIGHT if self.by_sight else self.kind.title

    @property
    def passed(self) -> bool:
        """Whether every new joint of it is proved."""
        return self.standing == "proved"


MOST_NAMED = 8  # joints named one by one


def joints_said(labels: Sequence[str]) -> str:
    """Joints by their labels, or where they are many how many of each run."""
    if len(labels) <= MOST_NAMED:
        return ", ".join(labels)
    runs = Counter(label.rpartition("-")[0] for label in labels)
    return ", ".join(f"{count} of {run}" for run, count in runs.items())


def section_proofs(
    design: Layout, sections: Iterable[TestSection], records: Iterable[Record], mark: str
) -> tuple[SectionProof, ...]:
    """How each section stands. mark: the whole pipework's, by which tests of older records know it (they proved heating
    alone)."""
    known = list(records)
    tests = [(record, verdict_of(record)) for record in in_order(known) if record.kind == "test"]
    dry: frozenset[str] | None = None
    found = []
    for section in sections:
        for kind in rooms()[section.service].tests:
            own = [
                one for record, verdict in tests if (one := _of_section(design, section, kind, record, verdict, mark))
            ]
            standing, kept, unproved = section_standing(section, own)
            by_sight = kind.by_sight is not None and kind.by_sight(design, section)
            if by_sight and standing != "proved":
                dry = made_of(design, known).dry if dry is None else dry
                unproved = tuple(key for key in section.joints if key not in dry)
                standing = "never" if unproved else "proved"
            shown = tuple(one for one in reversed(kept) if not one.record.body.get("running"))
            running = any(one.record.body.get("running") for one in kept)
            rule = kind.rule(design, section)
            found.append(SectionProof(section, kind, rule, standing, shown, unproved, running, by_sight))
    return tuple(found)


def section_standing(
    section: TestSection, tests: Sequence[KeptTest]
) -> tuple[Standing, tuple[KeptTest, ...], tuple[str, ...]]:
    """How a section stands after its tests, the oldest first: folded joint by joint. With it the tests, each saying
    whether it stands, and the joints that are not proved."""
    by: dict[str, str] = {}  # joint -> the test that proves it as it is made now
    failed: set[str] = set()
    lost: set[str] = set()  # proved once, made otherwise or at another pressure now
    for test in tests:
        if test.withdrawn:
            continue
        if test.clears:
            covered = test.covers | test.changed
            failed |= {key for key in covered if test.verdict.outcome == "fail" or key in by}
            for key in covered:
                by.pop(key, None)
            lost -= covered
        elif test.verdict.outcome == "pass":
            proves = frozenset() if test.outgrown else test.covers
            by.update(dict.fromkeys(proves, test.record.uuid))
            failed -= proves
            lost = (lost - proves) | test.changed | (test.covers - proves)
            for key in test.changed:
                by.pop(key, None)
    unproved = tuple(key for key in section.joints if key not in by)
    standing: Standing = "proved"
    if unproved:
        gone = set(unproved)
        standing = "failed" if failed & gone else "changed" if lost & gone else "never"
    standing_by = set(by.values())
    kept = tuple(
        KeptTest(
            one.record,
            one.verdict,
            one.covers,
            one.changed,
            one.record.uuid in standing_by and one.verdict.outcome == "pass",
            one.clears,
            one.outgrown,
        )
        for one in tests
    )
    return standing, kept, unproved


def _of_section(
    design: Layout, section: TestSection, kind: TestKind[Layout], record: Record, verdict: Verdict, mark: str
) -> KeptTest | None:
    """The test as it speaks of a section; None for one of another. A section may have been called otherwise then: its
    joints tell."""
    body = record.body
    joints = body.get("joints")
    clears = _clears(record, verdict)
    if not isinstance(joints, dict):
        if "rig" not in body or kind.id != "fill-and-leak":
            return None
        same = body.get("state") == mark
        return KeptTest(record, verdict, frozenset(section.joints) if same else frozenset(), frozenset(), clears=clears)
    if body.get("spec") != kind.id or not (section.joints.keys() & joints.keys() or body.get("section") == section.key):
        return None
    same_made = frozenset(key for key, how in section.joints.items() if joints.get(key) == how)
    changed = frozenset(section.joints.keys() & joints.keys()) - same_made
    outgrown = verdict.outcome == "pass" and kind.enough is not None and not kind.enough(design, section, body)
    return KeptTest(record, verdict, same_made, changed, clears=clears, outgrown=outgrown)


def _clears(record: Record, verdict: Verdict) -> bool:
    """Whether a test takes an earlier pass away: it failed, or was begun under pressure and not held to its end."""
    if verdict.outcome == "fail":
        return True
    body = record.body
    if body.get("running"):
        return True
    if verdict.outcome == "pass" or verdict.finished:
        return False
    try:
        readings = read_readings(str(body.get("readings", "")), kept_in(str(body.get("unit", "bar"))))
    except Refused:
        return False
    return any(under_pressure(one.pressure_pa, body) for one in readings)


def under_pressure(pressure_pa: float, body: Mapping[str, Any]) -> bool:
    """Whether a reading says that a test was begun: more than a step of the gauge and a tenth of its pressure."""
    gauge = body.get("gauge") or {}
    target_pa = float(body.get("target_pa") or float((body.get("rig") or {}).get("test_bar") or 0.0) * 1e5)
    return pressure_pa > max(float(gauge.get("resolution_pa") or 0.0), PRESSURE_SHARE * target_pa)


# --- a kept test as the judge sees it ---------------------------------------------------------------------------------


def verdict_of(record: Record) -> Verdict:
    """The verdict on a kept test: from its readings and what was asked of it then."""
    body = record.body
    try:
        return judge(_rule_kept(body), _evidence(body))
    except (TypeError, ValueError, KeyError, Refused) as error:
        return nothing_of(f"the record cannot be read: {error}")


def _evidence(body: Mapping[str, Any]) -> Evidence:
    gauge, rig, looked = body.get("gauge") or {}, body.get("rig") or {}, body.get("looked") or {}
    name = str(gauge.get("name", ""))
    step_pa = float(gauge.get("resolution_pa") or float(rig.get("resolution_bar") or 0.0) * 1e5)
    return Evidence(
        read_readings(str(body.get("readings", "")), kept_in(str(body.get("unit", "bar")))),
        Gauge(
            step_pa,
            float(gauge.get("range_pa") or 0.0),
            gauge.get("kind") or ("water" if "water" in name.lower() else "electronic"),
            str(gauge.get("due_on") or ""),
        ),
        body.get("temp_step_k"),
        [(float(n), float(pressure_pa)) for n, pressure_pa in enumerate(body.get("let_by_pa") or ())],
        bool(body.get("no_supply")),
        str(body.get("medium") or ""),
        int(looked.get("joints", rig.get("joints", 0))),
        int(looked.get("dry", rig.get("dry", 0))),
    )


def _rule_kept(body: Mapping[str, Any]) -> TestRule:
    """What was asked of a kept test: as kept with it, else as tests of its kind were judged before that was kept."""
    asked = body.get("asked")
    if isinstance(asked, dict):
        fields: dict[str, Any] = {
            name: tuple(value) if isinstance(value, list) else value for name, value in asked.items()
        }
        return TestRule(**fields)
    kinds = (kind for room in rooms().values() for kind in room.tests)
    own = next((kind.as_kept for kind in kinds if kind.id == body.get("spec")), None)
    if own is not None:
        return own(body)
    rig = body.get("rig")
    if not isinstance(rig, dict):
        raise Refused("rig", rig, "what the test was about", "")
    liquid = rig.get("phase", "liquid") == "liquid"
    gas_l, volume_l = float(rig["gas_l"]), float(rig["volume_l"])
    return TestRule(
        float(rig["test_bar"]) * 1e5,
        settle_min=float(rig.get("settle_min", 10.0)),
        hold_min=float(rig.get("hold_min", 30.0)),
        coarsest_pa=float(rig.get("coarsest_bar", 0.05)) * 1e5,
        most_range_pa=float(rig.get("most_range_bar", 0.0)) * 1e5,
        unit=str(body.get("unit", "bar")),
        volume_l=volume_l,
        phase="liquid" if liquid else "gas",
        corrected=not liquid or gas_l > 1.5 * max(LEFT_AIR * volume_l, 0.02),
        gas_l=gas_l,
        mass_fraction=float(rig.get("mass_fraction", 0.0)),
        temperatures=bool(rig.get("temperatures", True)),
        most_drift_k=float(rig.get("most_drift_k", 3.0)),
    )
