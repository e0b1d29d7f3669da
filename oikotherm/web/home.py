"""Home: the list of jobs, a new one, import."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, current_app, jsonify, redirect, render_template, request, url_for
from markupsafe import Markup

from ..core.admission import admit
from ..core.context import Context
from ..core.errors import Refused
from ..core.job.commands import apply_all
from ..core.job.document import blank, new_uid, read
from ..core.services.heating.templates import TEMPLATES, commands_of
from ..core.services.rooms import small_jobs
from ..core.work.records import ticked
from ..demo import documents
from ..drawing.look import Look, usual_levels
from ..store import jobs as jobs_store
from ..store.database import writing
from ..workers import Folder, Made
from . import db
from .frame import Frame
from .job import STAGE_PAGES
from .practice import firm_choices
from .records import records_here
from .worked import by_worker, made_json, saying, worked

bp = Blueprint("home", __name__)
MOST_AT_ONCE = 300_000  # bytes that are admitted while the sender waits; a bundle packs them to a tenth
NEXT = {
    "survey": "Put the stations where the tape says they are",
    "pace": "Pace out the runs between them",
    "sizes": "Look at the sizes that are short",
    "joints": "Mark the joints as they are made",
    "make": "Cut the pieces",
    "order": "Do the steps in their order",
    "prove": "Prove the pipework by its tests",
    "handover": "Make the pack",
}
"""What a stage that is not done asks for."""


@bp.get("/")
def index() -> str:
    """All jobs, the last touched first."""
    return _page()


def _page(**more: Any) -> str:
    return render_template(
        "home.html",
        jobs=(listed := jobs_store.listing(db.get())),
        demos={job.uid for job in documents()} <= {row["uid"] for row in listed},
        templates=TEMPLATES.values(),
        small_jobs=small_jobs().values(),
        **{"typed": {}, "error": None, **more},
    )


@bp.post("/demo")
def look_round() -> Any:
    """Load the demo jobs that are not there yet, with the firm they are made by, and open the first."""
    from ..demo.firm import load_demo

    first = load_demo(db.get(), db.memory())
    return redirect(url_for("pace.index", uid=first), 303)


@bp.get("/jobs/<uid>/now")
def job_now(uid: str) -> Any:
    """How a job stands, for its card: drawing, stages, what is next, what stops."""
    frame = Frame(uid, "pace")
    stages = frame.stages()
    stops = [one for one in frame.design.open_findings if one.severity == "stop"]
    stop = stops[0] if stops else None
    html = render_template(
        "_job_card.html",
        frame=frame,
        stages=stages,
        drawing=Markup(_small_drawing(frame)),  # noqa: S704 - our own drawing
        stop=stop,
        stops=len(stops),
        stop_url=url_for(STAGE_PAGES[stop.stage], uid=uid) if stop and stop.stage in STAGE_PAGES else "",
        next=_next(frame, stages),
    )
    return jsonify(html=html)


def _small_drawing(frame: Frame) -> str:
    """The pipes in their rooms, without words and fittings; of a large house its lowest level."""
    look = Look(width=420.0, height=250.0, measures=False, findings=False, head=8.0, levels=usual_levels(frame.design))
    return frame.pipes_alone(look, f"small-{frame.uid}")


def _next(frame: Frame, stages: list[dict[str, Any]]) -> dict[str, str] | None:
    """The next useful act: the first stage that is not done, or in the order of work the first step not ticked."""
    row = next((one for one in stages if not one["filled"]), None)
    if row is None:
        return None
    stage = row["stage"]
    says = NEXT[stage.id]
    if any(one.severity == "stop" and one.stage == stage.id for one in frame.design.open_findings):
        return None  # what stops is said already
    if stage.id == "order":
        done = ticked(records_here(frame.uid))
        step = next((one for one in frame.design.plan if one.key not in done), None)
        says = step.title if step else says
    return {"url": url_for(STAGE_PAGES[stage.id], uid=frame.uid), "says": says}


@bp.post("/jobs")
def create() -> Any:
    """Start a job, or show the form again with what was typed and why it was refused."""
    form = request.form
    try:
        title = form.get("title", "").strip()
        if not title:
            raise Refused("title", title, "a name for the job", "Boiler change, lock cottage")
        practice = form.get("practice", "british")
        unit = form.get("pace_unit") or ("in" if practice == "north-american" else "mm")
        job = blank(new_uid(), title, practice, unit, form.get("place", ""))
        firm = firm_choices(db.get())
        job = apply_all(
            job,
            [{"do": "choose", "topic": topic, "option": option, "origin": "firm"} for topic, option in firm.items()],
            db.catalogue(),
        )
        if form.get("template"):
            job = apply_all(job, commands_of(form["template"], practice), db.catalogue())
    except Refused as error:
        return _page(typed=form, error=error), 422
    conn = db.get()
    admit(job, db.firm())
    with writing(conn):
        jobs_store.create(conn, job, "new job")
    return redirect(url_for("survey.index", uid=job.uid), 303)


@bp.post("/import")
def import_job() -> Any:
    """Take in a job document; one whose uid is here already comes in beside it under a new uid."""
    upload, kept = request.files.get("document"), request.form.get("kept", "")
    conn, folder = db.get(), Folder(current_app.config["DATA"])
    try:
        if kept:  # what was sent before, and is admitted now
            data, filename = folder.sent(kept), request.form.get("filename", "")
        elif upload is not None and upload.filename:
            data, filename = upload.read(), upload.filename
        else:
            raise Refused("document", "no file", "a job document", "lockhouse.oikotherm.json")
        context: Context | None = db.firm()
        packed = data[:2] == b"PK"
        if len(data) > MOST_AT_ONCE / (10 if packed else 1):
            worked("import", kept=folder.keep_sent(data), filename=filename[:60])
            context = None
        if packed:
            from ..exchange.bundle_in import import_bundle

            uid = import_bundle(conn, data, context)
            folder.forget_sent(kept)
            return redirect(url_for("pace.index", uid=uid), 303)
        job = read(data)
        if context is not None:
            admit(job, context)
    except Refused as error:
        return _page(import_error=error), 422
    with writing(conn):
        if jobs_store.exists(conn, job.uid):
            job = job.model_copy(update={"uid": new_uid()})
        jobs_store.create(conn, job, f"imported {filename[:60]}")
    folder.forget_sent(kept)
    return redirect(url_for("pace.index", uid=job.uid), 303)


@by_worker("import", "Reading what was sent", 300)
def _admitted(_: str, kept: str, filename: str) -> Made:
    """Whether a document or bundle that was sent may be stored. Raises Refused."""
    from ..exchange.bundle_in import read_bundle

    data = Folder(current_app.config["DATA"]).sent(kept)
    job = read_bundle(data)[0] if data[:2] == b"PK" else read(data)
    saying("working out the house")
    admit(job, db.firm())
    return made_json({"uid": job.uid, "filename": filename})


@bp.get("/keys")
def keys() -> str:
    """The keys and the notation, on one page."""
    return render_template("keys.html")


@bp.get("/licences")
def licences() -> str:
    """What is shipped and under which licence."""
    return render_template("licences.html")
