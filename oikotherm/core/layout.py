"""What follows from a job but for the work on it: traced, fitted, cut, sized, looked at for what is wrong. Lazy.

The one entry is Design (design.py), a Layout with its work; rooms of services and the modules of the work take a
Layout.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any, TypeVar

from .context import Context
from .job.in_force import in_force
from .job.model import Job
from .job.words import Style
from .job.writing import run_text
from .joints.fit_out import fit_out
from .joints.fitted import Fitted
from .labels import label_all
from .lazy import lazy
from .making.cut import Cut, cuts
from .making.holes import Hole, kept_holes
from .making.supports import RunClips, schedule
from .network.sized import Sized
from .pipework.direction import flow_directions
from .pipework.geometry import Pipework
from .pipework.trace import standing, trace
from .rules import COMMON, Finding, Rule, View, find
from .services.rooms import rooms

T = TypeVar("T")


class Layout:
    """What follows from a job, each layer worked out when first asked for: trace -> dress -> cut, flow, find."""

    def __init__(self, job: Job, context: Context) -> None:
        self.job = job
        self.context = replace(context, catalogue=in_force(job, context.catalogue, context.memory))
        self._kept: dict[str, Any] = {}

    @lazy
    def style(self) -> Style:
        return Style(self.context.catalogue, self.job.practice, self.job.pace_unit)

    @lazy
    def traced(self) -> Pipework:
        """All pipe of the job, with what goes."""
        return trace(self.job, self.context.catalogue, self.context.memory)

    @lazy
    def pipework(self) -> Pipework:
        """The pipe that is there when the job is done."""
        return standing(self.job, self.traced)

    @lazy
    def fitted(self) -> Fitted:
        return fit_out(self.job, self.pipework, self.context)

    @lazy
    def cuts(self) -> tuple[Cut, ...]:
        return cuts(self.job, self.fitted, self.context.catalogue)

    @lazy
    def flow(self) -> dict[str, int]:
        """Straight key -> 1 with its pacing, -1 against, 0 not known."""
        return flow_directions(self.pipework)

    @lazy
    def findings(self) -> tuple[Finding, ...]:
        view = View(self.job, self.fitted, self.context, self.sized, self.flow)
        return find(view, all_rules())

    @lazy
    def open_findings(self) -> tuple[Finding, ...]:
        """Those nobody has waived."""
        return tuple(finding for finding in self.findings if not finding.waived)

    @lazy
    def sized(self) -> dict[str, Sized]:
        """Service -> its networks worked out, for every service that sizes."""
        return {ident: room.size(self) for ident, room in rooms().items() if room.size is not None}

    def kept(self, name: str, make: Callable[[], T]) -> T:
        """What a room works out of this design, once: name -> what make() gave."""
        if name not in self._kept:
            self._kept[name] = make()
        found: T = self._kept[name]
        return found

    def forget(self) -> None:
        """Forget what rooms worked out of it, which leads back to it: then it goes with its last user."""
        self._kept.clear()

    @lazy
    def supports(self) -> tuple[RunClips, ...]:
        """The clips of every run of new pipe."""
        return tuple(schedule(self.job, self.fitted, self.context.catalogue))

    @lazy
    def holes(self) -> tuple[Hole, ...]:
        """The holes through joists, walls, floors and ceilings, in the order of the runs."""
        return kept_holes(self.job, self.fitted, self.context.catalogue)

    @lazy
    def piece_labels(self) -> dict[str, str]:
        return label_all(
            ((piece.key, piece.run) for piece in self.fitted.pieces.values()), dict(self.context.labels), pieces=True
        )

    @lazy
    def joint_labels(self) -> dict[str, str]:
        order = ((joint.key, joint.run) for joint in self.fitted.joints.values())
        return label_all(order, dict(self.context.labels), pieces=False)

    @lazy
    def texts(self) -> dict[str, str]:
        """Run id -> its canonical line."""
        style, keep = self.style, self.context.memory.keep
        return {
            run.id: keep(
                "line", (run, style.catalogue), (style.practice, style.pace_unit), partial(run_text, run, style)
            )
            for run in self.job.runs
        }


def all_rules() -> tuple[Rule, ...]:
    """The rules in force: those of all services, then those of each."""
    return (*COMMON, *(rule for room in rooms().values() for rule in room.rules))
