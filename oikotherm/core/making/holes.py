"""The hole schedule: every joist, wall and floor a pipe goes through, with place, size and what is allowed."""

from __future__ import annotations

from dataclasses import dataclass

from ..catalogue import Catalogue
from ..errors import Refused
from ..job.model import Job, JoistField, Lie, Pass, Pipe
from ..job.ways import Vec
from ..joints.fitted import Fitted
from ..pipework.run_pipework import laid
from ..pipework.space import radius_mm
from ..pipework.walk import Move, RunTrace
from .joists import HoleVerdict, joist_hole

BOARD_MM = 22.0  # typ: floor boards on the joists
SNUG_MM, THREADED_MM, LAGGED_MM = 3.0, 10.0, 5.0  # typ: hole over pipe, over threaded pipe, over lagging
SLEEVE_MM = 6.0  # typ: inside of a sleeve over the pipe


@dataclass(frozen=True, slots=True)
class Hole:
    """One hole or notch. through: joist, wall, floor or ceiling; number: which joist, counted from the west or south
    edge of its field; below_top_mm: from the top of the joist to the centre of the pipe; from_bearing_mm: along the
    joist."""

    run: str
    straight: str
    through: str
    ref: str
    number: int
    at: Vec
    diameter_mm: float
    kind: str
    below_top_mm: float
    from_bearing_mm: float
    verdict: HoleVerdict | None
    plate: bool
    remark: str = ""


def hole_mm(catalogue: Catalogue, code: str, size: str, lag_mm: float, od_mm: float) -> float:
    """Diameter of a hole for a pipe [mm]: OD + 3 snug, + 10 for threaded pipe, lagging OD + 5. Source: typ."""
    if lag_mm:
        return od_mm + 2 * lag_mm + LAGGED_MM
    system = catalogue.systems.get(code)
    threaded = bool(system and "thread" in system.methods)
    return od_mm + (THREADED_MM if threaded else SNUG_MM)


def kept_holes(job: Job, fitted: Fitted, catalogue: Catalogue) -> tuple[Hole, ...]:
    """All holes of the job in the order of the runs, worked out once for rules and lists."""
    inputs = job, fitted, catalogue
    return fitted.pipework.memory.keep("holes", inputs, None, lambda: tuple(holes(job, fitted, catalogue)), most=4)


def holes(job: Job, fitted: Fitted, catalogue: Catalogue) -> list[Hole]:
    """All holes of the job in the order of the runs: joists crossed, then passes as paced."""
    found: list[Hole] = []
    floors = {level.id: level.floor_mm for level in job.house.levels}
    work = fitted.pipework
    for straight in work.straights.values():
        if straight.key not in fitted.piece_of:
            continue
        a, b = fitted.spans[straight.key]
        od = 2 * radius_mm(catalogue, straight.pipe)
        size = hole_mm(catalogue, straight.pipe.code, straight.pipe.size, straight.lag_mm, od)
        for field in job.house.joists:
            if field.level in floors:
                found += _joists(job, field, floors[field.level] - BOARD_MM, straight.run, straight.key, a, b, od, size)
    for one in work.passes:
        if one.item.through == "joists":
            continue
        own = work.by_run[one.run].straights.values() if one.run in work.by_run else ()
        near = next((straight for straight in own if _on(fitted.spans[straight.key], one.at)), None)
        if near is None:
            continue
        pipe, lag_mm = _passing(work.runs[one.run], one.item, catalogue)
        od = 2 * radius_mm(catalogue, pipe)
        size = hole_mm(catalogue, pipe.code, pipe.size, lag_mm, od)
        remark = ""
        if one.item.sleeve:
            size = od + 2 * SLEEVE_MM
            remark = "sleeve" + (
                ", sealed at its inner end only, no joint inside" if work.runs[one.run].run.service == "gas" else ""
            )
        found.append(
            Hole(
                one.run,
                near.key,
                one.item.through,
                one.item.ref or "",
                0,
                one.at,
                size,
                "hole",
                0.0,
                0.0,
                None,
                False,
                remark,
            )
        )
    return found


def _passing(trace: RunTrace, item: Pass, catalogue: Catalogue) -> tuple[Pipe, float]:
    """What goes through at a pass: the larger of the pipes that meet there, and the lagging [mm] that goes on from one
    side to the other. What is said at the same spot, before the pass or after it, holds on the side it is on."""
    pipe, lie = trace.run.pipe, Lie(id="i1")
    pipes: list[Pipe] = []
    lags: list[float] = []
    there = False
    for step in (*trace.steps, None):
        if step is None or isinstance(step, Move):
            if there:
                break
            pipes, lags = [pipe], [lie.lag_mm or 0.0]
        elif step.kind == "pipe":
            pipe = step.pipe
        elif step.kind == "lie":
            lie = laid(lie, step)
        there = there or step is item
    pipes.append(pipe)
    lags.append(lie.lag_mm or 0.0)
    return max(pipes, key=lambda one: radius_mm(catalogue, one)), min(lags)


def _on(span: tuple[Vec, Vec], at: Vec) -> bool:
    a, b = span
    way = b.minus(a)
    if way.length < 1e-6:
        return False
    along = at.minus(a).dot(way) / way.dot(way)
    return -0.001 <= along <= 1.001 and at.minus(a.plus(way, along)).length < 1.0


def joist_lines(field: JoistField) -> list[float]:
    """Where the joists of a field lie across it [mm]: their centres, from half a breadth inside the first edge."""
    across = 0 if field.along == "N" else 1
    edges = [corner[across] for corner in field.outline]
    if not edges:
        return []
    at, last = min(edges) + field.breadth_mm / 2, max(edges)
    found: list[float] = []
    while at <= last + 1e-6 and len(found) < 500:
        found.append(at)
        at += field.centres_mm
    return found


def _joists(
    job: Job, field: JoistField, top_mm: float, run: str, straight: str, a: Vec, b: Vec, od: float, size: float
) -> list[Hole]:
    """The holes of one straight in one field."""
    if min(a.z, b.z) - od / 2 > top_mm or max(a.z, b.z) + od / 2 < top_mm - field.depth_mm or len(field.outline) < 3:
        return []
    along, across = (1, 0) if field.along == "N" else (0, 1)
    low, high = (min(corner[along] for corner in field.outline), max(corner[along] for corner in field.outline))
    found: list[Hole] = []
    for number, line in enumerate(joist_lines(field), 1):
        p, q = a[across] - line, b[across] - line
        if p * q >= 0:
            continue
        at = a.plus(b.minus(a), p / (p - q))
        if not low <= at[along] <= high:
            continue
        below = top_mm - at.z
        if not -od / 2 < below < field.depth_mm + od / 2:
            continue
        bearing = at[along] - low
        notch = below - size / 2 < 5.0
        depth = below + od / 2 + 1.5 if notch else size
        try:
            verdict = joist_hole(
                job.practice,
                "notch" if notch else "hole",
                field.depth_mm,
                max(field.span_mm, bearing),
                bearing,
                max(depth, 1.0),
                None if notch else below,
                field.kind,
            )
        except Refused:
            continue
        kind = "notch" if notch else "hole"
        found.append(
            Hole(
                run,
                straight,
                "joist",
                field.id,
                number,
                at,
                max(depth, 1.0),
                kind,
                below,
                bearing,
                verdict,
                verdict.plate,
            )
        )
    return found
