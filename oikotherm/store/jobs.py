"""Jobs and their revisions. The caller opens the transaction (`database.writing`) for everything that writes."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..core.errors import Refused
from ..core.job.document import read
from ..core.job.model import Job
from .database import now
from .differences import difference, digest_of, pack, restored, text_of, unpack

MOST_SINCE_BASE = 64  # differences made of one base
EDIT_BYTES = 300  # what an edit adds to a difference, about


@dataclass(frozen=True, slots=True)
class Revision:
    """A job as it was at one revision."""

    uid: str
    rev: int
    parent: int | None
    made_at: str
    digest: str
    """Of its text: what was derived of it is remembered by this, not by its number."""
    summary: str
    job: Job


class Stale(Exception):
    """An edit named a revision that is no longer the head."""

    def __init__(self, head: int) -> None:
        super().__init__(f"the job is at revision {head}")
        self.head = head


class NoJob(Exception):
    """There is no job of that uid."""


def create(conn: sqlite3.Connection, job: Job, summary: str, by_role: str = "site lead", floor: int = 0) -> int:
    """Store a new job as revision 1; its next revision gets a number above `floor`. sqlite3.IntegrityError if the uid
    exists."""
    stamp = now()
    sql = "INSERT INTO job (uid, head, made_at, opened_at, floor) VALUES (?, 1, ?, ?, ?)"
    conn.execute(sql, (job.uid, stamp, stamp, floor))
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
    text = text_of(job)
    base, blob = _stored_as(conn, job.uid, parent, text)
    sql = """INSERT INTO design_revision (job, rev, parent, made_at, by_role, summary, commands, document, base, digest)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"""
    said = json.dumps(list(commands))
    conn.execute(sql, (job.uid, rev, parent, now(), by_role, summary, said, blob, base, digest_of(text)))
    _index(conn, job)


def _stored_as(conn: sqlite3.Connection, uid: str, parent: int | None, text: str) -> tuple[int | None, bytes]:
    """A revision's base and bytes: the difference from the base its parent has, or, now and then, the whole."""
    if parent is None:
        return None, pack(text)
    sql = "SELECT coalesce(base, rev) FROM design_revision WHERE job = ? AND rev = ?"
    base = int(conn.execute(sql, (uid, parent)).fetchone()[0])
    row = conn.execute("SELECT document FROM design_revision WHERE job = ? AND rev = ?", (uid, base)).fetchone()
    since = conn.execute("SELECT count(*) FROM design_revision WHERE job = ? AND base = ?", (uid, base)).fetchone()[0]
    if since < MOST_SINCE_BASE:
        blob = difference(unpack(row[0]), text)
        if len(blob) ** 2 < 2 * EDIT_BYTES * len(row[0]):  # where base and differences together take least
            return base, blob
    return None, pack(text)


def stored_text(conn: sqlite3.Connection, uid: str, rev: int) -> str:
    """The text of a revision exactly as it was stored. Raises NoJob; Refused where its bytes are damaged."""
    sql = """SELECT r.document, r.digest, b.document FROM design_revision r
             LEFT JOIN design_revision b ON b.job = r.job AND b.rev = r.base WHERE r.job = ? AND r.rev = ?"""
    row = conn.execute(sql, (uid, rev)).fetchone()
    if row is None:
        raise NoJob(uid)
    text = unpack(row[0]) if row[2] is None else restored(unpack(row[2]), row[0])
    if digest_of(text) != row[1]:
        raise Refused("revision", f"{uid}, revision {rev}: damaged bytes", "a revision as it was stored", "a backup")
    return text


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
    """The number of the present revision and the digest of its text: what it can be remembered by. Raises NoJob."""
    sql = """SELECT r.rev, r.digest FROM design_revision r
             JOIN job j ON j.uid = r.job AND j.head = r.rev WHERE j.uid = ?"""
    row = conn.execute(sql, (uid,)).fetchone()
    if row is None:
        raise NoJob(uid)
    return row["rev"], row["digest"]


def revision(conn: sqlite3.Connection, uid: str, rev: int) -> Revision:
    """A past or undone revision. Raises NoJob."""
    row = conn.execute("SELECT * FROM design_revision WHERE job = ? AND rev = ?", (uid, rev)).fetchone()
    if row is None:
        raise NoJob(uid)
    job = read(stored_text(conn, uid, rev), most_bytes=None)
    return Revision(row["job"], row["rev"], row["parent"], row["made_at"], row["digest"], row["summary"], job)


def head_rev(conn: sqlite3.Connection, uid: str) -> int:
    """The number of the present revision. Raises NoJob."""
    row = conn.execute("SELECT head FROM job WHERE uid = ?", (uid,)).fetchone()
    if row is None:
        raise NoJob(uid)
    return int(row[0])


def last_rev(conn: sqlite3.Connection, uid: str) -> int:
    """The highest number a revision of the job ever had, as far as is known; 0 for a job that is not here."""
    sql = """SELECT max(coalesce(max(r.rev), 0), j.floor) FROM job j
             LEFT JOIN design_revision r ON r.job = j.uid WHERE j.uid = ?"""
    found = conn.execute(sql, (uid,)).fetchone()[0]
    return int(found or 0)


def commit(
    conn: sqlite3.Connection, job: Job, base_rev: int, summary: str, commands: Sequence[Any], by_role: str = "site lead"
) -> int:
    """Store an edit made on `base_rev` as its child and make it the head. Raises Stale if the head has moved on."""
    present = head_rev(conn, job.uid)
    if present != base_rev:
        raise Stale(present)
    rev = last_rev(conn, job.uid) + 1
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
