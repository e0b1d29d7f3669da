"""Puts labels where they cover neither each other nor a pipe."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from .scene import XY, Box, Label

SIGN_WIDTH = 6.9  # sheet units a sign of the 11 px measure face takes
LINE_HEIGHT = 14.0
CELL = 3.0  # a square; its diagonal is less than the 5 units that labels keep from their own pipe


@dataclass(frozen=True, slots=True)
class Wish:
    """A label that is wanted. spots: where its middle may be, best first; anchor: what a far label is tied to by a thin
    line."""

    text: str
    kind: str
    spots: tuple[XY, ...]
    key: str = ""
    run: str = ""
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


def apart(a: XY, b: XY, width: float, height: float) -> tuple[XY, ...]:
    """Spots for a figure on a line of measure: beside the middle of a segment, near first, on either side."""
    dx, dy = b[0] - a[0], b[1] - a[1]
    length = (dx * dx + dy * dy) ** 0.5 or 1.0
    nx, ny = -dy / length, dx / length
    if ny > 0 or ny == 0 and nx > 0:
        nx, ny = -nx, -ny
    clear = abs(nx) * width / 2 + abs(ny) * height / 2 + 9
    middle = ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)
    return tuple(
        (middle[0] + sign * nx * far, middle[1] + sign * ny * far)
        for far in (clear, clear + 14, clear + 30)
        for sign in (1, -1)
    )


def around(at: XY, width: float, height: float, gap: float = 8.0) -> tuple[XY, ...]:
    """Spots round a point, the upper right first."""
    x, y = width / 2 + gap, height / 2 + gap
    ring = [(x, -y), (-x, -y), (x, y), (-x, y), (x, 0.0), (-x, 0.0), (0.0, -y), (0.0, y)]
    far = [(dx * 1.8, dy * 1.8) for dx, dy in ring]
    return tuple((at[0] + dx, at[1] + dy) for dx, dy in (*ring, *far))


def size(text: str) -> tuple[float, float]:
    return len(text) * SIGN_WIDTH + 4, LINE_HEIGHT


class Occupied:
    """Which parts of the sheet are taken: rows of small squares, each row one integer with a bit a square.

    A line takes every square it passes, a box every square it touches, so that `free` never says so wrongly.
    """

    def __init__(self, bounds: Box) -> None:
        self.left, self.top, self.right, self.bottom = bounds
        self.rows = [0] * (int((self.bottom - self.top) / CELL) + 2)

    def _bits(self, x1: float, x2: float) -> int:
        first = int((max(x1, self.left) - self.left) / CELL)
        last = int((min(x2, self.right) - self.left) / CELL)
        return ((1 << (last - first + 1)) - 1) << first if last >= first else 0

    def add_line(self, a: XY, b: XY) -> None:
        (x1, y1), (x2, y2) = (a, b) if a[1] <= b[1] else (b, a)
        slope = (x2 - x1) / (y2 - y1) if y2 - y1 > 1e-9 else 0.0
        first, last = int((max(y1, self.top) - self.top) / CELL), int((min(y2, self.bottom) - self.top) / CELL)
        if slope == 0.0:
            bits = self._bits(min(x1, x2), max(x1, x2))
            for row in range(first, last + 1):
                self.rows[row] |= bits
            return
        for row in range(first, last + 1):
            low, high = self.top + row * CELL, self.top + (row + 1) * CELL
            start, end = x1 + (max(low, y1) - y1) * slope, x1 + (min(high, y2) - y1) * slope
            self.rows[row] |= self._bits(start, end) if slope > 0 else self._bits(end, start)

    def add_box(self, box: Box) -> None:
        bits = self._bits(box[0], box[2])
        for row in self._rows_of(box):
            self.rows[row] |= bits

    def _rows_of(self, box: Box) -> range:
        last = min(int((box[3] - self.top) / CELL), len(self.rows) - 1)
        return range(max(int((box[1] - self.top) / CELL), 0), last + 1)

    def free(self, box: Box) -> bool:
        """Whether a box lies on the sheet and on nothing that is taken."""
        if box[0] < self.left or box[1] < self.top or box[2] > self.right or box[3] > self.bottom:
            return False
        first, last = int((box[0] - self.left) / CELL), int((box[2] - self.left) / CELL)
        bits = ((1 << (last - first + 1)) - 1) << first
        for row in self.rows[int((box[1] - self.top) / CELL) : int((box[3] - self.top) / CELL) + 1]:
            if row & bits:
                return False
        return True


def place(
    wishes: Iterable[Wish], segments: Iterable[tuple[XY, XY]], bounds: Box, fixed: Sequence[Label] = ()
) -> list[Label]:
    """Labels in order of wish; each takes its first free spot. Without one it is tight: shown only when zoomed in.

    segments: lines a label must not cover; bounds: the sheet; fixed: labels that stand already.
    """
    taken = Occupied(bounds)
    for a, b in segments:
        taken.add_line(a, b)
    for label in fixed:
        taken.add_box(label.box)
    labels: list[Label] = []
    for wish in wishes:
        if not wish.spots:
            continue
        width, height = size(wish.text)
        chosen = -1
        for number, (x, y) in enumerate(wish.spots):
            box = x - width / 2, y - height / 2, x + width / 2, y + height / 2
            if taken.free(box):
                taken.add_box(box)
                chosen = number
                break
        leader = wish.anchor if chosen >= 8 else None
        at = wish.spots[max(chosen, 0)]
        labels.append(Label(at, wish.text, wish.kind, width, height, wish.key, wish.run, chosen < 0, leader))
    return labels
