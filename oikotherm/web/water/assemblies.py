"""Backflow assemblies: how each stands, its test read step by step, what its readings say, its certificate."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any
from uuid import uuid4

from flask import Blueprint, abort, redirect, request, url_for

from ...core.errors import Refused
from ...core.quantity import PA_PER_BAR, PA_PER_PSI, length_text, parse
from ...core.reading import read_json
from ...core.services.water.assemblies import RECORD, Tested, readings_said, tested
from ...core.services.water.backflow import KINDS, within_line
from ...store import people as people_store
from ...store import records as records_store
from ...store.database import now, writing
from .. import db
from ..frame import Frame, page_data
from ..records import records_here
from ..tested import calibration_said, gauge_kept, gauge_of, within_scale

MOST_STEP_PA = 1_500.0  # a differential gauge is at least so fine
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


def _gauges() -> list[tuple[Any, str]]:
    """The differential gauges with their calibration, those in date first."""
    today = date.today().isoformat()
    found = [
        (dict(one), calibration_said(dict(one), today))
        for one in people_store.instruments(db.get())
        if one["kind"] == "differential" and one["resolution_bar"] * PA_PER_BAR <= MOST_STEP_PA
    ]
    return sorted(found, key=lambda one: "out of date" in one[1])


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
                "stale": test.gauge_said,
                "certifies": test.certifies,
            }
            for test in one.tests
        ],
        "stage": "installed"
        if last is None
        else "yearly"
        if last.certifies
        else "repaired"
        if not last.verdict.passed
        else "yearly",
        "serial": next((test.record.body.get("serial") for test in one.tests if test.record.body.get("serial")), ""),
        "licence": next((test.record.body["licence"] for test in one.tests), ""),
        "repair": last.verdict.parts if last is not None and not last.verdict.passed else (),
    }


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
            "body": _body(rows[asked], form, frame.job.practice == "continental"),
        }
        with writing(conn):
            records_store.add_once(conn, record)
    except Refused as error:
        return frame.render("water/assemblies.html", typed=form, error=error), 422
    return redirect(url_for(".index", uid=uid, assembly=asked) + "#tests", 303)


def _body(one: Tested, form: Mapping[str, str], comma: bool) -> dict[str, Any]:
    """The body of a test's record from the form. Raises Refused."""
    assembly, unit = one.assembly, form.get("unit", "psi")
    if unit not in UNITS:
        raise Refused("unit", unit, " or ".join(UNITS), UNITS[0])
    row = people_store.instrument(db.get(), form.get("gauge", ""))
    if row["kind"] != "differential":
        raise Refused("gauge", row["name"], "a differential gauge", "differential gauge 0-15 psi, 0.1")
    gauge = gauge_of(row)
    readings, simulated, unit = _read(assembly.kind, form, unit, comma)
    for name, words in KINDS[assembly.kind].readings:
        within_scale(readings[name], gauge, unit, words)
    line_pa = None
    if form.get("line", "").strip():
        bare = "psi" if unit == "psi" else "bar"
        line_pa = parse(form["line"], "pressure", bare, field="pressure before it", decimal_comma=comma)
        within_line(readings, line_pa, unit)
    licence = form.get("licence", "").strip()
    if not licence:
        raise Refused("licence", "nothing", "the number of the tester's licence", "BT-2041")
    stage = form.get("stage", "yearly")
    if stage not in STAGES:
        raise Refused("stage", stage, ", ".join(STAGES), "yearly")
    body: dict[str, Any] = {
        "kind": assembly.kind,
        "stage": stage,
        "readings_pa": readings,
        "gauge": gauge_kept(row),
        "licence": licence,
        "size": assembly.size,
        "title": assembly.title,
        "where": assembly.where,
        "simulated": simulated,
    }
    if form.get("repairs", "").strip():
        body["repairs"] = form["repairs"].strip()
    if line_pa is not None:
        body["line_pa"] = line_pa
    return {**body, **_serial(one, form)}


def _serial(one: Tested, form: Mapping[str, str]) -> dict[str, Any]:
    """The serial of the assembly; another than before is asked about: a new assembly, or mistyped? Raises Refused."""
    typed = form.get("serial", "").strip()
    before = next((test.record.body["serial"] for test in one.tests if test.record.body.get("serial")), "")
    if not typed or not before or typed == before:
        return {"serial": typed or before} if typed or before else {}
    if form.get("serial_is") == "new":
        return {"serial": typed, "replaces": before}
    if form.get("serial_is") == "mistyped":
        return {"serial": before}
    raise Refused("serial", typed, f"{before}, as before: say whether this is a new assembly, or mistyped", before)


def _read(kind: str, form: Mapping[str, str], unit: str, comma: bool) -> tuple[dict[str, float], bool, str]:
    """The readings [Pa] by the fields of the form, or as a gauge sent them; whether they are simulated; their unit.
    Raises Refused."""
    sent = form.get("sent", "").strip()[:MOST_SAID]
    said: Mapping[str, Any] = {name: form.get(name, "").strip() for name, _ in KINDS[kind].readings}
    simulated = False
    if sent:
        example = '{"unit": "psi", "readings": {"check1": 7.2, "relief": 2.6, "check2": 1.8}}'
        try:
            found = read_json(sent, "readings", example)
            said, unit = {name: str(value) for name, value in found["readings"].items()}, str(found.get("unit", unit))
            simulated = bool(found.get("simulated", False))
        except (KeyError, TypeError, AttributeError):
            raise Refused("readings", sent[:60], "what the gauge sends, as JSON", example) from None
        if unit not in UNITS:
            raise Refused("unit", unit, " or ".join(UNITS), example)
    readings = {}
    for name, words in KINDS[kind].readings:
        if not said.get(name):
            raise Refused(words, "nothing", f"the reading in {unit}", "7.2")
        readings[name] = parse(said[name], "pressure", unit, field=words, decimal_comma=comma)
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
        stale=test.gauge_said,
        paper="letter" if frame.job.practice == "north-american" else "a4",
    )
