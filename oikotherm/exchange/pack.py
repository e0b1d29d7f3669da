"""The pack that is handed over: one gathering of facts, written as a page, a PDF, a calendar and a bundle."""

from __future__ import annotations

import io
import json
import sqlite3
import zipfile
from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, date, datetime
from typing import Any

from ..core.design import Design, derive
from ..core.job.document import write
from ..core.joints.fitted import Joint
from ..core.memory import Memory
from ..core.quantity import PA_PER_BAR, pressure_said
from ..core.services import spec
from ..core.services.heating.small_gauge import readings_of
from ..core.services.rooms import rooms, small_jobs
from ..core.services.water.assemblies import readings_said, tested
from ..core.work.care import reminders, shut_offs, top_up
from ..core.work.commissioning import commission_reads
from ..core.work.isolation import relights
from ..core.work.made import made_of
from ..core.work.open_ends import open_ends
from ..core.work.records import CHECK_WORDS, JointState, Record, checks_of, joint_states, ticked
from ..core.work.small import sheets_of
from ..core.work.standing import KeptTest, SectionProof, joints_said
from ..core.work.steps import PackSection, Reminder
from ..drawing import svg
from ..drawing.faces import missing_signs, texts_in
from ..drawing.isometric import draw
from ..drawing.look import Look
from ..store import jobs as jobs_store
from ..store import records as records_store
from .cutlist import cut_csv, cut_rows
from .heating.sizes import sizes_of
from .in_force import context_of, with_rows_in_force
from .site import proofs_of, records_of

CAUTION = (
    "Lengths and sizes follow from what was paced and from figures of which some are typical. Gas, flue and unvented "
    "hot water are licensed work; "
    "local code and the authority decide. This is a calculation, not a certificate."
)


def sections_of(design: Design) -> list[PackSection]:
    """What each service puts into the pack."""
    made = (maker(design) for room in rooms().values() for maker in room.pack)
    return [one for one in made if one is not None]


def _small_jobs(design: Design) -> list[PackSection]:
    """The small jobs: what was found and done, and the readings of a gauge that fell."""
    kinds, found = small_jobs(), []
    for task, sheet in sheets_of(design):
        rows = [("What", "Figure"), *sheet.heads]
        rows += [
            (at.strftime("%Y-%m-%d %H:%M"), f"{bar:.2f} bar, {temp:.0f} C") for _, at, bar, temp in readings_of(task)
        ]
        if len(rows) > 1:
            found.append(PackSection(kinds[task.kind].title, tuple(rows)))
    return found


def _commissioned(design: Design, records: Sequence[Record]) -> list[PackSection]:
    """What was read when it ran, station by station; a line nobody read is shown as such."""
    found = []
    for station, reads in commission_reads(design, records):
        rows = [("Commissioning", "Read", "Expected", "By")]
        for one in reads:
            said = f"{one.said} {one.line.unit}".strip() if one.said else "not read"
            said = f"{said}: {one.verdict}" if one.verdict else said
            rows.append((one.line.says, said, one.line.expected or one.line.source, one.by_role))
        found.append(PackSection(f"Commissioning of {station}", tuple(rows)))
    return found


def _seen(design: Design, joint: Joint, state: JointState | None) -> str:
    """The proof checks of a joint as recorded: those seen, in words, and the contours that were compared."""
    names = checks_of(design.context.catalogue, joint.method, joint.pipe)
    seen = [CHECK_WORDS[name].lower() for name in names if state and state.yes(name)]
    if state and all(state.contours):
        seen = [f"contour {state.contours[0]}" if one == "contour" else one for one in seen]
        seen += [state.wrong_jaw] if state.wrong_jaw else []
    return ", ".join(seen) or "-"


