"""The site stages: Joints, Order and Prove. Records come in here, from a phone that may have queued them."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from flask import Blueprint, jsonify, render_template, request
from markupsafe import Markup

from ..core.errors import Refused
from ..core.job.model import Choice
from ..core.joints.alternatives import chains_to_join, ways_to_join
from ..core.joints.fitted import Joint
from ..core.joints.takeoff import parts_title
from ..core.layout import Layout
from ..core.practice import TOPICS, Option, Topic, chosen, options_of
from ..core.work.assembling import bench_words, order_of_run
from ..core.work.heats import heats
from ..core.work.phases import DAY_H, Phase, lies_on, phases, standing
from ..core.work.place import place_words
from ..core.work.plan import move
from ..core.work.records import CHECK_WORDS, CONTOURS, JointState, checks_of, joint_states, made_at, ticked
from ..core.work.state import StepChange, after, changes, house_of
from ..core.work.steps import WorkStep
from ..drawing.time_strip import bars_of, time_strip
from ..store import jobs as jobs_store
from ..store import people as people_store
from ..store import records as records_store
from ..store.database import writing
from . import db, incoming
from .blocks import MOST_ROWS, in_blocks
from .frame import Frame, page_data
from .job import edit_job, stale_answer
from .records import records_here

NO_JOINT = "no joint yet"
MOST_RECORDS = 500  # of one sending; a queue comes in slices
joints_bp = Blueprint("joints", __name__, url_prefix="/jobs/<uid>/joints")
order_bp = Blueprint("order", __name__, url_prefix="/jobs/<uid>/order")
records_bp = Blueprint("records", __name__, url_prefix="/jobs/<uid>")


@records_bp.app_template_global()
def roles() -> list[str]:
    return [row["role"] for row in people_store.people(db.get())]


@records_bp.post("/records")
def take(uid: str) -> Any:
    """Keep records; each may come more than once, and late. sent_at: the sender's clock. Gives those kept and those
    refused, by uuid; those that are kept are on the disk."""
    body = incoming.body()
    sent = body.get("records")
    if not isinstance(sent, list) or len(sent) > MOST_RECORDS:
        said = f"{len(sent)} records" if isinstance(sent, list) else sent
        raise Refused("records", said, f"a list of up to {MOST_RECORDS} records", '[{"uuid": "...", "kind": "joint"}]')
    off_s = _clock_off_s(body.get("sent_at"))
    conn = db.get()
    jobs_store.head_rev(conn, uid)
    kept: list[str] = []
    refused: list[dict[str, Any]] = []
    with writing(conn):
        for record in sent:
            ident = str(record.get("uuid", ""))[:40] if isinstance(record, dict) else ""
            try:
                if not isinstance(record, dict):
                    raise Refused("record", record, "an object with a body", '{"uuid": "...", "body": {}}')
                if records_store.add(conn, {**record, "job": uid}, off_s) and record["kind"] == "joint":
                    jobs_store.freeze_labels(conn, uid, record["rev"], [{record["key"]: record["label"]}])
                kept.append(ident)
            except Refused as error:
                refused.append({"uuid": ident, "error": error.as_dict()})
    return jsonify(kept=kept, refused=refused)


def _clock_off_s(sent_at: Any) -> float:
    """How far the sender's clock is ahead of this one [s]; 0 where it does not say."""
    try:
        return (made_at(sent_at) - datetime.now(UTC)).total_seconds() if isinstance(sent_at, str) else 0.0
    except (ValueError, OverflowError):
        return 0.0


# --- Joints -------------------------------------------------------------------------------------------------


def _joint_groups(
    frame: Frame, shown: Sequence[Joint], states: dict[str, JointState], *, gone: bool
) -> list[dict[str, Any]]:
    """Joints by method, each with its label and state; then those that are gone but have records."""
    groups: dict[str, list[dict[str, Any]]] = {}
    design = frame.design
    together = {key: heat for heat in heats(design.fitted, design.context.catalogue) for key in heat.joints}
    for joint in shown:
        state = states.get(joint.key) or JointState(joint.key, "")
        piece = design.fitted.pieces.get(joint.other)
        row = {
            "key": joint.key,
            "label": design.joint_labels[joint.key],
            "title": joint.fitting_title,
            "pipe": joint.pipe,
            "method": joint.method,
            "checks": [name for name in checks_of(design.context.catalogue, joint.method, joint.pipe) if name != "jaw"],
            "contours": CONTOURS.get(joint.method, ()),
            "fitting": joint.fitting_key,
            "run": joint.run,
            "place": place_words(design, joint.at, piece.place if piece else ""),
            "state": state,
            "changed": bool(state.method) and (state.method, state.pipe) != (joint.method, joint.pipe),
            "gone": False,
            "why": joint.why,
            "heat": joint.fitting_key if joint.key in together else "",
            "with": [design.joint_labels[key] for key in together[joint.key].joints if key != joint.key]
            if joint.key in together
            else [],
        }
        groups.setdefault(joint.method or NO_JOINT, []).append(row)
    rows = [
        {"method": method, "joints": found}
        for method, found in sorted(groups.items(), key=lambda group: group[0] != NO_JOINT)
    ]
    lost = [_lost(state) for key, state in states.items() if key not in design.fitted.joints]
    if gone and lost:
        rows.append({"method": "gone", "joints": lost})
    return rows


