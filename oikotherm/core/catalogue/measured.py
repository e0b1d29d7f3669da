"""The fitting book: what a fitter measured on his own fittings and bender, laid over the catalogue. Measured beats
typical.

A row names what it measures: `socket cu 22 capillary` (insertion_mm, z_mm), `thread npt 3/4` (made_up_mm, a_mm),
`bender cu-m 15` (radius_mm), `device iso cu 22` (reach_mm), `kit adaptor-22x3/4` (reach_in_mm, reach_out_mm),
`part mlc-male-20x1/2` (gap_mm), `tube csst EHD18` (ft3_h_at_10_ft, from its maker's table).
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

from ..errors import Refused, nearest
from ..memory import Memory
from .loader import Catalogue
from .parts import with_parts

FIELDS = {
    "socket": {"insertion_mm": ("insertion_mm", "insertion_source"), "z_mm": ("elbow_z_mm", "z_source")},
    "thread": {"made_up_mm": ("made_up_mm", "thread_source"), "a_mm": ("elbow_a_mm", "fitting_source")},
    "bender": {"radius_mm": ("radius_mm", "source")},
    "device": {"reach_mm": ("reach_mm", "source")},
    "kit": {"reach_in_mm": ("reach_in_mm", "source"), "reach_out_mm": ("reach_out_mm", "source")},
    "part": {"gap_mm": ("", "")},
}


TUBE_FIELD = re.compile(r"ft3_h_at_(\d+(?:\.\d+)?)_ft")


@dataclass(frozen=True, slots=True)
class BookRow:
    """One measure of the fitting book. on: when, as written."""

    part: str
    field: str
    value: float
    on: str = ""


def overlay(catalogue: Catalogue, rows: Iterable[BookRow], memory: Memory | None = None) -> Catalogue:
    """The catalogue with measured figures over its own; rows that name nothing in it are left out.

    With a memory the same rows over the same catalogue give the same object.
    """
    kept = tuple(sorted(rows, key=lambda row: (row.part, row.field)))
    if not kept:
        return catalogue
    memory = Memory() if memory is None else memory
    return memory.keep("measured catalogue", (catalogue,), kept, lambda: _laid(catalogue, kept), most=6)


def _laid(catalogue: Catalogue, rows: tuple[BookRow, ...]) -> Catalogue:
    tables: dict[str, dict[Any, Any]] = {
        "socket": dict(catalogue.sockets),
        "thread": dict(catalogue.threads),
        "bender": dict(catalogue.bends),
        "device": dict(catalogue.devices),
        "kit": dict(catalogue.kits),
    }
    gaps = dict(catalogue.gaps)
    tubes: dict[str, list[tuple[float, float]]] = {}
    for row in rows:
        kind, _, rest = row.part.partition(" ")
        if kind == "part":
            gaps[rest] = row.value
            continue
        if kind == "tube" and (at := TUBE_FIELD.fullmatch(row.field)):
            tubes.setdefault(rest, []).append((float(at[1]), row.value))
            continue
        table = tables.get(kind, {})
        target = _target(kind, rest)
        found = table.get(target)
        if found is None or row.field not in FIELDS[kind]:
            continue
        field, source = FIELDS[kind][row.field]
        table[target] = replace(found, **{field: row.value, source: f"measured {row.on}".strip()})
    mark = hashlib.sha256(repr((catalogue.mark, rows)).encode()).hexdigest()[:12]
    laid = replace(
        catalogue,
        sockets=tables["socket"],
        threads=tables["thread"],
        bends=tables["bender"],
        devices=tables["device"],
        kits=tables["kit"],
        gaps=gaps,
        tubes={**catalogue.tubes, **{tube: tuple(sorted(points)) for tube, points in tubes.items() if len(points) > 1}},
        mark=mark,
    )
    return with_parts(laid)


def _target(kind: str, rest: str) -> Any:
    words = tuple(rest.split())
    return rest if kind == "kit" else words


def book_row(catalogue: Catalogue, part: str, field: str, value_mm: float, on: str = "") -> BookRow:
    """A row as a fitter says it, looked up. Raises Refused for what the catalogue does not know, or a measure out of 0
    to 2000 mm."""
    part = " ".join(part.split())
    kind, _, rest = part.partition(" ")
    if kind not in FIELDS:
        raise Refused("part", part, f"what was measured: {', '.join(FIELDS)}, then which", "socket cu 22 capillary")
    if field not in FIELDS[kind]:
        raise Refused("field", field, f"of a {kind}: {' or '.join(FIELDS[kind])}", next(iter(FIELDS[kind])))
    if not 0 <= value_mm <= 2000:
        raise Refused("value", value_mm, "0 to 2000 mm", "16.2")
    known = {
        "socket": {" ".join(key) for key in catalogue.sockets},
        "thread": {" ".join(key) for key in catalogue.threads},
        "bender": {" ".join(key) for key in catalogue.bends},
        "device": {" ".join(key) for key in catalogue.devices},
        "kit": set(catalogue.kits),
        "part": set(catalogue.parts),
    }[kind]
    if rest not in known:
        raise Refused("part", part, f"a {kind} such as {nearest(rest, sorted(known))}", f"{kind} {sorted(known)[0]}")
    return BookRow(part, field, round(value_mm, 3), on)


def tube_row(
    catalogue: Catalogue, size: str, feet: float, ft3_h: float, on: str = "", *, where: str = "class"
) -> BookRow:
    """What a class of corrugated tube carries over a length by its maker's table. feet: 1 to 1000; ft3_h: of natural
    gas at 0.5 in w.c., above 0 and up to 20,000. Raises Refused."""
    size = size.upper().removeprefix("CSST").strip()
    if catalogue.pipe("csst", size) is None:
        sizes = catalogue.sizes("csst")
        raise Refused(where, size, f"a class such as {nearest(size, sizes)}", "EHD18")
    if not 1 <= feet <= 1000:
        raise Refused(where, f"{feet:g} ft", "a length of 1 to 1000 ft", "EHD18,10,82")
    if not 0 < ft3_h <= 20_000:
        raise Refused(where, f"{ft3_h:g} ft3/h", "a flow above 0 and up to 20,000 ft3/h", "EHD18,10,82")
    return BookRow(f"tube csst {size}", f"ft3_h_at_{round(feet, 3):g}_ft", round(ft3_h, 3), on)


def said_mm(catalogue: Catalogue, row: BookRow) -> float | None:
    """What the catalogue itself says of a row's measure [mm]."""
    kind, _, rest = row.part.partition(" ")
    if kind == "tube":
        return None
    if kind == "part":
        found = catalogue.parts.get(rest)
        return found.gap_mm if found else None
    table: dict[Any, Any] = {
        "socket": catalogue.sockets,
        "thread": catalogue.threads,
        "bender": catalogue.bends,
        "device": catalogue.devices,
        "kit": catalogue.kits,
    }[kind]  # type: ignore[assignment]
    found = table.get(_target(kind, rest))
    return getattr(found, FIELDS[kind][row.field][0]) if found else None
