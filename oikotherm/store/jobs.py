"""Jobs and their revisions. The caller opens the transaction (`database.writing`) for everything that writes."""

from __future__ import annotations

import json
import sqlite3
import zlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..core.job.document import read
from ..core.job.model import Job
from .database import now


@dataclass(frozen=True, slots=True)
class Revision:
    """A job as it was at one revision."""

    uid: str
    rev: int
    parent: int | None
    made_at: str
    summary: str
    job: Job


class Stale(Exception):
    """An edit named a revision that is no longer the head."""

    def __init__(self, head: int) -> None:
        super().__init__(f"the job is at revision {head}")
        self.head = head


class NoJob(Exception):
    """There is no job of that uid."""


def _pack(job: Job) -> bytes:
    return zlib.compress(job.model_dump_json(exclude_none=True).encode(), 3)


def _unpack(blob: bytes) -> Job:
    return read(zlib.decompress(blob))


def create(conn: sqlite3.Connection, job: Job, summary: str, by_role: str = "site lead") -> int:
    """Store a new job as revision 1. sqlite3.IntegrityError if the uid exists."""
    stamp = now()
    conn.execute("INSERT INTO job (uid, head, made_at, opened_at) VALUES (?, 1, ?, ?)", (job.uid, stamp, stamp))
    _insert(conn, job, 1, None, summary, [], by_role)
    return 1


def exists(conn: sqlite3.Connection, uid: str) -> bool:
    return conn.execute("SELECT 1 FROM job WHERE uid = ?", (uid,)).fetchone() is not None


def _insert(
    conn: sqlite3.Connection,
    job: Job,
    rev: int,
    parent: int | None,
    summary: str,
    commands: Sequence[Any],
    by_role: str,
) -> None:
    sql = """INSERT INTO design_revision (job, rev, parent, made_at, by_role, summary, commands, document)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?)"""
    conn.execute(sql, (job.uid, rev, parent, now(), by_role, summary, json.dumps(list(commands)), _pack(job)))
    _index(conn, job)


def _index(conn: sqlite3.Connection, job: Job) -> None:
    """What find looks through: title, place, names and ids of the head."""
    words: list[str] = []
    for station in job.stations:
        words += [station.id, station.name, station.kind, station.serial or ""]
    words += [run.id for run in job.runs] + [room.name for room in job.house.rooms]
    conn.execute("DELETE FROM job_text WHERE uid = ?", (job.uid,))
    conn.execute(
        "INSERT INTO job_text (uid, title, place, body) VALUES (?, ?, ?, ?)",
        (job.uid, job.title, job.place, " ".join(words)),
    )


def head(conn: sqlite3.Connection, uid: str) -> Revision:
    """The present revision. Raises NoJob."""
    return revision(conn, uid, head_mark(conn, uid)[0])


def head_mark(conn: sqlite3.Connection, uid: str) -> tuple[int, str]:
    """The number of the present revision and when it was made: what its document can be remembered by. Raises NoJob."""
    sql = """SELECT r.rev, r.made_at FROM design_revision r
             JOIN job j ON j.uid = r.job AND j.head = r.rev WHERE j.uid = ?"""
    row = conn.execute(sql, (uid,)).fetchone()
    if row is None:
        raise NoJob(uid)
    return row["rev"], row["made_at"]


def revision(conn: sqlite3.Connection, uid: str, rev: int) -> Revision:
    """A past or undone revision. Raises NoJob."""
    row = conn.execute("SELECT * FROM design_revision WHERE job = ? AND rev = ?", (uid, rev)).fetchone()
    if row is None:
        raise NoJob(uid)
    return _revision(row)


def _revision(row: sqlite3.Row) -> Revision:
    return Revision(row["job"], row["rev"], row["parent"], row["made_at"], row["summary"], _unpack(row["document"]))


def head_rev(conn: sqlite3.Connection, uid: str) -> int:
    """The number of the present revision. Raises NoJob."""
    row = conn.execute("SELECT head FROM job WHERE uid = ?", (uid,)).fetchone()
    if row is None:
        raise NoJob(uid)
    return int(row[0])


