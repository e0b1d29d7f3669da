"""The water work of a circuit: its litres by level, what stays trapped, orders of draining and filling, the dose."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ...layout import Layout
from ...network.graph import devices
from ...pipework.water import traps
from .circuit_water import Dose, Storey, WaterPlan, dose, said_top_ups, top_up_l, top_ups_for, water_plan
from .sized import Heating
from .sizing import heating_of

USUAL_FILL_BAR = 1.2  # typ


@dataclass(frozen=True, slots=True)
class WaterWork:
    """For one circuit. fill_assumed: no vessel was sized, so that the usual cold pressure stands."""

    source: str
    storeys: tuple[Storey, ...]
    plan: WaterPlan
    dose: Dose
    fill_bar: float
    fill_assumed: bool
    trapped: tuple[tuple[str, float], ...]
    alone: tuple[str, float, str] = ("", 0.0, "")
    """The emitter with most water, its litres, and the top-ups it takes where it alone is emptied."""


def water_works(design: Layout) -> tuple[WaterWork, ...]:
    """The water work of every circuit that has emitters."""
    found = (water_work(design, heating) for heating in heating_of(design) if heating.loads)
    return tuple(one for one in found if one is not None)


def water_work(design: Layout, heating: Heating) -> WaterWork | None:
    """Litres by level from pipe as traced and emitters as said or typical; None for a circuit without water to reckon
    with."""
    levels = sorted(design.job.house.levels, key=lambda level: level.floor_mm)
    if not levels or heating.volume_l <= 0 or not heating.circuit.own:
        return None
    parts = [heating, *(one for one in heating_of(design) if one.circuit.behind == heating.circuit.source.id)]
    litres = dict.fromkeys((level.id for level in levels), 0.0)

    def level_of(z_mm: float) -> str:
        return max(
            (level for level in levels if level.floor_mm - 400 <= z_mm),
            key=lambda level: level.floor_mm,
            default=levels[0],
        ).id

    work, catalogue = design.pipework, design.context.catalogue
    for key in (key for part in parts for key in part.circuit.straights):
        row = catalogue.pipe(work.straights[key].pipe.code, work.straights[key].pipe.size)
        if row and row.bore_mm:
            a, b = design.fitted.spans[key]
            litres[level_of((a.z + b.z) / 2)] += math.pi / 4 * (row.bore_mm / 100) ** 2 * b.minus(a).length / 100
    stations = {station.id: station.level for part in parts for station in part.circuit.stations}
    stubs = [one for one in design.job.stations if one.data.behind or one.data.behind_pipe_m]
    levels_of = stations | {one.id: one.level for one in stubs}
    for row_ in (row for part in parts for row in part.volume):
        owner = row_.what.partition(":")[0]  # what stands behind a stub is named with it
        if owner in levels_of:
            litres[levels_of[owner]] += row_.litres
    drains = [work.nodes[node.key].at.z for node in devices(heating.circuit, work, "drain")]
    loops = {station.id for part in parts for station in part.circuit.stations if station.data.loop_m}
    in_floor = [(row.what, row.litres) for part in parts for row in part.volume if row.what in loops]
    base = levels[0].floor_mm
    storeys = tuple(
        Storey(level.name, (level.floor_mm - base) / 1000, round(litres[level.id], 2))
        for level in levels
        if litres[level.id] > 0.05
    )
    held = traps(work, heating.circuit.nodes, design.fitted.spans, catalogue)
    trapped = min(
        sum(trap.litres for trap in held) + sum(litres for _, litres in in_floor), sum(one.litres for one in storeys)
    )
    lowest = min(((z - base) / 1000 for z in drains), default=0.0)
    fill = heating.vessel.cold_fill_bar if heating.vessel else USUAL_FILL_BAR
    terms = heating.circuit.terms
    plan = water_plan(storeys, min(lowest, storeys[0].height_m), trapped, max(fill, 0.6))
    return WaterWork(
        heating.circuit.source.id,
        storeys,
        plan,
        dose(heating.volume_l, terms.mass_fraction if terms.medium == "mpg" else 0.0),
        fill,
        heating.vessel is None,
        (
            *((trap.run, round(trap.litres, 1)) for trap in held),
            *((f"{name}, loop in the floor: blow it out", round(litres, 1)) for name, litres in in_floor),
        ),
        _alone(heating, storeys),
    )


def _alone(heating: Heating, storeys: tuple[Storey, ...]) -> tuple[str, float, str]:
    """What it takes to fill the emitter with most water again, where it alone was emptied."""
    emitters = {load.station for load in heating.loads if not load.loop_m}
    rows = [(row.litres, row.what) for row in heating.volume if row.what in emitters and row.litres > 0]
    if not rows or heating.vessel is None:
        return "", 0.0, ""
    litres, name = max(rows)
    above_m = max(one.height_m for one in storeys) - min(one.height_m for one in storeys)
    vessel_l = heating.vessel_here_l or heating.vessel.chosen_l
    one_l, _ = top_up_l(vessel_l, heating.vessel.precharge_bar, above_m)
    return name, round(litres, 1), said_top_ups(top_ups_for(litres, one_l))
