"""Draining, filling, dosing; what a falling gauge tells; which of two pipes is the flow. Pure sums on what was traced
or logged."""

from __future__ import annotations

import math
import random
from collections.abc import Sequence
from dataclasses import dataclass

from ...errors import Refused
from ...matter import fluid
from ...working import Step

AIR_BAR = 1.013
DOSE_SHARE = 1 / 100  # typ: 1 L to 100 to 120 L
LEAK_BAR_DAY, RISE_BAR_DAY = 0.02, 0.02  # typ: what a house loses or gains in a day beyond chance
FLAT_TIMES = 2.2  # swing with heat beyond what the vessel explains
BLEED_BAR, OVER_BAR = 1.5, 0.3  # typ: what one fills to while bleeding, and what stays over the height
AFTER_PUMP = (1, 2)  # top-ups after the pump has run, where the loop was open while bleeding (typ)
USUAL_VESSEL_L, USUAL_PRECHARGE_BAR = 8.0, 0.7


@dataclass(frozen=True, slots=True)
class Storey:
    """Water of one level: name, height above the lowest point [m], litres, whether emitters there are bled."""

    name: str
    height_m: float
    litres: float


@dataclass(frozen=True, slots=True)
class WaterPlan:
    """Draining and filling a circuit. out_l runs out; stays_l has to be caught; top_ups: fewest and most; steps in
    words."""

    out_l: float
    stays_l: float
    fill_l: float
    top_ups: tuple[int, int]
    drain: tuple[str, ...]
    fill: tuple[str, ...]
    working: tuple[Step, ...]


def top_up_l(vessel_l: float, precharge_bar: float, above_m: float) -> tuple[float, tuple[Step, ...]]:
    """What one top-up gives [L] with the loop shut between: what the vessel lets out from the pressure filled to, down
    to where bleeding stops. above_m: the highest emitter over the gauge. Raises Refused.

    Vn ((p0 + 1) / (p_lo + 1) - (p0 + 1) / (p_hi + 1)), nothing below p0; p_lo = height / 10 + 0.3, p_hi the larger of
    1.5 and p_lo + 0.3 (Boyle, absolute).
    """
    if not 0 < vessel_l <= 1e4 or not 0 <= precharge_bar <= 10 or not 0 <= above_m <= 100:
        said = f"{vessel_l} L, {precharge_bar} bar, {above_m} m"
        raise Refused("vessel", said, "a vessel with its pre-charge and the height over the gauge", "8 L, 0.7 bar, 4 m")
    low = above_m / 10 + OVER_BAR
    high = max(BLEED_BAR, low + OVER_BAR)

    def gas_l(bar: float) -> float:
        return vessel_l * (precharge_bar + 1) / (max(bar, precharge_bar) + 1)

    litres = gas_l(low) - gas_l(high)
    steps = (
        Step("bleeding stops at height / 10 + 0.3", (("height_m", above_m),), low, "bar", "typ"),
        Step("filled to the larger of 1.5 and 0.3 more", (), high, "bar", "typ"),
        Step(
            "a top-up = what the vessel lets out between the two",
            (("vessel_l", vessel_l), ("precharge_bar", precharge_bar)),
            litres,
            "L",
            "Boyle",
        ),
    )
    return litres, steps


def top_ups_for(litres: float, one_l: float) -> tuple[int, int]:
    """How many top-ups replace so many litres while the rest stays full: fewest and most."""
    times = litres / one_l if one_l > 0 else 99.0
    return max(1, math.floor(times)), max(1, math.ceil(times - 1e-9))


