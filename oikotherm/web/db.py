"""One connection per request, and the designs worked out lately."""

from __future__ import annotations

import sqlite3
import threading
from collections import OrderedDict
from typing import Any

from flask import current_app, g

from ..core.catalogue import Catalogue, standard
from ..core.catalogue.measured import overlay
from ..core.context import Context
from ..core.design import Design, derive
from ..core.job.model import Job
from ..core.work.records import joint_states
from ..exchange.site import records_of
from ..store import jobs as jobs_store
from ..store import van as van_store
from ..store.database import connect

_KEPT = 4
_cache: OrderedDict[tuple[str, str, int, str], Design] = OrderedDict()
_heads: OrderedDict[tuple[str, str, int, str], jobs_store.Revision] = OrderedDict()
_lock = threading.Lock()


def get() -> sqlite3.Connection:
    """The connection of this request."""
    if "db" not in g:
        g.db = connect(current_app.config["DATABASE"])
    found: sqlite3.Connection = g.db
    return found


def close(_: Any = None) -> None:
    conn = g.pop("db", None)
    if conn is not None:
        conn.close()


def firm_rates() -> tuple[tuple[str, float], ...]:
    """The firm's own minutes, by what is done."""
    rows = get().execute("SELECT name, value FROM setting WHERE name LIKE 'rate:%' ORDER BY name").fetchall()
    return tuple((row["name"].removeprefix("rate:"), float(row["value"])) for row in rows)


def catalogue() -> Catalogue:
    """The catalogue with the firm's fitting book over it."""
    return overlay(standard(), van_store.book(get()))


def context_of(uid: str) -> Context:
    """The labels that are frozen and the joints that have records."""
    states = joint_states(records_of(get(), uid)).values()
    recorded = tuple((s.key, s.label, s.method, s.pipe) for s in states if s.yes("made") or s.yes("dry"))
    return Context(catalogue(), labels=jobs_store.labels(get(), uid), recorded=recorded, rates=firm_rates())


def head_of(uid: str) -> jobs_store.Revision:
    """The present revision of a job; kept, so that the parts an edit leaves alone stay the very same objects. Raises NoJob."""
    mark = (str(current_app.config["DATABASE"]), uid, *jobs_store.head_mark(get(), uid))
    with _lock:
        if mark in _heads:
            _heads.move_to_end(mark)
            return _heads[mark]
    return _keep(mark, jobs_store.revision(get(), uid, mark[2]))


def keep_head(job: Job) -> None:
    """Remember a job that has just been stored as its head, rather than read it again."""
    at = jobs_store.head_mark(get(), job.uid)
    base, summary = (
        get()
        .execute("SELECT parent, summary FROM design_revision WHERE job = ? AND rev = ?", (job.uid, at[0]))
        .fetchone()
    )
    _keep(
        (str(current_app.config["DATABASE"]), job.uid, *at),
        jobs_store.Revision(job.uid, at[0], base, at[1], summary, job),
    )


def _keep(mark: tuple[str, str, int, str], revision: jobs_store.Revision) -> jobs_store.Revision:
    with _lock:
        _heads[mark] = revision
        while len(_heads) > _KEPT:
            _heads.popitem(last=False)
    return revision


def design_of(uid: str, rev: int, job: Job) -> Design:
    """The design of a stored revision; kept, since revisions never change."""
    context = context_of(uid)
    key = (str(current_app.config["DATABASE"]), uid, rev, context.mark)
    with _lock:
        if key in _cache:
            _cache.move_to_end(key)
            return _cache[key]
    design = derive(job, context)
    with _lock:
        _cache[key] = design
        while len(_cache) > _KEPT:
            _cache.popitem(last=False)
    return design


def design_kept(uid: str, rev: int) -> Design | None:
    """The design of a revision if it was worked out lately; its context may be older."""
    with _lock:
        for (path, one, at, _), design in reversed(_cache.items()):
            if (path, one, at) == (str(current_app.config["DATABASE"]), uid, rev):
                return design
    return None
