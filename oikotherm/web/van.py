"""The van: tools with jaws, stock with prices, and the fitting book, whose measures overrule the catalogue
everywhere."""

from __future__ import annotations

from datetime import date
from typing import Any

from flask import Blueprint, Response, redirect, render_template, request, url_for

from ..core.catalogue import standard
from ..core.catalogue.measured import FIELDS, TUBE_FIELD, book_row, said_mm
from ..core.errors import Refused
from ..core.making.bends import radius_of_test_piece
from ..core.quantity import number, parse_length_mm
from ..exchange.tube_table import read_tubes
from ..store import supply as supply_store
from ..store import van as store
from ..store.database import writing
from . import db

bp = Blueprint("van", __name__, url_prefix="/van")


def van_tools() -> list[str]:
    """The tools on the van, as the finder takes them."""
    return store.tool_words(db.get())


def _page(**more: Any) -> str:
    conn = db.get()
    catalogue = standard()
    known = catalogue.parts
    rows = [
        {"id": ident, "title": known[ident].title if ident in known else ident, "count": count, "price": price}
        for ident, (count, price) in store.stock(conn).items()
    ]
    kept = store.book(conn)
    book = [{"row": row, "said": said_mm(catalogue, row)} for row in kept if not row.part.startswith("tube ")]
    tubes: dict[str, list[tuple[float, float, str]]] = {}
    for row in kept:
        if row.part.startswith("tube ") and (at := TUBE_FIELD.fullmatch(row.field)):
            tubes.setdefault(row.part, []).append((float(at[1]), row.value, row.on))
    return render_template(
        "van.html",
        tools=store.tools(conn),
        kinds=store.TOOL_KINDS,
        stock=rows,
        book=book,
        tubes={name: sorted(points) for name, points in tubes.items()},
        fields=FIELDS,
        parts=known.values(),
        today=date.today().isoformat(),
        offcuts=supply_store.offcuts(conn),
        cutting=supply_store.settings(conn),
        sources=supply_store.price_sources(conn),
        **{"typed": {}, "error": None, **more},
    )


@bp.get("")
def index() -> str:
    """Tools, stock, fitting book."""
    return _page()


@bp.post("")
def change() -> Any:
    """Add, change or take out a line of one of the three."""
    form, conn, what = request.form, db.get(), request.form.get("what", "")
    try:
        with writing(conn):
            if what == "tool":
                store.put_tool(
                    conn,
                    form.get("kind", ""),
                    form.get("contour", ""),
                    form.get("size", ""),
                    form.get("serviced_on", ""),
                )
            elif what == "remove-tool":
                store.remove_tool(conn, form.get("id", ""))
            elif what == "stock":
                store.put_stock(conn, standard(), form.get("part", ""), form.get("count", ""), form.get("price", ""))
            elif what == "stock-file":
                upload = request.files.get("file")
                store.read_stock(conn, standard(), upload.read(2_000_000).decode("utf-8", "replace") if upload else "")
            elif what == "book":
                value = parse_length_mm(form.get("value", ""), "mm", field="value")
                store.put_book(
                    conn,
                    book_row(standard(), form.get("part", ""), form.get("field", ""), value, date.today().isoformat()),
                )
            elif what == "bender":
                first, second, cut = (
                    parse_length_mm(form.get(name, ""), "mm", field=name) for name in ("first", "second", "cut")
                )
                radius = radius_of_test_piece(first, second, cut)
                store.put_book(
                    conn,
                    book_row(
                        standard(),
                        f"bender {' '.join(form.get('pipe', '').split())}",
                        "radius_mm",
                        radius,
                        date.today().isoformat(),
                    ),
                )
            elif what == "offcut":
                count = form.get("count", "")
                supply_store.put_offcut(conn, standard(), form.get("pipe", ""), form.get("length", ""), count)
            elif what == "cutting":
                for name in supply_store.SETTINGS:
                    supply_store.put_setting(conn, name, _number(form.get(name, ""), name))
            elif what == "forget-prices":
                supply_store.forget_prices(conn, form.get("source", ""))
            elif what == "tube-file":
                upload = request.files.get("file")
                text = upload.read(500_000).decode("utf-8", "replace") if upload else ""
                store.put_tubes(conn, read_tubes(standard(), text, date.today().isoformat()))
            elif what == "remove-tube":
                store.remove_tube(conn, form.get("part", ""))
            elif what == "remove-book":
                store.remove_book(conn, form.get("part", ""), form.get("field", ""))
            else:
                raise Refused(
                    "what", what, "tool, stock, stock-file, offcut, cutting, book, bender or tube-file", "tool"
                )
    except Refused as error:
        return _page(typed=form, error=error), 422
    return redirect(url_for(".index", done=what), 303)


def _number(said: str, name: str) -> float | None:
    """A figure of the cutting form: a length or money; None where the field is empty. Raises Refused."""
    if not said.strip():
        return None
    if name.endswith("_mm"):
        return parse_length_mm(said, "mm", field=name.removesuffix("_mm"), decimal_comma=None)
    return number(said, name, "what an hour of work costs, a number", "48")


@bp.get("/stock.csv")
def stock_file() -> Response:
    """The stock as CSV."""
    response = Response(store.stock_csv(db.get()), mimetype="text/csv")
    response.headers["Content-Disposition"] = 'attachment; filename="van-stock.csv"'
    return response
