"""Tools, stock and fitting book of the van. The caller commits."""

from __future__ import annotations

import csv
import io
import sqlite3
from collections.abc import Iterable
from typing import Any

from ..core.catalogue import Catalogue
from ..core.catalogue.measured import BookRow
from ..core.catalogue.parts import part
from ..core.errors import Refused, nearest
from ..core.quantity import number
from ..core.reading import read_csv
from .people import _date

TOOL_KINDS = (
    "torch",
    "press tool",
    "press jaw",
    "multilayer jaw",
    "expander",
    "expander head",
    "flaring set",
    "threader",
    "pipe bender",
)
CONTOURS = {"press jaw": ("", "V", "M"), "multilayer jaw": ("", "TH", "U", "H", "B", "F")}
STOCK_COLUMNS = ("part", "count", "price")


def tools(conn: sqlite3.Connection) -> list[sqlite3.Row]:
    return conn.execute("SELECT * FROM van_tool ORDER BY kind, contour, size").fetchall()


def put_tool(conn: sqlite3.Connection, kind: str, contour: str, size: str, serviced_on: str) -> None:
    """Add a tool, or set the service date of one that is there. Raises Refused."""
    kind, contour, size = kind.strip().lower(), contour.strip().upper(), size.strip()
    if kind not in TOOL_KINDS:
        raise Refused("kind", kind, f"a tool such as {nearest(kind, TOOL_KINDS)}", "press jaw")
    allowed = CONTOURS.get(kind, ("",))
    if contour not in allowed:
        raise Refused(
            "contour", contour, f"of a {kind}: {', '.join(one for one in allowed if one) or 'no contour'}", "V"
        )
    if kind in ("press jaw", "multilayer jaw", "expander head") and not size:
        raise Refused("size", size, "the pipe size it is made for", "22")
    if len(size) > 10:
        raise Refused("size", size, "a pipe size", "22")
    sql = """INSERT INTO van_tool (kind, contour, size, serviced_on) VALUES (?, ?, ?, ?)
             ON CONFLICT (kind, contour, size) DO UPDATE SET serviced_on = excluded.serviced_on"""
    conn.execute(sql, (kind, contour, size, _date(serviced_on, "serviced_on")))


def remove_tool(conn: sqlite3.Connection, ident: str) -> None:
    conn.execute("DELETE FROM van_tool WHERE id = ?", (ident,))


def tool_words(conn: sqlite3.Connection) -> list[str]:
    """The tools as the finder takes them: torch, press V 22, press-mlc TH 16, expander 3/4, flaring set, threader."""
    words = []
    for row in tools(conn):
        name = {"press jaw": "press", "multilayer jaw": "press-mlc", "expander head": "expander"}.get(
            row["kind"], row["kind"]
        )
        if name in ("press", "press-mlc"):
            words.append(f"press {row['contour']} {row['size']}" if row["contour"] else f"{name} {row['size']}")
        else:
            words.append(" ".join(filter(None, (name, row["size"]))))
    return words


def stock(conn: sqlite3.Connection) -> dict[str, tuple[int, float | None]]:
    """Part id -> (count, price a piece or None)."""
    return {row["part"]: (row["count"], row["price"]) for row in conn.execute("SELECT * FROM van_stock ORDER BY part")}


def put_stock(conn: sqlite3.Connection, catalogue: Catalogue, ident: str, count: str, price: str = "") -> None:
    """Set how many of a part are on the van; none at no price takes the line out. Raises Refused."""
    found = part(catalogue, ident.strip())
    if not count.strip().isascii() or not count.strip().isdigit() or int(count) > 100_000:
        raise Refused("count", count, "a whole number from 0 to 100000", "6")
    money: float | None = None
    if price.strip():
        money = number(price, "price", "a price a piece, such as 2.40", "2.40")
        if not 0 <= money < 1e6:
            raise Refused("price", price, "0 to 1000000 a piece", "2.40")
    if int(count) == 0 and money is None:
        conn.execute("DELETE FROM van_stock WHERE part = ?", (found.id,))
        return
    sql = (
        "INSERT INTO van_stock (part, count, price) VALUES (?, ?, ?) ON CONFLICT (part) DO UPDATE SET count = "
        "excluded.count, price = excluded.price"
    )
    conn.execute(sql, (found.id, int(count), money))


def stock_csv(conn: sqlite3.Connection) -> str:
    """The stock as CSV: part, count, price."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(STOCK_COLUMNS)
    for ident, (count, price) in stock(conn).items():
        writer.writerow((ident, count, "" if price is None else f"{price:g}"))
    return out.getvalue()


def read_stock(conn: sqlite3.Connection, catalogue: Catalogue, text: str) -> int:
    """Take in a CSV of part, count, price, each line like put_stock. Raises Refused with the line; the caller then
    rolls back."""
    header, *lines = read_csv(text, "file", "part,count,price") or [[]]
    rows = [dict(zip(header, line, strict=False)) for line in lines if line]
    if not rows or not {"part", "count"} <= set(rows[0]):
        raise Refused("file", text[:60], "a CSV with the columns part, count and price", "part,count,price")
    for count, row in enumerate(rows, start=2):
        try:
            put_stock(
                conn, catalogue, str(row.get("part") or ""), str(row.get("count") or ""), str(row.get("price") or "")
            )
        except Refused as error:
            raise Refused(f"line {count}, {error.field}", error.said, error.expected, error.example) from None
    return len(rows)


def book(conn: sqlite3.Connection) -> list[BookRow]:
    """The fitting book."""
    rows = conn.execute("SELECT * FROM fitting_book ORDER BY part, field").fetchall()
    return [BookRow(row["part"], row["field"], row["value"], row["on_day"]) for row in rows]


def put_book(conn: sqlite3.Connection, row: BookRow) -> None:
    sql = """INSERT INTO fitting_book (part, field, value, on_day) VALUES (?, ?, ?, ?)
             ON CONFLICT (part, field) DO UPDATE SET value = excluded.value, on_day = excluded.on_day"""
    conn.execute(sql, (row.part, row.field, row.value, row.on))


def put_tubes(conn: sqlite3.Connection, rows: Iterable[BookRow]) -> None:
    """A maker's table: what the book had of its classes goes."""
    kept = list(rows)
    for name in {row.part for row in kept}:
        remove_tube(conn, name)
    for row in kept:
        put_book(conn, row)


def remove_tube(conn: sqlite3.Connection, name: str) -> None:
    conn.execute("DELETE FROM fitting_book WHERE part = ? AND part LIKE 'tube %'", (name,))


def remove_book(conn: sqlite3.Connection, name: str, field: str) -> None:
    conn.execute("DELETE FROM fitting_book WHERE part = ? AND field = ?", (name, field))


def rows_as_dicts(conn: sqlite3.Connection) -> list[dict[str, Any]]:
    """The book as it goes into a job document."""
    return [{"part": row.part, "field": row.field, "value": row.value, "on": row.on} for row in book(conn)]
