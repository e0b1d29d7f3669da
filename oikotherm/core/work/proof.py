"""Proving by pressure: from readings to a verdict. pass, fail, or proves nothing.

A test holds a pressure on a section of one service; what the pressure loses beyond what temperature explains decides.
"""

from __future__ import annotations

import statistics
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from ..errors import Refused
from ..matter import fluid
from ..quantity import parse
from ..reading import read_csv
from ..working import Step

ATMOSPHERE_BAR = 1.01325
ZERO_C_K = 273.15

Outcome = Literal["pass", "fail", "proves nothing"]


@dataclass(frozen=True, slots=True)
class Reading:
    """Pressure [bar] and temperature of what is in the pipe [C] at a time; baro_pa: of the air, where it was read."""

    at: datetime
    pressure_bar: float
    temp_c: float | None
    baro_pa: float | None = None


@dataclass(frozen=True, slots=True)
class Rig:
    """What the test is about. volume_l: of the section; gas_l: gas that gives at the test pressure of a liquid (vessel,
    or what air is left); resolution_bar of the gauge; test_bar: the pressure to hold; joints, dry: how many have to be
    seen dry, and how many were; mass_fraction: of glycol; phase: liquid or gas; settle_min, hold_min; coarsest_bar: the
    most a gauge may show at once; temperatures: whether it proves nothing without them; most_drift_k: how far they may
    move (0: any way, where all is corrected); range_bar of the gauge, most_range_bar it may have: 0 where it is not
    known, or may be any."""

    test_bar: float
    resolution_bar: float
    volume_l: float
    gas_l: float
    joints: int
    dry: int
    mass_fraction: float = 0.0
    phase: str = "liquid"
    settle_min: float = 10.0
    hold_min: float = 30.0
    coarsest_bar: float = 0.05
    temperatures: bool = True
    most_drift_k: float = 3.0
    range_bar: float = 0.0
    most_range_bar: float = 0.0


@dataclass(frozen=True, slots=True)
class Verdict:
    """drop_bar: corrected for temperature; reasons: why not a pass, in words; steps: the working."""

    outcome: Outcome
    drop_bar: float
    hold_min: float
    reasons: tuple[str, ...]
    steps: tuple[Step, ...]


def read_readings(text: str, unit: str = "bar") -> tuple[Reading, ...]:
    """Readings from CSV or lines "time, pressure, temperature, barometer"; a header is skipped. Raises Refused with the
    line.

    Times ISO 8601; a pressure without unit is in `unit`; the temperature [C] may be left out, and the barometer [mbar].
    """
    example = "2026-03-01T10:00, 1.85 bar, 18.5"
    found: list[Reading] = []
    delimiter = ";" if ";" in text and "," not in text else ","
    for number, row in enumerate(read_csv(text, "readings", example, delimiter), 1):
        cells = [cell.strip() for cell in row]
        if not any(cells) or number == 1 and not any(sign.isdigit() for sign in cells[0]):
            continue
        if len(cells) not in (2, 3, 4):
            raise Refused(f"line {number}", ", ".join(cells), "time, pressure, temperature, barometer", example)
        temp, baro = [*cells[2:], "", ""][:2]
        found.append(reading(cells[0], cells[1], temp, f"line {number}", unit, baro))
        if len(found) > 20_000:
            raise Refused("readings", "more than 20000", "at most 20000 readings", example)
    return tuple(sorted(found, key=lambda one: one.at))


def reading(
    at: str, pressure: Any, temp_c: Any = "", field: str = "reading", unit: str = "bar", baro: Any = ""
) -> Reading:
    """One reading from what was typed; a pressure without unit is in `unit`, a barometer in mbar. Raises Refused."""
    try:
        when = datetime.fromisoformat(at.replace("Z", "+00:00")).replace(tzinfo=None)
    except ValueError:
        raise Refused(field, at, "a time", "2026-03-01T10:00") from None
    bar = parse(pressure, "pressure", unit, field=field) / 1e5
    temp = None if temp_c in ("", None) else parse(temp_c, "temperature", "C", field=field)
    if not -1 <= bar <= 100:
        raise Refused(field, pressure, "a pressure from -1 to 100 bar", "1.85 bar")
    if temp is not None and not 0 <= temp <= 120:
        raise Refused(field, temp_c, "the water's temperature from 0 to 120 C", "18.5")
    baro_pa = None if baro in ("", None) else parse(baro, "pressure", "mbar", field=field)
    if baro_pa is not None and not 3e4 <= baro_pa <= 1.2e5:
        raise Refused(field, baro, "the barometer from 300 to 1200 mbar", "1013")
    return Reading(when, bar, temp, baro_pa)


