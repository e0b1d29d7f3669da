"""Backflow assemblies: how each stands, its test read step by step, what its readings say, its certificate."""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import date
from typing import Any
from uuid import uuid4

from flask import Blueprint, abort, redirect, request, url_for

from ...core.errors import Refused
from ...core.quantity import PA_PER_BAR, PA_PER_PSI, length_text, parse
from ...core.services.water.assemblies import RECORD, Tested, readings_said, tested
from ...core.services.water.backflow import KINDS
from ...store import people as people_store
from ...store import records as records_store
from ...store.database import now, writing
from .. import db
from ..frame import Frame, page_data
from ..records import records_here

MOST_STEP_PA, MOST_RANGE_PA = 1_500.0, 2 * PA_PER_BAR  # a differential gauge is at least so fine, and no wider
UNITS = ("psi", "kPa")
STAGES = {"installed": "when it went in", "yearly": "yearly", "repaired": "after a repair"}
MOST_SAID = 4_000
bp = Blueprint("assemblies", __name__, url_prefix="/jobs/<uid>/backflow")


def _unit(frame: Frame) -> str:
    return "psi" if frame.job.practice == "north-american" else "kPa"


@page_data("assemblies")
def _assemblies(frame: Frame) -> dict[str, Any]:
    """Every assembly in short, the one looked at whole."""
    rows = tested(frame.design, records_here(frame.uid))
    asked = request.values.get("assembly", "")
    shown = next((one for one in rows if one.assembly.key == asked), None) or next(
        (one for one in rows if one.stands != "passed"), rows[0] if rows else None
    )
    today = date.today()
    return {
        "rows": [(one, one.overdue(today)) for one in rows],
        "shown": _shown(frame, shown) if shown else None,
        "today": today.isoformat(),
        "gauges": _gauges(),
        "units": UNITS,
        "stages": STAGES,
        "licences": {row["role"]: row["licence"] for row in people_store.people(db.get()) if row["licence"]},
    }


def _gauges() -> list[Any]:
    """The instruments a difference of a few psi can be read on, the differential ones first."""
    fit = [
        one
        for one in people_store.instruments(db.get())
        if one["resolution_bar"] * PA_PER_BAR <= MOST_STEP_PA
        and (one["range_bar"] or 99.0) * PA_PER_BAR <= MOST_RANGE_PA
    ]
    return sorted(fit, key=lambda one: "differential" not in one["name"])


def _shown(frame: Frame, one: Tested) -> dict[str, Any]:
    unit = request.form.get("unit") or _unit(frame)
    kind = KINDS[one.assembly.kind]
    per = PA_PER_PSI if unit == "psi" else 1000.0
    last = one.tests[0] if one.tests else None
    return {
        "one": one,
        "kind": kind,
        "unit": unit,
        "words": dict(kind.readings),
        "least": {name: round(value * PA_PER_PSI / per, 1) for name, value in kind.least_psi.items()},
        "up": None
        if one.assembly.up_mm is None
        else length_text(round(one.assembly.up_mm), frame.unit, with_unit=True),
        "tests": [
            {
                "record": test.record,
                "verdict": test.verdict,
                "readings": readings_said(test.record.body["kind"], test.record.body["readings_pa"], _unit(frame)),
                "stage": STAGES[test.record.body["stage"]],
                "stale": _stale(test.record.body["gauge"], test.record.made_at),
            }
            for test in one.tests
        ],
        "stage": "installed" if last is None else "yearly" if last.verdict.passed else "repaired",
        "serial": next((test.record.body.get("serial") for test in one.tests if test.record.body.get("serial")), ""),
        "licence": next((test.record.body["licence"] for test in one.tests), ""),
        "repair": last.verdict.parts if last is not None and not last.verdict.passed else (),
    }


def _stale(gauge: Mapping[str, Any], made_at: str) -> str:
    """What is said of a gauge whose calibration was not known, or over, on the day of a test."""
    if not gauge.get("calibrated_on"):
        return "calibration of the gauge not known"
    due = gauge.get("due_on") or ""
    return f"calibration of the gauge was due {due}" if due and due < made_at[:10] else ""


@bp.get("")
def index(uid: str) -> str:
    """The assemblies of a job, one of them with its test."""
    return Frame(uid, "assemblies").render("water/assemblies.html", typed={}, error=None)


