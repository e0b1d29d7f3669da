"""What pipes meet on their way: other pipes, cables, joists, heat, a finish over their joints."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from functools import partial
from typing import Any

from ..catalogue import Catalogue, End
from ..job.model import Leg, Obstacle, Run
from ..job.ways import DIRECTIONS, Vec, inside
from ..joints.law import HIDDEN, Question, Verdict, ends_barred, heat_away_mm, method_allowed
from ..making.holes import Hole, kept_holes
from ..pipework.geometry import RunPipework, Straight
from ..pipework.space import Near, box_gap_mm, near_pairs, radius_mm
from ..practice import IN_VIEW, RODENTS, chosen
from ..quantity import length_text, trim
from ..services import spec
from .legs import put_in_leg
from .registry import Remedy, Said, View, rule

APART_MM = 25.0  # clear over a crossing pipe, and between hot and cold
CABLE_GAS_MM, BOARD_GAS_MM = 25.0, 150.0
ELECTRIC = ("cable", "board", "meter")
HOT_C = 50.0  # typ: a port whose water becomes hotter than this softens plastic
BESIDE_MM = 500.0  # pipes this long beside each other count as parallel


def _pairs(view: View) -> list[Near]:
    """Straights near each other, once for all rules of a job."""
    catalogue, keep = view.context.catalogue, view.memory.keep

    def near_each_other() -> list[Near]:
        parts = view.fitted.pipework.by_run.values()
        widest = (keep("widest", (part, catalogue), None, partial(_widest_mm, part, catalogue)) for part in parts)
        reach_mm = 2 * max(widest, default=0.0) + APART_MM
        return list(near_pairs(view.fitted.pipework, view.fitted.spans, reach_mm))

    found = keep("near pairs", (view.fitted, catalogue), None, near_each_other, most=4)
    return [near for near in found if not _gone(view, near.one) and not _gone(view, near.other)]


def _widest_mm(part: RunPipework, catalogue: Catalogue) -> float:
    """The largest radius of a run's pipes with their lagging [mm]."""
    return max((radius_mm(catalogue, one.pipe) + one.lag_mm for one in part.straights.values()), default=0.0)


def _gone(view: View, straight: Straight) -> bool:
    run = view.fitted.pipework.runs[straight.run].run
    return run.state == "remove"


def _leg_at(view: View, straight: Straight, at: Vec) -> tuple[Leg, float] | None:
    """The paced leg of a straight that passes a point, and how far along it that is [mm]."""
    trace = view.fitted.pipework.runs[straight.run]
    legs = trace.run.legs
    for move in trace.moves:
        if move.item in legs and move.item in straight.legs:
            along = at.minus(move.a).dot(move.way)
            if 0 <= along <= move.length_mm:
                return legs[move.item], along
    return None


def crossover_remedies(
    view: View, straight: Straight, at: Vec, over: str, rise_mm: float, sides: Iterable[str]
) -> Iterable[Remedy]:
    """A crossover in the leg that passes a point, to a side where the leg has room for it."""
    found = _leg_at(view, straight, at)
    if found is None:
        return
    leg, along = found
    length = view.fitted.pipework.runs[straight.run].lengths[leg.id]
    room = min(along, length - along) - 120
    angle = next((angle for angle in (45, 60) if rise_mm / (1 if angle == 45 else 1.732) < room), None)
    if angle is None:
        return
    for side in sides:
        text = (
            f"^{side}{trim(APART_MM, 0) if view.job.pace_unit == 'mm' else '1'}{'' if angle == 45 else '@60'} over "
            f"{over}"
        )
        where = length_text(along, view.job.pace_unit, with_unit=True)
        yield Remedy(
            f"Pass over {over}: {straight.run} steps {side}",
            (put_in_leg(view, straight.run, leg, text, round(along, 3)),),
            f"{text} on {straight.run}, {where} along {leg.dir}{length_text(length, view.job.pace_unit)}",
        )


