"""The connection, migrations with a backup before, online backup and restore."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from datetime import UTC, datetime
from pathlib import Path

from ..core.errors import Refused

MIGRATIONS = Path(__file__).with_name("migrations")


def now() -> str:
    """The present time as ISO 8601 in UTC, to the millisecond."""
    return datetime.now(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def connect(path: Path | str) -> sqlite3.Connection:
    """A connection with the project's settings: foreign keys, WAL, full sync, five seconds of patience.

    Transactions are begun by hand (`writing`), so autocommit is on.
    """
    conn = sqlite3.connect(path, isolation_level=None, timeout=5.0, check_same_thread=False)
    conn.row_factory = sqlite3.Row
    conn.execute("PRAGMA foreign_keys = ON")
    conn.execute("PRAGMA journal_mode = WAL")
    conn.execute("PRAGMA synchronous = FULL")
    conn.execute("PRAGMA busy_timeout = 5000")
    return conn


@contextmanager
def writing(conn: sqlite3.Connection) -> Iterator[sqlite3.Connection]:
    """One transaction that takes the write lock at once; commits at the end, rolls back on any error."""
    conn.execute("BEGIN IMMEDIATE")
    try:
        yield conn
    except BaseException:
        conn.execute("ROLLBACK")
        raise
    conn.execute("COMMIT")


def version(conn: sqlite3.Connection) -> int:
    return int(conn.execute("PRAGMA user_version").fetchone()[0])


def pending(conn: sqlite3.Connection, folder: Path = MIGRATIONS) -> list[Path]:
    """Migrations newer than the database, in order. Raises Refused if the database is newer than the program."""
    paths = sorted(folder.glob("[0-9][0-9][0-9]_*.sql"))
    have = version(conn)
    newest = int(paths[-1].name[:3]) if paths else 0
    if have > newest:
        raise Refused("database", f"version {have}", f"version {newest} or older; this program is too old for it", "")
    return [path for path in paths if int(path.name[:3]) > have]


def migrate(conn: sqlite3.Connection, path: Path, folder: Path = MIGRATIONS) -> list[str]:
    """Apply what is pending, each script whole or not at all. A database that holds something is backed up first.

    Gives the names applied. Safe on every start.
    """
    todo = pending(conn, folder)
    if todo and version(conn) > 0:
        backup(conn, path.with_name(f"{path.stem}-before-{todo[0].name[:3]}-{now().replace(':', '')}.sqlite"))
    for script in todo:
        try:
            conn.executescript(
                f"BEGIN IMMEDIATE;\n{script.read_text('utf-8')}\nPRAGMA user_version = {int(script.name[:3])};\nCOMMIT;"
            )
        except sqlite3.Error:
            if conn.in_transaction:
                conn.execute("ROLLBACK")
            raise
    return [script.name for script in todo]


def open_database(path: Path) -> sqlite3.Connection:
    """Open the database, made and migrated as needed."""
    path.parent.mkdir(parents=True, exist_ok=True)
    conn = connect(path)
    migrate(conn, path)
    return conn


def backup(conn: sqlite3.Connection, to: Path) -> Path:
    """Copy the database to a new file while it is in use. Raises Refused if the file exists."""
    if to.exists():
        raise Refused("file", to.name, "a file that does not exist yet", "backup.sqlite")
    with closing(sqlite3.connect(to)) as target:
        conn.backup(target)
    return to


def restore(source: Path, path: Path) -> None:
    """Put a backup in place of the database; what was there is kept beside it. Raises Refused if it is no database of
    ours."""
    if not source.is_file():
        raise Refused("file", source.name, "a backup made by this program", "backup.sqlite")
    try:
        with closing(sqlite3.connect(f"file:{source}?mode=ro", uri=True)) as conn:
            good = conn.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
            good = (
                good
                and conn.execute("SELECT count(*) FROM sqlite_master WHERE name = 'design_revision'").fetchone()[0] == 1
            )
            good = good and not pending_refused(conn)
    except sqlite3.Error:
        good = False
    if not good:
        raise Refused(
            "file", source.name, "a backup made by this program, whole and not newer than it", "backup.sqlite"
        )
    if path.exists():
        with closing(connect(path)) as old:
            backup(old, path.with_name(f"{path.stem}-before-restore-{now().replace(':', '')}.sqlite"))
    path.parent.mkdir(parents=True, exist_ok=True)
    with closing(sqlite3.connect(f"file:{source}?mode=ro", uri=True)) as conn, closing(connect(path)) as target:
        conn.backup(target)
        migrate(target, path)


def pending_refused(conn: sqlite3.Connection) -> bool:
    try:
        pending(conn)
    except Refused:
        return True
    return False
