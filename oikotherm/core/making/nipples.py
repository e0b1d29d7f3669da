"""Ready nipples: threaded pieces that are bought, not cut and threaded."""

from __future__ import annotations

from ..catalogue import Catalogue, Thread
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


def is_ready(catalogue: Catalogue, cut: Cut) -> bool:
    """Whether a ready nipple is as long as a piece, within half of 1/16 in."""
    ready = ready_mm(catalogue, cut)
    return ready is not None and abs(ready - cut.exact_mm) <= SAME_MM
