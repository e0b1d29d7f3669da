"""One connection per request, and the designs worked out lately."""

from __future__ import annotations

import sqlite3
import threading
from collections import OrderedDict
from dataclasses import dataclass, field
from typing import Any

from flask import current_app, g

from ..core.catalogue import Catalogue
from ..core.context import Context
from ..core.design import Design, derive
from ..core.job.model import Job
from ..core.memory import Memory
from ..exchange.in_force import context_of, firm_catalogue, firm_context
from ..store import jobs as jobs_store
from ..store.database import connect

MOST_KEPT = 2  # revisions, and designs of revisions: the present one and the one before, or those of two jobs


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


@dataclass(slots=True)
class Opened:
    """What one application keeps of the jobs that were open lately: all that is derived, their heads and designs."""

    memory: Memory = field(default_factory=Memory)
    heads: OrderedDict[tuple[str, int, str], jobs_store.Revision] = field(default_factory=OrderedDict)
    designs: OrderedDict[tuple[str, int, str], Design] = field(default_factory=OrderedDict)
    lock: threading.Lock = field(default_factory=threading.Lock)


def opened() -> Opened:
    """What this application keeps."""
    found: Opened = current_app.extensions["opened"]
    return found


def memory() -> Memory:
    """Where this application remembers what is derived."""
    return opened().memory


def catalogue() -> Catalogue:
    """The catalogue with the firm's fitting book over it."""
    return firm_catalogue(get(), memory())


def context(uid: str) -> Context:
    """What a job is worked out with."""
    return context_of(get(), uid, memory())


def firm() -> Context:
    """What the firm works with, where there is no job."""
    return firm_context(get(), memory())


def head_of(uid: str) -> jobs_store.Revision:
    """The present revision of a job; kept, so that the parts an edit leaves alone stay the very same objects. Raises
    NoJob."""
    mark = (uid, *jobs_store.head_mark(get(), uid))
    kept = opened()
    with kept.lock:
        if mark in kept.heads:
            kept.heads.move_to_end(mark)
            return kept.heads[mark]
    return _keep(mark, jobs_store.revision(get(), uid, mark[1]))


def keep_head(job: Job) -> None:
    """Remember a job that has just been stored as its head, rather than read it again."""
    at = jobs_store.head_mark(get(), job.uid)
    base, summary = (
        get()
        .execute("SELECT parent, summary FROM design_revision WHERE job = ? AND rev = ?", (job.uid, at[0]))
        .fetchone()
    )
    _keep((job.uid, *at), jobs_store.Revision(job.uid, at[0], base, at[1], summary, job))


def _keep(mark: tuple[str, int, str], revision: jobs_store.Revision) -> jobs_store.Revision:
    kept = opened()
    with kept.lock:
        kept.heads[mark] = revision
        while len(kept.heads) > MOST_KEPT:
            kept.heads.popitem(last=False)
    return revision


def design_of(uid: str, rev: int, job: Job) -> Design:
    """The design of a stored revision; kept, since revisions never change."""
    own = context(uid)
    key = (uid, rev, own.mark)
    kept = opened()
    with kept.lock:
        if key in kept.designs:
            kept.designs.move_to_end(key)
            return kept.designs[key]
    design = derive(job, own)
    with kept.lock:
        kept.designs[key] = design
        while len(kept.designs) > MOST_KEPT:
            kept.designs.popitem(last=False)
    return design


def design_kept(uid: str, rev: int) -> Design | None:
    """The design of a revision if it was worked out lately; its context may be older."""
    kept = opened()
    with kept.lock:
        for (one, at, _), design in reversed(kept.designs.items()):
            if (one, at) == (uid, rev):
                return design
    return None
