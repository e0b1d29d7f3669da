"""What there is to make a job from: offcuts and parts on the van, prices, how the firm cuts."""

from __future__ import annotations

import functools
from dataclasses import dataclass

from .tables import CORE, read_rows


@dataclass(frozen=True, slots=True)
class Offcut:
    """Pipe on the van that is left over from other jobs: count lengths of length_mm."""

    pipe: str
    length_mm: float
    count: int = 1


@dataclass(frozen=True, slots=True)
class Price:
    """What one of a thing costs, as it is ordered: a part, a stick, a pack. in_stock: None where nobody said; days:
    until it can be had; instead: what the merchant offers in its place."""

    item: str
    each: float
    in_stock: bool | None = None
    days: int | None = None
    instead: str = ""


@dataclass(frozen=True, slots=True)
class Supply:
    """The firm's side of an order. on_van: item -> how many; kerf_mm: what its saw takes off, 0 for a wheel cutter;
    useful_mm: what is left of a stick is kept from this length on; hour: what an hour of work costs, None where it is
    not said."""

    offcuts: tuple[Offcut, ...] = ()
    on_van: tuple[tuple[str, int], ...] = ()
    prices: tuple[Price, ...] = ()
    kerf_mm: float = 0.0
    useful_mm: float = 500.0
    hour: float | None = None


@functools.cache
def stock_lengths() -> dict[str, tuple[tuple[float, str, str], ...]]:
    """Pipe system -> the lengths it is bought in [mm], stick or coil, source."""
    found: dict[str, list[tuple[float, str, str]]] = {}
    for row in read_rows(CORE, "stock_lengths.csv"):
        found.setdefault(row["code"], []).append((float(row["length_mm"]), row["form"], row["source"]))
    return {code: tuple(sorted(rows)) for code, rows in found.items()}


@functools.cache
def stick_costs() -> dict[str, tuple[float, str]]:
    """What a thread, a ready nipple and a coupling count for where no price is known [mm of the same pipe], with the
    source."""
    return {row["what"]: (float(row["pipe_mm"]), row["source"]) for row in read_rows(CORE, "stick_costs.csv")}
