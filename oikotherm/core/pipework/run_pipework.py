"""What one run adds to the pipework: the nodes it passes and the straights between, in pacing order."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from ..catalogue.loader import MARKS
from ..job.model import DeviceItem, Item, Lie, Pass, Pipe, PipeChange, Point, Run, Tee
from ..job.ways import DIRECTIONS, Vec
from ..memory import Memory
from .geometry import Connections, MarkPlace, Node, NodeKind, PassPlace, RunPipework, RunShape, Straight
from .walk import SAME_WAY, Move, RunTrace


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


def run_pipework(
    trace_: RunTrace,
    start: tuple[str, str] | None,
    finish: tuple[str, str] | None,
    used: frozenset[str],
    memory: Memory,
) -> RunPipework | None:
    """The nodes and straights of a run, from the node and arm it starts at to those it finishes at (None: an end of its
    own); None when nothing is paced. used: names of its points that other runs join."""
    run = trace_.run
    nodes: dict[str, Node] = {}
    straights: list[Straight] = []
    passes: list[PassPlace] = []
    joins: list[str] = []
    marks: list[MarkPlace] = []
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
            tee = next((item for item in spot.items if item.id == node.item), None)
            if isinstance(tee, Tee) and tee.drop_mm and tee.name not in used:
                end, piece = _drop(walk, tee, tee.drop_mm, spot.at)
                nodes[end.key] = end
                straights.append(piece)
            walk.arm, walk.pipe = "out", pipe_after or walk.pipe
        for item in spot.items:
            if isinstance(item, Lie):
                walk.lie = laid(walk.lie, item)
            elif isinstance(item, DeviceItem) and item.part in MARKS:
                way = spot.way_in or spot.way_out or DIRECTIONS["U"]
                marks.append(MarkPlace(item, run.id, spot.at, way, walk.pipe, walk.lie.place or ""))
        if n < len(moves):
            walk.began = walk.began or walk.lie
            walk.moves.append(moves[n])
    if not finish:
        last = nodes.get(walk.node)
        if run.finish == "none" and not walk.moves and last and last.kind == "tee":
            return _whole(run.id, nodes, straights, passes, joins, marks, memory)  # it ends where another run begins
        kind: NodeKind = run.finish if run.finish in ("cap", "plug", "stub") else "open"  # type: ignore[assignment]
        finish = f"{run.id}/end", "in"
        nodes[finish[0]] = Node(finish[0], kind, trace_.end, run.id)
    if walk.moves or finish[0] != walk.node:
        straights.append(_straight(walk, *finish, spots[-1], spots[-1].way_in))
    return _whole(run.id, nodes, straights, passes, joins, marks, memory)


def _whole(
    run: str,
    nodes: dict[str, Node],
    straights: list[Straight],
    passes: list[PassPlace],
    joins: list[str],
    marks: list[MarkPlace],
    memory: Memory,
) -> RunPipework:
    """A part with its arms."""
    arms: dict[str, dict[str, str]] = {key: {} for key in nodes}
    outer = []
    for straight in straights:
        for node, arm in ((straight.from_node, straight.from_arm), (straight.to_node, straight.to_arm)):
            if node in nodes:
                arms[node][arm] = straight.key
            else:
                outer.append((node, arm, straight.key))
    return RunPipework(
        nodes,
        {one.key: one for one in straights},
        tuple(passes),
        tuple(joins),
        arms,
        tuple(outer),
        _connections(run, straights, nodes, memory),
        _shape(run, straights, nodes, memory),
        tuple(marks),
    )


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
        elif isinstance(item, DeviceItem) and item.part not in MARKS:
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
    """The straight from where the walk is to a node, along the legs since or close at the spot; the walk moves
    there."""
    trace_ = walk.run
    began = walk.began or walk.lie
    place, lag_mm, place_to = began.place or "", began.lag_mm or 0.0, walk.lie.place or ""
    if walk.moves:
        first, last = walk.moves[0], walk.moves[-1]
        whole = first if first is last else Move.between("", "", first.a, last.b)
        straight = Straight(
            f"{first.key}/pipe",
            trace_.run.id,
            walk.pipe,
            first.a,
            last.b,
            whole.way,
            round(whole.length_mm, 6),
            tuple(dict.fromkeys([move.item for move in walk.moves])),
            walk.node,
            walk.arm,
            node,
            arm,
            False,
            place,
            lag_mm,
            any(move.assumed for move in walk.moves),
            place_to,
            longest_mm=began.longest_mm,
        )
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


def _drop(walk: _Walk, tee: Tee, piece_mm: float, at: Vec) -> tuple[Node, Straight]:
    """The closed piece on a tee's outlet, as the pocket of a sediment trap: its end and its pipe."""
    way = DIRECTIONS[tee.outlet or "D"]
    end = Node(f"{tee.id}/drop", tee.closed or "cap", at.plus(way, piece_mm), walk.run.run.id, tee.id, name=tee.name)
    place = walk.lie.place or ""
    return end, Straight(
        end.key,
        end.run,
        walk.pipe,
        at,
        end.at,
        way,
        piece_mm,
        (),
        f"{tee.id}/tee",
        "drop",
        end.key,
        "in",
        place=place,
        place_to=place,
        piece_mm=piece_mm,
    )


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


def laid(old: Lie, new: Lie) -> Lie:
    """How the pipe lies after another `{...}`: what is not said again stays, a new place ends the old lagging."""
    lag = new.lag_mm if new.lag_mm is not None else (old.lag_mm if new.place is None else None)
    return Lie(id="i1", place=new.place or old.place, lag_mm=lag, longest_mm=new.longest_mm or old.longest_mm)


def held_run(part: RunPipework, kept: tuple[str, ...], memory: Memory) -> RunPipework:
    """What is left of a run that goes: the nodes that runs hang on which stay."""
    nodes = {key: part.nodes[key] for key in kept}
    run = nodes[kept[0]].run
    links, form = _connections(run, (), nodes, memory), _shape(run, (), nodes, memory)
    return RunPipework(nodes, {}, (), (), {key: {} for key in kept}, (), links, form)


def _connections(run: str, straights: Iterable[Straight], nodes: dict[str, Node], memory: Memory) -> Connections:
    ends = tuple((one.key, one.from_node, one.to_node) for one in straights)
    kinds = tuple((key, node.kind, node.part, node.arrow) for key, node in nodes.items())
    return memory.keep("links", (), (run, ends, kinds), lambda: Connections(ends))


def _shape(run: str, straights: Iterable[Straight], nodes: dict[str, Node], memory: Memory) -> RunShape:
    pipes = tuple(
        (
            one.key,
            one.pipe,
            one.way,
            one.from_node,
            one.from_arm,
            one.to_node,
            one.to_arm,
            one.close,
            one.place,
            one.place_to,
        )
        for one in straights
    )
    stand = tuple((node.key, node.kind, node.part, node.name, node.close) for node in nodes.values())
    return memory.keep("form", (), (run, pipes, stand), RunShape)
