"""What every network of pipe has: stations that let water through, devices, high and low points, whatever the
service."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass
from functools import partial
from typing import Protocol

from ..job.model import Station
from ..job.ways import Vec
from ..pipework.geometry import Node, Pipework, RunPipework
from ..services import spec

LEVEL_MM = 5.0
CLOSES = ("iso", "gate")  # devices that shut the water off
SHUTS = (*CLOSES, "check")  # that let it stand


class Net(Protocol):
    """Pipework that hangs together: keys of its nodes, and its runs."""

    @property
    def nodes(self) -> frozenset[str]: ...

    @property
    def runs(self) -> tuple[str, ...]: ...


class Fed(Net, Protocol):
    """A net with the station it hangs from."""

    @property
    def source(self) -> Station: ...


@dataclass(frozen=True, slots=True)
class Region:
    """Points of equal height that hang together."""

    z_mm: float
    nodes: tuple[str, ...]
    at: Vec


def has_trait(station: Station, trait: str) -> bool:
    """Whether a station is of a kind with this trait (see services.kinds.TRAITS)."""
    return trait in spec.kind(station.kind).traits


def hub_port(pipework: Pipework, node: str) -> bool:
    """Whether a manifold's port is on the side that feeds it: in, or out for what it brings back."""
    port = pipework.ports[pipework.nodes[node].part].port
    return port.way == ("out" if spec.role(port.role).collects else "in")


def through_ports(pipework: Pipework, node: str, mixed: Collection[str] = ()) -> list[str]:
    """The ports that water comes out of when it enters a station here: those of the same bar of a manifold (not through
    a mixing set), the other side of a pump. Empty for any other node."""
    here = pipework.nodes[node]
    if here.kind != "port":
        return []
    place = pipework.ports[here.part]
    station = place.station
    if has_trait(station, "through"):
        names = [f"{station.id}.{port.name}" for port in station.ports]
    elif has_trait(station, "bars"):
        names = [f"{station.id}.{port.name}" for port in station.ports if port.role == place.port.role]
        if station.id in mixed:
            hub = hub_port(pipework, node)
            names = [name for name in names if name in pipework.nodes and hub_port(pipework, name) == hub]
    else:
        return []
    return [name for name in names if name != node and name in pipework.nodes]


def devices(circuit: Net, pipework: Pipework, part: str) -> list[Node]:
    """The devices of a kind on the circuit's pipes."""
    found = pipework.memory.keep("devices", (pipework.graph,), None, partial(_devices, pipework), most=4).get(part, ())
    return [pipework.nodes[key] for key in found if key in circuit.nodes]


def _devices(pipework: Pipework) -> dict[str, list[str]]:
    found: dict[str, list[str]] = defaultdict(list)
    for key, node in pipework.nodes.items():
        if node.kind == "device":
            found[node.part].append(key)
    return dict(found)


def lowest(circuit: Net, pipework: Pipework) -> Region:
    """The lowest point of the circuit's pipes with all that lies level with it."""
    slopes = _slopes(circuit, pipework)
    return slopes.flat(slopes.lowest[1], pipework)


def tops(circuit: Net, pipework: Pipework) -> list[Region]:
    """The high points of the circuit's pipes, the highest first."""
    return pipework.memory.keep("high points", (circuit, pipework), None, lambda: _tops(circuit, pipework), most=4)


@dataclass(frozen=True, slots=True)
class _Heights:
    """The nodes of a run and its ends by what is beside them: those with a higher neighbour; pairs that lie level; the
    lowest node and its height [mm]."""

    below: tuple[str, ...]
    level: tuple[tuple[str, str], ...]
    lowest: tuple[float, str]


@dataclass(frozen=True, slots=True)
class _Slopes:
    """The nodes of a circuit. below: those with a higher neighbour; level: node -> nodes that lie level with it, next
    to it; lowest: the lowest node and its height [mm]."""

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


def _heights(part: RunPipework, nodes: dict[str, Node]) -> _Heights:
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


def _slopes(circuit: Net, pipework: Pipework) -> _Slopes:
    return pipework.memory.keep("slopes", (circuit, pipework), None, lambda: _find_slopes(circuit, pipework), most=4)


def _find_slopes(circuit: Net, pipework: Pipework) -> _Slopes:
    nodes = pipework.nodes
    runs = []
    for run in circuit.runs:
        part = pipework.by_run[run]
        ends = tuple(nodes[node].at.z for node, _, _ in part.outer)
        runs.append(pipework.memory.keep("heights", (part,), ends, partial(_heights, part, nodes)))
    level: dict[str, list[str]] = defaultdict(list)
    for one in runs:
        for a, b in one.level:
            level[a].append(b)
            level[b].append(a)
    return _Slopes({key for one in runs for key in one.below}, level, min(one.lowest for one in runs))


def _tops(circuit: Net, pipework: Pipework) -> list[Region]:
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
    return pipework.memory.keep(
        "places of nodes",
        (pipework.graph,),
        len(pipework.nodes),
        lambda: {key: n for n, key in enumerate(pipework.nodes)},
        most=4,
    )


def region_has(region: Region, pipework: Pipework, part: str) -> bool:
    """Whether a region is drained (part "drain") or vented ("vent"): by a device on it, or by a station's port
    there."""
    for key in region.nodes:
        node = pipework.nodes[key]
        if node.kind == "device" and node.part == part:
            return True
        if node.kind == "port":
            station = pipework.ports[node.part].station
            brings = station.brings.vents if part == "vent" else station.brings.drains
            if brings or part == "vent" and has_trait(station, "vents"):
                return True
    return False
