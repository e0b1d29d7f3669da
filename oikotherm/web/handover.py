"""Hand over: the printable sheet with drawing and cut list."""

from __future__ import annotations

from datetime import date
from typing import Any

from flask import Blueprint, Response, redirect, render_template, request, url_for
from markupsafe import Markup

from ..drawing import svg
from ..drawing.isometric import draw
from ..drawing.look import Look, pieces_of, usual_levels
from ..drawing.trace import trace_svg
from ..exchange.cutlist import cut_rows, totals
from ..exchange.site import records_of
from ..exchange.tested import plot_of
from ..store import jobs as jobs_store
from ..store import people as people_store
from ..store import supply as supply_store
from ..store.database import now, writing
from ..workers import Made
from . import db, incoming
from .frame import Frame, page_data
from .worked import attached, by_worker, made_html, part, saying, worked

bp = Blueprint("handover", __name__, url_prefix="/jobs/<uid>/handover")


@bp.get("")
def index(uid: str) -> str:
    """What goes with the job: the sheet, the files, and what is still open."""
    frame = Frame(uid, "handover")
    return frame.render("handover.html", drawing=frame.drawing(width=780, height=400))


@bp.post("/print")
def freeze(uid: str) -> Any:
    """Keep the labels of pieces and joints as they stand, then show the sheet of this revision."""
    frame = Frame(uid, "handover")
    if incoming.rev_of(request.form.get("rev", "")) != frame.rev:
        return redirect(url_for(".index", uid=uid), 303)
    conn = db.get()
    with writing(conn):
        jobs_store.freeze_labels(conn, uid, frame.rev, (frame.design.piece_labels, frame.design.joint_labels))
        conn.execute("INSERT OR REPLACE INTO setting (name, value) VALUES (?, ?)", (f"printed:{uid}", str(frame.rev)))
    return redirect(url_for(".sheet", uid=uid), 303)


@page_data("handover")
def _handover(frame: Frame) -> dict[str, Any]:
    """The facts of the pack at the head, without its long chapters."""
    from ..exchange.pack import not_printed

    pack = _facts(frame, chapters=False)
    plots = {record.uuid: plot_of(record) for record in records_of(db.get(), frame.uid)}
    charts = {key: Markup(trace_svg(one)) for key, one in plots.items() if one}  # noqa: S704 - our own drawing
    large = bool(usual_levels(frame.design))
    return {"pack": pack, "large": large, "not_printed": not_printed(frame.design, pack), "charts": charts}


def _facts(frame: Frame, *, chapters: bool = True) -> dict[str, Any]:
    from ..exchange.pack import pack_of

    records = records_of(db.get(), frame.uid)
    return pack_of(frame.design, frame.rev, records, date.today(), chapters=chapters)


@bp.get("/pack")
def pack(uid: str) -> Any:
    """The pack as a page for the printer; of a large house it is a PDF."""
    if usual_levels(Frame(uid, "handover").design):
        return redirect(url_for(".pdf", uid=uid), 303)
    return part("pack-page", uid)


@by_worker("pack-page", "The pack as a page", 240)
def _pack_page(uid: str) -> Made:
    from ..exchange.packpdf import test_said

    frame, look = Frame(uid, "handover"), Look(width=1040, height=640)
    return made_html(
        "pack.html",
        frame=frame,
        charts=frame.data["charts"],
        test_said=test_said,
        pack=_facts(frame),
        drawing=svg.write(draw(frame.design, look)),
        paper="letter" if frame.job.practice == "north-american" else "a4",
    )


@by_worker("pack", "The pack as PDF", 240)
def _pack(uid: str, whom: str) -> Made:
    """A pack as PDF: whole, or for one of PACKS."""
    from ..exchange.packpdf import pack_pdf
    from ..exchange.packs import Firm
    from ..exchange.packs import pack_for as made_for

    saying("working out the house")
    frame, conn = Frame(uid, "handover"), db.get()
    plots = {record.uuid: plot_of(record) for record in records_of(conn, uid)}
    pack = _facts(frame)
    saying("setting the pages")
    if whom == "pack":
        data = pack_pdf(frame.design, pack, plots)
    else:
        firm = Firm(tuple((row["role"], row["licence"]) for row in people_store.people(conn)))
        data = made_for(whom, frame.design, pack, plots, supply_store.supply(conn), firm)
    return Made(data, "application/pdf", f"{uid}-{whom}.pdf")


@bp.get("/pack.pdf")
def pdf(uid: str) -> Response:
    """The pack as PDF."""
    return attached(worked("pack", uid, whom="pack"))


@bp.get("/for-<whom>.pdf")
def pack_for(uid: str, whom: str) -> Response:
    """The pack for the customer, the inspector or the fitter. Not found: status 404."""
    from ..exchange.packs import PACKS

    if whom not in PACKS:
        return Response("Not here: customer, inspector and fitter are.\n", 404, mimetype="text/plain")
    return attached(worked("pack", uid, whom=whom))


@bp.post("/pack.pdf")
def make_pack(uid: str) -> Response:
    """The pack as PDF, noted as handed over at this revision: the stage counts as filled when no stop is open."""
    conn = db.get()
    with writing(conn):
        rev = jobs_store.head_rev(conn, uid)
        conn.execute("INSERT OR REPLACE INTO setting (name, value) VALUES (?, ?)", (f"packed:{uid}", str(rev)))
    return pdf(uid)


@bp.get("/reminders.ics")
def ics(uid: str) -> Response:
    """What comes round, as a calendar file."""

    from ..exchange.pack import reminders_ics

    data = reminders_ics(Frame(uid, "handover").design, date.today(), records_of(db.get(), uid))
    return attached(Made(data, "text/calendar", f"{uid}-reminders.ics"))


@bp.get("/bundle.zip")
def bundle_zip(uid: str) -> Response:
    """Document, records and labels in one file that imports again."""
    return attached(worked("bundle", uid))


@by_worker("bundle", "The bundle")
def _bundle(uid: str) -> Made:
    from ..exchange.pack import bundle

    return Made(bundle(db.get(), uid, date.today(), db.memory()), "application/zip", f"{uid}-bundle.zip")


@bp.get("/sheet")
def sheet(uid: str) -> str:
    """The sheet alone, for the printer; of a large house one level, with its runs."""
    frame = Frame(uid, "handover")
    tall, design = frame.job.practice == "north-american", frame.design
    levels = usual_levels(design)
    if levels and frame.job.level(request.args.get("level", "")):
        levels = frozenset({request.args["level"]})
    look = Look(projection=frame.look().projection, width=1040, height=640 if tall else 620, levels=levels)
    here = pieces_of(design, levels) if levels else design.fitted.pieces
    rows = [row for row in cut_rows(design) if row["key"] in here]
    return render_template(
        "sheet.html",
        frame=frame,
        rows=rows,
        level=next(iter(levels), ""),
        totals=totals(design),
        flame=any(joint.method == "capillary" for joint in design.fitted.joints.values()),
        drawing=svg.write(draw(frame.design, look)),
        today=now(),
        paper="letter" if tall else "a4",
    )
