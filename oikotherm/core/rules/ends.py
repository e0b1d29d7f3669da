"""Where runs begin, end and meet: closing errors, open ends, runs that have lost an end, ports taken twice."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable

from ..errors import Refused
from ..job.model import Leg, Point, Tee
from ..job.ways import Vec, nearest_way, way_vector
from ..job.writing import exact_length
from ..joints.takeoff import part_mating
from ..making.bends import tangent_mm
from ..making.fitup import chain_tolerance, spring_mm, street_cures
from ..pipework.walk import RunTrace
from ..practice import TURNS, chosen
from ..quantity import PaceUnit, length_text
from .legs import put_in_leg
from .registry import Remedy, Said, View, rule

TRIMMED_MM = 100.0  # typ: how much of a stub that stands proud is cut off
LEG_MM = 100.0  # a miss from here on is a leg that was forgotten
PUSHED_MM = 30.0  # typ: how far a stub that is free behind is pushed back
SHIFTED_MM = 8.0  # typ: how far a stub is shifted in its opened hole
CLOSES_MM = 3.0  # the spring of 15 mm copper with 300 mm free takes this up
SEEN_MM = 0.5
_BASIS_DOUBT = {"assumed": 0, "drawn": 1, "taped": 2}


def vector_words(vector: Vec, unit: PaceUnit) -> str:
    """A vector as a fitter says it: E 20, U 5."""
    pairs = ((vector.x, "E", "W"), (vector.y, "N", "S"), (vector.z, "U", "D"))
    words = [
        f"{more if part > 0 else less} {length_text(abs(part), unit)}"
        for part, more, less in pairs
        if abs(part) >= SEEN_MM
    ]
    return ", ".join(words) or "nothing to speak of"


@rule(
    "closing-error",
    "stop",
    "the run misses its end",
    "Paced legs that do not add up mean pipe cut to the wrong length. Up to 3 mm springs in; more has to be found.",
    "typ: spring of 15 mm copper with 300 mm free",
)
def closing_error(view: View) -> Iterable[Said]:
    unit = view.job.pace_unit
    for trace in view.fitted.pipework.runs.values():
        if trace.closing is None or trace.adrift or trace.unsolved or trace.closing.length < SEEN_MM:
            continue
        words = vector_words(trace.closing, unit)
        size = length_text(trace.closing.length, unit, with_unit=True)
        if trace.closing.length <= CLOSES_MM:
            says = f"{trace.run.id} ends {size} from {trace.run.finish} ({words} to go): it will spring in."
            yield Said((trace.run.id,), says, at=trace.end, severity="note")
            continue
        yield Said(
            (trace.run.id, trace.run.finish),
            f"{trace.run.id} ends {size} from {trace.run.finish}: {words} to go.",
            tuple(_closing_remedies(view, trace)),
            trace.end,
            _closing_cures(view, trace),
        )


def _closing_cures(view: View, trace: RunTrace) -> tuple[str, ...]:
    """What helps by hand: a spring or a street pair where they reach, and how near so many taped legs land."""
    assert trace.closing is not None
    pipe = trace.run.pipe
    words = []
    try:
        side = trace.closing.length
        spring = spring_mm(view.context.catalogue, pipe, 600.0)
        if side <= spring:
            words.append(f"spring it over with 600 mm free: {pipe} gives {spring:.0f} mm")
        words += [cure.says for cure in street_cures(view.context.catalogue, pipe, side) if cure.possible]
    except Refused:
        pass
    taped = max(1, sum(isinstance(item, Leg) for item in trace.run.items))
    words.append(f"{taped} taped legs land within {chain_tolerance(taped).likely_mm:.1f} mm as a rule")
    return tuple(words)


def _set_angle(view: View, trace: RunTrace) -> float | None:
    """The steepest usual angle at which this pipe can make the set: bent where the practice bends it, else with 45
    elbows."""
    assert trace.closing is not None
    pipe, catalogue, height = trace.run.pipe, view.context.catalogue, trace.closing.length
    radius, row = catalogue.bend_radius_mm(pipe.code, pipe.size), catalogue.pipe(pipe.code, pipe.size)
    if radius and row and row.od_mm and row.od_mm <= float(chosen(view.job, TURNS)[0].acts[0]):
        return next(
            (t for t in (45.0, 30.0, 22.5, 15.0) if height / math.sin(math.radians(t)) > 2 * tangent_mm(radius, t) + 1),
            None,
        )
    system = catalogue.systems.get(pipe.code)
    for method in system.methods if system else ():
        z = part_mating(catalogue, pipe, method, "45")
        if z:
            return 45.0 if height * math.sqrt(2) - 2 * z.take_off_mm > 2 * z.insertion_mm + 25 else None
    return None


def _set_remedy(view: View, trace: RunTrace) -> Iterable[Remedy]:
    """A set that makes up the miss, in the longest leg square to it."""
    assert trace.closing is not None
    side = nearest_way(trace.closing)
    parts = [(side, trace.closing.length)] if side else _two_sides(trace.closing)
    if not parts:
        return
    room = trace.closing.length + 300
    legs = [
        item
        for item in trace.run.items
        if isinstance(item, Leg)
        and item.length_mm is not None
        and all(abs(way_vector(item.dir).dot(way_vector(one))) < 0.01 for one, _ in parts)
    ]
    leg = max(
        (leg for leg in legs if trace.lengths[leg.id] >= room), key=lambda leg: trace.lengths[leg.id], default=None
    )
    if leg is None:
        return
    comma = view.job.practice == "continental"
    angle = _set_angle(view, trace)
    if angle is None:
        return
    heights = [f"{one}{exact_length(round(mm, 3), view.job.pace_unit)}" for one, mm in parts]
    text = f"~{'+'.join(heights)}{'' if angle == 45 else f'@{angle:g}'}"
    text = text.replace(".", ",") if comma else text
    at = round(trace.lengths[leg.id] / 2)
    yield Remedy(
        f"A set of {length_text(trace.closing.length, view.job.pace_unit, with_unit=True)} to "
        f"{' and '.join(one for one, _ in parts)}",
        (put_in_leg(view, trace.run.id, leg, text, at),),
        f"{text} in {leg.dir}{length_text(trace.lengths[leg.id], view.job.pace_unit)}, halfway along",
    )


def _two_sides(vector: Vec) -> list[tuple[str, float]]:
    """The two ways that a vector goes, with how far [mm]; empty where it goes three."""
    found = _sides_of(vector)
    return found if len(found) == 2 else []


def _stub_remedies(view: View, trace: RunTrace) -> Iterable[Remedy]:
    """What an old stub gives: it is trimmed or pushed back, or shifted a little to the side."""
    assert trace.closing is not None
    owner = trace.run.finish.partition(".")[0]
    station, place = view.job.station(owner), view.fitted.pipework.ports.get(trace.run.finish)
    if station is None or place is None or station.kind != "stub" or station.state != "keep":
        return
    move = trace.closing.times(-1)  # what the stub's end has to move
    back = -move.dot(place.facing)
    aside = move.plus(place.facing, back)
    said = length_text(move.length, view.job.pace_unit, with_unit=True)
    command = {"do": "move_station", "id": owner, "by": [round(part, 3) for part in move]}
    if 0 < back <= TRIMMED_MM and aside.length < SEEN_MM:
        yield Remedy(f"Trim {owner} by {said}", (command,), f"{owner} is cut back {said}")
        if back <= PUSHED_MM:
            yield Remedy(
                f"Push {owner} back by {said}", (command,), f"{owner} goes back {said}, where it is free behind"
            )
    elif aside.length <= SHIFTED_MM and abs(back) < SEEN_MM:
        yield Remedy(f"Shift {owner} by {said}", (command,), f"{owner} moves {vector_words(move, view.job.pace_unit)}")


def _closing_remedies(view: View, trace: RunTrace) -> Iterable[Remedy]:
    assert trace.closing is not None
    unit = view.job.pace_unit
    changes = _legs_to_change(trace)
    if changes:
        said = "; ".join(
            f"{leg.dir}{length_text(trace.lengths[leg.id], unit)} becomes {leg.dir}{length_text(new, unit)}"
            for leg, new in changes
        )
        yield Remedy(
            "Correct the leg most in doubt" if len(changes) == 1 else "Correct the legs most in doubt",
            tuple(
                {"do": "set_leg", "run": trace.run.id, "item": leg.id, "length_mm": round(new, 3)}
                for leg, new in changes
            ),
            said,
        )
        yield Remedy(
            f"Run {' and '.join(leg.dir for leg, _ in changes)} until level with {trace.run.finish}",
            tuple({"do": "set_leg", "run": trace.run.id, "item": leg.id, "length_mm": None} for leg, _ in changes),
            f"{said}, and follows when the end moves",
        )
    else:
        yield from _more_legs(trace)
    yield from _stub_remedies(view, trace)
    yield from _set_remedy(view, trace)
    owner = trace.run.finish.partition(".")[0]
    station = view.job.station(owner)
    others = [
        run.id
        for run in view.job.runs
        if run.id != trace.run.id and any(a.startswith(f"{owner}.") for a in (run.start, run.finish))
    ]
    if station is not None and station.state == "new" and not others:
        back = trace.closing.times(-1)
        yield Remedy(
            f"Move {station.id} to the end of the run",
            ({"do": "move_station", "id": station.id, "by": [round(part, 3) for part in back]},),
            f"{station.id} moves {vector_words(back, unit)}",
        )


def _more_legs(trace: RunTrace) -> Iterable[Remedy]:
    """Legs that the run lacks: ways of the miss that none of its legs goes, until level with its finish."""
    assert trace.closing is not None
    legs = [item for item in trace.run.items if isinstance(item, Leg)]
    sides = _sides_of(trace.closing)
    missing = [
        way
        for way, mm in sides
        if mm >= LEG_MM and all(abs(way_vector(leg.dir).dot(way_vector(way))) < 0.01 for leg in legs)
    ]
    if not legs or len(missing) != len(sides):
        return
    text = " ".join(f"{way}?" for way in missing)
    yield Remedy(
        f"Go on {' and '.join(missing)} until level with {trace.run.finish}",
        ({"do": "insert_item", "run": trace.run.id, "after": legs[-1].id, "text": text},),
        f"{text} at the end of {trace.run.id}",
    )


def _below_tees(trace: RunTrace) -> set[str]:
    """The legs of a run after its last tee or point."""
    found: set[str] = set()
    for item in trace.run.items:
        if isinstance(item, Tee | Point):
            found.clear()
        elif isinstance(item, Leg):
            found.add(item.id)
    return found


def _legs_to_change(trace: RunTrace) -> list[tuple[Leg, float]]:
    """The legs that could take up the closing error, one for each axis it has; empty when some axis has none.

    Below the last tee before above it; then most in doubt: assumed before drawn before taped, then the longest.
    """
    assert trace.closing is not None
    legs = [item for item in trace.run.items if isinstance(item, Leg) and item.length_mm is not None]
    below = _below_tees(trace)  # what is changed above a tee moves all that hangs on it
    legs.sort(key=lambda leg: (leg.id not in below, _BASIS_DOUBT[leg.basis], -trace.lengths[leg.id]))
    whole = trace.closing
    straight_on = next((leg for leg in legs if abs(way_vector(leg.dir).dot(whole.unit())) > 0.9999), None)
    parts = (
        [whole]
        if straight_on
        else [part for part in (Vec(whole.x, 0, 0), Vec(0, whole.y, 0), Vec(0, 0, whole.z)) if part.length >= SEEN_MM]
    )
    changes: list[tuple[Leg, float]] = []
    for part in parts:
        for leg in legs:
            way = way_vector(leg.dir)
            new = trace.lengths[leg.id] + part.dot(way)
            if abs(way.dot(part.unit())) > 0.9999 and new > 0 and leg not in [changed for changed, _ in changes]:
                changes.append((leg, new))
                break
        else:
            return []
    return changes


@rule(
    "open-end",
    "stop",
    "an end stands open",
    "An end that nobody closes leaks, and lets chips and dirt in while the work goes on. Join it, cap it, or say that "
    "it stays a stub.",
    "rule of the trade",
)
def open_end(view: View) -> Iterable[Said]:
    pipework = view.fitted.pipework
    taken = {node.part for node in pipework.nodes.values() if node.kind == "port"}
    for node in pipework.nodes.values():
        if node.kind == "open" and node.key.endswith("/end") and pipework.runs[node.run].adrift != "finish":
            near = [
                port.key
                for port in pipework.ports.values()
                if port.key not in taken and port.mouth.minus(node.at).length <= CLOSES_MM
            ]
            remedies = [
                Remedy(
                    f"Join it to {key}",
                    ({"do": "set_finish", "run": node.run, "finish": key},),
                    f"{node.run} ends at {key}",
                )
                for key in near
            ]
            remedies += [
                Remedy(
                    "Cap it",
                    ({"do": "set_finish", "run": node.run, "finish": "cap"},),
                    f"a cap on the end of {node.run}",
                ),
                Remedy(
                    "Leave it as a stub",
                    ({"do": "set_finish", "run": node.run, "finish": "stub"},),
                    f"{node.run} ends as a stub",
                ),
            ]
            yield Said((node.run, node.key), f"{node.run} ends open.", tuple(remedies), node.at)
    for run in view.job.runs:
        for item in run.items:
            if not isinstance(item, Tee) or item.closed:
                continue
            arms = pipework.arms.get(f"{item.id}/tee", {})
            if 0 < len(arms) < 3:
                closers = ("cap", "plug") if run.pipe.code not in ("fe-40", "fe-m", "galv") else ("plug", "cap")
                yield Said(
                    (run.id, f"{item.id}/tee"),
                    f"Nobody is on tee {run.id}.{item.name} and nothing closes it.",
                    tuple(
                        Remedy(
                            f"Close it with a {word}",
                            ({"do": "close_tee", "run": run.id, "item": item.id, "closed": word},),
                            f"{run.id}.{item.name} is closed with a {word}",
                        )
                        for word in closers
                    ),
                    pipework.nodes[f"{item.id}/tee"].at,
                    ("start a run from it",),
                )


@rule(
    "adrift",
    "stop",
    "a run that has lost an end",
    "What the run was joined to is gone; its lengths no longer start or end anywhere.",
    "rule of the model",
)
def adrift(view: View) -> Iterable[Said]:
    pipework = view.fitted.pipework
    for trace in pipework.runs.values():
        run = trace.run
        if trace.adrift == "circle":
            yield Said(
                (run.id,),
                f"{run.id} starts on a run that starts on it: {run.start}.",
                at=trace.start,
                cures=("give one of them another start",),
            )
        elif trace.adrift == "start":
            yield Said(
                (run.id,),
                f"{run.id} has lost its start: there is no {run.start}.",
                tuple(_new_starts(view, trace)),
                trace.start,
                ("name its start again",),
            )
        elif trace.adrift == "finish":
            near = _free_anchors(view, trace.end, run.id)
            remedies = [
                Remedy(
                    f"Join it to {key}",
                    ({"do": "set_finish", "run": run.id, "finish": key},),
                    f"{run.id} ends at {key}",
                )
                for key in near
            ]
            remedies.append(
                Remedy(
                    "Leave it as a stub",
                    ({"do": "set_finish", "run": run.id, "finish": "stub"},),
                    f"{run.id} ends as a stub",
                )
            )
            yield Said((run.id,), f"{run.id} has lost its end: there is no {run.finish}.", tuple(remedies), trace.end)


def _free_anchors(view: View, at: Vec, run: str) -> list[str]:
    """Ports and named points that lie where the run's end is and can take it, nearest first."""
    pipework = view.fitted.pipework
    taken = {node.part for node in pipework.nodes.values() if node.kind == "port"}
    spots = {key: port.mouth for key, port in pipework.ports.items() if key not in taken}
    for other in pipework.runs.values():
        if other.run.id != run and not other.adrift:
            for name, spot in other.points.items():
                if len(pipework.arms.get(f"{other.point_items[name]}/tee", {})) < 3:
                    spots[f"{other.run.id}.{name}"] = spot
    near = [(spot.minus(at).length, key) for key, spot in spots.items() if spot.minus(at).length <= CLOSES_MM]
    return [key for _, key in sorted(near)]


