"""The small jobs of a job with the sheets written for them."""

from __future__ import annotations

from ..errors import Refused
from ..job.model import Task
from ..layout import Layout
from ..services.rooms import small_jobs
from ..services.small_jobs import JobSheet


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