def commit(
    conn: sqlite3.Connection, job: Job, base_rev: int, summary: str, commands: Sequence[Any], by_role: str = "site lead"
) -> int:
    """Store an edit made on `base_rev` as its child and make it the head. Raises Stale if the head has moved on."""
    present = head_rev(conn, job.uid)
    if present != base_rev:
        raise Stale(present)
    rev = int(conn.execute("SELECT max(rev) FROM design_revision WHERE job = ?", (job.uid,)).fetchone()[0]) + 1
    _insert(conn, job, rev, base_rev, summary, commands, by_role)
    conn.execute("UPDATE job SET head = ? WHERE uid = ?", (rev, job.uid))
    return rev


def undo_target(conn: sqlite3.Connection, uid: str) -> int | None:
    """The parent of the head, or None."""
    sql = "SELECT r.parent FROM design_revision r JOIN job j ON j.uid = r.job AND j.head = r.rev WHERE j.uid = ?"
    row = conn.execute(sql, (uid,)).fetchone()
    return row[0] if row else None


def redo_target(conn: sqlite3.Connection, uid: str) -> int | None:
    """The newest child of the head, or None."""
    sql = "SELECT max(r.rev) FROM design_revision r JOIN job j ON j.uid = r.job WHERE j.uid = ? AND r.parent = j.head"
    row = conn.execute(sql, (uid,)).fetchone()
    return row[0] if row else None


def move_head(conn: sqlite3.Connection, uid: str, base_rev: int, to: int) -> int:
    """Point the head at another revision of the job. Raises Stale if the head is not `base_rev`."""
    present = head_rev(conn, uid)
    if present != base_rev:
        raise Stale(present)
    conn.execute("UPDATE job SET head = ? WHERE uid = ?", (to, uid))
    _index(conn, revision(conn, uid, to).job)
    return to


def listing(conn: sqlite3.Connection) -> list[sqlite3.Row]:
    """All jobs, the one touched last first: uid, head, title, place, made_at, changed_at, summary."""
    sql = """SELECT j.uid, j.head, t.title, t.place, j.made_at, r.made_at AS changed_at, r.summary
             FROM job j JOIN design_revision r ON r.job = j.uid AND r.rev = j.head JOIN job_text t ON t.uid = j.uid
             ORDER BY r.made_at DESC, j.uid"""
    return conn.execute(sql).fetchall()


def history(conn: sqlite3.Connection, uid: str) -> list[sqlite3.Row]:
    """The line of revisions that leads to the head, newest first: rev, parent, made_at, by_role, summary."""
    sql = """WITH RECURSIVE line (rev) AS (
                 SELECT head FROM job WHERE uid = :uid
                 UNION ALL SELECT r.parent FROM design_revision r JOIN line ON r.job = :uid AND r.rev = line.rev
                 WHERE r.parent IS NOT NULL)
             SELECT r.rev, r.parent, r.made_at, r.by_role, r.summary FROM design_revision r
             JOIN line ON r.job = :uid AND r.rev = line.rev
             ORDER BY r.rev DESC LIMIT 200"""
    return conn.execute(sql, {"uid": uid}).fetchall()


def find(conn: sqlite3.Connection, text: str) -> list[sqlite3.Row]:
    """Jobs whose title, place, stations, rooms or runs begin with the words: uid, title, place, hit."""
    words = [word.replace('"', "") for word in text.split()][:8]
    query = " ".join(f'"{word}"*' for word in words if word)
    if not query:
        return []
    sql = """SELECT uid, title, place, snippet(job_text, -1, '', '', '…', 8) AS hit FROM job_text WHERE job_text MATCH ?
             ORDER BY rank LIMIT 20"""
    return conn.execute(sql, (query,)).fetchall()


def labels(conn: sqlite3.Connection, uid: str) -> tuple[tuple[str, str], ...]:
    """Frozen labels by key, in order of key."""
    rows = conn.execute("SELECT key, label FROM label WHERE job = ? ORDER BY key", (uid,)).fetchall()
    return tuple((row["key"], row["label"]) for row in rows)


def freeze_labels(conn: sqlite3.Connection, uid: str, rev: int, wanted: Iterable[Mapping[str, str]]) -> int:
    """Keep labels for good, those that have none yet; gives how many were new."""
    count, stamp = 0, now()
    for found in wanted:
        for key, label in found.items():
            sql = "INSERT OR IGNORE INTO label (job, key, label, frozen_at, rev) VALUES (?, ?, ?, ?, ?)"
            count += conn.execute(sql, (uid, key, label, stamp, rev)).rowcount
    return count
