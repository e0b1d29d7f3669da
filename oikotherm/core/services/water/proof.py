"""How fresh water pipe is proved: with water, at a pressure above what it will bear, the heater and its valves out of
the test."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from ...errors import Refused
from ...quantity import PA_PER_PSI
from ...work.steps import TestKind, air_left_l, gauge_unit
from ...work.verdict import TestRule
from .stations import SPEC

if TYPE_CHECKING:
    from ...layout import Layout
    from ...work.sections import TestSection

PLASTIC = ("plastic", "multilayer")
OUT = {
    "heater": "shut off at its valves, its relief valve out of the test with it",
    "cylinder": "shut off at its valves, its safety valves out of the test with it",
    "boiler": "shut off at its valves",
    "vessel": "off, its branch capped: its gas would hide a leak",
    "softener": "in bypass, or its ports capped",
}
PLASTIC_DRIFT_K = 3.0  # typ: pipe that gives moves less with its water
AIR_PA = 50 * PA_PER_PSI


def _rule(design: Layout, section: TestSection) -> TestRule:
    """Metal: 1.1 x the design pressure, 10 minutes; any plastic in it: 1.5 x working, topped up for 30 minutes, 90
    minutes held at the pressure let down to half of working (so that what gives is seen). North America: the working
    pressure, 15 minutes. Sources: typ."""
    supplies = (design.job.station(ident) for ident in section.stations)
    said_pa = max((one.data.supply_pa or 0.0 for one in supplies if one), default=0.0)
    working_pa = said_pa or SPEC.pressure_pa
    soft = _soft(design, section)
    held = TestRule(
        working_pa,
        unit=gauge_unit(design.job.practice),
        volume_l=section.volume_l,
        gas_l=air_left_l(section.volume_l),
    )
    if design.job.practice == "north-american":
        return replace(
            held, hold_min=15.0, coarsest_pa=PA_PER_PSI, source="typ, North American minimum: the working pressure"
        )
    if soft:
        return replace(
            held,
            target_pa=0.5 * working_pa,
            raise_pa=1.5 * working_pa,
            settle_min=30.0,
            hold_min=90.0,
            most_drift_k=PLASTIC_DRIFT_K,
            may_rise=True,
            source="typ for plastic: topped up at 1.5 x working, let down to half of it, no fall (it may rise)",
        )
    target_pa = 1.1 * max(SPEC.pressure_pa, said_pa)
    return replace(held, target_pa=target_pa, hold_min=10.0, source="typ for metal: 1.1 x the design pressure")


def _soft(design: Layout, section: TestSection) -> list[str]:
    """The plastic and multilayer pipe of a section."""
    codes = {design.pipework.straights[key].pipe.code for key in section.straights}
    return sorted(code for code in codes if design.context.catalogue.material(code) in PLASTIC)


def _variants(design: Layout, section: TestSection) -> tuple[tuple[str, str], ...]:
    """North America: water, or air where all of it is metal; elsewhere one procedure, which needs no name."""
    if design.job.practice != "north-american":
        return ()
    air = (("air", "air at 50 psi"),) if not _soft(design, section) else ()
    return (("water", "water at the working pressure"), *air)


def _variant_rule(design: Layout, section: TestSection, variant: str, _: Mapping[str, Any]) -> TestRule:
    """What a section is tested with by a variant. Raises Refused for one that is none of this section."""
    known = dict(_variants(design, section))
    if variant not in known:
        raise Refused("test", variant, f"a test of this section: {', '.join(known) or 'the usual one'}", "water")
    usual = _rule(design, section)
    if variant == "water":
        return usual
    return replace(
        usual,
        target_pa=AIR_PA,
        settle_min=5.0,
        hold_min=15.0,
        coarsest_pa=PA_PER_PSI,
        gas_l=0.0,
        phase="gas",
        corrected=True,
        most_drift_k=0.0,
        source="typ, North American: air at 50 psi for 15 minutes, never on plastic",
    )


def _check_medium(design: Layout, section: TestSection, medium: str) -> None:
    """Air on plastic is refused: it stores energy, and what bursts flies. Raises Refused."""
    soft = _soft(design, section)
    if medium == "air" and soft:
        raise Refused("medium", f"air on {', '.join(soft)}", "water: plastic pipe is never tested with air", "water")
    if medium not in ("water", "air"):
        raise Refused("medium", medium, "water, or air at low pressure on metal", "water")


def _keeps_out(design: Layout, section: TestSection, rule: TestRule) -> tuple[tuple[str, str], ...]:
    """Heaters, vessels and softeners: shut off, capped or plugged (typ)."""
    return tuple(
        (ident, OUT[station.kind])
        for ident in section.stations
        if (station := design.job.station(ident)) and station.kind in OUT
    )


PRESSURE_TEST = TestKind(
    id="water-pressure",
    service=SPEC.id,
    title="Water: pressure test",
    medium="water",
    rule=_rule,
    steps=(
        "Heater, safety valves and appliances out of the test: shut off, capped or plugged.",
        "Fill from below, vent at the highest tap; every joint marked made.",
        "Raise to {raise}. Leave it {settle} to settle, topping up; hold {target} for {hold} with readings of "
        "pressure and water temperature.",
        "Every joint wiped dry and looked at; then flush it, disinfect where asked.",
    ),
    caution="Water under pressure: stand clear of caps. Water pipe is tested with water; with air only at low pressure "
    "and with everyone out of the way, and plastic pipe never with air.",
    source="typ",
    step_title="Prove the water pipe tight",
    step_where="{section}",
    hold="passed, and flushed, before it is lagged or closed in",
    tools=("test gauge", "hand pump", "caps", "tissue"),
    media=("water", "air"),
    check_medium=_check_medium,
    keeps_out=_keeps_out,
    variants=_variants,
    variant_rule=_variant_rule,
    variant_media={"air": "air"},
)
TESTS = (PRESSURE_TEST,)
