"""What an emitter, a coil or a mixing set takes of its circuit: heat, the flow for it, and what its own valves and ways
cost."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ...catalogue import Catalogue
from ...errors import Refused
from ...job.model import Circuit, Pipe, Station
from ...matter import Fluid
from ...memory import Memory
from ...network.friction import Drop, valve_drop_pa
from ...network.pipesizes import drop_and_od
from ...network.section import Local
from ...network.sized import Demand, demands
from ...pipework.geometry import PortPlace
from ...working import Step, Worked
from .. import spec
from .emitter import RATED_AT_K, RATED_LOG_K, flow_for, output
from .stations import SPEC

if TYPE_CHECKING:
    from ...layout import Layout

MIXING_KV = 2.5  # typ, mixing valve of a manifold's set


def has_coil(station: Station) -> bool:
    """Whether a station takes its heat by a coil in a store."""
    return spec.kind(station.kind).loads.get("flow") == "coil_w"


def rated_k(station: Station) -> float:
    """The logarithmic difference an emitter's output is rated at [K]."""
    return (station.data.rated_at_k or RATED_AT_K) * RATED_LOG_K / RATED_AT_K


def heat_and_flow(
    station: Station,
    rated_w: float,
    room_c: float,
    terms: Circuit,
    back_c: float,
    medium: Fluid,
    *,
    mixing: bool,
    memory: Memory,
) -> tuple[Worked, float]:
    """What a station gives [W], with its working, and the flow it takes for that [kg/s].

    rated_w: by its label, or of the loops behind its mixing valve (mixing); back_c: what it sends home [C]. Raises
    Refused, or ZeroDivisionError, where it gives no heat at these temperatures.
    """
    return memory.keep(
        "heat and flow",
        (station, terms),
        (rated_w, room_c, back_c, medium, mixing),
        lambda: _heat_and_flow(station, rated_w, room_c, terms, back_c, medium, mixing),
    )


def _heat_and_flow(
    station: Station, rated_w: float, room_c: float, terms: Circuit, back_c: float, medium: Fluid, mixing: bool
) -> tuple[Worked, float]:
    worked = _output(station, rated_w, room_c, terms, mixing)
    flow = flow_for(worked.value, terms.flow_c - back_c, medium.heat_j_kg_k)
    if flow <= 0:
        raise Refused("return_c", back_c, "a return below the flow", "55")
    inputs = ("heat_w", worked.value), ("cp_j_kg_k", medium.heat_j_kg_k), ("flow_c", terms.flow_c), ("return_c", back_c)
    step = Step("flow = heat / (cp x (flow - return))", inputs, flow, "kg/s", medium.source)
    return Worked(worked.value, "W", (*worked.steps, step)), flow


def _output(station: Station, rated_w: float, room_c: float, terms: Circuit, mixing: bool) -> Worked:
    if mixing:
        step = Step("heat of the loops behind its mixing valve", (("heat_w", rated_w),), rated_w, "W")
        return Worked(rated_w, "W", (step,))
    if has_coil(station):
        return Worked(rated_w, "W", (Step("coil as rated", (("coil_w", rated_w),), rated_w, "W", "label"),))
    exponent = station.data.exponent or 1.3
    return output(rated_w, exponent, terms.flow_c, terms.return_c, room_c, "log", rated_k(station))[0]


def own_losses(
    station: Station,
    places: tuple[PortPlace, ...],
    pipe: Pipe | None,
    flow_kg_s: float,
    medium: Fluid,
    catalogue: Catalogue,
    *,
    mixing: bool,
    memory: Memory,
) -> tuple[Local, ...]:
    """What a station costs at a flow: the kits of its ports, its own way by its label, its loop or by K on the pipe
    that comes to it."""
    return memory.keep(
        "losses of a station",
        (station, catalogue, *places),
        (pipe, flow_kg_s, medium, mixing),
        lambda: tuple(_own_losses(station, places, pipe, flow_kg_s, medium, catalogue, mixing)),
    )


def _own_losses(
    station: Station,
    places: tuple[PortPlace, ...],
    pipe: Pipe | None,
    flow_kg_s: float,
    medium: Fluid,
    catalogue: Catalogue,
    mixing: bool,
) -> list[Local]:
    local = [
        Local(kit.key, kit.row.title, None, kit.row.kv, valve_drop_pa(flow_kg_s, kit.row.kv, medium), kit.row.acts)
        for place in places
        for kit in place.kit
        if kit.row.kv
    ]
    drop, od_mm = drop_and_od(pipe, flow_kg_s, medium, catalogue) if pipe else (Drop(0, 0, 0, 0, 0), 0.0)
    kv = station.data.kv or (MIXING_KV if mixing else None)
    if kv:
        title = "by its label" if station.data.kv else "mixing valve (typ)"
        local.append(Local(station.id, title, None, kv, valve_drop_pa(flow_kg_s, kv, medium)))
    elif station.data.loop_m and od_mm:
        title = f"loop, {station.data.loop_m:g} m of {pipe}"
        local.append(Local(station.id, title, None, None, drop.gradient_pa_m * station.data.loop_m))
    elif od_mm:
        k = catalogue.loss("radiator", od_mm).k
        what = "coil" if has_coil(station) else "radiator"
        local.append(Local(station.id, what, k, None, k * drop.dynamic_pa))
    return local


def demand(design: Layout) -> tuple[Demand, ...]:
    """What each emitter and coil of the job is said to give [W]."""
    return demands(design.job, SPEC.id)
