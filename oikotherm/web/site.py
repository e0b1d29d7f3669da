"""The site stages: Joints, Order and Prove. Records come in here, from a phone that may have queued them."""

from __future__ import annotations

from datetime import date
from typing import Any

from flask import Blueprint, jsonify, redirect, render_template, request, url_for

from ..core.catalogue import Catalogue
from ..core.errors import Refused
from ..core.job.model import Choice
from ..core.joints.alternatives import chains_to_join, ways_to_join
from ..core.joints.fitted import Joint
from ..core.joints.takeoff import parts_title
from ..core.making.materials import coils, parts, sticks
from ..core.practice import TOPICS, Option, Topic, chosen, options_of
from ..core.services.heating.proof import HOLD_MIN, SETTLE_MIN, Rig, read_readings
from ..core.services.heating.sizing import heating_of
from ..core.services.heating.water_work import WaterWork, water_work
from ..core.services.rooms import rooms
from ..core.work.place import place_words
from ..core.work.plan import move, plan
from ..core.work.records import CHECK_WORDS, JointState, checks_of, joint_states, ticked
from ..core.work.steps import TestKind, WorkStep
from ..exchange.site import rig_of, state_mark, tests_of
from ..store import jobs as jobs_store
from ..store import people as people_store
from ..store import records as records_store
from ..store import van as van_store
from ..store.database import now, writing
from . import db
from .frame import Frame
from .job import _body, edit_job, stale_answer
from .records import proved, records_here

joints_bp = Blueprint("joints", __name__, url_prefix="/jobs/<uid>/joints")
order_bp = Blueprint("order", __name__, url_prefix="/jobs/<uid>/order")
prove_bp = Blueprint("prove", __name__, url_prefix="/jobs/<uid>/prove")
records_bp = Blueprint("records", __name__, url_prefix="/jobs/<uid>")


@records_bp.app_template_global()
def roles() -> list[str]:
    return [row["role"] for row in people_store.people(db.get())]


@records_bp.post("/records")
def take(uid: str) -> Any:
    """Keep records; each may come more than once. Gives those kept and those refused, by uuid."""
    body = _body()
    sent = body.get("records")
    if not isinstance(sent, list) or len(sent) > 500:
        raise Refused("records", sent, "a list of up to 500 records", '[{"uuid": "...", "kind": "joint"}]')
    conn = db.get()
    jobs_store.head_rev(conn, uid)
    kept: list[str] = []
    refused: list[dict[str, Any]] = []
    for record in sent:
        try:
            if not isinstance(record, dict) or not isinstance(record.get("body"), dict):
                raise Refused("record", record, "an object with a body", '{"uuid": "...", "body": {}}')
            if record.get("kind") not in ("joint", "step", "test"):
                raise Refused("kind", record.get("kind"), "joint, step or test", "joint")
            with writing(conn):
                records_store.add(conn, {**record, "job": uid})
                if record["kind"] == "joint":
                    jobs_store.freeze_labels(
                        conn, uid, int(record["rev"]), [{str(record["key"]): str(record["label"])}]
                    )
            kept.append(str(record["uuid"]))
        except (Refused, ValueError, TypeError) as error:
            found = error if isinstance(error, Refused) else Refused("record", record, "fields of the right kind", "")
            refused.append(
                {"uuid": str(record.get("uuid")) if isinstance(record, dict) else "", "error": found.as_dict()}
            )
    return jsonify(kept=kept, refused=refused)


# --- Joints --------------------------------------------------------------------------------------------------------------


@joints_bp.app_template_global()
def joint_groups(frame: Frame) -> list[dict[str, Any]]:
    """The job's joints by method, each with its label and state; then those that are gone but have records."""
    states = joint_states(records_here(frame.uid))
    groups: dict[str, list[dict[str, Any]]] = {}
    lies = {piece.key: piece.place for piece in frame.design.fitted.pieces.values()}
    for joint in frame.design.fitted.joints.values():
        state = states.get(joint.key) or JointState(joint.key, "")
        changed = bool(state.method) and (state.method, state.pipe) != (joint.method, joint.pipe)
        groups.setdefault(joint.method, []).append({
            "key": joint.key, "label": frame.design.joint_labels[joint.key], "title": joint.fitting_title, "pipe": joint.pipe, "method": joint.method,
            "checks": checks_of(frame.design.context.catalogue, joint.method, joint.pipe), "fitting": joint.fitting_key, "run": joint.run, "place": place_words(frame.design, joint.at, lies.get(joint.other, "")), "state": state, "changed": changed, "gone": False,
        })  # fmt: skip
    rows = [{"method": method, "joints": found} for method, found in groups.items()]
    gone = [state for key, state in states.items() if key not in frame.design.fitted.joints]
    if gone:
        lost = [
            {"key": s.key, "label": s.label, "title": "no longer in the pipework", "pipe": s.pipe, "method": s.method, "run": "", "state": s, "changed": False, "gone": True, "checks": (), "fitting": ""}
            for s in gone
        ]  # fmt: skip
        rows.append({"method": "gone", "joints": lost})
    return rows


@joints_bp.app_template_global()
def topics_of(frame: Frame) -> list[tuple[Topic, Option, Choice]]:
    """Every topic with the option in force for this job and where it comes from."""
    return [(topic, *chosen(frame.job, topic)) for topic in TOPICS.values()]


@joints_bp.app_template_global()
def check_words(name: str) -> str:
    return CHECK_WORDS[name]


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
    if end is not None and service:
        try:
            shown = card(joint.method, end, service, frame.job.practice, options_of(frame.job), role)
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
    return render_template("joints.html", frame=Frame(uid, "joints"))


