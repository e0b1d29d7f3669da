"""Backups: a sealed copy made while the database is in use, and its way back.

A backup is a database with one table more, which holds a seal: SHA-256 of the file with the place of the seal zeroed.
So the checksum travels with the file, and one changed bit anywhere is seen before anything is put back.
"""

from __future__ import annotations

import hashlib
import sqlite3
from contextlib import closing
from pathlib import Path

from ..core.errors import Refused
from .database import (
    WITH_APPLICATION_ID,
    alone_in,
    connect,
    migrate,
    now,
    pending,
    private_file,
    version,
    writing,
)

MARK = b"oikotherm-seal:"
BLANK = b"0" * 64
UNKNOWN_REVISIONS = 1_000  # left free above the backup's own where the lost database could not be read
EXPECTED = "a backup made by this program, whole and not newer than it"


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


def restore(source: Path, path: Path) -> Path | None:
    """Put a backup in place of the database. What was there is kept beside it, as a backup if it can be read, else as
    the broken files; gives where. Raises Refused, with nothing changed, for what is no whole backup of ours."""
    if not source.is_file():
        raise Refused("file", source.name, "a backup made by this program", "backup.sqlite")
    _check(source)
    with alone_in(path.parent):
        kept, revisions = _set_aside(path)
        private_file(path)
        with closing(sqlite3.connect(f"file:{source}?mode=ro", uri=True)) as conn, closing(connect(path)) as target:
            conn.backup(target)
            target.execute("DROP TABLE IF EXISTS seal")
            migrate(target, path)
            with writing(target):
                _keep_numbers_free(target, revisions)
    return kept


def _check(source: Path) -> None:
    """Refuse what is no backup of ours, whole and sealed."""
    try:
        with closing(sqlite3.connect(f"file:{source}?mode=ro", uri=True)) as conn:
            pending(conn)
            ours = conn.execute("SELECT count(*) FROM sqlite_master WHERE name = 'design_revision'").fetchone()[0] == 1
            whole = conn.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
            sealed = seal_holds(source)
            if sealed is None:
                sealed = version(conn) < WITH_APPLICATION_ID
    except (sqlite3.Error, Refused):
        ours = whole = sealed = False
    if not ours or not whole or not sealed:
        said = f"{source.name}, damaged" if ours else source.name
        raise Refused("file", said, EXPECTED, "backup.sqlite")


def _set_aside(path: Path) -> tuple[Path | None, dict[str, int] | None]:
    """Keep what is there: (where, newest revision by job); the revisions are None where they could not be read."""
    if not path.exists() or not path.stat().st_size:
        return None, {}
    stamp = now().replace(":", "")
    try:
        with closing(connect(path)) as old:
            if old.execute("PRAGMA quick_check").fetchone()[0] != "ok":
                raise sqlite3.DatabaseError("damaged")
            kept = backup(old, path.with_name(f"{path.stem}-before-restore-{stamp}.sqlite"))
            rows = old.execute("SELECT job, max(rev) FROM design_revision GROUP BY job").fetchall()
            return kept, {row[0]: int(row[1]) for row in rows}
    except sqlite3.Error:
        kept = path.with_name(f"{path.stem}-broken-{stamp}.sqlite")
        for end in ("", "-wal", "-shm"):
            part = path.with_name(path.name + end)
            if part.exists():
                part.rename(kept.with_name(kept.name + end))
        return kept, None


def _keep_numbers_free(conn: sqlite3.Connection, lost: dict[str, int] | None) -> None:
    """No revision made after the backup gives its number to another one: a page that still shows it is told."""
    for uid, newest in conn.execute("SELECT job, max(rev) FROM design_revision GROUP BY job").fetchall():
        floor = newest + UNKNOWN_REVISIONS if lost is None else lost.get(uid, 0)
        conn.execute("UPDATE job SET floor = max(floor, ?) WHERE uid = ?", (floor, uid))