def judge(readings: Sequence[Reading], rig: Rig) -> Verdict:
    """The verdict on a test.

    Passes when, over the hold that follows the settling, the temperature-corrected drop lies within the gauge's
    resolution and every joint that has to be is marked dry. Proves nothing when the gauge is too coarse, the hold is
    short, the test pressure was not there, or temperatures that are needed are missing or moved too far. A liquid is
    corrected by its growth against the gas that gives, a gas by p/T at constant volume, both absolute. The corrected
    drop is a straight line fitted through all readings of the hold, so that noise does not decide; readings that all
    lie within the resolution of each other are no leak. Source: typ, editable practice.
    """
    if len(readings) < 2:
        return Verdict("proves nothing", 0.0, 0.0, ("fewer than two readings",), ())
    start = readings[0].at
    minutes = [(one.at - start).total_seconds() / 60 for one in readings]
    held = [
        (minute, one) for minute, one in zip(minutes, readings, strict=True) if minute >= rig.settle_min - 1e-9
    ] or [(minutes[0], readings[0])]
    hold_min = held[-1][0] - held[0][0]
    nothing: list[str] = []
    if rig.resolution_bar > rig.coarsest_bar + 1e-9:
        nothing.append(f"the gauge shows {rig.resolution_bar:g} bar, too coarse: {rig.coarsest_bar:g} at the most")
    if rig.most_range_bar and rig.range_bar > rig.most_range_bar + 1e-9:
        nothing.append(
            f"the gauge goes to {_bar(rig.range_bar)}, for this pressure {_bar(rig.most_range_bar)} is the most"
        )
    if hold_min < rig.hold_min - 1e-6:
        nothing.append(f"held {hold_min:.0f} minutes after settling, {rig.hold_min:.0f} are needed")
    temps = [one.temp_c for _, one in held]
    drift = 0.0
    if any(temp is None for temp in temps):
        if rig.temperatures:
            nothing.append("temperatures are missing")
    else:
        known = [temp for temp in temps if temp is not None]
        drift = max(known) - min(known)
        if rig.most_drift_k and drift > rig.most_drift_k:
            nothing.append(f"the temperature moved {drift:.1f} K, {rig.most_drift_k:g} at the most")
    if held[0][1].pressure_bar < rig.test_bar - max(rig.resolution_bar, min(0.02, 0.05 * rig.test_bar)):
        nothing.append(f"began at {_bar(held[0][1].pressure_bar)}, the test pressure is {_bar(rig.test_bar)}")
    rate = _bar_per_k(held[0][1], rig)
    first_temp = next((temp for temp in temps if temp is not None), 0.0)
    corrected = [
        (minute, one.pressure_bar - rate * ((one.temp_c if one.temp_c is not None else first_temp) - first_temp))
        for minute, one in held
    ]
    drop = -_slope(corrected) * hold_min
    allowed = rig.resolution_bar
    steps = (
        _correction(held[0][1], rig, rate),
        Step("drift of the temperature over the hold", (("first_c", first_temp),), drift, "K", "read"),
        Step(
            "drop = fitted line through the corrected readings, start to end",
            (("readings", float(len(held))), ("hold_min", hold_min)),
            drop,
            "bar",
        ),
        Step("allowed = the gauge's resolution", (("resolution_bar", rig.resolution_bar),), allowed, "bar", "typ"),
    )
    values = [bar for _, bar in corrected]
    moved = max(values) - min(values)  # one flip of the last digit fits a line of one and a half: that is no leak
    leaks = drop > allowed + 1e-9 and moved > allowed + 1e-9
    wet = rig.joints - rig.dry
    reasons = list(nothing)
    if leaks:
        reasons.append(
            f"it lost {_bar(drop)} more than temperature explains, {_bar(allowed)} is what the gauge can tell"
        )
    if wet > 0:
        reasons.append(f"{wet} of {rig.joints} joints {'is' if wet == 1 else 'are'} not marked dry")
    outcome: Outcome = "proves nothing" if nothing else "fail" if leaks or wet > 0 else "pass"
    return Verdict(outcome, drop, hold_min, tuple(reasons), steps)


def _bar_per_k(first: Reading, rig: Rig) -> float:
    """How much the pressure rises for each kelvin [bar/K]: a gas by p/T; of a liquid the growth squeezes the gas
    (isothermal)."""
    temp = first.temp_c if first.temp_c is not None else 15.0
    if rig.phase == "gas":
        return (first.pressure_bar + ATMOSPHERE_BAR) / (temp + ZERO_C_K)
    low, high = max(temp - 0.5, 0.0), max(temp - 0.5, 0.0) + 1.0
    cold, warm = fluid(low, rig.mass_fraction), fluid(high, rig.mass_fraction)
    growth = rig.volume_l * (cold.density_kg_m3 / warm.density_kg_m3 - 1)
    return growth * (first.pressure_bar + 1) / max(rig.gas_l, 0.05)


def _correction(first: Reading, rig: Rig, rate: float) -> Step:
    if rig.phase == "gas":
        inputs = (("p_bar", first.pressure_bar), ("atmosphere_bar", ATMOSPHERE_BAR))
        return Step("correction = (p + atmosphere) / T", inputs, rate, "bar/K", "std gas law")
    inputs = (("volume_l", rig.volume_l), ("gas_l", rig.gas_l))
    return Step("correction = volume x expansion per K x (p + 1) / gas", inputs, rate, "bar/K", "std gas law")


def _bar(pressure_bar: float) -> str:
    """A pressure as one says it: small ones in mbar."""
    return f"{pressure_bar * 1000:.2f} mbar" if abs(pressure_bar) < 0.1 else f"{pressure_bar:.3g} bar"


def _slope(points: Iterable[tuple[float, float]]) -> float:
    """Least-squares slope [per minute]."""
    minutes, bars = zip(*points, strict=True)
    return statistics.linear_regression(minutes, bars).slope if len(set(minutes)) > 1 else 0.0