def _sides(way: Vec, other: Vec, lies: Vec) -> list[str]:
    """Directions square to both pipes, that on which the first one lies already first."""
    square = [
        name
        for name, side in DIRECTIONS.items()
        if abs(side.dot(way)) < 0.01 and abs(side.dot(other)) < 0.01 and len(name) == 1
    ]
    return sorted(square, key=lambda name: -DIRECTIONS[name].dot(lies))


@rule(
    "clash",
    "stop",
    "two pipes in one place",
    "Where centre lines pass nearer than both radii the pipes meet: one goes over by a crossover, or at another level.",
    "geometry; std outside diameters",
)
def clash(view: View) -> Iterable[Said]:
    for near in _pairs(view):
        radii = radius_mm(view.context.catalogue, near.one.pipe) + radius_mm(view.context.catalogue, near.other.pipe)
        if near.gap_mm >= radii - 0.05 or radii == 0:
            continue
        lies = near.on_one.minus(near.on_other)
        remedies: list[Remedy] = []
        if not near.parallel:
            rise = radii + APART_MM + 110
            for own, other, at, away in (
                (near.other, near.one, near.on_other, lies.times(-1)),
                (near.one, near.other, near.on_one, lies),
            ):
                remedies += crossover_remedies(view, own, at, other.run, rise, _sides(own.way, other.way, away)[:1])
        overlap = length_text(radii - near.gap_mm, view.job.pace_unit, with_unit=True)
        yield Said(
            (near.other.run, near.other.key, near.one.key),
            f"{near.other.run} and {near.one.run} meet: {overlap} too near.",
            tuple(remedies),
            near.on_other,
            ("another level for one of them",),
        )


@rule(
    "lagging-room",
    "mind",
    "no room for the lagging",
    "Lagging squeezed between two pipes lags neither; hot and cold beside each other warm the cold.",
    "typ: 25 mm apart, lagged",
)
def lagging_room(view: View) -> Iterable[Said]:
    catalogue = view.context.catalogue
    for near in _pairs(view):
        radii = radius_mm(catalogue, near.one.pipe) + radius_mm(catalogue, near.other.pipe)
        lag = near.one.lag_mm + near.other.lag_mm
        runs = [view.fitted.pipework.runs[one.run].run for one in (near.one, near.other)]
        warm = [spec.role(run.role).temp_c >= HOT_C for run in runs if not spec.service(run.service).runs_off]
        mixed = any(run.role == "cold" for run in runs) and any(warm)
        beside = near.parallel and _overlap_mm(view, near) > BESIDE_MM
        need = max(lag if beside or not near.parallel else 0.0, APART_MM + lag if mixed and beside else 0.0)
        if near.gap_mm < radii - 0.05 or near.gap_mm >= radii + need - 0.5 or not need:
            continue
        unit = view.job.pace_unit
        says = (
            f"{near.one.run} and {near.other.run} lie {length_text(near.gap_mm - radii, unit, with_unit=True)} apart; "
            f"{'hot beside cold' if mixed else 'their lagging'} wants {length_text(need, unit, with_unit=True)}."
        )
        yield Said(
            (near.other.run, near.other.key, near.one.key),
            says,
            at=near.on_other,
            cures=("move one of them away", "thinner lagging there"),
        )


def _overlap_mm(view: View, near: Near) -> float:
    way = near.one.way
    (a, b), (c, d) = view.fitted.spans[near.one.key], view.fitted.spans[near.other.key]
    low, high = sorted((a.dot(way), b.dot(way)))
    first, last = sorted((c.dot(way), d.dot(way)))
    return min(high, last) - max(low, first)


