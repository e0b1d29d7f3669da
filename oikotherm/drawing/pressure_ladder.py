"""The pressure of a network as a ladder: from its source along the pipe to each appliance or outlet, with the line none
may go below."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from xml.sax.saxutils import escape, quoteattr

from .charts import round_step
from .svg import number

CHAR = 7.9  # width of a figure of the labels
STEEP = 0.34  # a section that takes this share of what is lost on the way is named on its line


@dataclass(frozen=True, slots=True)
class Way:
    """The way to an appliance or outlet: steps (section, length [m], pressure before and after [Pa]), the least it may
    come to; role: what the pipe carries at its end."""

    station: str
    steps: tuple[tuple[str, float, float, float], ...]
    least_pa: float
    on: bool = True
    role: str = "gas"

    @property
    def arriving_pa(self) -> float:
        return self.steps[-1][3]

    @property
    def starves(self) -> bool:
        return self.on and self.arriving_pa < self.least_pa - 1e-6


def ladder(
    source: str,
    inlet_pa: float,
    ways: Sequence[Way],
    said: Callable[[float], str],
    length: Callable[[float], str],
    *,
    wide: bool = True,
    what: str = "appliance",
    unit_pa: float = 1.0,
) -> str:
    """Pressure against length, one line a way. said, length: a pressure [Pa] and a length [mm] in words; wide: for a
    desk, else for a phone; what: stands at the end of a way; unit_pa: the unit the pressures
    are said in [Pa], for round marks. A way that starves is brick and says so; the section that
    takes most of it is named."""
    if not ways:
        return ""
    width, height = (720.0, 330.0) if wide else (366.0, 400.0)
    left, right, top, bottom = (78.0, width - 188.0, 22.0, height - 34.0) if wide else (76.0, 222.0, 22.0, 366.0)
    longest = max(sum(step[1] for step in way.steps) for way in ways) or 1.0
    least = min(way.least_pa for way in ways)
    low = min([least, *(way.arriving_pa for way in ways)])
    high = max([inlet_pa, *(after for way in ways for _, _, _, after in way.steps)])
    span = max(high - low, 1.0) * 1.12
    floor = high - span

    def x(metres: float) -> float:
        return left + metres / longest * (right - left)

    def y(pressure: float) -> float:
        return top + (high - pressure) / span * (bottom - top)

    short = [way.station for way in ways if way.starves]
    title = f"Pressure from {source} to each {what}: " + (
        f"{', '.join(short)} {'starve' if len(short) > 1 else 'starves'}" if short else "all hold"
    )
    kind = "wide" if wide else "narrow"
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" class="chart pressure-ladder {kind}" viewBox="0 0 {number(width)} '
        f'{number(height)}" role="img" aria-label={quoteattr(title)}>'
    ]
    step = round_step(span / 5 / unit_pa, least=0.1) * unit_pa
    mark = math.floor(high / step + 1e-9) * step
    while mark >= floor:
        parts.append(f'<path class="grid" d="M{number(left)} {number(y(mark))}H{number(right)}"/>')
        words, at = escape(said(mark)), number(y(mark) + 4)
        parts.append(f'<text class="tick" x="{number(left - 6)}" y="{at}" text-anchor="end">{words}</text>')
        mark -= step
    parts.append(f'<path class="limit" d="M{number(left)} {number(y(least))}H{number(right)}"/>')
    parts.append(
        f'<text class="limit-said" x="{number(left + 6)}" y="{number(y(least) + 14)}">none below '
        f"{escape(said(least))}</text>"
    )
    for way in sorted(ways, key=lambda one: one.starves):
        parts += _line(way, x, y)
    parts += _names(ways, x, y, said, (top, bottom), wide=wide)
    parts.append(f'<path class="axis" d="M{number(left)} {number(top - 8)}V{number(bottom)}H{number(right)}"/>')
    parts.append(
        f'<text class="axis-title" x="{number(right)}" y="{number(height - 8)}" text-anchor="end">along the pipe, '
        f"{escape(length(longest * 1000))}</text></svg>"
    )
    return "".join(parts)


def _line(way: Way, x: Callable[[float], float], y: Callable[[float], float]) -> list[str]:
    """The line of a way, with the section that takes most of what is lost on it."""
    metres, points = 0.0, [(x(0.0), y(way.steps[0][2]))]
    lost = way.steps[0][2] - way.arriving_pa
    worst = max(way.steps, key=lambda one: one[2] - one[3])
    parts = []
    for ident, length, before, after in way.steps:
        metres += length
        points.append((x(metres), y(after)))
        if way.starves and ident == worst[0] and before - after >= STEEP * max(lost, 1.0):
            (ax, ay), (bx, by) = points[-2], points[-1]
            parts.append(
                f'<text class="steep" x="{number((ax + bx) / 2 - 6)}" y="{number((ay + by) / 2 + 14)}" '
                f'text-anchor="end">{escape(ident)}</text>'
            )
    d = "M" + "L".join(f"{number(px)} {number(py)}" for px, py in points)
    kind = f"way {way.role}" + (" starves" if way.starves else "" if way.on else " off")
    words = f"{way.station}: {'off' if not way.on else 'starves' if way.starves else 'holds'}"
    return [f'<g class="{kind}"><title>{escape(words)}</title><path d="{d}"/></g>', *parts]


def _names(
    ways: Sequence[Way],
    x: Callable[[float], float],
    y: Callable[[float], float],
    said: Callable[[float], str],
    room: tuple[float, float],
    *,
    wide: bool,
) -> list[str]:
    """Each appliance at the right, beside where its line ends; names that would lie on each other are moved apart."""
    parts: list[str] = []
    free, bottom = room
    edge = x(max(sum(step[1] for step in one.steps) for one in ways)) + 14
    ordered = sorted(ways, key=lambda one: -one.arriving_pa)
    tall = [20.0 if wide or not way.starves else 40.0 for way in ordered]
    for n, way in enumerate(ordered):
        end = x(sum(step[1] for step in way.steps))
        at = min(max(y(way.arriving_pa), free), bottom - 2 - sum(tall[n + 1 :]) - (tall[n] - 20))
        free = at + tall[n]
        words = f"{way.station} {'off' if not way.on else said(way.arriving_pa)}"
        line = f"M{number(end)} {number(y(way.arriving_pa))}L{number(edge - 4)} {number(at)}"
        parts.append(f'<path class="lead" d="{line}"/>')
        kind = "end starves" if way.starves else "end"
        parts.append(f'<text class="{kind}" x="{number(edge)}" y="{number(at + 5)}">{escape(words)}</text>')
        if way.starves:
            bx, by = (edge + CHAR * len(words) + 8, at) if wide else (edge, at + 19)
            parts.append(
                f'<rect class="word-box" x="{number(bx)}" y="{number(by - 9)}" width="66" height="18" rx="3"/>'
                f'<text class="word" x="{number(bx + 33)}" y="{number(by + 5)}" text-anchor="middle">starves</text>'
            )
    return parts
