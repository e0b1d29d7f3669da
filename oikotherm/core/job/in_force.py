"""The catalogue a job is worked out with."""

from __future__ import annotations

from ..catalogue import Catalogue
from ..catalogue.measured import BookRow, overlay
from ..memory import Memory
from .model import Job


def in_force(job: Job, catalogue: Catalogue, memory: Memory | None = None) -> Catalogue:
    """A catalogue (with the firm's fitting book over it or without) with the job's own measured rows over it, which go
    before all."""
    rows = [BookRow(row.part, row.field, row.value, row.on) for row in job.measured]
    return overlay(catalogue, rows, memory)