# --- Order ---------------------------------------------------------------------------------------------------------------


@order_bp.app_template_global()
def plan_of(frame: Frame) -> dict[str, Any]:
    """The plan with ticks, hours, and the material list."""
    steps: tuple[WorkStep, ...] = plan(frame.design)
    done = ticked(records_here(frame.uid))
    return {
        "steps": steps, "titles": {step.key: step.title for step in steps}, "done": done, "hours": sum(step.minutes for step in steps) / 60, "count": sum(step.key in done for step in steps),
        "next": next((step for step in steps if step.key not in done), None),
    }  # fmt: skip


@order_bp.app_template_global()
def materials_of(frame: Frame) -> dict[str, Any]:
    """What to order."""
    stock = van_store.stock(db.get())
    rows = parts(frame.design.fitted, frame.design.context.catalogue)
    money = [row.count * price for row in rows if (price := stock.get(row.part_id, (0, None))[1]) is not None]
    return {
        "stock": stock,
        "money": sum(money) if money else None,
        "parts": rows,
        "coils": coils(frame.design.fitted),
        "sticks": sticks(frame.design.cuts, frame.design.context.catalogue),
    }


@order_bp.app_template_global()
def water_of(frame: Frame) -> list[WaterWork]:
    """The water work of every circuit that has emitters."""
    found = (water_work(frame.design, heating) for heating in heating_of(frame.design) if heating.loads)
    return [one for one in found if one is not None]


@order_bp.get("")
def order(uid: str) -> str:
    """The plan of work."""
    return render_template("order.html", frame=Frame(uid, "order"))


@order_bp.post("/move")
def move_step(uid: str) -> Any:
    """Put a step behind another, or say which dependency forbids it and why."""
    body = _body()
    frame = Frame(uid, "order")
    command = move(frame.design, str(body.get("step", "")), str(body.get("after", "")))
    try:
        edit_job(uid, int(body.get("rev", 0) or 0), [command])
    except jobs_store.Stale:
        return stale_answer(uid, "order")
    return jsonify(Frame(uid, "order").answer())


# --- Prove ---------------------------------------------------------------------------------------------------------------


def missing_checks(catalogue: Catalogue, joint: Joint, state: JointState | None) -> list[str]:
    """What is still blank of a joint before it may be put under pressure, in words."""
    words = [] if state and state.yes("made") else ["made"]
    return words + [
        CHECK_WORDS[name].lower()
        for name in checks_of(catalogue, joint.method, joint.pipe)
        if not (state and state.yes(name))
    ]


@prove_bp.app_template_global()
def tests_to_make(frame: Frame) -> list[TestKind]:
    """How each service of the job is proved."""
    return [kind for room in rooms().values() for kind in room.tests if kind.applies(frame.design)]


@prove_bp.app_template_global()
def proof_of(frame: Frame) -> dict[str, Any]:
    """Tests made so far, what the next one takes, and the joints not yet seen dry."""
    records = records_here(frame.uid)
    rows = [
        {"record": r, "verdict": verdict, "present": present} for r, verdict, present in tests_of(frame.design, records)
    ]
    states = joint_states(records)
    waiting = [
        {"key": joint.key, "label": frame.design.joint_labels[joint.key], "title": joint.fitting_title, "method": joint.method, "pipe": joint.pipe}
        for joint in frame.design.fitted.joints.values() if joint.key not in states or not states[joint.key].yes("dry")
    ]  # fmt: skip
    rig = rig_of(frame.design, records, 0.02)
    blank = [
        {"label": frame.design.joint_labels[joint.key], "missing": missing}
        for joint in frame.design.fitted.joints.values()
        if (missing := missing_checks(frame.design.context.catalogue, joint, states.get(joint.key)))
    ]
    return {
        "tests": rows, "waiting": waiting, "blank": blank, "rig": rig, "gauges": people_store.instruments(db.get()), "settle": SETTLE_MIN, "hold": HOLD_MIN,
        "today": date.today().isoformat(), "passed": proved(frame.uid, frame.design),
    }  # fmt: skip


@prove_bp.get("")
def prove(uid: str) -> str:
    """Fill-and-leak: what it takes, the readings, the verdict."""
    return render_template("prove.html", frame=Frame(uid, "prove"), typed={}, error=None)


@prove_bp.post("")
def keep_test(uid: str) -> Any:
    """Keep a test with its readings; the verdict follows from them. What cannot be read comes back as typed."""
    form = request.form
    frame = Frame(uid, "prove")
    conn = db.get()
    try:
        text = form.get("readings", "")
        upload = request.files.get("file")
        if upload is not None and upload.filename:
            text = upload.read(2_000_000).decode("utf-8", "replace")
        if not read_readings(text):
            raise Refused(
                "readings", text, "at least two lines: time, pressure, temperature", "2026-03-01T10:00, 1.85 bar, 18.5"
            )
        gauge = people_store.instrument(conn, form.get("gauge", ""))
        rig = rig_of(frame.design, records_here(uid), gauge["resolution_bar"])
        fields = {name: getattr(rig, name) for name in Rig.__slots__}
        record = {
            "uuid": form.get("uuid", ""), "job": uid, "kind": "test", "key": "fill-and-leak", "label": "fill and leak", "rev": frame.rev, "made_at": now(),
            "by_role": form.get("by_role", "site lead"), "body": {"readings": text, "gauge": gauge, "rig": fields, "state": state_mark(frame.design)},
        }  # fmt: skip
        with writing(conn):
            records_store.add(conn, record)
    except Refused as error:
        return render_template("prove.html", frame=frame, typed=form, error=error), 422
    return redirect(url_for(".prove", uid=uid) + "#tests", 303)
