"""Which pipe of a tree grows, until every end gets its pressure: always the one whose next size saves most a metre."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Protocol, TypeVar

from ..catalogue.loader import size_order
from ..job.model import Pipe


class Section(Protocol):
    """What a section of a tree is for this: its name, the one before it, how long it is."""

    @property
    def id(self) -> str: ...

    @property
    def above(self) -> str: ...

    @property
    def length_m(self) -> float: ...


S = TypeVar("S", bound=Section)


def enlarge(
    sections: Sequence[S],
    ladders: Mapping[str, Sequence[Pipe]],
    together: Mapping[str, Sequence[str]],
    arrive: Callable[[Mapping[str, Pipe]], Mapping[str, float]],
    short: Callable[[Mapping[str, float]], Sequence[Sequence[str]]],
    saves: Callable[[S, Pipe, Pipe, Mapping[str, float]], float],
) -> dict[str, Pipe] | None:
    """The size of each section at which no end is short; None where the largest do not do.

    ladders: section -> the sizes it may have, smallest first, from the one it begins with; together: sections that grow
    as one; arrive: pressure at the end of each section [Pa] with such sizes; short: the ways (sections) to the ends
    that get too little at such pressures; saves: what a section loses less [Pa] by the second of two sizes. No section
    becomes larger than the pipe before it, where that is of its system.
    """
    own = {one.id: one for one in sections}
    rung = dict.fromkeys(ladders, 0)

    def now(ident: str) -> Pipe:
        return ladders[ident][rung[ident]]

    def following(ident: str) -> Pipe:
        return ladders[ident][rung[ident] + 1]

    def saved(idents: Sequence[str], at: Mapping[str, float]) -> float:
        """Drop that the next size of these sections saves, a metre [Pa/m]."""
        found = sum(saves(own[ident], now(ident), following(ident), at) for ident in idents)
        return found / max(sum(own[ident].length_m for ident in idents), 0.1)

    def fed(ident: str) -> bool:
        """Whether the next size is no larger than the pipe before it, where that is of the same system."""
        above, wider = own[ident].above, following(ident)
        if not above or above in together[ident] or above not in ladders or now(above).code != wider.code:
            return True
        return size_order(now(above).size) >= size_order(wider.size)

    for _ in range(sum(len(ladder) for ladder in ladders.values())):
        at = arrive({ident: now(ident) for ident in ladders})
        ways = short(at)
        if not ways:
            return {ident: now(ident) for ident in ladders}
        best: tuple[float, str] | None = None
        groups: dict[tuple[str, ...], str] = {}  # what grows as one is looked at once
        for ident in {ident for way in ways for ident in way}:
            groups[tuple(together[ident])] = max(groups.get(tuple(together[ident]), ident), ident)
        for ident in groups.values():
            if all(rung[one] + 1 < len(ladders[one]) and fed(one) for one in together[ident]):
                best = max(best or (-1.0, ""), (saved(together[ident], at), ident))
        if best is None:
            break
        for ident in together[best[1]]:
            rung[ident] += 1
    return None
