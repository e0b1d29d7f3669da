"""The one judge of tests by pressure: from readings and instruments to pass, fail, or proves nothing.

A test holds a pressure on a section of one service; what it loses beyond what temperature and barometer explain
decides. Pages, Bench, devices and the stand-ins all ask `judge`; `prevents` says before anybody pumps what no reading
could mend. All pressures are gauge and in Pa, temperatures of the pipe in C.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from ..matter import fluid
from ..quantity import convert
from ..working import Step
from .readings import Reading

Outcome = Literal["pass", "fail", "proves nothing"]
GaugeKind = Literal["water", "electronic", "mechanical"]
GAUGE_KINDS: tuple[GaugeKind, ...] = ("water", "electronic", "mechanical")
STANDARD_PA, ZERO_C_K = 101_325.0, 273.15
PERCEPTIBLE_PA = {"water": 25.0, "electronic": 20.0, "mechanical": 20.0}  # British: not perceptible up to here
RANGE_TIMES = 5.0  # the range of a mechanical gauge at most so many times the test pressure
LONG_MIN, UNREAD_BARO_PA = 360.0, 1000.0  # a hold that long asks temperature and barometer; what one unread may move
WATER_PA_K = 2.5e5  # pipe full of water: up to so much a kelvin
ROUNDED = 0.05  # of a step: what figures are rounded to as they are entered and typed
OVER = 1.05  # typ: pumped a little over is no other test
LOGGED_K = 0.1  # step of a thermometer that nobody said
LOGGED_BARO_PA = 10.0


@dataclass(frozen=True, slots=True)
class TestRule:
    """What one section is tested with. target_pa: the pressure to hold; raise_pa: raised to before, where that is more;
    least_pa, most_pa: what the hold may begin at, 0 for the target and for any; unit: what the trade reads it in;
    settle_min, hold_min; coarsest_pa: the most a gauge may show at once, water_pa of a water gauge where that is
    another, fine: (up to this pressure, that step); most_range_pa: of a mechanical gauge, 0 for any; volume_l of the
    section; permitted_pa: what may be lost, None for no more than one step of the gauge, or where `perceptible` for
    what cannot be seen on it; phase; corrected: a gas by p / T, a liquid by the gas that gives (gas_l, with
    mass_fraction of glycol), else it is judged as read, settled; temperatures: proves nothing without them;
    most_drift_k: how far they may move, 0 any way; may_rise: plastic that draws in again; let_by: a let-by reading is
    part of it; gas_too: the gas itself is a medium; unfit: why this procedure can give no verdict here."""

    target_pa: float
    raise_pa: float = 0.0
    least_pa: float = 0.0
    most_pa: float = 0.0
    unit: str = "bar"
    settle_min: float = 10.0
    hold_min: float = 30.0
    coarsest_pa: float = 5_000.0
    water_pa: float = 0.0
    fine: tuple[float, float] = (0.0, 0.0)
    most_range_pa: float = 0.0
    volume_l: float = 0.0
    permitted_pa: float | None = None
    perceptible: bool = False
    phase: Literal["liquid", "gas"] = "liquid"
    corrected: bool = False
    gas_l: float = 0.0
    mass_fraction: float = 0.0
    temperatures: bool = True
    most_drift_k: float = 0.5
    may_rise: bool = False
    let_by: bool = False
    gas_too: bool = False
    unfit: tuple[str, ...] = ()
    source: str = ""


@dataclass(frozen=True, slots=True)
class Gauge:
    """What reads it. resolution_pa: its last digit or smallest step; range_pa: where it ends, 0 not known; due_on: the
    day its calibration is out (ISO), "" where it has none or it is not known."""

    resolution_pa: float
    range_pa: float = 0.0
    kind: GaugeKind = "mechanical"
    due_on: str = ""


@dataclass(frozen=True, slots=True)
class Evidence:
    """What was seen. readings: settling and hold, in any order; temp_step_k: of the thermometer by its entry, None for
    the coarsest digit typed; let_by: (minute, pressure); no_supply: that none is connected; joints, dry: how many have
    to be seen dry, and how many were."""

    readings: Sequence[Reading]
    gauge: Gauge
    temp_step_k: float | None = None
    let_by: Sequence[tuple[float, float]] = ()
    no_supply: bool = False
    medium: str = ""
    joints: int = 0
    dry: int = 0


@dataclass(frozen=True, slots=True)
class Verdict:
    """drop_pa: lost over the hold, corrected; permitted_pa: what may be; least_drop_pa: the least that fails; sight_pa:
    the least that gauge, thermometer and time were sure to tell; reasons: why it is no pass, in words; remarks: what is
    said of it all the same; finished: held to its end; stale: what is said of a gauge out of date; steps: the
    working."""

    outcome: Outcome
    drop_pa: float
    hold_min: float
    reasons: tuple[str, ...]
    steps: tuple[Step, ...] = ()
    permitted_pa: float = 0.0
    least_drop_pa: float = 0.0
    sight_pa: float = 0.0
    remarks: tuple[str, ...] = ()
    finished: bool = False
    stale: str = ""


def nothing_of(reason: str) -> Verdict:
    """The verdict on what cannot be judged at all."""
    return Verdict("proves nothing", 0.0, 0.0, (reason,))


# --- before anybody pumps ---------------------------------------------------------------------------------------------


def permitted_pa(rule: TestRule, gauge: Gauge) -> float:
    """What may be lost [Pa]: a figure of the procedure, what cannot be seen on the gauge, else one step of it."""
    if rule.permitted_pa is not None:
        return rule.permitted_pa
    return PERCEPTIBLE_PA[gauge.kind] if rule.perceptible else gauge.resolution_pa


def least_drop_pa(rule: TestRule, gauge: Gauge) -> float:
    """The least drop that fails [Pa]: what may be, and one step of the gauge more, which its last digit may hide."""
    return permitted_pa(rule, gauge) + gauge.resolution_pa


def per_kelvin_pa(pressure_pa: float, temp_c: float, baro_pa: float = STANDARD_PA) -> float:
    """How much the gas in a closed pipe changes a kelvin [Pa/K]: p absolute / T."""
    return (pressure_pa + baro_pa) / (temp_c + ZERO_C_K)


def gauge_unfit(rule: TestRule, gauge: Gauge, pressure_pa: float = 0.0) -> list[str]:
    """Why no pass is possible on a gauge; pressure_pa: the test begins at, where that is above its target."""
    found = []
    coarsest_pa = rule.water_pa if gauge.kind == "water" and rule.water_pa else rule.coarsest_pa
    if pressure_pa and pressure_pa <= rule.fine[0]:
        coarsest_pa = min(coarsest_pa, rule.fine[1])
    if gauge.resolution_pa > coarsest_pa * 1.006:  # 0.1 psi is entered as 0.0069 bar
        found.append(
            f"the gauge shows steps of {said(gauge.resolution_pa, rule.unit)}: {said(coarsest_pa, rule.unit)} at the "
            "most, it is too coarse"
        )
    most_pa = rule.most_range_pa * max(1.0, pressure_pa / rule.target_pa if rule.target_pa else 1.0)
    if rule.most_range_pa and gauge.kind == "mechanical" and gauge.range_pa > most_pa * 1.006:
        found.append(f"the gauge goes to {said(gauge.range_pa, rule.unit)}: {said(most_pa, rule.unit)} at the most")
    wanted_pa = max(rule.target_pa, rule.raise_pa)
    if gauge.range_pa and gauge.range_pa < wanted_pa * 0.994:
        found.append(
            f"the gauge ends at {said(gauge.range_pa, rule.unit)}, the test is at {said(wanted_pa, rule.unit)}"
        )
    return found


def most_temp_step_k(rule: TestRule, gauge: Gauge) -> float | None:
    """The coarsest step of a thermometer with which a pass is possible [K]; None where any does."""
    if not rule.temperatures or rule.phase != "gas" or not rule.corrected:
        return None
    return least_drop_pa(rule, gauge) / 4 / per_kelvin_pa(rule.target_pa, 20.0)


def thermometer_unfit(rule: TestRule, gauge: Gauge, temp_step_k: float) -> list[str]:
    """Why no pass is possible with a thermometer, where the temperature has to be read and the gas is corrected by
    it."""
    most_k = most_temp_step_k(rule, gauge)
    if most_k is None or temp_step_k <= most_k:
        return []
    unsure_pa = 2 * temp_step_k * per_kelvin_pa(rule.target_pa, 20.0)
    return [_too_unsure(rule, unsure_pa, least_drop_pa(rule, gauge), f"{temp_step_k:.2g} K at each end")]


def prevents(rule: TestRule, gauge: Gauge, temp_step_k: float = LOGGED_K) -> tuple[str, ...]:
    """What prevents a pass whatever is read: the procedure itself, the gauge, the thermometer."""
    return (*rule.unfit, *gauge_unfit(rule, gauge), *thermometer_unfit(rule, gauge, temp_step_k))


def _too_unsure(rule: TestRule, unsure_pa: float, least_pa: float, of: str) -> str:
    return (
        f"the correction is sure to {said(unsure_pa, rule.unit)} only ({of}), more than half of the "
        f"{said(least_pa, rule.unit)} that have to be seen: let it settle, a finer instrument, a longer hold"
    )


# --- the judge --------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Held:
    """Pressures over the hold: drop along the fitted line and its error, drop from the first to the last readings and
    what their scatter allows, how far they lie apart [Pa]."""

    line_pa: float
    error_pa: float
    ends_pa: float
    scatter_pa: float
    moved_pa: float

    def loses(self, permitted_pa: float, step_pa: float) -> bool:
        """Whether it lost more than may be: the last digit alone makes no leak."""
        limit = permitted_pa + ROUNDED * step_pa
        most = max(self.line_pa - self.error_pa, self.ends_pa - self.scatter_pa)
        return most > limit and self.moved_pa > step_pa * (1 + ROUNDED)

    def may_lose(self, permitted_pa: float, step_pa: float) -> bool:
        """Whether the fitted line lost more than may be, however sure it is."""
        return self.line_pa > permitted_pa + ROUNDED * step_pa and self.moved_pa > step_pa * (1 + ROUNDED)

    def rises(self, step_pa: float) -> bool:
        """Whether it rose by more than a step."""
        most = max(-self.line_pa - self.error_pa, -self.ends_pa - self.scatter_pa)
        return most > step_pa * (1 + ROUNDED)


def _noise_pa2(values: Sequence[float]) -> float:
    """What jumps to and fro between readings come to [Pa2]: noise goes up as often as down, what only falls is none."""
    jumps = [after - before for before, after in zip(values, values[1:], strict=False)]
    up = math.fsum(one * one for one in jumps if one > 0)
    down = math.fsum(one * one for one in jumps if one < 0)
    return 2 * min(up, down) / len(jumps)


def _held(minutes: Sequence[float], values: Sequence[float]) -> _Held:
    count = len(values)
    span = minutes[-1] - minutes[0]
    moved = max(values) - min(values)
    near = count // 12 + 1
    ends = statistics.fmean(values[:near]) - statistics.fmean(values[-near:])
    if span <= 0 or len(set(minutes)) < 2:
        return _Held(0.0, 0.0, ends, 0.0, moved)
    fit = statistics.linear_regression(minutes, values)
    scatter = 3 * math.sqrt(_noise_pa2(values) / near)
    if count < 5:  # too few for the error of a line
        return _Held(-fit.slope * span, 0.0, ends, scatter, moved)
    rest = [value - fit.intercept - fit.slope * minute for minute, value in zip(minutes, values, strict=True)]
    spread = statistics.pvariance(minutes) * count
    error = math.sqrt(math.fsum(one * one for one in rest) / (count - 2) / spread) * span
    return _Held(-fit.slope * span, error, ends, scatter, moved)


def judge(rule: TestRule, seen: Evidence) -> Verdict:
    """The verdict on a test.

    Passes when over the hold, after the settling, no more than permitted is lost, and gauge, thermometer and time could
    have seen the least drop that fails. A drop beyond doubt fails whatever else is amiss, a rise in the let-by check
    too. Everything else proves nothing and says why: a gauge that does not fit, a short hold, a wrong pressure, a
    reading off the scale, a rise, temperatures that are needed or moved, a correction that decides and is not sure
    enough. Where noise is read, a fitted line decides and not the last digit. Sources: typ of the practices; gas law.
    """
    readings = sorted(seen.readings, key=lambda one: one.at)
    if len(readings) < 2:
        return nothing_of("fewer than two readings")
    start = readings[0].at
    timed = [((one.at - start).total_seconds() / 60, one) for one in readings]
    held = [(minute, one) for minute, one in timed if minute >= rule.settle_min - 1e-9]
    if len(held) < 2:
        return nothing_of(f"not read for {rule.settle_min:.0f} minutes of settling and the hold")
    return _Case(rule, seen, held).verdict()


class _Case:
    """A test with its hold, as the judge looks at it."""

    def __init__(self, rule: TestRule, seen: Evidence, held: list[tuple[float, Reading]]) -> None:
        self.rule, self.seen, self.gauge = rule, seen, seen.gauge
        self.minutes = [minute for minute, _ in held]
        self.hold = [one for _, one in held]
        self.hold_min = self.minutes[-1] - self.minutes[0]
        self.step_pa = seen.gauge.resolution_pa
        self.permitted_pa = permitted_pa(rule, seen.gauge)
        self.least_pa = least_drop_pa(rule, seen.gauge)
        self.first = self.hold[0]
        temps = [one.temp_c for one in self.hold if one.temp_c is not None]
        self.temps = temps if len(temps) == len(self.hold) else []
        self.some_temps = bool(temps)
        self.baro = all(one.baro_pa is not None for one in self.hold)
        self.drift_k = max(temps) - min(temps) if temps else 0.0
        steps = [one.temp_step_k for one in self.hold if one.temp_step_k is not None]
        self.temp_step_k = seen.temp_step_k if seen.temp_step_k is not None else max(steps, default=LOGGED_K)
        self.rate = self._rate()
        self.raw = _held(self.minutes, [one.pressure_pa for one in self.hold])
        self.corrected = _held(self.minutes, self._corrected())

    def _rate(self) -> float:
        """How much the pressure changes a kelvin [Pa/K]: gas by p / T; of a liquid its growth squeezes the gas that
        gives (isothermal)."""
        rule, temp = self.rule, self.first.temp_c if self.first.temp_c is not None else 15.0
        if rule.phase == "liquid":
            low = max(temp - 0.5, 0.0)
            cold, warm = fluid(low, rule.mass_fraction), fluid(low + 1.0, rule.mass_fraction)
            growth = rule.volume_l * (cold.density_kg_m3 / warm.density_kg_m3 - 1)
            return growth * (self.first.pressure_pa + 1e5) / max(rule.gas_l, 0.05)
        return per_kelvin_pa(self.first.pressure_pa, temp, self.first.baro_pa or STANDARD_PA)

    def _corrected(self) -> list[float]:
        """The pressures as they would be at the temperature and barometer of the first reading."""
        if self.rule.phase == "liquid":
            first = self.temps[0] if self.temps else 0.0
            rate = self.rate if self.rule.corrected and self.temps else 0.0
            return [one.pressure_pa - rate * ((one.temp_c or 0.0) - first) for one in self.hold]
        b0 = (self.first.baro_pa if self.baro else None) or STANDARD_PA
        t0 = (self.temps[0] if self.temps else 20.0) + ZERO_C_K
        found = []
        for one in self.hold:
            baro = one.baro_pa if self.baro and one.baro_pa is not None else b0
            scale = t0 / (one.temp_c + ZERO_C_K) if self.temps and one.temp_c is not None else 1.0
            found.append((one.pressure_pa + baro) * scale - b0)
        return found

    @property
    def counted(self) -> _Held:
        """The pressures that decide: corrected, or as read where a test is judged settled."""
        return self.corrected if self.rule.corrected else self.raw

    @property
    def unsure_pa(self) -> float:
        """What the correction is sure to [Pa]: a step of the thermometer at each end, of the barometer too; one that
        nobody read over a long hold."""
        by_temp = 2 * self.temp_step_k * self.rate if self.temps else 0.0
        if self.rule.phase == "liquid":
            return by_temp
        if self.baro:
            steps = [one.baro_step_pa for one in self.hold if one.baro_step_pa is not None]
            return by_temp + 2 * max(steps, default=LOGGED_BARO_PA)
        return by_temp + (UNREAD_BARO_PA if self.hold_min >= LONG_MIN else 0.0)

    def verdict(self) -> Verdict:
        rule, seen = self.rule, self.seen
        off_scale = self._off_scale()
        nothing = [*rule.unfit, *off_scale, *self._conditions(), *self._temperature()]
        loses = self.counted.loses(self.permitted_pa, self.step_pa)
        if loses and nothing and (off_scale or not self._beyond_doubt()):
            loses = False
        elif self.counted.may_lose(self.permitted_pa, self.step_pa) and not loses:
            nothing.append(
                f"it lost about {said(self.counted.line_pa, rule.unit)}, {said(self.permitted_pa, rule.unit)} may be: "
                "the readings scatter too much to tell"
            )
        if not loses and not rule.may_rise and self.counted.rises(self.step_pa):
            nothing.append(self._rise())
        if seen.dry < seen.joints:
            wet = seen.joints - seen.dry
            nothing.append(f"{wet} of {seen.joints} joints {'is' if wet == 1 else 'are'} not marked dry")
        why = []
        if loses:
            why.append(
                f"it lost {said(max(self.counted.line_pa, self.counted.ends_pa), rule.unit)}"
                f"{' more than temperature explains' if rule.corrected else ''}, "
                f"{said(self.permitted_pa, rule.unit)} may be"
            )
        let_by, amiss = self._let_by()
        nothing += amiss
        why += let_by
        outcome: Outcome = "fail" if why else "proves nothing" if nothing else "pass"
        remarks = self._remarks(outcome)
        stale = self._stale()
        return Verdict(
            outcome,
            self.counted.line_pa,
            self.hold_min,
            (*why, *nothing),
            self._steps(),
            self.permitted_pa,
            self.least_pa,
            self.least_pa + (self.unsure_pa if rule.corrected else 0.0),
            tuple(remarks),
            self.hold_min >= rule.hold_min - 1e-6,
            stale,
        )

    def _off_scale(self) -> list[str]:
        range_pa, unit = self.gauge.range_pa, self.rule.unit
        if not range_pa:
            return []
        half = self.step_pa / 2 + 1e-6
        off = [one.pressure_pa for one in self.seen.readings if not -half <= one.pressure_pa <= range_pa * 1.006 + half]
        off += [pa for _, pa in self.seen.let_by if not -half <= pa <= range_pa * 1.006 + half]
        return [f"a reading of {said(off[0], unit)}: this gauge ends at {said(range_pa, unit)}"] if off else []

    def _conditions(self) -> list[str]:
        """Gauge, hold, pressure and medium."""
        rule, unit = self.rule, self.rule.unit
        first = self.first.pressure_pa
        found = gauge_unfit(rule, self.gauge, first)
        if self.hold_min < rule.hold_min - 1e-6:
            found.append(f"held {self.hold_min:.3g} minutes after settling, {rule.hold_min:.0f} are needed")
        slack = self.step_pa / 2 + 1e-6 * rule.target_pa
        least_pa = rule.least_pa or rule.target_pa
        if first < least_pa - slack:
            found.append(f"began at {said(first, unit)}, {said(least_pa, unit)} is the test pressure")
        if rule.most_pa and first > rule.most_pa * OVER + slack:
            found.append(f"began at {said(first, unit)}, above the {said(rule.most_pa, unit)} of this test")
        if self.seen.medium.strip().lower() == "gas" and not rule.gas_too:
            found.append("gas itself is no medium for this test: air or an inert gas")
        return found

    def _temperature(self) -> list[str]:
        """What the temperature, read or not, takes from the test."""
        rule, unit = self.rule, self.rule.unit
        long = self.hold_min >= LONG_MIN and self.rule.phase == "gas"
        needed = rule.temperatures or (long and rule.corrected)
        if needed and not self.temps:
            if self.rule.phase == "liquid":
                return ["temperatures are missing"]
            return [f"the pipe's temperature was not read: a kelvin makes {said(self.rate, unit)} at this pressure"]
        if not rule.corrected:
            return self._unsettled()
        if rule.most_drift_k and self.drift_k > rule.most_drift_k + 1e-9:
            return [f"the temperature moved {self.drift_k:.1f} K, {rule.most_drift_k:g} at the most"]
        decides = self._category(self.raw) != self._category(self.corrected)
        if (decides or (needed and self.rule.phase == "gas")) and self.unsure_pa > self.least_pa / 2 + 1e-9:
            of = f"{self.temp_step_k:.2g} K at each end" if self.temps else ""
            if self.hold_min >= LONG_MIN and not self.baro and self.rule.phase == "gas":
                of += f"{' and ' if of else ''}the barometer not read"
            return [_too_unsure(rule, self.unsure_pa, self.least_pa, of)]
        return []

    def _unsettled(self) -> list[str]:
        """A test that is judged as it is read: the temperature may not move meanwhile."""
        if not self.some_temps:
            return []
        if self.rule.phase == "liquid":
            most = self.rule.most_drift_k
            if most and self.drift_k > most + 1e-9:
                return [
                    f"the water moved {self.drift_k:.1f} K, {most:g} at the most: pipe full of water makes 1.5 to "
                    "2.5 bar a kelvin; let it settle, shade it, repeat"
                ]
            return []
        moved_pa = self.drift_k * self.rate
        if moved_pa <= self.least_pa / 2 + 1e-9:
            return []
        makes = f"that makes {said(moved_pa, self.rule.unit)}: let it settle and repeat it"
        return [f"the pipe moved {self.drift_k:.2g} K, {makes}"]

    def _category(self, one: _Held) -> str:
        if one.loses(self.permitted_pa, self.step_pa):
            return "loss"
        return "rise" if one.rises(self.step_pa) and not self.rule.may_rise else "level"

    def _beyond_doubt(self) -> bool:
        """Whether it lost more than any temperature that may have been, or the gauge, explains."""
        if self.rule.unfit and self.rule.permitted_pa is None and not self.rule.perceptible:
            return False
        if self.rule.temperatures and not self.temps:
            return False
        unsure = self.unsure_pa
        if self.rule.phase == "liquid" and not self.rule.corrected:
            unsure = WATER_PA_K * (self.drift_k + self.temp_step_k) if self.drift_k > self.rule.most_drift_k else 0.0
        doubt = self.permitted_pa + unsure
        return self.raw.loses(doubt, self.step_pa) and self.corrected.loses(doubt, self.step_pa)

    def _rise(self) -> str:
        """What to look for where it rose, or stood level while it should have fallen."""
        rose = max(-self.counted.line_pa, -self.counted.ends_pa)
        unit = self.rule.unit
        if self.rule.corrected and not self.raw.rises(self.step_pa) and self.temps:
            fell = self.temps[0] - self.temps[-1]
            return (
                f"the pipe grew {fell:.1f} K colder and it should have fallen by {said(rose, unit)} more: a supply "
                "still connected, a valve that lets by, a misreading, or a thermometer off the pipe"
            )
        warmed = "" if self.temps else ", or pipe that warmed unseen"
        return f"it rose {said(rose, unit)}: a supply still connected, a valve that lets by, a misreading{warmed}"

    def _let_by(self) -> tuple[list[str], list[str]]:
        """What the let-by check says against the valve at the boundary, and what is amiss with the check. Any rise
        fails."""
        let_by, unit = sorted(self.seen.let_by), self.rule.unit
        if not let_by and not self.rule.let_by:
            return [], []
        if not let_by:
            asked = "no let-by reading: the valve that holds back the gas is checked first, or no supply is connected"
            return [], [] if self.seen.no_supply else [asked]
        rise = max(pa for _, pa in let_by) - let_by[0][1]
        if rise > 1e-6:
            return [f"let-by: it rose {said(rise, unit)}: the valve at the boundary does not shut"], []
        amiss: list[str] = []
        if not self.rule.let_by:
            return [], amiss
        if len(let_by) < 2 or let_by[-1][0] - let_by[0][0] < LET_BY_MIN - 1e-6:
            amiss.append("the let-by check was shorter than a minute")
        low, high = LET_BY_PA
        if not low - self.step_pa / 2 - 1e-6 <= let_by[0][1] <= high + self.step_pa / 2 + 1e-6:
            amiss.append("the let-by check was not at 7 to 10 mbar")
        return [], amiss

    def _remarks(self, outcome: Outcome) -> list[str]:
        rule, seen = self.rule, self.seen
        found = []
        if outcome == "pass":
            found.append(f"no more than {said(self.permitted_pa, rule.unit)} lost in {self.hold_min:.0f} minutes")
        if rule.phase == "gas" and rule.corrected:
            missing = [*(() if self.temps else ("the pipe's temperature",)), *(() if self.baro else ("the barometer",))]
            found += [f"not corrected for {' and '.join(missing)}"] if missing else []
        if rule.let_by and seen.no_supply and not seen.let_by:
            found.append("no supply connected")
        if outcome == "fail" and seen.medium.strip().lower() == "gas":
            found.append("gas is escaping or let by: made safe and reported before any retest")
        elif outcome == "fail" and rule.perceptible and not self.some_temps:
            found.append("let the temperature settle and repeat it before it counts as failed")
        return found

    def _stale(self) -> str:
        due = self.gauge.due_on if self.gauge.kind != "water" else ""
        day = max(one.at for one in self.seen.readings).date().isoformat()
        return f"read on a gauge out of date since {due}" if due and due < day else ""

    def _steps(self) -> tuple[Step, ...]:
        rule, found = self.rule, []
        first_c = self.temps[0] if self.temps else 0.0
        if rule.corrected and rule.phase == "liquid":
            inputs: tuple[tuple[str, float], ...] = (("volume_l", rule.volume_l), ("gas_l", rule.gas_l))
            found.append(
                Step("correction = volume x expansion per K x (p + 1) / gas", inputs, self.rate, "Pa/K", "gas law")
            )
        elif rule.corrected:
            inputs = (("p_pa", self.first.pressure_pa), ("first_c", first_c))
            found.append(Step("correction = (p + atmosphere) / T", inputs, self.rate, "Pa/K", "std gas law"))
        if self.temps:
            found.append(
                Step("drift of the temperature over the hold", (("first_c", first_c),), self.drift_k, "K", "read")
            )
        line: tuple[tuple[str, float], ...] = (("readings", float(len(self.hold))), ("hold_min", self.hold_min))
        words = "corrected readings" if rule.corrected else "readings"
        found.append(Step(f"drop = fitted line through the {words}, start to end", line, self.counted.line_pa, "Pa"))
        found.append(Step("permitted", (("step_pa", self.step_pa),), self.permitted_pa, "Pa", rule.source or "typ"))
        found.append(Step("least that fails = permitted + one step of the gauge", (), self.least_pa, "Pa"))
        if self.rule.phase == "gas" and rule.volume_l > 0 and self.hold_min > 0:
            leak = smallest_leak_l_h(rule.volume_l, self.least_pa, self.hold_min, self.first.baro_pa or STANDARD_PA)
            volume = (("volume_l", rule.volume_l), ("dp_pa", self.least_pa), ("hold_min", self.hold_min))
            found.append(Step("smallest leak seen: q = V dp / (p_atm t)", volume, leak, "L/h", "gas law"))
        return tuple(found)


LET_BY_PA, LET_BY_MIN = (700.0, 1000.0), 1.0


def smallest_leak_l_h(volume_l: float, drop_pa: float, hold_min: float, baro_pa: float = STANDARD_PA) -> float:
    """The leak of free air that makes a drop in a volume over a hold [L/h]: q = V dp / (p_atm t); without end where
    nothing was held."""
    return volume_l * drop_pa / baro_pa / (hold_min / 60) if hold_min > 0 else math.inf


def said(pressure_pa: float, unit: str) -> str:
    """A pressure or a drop as its gauge reads it: 0.25 mbar, 0.10 psi, 0.004 bar."""
    value, _ = convert(f"{pressure_pa:.6g} Pa", unit)
    digits = {"bar": 3, "Pa": 0, "kPa": 2}.get(unit, 2)
    return f"{value:.{digits}f} {unit}"
