"""Fit-up: what to do when pipe does not land where it should, and how near a chain of taped legs can be expected to
land."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from ..catalogue import Catalogue
from ..errors import Refused
from ..job.model import Pipe
from ..joints.takeoff import part_mating
from ..working import Step
from .bends import gain_mm, tangent_mm

# typ: what a pipe is bent by springing in before it keeps the bend, over its stiffness [-]; copper set so that 15 mm
# tube with 300 mm free gives 3 mm
_STRAIN = {"copper": 7.5e-4, "steel": 4.3e-4, "stainless": 4.3e-4, "plastic": 1.2e-2, "multilayer": 3.0e-3}
TAPE_MM, CUT_MM = 1.0, 0.5  # typ: reading of a tape on one leg; what a mark and a cut add


@dataclass(frozen=True, slots=True)
class Cure:
    """One way to close a gap. possible: whether it can be done here; cut_mm: pipe to cut for it, 0 when none; says:
    what to do."""

    name: str
    possible: bool
    says: str
    cut_mm: float = 0.0
    marks_mm: tuple[float, ...] = ()
    joints: int = 0
    steps: tuple[Step, ...] = ()


def spring_mm(catalogue: Catalogue, pipe: Pipe, free_mm: float) -> float:
    """How far the end of a pipe held at one side springs over without keeping the bend [mm].

    A cantilever bent to strain e at its root gives e L^2 / (1.5 OD). Source: beam theory; strain typ, so that 15 mm
    copper with 300 mm free gives 3 mm. Raises Refused.
    """
    row, system = catalogue.pipe(pipe.code, pipe.size), catalogue.systems.get(pipe.code)
    if row is None or system is None or not row.od_mm:
        raise Refused("pipe", str(pipe), "a pipe with an outside diameter", "cu-m 15")
    if not 0 <= free_mm <= 1e5:
        raise Refused("free", free_mm, "the free length of pipe, 0 to 100 m", "300")
    return _STRAIN.get(system.material, _STRAIN["steel"]) * free_mm**2 / (1.5 * row.od_mm)


def closing(
    catalogue: Catalogue,
    pipe: Pipe,
    side_mm: float,
    along_mm: float,
    free_mm: float,
    leg_mm: float,
    angle_deg: float | None = None,
    method: str = "",
) -> tuple[Cure, ...]:
    """The cures of a closing error, best first: side_mm across the last leg, along_mm along it (plus: the leg is too
    short).

    free_mm: pipe that can move; leg_mm: the leg that can take a set; angle_deg: of the set, None for the steepest usual
    one with room. Raises Refused for measures that cannot be.
    """
    for name, value, least in (("side", side_mm, 0.0), ("leg", leg_mm, 0.0)):
        if not least <= value <= 1e5:
            raise Refused(name, value, "a measure from 0 to 100 m", "20")
    if angle_deg is not None and not 5 <= angle_deg <= 75:
        raise Refused("angle_deg", angle_deg, "an angle from 5 to 75 degrees", "45")
    cures: list[Cure] = []
    spring = spring_mm(catalogue, pipe, free_mm)
    step = Step("spring = strain x free^2 / (1.5 OD)", (("free_mm", free_mm),), spring, "mm", "beam theory, strain typ")
    if side_mm <= spring and abs(along_mm) < 1:
        cures.append(
            Cure(
                "spring",
                True,
                f"let it spring over {side_mm:.0f} mm; up to {spring:.1f} mm does no harm with {free_mm:.0f} mm free",
                steps=(step,),
            )
        )
    else:
        why = (
            f"more than the {spring:.1f} mm this pipe gives with {free_mm:.0f} mm free"
            if side_mm > spring
            else f"{abs(along_mm):.0f} mm along the pipe cannot be sprung"
        )
        cures.append(Cure("spring", False, why, steps=(step,)))
    if abs(along_mm) >= 0.5:
        new = leg_mm + along_mm
        cures.append(
            Cure("leg", new > 0, f"make the leg {new:.0f} mm instead of {leg_mm:.0f} mm: measure it again first", new)
        )
    if side_mm > 0:
        tried = [
            _set_cure(catalogue, pipe, side_mm, along_mm, leg_mm, angle)
            for angle in ((angle_deg,) if angle_deg else (45.0, 30.0, 22.5, 15.0))
        ]
        cures.append(next((cure for cure in tried if cure.possible), tried[0]))
        cures += street_cures(catalogue, pipe, side_mm, method)
        cures.append(Cure("station", True, f"move what it ends at by {side_mm:.0f} mm, if nothing else hangs on it"))
    return tuple(sorted(cures, key=lambda cure: (not cure.possible, cure.name == "station")))


def _set_cure(
    catalogue: Catalogue, pipe: Pipe, side_mm: float, along_mm: float, leg_mm: float, angle_deg: float
) -> Cure:
    angle = math.radians(angle_deg)
    run, travel = side_mm / math.tan(angle), side_mm / math.sin(angle)
    rest = leg_mm + along_mm - run
    radius = catalogue.bend_radius_mm(pipe.code, pipe.size)
    steps = [
        Step("along = side / tan t", (("side_mm", side_mm), ("t_deg", angle_deg)), run, "mm"),
        Step("travel = side / sin t", (("side_mm", side_mm),), travel, "mm"),
    ]
    if radius:
        take = tangent_mm(radius, angle_deg)
        gain = 2 * gain_mm(radius, angle_deg)
        cut = rest + travel - gain
        steps += [
            Step("gain = 2 (2 R tan(t / 2) - R t)", (("R_mm", radius),), gain, "mm", "typ former"),
            Step("cut = leg - along + travel - gain", (("leg_mm", leg_mm),), cut, "mm"),
        ]
        possible = rest > 2 * take and travel >= 2 * take
        first = rest / 2 - take
        marks = (round(first, 1), round(first + radius * angle + travel - 2 * take, 1))
        says = (
            f"pull a set of {side_mm:.0f} mm at {angle_deg:g} degrees: cut {cut:.0f} mm, bends at {marks[0]:.0f} "
            f"and {marks[1]:.0f}"
        )
        if not possible:
            says = f"no room for a set of {side_mm:.0f} mm at {angle_deg:g} degrees with a radius of {radius:.0f} mm"
        return Cure("set", possible, says, round(cut, 1), marks if possible else (), 0, tuple(steps))
    system = catalogue.systems.get(pipe.code)
    method = next(
        (one for one in (system.methods if system else ()) if catalogue.method_figures(pipe.code, pipe.size, one)), ""
    )
    z = part_mating(catalogue, pipe, method, "45") if method else None
    if z is None:
        return Cure("set", False, f"{pipe} is not bent on site, and there are no figures for its 45 elbows")
    middle = side_mm / math.sin(math.pi / 4) - 2 * z.take_off_mm
    steps.append(Step("piece between two 45 elbows = travel - 2 z", (("z_mm", z.take_off_mm),), middle, "mm", z.source))
    least = 2 * z.insertion_mm
    says = (
        f"two 45 elbows with {middle:.0f} mm between"
        if middle >= least
        else f"two 45 elbows want {least + 2 * z.take_off_mm:.0f} mm of travel; here is less"
    )
    return Cure("set", middle >= least, says, round(middle, 1), (), 4, tuple(steps))


def street_cures(catalogue: Catalogue, pipe: Pipe, side_mm: float, method: str = "") -> list[Cure]:
    """Two elbows joined without pipe, one of them a street elbow: they step over by a fixed measure, square or at
    45."""
    system = catalogue.systems.get(pipe.code)
    methods = (
        [method] if method else [one for one in (system.methods if system else ()) if one in ("capillary", "press")]
    )
    found = []
    for one in methods[:1]:
        for part, share, title in (
            ("elbow", 1.0, "an elbow and a street elbow"),
            ("45", math.sin(math.pi / 4), "a 45 elbow and a street 45"),
        ):
            mating = part_mating(catalogue, pipe, one, part)
            if mating is None or one not in ("capillary", "press"):
                continue
            reach = 2 * mating.take_off_mm + mating.insertion_mm
            over = reach * share
            step = Step(
                "over = (2 z + insertion)" + ("" if share == 1 else " x sin 45"),
                (("z_mm", mating.take_off_mm), ("insertion_mm", mating.insertion_mm)),
                over,
                "mm",
                mating.source,
            )
            near = abs(over - side_mm) <= 3
            says = f"{title} step over {over:.0f} mm" + ("" if near else f", not {side_mm:.0f}")
            found.append(Cure("street" if part == "elbow" else "street45", near, says, joints=3, steps=(step,)))
    return found


@dataclass(frozen=True, slots=True)
class Tolerance:
    """How near a chain of legs lands: worst_mm if all err one way, likely_mm as the root of the squares."""

    legs: int
    worst_mm: float
    likely_mm: float
    steps: tuple[Step, ...]


def chain_tolerance(
    legs: int, thread_play_mm: Sequence[float] = (), tape_mm: float = TAPE_MM, cut_mm: float = CUT_MM
) -> Tolerance:
    """The tolerance of a chain of taped and cut legs, one or more; each leg adds the tape and the cut, each threaded
    joint its play. Raises Refused."""
    if legs < 1:
        raise Refused("legs", legs, "one leg or more", "6")
    if min(tape_mm, cut_mm, *thread_play_mm, 0.0) < 0:
        raise Refused("tolerance", min(tape_mm, cut_mm, *thread_play_mm), "a measure of 0 or more", "1")
    worst = legs * (tape_mm + cut_mm) + sum(thread_play_mm)
    likely = math.sqrt(legs * (tape_mm**2 + cut_mm**2) + sum(play**2 for play in thread_play_mm))
    steps = (
        Step(
            "worst = legs x (tape + cut) + play of the threads",
            (("legs", legs), ("tape_mm", tape_mm), ("cut_mm", cut_mm), ("play_mm", sum(thread_play_mm))),
            worst,
            "mm",
            "typ",
        ),
        Step(
            "likely = sqrt(legs x (tape^2 + cut^2) + sum of play^2)",
            (("legs", legs),),
            likely,
            "mm",
            "independent errors",
        ),
    )
    return Tolerance(legs, worst, likely, steps)


@dataclass(frozen=True, slots=True)
class RadiatorFit:
    """A radiator against its pipes. difference_mm: valve centres less pipe centres; projection_mm: of the pipe out of
    the wall or floor; cut_mm: at what to cut it; bracket_mm: from the bracket holes to the port line."""

    valve_centres_mm: float
    difference_mm: float
    verdict: Literal["fits", "spring", "open the holes", "re-pipe"]
    says: str
    projection_mm: float
    cut_mm: float
    steps: tuple[Step, ...]


LONG_MM = 4.0  # between 3 and 5: what a pipe that can be pushed back is cut longer


def radiator_fit(
    ports_mm: float,
    tail_mm: float,
    pipe_centres_mm: float | None,
    stand_off_mm: float,
    half_depth_mm: float,
    valve_body_mm: float,
    insertion_mm: float,
    *,
    sideways: bool = True,
    pushes_back: bool = True,
) -> RadiatorFit:
    """A new radiator on old pipes, or pipes for a new one.

    ports_mm: over the faces of side ports, or between the centres of ports downwards; tail_mm: port face to valve
    centre, both sides; stand_off: wall to the back; half_depth: back to the port centre; valve_body: valve centre to
    the mouth of its pipe socket. Up to 3 mm springs, up to 8 mm the holes are opened, more is re-piped. Pipe is cut 3
    to 5 mm long where it can be pushed back, exactly where it cannot. Source: typ.
    """
    for name, value in (
        ("ports", ports_mm),
        ("tail", tail_mm),
        ("stand_off", stand_off_mm),
        ("half_depth", half_depth_mm),
        ("valve_body", valve_body_mm),
        ("insertion", insertion_mm),
    ):
        if not 0 <= value <= 1e4:
            raise Refused(name, value, "a measure from 0 to 10 m", "1000")
    centres = ports_mm + 2 * tail_mm if sideways else ports_mm
    steps = [
        Step(
            "valve centres = face to face + 2 x tail" if sideways else "valve centres = port centres",
            (("ports_mm", ports_mm), ("tail_mm", tail_mm if sideways else 0.0)),
            centres,
            "mm",
        )
    ]
    projection = stand_off_mm + half_depth_mm - valve_body_mm + insertion_mm
    steps.append(
        Step(
            "projection = stand-off + half depth - valve body + insertion",
            (
                ("stand_off_mm", stand_off_mm),
                ("half_depth_mm", half_depth_mm),
                ("valve_body_mm", valve_body_mm),
                ("insertion_mm", insertion_mm),
            ),
            projection,
            "mm",
        )
    )
    cut = projection + LONG_MM if pushes_back else projection
    steps.append(
        Step(
            "cut 3 to 5 mm long, it is pushed back" if pushes_back else "cut exactly, it cannot be pushed back",
            (("projection_mm", projection),),
            cut,
            "mm",
            "typ",
        )
    )
    if pipe_centres_mm is None:
        return RadiatorFit(
            centres, 0.0, "fits", f"pipes come out {centres:.0f} mm apart", projection, cut, tuple(steps)
        )
    difference = centres - pipe_centres_mm
    steps.append(
        Step("difference = valve centres - pipe centres", (("pipe_centres_mm", pipe_centres_mm),), difference, "mm")
    )
    off = abs(difference)
    verdict: Literal["fits", "spring", "open the holes", "re-pipe"] = (
        "fits" if off < 0.5 else "spring" if off <= 3 else "open the holes" if off <= 8 else "re-pipe"
    )
    words = {
        "fits": "it fits the pipes as they are",
        "spring": f"{off:.0f} mm is taken up by the spring of the pipe",
        "open the holes": f"{off:.0f} mm: open the holes in the floor or wall by half of that on each side",
        "re-pipe": f"{off:.0f} mm: re-pipe, or a set of {off / 2:.0f} mm in each pipe",
    }
    return RadiatorFit(centres, difference, verdict, words[verdict], projection, cut, tuple(steps))


@dataclass(frozen=True, slots=True)
class StubJoint:
    """One way to join two stubs. cut_mm: of each piece between; need_mm: gap along the pipe it takes; over_mm: gap left
    or missing."""

    name: str
    possible: bool
    says: str
    cut_mm: tuple[float, ...]
    need_mm: float
    joints: int


def join_stubs(catalogue: Catalogue, pipe: Pipe, side_mm: float, gap_mm: float, method: str) -> tuple[StubJoint, ...]:
    """Ways to join two parallel stubs that face each other, side_mm out of line, with gap_mm between their ends. Raises
    Refused.

    In line: coupling or a piece. Out of line: two 45 elbows, two 90 elbows, a street elbow with an elbow, a street 45
    with a 45; each with what it takes along the pipe and the pieces between. The fewest joints come first among those
    that are possible.
    """
    if not 0 <= side_mm <= 1e5 or not 0 <= gap_mm <= 1e5:
        raise Refused(
            "side" if side_mm < 0 else "gap", side_mm if side_mm < 0 else gap_mm, "a measure from 0 to 100 m", "40"
        )
    parts = {name: part_mating(catalogue, pipe, method, name) for name in ("elbow", "45", "coupling")}
    if any(mating is None for mating in parts.values()):
        raise Refused("method", method, f"a joint method with figures for {pipe}", "capillary")
    elbow, bent, coupling = (parts[name] for name in ("elbow", "45", "coupling"))
    assert elbow and bent and coupling
    deep = elbow.insertion_mm
    found: list[StubJoint] = []

    def offer(name: str, need: float, pieces: tuple[float, ...], joints: int, words: str) -> None:
        short = [piece for piece in pieces if piece < 2 * deep - 1e-6]
        possible = not short and gap_mm >= need - 0.5
        why = (
            ""
            if possible
            else f"; a piece of {min(pieces):.0f} mm is too short"
            if short
            else f"; it takes {need:.0f} mm, {gap_mm:.0f} mm are there"
        )
        spare = f"; {gap_mm - need:.0f} mm of pipe more at an end" if possible and gap_mm - need >= 1 else ""
        found.append(
            StubJoint(
                name, possible, words + why + spare, tuple(round(piece, 1) for piece in pieces), round(need, 1), joints
            )
        )

    if side_mm <= 3:
        offer("coupling", 2 * coupling.take_off_mm, (), 2, "one coupling")
        offer(
            "piece",
            4 * coupling.take_off_mm + 2 * deep,
            (max(gap_mm - 4 * coupling.take_off_mm, 0.0),),
            4,
            "two couplings and a piece",
        )
    else:
        travel = side_mm / math.sin(math.pi / 4)
        offer("two 45", side_mm + 2 * bent.take_off_mm, (travel - 2 * bent.take_off_mm,), 4, "two 45 elbows")
        offer("two 90", 2 * elbow.take_off_mm, (side_mm - 2 * elbow.take_off_mm,), 4, "two 90 elbows")
        for name, mating, share in (("street 90", elbow, 1.0), ("street 45", bent, math.sin(math.pi / 4))):
            reach = 2 * mating.take_off_mm + deep
            if abs(reach * share - side_mm) <= 3:
                along = 2 * mating.take_off_mm + (0.0 if share == 1 else reach * share)
                offer(
                    name,
                    along,
                    (),
                    3,
                    f"{'an elbow and a street elbow' if share == 1 else 'a 45 elbow and a street 45'}, no pipe between",
                )
    return tuple(sorted(found, key=lambda one: (not one.possible, one.joints)))


def swing_deg(first_deg: float, second_deg: float, turn_deg: float) -> float:
    """How far to swing one fitting in another so that the pair turns a pipe by turn_deg [deg]; 0: both turn the same
    way.

    cos turn = cos a cos b - sin a sin b cos swing: a 90 and a 45 together make any turn from 45 to 135. Source:
    spherical trigonometry. Raises Refused outside that range.
    >>> round(swing_deg(90, 45, 90))
    90
    """
    a, b = math.radians(first_deg), math.radians(second_deg)
    if not (0 < first_deg < 180 and 0 < second_deg < 180):
        raise Refused("fitting", min(first_deg, second_deg), "fittings that turn between 0 and 180 degrees", "45")
    share = (math.cos(a) * math.cos(b) - math.cos(math.radians(turn_deg))) / (math.sin(a) * math.sin(b))
    if abs(share) > 1 + 1e-9:
        low, high = abs(first_deg - second_deg), min(first_deg + second_deg, 360 - first_deg - second_deg)
        raise Refused(
            "turn", turn_deg, f"a turn these two can make: {low:g} to {high:g} degrees", f"{(low + high) / 2:g}"
        )
    return math.degrees(math.acos(max(-1.0, min(1.0, share))))
