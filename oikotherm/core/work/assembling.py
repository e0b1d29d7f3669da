"""The assembly of a design's pipe: its pieces, fittings and stations as parts, its joints with what each needs."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass

from ..errors import Refused
from ..job.model import Pipe
from ..job.ways import Vec
from ..joints.fitted import Fitting, Joint, Piece
from ..joints.recipe import jaw_room
from ..layout import Layout
from ..making.assembly.model import (
    FACE_PLAY_MM,
    Assembly,
    AssemblyJoint,
    Capsule,
    Hole,
    Kind,
    Part,
    Slab,
    Solid,
    Tool,
)
from ..making.assembly.planner import Plan, plan
from ..making.fitup import spring_mm
from ..making.holes import Hole as BoredHole
from ..making.holes import kept_holes
from ..pipework.geometry import PortPlace
from ..services import spec

WALL_MM = 2_700.0  # typ: how high a wall stands where nothing above says
IN_WALL_MM = 150.0  # how far the place of a hole may be off its wall along the pipe
FLOOR_MM = 300.0  # typ: a wall ends so far below the floor above: joists and ceiling
SQUARE = 0.3  # cosine: a leg that stands across an axis springs along it
MOST_PLAY_MM = 60.0  # typ: nobody springs pipe further
FLEXIBLE_PLAY_MM = 50.0  # typ
SOFT_FREE_MM = 150.0  # typ: the least of plastic pipe that gives way
FLEXIBLE = ("csst", "conn")
SOFT = ("plastic", "multilayer")
MOST_GROUPS = 4  # of the bench, named in the plan
WRENCHES = ((22.0, 250.0), (34.0, 350.0), (49.0, 450.0), (61.0, 600.0))  # OD of the pipe up to -> wrench (typ)
FACES = ("flare", "washer", "union")
OPENS = (*FACES, "compression", "compression-mlc", "tail", "csst", "push-fit")  # come apart without turning pipe
JAW_REACH_MM, TORCH_MM, SPANNER_MM = 150.0, 250.0, 200.0  # typ
HEAD_MM = 40.0  # typ: a wrench's head, a torch's tip: where they sit the pipe has room
HUNG_LAST = ("outlet", "vessel")  # light things that are screwed to the wall, or on, when their pipe is there
UNION_DEPTH_MM = 4.0
BEAD_MM = 6.0  # typ: a fitting is thicker than its pipe by so much


def assembly_of(design: Layout, runs: Collection[str]) -> Assembly:
    """What some runs are made of, between the stations and the old pipe they end at. Raises Refused for a run that is
    not there."""
    missing = next((one for one in runs if design.job.run(one) is None), None)
    if missing is not None:
        known = [one.id for one in design.job.runs]
        raise Refused("run", missing, f"a run of this job: {', '.join(known[:12])}", (*known, "G1")[0])
    return _Builder(design, frozenset(runs)).build()


@dataclass(frozen=True, slots=True)
class Ordered:
    """The order of assembly of some runs of one service."""

    service: str
    runs: tuple[str, ...]
    assembly: Assembly
    plan: Plan


def orders(design: Layout) -> tuple[Ordered, ...]:
    """The order of assembly of every service's new pipe."""
    return tuple(order_of(design, service) for service in services_of(design))


def services_of(design: Layout) -> list[str]:
    """The services with new pipe, in the order of the registry."""
    return [service for service in spec.services() if new_runs(design, service)]


def order_of(design: Layout, service: str) -> Ordered:
    """The order of assembly of one service's new pipe, worked out once."""

    def work_out() -> Ordered:
        runs = tuple(new_runs(design, service))
        assembly = assembly_of(design, runs)
        return Ordered(service, runs, assembly, plan(assembly))

    kept: Ordered = design.kept(f"order of assembly of {service}", work_out)
    return kept


def order_of_run(design: Layout, run: str) -> Ordered:
    """The order of assembly of one run by itself, worked out once. Raises Refused for a run that is not there."""

    def work_out() -> Ordered:
        assembly = assembly_of(design, [run])
        found = design.job.run(run)
        return Ordered(found.service if found else "", (run,), assembly, plan(assembly))

    kept: Ordered = design.kept(f"order of assembly of run {run}", work_out)
    return kept


