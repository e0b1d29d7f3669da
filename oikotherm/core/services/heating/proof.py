"""How heating is proved: filled, held at pressure, every joint looked at; then again hot (the plan's hot check)."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ...quantity import PA_PER_BAR, PA_PER_PSI
from ...work.steps import TestKind, air_left_l, gauge_unit
from ...work.verdict import TestRule
from .sizing import heating_of
from .stations import SPEC

if TYPE_CHECKING:
    from ...layout import Layout
    from ...work.sections import TestSection
    from .sized import Heating

LEAST_TEST_BAR = 1.5
LEAST_AMERICAN_PA = 100 * PA_PER_PSI  # typ
USUAL_SAFETY_BAR, AMERICAN_SAFETY_BAR = 3.0, 2.07  # typ, 2.07 bar are 30 psi
VESSEL_DRIFT_K = 3.0  # typ: corrected by what the vessel gives, up to here
USUAL_VOLUME_L, USUAL_GAS_L = 20.0, 1.0  # typ, where no circuit was sized


def test_pressure_bar(hot_final_bar: float, safety_valve_bar: float, valve_isolated: bool = False) -> float:
    """Pressure to raise to [bar]: max(1.3 x hot final pressure, 1.5), at most 0.9 x the safety valve unless it is
    isolated (typ)."""
    wanted = max(1.3 * hot_final_bar, LEAST_TEST_BAR)
    return wanted if valve_isolated else min(wanted, 0.9 * safety_valve_bar)


def circuit_of(design: Layout, section: TestSection) -> Heating | None:
    """The sized circuit a section is of: the one whose straights it has, the first where it has those of several."""
    own = set(section.straights)
    return next((one for one in heating_of(design) if one.circuit.own and own & set(one.circuit.straights)), None)


def _rule(design: Layout, section: TestSection) -> TestRule:
    heating = circuit_of(design, section)
    unit = gauge_unit(design.job.practice)
    if design.job.practice == "north-american":
        safety_pa = (heating.safety_bar if heating else AMERICAN_SAFETY_BAR) * PA_PER_BAR
        litres = heating.volume_l if heating else USUAL_VOLUME_L
        return TestRule(
            max(1.5 * safety_pa, LEAST_AMERICAN_PA),
            unit=unit,
            hold_min=15.0,
            coarsest_pa=PA_PER_PSI,
            volume_l=litres,
            gas_l=air_left_l(litres),
            source="typ, North American: 1.5 x the design pressure, at least 100 psi for 15 minutes",
        )
    if heating is None or heating.vessel is None:
        return TestRule(LEAST_TEST_BAR * PA_PER_BAR, unit=unit, volume_l=USUAL_VOLUME_L, gas_l=USUAL_GAS_L)
    bar = test_pressure_bar(heating.vessel.hot_bar, heating.safety_bar)
    vessel_l = heating.vessel_here_l or heating.vessel.chosen_l
    terms = heating.circuit.terms
    return TestRule(
        bar * PA_PER_BAR,
        unit=unit,
        volume_l=heating.volume_l,
        corrected=True,
        most_drift_k=VESSEL_DRIFT_K,
        gas_l=vessel_l * (heating.vessel.precharge_bar + 1) / (bar + 1),
        mass_fraction=terms.mass_fraction if terms.medium == "mpg" else 0.0,
    )


def _by_sight(design: Layout, section: TestSection) -> bool:
    """Whether nothing of it is new pipe: what was opened on an old circuit is filled to its cold pressure again and
    seen dry, cold and hot; a hold of the whole old house would prove nothing of it."""
    return not any((run := design.job.run(ident)) is not None and run.state == "new" for ident in section.runs)


def _keeps_out(design: Layout, section: TestSection, rule: TestRule) -> tuple[tuple[str, str], ...]:
    """Boilers with their safety valves and vessels, where the test is above what a safety valve lets by."""
    heating = circuit_of(design, section)
    if rule.target_pa <= 0.9 * (heating.safety_bar if heating else USUAL_SAFETY_BAR) * PA_PER_BAR + 1.0:
        return ()
    return tuple(
        (ident, "shut off at its valves, with its safety valve and vessel: the test is above what they bear")
        for ident in section.stations
        if (station := design.job.station(ident)) and station.kind in ("boiler", "vessel")
    )


FILL_AND_LEAK = TestKind(
    id="fill-and-leak",
    service=SPEC.id,
    title="Heating: fill and leak",
    medium="water",
    rule=_rule,
    steps=(
        "Fill to the cold pressure; every joint marked made.",
        "Raise to the test pressure, at most 0.9 of the safety valve's unless it is isolated.",
        "Leave it {settle} to settle, then hold it {hold} with readings of pressure and water temperature.",
        "Every joint wiped dry and looked at.",
    ),
    caution="Water under pressure: stand clear of open ends and caps, and never test with a valve that was not meant "
    "for it.",
    source="typ: 1.3 x the highest working pressure, 1.5 bar at the least",
    step_title="Prove it tight",
    step_where="the whole circuit",
    hold="passed before anything is boxed, boarded or lagged",
    tools=("test gauge", "hand pump", "tissue"),
    keeps_out=_keeps_out,
    by_sight=_by_sight,
)
TESTS = (FILL_AND_LEAK,)
