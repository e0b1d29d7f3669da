"""Sections of screwed joints, and of those without a socket: tails, corrugated hose, dielectric, slip."""

from __future__ import annotations

from ...core.catalogue.parts import thread_row
from ..svg import number
from .shapes import XR, JointSection, Measures, Shape


def _teeth(x0: float, x1: float, r0: float, r1: float, pitch: float, height: float) -> list[XR]:
    """A thread's crests along a taper, from (x0, r0) to (x1, r1)."""
    found = []
    count = max(3, round((x1 - x0) / pitch))
    for n in range(count):
        x = x0 + (x1 - x0) * n / count
        r = r0 + (r1 - r0) * n / count
        found += [(x, r - height), (x + (x1 - x0) / count / 2, r)]
    return [*found, (x1, r1 - height)]


def thread(s: JointSection, m: Measures) -> None:
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


def union(s: JointSection, m: Measures) -> None:
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


def washer(s: JointSection, m: Measures) -> None:
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


def tail(s: JointSection, m: Measures) -> None:
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


def csst(s: JointSection, m: Measures) -> None:
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


def connector(s: JointSection, m: Measures) -> None:
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


def dielectric(s: JointSection, m: Measures) -> None:
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


def slip(s: JointSection, m: Measures) -> None:
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
