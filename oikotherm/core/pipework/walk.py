"""walk(job) -> where every run goes: the moves it makes in the house, and what stands between them.

A leg is a move. A set and a crossover are moves too, and take their length along out of the legs beside them, so that
the legs stay what the tape said along the wall. A fall tips the level legs after it. A twin makes the moves of the run
it follows at a distance, with the same tees.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from ..catalogue import Catalogue
from ..fields import Box
from ..job.model import (
    Crossover,
    Item,
    Job,
    Leg,
    Lie,
    PipeChange,
    Point,
    Run,
    SetItem,
    Tee,
    TwinOf,
    is_point_name,
    split_anchor,
)
from ..job.ways import DIRECTIONS, Vec, way_vector
from ..memory import Memory

LEVEL_MM = 1e-6
SAME_WAY = 0.99996  # cosine of half a degree: two moves in one line
SET_MM = 150.0  # up to this a twin steps over to its line by a set, beyond it by a leg
JOG_MM = 0.5  # a twin's start or finish that is nearer than this to its line needs no step to it
Adrift = Literal["", "start", "finish", "circle"]


@dataclass(frozen=True, slots=True)
class Move:
    """A straight stretch of a run. key: made from the item it comes from; item: that item's id; way: from a to b,
    length 1."""

    key: str
    item: str
    a: Vec
    b: Vec
    way: Vec
    length_mm: float
    assumed: bool = False

    @classmethod
    def between(cls, key: str, item: str, a: Vec, b: Vec, assumed: bool = False) -> Move:
        along = b.minus(a)
        return cls(key, item, a, b, along.unit().rounded(), along.length, assumed)


@dataclass(frozen=True, slots=True)
class RunTrace:
    """One run as walked. steps: its moves and, between them, its other items; lengths: what each leg says [mm];
    closing: finish less end [mm], None without a finish to reach; no_room: sets and crossovers longer than their legs;
    length_mm: of its centre line."""

    run: Run
    start: Vec
    end: Vec
    adrift: Adrift
    finish_at: Vec | None
    closing: Vec | None
    steps: tuple[Move | Item, ...]
    lengths: dict[str, float]
    points: dict[str, Vec]
    point_items: dict[str, str]
    unsolved: tuple[str, ...]
    no_room: tuple[str, ...] = ()
    length_mm: float = 0.0

    @property
    def moves(self) -> tuple[Move, ...]:
        return tuple(step for step in self.steps if isinstance(step, Move))

    @property
    def items(self) -> tuple[Item, ...]:
        """What stands between the moves; of a twin, what it has from the run it follows."""
        return tuple(step for step in self.steps if not isinstance(step, Move))


Branches = tuple[tuple[str, RunTrace, TwinOf], ...]
"""Branches of a run that have twins on its twin: the point each starts at, the branch, how its twin lies to it."""


class Walker:
    """Places the runs: each after the runs it depends on."""

    def __init__(self, job: Job, mouths: dict[str, Vec], catalogue: Catalogue, memory: Memory) -> None:
        self.job = job
        self.memory = memory
        self.runs = {run.id: run for run in job.runs}
        self.mouths = mouths
        self.catalogue = catalogue
        self.done: dict[str, RunTrace] = {}
        self.twins: dict[str, list[Run]] = {}
        for run in job.runs:
            if run.twin_of:
                self.twins.setdefault(run.start, []).append(run)

    def walk(self, run_id: str) -> None:
        """Walk a run and, first, those it depends on; without recursion, since a chain of runs may be long."""
        waiting = [run_id]
        while waiting:
            run = self.runs[waiting[-1]]
            needs = [
                need for need in self._needs(run) if need not in self.done and need in self.runs and need not in waiting
            ]
            if needs:
                waiting.append(needs[0])
            else:
                waiting.pop()
                if run.id not in self.done:
                    self.done[run.id] = self._walk(run)

    def _needs(self, run: Run) -> Iterable[str]:
        anchors = [run.start]
        if run.twin_of or any(isinstance(item, Leg) and item.length_mm is None for item in run.items):
            anchors.append(run.finish)
        for anchor in anchors:
            owner, name = split_anchor(anchor)
            if name and is_point_name(name):
                yield owner
        if run.twin_of:
            yield run.twin_of.run
            for name in self.job.points_of(run.id):
                yield from (child.twin_of.run for child in self.twins.get(f"{run.id}.{name}", ()) if child.twin_of)
        for item in run.items:
            if isinstance(item, Crossover) and item.over:
                yield item.over

    def anchor(self, text: str) -> Vec | None:
        if text in self.mouths:
            return self.mouths[text]
        owner, name = split_anchor(text)
        return self.done[owner].points.get(name) if owner in self.done else None

    def _walk(self, run: Run) -> RunTrace:
        start = self.anchor(run.start)
        adrift: Adrift = ""
        if start is None:
            owner, name = split_anchor(run.start)
            adrift = "circle" if owner in self.runs and name in self.job.points_of(owner) else "start"
            start = Vec(*run.last_start) if run.last_start else Vec(0, 0, 0)
        finish = self.anchor(run.finish) if "." in run.finish else None
        if run.twin_of:
            return self._twin(run, start, finish, adrift)
        if any(isinstance(item, Crossover) and item.over for item in run.items):
            return self._paced(run, start, finish, adrift)
        at = start
        return self.memory.keep(
            "run paced", (run, self.catalogue), (start, finish, adrift), lambda: self._paced(run, at, finish, adrift)
        )

    # --- legs, sets, crossovers ---------------------------------------------------------------------------------------

    def _paced(self, run: Run, start: Vec, finish: Vec | None, adrift: Adrift) -> RunTrace:
        ways = _fallen(run)
        lengths, unsolved = _solve_lengths(run, ways, start, finish)
        rest = dict(lengths)
        no_room: list[str] = []
        at = start
        added: dict[str, list[tuple[str, Vec]]] = {}
        legs = [item for item in run.items if isinstance(item, Leg) and lengths[item.id] > LEVEL_MM]
        if any(isinstance(item, SetItem | Crossover) for item in run.items):
            before: Leg | None = None
            position = start
            for item in run.items:
                if isinstance(item, Leg):
                    if lengths[item.id] > LEVEL_MM:
                        before = item
                    position = position.plus(ways[item.id], lengths[item.id])
                elif isinstance(item, SetItem | Crossover):
                    after = legs[0] if before is None and legs else _next(legs, before)
                    added[item.id] = self._steps(run, item, before, after, ways, rest, position, no_room)
                    for _, vector in added[item.id]:
                        position = position.plus(vector)
        steps: list[Move | Item] = []
        points: dict[str, Vec] = {}
        for item in run.items:
            if isinstance(item, Leg):
                if rest[item.id] > LEVEL_MM:
                    to = at.plus(ways[item.id], rest[item.id])
                    steps.append(Move(item.id, item.id, at, to, ways[item.id], rest[item.id], item.basis != "taped"))
                    at = to
            elif item.id in added:
                for key, vector in added[item.id]:
                    steps.append(Move.between(key, item.id, at, at.plus(vector)))
                    at = at.plus(vector)
            else:
                steps.append(item)
                if isinstance(item, Tee | Point):
                    points[item.name] = at
        names = {item.name: item.id for item in run.items if isinstance(item, Tee | Point)}
        return RunTrace(
            run,
            start,
            at,
            adrift,
            finish,
            None,
            tuple(steps),
            lengths,
            points,
            names,
            unsolved,
            tuple(no_room),
            _length_mm(steps),
        )

    def _steps(
        self,
        run: Run,
        item: SetItem | Crossover,
        before: Leg | None,
        after: Leg | None,
        ways: dict[str, Vec],
        rest: dict[str, float],
        at: Vec,
        no_room: list[str],
    ) -> list[tuple[str, Vec]]:
        """The moves of a set or crossover; takes their length along out of `rest`."""
        lead = after or before
        if lead is None:
            no_room.append(item.id)
            return []
        way = ways[lead.id]
        square = [_square(DIRECTIONS[item.side], way)]
        if isinstance(item, SetItem) and item.and_side:
            square.append(_square(DIRECTIONS[item.and_side], way))
        if None in square:
            no_room.append(item.id)
            return []
        sides = [side for side in square if side]
        tangent = math.tan(math.radians(item.angle_deg))
        if isinstance(item, SetItem):
            step = sides[0].times(item.height_mm)
            if len(sides) > 1 and item.and_mm:
                step = step.plus(sides[1], item.and_mm)
            if step.length < LEVEL_MM:  # to one side and back: no step at all
                no_room.append(item.id)
                return []
            along = step.length / tangent
            if rest[lead.id] < along - LEVEL_MM:
                no_room.append(item.id)
                along = rest[lead.id]
            rest[lead.id] -= along
            return [(item.id, way.times(along).plus(step))]
        flat_mm = self._flat_mm(run, item, way)
        rise = self._rise_mm(run, item, sides[0], at, flat_mm)
        if rise <= 0:
            no_room.append(item.id)
            return []
        along = rise / tangent
        half = along + flat_mm / 2
        givers = [leg for leg in (before, after) if leg and ways[leg.id].dot(way) > SAME_WAY]
        shares = [half, half] if len(givers) == 2 else [2 * half]
        if len(givers) == 2:  # centred on what it crosses, where the tape came only near it
            ahead = self._ahead_mm(item, way, sides[0], at)
            centred = [half - ahead, half + ahead]
            if all(rest[leg.id] >= share - LEVEL_MM for leg, share in zip(givers, centred, strict=True)):
                shares = centred
        for leg, share in zip(givers, shares, strict=True):
            if rest[leg.id] < share - LEVEL_MM:
                no_room.append(item.id)
                return []
        for leg, share in zip(givers, shares, strict=True):
            rest[leg.id] -= share
        up = way.times(along).plus(sides[0], rise)
        top = [(f"{item.id}/top", way.times(flat_mm))] if flat_mm else []
        return [(f"{item.id}/up", up), *top, (f"{item.id}/down", way.times(along).plus(sides[0], -rise))]

    def _box(self, item: Crossover) -> Box | None:
        """The obstacle a crossover goes over; None where it is a run, or nothing."""
        return next((one.box for one in self.job.house.obstacles if one.id == item.over), None)

    def _flat_mm(self, run: Run, item: Crossover, way: Vec) -> float:
        """The flat top of a crossover [mm]: as said; over an obstacle its width along the run and what is to be left
        free on both sides, at least what two bends take; 0 for three bends."""
        if item.flat_mm:
            return item.flat_mm
        box = self._box(item)
        if box is None:
            return 0.0
        along = [Vec(x, y, z).dot(way) for x, y, z in _corners(box)]
        radius = self.catalogue.bend_radius_mm(run.pipe.code, run.pipe.size) or 0.0
        own = _od_mm(self.catalogue, run.pipe.code, run.pipe.size)
        least = 2 * radius * math.tan(math.radians(item.angle_deg) / 2)
        return max(max(along) - min(along) + own + 2 * item.clear_mm, least)

    def _ahead_mm(self, item: Crossover, way: Vec, side: Vec, at: Vec) -> float:
        """How far ahead of where a crossover is said the middle of what it crosses lies [mm], minus behind; 0 where it
        crosses nothing there."""
        box, other = self._box(item), self.done.get(item.over or "")
        if box:
            along = [Vec(x, y, z).minus(at).dot(way) for x, y, z in _corners(box)]
            return (max(along) + min(along)) / 2
        across = way.cross(side)
        found = []
        for move in other.moves if other else ():
            a, b = move.a.minus(at), move.b.minus(at)
            off = a.dot(across), b.dot(across)
            if off[0] * off[1] <= 0 and abs(off[0] - off[1]) > LEVEL_MM:
                share = off[0] / (off[0] - off[1])
                found.append(a.dot(way) + share * (b.dot(way) - a.dot(way)))
        return min(found, key=abs, default=0.0)

    def _rise_mm(self, run: Run, item: Crossover, side: Vec, at: Vec, flat_mm: float) -> float:
        """How far the corner of a crossover lies from its run [mm].

        Over another run or an obstacle: what brings its centre line clear_mm and both radii past the other's, and R (1
        / cos t - 1) more where three bends round the top; else what is said.
        """
        other = self.done.get(item.over or "")
        own = _od_mm(self.catalogue, run.pipe.code, run.pipe.size) / 2
        box = self._box(item)
        if box:
            top = max(Vec(x, y, z).minus(at).dot(side) for x, y, z in _corners(box))
        elif other is None or not other.moves:
            return item.clear_mm
        else:
            near = min((nearest_point(move.a, move.b, at, side) for move in other.moves), key=lambda pair: pair[0])
            top = near[1] + _od_mm(self.catalogue, other.run.pipe.code, other.run.pipe.size) / 2
        radius = self.catalogue.bend_radius_mm(run.pipe.code, run.pipe.size) or 0.0
        rounded = 0.0 if flat_mm else radius * (1 / math.cos(math.radians(item.angle_deg)) - 1)
        return top + own + item.clear_mm + rounded

    # --- twins --------------------------------------------------------------------------------------------------------

    def _twin(self, run: Run, start: Vec, finish: Vec | None, adrift: Adrift) -> RunTrace:
        assert run.twin_of is not None
        leader = self.done.get(run.twin_of.run)
        if leader is None:
            return RunTrace(run, start, start, "circle", finish, None, (), {}, {}, {}, ())
        if not leader.moves:
            return RunTrace(run, start, start, adrift, finish, None, (), {}, {}, {}, ())
        branches = self._branches(run, leader)
        return self.memory.keep(
            "run beside another",
            (run, leader, *(branch for _, branch, _ in branches), *(lies for _, _, lies in branches)),
            (start, finish, adrift, tuple(name for name, _, _ in branches)),
            lambda: _beside(run, leader, branches, start, finish, adrift),
        )

    def _branches(self, run: Run, leader: RunTrace) -> Branches:
        """Branches of the run followed that have twins on this one."""
        found = []
        for name in leader.points:
            for child in self.twins.get(f"{run.id}.{name}", ()):
                assert child.twin_of is not None
                branch = self.done.get(child.twin_of.run)
                if branch and branch.run.start == f"{leader.run.id}.{name}" and branch.moves:
                    found.append((name, branch, child.twin_of))
        return tuple(found)


def _beside(run: Run, leader: RunTrace, branches: Branches, start: Vec, finish: Vec | None, adrift: Adrift) -> RunTrace:
    """A run that follows another: the line beside it, from its own start to its own finish."""
    assert run.twin_of is not None
    moves = leader.moves
    offsets = _offsets(moves, DIRECTIONS[run.twin_of.side], run.twin_of.spacing_mm)
    line = _Line.beside(moves, offsets)
    line.shift(_child_shifts(leader, moves, branches))
    if not adrift:
        line.begin_at(start)
    if finish is not None:
        line.end_at(finish)
    mark = f"@{run.id}"
    steps: list[Move | Item] = []
    points: dict[str, Vec] = {}
    names: dict[str, str] = {}
    number = 0
    at = line.points[0]
    for step in leader.steps:
        if isinstance(step, Move):
            for key, to in line.hops(number, step.key, run.id):
                if to.minus(at).length > LEVEL_MM:
                    steps.append(
                        Move.between(
                            key if "/" in key and key.startswith(run.id) else _marked(key, mark),
                            step.item + mark,
                            at,
                            to,
                            step.assumed,
                        )
                    )
                at = to
            number += 1
        elif isinstance(step, Tee | Point | Lie | PipeChange) or step.kind == "pass":
            if isinstance(step, Tee | Point):
                points[step.name] = at
                names[step.name] = step.id + mark
                # a tee only where a run is on it; of a twin's twin the id is one made up here
                step = Point.model_construct(kind="point", id=step.id, name=step.name)
            steps.append(step.model_copy(update={"id": step.id + mark}))
    return RunTrace(
        run, line.points[0], at, adrift, finish, None, tuple(steps), {}, points, names, (), length_mm=_length_mm(steps)
    )


def _child_shifts(leader: RunTrace, moves: Sequence[Move], branches: Branches) -> dict[int, float]:
    """How far each corner of a twin's line moves along it [mm], so that a twin of a branch finds its tee beside it."""
    shifts: dict[int, float] = {}
    number = 0
    for step in leader.steps:
        if isinstance(step, Move):
            number += 1
        elif isinstance(step, Tee | Point) and 0 < number < len(moves):
            way = moves[number].way
            if moves[number - 1].way.dot(way) < SAME_WAY:
                continue
            for name, branch, lies in branches:
                if name == step.name:
                    offset = _offsets(branch.moves, DIRECTIONS[lies.side], lies.spacing_mm)[0]
                    shifts[number] = way.dot(offset)
    return shifts