@bp.post("")
def keep(uid: str) -> Any:
    """Keep a test of an assembly; the verdict follows from its readings. What cannot be read comes back as typed."""
    form, frame, conn = request.form, Frame(uid, "assemblies"), db.get()
    try:
        rows = {one.assembly.key: one for one in tested(frame.design, records_here(uid))}
        asked = form.get("assembly", "")
        if asked not in rows:
            raise Refused("assembly", asked, "an assembly of this job", next(iter(rows), ""))
        record = {
            "uuid": form.get("uuid", "") or str(uuid4()),
            "job": uid,
            "kind": RECORD,
            "key": asked,
            "label": rows[asked].assembly.where[:60],
            "rev": frame.rev,
            "made_at": now(),
            "by_role": form.get("by_role", "site lead"),
            "body": _body(rows[asked], form),
        }
        with writing(conn):
            records_store.add(conn, record)
    except Refused as error:
        return frame.render("water/assemblies.html", typed=form, error=error), 422
    return redirect(url_for(".index", uid=uid, assembly=asked) + "#tests", 303)


def _body(one: Tested, form: Mapping[str, str]) -> dict[str, Any]:
    """The body of a test's record from the form. Raises Refused."""
    assembly, unit = one.assembly, form.get("unit", "psi")
    if unit not in UNITS:
        raise Refused("unit", unit, " or ".join(UNITS), UNITS[0])
    readings, simulated, unit = _read(assembly.kind, form, unit)
    licence = form.get("licence", "").strip()
    if not licence:
        raise Refused("licence", "nothing", "the number of the tester's licence", "BT-2041")
    stage = form.get("stage", "yearly")
    if stage not in STAGES:
        raise Refused("stage", stage, ", ".join(STAGES), "yearly")
    gauge = people_store.instrument(db.get(), form.get("gauge", ""))
    body: dict[str, Any] = {
        "kind": assembly.kind,
        "stage": stage,
        "readings_pa": readings,
        "gauge": {
            "name": gauge["name"],
            "resolution_pa": gauge["resolution_bar"] * PA_PER_BAR,
            "range_pa": (gauge.get("range_bar") or 0.0) * PA_PER_BAR,
            "calibrated_on": gauge["calibrated_on"],
            "due_on": gauge["due_on"],
        },
        "licence": licence,
        "size": assembly.size,
        "title": assembly.title,
        "where": assembly.where,
        "simulated": simulated,
    }
    for name in ("serial", "repairs"):
        if form.get(name, "").strip():
            body[name] = form[name].strip()
    if form.get("line", "").strip():
        body["line_pa"] = parse(form["line"], "pressure", "psi" if unit == "psi" else "bar", field="line pressure")
    return body


def _read(kind: str, form: Mapping[str, str], unit: str) -> tuple[dict[str, float], bool, str]:
    """The readings [Pa] by the fields of the form, or as a gauge sent them; whether they are simulated; their unit.
    Raises Refused."""
    sent = form.get("sent", "").strip()[:MOST_SAID]
    said: Mapping[str, Any] = {name: form.get(name, "").strip() for name, _ in KINDS[kind].readings}
    simulated = False
    if sent:
        example = '{"unit": "psi", "readings": {"check1": 7.2, "relief": 2.6, "check2": 1.8}}'
        try:
            found = json.loads(sent)
            said, unit = {name: str(value) for name, value in found["readings"].items()}, str(found.get("unit", unit))
            simulated = bool(found.get("simulated", False))
        except (ValueError, KeyError, TypeError, AttributeError):
            raise Refused("readings", sent[:60], "what the gauge sends, as JSON", example) from None
        if unit not in UNITS:
            raise Refused("unit", unit, " or ".join(UNITS), example)
    readings = {}
    for name, words in KINDS[kind].readings:
        if not said.get(name):
            raise Refused(words, "nothing", f"the reading in {unit}", "7.2")
        readings[name] = parse(said[name], "pressure", unit, field=words)
    return readings, simulated, unit


@bp.get("/certificate/<ident>")
def certificate(uid: str, ident: str) -> str:
    """One test on a sheet for the authority and the owner. Not found: status 404."""
    frame = Frame(uid, "assemblies")
    kept = ((one, test) for one, _ in frame.data["rows"] for test in one.tests if test.record.uuid == ident)
    one, test = next(kept, (None, None))
    if one is None or test is None:
        abort(404)
    return frame.render(
        "water/certificate.html",
        one=one,
        test=test,
        readings=readings_said(one.assembly.kind, test.record.body["readings_pa"], _unit(frame)),
        stage=STAGES[test.record.body["stage"]],
        stale=_stale(test.record.body["gauge"], test.record.made_at),
        paper="letter" if frame.job.practice == "north-american" else "a4",
    )
