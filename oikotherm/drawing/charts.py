"""Charts and sketches as SVG: the pressure staircase along the index path, and a small drawing for each tool of the
Bench."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from ..core.services.heating.sized import Heating
from .svg import number

LEAST_TREAD = 16.0


def round_step(least_step: float, least: float = 0.0) -> float:
    """The next 1, 2 or 5 times a power of ten that is not below a step wanted on a scale."""
    wanted = max(least_step, least, 1e-12)
    decade = 10.0 ** math.floor(math.log10(wanted))
    return next(decade * one for one in (1, 2, 5, 10) if decade * one >= wanted * (1 - 1e-9))


def staircase(heating: Heating, width: float = 460.0, height: float = 300.0) -> str:
    """What is left of the pump's head [kPa] along the index path: out by the flow, through the emitter, home by the
    return.

    Every tread names its section and carries the keys of its pieces, so that the drawing lights with it.
    """
    treads = [tread for tread in heating.pressure_steps if tread.drop_pa > 0 or tread.length_m > 0]
    if not treads:
        return ""
    left, right, top, bottom = 46.0, width - 12.0, 26.0, height - 38.0
    lengths = [max(tread.length_m, 0.0) for tread in treads]
    spare = right - left - LEAST_TREAD * len(treads)
    total_m = sum(lengths) or 1.0
    widths = [LEAST_TREAD + length / total_m * spare for length in lengths]
    head = heating.pump_head_pa
    most_kpa = head / 1000
    step = round_step(most_kpa / 6, least=0.5)

    def y(kpa: float) -> float:
        return bottom - kpa / most_kpa * (bottom - top)

    title = f"Pressure along the way to {heating.index}: {most_kpa:.1f} kPa from the pump, nothing left when it is back"
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" class="chart stair" viewBox="0 0 {number(width)} {number(height)}" '
        f'role="img" aria-label={quoteattr(title)}>'
    ]
    mark = 0.0
    while mark <= most_kpa + 1e-9:
        parts.append(f'<path class="grid" d="M{number(left)} {number(y(mark))}H{number(right)}"/>')
        parts.append(
            f'<text class="tick" x="{number(left - 6)}" y="{number(y(mark) + 4)}" text-anchor="end">{mark:g}</text>'
        )
        mark += step
    x, pressure = left, most_kpa
    for tread, wide in zip(treads, widths, strict=True):
        after = pressure - tread.drop_pa / 1000
        role = f" role-{tread.role}" if tread.role else " role-station"
        words = f"{tread.title}: {tread.drop_pa:.0f} Pa" + (f" over {tread.length_m:.1f} m" if tread.length_m else "")
        shape = (
            f"M{number(x)} {number(bottom)}V{number(y(pressure))}L{number(x + wide)} "
            f"{number(y(after))}V{number(bottom)}Z"
        )
        line = f"M{number(x)} {number(y(pressure))}L{number(x + wide)} {number(y(after))}"
        keys = quoteattr(" ".join(tread.keys))
        parts.append(
            f'<g class="tread{role}" data-keys={keys} tabindex="0" role="img" '
            f"aria-label={quoteattr(words)}><title>{escape(words)}</title>"
            f'<path class="body" d="{shape}"/><path class="edge" d="{line}"/></g>'
        )
        name = tread.key
        if wide >= 7 * len(name) + 2:
            parts.append(
                f'<text class="name" x="{number(x + wide / 2)}" y="{number(bottom + 13)}" '
                f'text-anchor="middle">{escape(name)}</text>'
            )
        drop = f"{tread.drop_pa / 1000:.1f}"
        if tread.drop_pa > 0.12 * head:
            if wide >= 60:  # over its own line, which is highest where the words begin
                where, anchor = x + wide / 2, "middle"
                height_y = y(pressure - (pressure - after) * (wide / 2 - 26) / wide) - 6
            elif x + wide + 52 > right:  # under the line that comes down to it
                where, anchor, height_y = x - 6, "end", y(pressure) + 24
            else:
                where, anchor, height_y = x + wide + 4, "start", y((pressure + after) / 2) + 4
            parts.append(
                f'<text class="fall" x="{number(where)}" y="{number(height_y)}" text-anchor="{anchor}">{drop} '
                "kPa</text>"
            )
        x, pressure = x + wide, after
    parts.append(f'<path class="axis" d="M{number(left)} {number(top - 8)}V{number(bottom)}H{number(right)}"/>')
    parts.append(f'<text class="axis-title" x="{number(left - 38)}" y="{number(top - 12)}">pressure left, kPa</text>')
    parts.append(
        f'<text class="axis-title" x="{number(right)}" y="{number(height - 8)}" text-anchor="end">along the pipe, '
        f"{total_m:.1f} m there and back</text>"
    )
    parts.append("</svg>")
    return "".join(parts)


def pump_chart(
    curves: list[tuple[str, list[tuple[float, float]]]],
    system: list[tuple[float, float]],
    duty: tuple[float, float],
    width: float = 460.0,
    height: float = 260.0,
) -> str:
    """Head [kPa] against flow [L/h]: the pump's curves, the circuit's, and where the duty lies. Curves carry their own
    names."""
    points = [point for _, curve in curves for point in curve] + system + [duty]
    most_x, most_y = max(x for x, _ in points) * 1.02, max(y for _, y in points) * 1.1
    left, right, top, bottom = 44.0, width - 14.0, 16.0, height - 38.0

    def at(x: float, y: float) -> tuple[float, float]:
        return left + x / most_x * (right - left), bottom - y / most_y * (bottom - top)

    parts = []
    step_y = round_step(most_y / 6, least=1)
    step_x = round_step(most_x / 7, least=50)
    for n in range(int(most_y / step_y) + 1):
        _, y = at(0, n * step_y)
        parts += [_line("grid", (left, y), (right, y)), _text(left - 6, y + 4, f"{n * step_y:g}", "end")]
    for n in range(int(most_x / step_x) + 1):
        x, _ = at(n * step_x, 0)
        parts += [_line("grid", (x, top), (x, bottom)), _text(x, bottom + 16, f"{n * step_x:g}")]
    parts += [_text((left + right) / 2, height - 6, "flow, L/h"), _text(left + 2, 11, "head, kPa", "start")]
    for name, curve in curves:
        parts.append(_line("pump", *(at(*point) for point in curve)))
        x, y = at(*curve[0])
        parts.append(_text(x + 6, y - 5, name, "start"))
    parts.append(_line("system", *(at(*point) for point in system)))
    x, y = at(*system[len(system) * 4 // 5])
    parts.append(_text(x + 8, y + 4, "circuit", "start"))
    dx, dy = at(*duty)
    parts.append(f'<circle class="duty" cx="{number(dx)}" cy="{number(dy)}" r="5"/>')
    parts.append(_text(dx + 9, dy + 4, f"{duty[1]:.1f} kPa at {duty[0]:.0f} L/h", "start"))
    label = f"pump chart: duty {duty[1]:.1f} kPa at {duty[0]:.0f} L/h"
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" class="chart pumps" viewBox="0 0 {number(width)} {number(height)}" '
        f'role="img" aria-label={quoteattr(label)}>' + "".join(parts) + "</svg>"
    )


def warm_up(
    times_s: list[float], lines: list[tuple[str, list[float]]], width: float = 520.0, height: float = 220.0
) -> str:
    """Temperatures [C] over minutes, a line a pipe, each named at its end, the flow first; told apart by dash as well
    as by colour."""
    left, right, top, bottom = 40.0, width - 64.0, 16.0, height - 36.0
    low = 5 * (min(min(values) for _, values in lines) // 5)
    high = 5 * (max(max(values) for _, values in lines) // 5 + 1)
    first, span = times_s[0], max(times_s[-1] - times_s[0], 1.0)

    def at(t: float, c: float) -> tuple[float, float]:
        return left + (t - first) / span * (right - left), bottom - (c - low) / (high - low) * (bottom - top)

    parts = []
    step_c = round_step((high - low) / 6, least=5)
    step_min = next((step for step in (1, 2, 5, 10, 20, 60, 600) if span / 60 / step <= 8), round_step(span / 60 / 8))
    for n in range(int((high - low) / step_c) + 1):
        _, y = at(first, low + n * step_c)
        parts += [_line("grid", (left, y), (right, y)), _text(left - 6, y + 4, f"{low + n * step_c:g}", "end")]
    for n in range(int(span / 60 / step_min) + 1):
        x, _ = at(first + n * step_min * 60, low)
        parts += [_line("grid", (x, top), (x, bottom)), _text(x, bottom + 16, f"{n * step_min:g}")]
    parts += [_text((left + right) / 2, height - 4, "minutes"), _text(left + 2, 11, "°C", "start")]
    ends = []
    for n, (name, values) in enumerate(lines):
        parts.append(_line(f"warm warm-{n}", *(at(t, c) for t, c in zip(times_s, values, strict=True))))
        ends.append((at(times_s[-1], values[-1])[1], name))
    ends.sort()
    if len(ends) == 2 and ends[1][0] - ends[0][0] < 13:
        middle = (ends[0][0] + ends[1][0]) / 2
        ends = [(middle - 6.5, ends[0][1]), (middle + 6.5, ends[1][1])]
    parts += [_text(right + 5, y + 4, name, "start") for y, name in ends]
    label = f"temperatures of {' and '.join(name for name, _ in lines)} over {span / 60:.0f} minutes"
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" class="chart warm-up" viewBox="0 0 {number(width)} '
        f'{number(height)}" role="img" aria-label={quoteattr(label)}>' + "".join(parts) + "</svg>"
    )


def capacity(hours: Sequence[Sequence[float]], whole_g: float, width: float = 560.0, height: float = 220.0) -> str:
    """What is left of a softener's capacity over days. hours: (hour, left [g], 1 where it was made new)."""
    left, right, top, bottom = 52.0, width - 12.0, 20.0, height - 36.0
    last = max(hours[-1][0] + 1, 1)

    def at(hour: float, grams: float) -> tuple[float, float]:
        return left + hour / last * (right - left), bottom - grams / whole_g * (bottom - top)

    parts = []
    step = round_step(whole_g / 5)
    for n in range(int(whole_g / step) + 1):
        _, y = at(0, n * step)
        parts += [_line("grid", (left, y), (right, y)), _text(left - 6, y + 4, f"{n * step:g}", "end")]
    for day in range(0, int(last // 24) + 1, 2):
        x, _ = at(day * 24, 0)
        parts += [_line("grid", (x, top), (x, bottom)), _text(x, bottom + 16, f"{day}")]
    points = [at(0, whole_g)]
    news = [hour for hour, _, new in hours if new]
    for hour, grams, new in hours:
        if new:
            points.append(at(hour, whole_g))
        points.append(at(hour + 1, grams))
    parts.append(_line("capacity", *points))
    for hour in news:
        x, y = at(hour, whole_g)
        parts.append(f'<circle class="made-new" cx="{number(x)}" cy="{number(y)}" r="4"/>')
    parts += [_text((left + right) / 2, height - 4, "days"), _text(left + 2, 12, "g left", "start")]
    times = f"{len(news)} times" if len(news) != 1 else "once"
    label = f"capacity left over {last / 24:.0f} days, made new {times}"
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" class="chart capacity" viewBox="0 0 {number(width)} '
        f'{number(height)}" role="img" aria-label={quoteattr(label)}>' + "".join(parts) + "</svg>"
    )


def pump_curve(
    curve: Sequence[Sequence[float]],
    system: Sequence[Sequence[float]],
    runs: tuple[float, float],
    width: float = 460.0,
    height: float = 240.0,
) -> str:
    """A pump's curve against the system's, (flow [L/s], pressure [Pa]) each; runs: where they meet."""
    left, right, top, bottom = 52.0, width - 16.0, 20.0, height - 36.0
    most_l_s = max(point[0] for point in curve) or 1.0
    most_bar = max(*(point[1] for point in curve), runs[1]) / 1e5 or 1.0

    def at(flow: float, pressure_pa: float) -> tuple[float, float]:
        share = min(max(pressure_pa / 1e5 / most_bar, 0.0), 1.05)
        return left + flow / most_l_s * (right - left), bottom - share * (bottom - top)

    parts = []
    step = round_step(most_bar / 5, least=0.01)
    for n in range(int(most_bar / step) + 1):
        _, y = at(0, n * step * 1e5)
        parts += [_line("grid", (left, y), (right, y)), _text(left - 6, y + 4, f"{n * step:g}", "end")]
    step = round_step(most_l_s / 5, least=0.001)
    for n in range(int(most_l_s / step) + 1):
        x, _ = at(n * step, 0)
        parts += [_line("grid", (x, top), (x, bottom)), _text(x, bottom + 16, f"{n * step:g}")]
    parts.append(_line("curve pump", *(at(*point) for point in curve if point[1] > 0)))
    parts.append(_line("curve system", *(at(*point) for point in system if point[1] <= most_bar * 1.05e5)))
    x, y = at(*runs)
    parts.append(f'<circle class="made-new" cx="{number(x)}" cy="{number(y)}" r="5"/>')
    parts += [_text((left + right) / 2, height - 4, "L/s"), _text(left + 2, 12, "bar", "start")]
    label = f"the pump runs at {runs[0]:.2f} L/s and {runs[1] / 1e5:.2f} bar"
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" class="chart pump-curve" viewBox="0 0 {number(width)} '
        f'{number(height)}" role="img" aria-label={quoteattr(label)}>' + "".join(parts) + "</svg>"
    )


