"""Hand over: the printable sheet with drawing and cut list."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for

from ..drawing import svg
from ..drawing.isometric import Look, draw
from ..store import jobs as jobs_store
from ..store.database import now, writing
from . import db
from .frame import Frame
from .job import _rev

bp = Blueprint("handover", __name__, url_prefix="/jobs/<uid>/handover")


@bp.get("")
def index(uid: str) -> str:
    """What goes with the job: the sheet, the files, and what is still open."""
    return render_template("handover.html", frame=Frame(uid, "handover"), sheet=None)


@bp.post("/print")
def freeze(uid: str) -> Any:
    """Keep the labels of pieces and joints as they stand, then show the sheet of this revision."""
    frame = Frame(uid, "handover")
    if _rev(request.form.get("rev", "")) != frame.rev:
        return redirect(url_for(".index", uid=uid), 303)
    conn = db.get()
    with writing(conn):
        jobs_store.freeze_labels(conn, uid, frame.rev, (frame.design.piece_labels, frame.design.joint_labels))
        conn.execute("INSERT OR REPLACE INTO setting (name, value) VALUES (?, ?)", (f"printed:{uid}", str(frame.rev)))
    return redirect(url_for(".sheet", uid=uid), 303)


@bp.get("/sheet")
def sheet(uid: str) -> str:
    """The sheet alone, for the printer."""
    frame = Frame(uid, "handover")
    tall = frame.job.practice == "north-american"
    look = Look(projection=frame.look().projection, width=1040, height=640 if tall else 620)
    return render_template(
        "sheet.html",
        frame=frame,
        drawing=svg.write(draw(frame.design, look)),
        today=now(),
        paper="letter" if tall else "a4",
    )
