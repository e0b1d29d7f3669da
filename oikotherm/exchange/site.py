"""What happened on site, read together with the design: records, tests and their verdicts."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable

from ..core.layout import Layout
from ..core.work.record_in import kind_as_kept
from ..core.work.records import Record
from ..core.work.sections import sections_of, state_mark
from ..core.work.standing import SectionProof, section_proofs, under_pressure
from ..store import live as live_store
from ..store import records as records_store


def records_of(conn: sqlite3.Connection, uid: str) -> list[Record]:
    """The records of a job as the core reads them, in the order received; a test that is under pressure now is one that
    has begun and not finished."""
    running = [
        Record(
            one.id, "test", one.spec, "", 0, one.started_at, one.by_role, {**one.body, "readings": "", "running": True}
        )
        for one in live_store.running(conn, uid)
        if under_pressure(one.most_pa, one.body)
    ]
    return running + [
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