@rule(
    "no-lagging",
    "mind",
    "pipe without lagging in the cold",
    "In a loft and outside water freezes and heat is lost: 13 mm wall at the least against loss, 25 mm and more in "
    "the cold, and that only delays frost.",
    "typ",
)
def no_lagging(view: View) -> Iterable[Said]:
    seen = set()
    for straight in view.fitted.pipework.straights.values():
        trace = view.fitted.pipework.runs[straight.run]
        if (
            straight.place not in ("loft", "outside")
            or straight.lag_mm >= 13
            or spec.role(trace.run.role).phase != "liquid"
            or spec.service(trace.run.service).runs_off
            or straight.run in seen
        ):
            continue
        seen.add(straight.run)
        lie = next((item for item in trace.run.items if item.kind == "lie" and item.place == straight.place), None)
        remedies = []
        if lie is not None:
            from ..job.writing import item_text

            text = item_text(lie.model_copy(update={"lag_mm": 25.0}), view.style)
            command = {"do": "retype_item", "run": straight.run, "item": lie.id, "text": text}
            remedies = [Remedy("Lag it 25 mm", (command,), f"{text} on {straight.run}")]
        lag = (
            f" with lagging of {length_text(straight.lag_mm, view.job.pace_unit, with_unit=True)} only"
            if straight.lag_mm
            else " without lagging"
        )
        where = "outside" if straight.place == "outside" else f"in the {straight.place}"
        yield Said(
            (straight.run, straight.key),
            f"{straight.run} lies {where}{lag}.",
            tuple(remedies),
            straight.a,
        )


def _passing(view: View, obstacle: Obstacle) -> Iterable[tuple[Straight, float, float, Vec]]:
    """All pipes as they pass an obstacle: (straight, what is free between [mm], radius [mm], the nearest point of the
    centre line)."""
    for straight in view.fitted.pipework.straights.values():
        if not straight.close:
            radius = radius_mm(view.context.catalogue, straight.pipe)
            gap, at = box_gap_mm(*view.fitted.spans[straight.key], obstacle.box)
            yield straight, gap - radius, radius, at


def _obstacle_words(one: Obstacle) -> str:
    return f"{one.kind} {one.id}"


@rule(
    "near-electrics",
    "stop",
    "pipe too near a cable, board or meter",
    "Gas keeps 25 mm from cables and 150 mm from meters and boards; no heating pipe touches a cable.",
    "typ metric practice",
)
def near_electrics(view: View) -> Iterable[Said]:
    for obstacle in view.job.house.obstacles:
        if obstacle.kind not in ELECTRIC:
            continue
        for straight, free, _, at in _passing(view, obstacle):
            gas = view.fitted.pipework.runs[straight.run].run.service == "gas"
            least = max(
                (CABLE_GAS_MM if obstacle.kind == "cable" else BOARD_GAS_MM) if gas else 1.0, obstacle.clearance_mm
            )
            if free >= least - 0.05:
                continue
            unit = view.job.pace_unit
            says = (
                f"{straight.run} passes {length_text(max(free, 0), unit, with_unit=True)} from "
                f"{_obstacle_words(obstacle)}; {length_text(least, unit, with_unit=True)} is the least."
            )
            yield Said(
                (straight.run, straight.key, obstacle.id),
                says,
                at=at,
                cures=("another way for the pipe", "the cable moved by who may"),
            )


@rule(
    "through-obstacle",
    "stop",
    "pipe through something that is there",
    "A beam, truss or duct is not cut for a pipe: go over, under or round it.",
    "survey",
)
def through_obstacle(view: View) -> Iterable[Said]:
    for obstacle in view.job.house.obstacles:
        if obstacle.kind in ELECTRIC or obstacle.kind == "hatch":
            continue
        for straight, free, radius, at in _passing(view, obstacle):
            if free >= obstacle.clearance_mm - 0.05 or radius == 0:
                continue
            remedies: list[Remedy] = []
            for side in ("U", "D", "N", "E", "S", "W"):
                way = DIRECTIONS[side]
                if abs(way.dot(straight.way)) > 0.01:
                    continue
                top = max(
                    Vec(x, y, z).minus(at).dot(way)
                    for x in (obstacle.box[0][0], obstacle.box[1][0])
                    for y in (obstacle.box[0][1], obstacle.box[1][1])
                    for z in (obstacle.box[0][2], obstacle.box[1][2])
                )
                wide = sum(abs(hi - lo) * abs(axis) for lo, hi, axis in zip(*obstacle.box, straight.way, strict=True))
                if 0 < top < 150 and wide < 40:
                    remedies += crossover_remedies(
                        view, straight, at, obstacle.id, top + radius + APART_MM + 110, (side,)
                    )
            unit = view.job.pace_unit
            says = (
                f"{straight.run} goes through {_obstacle_words(obstacle)}."
                if free + radius == 0
                else (
                    f"{straight.run} passes {length_text(max(free, 0), unit, with_unit=True)} from "
                    f"{_obstacle_words(obstacle)}; it wants {length_text(obstacle.clearance_mm, unit, with_unit=True)}."
                )
            )
            yield Said(
                (straight.run, straight.key, obstacle.id), says, tuple(remedies[:1]), at, ("another way for the pipe",)
            )


