"""The joint card's drawing: every joint method cut open along the pipe, to true proportion from the catalogue's
measures.

A section is made in millimetres: x along the pipe to the right, 0 at the mouth, face or seat of the fitting; r from the
centre line. Shapes are given for the upper half and mirrored. Bodies are typical of the class; pipe, bore and insertion
are the table's.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from xml.sax.saxutils import escape, quoteattr

from ..core.catalogue import Catalogue, End
from ..core.catalogue.parts import end_bore_mm, end_od_mm, thread_row
from ..core.joints.law import mouth as end_for
from .svg import number

XR = tuple[float, float]
PIPE_STYLE = {
    "copper": "copper",
    "plastic": "plastic",
    "multilayer": "multilayer",
    "steel": "steel",
    "stainless": "steel",
}


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


def section(catalogue: Catalogue, method: str, pipe: End) -> JointSection:
    """The section of a joint method on a pipe, or on the end of a threaded part. Measures that are not known are
    typical."""
    mouth = end_for(catalogue, method, pipe)
    od = end_od_mm(catalogue, pipe) or {"3/8": 16.0, "1/2": 20.0, "3/4": 27.0, "1": 34.0}.get(pipe.size, 22.0)
    bore = end_bore_mm(catalogue, pipe) if pipe.family in catalogue.systems else None
    bore = bore if bore is not None and bore < od else od * 0.82
    from ..core.catalogue.parts import insertion_mm

    depth = (insertion_mm(catalogue, mouth) if mouth else insertion_mm(catalogue, pipe)) or 0.0
    system = catalogue.systems.get(pipe.family)
    style = PIPE_STYLE.get(system.material, "steel") if system else "steel"
    made = JointSection(catalogue.methods[method].title if method in catalogue.methods else method, od)
    insert_bore = end_bore_mm(catalogue, mouth) if mouth else None
    _DRAWERS[method](made, _Measures(od / 2, bore / 2, depth, style, insert_bore, pipe, catalogue))
    return made


@dataclass(frozen=True, slots=True)
class _Measures:
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


def _pipe(s: JointSection, m: _Measures, to: float | None = None, start: float | None = None) -> None:
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


def _depth(s: JointSection, m: _Measures, words: str = "insertion") -> None:
    s.depth = (0.0, m.d)
    s.depth_words = f"{words} {number(round(m.d, 1))}"
    s.mark_mm = 0.0


def _socket(s: JointSection, m: _Measures, wall: float, beyond: float = 0.9) -> float:
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


def _capillary(s: JointSection, m: _Measures, fillet: float = 0.9, words: str = "solder") -> None:
    _pipe(s, m)
    _socket(s, m, max(1.1, 0.07 * m.ro * 2))
    s.poly("filler", (0, m.ro), (m.d, m.ro), (m.d, m.ro + 0.35), (0, m.ro + 0.35))
    s.poly("filler", (0.05, m.ro), (0.05, m.ro + 1.0 * fillet), (-1.1 * fillet, m.ro))
    s.label(f"{words}, a ring all round", -0.4 * fillet, m.ro + 0.3)
    s.label("fitting", m.d * 0.6, m.ro + 1.0)
    s.label("stop", m.d, m.ro * 0.97)
    _depth(s, m)


def _braze(s: JointSection, m: _Measures) -> None:
    _capillary(s, m, 1.9, "filler")


def _nut(s: JointSection, x0: float, x1: float, inner: float, thread: float, outer: float, hole: float) -> None:
    """A nut that reaches over a thread: its flange grips at x0."""
    flange = (x1 - x0) * 0.28
    s.poly(
        "nut",
        (x0, hole),
        (x0 + flange, inner),
        (x0 + flange, thread),
        (x1, thread),
        (x1, outer),
        (x0 + 0.06 * (x1 - x0), outer),
        (x0, outer - 0.08 * outer),
    )


def _comp(s: JointSection, m: _Measures, olive: str, insert: bool = False) -> None:
    size = 2 * m.ro
    width = 0.38 * size if size < 20 else 0.3 * size
    _pipe(s, m)
    wall = max(2.2, 0.14 * size)
    end = m.d + 0.9 * size
    s.poly(
        "body",
        (0, m.ro + 0.1 + 0.25 * width),
        (0.45 * width, m.ro + 0.12),
        (m.d, m.ro + 0.12),
        (m.d, m.r),
        (end, m.r),
        (end, m.r + wall),
        (m.d + wall, m.ro + wall * 1.1),
        (0, m.ro + wall * 1.1),
    )
    s.poly(
        "olive",
        (-0.6 * width, m.ro),
        (0.42 * width, m.ro),
        (0.2 * width, m.ro + 0.24 * width),
        (-0.35 * width, m.ro + 0.24 * width),
    )
    _nut(s, -0.62 * size, 0.55 * m.d, m.ro + 0.3 * width, m.ro + wall * 1.15, m.ro + wall * 2.3, m.ro + 0.15)
    if insert:
        inner = m.r - max(0.8, 0.06 * size)
        s.poly(
            "insert",
            (m.d - 1.7 * m.d, inner),
            (m.d + 1.1, inner),
            (m.d + 1.1, m.ro - 0.2),
            (m.d, m.ro - 0.2),
            (m.d, m.r),
            (m.d - 1.7 * m.d, m.r),
        )
        s.label("insert", m.d * 0.5, m.r - 0.4)
    s.label(f"{olive} olive", -0.1 * width, m.ro + 0.12 * width)
    s.label("nut", -0.35 * size, m.ro + wall * 2.0)
    s.label("body", m.d * 0.85, m.ro + wall * 0.7)
    s.label("stop", m.d, m.ro * 0.97)
    _depth(s, m)


def _compression(s: JointSection, m: _Measures) -> None:
    _comp(s, m, "brass")


def _compression_plastic(s: JointSection, m: _Measures) -> None:
    _comp(s, m, "copper", insert=True)


def _compression_mlc(s: JointSection, m: _Measures) -> None:
    """A clamped multilayer joint: the insert with its O-rings in the pipe, the split ring on it, the nut that draws
    both into the cone."""
    size = 2 * m.ro
    _pipe(s, m)
    barb = (m.fitting_bore or m.r * 1.5) / 2
    cone, end, wall = m.d + 0.25 * size, m.d + 1.0 * size, max(2.2, 0.13 * size)
    s.poly(
        "insert",
        (-0.02, barb),
        (cone, barb),
        (cone, m.ro * 0.9),
        (m.d + 1.4, m.ro + 0.3),
        (m.d + 1.4, m.r - 0.1),
        (-0.02, m.r - 0.1),
    )
    for share in (0.35, 0.68):
        s.round("seal", share * m.d, m.r - 0.25, max(0.8, 0.05 * size))
    s.poly(
        "olive",
        (0.15 * m.d, m.ro + 0.05),
        (0.8 * m.d, m.ro + 0.05),
        (0.72 * m.d, m.ro + 0.22 * size),
        (0.25 * m.d, m.ro + 0.22 * size),
    )
    s.poly(
        "body",
        (0.86 * m.d, m.ro + 0.1),
        (m.d + 1.4, m.ro + 0.4),
        (cone, m.ro * 0.92),
        (cone, barb),
        (end, barb),
        (end, m.ro + wall),
        (0.86 * m.d, m.ro + wall),
    )
    _nut(s, -0.35 * size, 1.15 * m.d, m.ro + 0.24 * size, m.ro + wall + 0.1, m.ro + wall * 2.1, m.ro + 0.15)
    s.label("split ring", 0.4 * m.d, m.ro + 0.1 * size)
    s.label("O-rings on the insert", 0.35 * m.d, m.r - 0.3)
    s.label("cone seat, metal", cone, m.ro * 0.92)
    s.label("nut", -0.2 * size, m.ro + wall * 1.8)
    s.label("body", end - 2, m.ro + wall * 0.6)
    _depth(s, m)


def _solvent(s: JointSection, m: _Measures) -> None:
    _capillary(s, m, 0.6, "cement")


def _push(s: JointSection, m: _Measures, *, metal: bool) -> None:
    if m.pipe.family == "waste":
        _push_ring(s, m)
        return
    size = 2 * m.ro
    wall = max(2.0, 0.13 * size)
    seal = max(1.1, 0.075 * size)
    _pipe(s, m)
    end = m.d + 0.8 * size
    room = seal * 1.9
    s.poly(
        "body metal" if metal else "body plastic",
        (0.0, m.ro + room),
        (0.32 * m.d, m.ro + room),
        (0.32 * m.d, m.ro + 0.2),
        (0.44 * m.d, m.ro + 0.2),
        (0.44 * m.d, m.ro + room),
        (0.66 * m.d, m.ro + room),
        (0.66 * m.d, m.ro + 0.2),
        (m.d, m.ro + 0.2),
        (m.d, m.r),
        (end, m.r),
        (end, m.r + wall),
        (m.d, m.ro + room + wall),
        (0, m.ro + room + wall),
    )
    s.round("seal", 0.55 * m.d, m.ro + seal * 0.86, seal)
    s.poly(
        "grab",
        (0.1 * m.d, m.ro + room * 0.95),
        (0.16 * m.d, m.ro + room * 0.95),
        (0.27 * m.d, m.ro + 0.02),
        (0.23 * m.d, m.ro + 0.02),
    )
    s.poly(
        "collet",
        (-0.18 * m.d, m.ro + 0.25),
        (0.1 * m.d, m.ro + 0.25),
        (0.1 * m.d, m.ro + 0.6 * room),
        (-0.04 * m.d, m.ro + 0.6 * room),
        (-0.04 * m.d, m.ro + 1.2 * room),
        (-0.18 * m.d, m.ro + 1.2 * room),
    )
    if m.style == "plastic":
        inner = m.r - max(0.8, 0.06 * size)
        s.poly(
            "insert",
            (-0.1 * m.d, inner),
            (m.d + 1.0, inner),
            (m.d + 1.0, m.ro - 0.2),
            (m.d, m.ro - 0.2),
            (m.d, m.r),
            (-0.1 * m.d, m.r),
        )
        s.label("stiffener" if metal else "insert", 0.8 * m.d, m.r - 0.4)
    s.label("release ring" if metal else "collet", -0.1 * m.d, m.ro + room)
    s.label("grab ring", 0.2 * m.d, m.ro + room * 0.6)
    s.label("O-ring", 0.55 * m.d, m.ro + seal)
    s.label("stop", m.d, m.ro * 0.97)
    _depth(s, m)


def _push_ring(s: JointSection, m: _Measures) -> None:
    """An overflow pipe in its push socket: a lip ring near the mouth, and room left at the stop for it to grow."""
    wall, seal, room = 1.6, 1.3, 2.0
    gap = 0.85 * m.d
    _pipe(s, m, to=gap)
    s.poly(
        "body plastic",
        (0, m.ro + room),
        (0.12 * m.d, m.ro + room),
        (0.12 * m.d, m.ro + 2 * room),
        (0.34 * m.d, m.ro + 2 * room),
        (0.34 * m.d, m.ro + 0.3),
        (m.d, m.ro + 0.3),
        (m.d, m.r),
        (m.d + m.ro * 1.6, m.r),
        (m.d + m.ro * 1.6, m.r + wall),
        (m.d, m.ro + wall + 0.3),
        (0.36 * m.d, m.ro + wall + 0.3),
        (0.36 * m.d, m.ro + 2 * room + wall),
        (0, m.ro + 2 * room + wall),
    )
    s.round("seal", 0.23 * m.d, m.ro + seal, seal)
    s.label("lip ring", 0.23 * m.d, m.ro + seal)
    s.label("chamfer", gap, m.ro - 0.2)
    s.label("room to grow", (gap + m.d) / 2, m.ro * 0.97)
    _depth(s, m)


def _push_fit(s: JointSection, m: _Measures) -> None:
    _push(s, m, metal=False)


def _push_fit_metal(s: JointSection, m: _Measures) -> None:
    _push(s, m, metal=True)


def _press(s: JointSection, m: _Measures) -> None:
    size = 2 * m.ro
    wall = 1.0 if size < 20 else 1.4
    seal = max(1.3, 0.08 * size)
    _pipe(s, m)
    end = m.d + 0.8 * size
    bead = 2.3 * seal
    x0, x1 = 0.1 * m.d, 0.1 * m.d + 2.6 * seal
    s.poly(
        "body",
        (0, m.ro + 0.15),
        (x0, m.ro + 0.15),
        (x0 + 0.3 * seal, m.ro + bead),
        (x1 - 0.3 * seal, m.ro + bead),
        (x1, m.ro + 0.15),
        (m.d, m.ro + 0.15),
        (m.d, m.r),
        (end, m.r),
        (end, m.r + wall),
        (m.d + wall, m.ro + wall),
        (x1 + 0.9 * wall, m.ro + wall),
        (x1, m.ro + bead + wall),
        (x0, m.ro + bead + wall),
        (x0 - 0.9 * wall, m.ro + wall),
        (0, m.ro + wall),
    )
    s.round("seal", (x0 + x1) / 2, m.ro + seal, seal)
    s.label("O-ring in its bead", (x0 + x1) / 2, m.ro + seal)
    s.label("jaw here, one full cycle", (x0 + x1) / 2 + seal, m.ro + bead + wall)
    s.label("depth mark", 0, m.ro)
    s.label("stop", m.d, m.ro * 0.97)
    _depth(s, m)


def _press_mlc(s: JointSection, m: _Measures) -> None:
    _pipe(s, m)
    barb = (m.fitting_bore or m.r * 1.5) / 2
    end = m.d + 1.6 * m.ro
    s.poly(
        "body",
        (-0.02, barb),
        (end, barb),
        (end, m.ro + 1.0),
        (m.d + 1.6, m.ro + 1.0),
        (m.d + 1.6, m.r - 0.1),
        (-0.02, m.r - 0.1),
    )
    for share in (0.3, 0.62):
        s.round("seal", share * m.d, m.r - 0.25, max(0.8, 0.05 * 2 * m.ro))
    s.ring("sleeve", 0.04 * m.d, m.d * 0.78, m.ro + 0.1, m.ro + 1.2)
    s.poly(
        "collar", (m.d * 0.78, m.ro + 0.1), (m.d + 1.6, m.ro + 0.1), (m.d + 1.6, m.ro + 1.9), (m.d * 0.78, m.ro + 1.9)
    )
    s.label("sleeve, pressed", 0.35 * m.d, m.ro + 0.8)
    s.label("witness window: pipe seen", 0.93 * m.d, m.ro + 1.6)
    s.label("O-rings on the barb", 0.3 * m.d, m.r - 0.3)
    _depth(s, m)


def _expansion(s: JointSection, m: _Measures) -> None:
    barb = (m.fitting_bore or m.r * 1.6) / 2
    grown = barb + max(1.6, 0.1 * 2 * m.ro)  # the fitting's outside, which the pipe shrinks on
    wall = (m.ro - m.r) * 0.86
    run = 0.45 * m.d
    s.poly(
        "pipe plastic",
        (-m.free, m.r),
        (-run, m.r),
        (0, grown),
        (m.d, grown),
        (m.d, grown + wall),
        (0, grown + wall),
        (-run, m.ro),
        (-m.free, m.ro),
    )
    s.label(f"{m.pipe.family} {m.pipe.size}", -0.8 * m.free, m.ro)
    end = m.d + 1.6 * m.ro
    s.poly(
        "body",
        (0, barb),
        (end, barb),
        (end, grown + wall),
        (m.d + 1.0, grown + wall),
        (m.d + 1.0, grown + wall + 1.4),
        (m.d, grown + wall + 1.4),
        (m.d, grown),
        (0, grown),
    )
    s.ring("sleeve", 0.02 * m.d, m.d, grown + wall, grown + wall + max(1.8, 0.1 * 2 * m.ro))
    s.label("sleeve, shrunk with the pipe", 0.4 * m.d, grown + wall + 1.0)
    s.label("barb", 0.25 * m.d, (barb + grown) / 2)
    s.label("shoulder", m.d + 0.5, grown + wall + 1.0)
    _depth(s, m)


def _flare(s: JointSection, m: _Measures) -> None:
    rise = 0.42 * m.ro  # how far the 45 degree flare grows
    s.poly(
        "pipe copper",
        (-m.free, m.r),
        (-rise, m.r),
        (0, m.r + rise),
        (0.7, m.ro + rise - 0.2),
        (-rise + 0.4, m.ro),
        (-m.free, m.ro),
    )
    s.label(f"{m.pipe.family} {m.pipe.size}", -0.8 * m.free, m.ro)
    end = 3.2 * m.ro
    bore = m.r * 0.9
    s.poly(
        "body",
        (-rise, bore),
        (end, bore),
        (end, m.ro + rise * 1.2),
        (0.6 * m.ro, m.ro + rise * 1.2),
        (0.35, m.ro + rise * 1.0),
        (0.25, m.r + rise),
        (-rise + 0.3, m.r),
    )
    grip = m.ro + rise * 1.25
    s.poly(
        "nut",
        (-1.5 * m.ro, m.ro + 0.15),
        (-rise, m.ro + 0.2),
        (0.8, m.ro + rise),
        (0.8, grip),
        (1.3 * m.ro, grip),
        (1.3 * m.ro, grip + 0.45 * m.ro),
        (-1.1 * m.ro, grip + 0.45 * m.ro),
        (-1.5 * m.ro, m.ro + 0.4 * m.ro),
    )
    s.label("nut, on the pipe first", -0.8 * m.ro, grip + 0.2 * m.ro)
    s.label("45 degree flare, dry", -0.3 * rise, m.r + rise * 0.9)
    s.label("cone of the body", 0.4 * m.ro, m.ro * 0.9)
    s.depth = None


def _teeth(x0: float, x1: float, r0: float, r1: float, pitch: float, height: float) -> list[XR]:
    """A thread's crests along a taper, from (x0, r0) to (x1, r1)."""
    found = []
    count = max(3, round((x1 - x0) / pitch))
    for n in range(count):
        x = x0 + (x1 - x0) * n / count
        r = r0 + (r1 - r0) * n / count
        found += [(x, r - height), (x + (x1 - x0) / count / 2, r)]
    return [*found, (x1, r1 - height)]


