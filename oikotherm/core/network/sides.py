"""The sides of a network, such as flow and return, as they hang from the heat source: trees, ring mains, single-pipe
rings; which way the water goes in each straight and how much."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace

from ..matter import Fluid
from ..pipework.geometry import Pipework
from ..services import spec
from .graph import Fed, through_ports
from .solver import Branch, solve

BYPASS = "bypass"
BAR_KV = 50.0  # typ: the bar of a manifold
STILL_KG_S = 1e-9
MM = 1000.0


def homeward(role: str) -> bool:
    """Whether what a role carries comes back to its source: a return."""
    return spec.role(role).collects


def opposite(role: str) -> tuple[str, ...]:
    """The roles of the same service that run the other way: the return of a flow."""
    return tuple(one.id for one in spec.service(spec.service_of(role)).roles if one.collects != homeward(role))


@dataclass(slots=True)
class Side:
    """What hangs from the source's ports of one role. nearer: node -> (the node nearer the source, the straight
    between; None within a station), near ones first; links: straights that close loops; ring: it comes to the source's
    other ports, by pipe alone; ends: straight -> the nodes it begins and ends at. The ways to its nodes are worked out
    as they are asked for."""

    role: str
    roots: tuple[str, ...]
    nearer: dict[str, tuple[str, str | None]]
    links: tuple[str, ...]
    ring: bool
    ends: dict[str, tuple[str, str]]
    _ways: dict[str | None, tuple[list[str], list[str]]] = field(
        default_factory=dict, init=False, repr=False, compare=False
    )

    def holds(self, node: str | None) -> bool:
        return node in self.nearer

    def nodes_to(self, node: str | None) -> list[str]:
        """Nodes from the source to one, the source's first. Not to be changed."""
        return self._way(node)[0]

    def straights_to(self, node: str | None) -> list[str]:
        """Straights from the source to a node: outward on the flow, homeward on the return. Not to be changed."""
        return self._way(node)[1]

    def straights(self) -> list[str]:
        """All its straights."""
        return [*dict.fromkeys(straight for _, straight in self.nearer.values() if straight is not None), *self.links]

    def _way(self, node: str | None) -> tuple[list[str], list[str]]:
        found = self._ways.get(node)
        if found is None:
            nodes, straights, at = [], [], node
            while at in self.nearer:
                nodes.append(at)
                at, straight = self.nearer[at]
                if straight is not None:
                    straights.append(straight)
            nodes += [at] if at else []
            found = self._ways[node] = nodes[::-1], straights if homeward(self.role) else straights[::-1]
        return found


def roots_of(circuit: Fed, pipework: Pipework, role: str) -> tuple[str, ...]:
    """The source's ports of a role that feed this circuit: flow out of it, return into it."""
    return pipework.memory.keep(
        "roots", (circuit, pipework.graph), role, lambda: _roots_of(circuit, pipework, role), most=24
    )


def _roots_of(circuit: Fed, pipework: Pipework, role: str) -> tuple[str, ...]:
    way = "in" if homeward(role) else "out"
    found = []
    for key in sorted(circuit.nodes):
        if pipework.nodes[key].kind == "port":
            place = pipework.ports[pipework.nodes[key].part]
            if place.station.id == circuit.source.id and place.port.role == role and place.port.way in (way, "either"):
                found.append(key)
    return tuple(found)


def side(circuit: Fed, pipework: Pipework, role: str, mixed: Collection[str]) -> Side:
    """Walk one side from the source, breadth first. A bypass valve stands shut in it."""
    return pipework.memory.keep(
        "side",
        (circuit, pipework.graph),
        (role, frozenset(mixed)),
        lambda: _side(circuit, pipework, role, mixed),
        most=12,
    )


