"""Edits, undo and redo, files and find: what all stages of a job share."""

from __future__ import annotations

from collections import Counter
from typing import Any

from flask import Blueprint, Response, get_template_attribute, jsonify, redirect, render_template, request, url_for

from ..core.admission import admit
from ..core.errors import Refused
from ..core.job.commands import apply_all, summary
from ..core.job.document import write
from ..core.rules import Finding
from ..drawing import svg
from ..drawing.isometric import draw
from ..drawing.look import levels_of, usual_levels
from ..exchange.cutlist import cut_csv
from ..exchange.in_force import with_rows_in_force
from ..store import jobs as jobs_store
from ..store.database import writing
from . import db, incoming
from .blocks import in_blocks
from .broken import BrokenJob
from .broken import page as broken_page
from .frame import Frame, page_data

MOST_WATCHED = 24
bp = Blueprint("job", __name__, url_prefix="/jobs/<uid>")
PAGES = ("survey", "pace", "sizes", "joints", "make", "order", "prove", "handover")

STAGE_PAGES = {"watch": "job.watch", "small": "small.index"} | {
    page: {"order": "order.order", "prove": "prove.prove"}.get(page, f"{page}.index") for page in PAGES
}


@bp.app_context_processor
def _watched() -> dict[str, Any]:
    return {"MOST_WATCHED": MOST_WATCHED, "rest_of": rest_of}


def rest_of(findings: tuple[Finding, ...]) -> str:
    """The findings that are not shown, counted: "96 stop, 24 mind"."""
    counts = Counter("let stand" if finding.waived else finding.severity for finding in findings)
    return ", ".join(f"{count} {word}" for word, count in counts.items())


def _whole(said: Any) -> frozenset[str]:
    """The runs whose chips the page shows; anything else is none."""
    return frozenset(one for one in said if isinstance(one, str)) if isinstance(said, list) else frozenset()


def _part(said: Any) -> str:
    """The block of a long list that the page shows."""
    return said if isinstance(said, str) and said.isascii() and said.isdigit() and len(said) < 7 else ""


def _page(said: Any) -> str:
    return said if isinstance(said, str) and said in STAGE_PAGES else "pace"


def edit_job(uid: str, rev: int, commands: list[Any]) -> int:
    """Apply commands to revision `rev`, work the result out, and store it. Raises Refused, Stale, NoJob; nothing is
    stored then.

    Other jobs can be written meanwhile: the database is locked only to store.
    """
    conn = db.get()
    present = db.head_of(uid)
    with db.editing(uid):
        present = db.head_of(uid)
        if present.rev != rev:
            raise jobs_store.Stale(present.rev)
        after = apply_all(present.job, commands, db.catalogue(), db.memory())
        if after == present.job:
            return rev
        design = admit(after, db.context(uid), present.job)
        with writing(conn):
            stored = jobs_store.commit(conn, after, rev, summary(commands), commands)
        db.keep_edit(after, stored, design)
    return stored


def stale_answer(uid: str, page: str, shown: int | None = None) -> Any:
    """409 with the newer state: nothing was overwritten. shown: the revision the page shows."""
    frame = Frame(uid, page)
    words = (
        f"Somebody changed this job meanwhile (now revision {frame.rev}: {frame.at.summary}). Yours was not "
        "stored; this is the newer state."
    )
    return jsonify(frame.answer(words, shown)), 409


@bp.post("/edit")
def edit(uid: str) -> Any:
    """Apply commands made on a revision; 409 with the newer state if that is no longer the head."""
    body = incoming.body()
    commands, page = body.get("commands"), _page(body.get("page"))
    if not isinstance(commands, list) or not 0 < len(commands) <= 200:
        raise Refused("commands", commands, "a list of 1 to 200 commands", '[{"do": "put_run", "text": "..."}]')
    rev = incoming.rev_of(body.get("rev"))
    try:
        edit_job(uid, rev, commands)
    except jobs_store.Stale:
        return stale_answer(uid, page, rev)
    return jsonify(Frame(uid, page, _whole(body.get("whole")), _part(body.get("part"))).answer(shown=rev))


def _step(uid: str, way: str) -> Any:
    body = incoming.body() if request.is_json else dict(request.form)
    page, rev, conn = _page(body.get("page")), incoming.rev_of(body.get("rev")), db.get()
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
    return jsonify(Frame(uid, page, _whole(body.get("whole")), _part(body.get("part"))).answer(words, shown=rev))


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


@page_data("watch")
def _watch(frame: Frame) -> dict[str, Any]:
    """The findings, by rule where there are many."""
    return {"found": in_blocks(frame.findings(), lambda one: one.rule, frame.part)}


@bp.get("/watch")
def watch(uid: str) -> Any:
    """Every finding, where there are more than the watch list shows."""
    return Frame(uid, "watch").render("watch.html")


@bp.get("/tried")
def tried(uid: str) -> Any:
    """The ways out of a finding, tried: those that bring a stop are gone. Not found: status 404."""
    frame = Frame(uid, "watch")
    into = request.args.get("into", "")
    wanted = (request.args.get("rule", ""), tuple(request.args.get("where", "").split(" ")))
    finding = next((one for one in frame.findings() if (one.rule, one.where) == wanted), None)
    if finding is None or not into.replace("-", "").isalnum():
        return jsonify(rev=frame.rev), 404
    html = get_template_attribute("_ways.html", "ways")(frame.design.tried(finding), into)
    return jsonify(rev=frame.rev, fragments={f"ways-{into}": html})


