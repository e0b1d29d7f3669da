"""Which size of pipe: what a flow costs in one, the smallest within the limits, and what the sizes beside it would
change."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ..catalogue import Catalogue
from ..job.model import Pipe
from ..matter import Fluid
from ..memory import Memory
from .friction import Drop, pipe_drop
from .section import PipeSection


def drop_and_od(pipe: Pipe, flow_kg_s: float, medium: Fluid, catalogue: Catalogue) -> tuple[Drop, float]:
    """The drop in a pipe, and its outside diameter [mm]; zeros for a pipe without a size."""
    row, system = catalogue.pipe(pipe.code, pipe.size), catalogue.systems.get(pipe.code)
    if row is None or row.bore_mm is None or row.od_mm is None:
        return Drop(0.0, 0.0, 0.0, 0.0, 0.0), 0.0
    return pipe_drop(flow_kg_s, row.bore_mm, (system.roughness_mm if system else None) or 0.0, medium), row.od_mm


def smallest(
    catalogue: Catalogue, practice: str, code: str, flow_kg_s: float, medium: Fluid, memory: Memory
) -> Pipe | None:
    """The smallest size of a system, as far as it has fittings, that holds all limits at a flow; None where none
    does."""
    return memory.keep(
        "smallest pipe",
        (catalogue,),
        (practice, code, flow_kg_s, medium),
        lambda: _smallest(catalogue, practice, code, flow_kg_s, medium),
    )


def _smallest(catalogue: Catalogue, practice: str, code: str, flow_kg_s: float, medium: Fluid) -> Pipe | None:
    methods = catalogue.methods_of(code)
    for size in catalogue.sizes(code):
        pipe = Pipe(code=code, size=size)
        drop, od_mm = drop_and_od(pipe, flow_kg_s, medium, catalogue)
        if od_mm < 12 or not any(catalogue.method_figures(code, size, method) for method in methods):
            continue
        limit = catalogue.limit(practice, od_mm)
        if drop.velocity_m_s <= limit.velocity_m_s and drop.gradient_pa_m <= limit.gradient_pa_m:
            return pipe
    return None


@dataclass(frozen=True, slots=True)
class OtherSize:
    """A section in the next size: what would change. drop_pa with its local losses; litres more (or less) in it; over:
    limits it passes."""

    pipe: Pipe
    velocity_m_s: float
    gradient_pa_m: float
    drop_pa: float
    litres: float
    over: bool


def other_sizes(section: PipeSection, catalogue: Catalogue, practice: str) -> tuple[OtherSize, ...]:
    """The section one size down and one size up, as far as its system has them. Its fittings keep their K, its valves
    their Kv."""
    sizes = catalogue.sizes(section.pipe.code)
    if section.pipe.size not in sizes or section.flow_kg_s <= 0:
        return ()
    here = catalogue.pipe(section.pipe.code, section.pipe.size)
    found = []
    for n in (sizes.index(section.pipe.size) - 1, sizes.index(section.pipe.size) + 1):
        row = catalogue.pipe(section.pipe.code, sizes[n]) if 0 <= n < len(sizes) else None
        if row is None or row.bore_mm is None or row.od_mm is None or here is None or here.bore_mm is None:
            continue
        drop = pipe_drop(section.flow_kg_s, row.bore_mm, catalogue.roughness_mm(section.pipe.code), section.medium)
        local = sum(one.k * drop.dynamic_pa if one.k is not None else one.drop_pa for one in section.locals)
        limit = catalogue.limit(practice, row.od_mm)
        litres = math.pi / 4 * ((row.bore_mm / 100) ** 2 - (here.bore_mm / 100) ** 2) * section.length_m * 10
        found.append(
            OtherSize(
                Pipe(code=section.pipe.code, size=sizes[n]),
                drop.velocity_m_s,
                drop.gradient_pa_m,
                drop.gradient_pa_m * section.length_m + local,
                litres,
                drop.velocity_m_s > limit.velocity_m_s or drop.gradient_pa_m > limit.gradient_pa_m,
            )
        )
    return tuple(found)
