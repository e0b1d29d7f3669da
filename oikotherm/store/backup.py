"""Backups: a sealed copy, made while the database is in use.

A backup is a database with one table more, which holds a seal: SHA-256 of the file with the place of the seal zeroed.
So the checksum travels with the file, and one changed bit anywhere is seen before anything is put back.
"""

from __future__ import annotations

import hashlib
import sqlite3
from contextlib import closing
from pathlib import Path

from ..core.errors import Refused
from .files import private_file

MARK = b"oikotherm-seal:"
BLANK = b"0" * 64


def backup(conn: sqlite3.Connection, to: Path) -> Path:
    """Copy the database to a new file while it is in use, and seal it. Raises Refused if the file exists, OSError,
    sqlite3.Error."""
    if to.exists():
        raise Refused("file", to.name, "a file that does not exist yet", "backup.sqlite")
    private_file(to)
    try:
        with closing(sqlite3.connect(to, isolation_level=None)) as target:
            conn.backup(target)
            target.execute("PRAGMA journal_mode = DELETE")
            target.execute("DROP TABLE IF EXISTS seal")
            target.execute("CREATE TABLE seal (digest TEXT NOT NULL) STRICT")
            target.execute("INSERT INTO seal (digest) VALUES (?)", ((MARK + BLANK).decode(),))
        data = to.read_bytes()
        place = data.rindex(MARK + BLANK) + len(MARK)
        with to.open("r+b") as file:
            file.seek(place)
            file.write(hashlib.sha256(data).hexdigest().encode())
    except BaseException:
        to.unlink(missing_ok=True)
        raise
    return to


def seal_holds(path: Path) -> bool | None:
    """Whether a backup is as it was sealed; None where it has no seal, as those of older versions have none."""
    data = path.read_bytes()
    places, at = [], data.find(MARK)
    while at >= 0:
        places.append(at + len(MARK))
        at = data.find(MARK, at + 1)
    if not places:
        return None
    return any(
        hashlib.sha256(data[:place] + BLANK + data[place + len(BLANK) :]).hexdigest().encode()
        == data[place : place + len(BLANK)]
        for place in places[-8:]
    )
