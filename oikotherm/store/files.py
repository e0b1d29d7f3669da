"""Files and folders for this user alone, and one process at a time in a folder."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

PRIVATE_FOLDER, PRIVATE_FILE = 0o700, 0o600
DATABASE = "oikotherm.sqlite"


def private_folder(folder: Path) -> Path:
    """The folder, made as needed, for this user alone: one that was there is closed to others where it is empty or
    holds a database of ours. Raises OSError."""
    if not folder.exists():
        folder.mkdir(parents=True, mode=PRIVATE_FOLDER)
    elif folder.stat().st_mode & 0o077 and ((folder / DATABASE).exists() or not any(folder.iterdir())):
        with contextlib.suppress(OSError):  # another's folder: `open_to_others` says so
            folder.chmod(PRIVATE_FOLDER)
    return folder


def open_to_others(folder: Path) -> bool:
    """Whether others of this machine can read a folder."""
    return os.name == "posix" and bool(folder.stat().st_mode & 0o077)


def private_file(path: Path) -> Path:
    """The file, made empty as needed, for this user alone. Raises OSError."""
    os.close(os.open(path, os.O_CREAT | os.O_RDWR, PRIVATE_FILE))
    path.chmod(PRIVATE_FILE)
    return path


@contextmanager
def alone_in(folder: Path) -> Iterator[None]:
    """One process at a time makes, migrates or restores what is in a folder; others wait. The lock goes with the
    process that holds it."""
    with private_file(private_folder(folder) / "lock").open("r+b") as file:
        try:
            import fcntl
        except ImportError:  # not on this system: SQLite's own locks must do
            yield
            return
        fcntl.flock(file, fcntl.LOCK_EX)
        yield
