"""The records of a job as its pages read them."""

from __future__ import annotations

from ..core.design import Design
from ..core.work.records import Record
from ..exchange.site import proofs_of, records_of
from . import db


def records_here(uid: str) -> list[Record]:
    """The records of a job as the core reads them."""
    return records_of(db.get(), uid)


def proved(uid: str, design: Design) -> bool:
    """Whether passed tests prove every new joint as it is now made."""
    records = records_here(uid)
    if not any(record.kind == "test" for record in records):
        return False  # nothing to work out
    proofs = proofs_of(design, records)
    return bool(proofs) and all(one.passed for one in proofs)
