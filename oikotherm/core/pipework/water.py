"""Where water stays and where it stands still: traps below the drains, and dead legs."""

from __future__ import annotations

import heapq
import math
from collections import defaultdict
from dataclasses import dataclass

from ..catalogue import Catalogue
from ..job.ways import Vec
from .geometry import Pipework, Straight

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
    way: the least over all paths of their highest point (a bottleneck shortest path, Dijkstra). A check valve lets
    water through its own way only. A station lets water through between its ports; its own litres stay as far as its
    body stands below that surface.
    """
    ways = pipework.memory.keep("ways of water", (pipework.graph,), nodes, lambda: _ways(pipework, nodes), most=8)
    level = _levels(pipework, nodes, ways)
    if not level:
        return []
    surfaces = {key: _surface(level, through, spans[key]) for key, through in ways.out_of.items()}
    wet = {key: surface for key, surface in surfaces.items() if surface is not None}
    pools = _pools(pipework, ways, wet)
    found = [_trap(pipework, pool, ways, wet, spans, catalogue) for pool in pools]
    return sorted(found, key=lambda trap: -trap.litres)


def _levels(pipework: Pipework, nodes: frozenset[str], ways: _Ways) -> dict[str, float]:
    """Node -> the surface water is left at there [mm], for those that a drain reaches: Dijkstra over the highest
    point."""
    z = {key: pipework.nodes[key].at.z for key in nodes}
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
    return level


def _surface(level: dict[str, float], through: list[str], span: tuple[Vec, Vec]) -> float | None:
    """The surface water is left at in a straight [mm]; None where it runs empty."""
    surface = min([level.get(end, math.inf) for end in through], default=math.inf)
    low, high = sorted((span[0].z, span[1].z))
    return None if surface <= low + SLACK_MM else min(surface, high + 2 * SLACK_MM)


def _pools(pipework: Pipework, ways: _Ways, wet: dict[str, float]) -> list[tuple[list[str], set[str]]]:
    """Wet straights that hang together below their surface, in the order of the pipework, with the stations among
    them."""
    by_node: dict[str, list[str]] = defaultdict(list)
    for key in ways.out_of:
        straight = pipework.straights[key]
        for node_key in (straight.from_node, straight.to_node):
            by_node[node_key].append(key)
    station_of = {key: ident for ident, keys in ways.stations.items() for key in keys}
    left = set(wet)
    found = []
    for start in ways.out_of:
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
                ident = station_of.get(node_key, "")
                held |= {ident} if ident else set()
                nodes = (node_key, *ways.stations.get(ident, ()))
                new = dict.fromkeys(one for node in nodes for one in by_node[node] if one in left)
                left -= new.keys()
                waiting += new
        inside = set(group)
        found.append(([start, *(key for key in ways.out_of if key in inside and key != start)], held))
    return found


def _trap(
    pipework: Pipework,
    pool: tuple[list[str], set[str]],
    ways: _Ways,
    wet: dict[str, float],
    spans: dict[str, tuple[Vec, Vec]],
    catalogue: Catalogue,
) -> Trap:
    """The water of a pool: its pipe up to the surface, and its stations as far as they stand below it."""
    keys, held = pool
    surface = wet[keys[0]]
    litres = sum(_litres_up_to(pipework.straights[key], spans[key], wet[key], catalogue) for key in keys)
    for ident in held:
        place = pipework.ports[pipework.nodes[ways.stations[ident][0]].part]
        data = place.station.data
        bottom = place.plane.z - place.port.offset[2]
        share = (surface - bottom) / (data.height_mm or USUAL_HEIGHT_MM)
        litres += (data.volume_l or 0.0) * min(1.0, max(0.0, share))
    order = [key for key in ways.out_of if key in set(keys)]
    lowest = min(order, key=lambda key: min(spans[key][0].z, spans[key][1].z))
    a, b = spans[lowest]
    middle = a.plus(b.minus(a), 0.5)
    return Trap(surface, litres, tuple(order), tuple(sorted(held)), pipework.straights[order[0]].run, middle)


def _litres_up_to(straight: Straight, span: tuple[Vec, Vec], surface: float, catalogue: Catalogue) -> float:
    a, b = span
    low, high = sorted((a.z, b.z))
    share = 1.0 if surface >= high else (surface - low) / (high - low)
    return share * b.minus(a).length * bore_l_per_mm(catalogue, straight.pipe.code, straight.pipe.size)


@dataclass(frozen=True, slots=True)
class _Ways:
    """The ways of water through a network. into: node -> nodes that water can come into it from; out_of: straight ->
    those of its ends it can leave by; stations: station -> its nodes; drains: nodes that are drained."""

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