def _new_starts(view: View, trace: RunTrace) -> Iterable[Remedy]:
    for key in _free_anchors(view, trace.start, trace.run.id)[:3]:
        yield Remedy(
            f"Start it at {key}",
            ({"do": "set_start", "run": trace.run.id, "start": key},),
            f"{trace.run.id} starts at {key}",
        )
    yield Remedy("Take the run out", ({"do": "remove_run", "id": trace.run.id},), f"{trace.run.id} is gone")


@rule("port-twice", "stop", "two runs on one port", "A port takes one pipe; a second needs a tee.", "rule of the trade")
def port_twice(view: View) -> Iterable[Said]:
    on: dict[str, list[str]] = defaultdict(list)
    for run in view.job.runs:
        for anchor in (run.start, run.finish):
            if anchor in view.fitted.pipework.ports:
                on[anchor].append(run.id)
    for port, runs in on.items():
        if len(runs) > 1:
            yield Said(
                (runs[1], port),
                f"{' and '.join(runs)} are both on {port}.",
                at=view.fitted.pipework.ports[port].mouth,
                cures=(f"put a tee on {runs[0]} and start {runs[1]} there",),
            )


@rule(
    "until-level",
    "stop",
    "a leg that cannot be worked out",
    "A leg until level takes its length from the finish; without a finish, or when it would have to go backwards, it "
    "has none.",
    "rule of the notation",
)
def until_level(view: View) -> Iterable[Said]:
    for trace in view.fitted.pipework.runs.values():
        for leg in trace.unsolved:
            item = next(i for i in trace.run.items if i.id == leg)
            way = item.dir if isinstance(item, Leg) else ""
            if trace.finish_at is None:
                says = f"{trace.run.id}: {way}? has nothing to be level with, the run has no finish."
            else:
                rest = trace.finish_at.minus(trace.end)
                back = nearest_way(rest)
                says = f"{trace.run.id}: {way}? cannot bring the end level with {trace.run.finish}"
                says += (
                    f"; it lies {back} of there." if back else "; the legs left open are in line or run the wrong way."
                )
            yield Said(
                (trace.run.id, leg),
                says,
                tuple(_ways_that_reach(trace, leg)),
                trace.end,
                ("give the leg a length", "give the run a finish"),
            )


