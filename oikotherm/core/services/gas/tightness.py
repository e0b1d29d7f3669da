"""Gas tightness by practice: what each test asks of pressure, hold, gauge and thermometer, what it can see before
anybody pumps, and purging. The verdict is work/verdict.py's, as for every test.

All pressures are gauge and in Pa, temperatures of the pipe in C, volumes in litres. The practices' figures: handbook of
gas practice (std where a code says so, typ otherwise); local code and the inspector decide.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

from ...errors import Refused
from ...quantity import PA_PER_PSI, pressure_said
from ...work.verdict import (
    RANGE_TIMES,
    Gauge,
    TestRule,
    least_drop_pa,
    per_kelvin_pa,
    permitted_pa,
    smallest_leak_l_h,
)
from ...working import Step

Test = Literal["british", "existing", "continental", "code", "inspector", "overnight", "procedure"]
Meter = Literal["none", "ultrasonic", "diaphragm-6", "diaphragm-16"]

MBAR_PA, PSI_PA = 100.0, PA_PER_PSI
FT3_L = 28.316846592
MEDIA = ("air", "nitrogen", "carbon dioxide", "inert gas", "gas")
"""What a gas pipe may be tested with; gas: the gas that is in an existing one."""
LARGEST_MM, LARGEST_L, LARGEST_M3_H = 35.0, 35.0, 16.0  # British: beyond it another procedure
PERMITTED_PA = {"diaphragm-6": {28.0: 400.0, 35.0: 250.0}, "diaphragm-16": {28.0: 100.0, 35.0: 100.0}}
PERMITTED_NO_METER_PA = {28.0: 800.0, 35.0: 400.0}  # ultrasonic or none
CONTINENTAL_MIN = ((100.0, 10.0, 10.0), (200.0, 30.0, 20.0), (math.inf, 60.0, 30.0))  # litres below: settle, test
FINE_PA = {"british": (10.0, 25.0), "continental": (10.0, 10.0)}  # the most a gauge may show at once, a water gauge
AMERICAN_FINE_PA, AMERICAN_COARSE_PA, FINE_UP_TO_PA = 0.1 * PSI_PA, PSI_PA, 10 * PSI_PA
TUBE_PA = 40 * PSI_PA  # typ: what corrugated tube stands
UNSAID = "name, pressure, hold and permitted drop of the procedure, by the licensed person"
SHORT_MIN = 5.0  # a low-pressure test so short is judged as read, at settled temperature
LOW_PRESSURE_PA = {"british": 25 * MBAR_PA, "continental": 100 * MBAR_PA}  # working pressure, beyond: another procedure
STAND_CLEAR_PA = 15 * PSI_PA


@dataclass(frozen=True, slots=True)
class Procedure:
    """A test by another procedure, as the licensed person says it: its name, pressure, hold, and what may be lost."""

    name: str
    target_pa: float
    hold_min: float
    permitted_pa: float
    settle_min: float = 0.0


def check_medium(medium: str) -> None:
    """Raises Refused for what a gas pipe is never tested with."""
    word = medium.strip().lower()
    if word == "oxygen":
        raise Refused("medium", medium, "air, nitrogen, carbon dioxide or an inert gas: oxygen sets oil on fire", "air")
    if word not in MEDIA:
        raise Refused("medium", medium, ", ".join(MEDIA), "air")


def existing_drop_pa(meter: Meter, largest_mm: float) -> float | None:
    """British: the drop permitted in existing pipe with its appliances connected, by meter and pipe [Pa]; None where no
    figure is given."""
    by_size = PERMITTED_PA.get(meter, PERMITTED_NO_METER_PA)
    return next((drop for mm, drop in by_size.items() if largest_mm <= mm), None)


def rule_of(
    test: Test,
    volume_l: float,
    working_pa: float = 0.0,
    *,
    meter: Meter = "none",
    largest_mm: float = 28.0,
    meter_m3_h: float = 0.0,
    tube: bool = False,
    procedure: Procedure | None = None,
    practice: str = "",
) -> TestRule:
    """What is asked of a volume [L]. working_pa: the section's highest; largest_mm: of its pipe; meter_m3_h: what its
    meter passes; tube: whether corrugated tube is in it; procedure: of the test of that name, said by the licensed
    person in a practice. Raises Refused where a procedure is not said, or would be below working pressure or above what
    the weakest part stands."""
    common = TestRule(
        0.0, phase="gas", corrected=True, temperatures=False, most_drift_k=0.0, volume_l=max(volume_l, 0.1)
    )
    low_pa = LOW_PRESSURE_PA.get("british" if test == "existing" else test, math.inf)
    if working_pa > low_pa * (1 + 1e-6):
        common = replace(common, unfit=(f"it works at {working_pa / MBAR_PA:.0f} mbar: another procedure",))
    if test in ("british", "existing"):
        return _british(common, existing=test == "existing", meter=meter, largest_mm=largest_mm, meter_m3_h=meter_m3_h)
    if test == "continental":
        _, settle, hold = next(row for row in CONTINENTAL_MIN if volume_l < row[0])
        return replace(
            common,
            target_pa=150 * MBAR_PA,
            least_pa=100 * MBAR_PA,
            most_pa=150 * MBAR_PA,
            unit="mbar",
            settle_min=settle,
            hold_min=hold,
            coarsest_pa=FINE_PA["continental"][0],
            most_range_pa=RANGE_TIMES * 150 * MBAR_PA,
            source="typ: 100 to 150 mbar, minutes by volume; a strength test at 1 bar goes before it",
        )
    if test == "procedure":
        return _said(common, procedure, working_pa, tube, practice)
    return _american(common, test, working_pa, tube)


def _british(common: TestRule, *, existing: bool, meter: Meter, largest_mm: float, meter_m3_h: float) -> TestRule:
    unfit = list(common.unfit)
    if largest_mm > LARGEST_MM or common.volume_l > LARGEST_L or meter_m3_h > LARGEST_M3_H:
        unfit.append("pipe above 35 mm or 0.035 m3, or a meter above 16 m3/h: another procedure")
    drop = existing_drop_pa(meter, largest_mm) if existing else None
    if existing and drop is None:
        unfit.append("no drop is permitted here by figure: appliances isolated, and tested as new pipe")
    what = (
        "existing with its appliances by meter and pipe, and no smell" if existing else "new without perceptible drop"
    )
    return replace(
        common,
        target_pa=20 * MBAR_PA,
        most_pa=21 * MBAR_PA,
        unit="mbar",
        settle_min=1.0,
        hold_min=2.0,
        coarsest_pa=FINE_PA["british"][0],
        water_pa=FINE_PA["british"][1],
        most_range_pa=RANGE_TIMES * 20 * MBAR_PA,
        permitted_pa=drop,
        perceptible=not existing,
        corrected=False,
        let_by=True,
        gas_too=True,
        unfit=tuple(unfit),
        source=f"typ: 20 to 21 mbar for 2 minutes, pipe {what}; let-by first at 7 to 10 mbar",
    )


def _american(common: TestRule, test: Test, working_pa: float, tube: bool) -> TestRule:
    least_pa = max(1.5 * working_pa, 3 * PSI_PA)
    rule = replace(common, unit="psi", coarsest_pa=AMERICAN_COARSE_PA, fine=(FINE_UP_TO_PA * 1.0001, AMERICAN_FINE_PA))
    if test == "code":
        parts = math.ceil(common.volume_l / (500 * FT3_L) - 1e-9)
        rule = replace(
            rule,
            target_pa=least_pa,
            most_pa=10 * least_pa,
            settle_min=1.0,
            hold_min=10.0 if common.volume_l <= 500 * FT3_L else 30.0 * parts,
            source="std, code minimum: 1.5 x working, at least 3 psi, for 10 minutes",
        )
    elif test == "inspector":
        target = max(15 * PSI_PA, least_pa)
        rule = replace(
            rule,
            target_pa=target,
            least_pa=max(10 * PSI_PA, least_pa),
            most_pa=target,
            settle_min=15.0,
            hold_min=15.0,
            temperatures=True,
            source="typ, inspector's gauge",
        )
    else:
        target = max(60 * PSI_PA, least_pa)
        rule = replace(
            rule,
            target_pa=target,
            most_pa=max(100 * PSI_PA, target),
            settle_min=15.0,
            hold_min=720.0,
            temperatures=True,
            source="typ, overnight, rigid pipe alone",
        )
    if rule.target_pa <= FINE_UP_TO_PA:
        rule = replace(rule, coarsest_pa=AMERICAN_FINE_PA)
    unfit = ("corrugated tube stands 40 psi (typ): not at this pressure",) if tube and rule.target_pa > TUBE_PA else ()
    if tube:
        rule = replace(rule, most_pa=min(rule.most_pa, max(TUBE_PA, rule.target_pa)))
    return replace(rule, most_range_pa=RANGE_TIMES * rule.target_pa, unfit=unfit)


def _said(common: TestRule, procedure: Procedure | None, working_pa: float, tube: bool, practice: str) -> TestRule:
    """By another procedure: pressure, hold and what may be lost are those of the licensed person."""
    unit = "psi" if practice == "north-american" else "mbar"
    fine, water = FINE_PA.get(practice, (AMERICAN_FINE_PA, AMERICAN_FINE_PA))
    if procedure is None or not procedure.name.strip():
        source = "no figures here: the licensed person says them"
        return replace(common, unit=unit, coarsest_pa=fine, water_pa=water, unfit=(UNSAID,), source=source)
    if not 0 < procedure.target_pa <= 1e7:
        raise Refused("pressure", f"{procedure.target_pa:g} Pa", "a test pressure above 0 and up to 100 bar", "37 mbar")
    if procedure.target_pa < working_pa * (1 - 1e-6):
        raise Refused(
            "pressure",
            pressure_said(procedure.target_pa, unit),
            f"not below its working {pressure_said(working_pa, unit)}",
            "",
        )
    if tube and procedure.target_pa > TUBE_PA * (1 + 1e-6):
        raise Refused(
            "pressure",
            pressure_said(procedure.target_pa, unit),
            f"at most {pressure_said(TUBE_PA, unit)}, what corrugated tube stands (typ)",
            pressure_said(TUBE_PA, unit),
        )
    if not 0 < procedure.hold_min <= 7 * 24 * 60 or not 0 <= procedure.settle_min <= 24 * 60:
        raise Refused("hold", f"{procedure.hold_min:g} minutes", "a hold above 0 and up to a week", "2")
    if not 0 <= procedure.permitted_pa < procedure.target_pa:
        raise Refused(
            "drop",
            pressure_said(procedure.permitted_pa, unit),
            "what may be lost, below the test pressure",
            "0.25 mbar",
        )
    if practice == "north-american" and procedure.target_pa > FINE_UP_TO_PA * 1.0001:
        fine = water = AMERICAN_COARSE_PA
    return replace(
        common,
        target_pa=procedure.target_pa,
        most_pa=procedure.target_pa * 1.1 if practice != "north-american" else 0.0,
        unit=unit,
        settle_min=procedure.settle_min,
        hold_min=procedure.hold_min,
        coarsest_pa=max(fine, procedure.permitted_pa / 2),
        water_pa=max(water, procedure.permitted_pa / 2),
        most_range_pa=RANGE_TIMES * procedure.target_pa,
        permitted_pa=procedure.permitted_pa or None,
        corrected=procedure.hold_min > SHORT_MIN,
        gas_too=True,
        source=f"{procedure.name.strip()[:80]}, as the licensed person says",
    )


# --- before pumping ---------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Planned:
    """What a test will be able to say. smallest_leak_l_h: sure to be seen; hidden_leak_l_h: what a swing of the
    temperature that nobody reads could hide; hold_min: how long it has to stand."""

    smallest_leak_l_h: float
    hidden_leak_l_h: float
    hold_min: float
    settle_min: float
    low_pa: float
    working: tuple[Step, ...]


def planned(rule: TestRule, gauge: Gauge, hours: float | None = None, temp_swing_k: float = 0.0) -> Planned:
    """What a test sees before anybody pumps. hours: how long it is meant to stand, the practice's hold where it is
    None; temp_swing_k: how far the pipe's temperature may move unread. Raises Refused."""
    stands = rule.hold_min if hours is None else hours * 60
    if not 0 < stands <= 7 * 24 * 60:
        raise Refused("hours", hours, "above 0 and up to 168 hours", "12")
    if not 0 <= temp_swing_k <= 60:
        raise Refused("temp_swing_k", temp_swing_k, "0 to 60 K", "5")
    low_pa = rule.least_pa or rule.target_pa
    drop = least_drop_pa(rule, gauge)
    smallest = smallest_leak_l_h(rule.volume_l, drop, stands)
    hides = per_kelvin_pa(low_pa, 20.0) * temp_swing_k
    hidden = smallest_leak_l_h(rule.volume_l, drop + hides, stands) if temp_swing_k else smallest
    steps = (
        Step(
            "q = V dp / (p_atm t), dp = permitted + one step of the gauge",
            (
                ("volume_l", rule.volume_l),
                ("permitted_pa", permitted_pa(rule, gauge)),
                ("dp_pa", drop),
                ("minutes", stands),
            ),
            smallest,
            "L/h",
            "gas law",
        ),
        Step(
            "a swing of the temperature hides (p + p_atm) / T x swing",
            (("p_pa", low_pa), ("swing_k", temp_swing_k)),
            hides,
            "Pa",
            "gas law",
        ),
    )
    return Planned(smallest, hidden, max(stands, rule.hold_min), rule.settle_min, low_pa, steps)


