"""Gas tightness by practice: from readings to a verdict, corrected for the pipe's temperature and the barometer; what a
test can see before anybody pumps.

All pressures are gauge and in Pa, temperatures of the pipe in C, volumes in litres. The practices' figures: handbook of
gas practice (std where a code says so, typ otherwise); local code and the inspector decide.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from ...errors import Refused
from ...quantity import PA_PER_PSI
from ...working import Step

Test = Literal["british", "continental", "code", "inspector", "overnight"]
GaugeKind = Literal["water", "electronic"]
Meter = Literal["none", "ultrasonic", "diaphragm-6", "diaphragm-16"]
Outcome = Literal["pass", "fail", "proves nothing"]

MBAR_PA, PSI_PA = 100.0, PA_PER_PSI
STANDARD_PA, ZERO_C_K, FT3_L = 101_325.0, 273.15, 28.316846592
MEDIA = ("air", "nitrogen", "carbon dioxide", "inert gas", "gas")
"""What a gas pipe may be tested with; gas: the gas that is in an existing one."""
PERCEPTIBLE_PA = {"water": 25.0, "electronic": 20.0}  # British: not perceptible up to here
LARGEST_MM, LARGEST_L = 35.0, 35.0  # British: beyond it another procedure
PERMITTED_PA = {"diaphragm-6": {28.0: 400.0, 35.0: 250.0}, "diaphragm-16": {28.0: 100.0, 35.0: 100.0}}
PERMITTED_NO_METER_PA = 800.0  # ultrasonic or none, pipe up to 28 mm
RANGE_TIMES = 5.0  # gauge range at most so many times the test pressure
LET_BY_PA, LET_BY_MIN = (700.0, 1000.0), 1.0
CONTINENTAL_MIN = ((100.0, 10.0, 10.0), (200.0, 30.0, 20.0), (math.inf, 60.0, 30.0))  # litres below: settle, test
ACROSS = 2.0  # times the standard error of the fitted line that a drop has to stand off what is permitted


@dataclass(frozen=True, slots=True)
class Gauge:
    """What reads it. resolution_pa: its last digit; range_pa: how far it goes, 0 where that is not known."""

    resolution_pa: float
    range_pa: float = 0.0
    kind: GaugeKind = "electronic"


def gauge_named(name: str, resolution_pa: float, range_pa: float = 0.0) -> Gauge:
    """A gauge by its name: one that has water in it is read by its level."""
    return Gauge(resolution_pa, range_pa, "water" if "water" in name.lower() else "electronic")


@dataclass(frozen=True, slots=True)
class Point:
    """One reading. minute: from the start of the hold; temp_c: of the pipe, baro_pa: of the air, None where not
    read."""

    minute: float
    pressure_pa: float
    temp_c: float | None = None
    baro_pa: float | None = None


@dataclass(frozen=True, slots=True)
class TightnessRule:
    """What a practice asks. low_pa, high_pa: the test pressure; settle_min, hold_min; temperatures: whether it proves
    nothing without them; rigid: for rigid pipe alone, everything else out of it."""

    test: Test
    low_pa: float
    high_pa: float
    settle_min: float
    hold_min: float
    temperatures: bool
    rigid: bool
    source: str


def rule_of(test: Test, volume_l: float, working_pa: float = 0.0) -> TightnessRule:
    """What is asked of a volume [L]. working_pa: of the code minimum, 1.5 x working and at least 3 psi."""
    if test == "british":
        return TightnessRule(test, 2000, 2100, 1, 2, False, False, "typ, British low pressure")
    if test == "continental":
        _, settle, hold = next(row for row in CONTINENTAL_MIN if volume_l < row[0])
        return TightnessRule(test, 10_000, 15_000, settle, hold, False, False, "typ, continental, by volume")
    if test == "code":
        low = max(1.5 * working_pa, 3 * PSI_PA)
        parts = math.ceil(volume_l / (500 * FT3_L) - 1e-9)
        hold = 10.0 if volume_l <= 500 * FT3_L else 30.0 * parts
        return TightnessRule(test, low, 10 * low, 0, hold, False, False, "std, North American fuel gas code")
    if test == "inspector":
        return TightnessRule(test, 10 * PSI_PA, 15 * PSI_PA, 0, 15, True, False, "typ, inspector's gauge")
    return TightnessRule(test, 60 * PSI_PA, 100 * PSI_PA, 0, 720, True, True, "typ, overnight, rigid pipe alone")


@dataclass(frozen=True, slots=True)
class Tightness:
    """The verdict. corrected_drop_pa: over the hold, temperature and barometer taken out; permitted_drop_pa: by the
    practice; smallest_leak_l_h: what it is sure to see; why: in words, the first what decided."""

    outcome: Outcome
    corrected_drop_pa: float
    permitted_drop_pa: float
    smallest_leak_l_h: float
    why: tuple[str, ...]
    working: tuple[Step, ...]


def check_medium(medium: str) -> None:
    """Raises Refused for what a gas pipe is never tested with."""
    word = medium.strip().lower()
    if word == "oxygen":
        raise Refused("medium", medium, "air, nitrogen, carbon dioxide or an inert gas: oxygen sets oil on fire", "air")
    if word not in MEDIA:
        raise Refused("medium", medium, ", ".join(MEDIA), "air")


def permitted_pa(
    test: Test, gauge: Gauge, *, existing: bool = False, meter: Meter = "none", largest_mm: float = 28.0
) -> float | None:
    """The drop a practice permits [Pa]: new pipe none that can be seen; British existing pipe with its appliances by
    meter and pipe. None where the practice has no figure."""
    if test != "british":
        return gauge.resolution_pa
    if not existing:
        return max(PERCEPTIBLE_PA[gauge.kind], 0.0)
    if meter in PERMITTED_PA:
        return next((drop for mm, drop in PERMITTED_PA[meter].items() if largest_mm <= mm), None)
    return PERMITTED_NO_METER_PA if largest_mm <= 28 else None


def smallest_leak_l_h(volume_l: float, drop_pa: float, hold_min: float, baro_pa: float = STANDARD_PA) -> float:
    """The leak of free air that makes a drop in a volume over a hold [L/h]: q = V dp / (p_atm t). Raises Refused."""
    if not 0 < volume_l <= 1e6:
        raise Refused("volume", f"{volume_l:g} L", "above 0 and up to 1,000 m3", "20 L")
    return volume_l * drop_pa / baro_pa / (hold_min / 60) if hold_min > 0 else math.inf


def seen_pa(permitted: float, gauge: Gauge) -> float:
    """The drop a test is sure to tell [Pa]: what is permitted and one step of the gauge more, which the last digit may
    hide."""
    return permitted + gauge.resolution_pa


def per_kelvin_pa(pressure_pa: float, temp_c: float, baro_pa: float = STANDARD_PA) -> float:
    """How much a closed pipe's pressure changes a kelvin [Pa/K]: p absolute / T."""
    return (pressure_pa + baro_pa) / (temp_c + ZERO_C_K)


