"""A job that cannot be shown, alone: why, the way back, its history and its document. Nothing else stands still."""

from __future__ import annotations

from typing import Any

from flask import jsonify, render_template

from ..core.errors import Refused
from ..store import jobs as jobs_store
from . import db
from .incoming import wants_json


class BrokenJob(Exception):
    """The head of a job cannot be read or worked out."""

    def __init__(self, uid: str, reason: Refused | str) -> None:
        super().__init__(f"{uid}: {reason}")
        self.uid = uid
        self.reason = reason


def page(uid: str, reason: str, status: int) -> Any:
    """The page in place of any page of the job. Raises NoJob."""
    if wants_json():
        expected = f"a job that can be worked out; go back one step at /jobs/{uid}/history"
        return jsonify(error={"field": "job", "said": reason, "expected": expected, "example": ""}), status
    conn = db.get()
    row = conn.execute("SELECT title FROM job_text WHERE uid = ?", (uid,)).fetchone()
    return render_template(
        "broken_job.html",
        uid=uid,
        title=row["title"] if row else uid,
        reason=reason,
        rev=jobs_store.head_rev(conn, uid),
        rows=jobs_store.history(conn, uid),
        can_undo=jobs_store.undo_target(conn, uid) is not None,
    ), status