def bend(points: list[list[float]], marks_mm: list[float], cut_mm: float, width: float = 460.0) -> str:
    """A bent piece to scale, from its centre line [mm]: each mark with its distance from the square-cut end, along the
    pipe."""
    xs, ys = [x for x, _ in points], [y for _, y in points]
    scale = min((width - 110) / max(max(xs) - min(xs), 1.0), 170 / max(max(ys) - min(ys), 1.0))
    width, height = (max(xs) - min(xs)) * scale + 110, (max(ys) - min(ys)) * scale + 80

    def at(x: float, y: float) -> tuple[float, float]:
        return 30 + (x - min(xs)) * scale, height - 40 - (y - min(ys)) * scale

    line = "M" + "L".join(f"{number(x)} {number(y)}" for x, y in (at(*point) for point in points))
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" class="chart bend" viewBox="0 0 {number(width)} {number(height)}" '
        f'width="{number(width)}" height="{number(height)}" role="img" '
        f'aria-label="bent piece, cut {cut_mm:.0f} mm, marks at {", ".join(f"{mark:.0f}" for mark in marks_mm)} mm">',
        f'<path class="tube" d="{line}"/><path class="axis" d="{line}"/>',
    ]
    for where, words in [*((mark, f"{mark:.0f}") for mark in marks_mm), (cut_mm, f"cut {cut_mm:.0f}")]:
        (x, y), (dx, dy) = _along(points, where)
        px, py = at(x, y)
        parts.append(
            f'<path class="mark" d="M{number(px - dy * 9)} {number(py - dx * 9)}L{number(px + dy * 9)} '
            f'{number(py + dx * 9)}"/>'
        )
        parts.append(
            f'<text x="{number(px + dy * 16)}" y="{number(py + dx * 20 + 4)}" '
            f'text-anchor="{"start" if dy > 0.5 else "end" if dy < -0.5 else "middle"}">{escape(words)}</text>'
        )
    return "".join([*parts, "</svg>"])


