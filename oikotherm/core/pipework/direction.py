"""Which way the water goes: one function on the network, never the order of pacing."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

from .geometry import Pipework, Straight


def flow_directions(pipework: Pipework) -> dict[str, int]:
    """For every straight: 1 from its start to its end, -1 against that, 0 not known.

    Every port that gives fluid out is a source, every port that takes it in a sink of equal share; where a network has
    only one kind, its loose ends stand for the other. A bypass valve is taken as shut: beside it nothing is known.
    Within a connected tree the flow in a straight is what lies on either side of it; a network with loops is solved as
    equal resistances in proportion to flow.
    """
    found = pipework.memory.keep("flow networks", (pipework.graph,), None, lambda: _networks(pipework), most=4)
    looped = [
        _signs(_looped(one.nodes, [pipework.straights[key] for key in one.straights], one.supply))
        for one in found.looped
    ]
    return (
        dict(found.trees) if not looped else {key: way for part in (found.trees, *looped) for key, way in part.items()}
    )


@dataclass(frozen=True, slots=True)
class _Network:
    """What hangs together, with what enters at its nodes."""

    nodes: list[str]
    straights: list[str]
    supply: dict[str, float]


@dataclass(frozen=True, slots=True)
class _Networks:
    """The networks of a pipework. trees: the ways in all that have no loop; looped: the others."""

    trees: dict[str, int]
    looped: list[_Network]


def _networks(pipework: Pipework) -> _Networks:
    edges: dict[str, list[Straight]] = defaultdict(list)
    shut = {key for key, node in pipework.nodes.items() if node.kind == "device" and node.part == "bypass"}
    for straight in pipework.straights.values():
        if straight.from_node in shut or straight.to_node in shut:
            continue
        edges[straight.from_node].append(straight)
        edges[straight.to_node].append(straight)
    found = _Networks({}, [])
    seen: set[str] = set()
    for start in edges:
        if start in seen:
            continue
        nodes = _component(start, edges)
        seen.update(nodes)
        supply = _supply(pipework, nodes, edges)
        straights = {straight.key: straight for node in nodes for straight in edges[node]}
        if len(straights) == len(nodes) - 1:
            found.trees.update(_signs(_tree(nodes, edges, supply)))
        else:
            found.looped.append(_Network(nodes, list(straights), supply))
    return found


def _signs(flows: dict[str, float]) -> dict[str, int]:
    return {key: (flow > 1e-9) - (flow < -1e-9) for key, flow in flows.items()}


def _component(start: str, edges: dict[str, list[Straight]]) -> list[str]:
    order, waiting, seen = [], [start], {start}
    while waiting:
        node = waiting.pop()
        order.append(node)
        for straight in edges[node]:
            for other in (straight.from_node, straight.to_node):
                if other not in seen:
                    seen.add(other)
                    waiting.append(other)
    return order


def _supply(pipework: Pipework, nodes: list[str], edges: dict[str, list[Straight]]) -> dict[str, float]:
    """What enters the network at each node; sums to zero."""
    sources: list[str] = []
    sinks: list[str] = []
    loose: list[str] = []
    for key in nodes:
        node = pipework.nodes[key]
        if node.kind == "port":
            way = pipework.ports[node.part].port.way
            (sources if way == "out" else sinks if way == "in" else loose).append(key)
        elif node.kind in ("open", "stub") or len(edges[key]) == 1 and node.kind == "tee":
            loose.append(key)
    if not sources:
        sources, loose = loose, []
    if not sinks:
        sinks, loose = loose, []
    if not sources or not sinks:
        return {}
    supply = {key: 1.0 / len(sources) for key in sources}
    for key in sinks:
        supply[key] = supply.get(key, 0.0) - 1.0 / len(sinks)
    return supply


def _tree(nodes: list[str], edges: dict[str, list[Straight]], supply: dict[str, float]) -> dict[str, float]:
    """Flow in each straight of a tree: all that enters beyond it comes back through it."""
    parent: dict[str, Straight] = {}
    order, waiting = [], [nodes[0]]
    reached = {nodes[0]}
    while waiting:
        node = waiting.pop()
        order.append(node)
        for straight in edges[node]:
            other = straight.to_node if straight.from_node == node else straight.from_node
            if other not in reached:
                reached.add(other)
                parent[other] = straight
                waiting.append(other)
    beyond = {node: supply.get(node, 0.0) for node in nodes}
    flows: dict[str, float] = {}
    for node in reversed(order[1:]):
        straight = parent[node]
        other = straight.to_node if straight.from_node == node else straight.from_node
        beyond[other] += beyond[node]
        flows[straight.key] = beyond[node] if straight.from_node == node else -beyond[node]
    return flows


def _looped(nodes: list[str], straights: list[Straight], supply: dict[str, float]) -> dict[str, float]:
    """Flow with loops: node potentials of equal linear resistances per length."""
    import numpy  # only for networks with loops

    index = {node: n for n, node in enumerate(nodes)}
    matrix = numpy.zeros((len(nodes), len(nodes)))
    for straight in straights:
        a, b = index[straight.from_node], index[straight.to_node]
        ease = 1000.0 / max(straight.length_mm, 1.0)
        matrix[a, a] += ease
        matrix[b, b] += ease
        matrix[a, b] -= ease
        matrix[b, a] -= ease
    right = numpy.array([supply.get(node, 0.0) for node in nodes])
    potential = numpy.linalg.lstsq(matrix, right, rcond=None)[0]
    return {
        straight.key: float(potential[index[straight.from_node]] - potential[index[straight.to_node]])
        * 1000.0
        / max(straight.length_mm, 1.0)
        for straight in straights
    }
