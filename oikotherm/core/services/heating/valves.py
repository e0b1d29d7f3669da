"""Lockshield curves and circulators: the parts of a circuit whose figures are curves."""

from __future__ import annotations

import functools
import math
from collections.abc import Sequence
from dataclasses import dataclass

from ...errors import Refused
from ...matter import Fluid
from ...network.solver import PumpCurve
from ...quantity import GRAVITY_M_S2
from ...tables import read_rows


@functools.cache
def lockshield_curve() -> tuple[tuple[float, float], ...]:
    """(turns open, Kv [m3/h]) of the usual lockshield (typ); 0 turns is shut."""
    return (
        (0.0, 0.0),
        *(
            (float(r["turns"]), float(r["kv"]))
            for r in read_rows(__package__, "valve_curves.csv")
            if r["kind"] == "lockshield"
        ),
    )


def kv_of_turns(turns: float) -> float:
    """Kv [m3/h] of a lockshield so many turns open, straight between the points of its curve. Raises Refused below
    0."""
    if turns < 0 or not math.isfinite(turns):
        raise Refused("turns", turns, "0 (shut) to 4 turns open", "1.5")
    points = lockshield_curve()
    for (t0, k0), (t1, k1) in zip(points, points[1:], strict=False):
        if turns <= t1:
            return k0 + (k1 - k0) * (turns - t0) / (t1 - t0)
    return points[-1][1]


def turns_of_kv(kv: float) -> float | None:
    """Turns open that give a Kv; None below what the valve can be set to, the most it has above its curve."""
    points = lockshield_curve()
    if kv < points[1][1] * 0.999:
        return None
    for (t0, k0), (t1, k1) in zip(points[1:], points[2:], strict=False):
        if kv <= k1:
            return t0 + (t1 - t0) * max(0.0, kv - k0) / (k1 - k0)
    return points[-1][0]


def corrected_turns(turns: float, measured_k: float, wanted_k: float) -> float:
    """Turns that bring a measured flow-return difference [K] to what is wanted, from where the lockshield stands.

    The emitter gives nearly the same, so that its flow is as 1 / difference; most of the pressure lies over the
    lockshield, so that the Kv goes with the flow. A quarter turn is the least. Raises Refused out of 0 to 80 K.
    """
    if not 0 < measured_k <= 80:
        raise Refused("measured_k", measured_k, "a difference above 0 and up to 80 K", "14")
    found = turns_of_kv(kv_of_turns(turns) * measured_k / wanted_k)
    return round(found if found is not None else 0.25, 2)


@dataclass(frozen=True, slots=True)
class Circulator:
    """A generic circulator: head at rest [m], flow without head [m3/h], its fixed speeds as shares of full."""

    name: str
    head_m: float
    flow_m3_h: float
    speeds: tuple[float, ...]
    source: str

    def curve(self, fluid: Fluid, mode: str = "fixed", speed: float = 1.0, set_pa: float = 0.0) -> PumpCurve:
        """Its curve in a medium: H = H0 - a Q^2."""
        h0 = self.head_m * fluid.density_kg_m3 * GRAVITY_M_S2
        most = self.flow_m3_h * fluid.density_kg_m3 / 3600
        return PumpCurve(h0, h0 / most**2, mode, speed, set_pa)


@functools.cache
def circulators() -> tuple[Circulator, ...]:
    """The generic circulators, smallest first (typ)."""
    return tuple(
        Circulator(
            r["name"],
            float(r["head_m"]),
            float(r["flow_m3_h"]),
            tuple(float(one) for one in r["speeds"].split()),
            r["source"],
        )
        for r in read_rows(__package__, "pumps.csv")
    )


def curve_of_points(points: Sequence[tuple[float, float]]) -> PumpCurve:
    """H = H0 - a m^2 nearest to points (flow [kg/s], head [Pa]) of a label, by least squares. Raises Refused under two
    flows, for a flow or head below 0 or past all numbers, or for a curve that does not fall."""
    example = "0 45, 0.2 38, 0.4 20"
    if len({flow for flow, _ in points}) < 2:
        raise Refused("pump_curve", len(points), "two points or more: flow and head", example)
    odd = next((one for point in points for one in point if not 0 <= one < 1e9), None)
    if odd is not None:
        raise Refused("pump_curve", odd, "flows and heads of 0 or more, within reason", example)
    squares = [flow * flow for flow, _ in points]
    mean_x, mean_y = sum(squares) / len(points), sum(head for _, head in points) / len(points)
    spread = sum((x - mean_x) ** 2 for x in squares)
    if spread <= 0:
        raise Refused("pump_curve", len(points), "two flows that differ", example)
    slope = sum((x - mean_x) * (head - mean_y) for x, (_, head) in zip(squares, points, strict=True)) / spread
    if slope >= 0:
        raise Refused("pump_curve", points[-1][1], "a head that falls as the flow grows", example)
    return PumpCurve(mean_y - slope * mean_x, -slope)


@dataclass(frozen=True, slots=True)
class PumpChoice:
    """A circulator and the lowest fixed speed that gives the duty; head_pa: what it gives at the flow; power_w:
    estimated."""

    circulator: Circulator
    speed: float
    head_pa: float
    power_w: float


def choose_pump(flow_kg_s: float, head_pa: float, fluid: Fluid) -> PumpChoice | None:
    """The smallest circulator, at its lowest fixed speed, that gives the head at the flow; None when none does.

    Power: rho g Q H / eta with eta 0.35 (typ, 0.25 to 0.45). Raises Refused for a flow or head below 0.
    """
    if flow_kg_s < 0 or head_pa < 0:
        raise Refused("flow", flow_kg_s, "a flow and a head of 0 or more", "0.14")
    for circulator in circulators():
        for speed in circulator.speeds:
            given, _ = circulator.curve(fluid, "fixed", speed).head_pa(flow_kg_s)
            if given >= head_pa:
                return PumpChoice(circulator, speed, given, flow_kg_s / fluid.density_kg_m3 * given / 0.35)
    return None
