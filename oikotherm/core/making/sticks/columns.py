"""The optimum by column generation, and enumeration of every pattern that could be in a better one."""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import Any

from .pieces import Chosen, Pattern, Pieces, rounded_up
from .stock import SAME

MOST_PATTERNS = 60_000
LIMIT_S = 4.0


class Columns(Pieces):
    """Pieces with patterns made as they pay."""

    def _by_columns(self, first: Chosen, bound: float, grain: float) -> tuple[Chosen, float]:
        """The optimum by column generation and enumeration: what is chosen, and the bound proven."""
        value, patterns, duals = self._generated(first)
        proven = value > 0
        bound = max(bound, rounded_up(value, grain))
        best = self._whole(patterns) or first
        if self._cost(first) < self._cost(best):
            best = first
        cost = self._cost(best)
        if cost <= bound + SAME or not proven:
            return best, min(bound, cost)
        every = self._within(*duals, cost - value)
        if every is None:
            return best, bound
        better = self._whole(every, proof=True)
        if better is None:  # no time to finish
            return best, bound
        cost_of_better = self._cost(better)
        return (better, cost_of_better) if cost_of_better < cost - SAME else (best, cost)

    def _generated(self, first: Chosen) -> tuple[float, list[Pattern], tuple[list[float], list[float]]]:
        """Column generation: the cost with parts of patterns allowed (0 where time runs out first), the patterns made,
        and what pieces and short stock are worth."""
        patterns = list(dict.fromkeys(one for one in first if isinstance(one, Pattern)))
        patterns += [one for one in self._alone() if one not in set(patterns)]
        known = set(patterns)
        duals: tuple[list[float], list[float]] = ([], [])
        while time.monotonic() < self.until:
            value, worth, saves = self._relaxed(patterns)
            duals = worth, saves
            fresh = [one for one in self._priced(worth, saves) if one not in known]
            if not fresh:
                return value, patterns, duals
            patterns += fresh
            known.update(fresh)
        return 0.0, patterns, duals

    def _alone(self) -> list[Pattern]:
        """As many of one kind as a length takes, for each length."""
        found = []
        for k, room in enumerate(self.room):
            for n, size in enumerate(self.size):
                many = min(self.need[n], room // size)
                if many:
                    counts = [0] * len(self.need)
                    counts[n] = many
                    found.append(Pattern(k, tuple(counts)))
        return found

    def _rows(self, patterns: Sequence[Pattern]) -> tuple[Any, Any, Any, Any]:
        """Costs, matrix, lower and upper limits: every kind is cut or bought often enough, no stock is used too often.
        Columns: the patterns, then what can be bought ready."""
        import numpy

        ready = [n for n, cost in enumerate(self.ready_cost) if cost is not None]
        few = [k for k, one in enumerate(self.stock) if one.count is not None]
        costs = numpy.array([self.cost[one.stock] for one in patterns] + [self.ready_cost[n] or 0.0 for n in ready])
        matrix = numpy.zeros((len(self.need) + len(few), len(costs)))
        matrix[: len(self.need), : len(patterns)] = numpy.array([one.counts for one in patterns]).T
        for column, n in enumerate(ready, len(patterns)):
            matrix[n, column] = 1
        for row, k in enumerate(few, len(self.need)):
            matrix[row, : len(patterns)] = [one.stock == k for one in patterns]
        low = numpy.array([float(one) for one in self.need] + [-numpy.inf] * len(few))
        high = numpy.array([numpy.inf] * len(self.need) + [float(self.stock[k].count or 0) for k in few])
        return costs, matrix, low, high

    def _relaxed(self, patterns: Sequence[Pattern]) -> tuple[float, list[float], list[float]]:
        """The cost with parts of patterns allowed, what a piece of each kind is worth, and what a piece of stock that
        is short would save."""
        import numpy
        from scipy.optimize import linprog

        costs, matrix, low, high = self._rows(patterns)
        many = len(self.need)
        found = linprog(
            costs,
            A_ub=numpy.vstack([-matrix[:many], matrix[many:]]),
            b_ub=numpy.concatenate([-low[:many], high[many:]]),
            method="highs",
        )
        if found.status != 0:
            return 0.0, [0.0] * many, [0.0] * len(self.stock)
        worth = [float(-one) for one in found.ineqlin.marginals[:many]]
        few = [k for k, one in enumerate(self.stock) if one.count is not None]
        saves = [0.0] * len(self.stock)
        for k, one in zip(few, found.ineqlin.marginals[many:], strict=True):
            saves[k] = float(-one)
        return float(found.fun), worth, saves

    def _priced(self, worth: Sequence[float], saves: Sequence[float]) -> list[Pattern]:
        """For each stock the pattern worth most, where it is worth more than it costs."""
        import numpy

        room = max(self.room)
        best = numpy.zeros(room + 1)
        items = self._split(worth)
        took: list[Any] = []
        for n, many in items:
            size = self.size[n] * many
            if size > room or worth[n] <= 1e-12:
                took.append(None)
                continue
            more = numpy.full(room + 1, -numpy.inf)
            more[size:] = best[: room + 1 - size] + worth[n] * many
            better = more > best + 1e-12
            best = numpy.where(better, more, best)
            took.append(better)
        found = []
        for k, cost in enumerate(self.cost):
            if best[self.room[k]] <= cost + saves[k] + 1e-7:
                continue
            counts, at = [0] * len(self.need), self.room[k]
            for (n, many), better in zip(reversed(items), reversed(took), strict=True):
                if better is not None and better[at]:
                    counts[n] += many
                    at -= self.size[n] * many
            found.append(Pattern(k, tuple(counts)))
        return found

    def _split(self, worth: Sequence[float]) -> list[tuple[int, int]]:
        """Each kind as lots of 1, 2, 4 ... that give every number up to what is needed."""
        found = []
        for n, need in enumerate(self.need):
            lot, left = 1, need
            while left:
                lot = min(lot, left)
                found.append((n, lot))
                left -= lot
                lot *= 2
        return found

    def _whole(self, patterns: Sequence[Pattern], most_s: float = LIMIT_S, *, proof: bool = False) -> Chosen | None:
        """The best choice of whole patterns; None where none is found in time, or with `proof` none is proven best."""
        import numpy
        from scipy.optimize import Bounds, LinearConstraint, milp

        if not patterns:
            return None
        costs, matrix, low, high = self._rows(patterns)
        left = max(0.2, min(most_s, self.until - time.monotonic()))
        found = milp(
            costs,
            constraints=LinearConstraint(matrix, low, high),
            integrality=numpy.ones(len(costs)),
            bounds=Bounds(0, numpy.inf),
            options={"time_limit": left, "mip_rel_gap": 0.0},
        )
        if found.x is None or (proof and found.status != 0):
            return None
        ready = [n for n, cost in enumerate(self.ready_cost) if cost is not None]
        chosen: Chosen = {}
        for column, value in enumerate(found.x):
            if times := round(float(value)):
                chosen[patterns[column] if column < len(patterns) else ready[column - len(patterns)]] = times
        return chosen

    def _within(self, worth: Sequence[float], saves: Sequence[float], gap: float) -> list[Pattern] | None:
        """Every full pattern whose reduced cost is within the gap: no better choice uses another. None where there are
        too many."""
        import numpy

        room = max(self.room)
        after = [numpy.zeros(room + 1) for _ in range(len(self.need) + 1)]
        for n in range(len(self.need) - 1, -1, -1):  # the most that kinds from n on are worth in so much room
            best = after[n + 1].copy()
            for _ in range(min(self.need[n], room // self.size[n])):
                more = best.copy()
                more[self.size[n] :] = numpy.maximum(more[self.size[n] :], best[: room + 1 - self.size[n]] + worth[n])
                if numpy.array_equal(more, best):
                    break
                best = more
            after[n] = best
        found: list[Pattern] = []
        for k, cost in enumerate(self.cost):
            least = cost + saves[k] - gap - 1e-7
            stack: list[tuple[int, int, float, tuple[int, ...]]] = [(0, self.room[k], 0.0, ())]
            while stack:
                n, left, value, counts = stack.pop()
                if value + after[n][left] < least:
                    continue
                if n == len(self.need):
                    if self._full(left, counts) and any(counts):
                        found.append(Pattern(k, counts))
                        if len(found) > MOST_PATTERNS or time.monotonic() > self.until:
                            return None
                    continue
                for many in range(min(self.need[n], left // self.size[n]) + 1):
                    stack.append((n + 1, left - many * self.size[n], value + many * worth[n], (*counts, many)))
        return found
