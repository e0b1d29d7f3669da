"""trace(job) -> Pipework: where every pipe runs, before anyone asks which fittings that takes.

A run is walked leg by leg from its start. Where the way turns, a tee, device or pipe change stands, or a run ends, there
is a node; between two nodes lies a straight. Nodes and straights are known by keys made from item ids, so that an edit
elsewhere leaves them alone.

At one spot several things may stand between two legs. One of them has the spot itself: the tee if there is one, else the
turn, else the first device. What is said before it stands close to it on the leg that arrives, what is said after it on
the leg that leaves; dress() works out how near that can be made.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import partial
from typing import Literal

from ..catalogue import Catalogue, KitRow
from ..job.model import (
    DeviceItem,
    Item,
    Job,
    Lie,
    Pass,
    Pipe,
    PipeChange,
    Point,
    Port,
    Run,
    Station,
    Tee,
    is_point_name,
    split_anchor,
)
from ..job.ways import DIRECTIONS, Vec
from ..memo import Remembered
from .walk import SAME_WAY, Move, RunTrace, Walker

NodeKind = Literal["port", "turn", "tee", "device", "change", "cap", "plug", "stub", "open"]


@dataclass(frozen=True, slots=True)
class KitPlace:
    """A kit part of a port where it sits. at: its centre; mouth: plane of its outer end; facing: way out of that end."""

    key: str
    row: KitRow
    at: Vec
    mouth: Vec
    facing: Vec


@dataclass(frozen=True, slots=True)
class PortPlace:
    """A port in the house. mouth and facing: of the outer end of its kit, where a run meets it; end: that end."""

    key: str
    station: Station
    port: Port
    plane: Vec
    mouth: Vec
    facing: Vec
    end: str
    kit: tuple[KitPlace, ...]
    unknown_kit: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Node:
    """A place where straights meet. arms: arm name -> direction out of the node along that straight."""

    key: str
    kind: NodeKind
    at: Vec
    run: str
    item: str = ""
    part: str = ""
    name: str = ""
    close: bool = False  # stands close to the node that has the spot; `at` is still the spot
    arrow: Literal["with", "against", "none"] = "none"
    handle: str = ""


@dataclass(frozen=True, slots=True)
class Straight:
    """Pipe in one line between two nodes. close: between things at one spot; its length is made by dress().

    a, b: ends of the centre line [mm]; legs: items it was paced with; place, lag_mm: how it lies where it begins; place_to: and where it ends.
    """

    key: str
    run: str
    pipe: Pipe
    a: Vec
    b: Vec
    way: Vec
    length_mm: float
    legs: tuple[str, ...]
    from_node: str
    from_arm: str
    to_node: str
    to_arm: str
    close: bool = False
    place: str = ""
    lag_mm: float = 0.0
    assumed: bool = False
    place_to: str = ""


@dataclass(frozen=True, slots=True)
class PassPlace:
    """A pass through a wall, floor or ceiling: from the face entered, along the pipe."""

    item: Pass
    run: str
    at: Vec
    way: Vec


class Links:
    """How the straights of a run hang together, without where they lie: the same object for the same keys, kinds and ends."""

    __slots__ = ("ends",)

    def __init__(self, ends: tuple[tuple[str, str, str], ...]) -> None:
        self.ends = ends
        """(straight, the nodes it begins and ends at)"""


class Form:
    """What decides the fittings of a run: its pipes and the ways they go, without lengths and places; the same object for the same."""

    __slots__ = ()


@dataclass(frozen=True, slots=True)
class Part:
    """What one run adds to the pipework: its nodes, and its straights in pacing order.

    arms: those of its own straights on its own nodes; outer: ends of its straights on ports and on nodes of other runs, as (node, arm,
    straight); joins: points where another run may simply go on; links, form: what stays when lengths change.
    """

    nodes: dict[str, Node]
    straights: dict[str, Straight]
    passes: tuple[PassPlace, ...]
    joins: tuple[str, ...]
    arms: dict[str, dict[str, str]]
    outer: tuple[tuple[str, str, str], ...]
    links: Links
    form: Form


class Graph:
    """The network of a pipework without lengths and places: the same object as long as nothing is joined otherwise."""

    __slots__ = ("beside", "ends")

    def __init__(self, ends: Iterable[tuple[str, str, str]]) -> None:
        self.ends: dict[str, tuple[str, str]] = {}
        """straight -> the nodes it begins and ends at"""
        self.beside: dict[str, list[tuple[str, str]]] = defaultdict(list)
        """node -> (other node, the straight between)"""
        for key, a, b in ends:
            self.ends[key] = a, b
            self.beside[a].append((b, key))
            self.beside[b].append((a, key))


@dataclass(frozen=True, slots=True)
class Pipework:
    """The geometry of a job. Dicts are in the order of the document."""

    ports: dict[str, PortPlace]
    nodes: dict[str, Node]
    straights: dict[str, Straight]
    runs: dict[str, RunTrace]
    passes: tuple[PassPlace, ...]
    arms: dict[str, dict[str, str]]
    """node key -> arm name -> straight key"""
    parts: dict[str, Part]
    """Run -> what it adds; runs with nothing paced are left out."""
    graph: Graph

    def way_out(self, node: str, arm: str) -> Vec:
        """Direction out of a node along one of its arms."""
        straight = self.straights[self.arms[node][arm]]
        return straight.way if (straight.from_node, straight.from_arm) == (node, arm) else straight.way.times(-1)


def station_point(station: Station, floor_mm: float, offset: tuple[float, float, float]) -> Vec:
    """A point given as (right, out, up) from the bottom centre of a station's back, in the house."""
    out = DIRECTIONS[station.faces]
    right = Vec(-out.y, out.x, 0)
    base = Vec(station.at[0], station.at[1], station.at[2] + floor_mm)
    return base.plus(right, offset[0]).plus(out, offset[1]).plus(Vec(0, 0, offset[2]))


