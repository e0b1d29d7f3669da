"""Ready nipples: threaded pieces that are bought, not cut and threaded."""

from __future__ import annotations

import bisect
import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

from ..catalogue import Catalogue, Thread
from ..errors import Refused
from ..quantity import INCH_MM
from .cut import Cut

READY_IN = (*(n / 2 for n in range(2, 25)), 18.0, 24.0, 36.0, 48.0, 60.0, 72.0)  # typ: lengths beside the close one
SHORT_IN = 12.0  # by halves of an inch up to here
SAME_MM = 0.8  # half of 1/16 in: what the threads take up


def ready_mm(catalogue: Catalogue, cut: Cut) -> float | None:
    """The ready nipple nearest to a short threaded piece [mm], close or up to 12 in by halves (typ); None for what is
    none: longer, bent, not threaded at both ends, or of a pipe without ready nipples."""
    row = catalogue.method_figures(cut.pipe.code, cut.pipe.size, "thread")
    ends = cut.piece.from_mating, cut.piece.to_mating
    if not isinstance(row, Thread) or not row.close_nipple_mm or cut.marks or not cut.known:
        return None
    if any(end.method != "thread" for end in ends) or cut.exact_mm > (SHORT_IN + 0.25) * INCH_MM:
        return None
    lengths = [inch * INCH_MM for inch in READY_IN if row.close_nipple_mm < inch * INCH_MM <= SHORT_IN * INCH_MM]
    return min([row.close_nipple_mm, *lengths], key=lambda one: abs(one - cut.exact_mm))


def ready_length_mm(catalogue: Catalogue, cut: Cut) -> float | None:
    """The ready nipple that is just as long as a threaded piece [mm], of all lengths there are; None for none."""
    row = catalogue.method_figures(cut.pipe.code, cut.pipe.size, "thread")
    ends = cut.piece.from_mating, cut.piece.to_mating
    if not isinstance(row, Thread) or cut.marks or not cut.known or any(end.method != "thread" for end in ends):
        return None
    near = min(ready_lengths_mm(row), key=lambda one: abs(one - cut.exact_mm), default=None)
    return near if near is not None and abs(near - cut.exact_mm) <= SAME_MM else None


def ready_lengths_mm(row: Thread) -> tuple[float, ...]:
    """All ready nipples of a thread [mm], close first; none where no close nipple is listed for it."""
    if not row.close_nipple_mm:
        return ()
    return (row.close_nipple_mm, *(inch * INCH_MM for inch in READY_IN if inch * INCH_MM > row.close_nipple_mm))


def is_ready(catalogue: Catalogue, cut: Cut) -> bool:
    """Whether a ready nipple is as long as a piece, within half of 1/16 in."""
    ready = ready_mm(catalogue, cut)
    return ready is not None and abs(ready - cut.exact_mm) <= SAME_MM


@dataclass(frozen=True, slots=True)
class Mix:
    """Ready pieces with couplings between that come to a length. off_mm: how far they miss it, above 0 too long."""

    pieces_mm: tuple[float, ...]
    couplings: int
    off_mm: float


MOST_TRIED = 3  # lengths that are chosen freely; further ones are the longest there is


def mix_of(length_mm: float, ready_mm: Sequence[float], gap_mm: float) -> Mix:
    """The ready lengths whose sum with the gaps of the couplings between them [mm] comes nearest to a length: as few
    pieces as come within half of 1/16 in of it, else the nearest with the fewest that reach. Exact over all choices of
    up to four pieces; longer lines take the longest ready length for the rest. Raises Refused: nothing to take."""
    lengths = sorted(set(ready_mm))
    if not lengths or length_mm <= 0:
        raise Refused("length", length_mm, "a length above 0, of a thread with ready nipples", "600")
    fewest = max(1, math.ceil((length_mm + gap_mm - SAME_MM) / (lengths[-1] + gap_mm)))
    best: Mix | None = None
    for count in (fewest, fewest + 1):
        free = min(count, MOST_TRIED)
        given = [lengths[-1]] * (count - free)
        wanted = length_mm - sum(given) - (count - 1) * gap_mm
        chosen = _nearest(lengths, wanted, free)
        off = sum(chosen) - wanted
        if best is None or abs(off) < abs(best.off_mm) - 1e-9 and abs(best.off_mm) > SAME_MM:
            pieces = tuple(sorted([*given, *chosen], reverse=True))
            best = Mix(pieces, count - 1, round(off, 4))
    assert best is not None
    return best


def _nearest(lengths: Sequence[float], wanted: float, count: int) -> tuple[float, ...]:
    """So many of the lengths whose sum is nearest to what is wanted; among equals the longest first ones."""
    best: tuple[float, ...] = ()
    for head in itertools.combinations_with_replacement(reversed(lengths), count - 1):
        rest = wanted - sum(head)
        at = bisect.bisect_left(lengths, rest)
        for last in lengths[max(0, at - 1) : at + 1] or lengths[-1:]:
            chosen = (*head, last)
            if not best or abs(sum(chosen) - wanted) < abs(sum(best) - wanted) - 1e-9:
                best = chosen
    return best
