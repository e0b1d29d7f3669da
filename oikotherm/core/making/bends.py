"""Bends on the centre line: what to cut, where to mark, how far to pull. Marks are measured from the square-cut end.

R is the former's centre-line radius, t the angle of a bend. Tangent take-up T = R tan(t/2), arc = R t; a bend saves
2T - arc over the legs to the intersection of its centre lines.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ..errors import Refused
from ..working import Step


@dataclass(frozen=True, slots=True)
class BendCard:
    """How to make a bent piece. marks_mm: start of each bend; angles_deg: what to pull there, minus the other way;
    roll_deg: turn of the pipe about itself before a bend; check_mm: a measure to look at after the pull."""

    cut_mm: float
    marks_mm: tuple[float, ...]
    angles_deg: tuple[float, ...]
    roll_deg: tuple[float, ...]
    gain_mm: float
    straight_mm: float
    travel_mm: float
    run_mm: float
    check_mm: float
    radius_mm: float
    steps: tuple[Step, ...]

    def centre_line(self) -> tuple[tuple[float, float], ...]:
        """The bent centre line in its own plane [mm]; a rolling offset is drawn as if its plane were the paper."""
        return centre_line(self.marks_mm, self.angles_deg, self.radius_mm, self.cut_mm)


def centre_line(
    marks_mm: tuple[float, ...], angles_deg: tuple[float, ...], radius_mm: float, cut_mm: float, chords: int = 12
) -> tuple[tuple[float, float], ...]:
    """A pipe of cut_mm bent at its marks, all bends in one plane: points [mm] from its start along x; arcs as
    chords."""
    points = [(0.0, 0.0)]
    heading, walked = 0.0, 0.0

    def ahead(length: float) -> None:
        x, y = points[-1]
        points.append((x + length * math.cos(heading), y + length * math.sin(heading)))

    for mark, angle in zip(marks_mm, angles_deg, strict=True):
        ahead(mark - walked)
        turn = math.radians(angle)
        for _ in range(chords):
            heading += turn / chords / 2
            ahead(2 * radius_mm * math.sin(abs(turn) / chords / 2))
            heading += turn / chords / 2
        walked = mark + radius_mm * abs(turn)
    ahead(cut_mm - walked)
    return tuple(points)


def flat_line(
    marks: Sequence[tuple[float, float, float]], radius_mm: float, cut_mm: float
) -> tuple[tuple[float, float], ...]:
    """A bent piece laid flat: marks are (start, angle, roll); a roll past 90 degrees turns the next bend back."""
    signed, sign = [], 1.0
    for _, angle, roll in marks:
        sign = -sign if abs(roll) > 90 else sign
        signed.append(sign * angle)
    return centre_line(tuple(at for at, _, _ in marks), tuple(signed), radius_mm, cut_mm)


def tangent_mm(radius_mm: float, angle_deg: float) -> float:
    """Tangent take-up of a bend [mm]: from the intersection of the centre lines to where the bend begins."""
    return radius_mm * math.tan(math.radians(angle_deg) / 2)


def gain_mm(radius_mm: float, angle_deg: float) -> float:
    """What one bend saves over its legs to the intersection [mm]."""
    return 2 * tangent_mm(radius_mm, angle_deg) - radius_mm * math.radians(angle_deg)


def _bent(legs_mm: list[float], angles_deg: list[float], radius_mm: float) -> tuple[float, list[float], list[float]]:
    """(cut, starts of the bends, straights between) of legs between intersections. Raises Refused when a straight is
    negative."""
    takes = [tangent_mm(radius_mm, abs(angle)) for angle in angles_deg]
    marks, straights = [], []
    at = 0.0
    for number, angle in enumerate(angles_deg):
        straight = legs_mm[number] - (takes[number - 1] if number else 0.0) - takes[number]
        straights.append(straight)
        at += straight
        marks.append(at)
        at += radius_mm * math.radians(abs(angle))
    straights.append(legs_mm[-1] - takes[-1])
    short = min(straights)
    if short < -1e-9:
        raise Refused(
            "legs",
            f"{short:.1f} mm of straight pipe",
            "room for the bends: a larger height, a smaller angle or radius, or longer legs",
            "height 80",
        )
    return at + straights[-1], marks, straights


def bend90(first_mm: float, second_mm: float, radius_mm: float) -> BendCard:
    """One square bend: cut = L1 + L2 - (2R - pi R / 2); it starts at L1 - R. Raises Refused."""
    _positive(first_mm=first_mm, second_mm=second_mm, radius_mm=radius_mm)
    cut, marks, straights = _bent([first_mm, second_mm], [90.0], radius_mm)
    gain = gain_mm(radius_mm, 90)
    steps = (
        Step("gain = 2 R - pi R / 2", (("R_mm", radius_mm),), gain, "mm"),
        Step("cut = first + second - gain", (("first_mm", first_mm), ("second_mm", second_mm)), cut, "mm"),
        Step("start of the bend = first - R", (("first_mm", first_mm), ("R_mm", radius_mm)), marks[0], "mm"),
    )
    return BendCard(cut, tuple(marks), (90.0,), (0.0,), gain, min(straights), 0.0, first_mm, first_mm, radius_mm, steps)


def offset(height_mm: float, angle_deg: float, radius_mm: float, before_mm: float, after_mm: float) -> BendCard:
    """A set: two equal bends, the second against the first. Travel h / sin t between the intersections, h / tan t
    along.

    before, after: to the first and from the last intersection. Raises Refused, also when no straight is left.
    """
    _positive(height_mm=height_mm, radius_mm=radius_mm, before_mm=before_mm, after_mm=after_mm)
    angle = _angle(angle_deg)
    travel, run = height_mm / math.sin(angle), height_mm / math.tan(angle)
    cut, marks, straights = _bent([before_mm, travel, after_mm], [angle_deg, -angle_deg], radius_mm)
    gain = 2 * gain_mm(radius_mm, angle_deg)
    steps = (
        Step("travel = height / sin t", (("height_mm", height_mm), ("t_deg", angle_deg)), travel, "mm"),
        Step("along the run = height / tan t", (("height_mm", height_mm), ("t_deg", angle_deg)), run, "mm"),
        Step("T = R tan(t / 2)", (("R_mm", radius_mm), ("t_deg", angle_deg)), tangent_mm(radius_mm, angle_deg), "mm"),
        Step("straight between the bends = travel - 2 T", (("travel_mm", travel),), straights[1], "mm"),
        Step("gain = 2 (2 T - R t)", (("R_mm", radius_mm),), gain, "mm"),
        Step("cut = before + travel + after - gain", (("before_mm", before_mm), ("after_mm", after_mm)), cut, "mm"),
    )
    return BendCard(
        cut,
        tuple(marks),
        (angle_deg, -angle_deg),
        (0.0, 180.0),
        gain,
        straights[1],
        travel,
        run,
        height_mm,
        radius_mm,
        steps,
    )


def rolling_offset(
    height_mm: float, spread_mm: float, angle_deg: float, radius_mm: float, before_mm: float, after_mm: float
) -> tuple[BendCard, float]:
    """A set in two directions at once: as a set of height sqrt(h^2 + v^2); with the roll out of the plane [deg]. Raises
    Refused."""
    _positive(height_mm=height_mm, spread_mm=spread_mm)
    card = offset(math.hypot(height_mm, spread_mm), angle_deg, radius_mm, before_mm, after_mm)
    return card, math.degrees(math.atan2(spread_mm, height_mm))


CROSSOVER_ANGLES_DEG = (45.0, 40.0, 35.0, 30.0, 25.0, 22.5, 20.0, 15.0)


def crossover_rise_mm(clear_mm: float, angle_deg: float, radius_mm: float, *, rounded: bool) -> float:
    """How far the corner of a crossover lies off its run [mm], whose top must come clear_mm off it: three bends round
    it by R (1 / cos t - 1)."""
    return clear_mm + (radius_mm * (1 / math.cos(math.radians(angle_deg)) - 1) if rounded else 0.0)


def crossover_straight_mm(rise_mm: float, angle_deg: float, radius_mm: float, *, flat: bool) -> float:
    """Straight pipe left between two bends of a crossover [mm], below 0 where they overlap: rise / sin t - R tan(t / 2)
    - R tan t for three bends, - 2 R tan(t / 2) for four."""
    t = math.radians(angle_deg)
    return rise_mm / math.sin(t) - radius_mm * (math.tan(t / 2) + (math.tan(t / 2) if flat else math.tan(t)))


def crossover_angles_deg(clear_mm: float, radius_mm: float, *, flat: bool, rounded: bool = True) -> tuple[float, ...]:
    """The angles a crossover can be pulled at [deg], the steepest first. rounded: clear_mm is what three bends must
    clear, not the rise of their corner."""

    def straight_mm(angle: float) -> float:
        rise = crossover_rise_mm(clear_mm, angle, radius_mm, rounded=rounded and not flat)
        return crossover_straight_mm(rise, angle, radius_mm, flat=flat)

    return tuple(angle for angle in CROSSOVER_ANGLES_DEG if straight_mm(angle) >= 0)


def crossover(
    obstacle_top_mm: float,
    clearance_mm: float,
    od_mm: float,
    stand_off_mm: float,
    angle_deg: float,
    radius_mm: float,
    before_mm: float,
    after_mm: float,
    top_mm: float = 0.0,
    width_mm: float = 0.0,
) -> BendCard:
    """Over an obstacle and back: three bends (t, 2t, t), or four with a flat top when top_mm is above 0. width_mm: of
    what is crossed, along the run: the flat top is then at least that, the pipe and the clearance on both sides. Raises
    Refused, with an angle or the other kind that can be pulled.

    The rise is obstacle top + clearance + OD / 2 - the pipe's own stand-off from the wall; three bends add R (1 / cos t
    - 1),
    or the rounded top would touch. Between the outer bends along the run: 2 h / tan t, and the flat top.
    """
    _positive(obstacle_top_mm=obstacle_top_mm, od_mm=od_mm, radius_mm=radius_mm, before_mm=before_mm, after_mm=after_mm)
    angle = _angle(angle_deg)
    clear = obstacle_top_mm + clearance_mm + od_mm / 2 - stand_off_mm
    least_top = width_mm + od_mm + 2 * clearance_mm if width_mm > 0 else 0.0
    if 0 < top_mm < least_top - 1e-9:
        raise Refused(
            "top",
            top_mm,
            f"a flat top of at least {least_top:.0f} mm: the obstacle, the pipe and the clearance on both sides",
            f"{least_top:.0f}",
        )
    top_mm = max(top_mm, least_top)
    rise = crossover_rise_mm(clear, angle_deg, radius_mm, rounded=top_mm <= 0)
    if clear <= 0:
        raise Refused(
            "stand_off", stand_off_mm, "a pipe that stands lower than the obstacle; this one passes as it is", "20"
        )
    travel, along = rise / math.sin(angle), 2 * rise / math.tan(angle) + max(top_mm, 0.0)
    if top_mm > 0:
        legs, angles = [before_mm, travel, top_mm, travel, after_mm], [angle_deg, -angle_deg, -angle_deg, angle_deg]
    else:
        if angle_deg > 45:
            raise Refused("angle_deg", angle_deg, "at most 45 for three bends: the middle one takes twice that", "30")
        if crossover_straight_mm(rise, angle_deg, radius_mm, flat=False) < -1e-9:
            raise _cannot_pull(clear, angle_deg, radius_mm)
        legs, angles = [before_mm, travel, travel, after_mm], [angle_deg, -2 * angle_deg, angle_deg]
    cut, marks, straights = _bent(legs, angles, radius_mm)
    gain = sum(legs) - cut
    steps = (
        Step(
            "rise = obstacle + clearance + OD / 2 - stand-off" + ("" if top_mm > 0 else " + R (1 / cos t - 1)"),
            (
                ("obstacle_mm", obstacle_top_mm),
                ("clearance_mm", clearance_mm),
                ("OD_mm", od_mm),
                ("stand_off_mm", stand_off_mm),
            ),
            rise,
            "mm",
        ),
        Step("travel = rise / sin t", (("t_deg", angle_deg),), travel, "mm"),
        Step(
            "between the outer bends = 2 rise / tan t" + (" + top" if top_mm > 0 else ""),
            (("t_deg", angle_deg),),
            along,
            "mm",
        ),
        Step("cut = legs - gain of the bends", (("legs_mm", sum(legs)), ("gain_mm", gain)), cut, "mm"),
    )
    roll = [0.0] + [180.0 if a * b < 0 else 0.0 for a, b in zip(angles, angles[1:], strict=False)]
    return BendCard(
        cut, tuple(marks), tuple(angles), tuple(roll), gain, min(straights[1:-1]), travel, along, rise, radius_mm, steps
    )


def _cannot_pull(clear_mm: float, angle_deg: float, radius_mm: float) -> Refused:
    """The refusal of three bends that overlap, with what can be pulled instead."""
    rise = crossover_rise_mm(clear_mm, angle_deg, radius_mm, rounded=True)
    short = crossover_straight_mm(rise, angle_deg, radius_mm, flat=False)
    three = crossover_angles_deg(clear_mm, radius_mm, flat=False)
    four = crossover_angles_deg(clear_mm, radius_mm, flat=True)
    ways = [f"three bends at {three[0]:g} degrees"] if three else []
    ways += [f"four bends with a flat top at {four[0]:g}"] if four else []
    example = f"{three[0]:g}" if three else f"{(four or (15.0,))[0]:g}"
    what = " or ".join(ways) or "more clearance, or a bender of smaller radius"
    return Refused("angle_deg", angle_deg, f"{what}: at this angle the bends overlap by {-short:.1f} mm", example)


def radius_of_test_piece(first_mm: float, second_mm: float, cut_mm: float) -> float:
    """Centre-line radius of a bender [mm] from one square test bend: R = (L1 + L2 - cut) / (2 - pi / 2). Raises
    Refused."""
    _positive(first_mm=first_mm, second_mm=second_mm, cut_mm=cut_mm)
    radius = (first_mm + second_mm - cut_mm) / (2 - math.pi / 2)
    if not 0 < radius <= min(first_mm, second_mm):
        raise Refused(
            "cut", cut_mm, "less than both legs together, by at most what a bend within the legs can save", "480"
        )
    return radius


def _positive(**lengths_mm: float) -> None:
    for name, value in lengths_mm.items():
        if not 0 < value <= 1e5:
            raise Refused(name.removesuffix("_mm"), value, "a length above 0 and up to 100 m", "100")


def _angle(angle_deg: float) -> float:
    if not 5 <= angle_deg <= 75:
        raise Refused("angle_deg", angle_deg, "an angle from 5 to 75 degrees", "30")
    return math.radians(angle_deg)
