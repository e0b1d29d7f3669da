"""The one friction law: laminar below Re 2000, a smooth blend to 4000, Colebrook above; odd in flow, zero at rest."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ..matter import Fluid

LAMINAR_RE = 2000.0
TURBULENT_RE = 4000.0


def colebrook(reynolds: float, relative_roughness: float) -> float:
    """Darcy friction factor [-] of turbulent flow, Colebrook-White to 1e-10 by Newton's method on 1/sqrt(f).

    reynolds > 0 [-]; relative_roughness: roughness over bore, 0 to 0.05. Source: Colebrook 1939; start value by Haaland
    1983.
    """
    a, b = relative_roughness / 3.7, 2.51 / reynolds
    x = -1.8 * math.log10(a**1.11 + 6.9 / reynolds)
    for _ in range(8):
        inside = a + b * x
        step = (x + 2 * math.log10(inside)) / (1 + 2 * b / (inside * math.log(10)))
        x -= step
        if abs(step) < 1e-12:
            break
    return 1 / (x * x)


def friction_factor(reynolds: float, relative_roughness: float) -> float:
    """Darcy friction factor [-] at any Reynolds number above 0: continuous, with a continuous slope.

    Laminar 64/Re; between 2000 and 4000 a smooth step from it to Colebrook-White.
    >>> round(friction_factor(1000, 0), 4), round(friction_factor(1e5, 1e-4), 4)
    (0.064, 0.0185)
    """
    if reynolds <= LAMINAR_RE:
        return 64 / reynolds
    rough = colebrook(reynolds, relative_roughness)
    if reynolds >= TURBULENT_RE:
        return rough
    share = (reynolds - LAMINAR_RE) / (TURBULENT_RE - LAMINAR_RE)
    share = share * share * (3 - 2 * share)
    return 64 / reynolds * (1 - share) + rough * share


@dataclass(frozen=True, slots=True)
class Drop:
    """Flow in a straight pipe. gradient_pa_m and friction_pa take the sign of the flow; velocity_m_s too."""

    velocity_m_s: float
    reynolds: float
    factor: float
    gradient_pa_m: float
    dynamic_pa: float  # rho v |v| / 2: what a loss coefficient of 1 costs


def pipe_drop(flow_kg_s: float, bore_mm: float, roughness_mm: float, fluid: Fluid) -> Drop:
    """Velocity, Reynolds number, friction and pressure gradient in a round pipe (Darcy-Weisbach). Zero at rest.

    flow_kg_s: of either sign; bore_mm > 0.
    """
    if flow_kg_s == 0:
        return Drop(0.0, 0.0, 0.0, 0.0, 0.0)
    bore_m = bore_mm / 1000
    velocity = flow_kg_s / fluid.density_kg_m3 / (math.pi / 4 * bore_m**2)
    reynolds = abs(velocity) * bore_m * fluid.density_kg_m3 / fluid.viscosity_pa_s
    factor = friction_factor(reynolds, roughness_mm / bore_mm)
    dynamic = fluid.density_kg_m3 * velocity * abs(velocity) / 2
    return Drop(velocity, reynolds, factor, factor / bore_m * dynamic, dynamic)


def valve_drop_pa(flow_kg_s: float, kv_m3_h: float, fluid: Fluid) -> float:
    """Pressure lost over a valve [Pa] of that Kv [m3/h at 1 bar, water]; takes the sign of the flow."""
    volume_m3_h = flow_kg_s / fluid.density_kg_m3 * 3600
    return 1e5 * (volume_m3_h / kv_m3_h) * abs(volume_m3_h / kv_m3_h) * fluid.density_kg_m3 / 1000
