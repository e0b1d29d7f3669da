"""Pieces of one pipe on stock lengths: the least cost, by integer programming, with a proof.

A set of pieces that one stock length holds is a pattern. Patterns that pay are made by column generation (the pieces
of a pattern follow from a knapsack), which ends in a lower bound no layout can be under; the best layout of those made
is an upper bound. Where the two differ, every pattern whose reduced cost is within the difference is enumerated, and
the optimum over these is the optimum over all (Gilmore and Gomory 1961; Baldacci et al. 2008 for the enumeration).
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Iterable, Sequence

from .columns import LIMIT_S
from .counts import Problem
from .pieces import Cuts
from .stock import SAME, Bar, Layout, Part, Stock


def lay_out(parts: Iterable[Part], stock: Sequence[Stock], kerf_mm: float = 0.0, limit_s: float = LIMIT_S) -> Layout:
    """The pieces on stock lengths at the least cost. A saw takes kerf_mm off between two pieces and behind the last,
    unless that ends the stock. Offcuts cost nothing and are used before anything new is.

    limit_s: the time to look for a proof [s]; where it runs out the gap is what is left open. Source: see the module.
    """
    stock = _each_once(stock)
    wanted = sorted((one for one in parts if one.length_mm > 0), key=lambda one: (-one.length_mm, one.key))
    longest = max((one.length_mm for one in stock), default=0.0)
    fits = [one for one in wanted if one.length_mm <= longest + SAME]
    bought = [one for one in fits if one.ready_cost is not None and one.ready_cost <= 0]
    bought += [one for one in wanted if one.length_mm > longest + SAME and one.ready_cost is not None]
    given = {one.key for one in bought}
    cut = [one for one in fits if one.key not in given]
    ready = [one.key for one in bought]
    too_long = tuple(one.key for one in wanted if one.length_mm > longest + SAME and one.key not in given)
    cost = sum(one.ready_cost or 0.0 for one in bought)
    if not cut:
        return Layout((), tuple(sorted(ready)), too_long, cost, cost, 0.0)
    until = time.monotonic() + limit_s
    problem = Problem(cut, stock, kerf_mm, until)
    while cut and not problem.first:  # what there is does not hold all: the longest go without
        too_long = (*too_long, cut.pop(0).key)
        problem = Problem(cut, stock, kerf_mm, until)
    if not cut:
        return Layout((), tuple(sorted(ready)), too_long, cost, cost, 0.0)
    bars, nipples, bound = problem.solved()
    bars = _offcuts_first(bars, stock, problem)
    made = tuple(sorted((_bar(one, pieces, problem) for one, pieces in bars), key=_order))
    ready += nipples
    cost += sum(one.stock.cost for one in made) + sum(problem.ready[key] for key in nipples)
    length = {one.key: one.length_mm for one in cut}
    waste = sum(bar.stock.length_mm - sum(length[key] for key in bar.pieces) for bar in made)
    base = sum(one.ready_cost or 0.0 for one in bought)
    return Layout(made, tuple(sorted(ready)), too_long, cost, base + bound, round(waste, 4))


def _each_once(stock: Sequence[Stock]) -> list[Stock]:
    """Stock alike together, with how many there are."""
    counts: dict[tuple[float, float, bool], int | None] = {}
    for one in stock:
        kind, before = (one.length_mm, one.cost, one.offcut), counts.get((one.length_mm, one.cost, one.offcut), 0)
        counts[kind] = None if before is None or one.count is None else before + one.count
    return [Stock(length_mm, cost, count, offcut) for (length_mm, cost, offcut), count in counts.items()]


def _order(bar: Bar) -> tuple[bool, float, float]:
    return not bar.stock.offcut, -bar.stock.length_mm, bar.rest_mm


def _bar(stock: Stock, pieces: Sequence[str], problem: Problem) -> Bar:
    keys = sorted(pieces, key=lambda key: (-problem.length[key], key))
    used = sum(problem.length[key] for key in keys)
    rest = stock.length_mm - used - problem.kerf_mm * len(keys)
    return Bar(stock, tuple(keys), round(max(rest, 0.0), 4))


def _offcuts_first(bars: Cuts, stock: Sequence[Stock], problem: Problem) -> Cuts:
    """The same layout with pieces moved from new lengths into offcuts that lie unused, the longest that fits first:
    what is left of the new then is longer."""
    used = Counter(one for one, _ in bars)
    free = [
        one
        for one in sorted(stock, key=lambda one: one.length_mm)
        if one.offcut and one.count is not None
        for _ in range(one.count - used[one])
    ]
    made = [(one, list(keys)) for one, keys in bars]
    for offcut in free:
        taken: list[str] = []
        while True:
            room = offcut.length_mm + problem.kerf_mm - sum(problem.length[key] + problem.kerf_mm for key in taken)
            movable = [
                (problem.length[key], key, keys)
                for one, keys in made
                if not one.offcut
                for key in keys
                if problem.length[key] + problem.kerf_mm <= room + SAME
            ]
            if not movable:
                break
            _, key, keys = max(movable, key=lambda one: (one[0], one[1]))
            keys.remove(key)
            taken.append(key)
        if taken:
            made.append((offcut, taken))
    return [(one, keys) for one, keys in made if keys]
