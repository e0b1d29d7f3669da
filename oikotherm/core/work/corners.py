"""What pulled bends cost or save against fittings at the same corners: the job worked out both ways."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ..job.model import Choice, Job
from ..layout import Layout
from ..making.materials import parts
from ..practice import TURNS, chosen
from .plan import plan


@dataclass(frozen=True, slots=True)
class Corners:
    """A job with pulled bends against the same with fittings only. bends: how many are pulled; bent: whether they are
    the present choice.

    What is saved by bending, less than nothing where it costs: fittings, joints and cuts by number, pipe [mm], head of
    the pump [Pa], minutes of pipework by the rates, the pulling counted in.
    """

    bends: int
    bent: bool
    fittings: int
    joints: int
    cuts: int
    pipe_mm: float
    head_pa: float
    minutes: float


def corners(design: Layout, worked_out: Callable[[Job], Layout]) -> Corners | None:
    """The comparison; None where no bend would be pulled. worked_out: gives the layout of the job with the other
    choice."""
    return design.context.memory.keep(
        "bends against fittings",
        (design.job, design.context.catalogue),
        design.context.mark,
        lambda: _corners(design, worked_out),
        most=4,
    )


def _corners(design: Layout, worked_out: Callable[[Job], Layout]) -> Corners | None:
    bent = float(chosen(design.job, TURNS)[0].acts[0]) > 0
    choice = Choice(option="fittings" if bent else "bends-22", origin="job")
    other = worked_out(design.job.model_copy(update={"choices": {**design.job.choices, TURNS.id: choice}}))
    with_bends, without = (design, other) if bent else (other, design)
    pulled = _bends(with_bends) - _bends(without)  # what is bent either way, as thin tube is, is no choice
    if pulled <= 0:
        return None
    saved = [before - after for before, after in zip(_counts(without), _counts(with_bends), strict=True)]
    fittings, joints, cuts = (round(one) for one in saved[:3])
    return Corners(pulled, bent, fittings, joints, cuts, *saved[3:])


def _bends(design: Layout) -> int:
    return sum(bend.radius_mm > 0 for cut in design.cuts for bend in cut.piece.bends)


def _counts(design: Layout) -> tuple[float, ...]:
    """Fittings, joints, cuts, pipe [mm], head [Pa], minutes of pipework."""
    return (
        sum(part.count for part in parts(design.fitted, design.context.catalogue)),
        len(design.fitted.joints),
        len(design.cuts),
        sum(cut.cut_mm for cut in design.cuts),
        sum(sized.head_pa for sized in design.sized.values()),
        sum(step.minutes for step in plan(design) if step.rule == "pipe"),
    )