def corrected(points: Sequence[Point]) -> tuple[list[float], tuple[str, ...]]:
    """The readings as they would be at the temperature and barometer of the first [Pa gauge], and what could not be
    corrected. p absolute / T is constant in a closed pipe."""
    temps = all(one.temp_c is not None for one in points)
    baros = all(one.baro_pa is not None for one in points)
    first = points[0]
    t0, b0 = (first.temp_c if temps else 0.0) or 0.0, (first.baro_pa if baros else STANDARD_PA) or STANDARD_PA
    found = []
    for one in points:
        baro = one.baro_pa if baros and one.baro_pa is not None else b0
        scale = (t0 + ZERO_C_K) / (one.temp_c + ZERO_C_K) if temps and one.temp_c is not None else 1.0
        found.append((one.pressure_pa + baro) * scale - b0)
    missing = (
        *(() if temps else ("the pipe's temperature",)),
        *(() if baros else ("the barometer",)),
    )
    return found, missing


def _line(minutes: Sequence[float], values: Sequence[float]) -> tuple[float, float]:
    """Drop along the fitted line over the whole, and its standard error [Pa]."""
    span = minutes[-1] - minutes[0]
    if span <= 0 or len(set(minutes)) < 2:
        return 0.0, 0.0
    fit = statistics.linear_regression(minutes, values)
    if len(minutes) < 4:
        return -fit.slope * span, 0.0
    rest = [value - fit.intercept - fit.slope * minute for minute, value in zip(minutes, values, strict=True)]
    spread = statistics.pvariance(minutes) * len(minutes)
    error = math.sqrt(sum(one * one for one in rest) / (len(minutes) - 2) / spread) * span
    return -fit.slope * span, error


