"""What a job costs one way beside another: joints by solder or press, a trunk or a manifold."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from ..job.model import Choice, Job
from ..making.order import Order
from ..practice import METAL_JOINING, chosen
from ..supply import Supply


@dataclass(frozen=True, slots=True)
class Variant:
    """One way of a job. cost: of what is priced; unpriced: lines to buy without a price; work: minutes at the firm's
    hour, None where that is not said; stops: findings that stop it."""

    title: str
    present: bool
    fittings: int
    joints: int
    pieces: int
    pipe_mm: float
    waste_mm: float
    minutes: float
    cost: float
    unpriced: int
    work: float | None
    stops: int

    @property
    def whole(self) -> float | None:
        """Material and work together; None where the hour is not said."""
        return None if self.work is None else round(self.cost + self.work, 2)


def variant_of(design: Any, supply: Supply, title: str, *, present: bool) -> Variant:
    """The figures of a job as it is worked out."""
    order: Order = design.order(supply)
    minutes = sum(step.minutes for step in design.plan)
    hour = supply.hour
    return Variant(
        title,
        present,
        round(sum(line.takes for line in order.lines if line.group in ("Fittings", "Transitions"))),
        sum(joint.method != "" for joint in design.fitted.joints.values()),
        len(design.cuts),
        round(sum(max(cut.cut_mm, 0.0) for cut in design.cuts), 1),
        round(sum(mm for _, mm in order.waste_mm), 1),
        round(minutes, 1),
        order.cost,
        len(order.unpriced),
        None if hour is None else round(minutes / 60 * hour, 2),
        sum(finding.severity == "stop" for finding in design.findings),
    )


def joining_ways(design: Any, worked_out: Callable[[Job], Any]) -> tuple[tuple[str, Any, bool], ...]:
    """The job worked out with each way of joining metal pipe, its own first: (title, design, whether it is the job's);
    none where it has no pipe that asks."""
    systems = design.context.catalogue.systems
    if not any(systems[cut.pipe.code].material == "copper" for cut in design.cuts if cut.pipe.code in systems):
        return ()
    now, _ = chosen(design.job, METAL_JOINING)
    found = [(now.title, design, True)]
    for option in METAL_JOINING.options:
        if option.id != now.id:
            choice = Choice(option=option.id, origin="job")
            job = design.job.model_copy(update={"choices": {**design.job.choices, METAL_JOINING.id: choice}})
            found.append((option.title, worked_out(job), False))
    return tuple(found)