def bench_words(ordered: Ordered) -> str:
    """An order in a sentence for the plan: what is put together on the bench, and the joint that is made last; "" for
    one without joints."""
    titles = {part.key: part.title for part in ordered.assembly.parts}
    steps = ordered.plan.steps
    if ordered.plan.verdict != "order":
        return "It cannot be put together as paced." if ordered.plan.verdict == "impossible" else ""
    if not steps:
        return ""
    groups = [step.moves for step in steps if step.where != "bench" and len(step.moves) > 1]
    said = "; ".join(" + ".join(titles[key] for key in moves) for moves in groups[:MOST_GROUPS])
    more = f" and {len(groups) - MOST_GROUPS} more" if len(groups) > MOST_GROUPS else ""
    last = next(one.title for one in ordered.assembly.joints if one.key == steps[-1].joint)
    return (f"On the bench: {said}{more}. " if said else "") + f"Made last: {last}."


@dataclass(frozen=True, slots=True)
class ToolWanted:
    """A tool an order takes, for so many joints. missing: whether the van has none of it; None where that is not
    kept."""

    title: str
    joints: int
    missing: bool | None


def tools_wanted(design: Layout, ordered: Ordered, owned: Collection[str]) -> tuple[ToolWanted, ...]:
    """The tools of an order, jaws by size and wrenches by length. owned: the van's, as "press v 22"."""
    counts: Counter[str] = Counter()
    for one in ordered.assembly.joints:
        if one.tool is None:
            continue
        fitted = design.fitted.joints.get(one.key)
        size = fitted.pipe.rpartition(" ")[2] if fitted else ""
        long = f"{one.tool.title} {one.tool.reach_mm:.0f} mm" if one.tool.title == "wrench" else one.tool.title
        counts[f"press jaw {size}" if one.tool.title == "press jaw" else long] += 1
    words = {word.lower() for word in owned}
    found = []
    for title, count in sorted(counts.items()):
        size = title.removeprefix("press jaw ") if title.startswith("press jaw ") else ""
        have = any(word.startswith("press") and (word == "press" or word.endswith(f" {size}")) for word in words)
        found.append(ToolWanted(title, count, not have if size and words else None))
    return tuple(found)


def one_heat(design: Layout, key: str) -> tuple[str, ...]:
    """The joints that are soldered in one heat with this one: the other sockets of its fitting."""
    own = design.fitted.joints.get(key)
    if own is None or own.method != "capillary":
        return ()
    return tuple(
        other.key
        for other in design.fitted.joints.values()
        if other.key != key and other.fitting_key == own.fitting_key and other.method == "capillary"
    )


def new_runs(design: Layout, service: str = "") -> list[str]:
    """The runs that are made, of one service or of all; none of what runs off or leads smoke away."""
    return [
        run.id
        for run in design.job.runs
        if run.state == "new" and (run.service == service or not service) and not spec.service(run.service).runs_off
    ]


