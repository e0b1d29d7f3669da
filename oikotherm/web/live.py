"""Tests that run: begun on Prove, their gauge sends readings to an address of its own, the page follows them."""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

from flask import Blueprint, Response, current_app, jsonify, redirect, render_template, request, url_for
from markupsafe import Markup

from ..core.errors import Refused
from ..core.quantity import convert, pressure_said
from ..core.work.readings import kept_in, one_reading, read_readings
from ..core.work.readings_in import EXAMPLE, MOST_SIGNS, Sent, read_lines, second_of, time_of
from ..core.work.records import Record
from ..core.work.standing import SectionProof, under_pressure, verdict_of
from ..core.work.verdict import LOGGED_K, Gauge
from ..drawing.trace import plot, trace_svg
from ..exchange.site import proofs_of
from ..store import live as store
from ..store import records as records_store
from ..store.database import now, writing
from . import db
from .frame import Frame
from .records import records_here
from .tested import body_of, speech_here, typed_readings, within_scale

bp = Blueprint("live", __name__)
SHOWN, KEPT = 400, 2_000  # stretches drawn and judged while it runs, lines kept of a test
MOST_POSTS, WINDOW_S = 600, 60.0


class Pace:
    """How often each token is posted to: no more than so many times a minute."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._posts: dict[str, deque[float]] = {}

    def allows(self, token: str) -> bool:
        """Count a post; whether it may come."""
        at = time.monotonic()
        with self._lock:
            posts = self._posts.setdefault(token, deque())
            while posts and at - posts[0] > WINDOW_S:
                posts.popleft()
            if len(posts) >= MOST_POSTS:
                return False
            posts.append(at)
            if len(self._posts) > 200:
                self._posts.pop(next(iter(self._posts)))
            return True


@bp.post("/readings/<token>")
def readings(token: str) -> Any:
    """Readings of a gauge, JSON lines. 404 for a token of no test, 410 once it is over, 413 and 429 beyond size and
    rate, 422 with the line for what cannot be read: then nothing of it is kept."""
    conn = db.get()
    if (request.content_length or 0) > MOST_SIGNS * 4:
        return _said("body", f"{request.content_length} bytes", f"at most {MOST_SIGNS} signs at once", 413)
    test = store.by_token(conn, token)
    if test is None:
        return _said("token", token[:40], "the address of a test that was begun here", 404)
    if test.ended_at:
        return _said("test", test.id, "a test that still runs", 410)
    if not current_app.extensions["pace"].allows(token):
        return _said("rate", f"more than {MOST_POSTS} a minute", "fewer posts, with more lines each", 429)
    try:
        sent = read_lines(request.get_data().decode("utf-8"))
    except UnicodeDecodeError:
        return _said("body", "bytes that are no text", "UTF-8", 422)
    except Refused as error:
        return jsonify(error=error.as_dict()), 422
    try:
        with writing(conn):
            new, again = store.add(conn, test.id, sent)
    except Refused as error:
        return jsonify(error=error.as_dict()), 422
    return jsonify(kept=new, again=again, next=store.next_seq(conn, test.id, sent[-1].source))


def _said(field: str, said: str, expected: str, status: int) -> tuple[Response, int]:
    return jsonify(error={"field": field, "said": said, "expected": expected, "example": EXAMPLE}), status


@bp.post("/jobs/<uid>/prove/live")
def begin(uid: str) -> Any:
    """Begin a test of a section: what is under test is kept as it is now."""
    form, frame, conn = request.form, Frame(uid, "prove"), db.get()
    try:
        shown = _section(frame, form.get("section", ""))
        body = body_of(frame, shown, records_here(uid), "", form)
        speech_here(frame, str(body["unit"]), form)
        with writing(conn):
            store.start(conn, uid, shown.section.key, shown.kind.id, form.get("by_role", "site lead"), body)
    except Refused as error:
        return frame.render("prove.html", typed=form, error=error), 422
    return redirect(
        url_for("prove.prove", uid=uid, section=shown.section.key, variant=form.get("variant") or None) + "#running",
        303,
    )


def _section(frame: Frame, asked: str) -> SectionProof:
    proofs = {one.section.key: one for one in proofs_of(frame.design, records_here(frame.uid))}
    if asked not in proofs:
        raise Refused(
            "section", asked, f"a section of this job: {', '.join(proofs) or 'none yet'}", next(iter(proofs), "")
        )
    return proofs[asked]


@bp.get("/jobs/<uid>/prove/live/<ident>")
def look(uid: str, ident: str) -> Any:
    """A running test as the page shows it: asked for every two seconds."""
    test = _of(uid, ident)
    return jsonify(fragment=card(test), ended=bool(test.ended_at), next=test.readings)


@bp.post("/jobs/<uid>/prove/live/<ident>/reading")
def by_hand(uid: str, ident: str) -> Any:
    """A reading by hand, or a file of them, into a running test."""
    conn, form = db.get(), request.form
    test = _running(uid, ident)
    frame, unit = Frame(uid, "prove"), str(test.body.get("unit", "bar"))
    try:
        upload = request.files.get("file")
        if upload is not None and upload.filename:
            rows, source = read_readings(typed_readings(frame, unit, form), kept_in(unit)), "file"
        else:
            now_utc = datetime.now(UTC).replace(tzinfo=None)
            typed = [form.get(name, "").strip() for name in ("pressure", "temp_c", "baro")]
            rows, source = (one_reading(now_utc, typed[0], typed[1], typed[2], speech_here(frame, unit, form)),), "hand"
        gauge = _gauge(test)
        first = store.next_seq(conn, ident, source)
        sent = [
            Sent(
                first + n,
                second_of(one.at.isoformat(), source),
                within_scale(one.pressure_pa, gauge, unit, f"{one.at:%H:%M}"),
                one.temp_c,
                one.baro_pa,
                source,
                one.temp_step_k,
            )
            for n, one in enumerate(rows)
        ]
        with writing(conn):
            store.add(conn, ident, sent)
    except Refused as error:
        return frame.render("prove.html", typed=form, error=error), 422
    return redirect(url_for("prove.prove", uid=uid, section=test.section) + "#running", 303)


def _gauge(test: store.Live) -> Gauge:
    kept = test.body.get("gauge") or {}
    return Gauge(float(kept.get("resolution_pa") or 1.0), float(kept.get("range_pa") or 0.0))


@bp.post("/jobs/<uid>/prove/live/<ident>/keep")
def keep(uid: str, ident: str) -> Any:
    """End a test and keep it with its readings; the verdict follows from them."""
    conn = db.get()
    test = _running(uid, ident)
    lines = _lines(test, *store.buckets(conn, ident, KEPT))
    if len(lines) < 2:
        error = Refused("readings", f"{len(lines)}", "two readings or more before it is kept", "")
        return Frame(uid, "prove").render("prove.html", typed=request.form, error=error), 422
    _end(uid, test, lines, {})
    return redirect(url_for("prove.prove", uid=uid, section=test.section) + "#tests", 303)


@bp.post("/jobs/<uid>/prove/live/<ident>/stop")
def stop(uid: str, ident: str) -> Any:
    """End a test before its end. One that was under pressure is kept as abandoned, which takes an earlier pass away;
    withdrawn with a reason it is kept and does not count."""
    test, why = _running(uid, ident), request.form.get("withdrawn", "").strip()[:200]
    lines = _lines(test, *store.buckets(db.get(), ident, KEPT))
    if lines and (why or under_pressure(test.most_pa, test.body)):
        _end(uid, test, lines, {"withdrawn": why} if why else {"abandoned": True})
    else:
        with writing(db.get()) as conn:
            store.end(conn, ident, "")
    return redirect(url_for("prove.prove", uid=uid, section=test.section) + "#tests", 303)


def _end(uid: str, test: store.Live, lines: list[str], more: dict[str, Any]) -> None:
    """Keep a test with its readings, and end it."""
    conn, frame = db.get(), Frame(uid, "prove")
    record = {
        "uuid": test.id,
        "job": uid,
        "kind": "test",
        "key": test.spec,
        "label": "Test",
        "rev": frame.rev,
        "made_at": now(),
        "by_role": test.by_role,
        "body": {**_with_step(test), "readings": "\n".join(lines), **more},
    }
    with writing(conn):
        records_store.add(conn, record)
        store.end(conn, test.id, test.id)


def _with_step(test: store.Live) -> dict[str, Any]:
    """The body of a test with the step of its thermometer: its entry, else what its sources say."""
    return {**test.body, "temp_step_k": test.body.get("temp_step_k") or test.temp_step_k or LOGGED_K}


def _of(uid: str, ident: str) -> store.Live:
    test = store.one(db.get(), ident)
    if test.job != uid:
        raise Refused("test", ident, "a test of this job", "")
    return test


def _running(uid: str, ident: str) -> store.Live:
    test = _of(uid, ident)
    if test.ended_at:
        raise Refused("test", ident, "a test that still runs", "")
    return test


def _lines(test: store.Live, first: float, rows: Sequence[store.Bucket]) -> list[str]:
    """The readings of a test as a kept test has them: time, pressure, temperature, barometer; long ones by means."""
    unit = str(test.body.get("unit", "bar"))
    found = []
    for row in rows:
        value, _ = convert(f"{row.pressure_pa:.9g} Pa", unit)
        line = f"{time_of(first + row.second)}, {value:.7g}"
        if row.temp_c is not None or row.baro_pa is not None:
            line += f", {row.temp_c:.3f}" if row.temp_c is not None else ", "
        if row.baro_pa is not None:
            line += f", {row.baro_pa / 100:.3f}"
        found.append(line)
    return found


def running_cards(uid: str) -> list[tuple[store.Live, Markup]]:
    """The running tests of a job, each with its card."""
    return [(test, card(test)) for test in store.running(db.get(), uid)]


def card(test: store.Live) -> Markup:
    """A running test: its trace, what it reads now, and the verdict as it would be now."""
    unit, asked = str(test.body.get("unit", "bar")), test.body.get("asked") or test.body["rig"]
    first, rows = store.buckets(db.get(), test.id, SHOWN)
    settle, hold = float(asked["settle_min"]), float(asked["hold_min"])
    begun = [row for row in rows if row.second / 60 >= settle - 1e-9] or rows[:1]
    start = begun[0].pressure_pa if begun else test.body["target_pa"]
    permitted = float(test.body["gauge"]["resolution_pa"])
    lines = _lines(test, first, rows)
    verdict = None
    if len(lines) > 1:
        body = {**_with_step(test), "readings": "\n".join(lines)}
        verdict = verdict_of(Record(test.id, "test", test.spec, "", 0, test.started_at, test.by_role, body, None, 0.0))
        permitted = verdict.permitted_pa or permitted
    minutes = rows[-1].second / 60 if rows else 0.0
    drawn = plot(
        [(row.second / 60, row.pressure_pa, row.least_pa, row.most_pa) for row in rows],
        (start - permitted, start),
        settle,
        hold,
        lambda pa: pressure_said(pa, unit),
    )
    left = max(settle + hold - minutes, 0.0)
    return Markup(
        render_template(
            "_live.html",
            test=test,
            svg=Markup(trace_svg(drawn)),  # noqa: S704 - our own drawing
            now=rows[-1] if rows else None,
            said=pressure_said(rows[-1].pressure_pa, unit) if rows else "",
            verdict=verdict,
            minutes=minutes,
            left=left,
            count=sum(row.count for row in rows),
        )
    )
