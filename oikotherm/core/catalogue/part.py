"""A part of the catalogue: what stands between two pipes or ports."""

from __future__ import annotations

from dataclasses import dataclass

from .ends import End


@dataclass(frozen=True, slots=True)
class Part:
    """A part of the catalogue.

    gap_mm: along an in-line part from the stop, face or seat of its first end to that of its last [mm]; None for elbows
    and tees. reach_mm: from the centre to the stop or face, an end at a time; bore_mm: the narrowest way through, None
    where it is not known. k [-] on the velocity in the pipe, or kv [m3/h]; t_max_c, p_max_bar: of its weakest end;
    price: class 1 (cheap) to
    5.
    closing: it can take up the last joint between two fixed pipes; undone: it can be opened again in its middle.
    """

    id: str
    family: str
    title: str
    shape: str
    ends: tuple[End, ...]
    metal: str
    services: tuple[str, ...]
    gap_mm: float | None
    reach_mm: tuple[float | None, ...]
    bore_mm: float | None
    k: float | None
    kv: float | None
    t_max_c: float
    p_max_bar: float
    price: int
    marks: frozenset[str]
    source: str

    @property
    def inline(self) -> bool:
        """Whether it joins two ends in one line."""
        return len(self.ends) == 2 and self.gap_mm is not None