def station_way(station: Station, facing: str) -> Vec:
    """A facing word (left, right, out, back, up, down, seen from the front) as a direction in the house."""
    out = DIRECTIONS[station.faces]
    right = Vec(-out.y, out.x, 0)
    words = {
        "out": out,
        "back": out.times(-1),
        "right": right,
        "left": right.times(-1),
        "up": DIRECTIONS["U"],
        "down": DIRECTIONS["D"],
    }
    return words[facing]


def _port_place(station: Station, port: Port, floor_mm: float, catalogue: Catalogue) -> PortPlace:
    key = f"{station.id}.{port.name}"
    plane = station_point(station, floor_mm, port.offset)
    at, way, end = plane, station_way(station, port.facing), port.end
    kit: list[KitPlace] = []
    unknown: list[str] = []
    for number, part in enumerate(port.kit, 1):
        row = catalogue.kits.get(part.part)
        if row is None:
            unknown.append(part.part)
            continue
        centre = at.plus(way, row.reach_in_mm)
        if part.turn and row.turns:
            way = station_way(station, part.turn)
        at = centre.plus(way, row.reach_out_mm)
        end = row.outer_end
        kit.append(KitPlace(f"{key}/kit{number}", row, centre, at, way))
    return PortPlace(key, station, port, plane, at, way, end, tuple(kit), tuple(unknown))


def trace(job: Job, catalogue: Catalogue) -> Pipework:
    """Walk every run of the job. Never raises: what cannot be placed is adrift, what cannot be solved is named.

    Runs that start at a point of another run follow that run. A leg "until level" takes the length that brings the end
    level with the finish in its direction, all other legs of the run counted.
    """
    floors = {level.id: level.floor_mm for level in job.house.levels}
    ports: dict[str, PortPlace] = {}
    for station in job.stations:
        for port in station.ports:
            floor = floors[station.level]
            place = _PORTS((station, port, catalogue), floor, partial(_port_place, station, port, floor, catalogue))
            ports[place.key] = place
    walker = Walker(job, {key: place.mouth for key, place in ports.items()}, catalogue)
    for run in job.runs:
        walker.walk(run.id)
    return _Builder(job, ports, walker.done).build()


