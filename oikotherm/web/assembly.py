"""The order of assembly, played step by step: what turns, which way it ends, what is held, what is soaped again."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, render_template, request
from markupsafe import Markup

from ..core.design import Design
from ..core.errors import Refused
from ..core.making.assembly.lawful import Blocked
from ..core.making.assembly.planner import Step
from ..core.services import spec
from ..core.work.assembling import (
    Ordered,
    new_runs,
    one_heat,
    order_of,
    order_of_run,
    services_of,
    tools_wanted,
)
from ..core.work.assembly_cures import BY_HAND
from ..core.work.records import joint_states
from ..core.work.undo import MANY, undo_depths
from ..drawing.assembly_step import SEEN_MM, clock_dial, clock_hour, step_picture, swing_mm
from ..exchange.assembly import ways_out as cures_of
from ..store import van as van_store
from ..workers import Made
from . import db
from .blocks import in_blocks
from .frame import MANY_RUNS, Frame
from .records import records_here
from .worked import by_worker, made_html, part, saying

MOST_SHEET = 40  # pictures of a printed sheet
HINT = "Take one run alone."
WHY = {
    "play": "both its ends stand, and nothing gives so far",
    "turns": "it cannot be turned in",
    "comes": "it cannot be brought in",
    "tool": "no tool comes to it",
    "passes": "it does not go through its hole",
}
WHERE = {"bench": "on the bench", "in place": "in its place", "closing": "closes, nothing turns"}
bp = Blueprint("assembly", __name__, url_prefix="/jobs/<uid>/assembly")


def _asked(design: Design) -> tuple[str, str, str]:
    """What is looked at: (service, run, a run that was asked for and is not there)."""
    run, service = request.args.get("run", "").upper(), request.args.get("service", "")
    known = services_of(design)
    if service not in known:  # the smallest first: it is there at once
        service = min(known, key=lambda one: len(new_runs(design, one)), default="")
    return (service, run, "") if not run or design.job.run(run) else (service, "", run)


def _too_many(design: Design) -> dict[str, Any] | None:
    """The runs to choose from, where a service of very many is looked at and nobody asked for all of it."""
    service, run, _ = _asked(design)
    runs = new_runs(design, service) if service and not run and request.args.get("all") != "yes" else []
    return {"services": _services(design), "runs": runs, "service": service} if len(runs) > MANY_RUNS else None


def _assembly(frame: Frame) -> dict[str, Any]:
    """The orders of a job; of the one looked at a step with its picture, or what stops it."""
    design = frame.design
    service, run, unknown = _asked(design)
    saying(f"looking for the order of {run or spec.service(service).title if run or service else 'nothing'}")
    shown = order_of_run(design, run) if run else order_of(design, service) if service else None
    steps = shown.plan.steps if shown else ()
    number = min(max(_whole(request.args.get("step", "1")), 1), max(len(steps), 1))
    step = steps[number - 1] if shown and steps else None
    states = joint_states(records_here(frame.uid))
    return {
        "services": _services(design),
        "runs": new_runs(design),
        "run": run,
        "unknown": unknown,
        "shown": shown,
        "number": number,
        "many": len(steps),
        "step": _said(frame, shown, step) if shown and step else None,
        "made": {key for key, state in states.items() if state.yes("made")},
        "blocking": [_blocked(shown, one) for one in shown.plan.blocking] if shown else [],
        "tools": tools_wanted(design, shown, van_store.tool_words(db.get())) if shown else (),
        "deep": [one for one in undo_depths(design) if one.depth > MANY],
    }


def _services(design: Design) -> list[tuple[str, str, int]]:
    return [(one, spec.service(one).title, len(new_runs(design, one))) for one in services_of(design)]


def _whole(text: str) -> int:
    return int(text) if text.isdigit() and len(text) < 6 else 1


def _said(frame: Frame, shown: Ordered, step: Step) -> dict[str, Any]:
    """A step in words, with its picture, its swing and its clock."""
    assembly = shown.assembly
    joint = next(one for one in assembly.joints if one.key == step.joint)
    titles = {one.key: one.title for one in assembly.parts}
    labels = {one.key: one.title for one in assembly.joints}
    moving = [one for one in assembly.parts if one.key in step.moves]
    hour = clock_hour(assembly, step)
    fitted = frame.design.fitted.joints.get(step.joint)
    other = joint.a if joint.b in step.moves else joint.b
    return {
        "key": step.joint,
        "label": joint.title,
        "where": WHERE[step.where],
        "moves": [titles[key] for key in step.moves],
        "into": titles[other],
        "turns": step.turns,
        "swing_mm": round(swing) if step.turns and (swing := swing_mm(joint, moving)) > SEEN_MM else 0,
        "holds": titles.get(step.holds, ""),
        "soaped": [labels[key] for key in step.soaped],
        "heat": [labels.get(key, key) for key in one_heat(frame.design, step.joint)],
        "hour": hour,
        "dial": Markup(clock_dial(hour)) if hour else "",  # noqa: S704 - our own drawing
        "tool": joint.tool.title if joint.tool and step.tool_way else "",
        "picture": Markup(step_picture(assembly, step)),  # noqa: S704 - our own drawing
        "ticked": step.joint in frame.design.fitted.joints,
        "method": fitted.method if fitted else "",
        "pipe": fitted.pipe if fitted else "",
    }


def _blocked(shown: Ordered, one: Blocked) -> dict[str, Any]:
    labels = {joint.key: joint.title for joint in shown.assembly.joints}
    return {"label": labels[one.joint], "why": WHY[one.why], "by": ", ".join(one.by), "hand": BY_HAND[one.why]}


@bp.get("")
def index(uid: str) -> str:
    """A step of the order, or what stops it."""
    frame = Frame(uid, "assembly")
    choice = _too_many(frame.design)
    if choice is None:
        return _page(frame, part("assembly", uid))
    return _page(frame, Markup(render_template("_assembly_runs.html", frame=frame, **choice)))  # noqa: S704 - our own


@bp.get("/cures")
def ways_out(uid: str) -> str:
    """What helps an assembly without an order: each put in and planned anew, which takes a while."""
    return _page(Frame(uid, "assembly"), part("assembly-cures", uid))


def _page(frame: Frame, said: Markup) -> str:
    return render_template("worked.html", frame=frame, title="Order of assembly", said=said)


@by_worker("assembly", "Order of assembly", 300, HINT)
def _order_made(uid: str) -> Made:
    frame = Frame(uid, "assembly")
    return made_html("_assembly.html", frame=frame, cures=None, **_assembly(frame))


@by_worker("assembly-cures", "What helps the order of assembly", 300, HINT)
def _cures_made(uid: str) -> Made:
    frame = Frame(uid, "assembly")
    facts = _assembly(frame)
    if facts["shown"] is None:
        raise Refused("service", request.args.get("service", ""), "a service with new pipe", "gas")
    saying("trying each way out")
    return made_html("_assembly.html", frame=frame, cures=cures_of(frame.design, facts["shown"]), **facts)


@bp.get("/sheet")
def sheet(uid: str) -> str:
    """All steps on paper."""
    frame = Frame(uid, "assembly")
    paper = "letter" if frame.job.practice == "north-american" else "a4"
    return frame.render("assembly_sheet.html", said=part("assembly-sheet", uid), paper=paper)


@by_worker("assembly-sheet", "Order of assembly on paper", 300, HINT)
def _sheet_made(uid: str) -> Made:
    frame = Frame(uid, "assembly")
    shown = _assembly(frame)["shown"]
    saying("drawing the steps")
    steps = list(enumerate(shown.plan.steps, 1)) if shown else []
    listed = in_blocks(steps, lambda one: (one[0] - 1) // 8 * 8 + 1, frame.part, most=MOST_SHEET)
    rows = [_said(frame, shown, step) for _, step in listed.rows] if shown else []
    first = listed.rows[0][0] if listed.rows else 1
    return made_html("_assembly_steps.html", frame=frame, rows=rows, list=listed, first=first)