class _Builder:
    def __init__(self, design: Layout, runs: frozenset[str]) -> None:
        self.design, self.fitted, self.runs = design, design.fitted, runs
        self.catalogue = design.context.catalogue
        self.parts: dict[str, Part] = {}
        self.joints: list[AssemblyJoint] = []
        self.pipes: dict[str, Piece] = {}
        self._of_port: dict[str, list[Joint]] = defaultdict(list)
        for joint in design.fitted.joints.values():
            self._of_port[joint.fitting_key.partition("/")[0]].append(joint)

    def build(self) -> Assembly:
        for piece in self.fitted.pieces.values():
            if piece.run in self.runs:
                self._pipe(piece)
        along: dict[str, list[Piece]] = defaultdict(list)
        for piece in self.pipes.values():
            for straight in piece.straights:
                along[straight].append(piece)
        for joint in self.fitted.joints.values():
            own = along.get(joint.other)
            if own:
                into = joint.key.endswith(":in")
                self._joint(joint, min(own, key=lambda one: _off_mm(one, joint.at, into=into)))
        for key in list(self.parts):
            self._union(key)
        plays = self._plays()
        joints = tuple(
            AssemblyJoint(
                one.key,
                one.title,
                one.a,
                one.b,
                one.kind,
                one.at,
                one.axis,
                one.depth_mm,
                plays[one.key],
                one.tool,
                one.tool_at,
                one.opens,
            )
            for one in self.joints
        )
        return Assembly(tuple(self.parts.values()), joints, tuple(self._solids()), tuple(self._slabs()))

    # --- parts --------------------------------------------------------------------------------------------------------

    def _od_mm(self, pipe: Pipe) -> float:
        row = self.catalogue.pipe(pipe.code, pipe.size)
        return row.od_mm if row and row.od_mm else 20.0

    def _pipe(self, piece: Piece) -> None:
        corners = list(piece.corners)
        radius = self._od_mm(piece.pipe) / 2
        if len(corners) < 2:
            return
        corners[0] = _inset(corners[0], corners[1], piece.from_mating.take_off_mm + radius)
        corners[-1] = _inset(corners[-1], corners[-2], piece.to_mating.take_off_mm + radius)
        capsules = tuple(Capsule(a, b, radius) for a, b in zip(corners, corners[1:], strict=False))
        label = self.design.piece_labels.get(piece.key, piece.key)
        self.pipes[piece.key] = piece
        self.parts[piece.key] = Part(piece.key, label, capsules, soft=self._soft(piece.pipe))

    def _soft(self, pipe: Pipe) -> bool:
        system = self.catalogue.systems.get(pipe.code)
        return pipe.code in FLEXIBLE or (system is not None and system.material in SOFT)

    def _fitting(self, fitting: Fitting) -> str:
        """The part a fitting is: of a port, and what is on it, its station, which stands; of old pipe what is fixed
        with it."""
        port = fitting.key.partition("/")[0]
        place = self.fitted.pipework.ports.get(port)
        if place is not None:
            return self._tail(port, place) or self._station(place.station.id)
        key = f"{fitting.key}#body" if fitting.key in self.pipes else fitting.key  # the cap of a drop and its pipe
        if key not in self.parts:
            own = fitting.run in self.runs  # a fitting of another run, which these hang on, is in place
            self.parts[key] = Part(key, fitting.title, tuple(self._arms(fitting)), fixed=not own)
        return key

    def _station(self, ident: str) -> str:
        if ident not in self.parts:
            station = self.design.job.station(ident)
            light = station is not None and station.state == "new" and station.kind in HUNG_LAST
            self.parts[ident] = Part(ident, ident, (), fixed=not light)
        return ident

    def _tail(self, port: str, place: PortPlace) -> str:
        """What is on a port beyond a union, a washer joint or a flare of its own, joined to its station by that; "" for
        a port without one."""
        faced = next((one for one in self._of_port[port] if one.method in FACES), None)
        if faced is None:
            return ""
        key = f"{port}#tail"
        if key not in self.parts:
            self.parts[key] = Part(key, f"tail of {port}", ())
            label = self.design.joint_labels.get(faced.key, faced.key)
            axis = place.facing.unit()
            tool = Tool("wrench", SPANNER_MM, 12.0, 30.0, HEAD_MM)
            station = self._station(place.station.id)
            self.joints.append(
                AssemblyJoint(
                    faced.key,
                    label,
                    station,
                    key,
                    "face",
                    place.mouth,
                    axis,
                    UNION_DEPTH_MM,
                    0.0,
                    tool,
                    place.mouth,
                    True,
                )
            )
        return key

    def _arms(self, fitting: Fitting) -> Iterator[Capsule]:
        for arm, way in fitting.arms:
            mating, pipe = fitting.matings.get(arm), fitting.pipes.get(arm)
            if mating is None or pipe is None:
                continue
            radius = self._od_mm(pipe) / 2 + BEAD_MM
            reach = max(mating.face_mm - radius, 0.0)
            yield Capsule(fitting.at, fitting.at.plus(way.unit() if way.length else way, reach), radius)

    # --- joints -------------------------------------------------------------------------------------------------------

    def _joint(self, joint: Joint, piece: Piece) -> None:
        fitting = self.fitted.fittings.get(joint.fitting_key)
        if fitting is None or not joint.method:
            return
        part = self._fitting(fitting)
        start = joint.at.minus(piece.a).length <= joint.at.minus(piece.b).length
        corners = piece.corners
        inner = (corners[1], corners[0]) if start else (corners[-2], corners[-1])
        way = inner[0].minus(inner[1])
        if not way.length:
            return
        axis = way.unit()
        mating = piece.from_mating if start else piece.to_mating
        face = fitting.at.plus(axis, max(mating.face_mm, 0.0)) if fitting.kind != "port" else joint.at
        self.joints.append(
            AssemblyJoint(
                joint.key,
                self.design.joint_labels.get(joint.key, joint.key),
                part,
                piece.key,
                _kind(joint.method),
                face,
                axis,
                max(mating.insertion_mm, 1.0),
                0.0,
                self._tool(joint.method, piece.pipe),
                fitting.at if joint.method == "thread" and fitting.kind != "port" else face,
                joint.method in OPENS,
            )
        )

    def _tool(self, method: str, pipe: Pipe) -> Tool | None:
        od = self._od_mm(pipe)
        if method == "thread" or method in FACES:
            reach = next((reach for most, reach in WRENCHES if od <= most), 600.0)
            return Tool("wrench", reach, 12.0, 30.0, HEAD_MM)
        if method.startswith("press"):
            room = jaw_room(pipe.size)
            return Tool("press jaw", JAW_REACH_MM, room[1] if room else od / 2 + 15.0)
        if method.startswith("compression"):
            return Tool("spanner", SPANNER_MM, 10.0, 30.0, HEAD_MM)
        return Tool("torch", TORCH_MM, 15.0, 0.0, HEAD_MM) if method == "capillary" else None

    def _union(self, key: str) -> None:
        """A union comes apart: two halves, joined by their faces."""
        fitting = self.fitted.fittings.get(key)
        if fitting is None or fitting.kind != "device" or fitting.shape != "union":
            return
        arms = list(fitting.arms)[:2]
        if len(arms) < 2:
            return
        whole = self.parts.pop(key)
        (first, one), (second, other) = arms
        halves = {
            name: Part(f"{key}#{name}", fitting.title, (_half(fitting.at, capsule),))
            for (name, _), capsule in zip(arms, whole.capsules, strict=False)
        }
        self.parts.update({part.key: part for part in halves.values()})
        ways = {first: one, second: other}
        self.joints = [
            one_
            if one_.a != key
            else AssemblyJoint(
                one_.key,
                one_.title,
                halves[max(ways, key=lambda name: ways[name].dot(one_.axis))].key,
                one_.b,
                one_.kind,
                one_.at,
                one_.axis,
                one_.depth_mm,
                0.0,
                one_.tool,
                one_.tool_at,
                one_.opens,
            )
            for one_ in self.joints
        ]
        pipe = fitting.pipes.get(second) or next(iter(fitting.pipes.values()))
        self.joints.append(
            AssemblyJoint(
                f"{key}:face",
                f"{fitting.title} of {fitting.run}",
                halves[first].key,
                halves[second].key,
                "face",
                fitting.at,
                other.unit(),
                UNION_DEPTH_MM,
                0.0,
                self._tool("thread", pipe),
                fitting.at,
                True,
            )
        )

    # --- play ---------------------------------------------------------------------------------------------------------

    def _plays(self) -> dict[str, float]:
        """Joint -> how far its ends spring apart: faces come past each other by 2 mm, and every leg across the axis
        between the joint and what is fixed gives as a beam does."""
        beside: dict[str, list[tuple[str, str]]] = defaultdict(list)
        for one in self.joints:
            beside[one.a].append((one.key, one.b))
            beside[one.b].append((one.key, one.a))
        return {
            one.key: min(FACE_PLAY_MM + sum(self._springs(one, part, beside) for part in (one.a, one.b)), MOST_PLAY_MM)
            for one in self.joints
        }

    def _springs(self, joint: AssemblyJoint, part: str, beside: dict[str, list[tuple[str, str]]]) -> float:
        came: dict[str, str] = {part: ""}
        waiting = [part]
        for own in waiting:
            if self.parts[own].fixed:
                total = 0.0
                while own:
                    total += self._spring(own, joint.axis)
                    own = came[own]
                return total
            for key, other in beside[own]:
                if key != joint.key and other not in came:
                    came[other] = own
                    waiting.append(other)
        return MOST_PLAY_MM  # nothing holds it

    def _spring(self, part: str, axis: Vec) -> float:
        piece = self.pipes.get(part)
        if piece is None:
            return 0.0
        length = max((one.b.minus(one.a).length for one in self.parts[part].capsules), default=0.0)
        if piece.pipe.code in FLEXIBLE or (self._soft(piece.pipe) and length > SOFT_FREE_MM):
            return FLEXIBLE_PLAY_MM
        across = [
            one.b.minus(one.a).length
            for one in self.parts[part].capsules
            if one.b.minus(one.a).length > 0 and abs(one.b.minus(one.a).unit().dot(axis)) < SQUARE
        ]
        return sum(spring_mm(self.catalogue, piece.pipe, one) for one in across)

    # --- what stands around -------------------------------------------------------------------------------------------

    def _solids(self) -> Iterator[Solid]:
        for one in self.design.job.house.obstacles:
            if one.kind not in ("cable",):
                yield Solid(Vec(*one.box[0]), Vec(*one.box[1]), f"{one.kind} {one.id}")

    def _slabs(self) -> Iterator[Slab]:
        """Walls along the house's axes, with the holes bored for these runs and for others."""
        house = self.design.job.house
        floors = sorted(level.floor_mm for level in house.levels)
        of = {level.id: level.floor_mm for level in house.levels}
        bored = [one for one in kept_holes(self.design.job, self.fitted, self.catalogue) if one.through == "wall"]
        for wall in house.walls:
            (x0, y0), (x1, y1) = wall.from_xy, wall.to_xy
            if x0 != x1 and y0 != y1:
                continue  # a slanting wall is not looked at
            normal = 0 if x0 == x1 else 1
            low = of.get(wall.level, 0.0)
            high = next((floor - FLOOR_MM for floor in floors if floor > low), low + WALL_MM)
            half = wall.thickness_mm / 2
            a = [min(x0, x1), min(y0, y1), low]
            b = [max(x0, x1), max(y0, y1), high]
            a[normal], b[normal] = a[normal] - half, b[normal] + half
            yield Slab(Vec(*a), Vec(*b), normal, tuple(_bores(bored, a, b, normal)), f"wall {wall.id}")