def tightness(
    test: Test,
    volume_l: float,
    points: Sequence[Point],
    gauge: Gauge,
    *,
    medium: str = "air",
    largest_mm: float = 28.0,
    meter: Meter = "none",
    existing: bool = False,
    let_by: Sequence[Point] = (),
    working_pa: float = 0.0,
) -> Tightness:
    """The verdict on a test. points: from the start of the hold, the settling over. Raises Refused for a medium that is
    never used, no readings, or a volume out of range.

    A drop fails when it is more than permitted, temperature and barometer taken out: the fitted line through all
    readings, so that noise does not decide, and more than the last digit alone makes. Scope, gauge, pressure and hold
    that do not fit prove nothing.
    """
    check_medium(medium)
    if len(points) < 2:
        raise Refused("readings", f"{len(points)}", "two readings or more of the hold", "0 and 2 minutes")
    rule = rule_of(test, volume_l, working_pa)
    points = sorted(points, key=lambda one: one.minute)
    hold = points[-1].minute - points[0].minute
    values, missing = corrected(points)
    drop, error = _line([one.minute for one in points], values)
    raw = points[0].pressure_pa - points[-1].pressure_pa
    found = permitted_pa(test, gauge, existing=existing, meter=meter, largest_mm=largest_mm)
    permitted = gauge.resolution_pa if found is None else found
    baro = points[0].baro_pa or STANDARD_PA
    smallest = smallest_leak_l_h(volume_l, seen_pa(permitted, gauge), hold, baro)
    nothing = _unfit(rule, points, gauge, volume_l, hold, largest_mm, meter, medium, permitted, no_figure=found is None)
    if rule.temperatures and "the pipe's temperature" in missing:
        per = per_kelvin_pa(points[0].pressure_pa, 20.0)
        nothing.append(f"the pipe's temperature was not read: a kelvin makes {_said(per)} at this pressure")
    why: list[str] = []
    moved = max(values) - min(values)
    flip = moved <= gauge.resolution_pa * (1 + 1e-9)
    leaks = drop - (error if len(points) > 3 else 0.0) > permitted * (1 + 1e-6) and not flip
    if let_by:
        let = _let_by(let_by, gauge)
        if let:
            why.append(let)
    if leaks:
        why.append(f"it lost {_said(drop)}, {_said(permitted)} may be")
    outcome: Outcome = "proves nothing" if nothing else "fail" if why else "pass"
    why = [*nothing, *why]
    if outcome == "pass":
        why.append(f"no more than {_said(permitted)} lost in {hold:.0f} minutes")
    if missing:
        why.append(f"not corrected for {' and '.join(missing)}")
    if test == "british" and leaks and "the pipe's temperature" in missing:
        why.append("let the temperature settle and repeat it before it counts as failed")
    steps = (
        Step(
            "corrected = (p + baro) x T0 / T - baro0", (("hold_min", hold), ("raw_drop_pa", raw)), drop, "Pa", "gas law"
        ),
        Step("permitted", (("resolution_pa", gauge.resolution_pa),), permitted, "Pa", rule.source),
        Step(
            "q = V dp / (p_atm t), dp = permitted + one step of the gauge",
            (("volume_l", volume_l), ("dp_pa", seen_pa(permitted, gauge)), ("hold_min", hold)),
            smallest,
            "L/h",
            "gas law",
        ),
    )
    return Tightness(outcome, drop, permitted, smallest, tuple(why), steps)


