"""Walls that pipes go through: said where they are, sleeved for gas, no joint within."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import partial

from ..job.model import House, Leg, Wall
from ..job.ways import Vec
from ..job.writing import item_text
from ..joints.fitted import RunJoints
from ..pipework.geometry import PassPlace
from ..quantity import length_text, trim
from .legs import put_in_leg
from .registry import Remedy, Said, View, rule

NEAR_MM = 200.0  # typ: how far the tape may be out when a wall is said
THICK_MM = 90.0  # typ: from here on a wall that nobody has described is taken for masonry
WITHIN_MM = 5.0  # a joint this deep in a wall lies in it


@dataclass(frozen=True, slots=True)
class Crossing:
    """Where a straight goes through a wall of the house: the middle of the wall."""

    run: str
    straight: str
    wall: Wall
    at: Vec
    way: Vec


def _crossings(made: RunJoints, house: House, lines: tuple[tuple[str, str], ...]) -> tuple[Crossing, ...]:
    """The walls that the straights of runs made together go through. lines: (straight, run)."""
    floors = {level.id: (level.floor_mm, level.ceiling_mm) for level in house.levels}
    found = []
    for key, run in lines:
        a, b = made.spans[key]
        for wall in house.walls:
            low, high = floors.get(wall.level, (0.0, 0.0))
            at = _meet(a, b, wall)
            if at is not None and low <= at.z <= high:
                found.append(Crossing(run, key, wall, at, b.minus(a).unit()))
    return tuple(found)


def _meet(a: Vec, b: Vec, wall: Wall) -> Vec | None:
    """Where the line from a to b meets the middle of a wall, both within their lengths."""
    (px, py), (qx, qy) = wall.from_xy, wall.to_xy
    dx, dy, ex, ey = b.x - a.x, b.y - a.y, qx - px, qy - py
    det = dx * ey - dy * ex
    if abs(det) < 1e-6:
        return None
    s = ((px - a.x) * ey - (py - a.y) * ex) / det
    t = ((px - a.x) * dy - (py - a.y) * dx) / det
    return a.plus(b.minus(a), s) if 0 < s < 1 and 0 <= t <= 1 else None


def crossings(view: View) -> list[Crossing]:
    """The walls that new pipe goes through, run by run as they were made."""
    house = view.job.house
    if not house.walls:
        return []
    new = {run.id for run in view.job.runs if run.state == "new"}
    found: list[Crossing] = []
    seen: set[str] = set()
    for made in view.fitted.of_run.values():  # runs that hang together share one
        first = next(iter(made.spans), "")
        if first in seen:
            continue
        seen.add(first)
        own = view.fitted.pipework.straights
        lines = tuple((key, own[key].run) for key in made.spans if key in own)
        found += view.memory.keep("walls crossed", (made, house), lines, partial(_crossings, made, house, lines))
    return [one for one in found if one.run in new]


def _said_at(view: View, one: Crossing) -> PassPlace | None:
    """The pass that a run says at a wall it goes through."""
    return next(
        (
            place
            for place in view.fitted.pipework.passes
            if place.run == one.run
            and place.item.through == "wall"
            and place.at.minus(one.at).length <= one.wall.thickness_mm / 2 + NEAR_MM
        ),
        None,
    )


@rule(
    "wall-unsaid",
    "mind",
    "a wall crossed that nobody said",
    "A wall that is not said has no hole on the list, no sleeve, and no fitting kept out of it.",
    "geometry of the house",
)
def wall_unsaid(view: View) -> Iterable[Said]:
    unit = view.job.pace_unit
    for one in crossings(view):
        if _said_at(view, one) is not None:
            continue
        spot = _leg_at(view, one)
        remedies = []
        if spot is not None:
            leg, along = spot
            gas = view.fitted.pipework.runs[one.run].run.service == "gas"
            thick = length_text(one.wall.thickness_mm, unit)
            text = f"(wall {thick}{' sleeve' if gas and one.wall.kind == 'masonry' else ''})"
            effect = f"{text} on {one.run}, {length_text(along, unit, with_unit=True)} along {leg.dir}"
            remedies = [Remedy(f"Say {one.wall.id} there", (put_in_leg(view, one.run, leg, text, along),), effect)]
        yield Said(
            (one.run, one.straight, one.wall.id),
            f"{one.run} goes through {one.wall.id}, which its line does not say.",
            tuple(remedies),
            one.at,
            ("move the run, or the wall",),
        )


def _leg_at(view: View, one: Crossing) -> tuple[Leg, float] | None:
    """The leg of a run that meets the face of a wall, and how far along [mm]."""
    trace = view.fitted.pipework.runs[one.run]
    legs = trace.run.legs
    face = one.at.plus(one.way, -one.wall.thickness_mm / 2)
    for move in trace.moves:
        along = face.minus(move.a).dot(move.way)
        off_mm = face.minus(move.a.plus(move.way, along)).length
        if move.item in legs and move.way.dot(one.way) > 0.999 and 0 < along < move.length_mm and off_mm < 1.0:
            return legs[move.item], round(along)
    return None


@rule(
    "wall-not-there",
    "mind",
    "a wall said that the house does not have",
    "A hole that goes nowhere is ordered and bored; one of the two, the line or the house, is wrong.",
    "geometry of the house",
)
def wall_not_there(view: View) -> Iterable[Said]:
    walls = view.job.house.walls
    levels = {level.id: level for level in view.job.house.levels}
    for place in view.fitted.pipework.passes:
        run = view.job.run(place.run)
        if place.item.through != "wall" or run is None or run.state != "new":
            continue
        here = [
            w
            for w in walls
            if (level := levels.get(w.level)) and level.floor_mm - 300 <= place.at.z <= level.ceiling_mm
        ]
        edge = _outer(view)
        thick = place.item.thickness_mm or 0.0
        if not here or any(
            _distance(place.at.plus(place.way, thick / 2), w) <= w.thickness_mm / 2 + NEAR_MM for w in here
        ):
            continue
        if edge and not all(low - NEAR_MM <= value <= high + NEAR_MM for value, low, high in _inside(place.at, edge)):
            continue
        if edge and any(min(abs(value - low), abs(value - high)) < 500 for value, low, high in _inside(place.at, edge)):
            continue  # an outer wall, which nobody draws
        yield Said(
            (place.run, place.item.id),
            f"{place.run} says {item_text(place.item, view.style)} where the house has no wall.",
            at=place.at,
            cures=("put the wall in under Survey", "take the pass out of the line, or move it"),
        )


def _outer(view: View) -> tuple[float, float, float, float] | None:
    """The outline of all rooms: west, south, east, north [mm]; None where none is drawn."""
    corners = [corner for room in view.job.house.rooms for corner in room.outline]
    if not corners:
        return None
    xs, ys = [x for x, _ in corners], [y for _, y in corners]
    return min(xs), min(ys), max(xs), max(ys)


def _inside(at: Vec, edge: tuple[float, float, float, float]) -> tuple[tuple[float, float, float], ...]:
    west, south, east, north = edge
    return (at.x, west, east), (at.y, south, north)


def _distance(at: Vec, wall: Wall) -> float:
    """How far a place is from the middle of a wall in plan [mm]."""
    a, b = Vec(*wall.from_xy, 0), Vec(*wall.to_xy, 0)
    flat = Vec(at.x, at.y, 0)
    along = b.minus(a)
    share = flat.minus(a).dot(along) / max(along.dot(along), 1e-9)
    return flat.minus(a.plus(along, min(1.0, max(0.0, share)))).length


@rule(
    "joint-in-wall",
    "stop",
    "a joint inside a wall",
    "What lies in a wall is pipe alone: a joint there can be neither made, nor seen, nor mended.",
    "rule of the trade; gas codes",
    stage="joints",
)
def joint_in_wall(view: View) -> Iterable[Said]:
    work, told = view.fitted.pipework, set()
    spans = [(one.run, one.at, one.way, one.wall.thickness_mm / 2, one.wall.id) for one in crossings(view)]
    for place in work.passes:
        if place.item.through == "wall" and (thick := place.item.thickness_mm):
            spans.append((place.run, place.at.plus(place.way, thick / 2), place.way, thick / 2, "the wall"))
    for run, middle, way, half, name in spans:
        if run not in view.fitted.of_run:
            continue
        for key, fitting in view.fitted.of_run[run].fittings.items():
            off = fitting.at.minus(middle)
            along = off.dot(way)
            if (
                fitting.kind in ("bend", "turn", "port", "open", "stub")
                or abs(along) > half - WITHIN_MM
                or off.plus(way, -along).length > 1.0
                or key in told
            ):
                continue
            told.add(key)
            node = work.nodes.get(key)
            said = f" {node.name}" if node and node.name else ""
            yield Said(
                (run, key),
                f"{run}: {fitting.title}{said} lies inside {name}.",
                at=fitting.at,
                cures=(f"move it at least {trim(half - abs(along) + 60, 0)} mm along the run", "move the run"),
            )


@rule(
    "gas-sleeve",
    "stop",
    "gas through masonry without a sleeve",
    "Masonry settles on the pipe and eats it, and gas that leaks there goes into the wall: a sleeve, sealed at its "
    "inner end only, no joint inside.",
    "gas codes; licensed work",
)
def gas_sleeve(view: View) -> Iterable[Said]:
    for place in view.fitted.pipework.passes:
        run = view.job.run(place.run)
        item = place.item
        if run is None or run.service != "gas" or run.state != "new" or item.through != "wall" or item.sleeve:
            continue
        wall = _wall_of(view, place)
        if wall.kind != "masonry" if wall else (item.thickness_mm or 0.0) < THICK_MM:
            continue
        sleeved = item_text(item.model_copy(update={"sleeve": True}), view.style)
        remedies: tuple[Remedy, ...] = ()
        if any(own.id == item.id for own in run.items):
            command = {"do": "retype_item", "run": run.id, "item": item.id, "text": sleeved}
            remedies = (Remedy("Put it in a sleeve", (command,), f"{sleeved} on {run.id}"),)
        name = wall.id if wall else "a wall"
        yield Said((run.id, item.id), f"{run.id} goes through {name} without a sleeve.", remedies, place.at)


def _wall_of(view: View, place: PassPlace) -> Wall | None:
    """The wall of the house a pass goes through."""
    return next(
        (
            one.wall
            for one in crossings(view)
            if one.run == place.run
            and (place.item.ref == one.wall.id or place.at.minus(one.at).length <= one.wall.thickness_mm / 2 + NEAR_MM)
        ),
        None,
    )
