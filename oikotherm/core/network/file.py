"""The network file: a solved network as plain data, so that any solver can check it. Format oikotherm-network, version
1.

Lengths m, bores and roughness mm, pressures Pa, flows kg/s; k on the velocity in the branch's own bore; kv in m3/h at 1
bar, all the valves of a branch taken together. A pump raises pressure from `from` to `to` by h0_pa x speed^2 -
a_pa_s2_kg2 x flow^2, in the modes constant and proportional no more than set_pa asks. A check valve lets nothing flow
from `to` to `from`.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..job.ways import Vec
from ..matter import Fluid
from .solver import Branch, Solved

FORMAT, VERSION = "oikotherm-network", 1


@dataclass(frozen=True, slots=True)
class SolvedNetwork:
    """A network of a service with its solution. places: node -> where it is [mm]; reference: the node of pressure 0."""

    service: str
    circuit: str
    fluid: Fluid
    branches: tuple[Branch, ...]
    solved: Solved
    places: Mapping[str, Vec]
    reference: str
    demands_kg_s: Mapping[str, float]


def network_file(networks: Sequence[SolvedNetwork]) -> dict[str, Any]:
    """The networks as one JSON object."""
    return {"format": FORMAT, "version": VERSION, "networks": [_network(one) for one in networks]}


def _network(one: SolvedNetwork) -> dict[str, Any]:
    branches = [branch for branch in one.branches if not branch.closed and not _shut(branch, one.solved)]
    names = list(dict.fromkeys(name for branch in branches for name in (branch.a, branch.b)))
    nodes = []
    for name in names:
        place = one.places.get(name)
        node: dict[str, Any] = {"id": name, "xyz_mm": [round(part, 1) for part in place] if place else None}
        if name in one.demands_kg_s:
            node["demand_kg_s"] = one.demands_kg_s[name]
        if name == one.reference:
            node["fixed_pa"] = 0.0
        nodes.append(node)
    return {
        "service": one.service,
        "circuit": one.circuit,
        "fluid": {"density_kg_m3": one.fluid.density_kg_m3, "viscosity_pa_s": one.fluid.viscosity_pa_s},
        "nodes": nodes,
        "branches": [_branch(branch) for branch in branches],
        "solution": {
            "pressure_pa": {name: one.solved.pressure_pa[name] for name in names},
            "flow_kg_s": {branch.key: one.solved.flow_kg_s[branch.key] for branch in branches},
        },
    }


def _shut(branch: Branch, solved: Solved) -> bool:
    """Whether a valve that opens by pressure stands shut in the solution."""
    return branch.opens_pa is not None and solved.flow_kg_s[branch.key] == 0.0


def _branch(branch: Branch) -> dict[str, Any]:
    kind = "pump" if branch.pump else "check" if branch.one_way else "pipe" if branch.length_m else "valve"
    row: dict[str, Any] = {
        "id": branch.key,
        "from": branch.a,
        "to": branch.b,
        "kind": kind,
        "length_m": branch.length_m,
        "bore_mm": branch.bore_mm,
        "roughness_mm": branch.roughness_mm,
        "k": branch.k,
    }
    if branch.kvs:
        row["kv"] = 1 / math.sqrt(sum(1 / kv**2 for kv in branch.kvs))
    if branch.pump:
        pump = branch.pump
        row["curve"] = {
            "h0_pa": pump.h0_pa,
            "a_pa_s2_kg2": pump.a_pa_s2_kg2,
            "mode": pump.mode,
            "speed": pump.speed,
            "set_pa": pump.set_pa,
        }
    return row
