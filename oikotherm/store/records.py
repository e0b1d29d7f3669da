"""Records: evidence of what was done, append-only, each with a uuid made by the client."""

from __future__ import annotations

import json
import sqlite3
import uuid as uuids
from typing import Any

from ..core.errors import Refused
from .database import now

_FIELDS = ("uuid", "job", "kind", "key", "label", "rev", "made_at", "by_role", "body", "corrects")


def add(conn: sqlite3.Connection, record: dict[str, Any]) -> bool:
    """Keep a record; sending it again changes nothing. True if it was new. The caller commits.

    record: uuid, job, kind, key, label, rev, made_at (ISO 8601), by_role, body (a JSON object), corrects (uuid or
    None). Raises Refused: not a uuid, a field missing, the same uuid with other contents.
    """
    missing = [name for name in _FIELDS if name not in record and name != "corrects"]
    if missing:
        raise Refused(missing[0], "nothing", "this field", "")
    try:
        ident = str(uuids.UUID(str(record["uuid"])))
    except ValueError:
        raise Refused("uuid", record["uuid"], "a uuid made by the client", str(uuids.UUID(int=1))) from None
    values = {
        **{name: record.get(name) for name in _FIELDS},
        "uuid": ident,
        "body": json.dumps(record["body"], sort_keys=True),
    }
    old = conn.execute("SELECT * FROM record WHERE uuid = ?", (ident,)).fetchone()
    if old is not None:
        if any(old[name] != values[name] for name in _FIELDS):
            raise Refused("uuid", ident, "a fresh uuid: this one is kept with other contents", str(uuids.uuid4()))
        return False
    sql = """INSERT INTO record (uuid, job, kind, key, label, rev, made_at, received_at, by_role, body, corrects)
             VALUES (:uuid, :job, :kind, :key, :label, :rev, :made_at, :received_at, :by_role, :body, :corrects)"""
    try:
        conn.execute(sql, {**values, "received_at": now()})
    except (sqlite3.IntegrityError, sqlite3.InterfaceError, sqlite3.ProgrammingError, OverflowError) as error:
        raise Refused("record", error, "fields of the right kind, of a job that is here", '"rev": 1') from None
    return True


def of_job(conn: sqlite3.Connection, job: str, kind: str | None = None) -> list[dict[str, Any]]:
    """The records of a job in the order received (the clock is too coarse for those sent together), corrections
    included."""
    sql = "SELECT * FROM record WHERE job = ? AND (? IS NULL OR kind = ?) ORDER BY rowid"
    return [{**dict(row), "body": json.loads(row["body"])} for row in conn.execute(sql, (job, kind, kind))]
