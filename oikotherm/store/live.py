"""Tests that run and their readings, append-only. The caller commits."""

from __future__ import annotations

import json
import secrets
import sqlite3
import uuid as uuids
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from ..core.errors import Refused
from ..core.work.readings_in import Sent
from .database import now

MOST_RUNNING = 20  # tests at once of a job
MOST_READINGS = 1_000_000  # of a test: 24 hours at 10 a second


@dataclass(frozen=True, slots=True)
class Live:
    """A test that runs, or ran. body: what it is about, as a test's record has it, without its readings; readings: how
    many there are; most_pa: the highest; temp_step_k: the coarsest step its thermometers said, None where none did."""

    id: str
    job: str
    section: str
    spec: str
    token: str
    started_at: str
    by_role: str
    body: dict[str, Any]
    ended_at: str
    record: str
    readings: int
    most_pa: float
    temp_step_k: float | None


@dataclass(frozen=True, slots=True)
class Bucket:
    """Readings of a stretch of time together: seconds since the first, means, least and most pressure, how many."""

    second: float
    pressure_pa: float
    least_pa: float
    most_pa: float
    temp_c: float | None
    baro_pa: float | None
    count: int


def start(conn: sqlite3.Connection, job: str, section: str, spec: str, by_role: str, body: dict[str, Any]) -> Live:
    """Begin a test. Raises Refused where too many run already."""
    if len(running(conn, job)) >= MOST_RUNNING:
        raise Refused("test", "another", f"at most {MOST_RUNNING} tests that run at once: end one", "")
    ident, token = str(uuids.uuid4()), secrets.token_urlsafe(18)
    conn.execute(
        """INSERT INTO live_test (id, job, section, spec, token, started_at, by_role, body)
           VALUES (?, ?, ?, ?, ?, ?, ?, ?)""",
        (ident, job, section, spec, token, now(), by_role, json.dumps(body, sort_keys=True, ensure_ascii=False)),
    )
    return one(conn, ident)


def _live(row: sqlite3.Row) -> Live:
    return Live(**{**dict(row), "body": json.loads(row["body"])})


def one(conn: sqlite3.Connection, ident: str) -> Live:
    """A test by its id. Raises Refused."""
    row = conn.execute("SELECT * FROM live_test WHERE id = ?", (ident,)).fetchone()
    if row is None:
        raise Refused("test", ident, "a test that was begun here", "")
    return _live(row)


def by_token(conn: sqlite3.Connection, token: str) -> Live | None:
    """The test a gauge sends to."""
    row = conn.execute("SELECT * FROM live_test WHERE token = ?", (token,)).fetchone()
    return _live(row) if row else None


def running(conn: sqlite3.Connection, job: str) -> list[Live]:
    """The tests of a job that run, the oldest first."""
    sql = "SELECT * FROM live_test WHERE job = ? AND ended_at = '' ORDER BY started_at, rowid"
    return [_live(row) for row in conn.execute(sql, (job,))]


def add(conn: sqlite3.Connection, ident: str, sent: Iterable[Sent]) -> tuple[int, int]:
    """Keep readings; those whose seq of their source is there already are left out. How many are new, how many were
    there. Raises Refused where a test has too many."""
    rows = [
        (ident, one.source, one.seq, one.second, one.pressure_pa, one.temp_c, one.temp_step_k, one.baro_pa)
        for one in sent
    ]
    before = conn.total_changes
    conn.executemany(
        """INSERT OR IGNORE INTO reading (test, source, seq, second, pressure_pa, temp_c, temp_step_k, baro_pa)
           VALUES (?, ?, ?, ?, ?, ?, ?, ?)""",
        rows,
    )
    new = conn.total_changes - before
    most_pa = max((one[4] for one in rows), default=0.0)
    step_k = max((one[6] for one in rows if one[6] is not None), default=None)
    conn.execute(
        """UPDATE live_test SET readings = readings + ?, most_pa = max(most_pa, ?),
           temp_step_k = max(coalesce(temp_step_k, ?), coalesce(?, temp_step_k)) WHERE id = ?""",
        (new, most_pa, step_k, step_k, ident),
    )
    if count(conn, ident) > MOST_READINGS:
        raise Refused("readings", f"more than {MOST_READINGS}", f"at most {MOST_READINGS} of a test", "")
    return new, len(rows) - new


def next_seq(conn: sqlite3.Connection, ident: str, source: str) -> int:
    """The seq after the last of a source."""
    sql = "SELECT max(seq) FROM reading WHERE test = ? AND source = ?"
    found = conn.execute(sql, (ident, source)).fetchone()[0]
    return 0 if found is None else int(found) + 1


def count(conn: sqlite3.Connection, ident: str) -> int:
    """How many readings a test has."""
    return int(conn.execute("SELECT readings FROM live_test WHERE id = ?", (ident,)).fetchone()[0])


def buckets(conn: sqlite3.Connection, ident: str, most: int) -> tuple[float, list[Bucket]]:
    """The readings in about so many stretches, by source and seq, and the second of the first. Read range by range
    along the key: half the time of a GROUP BY, which sorts them first."""
    sources = conn.execute("SELECT DISTINCT source FROM reading WHERE test = ?", (ident,)).fetchall()
    sql = """SELECT avg(second), avg(pressure_pa), min(pressure_pa), max(pressure_pa), avg(temp_c), avg(baro_pa),
                    count(*), min(second)
             FROM reading WHERE test = ? AND source = ? AND seq >= ? AND seq < ?"""
    found = []
    for (source,) in sources:
        ends = "SELECT min(seq), max(seq) FROM reading WHERE test = ? AND source = ?"
        first, last = conn.execute(ends, (ident, source)).fetchone()
        step = -(-(last - first + 1) // max(most // len(sources), 1))
        for seq in range(first, last + 1, step):
            row = conn.execute(sql, (ident, source, seq, seq + step)).fetchone()
            if row[6]:
                found.append(row)
    if not found:
        return 0.0, []
    found.sort(key=lambda row: row[0])
    begun = min(row[7] for row in found)
    return begun, [Bucket(row[0] - begun, *row[1:7]) for row in found]


def end(conn: sqlite3.Connection, ident: str, record: str) -> None:
    """A test is over. record: the uuid of what was kept of it, "" where nothing was."""
    conn.execute("UPDATE live_test SET ended_at = ?, record = ? WHERE id = ?", (now(), record, ident))