def _along(points: list[list[float]], distance: float) -> tuple[tuple[float, float], tuple[float, float]]:
    """The point so far along a polyline, and the direction there."""
    left = distance
    way = (1.0, 0.0)
    for (x1, y1), (x2, y2) in zip(points, points[1:], strict=False):
        length = ((x2 - x1) ** 2 + (y2 - y1) ** 2) ** 0.5
        if length < 1e-9:
            continue
        way = ((x2 - x1) / length, (y2 - y1) / length)
        if left <= length + 1e-6:
            return (x1 + way[0] * left, y1 + way[1] * left), way
        left -= length
    return (points[-1][0], points[-1][1]), way


def _sketch(width: float, height: float, label: str, parts: list[str]) -> str:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" class="chart sketch" viewBox="0 0 {number(width)} {number(height)}" '
        f'role="img" aria-label={quoteattr(label)}>' + "".join(parts) + "</svg>"
    )


def _line(kind: str, *points: tuple[float, float]) -> str:
    return f'<path class="{kind}" d="M{"L".join(f"{number(x)} {number(y)}" for x, y in points)}"/>'


def _text(x: float, y: float, words: str, anchor: str = "middle") -> str:
    return f'<text x="{number(x)}" y="{number(y)}" text-anchor="{anchor}">{escape(words)}</text>'