def _unfit(
    rule: TightnessRule,
    points: Sequence[Point],
    gauge: Gauge,
    volume_l: float,
    hold: float,
    largest_mm: float,
    meter: Meter,
    medium: str,
    permitted: float,
    *,
    no_figure: bool,
) -> list[str]:
    """Why a test proves nothing, whatever it read."""
    said: list[str] = []
    first = points[0].pressure_pa
    slack = max(gauge.resolution_pa, 0.01 * rule.low_pa)
    if rule.test == "british":
        if largest_mm > LARGEST_MM or volume_l > LARGEST_L:
            said.append("pipe above 35 mm or 0.035 m3: another procedure")
        if no_figure:
            said.append("no drop is permitted here by figure: appliances isolated, and tested as new pipe")
    if gauge.range_pa and gauge.range_pa > RANGE_TIMES * max(first, rule.low_pa) * (1 + 1e-9):
        said.append(f"the gauge goes to {_said(gauge.range_pa)}: at most 5 times the test pressure")
    fine = PERCEPTIBLE_PA[gauge.kind] if rule.test == "british" else 0.02 * rule.low_pa
    if gauge.resolution_pa > fine * (1 + 1e-9):
        said.append(f"the gauge shows steps of {_said(gauge.resolution_pa)}: {_said(fine)} at the most")
    if hold < rule.hold_min - 1e-6:
        said.append(f"held {hold:.3g} minutes, {rule.hold_min:.0f} are needed")
    if first < rule.low_pa - slack:
        said.append(f"began at {_said(first)}, {_said(rule.low_pa)} is the test pressure")
    if first > rule.high_pa * 1.05 + slack:
        said.append(f"began at {_said(first)}, above the {_said(rule.high_pa)} of this test")
    if medium.strip().lower() == "gas" and rule.test != "british":
        said.append("gas itself is no medium for this test: air or an inert gas")
    return said


def _let_by(points: Sequence[Point], gauge: Gauge) -> str:
    """What a let-by check says against the valve; "" where it holds. Any rise fails."""
    ordered = sorted(points, key=lambda one: one.minute)
    rise = max(one.pressure_pa for one in ordered) - ordered[0].pressure_pa
    if len(ordered) < 2 or ordered[-1].minute - ordered[0].minute < LET_BY_MIN - 1e-6:
        return "the let-by check was shorter than a minute"
    if not LET_BY_PA[0] - gauge.resolution_pa <= ordered[0].pressure_pa <= LET_BY_PA[1] + gauge.resolution_pa:
        return "the let-by check was not at 7 to 10 mbar"
    return f"let-by: it rose {_said(rise)}: the valve at the boundary does not shut" if rise > 1e-9 else ""


def _said(pressure_pa: float) -> str:
    """A pressure as gas gauges read it."""
    if abs(pressure_pa) >= 10_000:
        return f"{pressure_pa / PSI_PA:.2f} psi ({pressure_pa / 1e5:.3f} bar)"
    return f"{pressure_pa / MBAR_PA:.2f} mbar"


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


def planned(
    test: Test,
    volume_l: float,
    gauge: Gauge,
    hours: float | None = None,
    temp_swing_k: float = 0.0,
    working_pa: float = 0.0,
) -> Planned:
    """What a test sees before anybody pumps. hours: how long it is meant to stand, the practice's hold where it is
    None; temp_swing_k: how far the pipe's temperature may move unread. Raises Refused."""
    rule = rule_of(test, volume_l, working_pa)
    stands = rule.hold_min if hours is None else hours * 60
    if not 0 < stands <= 7 * 24 * 60:
        raise Refused("hours", hours, "above 0 and up to 168 hours", "12")
    if not 0 <= temp_swing_k <= 60:
        raise Refused("temp_swing_k", temp_swing_k, "0 to 60 K", "5")
    permitted = permitted_pa(test, gauge) or gauge.resolution_pa
    drop = seen_pa(permitted, gauge)
    smallest = smallest_leak_l_h(volume_l, drop, stands)
    hides = per_kelvin_pa(rule.low_pa, 20.0) * temp_swing_k
    hidden = smallest_leak_l_h(volume_l, drop + hides, stands) if temp_swing_k else smallest
    steps = (
        Step(
            "q = V dp / (p_atm t), dp = permitted + one step of the gauge",
            (("volume_l", volume_l), ("dp_pa", drop), ("minutes", stands)),
            smallest,
            "L/h",
            "gas law",
        ),
        Step(
            "a swing of the temperature hides (p + p_atm) / T x swing",
            (("p_pa", rule.low_pa), ("swing_k", temp_swing_k)),
            hides,
            "Pa",
            "gas law",
        ),
    )
    return Planned(smallest, hidden, max(stands, rule.hold_min), rule.settle_min, rule.low_pa, steps)


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