def standing(job: Job, pipework: Pipework) -> Pipework:
    """The pipework without the runs that go; what a run that stays hangs on, it keeps."""
    gone = {run.id for run in job.runs if run.state == "remove"}
    if not gone:
        return pipework
    straights = {key: straight for key, straight in pipework.straights.items() if straight.run not in gone}
    held = {node for straight in straights.values() for node in (straight.from_node, straight.to_node)}
    nodes = {key: node for key, node in pipework.nodes.items() if node.run not in gone or key in held}
    arms: dict[str, dict[str, str]] = {
        key: {arm: straight for arm, straight in pipework.arms[key].items() if straight in straights} for key in nodes
    }
    parts = {}
    for run, part in pipework.parts.items():
        kept = tuple(key for key in part.nodes if key in held)
        if run not in gone:
            parts[run] = part
        elif kept:
            parts[run] = _HELD((part,), kept, partial(_held, part, kept))
    return Pipework(
        pipework.ports, nodes, straights, {key: trace_ for key, trace_ in pipework.runs.items() if key not in gone},
        tuple(one for one in pipework.passes if one.run not in gone), arms, parts, _graph(parts, nodes, pipework.ports),
    )  # fmt: skip


def _held(part: Part, kept: tuple[str, ...]) -> Part:
    """What is left of a run that goes: the nodes that runs hang on which stay."""
    nodes = {key: part.nodes[key] for key in kept}
    run = nodes[kept[0]].run
    return Part(nodes, {}, (), (), {key: {} for key in kept}, (), _links(run, (), nodes), _form((), nodes))


def _links(run: str, straights: Iterable[Straight], nodes: dict[str, Node]) -> Links:
    ends = tuple((one.key, one.from_node, one.to_node) for one in straights)
    kinds = tuple((key, node.kind, node.part) for key, node in nodes.items())
    return _LINKS((), (run, ends, kinds), lambda: Links(ends))


def _form(straights: Iterable[Straight], nodes: dict[str, Node]) -> Form:
    pipes = tuple(
        (one.key, one.pipe, one.way, one.from_node, one.from_arm, one.to_node, one.to_arm, one.close, one.place, one.place_to)
        for one in straights
    )  # fmt: skip
    stand = tuple((node.key, node.kind, node.part, node.name, node.close) for node in nodes.values())
    return _FORMS((), (pipes, stand), Form)


def _graph(parts: dict[str, Part], nodes: dict[str, Node], ports: dict[str, PortPlace]) -> Graph:
    """The graph of these parts; with it are remembered what stands at the ports and which points are no tees."""
    on = [node for part in parts.values() for node, _, _ in part.outer if nodes[node].kind == "port"]
    joined = tuple((key, nodes[key].kind) for part in parts.values() for key in part.joins if nodes[key].kind != "tee")
    links = [part.links for part in parts.values()]
    return _GRAPHS(
        (*links, *(ports[nodes[key].part] for key in on)), (tuple(on), joined), lambda: Graph(end for one in links for end in one.ends)
    )  # fmt: skip


@dataclass(slots=True)
class _Spot:
    """What stands between two legs, in the order said."""

    at: Vec
    items: list[Item]
    way_in: Vec | None
    way_out: Vec | None
    leg_before: str


@dataclass(slots=True)
class _Walk:
    """Where the builder is on a run: the node and arm it comes from, the legs since, the pipe and how it lies."""

    run: RunTrace
    node: str
    arm: str
    pipe: Pipe
    moves: list[Move]
    lie: Lie
    nodes: dict[str, Node]
    began: Lie | None = None


_PORTS: Remembered[PortPlace] = Remembered(1_500)
_PORT_NODES: Remembered[Node] = Remembered(1_500)
_CLOSED: Remembered[RunTrace] = Remembered(1_500)
_PARTS: Remembered[Part | None] = Remembered(1_500)
_HELD: Remembered[Part] = Remembered(1_500)
_LINKS: Remembered[Links] = Remembered(1_500)
_FORMS: Remembered[Form] = Remembered(1_500)
_GRAPHS: Remembered[Graph] = Remembered(8)


