"""Charts as SVG: the pressure staircase along the index path."""

from __future__ import annotations

from xml.sax.saxutils import escape, quoteattr

from ..core.heating.sizes import Heating
from .svg import number

LEAST_TREAD = 16.0


def staircase(heating: Heating, width: float = 460.0, height: float = 300.0) -> str:
    """What is left of the pump's head [kPa] along the index path: out by the flow, through the emitter, home by the return.

    Every tread names its section and carries the keys of its pieces, so that the drawing lights with it.
    """
    treads = [tread for tread in heating.treads if tread.drop_pa > 0 or tread.length_m > 0]
    if not treads:
        return ""
    left, right, top, bottom = 46.0, width - 12.0, 26.0, height - 38.0
    lengths = [max(tread.length_m, 0.0) for tread in treads]
    spare = right - left - LEAST_TREAD * len(treads)
    total_m = sum(lengths) or 1.0
    widths = [LEAST_TREAD + length / total_m * spare for length in lengths]
    head = heating.pump_head_pa
    most_kpa = head / 1000
    step = next(step for step in (0.5, 1, 2, 5, 10, 20, 50, 100, 500) if most_kpa / step <= 6)

    def y(kpa: float) -> float:
        return bottom - kpa / most_kpa * (bottom - top)

    title = f"Pressure along the way to {heating.index}: {most_kpa:.1f} kPa from the pump, nothing left when it is back"
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" class="chart stair" viewBox="0 0 {number(width)} {number(height)}" role="img" aria-label={quoteattr(title)}>'
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
        shape = f"M{number(x)} {number(bottom)}V{number(y(pressure))}L{number(x + wide)} {number(y(after))}V{number(bottom)}Z"
        line = f"M{number(x)} {number(y(pressure))}L{number(x + wide)} {number(y(after))}"
        keys = quoteattr(" ".join(tread.keys))
        parts.append(
            f'<g class="tread{role}" data-keys={keys} tabindex="0" role="img" aria-label={quoteattr(words)}><title>{escape(words)}</title>'
            f'<path class="body" d="{shape}"/><path class="edge" d="{line}"/></g>'
        )
        name = tread.key
        if wide >= 7 * len(name) + 2:
            parts.append(
                f'<text class="name" x="{number(x + wide / 2)}" y="{number(bottom - 6)}" text-anchor="middle">{escape(name)}</text>'
            )
        drop = f"{tread.drop_pa / 1000:.1f}"
        if tread.drop_pa > 0.12 * head:
            parts.append(
                f'<text class="fall" x="{number(x + wide + 4)}" y="{number(y((pressure + after) / 2) + 4)}">{drop} kPa</text>'
            )
        x, pressure = x + wide, after
    parts.append(f'<path class="axis" d="M{number(left)} {number(top - 8)}V{number(bottom)}H{number(right)}"/>')
    parts.append(f'<text class="axis-title" x="{number(left - 38)}" y="{number(top - 12)}">pressure left, kPa</text>')
    parts.append(
        f'<text class="axis-title" x="{number(right)}" y="{number(height - 8)}" text-anchor="end">along the pipe, {total_m:.1f} m there and back</text>'
    )
    parts.append("</svg>")
    return "".join(parts)


def bend(points: list[list[float]], marks_mm: list[float], cut_mm: float, width: float = 460.0) -> str:
    """A bent piece to scale, from its centre line [mm]: each mark with its distance from the square-cut end, along the pipe."""
    xs, ys = [x for x, _ in points], [y for _, y in points]
    room = width - 80
    scale = room / max(max(xs) - min(xs), (max(ys) - min(ys)) * 1.2, 1.0)
    height = (max(ys) - min(ys)) * scale + 96

    def at(x: float, y: float) -> tuple[float, float]:
        return 40 + (x - min(xs)) * scale, height - 48 - (y - min(ys)) * scale

    line = "M" + "L".join(f"{number(x)} {number(y)}" for x, y in (at(*point) for point in points))
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" class="chart bend" viewBox="0 0 {number(width)} {number(height)}" role="img" '
        f'aria-label="bent piece, cut {cut_mm:.0f} mm, marks at {", ".join(f"{mark:.0f}" for mark in marks_mm)} mm">',
        f'<path class="tube" d="{line}"/><path class="axis" d="{line}"/>',
    ]
    for where, words in [*((mark, f"{mark:.0f}") for mark in marks_mm), (cut_mm, f"cut {cut_mm:.0f}")]:
        (x, y), (dx, dy) = _along(points, where)
        px, py = at(x, y)
        parts.append(
            f'<path class="mark" d="M{number(px - dy * 9)} {number(py - dx * 9)}L{number(px + dy * 9)} {number(py + dx * 9)}"/>'
        )
        parts.append(
            f'<text x="{number(px + dy * 20)}" y="{number(py + dx * 20 + 4)}" text-anchor="middle">{escape(words)}</text>'
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
