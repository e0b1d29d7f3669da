"""The pack that is handed over: one gathering of facts, written as a page, a PDF, a calendar and a bundle."""

from __future__ import annotations

import io
import json
import sqlite3
import uuid as uuids
import zipfile
from collections.abc import Sequence
from datetime import UTC, date, datetime
from typing import Any

from ..core.design import Design, derive
from ..core.errors import Refused
from ..core.job.document import new_uid, read, write
from ..core.services.rooms import rooms
from ..core.work.care import Reminder, reminders, shut_offs, top_up
from ..core.work.plan import plan
from ..core.work.records import Record, joint_states, ticked
from ..core.work.steps import PackSection
from ..drawing import svg
from ..drawing.isometric import draw
from ..drawing.look import Look
from ..drawing.pdf import draw_on
from ..store import jobs as jobs_store
from ..store import records as records_store
from .cutlist import cut_csv, cut_rows
from .heating.sizes import sizes_of
from .site import tests_of

CAUTION = (
    "Lengths and sizes follow from what was paced and from figures of which some are typical. Gas, flue and unvented hot water are licensed work; "
    "local code and the authority decide. This is a calculation, not a certificate."
)
MOST_BYTES = 8_000_000


def sections_of(design: Design) -> list[PackSection]:
    """What each service puts into the pack."""
    made = (maker(design) for room in rooms().values() for maker in room.pack)
    return [one for one in made if one is not None]


def pack_of(design: Design, rev: int, records: Sequence[Record], today: date) -> dict[str, Any]:
    """All facts of the pack. complete: no open stop, and a passed test of the present pipework."""
    states = joint_states(records)
    done = ticked(records)
    tests = tests_of(design, records)
    stops = [finding.says for finding in design.open_findings if finding.severity == "stop"]
    joints = []
    for joint in design.fitted.joints.values():
        state = states.get(joint.key)
        joints.append({
            "label": design.joint_labels[joint.key], "method": joint.method, "part": joint.fitting_title, "pipe": joint.pipe,
            **{name: (getattr(state, name)[1:] if state and state.yes(name) else None) for name in ("made", "mark_seen", "dry")},
        })  # fmt: skip
    passed = bool(tests) and tests[0][1].outcome == "pass" and tests[0][2]
    return {
        "title": design.job.title, "place": design.job.place, "rev": rev, "today": today.isoformat(), "unit": design.job.pace_unit,
        "caption": f"{design.job.title}, isometric; lengths centre to centre; flow solid, return dashed",
        "sections": [{"title": one.title, "rows": [list(row) for row in one.rows]} for one in sections_of(design)], "complete": not stops and passed, "stops": stops, "sizes": sizes_of(design), "cuts": cut_rows(design), "joints": joints,
        "plan": [
            {"key": step.key, "title": step.title, "where": step.where, "minutes": step.minutes, "hold": step.hold, "done": done.get(step.key)}
            for step in plan(design)
        ],
        "tests": [
            {
                "at": record.made_at, "by_role": record.by_role, "gauge": str(record.body.get("gauge", {}).get("name", "")), "outcome": verdict.outcome,
                "drop_bar": round(verdict.drop_bar, 4), "hold_min": round(verdict.hold_min, 1), "reasons": list(verdict.reasons), "present": present,
            }
            for record, verdict, present in tests
        ],
        "shut_offs": list(shut_offs(design)), "top_up": list(top_up(design)),
        "waived": [{"says": f.says, "reason": f.waived} for f in design.findings if f.waived],
        "reminders": [{"title": r.title, "due": r.due.isoformat(), "why": r.why} for r in reminders(design, today)], "caution": CAUTION,
    }  # fmt: skip


