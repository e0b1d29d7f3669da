"""Keeps identity: the items of a retyped line take the ids of those they stand for."""

from __future__ import annotations

from collections.abc import Sequence

from .model import DeviceItem, Item, Leg, Pass, Point, Tee
from .words import Style
from .writing import item_text


def _signature(item: Item) -> tuple[str, ...]:
    """What makes two items the same thing said differently."""
    match item:
        case Leg():
            return "leg", item.dir
        case DeviceItem():
            return "device", item.part, item.name or ""
        case Tee() | Point():
            return item.kind, item.name
        case Pass():
            return "pass", item.through
        case _:
            return (item.kind,)


def align(new: Sequence[Item], old: Sequence[Item], next_item: int, style: Style) -> tuple[tuple[Item, ...], int]:
    """Give retyped items the ids of the old ones they stand for: (items, next free number).

    The pairing is the common subsequence of greatest weight: the same text counts most, the same thing with another
    figure less, the same kind least. An old item whose text is unchanged is kept whole, with its basis.
    """
    texts = [item_text(item, style) for item in new], [item_text(item, style) for item in old]
    low = 0
    while low < min(len(new), len(old)) and texts[0][low] == texts[1][low]:
        low += 1
    high = 0
    while high < min(len(new), len(old)) - low and texts[0][-1 - high] == texts[1][-1 - high]:
        high += 1
    pairs = {index: index for index in range(low)}
    pairs.update({len(new) - 1 - index: len(old) - 1 - index for index in range(high)})
    pairs.update(_heaviest(new, old, texts, range(low, len(new) - high), range(low, len(old) - high)))
    result: list[Item] = []
    for index, item in enumerate(new):
        if index not in pairs:
            result.append(item.model_copy(update={"id": f"i{next_item}"}))
            next_item += 1
        elif texts[0][index] == texts[1][pairs[index]]:
            result.append(old[pairs[index]])
        else:
            result.append(item.model_copy(update={"id": old[pairs[index]].id}))
    return tuple(result), next_item


def _heaviest(
    new: Sequence[Item], old: Sequence[Item], texts: tuple[list[str], list[str]], rows: range, columns: range
) -> dict[int, int]:
    """Longest common subsequence by weight of the middle parts: new index -> old index."""

    def weight(i: int, j: int) -> int:
        if texts[0][i] == texts[1][j]:
            return 8
        if new[i].kind != old[j].kind:
            return 0
        return 4 if _signature(new[i]) == _signature(old[j]) else 1

    best = [[0] * (len(columns) + 1) for _ in range(len(rows) + 1)]
    for r in range(len(rows) - 1, -1, -1):
        for c in range(len(columns) - 1, -1, -1):
            gain = weight(rows[r], columns[c])
            best[r][c] = max(best[r + 1][c], best[r][c + 1], best[r + 1][c + 1] + gain if gain else 0)
    pairs: dict[int, int] = {}
    r = c = 0
    while r < len(rows) and c < len(columns):
        gain = weight(rows[r], columns[c])
        if gain and best[r][c] == best[r + 1][c + 1] + gain:
            pairs[rows[r]] = columns[c]
            r, c = r + 1, c + 1
        elif best[r][c] == best[r + 1][c]:
            r += 1
        else:
            c += 1
    return pairs