def _thread(s: JointSection, m: _Measures) -> None:
    row = thread_row(m.catalogue, m.pipe) or m.catalogue.threads.get(
        ("npt" if m.pipe.family == "fe-40" else "r", m.pipe.size)
    )
    tpi = row.threads_per_inch if row else 14.0
    pitch, depth = 25.4 / tpi, m.d or 14.0
    height = 0.64 * pitch
    major = m.ro
    small = major - depth / 32  # the taper of 1 in 16 on the diameter
    spare = 3 * pitch
    male = _teeth(-spare, depth, major, small, pitch, height)
    s.poly(
        f"pipe {m.style}",
        (-m.free - spare, m.r),
        (depth, m.r),
        *reversed(male),
        (-spare, major),
        (-m.free - spare, major),
    )
    end = depth + 1.6 * m.ro
    female = _teeth(0, depth + pitch, major - 0.1, small - 0.1 - 0.03, pitch, height)
    wall = max(3.0, 0.16 * 2 * m.ro)
    s.poly(
        "seal",
        *[(x, r - height * 0.2) for x, r in _teeth(-1.2 * pitch, depth, major + 0.12, small + 0.12, pitch, height)],
        (depth, small + 0.5),
        (-1.2 * pitch, major + 0.5),
    )
    s.poly("body", *[(x, r + 0.25) for x, r in female], (end, small - height), (end, major + wall), (0, major + wall))
    words = f"{m.pipe.family} {m.pipe.size}"
    s.label(words, -0.8 * m.free, major)
    s.label("seal on the male only, first thread bare", -0.4 * pitch, major + 0.2)
    s.label("fitting", depth * 0.7, major + wall * 0.7)
    s.label("two or three threads show", -1.9 * pitch, major)
    s.depth, s.depth_words = (0.0, depth), f"made up {number(round(depth, 1))}"


