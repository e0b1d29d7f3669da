"""What a pipe gives off, bare or lagged."""

from __future__ import annotations

import math

BARE_W_M2_K, LAGGED_W_M2_K, LAG_W_M_K = (
    12.4,
    9.0,
    0.035,
)  # typ: bare 15 mm at 60 K gives 35 W/m, with 13 mm of lagging 11


def pipe_loss_w_m_k(od_mm: float, lag_mm: float = 0.0, difference_k: float = 60.0) -> float:
    """Heat a metre of pipe gives off for each kelvin [W/(m K)]: bare by convection and radiation, lagged by conduction
    too (typ)."""
    if lag_mm <= 0:
        film = BARE_W_M2_K * math.pow(max(difference_k, 1.0) / 60, 0.25)
        return math.pi * od_mm / 1000 * film
    outer = od_mm + 2 * lag_mm
    return 1 / (1 / (math.pi * outer / 1000 * LAGGED_W_M2_K) + math.log(outer / od_mm) / (2 * math.pi * LAG_W_M_K))
