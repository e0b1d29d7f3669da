"""Small jobs on a heating circuit, step by step, with the sums that need no design. Steps come from data/tasks.csv."""

from __future__ import annotations

import functools
import math
from collections.abc import Collection, Mapping

from ...catalogue import Catalogue
from ...catalogue.loader import Socket
from ...errors import Refused
from ...job.model import Pipe
from ...making.holes import hole_mm
from ...tables import read_rows
from ...work.small_drawing import written
from ...work.small_jobs import JobSheet
from ...working import Step

LEAST_GAP_MM, MOST_GAP_MM = 80.0, 120.0  # typ: floor to the mouth of the valve
RESERVE = 1.5  # typ: filled weight and half again
SMALL_MM = 12.0
USUAL_WORDS = {"litres": "its water", "dose": "1 L to each 100 L (typ)", "turns": "the turns that were counted"}


@functools.cache
def _tasks() -> tuple[dict[str, str], ...]:
    return tuple(read_rows(__package__, "tasks.csv", "|"))


@functools.cache
def fixings() -> dict[str, tuple[str, float, str]]:
    """Wall -> (fixing, what one carries [kg], source), typical."""
    return {
        row["wall"]: (row["fixing"], float(row["load_kg"]), row["source"])
        for row in read_rows(__package__, "fixings.csv")
    }


def write(
    task: str,
    holds: Collection[str],
    words: Mapping[str, str],
    quantities: tuple[str, ...] = (),
    figures: Mapping[str, float] | None = None,
    working: tuple[Step, ...] = (),
    heads: tuple[tuple[str, str], ...] = (),
) -> JobSheet:
    """A small job written out from its rows in tasks.csv. holds: the cases that are so; words: for the braces."""
    rows = [row for row in _tasks() if row["task"] == task]
    return written(rows, holds, {**USUAL_WORDS, **words}, quantities, figures, working, heads)


def _socket(catalogue: Catalogue, pipe: Pipe, method: str, field: str) -> float:
    """How deep a pipe goes into a socket of a method [mm]. Raises Refused where there are no figures."""
    found = catalogue.method_figures(pipe.code, pipe.size, method)
    if not isinstance(found, Socket):
        known = [
            one
            for one in catalogue.systems[pipe.code].methods
            if isinstance(catalogue.method_figures(pipe.code, pipe.size, one), Socket)
        ]
        raise Refused(
            field,
            method,
            f"a method {pipe} has sockets for: {', '.join(known) or 'none'}",
            known[0] if known else "compression",
        )
    return found.insertion_mm


def _at_valve(catalogue: Catalogue, pipe: Pipe) -> str:
    """The joint a valve has for this pipe: compression, else the first with a socket."""
    known = catalogue.systems[pipe.code].methods
    sockets = [one for one in known if isinstance(catalogue.method_figures(pipe.code, pipe.size, one), Socket)]
    return next((one for one in sockets if one.startswith("compression")), next(iter(sockets), "compression"))


def valve_change(
    catalogue: Catalogue,
    pipe: Pipe,
    which: str,
    nut_and_olive: str,
    emptied: str,
    words: Mapping[str, str] | None = None,
    heads: tuple[tuple[str, str], ...] = (),
) -> JobSheet:
    """A radiator valve changed. which: trv, lockshield or both; nut_and_olive: new or re-use (House practice); emptied:
    house, down to below the valve; alone, this radiator only; frozen, the same between two frozen pipes.

    Quantities: an olive and nut for each valve unless re-used, tape for each tail. Raises Refused for a pipe without
    figures.
    """
    row = catalogue.pipe(pipe.code, pipe.size)
    if row is None or row.od_mm is None:
        raise Refused("pipe", str(pipe), "a pipe with an outside diameter", "cu-m 15")
    count = 2 if which == "both" else 1
    material = catalogue.systems[pipe.code].material
    clamped, soft = material == "multilayer", material == "plastic"
    holds = {
        "clamped" if clamped else "plain",
        *(() if clamped else (f"{nut_and_olive}-plain",)),
        *(("trv", "lockshield") if which == "both" else (which,)),
        *(("small",) if row.od_mm < SMALL_MM else ()),
        emptied,
    }
    quantities = [
        f"{count} valve{'s' if count > 1 else ''}, {pipe.size} "
        f"{'clamp ends with a cone seat' if clamped else 'compression'}",
        f"{count} tail{'s' if count > 1 else ''}, and tape",
    ]
    if clamped:
        depth = _socket(catalogue, pipe, "compression-mlc", "pipe")
        quantities.append(
            f"{count} clamp set{'s' if count > 1 else ''} for {pipe}: nut, split ring, insert with O-rings, "
            f"{depth:.0f} mm in"
        )
    elif nut_and_olive == "new":
        quantities.append(
            f"{count} nut{'s' if count > 1 else ''} and olive{'s' if count > 1 else ''}, "
            f"{pipe.size}{', copper' if soft else ''}"
        )
    if soft:
        quantities.append(f"{count} insert{'s' if count > 1 else ''} for {pipe}")
    return write("valve-change", holds, words or {}, tuple(quantities), heads=heads)


