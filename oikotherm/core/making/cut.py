"""cut(fitted) -> the cut list: how long to cut every piece, and how that came about."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import partial

from ..catalogue import Catalogue
from ..job.model import Job, Pipe
from ..joints.fitted import Bend, Fitted, Mating, Piece, RunJoints
from ..joints.least import least_piece_mm
from ..quantity import INCH_MM, PaceUnit
from ..working import Step, Worked
from .bends import flat_line, gain_mm, tangent_mm

BOUGHT = ("conn",)  # pipe systems that come in one length with their ends on: bought, never cut


@dataclass(frozen=True, slots=True)
class BendMark:
    """Where a bend begins along the pipe [mm from its start], how far to pull, and how to turn the pipe first."""

    at_mm: float
    angle_deg: float
    roll_deg: float
    radius_mm: float


@dataclass(frozen=True, slots=True)
class Cut:
    """One line of the cut list. cut_mm is rounded to what can be marked; exact_mm is not; tolerance_mm: how much longer
    the finished centre measure may come out when threads are stopped at the loose end of their window."""

    key: str
    run: str
    pipe: Pipe
    piece: Piece
    centre_mm: float
    cut_mm: float
    exact_mm: float
    least_mm: float
    tolerance_mm: float
    makeable: bool
    known: bool
    why_not: str
    unit: PaceUnit
    marks: tuple[BendMark, ...] = ()

    @property
    def worked(self) -> Worked:
        """The length to cut [mm], step by step."""
        return Worked(self.cut_mm, "mm", _steps(self))


def cuts(job: Job, fitted: Fitted, catalogue: Catalogue) -> tuple[Cut, ...]:
    """The cut list of all new pipe, in the order of the runs as paced. A piece between fittings without figures is
    listed, not known. What is bought to length is not in it."""
    unit, keep = job.pace_unit, fitted.pipework.memory.keep
    new = {run.id for run in job.runs if run.state == "new"}
    blocks = {
        next(iter(made.pieces)): made for made in fitted.of_run.values() if made.pieces
    }  # runs made together once
    found: list[Cut] = []
    for made in blocks.values():
        found += keep("cuts", (made, catalogue), unit, partial(_cuts_of, made, unit, catalogue))
    return tuple(cut for cut in found if cut.run in new and cut.pipe.code not in BOUGHT)


def _cuts_of(made: RunJoints, unit: PaceUnit, catalogue: Catalogue) -> list[Cut]:
    return [cut_of(piece, unit, catalogue) for piece in made.pieces.values()]


def cut_of(piece: Piece, unit: PaceUnit, catalogue: Catalogue) -> Cut:
    """Cut one piece: centre to centre less both take-offs, rounded to 1 mm or 1/16 in.

    Sockets: minus z at each end (z is centre to stop, EN 1254-1 and ASME B16.22 measure so, and the pipe ends there).
    Threads: minus centre-to-face A plus made-up thread at each end (ASME B1.20.1, ISO 7-1).
    """
    ends = piece.from_mating, piece.to_mating
    exact_mm = round(piece.centre_mm - ends[0].take_off_mm - ends[1].take_off_mm, 6)
    if piece.bends:
        exact_mm = round(exact_mm - sum(gain_mm(bend.radius_mm, bend.angle_deg) for bend in piece.bends), 6)
    least_mm, why = least_piece_mm(
        catalogue, piece.pipe, (ends[0].method, ends[1].method), (ends[0].insertion_mm, ends[1].insertion_mm)
    )
    known = ends[0].known and ends[1].known
    makeable = exact_mm >= least_mm - 1e-6
    return Cut(
        piece.key,
        piece.run,
        piece.pipe,
        piece,
        piece.centre_mm,
        round_to_mark(exact_mm, unit),
        exact_mm,
        least_mm,
        round(ends[0].loose_mm + ends[1].loose_mm, 1),
        makeable,
        known,
        "" if makeable else why,
        unit,
        bend_marks(piece),
    )


def _steps(cut: Cut) -> tuple[Step, ...]:
    """How a cut comes about."""
    piece = cut.piece
    exact_mm, steps = cut_working(piece.centre_mm, (piece.from_mating, piece.to_mating), said=bool(piece.legs))
    gains = [gain_mm(bend.radius_mm, bend.angle_deg) for bend in piece.bends]
    if sum(gains):
        said = tuple((f"gain_{n}_mm", round(gain, 4)) for n, gain in enumerate(gains, 1))
        saved = Step(
            "less what the bends save = sum of 2 R tan(t / 2) - R t", said, round(sum(gains), 6), "mm", "geometry"
        )
        inputs = ("cut_mm", exact_mm), ("gain_mm", saved.result)
        steps = (*steps, saved, Step("cut = cut - gain", inputs, cut.exact_mm, "mm"))
    mark = "1 mm" if cut.unit == "mm" else "1/16 in"
    return (*steps, Step(f"rounded to {mark}", (("exact_mm", cut.exact_mm),), cut.cut_mm, "mm"))


def flat_centre_line(cut: Cut) -> tuple[tuple[float, float], ...]:
    """The bent centre line laid flat [mm], from the square-cut start along x."""
    radius = cut.marks[0].radius_mm if cut.marks else 0.0
    return flat_line([(mark.at_mm, mark.angle_deg, mark.roll_deg) for mark in cut.marks], radius, cut.exact_mm)


def bends_along(piece: Piece) -> list[tuple[float, Bend]]:
    """Every bend of a piece, those only sprung too, with where it begins [mm from the square-cut start of the pipe]."""
    found: list[tuple[float, Bend]] = []
    at, back = -piece.from_mating.take_off_mm, 0.0
    for bend in piece.bends:
        tangent = tangent_mm(bend.radius_mm, bend.angle_deg)
        at += bend.leg_mm - back - tangent
        found.append((at, bend))
        at += bend.radius_mm * math.radians(bend.angle_deg)
        back = tangent
    return found


def bend_marks(piece: Piece) -> tuple[BendMark, ...]:
    """Where each bend of a piece that is pulled begins, from the square-cut start of the pipe."""
    return tuple(
        BendMark(round(at, 1), bend.angle_deg, bend.roll_deg, bend.radius_mm)
        for at, bend in bends_along(piece)
        if bend.radius_mm
    )


def cut_working(centre_mm: float, ends: tuple[Mating, Mating], *, said: bool = True) -> tuple[float, tuple[Step, ...]]:
    """The exact cut length [mm] and its steps."""
    take = [end.take_off_mm for end in ends]
    exact_mm = round(centre_mm - take[0] - take[1], 6)
    steps = [
        Step(
            "centre to centre, as paced" if said else "centre to centre, as near as can be made",
            (("centre_mm", centre_mm),),
            centre_mm,
            "mm",
            "said" if said else "typ",
        )
    ]
    for number, end in enumerate(ends, 1):
        name = "start" if number == 1 else "end"
        if end.method == "thread" and end.take_off_mm + end.insertion_mm > 0:
            steps.append(
                Step(
                    f"take-off at the {name} = face - made_up",
                    (("face_mm", end.face_mm), ("made_up_mm", end.insertion_mm)),
                    end.take_off_mm,
                    "mm",
                    end.source,
                )
            )
        elif end.take_off_mm < 0:
            steps.append(
                Step(
                    f"take-off at the {name} = -insertion, the pipe goes on behind the port plane",
                    (("insertion_mm", end.insertion_mm),),
                    end.take_off_mm,
                    "mm",
                    end.source,
                )
            )
        elif end.method:
            steps.append(
                Step(
                    f"take-off at the {name} = z, centre to stop",
                    (("z_mm", end.take_off_mm),),
                    end.take_off_mm,
                    "mm",
                    end.source,
                )
            )
        else:
            steps.append(Step(f"take-off at the {name}: {end.text}", (), end.take_off_mm, "mm", end.source))
    steps.append(
        Step(
            "cut = centre - take_off_start - take_off_end",
            (("centre_mm", centre_mm), ("take_off_start_mm", take[0]), ("take_off_end_mm", take[1])),
            exact_mm,
            "mm",
        )
    )
    return exact_mm, tuple(steps)


def round_to_mark(mm: float, unit: PaceUnit) -> float:
    """A length that can be marked: whole millimetres, or sixteenths of an inch given in mm. Halves go up."""
    step = 1.0 if unit == "mm" else INCH_MM / 16
    return round(int(mm / step + (0.5 if mm >= 0 else -0.5)) * step, 4)
