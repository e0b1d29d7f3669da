"""Records: evidence of what was done, append-only, each with a uuid made by the client."""

from __future__ import annotations

import json
import sqlite3
import uuid as uuids
from typing import Any

from ..core.errors import Refused
from ..core.work.record_in import record_in
from .database import now

_FIELDS = ("uuid", "job", "kind", "key", "label", "rev", "made_at", "by_role", "body", "corrects")


def add(conn: sqlite3.Connection, said: dict[str, Any], clock_off_s: float = 0.0) -> bool:
    """Keep a record; sending it again changes nothing. True if it was new. The caller commits.

    said: as work.record_in reads it; what it corrects may come after it. clock_off_s: how far the sender's clock was
    off. Raises Refused: fields that are none of its kind, no such job, the same uuid with other contents.
    """
    record = record_in(said)
    values = {**record, "body": json.dumps(record["body"], sort_keys=True, ensure_ascii=False)}
    old = conn.execute("SELECT * FROM record WHERE uuid = ?", (values["uuid"],)).fetchone()
    if old is not None:
        same = json.loads(old["body"]) == record["body"] and all(
            old[name] == values[name] for name in _FIELDS if name != "body"
        )
        if not same:
            fresh = str(uuids.uuid4())
            raise Refused("uuid", values["uuid"], "a fresh uuid: this one is kept with other contents", fresh)
        return False
    sql = """INSERT INTO record (uuid, job, kind, key, label, rev, made_at, received_at, by_role, body, corrects,
                                 clock_off_s)
             VALUES (:uuid, :job, :kind, :key, :label, :rev, :made_at, :received_at, :by_role, :body, :corrects,
                     :clock_off_s)"""
    try:
        conn.execute(sql, {**values, "received_at": now(), "clock_off_s": round(clock_off_s, 1)})
    except sqlite3.IntegrityError:
        raise Refused("job", record["job"], "a job that is here", "lockhouse") from None
    return True


def add_once(conn: sqlite3.Connection, said: dict[str, Any]) -> bool:
    """Keep a record of a form that may be sent again: the same uuid with the same contents is the same record, whatever
    time it was sent at; with other contents it is another. True if it was new. The caller commits. Raises Refused."""
    old = conn.execute("SELECT job, kind, key, body FROM record WHERE uuid = ?", (str(said.get("uuid")),)).fetchone()
    if old is None:
        return add(conn, said)
    same = all(old[name] == said.get(name) for name in ("job", "kind", "key"))
    if same and json.loads(old["body"]) == json.loads(json.dumps(said.get("body"))):
        return False
    return add(conn, {**said, "uuid": str(uuids.uuid4())})


def of_job(conn: sqlite3.Connection, job: str, kind: str | None = None) -> list[dict[str, Any]]:
    """The records of a job in the order received (the clock is too coarse for those sent together), corrections
    included."""
    sql = "SELECT * FROM record WHERE job = ? AND (? IS NULL OR kind = ?) ORDER BY rowid"
    return [{**dict(row), "body": json.loads(row["body"])} for row in conn.execute(sql, (job, kind, kind))]
