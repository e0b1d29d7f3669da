"""A maker's table of corrugated tube as CSV: what each class carries over a length at 0.5 in w.c. (1.25 mbar), natural
gas."""

from __future__ import annotations

from itertools import pairwise

from ..core.catalogue import Catalogue
from ..core.catalogue.measured import TUBE_FIELD, BookRow, tube_row
from ..core.errors import Refused
from ..core.reading import read_csv

HEADERS: dict[tuple[str, ...], tuple[float, float]] = {
    ("length_ft", "ft3_h"): (1.0, 1.0),
    ("length_m", "m3_h"): (1 / 0.3048, 1 / 0.028316846592),
}
EXAMPLE = "class,length_ft,ft3_h"
MOST = 2000


def read_tubes(catalogue: Catalogue, text: str, on: str = "") -> list[BookRow]:
    """The rows of the book that a table makes. First line class,length_ft,ft3_h or class,length_m,m3_h; two lengths or
    more for a class. Raises Refused with the line."""
    lines = [line for line in read_csv(text, "file", EXAMPLE) if any(cell.strip() for cell in line)]
    names = tuple(cell.strip() for cell in lines[0]) if lines else ()
    factors = HEADERS.get(names[1:])
    if names[:1] != ("class",) or factors is None:
        said = ",".join(names)[:60]
        raise Refused("file", said, "a first line class,length_ft,ft3_h or class,length_m,m3_h", EXAMPLE)
    if not 3 <= len(lines) <= MOST:
        raise Refused("file", f"{len(lines)} lines", f"3 to {MOST} lines", EXAMPLE)
    rows: list[BookRow] = []
    for number, line in enumerate(lines[1:], 2):
        try:
            size, length, carries = line[0].strip(), float(line[1]), float(line[2])
        except (IndexError, ValueError):
            raise Refused(
                f"line {number}", ",".join(line)[:60], "a class, a length and a flow", "EHD18,10,82"
            ) from None
        rows.append(tube_row(catalogue, size, length * factors[0], carries * factors[1], on, where=f"line {number}"))
    for ident in dict.fromkeys(row.part for row in rows):
        own = sorted((_feet(row), row.value) for row in rows if row.part == ident)
        name = ident.removeprefix("tube csst ")
        if len(own) < 2 or any(a[0] == b[0] for a, b in pairwise(own)):
            raise Refused("file", name, "two lengths or more for a class, each once", EXAMPLE)
        if any(b[1] >= a[1] for a, b in pairwise(own)):
            raise Refused("file", name, "less over a longer length", "EHD18,10,82")
    return rows


def _feet(row: BookRow) -> float:
    at = TUBE_FIELD.fullmatch(row.field)
    return float(at[1]) if at else 0.0