def _ways_that_reach(trace: RunTrace, ident: str) -> Iterable[Remedy]:
    """What lets an open leg bring the run to its finish: the other way, or one more leg beside it."""
    item = next((i for i in trace.run.items if i.id == ident), None)
    if not isinstance(item, Leg) or trace.finish_at is None or len(trace.unsolved) > 1:
        return
    rest = trace.finish_at.minus(trace.end)
    along = rest.dot(way_vector(item.dir))
    words = {"N": "S", "S": "N", "E": "W", "W": "E", "U": "D", "D": "U"}
    first = item.dir if along > -SEEN_MM else words.get(item.dir, "")
    sides = [way for way, _ in _sides_of(rest) if way not in (item.dir, words.get(item.dir))]
    if not first or (first == item.dir and not sides):
        return
    text = " ".join(f"{way}?" for way in ((first, *sides) if abs(along) >= SEEN_MM else sides))
    yield Remedy(
        f"Go {' and '.join(text.replace('?', '').split())}",
        ({"do": "retype_item", "run": trace.run.id, "item": ident, "text": text},),
        f"{item.dir}? becomes {text}: it reaches {trace.run.finish}",
    )


def _sides_of(vector: Vec) -> list[tuple[str, float]]:
    """The ways that a vector goes, with how far [mm]."""
    pairs = ((vector.x, "E", "W"), (vector.y, "N", "S"), (vector.z, "U", "D"))
    return [(more if part > 0 else less, abs(part)) for part, more, less in pairs if abs(part) >= SEEN_MM]
