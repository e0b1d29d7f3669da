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

MOST_KEPT = 16  # revisions, and designs of revisions: the present ones of the jobs at work, and some before them
MOST_RUNS = 1_400  # of all that is kept: two designs of a house of 300 emitters


def get() -> sqlite3.Connection:
    """The connection of this request."""
    if "db" not in g:
        g.db = connect(current_app.config["DATABASE"], read_only=bool(current_app.config.get("WORKER")))
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
    """By uid, number and digest of the text."""
    designs: OrderedDict[tuple[str, str, str], Design] = field(default_factory=OrderedDict)
    """By uid, digest of the text, and mark of the context."""
    lock: threading.Lock = field(default_factory=threading.Lock)
    editing: dict[str, threading.Lock] = field(default_factory=dict)
    """Edits of one job come one after another, so that none is worked out for nothing."""


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


def keep_edit(job: Job, rev: int, design: Design) -> None:
    """Remember a job that has just been stored, with its design, rather than read and derive it again."""
    sql = "SELECT parent, made_at, digest, summary FROM design_revision WHERE job = ? AND rev = ?"
    parent, made_at, digest, summary = get().execute(sql, (job.uid, rev)).fetchone()
    _keep((job.uid, rev, digest), jobs_store.Revision(job.uid, rev, parent, made_at, digest, summary, job))
    _keep_design((job.uid, digest, context(job.uid).mark), design)


def editing(uid: str) -> threading.Lock:
    """Held while a job is edited in this process."""
    kept = opened()
    with kept.lock:
        return kept.editing.setdefault(uid, threading.Lock())


def _keep(mark: tuple[str, int, str], revision: jobs_store.Revision) -> jobs_store.Revision:
    kept = opened()
    with kept.lock:
        kept.heads[mark] = revision
        _forget_oldest(kept.heads)
    return revision


def _forget_oldest(kept: OrderedDict[Any, Any]) -> None:
    """Forget what was not asked for longest, until few enough with few enough runs are left; two always stay."""
    runs = sum(len(one.job.runs) for one in kept.values())
    while len(kept) > MOST_KEPT or runs > MOST_RUNS and len(kept) > 2:
        _, gone = kept.popitem(last=False)
        runs -= len(gone.job.runs)
        if isinstance(gone, Design):
            gone.forget()


def design_of(at: jobs_store.Revision) -> Design:
    """The design of a stored revision; kept by what the revision says, whatever its number."""
    own = context(at.uid)
    key = (at.uid, at.digest, own.mark)
    kept = opened()
    with kept.lock:
        if key in kept.designs:
            kept.designs.move_to_end(key)
            return kept.designs[key]
    return _keep_design(key, derive(at.job, own))


def _keep_design(key: tuple[str, str, str], design: Design) -> Design:
    kept = opened()
    with kept.lock:
        kept.designs[key] = design
        kept.designs.move_to_end(key)
        _forget_oldest(kept.designs)
    return design


def design_kept(uid: str, rev: int) -> Design | None:
    """The design of a revision if it was worked out lately; its context may be older."""
    row = get().execute("SELECT digest FROM design_revision WHERE job = ? AND rev = ?", (uid, rev)).fetchone()
    kept = opened()
    with kept.lock:
        for (one, digest, _), design in reversed(kept.designs.items()):
            if row is not None and (one, digest) == (uid, row[0]):
                return design
    return None