def _bores(bored: Sequence[BoredHole], low: Sequence[float], high: Sequence[float], normal: int) -> Iterator[Hole]:
    for one in bored:
        inside = all(
            low[n] - (IN_WALL_MM if n == normal else 0) <= one.at[n] <= high[n] + (IN_WALL_MM if n == normal else 0)
            for n in range(3)
        )
        if inside:
            yield Hole(one.at, one.diameter_mm / 2)


def _off_mm(piece: Piece, at: Vec, *, into: bool) -> tuple[float, float]:
    """How far the nearer end of a piece is from a spot, to a millimetre; of two at one spot, as on both sides of a
    coupling, the one that comes into it with its end, or goes out of it with its start."""
    start, end = at.minus(piece.a).length, at.minus(piece.b).length
    return round(min(start, end) / 10), end if into else start


def _kind(method: str) -> Kind:
    return "thread" if method == "thread" else "face" if method in FACES else "push"


def _half(at: Vec, arm: Capsule) -> Capsule:
    """Half of a union, on its own side of the faces: a ball between them and its mouth."""
    way = arm.b.minus(arm.a)
    reach = way.length + arm.radius_mm
    spot = at.plus(way.unit(), reach / 2) if way.length else at
    return Capsule(spot, spot, min(arm.radius_mm, reach / 2))


def _inset(end: Vec, inner: Vec, by_mm: float) -> Vec:
    """An end moved inwards, at most to the middle."""
    way = inner.minus(end)
    length = way.length
    return end.plus(way.unit(), min(by_mm, length / 2)) if length > 0 and math.isfinite(by_mm) else end