class _Builder:
    """Turns walked runs into nodes and straights."""

    def __init__(self, job: Job, ports: dict[str, PortPlace], runs: dict[str, RunTrace]) -> None:
        self.job = job
        self.ports = ports
        self.runs = {run.id: runs[run.id] for run in job.runs}
        self.nodes: dict[str, Node] = {}
        self.straights: dict[str, Straight] = {}
        self.passes: list[PassPlace] = []
        self.parts: dict[str, Part] = {}
        self.used: dict[str, set[str]] = defaultdict(set)  # run -> names of points that other runs join
        for run in job.runs:
            for anchor in (run.start, run.finish):
                owner, name = split_anchor(anchor)
                if name and is_point_name(name):
                    self.used[owner].add(name)

    def build(self) -> Pipework:
        for trace_ in list(self.runs.values()):
            self._run(trace_)
        arms: dict[str, dict[str, str]] = {key: {} for key in self.nodes}
        for part in self.parts.values():
            arms.update(part.arms)
        for part in self.parts.values():
            for node, arm, straight in part.outer:
                arms[node] = {**arms[node], arm: straight}
        for key in (key for part in self.parts.values() for key in part.joins):
            if len(arms[key]) == 2:  # one run goes on as another: no tee
                ways = [
                    straight.way.times(1 if straight.from_node == key else -1)
                    for straight in (self.straights[name] for name in arms[key].values())
                ]
                kind: NodeKind = "change" if -ways[0].dot(ways[1]) > SAME_WAY else "turn"
                self.nodes[key] = replace(self.nodes[key], kind=kind)
        return Pipework(
            self.ports, self.nodes, self.straights, self.runs, tuple(self.passes), arms, self.parts,
            _graph(self.parts, self.nodes, self.ports),
        )  # fmt: skip

    def _run(self, trace_: RunTrace) -> None:
        run = trace_.run
        finish = self._anchor(trace_, run.finish, "finish") if "." in run.finish else None
        if finish:
            target = self.ports[run.finish].mouth if run.finish in self.ports else self._point(run.finish)
            self.runs[run.id] = _CLOSED(
                (trace_,), target, lambda: replace(trace_, finish_at=target, closing=target.minus(trace_.end))
            )
        elif "." in run.finish and not trace_.adrift:
            self.runs[run.id] = replace(trace_, adrift="finish")
        start = self._anchor(trace_, run.start, "start")
        used = frozenset(self.used[run.id]) if run.id in self.used else frozenset()
        part = _PARTS((trace_,), (start, finish, used), lambda: _part(trace_, start, finish, used))
        if part is None:
            return  # nothing paced yet
        if start is not None:
            self._add_port(run.start, run.id)
        self.nodes.update(part.nodes)
        self.straights.update(part.straights)
        self.passes += part.passes
        self.parts[run.id] = part
        if finish:
            self._add_port(run.finish, run.id)

    def _anchor(self, trace_: RunTrace, anchor: str, side: Literal["start", "finish"]) -> tuple[str, str] | None:
        """The node and arm an anchor stands for; None if there is no such port or point."""
        run = trace_.run.id
        if anchor in self.ports:
            taken = self.nodes.get(anchor)
            return (anchor if taken is None or taken.run == run and side == "start" else f"{anchor}+{run}"), "out"
        owner, name = split_anchor(anchor)
        if owner in self.runs and name in self.runs[owner].point_items and not (side == "start" and trace_.adrift):
            return f"{self.runs[owner].point_items[name]}/tee", run if owner != run else f"{run}-{side}"
        return None

    def _point(self, anchor: str) -> Vec:
        owner, name = split_anchor(anchor)
        return self.runs[owner].points[name]

    def _add_port(self, anchor: str, run: str) -> None:
        """A port has a node once a run is on it; a second run on the same port gets a node of its own beside it."""
        if anchor in self.ports:
            key = anchor if anchor not in self.nodes else f"{anchor}+{run}"
            place = self.ports[anchor]
            self.nodes[key] = _PORT_NODES(
                (place,), (key, run), lambda: Node(key, "port", place.mouth, run, part=anchor)
            )