def _union(s: JointSection, m: _Measures) -> None:
    ro, wall = m.ro, max(3.0, 0.15 * 2 * m.ro)
    inner = ro - 1.2
    s.poly(
        "body",
        (-2.6 * ro, inner),
        (-0.3 * ro, inner),
        (0, inner + 0.35 * ro),
        (0, inner + 0.35 * ro + 1.6),
        (-0.5 * ro, inner + 0.35 * ro + 1.6),
        (-0.7 * ro, inner + wall),
        (-2.6 * ro, inner + wall),
    )
    s.poly(
        "body other",
        (-0.22 * ro, inner + 0.02),
        (2.4 * ro, inner),
        (2.4 * ro, inner + wall),
        (1.4 * ro, inner + wall),
        (1.4 * ro, inner + 0.35 * ro + 1.6),
        (0.08, inner + 0.35 * ro + 1.6),
        (0.08, inner + 0.33 * ro),
    )
    grip = inner + 0.35 * ro + 1.75
    s.poly(
        "nut",
        (-0.8 * ro, inner + wall + 0.2),
        (-0.52 * ro, inner + wall + 0.2),
        (-0.52 * ro, grip),
        (1.2 * ro, grip),
        (1.2 * ro, grip + 0.38 * ro),
        (-0.8 * ro, grip + 0.38 * ro),
    )
    s.label("tailpiece", -2.0 * ro, inner + wall * 0.6)
    s.label("nut", 0.3 * ro, grip + 0.25 * ro)
    s.label("ground faces, dry", 0, inner + 0.3 * ro)
    s.label("body", 1.8 * ro, inner + wall * 0.6)