def pack_of(
    design: Design, rev: int, records: Sequence[Record], today: date, *, chapters: bool = True
) -> dict[str, Any]:
    """All facts of the pack. complete: no open stop, and a passed test of the present pipework. chapters: with those
    that are long: sizes, cuts, joints, plan, where it shuts off."""
    states, made = joint_states(records), made_of(design, records)
    done = ticked(records)
    proofs = proofs_of(design, records)
    stops = [finding.says for finding in design.open_findings if finding.severity == "stop"]
    joints = []
    for joint in design.fitted.joints.values() if chapters else ():
        state = states.get(joint.key)
        joints.append(
            {
                "label": design.joint_labels[joint.key],
                "method": joint.method,
                "part": joint.fitting_title,
                "pipe": joint.pipe,
                **{
                    name: (found[1:] if state and (found := state.mark(name)) and found[0] else None)
                    for name in ("made", "dry")
                },
                "seen": _seen(design, joint, state),
            }
        )
    passed = bool(proofs) and all(one.passed for one in proofs)
    return {
        "title": design.job.title,
        "place": design.job.place,
        "rev": rev,
        "today": today.isoformat(),
        "unit": design.job.pace_unit,
        "caption": f"{design.job.title}, isometric; lengths centre to centre; flow solid, return dashed",
        "sections": [
            {"title": one.title, "rows": [list(row) for row in one.rows]}
            for one in (
                *sections_of(design),
                *_small_jobs(design),
                *_commissioned(design, records),
                *_assemblies(design, records),
                *_waiting(design, done),
            )
        ],
        "complete": not stops and passed,
        "stops": stops,
        "sizes": sizes_of(design) if chapters else [],
        "cuts": cut_rows(design) if chapters else [],
        "joints": joints,
        "plan": [
            {
                "key": step.key,
                "title": step.title,
                "where": step.where,
                "minutes": step.minutes,
                "hold": step.hold,
                "done": done.get(step.key),
            }
            for step in (design.plan if chapters else ())
        ],
        "proofs": [
            {
                "title": f"{spec.service(one.section.service).title} {one.section.title}",
                "test": one.test,
                "medium": one.kind.medium,
                "target_bar": round(one.rule.target_pa / PA_PER_BAR, 4),
                "target": _target(one),
                "by_sight": one.by_sight,
                "joints": len(one.section.joints),
                "unproved": [design.joint_labels[key] for key in one.unproved],
                "passed": one.passed,
                "standing": one.standing,
                "said": _standing_said(design, one, len(one.section.joints.keys() - made.joints)),
                "plain": _plainly(one),
                "running": one.running,
                "tests": [_test_row(test) for test in one.tests],
            }
            for one in proofs
        ],
        "made": {
            "finished": made.finished,
            "runs": sorted(made.runs),
            "stations": sorted(made.stations),
            "joints": len(made.joints),
        },
        "shut_offs": list(shut_offs(design)) if chapters else [],
        "top_up": list(top_up(design)),
        "waived": [{"says": f.says, "reason": f.waived} for f in design.findings if f.waived],
        "reminders": [
            {
                "title": one.title,
                "due": one.due.isoformat(),
                "why": one.why,
                "by_owner": one.by_owner,
                "every": _every(one.every_months),
            }
            for one in reminders(design, today, records)
        ],
        "caution": CAUTION,
    }


def _target(one: SectionProof) -> str:
    """What a section is held at by the test it stands by, else by the usual one."""
    stood = next((test.record.body for test in one.tests if test.stands), None)
    if one.by_sight and stood is None:
        return "its cold pressure"
    pa, unit = (float(stood.get("target_pa") or 0.0), str(stood.get("unit", "bar"))) if stood else (0.0, "")
    pa, unit = (pa, unit) if pa else (one.rule.target_pa, one.rule.unit)
    return pressure_said(pa, unit) if pa else "the pressure of the procedure"


def _plainly(one: SectionProof) -> str:
    """How a section stands, for who lives with it."""
    stood = next((test for test in one.tests if test.stands), None)
    if one.running:
        return "in test now"
    if one.standing == "proved":
        return f"tested and tight on {stood.record.made_at[:10]}" if stood else "filled and seen dry"
    return {
        "failed": "its last test failed: tested again before it is used",
        "changed": "changed since it was tested: tested again before it is used",
        "never": "not tested yet",
    }[one.standing]


