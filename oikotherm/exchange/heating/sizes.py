"""The sizes of a job's circuits as plain data: page, command line and pack all take them from here."""

from __future__ import annotations

from collections.abc import Callable, Collection
from typing import Any

from ...core.design import Design
from ...core.matter import fluid
from ...core.network.pipesizes import OtherSize, other_sizes
from ...core.network.section import Local, PipeSection
from ...core.services.heating.pumps import PumpDuty
from ...core.services.heating.simulate import Simulation, balance, running_of
from ...core.services.heating.sized import Heating, Load
from ...core.services.heating.sizing import heating_of
from ...core.services.heating.valves import choose_pump
from ...core.services.heating.vessel import Vessel, pressure_at_bar
from .simulation import balance_row, simulation_row


def sizes_of(design: Design, only: Callable[[Heating], Collection[str]] | None = None) -> list[dict[str, Any]]:
    """One dict a circuit: terms, sections, emitters, index, pump, volume, vessel. Rounded to what can be used. only:
    the sections whose rows are wanted of a circuit, all where nothing is said."""
    return [_circuit(heating, design, only(heating) if only else None) for heating in heating_of(design)]


def litres_h(flow_kg_s: float, heating: Heating) -> float:
    """A mass flow as litres an hour at the circuit's mean temperature."""
    return flow_kg_s / heating.medium.density_kg_m3 * 3.6e6


def _local(one: Local) -> dict[str, Any]:
    return {"at": one.key, "what": one.title, "k": one.k, "kv": one.kv, "drop_pa": round(one.drop_pa, 1)}


def _other(one: OtherSize, section: PipeSection) -> dict[str, Any]:
    return {
        "pipe": str(one.pipe),
        "velocity_m_s": round(one.velocity_m_s, 3),
        "gradient_pa_m": round(one.gradient_pa_m, 1),
        "drop_pa": round(one.drop_pa, 1),
        "less_pa": round(section.drop_pa - one.drop_pa, 1),
        "litres": round(one.litres, 2),
        "over": one.over,
    }


def _choice(duty: PumpDuty, heating: Heating) -> dict[str, Any] | None:
    """The smallest generic circulator for a pump without a curve of its own."""
    found = None if duty.curve else choose_pump(duty.flow_kg_s, duty.head_pa, heating.medium)
    return (
        None
        if found is None
        else {
            "circulator": found.circulator.name,
            "speed": found.speed,
            "head_pa": round(found.head_pa, 1),
            "power_w": round(found.power_w, 1),
        }
    )


def _levels(heating: Heating, design: Design) -> list[dict[str, Any]]:
    """Pressure at each level the circuit comes to, top first: cold as filled and hot, the gauge at the source."""
    if heating.vessel is None:
        return []
    terms, source = heating.circuit.terms, heating.circuit.source
    fraction = terms.mass_fraction if terms.medium == "mpg" else 0.0
    floors = {level.id: level for level in design.job.house.levels}
    gauge = floors[source.level].floor_mm + source.at[2]
    zs = [design.pipework.nodes[key].at.z for key in heating.circuit.nodes]
    zs += [
        floors[station.level].floor_mm + station.at[2] + (station.data.height_mm or 0.0)
        for station in heating.circuit.stations
    ]
    rows = []
    for level in sorted(floors.values(), key=lambda one: -one.floor_mm):
        above = [other.floor_mm for other in floors.values() if other.floor_mm > level.floor_mm]
        here = [z for z in zs if level.floor_mm - 400 <= z < min(above, default=1e9) - 400]
        if not here:
            continue
        top_m = (max(here) - gauge) / 1000
        cold, hot = fluid(max(terms.cold_c, 0.0), fraction), fluid(min(terms.flow_c, 100.0), fraction)
        rows.append(
            {
                "level": level.id,
                "name": level.name,
                "top_m": round(top_m, 2),
                "cold_bar": round(pressure_at_bar(heating.vessel.cold_fill_bar, top_m, cold.density_kg_m3), 2),
                "hot_bar": round(pressure_at_bar(heating.vessel.hot_bar, top_m, hot.density_kg_m3), 2),
            }
        )
    return rows


def _place(design: Design, key: str) -> str:
    """What a node is called: a port, a tee or point of a run, else its key."""
    node = design.pipework.nodes[key]
    if node.kind == "port":
        return node.part
    return f"{node.run}.{node.name}" if node.name else key


def _section(section: PipeSection, heating: Heating, design: Design) -> dict[str, Any]:
    """A section; from and to: the ways the water goes."""
    work = design.pipework
    first, last = work.straights[section.keys[0]], work.straights[section.keys[-1]]
    ends = [_place(design, first.from_node), _place(design, last.to_node)]
    if not section.along:
        ends.reverse()
    return {
        "id": section.id,
        "run": section.run,
        "role": section.role,
        "pipe": str(section.pipe),
        "from": ends[0],
        "to": ends[1],
        "keys": list(section.keys),
        "length_m": round(section.length_m, 3),
        "bore_mm": section.bore_mm,
        "roughness_mm": section.roughness_mm,
        "flow_kg_s": section.flow_kg_s,
        "flow_l_h": round(litres_h(section.flow_kg_s, heating), 1),
        "velocity_m_s": round(section.drop.velocity_m_s, 3),
        "reynolds": round(section.drop.reynolds),
        "gradient_pa_m": round(section.drop.gradient_pa_m, 1),
        "drop_pa": round(section.drop_pa, 1),
        "local": [_local(one) for one in section.locals],
        "fittings": [{"title": one.title, "k": one.k, "kv": one.kv, "drop_pa": one.drop_pa} for one in section.locals],
        "over": list(section.over),
        "slow": section.slow,
        "proposed": str(section.proposed) if section.proposed else None,
        "others": [_other(one, section) for one in other_sizes(section, design.context.catalogue, design.job.practice)],
        "working": section.worked.as_list(),
    }


