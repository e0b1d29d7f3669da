"""What belongs to Make beside the cut list: sticks with floating legs, piece cards, materials with prices."""

from __future__ import annotations

from dataclasses import asdict
from datetime import date
from typing import Any

from flask import Blueprint, Response, redirect, render_template, request, url_for
from markupsafe import Markup

from ..core.design import Design
from ..core.errors import Refused
from ..core.job.model import Job
from ..core.layout import Layout
from ..core.making.dry_fit import Place
from ..core.making.order import alternatives
from ..core.quantity import length_text, number
from ..core.supply import Price
from ..core.work.dry_fits import dry_fits
from ..core.work.floats import floating, propose
from ..core.work.records import used
from ..core.work.variants import joining_ways, variant_of
from ..drawing.piece_card import piece_card
from ..drawing.sheet import sheet_svg
from ..drawing.stick_bars import stick_bars
from ..exchange.merchant import USUAL, ask
from ..exchange.workshop import SHEETS, cards_of, nipple_rows, off_said, stock_said, ticket_rows, workshop_pdf
from ..store import jobs as jobs_store
from ..store import records as records_store
from ..store import supply as store
from ..store.database import writing
from ..workers import Made
from . import db
from .blocks import in_blocks
from .frame import Frame
from .records import record_now, records_here
from .worked import attached, by_worker, facts_of, made_html, made_json, part, saying, worked

bp = Blueprint("workshop", __name__, url_prefix="/jobs/<uid>/make")
MANY_BARS = 120  # beyond it only one pipe's bars are on the page
MOST_BARS = 40
TABS = (
    ("make.index", "Cut list"),
    ("workshop.sticks", "Sticks"),
    ("workshop.cards", "Piece cards"),
    ("workshop.materials", "Materials"),
    ("assembly.index", "Order of assembly"),
)


@bp.app_context_processor
def _tabs() -> dict[str, Any]:
    return {"MAKE_TABS": TABS}


def _worked_out(frame: Frame) -> Any:
    """Works a changed job out in the context of this one."""

    def make(job: Job) -> Layout:
        return Layout(job, frame.design.context)

    return make


@bp.get("/sticks")
def sticks(uid: str) -> str:
    """The pieces on stock lengths, pipe by pipe; what floating legs would save; the shop ticket; the dry fit."""
    said = part("sticks", uid, pipe=request.args.get("pipe", ""), floats=request.args.get("floats", ""))
    return render_template("worked.html", frame=Frame(uid, "make"), title="Sticks", said=said)


@by_worker("sticks", "Pieces on sticks", 240, "Take one pipe alone, or fewer runs.")
def _sticks_made(uid: str, pipe: str, floats: str) -> Made:
    frame = Frame(uid, "make")
    saying("weighing what may float" if floats == "ask" else "laying pieces on sticks")
    return made_html("_sticks.html", frame=frame, **_sticks(frame, pipe, ask=floats == "ask"))