def _washer(s: JointSection, m: _Measures) -> None:
    ro, wall = m.ro, max(2.2, 0.12 * 2 * m.ro)
    bore = ro - 3.0
    pitch = 25.4 / 14
    s.poly(
        "body",
        (-2.4 * ro, bore),
        (0, bore),
        (0, ro - 0.6),
        *reversed(_teeth(-1.1 * ro, -0.6, ro, ro, pitch, 0.6)),
        (-1.2 * ro, ro),
        (-1.2 * ro, ro + wall),
        (-2.4 * ro, ro + wall),
    )
    s.ring("seal", 0, 1.8, bore, ro - 0.9)
    s.poly(
        "tail",
        (1.8, bore),
        (2.6 * ro, bore),
        (2.6 * ro, bore + wall),
        (1.8 + wall, bore + wall),
        (1.8 + wall, ro - 0.9),
        (1.8, ro - 0.9),
    )
    s.poly(
        "nut",
        (-0.95 * ro, ro + 0.15),
        (1.8 + wall, ro + 0.15),
        (1.8 + wall, bore + wall + 0.3),
        (1.8 + wall + 2.0, bore + wall + 0.3),
        (1.8 + wall + 2.0, ro + wall * 1.6),
        (-0.95 * ro, ro + wall * 1.6),
    )
    s.label("male end, flat", -1.8 * ro, ro * 0.9)
    s.label("washer, new", 0.9, (bore + ro) / 2)
    s.label("swivel nut", -0.2 * ro, ro + wall * 1.2)
    s.label("tail with flat flange", 1.8 * ro, bore + wall * 0.6)


