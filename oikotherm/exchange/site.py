"""What happened on site, read together with the design: records, tests and their verdicts."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable

from ..core.layout import Layout
from ..core.work.record_in import kind_as_kept
from ..core.work.records import Record
from ..core.work.sections import SectionProof, section_proofs, sections_of, state_mark
from ..store import records as records_store


def records_of(conn: sqlite3.Connection, uid: str) -> list[Record]:
    """The records of a job as the core reads them, in the order received."""
    return [
        Record(
            r["uuid"],
            kind_as_kept(r["kind"], r["body"]),
            r["key"],
            r["label"],
            r["rev"],
            r["made_at"],
            r["by_role"],
            r["body"],
            r["corrects"],
            r["clock_off_s"],
        )
        for r in records_store.of_job(conn, uid)
    ]


def proofs_of(design: Layout, records: Iterable[Record]) -> tuple[SectionProof, ...]:
    """How each section of a job stands by the tests kept of it."""
    return section_proofs(design, sections_of(design), records, state_mark(design))