def pack_pdf(design: Design, pack: dict[str, Any]) -> bytes:
    """The pack as PDF, A4 or Letter by practice; the same facts give the same bytes."""
    from reportlab.lib import colors
    from reportlab.lib.pagesizes import A4, LETTER
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

    page = LETTER if design.job.practice == "north-american" else A4
    width = page[0] - 80
    scene = draw(design, Look(width=1000, height=620))
    body = ParagraphStyle("body", fontName="Helvetica", fontSize=9, leading=12)
    small = ParagraphStyle("small", parent=body, fontSize=7.5, leading=9.5)
    head = ParagraphStyle(
        "head", parent=body, fontName="Helvetica-Bold", fontSize=12, leading=15, spaceBefore=10, spaceAfter=4
    )
    title = ParagraphStyle("title", parent=head, fontSize=17, leading=21)

    class Drawing(Flowable):  # type: ignore[misc]
        def wrap(self, *_: float) -> tuple[float, float]:
            return width, width * scene.height / scene.width

        def draw(self) -> None:
            draw_on(self.canv, scene, 0, 0, width)

    def text(words: Any, style: Any = body) -> Any:
        safe = (
            str(words).replace("&", "&amp;").replace("<", "&lt;").replace("–", "-").replace("“", '"').replace("”", '"')
        )
        return Paragraph(safe, style)

    def table(rows: list[list[Any]], shares: list[float]) -> Any:
        cells = [[text(cell, small) for cell in row] for row in rows]
        made = Table(cells, colWidths=[width * share for share in shares], repeatRows=1)
        made.setStyle(TableStyle([
            ("LINEBELOW", (0, 0), (-1, 0), 0.7, colors.black), ("LINEBELOW", (0, 1), (-1, -1), 0.25, colors.HexColor("#cfc9bb")),
            ("TOPPADDING", (0, 0), (-1, -1), 1.5), ("BOTTOMPADDING", (0, 0), (-1, -1), 2), ("LEFTPADDING", (0, 0), (-1, -1), 2), ("VALIGN", (0, 0), (-1, -1), "TOP"),
        ]))  # fmt: skip
        return made

    def steps(working: list[dict[str, Any]]) -> list[Any]:
        found = []
        for step in working:
            inputs = ", ".join(f"{name} {value:g}" for name, value in step["inputs"].items())
            found.append(
                text(f"{step['formula']}{': ' + inputs if inputs else ''} = {step['result']:g} {step['unit']}", small)
            )
        return found

    story: list[Any] = [
        text(pack["title"], title),
        text(pack["place"]),
        text(f"Revision {pack['rev']}, {pack['today']}"),
    ]
    status = (
        "Complete."
        if pack["complete"]
        else "Not complete. " + " ".join(pack["stops"] or ["No passed test of the present pipework."])
    )
    story += [text(status, head), Drawing(), text(pack["caption"], small), Spacer(1, 6)]
    for circuit in pack["sizes"]:
        pump = circuit["pump"]
        story.append(
            text(
                f"Sizes: circuit of {circuit['source']}, {circuit['medium']} {circuit['flow_c']:g}/{circuit['return_c']:g} C",
                head,
            )
        )
        story.append(
            text(
                f"Pump {pump['head_pa'] / 1000:.1f} kPa at {pump['flow_l_h']:.0f} L/h; index {circuit['index']}; water {circuit['volume_l']:.1f} L."
            )
        )
        rows = [["Section", "Pipe", "L/h", "m/s", "Pa/m", "Pa", "Limits"]]
        rows += [
            [
                s["id"],
                s["pipe"],
                f"{s['flow_l_h']:.0f}",
                f"{s['velocity_m_s']:.2f}",
                f"{s['gradient_pa_m']:.0f}",
                f"{s['drop_pa']:.0f}",
                "; ".join(s["over"]) or "holds",
            ]
            for s in circuit["sections"]
        ]
        story.append(table(rows, [0.12, 0.16, 0.1, 0.1, 0.1, 0.1, 0.32]))
        rows = [["Emitter", "W", "L/h", "Way there and back, Pa"]]
        rows += [
            [f"{e['id']} {e['name']}", f"{e['output_w']:.0f}", f"{e['flow_l_h']:.0f}", f"{e['path_pa']:.0f}"]
            for e in circuit["emitters"]
        ]
        story += [Spacer(1, 4), table(rows, [0.5, 0.12, 0.12, 0.26])]
        path = next((e["path"] for e in circuit["emitters"] if e["id"] == circuit["index"]), [])
        for section in circuit["sections"]:
            if section["id"] in path:
                story += [text(f"Working of section {section['id']}"), *steps(section["working"])]
        if circuit["vessel"]:
            vessel = circuit["vessel"]
            story.append(
                text(
                    f"Expansion vessel {vessel['needed_l']:.1f} L needed, take {vessel['chosen_l']:g} L; cold fill {vessel['cold_fill_bar']:.2f} bar",
                    head,
                )
            )
            story += steps(vessel["working"])
    for section in pack["sections"]:
        story.append(text(section["title"], head))
        if section["rows"]:
            story.append(table(section["rows"], [1 / len(section["rows"][0])] * len(section["rows"][0])))
    story.append(text(f"Cut list, {len(pack['cuts'])} cuts", head))
    rows = [["Piece", "Pipe", "Cut", "Centres mm", "From", "To"]]
    rows += [
        [
            c["label"],
            c["pipe"],
            c["cut"],
            f"{c['centre_mm']:g}",
            c["from"],
            f"{c['to']}; bend {c['bends']}" if c["bends"] else c["to"],
        ]
        for c in pack["cuts"]
    ]
    story.append(table(rows, [0.09, 0.11, 0.11, 0.12, 0.28, 0.29]))

    def said(found: Any) -> str:
        return f"{found[0]}, {found[1][:16].replace('T', ' ')}" if found else "-"

    story.append(text(f"Joints, {len(pack['joints'])}", head))
    rows = [["Joint", "Method", "Part", "Made", "Mark seen", "Dry"]]
    rows += [
        [j["label"], j["method"], j["part"], said(j["made"]), said(j["mark_seen"]), said(j["dry"])]
        for j in pack["joints"]
    ]
    story.append(table(rows, [0.1, 0.13, 0.29, 0.16, 0.16, 0.16]))
    story.append(text(f"Plan of work, {len(pack['plan'])} steps", head))
    rows = [["Step", "Where", "Min", "Done"]]
    rows += [[p["title"], p["where"], f"{p['minutes']:.0f}", said(p["done"])] for p in pack["plan"]]
    story.append(table(rows, [0.32, 0.38, 0.08, 0.22]))
    story.append(text("Tests", head))
    for test in pack["tests"]:
        still = "" if test["present"] else " The pipework changed since."
        story.append(
            text(
                f"Fill and leak, {test['at'][:16].replace('T', ' ')}, {test['by_role']}, {test['gauge']}: verdict {test['outcome']}.{still}"
            )
        )
        story += [text(reason, small) for reason in test["reasons"]]
    if not pack["tests"]:
        story.append(text("No test kept."))
    for name, words in (("Where it shuts off", pack["shut_offs"]), ("How to top up", pack["top_up"])):
        story.append(text(name, head))
        story += [text(f"{number}. {line}") for number, line in enumerate(words, 1)]
    story.append(text("Findings let stand", head))
    story += [text(f"{one['says']} Reason: {one['reason']}") for one in pack["waived"]] or [text("None.")]
    story.append(text("What comes round", head))
    story += [text(f"{one['due']}, every year: {one['title']}; {one['why']}") for one in pack["reminders"]] or [
        text("Nothing.")
    ]
    story += [Spacer(1, 8), text(pack["caution"], small)]
    out = io.BytesIO()
    SimpleDocTemplate(
        out,
        pagesize=page,
        leftMargin=40,
        rightMargin=40,
        topMargin=40,
        bottomMargin=40,
        title=pack["title"],
        invariant=1,
    ).build(story)
    return out.getvalue()


