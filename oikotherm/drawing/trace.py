"""The pressure of a test as it comes: least, mean and most of each stretch, with the band within which it passes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from .charts import round_step
from .svg import number

XY = tuple[float, float]
Stretch = tuple[float, float, float, float]
"""minute, mean, least and most pressure [Pa]"""


@dataclass(frozen=True, slots=True)
class Plot:
    """Where all of it comes on the sheet, y down. band: left, top, width, height; ticks: y and words of each line of
    the grid; spread: the outline from least to most; hold_x: where the hold begins."""

    width: float
    height: float
    box: tuple[float, float, float, float]
    band: tuple[float, float, float, float]
    ticks: tuple[tuple[float, str], ...]
    spread: tuple[XY, ...]
    mean: tuple[XY, ...]
    hold_x: float
    foot: tuple[str, str]
    title: str


def plot(
    stretches: Sequence[Stretch],
    band_pa: tuple[float, float],
    settle_min: float,
    hold_min: float,
    said: Callable[[float], str],
    width: float = 720.0,
    height: float = 260.0,
) -> Plot | None:
    """Pressure against time. band_pa: from the least that still passes to the pressure the hold began at; said: a
    pressure in words. None without readings."""
    if not stretches:
        return None
    left, right, top, bottom = 84.0, width - 14.0, 14.0, height - 34.0
    end = max(stretches[-1][0], settle_min + hold_min, 1e-6)
    low = min([band_pa[0], *(one[2] for one in stretches)])
    high = max([band_pa[1], *(one[3] for one in stretches)])
    spare = max((high - low) * 0.15, abs(high) * 1e-4, 1.0)
    low, high = low - spare, high + spare

    def x(minute: float) -> float:
        return left + minute / end * (right - left)

    def y(pressure: float) -> float:
        return bottom - (pressure - low) / (high - low) * (bottom - top)

    hold_x, band_top = x(min(settle_min, end)), y(band_pa[1])
    step = round_step((high - low) / 4, least=0.1)
    marks = [(int(low / step) + 1 + n) * step for n in range(int((high - low) / step) + 1)]
    ups = [(x(minute), y(most)) for minute, _, _, most in stretches]
    downs = [(x(minute), y(least)) for minute, _, least, _ in reversed(stretches)]
    last = stretches[-1]
    return Plot(
        width,
        height,
        (left, top, right, bottom),
        (hold_x, band_top, right - hold_x, max(y(band_pa[0]) - band_top, 1.0)),
        tuple((y(mark), said(mark)) for mark in marks if mark < high),
        (*ups, *downs),
        tuple((x(minute), y(mean)) for minute, mean, _, _ in stretches),
        hold_x,
        (f"hold from {settle_min:g} min", _long(end)),
        f"Pressure over {last[0]:.0f} minutes, now {said(last[1])}",
    )


def trace_svg(one: Plot | None) -> str:
    """A plot as SVG; "" where there is none."""
    if one is None:
        return ""
    left, top, right, bottom = (number(side) for side in one.box)
    x, y, wide, high = (number(side) for side in one.band)
    spread, mean = ("L".join(f"{number(a)} {number(b)}" for a, b in points) for points in (one.spread, one.mean))
    foot_y = number(one.box[3] + 16)
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" class="chart test-trace" viewBox="0 0 {number(one.width)} '
        f'{number(one.height)}" role="img" aria-label={quoteattr(one.title)}>',
        f'<rect class="pass-band" x="{x}" y="{y}" width="{wide}" height="{high}"/>',
        *(
            f'<path class="grid" d="M{left} {number(at)}H{right}"/><text class="tick" x="{number(one.box[0] - 6)}" '
            f'y="{number(at + 4)}" text-anchor="end">{escape(words)}</text>'
            for at, words in one.ticks
        ),
        f'<path class="spread" d="M{spread}Z"/><path class="mean" d="M{mean}"/>',
        f'<path class="limit" d="M{number(one.hold_x)} {top}V{bottom}"/>',
        f'<path class="axis" d="M{left} {top}V{bottom}H{right}"/>',
        f'<text class="tick" x="{number(one.hold_x + 4)}" y="{foot_y}">{one.foot[0]}</text>',
        f'<text class="tick" x="{right}" y="{foot_y}" text-anchor="end">{one.foot[1]}</text></svg>',
    ]
    return "".join(parts)


def trace_on(canvas: Any, one: Plot, width: float, font: str) -> None:
    """A plot on a page of reportlab, in black on a light band: its left lower corner at the origin, so wide."""
    canvas.saveState()
    canvas.scale(width / one.width, width / one.width)
    canvas.setFont(font, 11)
    left, top, right, bottom = one.box
    x, y, wide, high = one.band
    canvas.setFillGray(0.88)
    canvas.rect(x, one.height - y - high, wide, high, stroke=0, fill=1)
    canvas.setFillGray(0)
    canvas.setStrokeGray(0.7)
    for at, words in one.ticks:
        canvas.line(left, one.height - at, right, one.height - at)
        canvas.drawRightString(left - 6, one.height - at - 4, words)
    for points, grey, thick in ((one.spread, 0.6, 0.5), (one.mean, 0.0, 1.4)):
        path = canvas.beginPath()
        path.moveTo(points[0][0], one.height - points[0][1])
        for a, b in points[1:]:
            path.lineTo(a, one.height - b)
        canvas.setStrokeGray(grey)
        canvas.setLineWidth(thick)
        canvas.drawPath(path)
    canvas.setLineWidth(0.8)
    canvas.line(left, one.height - bottom, right, one.height - bottom)
    canvas.line(left, one.height - bottom, left, one.height - top)
    canvas.setDash(4, 4)
    canvas.line(one.hold_x, one.height - bottom, one.hold_x, one.height - top)
    canvas.drawString(one.hold_x + 4, one.height - bottom - 16, one.foot[0])
    canvas.drawRightString(right, one.height - bottom - 16, one.foot[1])
    canvas.restoreState()


def _long(minutes: float) -> str:
    return f"{minutes:.0f} min" if minutes < 180 else f"{minutes / 60:.1f} h"
