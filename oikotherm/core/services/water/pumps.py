"""Pumps on fresh water: the smallest of a duty that serves, its curve against the system's."""

from __future__ import annotations

import functools
import math
from dataclasses import dataclass

from ...errors import Refused
from ...matter import fluid
from ...quantity import GRAVITY_M_S2
from ...tables import read_rows

DUTIES = ("booster", "recirculation", "transfer", "condensate")


@dataclass(frozen=True, slots=True)
class WaterPump:
    """A pump that is made: head at rest [m], flow without head [m3/h]; H = H0 (1 - (Q / Qmax)^2), typ."""

    duty: str
    name: str
    head_m: float
    flow_m3_h: float
    source: str

    def head_pa(self, flow_l_s: float) -> float:
        """What it lifts at a flow [Pa]; 0 past its last."""
        share = flow_l_s * 3.6 / self.flow_m3_h
        return max(1 - share * share, 0.0) * lift_pa(self.head_m)


@functools.cache
def water_pumps() -> tuple[WaterPump, ...]:
    """The pumps that are made, by duty, smallest first (typ)."""
    return tuple(
        WaterPump(row["duty"], row["name"], float(row["head_m"]), float(row["flow_m3_h"]), row["source"])
        for row in read_rows(__package__, "pumps.csv")
    )


def lift_pa(height_m: float) -> float:
    """What it takes to raise cold water so far [Pa]."""
    return fluid(10).density_kg_m3 * GRAVITY_M_S2 * height_m


@dataclass(frozen=True, slots=True)
class PumpDuty:
    """The pump that serves, None where none does. runs_l_s, runs_pa: where its curve meets the system's."""

    duty_pa: float
    pump: WaterPump | None
    runs_l_s: float
    runs_pa: float


def serve(duty: str, flow_l_s: float, static_pa: float, losses_pa: float) -> PumpDuty:
    """The smallest pump of a duty for a flow against a steady head and what the pipe loses at it. static_pa: what
    has to be lifted or made up whatever flows, less what comes in; losses_pa grow with the square of the flow. Raises
    Refused for an unknown duty or figures out of range."""
    if duty not in DUTIES:
        raise Refused("kind", duty, f"one of {', '.join(DUTIES)}", "booster")
    if not 0 < flow_l_s <= 100 or losses_pa < 0 or not -1e7 < static_pa < 1e7 or losses_pa > 1e7:
        raise Refused("flow", f"{flow_l_s:g} L/s", "above 0 and up to 100 L/s, up to 100 bar", "0.5 L/s")
    duty_pa = static_pa + losses_pa
    if duty_pa <= 0:
        return PumpDuty(duty_pa, None, flow_l_s, 0.0)
    found = next((one for one in water_pumps() if one.duty == duty and one.head_pa(flow_l_s) >= duty_pa), None)
    if found is None:
        return PumpDuty(duty_pa, None, 0.0, 0.0)
    # H0 - H0/Qm^2 q^2 = static + losses/q0^2 q^2
    rest_pa = found.head_pa(0.0)
    most_l_s = found.flow_m3_h / 3.6
    steep = rest_pa / most_l_s**2 + losses_pa / flow_l_s**2
    runs = math.sqrt(max(rest_pa - static_pa, 0.0) / steep)
    return PumpDuty(duty_pa, found, runs, found.head_pa(runs))
