"""So many of each stock: the cheapest numbers that hold all pieces, and that cheaper ones do not."""

from __future__ import annotations

import random
import time
from collections.abc import Sequence

from .columns import Columns
from .pieces import Chosen, Cuts, Pattern, grain_of, rounded_up
from .stock import SAME

MOST_KINDS = 120  # of different lengths; beyond it the layout is first fit, with its gap to what the metres alone take
MOST_FILLING = 6_000
MOST_COMBINATIONS = 400
TRIES = 150
MORE_TRIES = 1500
SOME_S = 0.6


class Problem(Columns):
    """Pieces to be laid out: solved() is the entry."""

    def solved(self) -> tuple[Cuts, list[str], float]:
        """The bars with their pieces, what is bought ready, and the lower bound of the cost."""
        first = self.first
        best, cost = first, self._cost(first)
        grain = grain_of([*self.cost, *(one for one in self.ready_cost if one is not None)])
        bound = rounded_up(self._by_length(), grain)
        if cost > bound + SAME and len(self.kinds) <= MOST_KINDS:
            if any(one is not None for one in self.ready_cost):
                best, bound = self._by_columns(first, bound, grain)
            else:
                best, bound = self._by_counts(first, bound)
        return *self._shared_out(best), bound

    def _by_counts(self, first: Chosen, bound: float) -> tuple[Chosen, float]:
        """The cheapest numbers of each stock that hold all pieces: of what is cheaper each is shown not to. Returns
        what is chosen, and the bound proven."""
        cost = self._cost(first)
        combinations = self._combinations(bound, cost)
        for counts in combinations:  # most are settled by subsets that fill each length best
            made = self._packed(counts)
            if made is not None:
                first, cost = made, self._cost(made)
                break
        if any(self._sum(counts) < cost - SAME for counts in combinations):
            value, patterns, _ = self._generated(first)
            bound = max(bound, value)
            better = self._whole(patterns, SOME_S)
            if better is not None and self._cost(better) < cost - SAME:
                first, cost = better, self._cost(better)
        for counts in combinations:
            if not bound - SAME <= self._sum(counts) < cost - SAME:
                continue
            possible, made = self._possible(counts)
            if possible and made is None:
                made = self._packed(counts, MORE_TRIES)
            if made is not None:
                return made, self._sum(counts)
            if possible:
                return first, self._sum(counts)
        return first, cost

    def _sum(self, counts: Sequence[int]) -> float:
        return sum(cost * many for cost, many in zip(self.cost, counts, strict=True))

    def _combinations(self, low: float, high: float) -> list[tuple[int, ...]]:
        """Numbers of each stock that are long enough together and cost from low to less than high, the cheapest first,
        then the shortest; offcuts are all there."""
        total = sum(size * need for size, need in zip(self.size, self.need, strict=True))
        fresh = [k for k, one in enumerate(self.stock) if one.count is None and self.cost[k] > 0]
        given = [one.count or 0 for one in self.stock]
        lying = sum(room * many for room, many in zip(self.room, given, strict=True))
        found: list[tuple[int, ...]] = []
        most = sum(self.need)

        def take(which: int, counts: list[int], room: int) -> None:
            if len(found) >= MOST_COMBINATIONS:
                return
            if which == len(fresh):
                if room >= total and low - SAME <= self._sum(counts) < high - SAME:
                    found.append(tuple(counts))
                return
            k = fresh[which]
            for many in range(most + 1):
                counts[k] = many
                if self._sum(counts) >= high - SAME:
                    break
                take(which + 1, counts, room + many * self.room[k])
                if room + many * self.room[k] >= total:
                    break
            counts[k] = 0

        take(0, list(given), lying)
        return sorted(found, key=lambda counts: (self._sum(counts), sum(counts)))

    def _packed(self, counts: Sequence[int], tries: int = TRIES) -> Chosen | None:
        """All pieces in so many of each stock, each filled by the subset of the rest that fills it best, the longest
        piece among it; in several orders. None where none of them holds all."""
        bins = [k for k, many in enumerate(counts) for _ in range(many)]
        rng = random.Random(len(bins))  # the same pieces give the same bars
        orders = [sorted(bins, key=lambda k: self.room[k]), sorted(bins, key=lambda k: -self.room[k])]
        for number in range(tries):
            if time.monotonic() > self.until:
                return None
            order = orders[number] if number < 2 else rng.sample(bins, len(bins))
            left = [n for n, need in enumerate(self.need) for _ in range(need)]
            filled: list[tuple[int, list[int]]] = []
            for k in order:
                if not left:
                    break
                inside = self._filled(left, self.room[k], rng if number else None, longest=number % 3 != 2)
                for n in inside:
                    left.remove(n)
                if inside:
                    filled.append((k, inside))
            if not left:
                return self._counted(filled)
        return None

    def _filled(self, left: Sequence[int], room: int, rng: random.Random | None, *, longest: bool) -> list[int]:
        """The pieces of the rest whose lengths fill so much room best."""
        items = [n for n in left if self.size[n] <= room]
        if not items:
            return []
        inside = [items.pop(0)] if longest else []  # they come longest first
        room -= sum(self.size[n] for n in inside)
        items = [n for n in items if self.size[n] <= room]
        if rng is not None:
            rng.shuffle(items)
        sums, after = 1, []
        mask = (1 << (room + 1)) - 1
        for n in items:  # bit s: some of the items so far are s long together
            after.append(sums)
            sums |= (sums << self.size[n]) & mask
        at = sums.bit_length() - 1
        for n, before in zip(reversed(items), reversed(after), strict=True):
            if not before >> at & 1:
                inside.append(n)
                at -= self.size[n]
        return inside

    def _possible(self, counts: Sequence[int]) -> tuple[bool, Chosen | None]:
        """Whether so many of each stock can hold all pieces, as far as there is time to say, and how: no length may
        be left emptier than all of them are together."""
        import numpy
        from scipy.optimize import Bounds, LinearConstraint, milp

        total = sum(size * need for size, need in zip(self.size, self.need, strict=True))
        slack = sum(room * many for room, many in zip(self.room, counts, strict=True)) - total
        patterns: list[Pattern] = []
        for k, many in enumerate(counts):
            if many:
                found = self._filling(k, self.room[k] - slack, MOST_FILLING - len(patterns))
                if found is None:
                    return True, None
                patterns += found
        left = self.until - time.monotonic()
        if left <= 0:
            return True, None
        if not patterns:
            return False, None
        matrix = numpy.zeros((len(self.need) + len(counts), len(patterns)))
        matrix[: len(self.need)] = numpy.array([one.counts for one in patterns]).T
        for k in range(len(counts)):
            matrix[len(self.need) + k] = [one.stock == k for one in patterns]
        inf = numpy.inf
        low = [float(one) for one in self.need] + [-inf] * len(counts)
        high = [inf] * len(self.need) + [float(one) for one in counts]
        done = milp(
            numpy.zeros(len(patterns)),
            constraints=LinearConstraint(matrix, low, high),
            integrality=numpy.ones(len(patterns)),
            bounds=Bounds(0, inf),
            options={"time_limit": left},
        )
        if done.x is None:
            return done.status != 2, None
        return True, {patterns[n]: round(float(value)) for n, value in enumerate(done.x) if round(float(value))}

    def _filling(self, which: int, least: int, most: int) -> list[Pattern] | None:
        """Every full pattern of a stock that fills at least so much of it; None where there are too many."""
        after = [0] * (len(self.need) + 1)  # what kinds from n on are long together
        for n in range(len(self.need) - 1, -1, -1):
            after[n] = after[n + 1] + self.size[n] * self.need[n]
        found: list[Pattern] = []
        room = self.room[which]
        stack: list[tuple[int, int, tuple[int, ...]]] = [(0, room, ())]
        steps = 0
        while stack:
            n, left, counts = stack.pop()
            steps += 1
            if room - left + after[n] < least:
                continue
            if n == len(self.need):
                if self._full(left, counts) and any(counts):
                    found.append(Pattern(which, counts))
                    if len(found) > most:
                        return None
                continue
            if steps % 5000 == 0 and time.monotonic() > self.until:
                return None
            for many in range(min(self.need[n], left // self.size[n]) + 1):
                stack.append((n + 1, left - many * self.size[n], (*counts, many)))
        return found
