"""The steps of small jobs of fresh water, as data/tasks.csv has them."""

from __future__ import annotations

import functools

from ...tables import read_rows


@functools.cache
def _tasks() -> tuple[dict[str, str], ...]:
    return tuple(read_rows(__package__, "tasks.csv", "|"))


def task_rows(task: str) -> list[dict[str, str]]:
    """The rows of a task, in their order."""
    return [row for row in _tasks() if row["task"] == task]
