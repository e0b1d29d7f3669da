"""Lengths a leg would stop at by itself: level with a port, at the face of a wall, at a tee, in line with the leg
before last."""

from __future__ import annotations

from dataclasses import dataclass

from ..job.model import Job
from ..job.ways import Vec
from .geometry import Pipework

LEAST_MM = 5.0
MOST = 60


@dataclass(frozen=True, slots=True)
class Snap:
    """A length [mm] and what it is level with."""

    length_mm: float
    what: str


def snaps(job: Job, pipework: Pipework, run_id: str, item: str) -> list[Snap]:
    """Where a leg could end: for each port, named point and wall face, the length that brings its end level with it,
    shortest first.

    Empty for an item that is no move of that run.
    """
    trace = pipework.runs.get(run_id)
    move = next((move for move in trace.moves if move.item == item), None) if trace else None
    if trace is None or move is None:
        return []
    said = trace.lengths.get(item, move.length_mm)
    start, way = move.b.plus(move.way, -said), move.way
    found: dict[float, str] = {}

    def keep(spot: Vec, what: str) -> None:
        length = round(spot.minus(start).dot(way), 3)
        if LEAST_MM < length < 1e5:
            found.setdefault(length, what)

    if trace.finish_at is not None:
        keep(trace.finish_at, f"level with {trace.run.finish}")
    for key, place in pipework.ports.items():
        keep(place.mouth, f"level with {key}")
    for other in pipework.runs.values():
        for name, at in other.points.items():
            if other.run.id != run_id:
                keep(at, f"level with {other.run.id}.{name}")
    if abs(way.z) < 0.01:
        floors = {level.id: level.floor_mm for level in job.house.levels}
        for wall in job.house.walls:
            a, b = Vec(*wall.from_xy, 0), Vec(*wall.to_xy, 0)
            if b.minus(a).length < 1 or abs(floors.get(wall.level, 0.0) - start.z) > 3000:
                continue
            along = b.minus(a).unit()
            across = Vec(-along.y, along.x, 0)
            if abs(across.dot(way)) < 0.99:
                continue
            for face, word in ((-wall.thickness_mm / 2, "near"), (wall.thickness_mm / 2, "far")):
                keep(a.plus(across, face * (1 if across.dot(way) > 0 else -1)), f"{word} face of {wall.id}")
    return [Snap(length, what) for length, what in sorted(found.items())][:MOST]