@dataclass(slots=True)
class _Line:
    """The line of a twin: one point more than moves. jogs: extra corners before the end of a move."""

    points: list[Vec]
    ways: list[Vec]
    jogs: dict[int, list[Vec]]

    @classmethod
    def beside(cls, moves: Sequence[Move], offsets: Sequence[Vec]) -> _Line:
        points = [moves[0].a.plus(offsets[0])]
        for n in range(len(moves) - 1):
            points.append(moves[n].b.plus(_mitre(moves[n].way, moves[n + 1].way, offsets[n], offsets[n + 1])))
        points.append(moves[-1].b.plus(offsets[-1]))
        return cls(points, [move.way for move in moves], {})

    def shift(self, by: dict[int, float]) -> None:
        for n, along in by.items():
            self.points[n] = self.points[n].plus(self.ways[n], along)

    def begin_at(self, start: Vec) -> None:
        """Let the line begin at its own start: the first moves run from there, and meet the line at the first
        corner."""
        corner = next(
            (n for n in range(1, len(self.ways)) if self.ways[n].dot(self.ways[0]) < SAME_WAY), len(self.ways)
        )
        way = self.ways[0]
        away = start.minus(self.points[0])
        lateral = away.plus(way, -away.dot(way))
        for n in range(1, corner):
            self.points[n] = self.points[n].plus(lateral)
        self.points[0] = start
        if corner == len(self.ways):
            self.points[corner] = self.points[corner].plus(lateral)
            return
        after = self.ways[corner]
        on_line, left_mm = self._slide(corner, way, after, lateral)
        if left_mm > JOG_MM:
            stride = min(left_mm, self.points[corner + 1].minus(on_line).dot(after) * 0.5) if left_mm <= SET_MM else 0.0
            self.jogs[corner] = [on_line.plus(after, max(stride, 0.0))]

    def _slide(self, corner: int, way: Vec, other: Vec, lateral: Vec) -> tuple[Vec, float]:
        """Move a corner with its line of one way, `lateral` to the side: along the line of the other way as far as that
        goes. Gives where it comes to on that line, and how far it still had to step off it [mm]."""
        across = other.plus(way, -other.dot(way))
        if across.length < LEVEL_MM:  # the run turns back on itself: there is nothing to slide along
            on_line = self.points[corner]
            self.points[corner] = on_line.plus(lateral)
            return on_line, lateral.length
        across = across.unit()
        on_line = self.points[corner].plus(other, lateral.dot(across) / max(other.dot(across), 1e-9))
        left = lateral.plus(across, -lateral.dot(across))
        self.points[corner] = on_line.plus(left)
        return on_line, left.length

    def end_at(self, finish: Vec) -> None:
        """Let the line end at its own finish: as begin_at, from the other end."""
        last = len(self.ways)
        corner = next((n for n in range(last - 1, 0, -1) if self.ways[n - 1].dot(self.ways[-1]) < SAME_WAY), 0)
        way = self.ways[-1]
        away = finish.minus(self.points[last])
        lateral = away.plus(way, -away.dot(way))
        if corner == 0:
            if lateral.length > JOG_MM:
                base = self.points[last - 1]
                half = base.plus(way, max((finish.minus(base).dot(way) - lateral.length) / 2, 0.0))
                self.jogs[last - 1] = [half, half.plus(way, lateral.length).plus(lateral)]
            self.points[last] = finish
            return
        for n in range(corner + 1, last):
            self.points[n] = self.points[n].plus(lateral)
        self.points[last] = finish
        before = self.ways[corner - 1]
        on_line, left_mm = self._slide(corner, way, before, lateral)
        if left_mm > JOG_MM:
            stride = (
                min(left_mm, on_line.minus(self.points[corner - 1]).dot(before) * 0.5) if left_mm <= SET_MM else 0.0
            )
            self.jogs.setdefault(corner - 1, []).append(on_line.plus(before, -max(stride, 0.0)))

    def hops(self, n: int, key: str, run: str) -> Iterator[tuple[str, Vec]]:
        """The ends of move n: with its jogs, then its own."""
        for number, corner in enumerate(self.jogs.get(n, ())):
            yield f"{run}/jog{n}-{number}", corner
        yield key, self.points[n + 1]


