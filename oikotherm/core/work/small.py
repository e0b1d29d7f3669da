"""The small jobs of a job: the sheets written for them, and their steps of the plan."""

from __future__ import annotations

from collections.abc import Iterable
from typing import cast

from ..errors import Refused
from ..job.model import Task
from ..layout import Layout
from ..services import spec
from ..services.rooms import small_jobs
from .sections import sections_of
from .small_jobs import JobSheet
from .steps import Effect, EffectKind, Need, WorkStep

RANKS = {"before": -1.0, "safe": 0.0, "off": 1.5, "make": 2.0, "join": 3.5, "fill": 5.0, "bleed": 6.0, "hot": 7.0}
AFTER = 7.5


def sheets_of(design: Layout) -> tuple[tuple[Task, JobSheet], ...]:
    """Every small job of a job that is known here, with its sheet. Raises nothing: answers that cannot be used leave
    the task without a sheet."""
    if not design.job.tasks:
        return ()
    found: tuple[tuple[Task, JobSheet], ...] = design.kept("small job sheets", lambda: _written(design))
    return found


def _written(design: Layout) -> tuple[tuple[Task, JobSheet], ...]:
    kinds = small_jobs()
    found = []
    for task in design.job.tasks:
        kind = kinds.get(task.kind)
        if kind is None:
            continue
        try:
            found.append((task, kind.sheet(design, task)))
        except (Refused, ValueError, KeyError, TypeError, AttributeError):  # a document may hold any answers, or none
            continue
    return tuple(found)


def small_alone(design: Layout) -> bool:
    """Whether a job is nothing but its small jobs: what is new or goes is what they are done on, or the old one of
    it."""
    done_on = {task.where.partition(".")[0] for task, _ in sheets_of(design)}
    kinds = {station.kind for station in design.job.stations if station.id in done_on}
    worked = [station for station in design.job.stations if station.state != "keep"]
    return bool(done_on) and all(one.id in done_on if one.state == "new" else one.kind in kinds for one in worked)


def steps_of(design: Layout, usual: list[WorkStep]) -> Iterable[WorkStep]:
    """The steps of the small jobs of a job, each after the one before; where the whole house is drained and filled,
    that is not done again."""
    shared = {effect.kind for step in usual for effect in step.effects} & {"isolate", "drain", "fill"}
    for task, sheet in sheets_of(design):
        before: list[Need] = []
        rows = [row for row in sheet.rows if row.does not in shared]
        cautioned = next((row.id for row in rows if row.phase == "safe"), rows[0].id if rows else "")
        for n, row in enumerate(rows):
            rank = RANKS.get(row.phase, AFTER)
            needs = list(before)
            if rank > RANKS["before"]:
                needs += [Need(step.key, "the house is made safe first") for step in usual if step.rule == "drain"]
            if rank >= RANKS["join"]:
                made = [run for run in design.job.runs if run.state == "new"]
                needs += [Need(f"pipe:{run.id}", "its pipe is made first") for run in made]
            if rank >= RANKS["fill"]:
                needs += [Need(f"proof:{one.key}", "what was not proved is not filled") for one in sections_of(design)]
                needs.append(Need("proof", "what was not proved is not filled"))
            key = f"task:{task.id}:{row.id}"
            yield WorkStep(
                key,
                "small job",
                row.title,
                "",
                tuple(needs),
                row.minutes,
                (rank, float(n)),
                "",
                " ".join(sheet.cautions) if row.id == cautioned else "",
                sheet.tools if n == 0 else (),
                sheet.quantities if n == 0 else (),
                closes="it is not done" if n == len(rows) - 1 else "",
                how=row.text,
                service=_service_of(design, task.where),
                effects=_effects(design, row.does, task.where),
            )
            before = [Need(key, "the order of this job")]


def _service_of(design: Layout, where: str) -> str:
    """The service of what a small job is done on, "" where none is drawn."""
    run = design.pipework.nodes[where].run if where in design.pipework.nodes else ""
    found = design.job.run(run)
    if found is not None:
        return found.service
    station = design.job.station(where.partition(".")[0])
    return next(iter(sorted({spec.service_of(port.role) for port in station.ports})), "") if station is not None else ""


def _effects(design: Layout, does: str, where: str) -> tuple[Effect, ...]:
    """What a step of a small job does to the house."""
    service = _service_of(design, where) or "heating"
    if does in ("isolate", "shut"):
        return (Effect("isolate" if does == "isolate" else "shut", service),)
    if does == "drain":
        station = design.job.station(where.partition(".")[0])
        return (
            Effect("drain", station.level if station else next((level.id for level in design.job.house.levels), "")),
        )
    if does == "fill":
        return (Effect("fill", service),)
    kind = cast(EffectKind, does)
    return (Effect(kind, where),) if does in ("hang", "cap") else ()