def moved_radiator(
    catalogue: Catalogue,
    pipe: Pipe,
    floor_mm: float,
    below: str,
    gap_mm: float,
    holds: Collection[str] = ("moved", "now"),
    more: Mapping[str, str] | None = None,
    heads: tuple[tuple[str, str], ...] = (),
) -> JobSheet:
    """A radiator moved to another wall: its stubs through the floor and their holes.

    Stub = floor + insertion below + insertion in the valve + gap; gap from the floor to the valve's mouth 80 to 120 mm
    (typ). Hole = pipe OD + 3 (typ). floor_mm 10 to 600. Raises Refused.
    """
    row = catalogue.pipe(pipe.code, pipe.size)
    if row is None or row.od_mm is None:
        raise Refused("pipe", str(pipe), "a pipe with an outside diameter", "cu-m 15")
    if not 10 <= floor_mm <= 600:
        raise Refused("floor", floor_mm, "the thickness of the floor, 10 to 600 mm", "22 mm")
    if not LEAST_GAP_MM <= gap_mm <= MOST_GAP_MM:
        raise Refused("gap", gap_mm, "80 to 120 mm from the floor to the mouth of the valve", "100 mm")
    under, valve = (
        _socket(catalogue, pipe, below, "below"),
        _socket(catalogue, pipe, _at_valve(catalogue, pipe), "pipe"),
    )
    stub = floor_mm + under + valve + gap_mm
    hole = hole_mm(catalogue, pipe.code, pipe.size, 0.0, row.od_mm)
    working = (
        Step(
            "stub = floor + insertion below + insertion in the valve + gap",
            (("floor_mm", floor_mm), ("below_mm", under), ("valve_mm", valve), ("gap_mm", gap_mm)),
            stub,
            "mm",
            "typ",
        ),
        Step("hole = outside diameter + 3", (("od_mm", row.od_mm),), hole, "mm", "typ"),
    )
    words = {
        "stub": f"{stub:.0f}",
        "hole": f"{hole:.0f}",
        "floor": f"{floor_mm:.0f}",
        "below": f"{under:.0f}",
        "valve": f"{valve:.0f}",
        "gap": f"{gap_mm:.0f}",
    }
    return write(
        "moved-radiator",
        holds,
        words | dict(more or {}),
        (f"2 stubs of {pipe}, {stub:.0f} mm",),
        {"stub_mm": stub, "hole_mm": hole},
        working,
        heads,
    )


def radiator_hang(
    weight_kg: float,
    litres: float,
    wall: str,
    bottom_mm: float,
    bracket_mm: float,
    fixed: str,
    more: Mapping[str, str] | None = None,
    heads: tuple[tuple[str, str], ...] = (),
) -> JobSheet:
    """A radiator hung: bracket holes and fixings. weight_kg empty 1 to 400; litres in it; bottom_mm: its underside
    above the floor; bracket_mm: bracket hole above its underside; fixed: pipes or wall. Load = (weight + water) x 1.5
    (typ), at least four fixings."""
    if not 1 <= weight_kg <= 400:
        raise Refused("weight_kg", weight_kg, "the empty radiator, 1 to 400 kg", "32")
    if not 0 <= litres <= 100:
        raise Refused("litres", litres, "the water in it, 0 to 100 L", "5.9")
    fixing, each, source = fixings()[wall]
    load = (weight_kg + litres) * RESERVE
    count = max(4, math.ceil(load / each - 1e-9))
    up = bottom_mm + bracket_mm
    working = (
        Step("load = (weight + water) x 1.5", (("weight_kg", weight_kg), ("water_kg", litres)), load, "kg", "typ"),
        Step("fixings = load / what one carries, at least 4", (("each_kg", each),), float(count), "", source),
        Step(
            "bracket holes above the floor = underside + hole above it",
            (("underside_mm", bottom_mm), ("hole_mm", bracket_mm)),
            up,
            "mm",
        ),
    )
    words = {"count": str(count), "fixing": fixing, "load": f"{load:.0f}", "up": f"{up:.0f}"}
    return write(
        "radiator-hang",
        {fixed, *(("stubs",) if more else ())},
        words | dict(more or {}),
        (f"{count} of: {fixing}",),
        {"load_kg": load, "fixings": float(count), "brackets_up_mm": up},
        working,
        heads,
    )