def _standing_said(design: Design, one: SectionProof, not_made: int) -> str:
    """How a section stands, in words: what no whole pass proves now is never said proved, and what is not made, or was
    not measured, is said beside it."""
    stood = next((test for test in one.tests if test.stands), None)
    unproved = joints_said([design.joint_labels[key] for key in one.unproved])
    if one.running:
        words = "in test now: not proved"
    elif one.standing == "proved":
        words = f"proved on {stood.record.made_at[:10]}" if stood else "proved: every joint seen dry"
    elif one.standing == "failed":
        failed = next(test for test in one.tests if test.clears)
        how = "was begun and not finished" if failed.verdict.outcome != "fail" else "failed"
        words = f"the test of {failed.record.made_at[:10]} {how}: not proved until a whole test passes"
    elif one.standing == "changed":
        words = f"changed since it was proved; not proved: {unproved}"
    else:
        words = f"not proved: {unproved}"
    many = len(one.section.joints)
    if not_made:
        words += f"; {not_made} of {many} joints {'is' if not_made == 1 else 'are'} not marked made"
    open_legs = _open_legs(design, one.section.runs)
    if open_legs:
        words += f"; open leg in {', '.join(open_legs)}: its length follows from the ends and was not taped"
    return words


def _open_legs(design: Design, runs: Sequence[str]) -> list[str]:
    """The runs with a leg whose length nobody measured."""
    found = []
    for ident in runs:
        run = design.job.run(ident)
        if (
            run is not None
            and run.state == "new"
            and any(item.kind == "leg" and item.length_mm is None for item in run.items)
        ):
            found.append(ident)
    return found


def _every(months: int) -> str:
    """How often something comes round, in words; "" for once."""
    if not months:
        return ""
    return "every year" if months == 12 else f"every {months} months"


def _assemblies(design: Design, records: Sequence[Record]) -> Iterable[PackSection]:
    """Every backflow assembly with its last test and the next."""
    rows = [("Backflow assembly", "Last test", "Readings", "Next by")]
    unit = "psi" if design.job.practice == "north-american" else "kPa"
    for one in tested(design, records):
        last = one.tests[0] if one.tests else None
        said = readings_said(one.assembly.kind, last.record.body["readings_pa"], unit) if last else []
        by = ""
        if last is not None:
            record = last.record
            by = f", {record.made_at[:10]}, {record.by_role}, licence {record.body['licence']}"
        figures = "; ".join(f"{what} {figure}" for what, figure in said) or "-"
        name = f"{one.assembly.size} {one.assembly.title}, {one.assembly.where}"
        rows.append((name, f"{one.stands}{by}", figures, one.due.isoformat() if one.due else "when it went in"))
    if len(rows) > 1:
        yield PackSection("Backflow assemblies", tuple(rows))


def _waiting(design: Design, done: Mapping[str, Any]) -> Iterable[PackSection]:
    """The register of open ends, and the gas appliances to be lit again after any gas-off."""
    ends = open_ends(design)
    if ends:
        rows = [("Open end", "Closed with", "By whom, since", "What finishes it")]
        for one in ends:
            tick = done.get(one.step)
            rows.append((one.where, one.closed, f"{tick[0]}, {tick[1][:10]}" if tick else "not made yet", one.finishes))
        yield PackSection("Open ends", tuple(rows))
    lit = done.get("light:gas")
    said = f"{lit[0]}, {lit[1][:10]}" if lit else "not yet"
    burners = [(ident, ", ".join(runs) or "none", said) for ident, runs in relights(design)]
    if burners:
        head = ("Appliance", "Its valve is on", "Lit by, when")
        yield PackSection("Relight after any gas-off: by the licensed person", (head, *burners))


