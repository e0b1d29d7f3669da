"""Where water stays and where it stands still: traps below the drains, and dead legs."""

from __future__ import annotations

import heapq
import math
from collections import defaultdict
from dataclasses import dataclass

from ..catalogue import Catalogue
from ..job.ways import Vec
from .trace import Pipework

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

    Water leaves a place if it can reach a drain without climbing; the surface it is left at is the lowest sill on the way: the
    least over all paths of their highest point (a bottleneck shortest path, Dijkstra). A check valve lets water through its own
    way only. A station lets water through between its ports; its own litres stay as far as its body stands below that surface.
    """  # fmt: skip
    edges: dict[str, list[tuple[str, float]]] = defaultdict(list)  # node -> (node it can come from, sill between)
    stations: dict[str, list[str]] = defaultdict(list)
    for key in nodes:
        node = pipework.nodes[key]
        if node.kind == "port":
            stations[pipework.ports[node.part].station.id].append(key)
    inside = [straight for straight in pipework.straights.values() if straight.from_node in nodes]
    for straight in inside:
        sill = max(pipework.nodes[straight.from_node].at.z, pipework.nodes[straight.to_node].at.z)
        for low_end, far in ((straight.from_node, straight.to_node), (straight.to_node, straight.from_node)):
            if not _blocked(pipework, low_end, straight.key):
                edges[low_end].append((far, sill))
    for keys in stations.values():
        for one in keys:
            for other in keys:
                if one != other:
                    edges[one].append((other, max(pipework.nodes[one].at.z, pipework.nodes[other].at.z)))
    level: dict[str, float] = {}
    queue = [
        (node.at.z, key)
        for key in nodes
        if (node := pipework.nodes[key]).kind == "device" and node.part == "drain"
        or node.kind == "port" and pipework.ports[node.part].station.brings.drains
    ]  # fmt: skip
    heapq.heapify(queue)
    while queue:
        height, key = heapq.heappop(queue)
        if key in level:
            continue
        level[key] = height
        for other, sill in edges[key]:
            if other not in level:
                heapq.heappush(queue, (max(height, sill), other))
    if not level:
        return []
    wet: dict[str, float] = {}
    litres: dict[str, float] = {}
    for straight in inside:
        a, b = spans[straight.key]
        ends = (straight.from_node, straight.to_node)
        surface = min(
            (level.get(end, math.inf) for end in ends if not _blocked(pipework, end, straight.key)), default=math.inf
        )
        low, high = min(a.z, b.z), max(a.z, b.z)
        surface = min(surface, high + 2 * SLACK_MM)
        if surface <= low + SLACK_MM:
            continue
        share = 1.0 if surface >= high else (surface - low) / (high - low)
        wet[straight.key] = surface
        litres[straight.key] = (
            share * b.minus(a).length * bore_l_per_mm(catalogue, straight.pipe.code, straight.pipe.size)
        )
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


def _blocked(pipework: Pipework, end: str, straight: str) -> bool:
    """Whether a check valve at the end of a straight keeps the straight's water from going on through it."""
    node = pipework.nodes[end]
    if node.kind != "device" or node.part != "check" or node.arrow == "none":
        return False
    arm = next((arm for arm, key in pipework.arms[end].items() if key == straight), "")
    return (arm == "out") == (node.arrow == "with")


def dead_ends(pipework: Pipework, flow: dict[str, int]) -> list[tuple[str, ...]]:
    """Stretches of straights without flow, each from where water moves to its blind end. A network with no flow at all has none."""
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
