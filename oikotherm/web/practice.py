"""House practice: the firm's way on each topic, with what a change would do; and Property: what stands where."""

from __future__ import annotations

import itertools
import sqlite3
from collections import Counter
from collections.abc import Sequence
from datetime import date
from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for

from ..core.design import derive
from ..core.errors import Refused
from ..core.job.model import Choice, Job
from ..core.joints.recipe import recipe_of
from ..core.practice import TOPICS, Topic, options_of
from ..core.quantity import parse
from ..core.services import spec
from ..core.services.water.assemblies import tested
from ..core.work.care import reminders, shut_offs, top_up
from ..core.work.plan import typical_rates
from ..store import jobs as jobs_store
from ..store import people as people_store
from ..store import records as records_store
from ..store.database import writing
from . import db
from .job import edit_job
from .records import record_now, records_here

bp = Blueprint("practice", __name__)
WATCHED = ("pipe-in-view", "rodents", "air-separator", "magnetic-filter")


@bp.app_template_global()
def unit_of(topic: str) -> str:
    """What a topic changes: joints, findings or steps of the plan."""
    return "findings" if topic in WATCHED else "steps" if topic in ("boiler-pipes", "filling") else "joints"


def firm_choices(conn: sqlite3.Connection) -> dict[str, str]:
    """The firm's way by topic, where it has one."""
    rows = conn.execute("SELECT name, value FROM setting WHERE name LIKE 'firm:%'").fetchall()
    return {row["name"].removeprefix("firm:"): row["value"] for row in rows}


def _topic(ident: str) -> Topic:
    topic = TOPICS.get(ident)
    if topic is None:
        raise Refused("topic", ident, f"a topic such as {next(iter(TOPICS))}", next(iter(TOPICS)))
    return topic


def changed_joints(job: Job, topic: Topic, option: str) -> int:
    """How many joints of a job come, go, get another method, or another recipe if this option comes from the firm; for
    topics that only watch, how many findings come and go."""
    choices = dict(job.choices)
    choices.pop(topic.id, None)
    if option:
        choices[topic.id] = Choice(option=option, origin="firm")
    other = job.model_copy(update={"choices": choices})
    was, becomes = options_of(job), options_of(other)
    if was == becomes:
        return 0
    context = db.context(job.uid)
    before = derive(job, context)
    if topic.id == "filling":
        return _differing(top_up(before), top_up(derive(other, context)))
    if topic.id == "boiler-pipes":
        order, new = ([step.key for step in one] for one in (before.plan, derive(other, context).plan))
        return _differing(order, new)
    if topic.group == "hand":
        runs = {run.id: run.service for run in job.runs}
        kinds = Counter((joint.method, joint.pipe, runs[joint.run]) for joint in before.fitted.joints.values())
        sample = {(joint.method, joint.pipe, runs[joint.run]): joint for joint in before.fitted.joints.values()}
        catalogue = before.context.catalogue
        return sum(
            count
            for kind, count in kinds.items()
            if recipe_of(catalogue, sample[kind], kind[2], job.practice, was)
            != recipe_of(catalogue, sample[kind], kind[2], job.practice, becomes)
        )
    if topic.id in WATCHED:
        found = [{(one.rule, one.where) for one in derive(made, context).findings} for made in (job, other)]
        return len(found[0] ^ found[1])
    after = derive(other, context).fitted.joints
    # by run, not by key: a coupling over a stick that moves is not two joints more
    had, has = (
        Counter((joint.run, joint.method, joint.pipe) for joint in joints.values())
        for joints in (before.fitted.joints, after)
    )
    return max((had - has).total(), (has - had).total())


def _differing(before: Sequence[object], after: Sequence[object]) -> int:
    """In how many places two lists differ."""
    return sum(a != b for a, b in itertools.zip_longest(before, after))


def _effect(topic: Topic, option: str) -> list[dict[str, Any]]:
    conn = db.get()
    found = []
    for row in jobs_store.listing(conn):
        one = {"uid": row["uid"], "rev": row["head"], "title": row["title"], "own": "", "joints": 0, "broken": False}
        try:
            at = db.head_of(row["uid"])
            choice = at.job.choices.get(topic.id)
            one["own"] = choice.option if choice and choice.origin == "job" else ""
            one["joints"] = 0 if one["own"] else changed_joints(at.job, topic, option)
        except Exception:  # noqa: BLE001 - a job that fails fails alone
            one["broken"] = True
        found.append(one)
    return found


def _page(error: Refused | None = None) -> str:
    asked_topic, asked = request.values.get("topic", ""), request.values.get("option")
    effect = []
    if asked_topic and error is None:
        topic = _topic(asked_topic)
        if asked and topic.option(asked) is None:
            raise Refused("option", asked, " or ".join(option.id for option in topic.options), topic.options[0].id)
        effect = _effect(topic, asked) if asked is not None else []
    return render_template(
        "practice.html",
        topics=TOPICS.values(),
        firm=firm_choices(db.get()),
        asked_topic="" if error else asked_topic,
        asked=asked,
        effect=effect,
        error=error,
        typical=typical_rates(),
        own=dict(people_store.rates(db.get())),
    )


@bp.get("/practice")
def index() -> str:
    """The topics as a table; of one asked for its ways, and with a choice what it would change."""
    return _page()


