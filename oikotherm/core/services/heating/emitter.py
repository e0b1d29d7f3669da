"""What a radiator gives at other temperatures than those it was rated at."""

from __future__ import annotations

import math
from typing import Literal

from ...errors import Refused
from ...working import Step, Worked

Mean = Literal["arithmetic", "log", "auto"]
LOG_BELOW = 0.7  # auto: the log mean when the return is this near to the room
RATED_AT_K = 50.0
RATED_LOG_K = 10 / math.log(55 / 45)  # log mean at 75/65/20: 49.83 K


def mean_difference_k(flow_c: float, return_c: float, room_c: float, mean: Mean = "log") -> tuple[float, str]:
    """Mean temperature difference to the room [K] and the mean that was used. Raises Refused.

    flow_c >= return_c > room_c [C]. auto takes the log mean when (return - room) / (flow - room) is below 0.7.
    """
    if not flow_c >= return_c:
        raise Refused("return_c", return_c, f"a return not above the flow of {flow_c:g} C", f"{flow_c - 10:g}")
    if not return_c > room_c:
        raise Refused("return_c", return_c, f"a return above the room's {room_c:g} C", f"{room_c + 30:g}")
    high, low = flow_c - room_c, return_c - room_c
    if mean == "auto":
        mean = "log" if low / high < LOG_BELOW else "arithmetic"
    if mean == "arithmetic" or high == low:
        return (high + low) / 2, mean
    return (high - low) / math.log(high / low), mean


def output(
    nominal_w: float,
    exponent: float,
    flow_c: float,
    return_c: float,
    room_c: float,
    mean: Mean = "log",
    rated_at_k: float = RATED_AT_K,
) -> tuple[Worked, float, float]:
    """(output [W] with its working, factor, mean difference [K]): Q = Qn (dT / rated)^n.

    nominal_w: output at rated_at_k; exponent n: 1.30 panel, 1.25 column, 1.2 to 1.33 towel rails. A network that uses
    the log mean throughout rates an emitter at its own log mean of 75/65/20: rated_at_k x RATED_LOG_K / 50. Raises
    Refused.
    """
    difference, used = mean_difference_k(flow_c, return_c, room_c, mean)
    rated = rated_at_k
    factor = (difference / rated) ** exponent
    formula = (
        "dT = (flow - return) / ln((flow - room) / (return - room))"
        if used == "log"
        else "dT = (flow + return) / 2 - room"
    )
    temps = (("flow_c", flow_c), ("return_c", return_c), ("room_c", room_c))
    steps = (
        Step(formula, temps, difference, "K", "std EN 442"),
        Step(
            "factor = (dT / dT_rated)^n",
            (("dT_k", difference), ("dT_rated_k", rated), ("n", exponent)),
            factor,
            "",
            "std EN 442",
        ),
        Step(
            "output = nominal x factor",
            (("nominal_w", nominal_w), ("factor", factor)),
            nominal_w * factor,
            "W",
            "label",
        ),
    )
    return Worked(nominal_w * factor, "W", steps), factor, difference


def flow_for(heat_w: float, delta_k: float, heat_j_kg_k: float) -> float:
    """Mass flow [kg/s] that carries a heat [W] at a temperature drop [K]: m = Q / (cp dT)."""
    return heat_w / (heat_j_kg_k * delta_k)


def emitter_return_c(
    flow_c: float, room_c: float, capacity_w_k: float, nominal_w: float, exponent: float, rated_k: float = RATED_LOG_K
) -> float:
    """Return temperature [C] of an emitter at a flow: m cp (tf - tr) = Qn (log mean / rated)^n, by the method
    of Brent, to 1e-9 K.

    capacity_w_k: m cp of its flow [W/K]; an emitter no warmer than its room gives nothing.
    """
    if flow_c <= room_c or capacity_w_k <= 0 or nominal_w <= 0:
        return flow_c
    from scipy.optimize import brentq  # not before a circuit is run

    top = flow_c - room_c

    def surplus(x: float) -> float:
        """What the water gives less what the emitter gives, at a return x above the room."""
        mean = (top - x) / math.log(top / x) if top - x > 1e-9 * top else top
        given = nominal_w * math.pow(mean / rated_k, exponent)
        return capacity_w_k * (top - x) - given

    low, high = 1e-9 * top, top * (1 - 1e-12)
    if surplus(low) <= 0:  # it would give more than the water brings: the water leaves at the room's temperature
        return room_c + low
    return room_c + float(brentq(surplus, low, high, xtol=1e-9))