def measure(a: tuple[float, float], b: tuple[float, float], words: str) -> str:
    """A level line of measure with end ticks and its figure above."""
    (x1, y), (x2, _) = a, b
    ends = _line("mark", (x1, y - 4), (x1, y + 4)) + _line("mark", (x2, y - 4), (x2, y + 4))
    return _line("axis", a, b) + ends + _text((x1 + x2) / 2, y - 6, words)


def clip_line(length_mm: float, at_mm: list[float], width: float = 520.0) -> str:
    """A straight of pipe with its clips, each with its place from the start."""
    scale = (width - 60) / length_mm
    parts = [_line("tube", (30, 50), (width - 30, 50)), _line("axis", (30, 50), (width - 30, 50))]
    last = -99.0
    for n, at in enumerate(at_mm):
        x = 30 + at * scale
        parts.append(f'<rect class="clip" x="{number(x - 4)}" y="38" width="8" height="24"/>')
        if x - last > 34 or n == len(at_mm) - 1:
            parts.append(_text(x, 82, f"{at:.0f}"))
            last = x
    return _sketch(
        width, 96, f"pipe of {length_mm:.0f} mm with clips at {', '.join(f'{at:.0f}' for at in at_mm)} mm", parts
    )


def row(parts: list[dict[str, Any]], last_mm: float, width: float = 560.0) -> str:
    """Parts and pieces of a row to scale, each piece with its length, and the joint made last marked. parts: {title,
    mm, piece} in order, mm between stops."""
    whole = sum(one["mm"] for one in parts) or 1.0
    scale = (width - 80) / whole
    drawn = [_line("tube", (8, 60), (40, 60)), _line("tube", (width - 40, 60), (width - 8, 60))]
    x, low = 40.0, False
    for one in parts:
        wide = one["mm"] * scale
        if one["piece"]:
            drawn.append(_line("tube", (x, 60), (x + wide, 60)))
            drawn.append(_text(x + wide / 2, 96, f"{one['mm']:.1f}".removesuffix(".0")))
        else:
            drawn.append(f'<rect class="body" x="{number(x)}" y="44" width="{number(max(wide, 6.0))}" height="32"/>')
            middle = x + wide / 2
            anchor = "start" if middle < 90 else "end" if middle > width - 90 else "middle"
            at = x if anchor == "start" else x + wide if anchor == "end" else middle
            drawn.append(_text(at, 34 if low else 18, one["title"], anchor))
            low = not low
        x += wide
    drawn.append(_line("mark", (40 + last_mm * scale, 40), (40 + last_mm * scale, 112)))
    drawn.append(_text(40 + last_mm * scale, 126, "last"))
    return _sketch(width, 132, f"a row of {len(parts)} parts and pieces, {whole:.0f} mm", drawn)


