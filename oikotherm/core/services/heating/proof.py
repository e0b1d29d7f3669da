"""Heating fill-and-leak: from readings to a verdict. pass, fail, or proves nothing."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import TYPE_CHECKING, Any, Literal

from ...errors import Refused
from ...matter import fluid
from ...quantity import parse
from ...work.steps import TestKind
from ...working import Step
from .stations import SPEC

if TYPE_CHECKING:
    from ...design import Design

SETTLE_MIN = 10.0
HOLD_MIN = 30.0
COARSEST_BAR = 0.05
MOST_DRIFT_K = 3.0
LEAST_TEST_BAR = 1.5

Outcome = Literal["pass", "fail", "proves nothing"]


@dataclass(frozen=True, slots=True)
class Reading:
    """Pressure [bar] and temperature of the water [C] at a time."""

    at: datetime
    pressure_bar: float
    temp_c: float | None


@dataclass(frozen=True, slots=True)
class Rig:
    """What the test is about. volume_l: water under test; gas_l: gas that gives at the test pressure (vessel, or what air
    is left); resolution_bar of the gauge; test_bar: the pressure to hold; joints, dry: how many there are, how many seen dry."""

    test_bar: float
    resolution_bar: float
    volume_l: float
    gas_l: float
    joints: int
    dry: int
    mass_fraction: float = 0.0


@dataclass(frozen=True, slots=True)
class Verdict:
    """drop_bar: corrected for temperature; reasons: why not a pass, in words; steps: the working."""

    outcome: Outcome
    drop_bar: float
    hold_min: float
    reasons: tuple[str, ...]
    steps: tuple[Step, ...]


def test_pressure_bar(hot_final_bar: float, safety_valve_bar: float, valve_isolated: bool = False) -> float:
    """Pressure to raise to [bar]: max(1.3 x hot final pressure, 1.5), at most 0.9 x the safety valve unless it is isolated (typ)."""
    wanted = max(1.3 * hot_final_bar, LEAST_TEST_BAR)
    return wanted if valve_isolated else min(wanted, 0.9 * safety_valve_bar)


def read_readings(text: str) -> tuple[Reading, ...]:
    """Readings from CSV or lines "time, pressure, temperature"; a header is skipped. Raises Refused with the line.

    Times ISO 8601; a pressure without unit is bar; the temperature [C] may be left out.
    """
    example = "2026-03-01T10:00, 1.85 bar, 18.5"
    found: list[Reading] = []
    for number, row in enumerate(
        csv.reader(io.StringIO(text), delimiter=";" if ";" in text and "," not in text else ","), 1
    ):
        cells = [cell.strip() for cell in row]
        if not any(cells) or number == 1 and not any(sign.isdigit() for sign in cells[0]):
            continue
        if len(cells) not in (2, 3):
            raise Refused(f"line {number}", ", ".join(cells), "time, pressure, temperature", example)
        found.append(reading(cells[0], cells[1], cells[2] if len(cells) == 3 else "", f"line {number}"))
        if len(found) > 20_000:
            raise Refused("readings", "more than 20000", "at most 20000 readings", example)
    return tuple(sorted(found, key=lambda one: one.at))


def reading(at: str, pressure: Any, temp_c: Any = "", field: str = "reading") -> Reading:
    """One reading from what was typed. Raises Refused."""
    try:
        when = datetime.fromisoformat(at.replace("Z", "+00:00")).replace(tzinfo=None)
    except ValueError:
        raise Refused(field, at, "a time", "2026-03-01T10:00") from None
    bar = parse(pressure, "pressure", "bar", field=field) / 1e5
    temp = None if temp_c in ("", None) else parse(temp_c, "temperature", "C", field=field)
    if not -1 <= bar <= 100:
        raise Refused(field, pressure, "a pressure from -1 to 100 bar", "1.85 bar")
    if temp is not None and not 0 <= temp <= 120:
        raise Refused(field, temp_c, "the water's temperature from 0 to 120 C", "18.5")
    return Reading(when, bar, temp)


def judge(readings: Sequence[Reading], rig: Rig) -> Verdict:
    """The verdict on a fill-and-leak test.

    Passes when, over a hold of at least 30 minutes after 10 of settling, the temperature-corrected drop lies within the gauge's
    resolution and every joint is marked dry. Proves nothing when the gauge is coarser than 0.05 bar, the hold is short, the test
    pressure was not there, temperatures are missing or moved more than 3 K. The corrected drop is a straight line fitted through
    all readings of the hold, so that noise does not decide. Source: typ, editable practice.
    """
    if len(readings) < 2:
        return Verdict("proves nothing", 0.0, 0.0, ("fewer than two readings",), ())
    start = readings[0].at
    minutes = [(one.at - start).total_seconds() / 60 for one in readings]
    held = [(minute, one) for minute, one in zip(minutes, readings, strict=True) if minute >= SETTLE_MIN - 1e-9] or [
        (minutes[0], readings[0])
    ]
    hold_min = held[-1][0] - held[0][0]
    nothing: list[str] = []
    if rig.resolution_bar > COARSEST_BAR + 1e-9:
        nothing.append(f"the gauge shows {rig.resolution_bar:g} bar, too coarse: {COARSEST_BAR:g} at the most")
    if hold_min < HOLD_MIN - 1e-6:
        nothing.append(f"held {hold_min:.0f} minutes after settling, {HOLD_MIN:.0f} are needed")
    temps = [one.temp_c for _, one in held]
    drift = 0.0
    if any(temp is None for temp in temps):
        nothing.append("temperatures are missing")
    else:
        known = [temp for temp in temps if temp is not None]
        drift = max(known) - min(known)
        if drift > MOST_DRIFT_K:
            nothing.append(f"the water's temperature moved {drift:.1f} K, {MOST_DRIFT_K:g} at the most")
    if held[0][1].pressure_bar < rig.test_bar - max(rig.resolution_bar, 0.02):
        nothing.append(f"began at {held[0][1].pressure_bar:.2f} bar, the test pressure is {rig.test_bar:.2f}")
    rate = _bar_per_k(held[0][1], rig)
    first_temp = next((temp for temp in temps if temp is not None), 0.0)
    corrected = [
        (minute, one.pressure_bar - rate * ((one.temp_c if one.temp_c is not None else first_temp) - first_temp))
        for minute, one in held
    ]
    drop = -_slope(corrected) * hold_min
    allowed = rig.resolution_bar
    steps = (
        Step(
            "correction = volume x expansion per K x (p + 1) / gas",
            (("volume_l", rig.volume_l), ("gas_l", rig.gas_l)),
            rate,
            "bar/K",
            "std gas law",
        ),
        Step("drift of the water over the hold", (("first_c", first_temp),), drift, "K", "read"),
        Step(
            "drop = fitted line through the corrected readings, start to end",
            (("readings", float(len(held))), ("hold_min", hold_min)),
            drop,
            "bar",
        ),
        Step("allowed = the gauge's resolution", (("resolution_bar", rig.resolution_bar),), allowed, "bar", "typ"),
    )
    leaks = drop > allowed + 1e-9
    wet = rig.joints - rig.dry
    reasons = list(nothing)
    if leaks:
        reasons.append(
            f"it lost {drop:.3f} bar more than temperature explains, {allowed:.3f} is what the gauge can tell"
        )
    if wet > 0:
        reasons.append(f"{wet} of {rig.joints} joints {'is' if wet == 1 else 'are'} not marked dry")
    outcome: Outcome = "proves nothing" if nothing else "fail" if leaks or wet > 0 else "pass"
    return Verdict(outcome, drop, hold_min, tuple(reasons), steps)


def _bar_per_k(first: Reading, rig: Rig) -> float:
    """How much the pressure rises for each kelvin [bar/K]: the water's growth squeezes the gas (isothermal)."""
    temp = first.temp_c if first.temp_c is not None else 15.0
    low, high = max(temp - 0.5, 0.0), max(temp - 0.5, 0.0) + 1.0
    cold, warm = fluid(low, rig.mass_fraction), fluid(high, rig.mass_fraction)
    growth = rig.volume_l * (cold.density_kg_m3 / warm.density_kg_m3 - 1)
    return growth * (first.pressure_bar + 1) / max(rig.gas_l, 0.05)


def _slope(points: Iterable[tuple[float, float]]) -> float:
    """Least-squares slope [per minute]."""
    data = list(points)
    n = len(data)
    mean_x, mean_y = sum(x for x, _ in data) / n, sum(y for _, y in data) / n
    below = math.fsum((x - mean_x) ** 2 for x, _ in data)
    return math.fsum((x - mean_x) * (y - mean_y) for x, y in data) / below if below else 0.0


def _has_circuit(design: Design) -> bool:
    return any(run.service == SPEC.id and run.state == "new" for run in design.job.runs)


FILL_AND_LEAK = TestKind(
    "fill-and-leak", SPEC.id, "Heating: fill and leak", "water", _has_circuit,
    (
        "Fill to the cold pressure; every joint marked made.", "Raise to the test pressure, at most 0.9 of the safety valve's unless it is isolated.",
        f"Leave it {SETTLE_MIN:.0f} minutes to settle, then hold it {HOLD_MIN:.0f} with readings of pressure and water temperature.", "Every joint wiped dry and looked at.",
    ),
    "Water under pressure: stand clear of open ends and caps, and never test with a valve that was not meant for it.",
)  # fmt: skip
TESTS = (FILL_AND_LEAK,)
