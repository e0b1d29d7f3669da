"""Flat drawings of the workshop, bars and cards: lines, areas and words that page and paper both write."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from .faces import printable, text_face
from .svg import number

XY = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Look:
    """How a kind of line or area is written on paper: stroke and fill as colours (None: none), width, dashes."""

    stroke: str | None
    width: float = 0.6
    fill: str | None = None
    dash: tuple[float, ...] = ()


LOOKS = {
    "pipe": Look("#1e2a2c", 0.7, "#e9e3d6"),
    "kept": Look("#8d8776", 0.5, "#ffffff", (2, 2)),
    "tube": Look("#b98a5e", 7.0),
    "axis": Look("#1e2a2c", 0.5, None, (4, 2)),
    "mark": Look("#1e2a2c", 1.0),
    "depth": Look("#4a6076", 0.9, None, (2, 1.5)),
    "thread": Look("#1e2a2c", 0.8),
    "edge": Look("#8d8776", 0.5),
    "bad": Look("#a8322a", 0.9),
}


@dataclass(frozen=True, slots=True)
class Line:
    points: tuple[XY, ...]
    kind: str
    closed: bool = False
    key: str = ""


@dataclass(frozen=True, slots=True)
class Words:
    at: XY
    text: str
    size: float = 11.0
    anchor: str = "start"
    kind: str = ""
    turned: bool = False


@dataclass(slots=True)
class FlatSheet:
    """A drawing, y down. title: what it is, in words."""

    width: float
    height: float
    title: str
    lines: list[Line] = field(default_factory=list)
    words: list[Words] = field(default_factory=list)

    def box(self, left: float, top: float, width: float, height: float, kind: str, key: str = "") -> None:
        """A rectangle."""
        corners = (left, top), (left + width, top), (left + width, top + height), (left, top + height)
        self.lines.append(Line(corners, kind, True, key))

    def line(self, a: XY, b: XY, kind: str) -> None:
        self.lines.append(Line((a, b), kind))


def sheet_svg(sheet: FlatSheet, style: str) -> str:
    """The drawing for a page; colours come from the stylesheet, by kind of line."""
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" class="flat-sheet {style}" viewBox="0 0 {number(sheet.width)} '
        f'{number(sheet.height)}" role="img" aria-label={quoteattr(sheet.title)}>'
    ]
    for line in sheet.lines:
        points = "L".join(f"{number(x)} {number(y)}" for x, y in line.points)
        key = f" data-key={quoteattr(line.key)}" if line.key else ""
        parts.append(f'<path class="fs-{line.kind}"{key} d="M{points}{"Z" if line.closed else ""}"/>')
    for one in sheet.words:
        x, y = number(one.at[0]), number(one.at[1])
        turned = f' transform="rotate(-90 {x} {y})"' if one.turned else ""
        kinds = " ".join(f"fs-{kind}" for kind in ("words", *one.kind.split()))
        parts.append(
            f'<text class="{kinds}" x="{x}" y="{y}" font-size="{number(one.size)}" '
            f'text-anchor="{one.anchor}"{turned}>{escape(one.text)}</text>'
        )
    return "".join([*parts, "</svg>"])


def sheet_on(canvas: Any, sheet: FlatSheet, left: float, bottom: float, scale: float = 1.0) -> None:
    """The drawing on a page of reportlab, its left lower corner there [pt], a unit of it so many points."""
    canvas.saveState()
    canvas.translate(left, bottom)
    canvas.scale(scale, scale)
    for line in sheet.lines:
        look = LOOKS[line.kind]
        canvas.setLineWidth(look.width)
        canvas.setDash(*([list(look.dash), 0] if look.dash else [[], 0]))
        if look.stroke:
            canvas.setStrokeColor(look.stroke)
        if look.fill:
            canvas.setFillColor(look.fill)
        path = canvas.beginPath()
        path.moveTo(line.points[0][0], sheet.height - line.points[0][1])
        for x, y in line.points[1:]:
            path.lineTo(x, sheet.height - y)
        if line.closed:
            path.close()
        canvas.drawPath(path, stroke=1 if look.stroke else 0, fill=1 if look.fill and line.closed else 0)
    canvas.setDash([], 0)
    for one in sheet.words:
        canvas.setFillColor("#a8322a" if "bad" in one.kind else "#575f5b" if "quiet" in one.kind else "#1e2a2c")
        text, (x, y) = printable(one.text), (one.at[0], sheet.height - one.at[1])
        canvas.setFont(text_face(text, strong="strong" in one.kind), one.size)
        if one.turned:
            canvas.saveState()
            canvas.translate(x, y)
            canvas.rotate(90)
            x, y = 0.0, 0.0
        draw = {"start": canvas.drawString, "middle": canvas.drawCentredString, "end": canvas.drawRightString}
        draw[one.anchor](x, y, text)
        if one.turned:
            canvas.restoreState()
    canvas.restoreState()


def text_width(text: str, size: float, *, strong: bool = False) -> float:
    """About how wide words come out, never less than on page and paper [units of size]: labels with many capitals take
    0.54 and 0.57 of the size a sign."""
    return len(text) * size * (0.58 if strong else 0.54)
