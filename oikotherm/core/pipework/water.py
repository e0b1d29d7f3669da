"""Where water stays and where it stands still: traps below the drains, and dead legs."""

from __future__ import annotations

import heapq
import math
from collections import defaultdict
from dataclasses import dataclass

from ..catalogue import Catalogue
from ..job.ways import Vec
from .geometry import Pipework

SLACK_MM = 1.0
USUAL_HEIGHT_MM = 600.0  # typ: of a station whose height is not said


@dataclass(frozen=True, slots=True)
class Trap:
    """Water that no drain reaches. level_mm: its surface; straights: where it stands; run: the first of them."""

    level_mm: float
    litres: float
    straights: tuple[str, ...]
    stations: tuple[str, ...]
    run: str
    at: Vec


def bore_l_per_mm(catalogue: Catalogue, code: str, size: str) -> float:
    """Litres in a millimetre of pipe; 0 for one without a bore."""
    row = catalogue.pipe(code, size)
    return math.pi / 4 * (row.bore_mm / 100) ** 2 / 100 if row and row.bore_mm else 0.0


def traps(
    pipework: Pipework, nodes: frozenset[str], spans: dict[str, tuple[Vec, Vec]], catalogue: Catalogue
) -> list[Trap]:
    """The water that stays in a connected pipework when all its drains are open and air comes in everywhere.

    Water leaves a place if it can reach a drain without climbing; the surface it is left at is the lowest sill on the
    way: the
    least over all paths of their highest point (a bottleneck shortest path, Dijkstra). A check valve lets water through
    its own
    way only. A station lets water through between its ports; its own litres stay as far as its body stands below that
    surface.
    """
    ways = pipework.memory.keep("ways of water", (pipework.graph,), nodes, lambda: _ways(pipework, nodes), most=8)
    z = {key: pipework.nodes[key].at.z for key in nodes}
    stations = ways.stations
    level: dict[str, float] = {}
    queue = [(z[key], key) for key in ways.drains]
    heapq.heapify(queue)
    while queue:
        height, key = heapq.heappop(queue)
        if key in level:
            continue
        level[key] = height
        for other in ways.into[key]:
            if other not in level:
                heapq.heappush(queue, (max(height, z[other]), other))
    if not level:
        return []
    wet: dict[str, float] = {}
    litres: dict[str, float] = {}
    for key, through in ways.out_of.items():
        surface = min([level.get(end, math.inf) for end in through], default=math.inf)
        a, b = spans[key]
        low, high = (a.z, b.z) if a.z < b.z else (b.z, a.z)
        if surface <= low + SLACK_MM:
            continue
        surface = min(surface, high + 2 * SLACK_MM)
        pipe = pipework.straights[key].pipe
        share = 1.0 if surface >= high else (surface - low) / (high - low)
        wet[key] = surface
        litres[key] = share * b.minus(a).length * bore_l_per_mm(catalogue, pipe.code, pipe.size)
    if not wet:
        return []
    inside = [pipework.straights[key] for key in ways.out_of]
    found: list[Trap] = []
    left = set(wet)
    by_node: dict[str, list[str]] = defaultdict(list)
    for straight in inside:
        for node_key in (straight.from_node, straight.to_node):
            by_node[node_key].append(straight.key)
    station_of = {key: ident for ident, keys in stations.items() for key in keys}
    for start in (straight.key for straight in inside):
        if start not in left:
            continue
        group, held, waiting = [], set(), [start]
        left.discard(start)
        while waiting:
            key = waiting.pop()
            group.append(key)
            for node_key in (pipework.straights[key].from_node, pipework.straights[key].to_node):
                if pipework.nodes[node_key].at.z > wet[key] + SLACK_MM:
                    continue
                ident = station_of.get(node_key)
                if ident:
                    held.add(ident)
                beside = by_node[node_key] + [one for other in stations.get(ident or "", ()) for one in by_node[other]]
                for other in beside:
                    if other in left:
                        left.discard(other)
                        waiting.append(other)
        volume = sum(litres[key] for key in group)
        for ident in held:
            place = pipework.ports[pipework.nodes[stations[ident][0]].part]
            data = place.station.data
            bottom = place.plane.z - place.port.offset[2]
            share = (wet[start] - bottom) / (data.height_mm or USUAL_HEIGHT_MM)
            volume += (data.volume_l or 0.0) * min(1.0, max(0.0, share))
        order = [straight.key for straight in inside if straight.key in set(group)]
        lowest = min(order, key=lambda key: min(spans[key][0].z, spans[key][1].z))
        a, b = spans[lowest]
        middle = a.plus(b.minus(a), 0.5)
        found.append(
            Trap(wet[start], volume, tuple(order), tuple(sorted(held)), pipework.straights[order[0]].run, middle)
        )
    return sorted(found, key=lambda trap: -trap.litres)


@dataclass(frozen=True, slots=True)
class _Ways:
    """The ways of water through a network. into: node -> nodes that water can come into it from; out_of: straight ->
    those of its ends
    it can leave by; stations: station -> its nodes; drains: nodes that are drained."""

    into: dict[str, list[str]]
    out_of: dict[str, list[str]]
    stations: dict[str, list[str]]
    drains: list[str]


def _ways(pipework: Pipework, nodes: frozenset[str]) -> _Ways:
    stations: dict[str, list[str]] = defaultdict(list)
    into: dict[str, list[str]] = {key: [] for key in nodes}
    out_of: dict[str, list[str]] = {}
    drains = []
    for key in nodes:
        node = pipework.nodes[key]
        if node.kind == "port":
            station = pipework.ports[node.part].station
            stations[station.id].append(key)
            if station.brings.drains:
                drains.append(key)
        elif node.kind == "device" and node.part == "drain":
            drains.append(key)
    for straight in pipework.straights.values():
        if straight.from_node in nodes:
            ends = straight.from_node, straight.to_node
            out_of[straight.key] = [end for end in ends if not _blocked(pipework, end, straight.key)]
            for end in out_of[straight.key]:
                into[end].append(ends[1] if end == ends[0] else ends[0])
    for keys in stations.values():
        for one in keys:
            into[one] += [other for other in keys if other != one]
    return _Ways(into, out_of, stations, drains)


def _blocked(pipework: Pipework, end: str, straight: str) -> bool:
    """Whether a check valve at the end of a straight keeps the straight's water from going on through it."""
    node = pipework.nodes[end]
    if node.kind != "device" or node.part != "check" or node.arrow == "none":
        return False
    arm = next((arm for arm, key in pipework.arms[end].items() if key == straight), "")
    return (arm == "out") == (node.arrow == "with")


def dead_ends(pipework: Pipework, flow: dict[str, int]) -> list[tuple[str, ...]]:
    """Stretches of straights without flow, each from where water moves to its blind end. A network with no flow at all
    has none."""
    still: dict[str, list[str]] = defaultdict(list)
    moving: set[str] = set()
    for key, straight in pipework.straights.items():
        if flow.get(key, 0):
            moving.update((straight.from_node, straight.to_node))
        else:
            still[straight.from_node].append(key)
            still[straight.to_node].append(key)
    found = []
    seen: set[str] = set()
    for start in moving:
        for first in still.get(start, ()):
            if first in seen:
                continue
            group, waiting = [], [(first, start)]
            seen.add(first)
            while waiting:
                key, came = waiting.pop()
                group.append(key)
                straight = pipework.straights[key]
                far = straight.to_node if straight.from_node == came else straight.from_node
                for other in still.get(far, ()):
                    if other not in seen and far not in moving:
                        seen.add(other)
                        waiting.append((other, far))
            found.append(tuple(group))
    return found
