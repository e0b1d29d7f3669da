"""What of a job is drawn, and how large: the look, and the fitted job less what it leaves out."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

from ..core.design import Design
from ..core.joints.fitted import Fitted, RunJoints
from ..core.pipework.geometry import RunPipework
from .projection import Projection

MARGIN = 34.0
MANY_PIECES = 700
UNDER_FLOOR_MM = 350.0  # what lies this far below a floor is drawn with it: joists and screed


@dataclass(frozen=True, slots=True)
class Look:
    """What to draw. ghost: a run that is only being typed; pipes: off for the survey, which shows ports in their place;
    measures: lengths and names of points; levels, services: only these, all when empty; dimensions: lines of measure
    with the length of every leg, in place of the plain measures; mm_per_m: the scale of a sheet whose unit is the
    millimetre (20: 1 to 50), None to fit; head: room left free at the top; tints: pieces and parts with a mark of their
    own, as what tests have proved, (key, mark)."""

    projection: Projection = Projection()
    width: float = 960.0
    height: float = 560.0
    ghost: str = ""
    findings: bool = True
    pipes: bool = True
    measures: bool = True
    levels: frozenset[str] = frozenset()
    services: frozenset[str] = frozenset()
    dimensions: bool = False
    mm_per_m: float | None = None
    head: float = MARGIN
    tints: tuple[tuple[str, str], ...] = ()


def bands(design: Design, levels: frozenset[str]) -> list[tuple[float, float]]:
    """Heights [mm] that belong to these levels: from the joists below a floor to those below the next."""
    floors = sorted(design.job.house.levels, key=lambda level: level.floor_mm)
    found = []
    for n, level in enumerate(floors):
        if level.id in levels:
            low = level.floor_mm - UNDER_FLOOR_MM if n else -1e9
            found.append((low, floors[n + 1].floor_mm - UNDER_FLOOR_MM if n + 1 < len(floors) else 1e9))
    return found


def usual_levels(design: Design) -> frozenset[str]:
    """The levels a drawing opens with: all of them, but the lowest alone where a building is too large to be read at
    once."""
    levels = sorted(design.job.house.levels, key=lambda level: level.floor_mm)
    return frozenset({levels[0].id}) if levels and len(design.fitted.pieces) > MANY_PIECES else frozenset()


def levels_of(design: Design, key: str) -> frozenset[str]:
    """The levels whose drawing shows a thing: a piece or a part by its key, a station, a run or a level by its name.

    Empty where a drawing of all levels shows it, as in any job that is drawn as a whole, or where there is no such
    thing.
    """
    if not usual_levels(design):
        return frozenset()
    work, station = design.fitted.pipework, design.job.station(key)
    if design.job.level(key):
        return frozenset({key})
    if station is not None:
        return frozenset({station.level})
    piece, fitting, trace = design.fitted.pieces.get(key), design.fitted.fittings.get(key), work.runs.get(key)
    spot = piece.a if piece else fitting.at if fitting else trace.end if trace else None
    if spot is None:
        return frozenset()
    floors = design.job.house.levels
    of_level = {level.id: bands(design, frozenset({level.id}))[0] for level in floors}
    return frozenset(level for level, (low, high) in of_level.items() if low <= spot.z < high)


def shown(design: Design, look: Look) -> Fitted:
    """The fitted job less what the look leaves out."""
    fitted = design.fitted
    if not look.levels and not look.services:
        return fitted
    heights = bands(design, look.levels) if look.levels else [(-1e9, 1e9)]
    services = {run.id for run in design.job.runs if not look.services or run.service in look.services}

    def within(low: float, high: float) -> bool:
        return any(low < above and high >= below for below, above in heights)

    work = fitted.pipework
    left = replace(fitted, pieces={}, fittings={}, pipework=replace(work, nodes={}, runs={}))
    for run, part in work.by_run.items():
        made = fitted.of_run.get(run)
        if (
            run not in services
            or made is None
            or not within(*work.memory.keep("reach", (part, made), None, partial(_reach, part, made)))
        ):
            continue
        if run in work.runs:
            left.pipework.runs[run] = work.runs[run]
        for piece in made.pieces.values():
            ends = [corner.z for corner in piece.corners]
            if piece.run == run and within(min(ends), max(ends)):
                left.pieces[piece.key] = piece
        for key in made.fittings:
            fitting = fitted.fittings[key]
            if fitting.run == run and within(fitting.at.z, fitting.at.z):
                left.fittings[key] = fitting
        for key in (*part.nodes, *(node for node, _, _ in part.outer)):
            node = work.nodes[key]
            if node.run == run and within(node.at.z, node.at.z):
                left.pipework.nodes[key] = node
    return left


def pieces_of(design: Design, levels: frozenset[str]) -> frozenset[str]:
    """The pieces whose lower end lies on these levels: each piece of a house is on one of them."""
    heights = bands(design, levels)
    lows = {key: min(corner.z for corner in piece.corners) for key, piece in design.fitted.pieces.items()}
    return frozenset(key for key, z in lows.items() if any(low <= z < high for low, high in heights))


def runs_shown(design: Design, look: Look) -> frozenset[str]:
    """The runs of which a look shows something."""
    left = shown(design, look)
    return frozenset({one.run for one in left.pieces.values()} | {one.run for one in left.pipework.nodes.values()})


def _reach(part: RunPipework, made: RunJoints) -> tuple[float, float]:
    """From the lowest to the highest thing of a run and those made with it [mm]."""
    heights = [end.z for span in made.spans.values() for end in span]
    heights += [fitting.at.z for fitting in made.fittings.values()]
    heights += [node.at.z for node in part.nodes.values()]
    return min(heights, default=0.0), max(heights, default=0.0)