def _tail(s: JointSection, m: _Measures) -> None:
    ro, pitch = m.ro, 25.4 / 14
    bore, depth = ro - 3.2, 13.0
    s.poly("body", (0, ro + 0.1), (depth + 6, ro + 0.1), (depth + 6, ro + 7), (0, ro + 7))
    s.poly(
        "tail",
        (-2.4 * ro, bore),
        (depth, bore),
        *reversed(_teeth(0, depth, ro, ro, pitch, 0.9)),
        (0, ro + 1.8),
        (-2.2, ro + 1.8),
        (-2.2, ro - 1.4),
        (-1.5 * ro, ro - 1.4),
        (-1.7 * ro, ro + 0.4),
        (-2.4 * ro, ro + 0.4),
    )
    s.poly("seal", (0.8 * pitch, ro - 0.5), (depth, ro - 0.5), (depth, ro + 0.1), (0.8 * pitch, ro + 0.1))
    s.label("union cone to the valve", -2.1 * ro, ro)
    s.label("shoulder home", -1.0, ro + 1.2)
    s.label("tape over the full thread", 0.5 * depth, ro - 0.2)
    s.label("radiator port", depth, ro + 5)
    s.depth, s.depth_words = (0.0, depth), "all the thread in"


def _corrugated(x0: float, x1: float, inner: float, outer: float, pitch: float) -> list[XR]:
    count = max(2, round((x1 - x0) / pitch))
    found = []
    for n in range(count):
        x = x0 + (x1 - x0) * n / count
        step = (x1 - x0) / count
        found += [(x, inner), (x + 0.25 * step, outer), (x + 0.75 * step, outer)]
    return [*found, (x1, inner)]