def _lost(state: JointState) -> dict[str, Any]:
    """A joint that was recorded and is no more."""
    return {
        "key": state.key,
        "label": state.label,
        "title": "no longer in the pipework",
        "pipe": state.pipe,
        "method": state.method,
        "run": "",
        "state": state,
        "changed": False,
        "gone": True,
        "why": "",
        "heat": "",
        "with": [],
        "checks": (),
        "contours": (),
        "fitting": "",
    }


def _topics(frame: Frame) -> list[tuple[Topic, Option, Choice]]:
    """Every topic with the option in force for this job and where it comes from."""
    return [(topic, *chosen(frame.job, topic)) for topic in TOPICS.values()]


@joints_bp.app_template_global()
def check_words(name: str) -> str:
    return CHECK_WORDS[name]


@page_data("joints")
def _joints(frame: Frame) -> dict[str, Any]:
    """The joints with their state, and the practice of this job."""
    joints = tuple(frame.design.fitted.joints.values())
    listed = in_blocks(joints, lambda joint: joint.run, frame.part, lambda joint: joint.run == frame.of.upper())
    states = joint_states(records_here(frame.uid))
    made = {key for key, state in states.items() if state.yes("made")} & frame.design.fitted.joints.keys()
    return {
        "list": listed,
        "groups": _joint_groups(frame, listed.rows, states, gone=listed.shown in ("", "1")),
        "total": len(joints),
        "made": len(made),
        "made_elsewhere": len(made - {joint.key for joint in listed.rows}),
        "topics": _topics(frame),
    }


@joints_bp.get("/card")
def joint_card(uid: str) -> Any:
    """The card of one joint: how it is made here, in section, and by what else it could be made."""
    from ..core.joints.recipe import joint_end
    from .joint_pages import card

    frame = Frame(uid, "joints")
    joint = frame.design.fitted.joints.get(request.args.get("joint", ""))
    if joint is None:
        return render_template(
            "error.html",
            title="No such joint",
            words="It may have gone with the last edit. The list of joints has those that are.",
        ), 404
    run = frame.job.run(joint.run)
    service, role = (run.service, run.role) if run else ("", "")
    end = joint_end(frame.design.context.catalogue, joint)
    shown, refused = None, None
    if end is not None and service and joint.method:
        try:
            shown = card(
                frame.design.context.catalogue,
                joint.method,
                end,
                service,
                frame.job.practice,
                options_of(frame.job),
                role,
                frame.unit,
            )
        except Refused as why:
            refused = why
    ways = ways_to_join(frame.job, frame.design.fitted, frame.design.context, joint.fitting_key)
    chains = chains_to_join(frame.job, frame.design.fitted, frame.design.context, joint.fitting_key)
    own = {row.field: row for row in frame.job.overrides if row.target == joint.fitting_key}
    stands = [chain.ids for _, chain in frame.design.fitted.fittings[joint.fitting_key].chains]
    return render_template(
        "card.html",
        frame=frame,
        joint=joint,
        label=frame.design.joint_labels[joint.key],
        shown=shown,
        refused=refused,
        service=service,
        ways=ways,
        parts=[(chain.ids, parts_title(chain), chain.ids in stands) for chain in chains],
        own=own,
    )


@joints_bp.get("")
def index(uid: str) -> str:
    """The list of joints."""
    return Frame(uid, "joints").render("joints.html")


# --- Order --------------------------------------------------------------------------------------------------