def _emitter(load: Load, heating: Heating) -> dict[str, Any]:
    return {
        "trv_authority": None if load.trv_authority is None else round(load.trv_authority, 3),
        "manifold": load.manifold,
        "id": load.station,
        "name": load.name,
        "nominal_w": load.nominal_w,
        "output_w": round(load.output_w, 1),
        "room_c": load.room_c,
        "flow_kg_s": load.flow_kg_s,
        "flow_l_h": round(litres_h(load.flow_kg_s, heating), 1),
        "path": list(load.path),
        "path_pa": round(load.path_pa, 1),
        "local": [_local(one) for one in load.locals],
        "working": load.worked.as_list(),
    }


def _pump(heating: Heating) -> dict[str, Any]:
    """The duty of the circuit, and the generic circulator that meets it."""
    pump = choose_pump(heating.flow_kg_s, heating.pump_head_pa, heating.medium)
    return {
        "head_pa": round(heating.pump_head_pa, 1),
        "flow_kg_s": round(heating.flow_kg_s, 5),
        "flow_l_h": round(litres_h(heating.flow_kg_s, heating), 1),
        "choice": None
        if pump is None
        else {
            "circulator": pump.circulator.name,
            "speed": pump.speed,
            "head_pa": round(pump.head_pa, 1),
            "power_w": round(pump.power_w, 1),
        },
    }


def _duty(duty: PumpDuty, heating: Heating) -> dict[str, Any]:
    return {
        "key": duty.key,
        "title": duty.title,
        "loads": list(duty.loads),
        "flow_l_h": round(litres_h(duty.flow_kg_s, heating), 1),
        "head_pa": round(duty.head_pa, 1),
        "given_pa": None if duty.given_pa is None else round(duty.given_pa, 1),
        "choice": _choice(duty, heating),
    }


def _residuals(running: Simulation) -> dict[str, Any]:
    return {
        "pressure_pa": running.residual_pa,
        "flow_kg_s": running.residual_kg_s,
        "energy_share": running.energy_gap,
        "converged": running.converged,
    }


def _vessel(vessel: Vessel, here_l: float | None) -> dict[str, Any]:
    return {
        "expansion_l": round(vessel.expansion_l, 3),
        "reserve_l": round(vessel.reserve_l, 3),
        "precharge_bar": round(vessel.precharge_bar, 3),
        "cold_fill_bar": round(vessel.cold_fill_bar, 3),
        "final_bar": round(vessel.final_bar, 3),
        "hot_bar": round(vessel.hot_bar, 3),
        "needed_l": round(vessel.needed_l, 2),
        "chosen_l": vessel.chosen_l,
        "second_l": vessel.second_l,
        "here_l": here_l,
        "said": _vessel_said(vessel, here_l),
        "working": [step.as_dict() for step in vessel.steps],
    }


def _vessel_said(vessel: Vessel, here_l: float | None) -> str:
    """What follows for the vessel: the size to take, or what is there and what it needs beside it."""
    if here_l is None:
        return f"take {vessel.chosen_l:g} L"
    return f"{here_l:g} L is there" + (f": add one of {vessel.second_l:g} L" if vessel.second_l else "")


def _circuit(heating: Heating, design: Design, only: Collection[str] | None) -> dict[str, Any]:
    terms, vessel = heating.circuit.terms, heating.vessel
    running = running_of(design).get(heating.circuit.source.id)
    set_ = {one.station: balance_row(one) for one in balance(heating)}
    run_row = simulation_row(running, heating, design) if running else {"emitters": [], "rooms": []}
    as_run = {one["id"]: one for one in run_row["emitters"]}
    return {
        "source": heating.circuit.source.id,
        "behind": heating.circuit.behind,
        "single_pipe": heating.single_pipe,
        "medium": heating.medium.name,
        "flow_c": terms.flow_c,
        "return_c": terms.return_c,
        "assumed": heating.circuit.assumed,
        "sections": [_section(one, heating, design) for one in heating.sections if only is None or one.id in only],
        "emitters": [
            {
                **_emitter(one, heating),
                **{key: value for key, value in set_[one.station].items() if key not in ("id", "index")},
                **{key: as_run[one.station][key] for key in ("flow_c", "return_c")},
                "running_w": as_run[one.station]["output_w"],
            }
            for one in heating.loads
        ],
        "rooms": run_row["rooms"],
        "left_out": list(heating.left_out),
        "index": heating.index,
        "pump": _pump(heating),
        "pumps": [_duty(duty, heating) for duty in heating.pumps],
        "residual_pa": None if heating.residual_pa is None else round(heating.residual_pa, 1),
        "boiler_w": round(running.boiler_w, 1) if running else 0.0,
        "pipe_w": round(running.pipe_w, 1) if running else 0.0,
        "residuals": _residuals(running) if running else None,
        "volume_l": round(heating.volume_l, 2),
        "volume": [{"what": row.what, "litres": round(row.litres, 2), "source": row.source} for row in heating.volume],
        "vessel": _vessel(vessel, heating.vessel_here_l) if vessel else None,
        "levels": _levels(heating, design),
        "vessel_why": heating.vessel_why,
        "safety_valve_bar": heating.safety_bar,
        "safety_valve_assumed": heating.safety_assumed,
        "static_height_m": round(heating.height_m, 3),
        "density_cold_kg_m3": round(
            fluid(max(terms.cold_c, 0.0), terms.mass_fraction if terms.medium == "mpg" else 0.0).density_kg_m3, 2
        ),
    }