def _csst(s: JointSection, m: _Measures) -> None:
    ro = (float(m.pipe.size.removeprefix("EHD")) / 2 + 2.0) if m.pipe.size.startswith("EHD") else m.ro
    inner, wall, pitch = ro - 2.2, 0.3, 4.2
    wave = _corrugated(-3.2 * ro, 0, inner, ro, pitch)
    s.poly("pipe steel", *wave, *[(x, r - wall) for x, r in reversed(wave)])
    s.ring("jacket", -3.2 * ro, -25.0 if ro * 3.2 > 27 else -2.2 * ro, ro + 0.1, ro + 1.1)
    s.poly(
        "grab",
        (-1.25 * pitch, inner + 0.2),
        (-0.75 * pitch, inner + 0.2),
        (-0.75 * pitch, ro + 2.4),
        (-1.25 * pitch, ro + 2.4),
    )
    end = 2.4 * ro
    s.poly("body", (0.1, inner - 2.2), (end, inner - 2.2), (end, ro + 3.0), (0.1, ro + 3.0))
    s.poly(
        "nut",
        (-3.0 * pitch, ro + 0.4),
        (-1.3 * pitch, ro + 0.4),
        (-1.3 * pitch, ro + 3.1),
        (0.7 * ro, ro + 3.1),
        (0.7 * ro, ro + 6.0),
        (-3.0 * pitch, ro + 6.0),
    )
    s.label("jacket, stripped back", -3.0 * ro, ro + 0.6)
    s.label(f"csst {m.pipe.size}", -2.0 * ro, ro - 0.2)
    s.label("ring in the first valley", -pitch, ro + 1.5)
    s.label("nut", 0.1 * ro, ro + 5)
    s.label("end crushed flat on the seat", 0, inner)
    s.label("body, screwed in first", 1.9 * ro, ro + 2)
    s.od_mm = 2 * ro


def _connector(s: JointSection, m: _Measures) -> None:
    ro = m.ro * 0.8
    wave = _corrugated(-5.0 * ro, -1.9 * ro, ro - 1.6, ro, 3.4)
    s.poly("pipe steel", *wave, *[(x, r - 0.3) for x, r in reversed(wave)])
    s.poly(
        "tail",
        (-1.9 * ro, ro * 0.55),
        (-0.3 * ro, ro * 0.55),
        (0, ro * 0.9),
        (0, ro * 1.05),
        (-0.5 * ro, ro * 0.95),
        (-1.9 * ro, ro * 0.95),
    )
    s.poly(
        "body",
        (-0.25 * ro, ro * 0.52),
        (3.0 * ro, ro * 0.52),
        (3.0 * ro, ro * 1.5),
        (2.0 * ro, ro * 1.5),
        (2.0 * ro, ro * 1.15),
        (0.1, ro * 1.15),
        (0.05, ro * 0.9),
    )
    s.poly(
        "nut",
        (-1.3 * ro, ro * 1.0),
        (-0.55 * ro, ro * 1.0),
        (0.05, ro * 1.18),
        (1.5 * ro, ro * 1.18),
        (1.5 * ro, ro * 1.6),
        (-1.3 * ro, ro * 1.6),
    )
    s.od_mm = 2 * ro
    s.label("flexible connector", -4.0 * ro, ro)
    s.label("flare nut", 0.2 * ro, ro * 1.45)
    s.label("flare, dry: no tape", 0, ro * 0.9)
    s.label("male flare adaptor", 2.5 * ro, ro * 1.3)


