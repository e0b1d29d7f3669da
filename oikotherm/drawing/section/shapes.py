"""What a section is made of: closed outlines along the pipe, and the pieces several joint methods share.

x along the pipe to the right, 0 at the mouth, face or seat of the fitting; r from the centre line; millimetres. Shapes
are given for the upper half and mirrored.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from ...core.catalogue import Catalogue, End
from ..svg import number

XR = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Shape:
    """A closed outline of the upper half [mm], mirrored below. what: pipe, body, nut, olive, seal, insert ..."""

    what: str
    outline: tuple[XR, ...]
    mirrored: bool = True


@dataclass(slots=True)
class JointSection:
    """A joint cut open [mm]. labels: (words, x, r) of the part pointed at; depth: from x to x, how deep the pipe lies
    in."""

    title: str
    od_mm: float
    shapes: list[Shape] = field(default_factory=list)
    labels: list[tuple[str, float, float]] = field(default_factory=list)
    depth: tuple[float, float] | None = None
    depth_words: str = ""
    mark_mm: float | None = None

    def ring(self, what: str, x0: float, x1: float, r0: float, r1: float) -> None:
        """A tube wall or ring between two radii."""
        self.shapes.append(Shape(what, ((x0, r0), (x1, r0), (x1, r1), (x0, r1))))

    def poly(self, what: str, *points: XR) -> None:
        self.shapes.append(Shape(what, points))

    def round(self, what: str, x: float, r: float, size: float) -> None:
        """An O-ring cut through: a circle of that radius."""
        steps = [(x + size * math.cos(a), r + size * math.sin(a)) for a in (n * math.pi / 8 for n in range(16))]
        self.shapes.append(Shape(what, tuple(steps)))

    def label(self, words: str, x: float, r: float) -> None:
        self.labels.append((words, x, r))

    def bounds(self) -> tuple[float, float, float]:
        """Least x, greatest x, greatest r."""
        points = [point for shape in self.shapes for point in shape.outline]
        return min(x for x, _ in points), max(x for x, _ in points), max(abs(r) for _, r in points)

    def along(self, what: str) -> tuple[float, float]:
        """From where to where the parts of a kind reach."""
        xs = [x for shape in self.shapes if shape.what == what for x, _ in shape.outline]
        return min(xs), max(xs)


@dataclass(frozen=True, slots=True)
class Measures:
    """ro, r: outer and inner radius of the pipe; d: insertion; style: how its wall is drawn."""

    ro: float
    r: float
    d: float
    style: str
    fitting_bore: float | None
    pipe: End
    catalogue: Catalogue

    @property
    def free(self) -> float:
        """Length of bare pipe that is drawn."""
        return max(self.ro * 2.2, 22.0)


def pipe_wall(s: JointSection, m: Measures, to: float | None = None, start: float | None = None) -> None:
    end = m.d if to is None else to
    begin = -m.free if start is None else start
    if m.style == "multilayer":
        wall = m.ro - m.r
        s.ring("pipe plastic", begin, end, m.r, m.r + 0.42 * wall)
        s.ring("pipe aluminium", begin, end, m.r + 0.42 * wall, m.r + 0.58 * wall)
        s.ring("pipe plastic", begin, end, m.r + 0.58 * wall, m.ro)
    else:
        s.ring(f"pipe {m.style}", begin, end, m.r, m.ro)
    s.label(f"{m.pipe.family} {m.pipe.size}", begin + 0.3 * (end - begin), m.ro if m.style != "multilayer" else m.ro)


def insertion_depth(s: JointSection, m: Measures, words: str = "insertion") -> None:
    s.depth = (0.0, m.d)
    s.depth_words = f"{words} {number(round(m.d, 1))}"
    s.mark_mm = 0.0


def socket(s: JointSection, m: Measures, wall: float, beyond: float = 0.9) -> float:
    """A cup with its stop, and the waterway behind; gives where it ends."""
    end = m.d + 2 * m.ro * beyond
    s.poly(
        "body",
        (0, m.ro + 0.12),
        (m.d, m.ro + 0.12),
        (m.d, m.r),
        (end, m.r),
        (end, m.r + wall),
        (m.d + 1.2 * wall, m.r + wall + 0.2),
        (m.d - 0.4 * wall, m.ro + wall),
        (0, m.ro + wall),
    )
    return end
