"""cut(fitted) -> the cut list: how long to cut every piece, and how that came about."""

from __future__ import annotations

from dataclasses import dataclass

from ..catalogue import Catalogue
from ..job.model import Job, Pipe
from ..joints.fitted import Fitted, Mating, Piece
from ..joints.least import least_piece_mm
from ..quantity import INCH_MM, PaceUnit
from ..working import Step, Worked


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
    worked: Worked


def cuts(job: Job, fitted: Fitted, catalogue: Catalogue) -> tuple[Cut, ...]:
    """The cut list in the order of the runs as paced. A piece between fittings without figures is listed, not known."""
    return tuple(cut_of(piece, job.pace_unit, catalogue) for piece in fitted.pieces.values())


def cut_of(piece: Piece, unit: PaceUnit, catalogue: Catalogue) -> Cut:
    """Cut one piece: centre to centre less both take-offs, rounded to 1 mm or 1/16 in.

    Sockets: minus z at each end (z is centre to stop, EN 1254-1 and ASME B16.22 measure so, and the pipe ends there).
    Threads: minus centre-to-face A plus made-up thread at each end (ASME B1.20.1, ISO 7-1).
    """
    ends = piece.from_mating, piece.to_mating
    exact_mm, steps = cut_working(piece.centre_mm, ends, said=bool(piece.legs))
    cut_mm = round_to_mark(exact_mm, unit)
    steps = (
        *steps,
        Step(f"rounded to {'1 mm' if unit == 'mm' else '1/16 in'}", (("exact_mm", exact_mm),), cut_mm, "mm"),
    )
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
        cut_mm,
        exact_mm,
        least_mm,
        round(ends[0].loose_mm + ends[1].loose_mm, 1),
        makeable,
        known,
        "" if makeable else why,
        Worked(cut_mm, "mm", steps),
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
