"""What a stored job is worked out with: the catalogue in force, frozen labels, recorded joints, the firm's minutes.

Catalogue in force: the job's own measured rows first, then the firm's fitting book, then the catalogue that ships.
Page, edit, export, bundle and command line all take it from here; what leaves the house carries the rows it is worked
out with, storing never adds them.
"""

from __future__ import annotations

import sqlite3

from ..core.catalogue import Catalogue, standard
from ..core.catalogue.measured import overlay
from ..core.context import Context
from ..core.job.model import Job, Measured
from ..core.memory import Memory
from ..core.work.records import joint_states
from ..store import jobs as jobs_store
from ..store import people as people_store
from ..store import van as van_store
from .site import records_of


def firm_catalogue(conn: sqlite3.Connection, memory: Memory) -> Catalogue:
    """The catalogue that ships with the firm's fitting book over it."""
    return overlay(standard(), van_store.book(conn), memory)


def firm_context(conn: sqlite3.Connection, memory: Memory) -> Context:
    """What the firm works with, for what is no job: the Bench, a new job."""
    stock = tuple(sorted((ident, count) for ident, (count, _) in van_store.stock(conn).items() if count))
    return Context(firm_catalogue(conn, memory), rates=people_store.rates(conn), stock=stock, memory=memory)


def context_of(conn: sqlite3.Connection, uid: str, memory: Memory) -> Context:
    """What a stored job is worked out with; its own measured rows are laid over by the design."""
    states = joint_states(records_of(conn, uid)).values()
    recorded = tuple((s.key, s.label, s.method, s.pipe) for s in states if s.yes("made") or s.yes("dry"))
    return Context(
        firm_catalogue(conn, memory),
        labels=jobs_store.labels(conn, uid),
        recorded=recorded,
        rates=people_store.rates(conn),
        memory=memory,
    )


def with_rows_in_force(conn: sqlite3.Connection, job: Job) -> Job:
    """The job with the rows of the fitting book it is worked out with: a document that says the same elsewhere."""
    own = {(row.part, row.field) for row in job.measured}
    book = [
        Measured(part=row.part, field=row.field, value=row.value, on=row.on)
        for row in van_store.book(conn)
        if (row.part, row.field) not in own
    ]
    return job.model_copy(update={"measured": (*job.measured, *book)}) if book else job