def _length_mm(steps: Iterable[Move | Item]) -> float:
    return sum(step.length_mm for step in steps if isinstance(step, Move))


def _marked(key: str, mark: str) -> str:
    """A move's key as a twin's: i5 -> i5@RT1, i7/up -> i7@RT1/up."""
    item, _, rest = key.partition("/")
    return f"{item}{mark}/{rest}" if rest else item + mark


def _square(side: Vec, way: Vec) -> Vec | None:
    """The part of a side that is square to a way, as a unit vector; None if they are in line."""
    across = side.plus(way, -side.dot(way))
    return across.unit() if across.length > 0.05 else None


def _next(legs: Sequence[Leg], before: Leg | None) -> Leg | None:
    if before is None:
        return None
    n = legs.index(before) + 1
    return legs[n] if n < len(legs) else None


def _corners(box: Box) -> Iterator[tuple[float, float, float]]:
    return itertools.product(*zip(*box, strict=True))  # type: ignore[return-value]


def _od_mm(catalogue: Catalogue, code: str, size: str) -> float:
    row = catalogue.pipe(code, size)
    return row.od_mm if row and row.od_mm else 0.0


def nearest_point(a: Vec, b: Vec, at: Vec, side: Vec) -> tuple[float, float]:
    """How near the line from `at` along `side` passes to the segment a-b [mm], and how far along it that is [mm]."""
    axis = b.minus(a)
    flat_axis = axis.plus(side, -axis.dot(side))
    rel = at.minus(a)
    flat = rel.plus(side, -rel.dot(side))
    square = flat_axis.dot(flat_axis)
    share = min(1.0, max(0.0, flat.dot(flat_axis) / square)) if square > 1e-9 else 0.0
    spot = a.plus(axis, share)
    gap = spot.minus(at)
    return gap.plus(side, -gap.dot(side)).length, gap.dot(side)


