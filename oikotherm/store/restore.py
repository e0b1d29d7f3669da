"""A backup put back in place of the database: checked first, and what was there is kept."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path

from ..core.errors import Refused
from .backup import backup, seal_holds
from .database import WITH_APPLICATION_ID, connect, migrate, now, pending, version, writing
from .files import alone_in, private_file

UNKNOWN_REVISIONS = 1_000  # left free above the backup's own where the lost database could not be read
TABLES = {"job", "design_revision", "record", "label"}
EXPECTED = "a backup made by this program, whole and not newer than it"


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
    sealed = seal_holds(source)
    good = sealed is not False
    if good:
        try:
            with closing(sqlite3.connect(f"file:{source}?mode=ro", uri=True)) as conn:
                pending(conn)
                tables = {row[0] for row in conn.execute("SELECT name FROM sqlite_master")}
                old = 0 < version(conn) < WITH_APPLICATION_ID
                good = tables >= TABLES and (bool(sealed) or old)
                good = good and conn.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
        except (sqlite3.Error, ValueError, Refused):
            good = False
    if not good:
        raise Refused("file", f"{source.name}, damaged" if sealed is False else source.name, EXPECTED, "backup.sqlite")


def _set_aside(path: Path) -> tuple[Path | None, dict[str, int] | None]:
    """Keep what is there: (where, newest revision by job); the revisions are None where they could not be read."""
    if not path.exists() or not path.stat().st_size:
        return None, {}
    stamp = now().replace(":", "")
    try:
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as old:
            if old.execute("PRAGMA quick_check").fetchone()[0] != "ok":
                raise sqlite3.DatabaseError("damaged")
        with closing(connect(path)) as old:
            kept = backup(old, path.with_name(f"{path.stem}-before-restore-{stamp}.sqlite"))
            rows = old.execute("SELECT job, max(rev) FROM design_revision GROUP BY job").fetchall()
            return kept, {row[0]: int(row[1]) for row in rows}
    except (sqlite3.Error, ValueError):
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