def _part(
    trace_: RunTrace, start: tuple[str, str] | None, finish: tuple[str, str] | None, used: frozenset[str]
) -> Part | None:
    """The nodes and straights of a run, from the node it starts at to the node it finishes at; None: an end of its own.

    Nothing when nothing is paced."""
    run = trace_.run
    nodes: dict[str, Node] = {}
    straights: list[Straight] = []
    passes: list[PassPlace] = []
    joins: list[str] = []
    spots, moves = _spots(trace_)
    lined_up = [_line_up(run, spot, n == 0, n == len(spots) - 1, used, joins) for n, spot in enumerate(spots)]
    if not moves and not any(things for things, _ in lined_up):
        return None
    if start is None:
        start = f"{run.id}/start", "out"
        nodes[start[0]] = Node(start[0], "open", trace_.start, run.id)
    walk = _Walk(trace_, *start, run.pipe, [], Lie(id="i1"), nodes)
    for n, (spot, (things, main)) in enumerate(zip(spots, lined_up, strict=True)):
        passes += [
            PassPlace(item, run.id, spot.at, spot.way_out)
            for item in spot.items
            if isinstance(item, Pass) and spot.way_out
        ]
        for index, (node, pipe_after) in enumerate(things):
            nodes[node.key] = node if index == main else replace(node, close=True)
            straights.append(_straight(walk, node.key, "in", spot, spot.way_in if index <= main else spot.way_out))
            walk.arm, walk.pipe = "out", pipe_after or walk.pipe
        for item in spot.items:
            if isinstance(item, Lie):
                walk.lie = _laid(walk.lie, item)
        if n < len(moves):
            walk.began = walk.began or walk.lie
            walk.moves.append(moves[n])
    if not finish:
        last = nodes.get(walk.node)
        if run.finish == "none" and not walk.moves and last and last.kind == "tee":
            return _whole(run.id, nodes, straights, passes, joins)  # it ends where another run begins
        kind: NodeKind = run.finish if run.finish in ("cap", "plug", "stub") else "open"  # type: ignore[assignment]
        finish = f"{run.id}/end", "in"
        nodes[finish[0]] = Node(finish[0], kind, trace_.end, run.id)
    if walk.moves or finish[0] != walk.node:
        straights.append(_straight(walk, *finish, spots[-1], spots[-1].way_in))
    return _whole(run.id, nodes, straights, passes, joins)


def _whole(
    run: str, nodes: dict[str, Node], straights: list[Straight], passes: list[PassPlace], joins: list[str]
) -> Part:
    """A part with its arms."""
    arms: dict[str, dict[str, str]] = {key: {} for key in nodes}
    outer = []
    for straight in straights:
        for node, arm in ((straight.from_node, straight.from_arm), (straight.to_node, straight.to_arm)):
            if node in nodes:
                arms[node][arm] = straight.key
            else:
                outer.append((node, arm, straight.key))
    return Part(
        nodes, {one.key: one for one in straights}, tuple(passes), tuple(joins), arms, tuple(outer), _links(run, straights, nodes), _form(straights, nodes)
    )  # fmt: skip


