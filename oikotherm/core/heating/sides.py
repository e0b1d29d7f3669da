"""The two sides of a circuit, flow and return, as they hang from the heat source: trees, ring mains, single-pipe rings; which way
the water goes in each straight and how much."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace

from ..matter import Fluid
from ..pipework.trace import Pipework, Straight
from .circuits import Closed, neighbours, through_ports
from .network import Branch, solve

BYPASS = "bypass"
BAR_KV = 50.0  # typ: the bar of a manifold
STILL_KG_S = 1e-9
MM = 1000.0


@dataclass(frozen=True, slots=True)
class Side:
    """What hangs from the source's ports of one role. nearer: node -> (the node nearer the source, the straight between; None
    within a station); links: straights that close loops; ring: it comes to the source's other ports, by pipe alone."""

    role: str
    roots: tuple[str, ...]
    nearer: dict[str, tuple[str, Straight | None]]
    links: tuple[Straight, ...]
    ring: bool

    def holds(self, node: str | None) -> bool:
        return node in self.nearer

    def nodes_to(self, node: str | None) -> list[str]:
        """Nodes from the source to one, the source's first."""
        found = []
        while node in self.nearer:
            found.append(node)
            node = self.nearer[node][0]
        return [*([node] if node else []), *found[::-1]]

    def straights_to(self, node: str | None) -> list[str]:
        """Straights from the source to a node: outward on the flow, homeward on the return."""
        keys: list[str] = []
        while node in self.nearer:
            node, straight = self.nearer[node]
            if straight is not None:
                keys.append(straight.key)
        return keys[::-1] if self.role == "flow" else keys


def roots_of(circuit: Closed, pipework: Pipework, role: str) -> tuple[str, ...]:
    """The source's ports of a role that feed this circuit: flow out of it, return into it."""
    way = "out" if role == "flow" else "in"
    found = []
    for key in sorted(circuit.nodes):
        if pipework.nodes[key].kind == "port":
            place = pipework.ports[pipework.nodes[key].part]
            if place.station.id == circuit.source.id and place.port.role == role and place.port.way in (way, "either"):
                found.append(key)
    return tuple(found)


def side(circuit: Closed, pipework: Pipework, role: str, mixed: Collection[str]) -> Side:
    """Walk one side from the source, breadth first. A bypass valve stands shut in it."""
    beside = neighbours(pipework)
    roots = roots_of(circuit, pipework, role)
    others = set(roots_of(circuit, pipework, "return" if role == "flow" else "flow"))
    nearer: dict[str, tuple[str, Straight | None]] = {}
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
        for other, straight in beside[node]:
            if straight.key in used:
                continue
            used.add(straight.key)
            if other in reached:
                links.append(straight)
                continue
            reached.add(other)
            nearer[other] = (node, straight)
            waiting.append(other)
    return Side(role, roots, nearer, tuple(links), bool(others & reached))


@dataclass(frozen=True, slots=True)
class Resistance:
    """What a straight puts in the way of the water: its pipe, and what the fittings of its section cost."""

    length_m: float
    bore_mm: float
    roughness_mm: float
    k: float = 0.0
    kvs: tuple[float, ...] = ()


def tree_flows(one: Side, wanted: Mapping[str, float]) -> dict[str, float]:
    """Flow in each straight of a tree [kg/s], along it positive. wanted: node -> what is taken (flow) or given back (return) there."""
    found: dict[str, float] = defaultdict(float)
    for node, flow in wanted.items():
        at = node
        while at in one.nearer:
            near, straight = one.nearer[at]
            if straight is not None:
                outward = 1 if straight.from_node == near else -1
                found[straight.key] += flow * outward * (1 if one.role == "flow" else -1)
            at = near
    return found


def looped_flows(
    one: Side, wanted: Mapping[str, float], resist: Mapping[str, Resistance], medium: Fluid
) -> tuple[dict[str, float], Side]:
    """Flow in each straight of a side with loops, solved, and the side with every node reached the way most of its water comes."""
    straights = {
        straight.key: straight for _, straight in one.nearer.values() if straight is not None
    } | {straight.key: straight for straight in one.links}  # fmt: skip
    branches = [_pipe(straight, resist[key]) for key, straight in straights.items()]
    branches += [
        Branch(f"{node}:bar", near, node, kvs=(BAR_KV,))
        for node, (near, straight) in one.nearer.items()
        if straight is None
    ]
    branches += [Branch(f"{root}:root", one.roots[0], root, kvs=(BAR_KV,)) for root in one.roots[1:]]
    sign = 1 if one.role == "flow" else -1
    solved = solve(branches, medium, one.roots[0], {node: sign * flow for node, flow in wanted.items()})
    flows = {key: solved.flow_kg_s[key] for key in straights}
    best: dict[str, tuple[float, str, Straight]] = {}
    for key, straight in straights.items():
        flow = flows[key] * sign  # outward from the source, as seen on the return as well
        near, far = (straight.from_node, straight.to_node) if flow > 0 else (straight.to_node, straight.from_node)
        if abs(flow) > STILL_KG_S and abs(flow) > best.get(far, (0.0,))[0]:
            best[far] = abs(flow), near, straight
    nearer = {
        node: (best[node][1], best[node][2]) if node in best and was[1] is not None else was
        for node, was in one.nearer.items()
    }
    return flows, replace(one, nearer=nearer)


def _pipe(straight: Straight, resist: Resistance) -> Branch:
    return Branch(
        straight.key, straight.from_node, straight.to_node, resist.length_m, resist.bore_mm, resist.roughness_mm, resist.k, resist.kvs
    )  # fmt: skip


def ring_flows(
    one: Side, back: str, total_kg_s: float, resist: Mapping[str, Resistance], emitters: Mapping[str, Branch], medium: Fluid
) -> tuple[dict[str, float], dict[str, float]]:  # fmt: skip
    """(flow in each straight, flow through each emitter) of a single-pipe ring that carries a flow: ring and emitters share it by what
    they put in its way. back: the source's return node; emitters: station -> its branch with all valves open."""
    straights = {
        straight.key: straight for _, straight in one.nearer.values() if straight is not None
    } | {straight.key: straight for straight in one.links}  # fmt: skip
    branches = [_pipe(straight, resist[key]) for key, straight in straights.items()]
    branches += [
        Branch(f"{node}:bar", near, node, kvs=(BAR_KV,))
        for node, (near, straight) in one.nearer.items()
        if straight is None
    ]
    branches += emitters.values()
    solved = solve(branches, medium, one.roots[0], {back: total_kg_s})
    return {key: solved.flow_kg_s[key] for key in straights}, {key: abs(solved.flow_kg_s[key]) for key in emitters}
