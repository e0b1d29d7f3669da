"""Which stations and runs make one closed circuit, and what it has: safety valve, vessel, filling, drain, vents.

A manifold that has temperatures of its own (a circuit of the job names it as source) is a mixing set: its loops are a circuit
of their own behind it, with its pump; to the circuit before it, it is a load.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass
from functools import partial

from ..job.model import Circuit, Job, Station
from ..job.ways import Vec
from ..memo import Remembered
from ..pipework.geometry import Node, Part, Pipework

LEVEL_MM = 5.0
SOURCES = ("boiler",)
LOADS = ("emitter", "cylinder")
MANIFOLDS = ("manifold",)
PUMPS = ("pump",)
DEFAULT_SAFETY_BAR = 3.0


@dataclass(frozen=True, slots=True)
class Closed:
    """A closed circuit: the pipework that hangs together from a heat source, by its stations too.

    terms: its temperatures and medium; assumed: nobody has said them; nodes, straights: keys in the pipework. behind: the heat
    source of the circuit that feeds its mixing set, "" for a circuit of its own water, vessel and safety valve.
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


@dataclass(frozen=True, slots=True)
class Region:
    """Points of equal height that hang together."""

    z_mm: float
    nodes: tuple[str, ...]
    at: Vec


def mixing_sets(job: Job) -> dict[str, Circuit]:
    """Manifolds with temperatures of their own: station id -> those terms."""
    kinds = {station.id: station.kind for station in job.stations if station.state != "remove"}
    return {terms.source: terms for terms in job.circuits if kinds.get(terms.source) in MANIFOLDS}


def closed_circuits(job: Job, pipework: Pipework) -> tuple[Closed, ...]:
    """The closed circuits of a job: one for each heat source that has pipe on it (sources on one circuit share it), each followed
    by those behind its mixing sets."""
    return _CIRCUITS(
        (pipework.graph, *job.stations, *job.circuits), len(job.stations), lambda: _closed_circuits(job, pipework)
    )  # fmt: skip


_CIRCUITS: Remembered[tuple[Closed, ...]] = Remembered(16)


def _closed_circuits(job: Job, pipework: Pipework) -> tuple[Closed, ...]:
    beside = pipework.graph.beside
    mixed = mixing_sets(job)
    ports: dict[str, list[str]] = defaultdict(list)  # station -> nodes of its heating ports
    for key, node in pipework.nodes.items():
        if node.kind == "port" and pipework.ports[node.part].port.role in ("flow", "return"):
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
                        other for other in ports[station]
                        if station not in mixed or hub_port(pipework, other) == (station != source.id)
                    ]  # fmt: skip
            waiting += [other for other, _ in beside.get(key, ())]
        return nodes, stations

    def closed(source: Station, roots: list[str], behind: str) -> Closed:
        nodes, stations = from_ports(source, roots)
        straights = tuple(key for key, straight in pipework.straights.items() if straight.from_node in nodes)
        runs = tuple(dict.fromkeys(pipework.straights[key].run for key in straights))
        terms = next((circuit for circuit in job.circuits if circuit.source == source.id), None)
        default = Circuit(id="CH", source=source.id, flow_c=75, return_c=65)
        members = tuple(station for station in job.stations if station.id in stations)
        return Closed(
            source, terms or default, terms is None, members, runs, frozenset(nodes), straights, behind
        )  # fmt: skip

    for source in job.stations:
        if source.kind not in SOURCES or source.state == "remove" or not ports[source.id] or source.id in seen:
            continue
        one = closed(source, ports[source.id], "")
        seen.update(station.id for station in one.stations)
        found.append(one)
        for station in one.stations:
            loops = [key for key in ports[station.id] if not hub_port(pipework, key)] if station.id in mixed else []
            if loops:
                found.append(closed(station, loops, source.id))
    return tuple(found)


def hub_port(pipework: Pipework, node: str) -> bool:
    """Whether a manifold's port is on the side that feeds it: flow in, return out."""
    port = pipework.ports[pipework.nodes[node].part].port
    return (port.role, port.way) in (("flow", "in"), ("return", "out"))


def through_ports(pipework: Pipework, node: str, mixed: Collection[str] = ()) -> list[str]:
    """The ports that water comes out of when it enters a station here: those of the same bar of a manifold (not through a mixing
    set), the other side of a pump. Empty for any other node."""
    here = pipework.nodes[node]
    if here.kind != "port":
        return []
    place = pipework.ports[here.part]
    station = place.station
    if station.kind in PUMPS:
        names = [f"{station.id}.{port.name}" for port in station.ports]
    elif station.kind in MANIFOLDS:
        names = [f"{station.id}.{port.name}" for port in station.ports if port.role == place.port.role]
        if station.id in mixed:
            hub = hub_port(pipework, node)
            names = [name for name in names if name in pipework.nodes and hub_port(pipework, name) == hub]
    else:
        return []
    return [name for name in names if name != node and name in pipework.nodes]


def devices(circuit: Closed, pipework: Pipework, part: str) -> list[Node]:
    """The devices of a kind on the circuit's pipes."""
    found = _DEVICES((pipework.graph,), None, partial(_devices, pipework)).get(part, ())
    return [pipework.nodes[key] for key in found if key in circuit.nodes]


