"""Which stations and runs make one closed circuit, and what it has: safety valve, vessel, filling, drain, vents.

A manifold that has temperatures of its own (a circuit of the job names it as source) is a mixing set: its loops are a
circuit of their own behind it, with its pump; to the circuit before it, it is a load.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

from ...job.model import Circuit, Job, Station
from ...network.graph import devices, has_trait, hub_port
from ...pipework.geometry import Pipework
from ...quantity import leading_number
from .. import spec
from .stations import SPEC

DEFAULT_SAFETY_BAR = 3.0
ROLES = frozenset(role.id for role in SPEC.roles)


def is_source(station: Station) -> bool:
    """Whether a station heats the water of a circuit."""
    return "flow" in spec.kind(station.kind).sources


def takes_heat(station: Station) -> bool:
    """Whether a station takes heat of a circuit: an emitter, a coil."""
    return "flow" in spec.kind(station.kind).loads and any(port.role == "flow" for port in station.ports)


@dataclass(frozen=True, slots=True)
class Closed:
    """A closed circuit: the pipework that hangs together from a heat source, by its stations too.

    terms: its temperatures and medium; assumed: nobody has said them; nodes, straights: keys in the pipework. behind:
    the heat source of the circuit that feeds its mixing set, "" for a circuit of its own water, vessel and safety
    valve.
    """

    source: Station
    terms: Circuit
    assumed: bool
    stations: tuple[Station, ...]
    runs: tuple[str, ...]
    nodes: frozenset[str]
    straights: tuple[str, ...]
    behind: str = ""

    @property
    def own(self) -> bool:
        """Whether it is a pressure system of its own, not one behind a mixing set."""
        return not self.behind


def mixing_sets(job: Job) -> dict[str, Circuit]:
    """Manifolds with temperatures of their own: station id -> those terms."""
    bars = {station.id for station in job.stations if station.state != "remove" and has_trait(station, "bars")}
    return {terms.source: terms for terms in job.circuits if terms.source in bars}


def closed_circuits(job: Job, pipework: Pipework) -> tuple[Closed, ...]:
    """The closed circuits of a job: one for each heat source that has pipe on it (sources on one circuit share it),
    each followed by those behind its mixing sets."""
    return pipework.memory.keep(
        "heating circuits",
        (pipework.graph, *job.stations, *job.circuits),
        len(job.stations),
        lambda: _closed_circuits(job, pipework),
        most=6,
    )


def _closed_circuits(job: Job, pipework: Pipework) -> tuple[Closed, ...]:
    beside = pipework.graph.beside
    mixed = mixing_sets(job)
    ports: dict[str, list[str]] = defaultdict(list)  # station -> nodes of its heating ports
    for key, node in pipework.nodes.items():
        if node.kind == "port" and pipework.ports[node.part].port.role in ROLES:
            ports[pipework.ports[node.part].station.id].append(key)
    found: list[Closed] = []
    seen: set[str] = set()

    def from_ports(source: Station, roots: list[str]) -> tuple[set[str], list[str]]:
        nodes: set[str] = set()
        stations: list[str] = []
        waiting = list(roots)
        while waiting:
            key = waiting.pop()
            if key in nodes:
                continue
            nodes.add(key)
            node = pipework.nodes[key]
            if node.kind == "port":
                station = pipework.ports[node.part].station.id
                if station not in stations:
                    stations.append(station)
                    waiting += [
                        other
                        for other in ports[station]
                        if station not in mixed or hub_port(pipework, other) == (station != source.id)
                    ]
            waiting += [other for other, _ in beside.get(key, ())]
        return nodes, stations

    def closed(source: Station, roots: list[str], behind: str) -> Closed:
        nodes, stations = from_ports(source, roots)
        straights = tuple(key for key, straight in pipework.straights.items() if straight.from_node in nodes)
        runs = tuple(dict.fromkeys(pipework.straights[key].run for key in straights))
        terms = next((circuit for circuit in job.circuits if circuit.source == source.id), None)
        default = Circuit(id="CH", source=source.id, flow_c=75, return_c=65)
        members = tuple(station for station in job.stations if station.id in stations)
        return Closed(source, terms or default, terms is None, members, runs, frozenset(nodes), straights, behind)

    for source in job.stations:
        if not is_source(source) or source.state == "remove" or not ports[source.id] or source.id in seen:
            continue
        one = closed(source, ports[source.id], "")
        seen.update(station.id for station in one.stations)
        found.append(one)
        for station in one.stations:
            loops = [key for key in ports[station.id] if not hub_port(pipework, key)] if station.id in mixed else []
            if loops:
                found.append(closed(station, loops, source.id))
    return tuple(found)


def has(circuit: Closed, pipework: Pipework, what: str) -> bool:
    """Whether a circuit has a safety-valve, vessel or filling: as a station, a device, or brought by a station."""
    if any(station.kind == what and station.state != "remove" for station in circuit.stations):
        return True
    if devices(circuit, pipework, what):
        return True
    brought = {
        "safety-valve": any(station.brings.safety_valve_bar for station in circuit.stations),
        "vessel": any(station.brings.vessel_l for station in circuit.stations),
        "filling": any(station.brings.filling for station in circuit.stations),
    }
    return brought[what]


def safety_valve_bar(circuit: Closed, pipework: Pipework, settings: dict[str, str]) -> float | None:
    """What the lowest safety valve opens at [bar]; None when no figure is known. settings: item id -> its "set"."""
    found = [station.brings.safety_valve_bar for station in circuit.stations if station.brings.safety_valve_bar]
    found += [
        station.data.set_pa / 1e5
        for station in circuit.stations
        if station.kind == "safety-valve" and station.data.set_pa
    ]
    for node in devices(circuit, pipework, "safety-valve"):
        bar = leading_number(settings.get(node.item, ""))
        if bar:
            found.append(bar)
    return min(found) if found else None


def vessel_volume_l(circuit: Closed, pipework: Pipework, settings: dict[str, str]) -> float | None:
    """Litres of all vessels on the circuit; None when there is none, or one without a figure."""
    found: list[float | None] = [station.brings.vessel_l for station in circuit.stations if station.brings.vessel_l]
    found += [station.data.volume_l for station in circuit.stations if station.kind == "vessel"]
    found += [leading_number(settings.get(node.item, "")) for node in devices(circuit, pipework, "vessel")]
    known = [volume for volume in found if volume]
    return sum(known) if found and len(known) == len(found) else None
