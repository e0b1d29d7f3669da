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
from ..core.quantity import PA_PER_BAR, convert, parse, pressure_said
from ..core.work.proof import read_readings
from ..core.work.readings_in import EXAMPLE, MOST_SIGNS, Sent, read_lines, second_of, time_of
from ..core.work.records import Record
from ..core.work.sections import SectionProof, verdict_of
from ..drawing.trace import plot, trace_svg
from ..exchange.site import proofs_of
from ..store import live as store
from ..store import people as people_store
from ..store import records as records_store
from ..store.database import now, writing
from . import db
from .frame import Frame
from .records import records_here
from .tested import body_of

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
    with writing(conn):
        new, again = store.add(conn, test.id, sent)
    return jsonify(kept=new, again=again, next=store.next_seq(conn, test.id))


def _said(field: str, said: str, expected: str, status: int) -> tuple[Response, int]:
    return jsonify(error={"field": field, "said": said, "expected": expected, "example": EXAMPLE}), status


@bp.post("/jobs/<uid>/prove/live")
def begin(uid: str) -> Any:
    """Begin a test of a section: what is under test is kept as it is now."""
    form, frame, conn = request.form, Frame(uid, "prove"), db.get()
    try:
        shown = _section(frame, form.get("section", ""))
        variant = form.get("variant", "")
        rule = shown.kind.rule_of(frame.design, shown.section, variant)
        gauge = people_store.instrument(conn, form.get("gauge", ""))
        body = body_of(frame, shown, rule, variant, gauge, records_here(uid), "", form)
        with writing(conn):
            store.start(conn, uid, shown.section.key, shown.kind.id, form.get("by_role", "site lead"), body)
    except Refused as error:
        return frame.render("prove.html", typed=form, error=error), 422
    return redirect(url_for("prove.prove", uid=uid, section=shown.section.key) + "#running", 303)


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
    return jsonify(fragment=card(test), ended=bool(test.ended_at), next=store.next_seq(db.get(), ident))


@bp.post("/jobs/<uid>/prove/live/<ident>/reading")
def by_hand(uid: str, ident: str) -> Any:
    """A reading by hand, or a file of them, into a running test."""
    conn, form = db.get(), request.form
    test = _running(uid, ident)
    unit = str(test.body.get("unit", "bar"))
    try:
        upload = request.files.get("file")
        if upload is not None and upload.filename:
            text = upload.read(2_000_000).decode("utf-8", "replace")
            rows = read_readings(text, unit)
            first = store.next_seq(conn, ident)
            sent = [
                Sent(
                    first + n,
                    second_of(one.at.isoformat(), "file"),
                    one.pressure_bar * PA_PER_BAR,
                    one.temp_c,
                    one.baro_pa,
                    "file",
                )
                for n, one in enumerate(rows)
            ]
        else:
            pressure = parse(form.get("pressure", ""), "pressure", unit, field="pressure")
            temp = form.get("temp_c", "").strip()
            baro = form.get("baro", "").strip()
            sent = [
                Sent(
                    store.next_seq(conn, ident),
                    datetime.now(UTC).timestamp(),
                    pressure,
                    parse(temp, "temperature", "C", field="temperature") if temp else None,
                    parse(baro, "pressure", "mbar", field="barometer") if baro else None,
                    "hand",
                )
            ]
        with writing(conn):
            store.add(conn, ident, sent)
    except Refused as error:
        return Frame(uid, "prove").render("prove.html", typed=form, error=error), 422
    return redirect(url_for("prove.prove", uid=uid, section=test.section) + "#running", 303)


@bp.post("/jobs/<uid>/prove/live/<ident>/keep")
def keep(uid: str, ident: str) -> Any:
    """End a test and keep it with its readings; the verdict follows from them."""
    conn = db.get()
    test = _running(uid, ident)
    lines = _lines(test, *store.buckets(conn, ident, KEPT))
    if len(lines) < 2:
        error = Refused("readings", f"{len(lines)}", "two readings or more before it is kept", "")
        return Frame(uid, "prove").render("prove.html", typed=request.form, error=error), 422
    frame = Frame(uid, "prove")
    record = {
        "uuid": ident,
        "job": uid,
        "kind": "test",
        "key": test.spec,
        "label": "Test",
        "rev": frame.rev,
        "made_at": now(),
        "by_role": test.by_role,
        "body": {**test.body, "readings": "\n".join(lines)},
    }
    with writing(conn):
        records_store.add(conn, record)
        store.end(conn, ident, ident)
    return redirect(url_for("prove.prove", uid=uid, section=test.section) + "#tests", 303)


@bp.post("/jobs/<uid>/prove/live/<ident>/stop")
def stop(uid: str, ident: str) -> Any:
    """End a test without keeping a verdict of it; its readings stay."""
    test = _running(uid, ident)
    with writing(db.get()) as conn:
        store.end(conn, ident, "")
    return redirect(url_for("prove.prove", uid=uid, section=test.section), 303)


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
    unit, rig = str(test.body.get("unit", "bar")), test.body["rig"]
    first, rows = store.buckets(db.get(), test.id, SHOWN)
    settle, hold = float(rig["settle_min"]), float(rig["hold_min"])
    begun = [row for row in rows if row.second / 60 >= settle - 1e-9] or rows[:1]
    start = begun[0].pressure_pa if begun else test.body["target_pa"]
    permitted = float(test.body.get("permitted_pa") or test.body["gauge"]["resolution_pa"])
    lines = _lines(test, first, rows)
    verdict = None
    if len(lines) > 1:
        body = {**test.body, "readings": "\n".join(lines)}
        verdict = verdict_of(Record(test.id, "test", test.spec, "", 0, test.started_at, test.by_role, body, None, 0.0))
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
