"""The demo jobs: made-up houses, as job documents."""

from __future__ import annotations

from importlib import resources

from ..core.job.document import read
from ..core.job.model import Job


def documents() -> list[Job]:
    """All demo jobs that ship with the program, in order of file name."""
    folder = resources.files(__package__)
    paths = sorted(
        (path for path in folder.iterdir() if path.name.endswith(".oikotherm.json")), key=lambda path: path.name
    )
    return [read(path.read_bytes()) for path in paths]