def reminders_ics(design: Design, start: date) -> bytes:
    """The reminders as a calendar file that any calendar reads."""
    from icalendar import Calendar, Event

    calendar = Calendar()
    calendar.add("prodid", "-//Oikotherm//reminders//EN")
    calendar.add("version", "2.0")
    for number, one in enumerate(reminders(design, start)):
        calendar.add_component(_event(Event(), design, one, number, start))
    found: bytes = calendar.to_ical()
    return found


def _event(event: Any, design: Design, one: Reminder, number: int, start: date) -> Any:
    event.add("uid", f"{design.job.uid}-{one.station}-{number}@oikotherm")
    event.add("dtstamp", datetime(start.year, start.month, start.day, tzinfo=UTC))
    event.add("dtstart", one.due)
    event.add("summary", f"{one.title}, {design.job.title}")
    event.add("description", f"{one.why}. {design.job.place}")
    event.add("rrule", {"freq": "monthly", "interval": one.every_months})
    return event


def bundle(conn: sqlite3.Connection, uid: str, today: date) -> bytes:
    """The whole job as one zip: document, records, labels, and what follows from them for the eye. Raises NoJob."""
    at = jobs_store.head(conn, uid)
    design = derive(at.job)
    files = {
        "job.oikotherm.json": write(at.job).encode(),
        "records.json": json.dumps(records_store.of_job(conn, uid), ensure_ascii=False, indent=1).encode(),
        "labels.json": json.dumps(dict(jobs_store.labels(conn, uid)), ensure_ascii=False, indent=1).encode(),
        "cut-list.csv": cut_csv(design).encode(),
        "drawing.svg": svg.write(draw(design, Look(width=1120, height=760)), standalone=True).encode(),
        "reminders.ics": reminders_ics(design, today),
    }
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(zipfile.ZipInfo(name, (2026, 1, 1, 0, 0, 0)), data, zipfile.ZIP_DEFLATED)
    return out.getvalue()