def joist(
    depth_mm: float,
    span_mm: float,
    bearing_mm: float,
    size_mm: float,
    edge_mm: float,
    *,
    notch: bool,
    allowed: bool,
    practice: str,
    width: float = 560.0,
) -> str:
    """A joist seen from the side between its bearings, the zones where it may be cut, and the hole or notch; heights
    drawn larger."""
    scale = (width - 60) / span_mm
    tall = min(0.32, 110 / depth_mm)
    top, low = 46.0, 46.0 + depth_mm * tall

    def x(mm: float) -> float:
        return 30 + mm * scale

    zones = [(0.07, 0.25), (0.75, 0.93)] if notch else [(0.25, 0.4), (0.6, 0.75)]
    if practice == "north-american":
        zones = [(0.0, 1 / 3), (2 / 3, 1.0)] if notch else [(0.0, 1.0)]
    parts = [f'<rect class="wood" x="30" y="{number(top)}" width="{number(width - 60)}" height="{number(low - top)}"/>']
    for start, end in zones:
        most = depth_mm * tall * (0.125 if notch else 0.5)
        y = top if notch else top + depth_mm * tall / 2 - most / 2
        parts.append(
            f'<rect class="zone" x="{number(x(start * span_mm))}" y="{number(y)}" '
            f'width="{number((end - start) * span_mm * scale)}" height="{number(most)}"/>'
        )
    for end in (30.0, width - 30):
        parts.append(
            _line(
                "bearing", (end - 14, low), (end + 14, low), (end + 14, low + 18), (end - 14, low + 18), (end - 14, low)
            )
        )
    kind = "hole" if allowed else "hole bad"
    wide = max(size_mm * scale, 7.0)
    if notch:
        parts.append(
            f'<rect class="{kind}" x="{number(x(bearing_mm) - wide / 2)}" y="{number(top)}" width="{number(wide)}" '
            f'height="{number(max(size_mm * tall, 4))}"/>'
        )
    else:
        parts.append(
            f'<ellipse class="{kind}" cx="{number(x(bearing_mm))}" cy="{number(top + edge_mm * tall)}" '
            f'rx="{number(wide / 2)}" ry="{number(max(size_mm * tall / 2, 3.5))}"/>'
        )
    parts.append(measure((30, 26), (x(bearing_mm), 26), f"{bearing_mm:.0f}"))
    parts.append(_text(width / 2, low + 16, f"span {span_mm:.0f}"))
    return _sketch(
        width,
        low + 28,
        f"joist of {depth_mm:.0f} mm, {'notch' if notch else 'hole'} at {bearing_mm:.0f} mm, "
        f"{'allowed' if allowed else 'not allowed'}",
        parts,
    )