@bp.get("/history")
def history(uid: str) -> Any:
    """The line of revisions that led here; also of a job that cannot be shown."""
    try:
        return render_template("history.html", frame=Frame(uid, "pace"), rows=jobs_store.history(db.get(), uid))
    except jobs_store.NoJob:
        raise
    except Exception as error:  # noqa: BLE001 - whatever it is, the way back stays open
        reason = error.reason if isinstance(error, BrokenJob) else f"{type(error).__name__}: {error}"
        return broken_page(uid, str(reason), 200)


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
            {
                "what": f"{station.id} {station.name or station.kind}",
                "url": f"{survey}?station={station.id}#{station.id}",
            }
            for station in frame.job.stations
            if low in f"{station.id} {station.name} {station.kind}".lower()
        ]
        hits += [
            {"what": frame.design.texts[run.id], "url": url_for("pace.index", uid=uid, run=run.id)}
            for run in frame.job.runs
            if low in run.id.lower()
        ]
        hits += [
            {"what": f"piece {label}", "url": f"{make}?of={frame.design.fitted.pieces[key].run}#{label}"}
            for key, label in frame.design.piece_labels.items()
            if low in label.lower()
        ]
    return render_template("find.html", frame=frame, text=text, hits=hits[:40], jobs=jobs_store.find(db.get(), text))


def _attach(data: str, mimetype: str, name: str) -> Response:
    response = Response(data, mimetype=mimetype)
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


@bp.get("/export.oikotherm.json")
def export(uid: str) -> Response:
    """The job document, with the rows of the fitting book it is worked out with: it says the same elsewhere."""
    try:
        text = write(with_rows_in_force(db.get(), db.head_of(uid).job))
    except Refused:  # it cannot be read: as it is stored, then
        text = jobs_store.stored_text(db.get(), uid, jobs_store.head_rev(db.get(), uid))
    return _attach(text, "application/json", f"{uid}.oikotherm.json")


@bp.get("/cuts.csv")
def cuts(uid: str) -> Response:
    """The cut list as CSV: the same as `oikotherm takeoff --csv`."""
    return _attach(cut_csv(Frame(uid, "make").design), "text/csv", f"{uid}-cuts.csv")


@bp.get("/network.json")
def network(uid: str) -> Response:
    """The network file: the same as `oikotherm export JOB --network`."""
    from ..exchange.network import network_json

    return _attach(network_json(Frame(uid, "sizes").design), "application/json", f"{uid}-network.json")


@bp.get("/drawing.svg")
def drawing_file(uid: str) -> Response:
    """The isometric as a file of its own."""
    frame = Frame(uid, "pace")
    look = frame.look(findings=False, width=1120.0, height=760.0, head=34.0)
    return _attach(svg.write(draw(frame.design, look), standalone=True), "image/svg+xml", f"{uid}.svg")


@bp.get("/drawing.dxf")
def drawing_dxf(uid: str) -> Response:
    """The drawing as it is shown, in millimetres of the house, a layer for each role."""
    from ..drawing import dxf

    frame = Frame(uid, "pace")
    return _attach(
        dxf.write(draw(frame.design, frame.look(findings=False, width=1120.0, height=760.0, head=34.0))),
        "application/dxf",
        f"{uid}.dxf",
    )


@bp.get("/drawing.pdf")
def drawing_sheet(uid: str) -> Any:
    """The drawing as it is shown, on paper to scale; a page that says why where it does not fit."""
    from ..exchange.plansheet import scale_pdf

    frame = Frame(uid, "pace")
    text = request.args.get("scale", "50")
    scale = int(text) if text.isascii() and text.isdigit() and len(text) < 5 else 0
    look = frame.look()
    try:
        data = scale_pdf(frame.design, look.projection, scale, request.args.get("paper", "a3"), look)
    except Refused as error:
        return render_template("error.html", title="It does not fit", words=str(error)), 422
    response = Response(data, mimetype="application/pdf")
    response.headers["Content-Disposition"] = f'attachment; filename="{uid}-1-{scale}.pdf"'
    return response


@bp.get("/where")
def where(uid: str) -> Any:
    """The drawing beside a list, without measures and findings: all of the job, or of a large one the level on which
    `on` lies, a key or a name."""
    frame = Frame(uid, "pace")
    on = request.args.get("on", "")
    levels = levels_of(frame.design, on) or usual_levels(frame.design)
    html = frame.drawing(
        ident="where-drawing",
        findings=False,
        measures=False,
        dimensions=False,
        levels=levels,
        services=frozenset(),
        head=34.0,
    )
    return jsonify(rev=frame.rev, html=html, level=next(iter(levels), ""))


@bp.get("/drawing")
def drawing(uid: str) -> Any:
    """The drawing in the projection and size asked for; with the runs beside it where these are only those it shows."""
    frame = Frame(uid, "pace")
    parts = {"drawing": frame.drawing()}
    if len(frame.runs_listed) < len(frame.job.runs):
        parts["runs"] = frame.render("_runs.html")
    return jsonify(rev=frame.rev, fragments=parts)
