"""Small jobs: begun from the home page with a few answers, worked from one page that a phone can hold."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any, cast

from flask import Blueprint, redirect, render_template, request, session, url_for

from ..core.admission import admit
from ..core.errors import Refused
from ..core.job.commands import apply_all
from ..core.job.document import blank, new_uid
from ..core.job.model import Job, Task
from ..core.quantity import PaceUnit, Practice, length_text
from ..core.services.heating.small_gauge import (
    READING,
    READING_EXAMPLE,
    read_reading,
    readings_of,
    story_of,
    with_points,
)
from ..core.services.rooms import small_jobs
from ..core.work.records import ticked
from ..core.work.small import sheets_of
from ..core.work.small_jobs import Ask, SmallJob, read_answer, read_answers, usual_answer
from ..exchange.cutlist import cut_rows
from ..store import jobs as jobs_store
from ..store.database import writing
from . import db, incoming
from .frame import Frame, page_data
from .job import edit_job
from .practice import firm_choices
from .records import records_here

MOST_READINGS = 60
bp = Blueprint("small", __name__)


def _kind(ident: str) -> SmallJob:
    found = small_jobs().get(ident)
    if found is None:
        raise Refused("small job", ident, " or ".join(small_jobs()), "valve")
    return found


def _unit(practice: str) -> PaceUnit:
    return "in" if practice == "north-american" else "mm"


def usual(ask: Ask, practice: Practice, unit: PaceUnit) -> str:
    """The usual answer as it would be typed."""
    return usual_answer(ask, practice, unit)


@bp.get("/small/<kind>")
def ask(kind: str) -> str:
    """The few questions of a small job."""
    return _form(_kind(kind), request.args)


def _form(kind: SmallJob, typed: Mapping[str, str], error: Refused | None = None) -> str:
    practice = typed.get("practice") or session.get("practice") or "british"
    return render_template(
        "small_new.html",
        kind=kind,
        asks=[one for one in kind.asks if not one.later],
        typed=typed,
        error=error,
        practice=practice,
        usual={one.name: usual(one, cast(Practice, practice), _unit(practice)) for one in kind.asks},
    )


@bp.post("/small/<kind>")
def begin(kind: str) -> Any:
    """Begin a small job, or show the questions again with what was typed and why it was refused."""
    form, small = request.form, _kind(kind)
    practice = form.get("practice", "british")
    try:
        place = form.get("place", "").strip()
        title = form.get("title", "").strip() or (f"{small.title}, {place}" if place else small.title)
        job = blank(new_uid(), title[:120], practice, _unit(practice), place)
        chosen = [
            {"do": "choose", "topic": topic, "option": option, "origin": "firm"}
            for topic, option in firm_choices(db.get()).items()
        ]
        job = apply_all(job, chosen, db.catalogue())
        said = {one.name: form.get(one.name, "" if one.kind == "flag" else None) for one in small.asks}
        typed = {name: text for name, text in said.items() if text is not None}
        answers = read_answers(small, typed, db.catalogue(), job.practice, job.pace_unit)
        job = small.begin(job, answers, db.catalogue())
        design = admit(job, db.firm())
        small.sheet(design, job.tasks[0])
    except Refused as error:
        return _form(small, form, error), 422
    session["practice"] = practice
    conn = db.get()
    with writing(conn):
        jobs_store.create(conn, job, f"new small job: {small.title.lower()}")
    return redirect(url_for("small.index", uid=job.uid), 303)


# --- its page ---------------------------------------------------------------------------------------------------------


def _task(job: Job, ident: str) -> Task | None:
    return next((one for one in job.tasks if one.id == ident), job.tasks[0] if job.tasks else None)


@page_data("small")
def _small(frame: Frame) -> dict[str, Any]:
    """One small job of this one: its sheet, its steps with ticks, cuts, parts, cards."""
    task = _task(frame.job, request.values.get("task", ""))
    kind = small_jobs().get(task.kind) if task else None
    sheets = {one.id: sheet for one, sheet in sheets_of(frame.design)}
    if task is None or kind is None or task.id not in sheets:
        return {"task": None, "tasks": frame.job.tasks}
    design = frame.design
    done = ticked(records_here(frame.uid))
    steps = design.plan
    joints = [(design.joint_labels[key], joint) for key, joint in design.fitted.joints.items()]
    return {
        "task": task,
        "tasks": frame.job.tasks,
        "titles_of": {one.id: kind_.title for one in frame.job.tasks if (kind_ := small_jobs().get(one.kind))},
        "kind": kind,
        "sheet": sheets[task.id],
        "steps": steps,
        "done": done,
        "count": sum(step.key in done for step in steps),
        "minutes": sum(step.minutes for step in steps),
        "cuts": cut_rows(design),
        "order": design.materials,
        "joints": joints,
        "asks": [one for one in kind.asks if one.later or not one.drawn],
        "drawn": {one.name: _said(one, task, frame) for one in kind.asks if one.drawn and not one.later},
        "values": {one.name: _said(one, task, frame) for one in kind.asks},
        "readings": readings_of(task) if kind.id == "pressure" else None,
        "story": story_of(task) if kind.id == "pressure" else None,
        "example": READING_EXAMPLE.replace("2026-03-01", date.today().isoformat()),
    }


def _said(one: Ask, task: Task, frame: Frame) -> str:
    """An answer as it would be typed."""
    value = task.answers.get(one.name)
    if value is None:
        return usual_answer(one, frame.job.practice, frame.unit)
    if one.kind == "flag":
        return "yes" if value is True else ""
    if one.kind == "length":
        return length_text(float(value), frame.unit)
    return f"{value:g}" if isinstance(value, float) else str(value)


@bp.get("/jobs/<uid>/small")
def index(uid: str) -> str:
    """The page of a small job."""
    return Frame(uid, "small").render("small.html", error=None, typed={})


@bp.post("/jobs/<uid>/small")
def answer(uid: str) -> Any:
    """Answers given while the work goes on, or one more reading of the gauge."""
    form = request.form
    frame = Frame(uid, "small")
    try:
        task = _task(frame.job, form.get("task", ""))
        if task is None:
            raise Refused("task", form.get("task", ""), "a small job of this one", "T1")
        answers = _answers(frame, _kind(task.kind), task, form)
        changed = {**task.model_dump(), "answers": answers}
        edit_job(uid, incoming.rev_of(form.get("rev", "")), [{"do": "put_task", "task": changed}])
    except Refused as error:
        return Frame(uid, "small").render("small.html", error=error, typed=form), 422
    except jobs_store.Stale as stale:
        late = Refused("answers", f"made on revision {form.get('rev', '')}", f"revision {stale.head}: look again", "")
        return Frame(uid, "small").render("small.html", error=late, typed=form), 409
    return redirect(url_for("small.index", uid=uid, task=task.id) + "#answers", 303)


def _answers(frame: Frame, kind: SmallJob, task: Task, form: Mapping[str, str]) -> dict[str, Any]:
    answers: dict[str, Any] = dict(task.answers)
    if form.get("form") == "reading":
        text = form.get("reading", "").strip()
        text = with_points(text, frame.job.practice == "continental")
        read_reading(text)
        taken = {name for name in answers if name.startswith(READING)}
        if len(taken) >= MOST_READINGS:
            raise Refused("reading", text, f"no more than {MOST_READINGS} readings", "take an old one off")
        number = next(n for n in range(1, MOST_READINGS + 1) if f"{READING}{n}" not in taken)
        return {**answers, f"{READING}{number}": text}
    if form.get("form") == "off":
        answers.pop(form.get("name", ""), None)
        return answers
    for one in kind.asks:
        if one.later or not one.drawn:
            said = form.get(one.name, "" if one.kind == "flag" else None)
            answers[one.name] = read_answer(one, said, db.catalogue(), frame.job.practice, frame.unit)
    return answers
