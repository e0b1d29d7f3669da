"""The pieces of one pipe and what they may be cut from, in whole numbers; first fit and what the metres alone cost."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from .stock import Part, Stock

UNITS_MM = (1.0, 1.5875, 0.5, 0.25, 0.1)  # lengths are counted in the first of these that fits all


@dataclass(frozen=True, slots=True)
class Pattern:
    """Pieces of one stock: how many of each kind of length."""

    stock: int
    counts: tuple[int, ...]


Cuts = list[tuple[Stock, list[str]]]
Chosen = dict[Pattern | int, int]
"""How often each pattern is cut; a number is a kind of piece that is bought ready."""


class Pieces:
    """Pieces of the same length are one kind. Lengths are whole numbers of a unit, pieces up and stock down."""

    def __init__(self, parts: Sequence[Part], stock: Sequence[Stock], kerf_mm: float, until: float) -> None:
        self.stock, self.kerf_mm, self.until = stock, kerf_mm, until
        self.length = {one.key: one.length_mm for one in parts}
        self.ready = {one.key: one.ready_cost for one in parts if one.ready_cost is not None}
        groups: dict[tuple[float, float | None], list[str]] = {}
        for one in parts:
            groups.setdefault((round(one.length_mm, 4), one.ready_cost), []).append(one.key)
        self.kinds = sorted(groups, key=lambda one: (-one[0], one[1] is None, one[1] or 0.0))
        self.keys = [groups[kind] for kind in self.kinds]
        self.need = [len(keys) for keys in self.keys]
        self.ready_cost = [kind[1] for kind in self.kinds]
        unit = unit_mm([kind[0] + kerf_mm for kind in self.kinds])
        self.size = [math.ceil((kind[0] + kerf_mm) / unit - 1e-4) for kind in self.kinds]
        self.room = [math.floor((one.length_mm + kerf_mm) / unit + 1e-4) for one in stock]
        self.cost = [one.cost for one in stock]
        self.first = self._first_fit()

    def _cost(self, chosen: Chosen) -> float:
        found = 0.0
        for one, times in chosen.items():
            found += times * (self.cost[one.stock] if isinstance(one, Pattern) else self.ready_cost[one] or 0.0)
        return found

    def _by_length(self) -> float:
        """What the metres alone cost at the least: offcuts first, then the cheapest by length; what could be bought
        ready not counted."""
        left = float(
            sum(
                size * need
                for size, need, ready in zip(self.size, self.need, self.ready_cost, strict=True)
                if ready is None
            )
        )
        found = 0.0
        rows = sorted(range(len(self.stock)), key=lambda n: self.cost[n] / max(self.room[n], 1))
        for n in rows:
            count = self.stock[n].count
            whole = left / self.room[n] if self.room[n] else 0.0
            taken = whole if count is None else min(whole, float(count))
            found += taken * self.cost[n]
            left -= taken * self.room[n]
        return found

    # --- first fit ----------------------------------------------------------------------------------------------------

    def _first_fit(self) -> Chosen:
        """The longest piece first, into the fullest length that takes it; a new one is the cheapest that does. Then the
        same with each single new length, and the best of all these."""
        fresh = [n for n, one in enumerate(self.stock) if one.count is None]
        tries = [self._fitted(None), *(self._fitted(n) for n in fresh)]
        return min((one for one in tries if one is not None), key=self._cost, default={})

    def _fitted(self, only: int | None) -> Chosen | None:
        left = {n: one.count for n, one in enumerate(self.stock) if one.count is not None}
        bars: list[tuple[int, int, list[int]]] = []
        for n, need in enumerate(self.need):
            for _ in range(need):
                size = self.size[n]
                spots = [i for i, (_, room, _) in enumerate(bars) if room >= size]
                if spots:
                    i = min(spots, key=lambda i: bars[i][1])
                    which, room, inside = bars[i]
                    bars[i] = (which, room - size, [*inside, n])
                    continue
                fits = [
                    k
                    for k in range(len(self.stock))
                    if self.room[k] >= size and (left.get(k, 1) or 0) > 0 and (only in (None, k) or k in left)
                ]
                if not fits:
                    return None
                k = min(fits, key=lambda k: (self.cost[k], self.room[k]))
                if k in left:
                    left[k] = (left[k] or 0) - 1
                bars.append((k, self.room[k] - size, [n]))
        return self._counted((which, inside) for which, _, inside in bars)

    def _counted(self, bars: Iterable[tuple[int, list[int]]]) -> Chosen:
        found: Counter[Pattern | int] = Counter()
        for which, inside in bars:
            many = Counter(inside)
            found[Pattern(which, tuple(many[n] for n in range(len(self.need))))] += 1
        return dict(found)

    def _full(self, left: int, counts: Sequence[int]) -> bool:
        """Whether no other piece that is wanted goes in."""
        return all(counts[n] >= self.need[n] or size > left for n, size in enumerate(self.size))

    def _shared_out(self, chosen: Chosen) -> tuple[Cuts, list[str]]:
        """The pieces by their keys on the chosen patterns, none twice."""
        waiting = [list(keys) for keys in self.keys]
        bars: Cuts = []
        nipples: list[str] = []
        for one, times in chosen.items():
            if not isinstance(one, Pattern):
                for _ in range(min(times, len(waiting[one]))):
                    nipples.append(waiting[one].pop())
        for one, times in chosen.items():
            if isinstance(one, Pattern):
                for _ in range(times):
                    keys: list[str] = []
                    for n, many in enumerate(one.counts):
                        keys += waiting[n][:many]
                        del waiting[n][:many]
                    if keys:
                        bars.append((self.stock[one.stock], keys))
        return bars, nipples


def unit_mm(lengths_mm: Sequence[float]) -> float:
    """The first unit of which all lengths are whole numbers, else the finest."""
    for unit in UNITS_MM:
        if all(abs(one / unit - round(one / unit)) < 1e-4 for one in lengths_mm):
            return unit
    return UNITS_MM[-1]


def grain_of(costs: Sequence[float]) -> float:
    """What all costs are whole numbers of; 0 where there is nothing of the kind."""
    whole = [round(one * 100) for one in costs]
    if any(abs(one * 100 - number) > 1e-6 for one, number in zip(costs, whole, strict=True)):
        return 0.0
    return math.gcd(*whole) / 100


def rounded_up(bound: float, grain: float) -> float:
    """A bound on costs that are whole numbers of a grain."""
    return math.ceil(bound / grain - 1e-6) * grain if grain > 0 else bound
