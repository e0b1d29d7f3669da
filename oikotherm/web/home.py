"""Home: the list of jobs, a new one, import."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for

from ..core.admission import admit
from ..core.errors import Refused
from ..core.job.commands import apply_all
from ..core.job.document import blank, new_uid, read
from ..core.services.heating.templates import TEMPLATES, commands_of
from ..core.services.rooms import small_jobs
from ..store import jobs as jobs_store
from ..store.database import writing
from . import db
from .practice import firm_choices

bp = Blueprint("home", __name__)


@bp.get("/")
def index() -> str:
    """All jobs, the last touched first."""
    return _page()


def _page(**more: Any) -> str:
    return render_template(
        "home.html",
        jobs=jobs_store.listing(db.get()),
        templates=TEMPLATES.values(),
        small_jobs=small_jobs().values(),
        **{"typed": {}, "error": None, **more},
    )


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
    upload = request.files.get("document")
    try:
        if upload is None or not upload.filename:
            raise Refused("document", "no file", "a job document", "lockhouse.oikotherm.json")
        data, conn = upload.read(), db.get()
        if data[:2] == b"PK":
            from ..exchange.bundle_in import import_bundle

            uid = import_bundle(conn, data, db.firm())
            return redirect(url_for("pace.index", uid=uid), 303)
        job = read(data)
        admit(job, db.firm())
    except Refused as error:
        return _page(import_error=error), 422
    with writing(conn):
        if jobs_store.exists(conn, job.uid):
            job = job.model_copy(update={"uid": new_uid()})
        jobs_store.create(conn, job, f"imported {upload.filename[:60]}")
    return redirect(url_for("pace.index", uid=job.uid), 303)


@bp.get("/keys")
def keys() -> str:
    """The keys and the notation, on one page."""
    return render_template("keys.html")


@bp.get("/licences")
def licences() -> str:
    """What is shipped and under which licence."""
    return render_template("licences.html")