def _sticks(frame: Frame, asked: str, *, ask: bool) -> dict[str, Any]:
    design, supply = frame.design, store.supply(db.get())
    pipes = design.materials_from(supply).pipes
    lengths = {cut.key: cut.cut_mm for cut in design.cuts}
    many = sum(len(pipe.layout.bars) for pipe in pipes) > MANY_BARS
    shown = [pipe for pipe in pipes if not many or pipe.pipe == (asked or pipes[0].pipe)]
    rows = []
    for pipe in shown:
        numbered = list(enumerate(pipe.layout.bars))
        listed = in_blocks(numbered, lambda one: one[0] // 10 * 10 + 1, frame.part, most=MOST_BARS)
        bars, first = [bar for _, bar in listed.rows], listed.rows[0][0] if listed.rows else 0
        first += 1 - sum(bar.stock.offcut for bar in pipe.layout.bars[:first])
        sheet = stick_bars(bars, design.piece_labels, lengths, frame.unit, supply.useful_mm, first=first)
        keep = [bar.rest_mm for bar in pipe.layout.bars if bar.rest_mm >= supply.useful_mm]
        rows.append(
            {
                "pipe": pipe,
                "list": listed,
                "said": stock_said(pipe, frame.unit),
                "waste_mm": pipe.layout.waste_mm - sum(keep),
                "keep": keep,
                "too_long": [design.piece_labels[key] for key in pipe.layout.too_long],
                "bars": Markup(sheet_svg(sheet, "stick-bars")) if bars else "",  # noqa: S704 - our own
            }
        )
    cards = cards_of(design, supply)
    legs = floating(design.job)
    return {
        "pipes": pipes,
        "rows": rows,
        "many": many,
        "supply": supply,
        "ticket": ticket_rows(design, cards),
        "nipples": nipple_rows(design, pipes),
        "floats": legs,
        "proposal": propose(design, supply, _worked_out(frame)) if ask and legs else None,
        "dry": [(run, [(one, _off_said(one, frame)) for one in found]) for run, found in dry_fits(design)],
    }


def _off_said(one: Place, frame: Frame) -> str:
    """How far a fitting stands off hand-tight, by axis, in words."""
    words = []
    for value, (ahead, back) in zip(one.off, (("E", "W"), ("N", "S"), ("U", "D")), strict=True):
        if abs(value) >= 0.5:
            way = ahead if value > 0 else back
            words.append(f"{way} {length_text(abs(value), frame.unit, with_unit=True)}")
    return ", ".join(words)


@bp.get("/cards")
def cards(uid: str) -> str:
    """A card a piece, by stick in cutting order: of all runs, or of those named."""
    said = part("cards", uid, runs=request.args.get("runs", ""))
    return render_template("worked.html", frame=Frame(uid, "make"), title="Piece cards", said=said)


@by_worker("cards", "Piece cards")
def _cards_made(uid: str, runs: str) -> Made:
    frame = Frame(uid, "make")
    saying("laying pieces on sticks")
    found = cards_of(frame.design, store.supply(db.get()))
    named = {one for one in runs.upper().split(",") if frame.job.run(one)}
    if named:
        found = tuple(one for one in found if one.label.rpartition("-")[0] in named)
    listed = in_blocks(found, lambda one: one.pipe, frame.part, lambda one: one.pipe == frame.of)
    rows = [
        (one, Markup(sheet_svg(piece_card(one, frame.unit, off_said(one)), "piece-card")))  # noqa: S704 - our own
        for one in listed.rows
    ]
    return made_html("_cards.html", frame=frame, rows=rows, list=listed, many=len(found), runs=sorted(named))


@bp.get("/<what>.pdf")
def paper(uid: str, what: str) -> Response:
    """Ticket, cards, strips or labels as PDF. Not found: status 404."""
    if what not in SHEETS:
        return Response("Not here: ticket, cards, strips and labels are.\n", 404, mimetype="text/plain")
    return attached(worked("paper", uid, what=what), inline=True)


@by_worker("paper", "Paper for the workshop", 240, "Print fewer runs.")
def _paper(uid: str, what: str) -> Made:
    frame = Frame(uid, "make")
    data = workshop_pdf(frame.design, store.supply(db.get()), what)
    return Made(data, "application/pdf", f"{uid}-{what}.pdf")


# --- materials --------------------------------------------------------------------------------------------------------


def _materials(uid: str, error: Refused | None = None) -> str:
    beside, conn = request.args.get("beside", ""), db.get()
    asked = request.form.get("merchant", "")
    return render_template(
        "materials.html",
        frame=Frame(uid, "make"),
        said=part("materials", uid, beside=beside, asked=asked),
        beside=beside,
        others=[(row["uid"], row["title"]) for row in jobs_store.listing(conn) if row["uid"] != uid],
        variants=part("beside", uid, beside=beside) if beside else "",
        error=error,
    )


@by_worker("beside", "One way beside another", 240)
def _beside_made(uid: str, beside: str) -> Made:
    """The job beside another way of joining, or beside another job, in figures."""
    frame, supply = Frame(uid, "make"), store.supply(db.get())
    saying("working out each way")
    variants = [variant_of(other, supply, title, present=present) for title, other, present in _beside(frame, beside)]
    return made_html("_variants.html", supply=supply, variants=variants)


@by_worker("materials", "Everything to order")
def _materials_made(uid: str, beside: str, asked: str) -> Made:
    frame, conn = Frame(uid, "make"), db.get()
    supply, design = store.supply(conn), frame.design
    saying("laying pieces on sticks")
    order = design.order(supply)
    stand_ins = {
        line.item: [_instead(design, line.price.instead, supply) if line.price and line.price.instead else None]
        + [_instead(design, one, supply) for one in alternatives(design.context.catalogue, line.item)[:3]]
        for line in (*order.missing, *order.unpriced)
    }
    return made_html(
        "_materials.html",
        frame=frame,
        order=order,
        used=used(records_here(uid)),
        beside=beside,
        instead={item: list(filter(None, found)) for item, found in stand_ins.items()},
        sources=store.price_sources(conn),
        usual=USUAL,
        asked=asked,
    )


def _design_of(frame: Frame, job: Job) -> Any:
    return Design(job, frame.design.context)


def _instead(design: Any, item: str, supply: Any) -> tuple[str, str, float | None]:
    """A part that may do instead: its id, what it is called, its price."""
    known = design.context.catalogue.parts
    price = next((one.each for one in supply.prices if one.item == item), None)
    return item, known[item].title if item in known else item, price


def _beside(frame: Frame, what: str) -> tuple[tuple[str, Any, bool], ...]:
    """What is compared: the job with each way of joining metal, or with another job, as a variant of it; nothing
    where nothing was asked for."""
    if what == "joints":
        return joining_ways(frame.design, lambda job: _design_of(frame, job))
    if not what:
        return ()
    try:
        other = db.design_of(db.head_of(what))
    except jobs_store.NoJob:
        raise Refused("beside", what, "a job that is here, or joints", "joints") from None
    return (frame.job.title, frame.design, True), (other.job.title, other, False)


@bp.get("/materials")
def materials(uid: str) -> str:
    """Everything to order by group, with stock, prices, what was used, and variants beside each other."""
    return _materials(uid)


@bp.get("/materials.csv")
def materials_file(uid: str) -> Response:
    """The order as CSV: item, title, group, takes, unit, spare, on_van, order, pack, price, cost."""
    return attached(worked("order", uid))


@by_worker("order", "The order as CSV")
def _order_made(uid: str) -> Made:
    from ..exchange.order_csv import order_csv

    text = order_csv(Frame(uid, "make").design.order(store.supply(db.get())))
    return Made(text.encode(), "text/csv", f"{uid}-order.csv")


@bp.post("/materials")
def change(uid: str) -> Any:
    """Ask the merchant for prices, take in a price list, or say what was used."""
    form, conn, what = request.form, db.get(), request.form.get("what", "")
    today = date.today().isoformat()
    try:
        if what == "merchant":
            said = facts_of(
                worked("merchant", uid, **{name: form.get(name, "") for name in ("merchant", "beside", "uuid")})
            )
            with writing(conn):
                store.put_prices(conn, [Price(**row) for row in said["prices"]], said["name"], today)
        elif what == "prices-file":
            upload = request.files.get("file")
            text = upload.read(4_000_000).decode("utf-8", "replace") if upload else ""
            found = store.read_prices(text)
            with writing(conn):
                store.put_prices(conn, found, "price list", today)
        elif what == "used":
            with writing(conn):
                records_store.add_once(conn, _used_record(uid, form))
        else:
            raise Refused("what", what, "merchant, prices-file or used", "merchant")
    except Refused as error:
        return _materials(uid, error), 422
    beside = form.get("beside") or None
    return redirect(url_for(".materials", uid=uid, done=what, beside=beside), 303)


@by_worker("merchant", "Asking the merchant", 60)
def _quoted(uid: str, merchant: str, beside: str, uuid: str) -> Made:
    """What a merchant quotes for the job, and for what it is compared with: {name, prices}. uuid: of the form, so that
    a later asking is another."""
    frame, supply = Frame(uid, "make"), store.supply(db.get())
    designs = [frame.design, *(one for _, one, mine in _beside(frame, beside) if not mine)]
    lines = {line.item: line for one in designs for line in one.order(supply).lines}
    saying("waiting for the merchant's answer")
    name, found = ask(merchant or USUAL, lines.values())
    return made_json({"name": name, "prices": [asdict(one) for one in found]})


def _used_record(uid: str, form: Any) -> dict[str, Any]:
    at = db.head_of(uid)
    comma = at.job.practice == "continental"
    count = number(form.get("count", ""), "count", "how many were used, a number", "4", decimal_comma=comma)
    item = form.get("item", "")[:120] or "?"
    title = form.get("title", "")[:120] or item
    return record_now(uid, at.rev, "used", item, title, {"count": count}, form.get("by_role", ""), form.get("uuid", ""))
