"""The sizes of a job's circuits as plain data: page, command line and pack all take them from here."""

from __future__ import annotations

from typing import Any

from ..core.design import Design
from ..core.heating.sizes import Heating, Local
from ..core.matter import fluid


def sizes_of(design: Design) -> list[dict[str, Any]]:
    """One dict a circuit: terms, sections, emitters, index, pump, volume, vessel. Rounded to what can be used."""
    return [_circuit(heating) for heating in design.heating]


def litres_h(flow_kg_s: float, heating: Heating) -> float:
    """A mass flow as litres an hour at the circuit's mean temperature."""
    return flow_kg_s / heating.medium.density_kg_m3 * 3.6e6


def _local(one: Local) -> dict[str, Any]:
    return {"at": one.key, "what": one.title, "k": one.k, "kv": one.kv, "drop_pa": round(one.drop_pa, 1)}


def _circuit(heating: Heating) -> dict[str, Any]:
    terms, vessel = heating.circuit.terms, heating.vessel
    return {
        "source": heating.circuit.source.id,
        "medium": heating.medium.name,
        "flow_c": terms.flow_c,
        "return_c": terms.return_c,
        "assumed": heating.circuit.assumed,
        "sections": [
            {
                "id": section.id, "run": section.run, "role": section.role, "pipe": str(section.pipe), "keys": list(section.keys), "length_m": round(section.length_m, 3),
                "flow_kg_s": round(section.flow_kg_s, 5), "flow_l_h": round(litres_h(section.flow_kg_s, heating), 1),
                "velocity_m_s": round(section.drop.velocity_m_s, 3), "reynolds": round(section.drop.reynolds), "gradient_pa_m": round(section.drop.gradient_pa_m, 1),
                "drop_pa": round(section.drop_pa, 1), "local": [_local(one) for one in section.locals], "over": list(section.over), "slow": section.slow,
                "proposed": str(section.proposed) if section.proposed else None, "working": section.worked.as_list(),
            }
            for section in heating.sections
        ],
        "emitters": [
            {
                "id": load.station, "name": load.name, "nominal_w": load.nominal_w, "output_w": round(load.output_w, 1), "room_c": load.room_c,
                "flow_kg_s": round(load.flow_kg_s, 5), "flow_l_h": round(litres_h(load.flow_kg_s, heating), 1), "path": list(load.path), "path_pa": round(load.path_pa, 1),
                "local": [_local(one) for one in load.locals], "working": load.worked.as_list(),
            }
            for load in heating.loads
        ],
        "left_out": list(heating.left_out),
        "index": heating.index,
        "pump": {"head_pa": round(heating.pump_head_pa, 1), "flow_kg_s": round(heating.flow_kg_s, 5), "flow_l_h": round(litres_h(heating.flow_kg_s, heating), 1)},
        "volume_l": round(heating.volume_l, 2),
        "volume": [{"what": row.what, "litres": round(row.litres, 2), "source": row.source} for row in heating.volume],
        "vessel": None if vessel is None else {
            "expansion_l": round(vessel.expansion_l, 3), "reserve_l": round(vessel.reserve_l, 3), "precharge_bar": round(vessel.precharge_bar, 3),
            "cold_fill_bar": round(vessel.cold_fill_bar, 3), "final_bar": round(vessel.final_bar, 3), "hot_bar": round(vessel.hot_bar, 3),
            "needed_l": round(vessel.needed_l, 2), "chosen_l": vessel.chosen_l, "here_l": heating.vessel_here_l, "working": [step.as_dict() for step in vessel.steps],
        },
        "vessel_why": heating.vessel_why,
        "safety_valve_bar": heating.safety_bar,
        "safety_valve_assumed": heating.safety_assumed,
        "static_height_m": round(heating.height_m, 3),
        "density_cold_kg_m3": round(fluid(max(terms.cold_c, 0.0), terms.mass_fraction if terms.medium == "mpg" else 0.0).density_kg_m3, 2),
    }  # fmt: skip
