"""The plan in phases by place and service: what steps have in common, and what can be done now."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from itertools import groupby
from typing import Literal

from ..layout import Layout
from ..services import spec
from .sections import sections_of
from .steps import WorkStep

Standing = Literal["done", "now", "waits"]
DAY_H = 8.0  # typ, hours of one pair of hands

_PHASES = (  # up to which rank a phase goes, its title, by what it is parted
    (0.0, "Before anything is touched", ""),
    (1.5, "Make safe and drain", ""),
    (1.9, "Take out", ""),
    (2.5, "Hang", "level"),
    (3.0, "Clips and flue", ""),
    (3.5, "Pipe", "service"),
    (4.0, "Drains and bonding", ""),
    (4.5, "Prove", ""),
    (7.0, "Flush, fill and bleed", ""),
    (8.0, "Heat, light and set", ""),
    (float("inf"), "Hand over", ""),
)
"""By the rank of the rules that make the steps (plan.py, the rooms): the trade's order of work."""


@dataclass(frozen=True, slots=True)
class Phase:
    """Steps that follow each other and are of one kind and place. key: of its first step; where: a level or a service,
    "" for the whole house; starts_min: minutes of all steps before it; tools: what its steps take, each once."""

    key: str
    title: str
    where: str
    steps: tuple[WorkStep, ...]
    starts_min: float

    @property
    def minutes(self) -> float:
        return sum(step.minutes for step in self.steps)

    @property
    def tools(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(tool for step in self.steps for tool in step.tools))

    @property
    def parts(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(part for step in self.steps if step.rule != "pipe" for part in step.parts))

    @property
    def runs(self) -> tuple[str, ...]:
        """The runs that are made in it."""
        return tuple(effect.key for step in self.steps for effect in step.effects if effect.kind == "make")

    @property
    def moves_water(self) -> bool:
        """Whether water is let out or in."""
        rules = {step.rule for step in self.steps}
        return bool(rules & {"drain", "fill", "bleed", "flush"})


def phases(design: Layout, steps: Iterable[WorkStep]) -> tuple[Phase, ...]:
    """The steps of a plan, in their order, as phases. A step moved by hand opens a phase of its own where it stands
    apart from its like."""
    found: list[Phase] = []
    start = 0.0
    for (title, where), group in groupby(steps, key=lambda step: _phase_of(design, step)):
        own = tuple(group)
        found.append(Phase(own[0].key, title, where, own, start))
        start += found[-1].minutes
    return tuple(found)


def _phase_of(design: Layout, step: WorkStep) -> tuple[str, str]:
    rank = step.rank[0] if step.rank else 0.0
    title, by = next((title, by) for below, title, by in _PHASES if rank < below)
    if by == "level":
        station = design.job.station(_target(step))
        level = design.job.level(station.level) if station else None
        return title, level.name if level else ""
    if by == "service":
        return title, spec.service(step.service).title.lower() if step.service else ""
    return title, ""


def _target(step: WorkStep) -> str:
    """What a step is done to: what its key names behind the rule."""
    return step.key.partition(":")[2]


def standing(step: WorkStep, done: Collection[str]) -> Standing:
    """Whether a step is done, can be done now, or waits for another."""
    if step.key in done:
        return "done"
    return "now" if all(need.key in done for need in step.needs) else "waits"


def lies_on(design: Layout, step: WorkStep) -> tuple[str, ...]:
    """What of the drawing a step is about: runs, stations and levels by their names, most telling first."""
    if step.rule == "proof":
        section = next((one for one in sections_of(design) if step.key in ("proof", f"proof:{one.key}")), None)
        return tuple(section.runs) if section else ()
    target = _target(step)
    names: Sequence[str] = (target, *(effect.key for effect in step.effects))
    known = [one for one in dict.fromkeys(names) if _is_drawn(design, one)]
    if known:
        return tuple(known)
    if target in {run.service for run in design.job.runs}:
        return tuple(run.id for run in design.job.runs if run.service == target)
    return ()


def _is_drawn(design: Layout, name: str) -> bool:
    job = design.job
    return bool(name) and (job.station(name) is not None or job.run(name) is not None or job.level(name) is not None)