def _line_up(
    run: Run, spot: _Spot, first: bool, last: bool, used: frozenset[str], joins: list[str]
) -> tuple[list[tuple[Node, Pipe | None]], int]:
    """The nodes at a spot in order, each with the pipe that leaves it if that changes, and which of them has the spot.

    -1: the start has it; len: the finish has it. A change of size right at a tee or turn is made by that fitting.
    """
    turns = spot.way_in is not None and spot.way_out is not None and spot.way_in.dot(spot.way_out) < SAME_WAY
    turn = Node(f"{spot.leg_before}/turn", "turn", spot.at, run.id, spot.leg_before) if turns else None
    if not spot.items:
        return ([(turn, None)], 0) if turn else ([], -1 if first else 0)
    things: list[tuple[Node, Pipe | None]] = []
    for item in spot.items:
        if isinstance(item, Tee) or isinstance(item, Point) and item.name in used:
            if isinstance(item, Point):
                joins.append(f"{item.id}/tee")
            things.append((Node(f"{item.id}/tee", "tee", spot.at, run.id, item.id, name=item.name), None))
        elif isinstance(item, DeviceItem):
            node = Node(
                f"{item.id}/device",
                "device",
                spot.at,
                run.id,
                item.id,
                part=item.part,
                name=item.name or "",
                arrow=item.arrow,
                handle=item.handle or "",
            )
            things.append((node, None))
        elif isinstance(item, PipeChange):
            things.append((Node(f"{item.id}/change", "change", spot.at, run.id, item.id), item.pipe))
    kinds = [node.kind for node, _ in things]
    if turn and "tee" not in kinds:
        things.insert(kinds.index("change") if "change" in kinds else len(things), (turn, None))
    things = _reduce(things)
    kinds = [node.kind for node, _ in things]
    main = next((kinds.index(kind) for kind in ("tee", "turn") if kind in kinds), None)
    if main is None:
        main = -1 if first else len(things) if last else 0
    return things, main


def _straight(walk: _Walk, node: str, arm: str, spot: _Spot, way: Vec | None) -> Straight:
    """The straight from where the walk is to a node, along the legs since or close at the spot; the walk moves there."""
    trace_ = walk.run
    began = walk.began or walk.lie
    place, lag_mm, place_to = began.place or "", began.lag_mm or 0.0, walk.lie.place or ""
    if walk.moves:
        first, last = walk.moves[0], walk.moves[-1]
        whole = first if first is last else Move.between("", "", first.a, last.b)
        straight = Straight(
            f"{first.key}/pipe", trace_.run.id, walk.pipe, first.a, last.b, whole.way, round(whole.length_mm, 6),
            tuple(dict.fromkeys([move.item for move in walk.moves])), walk.node, walk.arm, node, arm, False, place, lag_mm,
            any(move.assumed for move in walk.moves), place_to,
        )  # fmt: skip
    else:
        came_from = walk.nodes.get(walk.node)
        key = f"{came_from.item}/close" if came_from and came_from.item and walk.arm == "out" else f"{node}/close"
        straight = Straight(
            key,
            trace_.run.id,
            walk.pipe,
            spot.at,
            spot.at,
            way or spot.way_out or spot.way_in or Vec(0, 0, -1),
            0.0,
            (),
            walk.node,
            walk.arm,
            node,
            arm,
            close=True,
            place=place,
            lag_mm=lag_mm,
            place_to=place_to,
        )
    walk.node, walk.arm, walk.moves, walk.began = node, arm, [], None
    return straight


def _spots(trace_: RunTrace) -> tuple[list[_Spot], list[Move]]:
    """The spots of a run, and the moves between them."""
    spots = [_Spot(trace_.start, [], None, None, "")]
    moves: list[Move] = []
    for step in trace_.steps:
        if isinstance(step, Move):
            spots[-1].way_out = step.way
            moves.append(step)
            spots.append(_Spot(step.b, [], step.way, None, step.key))
        else:
            spots[-1].items.append(step)
    return spots, moves


def _reduce(things: list[tuple[Node, Pipe | None]]) -> list[tuple[Node, Pipe | None]]:
    """Let a tee or turn make the change of pipe that is said right beside it."""
    result: list[tuple[Node, Pipe | None]] = []
    waiting: Pipe | None = None
    for n, (node, pipe) in enumerate(things):
        if node.kind != "change":
            result.append((node, waiting))
            waiting = None
        elif result and result[-1][0].kind in ("tee", "turn"):
            result[-1] = result[-1][0], pipe
        elif n + 1 < len(things) and things[n + 1][0].kind in ("tee", "turn"):
            waiting = pipe
        else:
            result.append((node, pipe))
    return result


def _laid(old: Lie, new: Lie) -> Lie:
    """How the pipe lies after another `{...}`: what is not said again stays, a new place ends the old lagging."""
    lag = new.lag_mm if new.lag_mm is not None else (old.lag_mm if new.place is None else None)
    return Lie(id="i1", place=new.place or old.place, lag_mm=lag)