def gap(length_mm: float, side_mm: float, *, stubs: bool = False, width: float = 520.0) -> str:
    """A pipe that misses: two ends, how far apart and how far out of line."""
    scale = min((width - 200) / max(length_mm, 1.0), 0.4 if not stubs else 1.2)
    drop = max(min(side_mm * max(scale, 0.5), 90.0), 14.0 if side_mm else 0.0)
    y1, y2 = 50.0, 50.0 + drop
    left, right = (110.0, 110 + length_mm * scale) if stubs else (40.0, 40 + length_mm * scale)
    parts = []
    if stubs:
        parts += [_line("tube", (30, y1), (left, y1)), _line("tube", (right, y2), (right + 80, y2))]
        parts.append(measure((left, 30), (right, 30), f"{length_mm:.0f}"))
    else:
        parts += [
            _line("tube", (left, y1), (right, y1)),
            f'<circle class="port" cx="{number(right)}" cy="{number(y2)}" r="8"/>',
        ]
        parts.append(measure((left, 30), (right, 30), f"leg {length_mm:.0f}"))
    if side_mm:
        x = right + (94 if stubs else 24)
        parts += [
            _line("axis", (x, y1), (x, y2)),
            _line("mark", (x - 4, y1), (x + 4, y1)),
            _line("mark", (x - 4, y2), (x + 4, y2)),
            _text(x + 8, (y1 + y2) / 2 + 4, f"{side_mm:.0f}", "start"),
        ]
    return _sketch(
        width, y2 + 24, f"{'stubs' if stubs else 'leg'} {length_mm:.0f} mm, {side_mm:.0f} mm out of line", parts
    )


def radiator(ports_mm: float, centres_mm: float, pipes_mm: float, width: float = 520.0) -> str:
    """A radiator from the front with its valve centres, and the pipes where they are."""
    scale = (width - 120) / max(ports_mm, centres_mm, pipes_mm, 1.0)
    middle, top, low = width / 2, 24.0, 104.0

    def x(mm: float) -> float:
        return middle + mm * scale / 2

    parts = [
        f'<rect class="body" x="{number(x(-ports_mm))}" y="{number(top)}" width="{number(ports_mm * scale)}" '
        f'height="{number(low - top)}"/>'
    ]
    for sign in (-1, 1):
        parts.append(_line("tube", (x(sign * pipes_mm), 150), (x(sign * pipes_mm), low - 2)))
        parts.append(f'<circle class="port" cx="{number(x(sign * centres_mm))}" cy="{number(low - 10)}" r="6"/>')
    parts.append(measure((x(-centres_mm), low - 34), (x(centres_mm), low - 34), f"valves {centres_mm:.0f}"))
    parts.append(measure((x(-pipes_mm), 142), (x(pipes_mm), 142), f"pipes {pipes_mm:.0f}"))
    return _sketch(width, 164, f"valve centres {centres_mm:.0f} mm, pipe centres {pipes_mm:.0f} mm", parts)
