"""How gas pipe is proved: with air or an inert gas, never with water or oxygen, appliances off, by practice."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from ...errors import Refused
from ...quantity import PA_PER_PSI, pressure_said
from ...work.proof import Reading, Verdict
from ...work.steps import TestKind, TestRule
from .. import spec
from .stations import SPEC
from .tightness import Point, check_medium, gauge_named, per_kelvin_pa, planned, rule_of, tightness

if TYPE_CHECKING:
    from ...layout import Layout
    from ...work.sections import TestSection

PA_PER_MBAR = 100.0
USUAL_C = 20.0
BY_VALVE_PA = 0.5 * PA_PER_PSI  # std gas codes: up to here an appliance may stay, off at its valve
BY_VOLUME = ((100.0, (10.0, 10.0)), (200.0, (30.0, 20.0)))
"""Continental: below so many litres, minutes to settle and to hold (typ)."""
LARGEST = (60.0, 30.0)


def _rule(design: Layout, section: TestSection) -> TestRule:
    """British: 20 mbar, 1 minute to settle, 2 held, no perceptible drop (0.25 mbar). Continental: 150 mbar, minutes by
    volume. North American: at least 3 psi, 10 minutes. Sources: typ of the practice; local code and the inspector
    decide."""
    common = TestRule(0.0, volume_l=section.volume_l, temperatures=False, most_drift_k=0.0)
    practice = design.job.practice
    if practice == "north-american":
        return replace(
            common,
            target_pa=3 * PA_PER_PSI,
            unit="psi",
            settle_min=1.0,
            hold_min=10.0,
            coarsest_pa=0.1 * PA_PER_PSI,
            most_range_pa=15 * PA_PER_PSI,
            source="typ, code minimum: 1.5 x working, at least 3 psi for 10 minutes",
        )
    if practice == "continental":
        settle, hold = next((minutes for litres, minutes in BY_VOLUME if section.volume_l < litres), LARGEST)
        return replace(
            common,
            target_pa=150 * PA_PER_MBAR,
            unit="mbar",
            settle_min=settle,
            hold_min=hold,
            coarsest_pa=1.0 * PA_PER_MBAR,
            most_range_pa=750 * PA_PER_MBAR,
            source="typ: 150 mbar, minutes by volume; a strength test at 1 bar goes before it",
        )
    return replace(
        common,
        target_pa=20 * PA_PER_MBAR,
        unit="mbar",
        settle_min=1.0,
        hold_min=2.0,
        coarsest_pa=0.25 * PA_PER_MBAR,
        most_range_pa=100 * PA_PER_MBAR,
        source="typ: 20 to 21 mbar for 2 minutes, new pipe without perceptible drop; let-by first at 7 to 10 mbar",
    )


NAMES = {
    "british": "tightness at 20 mbar",
    "continental": "tightness at 100 to 150 mbar",
    "code": "code minimum, 3 psi or more",
    "inspector": "inspector's gauge, 10 to 15 psi",
    "overnight": "overnight, 60 to 100 psi, rigid pipe alone",
}
TUBE = ("csst", "conn")


def _variants(design: Layout, section: TestSection) -> tuple[tuple[str, str], ...]:
    """The tests of the practice; none at high pressure where there is tube in the section."""
    if design.job.practice != "north-american":
        return ((design.job.practice, NAMES[design.job.practice]),)
    tube = any(design.pipework.straights[key].pipe.code in TUBE for key in section.straights)
    return tuple((one, NAMES[one]) for one in ("code", "inspector", "overnight") if not (tube and one == "overnight"))


def _variant_rule(design: Layout, section: TestSection, variant: str) -> TestRule:
    """What a section is tested with by a variant. Raises Refused for one that is none of this section."""
    known = dict(_variants(design, section))
    if variant not in known:
        raise Refused("test", variant, f"a test of this section: {', '.join(known)}", next(iter(known)))
    usual = _rule(design, section)
    if variant in ("british", "continental", "code"):
        return usual
    rule = rule_of(variant, max(section.volume_l, 0.1))  # type: ignore[arg-type]
    return replace(
        usual,
        target_pa=rule.low_pa,
        settle_min=15.0,
        hold_min=rule.hold_min,
        coarsest_pa=0.02 * rule.low_pa,
        most_range_pa=5 * rule.low_pa,
        temperatures=rule.temperatures,
        source=rule.source,
    )


def _judge(body: Mapping[str, Any], readings: Sequence[Reading]) -> Verdict:
    """The verdict of the practice's own procedure on a kept test."""
    gauge, rig = body.get("gauge") or {}, body.get("rig") or {}
    if len(readings) < 2:
        return Verdict("proves nothing", 0.0, 0.0, ("fewer than two readings",), ())
    start = readings[0].at
    settle = float(rig.get("settle_min", 0.0))
    points = [
        Point((one.at - start).total_seconds() / 60, one.pressure_bar * 1e5, one.temp_c, one.baro_pa)
        for one in readings
    ]
    held = [one for one in points if one.minute >= settle - 1e-9]
    if len(held) < 2:
        return Verdict("proves nothing", 0.0, 0.0, (f"not read for {settle:.0f} minutes of settling and the hold",), ())
    found = tightness(
        str(body.get("variant")),  # type: ignore[arg-type]
        max(float(body.get("volume_l") or 0.0), 0.1),
        held,
        gauge_named(str(gauge.get("name", "")), float(gauge["resolution_pa"]), float(gauge.get("range_pa") or 0.0)),
        medium=str(body.get("medium", "air")),
        largest_mm=float(body.get("largest_mm") or 28.0),
        let_by=[Point(float(n), float(value)) for n, value in enumerate(body.get("let_by_pa") or ())],
    )
    reasons = () if found.outcome == "pass" else found.why
    return Verdict(
        found.outcome, found.corrected_drop_pa / 1e5, held[-1].minute - held[0].minute, reasons, found.working
    )


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


def _can_see(design: Layout, section: TestSection, name: str, resolution_pa: float) -> tuple[str, ...]:
    """The smallest leak the usual test is sure to see with a gauge, what a kelvin could hide, how long it stands."""
    if section.volume_l <= 0:
        return ()
    variant, rule = _variants(design, section)[0][0], _rule(design, section)
    found = planned(variant, section.volume_l, gauge_named(name, resolution_pa), None, 1.0)  # type: ignore[arg-type]
    per_k = pressure_said(per_kelvin_pa(rule.target_pa, USUAL_C), rule.unit)
    return (
        f"{section.volume_l:.1f} L with {name}: sure to see {found.smallest_leak_l_h:.3g} L/h and more.",
        f"A kelvin of the pipe makes {per_k}; unread it could hide {found.hidden_leak_l_h:.3g} L/h.",
        f"It stands {found.hold_min:.0f} minutes once it has settled.",
    )


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
    let_by=frozenset({"british"}),
    check_medium=lambda design, section, medium: check_medium(medium),
    variants=_variants,
    variant_rule=_variant_rule,
    judge=_judge,
)
TESTS = (TIGHTNESS,)
