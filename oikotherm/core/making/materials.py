"""What to order: fittings by the pack with spares, pipe by the stick, cut so that as few as possible are used."""

from __future__ import annotations

import csv
import functools
import math
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from importlib import resources

from ..catalogue import Catalogue
from ..joints.fitted import Fitted
from .cut import Cut

KERF_MM = 0.0  # a wheel cutter takes nothing off


@dataclass(frozen=True, slots=True)
class Part:
    """Fittings of one kind: how many the job takes, spares, and packs to order."""

    title: str
    count: int
    spare: int
    pack: int
    packs: int
    source: str


@dataclass(frozen=True, slots=True)
class Sticks:
    """Pipe of one kind. bars: for each stick the keys of the pieces cut from it; rest_mm: what is left of each.

    too_long: pieces longer than a stick, which need a coupling or a longer stick."""

    pipe: str
    stick_mm: float
    bars: tuple[tuple[str, ...], ...]
    rest_mm: tuple[float, ...]
    too_long: tuple[str, ...]
    total_mm: float


@functools.cache
def _packs() -> dict[str, tuple[int, float, str]]:
    text = resources.files("oikotherm.core").joinpath("data", "packs.csv").read_text("utf-8")
    return {
        row["kind"]: (int(row["pack"]), float(row["spare_share"]), row["source"])
        for row in csv.DictReader(text.splitlines())
    }


def parts(fitted: Fitted) -> tuple[Part, ...]:
    """Fittings to order, by title. Spares by share of the count, rounded up; packs hold both."""
    kinds = {fitting.title: fitting.kind for fitting in fitted.fittings.values() if fitting.kind in _packs()}
    counts = Counter(fitting.title for fitting in fitted.fittings.values() if fitting.title in kinds)
    found = []
    for title, count in sorted(counts.items()):
        pack, share, source = _packs()[kinds[title]]
        spare = math.ceil(count * share)
        found.append(Part(title, count, spare, pack, math.ceil((count + spare) / pack), source))
    return tuple(found)


def sticks(cuts: Iterable[Cut], catalogue: Catalogue) -> tuple[Sticks, ...]:
    """Pieces on sticks by first fit of the longest first: at most 11/9 of the fewest sticks, and usually the fewest."""
    by_pipe: dict[str, list[Cut]] = {}
    for cut in cuts:
        by_pipe.setdefault(str(cut.pipe), []).append(cut)
    found = []
    for name, pieces in sorted(by_pipe.items()):
        system = catalogue.systems.get(pieces[0].pipe.code)
        if system is None or system.stick_mm is None:
            continue
        bars: list[list[str]] = []
        rest: list[float] = []
        too_long: list[str] = []
        for cut in sorted(pieces, key=lambda piece: (-piece.cut_mm, piece.key)):
            if cut.cut_mm > system.stick_mm:
                too_long.append(cut.key)
                continue
            spot = next((n for n, left in enumerate(rest) if left >= cut.cut_mm + KERF_MM), None)
            if spot is None:
                bars.append([cut.key])
                rest.append(system.stick_mm - max(cut.cut_mm, 0.0))
            else:
                bars[spot].append(cut.key)
                rest[spot] -= cut.cut_mm + KERF_MM
        total = sum(max(cut.cut_mm, 0.0) for cut in pieces)
        found.append(
            Sticks(
                name,
                system.stick_mm,
                tuple(map(tuple, bars)),
                tuple(round(left, 1) for left in rest),
                tuple(too_long),
                round(total, 1),
            )
        )
    return tuple(found)