def not_printed(design: Design, pack: dict[str, Any]) -> str:
    """The signs of a pack and its drawing that the faces of the print have not, each once; empty where all can be."""
    house = design.job.house
    names = [one.name for group in (design.job.stations, house.rooms, house.levels) for one in group]
    return missing_signs([*texts_in(pack), *names])


def _test_row(test: KeptTest) -> dict[str, Any]:
    record, verdict = test.record, test.verdict
    gauge = record.body.get("gauge") or {}
    return {
        "uuid": record.uuid,
        "at": record.made_at,
        "by_role": record.by_role,
        "gauge": str(gauge.get("name", "")),
        "resolution_pa": gauge.get("resolution_pa"),
        "calibrated_on": gauge.get("calibrated_on") or "",
        "due_on": gauge.get("due_on") or "",
        "variant": record.body.get("variant") or "",
        "medium": record.body.get("medium") or "",
        "stage": record.body.get("stage") or "",
        "volume_l": record.body.get("volume_l"),
        "unit": record.body.get("unit", "bar"),
        "target": pressure_said(target_pa, str(record.body.get("unit", "bar")))
        if (target_pa := float(record.body.get("target_pa") or 0.0))
        else "",
        "said": ", ".join(str(value) for value in (record.body.get("said") or {}).values()),
        "thermometer": record.body.get("thermometer") or "",
        "abandoned": bool(record.body.get("abandoned")),
        "steps": [{"formula": step.formula, "result": step.result, "unit": step.unit} for step in verdict.steps],
        "outcome": verdict.outcome,
        "drop_pa": round(verdict.drop_pa, 2),
        "hold_min": round(verdict.hold_min, 1),
        "reasons": list(verdict.reasons),
        "changed": len(test.changed),
        "stands": test.stands,
        "withdrawn": test.withdrawn,
        "remarks": [*verdict.remarks, *((verdict.stale,) if verdict.stale else ())],
        "stale": verdict.stale,
    }


def reminders_ics(design: Design, start: date, records: Sequence[Record] = ()) -> bytes:
    """The reminders as a calendar file that any calendar reads."""
    from icalendar import Calendar, Event

    calendar = Calendar()
    calendar.add("prodid", "-//Oikotherm//reminders//EN")
    calendar.add("version", "2.0")
    for number, one in enumerate(reminders(design, start, records)):
        calendar.add_component(_event(Event(), design, one, number, start))
    found: bytes = calendar.to_ical()
    return found


def _event(event: Any, design: Design, one: Reminder, number: int, start: date) -> Any:
    event.add("uid", f"{design.job.uid}-{one.station}-{number}@oikotherm")
    event.add("dtstamp", datetime(start.year, start.month, start.day, tzinfo=UTC))
    event.add("dtstart", one.due)
    event.add("summary", f"{one.title}, {design.job.title}")
    event.add("description", f"{one.why}. {design.job.place}")
    if one.every_months:
        event.add("rrule", {"freq": "monthly", "interval": one.every_months})
    return event


def bundle(conn: sqlite3.Connection, uid: str, today: date, memory: Memory | None = None) -> bytes:
    """The whole job as one zip: document, records, labels, and what follows from them for the eye. Raises NoJob."""
    at = jobs_store.head(conn, uid)
    design = derive(at.job, context_of(conn, uid, Memory() if memory is None else memory))
    files = {
        "job.oikotherm.json": write(with_rows_in_force(conn, at.job)).encode(),
        "records.json": json.dumps(records_store.of_job(conn, uid), ensure_ascii=False, indent=1).encode(),
        "labels.json": json.dumps(dict(jobs_store.labels(conn, uid)), ensure_ascii=False, indent=1).encode(),
        "cut-list.csv": cut_csv(design).encode(),
        "drawing.svg": svg.write(draw(design, Look(width=1120, height=760)), standalone=True).encode(),
        "reminders.ics": reminders_ics(design, today, records_of(conn, uid)),
    }
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(zipfile.ZipInfo(name, (2026, 1, 1, 0, 0, 0)), data, zipfile.ZIP_DEFLATED)
    return out.getvalue()
