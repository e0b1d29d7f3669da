"""Pace-out: the drawing, the runs as chips, the pacing line with its ghost."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, jsonify, request

from ..core.design import Design, derive
from ..core.errors import Refused
from ..core.job.commands import apply
from ..core.job.complete import complete, walked
from ..core.job.model import Job, Leg
from ..core.job.spoken import lines_of
from ..core.job.ways import DIRECTIONS
from ..core.job.writing import item_text
from ..core.pipework.snap import snaps
from ..core.pipework.walk import RunTrace
from ..core.quantity import length_text
from ..drawing import svg
from ..drawing.isometric import draw
from . import db, incoming
from .frame import Frame

MOST_LINES = 200  # runs pasted at once
bp = Blueprint("pace", __name__, url_prefix="/jobs/<uid>/pace")


@bp.get("/runs/<run_id>")
def one_run(uid: str, run_id: str) -> Any:
    """A run with its chips. Not found: status 404."""
    frame = Frame(uid, "pace")
    run = frame.job.run(run_id)
    if run is None:
        return jsonify(rev=frame.rev), 404
    return jsonify(rev=frame.rev, fragments={f"run-{run.id}": frame.article(run, True)})


@bp.get("")
def index(uid: str) -> str:
    """The stage: drawing in the middle, runs beside it, the pacing line below."""
    frame = Frame(uid, "pace")
    wanted = request.args.get("run", "")
    run = frame.job.run(wanted)
    return frame.render(
        "pace.html",
        drawing=frame.drawing(),
        open_run=run.id if run else "",
        line=frame.design.texts[run.id] if run else "",
    )


@bp.post("/preview")
def preview(uid: str) -> Any:
    """What the line as typed would give: a ghost drawing, the end it reaches, the error at the caret, suggestions. Not
    stored."""
    body = incoming.body()
    frame = Frame(uid, "pace")
    text, run = str(body.get("text", ""))[:20_000], body.get("run")
    said = body.get("caret")
    caret = said if isinstance(said, int) else len(text)
    run = run if isinstance(run, str) and frame.job.run(run) else None
    suggestions = [
        {"text": s.text, "start": s.start, "end": s.end, "what": s.what}
        for s in complete(frame.job, text, caret, frame.design.style, run)
    ]
    found: dict[str, Any] = {"rev": frame.rev, "suggestions": suggestions, "error": None, "says": "", "drawing": None}
    if not text.strip():
        found["drawing"] = frame.drawing()
        return jsonify(found)
    job, error = _as_far_as_it_goes(frame.job, text, run)
    found["error"] = error.as_dict() if error else None
    if job is not None:
        design = derive(job, db.context(uid))
        ghost = run or next((r.id for r in job.runs if frame.job.run(r.id) is None), "")
        found["drawing"] = svg.write(draw(design, frame.look(ghost=ghost)))
        found["says"] = _says(design, ghost)
    return jsonify(found)


@bp.post("/lines")
def lines(uid: str) -> Any:
    """The runs in several pasted lines, a line each; nothing is stored."""
    body = incoming.body()
    text = str(body.get("text", ""))[:200_000]
    return jsonify(lines=lines_of(text)[:MOST_LINES])


@bp.post("/walked")
def walk(uid: str) -> Any:
    """The line after some steps on the drawing: each {way, step_mm}, below 0 to take the last one back. Nothing is
    stored."""
    body = incoming.body()
    text, steps = str(body.get("text", ""))[:20_000], body.get("steps")
    if not isinstance(steps, list) or len(steps) > 500:
        raise Refused("steps", steps, "a list of steps", '[{"way": "E", "step_mm": 100}]')
    style = Frame(uid, "pace").design.style
    found: str | None = text
    for step in steps:
        way, step_mm = (step.get("way"), step.get("step_mm")) if isinstance(step, dict) else (None, None)
        if (
            way not in DIRECTIONS
            or isinstance(step_mm, bool)
            or not isinstance(step_mm, int | float)
            or not abs(step_mm) < 1e5
        ):
            raise Refused("steps", step, "a way and how far [mm]", '{"way": "E", "step_mm": 100}')
        found = walked(found, way, float(step_mm), style) if found is not None else None
    return jsonify(text=found)


@bp.get("/leg")
def leg(uid: str) -> Any:
    """A leg that was picked on the drawing: its length, the way it goes, where it could stop. Not found: status 404."""
    frame = Frame(uid, "pace")
    run, item = request.args.get("run", ""), request.args.get("item", "")
    trace = frame.design.traced.runs.get(run)
    found = next((one for one in trace.run.items if one.id == item and isinstance(one, Leg)), None) if trace else None
    move = next((one for one in trace.moves if one.item == item), None) if trace else None
    if trace is None or found is None or move is None:
        return jsonify(rev=frame.rev), 404
    return jsonify(
        rev=frame.rev,
        run=run,
        item=item,
        dir=found.dir,
        length_mm=trace.lengths[item],
        middle=f"{_start_mm(trace, item) + trace.lengths[item] / 2:.0f} mm",
        text=item_text(found, frame.design.style),
        way=list(move.way),
        at=list(move.b.plus(move.way, -trace.lengths[item])),
        snaps=[
            {"length_mm": snap.length_mm, "what": snap.what}
            for snap in snaps(frame.job, frame.design.pipework, run, item)
        ],
    )


def _start_mm(trace: RunTrace, item: str) -> float:
    """How far along its run a leg begins [mm]."""
    legs = [one.id for one in trace.run.items if isinstance(one, Leg)]
    return sum(trace.lengths[one] for one in legs[: legs.index(item)])


def _as_far_as_it_goes(job: Job, text: str, run: str | None) -> tuple[Job | None, Refused | None]:
    """The job with the line put in, cut off before its first error; and that error."""
    error: Refused | None = None
    for _ in range(3):
        try:
            return apply(job, {"do": "put_run", "text": text, "run": run}, db.catalogue(), db.memory()), error
        except Refused as refused:
            error = error or refused
            if not isinstance(refused.where, tuple) or ":" not in text[: refused.where[0]]:
                return None, error
            text = text[: refused.where[0]]
    return None, error


def _says(design: Design, run: str) -> str:
    """Where the line ends, in words: "end W 1850, U 350 of the start; 15 to go"."""
    trace = design.pipework.runs.get(run)
    if trace is None:
        return ""
    from ..core.rules.ends import vector_words

    unit = design.job.pace_unit
    total = length_text(trace.length_mm, unit, with_unit=True)
    words = f"{run}: {total} of pipe, its end lies {vector_words(trace.end.minus(trace.start), unit)} of its start"
    if trace.closing is not None:
        size = trace.closing.length
        words += (
            f"; meets {trace.run.finish}"
            if size < 0.5
            else f"; {vector_words(trace.closing, unit)} to go to {trace.run.finish}"
        )
    return words
