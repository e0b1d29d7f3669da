"""The records of a job as its pages read them."""

from __future__ import annotations

from ..core.design import Design
from ..core.work.records import Record
from ..exchange.site import records_of, tests_of
from . import db


def records_here(uid: str) -> list[Record]:
    """The records of a job as the core reads them."""
    return records_of(db.get(), uid)


def proved(uid: str, design: Design) -> bool:
    """Whether the last test passed and tells of the pipework as it is now."""
    rows = tests_of(design, records_here(uid))
    return bool(rows) and rows[0][1].outcome == "pass" and rows[0][2]
