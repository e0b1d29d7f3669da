"""Offcuts on the van, prices, how the firm cuts and what its hour costs. The caller commits."""

from __future__ import annotations

import csv
import io
import sqlite3
from collections.abc import Iterable

from ..core.bench.lengths import read_pipe
from ..core.catalogue import Catalogue
from ..core.errors import Refused
from ..core.quantity import PaceUnit, number, parse_length_mm
from ..core.reading import read_csv, separator_of
from ..core.supply import Offcut, Price, Supply
from .van import stock

SETTINGS = {"kerf_mm": (0.0, 20.0, 0.0), "useful_mm": (50.0, 3000.0, 500.0), "hour": (0.0, 10_000.0, None)}
"""name -> least, most, usual"""

PRICE_COLUMNS = ("item", "price", "in_stock", "days", "instead")
MOST_PRICES = 20_000


def supply(conn: sqlite3.Connection) -> Supply:
    """What the firm makes its jobs from. A price on the van's stock goes for its part where the list has none."""
    lying = stock(conn)
    listed = {one.item: one for one in prices(conn)}
    for ident, (_, each) in lying.items():
        if each is not None and ident not in listed:
            listed[ident] = Price(ident, each)
    own = settings(conn)
    return Supply(
        tuple(offcuts(conn)),
        tuple(sorted((ident, count) for ident, (count, _) in lying.items() if count)),
        tuple(listed[item] for item in sorted(listed)),
        own["kerf_mm"] or 0.0,
        own["useful_mm"] or 0.0,
        own["hour"],
    )


def offcuts(conn: sqlite3.Connection) -> list[Offcut]:
    """The offcuts, by pipe, the longest first."""
    rows = conn.execute("SELECT pipe, length_mm, count FROM van_offcut ORDER BY pipe, length_mm DESC")
    return [Offcut(row["pipe"], row["length_mm"], row["count"]) for row in rows]


def put_offcut(
    conn: sqlite3.Connection, catalogue: Catalogue, pipe: str, length: str, count: str, unit: PaceUnit = "mm"
) -> None:
    """Set how many offcuts of a pipe and length lie on the van; 0 takes them out. Raises Refused."""
    found = read_pipe(pipe, catalogue)
    length_mm = round(parse_length_mm(length, unit, field="length"), 3)
    if not 0 < length_mm <= 100_000:
        raise Refused("length", length, "a length above 0 and up to 100 m", "740")
    if not count.strip().isascii() or not count.strip().isdigit() or int(count) > 1000:
        raise Refused("count", count, "a whole number from 0 to 1000", "1")
    if int(count) == 0:
        conn.execute("DELETE FROM van_offcut WHERE pipe = ? AND length_mm = ?", (str(found), length_mm))
        return
    conn.execute("INSERT OR REPLACE INTO van_offcut VALUES (?, ?, ?)", (str(found), length_mm, int(count)))


def settings(conn: sqlite3.Connection) -> dict[str, float | None]:
    """kerf_mm, useful_mm, hour as the firm has set them, else as usual."""
    kept = {
        row["name"]: row["value"] for row in conn.execute("SELECT name, value FROM setting WHERE name LIKE 'cut:%'")
    }
    return {
        name: float(kept[f"cut:{name}"]) if f"cut:{name}" in kept else usual for name, (*_, usual) in SETTINGS.items()
    }


def put_setting(conn: sqlite3.Connection, name: str, value: float | None) -> None:
    """Set one of them; None makes it the usual again. Raises Refused."""
    least, most, _ = SETTINGS[name]
    if value is None:
        conn.execute("DELETE FROM setting WHERE name = ?", (f"cut:{name}",))
        return
    if not least <= value <= most:
        raise Refused(name.removesuffix("_mm"), value, f"{least:g} to {most:g}", f"{max(least, 2):g}")
    conn.execute("INSERT OR REPLACE INTO setting (name, value) VALUES (?, ?)", (f"cut:{name}", f"{value:g}"))


def prices(conn: sqlite3.Connection) -> list[Price]:
    """The price list, by item."""
    rows = conn.execute("SELECT * FROM price ORDER BY item")
    return [
        Price(
            row["item"],
            row["price"],
            None if row["in_stock"] is None else bool(row["in_stock"]),
            row["days"],
            row["instead"],
        )
        for row in rows
    ]


def price_sources(conn: sqlite3.Connection) -> list[tuple[str, str, int]]:
    """Where the prices come from: (source, the last day, how many)."""
    rows = conn.execute(
        "SELECT source, max(on_day) AS day, count(*) AS many FROM price GROUP BY source ORDER BY source"
    )
    return [(row["source"], row["day"], row["many"]) for row in rows]


def put_prices(conn: sqlite3.Connection, found: Iterable[Price], source: str, day: str) -> int:
    """Lay prices over the list; how many came in."""
    rows = [
        (one.item, one.each, None if one.in_stock is None else int(one.in_stock), one.days, one.instead, source, day)
        for one in found
    ]
    conn.executemany("INSERT OR REPLACE INTO price VALUES (?, ?, ?, ?, ?, ?, ?)", rows)
    return len(rows)


def forget_prices(conn: sqlite3.Connection, source: str) -> None:
    conn.execute("DELETE FROM price WHERE source = ?", (source,))


def read_prices(text: str) -> list[Price]:
    """A CSV of item, price and perhaps in_stock (yes or no), days, instead. Raises Refused with the line."""
    header, *lines = read_csv(text, "file", "item,price", separator_of(text)) or [[]]
    names = [name.strip().lower() for name in header]
    if not {"item", "price"} <= set(names):
        raise Refused("file", text[:60], "a CSV with the columns item and price", "item,price,in_stock,days")
    found = []
    for count, line in enumerate(lines, start=2):
        if not any(cell.strip() for cell in line):
            continue
        row = {name: cell.strip() for name, cell in zip(names, line, strict=False)}
        found.append(_price(row, f"line {count}"))
        if len(found) > MOST_PRICES:
            raise Refused("file", f"{len(found)} lines", f"at most {MOST_PRICES} prices", "item,price")
    if not found:
        raise Refused("file", text[:60], "a line with an item and its price", "cap-elbow-22,1.15")
    return found


def _price(row: dict[str, str], where: str) -> Price:
    item = row.get("item", "")
    if not 1 <= len(item) <= 120:
        raise Refused(f"{where}, item", item[:40], "what the order calls it", "cap-elbow-22")
    each = number(row.get("price", ""), f"{where}, price", "a price, such as 2.40", "2.40")
    if not 0 <= each <= 1e6:
        raise Refused(f"{where}, price", row.get("price", ""), "0 to 1000000", "2.40")
    said = row.get("in_stock", "").lower()
    if said not in ("", "yes", "no", "1", "0"):
        raise Refused(f"{where}, in_stock", said, "yes, no or nothing", "yes")
    days = row.get("days", "")
    if days and not (days.isascii() and days.isdigit() and int(days) <= 1000):
        raise Refused(f"{where}, days", days, "whole days from 0 to 1000", "2")
    stocked = None if not said else said in ("yes", "1")
    return Price(item, each, stocked, int(days) if days else None, row.get("instead", "")[:120])


def prices_csv(found: Iterable[Price]) -> str:
    """Prices as CSV, read back by read_prices."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(PRICE_COLUMNS)
    for one in found:
        stocked = "" if one.in_stock is None else "yes" if one.in_stock else "no"
        writer.writerow((one.item, f"{one.each:g}", stocked, "" if one.days is None else one.days, one.instead))
    return out.getvalue()
