"""The pressure of a test as it comes: least, mean and most of each stretch, with the band within which it passes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from xml.sax.saxutils import escape, quoteattr

from .charts import round_step
from .svg import number

Stretch = tuple[float, float, float, float]
"""minute, mean, least and most pressure [Pa]"""


def trace(
    stretches: Sequence[Stretch],
    band_pa: tuple[float, float],
    settle_min: float,
    hold_min: float,
    said: Callable[[float], str],
    width: float = 720.0,
    height: float = 260.0,
) -> str:
    """Pressure against time. band_pa: from the least that still passes to the pressure the hold began at; said: a
    pressure in words. "" without readings."""
    if not stretches:
        return ""
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

    last = stretches[-1]
    title = f"Pressure over {last[0]:.0f} minutes, now {said(last[1])}"
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" class="chart test-trace" viewBox="0 0 {number(width)} '
        f'{number(height)}" role="img" aria-label={quoteattr(title)}>'
    ]
    hold_x = x(min(settle_min, end))
    band_top, band_low = y(band_pa[1]), y(band_pa[0])
    parts.append(
        f'<rect class="pass-band" x="{number(hold_x)}" y="{number(band_top)}" width="{number(right - hold_x)}" '
        f'height="{number(max(band_low - band_top, 1.0))}"/>'
    )
    step = round_step((high - low) / 4, least=0.1)
    mark = (int(low / step) + 1) * step
    while mark < high:
        at = number(y(mark))
        parts.append(f'<path class="grid" d="M{number(left)} {at}H{number(right)}"/>')
        parts.append(
            f'<text class="tick" x="{number(left - 6)}" y="{number(y(mark) + 4)}" text-anchor="end">'
            f"{escape(said(mark))}</text>"
        )
        mark += step
    ups = "L".join(f"{number(x(minute))} {number(y(most))}" for minute, _, _, most in stretches)
    downs = "L".join(f"{number(x(minute))} {number(y(least))}" for minute, _, least, _ in reversed(stretches))
    parts.append(f'<path class="spread" d="M{ups}L{downs}Z"/>')
    line = "L".join(f"{number(x(minute))} {number(y(mean))}" for minute, mean, _, _ in stretches)
    parts.append(f'<path class="mean" d="M{line}"/>')
    parts.append(f'<path class="limit" d="M{number(hold_x)} {number(top)}V{number(bottom)}"/>')
    parts.append(f'<path class="axis" d="M{number(left)} {number(top)}V{number(bottom)}H{number(right)}"/>')
    parts.append(
        f'<text class="tick" x="{number(hold_x + 4)}" y="{number(bottom + 16)}">hold from {settle_min:g} min</text>'
        f'<text class="tick" x="{number(right)}" y="{number(bottom + 16)}" text-anchor="end">{_long(end)}</text></svg>'
    )
    return "".join(parts)


def _long(minutes: float) -> str:
    return f"{minutes:.0f} min" if minutes < 180 else f"{minutes / 60:.1f} h"
