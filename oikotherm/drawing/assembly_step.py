"""A step of assembly as a picture to scale: what stands in grey, what moves in colour, how far it swings, where the
wrench goes; and the clock of a joint that has to stop somewhere."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from xml.sax.saxutils import escape, quoteattr

from ..core.job.ways import Vec
from ..core.making.assembly.model import Assembly, AssemblyJoint, Capsule, Part, Slab, Solid
from ..core.making.assembly.planner import Step
from .projection import XY, Projection
from .svg import number

Place = Callable[[Vec], XY]  # a spot of the house on the picture
BENCH_MM, LEAST_MM, MOST_MM = 130.0, 260.0, 1600.0  # half of what is shown around a joint
PIPE_TIMES = 2.5  # longer than so many radii it is pipe, shorter an arm of a fitting
SEEN_MM = 40.0  # a smaller swing turns on the spot
BESIDE = 22.0  # a name from the middle line of its part
ROUND = 48  # corners of a circle


def step_picture(assembly: Assembly, step: Step, *, width: float = 560.0, height: float = 360.0) -> str:
    """One step. Only what is there, or moves, is drawn; walls as outlines where they are near."""
    point, near = Projection().functions()
    joint = next(one for one in assembly.joints if one.key == step.joint)
    parts = {one.key: one for one in assembly.parts}
    bench = step.where == "bench"
    moving = [parts[key] for key in step.moves]
    ends = [parts[key] for key in (joint.a, joint.b)]
    still = [parts[key] for key in step.standing if key not in step.moves]
    if bench:
        still = [one for one in ends if one.key not in step.moves]
    swing = swing_mm(joint, moving) if step.turns else 0.0
    least = BENCH_MM if bench else LEAST_MM
    half = min(max(_reach_mm(joint, [*moving, *(ends if bench else ())]) * 1.15, swing * 1.1, least), MOST_MM)
    scale = min(width, height * 1.15) / (2 * half)
    middle = point(joint.at)

    def at(spot: Vec) -> XY:
        x, y = point(spot)
        return width / 2 + (x - middle[0]) * scale, height / 2 + (y - middle[1]) * scale

    drawn: list[tuple[float, str]] = []
    for look, group in (("stand", still), ("move", moving)):
        for part in group:
            for one in part.capsules:
                style = f"as-{look} as-held" if part.key == step.holds and look == "stand" else f"as-{look}"
                drawn.append(((near(one.a) + near(one.b)) / 2, _pipe(one, at, scale, style, part.title)))
    out = [] if bench else [_outlines(assembly, joint, at, half)]
    if swing > SEEN_MM:
        out.append(_disc(joint, swing, at))
    out += [text for _, text in sorted(drawn, key=lambda row: row[0])]
    if step.tool_way is not None and joint.tool is not None:
        out.append(_tool(joint, step.tool_way, at, scale))
    out.append(_mark(at(joint.at)))
    names = [(one, "as-name-move") for one in moving[:3]] + [(one, "as-name") for one in ends if one not in moving]
    out += _names(names, at, width, height)
    words = f"{joint.title}: {', '.join(one.title for one in moving) or 'closes'}"
    return (
        f'<svg class="drawing assembly-step" viewBox="0 0 {number(width)} {number(height)}" role="img" '
        f"aria-label={quoteattr(words)}>{''.join(out)}{_scale_bar(scale, width, height)}</svg>"
    )


def swing_mm(joint: AssemblyJoint, moving: Iterable[Part]) -> float:
    """How far parts reach from the axis of a joint while they turn about it [mm]."""
    reach = 0.0
    for part in moving:
        for one in part.capsules:
            for end in (one.a, one.b):
                off = end.minus(joint.at)
                aside = off.minus(joint.axis.times(off.dot(joint.axis))).length
                reach = max(reach, aside + one.radius_mm)
    return reach


def _reach_mm(joint: AssemblyJoint, parts: Iterable[Part]) -> float:
    return max(
        (end.minus(joint.at).length for part in parts for one in part.capsules for end in (one.a, one.b)), default=0.0
    )


def _pipe(one: Capsule, at: Place, scale: float, style: str, title: str) -> str:
    a, b = one.a, one.b
    way = b.minus(a)
    if way.length > PIPE_TIMES * one.radius_mm:  # pipe ends square, where its round end stands for it
        a, b = a.plus(way.unit(), -one.radius_mm), b.plus(way.unit(), one.radius_mm)
        style += " as-pipe"
    (x0, y0), (x1, y1) = at(a), at(b)
    width = max(2 * one.radius_mm * scale, 2.0)
    return (
        f'<line class="{style}" x1="{number(x0)}" y1="{number(y0)}" x2="{number(x1)}" y2="{number(y1)}" '
        f'stroke-width="{number(width)}"><title>{escape(title)}</title></line>'
    )


def _square(axis: Vec) -> tuple[Vec, Vec]:
    side = axis.cross(Vec(0.0, 0.0, 1.0) if abs(axis.z) < 0.9 else Vec(1.0, 0.0, 0.0)).unit()
    return side, axis.cross(side)


def _disc(joint: AssemblyJoint, radius_mm: float, at: Place) -> str:
    """The circle that what turns sweeps, at the joint."""
    side, up = _square(joint.axis)
    spots = []
    for n in range(ROUND):
        turn = 2 * math.pi * n / ROUND
        spot = joint.at.plus(side, radius_mm * math.cos(turn)).plus(up, radius_mm * math.sin(turn))
        x, y = at(spot)
        spots.append(f"{number(x)} {number(y)}")
    return f'<path class="as-disc" d="M{"L".join(spots)}Z"><title>swings {radius_mm:.0f} mm</title></path>'


def _tool(joint: AssemblyJoint, way: Vec, at: Place, scale: float) -> str:
    """The tool as it comes to the joint, with the arc it is worked through."""
    assert joint.tool is not None
    tool, start = joint.tool, joint.tool_at or joint.at
    spread = math.radians(tool.spread_deg / 2)
    across = joint.axis.cross(way)
    out = []
    if spread:
        spots = []
        for n in range(9):
            turn = spread * (n / 4 - 1)
            spot = start.plus(way, tool.reach_mm * math.cos(turn)).plus(across, tool.reach_mm * math.sin(turn))
            x, y = at(spot)
            spots.append(f"{number(x)} {number(y)}")
        x0, y0 = at(start)
        out.append(f'<path class="as-arc" d="M{number(x0)} {number(y0)}L{"L".join(spots)}Z"/>')
    x0, y0 = at(start)
    x1, y1 = at(start.plus(way, tool.reach_mm))
    out.append(
        f'<line class="as-tool" x1="{number(x0)}" y1="{number(y0)}" x2="{number(x1)}" y2="{number(y1)}" '
        f'stroke-width="{number(max(2 * tool.radius_mm * scale, 3.0))}"><title>{escape(tool.title)}</title></line>'
        f'<text class="as-tool-name" x="{number(x1)}" y="{number(y1 - 6)}">{escape(tool.title)}</text>'
    )
    return "".join(out)


def _outlines(assembly: Assembly, joint: AssemblyJoint, at: Place, half_mm: float) -> str:
    """Walls and solids near the joint, by their edges, cut off at what is shown."""
    out = []
    near: list[Solid | Slab] = [*assembly.solids, *assembly.slabs]
    for one in near:
        low = Vec(*(max(a, c - 2 * half_mm) for a, c in zip(one.low, joint.at, strict=True)))
        high = Vec(*(min(b, c + 2 * half_mm) for b, c in zip(one.high, joint.at, strict=True)))
        if any(a > b for a, b in zip(low, high, strict=True)):
            continue
        corners = [Vec(x, y, z) for x in (low.x, high.x) for y in (low.y, high.y) for z in (low.z, high.z)]
        edges = [(a, b) for n, a in enumerate(corners) for b in corners[n + 1 :] if _edge(a, b)]
        lines = []
        for a, b in edges:
            (x0, y0), (x1, y1) = at(a), at(b)
            lines.append(f"M{number(x0)} {number(y0)}L{number(x1)} {number(y1)}")
        out.append(f'<path class="as-wall" d="{"".join(lines)}"><title>{escape(one.title)}</title></path>')
    return "".join(out)


def _edge(a: Vec, b: Vec) -> bool:
    return sum(abs(p - q) > 1e-9 for p, q in zip(a, b, strict=True)) == 1


def _mark(spot: XY) -> str:
    return f'<circle class="as-joint" cx="{number(spot[0])}" cy="{number(spot[1])}" r="7"/>'


def _names(rows: Sequence[tuple[Part, str]], at: Place, width: float, height: float) -> list[str]:
    """Names beside their parts, one below another where they would meet, inside the picture."""
    found: list[str] = []
    taken: list[tuple[float, float]] = []
    for part, style in rows:
        if not part.capsules:
            continue
        one = max(part.capsules, key=lambda c: c.b.minus(c.a).length)
        x, y = at(one.a.plus(one.b.minus(one.a), 0.5))
        x, y = min(max(x + BESIDE, 8.0), width - 190), min(max(y, 18.0), height - 30)
        while any(abs(y - other) < 18 and abs(x - beside) < 190 for beside, other in taken):
            y += 18
        taken.append((x, y))
        found.append(f'<text class="{style}" x="{number(x)}" y="{number(y)}">{escape(part.title)}</text>')
    return found


def _scale_bar(scale: float, width: float, height: float) -> str:
    length = next((mm for mm in (1000, 500, 200, 100, 50) if mm * scale < width / 4), 50)
    x, y = 16.0, height - 14.0
    end = x + length * scale
    return (
        f'<path class="as-scale" d="M{number(x)} {number(y - 5)}V{number(y)}H{number(end)}V{number(y - 5)}"/>'
        f'<text class="as-scale-name" x="{number(end + 6)}" y="{number(y + 1)}">{length} mm</text>'
    )


# --- the clock --------------------------------------------------------------------------------------------------------


def clock_hour(assembly: Assembly, step: Step) -> int | None:
    """Where the outlet of what is turned has to look in the end, as an hour of the clock, looking along the axis from
    what turns into what is held: 12 is up, or north where the axis is upright; None where nothing looks aside."""
    joint = next(one for one in assembly.joints if one.key == step.joint)
    if not step.turns or not step.moves:
        return None
    parts = {one.key: one for one in assembly.parts}
    look = joint.axis.times(-1.0) if joint.b in step.moves else joint.axis
    up = Vec(0.0, 1.0, 0.0) if abs(look.z) > 0.9 else Vec(0.0, 0.0, 1.0)
    up = up.minus(look.times(up.dot(look))).unit()
    right = look.cross(up)
    own = joint.b if joint.b in step.moves else joint.a
    for key in (own, *(one for one in step.moves if one != own)):
        for one in parts[key].capsules:
            way = one.b.minus(one.a)
            aside = way.minus(look.times(way.dot(look)))
            if aside.length > 0.5 * way.length > 0:
                hour = round(math.degrees(math.atan2(aside.dot(right), aside.dot(up))) / 30) % 12
                return hour or 12
    return None


def clock_dial(hour: int) -> str:
    """The dial with its hand."""
    turn = math.radians(hour * 30)
    x, y = 40 + 26 * math.sin(turn), 40 - 26 * math.cos(turn)
    ticks = "".join(
        f"M{number(40 + 33 * math.sin(n * math.pi / 6))} {number(40 - 33 * math.cos(n * math.pi / 6))}"
        f"L{number(40 + 37 * math.sin(n * math.pi / 6))} {number(40 - 37 * math.cos(n * math.pi / 6))}"
        for n in range(12)
    )
    return (
        f'<svg class="clock-dial" viewBox="0 0 80 80" role="img" aria-label="{hour} o\'clock"><circle cx="40" cy="40" '
        f'r="37"/><path class="as-ticks" d="{ticks}"/><line x1="40" y1="40" x2="{number(x)}" y2="{number(y)}"/></svg>'
    )
