"""The water that stands in the bodies of stations: emitters, heat sources, stores."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from ..job.model import Station
from ..services import spec

LITRES_PER_KW = 3.5  # typ, panel radiators: 5.9 L and 1720 W a metre of type 22
BOILER_L_PER_KW = 0.2  # typ
COIL_L = 5.0  # typ, of a store
GAS_SIDE = ("vessel",)  # what they hold is gas behind a membrane


@dataclass(frozen=True, slots=True)
class BodyWater:
    """What a body holds [L], and where the figure comes from."""

    litres: float
    source: str


def body_water(
    station: Station, service: str, loop_bore_mm: Callable[[], float | None] = lambda: None
) -> BodyWater | None:
    """The water of a service in a station's body; None for one that holds none, or of which nothing is known.
    loop_bore_mm: of the pipe of a loop in the floor."""
    kind, data = spec.kind(station.kind), station.data
    load = kind.loads.get("flow")
    source = "flow" in kind.sources
    of = spec.service(service)
    if of.runs_off or any(role.phase == "gas" for role in of.roles):
        return None
    if not of.through:
        holds = any(spec.service_of(port.role) == service for port in station.ports)
        direct = load is not None and load != "coil_w"
        if not holds or direct or data.volume_l is None or station.kind in GAS_SIDE:
            return None
        return BodyWater(data.volume_l, "as said")
    if not (load or source):
        return None
    if data.loop_m and (bore_mm := loop_bore_mm()):
        return BodyWater(math.pi / 4 * (bore_mm / 100) ** 2 * data.loop_m * 10, "bore x loop")
    if load == "coil_w":
        return BodyWater(COIL_L, "typ, coil")
    if data.volume_l is not None:
        return BodyWater(data.volume_l, "as said")
    if not data.output_w:
        return None
    per_kw = BOILER_L_PER_KW if source else LITRES_PER_KW
    return BodyWater(per_kw * data.output_w / 1000, f"typ, {per_kw:g} L/kW")
