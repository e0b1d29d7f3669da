"""One connection per request, and the designs worked out lately."""

from __future__ import annotations

import sqlite3
import threading
from collections import OrderedDict
from typing import Any

from flask import current_app, g

from ..core.context import Context
from ..core.design import Design, derive
from ..core.job.model import Job
from ..core.work.records import joint_states
from ..exchange.site import records_of
from ..store import jobs as jobs_store
from ..store.database import connect

_KEPT = 24
_cache: OrderedDict[tuple[str, str, int, str], Design] = OrderedDict()
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


def context_of(uid: str) -> Context:
    """The labels that are frozen and the joints that have records."""
    states = joint_states(records_of(get(), uid)).values()
    recorded = tuple((s.key, s.label, s.method, s.pipe) for s in states if s.yes("made") or s.yes("dry"))
    return Context(labels=jobs_store.labels(get(), uid), recorded=recorded, rates=firm_rates())


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
