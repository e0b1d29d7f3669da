"""Sections of the joints made on plain pipe: soldered, glued, compression, push-fit, pressed, expanded, flared."""

from __future__ import annotations

from .shapes import JointSection, Measures, insertion_depth, pipe_wall, socket


def capillary(s: JointSection, m: Measures, fillet: float = 0.9, words: str = "solder") -> None:
    pipe_wall(s, m)
    socket(s, m, max(1.1, 0.07 * m.ro * 2))
    s.poly("filler", (0, m.ro), (m.d, m.ro), (m.d, m.ro + 0.35), (0, m.ro + 0.35))
    s.poly("filler", (0.05, m.ro), (0.05, m.ro + 1.0 * fillet), (-1.1 * fillet, m.ro))
    s.label(f"{words}, a ring all round", -0.4 * fillet, m.ro + 0.3)
    s.label("fitting", m.d * 0.6, m.ro + 1.0)
    s.label("stop", m.d, m.ro * 0.97)
    insertion_depth(s, m)


def braze(s: JointSection, m: Measures) -> None:
    capillary(s, m, 1.9, "filler")


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


def _comp(s: JointSection, m: Measures, olive: str, insert: bool = False) -> None:
    size = 2 * m.ro
    width = 0.38 * size if size < 20 else 0.3 * size
    pipe_wall(s, m)
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
    insertion_depth(s, m)


def compression(s: JointSection, m: Measures) -> None:
    _comp(s, m, "brass")


def compression_plastic(s: JointSection, m: Measures) -> None:
    _comp(s, m, "copper", insert=True)


def compression_mlc(s: JointSection, m: Measures) -> None:
    """A clamped multilayer joint: the insert with its O-rings in the pipe, the split ring on it, the nut that draws
    both into the cone."""
    size = 2 * m.ro
    pipe_wall(s, m)
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
    insertion_depth(s, m)


def solvent(s: JointSection, m: Measures) -> None:
    capillary(s, m, 0.6, "cement")


def _push(s: JointSection, m: Measures, *, metal: bool) -> None:
    if m.pipe.family == "waste":
        _push_ring(s, m)
        return
    size = 2 * m.ro
    wall = max(2.0, 0.13 * size)
    seal = max(1.1, 0.075 * size)
    pipe_wall(s, m)
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
    insertion_depth(s, m)


def _push_ring(s: JointSection, m: Measures) -> None:
    """An overflow pipe in its push socket: a lip ring near the mouth, and room left at the stop for it to grow."""
    wall, seal, room = 1.6, 1.3, 2.0
    gap = 0.85 * m.d
    pipe_wall(s, m, to=gap)
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
    insertion_depth(s, m)


def push_fit(s: JointSection, m: Measures) -> None:
    _push(s, m, metal=False)


def push_fit_metal(s: JointSection, m: Measures) -> None:
    _push(s, m, metal=True)


def press(s: JointSection, m: Measures) -> None:
    size = 2 * m.ro
    wall = 1.0 if size < 20 else 1.4
    seal = max(1.3, 0.08 * size)
    pipe_wall(s, m)
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
    insertion_depth(s, m)


def press_mlc(s: JointSection, m: Measures) -> None:
    pipe_wall(s, m)
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
    insertion_depth(s, m)


def expansion(s: JointSection, m: Measures) -> None:
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
    insertion_depth(s, m)


def flare(s: JointSection, m: Measures) -> None:
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