def water_plan(
    storeys: Sequence[Storey],
    drain_height_m: float,
    trapped_l: float,
    fill_bar: float,
    emptied_l: float | None = None,
    vessel_l: float = USUAL_VESSEL_L,
    precharge_bar: float = USUAL_PRECHARGE_BAR,
) -> WaterPlan:
    """Orders and litres of draining and filling: drain from the top, bleed from the bottom.

    drain_height_m: of the drain cock; water below it stays, with what traps hold. fill_bar: cold pressure at the boiler
    [bar gauge]. emptied_l: of one emitter, where the rest stays full; then its top-ups are counted by what the vessel
    lets out. A whole house is not filled by counted top-ups: the loop stays open a crack while one bleeds. Raises
    Refused.
    """
    if not storeys or any(one.litres < 0 for one in storeys):
        raise Refused(
            "storeys",
            len(storeys),
            "at least one level with its litres",
            '[{"name": "Ground floor", "height_m": 0, "litres": 60}]',
        )
    if not 0.5 < fill_bar <= 6:
        raise Refused("fill_bar", fill_bar, "a cold pressure above 0.5 and up to 6 bar", "1.2 bar")
    if trapped_l < 0:
        raise Refused("trapped_l", trapped_l, "litres of 0 or more", "3")
    order = sorted(storeys, key=lambda one: -one.height_m)
    total = sum(one.litres for one in storeys)
    below = sum(one.litres for one in storeys if one.height_m < drain_height_m - 1e-6)
    stays = min(total, below + trapped_l)
    if emptied_l is not None:
        return _one_emptied(storeys, emptied_l, fill_bar, vessel_l, precharge_bar)
    drain = (
        "Boiler off and cold, its electricity isolated and proven dead.",
        "Filling loop shut and its hose off.",
        "Hose on the lowest drain cock to a lower, safe outfall; open it.",
        *(f"Open the bleed screws: {one.name}, {one.litres:.0f} L; air enters behind the water." for one in order),
        f"{total - stays:.0f} L run out; {stays:.1f} L stay below the drain or in dips: a tub under the first cut "
        "there.",
        "Leave a way back: do not open what cannot be shut again.",
    )
    fill = (
        "All bleed screws and drain cocks shut, valves and lockshields open.",
        f"Open the loop to {fill_bar:.1f} bar and leave it open a crack, a helper at the gauge.",
        *(f"Bleed: {one.name}." for one in reversed(order)),
        f"{total:.0f} L go in, in one long fill; then shut the loop.",
        f"Pump on, cold: bleed again from the bottom up; {said_top_ups(AFTER_PUMP)}.",
        "Heat to full, check every joint hot; cool, set the cold pressure again; take the hose off.",
    )
    working = (
        Step(
            "out = all - below the drain - trapped",
            (("all_l", total), ("below_l", below), ("trapped_l", trapped_l)),
            total - stays,
            "L",
        ),
    )
    return WaterPlan(total - stays, stays, total, AFTER_PUMP, drain, fill, working)


def said_top_ups(count: tuple[int, int]) -> str:
    """A range of top-ups in words."""
    low, high = count
    return "one top-up" if high == 1 else f"{low} to {high} top-ups" if low != high else f"{low} top-ups"


def _one_emptied(
    storeys: Sequence[Storey], emptied_l: float, fill_bar: float, vessel_l: float, precharge_bar: float
) -> WaterPlan:
    """One emitter emptied while the rest stays full."""
    total = sum(one.litres for one in storeys)
    if not 0 < emptied_l <= max(total, 0.0):
        raise Refused("emptied_l", emptied_l, f"litres above 0 and up to the {total:g} L there are", "5")
    heights = [one.height_m for one in storeys]
    one_l, steps = top_up_l(vessel_l, precharge_bar, max(heights) - min(heights))
    count = top_ups_for(emptied_l, one_l)
    drain = (
        "Boiler off and cold, its electricity isolated and proven dead.",
        "Both valves of the emitter shut, a cap ready for each; the rest stays full.",
        f"Tub under its lower union; open it, then its bleed screw: {emptied_l:.1f} L run out.",
    )
    fill = (
        "Its bleed screw shut, both valves open.",
        f"Open the loop to {fill_bar:.1f} bar; bleed it; top up between: {said_top_ups(count)}.",
        "Pump on, cold: bleed it again; set the cold pressure; take the hose off.",
    )
    times = Step(
        "top-ups = emptied / a top-up", (("emptied_l", emptied_l), ("one_l", one_l)), emptied_l / max(one_l, 1e-9), ""
    )
    return WaterPlan(emptied_l, 0.0, emptied_l, count, drain, fill, (*steps, times))


