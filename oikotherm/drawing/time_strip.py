"""Phases of the work along their hours, with the days they take."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from ..core.work.phases import Phase, standing
from .faces import printable, text_face
from .pdf import INK, LEVEL, LINE
from .svg import number

NAMED, COUNTED = 11.0, 6.8  # percent of the strip from which a bar has room for its name, for its hours
BAR, HIGH = 40.0, 60.0
LEAST = 0.6  # percent: thinner bars cannot be seen


@dataclass(frozen=True, slots=True)
class Bar:
    """One phase. name: as it is written in it; says: in full; href: where it is listed; standing: done, now, waits."""

    name: str
    says: str
    minutes: float
    done_share: float
    href: str
    standing: str


def bars_of(
    phases: Iterable[Phase], done: Collection[str], href: Callable[[Phase], str] = lambda phase: ""
) -> list[Bar]:
    """The phases of a plan as bars. done: keys of the steps that are ticked."""
    found = []
    for phase in phases:
        count = sum(step.key in done for step in phase.steps)
        stands = {standing(step, done) for step in phase.steps}
        title = f"{phase.title}, {phase.where}" if phase.where else phase.title
        made = sum(step.minutes for step in phase.steps if step.key in done)
        found.append(
            Bar(
                phase.where.capitalize() if phase.runs and phase.where else phase.title,
                f"{title}: {phase.minutes / 60:.1f} h, {count} of {len(phase.steps)} done",
                phase.minutes,
                made / phase.minutes if phase.minutes else 0.0,
                href(phase),
                "done" if stands == {"done"} else "now" if "now" in stands else "waits",
            )
        )
    return found


def spans(bars: Sequence[Bar]) -> list[tuple[Bar, float, float]]:
    """Each bar with where it begins and how wide it is, in percent of the strip."""
    whole = math.fsum(bar.minutes for bar in bars) or 1.0
    spare = 100.0 - LEAST * len(bars)
    found, x = [], 0.0
    for bar in bars:
        wide = LEAST + spare * bar.minutes / whole
        found.append((bar, x, wide))
        x += wide
    return found


def strip_on(canvas: Any, bars: Sequence[Bar], width: float, height: float = 30.0) -> None:
    """The strip on a page of reportlab, its left lower corner at the origin, so wide and high [pt]."""
    canvas.saveState()
    canvas.setLineWidth(0.4)
    for bar, x, wide in spans(bars):
        left, own = x / 100 * width, wide / 100 * width
        canvas.setStrokeColor(LINE)
        canvas.setFillColor(LEVEL)
        canvas.rect(left, 0, own, height, stroke=1, fill=1)
        canvas.setFillColor("#cfe0da")
        canvas.rect(left, 0, own * bar.done_share, height, stroke=0, fill=1)
        canvas.setFillColor(INK)
        hours, name = f"{bar.minutes / 60:.1f} h", printable(bar.name)
        if canvas.stringWidth(name, text_face(name, strong=True), 7.5) + 6 < own:
            canvas.setFont(text_face(name, strong=True), 7.5)
            canvas.drawString(left + 3, height - 10, name)
        if canvas.stringWidth(hours, text_face(hours), 7.5) + 6 < own:
            canvas.setFont(text_face(hours), 7.5)
            canvas.drawString(left + 3, 5, hours)
    canvas.restoreState()


def time_strip(bars: Sequence[Bar], day_h: float) -> str:
    """The strip as SVG, as wide as its place: a bar a phase, as long as its hours, filled as far as it is done; under
    it where days of so many hours begin."""
    parts = [_bar(bar, x, wide) for bar, x, wide in spans(bars)]
    hours = math.fsum(bar.minutes for bar in bars) / 60 or 1.0
    every = max(math.ceil(hours / day_h / 8), 1)
    for day in range(math.ceil(hours / day_h)):
        at = 100 * day * day_h / hours
        if at > 97:
            continue
        name = f"day {day + 1}" if day == 0 else f"{day + 1}"
        parts.append(f'<line class="day" x1="{number(at)}%" x2="{number(at)}%" y1="{BAR:g}" y2="{BAR + 7:g}"/>')
        if day % every == 0:
            parts.append(f'<text class="day" x="{number(at)}%" dx="3" y="{HIGH - 5:g}">{name}</text>')
    return f'<svg class="time-strip" height="{HIGH:g}" role="group" aria-label="Hours by phase">{"".join(parts)}</svg>'


def _bar(bar: Bar, x: float, wide: float) -> str:
    done = f'<rect class="part" width="{number(100 * bar.done_share)}%" height="{BAR:g}"/>' if bar.done_share else ""
    name = f'<text class="name" x="6" y="16">{escape(bar.name)}</text>' if wide >= NAMED else ""
    hours = f'<text class="hours" x="6" y="31">{bar.minutes / 60:.1f} h</text>' if wide >= COUNTED else ""
    slim = " slim" if wide < (2 * NAMED if name else 2 * COUNTED) else ""
    return (
        f'<a href={quoteattr(bar.href)} aria-label={quoteattr(bar.says)} class="{bar.standing}{slim}">'
        f'<svg x="{number(x)}%" width="{number(wide)}%" height="{BAR:g}"><title>{escape(bar.says)}</title>'
        f'<rect class="bar" width="100%" height="{BAR:g}"/>{done}'
        f'<rect class="foot" y="{BAR - 4:g}" width="100%" height="4"/>{name}{hours}'
        f'<rect class="gap" x="100%" width="2" height="{BAR:g}" transform="translate(-2 0)"/></svg></a>'
    )
