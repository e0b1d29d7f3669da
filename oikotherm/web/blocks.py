"""Long lists in blocks: a page never sends what is not looked at. A block ends where a run, level or rule ends, if it
can."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Sequence
from dataclasses import dataclass
from typing import Generic, TypeVar

T = TypeVar("T")
MOST_ROWS = 100


@dataclass(frozen=True, slots=True)
class Block:
    """One block of a list. key: as the address names it; title: the first and last group in it; count: rows."""

    key: str
    title: str
    count: int


@dataclass(frozen=True, slots=True)
class Shown(Generic[T]):
    """The rows of a list that a page shows. blocks: all of them, none where the list is short; shown: key of the block
    that is."""

    rows: Sequence[T]
    blocks: tuple[Block, ...] = ()
    shown: str = ""
    total: int = 0


def in_blocks(
    rows: Sequence[T],
    group: Callable[[T], Hashable],
    asked: str = "",
    wanted: Callable[[T], bool] | None = None,
    most: int = MOST_ROWS,
) -> Shown[T]:
    """The rows to show: all of a list of up to `most`, else the block asked for by its key, or the one with the
    first row that is wanted, or the first. group: what belongs together (a run, a level), in the order of the rows."""
    if len(rows) <= most:
        return Shown(rows, total=len(rows))
    cut = list(_cut(rows, group, most))
    blocks = tuple(Block(str(number), _title(part, group), len(part)) for number, part in enumerate(cut, 1))
    at = next((n for n, part in enumerate(cut) if wanted and any(map(wanted, part))), 0)
    if asked.isascii() and asked.isdigit() and 1 <= int(asked[:6]) <= len(cut):
        at = int(asked) - 1
    return Shown(cut[at], blocks, str(at + 1), len(rows))


def _cut(rows: Iterable[T], group: Callable[[T], Hashable], most: int) -> Iterable[list[T]]:
    """Groups after each other into blocks; a group that is longer than a block is cut."""
    block: list[T] = []
    own: list[T] = []
    last: Hashable = None
    for row in rows:
        if own and group(row) != last:
            yield from _full(block, own, most)
            own = []
        last = group(row)
        own.append(row)
    yield from _full(block, own, most)
    if block:
        yield list(block)


def _full(block: list[T], own: list[T], most: int) -> Iterable[list[T]]:
    """Put a group into the block; gives the blocks that are full by it."""
    if block and len(block) + len(own) > most:
        yield list(block)
        block.clear()
    block += own
    while len(block) > most:
        yield block[:most]
        del block[:most]


def _title(part: Sequence[T], group: Callable[[T], Hashable]) -> str:
    first, last = str(group(part[0])), str(group(part[-1]))
    return first if first == last else f"{first} to {last}"