def _dielectric(s: JointSection, m: _Measures) -> None:
    ro, wall = m.ro, max(3.0, 0.15 * 2 * m.ro)
    copper_r = ro * 0.82
    s.poly("body", (-2.4 * ro, ro - 0.8), (0, ro - 0.8), (0, ro + wall), (-2.4 * ro, ro + wall))
    s.ring("seal", 0, 2.6, copper_r - 1.0, ro + wall - 1.0)
    s.poly(
        "pipe copper",
        (2.6, copper_r - 1.2),
        (2.8 * ro, copper_r - 1.2),
        (2.8 * ro, copper_r),
        (4.6, copper_r),
        (4.6, ro + 0.6 * wall),
        (2.6, ro + 0.6 * wall),
    )
    s.poly(
        "insert",
        (4.6, copper_r + 0.1),
        (9.5, copper_r + 0.1),
        (9.5, copper_r + 1.3),
        (6.0, copper_r + 1.3),
        (6.0, ro + wall),
        (4.6, ro + wall),
    )
    s.poly(
        "nut",
        (-1.2 * ro, ro + wall + 0.2),
        (6.0, ro + wall + 0.2),
        (6.0, copper_r + 1.5),
        (9.5, copper_r + 1.5),
        (9.5, ro + wall * 2.2),
        (-1.2 * ro, ro + wall * 2.2),
    )
    s.label("steel half", -1.9 * ro, ro + wall * 0.6)
    s.label("gasket", 1.3, ro)
    s.label("nut", -0.4 * ro, ro + wall * 1.8)
    s.label("sleeve: no metal touches", 8.0, copper_r + 0.7)
    s.label("copper tail", 2.1 * ro, copper_r)


def _slip(s: JointSection, m: _Measures) -> None:
    ro = m.ro
    lap = 40.0
    s.poly(
        "pipe steel",
        (-1.6 * ro, ro - 0.7),
        (-8, ro - 0.7),
        (0, ro - 2.6),
        (lap, ro - 2.6),
        (lap, ro - 1.9),
        (0, ro - 1.9),
        (-8, ro),
        (-1.6 * ro, ro),
    )
    s.ring("body", 0, 1.6 * ro + lap, ro - 0.7, ro)
    s.ring("seal", -14, 16, ro, ro + 0.9)
    s.poly(
        "grab",
        (lap * 0.5, ro - 5),
        (lap * 0.5 + 2.2, ro - 5),
        (lap * 0.5 + 2.2, ro + 1.4),
        (lap * 0.5 + 4, ro + 1.4),
        (lap * 0.5 + 4, ro + 2.8),
        (lap * 0.5 - 1.8, ro + 2.8),
        (lap * 0.5 - 1.8, ro + 1.4),
        (lap * 0.5, ro + 1.4),
    )
    s.shapes.append(
        Shape(
            "flow",
            (
                (-1.2 * ro, 2.0),
                (0.6 * ro, 2.0),
                (0.6 * ro, 6.0),
                (0.9 * ro, 0.0),
                (0.6 * ro, -6.0),
                (0.6 * ro, -2.0),
                (-1.2 * ro, -2.0),
            ),
            False,
        )
    )
    s.label("male end, the way the gases go", -0.9 * ro, ro - 0.3)
    s.label("foil tape", -6, ro + 0.6)
    s.label("three screws", lap * 0.5 + 1, ro + 2)
    s.label("female end", 1.1 * ro + lap, ro - 0.3)
    s.depth, s.depth_words = (0.0, lap), f"lap {number(lap)}"


_DRAWERS = {
    "capillary": _capillary,
    "braze": _braze,
    "compression": _compression,
    "compression-plastic": _compression_plastic,
    "compression-mlc": _compression_mlc,
    "solvent": _solvent,
    "push-fit": _push_fit,
    "push-fit-metal": _push_fit_metal,
    "press": _press,
    "press-mlc": _press_mlc,
    "expansion": _expansion,
    "flare": _flare,
    "thread": _thread,
    "union": _union,
    "washer": _washer,
    "tail": _tail,
    "csst": _csst,
    "connector": _connector,
    "dielectric": _dielectric,
    "slip": _slip,
}