# --- purging ----------------------------------------------------------------------------------------------------------

PURGE_TIMES = 1.5  # typ: of the pipe's volume
METER_L = {"none": 0.0, "ultrasonic": 10.0, "diaphragm-6": 10.0, "diaphragm-16": 30.0}  # typ: of the meter
BURNER_FT3_H = {"pilot": 0.8, "range": 9.0}  # typ
BURNER_L_H = {name: flow * FT3_L for name, flow in BURNER_FT3_H.items()}


def purge(volume_l: float, meter: Meter, rate_l_h: float) -> tuple[float, float, tuple[Step, ...]]:
    """Purge volume [L] and minutes: 1.5 x the pipe and the meter, by the rate at which it goes out [L/h] (typ; arrival
    is told by a gas indicator, never by smell). Raises Refused."""
    if not 0 < volume_l <= 1e6:
        raise Refused("length", f"{volume_l:g} L", "pipe that holds something, up to 1,000 m3", "12 ft")
    if not 0 < rate_l_h <= 1e7:
        raise Refused("rate", f"{rate_l_h:g} L/h", "above 0 and up to 10,000 m3/h", "9 ft3/h")
    total = PURGE_TIMES * volume_l + METER_L[meter]
    minutes = total / rate_l_h * 60
    steps = (
        Step("volume = 1.5 x pipe + meter", (("pipe_l", volume_l), ("meter_l", METER_L[meter])), total, "L", "typ"),
        Step("minutes = volume / rate", (("rate_l_h", rate_l_h),), minutes, "min"),
    )
    return total, minutes, steps
