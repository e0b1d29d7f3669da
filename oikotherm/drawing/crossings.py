"""Where pipes cross on the sheet, and the gaps in those behind."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence

XY = tuple[float, float]


def crossing(a: XY, b: XY, c: XY, d: XY) -> tuple[float, float] | None:
    """Where segment a-b crosses c-d: the share of the way along each, strictly inside both; None if they do not."""
    rx, ry, sx, sy = b[0] - a[0], b[1] - a[1], d[0] - c[0], d[1] - c[1]
    det = rx * sy - ry * sx
    if abs(det) < 1e-9:
        return None
    t = ((c[0] - a[0]) * sy - (c[1] - a[1]) * sx) / det
    u = ((c[0] - a[0]) * ry - (c[1] - a[1]) * rx) / det
    return (t, u) if 1e-6 < t < 1 - 1e-6 and 1e-6 < u < 1 - 1e-6 else None


class Grid:
    """Segments by the squares they pass, so that only near ones are compared."""

    def __init__(self, cell: float) -> None:
        self.cell = cell
        self.squares: dict[tuple[int, int], list[int]] = defaultdict(list)

    def squares_of(self, a: XY, b: XY, margin: float = 0.0) -> Iterator[tuple[int, int]]:
        """The squares a segment passes, walked column by column."""
        cell = self.cell
        (x1, y1), (x2, y2) = (a, b) if a[0] <= b[0] else (b, a)
        first, last = int((x1 - margin) // cell), int((x2 + margin) // cell)
        for column in range(first, last + 1):
            if x2 - x1 < 1e-9:
                low, high = min(y1, y2), max(y1, y2)
            else:
                left, right = max(x1, column * cell), min(x2, (column + 1) * cell)
                ya = y1 + (y2 - y1) * (min(max(left, x1), x2) - x1) / (x2 - x1)
                yb = y1 + (y2 - y1) * (min(max(right, x1), x2) - x1) / (x2 - x1)
                low, high = min(ya, yb), max(ya, yb)
            for row in range(int((low - margin) // cell), int((high + margin) // cell) + 1):
                yield column, row

    def add(self, index: int, a: XY, b: XY) -> None:
        for square in self.squares_of(a, b):
            self.squares[square].append(index)

    def near(self, a: XY, b: XY, margin: float = 0.0) -> set[int]:
        found: set[int] = set()
        for square in self.squares_of(a, b, margin):
            found.update(self.squares.get(square, ()))
        return found


def gaps(
    segments: Sequence[tuple[XY, XY, float, float]], gap: float
) -> tuple[dict[int, list[tuple[float, float]]], int]:
    """For each segment (start, end, nearness there and there): the shares of it to leave out; and the crossings counted.

    At each crossing the farther one is broken over `gap` sheet units; equally near ones (they touch) are not.
    """
    grid = Grid(min(40.0, max(5.0, 600.0 / max(len(segments), 1) ** 0.5)))
    found: dict[int, list[tuple[float, float]]] = defaultdict(list)
    count = 0
    for index, (a, b, near_a, near_b) in enumerate(segments):
        for other in grid.near(a, b):
            c, d, near_c, near_d = segments[other]
            at = crossing(a, b, c, d)
            if at is None:
                continue
            mine = near_a + (near_b - near_a) * at[0]
            theirs = near_c + (near_d - near_c) * at[1]
            if abs(mine - theirs) < 1e-6:
                continue
            count += 1
            behind, share = (index, at[0]) if mine < theirs else (other, at[1])
            p, q = segments[behind][0], segments[behind][1]
            length = ((q[0] - p[0]) ** 2 + (q[1] - p[1]) ** 2) ** 0.5
            half = gap / 2 / length if length else 0.0
            found[behind].append((max(0.0, share - half), min(1.0, share + half)))
        grid.add(index, a, b)
    return {index: sorted(parts) for index, parts in found.items()}, count


def remains(parts: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """What is left of 0..1 when the given (sorted) shares are taken out."""
    left, at = [], 0.0
    for low, high in parts:
        if low > at:
            left.append((at, low))
        at = max(at, high)
    if at < 1.0:
        left.append((at, 1.0))
    return left