def _offsets(moves: Sequence[Move], side: Vec, spacing_mm: float) -> list[Vec]:
    """Where a twin lies from each move: to the said side of the first move not along it, and turned with every
    corner."""
    ways = [move.way for move in moves]
    first = next((n for n, way in enumerate(ways) if abs(way.dot(side)) < 0.99), 0)
    square = _square(side, ways[first]) or _square(Vec(0, 0, 1), ways[first]) or Vec(1, 0, 0)
    found = [Vec(0, 0, 0)] * len(ways)
    found[first] = square.times(spacing_mm)
    for n in range(first + 1, len(ways)):
        found[n] = _turned(found[n - 1], ways[n - 1], ways[n])
    for n in range(first - 1, -1, -1):
        found[n] = _turned(found[n + 1], ways[n + 1], ways[n])
    return found


def _turned(vector: Vec, a: Vec, b: Vec) -> Vec:
    """A vector carried round the corner from way a to way b by the least rotation; as it is on a straight or a
    U-turn."""
    axis = a.cross(b)
    sine, cosine = axis.length, a.dot(b)
    if sine < 1e-9:
        return vector
    axis = axis.times(1 / sine)
    return vector.times(cosine).plus(axis.cross(vector), sine).plus(axis, axis.dot(vector) * (1 - cosine))