@bp.post("/practice")
def choose() -> Any:
    """Make a choice the firm's, and an ordinary edit in each job that is ticked: undo works there."""
    topic, option = _topic(request.form.get("topic", "")), request.form.get("option", "")
    if option and topic.option(option) is None:
        raise Refused("option", option, " or ".join(one.id for one in topic.options), topic.options[0].id)
    conn = db.get()
    with writing(conn):
        if option:
            conn.execute("INSERT OR REPLACE INTO setting (name, value) VALUES (?, ?)", (f"firm:{topic.id}", option))
        else:
            conn.execute("DELETE FROM setting WHERE name = ?", (f"firm:{topic.id}",))
    late = []
    for ticked in request.form.getlist("job"):
        uid, _, rev = ticked.partition(":")
        try:
            practice = db.head_of(uid).job.practice
            edit_job(
                uid,
                int(rev),
                [{"do": "choose", "topic": topic.id, "option": option or topic.default[practice], "origin": "firm"}],
            )
        except (jobs_store.Stale, jobs_store.NoJob, ValueError):
            late.append(uid)
    if late:
        return _page(
            Refused(
                "job",
                ", ".join(late),
                "jobs nobody changed meanwhile; the firm's way is set, these were left alone",
                "",
            )
        ), 409
    return redirect(url_for(".index", done=topic.id), 303)


@bp.post("/practice/rates")
def set_rates() -> Any:
    """The firm's own minutes; an empty field goes back to the typical figure."""
    wanted: dict[str, float] = {}
    try:
        for what, (typical, _) in typical_rates().items():
            text = request.form.get(what, "").strip()
            minutes = parse(text, "time", "min", field=what) / 60 if text else typical
            if not 0 <= minutes <= 10_000:
                raise Refused(what, text, "minutes from 0 to 10000", "12")
            if text and minutes != typical:
                wanted[what] = minutes
    except Refused as error:
        return _page(error), 422
    conn = db.get()
    with writing(conn):
        conn.execute("DELETE FROM setting WHERE name LIKE 'rate:%'")
        conn.executemany(
            "INSERT INTO setting (name, value) VALUES (?, ?)",
            [(f"rate:{what}", repr(minutes)) for what, minutes in wanted.items()],
        )
    return redirect(url_for(".index", done="rates") + "#rates", 303)


def _standing(uid: str, today: date) -> dict[str, list[dict[str, Any]]]:
    """What of a job stands in the property: what comes round, its backflow assemblies with their last test and the
    next, where it can be shut, and its appliances with their serials."""
    at = db.head_of(uid)
    design, records = db.design_of(at), records_here(uid)
    rounds = reminders(design, date.fromisoformat(at.made_at[:10]), records)
    fitted = tested(design, records)
    assemblies = [{"uid": uid, "one": one, "overdue": one.overdue(today)} for one in fitted]
    by_test = {one.assembly.key for one in fitted}
    due = [{"uid": uid, "one": one, "overdue": one.due < today} for one in rounds if one.key not in by_test]
    shut = [{"uid": uid, "says": says} for says in shut_offs(design)]
    serials = [
        {"uid": uid, "station": station, "title": spec.kind(station.kind).title(at.job.practice)}
        for station in at.job.stations
        if station.state != "remove" and (station.serial or "hot" in spec.kind(station.kind).traits)
    ]
    return {"due": due, "assemblies": assemblies, "shut": shut, "serials": serials}


@bp.get("/property")
def property() -> str:  # noqa: A001 - the page's name
    """A card a house: what is due next, where it is shut, serials, its jobs."""
    conn = db.get()
    places: dict[str, dict[str, Any]] = {}
    for row in jobs_store.listing(conn):
        where = row["place"]
        empty: dict[str, Any] = {"due": [], "assemblies": [], "shut": [], "serials": []}
        place = places.setdefault(where.strip().lower(), {"place": where, "jobs": [], **empty})
        try:
            found = _standing(row["uid"], date.today())
        except Exception:  # noqa: BLE001 - a job that fails fails alone
            place["jobs"].append({"uid": row["uid"], "title": row["title"], "broken": True})
            continue
        place["jobs"].append({"uid": row["uid"], "title": row["title"], "broken": False})
        for what, standing in found.items():
            place[what] += standing
    for place in places.values():
        place["due"].sort(key=lambda row: row["one"].due)
    return render_template("property.html", places=list(places.values()))


@bp.post("/property/done")
def cared() -> Any:
    """Something that comes round was done today: kept as a record, it is due again from now."""
    uid, key = request.form.get("job", ""), request.form.get("key", "")
    at = db.head_of(uid)
    rounds = reminders(db.design_of(at), date.fromisoformat(at.made_at[:10]), records_here(uid))
    one = next((one for one in rounds if one.key == key), None)
    if one is None:
        known = next((one.key for one in rounds), "service/BLR")
        raise Refused("key", key, f"something that comes round, such as {known}", known)
    with writing(db.get()) as conn:
        done = record_now(uid, at.rev, "care", one.key, one.title, {"done": True}, form=request.form.get("uuid", ""))
        records_store.add_once(conn, done)
    return redirect(url_for(".property", done=key), 303)
