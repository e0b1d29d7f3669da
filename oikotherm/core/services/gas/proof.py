"""How gas pipe is proved: with air or an inert gas, never with water or oxygen, appliances off, by practice."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from ...errors import Refused
from ...quantity import PA_PER_PSI, parse
from ...work.steps import TestAsk, TestKind
from ...work.verdict import RANGE_TIMES, Gauge, TestRule, per_kelvin_pa, said
from .. import spec
from .stations import SPEC
from .tightness import FINE_PA, LOW_PRESSURE_PA, STAND_CLEAR_PA, Meter, Procedure, check_medium, planned, rule_of

if TYPE_CHECKING:
    from ...layout import Layout
    from ...work.sections import TestSection
    from .sizing import GasNetwork

PA_PER_MBAR = 100.0
USUAL_C = 20.0
BY_VALVE_PA = 0.5 * PA_PER_PSI  # std gas codes: up to here an appliance may stay, off at its valve
NAMES = {
    "british": "new pipe, 20 to 21 mbar",
    "existing": "existing pipe with its appliances connected",
    "continental": "tightness at 100 to 150 mbar",
    "code": "code minimum, 1.5 x working, 3 psi or more",
    "inspector": "inspector's gauge, 10 to 15 psi",
    "overnight": "overnight, 60 to 100 psi, rigid pipe alone",
    "procedure": "another procedure, by the licensed person",
}
SCHOOL = {
    "british": ("british", "existing"),
    "continental": ("continental",),
    "north-american": ("code", "inspector", "overnight"),
}
TUBE = ("csst", "conn")
METERS: dict[Meter, str] = {
    "none": "no meter in the test",
    "ultrasonic": "ultrasonic meter",
    "diaphragm-6": "diaphragm meter, 6 m3/h",
    "diaphragm-16": "diaphragm meter, 16 m3/h",
}
ASKS = {
    "existing": (TestAsk("meter", "Meter in the test", tuple(METERS.items())),),
    "procedure": (
        TestAsk("procedure_name", "Procedure", example="its name and edition"),
        TestAsk("procedure_pressure", "Test pressure", example="37 mbar"),
        TestAsk("procedure_settle", "Left to settle, minutes", example="1"),
        TestAsk("procedure_hold", "Held, minutes", example="2"),
        TestAsk("procedure_drop", "Drop that is permitted", example="0.25 mbar"),
    ),
}
"""What the ways to test gas ask; the figures of another procedure have no default."""
STEPS = {
    "existing": (
        "Appliances stay connected, every control and pilot off; no smell of gas anywhere.",
        "Let-by at the meter valve at 7 to 10 mbar for a minute; any rise fails: made safe and reported before any "
        "retest.",
        "Raise to {target} with the gas itself. Leave it {settle}, then hold it {hold}: no more lost than meter and "
        "pipe permit.",
        "A smell of gas fails it whatever the gauge says.",
    ),
    "procedure": (
        "What the procedure asks, step by step, by the licensed person; regulators, meters and valves out of it.",
        "Never below the working pressure of the section, never above what the weakest part in it stands.",
        "With working gas in it every joint is soaped, also those near by that were not worked on.",
    ),
}
"""How tests other than of new pipe are done."""


def _network(design: Layout, section: TestSection) -> GasNetwork | None:
    """The gas of a section: the network of its source."""
    return next((net for net in design.sized[SPEC.id].detail if net.source == section.source), None)


def working_pa(design: Layout, section: TestSection) -> float:
    """The highest working pressure of a section [Pa]: what its source gives; 0 where that is not known."""
    net = _network(design, section)
    return net.inlet_pa if net else 0.0


def _liquefied(design: Layout, section: TestSection) -> bool:
    """Whether it carries propane or butane."""
    net = _network(design, section)
    return net is not None and net.gas.id != "natural"


def _has_tube(design: Layout, section: TestSection) -> bool:
    return any(design.pipework.straights[key].pipe.code in TUBE for key in section.straights)


def largest_mm(design: Layout, section: TestSection) -> float:
    """The largest pipe of a section outside [mm]; 0 where none is known."""
    straights, catalogue = design.pipework.straights, design.context.catalogue
    sizes = (catalogue.pipe(straights[key].pipe.code, straights[key].pipe.size) for key in section.straights)
    return max((row.od_mm for row in sizes if row and row.od_mm), default=0.0)


def _variants(design: Layout, section: TestSection) -> tuple[tuple[str, str], ...]:
    """The tests of the practice; none at high pressure where there is tube in the section; British propane has no
    figures here. Another procedure may always be said."""
    practice = design.job.practice
    names = SCHOOL[practice]
    beyond = working_pa(design, section) > LOW_PRESSURE_PA.get(practice, math.inf) * (1 + 1e-6)
    if beyond or (practice == "british" and _liquefied(design, section)):
        names = ()
    tube = _has_tube(design, section)
    names = tuple(one for one in names if not (tube and one == "overnight"))
    return tuple((one, NAMES[one]) for one in (*names, "procedure"))


def _rule(design: Layout, section: TestSection) -> TestRule:
    """The usual test of the practice; where nothing is usual one without figures, by which nothing passes."""
    return _variant_rule(design, section, _variants(design, section)[0][0], {})


def _variant_rule(design: Layout, section: TestSection, variant: str, asked: Mapping[str, Any]) -> TestRule:
    """What a section is tested with by a variant. asked: meter, or the procedure. Raises Refused for one that is none
    of this section."""
    known = dict(_variants(design, section))
    if variant not in known:
        raise Refused("test", variant, f"a test of this section: {', '.join(known)}", next(iter(known)))
    source = design.job.station(section.source.partition(".")[0])
    meter = asked.get("meter") or "none"
    if meter not in METERS:
        raise Refused("meter", meter, ", ".join(METERS), "none")
    return rule_of(
        variant,  # type: ignore[arg-type]
        section.volume_l,
        working_pa(design, section),
        meter=meter,
        largest_mm=largest_mm(design, section),
        meter_m3_h=(source.data.capacity_m3_h or 0.0) if source is not None else 0.0,
        tube=_has_tube(design, section),
        procedure=_procedure(asked, design.job.practice) if variant == "procedure" else None,
        practice=design.job.practice,
    )


def _procedure(asked: Mapping[str, Any], practice: str) -> Procedure | None:
    """Another procedure as it was typed; None where nobody named one. Raises Refused."""
    typed = {ask.name: str(asked.get(ask.name) or "").strip() for ask in ASKS["procedure"]}
    if not any(typed.values()):
        return None
    for ask in ASKS["procedure"]:
        if not typed[ask.name] and ask.name != "procedure_settle":
            raise Refused(
                ask.label, "nothing", "what the licensed person's procedure says; there is no default", ask.example
            )
    unit, comma = ("psi" if practice == "north-american" else "mbar"), practice == "continental"

    def minutes(name: str, field: str) -> float:
        return parse(typed[name] or "0", "time", "min", field=field, decimal_comma=comma) / 60

    return Procedure(
        typed["procedure_name"],
        parse(typed["procedure_pressure"], "pressure", unit, field="Test pressure", decimal_comma=comma),
        minutes("procedure_hold", "Held"),
        parse(typed["procedure_drop"], "pressure", unit, field="Drop that is permitted", decimal_comma=comma),
        minutes("procedure_settle", "Left to settle"),
    )


def _as_kept(body: Mapping[str, Any]) -> TestRule:
    """The rule of a test that was kept with its variant alone."""
    variant, rig = str(body.get("variant") or ""), body.get("rig") or {}
    volume_l, unit = float(body.get("volume_l") or 0.1), str(body.get("unit", "bar"))
    settle = float(rig.get("settle_min", 0.0))
    if variant in NAMES and variant != "procedure":
        kept = rule_of(variant, volume_l, largest_mm=float(body.get("largest_mm") or 28.0))  # type: ignore[arg-type]
        return replace(kept, settle_min=settle, unit=unit)
    fine = max(float(rig.get("coarsest_bar", 0.0)) * 1e5, FINE_PA["british"][0])
    target_pa = float(rig.get("test_bar", 0.0)) * 1e5
    return TestRule(
        target_pa,
        unit=unit,
        settle_min=settle,
        hold_min=float(rig.get("hold_min", 0.0)),
        coarsest_pa=fine,
        most_range_pa=RANGE_TIMES * target_pa,
        volume_l=volume_l,
        phase="gas",
        corrected=True,
        temperatures=bool(rig.get("temperatures", False)),
        most_drift_k=0.0,
    )


def _enough(design: Layout, section: TestSection, body: Mapping[str, Any]) -> bool:
    """Whether a kept test was at a pressure the section still asks for: not below its working pressure, nor below what
    its own test asks now."""
    target_pa = float(body.get("target_pa") or float((body.get("rig") or {}).get("test_bar", 0.0)) * 1e5)
    known = _variants(design, section)
    variant = str(body.get("variant") or known[0][0])
    if variant in dict(known) and variant != "procedure":
        rule = _variant_rule(design, section, variant, body.get("said") or {})
        least_pa = rule.least_pa or rule.target_pa
    else:
        least_pa = working_pa(design, section)
    return target_pa >= least_pa * (1 - 1e-4)


def _keeps_out(design: Layout, section: TestSection, rule: TestRule) -> tuple[tuple[str, str], ...]:
    """The source, regulators and appliances: off at their valves up to half a psi, beyond it disconnected and the valve
    plugged, for its seat carries no test pressure (std gas codes)."""
    found = []
    gentle = rule.target_pa <= BY_VALVE_PA
    for ident in section.stations:
        station = design.job.station(ident)
        if station is None:
            continue
        if section.source.startswith(f"{ident}."):
            found.append((ident, "shut and locked, its outlet plugged; let-by is checked there first"))
        elif station.kind == "regulator":
            found.append((ident, "taken out or isolated on both sides: the test pressure ruins it"))
        elif spec.kind(station.kind).loads:
            how = (
                "off at its valve" if gentle else "disconnected, and its valve plugged: a seat carries no test pressure"
            )
            found.append((ident, how))
    return tuple(found)


def _can_see(rule: TestRule, gauge: Gauge, name: str) -> tuple[str, ...]:
    """The smallest leak a test is sure to see with a gauge, what a kelvin could hide, how long it stands."""
    found = planned(rule, gauge, None, 1.0)
    per_k = said(per_kelvin_pa(rule.target_pa, USUAL_C), rule.unit)
    lines = (
        f"{rule.volume_l:.1f} L with {name}: sure to see {found.smallest_leak_l_h:.3g} L/h and more.",
        f"A kelvin of the pipe makes {per_k}; unread it could hide {found.hidden_leak_l_h:.3g} L/h.",
        f"It stands {found.hold_min:.0f} minutes once it has settled.",
    )
    clear = rule.target_pa >= STAND_CLEAR_PA * (1 - 1e-4)
    return (*lines, "Air at 15 psi and more: stand clear of caps and ends.") if clear else lines


TIGHTNESS = TestKind(
    id="gas-tightness",
    service=SPEC.id,
    title="Gas: tightness",
    medium="air",
    rule=_rule,
    steps=(
        "Ends capped or plugged, appliances and regulators off or isolated: the test pressure ruins them.",
        "Let-by: shut the valve at the boundary, a little pressure behind it; any rise fails.",
        "Raise to {target} with air. Leave it {settle} to settle, then hold it {hold}: no drop that the gauge can "
        "tell.",
        "With working gas in it every joint is soaped, also those near by that were not worked on.",
    ),
    caution="Gas is work for the licensed person; local code decides the pressure and the time. Never with oxygen, "
    "never with water. Air under pressure stores energy: stand clear of caps.",
    source="typ, by practice",
    step_title="Prove the gas pipe tight",
    step_where="{section}",
    hold="passed by the licensed person before anything hides it, and before gas",
    tools=("gauge", "hand pump", "caps", "leak detection fluid"),
    looked_dry=False,
    media=("air", "nitrogen", "carbon dioxide", "inert gas"),
    keeps_out=_keeps_out,
    can_see=_can_see,
    check_medium=lambda design, section, medium: check_medium(medium),
    variants=_variants,
    variant_rule=_variant_rule,
    asks=ASKS,
    variant_steps=STEPS,
    variant_media={"existing": "gas"},
    as_kept=_as_kept,
    enough=_enough,
)
TESTS = (TIGHTNESS,)