def _joist_holes(view: View) -> list[Hole]:
    if not view.job.house.joists:
        return []
    found = kept_holes(view.job, view.fitted, view.context.catalogue)
    return [hole for hole in found if hole.through == "joist"]


@rule(
    "joist-hole",
    "stop",
    "a hole or notch the joist does not take",
    "A joist cut in the wrong place or too deep gives way: holes on the centre line between 0.25 and 0.4 of the span, "
    "notches between 0.07 and 0.25.",
    "rule of solid timber joists, by practice",
)
def joist_hole_place(view: View) -> Iterable[Said]:
    groups: dict[tuple[str, str, str], list[Hole]] = defaultdict(list)
    for hole in _joist_holes(view):
        if hole.verdict and not hole.verdict.allowed:
            groups[hole.run, hole.straight, hole.ref].append(hole)
    for (run, straight, field), found in groups.items():
        first = found[0]
        assert first.verdict is not None
        numbers = _numbers([hole.number for hole in found])
        says = (
            f"{run}: {first.kind} {length_text(first.diameter_mm, view.job.pace_unit, with_unit=True)} in joist "
            f"{numbers} of {field}: {'; '.join(first.verdict.reasons)}."
        )
        yield Said(
            (run, straight, field),
            says,
            at=first.at,
            cures=(
                "along the joists instead of across",
                "nearer the bearing" if first.kind == "notch" else "in the zone for holes",
                "a smaller pipe",
            ),
        )


def _numbers(found: list[int]) -> str:
    return str(found[0]) if len(found) == 1 else f"{min(found)} to {max(found)}"


@rule(
    "nail-plate",
    "mind",
    "pipe within a nail's reach",
    "A pipe nearer than 32 mm (1-1/4 in) to a nailed edge gets a steel plate over it.",
    "typ",
)
def nail_plate(view: View) -> Iterable[Said]:
    groups: dict[tuple[str, str, str], list[Hole]] = defaultdict(list)
    for hole in _joist_holes(view):
        if hole.plate and hole.verdict and hole.verdict.allowed:
            groups[hole.run, hole.straight, hole.ref].append(hole)
    for (run, straight, field), found in groups.items():
        says = f"{run}: joist {_numbers([hole.number for hole in found])} of {field} wants a steel plate over the pipe."
        yield Said((run, straight, field), says, at=found[0].at, cures=(f"{len(found)} steel plates",))
    for wall in view.job.house.walls:
        if wall.kind == "masonry":
            continue
        a, b = Vec(*wall.from_xy, 0), Vec(*wall.to_xy, 0)
        if b.minus(a).length < 1:
            continue
        way = b.minus(a).unit()
        across = Vec(-way.y, way.x, 0)
        for pipe in view.fitted.pipework.straights.values():
            if pipe.place != "wall" or abs(pipe.way.dot(across)) > 0.1:
                continue
            p, q = view.fitted.spans[pipe.key]
            middle = p.plus(q.minus(p), 0.5)
            off, along = middle.minus(a).dot(across), middle.minus(a).dot(way)
            cover = wall.thickness_mm / 2 - abs(off) - radius_mm(view.context.catalogue, pipe.pipe)
            if 0 <= along <= b.minus(a).length and -wall.thickness_mm / 2 < off < wall.thickness_mm / 2 and cover < 32:
                says = (
                    f"{pipe.run} lies {length_text(max(cover, 0), view.job.pace_unit, with_unit=True)} under the "
                    f"face of {wall.id}: a steel plate over it."
                )
                yield Said((pipe.run, pipe.key, wall.id), says, at=middle, cures=("a plate at every stud",))


