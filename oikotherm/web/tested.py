"""What is kept of a test: what was tested, with what, and how its joints were made then; and the instruments for it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from datetime import date
from typing import Any

from flask import request

from ..core.errors import Refused
from ..core.quantity import PA_PER_BAR, parse
from ..core.work.readings import Speech, canonical, kept_in, read_readings, speech_of
from ..core.work.records import joint_states
from ..core.work.standing import SectionProof
from ..core.work.verdict import Gauge, TestRule, gauge_unfit, most_temp_step_k, prevents, said, thermometer_unfit
from ..store import people as people_store
from . import db
from .frame import Frame

MOST_FILE_BYTES = 2_000_000


# --- instruments ------------------------------------------------------------------------------------------------------


def gauge_kept(row: Mapping[str, Any]) -> dict[str, Any]:
    """What a record keeps of the gauge it was read on."""
    gauge = gauge_of(row)
    return {
        "name": row["name"],
        "resolution_pa": gauge.resolution_pa,
        "range_pa": gauge.range_pa,
        "kind": gauge.kind,
        "calibrated_on": row["calibrated_on"],
        "due_on": row["due_on"],
    }


def gauge_of(row: Mapping[str, Any]) -> Gauge:
    """An instrument of the list as the judge knows it."""
    range_pa = (row["range_bar"] or 0.0) * PA_PER_BAR
    return Gauge(row["resolution_bar"] * PA_PER_BAR, range_pa, row["kind"], row["due_on"] or "")


def calibration_said(row: Mapping[str, Any], today: str) -> str:
    """How an instrument's calibration stands, in words."""
    if row["kind"] == "water":
        return "its own measure"
    if not row["calibrated_on"]:
        return "calibration not known"
    if row["due_on"] and row["due_on"] < today:
        return f"calibration out of date since {row['due_on']}"
    return f"calibrated {row['calibrated_on']}"


def instruments_for(rule: TestRule) -> dict[str, Any]:
    """The gauges and thermometers with which a test can pass, each with its calibration, those in date first; and the
    others with why not."""
    today = date.today().isoformat()
    conn = db.get()
    fit: list[tuple[dict[str, Any], str]] = []
    unfit: list[tuple[dict[str, Any], str]] = []
    thermometers: list[tuple[dict[str, Any], str]] = []
    too_coarse: list[tuple[dict[str, Any], str]] = []
    for row in people_store.gauges(conn):
        why = gauge_unfit(rule, gauge_of(row))
        (unfit if why else fit).append((row, "; ".join(why) or calibration_said(row, today)))
    fit.sort(key=lambda one: "out of date" in one[1])
    finest = gauge_of(fit[0][0]) if fit else None
    for row in people_store.thermometers(conn):
        why = thermometer_unfit(rule, finest, row["resolution_k"]) if finest else []
        (too_coarse if why else thermometers).append((row, "; ".join(why) or calibration_said(row, today)))
    finest_k = most_temp_step_k(rule, finest) if finest else None
    return {"gauges": fit, "thermometers": thermometers, "not_fit": [*unfit, *too_coarse], "most_step_k": finest_k}


# --- what was typed ---------------------------------------------------------------------------------------------------


def temp_unit(uid: str) -> str:
    """C or F of a bare temperature in a job, as it was said once; "" where nobody did."""
    row = db.get().execute("SELECT value FROM setting WHERE name = ?", (f"temperature:{uid}",)).fetchone()
    return str(row["value"]) if row else ""


def speech_here(frame: Frame, unit: str, form: Mapping[str, str] | None = None) -> Speech:
    """How figures are said in a job; C or F as chosen in the form, which is kept for the job."""
    asked = (form or {}).get("temp_unit", "")
    if asked in ("C", "F"):
        db.get().execute(
            "INSERT OR REPLACE INTO setting (name, value) VALUES (?, ?)", (f"temperature:{frame.uid}", asked)
        )
    return speech_of(frame.job.practice, unit, asked if asked in ("C", "F") else temp_unit(frame.uid))


def typed_readings(frame: Frame, unit: str, form: Mapping[str, str]) -> str:
    """The readings of the form, or of the file with it, as they are kept. Raises Refused."""
    speech = speech_here(frame, unit, form)
    upload = request.files.get("file")
    if upload is not None and upload.filename:
        text = upload.read(MOST_FILE_BYTES).decode("utf-8", "replace")
        return canonical(text, speech, file=True, day=date.today())
    return canonical(form.get("readings", ""), speech, day=date.today())