def section_svg(made: JointSection, width: float = 620.0) -> str:
    """The section as SVG: parts hatched by what they are, labels above in the order they come, measures below."""
    x0, x1, most = made.bounds()
    margin, top_row = 16.0, 20.0
    scale = min((width - 2 * margin - 54) / (x1 - x0), 88.0 / most)
    drawn = (x1 - x0) * scale
    left = (width - drawn - 54) / 2 + 54
    rows = _rows_of(made, x0, scale, left, width)
    labels_high = (max((row for *_, row in rows), default=-1) + 1) * top_row + 20
    centre = labels_high + most * scale + 6
    height = centre + most * scale + (46 if made.depth else 18)

    def at(x: float, r: float) -> XR:
        return left + (x - x0) * scale, centre - r * scale

    said = ", ".join(words for words, _, _ in sorted(made.labels, key=lambda one: one[1]))
    box = f"0 0 {number(width)} {number(height)}"
    spoken = quoteattr(f"{made.title} in section: {said}")
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" class="chart section" viewBox="{box}" role="img" aria-label={spoken}>'
    ]
    parts.append(_HATCH)
    for shape in made.shapes:
        for sign in (1.0, -1.0) if shape.mirrored else (1.0,):
            points = " ".join(f"{number(px)} {number(py)}" for px, py in (at(x, r * sign) for x, r in shape.outline))
            parts.append(f'<path class="s-{shape.what.replace(" ", " s-")}" d="M{points.replace(" ", " ", 1)}Z"/>')
    ax, ay = at(x0, 0)
    bx, _ = at(x1, 0)
    parts.append(f'<path class="centre" d="M{number(ax - 10)} {number(ay)}L{number(bx + 10)} {number(ay)}"/>')
    # the outside diameter, left of the pipe
    y1, y2 = at(0, made.od_mm / 2)[1], at(0, -made.od_mm / 2)[1]
    dx = ax - 14
    parts.append(
        f'<path class="dim" d="M{number(dx)} {number(y1)}L{number(dx)} {number(y2)}M{number(dx - 4)} '
        f'{number(y1)}L{number(ax)} {number(y1)}M{number(dx - 4)} {number(y2)}L{number(ax)} {number(y2)}"/>'
    )
    parts.append(
        f'<text class="figure" x="{number(dx - 6)}" y="{number(ay + 4)}" '
        f'text-anchor="end">{number(round(made.od_mm, 1))}</text>'
    )
    for words, px, tx, row in rows:
        label = next(one for one in made.labels if one[0] == words)
        _, py = at(label[1], label[2])
        ty = 16 + row * top_row
        parts.append(
            f'<path class="leader" d="M{number(tx)} {number(ty + 5)}L{number(px)} {number(py)}"/><circle class="spot" '
            f'cx="{number(px)}" cy="{number(py)}" r="2.2"/>'
        )
        parts.append(f'<text x="{number(tx)}" y="{number(ty)}" text-anchor="middle">{escape(words)}</text>')
    if made.mark_mm is not None:
        mx, my = at(made.mark_mm, -made.od_mm / 2)
        parts.append(f'<path class="ink" d="M{number(mx)} {number(my)}L{number(mx)} {number(my - 7)}"/>')
    if made.depth:
        sx, base = at(made.depth[0], -most)
        ex, _ = at(made.depth[1], -most)
        y = base + 16
        parts.append(
            f'<path class="dim" d="M{number(sx)} {number(y)}L{number(ex)} {number(y)}M{number(sx)} '
            f'{number(y - 5)}L{number(sx)} {number(y + 5)}M{number(ex)} {number(y - 5)}L{number(ex)} {number(y + 5)}"/>'
        )
        parts.append(
            f'<text class="figure" x="{number((sx + ex) / 2)}" y="{number(y + 18)}" '
            f'text-anchor="middle">{escape(made.depth_words)}</text>'
        )
    return "".join([*parts, "</svg>"])


def _rows_of(
    made: JointSection, x0: float, scale: float, left: float, width: float
) -> list[tuple[str, float, float, int]]:
    """Where each label's text stands: in as few rows as its neighbours leave room for, in the order of the parts."""
    rows: list[float] = []
    found = []
    for words, x, _ in sorted(made.labels, key=lambda one: one[1]):
        px = left + (x - x0) * scale
        half = len(words) * 3.75 + 5
        tx = min(max(px, half + 2), width - half - 2)
        row = next((n for n, end in enumerate(rows) if tx - half > end), len(rows))
        if row == len(rows):
            rows.append(0.0)
        rows[row] = tx + half
        found.append((words, px, tx, row))
    return found


_HATCH = (
    '<defs><pattern id="hatch" width="5" height="5" patternUnits="userSpaceOnUse" '
    'patternTransform="rotate(45)"><path class="hatch" d="M0 0L0 5"/></pattern></defs>'
)
