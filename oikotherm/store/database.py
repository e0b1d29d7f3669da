"""The connection, and migrations with a backup before. One process at a time makes or changes a database."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path

from ..core.errors import Refused
from .backup import backup
from .differences import digest_of, unpack
from .files import alone_in, private_file

MIGRATIONS = Path(__file__).with_name("migrations")
APPLICATION_ID = 0x4F494B4F  # "OIKO", in the header of every database from version 5 on
WITH_APPLICATION_ID = 5


def now() -> str:
    """The present time as ISO 8601 in UTC, to the millisecond."""
    return datetime.now(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def connect(path: Path | str, *, read_only: bool = False) -> sqlite3.Connection:
    """A connection with the project's settings: foreign keys, WAL, full sync, five seconds of patience.

    read_only: nothing can be written by it. Transactions are begun by hand (`writing`), so autocommit is on.
    """
    where = f"{Path(path).absolute().as_uri()}?mode=ro" if read_only else path
    conn = sqlite3.connect(where, isolation_level=None, timeout=5.0, check_same_thread=False, uri=read_only)
    try:
        conn.row_factory = sqlite3.Row
        conn.create_function("stored_digest", 1, lambda blob: digest_of(unpack(blob)), deterministic=True)
        conn.execute("PRAGMA busy_timeout = 5000")
        conn.execute("PRAGMA foreign_keys = ON")
        if not read_only:
            conn.execute("PRAGMA journal_mode = WAL")
            conn.execute("PRAGMA synchronous = FULL")
    except sqlite3.Error:
        conn.close()
        raise
    return conn


@contextmanager
def writing(conn: sqlite3.Connection) -> Iterator[sqlite3.Connection]:
    """One transaction that takes the write lock at once; commits at the end, rolls back on any error."""
    conn.execute("BEGIN IMMEDIATE")
    try:
        yield conn
        conn.execute("COMMIT")
    except BaseException:
        if conn.in_transaction:  # where the disk is full the transaction may be gone already
            conn.execute("ROLLBACK")
        raise


def version(conn: sqlite3.Connection) -> int:
    return int(conn.execute("PRAGMA user_version").fetchone()[0])


def pending(conn: sqlite3.Connection, folder: Path = MIGRATIONS) -> list[Path]:
    """Migrations newer than the database, in order. Raises Refused if the database is newer than the program, or none
    of ours."""
    paths = sorted(folder.glob("[0-9][0-9][0-9]_*.sql"))
    have = version(conn)
    newest = int(paths[-1].name[:3]) if paths else 0
    if have > newest:
        raise Refused("database", f"version {have}", f"version {newest} or older; this program is too old for it", "")
    mark = int(conn.execute("PRAGMA application_id").fetchone()[0])
    if mark != (APPLICATION_ID if have >= WITH_APPLICATION_ID else 0):
        raise Refused("database", f"application id {mark}", "a database made by this program", "data/oikotherm.sqlite")
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
    """Open the database, made and migrated as needed. Raises OSError, sqlite3.Error, Refused."""
    with alone_in(path.parent):
        private_file(path)
        conn = connect(path)
        try:
            migrate(conn, path)
        except BaseException:
            conn.close()
            raise
    return conn
