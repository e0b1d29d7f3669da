"""Backups: one by itself a day of use, their age on the page, one to take away."""

from __future__ import annotations

import sqlite3
import threading
import time
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from flask import Blueprint, current_app, send_file

from ..core.errors import Refused
from ..store import backups as store

LOOK_S = 600.0  # how often the folder is looked at
bp = Blueprint("backed_up", __name__, url_prefix="/backup")


def once_a_day() -> None:
    """At the first request a while after the last backup another is made, beside the answer."""
    app, last = current_app, current_app.extensions.setdefault("backup looked", [0.0])
    if app.config.get("TESTING") and not app.config.get("BACKUPS") or time.monotonic() - last[0] < LOOK_S and last[0]:
        return
    last[0] = time.monotonic()
    database = Path(app.config["DATABASE"])
    if store.is_due(database, datetime.now(UTC)):
        threading.Thread(target=_make, args=(database, app.logger), daemon=True).start()


def _make(database: Path, logger: Any) -> None:
    try:
        store.make(database, datetime.now(UTC))
    except (OSError, sqlite3.Error, Refused) as error:  # the disk is full: the page shows that the last one is old
        logger.error("no backup was made: %s", error)


def kept_here() -> list[dict[str, Any]]:
    """The backups with their age in hours, the newest first."""
    now = datetime.now(UTC)
    found = store.kept(Path(current_app.config["DATABASE"]))
    return [{"made_at": one.made_at.isoformat(), "hours": one.age_h(now), "size": one.size} for one in found]


@bp.post("")
def take() -> Any:
    """A backup made now, to take away."""
    made = store.make(Path(current_app.config["DATABASE"]), datetime.now(UTC))
    return send_file(made, mimetype="application/vnd.sqlite3", as_attachment=True, download_name=made.name)
