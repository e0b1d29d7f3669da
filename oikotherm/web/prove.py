"""Prove: each section of each service by itself, with its own medium, pressure and joints."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from flask import Blueprint, redirect, request, url_for

from ..core.errors import Refused
from ..core.quantity import PA_PER_BAR, pressure_said
from ..core.services import spec
from ..core.services.water.assemblies import tested
from ..core.work.commissioning import commission_reads
from ..core.work.isolation import relights
from ..core.work.open_ends import open_ends
from ..core.work.proof import read_readings
from ..core.work.records import in_order, joint_states, missing_checks
from ..core.work.sections import SectionProof
from ..core.work.steps import CommissionLine
from ..core.work.suspicion import suspects, test_map
from ..exchange.site import proofs_of
from ..store import people as people_store
from ..store import records as records_store
from ..store.database import now, writing
from . import db
from .blocks import in_blocks
from .frame import Frame, page_data
from .live import running_cards
from .records import record_now, records_here
from .tested import body_of

BRIGHT = 8  # joints that brighten on the drawing
MOST_SUSPECTS = 24  # joints listed after a failed test
bp = Blueprint("prove", __name__, url_prefix="/jobs/<uid>/prove")


def _minutes(minutes: float) -> str:
    return f"{minutes:.0f} minute{'' if minutes == 1 else 's'}"


@page_data("prove")
def _prove(frame: Frame) -> dict[str, Any]:
    """All sections in short, and the one looked at whole: what the next test takes, its joints, the tests so far."""
    design, records = frame.design, records_here(frame.uid)
    proofs = proofs_of(design, records)
    asked = request.values.get("section", "")
    running = running_cards(frame.uid)
    now = {test.section for test, _ in running}
    shown = next((one for one in proofs if one.section.key == asked), None) or next(
        (one for one in proofs if not one.passed), proofs[0] if proofs else None
    )
    return {
        "proofs": [
            {
                "key": one.section.key,
                "title": f"{spec.service(one.section.service).title} {one.section.title}",
                "passed": one.passed,
                "running": one.section.key in now,
                "pressure": pressure_said(one.rule.target_pa, one.rule.unit),
                "medium": one.kind.medium,
                "joints": len(one.section.joints),
            }
            for one in proofs
        ],
        "proof": _whole(frame, shown) if shown else None,
        "open_ends": [(one.where, one.closed, one.finishes) for one in open_ends(design)],
        "relights": relights(design),
        "titles": {one.section.key: f"{spec.service(one.section.service).title} {one.section.title}" for one in proofs},
        "commission": commission_reads(design, records),
        "running": running,
        "test_map": frame.drawing(
            ident="where-drawing",
            width=480,
            height=400,
            findings=False,
            measures=False,
            services=frozenset({shown.section.service}) if shown else frozenset(),
            tints=_tints(frame, proofs, shown, sorted(now)),
        )
        if proofs
        else "",
        "gauges": people_store.instruments(db.get()),
        "assemblies": [f"{one.assembly.where.partition(',')[0]} {one.stands}" for one in tested(design, records)],
        "today": date.today().isoformat(),
    }


def _tints(
    frame: Frame, proofs: Sequence[SectionProof], shown: SectionProof | None, running: list[str]
) -> tuple[tuple[str, str], ...]:
    """What tests say of each piece; after a failed test the parts of the joints to soap first."""
    found = dict(test_map(frame.design, proofs, running))
    if shown is not None and shown.tests and shown.tests[0].verdict.outcome == "fail" and not shown.passed:
        for one in suspects(frame.design, shown, joint_states(records_here(frame.uid)))[:BRIGHT]:
            found[frame.design.fitted.joints[one.key].fitting_key] = "suspect"
    return tuple(sorted(found.items()))


def _whole(frame: Frame, shown: SectionProof) -> dict[str, Any]:
    """A section with all that is done to prove it."""
    design, section, rule, kind = frame.design, shown.section, shown.rule, shown.kind
    records = records_here(frame.uid)
    states, soaped = joint_states(records), _soaped(records)
    catalogue, fitted = design.context.catalogue, design.fitted
    wet = [key for key in section.joints if kind.looked_dry and not (key in states and states[key].yes("dry"))]
    missing = {
        key: blanks
        for key in section.joints
        if (blanks := missing_checks(catalogue, fitted.joints[key].method, fitted.joints[key].pipe, states.get(key)))
    }
    listed = in_blocks([fitted.joints[key] for key in section.joints], lambda joint: joint.run, frame.part)
    shown_here = {joint.key: joint for joint in listed.rows}
    waiting = [
        {
            "key": key,
            "label": design.joint_labels[key],
            "title": one.fitting_title,
            "method": one.method,
            "pipe": one.pipe,
            "fitting": one.fitting_key,
        }
        for key in wet
        if (one := shown_here.get(key))
    ]
    blank = [{"label": design.joint_labels[key], "missing": missing[key]} for key in shown_here if key in missing]
    words = {
        "target": pressure_said(rule.target_pa, rule.unit),
        "raise": pressure_said(rule.raise_pa or rule.target_pa, rule.unit),
        "settle": _minutes(rule.settle_min),
        "hold": _minutes(rule.hold_min),
    }
    return {
        "list": listed,
        "variants": (variants := kind.variants_of(design, section)),
        "let_by": any(one in kind.let_by for one, _ in variants),
        "section": section,
        "kind": kind,
        "rule": rule,
        "words": words,
        "steps": [step.format(**words) for step in kind.steps],
        "tests": shown.tests,
        "waiting": waiting,
        "wet": len(wet),
        "blank": blank,
        "missing": len(missing),
        "passed": shown.passed,
        "unproved": [design.joint_labels[key] for key in shown.unproved],
        "out": kind.keeps_out(design, section, rule) if kind.keeps_out else (),
        "sees": _sees(frame, shown),
        "failed": bool(shown.tests) and shown.tests[0].verdict.outcome == "fail" and not shown.passed,
        "suspects": [
            {
                "key": one.key,
                "label": design.joint_labels[one.key],
                "title": fitted.joints[one.key].fitting_title,
                "method": fitted.joints[one.key].method,
                "pipe": fitted.joints[one.key].pipe,
                "fitting": fitted.joints[one.key].fitting_key,
                "why": ", ".join(one.reasons),
                "weight": min(one.weight, 6),
                **soaped.get(one.key, {}),
            }
            for one in suspects(design, shown, states)[:MOST_SUSPECTS]
        ],
        "gauge": _fit_gauge(shown),
        "example": f"2026-03-01T10:00, {words['target']}" + (", 18.5" if rule.temperatures else ""),
    }


def _fit_gauge(shown: SectionProof) -> int:
    """The place in the list of the first gauge that can read the test pressure: fine enough, and made for it."""
    rule = shown.rule
    for number, gauge in enumerate(people_store.instruments(db.get())):
        step_pa, range_pa = gauge["resolution_bar"] * PA_PER_BAR, (gauge["range_bar"] or 0.0) * PA_PER_BAR
        high_enough = range_pa >= max(rule.raise_pa, rule.target_pa)
        if high_enough and step_pa <= rule.coarsest_pa and range_pa <= (rule.most_range_pa or range_pa):
            return number
    return 0


def _sees(frame: Frame, shown: SectionProof) -> tuple[str, ...]:
    """What a test of a section can say before anybody pumps, by the gauge that fits best."""
    gauges = people_store.instruments(db.get())
    if shown.kind.can_see is None or not gauges:
        return ()
    gauge = gauges[_fit_gauge(shown)]
    return shown.kind.can_see(frame.design, shown.section, gauge["name"], gauge["resolution_bar"] * PA_PER_BAR)


def _soaped(records: list[Any]) -> dict[str, dict[str, bool]]:
    """What the soap said of each joint last."""
    said: dict[str, dict[str, bool]] = {}
    for record in in_order(records):
        if record.kind == "soap":
            marks = {name: bool(value) for name, value in record.body.items() if value is not None}
            said[record.key] = {**said.get(record.key, {}), **marks}
    return said


@bp.get("")
def prove(uid: str) -> str:
    """The sections of the job, and one of them with its test."""
    return Frame(uid, "prove").render("prove.html", typed={}, error=None)


@bp.post("")
def keep_test(uid: str) -> Any:
    """Keep a test of a section with its readings; the verdict follows from them. What cannot be read comes back as
    typed."""
    form = request.form
    frame = Frame(uid, "prove")
    conn = db.get()
    try:
        proofs = {one.section.key: one for one in proofs_of(frame.design, records_here(uid))}
        asked = form.get("section", "")
        shown = proofs.get(asked)
        if shown is None:
            raise Refused(
                "section", asked, f"a section of this job: {', '.join(proofs) or 'none yet'}", next(iter(proofs), "")
            )
        text = form.get("readings", "")
        upload = request.files.get("file")
        if upload is not None and upload.filename:
            text = upload.read(2_000_000).decode("utf-8", "replace")
        if not read_readings(text, shown.rule.unit):
            example = frame.data["proof"]["example"]
            raise Refused("readings", text, "at least two lines: time, pressure, temperature", example)
        gauge = people_store.instrument(conn, form.get("gauge", ""))
        variant = form.get("variant", "")
        rule = shown.kind.rule_of(frame.design, shown.section, variant)
        body = body_of(frame, shown, rule, variant, gauge, records_here(uid), text, form)
        record = {
            "uuid": form.get("uuid", ""),
            "job": uid,
            "kind": "test",
            "key": shown.kind.id,
            "label": shown.kind.title,
            "rev": frame.rev,
            "made_at": now(),
            "by_role": form.get("by_role", "site lead"),
            "body": body,
        }
        with writing(conn):
            records_store.add(conn, record)
    except Refused as error:
        return frame.render("prove.html", typed=form, error=error), 422
    return redirect(url_for(".prove", uid=uid, section=asked) + "#tests", 303)


@bp.post("/commission")
def keep_reading(uid: str) -> Any:
    """Keep what was read on one or more lines of a commissioning record; lines left as they were are not kept again."""
    form, frame, conn = request.form, Frame(uid, "prove"), db.get()
    try:
        with writing(conn):
            for _, reads in commission_reads(frame.design, records_here(uid)):
                for one in reads:
                    said = form.get(one.line.key, "").strip()
                    if said and said != one.said:
                        records_store.add(conn, _reading(frame, one.line, said, form.get("by_role", "site lead")))
    except Refused as error:
        return frame.render("prove.html", typed=form, error=error), 422
    return redirect(url_for(".prove", uid=uid) + "#commission", 303)


def _reading(frame: Frame, line: CommissionLine, said: str, by_role: str) -> dict[str, Any]:
    return record_now(frame.uid, frame.rev, "commission", line.key, line.says[:60], {"said": said}, by_role)