def _mitre(a: Vec, b: Vec, before: Vec, after: Vec) -> Vec:
    """From a corner to where the two lines beside it meet."""
    axis = a.cross(b)
    if axis.length < 1e-9:
        return before
    axis = axis.unit()
    out_of_plane = axis.times(before.dot(axis))
    u, v = before.minus(out_of_plane), after.minus(out_of_plane)
    square = u.dot(u)
    if square < 1e-12:
        return out_of_plane
    return out_of_plane.plus(u.plus(v), 1 / (1 + u.dot(v) / square))


def _fallen(run: Run) -> dict[str, Vec]:
    """The way of every leg: level legs after a fall drop by it."""
    ways: dict[str, Vec] = {}
    fall = 0.0
    for item in run.items:
        if isinstance(item, Lie) and item.fall is not None:
            fall = item.fall
        elif isinstance(item, Leg):
            way = way_vector(item.dir)
            ways[item.id] = Vec(way.x, way.y, -fall).unit() if fall and abs(way.z) < 1e-9 else way
    return ways


def _solve_lengths(
    run: Run, ways: dict[str, Vec], start: Vec, finish: Vec | None
) -> tuple[dict[str, float], tuple[str, ...]]:
    """Length of every leg [mm], and the legs "until level" that have no solution (taken as 0)."""
    lengths: dict[str, float] = {}
    unknown: list[Leg] = []
    end = start
    before: Vec | None = None
    for n, item in enumerate(run.items):
        if isinstance(item, Leg):
            before = ways[item.id]
            if item.length_mm is None:
                unknown.append(item)
                lengths[item.id] = 0.0
            else:
                lengths[item.id] = item.shifted_mm or 0.0
                end = end.plus(ways[item.id], lengths[item.id])
        elif isinstance(item, SetItem):
            after = next((ways[leg.id] for leg in run.items[n:] if isinstance(leg, Leg)), before)
            for side, height in ((item.side, item.height_mm), (item.and_side, item.and_mm)):
                square = _square(DIRECTIONS[side], after) if side and after else None
                if square and height:
                    end = end.plus(square, height)
    if not unknown:
        return lengths, ()
    if finish is None:
        return lengths, tuple(leg.id for leg in unknown)
    rest = finish.minus(end)
    their = [ways[leg.id] for leg in unknown]
    square_all = all(abs(a.dot(b)) < 1e-9 for n, a in enumerate(their) for b in their[n + 1 :])
    if square_all and len(their) <= 3:
        found = [rest.dot(way) for way in their]
    else:
        import numpy  # only for slanting legs

        solution, _, rank, _ = numpy.linalg.lstsq(numpy.array(their).T, numpy.array(rest), rcond=1e-9)
        if rank < len(their):
            return lengths, tuple(leg.id for leg in unknown)
        found = [float(value) for value in solution]
    unsolved = []
    for leg, value in zip(unknown, found, strict=True):
        if value < -LEVEL_MM:
            unsolved.append(leg.id)
        else:
            lengths[leg.id] = round(max(value, 0.0), 3)
    return lengths, tuple(unsolved)
