"""Stock lengths, pieces, and how they are laid out: the data."""

from __future__ import annotations

from dataclasses import dataclass

SAME = 1e-6


@dataclass(frozen=True, slots=True)
class Stock:
    """Pipe of one length to cut from. cost: of one, in any one unit; count: how many there are, None for as many as are
    wanted; offcut: left over from another job, on the van."""

    length_mm: float
    cost: float
    count: int | None = None
    offcut: bool = False


@dataclass(frozen=True, slots=True)
class Part:
    """A piece to have [mm]. ready_cost: what it costs over cutting it where it can be bought as a ready nipple, None
    where it cannot."""

    key: str
    length_mm: float
    ready_cost: float | None = None


@dataclass(frozen=True, slots=True)
class Bar:
    """One stock length with its pieces in cutting order; rest_mm is left of it."""

    stock: Stock
    pieces: tuple[str, ...]
    rest_mm: float


@dataclass(frozen=True, slots=True)
class Layout:
    """Which piece is cut from which length. ready: bought as nipples; too_long: of no stock; cost: of stock and
    nipples; bound: what no layout can cost less than; waste_mm: of what is cut into, all that is no piece."""

    bars: tuple[Bar, ...]
    ready: tuple[str, ...]
    too_long: tuple[str, ...]
    cost: float
    bound: float
    waste_mm: float

    @property
    def gap(self) -> float:
        """How far the cost may be over the least possible, as a share of it; 0 where it is proven the least."""
        return max(0.0, (self.cost - self.bound) / self.cost) if self.cost > self.bound + SAME else 0.0