@dataclass(frozen=True, slots=True)
class Dose:
    """What goes into the water: inhibitor [L], bottles of 1 L; glycol [L] for a share by mass."""

    inhibitor_l: float
    bottles: int
    glycol_l: float
    working: tuple[Step, ...]


def dose(volume_l: float, mass_fraction: float = 0.0, share: float = DOSE_SHARE) -> Dose:
    """Inhibitor by the volume (typ 1 L to 100 L) and propylene glycol by mass. Raises Refused out of 0 to 5000 L, or 0
    to 0.6."""
    if not 0 < volume_l <= 5000:
        raise Refused("volume_l", volume_l, "above 0 and up to 5000 L", "110")
    if not 0 <= mass_fraction <= 0.6:
        raise Refused("mass_fraction", mass_fraction, "0 to 0.6 by mass", "0.3")
    inhibitor = volume_l * share
    mixture, water = fluid(20.0, mass_fraction), fluid(20.0)
    glycol_kg = volume_l / 1000 * mixture.density_kg_m3 * mass_fraction
    glycol = glycol_kg / 1036.0 * 1000
    steps = [
        Step(
            "inhibitor = volume x share",
            (("volume_l", volume_l), ("share", share)),
            inhibitor,
            "L",
            "typ: the bottle decides",
        )
    ]
    if mass_fraction:
        steps.append(
            Step(
                "glycol = volume x rho x share / 1.036",
                (("rho_kg_m3", mixture.density_kg_m3), ("share", mass_fraction), ("water_kg_m3", water.density_kg_m3)),
                glycol,
                "L",
                mixture.source,
            )
        )
    return Dose(inhibitor, math.ceil(inhibitor - 1e-9), glycol, tuple(steps))


# --- a gauge that moves
# ------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class DayReading:
    """One reading of the gauge: days since the first, pressure [bar], water temperature [C]."""

    day: float
    bar: float
    temp_c: float


@dataclass(frozen=True, slots=True)
class Story:
    """What the readings tell. verdict: normal, leak, flat vessel, passing filling valve, or too little to tell."""

    verdict: str
    drift_bar_day: float
    swing_bar_k: float
    expected_bar_k: float
    says: str
    look_at: tuple[str, ...]
    working: tuple[Step, ...]


def expected_swing_bar_k(
    volume_l: float, vessel_l: float, precharge_bar: float, cold_bar: float, cold_c: float, hot_c: float
) -> float:
    """How much the gauge rises for each kelvin with a sound vessel [bar/K], between two temperatures: the gas obeys
    Boyle."""
    if not (vessel_l > 0 and volume_l > 0 and cold_c < hot_c):
        raise Refused("vessel_l", vessel_l, "a vessel and volume above 0, and readings cold and hot", "12")
    grows = volume_l * (fluid(cold_c).density_kg_m3 / fluid(hot_c).density_kg_m3 - 1)
    gas = vessel_l * (precharge_bar + AIR_BAR) / (max(cold_bar, precharge_bar) + AIR_BAR)
    left = gas - grows
    if left <= 0.02 * vessel_l:
        return math.inf
    return ((max(cold_bar, precharge_bar) + AIR_BAR) * gas / left - AIR_BAR - max(cold_bar, precharge_bar)) / (
        hot_c - cold_c
    )