def _devices(pipework: Pipework) -> dict[str, list[str]]:
    found: dict[str, list[str]] = defaultdict(list)
    for key, node in pipework.nodes.items():
        if node.kind == "device":
            found[node.part].append(key)
    return dict(found)


_DEVICES: Remembered[dict[str, list[str]]] = Remembered(8)


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


def leading_number(text: str) -> float | None:
    """The number a setting begins with: "18", "3bar", "2.5"."""
    digits = ""
    for sign in text.replace(",", "."):
        if not (sign.isdigit() or sign == "." and "." not in digits):
            break
        digits += sign
    return float(digits) if digits.strip(".") else None


def lowest(circuit: Closed, pipework: Pipework) -> Region:
    """The lowest point of the circuit's pipes with all that lies level with it."""
    slopes = _slopes(circuit, pipework)
    return slopes.flat(slopes.lowest[1], pipework)


def tops(circuit: Closed, pipework: Pipework) -> list[Region]:
    """The high points of the circuit's pipes, the highest first."""
    return _TOPS((circuit, pipework), None, lambda: _tops(circuit, pipework))


@dataclass(frozen=True, slots=True)
class _Heights:
    """The nodes of a run and its ends by what is beside them: those with a higher neighbour; pairs that lie level; the lowest node
    and its height [mm]."""

    below: tuple[str, ...]
    level: tuple[tuple[str, str], ...]
    lowest: tuple[float, str]


@dataclass(frozen=True, slots=True)
class _Slopes:
    """The nodes of a circuit. below: those with a higher neighbour; level: node -> nodes that lie level with it, next to it; lowest: the
    lowest node and its height [mm]."""

    below: set[str]
    level: dict[str, list[str]]
    lowest: tuple[float, str]

    def flat(self, start: str, pipework: Pipework) -> Region:
        """A node and all that can be reached from it on the level."""
        waiting, members = [start], {start}
        while waiting:
            for other in self.level.get(waiting.pop(), ()):
                if other not in members:
                    members.add(other)
                    waiting.append(other)
        order = sorted(members, key=_places(pipework).__getitem__) if len(members) > 1 else [start]
        heights = [pipework.nodes[key].at.z for key in order]
        return Region(sum(heights) / len(order), tuple(order), pipework.nodes[order[len(order) // 2]].at)


_SLOPES: Remembered[_Slopes] = Remembered(8)
_TOPS: Remembered[list[Region]] = Remembered(8)
_HEIGHTS: Remembered[_Heights] = Remembered(1_500)


def _heights(part: Part, nodes: dict[str, Node]) -> _Heights:
    below, level = [], []
    for straight in part.straights.values():
        a, b = straight.from_node, straight.to_node
        rise = nodes[b].at.z - nodes[a].at.z
        if abs(rise) <= LEVEL_MM:
            level.append((a, b))
        else:
            below.append(b if rise < 0 else a)
    ends = {node for straight in part.straights.values() for node in (straight.from_node, straight.to_node)}
    return _Heights(tuple(below), tuple(level), min((nodes[key].at.z, key) for key in ends or part.nodes))


def _slopes(circuit: Closed, pipework: Pipework) -> _Slopes:
    return _SLOPES((circuit, pipework), None, lambda: _find_slopes(circuit, pipework))


def _find_slopes(circuit: Closed, pipework: Pipework) -> _Slopes:
    nodes = pipework.nodes
    runs = []
    for run in circuit.runs:
        part = pipework.parts[run]
        ends = tuple(nodes[node].at.z for node, _, _ in part.outer)
        runs.append(_HEIGHTS((part,), ends, partial(_heights, part, nodes)))
    level: dict[str, list[str]] = defaultdict(list)
    for one in runs:
        for a, b in one.level:
            level[a].append(b)
            level[b].append(a)
    return _Slopes({key for one in runs for key in one.below}, level, min(one.lowest for one in runs))


def _tops(circuit: Closed, pipework: Pipework) -> list[Region]:
    slopes, beside = _slopes(circuit, pipework), pipework.graph.beside
    seen: set[str] = set()
    found = []
    for start in sorted(key for key in circuit.nodes - slopes.below if key in beside):
        if start not in seen:
            region = slopes.flat(start, pipework)
            seen.update(region.nodes)
            if slopes.below.isdisjoint(region.nodes):
                found.append(region)
    return sorted(found, key=lambda region: -region.z_mm)


def _places(pipework: Pipework) -> dict[str, int]:
    """The place of every node in the document."""
    return _PLACES((pipework.graph,), len(pipework.nodes), lambda: {key: n for n, key in enumerate(pipework.nodes)})


_PLACES: Remembered[dict[str, int]] = Remembered(8)


def region_has(region: Region, pipework: Pipework, part: str) -> bool:
    """Whether a region is drained (part "drain") or vented ("vent"): by a device on it, or by a station's port there."""
    for key in region.nodes:
        node = pipework.nodes[key]
        if node.kind == "device" and node.part == part:
            return True
        if node.kind == "port":
            station = pipework.ports[node.part].station
            brings = station.brings.vents if part == "vent" else station.brings.drains
            if brings or part == "vent" and station.kind == "emitter":
                return True
    return False