@rule(
    "plastic-heat",
    "stop",
    "plastic too near a source of heat",
    "Plastic and multilayer pipe softens by a boiler, heater or flue: the first half metre is metal.",
    "typ: 500 mm, North America 18 in",
)
def plastic_heat(view: View) -> Iterable[Said]:
    least = heat_away_mm(view.context.catalogue, view.job.practice)
    work = view.fitted.pipework
    if not _any_soft(view):
        return
    hot = [
        place
        for place in work.ports.values()
        if "hot" in spec.kind(place.station.kind).traits
        and place.station.state != "remove"
        and (spec.role(place.port.role).temp_c >= HOT_C or place.port.role == "cold")
    ]
    for place in hot:
        x, y, z = place.plane
        box = (x - 1, y - 1, z - 1), (x + 1, y + 1, z + 1)
        seen = set()
        for straight in work.straights.values():
            system = view.context.catalogue.systems.get(straight.pipe.code)
            if system is None or system.material not in ("plastic", "multilayer") or straight.run in seen:
                continue
            run = work.runs[straight.run].run
            end = End(straight.pipe.code, straight.pipe.size, "pipe")
            asked = Question(end, end, run.service, view.job.practice, role=run.role, near_heat=True)
            if not any(reason.code == "heat" for reason in ends_barred(view.context.catalogue, asked)):
                continue
            gap, at = box_gap_mm(*view.fitted.spans[straight.key], box)
            if gap < least - 1:
                seen.add(straight.run)
                unit = view.job.pace_unit
                yield Said(
                    (straight.run, straight.key, place.key),
                    f"{straight.run} is {straight.pipe} {length_text(gap, unit, with_unit=True)} from {place.key}; "
                    f"{length_text(least, unit, with_unit=True)} is the least.",
                    at=at,
                    cures=("metal pipe for the first half metre, then the transition",),
                )


