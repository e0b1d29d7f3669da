"""Prove: each section of each service by itself, with its own medium, pressure and joints."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from flask import Blueprint, redirect, request, url_for

from ..core.errors import Refused
from ..core.quantity import pressure_said
from ..core.services import spec
from ..core.services.water.assemblies import tested
from ..core.work.commissioning import commission_reads
from ..core.work.isolation import relights
from ..core.work.open_ends import open_ends
from ..core.work.readings import kept_in, read_readings
from ..core.work.records import in_order, joint_states, missing_checks
from ..core.work.standing import SAYS, SectionProof, joints_said
from ..core.work.steps import CommissionLine
from ..core.work.suspicion import suspects, test_map
from ..core.work.verdict import TestRule
from ..exchange.site import proofs_of
from ..store import records as records_store
from ..store.database import now, writing
from . import db
from .blocks import in_blocks
from .frame import Frame, page_data
from .live import running_cards
from .records import record_now, records_here
from .tested import body_of, gauge_of, instruments_for, prevented, rule_asked, temp_unit, typed_readings

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
                "stands": SAYS[one.standing],
                "running": one.running or one.section.key in now,
                "pressure": "its cold pressure, seen dry," if one.by_sight else target_said(one.rule),
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
        "assemblies": [f"{one.assembly.where.partition(',')[0]} {one.stands}" for one in tested(design, records)],
        "today": date.today().isoformat(),
    }


def _tints(
    frame: Frame, proofs: Sequence[SectionProof], shown: SectionProof | None, running: list[str]
) -> tuple[tuple[str, str], ...]:
    """What tests say of each piece; after a failed test the parts of the joints to soap first."""
    found = dict(test_map(frame.design, proofs, running))
    if shown is not None and shown.standing == "failed":
        for one in suspects(frame.design, shown, joint_states(records_here(frame.uid)))[:BRIGHT]:
            found[frame.design.fitted.joints[one.key].fitting_key] = "suspect"
    return tuple(sorted(found.items()))


def _whole(frame: Frame, shown: SectionProof) -> dict[str, Any]:
    """A section with all that is done to prove it, by the way to test that was chosen."""
    design, section, kind = frame.design, shown.section, shown.kind
    variants = kind.variants_of(design, section)
    variant = next(
        (one for one, _ in variants if one == request.values.get("variant")), variants[0][0] if variants else ""
    )
    try:
        rule = rule_asked(frame, shown, {**request.values, "variant": variant})
    except Refused:  # what is typed of a procedure is refused where it is sent
        rule = kind.rule_of(design, section, variant)
    instruments = instruments_for(rule)
    first = instruments["gauges"][0][0] if instruments["gauges"] else None
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
        "target": target_said(rule),
        "raise": pressure_said(rule.raise_pa, rule.unit) if rule.raise_pa else target_said(rule),
        "settle": _minutes(rule.settle_min),
        "hold": _minutes(rule.hold_min),
    }
    return {
        "list": listed,
        "variants": variants,
        "variant": variant,
        "asks": kind.asks.get(variant, ()),
        "let_by": rule.let_by,
        "stands": SAYS[shown.standing],
        "instruments": instruments,
        "prevents": prevented(rule, first, None) if rule.target_pa else rule.unfit,
        "media": (*kind.media, "gas") if rule.gas_too and kind.media else kind.media,
        "medium": kind.variant_media.get(variant, kind.medium),
        "asks_temp_unit": rule.unit == "psi",
        "temp_unit": temp_unit(frame.uid),
        "section": section,
        "kind": kind,
        "rule": rule,
        "words": words,
        "steps": [step.format(**words) for step in kind.variant_steps.get(variant, kind.steps)],
        "tests": shown.tests,
        "waiting": waiting,
        "wet": len(wet),
        "blank": blank,
        "missing": len(missing),
        "passed": shown.passed,
        "unproved": joints_said([design.joint_labels[key] for key in shown.unproved]),
        "by_sight": shown.by_sight,
        "out": kind.keeps_out(design, section, rule) if kind.keeps_out else (),
        "sees": kind.can_see(rule, gauge_of(first), first["name"]) if kind.can_see and first and rule.target_pa else (),
        "failed": shown.standing == "failed",
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
        "example": f"10:00, {pressure_said(rule.target_pa, rule.unit) if rule.target_pa else '37 mbar'}"
        + (", 18.5 C" if rule.temperatures else ""),
    }


def target_said(rule: TestRule) -> str:
    """The pressure a test is held at, in words: a range where the practice gives one."""
    if not rule.target_pa:
        return "the procedure's pressure"
    ends = sorted(
        {rule.least_pa or rule.target_pa, rule.most_pa if rule.most_pa <= 1.6 * rule.target_pa else 0.0} - {0.0}
    )
    low, high = pressure_said(ends[0], rule.unit), pressure_said(ends[-1], rule.unit)
    return low if low == high else f"{low.rpartition(' ')[0]} to {high}"


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
        rule = rule_asked(frame, shown, form)
        text = typed_readings(frame, rule.unit, form)
        if not read_readings(text, kept_in(rule.unit)):
            asked_for = "lines with time, pressure, temperature"
            raise Refused("readings", form.get("readings", "") or "nothing", asked_for, frame.data["proof"]["example"])
        body = body_of(frame, shown, records_here(uid), text, form)
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
            records_store.add_once(conn, record)
    except Refused as error:
        return frame.render("prove.html", typed=form, error=error), 422
    return redirect(url_for(".prove", uid=uid, section=asked, variant=form.get("variant") or None) + "#tests", 303)


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
                        kept = _reading(frame, one.line, said, form.get("by_role", "site lead"), form.get("uuid", ""))
                        records_store.add_once(conn, kept)
    except Refused as error:
        return frame.render("prove.html", typed=form, error=error), 422
    return redirect(url_for(".prove", uid=uid) + "#commission", 303)


def _reading(frame: Frame, line: CommissionLine, said: str, by_role: str, form: str) -> dict[str, Any]:
    return record_now(frame.uid, frame.rev, "commission", line.key, line.says[:60], {"said": said}, by_role, form)
