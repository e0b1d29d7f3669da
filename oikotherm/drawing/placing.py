"""Puts labels where they cover neither each other nor a pipe."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from .crossings import Grid
from .scene import XY, Box, Label

SIGN_WIDTH = 6.9  # sheet units a sign of the 11 px measure face takes
LINE_HEIGHT = 14.0


@dataclass(frozen=True, slots=True)
class Wish:
    """A label that is wanted. spots: where its middle may be, best first; need: it must be shown even when tight."""

    text: str
    kind: str
    spots: tuple[XY, ...]
    key: str = ""
    run: str = ""
    need: bool = False
    anchor: XY | None = None


def beside(
    a: XY, b: XY, width: float, height: float, shares: Sequence[float] = (0.5, 0.35, 0.65, 0.2, 0.8)
) -> tuple[XY, ...]:
    """Spots along a segment, on either side, clear of it."""
    dx, dy = b[0] - a[0], b[1] - a[1]
    length = (dx * dx + dy * dy) ** 0.5 or 1.0
    nx, ny = -dy / length, dx / length
    if ny > 0 or ny == 0 and nx > 0:
        nx, ny = -nx, -ny  # above first
    clear = abs(nx) * width / 2 + abs(ny) * height / 2 + 5
    spots = []
    for share in shares:
        x, y = a[0] + dx * share, a[1] + dy * share
        spots += [(x + nx * clear, y + ny * clear), (x - nx * clear, y - ny * clear)]
    return tuple(spots)


def around(at: XY, width: float, height: float, gap: float = 8.0) -> tuple[XY, ...]:
    """Spots round a point, the upper right first."""
    x, y = width / 2 + gap, height / 2 + gap
    ring = [(x, -y), (-x, -y), (x, y), (-x, y), (x, 0.0), (-x, 0.0), (0.0, -y), (0.0, y)]
    far = [(dx * 1.8, dy * 1.8) for dx, dy in ring]
    return tuple((at[0] + dx, at[1] + dy) for dx, dy in (*ring, *far))


def size(text: str) -> tuple[float, float]:
    return len(text) * SIGN_WIDTH + 4, LINE_HEIGHT


def place(
    wishes: Iterable[Wish],
    segments: Sequence[tuple[XY, XY]],
    bounds: Box,
    fixed: Sequence[Label] = (),
    cell: float = 40.0,
) -> list[Label]:
    """Labels in order of wish; each takes its first free spot. Without one it is tight, or where needed takes its best.

    segments: lines a label must not cover; bounds: the sheet; fixed: labels that stand already.
    """
    lines = Grid(cell)
    for index, (a, b) in enumerate(segments):
        lines.add(index, a, b)
    taken: dict[tuple[int, int], list[Box]] = defaultdict(list)
    for label in fixed:
        for square in _squares(label.box, cell):
            taken[square].append(label.box)
    labels: list[Label] = []
    for wish in wishes:
        width, height = size(wish.text)
        chosen: XY | None = None
        for spot in wish.spots:
            box = spot[0] - width / 2, spot[1] - height / 2, spot[0] + width / 2, spot[1] + height / 2
            if box[0] < bounds[0] or box[1] < bounds[1] or box[2] > bounds[2] or box[3] > bounds[3]:
                continue
            squares = _squares(box, cell)
            if any(_meet(box, other) for square in squares for other in taken.get(square, ())):
                continue
            if any(_crosses(box, *segments[index]) for square in squares for index in lines.squares.get(square, ())):
                continue
            chosen = spot
            for square in squares:
                taken[square].append(box)
            break
        if chosen is None and not wish.spots:
            continue
        at = chosen or wish.spots[0]
        tight = chosen is None
        leader = wish.anchor if wish.anchor and chosen and wish.spots.index(chosen) >= 8 else None
        labels.append(Label(at, wish.text, wish.kind, width, height, wish.key, wish.run, tight, leader))
    return labels


def _squares(box: Box, cell: float) -> list[tuple[int, int]]:
    return [
        (column, row)
        for column in range(int(box[0] // cell), int(box[2] // cell) + 1)
        for row in range(int(box[1] // cell), int(box[3] // cell) + 1)
    ]


def _meet(a: Box, b: Box) -> bool:
    return a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]


def _crosses(box: Box, a: XY, b: XY) -> bool:
    """Whether a segment touches a box (clipped by Liang and Barsky's method)."""
    low, high = 0.0, 1.0
    for p, q in (
        (-(b[0] - a[0]), a[0] - box[0]),
        (b[0] - a[0], box[2] - a[0]),
        (-(b[1] - a[1]), a[1] - box[1]),
        (b[1] - a[1], box[3] - a[1]),
    ):
        if p == 0:
            if q < 0:
                return False
        elif p < 0:
            low = max(low, q / p)
        else:
            high = min(high, q / p)
    return low <= high