@page_data("order")
def _order(frame: Frame) -> dict[str, Any]:
    """The plan with ticks and hours, and the water work of the circuits."""
    steps = frame.design.plan
    done = ticked(records_here(frame.uid))
    place = {step.key: number for number, step in enumerate(steps, 1)}
    listed = in_blocks(steps, lambda step: place[step.key], frame.part)
    block = {step.key: str(number // MOST_ROWS + 1) for number, step in enumerate(steps)} if listed.blocks else {}

    def href(phase: Phase) -> str:
        return f"{'?part=' + block[phase.key] if block else ''}#phase-{phase.key}"

    bars = bars_of(phases(frame.design, steps), done, href)
    return {
        "strip": Markup(time_strip(bars, DAY_H)),  # noqa: S704 - our own drawing
        "day_h": DAY_H,
        "phases": [_shown_phase(phase, done) for phase in phases(frame.design, listed.rows)],
        "standing": {step.key: standing(step, done) for step in listed.rows},
        "waits": {step.key: [need.key for need in step.needs if need.key not in done] for step in listed.rows},
        "lights": {step.key: lies_on(frame.design, step) for step in listed.rows},
        "list": listed,
        "many": len(steps),
        "titles": {step.key: step.title for step in steps},
        "done": done,
        "hours": sum(step.minutes for step in steps) / 60,
        "count": sum(step.key in done for step in steps),
        "elsewhere": sum(step.key in done for step in steps) - sum(step.key in done for step in listed.rows),
        "water": frame.design.water_work,
        "bench": _bench(frame.design, listed.rows),
        "gates": {step.key: words for step in listed.rows if (words := _gate_said(step, done))},
        "changes": {key: _change_said(change) for key, change in _changes(frame.design, steps).items()},
        "house": _house_said(frame.design, [step for step in steps if step.key in done]),
    }


def _changes(design: Layout, steps: Sequence[WorkStep]) -> Mapping[str, StepChange]:
    """What each step changes in the house, worked out once for an order of the steps."""
    found: Mapping[str, StepChange] = design.kept(
        f"changes {' '.join(step.key for step in steps)}", lambda: changes(design, steps)
    )
    return found


def _shown_phase(phase: Phase, done: Collection[str]) -> dict[str, Any]:
    """A phase as the page lists it: open where something of it can be done now."""
    return {
        "key": phase.key,
        "title": phase.title,
        "where": phase.where,
        "steps": phase.steps,
        "hours": phase.minutes / 60,
        "done": sum(step.key in done for step in phase.steps),
        "open": any(standing(step, done) == "now" for step in phase.steps),
        "tools": phase.tools,
        "parts": phase.parts,
        "runs": phase.runs,
        "moves_water": phase.moves_water,
        "proves": any(step.rule == "proof" for step in phase.steps),
    }


def _bench(design: Layout, steps: Iterable[WorkStep]) -> dict[str, str]:
    """Of the pipe steps of threaded pipe shown, what is put together on the bench and what is made last; none in a job
    too large for it."""
    if len(design.fitted.joints) > MOST_JOINTS:
        return {}
    threaded = {joint.run for joint in design.fitted.joints.values() if joint.method == "thread"}
    runs = {step.key: step.key.partition(":")[2] for step in steps if step.rule == "pipe"}
    steel = {run.id for run in design.job.runs if "thread" in design.context.catalogue.methods_of(run.pipe.code)}
    return {key: bench_words(order_of_run(design, run)) for key, run in runs.items() if run in threaded & steel}


def _gate_said(step: WorkStep, done: Mapping[str, Any]) -> str:
    """What is said of a step that was ticked before all that comes first in it was; "" where nothing is."""
    left = sum(one.key not in done for one in step.checks)
    return f"Ticked with {left} of {len(step.checks)} not ticked: see to them" if left and step.key in done else ""


MOST_JOINTS = 600  # of a job whose orders of assembly are worked out for its plan
MOST_RUNS = 6  # named singly; more are counted


def _runs_said(runs: Mapping[str, str]) -> list[str]:
    """Runs by the state of their pipe."""
    by: dict[str, list[str]] = {}
    for run, state in runs.items():
        by.setdefault(state, []).append(run)
    return [
        f"{', '.join(by[state]) if len(by[state]) <= MOST_RUNS else f'{len(by[state])} runs'} {state}"
        for state in ("shut", "drained", "open", "purged", "live")
        if state in by
    ]


def _change_said(change: StepChange) -> list[str]:
    """What a step does to the house."""
    off = [f"out of use: {', '.join(change.off)}"] if change.off else []
    on = [f"can be used: {', '.join(change.on)}"] if change.on else []
    return off + on + _runs_said(change.runs)


def _house_said(design: Layout, done: list[WorkStep]) -> list[str]:
    """How the house stands after the steps that are ticked: what was usable before work and is not now, and pipe that
    is shut, drained or open."""
    if not done:
        return []
    first, now = after(design, ()), after(design, done)
    off = [key for key, on in first.stations.items() if on and not now.stations[key]]
    straights = house_of(design).work.straights
    runs = {straights[key].run: state for key, state in now.straights.items() if state in ("shut", "drained", "open")}
    return ([f"out of use: {', '.join(off)}"] if off else []) + _runs_said(runs)


@order_bp.get("")
def order(uid: str) -> str:
    """The plan of work."""
    return Frame(uid, "order").render("order.html")


@order_bp.post("/move")
def move_step(uid: str) -> Any:
    """Put a step behind another, or say which dependency forbids it and why."""
    body = incoming.body()
    rev, frame = incoming.rev_of(body.get("rev")), Frame(uid, "order")
    command = move(frame.design.plan, str(body.get("step", "")), str(body.get("after", "")))
    try:
        edit_job(uid, rev, [command])
    except jobs_store.Stale:
        return stale_answer(uid, "order")
    return jsonify(Frame(uid, "order").answer())