@rule(
    "concealed-joint",
    "mind",
    "a joint that may not be hidden",
    "Compression, union, push-fit and flexible joints can be undone and can loosen: behind a finish nobody sees them "
    "weep. On gas it is not allowed.",
    "rule of the trade; local code",
)
def concealed_joint(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    hidden = {key for key, one in work.straights.items() if one.place in HIDDEN or one.place_to in HIDDEN}
    sound: set[tuple[str, str, str]] = set()  # method, role, place: nothing is said of them
    for joint in view.fitted.joints.values():
        row = view.context.catalogue.methods.get(joint.method) if joint.other in hidden else None
        if row is None:
            continue
        straight = work.straights[joint.other]
        run = work.runs[straight.run].run
        node = joint.key.rpartition(":")[0]
        place = (
            straight.place_to if node == straight.to_node or node.startswith(f"{straight.to_node}/") else straight.place
        )
        if place not in HIDDEN or run.state != "new":
            continue

        if (joint.method, run.role, place) in sound:
            continue

        def lies(method: str, place: str = place, run: Run = run) -> Verdict:
            return method_allowed(view.context.catalogue, method, run.service, view.job.practice, run.role, place)

        verdict = lies(joint.method)
        concealed = [reason for reason in verdict.reasons if reason.code == "concealed"]
        if not concealed and verdict.needs == lies(joint.method, "").needs:
            sound.add((joint.method, run.role, place))
            continue
        remedies = []
        system = view.context.catalogue.systems.get(straight.pipe.code)
        fitting = view.fitted.fittings.get(joint.fitting_key)
        one_system = fitting and len({pipe.code for pipe in fitting.pipes.values()}) == 1
        if fitting and one_system and fitting.kind in ("elbow", "elbow45", "tee", "coupling", "reducer") and system:
            for method in system.methods:
                if lies(method).verdict == "allowed" and view.context.catalogue.method_figures(
                    straight.pipe.code, straight.pipe.size, method
                ):
                    other = view.context.catalogue.methods[method]
                    override = {"target": joint.fitting_key, "field": "method", "value": method, "reason": "concealed"}
                    command: dict[str, Any] = {"do": "put_override", "override": override}
                    remedies.append(
                        Remedy(
                            f"Make it by {other.title}",
                            (command,),
                            f"the joints of {fitting.title} become {other.title}",
                        )
                    )
                    break
        says = f"{joint.run}: {row.title} on {joint.fitting_title} lies in the {place}."
        yield Said(
            (joint.run, joint.key),
            says,
            tuple(remedies),
            joint.at,
            ("move it to where it can be reached", "a hatch over it"),
            "stop" if run.service == "gas" else None,
        )


@rule(
    "plastic-in-view",
    "mind",
    "plastic pipe in view",
    "The house runs metal where pipe is seen: plastic sags between its clips, yellows, and is knocked.",
    "House practice",
)
def plastic_in_view(view: View) -> Iterable[Said]:
    if chosen(view.job, IN_VIEW)[0].id != "metal" or not _any_soft(view):
        return
    seen = set()
    for straight in view.fitted.pipework.straights.values():
        run = view.fitted.pipework.runs[straight.run].run
        if (
            straight.run in seen
            or run.state != "new"
            or not {straight.place, straight.place_to} & {"", "view"}
            or not _soft(view, straight)
            or spec.service(run.service).runs_off
        ):
            continue
        seen.add(straight.run)
        yield Said(
            (straight.run, straight.key),
            f"{straight.run} comes out into view in {straight.pipe}."
            if straight.place not in ("", "view")
            else f"{straight.run} shows {straight.pipe} in view.",
            at=view.fitted.spans[straight.key][0],
            cures=(
                "metal where it is seen, with a transition behind the finish",
                "box it in",
                "House practice: any pipe in view",
            ),
        )


@rule(
    "rodents",
    "mind",
    "plastic pipe where rodents are",
    "Rodents gnaw plastic pipe in lofts and under floors, and the water is found days later.",
    "House practice",
)
def rodents(view: View) -> Iterable[Said]:
    rooms = [room for room in view.job.house.rooms if room.rodents]
    if not rooms or chosen(view.job, RODENTS)[0].id != "avoid":
        return
    floors = {level.id: level.floor_mm for level in view.job.house.levels}
    seen = set()
    for straight in view.fitted.pipework.straights.values():
        run = view.fitted.pipework.runs[straight.run].run
        if (
            straight.run in seen
            or run.state != "new"
            or straight.place not in ("loft", "floor", "ceiling")
            or not _soft(view, straight)
        ):
            continue
        a, b = view.fitted.spans[straight.key]
        for spot in (a, a.plus(b.minus(a), 0.5), b):
            room = next(
                (
                    one
                    for one in rooms
                    if abs(spot.z - floors.get(one.level, 0.0)) < 4000 and inside(one.outline, spot.x, spot.y)
                ),
                None,
            )
            if room:
                seen.add(straight.run)
                yield Said(
                    (straight.run, straight.key),
                    f"{straight.run} runs {straight.pipe} in the {straight.place} of {room.name}, where rodents are.",
                    at=spot,
                    cures=("copper or thin steel there", "House practice: allow"),
                )
                break


def _any_soft(view: View) -> bool:
    """Whether there is plastic pipe at all."""
    graph, forms = view.fitted.pipework.graph, [part.shape for part in view.fitted.pipework.by_run.values()]
    codes = view.memory.keep(
        "pipe systems", (graph, *forms), None, lambda: _codes(view.fitted.pipework.by_run.values()), most=4
    )
    systems = view.context.catalogue.systems
    return any(systems[code].material in ("plastic", "multilayer") for code in codes if code in systems)


def _codes(parts: Iterable[RunPipework]) -> frozenset[str]:
    return frozenset(straight.pipe.code for part in parts for straight in part.straights.values())


def _soft(view: View, straight: Straight) -> bool:
    system = view.context.catalogue.systems.get(straight.pipe.code)
    return system is not None and system.material in ("plastic", "multilayer")
