"""Edits, undo and redo, files and find: what all stages of a job share."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, jsonify, redirect, render_template, request, url_for

from ..core.catalogue import standard
from ..core.errors import Refused
from ..core.job.commands import apply_all, summary
from ..core.job.document import write
from ..drawing import svg
from ..drawing.isometric import Look, draw
from ..exchange.cutlist import cut_csv
from ..store import jobs as jobs_store
from ..store.database import writing
from . import db
from .frame import Frame

bp = Blueprint("job", __name__, url_prefix="/jobs/<uid>")
PAGES = ("survey", "pace", "sizes", "joints", "make", "order", "prove", "handover")

STAGE_PAGES = {page: {"order": "order.order", "prove": "prove.prove"}.get(page, f"{page}.index") for page in PAGES}


def _body() -> dict[str, Any]:
    found = request.get_json(silent=True)
    if not isinstance(found, dict):
        raise Refused(
            "edit",
            request.get_data(as_text=True)[:60],
            "a JSON object with rev and commands",
            '{"rev": 4, "commands": []}',
        )
    return found


def _rev(said: Any) -> int:
    if isinstance(said, str) and said.isascii() and said.isdigit() and len(said) < 10:
        return int(said)
    if isinstance(said, bool) or not isinstance(said, int):
        raise Refused("rev", said, "the number of the revision this was made on", "4")
    return said


def _page(said: Any) -> str:
    return said if said in PAGES else "pace"


def edit_job(uid: str, rev: int, commands: list[Any]) -> int:
    """Apply commands to revision `rev` and store the result. Raises Refused, Stale, NoJob; nothing is stored then."""
    conn = db.get()
    with writing(conn):
        present = jobs_store.head(conn, uid)
        if present.rev != rev:
            raise jobs_store.Stale(present.rev)
        after = apply_all(present.job, commands, standard())
        if after == present.job:
            return rev
        return jobs_store.commit(conn, after, rev, summary(commands), commands)


def stale_answer(uid: str, page: str) -> Any:
    """409 with the newer state: nothing was overwritten."""
    frame = Frame(uid, page)
    words = f"Somebody changed this job meanwhile (now revision {frame.rev}: {frame.at.summary}). Yours was not stored; this is the newer state."
    return jsonify(frame.answer(words)), 409


@bp.post("/edit")
def edit(uid: str) -> Any:
    """Apply commands made on a revision; 409 with the newer state if that is no longer the head."""
    body = _body()
    commands, page = body.get("commands"), _page(body.get("page"))
    if not isinstance(commands, list) or not 0 < len(commands) <= 200:
        raise Refused("commands", commands, "a list of 1 to 200 commands", '[{"do": "put_run", "text": "..."}]')
    try:
        edit_job(uid, _rev(body.get("rev")), commands)
    except jobs_store.Stale:
        return stale_answer(uid, page)
    return jsonify(Frame(uid, page).answer())


def _step(uid: str, way: str) -> Any:
    body = _body() if request.is_json else dict(request.form)
    page, rev, conn = _page(body.get("page")), _rev(body.get("rev")), db.get()
    try:
        with writing(conn):
            target = (jobs_store.undo_target if way == "undo" else jobs_store.redo_target)(conn, uid)
            if target is not None:
                jobs_store.move_head(conn, uid, rev, target)
    except jobs_store.Stale:
        if not request.is_json:
            return redirect(url_for(STAGE_PAGES[page], uid=uid), 303)
        return stale_answer(uid, page)
    if not request.is_json:
        return redirect(url_for(STAGE_PAGES[page], uid=uid), 303)
    words = "" if target is not None else f"Nothing to {way}."
    return jsonify(Frame(uid, page).answer(words))


@bp.post("/undo")
def undo(uid: str) -> Any:
    """Move the head to its parent."""
    return _step(uid, "undo")


@bp.post("/redo")
def redo(uid: str) -> Any:
    """Move the head to its newest child."""
    return _step(uid, "redo")


@bp.get("/state")
def state(uid: str) -> Any:
    """The present revision with the page's fragments, for a page that has been away."""
    return jsonify(Frame(uid, _page(request.args.get("page"))).answer())


@bp.get("/history")
def history(uid: str) -> Any:
    """The line of revisions that led here."""
    frame = Frame(uid, "pace")
    return render_template("history.html", frame=frame, rows=jobs_store.history(db.get(), uid))


@bp.get("/find")
def find(uid: str) -> Any:
    """Stations, runs and pieces of this job, then other jobs, that match what was typed."""
    frame = Frame(uid, "pace")
    text = request.args.get("q", "").strip()[:80]
    low = text.lower()
    hits: list[dict[str, str]] = []
    if low:
        survey, make = url_for("survey.index", uid=uid), url_for("make.index", uid=uid)
        hits += [
            {"what": f"{station.id} {station.name or station.kind}", "url": f"{survey}#{station.id}"}
            for station in frame.job.stations
            if low in f"{station.id} {station.name} {station.kind}".lower()
        ]
        hits += [
            {"what": frame.design.texts[run.id], "url": url_for("pace.index", uid=uid, run=run.id)}
            for run in frame.job.runs
            if low in run.id.lower()
        ]
        hits += [
            {"what": f"piece {label}", "url": f"{make}#{label}"}
            for label in frame.design.piece_labels.values()
            if low in label.lower()
        ]
    return render_template("find.html", frame=frame, text=text, hits=hits[:40], jobs=jobs_store.find(db.get(), text))


def _attach(data: str, mimetype: str, name: str) -> Response:
    response = Response(data, mimetype=mimetype)
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


@bp.get("/export.oikotherm.json")
def export(uid: str) -> Response:
    """The job document."""
    return _attach(write(jobs_store.head(db.get(), uid).job), "application/json", f"{uid}.oikotherm.json")


@bp.get("/cuts.csv")
def cuts(uid: str) -> Response:
    """The cut list as CSV: the same as `oikotherm takeoff --csv`."""
    return _attach(cut_csv(Frame(uid, "make").design), "text/csv", f"{uid}-cuts.csv")


@bp.get("/drawing.svg")
def drawing_file(uid: str) -> Response:
    """The isometric as a file of its own."""
    frame = Frame(uid, "pace")
    look = Look(projection=frame.look().projection, width=1120, height=760)
    return _attach(svg.write(draw(frame.design, look), standalone=True), "image/svg+xml", f"{uid}.svg")


@bp.get("/drawing")
def drawing(uid: str) -> Any:
    """The drawing alone, in the projection and size asked for."""
    frame = Frame(uid, "pace")
    return jsonify(rev=frame.rev, fragments={"drawing": frame.drawing()})
