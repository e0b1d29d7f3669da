"""Backups that make themselves: one a day of use beside the database, the last seven kept."""

from __future__ import annotations

import threading
from contextlib import closing
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from .backup import backup
from .database import connect
from .files import private_folder

FOLDER, KEPT, DUE_H = "backups", 7, 20.0
STAMP = "%Y%m%dT%H%M%S"
_making = threading.Lock()


@dataclass(frozen=True, slots=True)
class Kept:
    """A backup that is there: when it was made, and how large it is."""

    path: Path
    made_at: datetime
    size: int

    def age_h(self, now: datetime) -> float:
        """Hours since it was made."""
        return (now - self.made_at).total_seconds() / 3600


def kept(database: Path) -> list[Kept]:
    """The backups of a database, the newest first."""
    found = []
    for path in (database.parent / FOLDER).glob("oikotherm-*.sqlite"):
        try:
            made = datetime.strptime(path.stem.removeprefix("oikotherm-"), STAMP).replace(tzinfo=UTC)
            found.append(Kept(path, made, path.stat().st_size))
        except (ValueError, OSError):
            continue  # a file of somebody else's, or one that went meanwhile
    return sorted(found, key=lambda one: one.made_at, reverse=True)


def is_due(database: Path, now: datetime) -> bool:
    """Whether the last backup is older than a day of use."""
    have = kept(database)
    return not have or have[0].age_h(now) >= DUE_H


def make(database: Path, now: datetime) -> Path:
    """Make a backup while the database is in use, and let the oldest beyond seven go. Raises Refused, OSError,
    sqlite3.Error."""
    with _making, closing(connect(database)) as conn:
        to = private_folder(database.parent / FOLDER) / f"oikotherm-{now.astimezone(UTC).strftime(STAMP)}.sqlite"
        if not to.exists():
            backup(conn, to)
        for old in kept(database)[KEPT:]:
            old.path.unlink(missing_ok=True)
    return to
