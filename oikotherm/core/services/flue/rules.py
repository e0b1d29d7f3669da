"""Rules of vent connectors: the single-wall pipe from a draught hood to its chimney. The chimney's own size is left to
the appliance maker's tables and the licensed person."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ...job.model import Leg, Run, Wall, split_anchor
from ...job.ways import Vec
from ...pipework.geometry import Straight
from ...pipework.space import box_gap_mm, nearest_points, radius_mm
from ...quantity import length_text
from ...rules.registry import Remedy, RuleBook, Said, View
from .stations import SPEC

rule = RuleBook("flue")
RISE = 1 / 48  # std, fuel gas code
LIFT_DEG = 2  # what a remedy gives a level leg: 1 in 28
CLEAR_MM = 152.4  # std: 6 in to what burns
TIMBER = ("beam", "truss")
BURNS = ("stud", "timber")


def _connectors(view: View) -> Iterator[tuple[Run, list[Straight], float]]:
    """New runs of vent connector: the run, its straights, 1 where the gases go as it is paced and -1 against."""
    work = view.fitted.pipework
    for run in view.job.runs:
        if run.service != SPEC.id or run.state != "new" or run.id not in work.by_run:
            continue
        begins = view.job.station(split_anchor(run.start)[0])
        ends = view.job.station(split_anchor(run.finish)[0])
        against = ends is not None and _makes(ends.ports) and not (begins is not None and _makes(begins.ports))
        straights = [one for one in work.by_run[run.id].straights.values() if one.pipe.code == "vent-sw"]
        if straights:
            yield run, straights, -1.0 if against else 1.0


def _makes(ports: Iterable[object]) -> bool:
    return any(getattr(port, "role", "") == "gas" for port in ports)


@rule(
    "vent-rise",
    "stop",
    "a vent connector that does not rise",
    "Burnt gas rises: a connector that lies level or falls spills into the room. 1 in 48 or more all the way, 20 mm a "
    "metre (1/4 in a foot).",
    "std, fuel gas code",
)
def vent_rise(view: View) -> Iterable[Said]:
    for run, straights, sign in _connectors(view):
        low = [one for one in straights if not one.close and _flat(one.way) > 1e-6]
        low = [one for one in low if sign * one.way.z / _flat(one.way) < RISE - 1e-6]
        if not low:
            continue
        legs = run.legs
        commands = [
            {"do": "retype_item", "run": run.id, "item": leg.id, "text": _lifted(leg, sign)}
            for one in low
            for leg in (legs[key] for key in one.legs if key in legs)
            if abs(one.way.z) < 1e-6 and "+" not in leg.dir
        ]
        remedies = (
            (Remedy(f"Let it rise {LIFT_DEG} degrees", tuple(commands), f"{run.id} rises 1 in 28"),) if commands else ()
        )
        yield Said(
            (run.id, low[0].key),
            f"{run.id} does not rise 1 in 48 towards its chimney.",
            remedies,
            low[0].a,
            ("a lower hood, or a higher way into the chimney",),
        )


def _flat(way: Vec) -> float:
    return float((way.x**2 + way.y**2) ** 0.5)


def _lifted(leg: Leg, sign: float) -> str:
    length = "?" if leg.length_mm is None else leg.said or f"{leg.length_mm:g}mm"
    return f"{leg.dir}+{LIFT_DEG}{'U' if sign > 0 else 'D'}{length}"


@rule(
    "vent-narrow",
    "stop",
    "a vent connector narrower than its hood",
    "It holds the burnt gas back: never below the outlet of the hood.",
    "std, fuel gas code",
)
def vent_narrow(view: View) -> Iterable[Said]:
    for run, straights, _ in _connectors(view):
        for anchor in (run.start, run.finish):
            station = view.job.station(split_anchor(anchor)[0])
            hood = station.data.flue_mm if station is not None else None
            across = 2 * min(radius_mm(view.context.catalogue, one.pipe) for one in straights)
            if station is None or not hood or across >= hood - 1.5:
                continue
            sizes = view.context.catalogue.sizes("vent-sw")
            same = [size for size in sizes if ("." in size or len(size) > 1) == (len(straights[0].pipe.size) > 1)]
            fits = (size for size in same if (row := view.context.catalogue.pipe("vent-sw", size)) and row.od_mm)
            larger = next((size for size in fits if _od(view, size) >= hood - 1.5), None)
            command = {"do": "set_pipe", "run": run.id, "item": None, "code": "vent-sw", "size": larger}
            unit = view.job.pace_unit
            yield Said(
                (run.id, station.id),
                f"{run.id} is {length_text(across, unit, with_unit=True)} across; the hood of {station.id} is "
                f"{length_text(hood, unit, with_unit=True)}.",
                (Remedy(f"Take size {larger}", (command,), f"vent-sw {larger} on {run.id}"),) if larger else (),
                straights[0].a,
                ("the size of the hood all the way",),
            )


def _od(view: View, size: str) -> float:
    row = view.context.catalogue.pipe("vent-sw", size)
    return row.od_mm or 0.0 if row else 0.0


@rule(
    "vent-clear",
    "stop",
    "a vent connector too near to what burns",
    "Single-wall pipe grows hot: 150 mm (6 in) to timber, and never through it without a thimble.",
    "std, fuel gas code",
)
def vent_clear(view: View) -> Iterable[Said]:
    unit, told = view.job.pace_unit, set()
    for run, straights, _ in _connectors(view):
        for one in straights:
            a, b = view.fitted.spans.get(one.key, (one.a, one.b))
            radius = radius_mm(view.context.catalogue, one.pipe)
            near = [
                (box_gap_mm(a, b, obstacle.box), obstacle.id)
                for obstacle in view.job.house.obstacles
                if obstacle.kind in TIMBER
            ]
            near += [(_wall_gap(a, b, wall), wall.id) for wall in view.job.house.walls if _beside(view, wall, a, b)]
            for (gap, at), name in near:
                away = max(gap - radius, 0.0)
                if away >= CLEAR_MM - 1 or (run.id, name) in told:
                    continue
                told.add((run.id, name))
                yield Said(
                    (run.id, one.key, name),
                    f"{run.id} passes {length_text(away, unit, with_unit=True)} from {name}: "
                    f"{length_text(CLEAR_MM, unit, with_unit=True)} at least.",
                    (),
                    at,
                    ("another way for it", "double-wall vent, as it is listed"),
                )


def _beside(view: View, wall: Wall, a: Vec, b: Vec) -> bool:
    level = view.job.level(wall.level)
    low, high = sorted((a.z, b.z))
    return wall.kind in BURNS and level is not None and low <= level.ceiling_mm and high >= level.floor_mm


def _wall_gap(a: Vec, b: Vec, wall: Wall) -> tuple[float, Vec]:
    p, q = Vec(*wall.from_xy, 0), Vec(*wall.to_xy, 0)
    on, other = nearest_points(Vec(a.x, a.y, 0), Vec(b.x, b.y, 0), p, q)
    return max(on.minus(other).length - wall.thickness_mm / 2, 0.0), Vec(on.x, on.y, a.z)


RULES = tuple(rule.rules.values())