def within_scale(pressure_pa: float, gauge: Gauge, unit: str, field: str) -> float:
    """A pressure that a gauge can show. Raises Refused."""
    half = gauge.resolution_pa / 2 + 1e-6
    if not -half <= pressure_pa <= (gauge.range_pa * 1.006 or 1e9) + half:
        ends = said(gauge.range_pa, unit)
        raise Refused(field, said(pressure_pa, unit), f"0 to {ends}: this gauge ends at {ends}", said(0.0, unit))
    return pressure_pa


def rule_asked(frame: Frame, shown: SectionProof, form: Mapping[str, str]) -> TestRule:
    """What the section is tested with, by the variant and the answers of the form. Raises Refused."""
    return shown.kind.rule_of(frame.design, shown.section, form.get("variant", ""), form)


def body_of(
    frame: Frame, shown: SectionProof, records: list[Any], readings: str, form: Mapping[str, str]
) -> dict[str, Any]:
    """The body of a test's record: what was tested, with what, and how its joints were made then. readings: as they are
    kept; form: variant, instruments, medium, stage, let-by check as typed. Raises Refused."""
    kind, section, conn = shown.kind, shown.section, db.get()
    variants = kind.variants_of(frame.design, section)
    variant = form.get("variant", "") or (variants[0][0] if variants else "")
    rule = rule_asked(frame, shown, form)
    if rule.target_pa <= 0:
        raise Refused("procedure", "nothing", rule.unfit[0] if rule.unfit else "a test pressure", "37 mbar, 2 minutes")
    row = people_store.instrument(conn, form.get("gauge", ""))
    if row["kind"] in ("differential", "thermometer"):
        raise Refused("gauge", row["name"], "a gauge that reads the pressure of the test", "")
    gauge = gauge_of(row)
    for one in read_readings(readings, kept_in(rule.unit)):
        within_scale(one.pressure_pa, gauge, rule.unit, f"{one.at:%H:%M}")
    thermometer = form.get("thermometer", "")
    step_k = people_store.instrument(conn, thermometer)["resolution_k"] if thermometer else None
    states = joint_states(records)
    looked = section.joints if kind.looked_dry and rule.phase == "liquid" else {}
    asks = {ask.name: form[ask.name].strip()[:200] for ask in kind.asks.get(variant, ()) if form.get(ask.name)}
    straights, catalogue = frame.design.pipework.straights, frame.design.context.catalogue
    sizes = (catalogue.pipe(straights[key].pipe.code, straights[key].pipe.size) for key in section.straights)
    return {
        "section": section.key,
        "spec": kind.id,
        "medium": kind.medium_of(frame.design, section, form.get("medium", ""), variant),
        "target_pa": rule.target_pa,
        "gauge": gauge_kept(row),
        "joints": dict(section.joints),
        "volume_l": round(rule.volume_l, 3),
        "unit": rule.unit,
        "readings": readings,
        "asked": asdict(rule),
        "looked": {"joints": len(looked), "dry": sum(key in states and states[key].yes("dry") for key in looked)},
        "largest_mm": max((one.od_mm for one in sizes if one and one.od_mm), default=0.0),
        **({"thermometer": thermometer} if thermometer else {}),
        **({"temp_step_k": step_k} if step_k else {}),
        **({"variant": variant} if variant else {}),
        **({"said": asks} if asks else {}),
        **({"stage": stage} if (stage := form.get("stage", "")) in ("first", "final") else {}),
        **_let_by(frame, rule, gauge, form),
    }


def _let_by(frame: Frame, rule: TestRule, gauge: Gauge, form: Mapping[str, str]) -> dict[str, Any]:
    """The let-by check as typed, or that no supply is connected. Raises Refused."""
    typed = [form.get(name, "").strip() for name in ("let_by_start", "let_by_end")]
    if not any(typed):
        return {"no_supply": True} if form.get("no_supply") else {}
    if not all(typed):
        raise Refused("let-by", " ".join(typed), "both readings of the let-by check, a minute apart", "8.0 and 8.0")
    comma = frame.job.practice == "continental"
    read = [parse(one, "pressure", "mbar", field="let-by", decimal_comma=comma) for one in typed]
    return {"let_by_pa": [within_scale(one, gauge, rule.unit, "let-by") for one in read]}


def prevented(rule: TestRule, row: Mapping[str, Any] | None, step_k: float | None) -> tuple[str, ...]:
    """What prevents a pass before anybody pumps, with the instruments that are chosen."""
    if row is None:
        return ("no gauge of the list can give a pass: put one that does in People and instruments",)
    return prevents(rule, gauge_of(row), *([step_k] if step_k else []))
