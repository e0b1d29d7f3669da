"""derive(job, context) -> Design: the one entry to everything that follows from a job. Lazy; web, CLI and PDF alike."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from .context import Context
from .job.model import Job
from .layout import Layout
from .lazy import lazy
from .making.consumables import Consumable, consumables
from .making.materials import Coil, OrderLine, coils, parts
from .making.order import Order, order
from .making.pipe_stock import PipeStock, pipe_stocks
from .memory import Memory
from .rules import Finding
from .rules.tried import tried
from .services.rooms import rooms
from .supply import Supply
from .work.corners import Corners, corners
from .work.plan import plan
from .work.steps import WorkStep


@dataclass(frozen=True, slots=True)
class Materials:
    """What to order: fittings and parts, coils of floor loops, pipe with the pieces cut from it, what is used up."""

    parts: tuple[OrderLine, ...]
    coils: tuple[Coil, ...]
    pipes: tuple[PipeStock, ...]
    consumables: tuple[Consumable, ...]


class Design(Layout):
    """A layout with the work on it: plan, supports, materials. What is not asked for is not worked out."""

    @lazy
    def plan(self) -> tuple[WorkStep, ...]:
        """The steps of work in their order."""
        return plan(self)

    @lazy
    def materials(self) -> Materials:
        """What to order where nothing is known of van and prices."""
        return self.materials_from(Supply())

    def materials_from(self, supply: Supply) -> Materials:
        """What to order, offcuts first, by the firm's prices."""
        catalogue = self.context.catalogue
        return Materials(
            parts(self.fitted, catalogue),
            coils(self.fitted),
            pipe_stocks(self.cuts, catalogue, supply, self.context.memory),
            consumables(self.job, self.fitted, self.supports, catalogue),
        )

    def order(self, supply: Supply) -> Order:
        """Everything to order, with the firm's stock and prices."""
        found = self.materials_from(supply)
        return order(self.job, supply, found.parts, found.pipes, found.coils, found.consumables)

    @lazy
    def water_work(self) -> tuple[Any, ...]:
        """Draining and filling, for every service that has it."""
        return tuple(one for room in rooms().values() if room.water_work for one in room.water_work(self))

    def tried(self, finding: Finding) -> Finding:
        """A finding with its remedies tried; kept as long as the design is."""

        def findings_of(job: Job) -> Layout:
            return Layout(job, self.context)

        def make() -> Finding:
            return tried(self.job, self.findings, finding, self.context.catalogue, findings_of)

        found: Finding = self.kept(f"tried {finding.rule} {' '.join(finding.where)}", make)
        return found

    @lazy
    def corners(self) -> Corners | None:
        """What pulled bends cost or save against fittings; None where no bend would be pulled. The other way is worked
        out in a memory of its own: nothing of it is asked for again."""
        return corners(self, lambda job: Layout(job, replace(self.context, memory=Memory())))


def derive(job: Job, context: Context | None = None) -> Design:
    """The design of a job. Never raises: what cannot be worked out is a finding."""
    return Design(job, context or Context())