def gauge_story(
    readings: Sequence[DayReading],
    volume_l: float,
    vessel_l: float,
    precharge_bar: float = 1.0,
    safety_bar: float = 3.0,
) -> Story:
    """Tell leak, flat vessel, passing filling valve and normal apart from cold and hot readings over days.

    Pressure is fitted by least squares to a + b (T - T0) + c t: b, the swing with heat, is held against what the vessel
    explains, c is the drift. A flat vessel swings too far; with it, water lost at the safety valve is its doing. Raises
    Refused.
    """
    if len(readings) < 4:
        raise Refused("readings", len(readings), "at least four readings, cold and hot, over two days or more", "")
    span = max(r.day for r in readings) - min(r.day for r in readings)
    low, high = min(r.temp_c for r in readings), max(r.temp_c for r in readings)
    if span < 1 or high - low < 15:
        says = (
            f"{span:.1f} days and {high - low:.0f} K tell too little: read it cold in the morning and hot in the "
            "evening, for two days or more."
        )
        return Story("too little to tell", 0.0, 0.0, 0.0, says, (), ())
    import numpy as np

    rows = np.array([[1.0, r.temp_c - low, r.day - readings[0].day] for r in readings])
    (start, swing, drift), *_ = np.linalg.lstsq(rows, np.array([r.bar for r in readings]), rcond=None)
    expected = expected_swing_bar_k(volume_l, vessel_l, precharge_bar, float(start), low, high)
    near_valve = max(r.bar for r in readings) > safety_bar - 0.35
    steps = (
        Step(
            "pressure = a + b (T - Tcold) + c day, least squares",
            (("readings", float(len(readings))),),
            float(start),
            "bar",
        ),
        Step("swing b", (), float(swing), "bar/K"),
        Step(
            "swing the vessel explains",
            (("volume_l", volume_l), ("vessel_l", vessel_l), ("precharge_bar", precharge_bar)),
            expected,
            "bar/K",
            "Boyle",
        ),
        Step("drift c", (), float(drift), "bar/day"),
    )
    if swing > FLAT_TIMES * expected or (near_valve and swing > 1.4 * expected):
        says = (
            f"The gauge swings {swing * (high - low):.2f} bar with the heat where the vessel explains "
            f"{expected * (high - low):.2f}: it is flat or shut off"
            + ("; the safety valve lifts, and that is where the water goes." if near_valve else ".")
        )
        return Story(
            "flat vessel",
            float(drift),
            float(swing),
            expected,
            says,
            (
                "vessel pre-charge, water side open and empty",
                "valve between circuit and vessel",
                "safety valve: it may not seat again",
            ),
            steps,
        )
    if drift < -LEAK_BAR_DAY:
        return Story(
            "leak",
            float(drift),
            float(swing),
            expected,
            f"Cold pressure falls {-drift:.2f} bar a day, and the vessel takes the heat as it should: water leaves.",
            (
                "joints made last",
                "radiator valves and tails",
                "safety valve discharge",
                "under floors: lift where it smells",
            ),
            steps,
        )
    if drift > RISE_BAR_DAY:
        return Story(
            "passing filling valve",
            float(drift),
            float(swing),
            expected,
            f"Cold pressure rises {drift:.2f} bar a day: water comes in.",
            ("filling loop: both valves shut, hose off", "plate or coil that passes from the mains"),
            steps,
        )
    return Story(
        "normal",
        float(drift),
        float(swing),
        expected,
        "The gauge moves with the heat as the vessel explains, and comes back.",
        (),
        steps,
    )


# --- which pipe is the flow
# ---------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class FlowVerdict:
    """Which of two pipes is the flow: "a", "b" or "" (not told). lead_s: how much sooner it warmed; confidence 0 to
    1."""

    flow: str
    lead_s: float
    confidence: float
    says: str