def import_bundle(conn: sqlite3.Connection, data: bytes) -> str:
    """Take in a bundle: document, records and labels; gives the uid. Under a new uid when it is taken, records too.

    The caller opens the transaction. Raises Refused for what is no bundle.
    """
    parts = _unzip(data)
    job = read(parts["job.oikotherm.json"])
    old_uid = job.uid
    if jobs_store.exists(conn, job.uid):
        job = job.model_copy(update={"uid": new_uid()})
    jobs_store.create(conn, job, "imported bundle")
    same = job.uid == old_uid

    def ident(found: Any) -> Any:
        return found if same or found is None else str(uuids.uuid5(uuids.NAMESPACE_URL, f"{job.uid}/{found}"))

    for record in parts["records"]:
        if not isinstance(record, dict):
            raise Refused("records.json", record, "a list of records", "[]")
        kept = {**record, "job": job.uid, "uuid": ident(record.get("uuid")), "corrects": ident(record.get("corrects"))}
        kept.pop("received_at", None)
        try:
            records_store.add(conn, kept)
        except (sqlite3.Error, TypeError) as error:
            raise Refused("records.json", record, f"a record as this program writes it ({error})", "") from None
    jobs_store.freeze_labels(conn, job.uid, 1, [{str(key): str(value)} for key, value in parts["labels"].items()])
    return job.uid


def _unzip(data: bytes) -> dict[str, Any]:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            sizes = {info.filename: info.file_size for info in archive.infolist()}
            if "job.oikotherm.json" not in sizes:
                raise Refused(
                    "bundle", ", ".join(list(sizes)[:4]), "a bundle with job.oikotherm.json", "lockhouse-bundle.zip"
                )
            if any(size > MOST_BYTES for size in sizes.values()):
                raise Refused(
                    "bundle", f"{max(sizes.values())} bytes in one file", f"files of at most {MOST_BYTES} bytes", ""
                )
            found: dict[str, Any] = {"job.oikotherm.json": archive.read("job.oikotherm.json")}
            for name, empty in (("records", "[]"), ("labels", "{}")):
                text = archive.read(f"{name}.json").decode() if f"{name}.json" in sizes else empty
                found[name] = json.loads(text)
    except (zipfile.BadZipFile, ValueError, RuntimeError, NotImplementedError, RecursionError) as error:
        raise Refused(
            "bundle", str(error)[:60], "a bundle that this program exported", "lockhouse-bundle.zip"
        ) from None
    if not isinstance(found["records"], list) or not isinstance(found["labels"], dict):
        raise Refused(
            "bundle", "records or labels of another kind", "a bundle that this program exported", "lockhouse-bundle.zip"
        )
    return found
