"""Rules of gas pipe wherever it runs: bonding, ends, labels, outdoors, studs and plates."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ...errors import Refused
from ...job.model import DeviceItem, Run, Wall
from ...job.ways import Vec, inside
from ...making.holes import hole_mm
from ...pipework.geometry import MarkPlace, Straight
from ...pipework.space import box_gap_mm, radius_mm
from ...quantity import length_text, parse_length_mm
from ...rules.legs import put_in_leg
from ...rules.registry import Remedy, RuleBook, Said, View
from .stations import SPEC
from .train import mouth_of, networks_of

rule = RuleBook("gas")
TUBE = ("csst", "conn")
WIRE_MM = 23_000.0  # std: 75 ft of bonding wire
NEAR_METER_MM = 600.0  # typ, British: from the outlet of the meter
LEAST_LEG_MM = 60.0
LABEL_OUTLETS, PITCH_MM = 3, 450.0  # typ: outlets so near each other are those of a manifold
OUTSIDE = ("outside",)
VENT_SIDE_MM, VENT_SPARK_MM = 914.4, 1524.0  # std: 3 ft sideways from openings below it, 5 ft from sparks
STUD_MM, BOARDS_MM = 89.0, 25.0  # typ: a stud where no wall is drawn; the boards on both faces of a drawn one
BORED, PLATE_SHARE, EDGE_MM = 0.40, 0.5, 16.0  # std, residential framing code: bearing stud, top plate, to the edge
OPENINGS, SPARKS = ("window",), ("board", "meter")


def gas_runs(view: View) -> Iterator[Run]:
    """New runs of gas."""
    return (run for run in view.job.runs if run.service == SPEC.id and run.state == "new")


def _straights(view: View) -> Iterator[Straight]:
    runs = {run.id for run in gas_runs(view)}
    return (one for one in view.fitted.pipework.straights.values() if one.run in runs)


# --- bonding ----------------------------------------------------------------------------------------------------------


def wire_mm(view: View, mark: MarkPlace) -> float | None:
    """The length of bonding wire said at a clamp [mm]; None where it is not."""
    try:
        return parse_length_mm(mark.item.setting or "", view.job.pace_unit)
    except Refused:
        return None


@rule(
    "gas-unbonded",
    "mind",
    "gas pipe without its bonding clamp",
    "A fault or lightning finds its way through metal gas pipe and burns a hole in thin tube: a clamp on bare rigid "
    "pipe, a copper wire to the building's earthing. The electrician's work, by local code.",
    "std; typ by practice",
)
def gas_unbonded(view: View) -> Iterable[Said]:
    british = view.job.practice == "british"
    work = view.fitted.pipework
    for net in networks_of(view):
        runs = {one.run for one in net.sections} & {run.id for run in gas_runs(view)}
        tube = any(one.pipe.code == "csst" for one in net.sections)
        clamped = [one for one in work.marks if one.item.part == "clamp" and one.run in {s.run for s in net.sections}]
        meter = view.job.station(net.source.partition(".")[0])
        asked = tube or (british and meter is not None and meter.kind == "meter")
        if clamped or not asked or not runs:
            continue
        remedies = tuple(_clamp_there(view, net.source, runs))
        what = "corrugated tube, and no bonding clamp" if tube else "no bonding clamp by the meter"
        yield Said(
            (net.source.partition(".")[0], net.source),
            f"The gas pipe of {net.source} has {what}.",
            remedies,
            mouth_of(view, net.source.partition(".")[0]),
        )


def _clamp_there(view: View, source: str, runs: set[str]) -> Iterator[Remedy]:
    """A clamp on the first rigid leg from the source."""
    work = view.fitted.pipework
    for ident in (run.id for run in view.job.runs if run.id in runs and run.start == source):
        trace = work.runs[ident]
        legs = trace.run.legs
        for one in work.by_run[ident].straights.values() if ident in work.by_run else ():
            if one.pipe.code in TUBE or one.length_mm < LEAST_LEG_MM or not one.legs or one.piece_mm:
                continue
            leg = legs.get(one.legs[0])
            if leg is not None:
                at = round(min(trace.lengths[leg.id] / 2, NEAR_METER_MM / 2))
                command = put_in_leg(view, ident, leg, "[clamp]", at)
                yield Remedy("Put a clamp there", (command,), f"[clamp] on {ident}, on bare rigid pipe")
                return


@rule(
    "gas-clamp",
    "stop",
    "a bonding clamp that does not bond",
    "It sits on clean bare rigid pipe, never on corrugated tube; its wire is 23 m (75 ft) at most and goes to the "
    "building's earthing: a rod of its own is refused.",
    "std",
)
def gas_clamp(view: View) -> Iterable[Said]:
    unit = view.job.pace_unit
    sources = {one.source: one for one in networks_of(view)}
    for mark in view.fitted.pipework.marks:
        if mark.item.part != "clamp" or view.job.run(mark.run) not in list(gas_runs(view)):
            continue
        where = mark.run, f"{mark.item.id}/clamp"
        if mark.pipe.code in TUBE:
            says, cures = f"{mark.run}: the clamp sits on {mark.pipe}.", ("on rigid pipe or a fitting",)
            yield Said(where, says, _moved(view, mark, set(sources)), mark.at, cures)
        elif mark.item.setting and "rod" in mark.item.setting.lower():
            says = f"{mark.run}: the wire of the clamp goes to a rod of its own."
            yield Said(where, says, (), mark.at, ("to the earthing of the building; a rod besides it at most",))
        elif (long := wire_mm(view, mark)) is not None and long > WIRE_MM * 1.001:
            says = f"{mark.run}: {length_text(long, unit, with_unit=True)} of bonding wire; 23 m (75 ft) at most."
            yield Said(where, says, (), mark.at, ("a clamp nearer to the earthing",))
        elif view.job.practice == "british" and mark.run in _meter_runs(view):
            away = _from_meter(view, mark)
            if away > NEAR_METER_MM + 1:
                far = length_text(away, unit, with_unit=True)
                says = f"{mark.run}: the clamp is {far} from the meter; 600 mm at most."
                yield Said(where, says, (), mark.at, ("move it to the outlet of the meter",), severity="mind")


def _meter_runs(view: View) -> set[str]:
    meters = {one.id for one in view.job.stations if one.kind == "meter"}
    return {run.id for run in gas_runs(view) if run.start.partition(".")[0] in meters}


def _from_meter(view: View, mark: MarkPlace) -> float:
    """How far along its run a clamp stands from the start [mm]."""
    trace, so_far = view.fitted.pipework.runs[mark.run], 0.0
    for item in trace.run.items:
        if item.id == mark.item.id:
            break
        so_far += trace.lengths.get(item.id, 0.0)
    return so_far


def _moved(view: View, mark: MarkPlace, sources: set[str]) -> tuple[Remedy, ...]:
    put = next(
        (one for source in sources for one in _clamp_there(view, source, {run.id for run in gas_runs(view)})),
        None,
    )
    if put is None:
        return ()
    away = {"do": "retype_item", "run": mark.run, "item": mark.item.id, "text": ""}
    return (Remedy("Put it on rigid pipe", (away, *put.commands), put.effect),)


# --- ends and labels --------------------------------------------------------------------------------------------------


@rule(
    "gas-end",
    "stop",
    "a gas end that is not closed",
    "A valve is no end, and an open pipe is none: a plug or a cap, made up, on every end where no appliance is yet.",
    "gas codes",
)
def gas_end(view: View) -> Iterable[Said]:
    threaded = {code for code, one in view.context.catalogue.systems.items() if "thread" in one.methods}
    for run in gas_runs(view):
        node = view.fitted.pipework.nodes.get(f"{run.id}/end")
        if run.finish != "stub" or node is None:
            continue
        word = "plug" if run.pipe.code in threaded else "cap"
        command = {"do": "set_finish", "run": run.id, "finish": "cap"}
        yield Said(
            (run.id, node.key),
            f"{run.id} ends as a stub: it is closed with a {word}.",
            (Remedy("Cap it", (command,), f"a cap on the end of {run.id}"),),
            node.at,
        )


@rule(
    "gas-label",
    "note",
    "manifold outlets without labels",
    "Whoever shuts one off has to know which: each outlet says what it feeds.",
    "std, fuel gas code",
)
def gas_label(view: View) -> Iterable[Said]:
    labelled = {one.run for one in view.fitted.pipework.marks if one.item.part == "label"}
    for outlets in _manifolds(view):
        bare = [run for run in outlets if run.id not in labelled and view.job.station(run.finish.partition(".")[0])]
        commands, names = [], []
        for run in bare:
            trace = view.fitted.pipework.runs[run.id]
            leg = next((item for item in run.items if item.kind == "leg" and trace.lengths[item.id] > 40), None)
            name = run.finish.partition(".")[0]
            if leg is not None:
                at = round(min(trace.lengths[leg.id] / 2, 150.0))
                commands.append(put_in_leg(view, run.id, leg, f"[label {name}]", at))
                names.append(name)
        if bare:
            listed = ", ".join(run.id for run in bare)
            remedies = (Remedy("Label them", tuple(commands), f"labels for {', '.join(names)}"),) if commands else ()
            node = view.fitted.pipework.nodes.get(f"{bare[0].id}/start")
            yield Said(
                (bare[0].id, bare[0].start),
                f"The outlets of a manifold have no labels: {listed}.",
                remedies,
                node.at if node else view.fitted.pipework.runs[bare[0].id].start,
            )


def _manifolds(view: View) -> Iterator[list[Run]]:
    """The runs that leave made manifolds, and tees that stand as near to each other as outlets of one."""
    runs = list(gas_runs(view))
    made = {station.id for station in view.job.stations if station.kind == "gas-manifold"}
    for ident in made:
        found = [run for run in runs if run.start.partition(".")[0] == ident]
        if len(found) >= 2:
            yield found
    for parent in runs:
        trace = view.fitted.pipework.runs[parent.id]
        hung = [run for run in runs if run.start.startswith(f"{parent.id}.")]
        places = [
            (trace.points[run.start.partition(".")[2]], run)
            for run in hung
            if run.start.partition(".")[2] in trace.points
        ]
        near = [
            run for at, run in places if sum(at.minus(other).length <= PITCH_MM for other, _ in places) >= LABEL_OUTLETS
        ]
        if near:
            yield near


# --- outdoors ---------------------------------------------------------------------------------------------------------


@rule(
    "gas-tube-outside",
    "mind",
    "corrugated tube in the sun",
    "Its jacket grows brittle in the sun and lets water to the tube: outdoors it is steel, or in a conduit.",
    "as listed by the makers",
)
def gas_tube_outside(view: View) -> Iterable[Said]:
    told: set[str] = set()
    for one in _straights(view):
        if one.pipe.code in TUBE and one.place in OUTSIDE and one.run not in told:
            told.add(one.run)
            says = f"{one.run} runs outdoors in {one.pipe}."
            yield Said((one.run, one.key), says, (), one.a, ("steel outdoors, painted", "a conduit over it"))


@rule(
    "gas-handle",
    "mind",
    "a valve outdoors that holds water",
    "With its handle up, rain stands in the stem, freezes, and opens or bursts it: the handle lies level.",
    "rule of the trade",
)
def gas_handle(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    for run in gas_runs(view):
        for item in run.items:
            if not isinstance(item, DeviceItem) or item.handle != "U":
                continue
            node = work.nodes.get(f"{item.id}/device")
            arms = [work.straights[key] for key in work.arms.get(f"{item.id}/device", {}).values()]
            if node is None or not any(one.place in OUTSIDE for one in arms):
                continue
            side = "E" if abs(arms[0].way.x) < 0.5 else "N"
            words = [item.part, item.name or "", {"with": ">", "against": "<"}.get(item.arrow, ""), f"handle {side}"]
            words += [f"set {item.setting}"] if item.setting else []
            text = f"[{' '.join(word for word in words if word)}]"
            command = {"do": "retype_item", "run": run.id, "item": item.id, "text": text}
            yield Said(
                (run.id, node.key),
                f"{run.id}: the valve outdoors has its handle up.",
                (Remedy("Turn it level", (command,), f"{text} on {run.id}"),),
                node.at,
            )


@rule(
    "gas-regulator-place",
    "stop",
    "a regulator that vents where it must not",
    "Its relief lets gas out: 0.9 m (3 ft) sideways from openings below it, 1.5 m (5 ft) from what sparks; propane "
    "sinks, never under a deck, never indoors without a pipe to the open.",
    "std, propane code",
)
def gas_regulator_place(view: View) -> Iterable[Said]:
    floors = {level.id: level.floor_mm for level in view.job.house.levels}
    for station in view.job.stations:
        if (
            station.kind != "regulator"
            or station.state != "new"
            or station.variant not in ("first-stage", "second-stage")
        ):
            continue
        x, y, z = station.at
        at = Vec(x, y, z + floors.get(station.level, 0.0))
        room = next(
            (one for one in view.job.house.rooms if one.level == station.level and inside(one.outline, x, y)), None
        )
        if room is not None:
            says = f"{station.id} stands in {room.name}: its relief lets gas into the house."
            yield Said((station.id, room.id), says, (), at, ("outdoors", "its vent piped to the open"))
            continue
        for one in view.job.house.obstacles:
            low = min(corner[2] for corner in one.box)
            limit = VENT_SIDE_MM if one.kind in OPENINGS and low < at.z else VENT_SPARK_MM if one.kind in SPARKS else 0
            flat = Vec(at.x, at.y, low) if one.kind in OPENINGS else at
            gap, _ = box_gap_mm(flat, flat.plus(Vec(0, 0, 1), 0.001), one.box)
            if limit and gap < limit - 1:
                away = length_text(gap, view.job.pace_unit, with_unit=True)
                least = length_text(limit, view.job.pace_unit, with_unit=True)
                says = f"{station.id} is {away} from {one.id}, a {one.kind}: {least} at least."
                yield Said((station.id, one.id), says, (), at, ("move the regulator", "pipe its vent away"))


# --- studs and plates -------------------------------------------------------------------------------------------------


def _stud_mm(view: View, at: Vec) -> tuple[float, str]:
    """The depth of the studs where a pipe lies, and the wall they are in."""
    for wall in view.job.house.walls:
        if wall.kind != "masonry" and _beside(wall, at):
            return max(wall.thickness_mm - BOARDS_MM, 38.0), wall.id
    return STUD_MM, ""


def _beside(wall: Wall, at: Vec) -> bool:
    a, b = Vec(*wall.from_xy, 0), Vec(*wall.to_xy, 0)
    along, flat = b.minus(a), Vec(at.x, at.y, 0)
    share = flat.minus(a).dot(along) / max(along.dot(along), 1e-9)
    return 0 <= share <= 1 and flat.minus(a.plus(along, share)).length <= wall.thickness_mm / 2


@rule(
    "gas-stud",
    "mind",
    "a hole too large for the stud or plate",
    "A bearing stud is bored to 40 % of its depth, 16 mm (5/8 in) from its edge; a top plate cut by more than half is "
    "tied with steel.",
    "std, residential framing code",
)
def gas_stud(view: View) -> Iterable[Said]:
    unit, catalogue = view.job.pace_unit, view.context.catalogue
    for one in _straights(view):
        if one.place != "wall" or one.length_mm < 1:
            continue
        hole = hole_mm(catalogue, one.pipe.code, one.pipe.size, one.lag_mm, 2 * radius_mm(catalogue, one.pipe))
        if hole <= 10.0:
            continue  # its outside is not known
        depth, wall = _stud_mm(view, one.a.plus(one.b.minus(one.a), 0.5))
        said = length_text(hole, unit, with_unit=True)
        name = f" of {wall}" if wall else ""
        if abs(one.way.z) < 0.1 and (hole > BORED * depth or (depth - hole) / 2 < EDGE_MM):
            limit = length_text(min(BORED * depth, depth - 2 * EDGE_MM), unit, with_unit=True)
            yield Said(
                (one.run, one.key),
                f"{one.run}: a hole of {said} in the studs{name}; a bearing stud takes {limit}.",
                (),
                one.a,
                ("studs doubled, or not bearing: up to 60 %", "below the floor or above the ceiling", "a smaller pipe"),
            )
    for place in view.fitted.pipework.passes:
        run = view.job.run(place.run)
        if run not in list(gas_runs(view)) or run is None or place.item.through not in ("floor", "ceiling"):
            continue
        pipe = next((one for one in _straights(view) if one.run == run.id and _runs_through(one, place.at)), None)
        if pipe is None or "wall" not in (pipe.place, pipe.place_to):
            continue
        hole = hole_mm(catalogue, pipe.pipe.code, pipe.pipe.size, pipe.lag_mm, 2 * radius_mm(catalogue, pipe.pipe))
        depth, wall = _stud_mm(view, place.at)
        if hole > PLATE_SHARE * depth:
            yield Said(
                (run.id, place.item.id),
                f"{run.id}: {length_text(hole, unit, with_unit=True)} through a plate of "
                f"{length_text(depth, unit, with_unit=True)}: more than half of it.",
                (),
                place.at,
                ("a steel tie, 16 gauge, 38 mm (1-1/2 in) wide, 150 mm (6 in) past each side",),
            )


def _runs_through(one: Straight, at: Vec) -> bool:
    along = one.b.minus(one.a)
    share = at.minus(one.a).dot(along) / max(along.dot(along), 1e-9)
    return -0.01 <= share <= 1.01 and at.minus(one.a.plus(along, share)).length < 2


@rule(
    "gas-shield",
    "note",
    "corrugated tube that a nail can reach",
    "Thin tube in studs, plates and joists gets steel shields where it is held: a nail goes straight through it.",
    "as listed by the makers",
)
def gas_shield(view: View) -> Iterable[Said]:
    told: set[str] = set()
    for one in _straights(view):
        if one.pipe.code == "csst" and one.place in ("wall", "floor", "ceiling") and one.run not in told:
            told.add(one.run)
            says = f"{one.run} lies in the {one.place} in {one.pipe}: shields where studs and plates hold it."
            yield Said((one.run, one.key), says, (), one.a, ("shield plates of the tube's maker",))