def flow_finder(times_s: Sequence[float], a_c: Sequence[float], b_c: Sequence[float]) -> FlowVerdict:
    """Decide from two logged temperatures, taken together while the system warms up, which pipe is the flow.

    The flow warms first and stays the warmer. Both signs are weighed against the noise of the readings. Raises Refused.
    """
    if not len(times_s) == len(a_c) == len(b_c) or len(times_s) < 6:
        raise Refused(
            "readings",
            f"{len(times_s)}, {len(a_c)}, {len(b_c)}",
            "at least six readings of both pipes, taken together",
            "",
        )
    if any(t1 <= t0 for t0, t1 in zip(times_s, times_s[1:], strict=False)):
        raise Refused("times_s", "out of order", "times that rise", "0, 30, 60")
    count = len(times_s)
    noise = max(0.05, sum(_rough(series) for series in (a_c, b_c)) / 2)
    rise = max(max(a_c) - min(a_c), max(b_c) - min(b_c))
    if rise < 5 * noise or rise < 3.0:
        return FlowVerdict(
            "",
            0.0,
            0.0,
            f"Nothing warmed by more than {rise:.1f} K: heat the system from cold, valve open, and read again.",
        )
    cross = [_crossing(times_s, series, min(series[:3]) + 0.3 * rise) for series in (a_c, b_c)]
    lead = (
        (cross[1] - cross[0])
        if all(math.isfinite(one) for one in cross)
        else math.copysign(times_s[-1] - times_s[0], cross[1] - cross[0])
        if any(map(math.isfinite, cross))
        else 0.0
    )
    mean = sum(p - q for p, q in zip(a_c, b_c, strict=True)) / count
    error = noise * math.sqrt(2 / count)
    warmer = math.tanh(mean / max(3 * error, 0.3))
    step = (times_s[-1] - times_s[0]) / (count - 1)
    sooner = math.tanh(lead / (2 * step))
    weight = 0.5 * warmer + 0.5 * sooner
    if abs(weight) < 0.25 or warmer * sooner < -0.2:
        return FlowVerdict(
            "",
            lead,
            abs(weight),
            "The two warm too much alike, or their signs differ: open the valve fully, or read nearer the radiator.",
        )
    flow = "a" if weight > 0 else "b"
    return FlowVerdict(
        flow,
        abs(lead),
        abs(weight),
        f"Pipe {flow} is the flow: it warmed {abs(lead):.0f} s sooner and lay {abs(mean):.1f} K above the other.",
    )


def _rough(series: Sequence[float]) -> float:
    """Noise of a series [K]: from how far each reading lies off the line between its neighbours."""
    off = [series[n] - (series[n - 1] + series[n + 1]) / 2 for n in range(1, len(series) - 1)]
    return math.sqrt(sum(one * one for one in off) / len(off) / 1.5)


def _crossing(times_s: Sequence[float], series: Sequence[float], level: float) -> float:
    for t0, t1, y0, y1 in zip(times_s, times_s[1:], series, series[1:], strict=False):
        if y0 < level <= y1:
            return t0 + (t1 - t0) * (level - y0) / (y1 - y0)
    return times_s[0] if series[0] >= level else math.inf


def clamp_thermometers(
    arrival_s: float,
    return_arrival_s: float,
    flow_c: float,
    return_c: float,
    start_c: float = 18.0,
    every_s: float = 15.0,
    count: int = 80,
    crossed: bool = False,
    noise_k: float = 0.3,
    seed: int = 1,
) -> tuple[list[float], list[float], list[float]]:
    """Simulated pair of clamp thermometers on two pipes of an emitter that warms up: (times, a, b). crossed: a sits on
    the return.

    Each pipe warms when the water that left the boiler arrives, spread over its way; pipe and clamp follow with half a
    minute.
    """
    rng = random.Random(seed)
    times = [n * every_s for n in range(count)]

    def warms(t: float, arrives: float, end_c: float) -> float:
        late = t - arrives
        return (
            start_c
            + (end_c - start_c) * (1 - math.exp(-max(late, 0.0) / (30 + 0.25 * arrives)))
            + rng.gauss(0, noise_k)
        )

    flow = [warms(t, arrival_s, flow_c) for t in times]
    back = [warms(t, return_arrival_s, return_c) for t in times]
    return (times, back, flow) if crossed else (times, flow, back)