def _side(circuit: Fed, pipework: Pipework, role: str, mixed: Collection[str]) -> Side:
    beside = pipework.graph.beside
    roots = roots_of(circuit, pipework, role)
    others = {root for other in opposite(role) for root in roots_of(circuit, pipework, other)}
    nearer: dict[str, tuple[str, str | None]] = {}
    reached, links, used = set(roots), [], set()
    waiting = list(roots)
    for node in waiting:
        here = pipework.nodes[node]
        if here.kind == "device" and here.part == BYPASS:
            continue
        for other in through_ports(pipework, node, mixed):
            if other not in reached and other in circuit.nodes:
                reached.add(other)
                nearer[other] = (node, None)
                waiting.append(other)
        for other, straight in beside.get(node, ()):
            if straight in used:
                continue
            used.add(straight)
            if other in reached:
                links.append(straight)
                continue
            reached.add(other)
            nearer[other] = (node, straight)
            waiting.append(other)
    return Side(role, roots, nearer, tuple(links), bool(others & reached), pipework.graph.ends)


@dataclass(frozen=True, slots=True)
class Resistance:
    """What a straight puts in the way of the water: its pipe, and what the fittings of its section cost."""

    length_m: float
    bore_mm: float
    roughness_mm: float
    k: float = 0.0
    kvs: tuple[float, ...] = ()


def tree_flows(one: Side, wanted: Mapping[str, float]) -> dict[str, float]:
    """Flow in each straight of a tree [kg/s], along it positive. wanted: node -> what is taken (flow) or given back
    (return) there."""
    found: dict[str, float] = {}
    beyond = dict(wanted)
    sign = -1 if homeward(one.role) else 1
    for node, (near, straight) in reversed(one.nearer.items()):
        flow = beyond.get(node)
        if flow is None:
            continue
        beyond[near] = beyond.get(near, 0.0) + flow
        if straight is not None:
            found[straight] = flow * sign * (1 if one.ends[straight][0] == near else -1)
    return found


def looped_flows(
    one: Side, wanted: Mapping[str, float], resist: Mapping[str, Resistance], medium: Fluid
) -> tuple[dict[str, float], Side]:
    """Flow in each straight of a side with loops, solved, and the side with every node reached the way most of its
    water comes."""
    straights = one.straights()
    branches = _branches(one, resist)
    branches += [Branch(f"{root}:root", one.roots[0], root, kvs=(BAR_KV,)) for root in one.roots[1:]]
    sign = -1 if homeward(one.role) else 1
    solved = solve(branches, medium, one.roots[0], {node: sign * flow for node, flow in wanted.items()})
    flows = {key: solved.flow_kg_s[key] for key in straights}
    best: dict[str, tuple[float, str, str]] = {}
    for key in straights:
        flow = flows[key] * sign  # outward from the source, as seen on the return as well
        near, far = one.ends[key] if flow > 0 else one.ends[key][::-1]
        if abs(flow) > STILL_KG_S and abs(flow) > best.get(far, (0.0,))[0]:
            best[far] = abs(flow), near, key
    nearer = {
        node: (best[node][1], best[node][2]) if node in best and was[1] is not None else was
        for node, was in one.nearer.items()
    }
    return flows, replace(one, nearer=nearer)


def _branches(one: Side, resist: Mapping[str, Resistance]) -> list[Branch]:
    """The pipes of a side, and the bars of the stations it goes through."""
    pipes = [
        Branch(key, *one.ends[key], own.length_m, own.bore_mm, own.roughness_mm, own.k, own.kvs)
        for key, own in ((key, resist[key]) for key in one.straights())
    ]
    bars = [(node, near) for node, (near, straight) in one.nearer.items() if straight is None]
    return pipes + [Branch(f"{node}:bar", near, node, kvs=(BAR_KV,)) for node, near in bars]


def ring_flows(
    one: Side,
    back: str,
    total_kg_s: float,
    resist: Mapping[str, Resistance],
    emitters: Mapping[str, Branch],
    medium: Fluid,
) -> tuple[dict[str, float], dict[str, float]]:
    """(flow in each straight, flow through each emitter) of a single-pipe ring that carries a flow: ring and emitters
    share it by what they put in its way. back: the source's return node; emitters: station -> its branch with all
    valves open."""
    straights = one.straights()
    branches = _branches(one, resist)
    branches += emitters.values()
    solved = solve(branches, medium, one.roots[0], {back: total_kg_s})
    return {key: solved.flow_kg_s[key] for key in straights}, {key: abs(solved.flow_kg_s[key]) for key in emitters}
