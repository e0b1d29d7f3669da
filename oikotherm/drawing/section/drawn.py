"""A section as SVG: parts hatched by what they are, labels above, measures below."""

from __future__ import annotations

from xml.sax.saxutils import escape, quoteattr

from ...core.quantity import INCH_MM, PaceUnit, in_inches
from ..svg import number
from .shapes import XR, JointSection


def section_svg(made: JointSection, width: float = 620.0, unit: PaceUnit = "mm") -> str:
    """The section as SVG: parts hatched by what they are, labels above in the order they come, measures below in this
    unit."""
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
    depth = made.depth_words
    if unit == "in" and depth[-1:].isdigit():
        depth = in_inches(f"{depth} mm")
    # the outside diameter, left of the pipe
    od = f"{number(round(made.od_mm / INCH_MM, 3))} in" if unit == "in" else number(round(made.od_mm, 1))
    y1, y2 = at(0, made.od_mm / 2)[1], at(0, -made.od_mm / 2)[1]
    dx = ax - 14
    parts.append(
        f'<path class="dim" d="M{number(dx)} {number(y1)}L{number(dx)} {number(y2)}M{number(dx - 4)} '
        f'{number(y1)}L{number(ax)} {number(y1)}M{number(dx - 4)} {number(y2)}L{number(ax)} {number(y2)}"/>'
    )
    parts.append(
        f'<text class="figure" x="{number(dx - 6)}" y="{number(ay + 4)}" text-anchor="end">{escape(od)}</text>'
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
            f'text-anchor="middle">{escape(depth)}</text>'
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
