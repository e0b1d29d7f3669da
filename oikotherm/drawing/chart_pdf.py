"""Writes a chart on a PDF canvas: the very SVG of the page, its classes in the colours of paper."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any
from xml.etree import ElementTree  # noqa: S405 - only SVG that charts.py made

from .faces import printable, text_face
from .palette import colours, dashes
from .pdf import BRICK, INK, LINE, MUTED, SLATE, outlines

COPPER, WHITE = "#a85a2a", "#ffffff"


@dataclass(frozen=True, slots=True)
class Pen:
    """How what carries a class is drawn. colour, fill: "role": that of the role of its group; None: not."""

    colour: str | None = INK
    thick: float = 1.0
    fill: str | None = None
    dash: tuple[float, ...] = ()
    strong: bool = False
    size: float = 12.0
    alpha: float = 1.0


PENS = {
    "grid": Pen("#ded7c8", 0.6),
    "axis": Pen(INK, 0.9),
    "limit": Pen(BRICK, 1.0, dash=(5, 4)),
    "lead": Pen(LINE, 0.6),
    "way": Pen("role", 2.2),
    "body": Pen(None, fill="role", alpha=0.18),
    "edge": Pen("role", 2.0),
    "pump": Pen(SLATE, 1.6),
    "system": Pen("#b5502f", 1.8),
    "duty": Pen(WHITE, 1.0, fill=COPPER),
    "word-box": Pen(None, fill=BRICK),
}
TEXTS = {
    "tick": Pen(MUTED, size=11),
    "axis-title": Pen(MUTED, size=11),
    "limit-said": Pen(BRICK, size=12),
    "steep": Pen(BRICK, size=12, strong=True),
    "fall": Pen(INK, size=12, strong=True),
    "name": Pen(INK, size=11),
    "end": Pen(INK, size=13),
    "word": Pen(WHITE, size=12, strong=True),
}
PLAIN, PLAIN_TEXT = Pen(), Pen(size=11)


def chart_size(svg: str) -> tuple[float, float]:
    """Width and height of a chart in its own units."""
    _, _, wide, high = (float(one) for one in ElementTree.fromstring(svg).attrib["viewBox"].split())  # noqa: S314
    return wide, high


def chart_on(canvas: Any, svg: str, left: float, bottom: float, width: float) -> float:
    """Draw a chart with its left lower corner there [pt], that wide [pt]. Gives its height [pt]. Raises ValueError for
    a path of other commands than M L H V Z and half circles."""
    wide, high = chart_size(svg)
    canvas.saveState()
    canvas.translate(left, bottom)
    canvas.scale(width / wide, width / wide)
    _Chart(canvas, high).part(ElementTree.fromstring(svg), ())  # noqa: S314 - only SVG that charts.py made
    canvas.restoreState()
    return width * high / wide


class _Chart:
    def __init__(self, canvas: Any, height: float) -> None:
        self.canvas, self.height = canvas, height
        self.colours, self.dashes = colours(), dashes()

    def part(self, one: Any, around: tuple[str, ...]) -> None:
        """Draw an element and what is in it; around: the classes it stands in, outermost first."""
        kind = one.tag.rpartition("}")[2]
        classes = (*around, *one.get("class", "").split())
        if kind == "path":
            self._path(one.attrib["d"], classes)
        elif kind == "rect":
            self._rect(one, classes)
        elif kind == "circle":
            pen = self._pen(PENS, classes, PLAIN)
            self._ink(pen, classes)
            x, y, r = (float(one.attrib[name]) for name in ("cx", "cy", "r"))
            self.canvas.circle(x, self.height - y, r, stroke=1 if pen.colour else 0, fill=1 if pen.fill else 0)
        elif kind == "text":
            self._text(one, classes)
        for child in one:
            self.part(child, classes)

    def _pen(self, table: dict[str, Pen], classes: tuple[str, ...], usual: Pen) -> Pen:
        return next((table[one] for one in reversed(classes) if one in table), usual)

    def _role(self, classes: tuple[str, ...]) -> str:
        if "starves" in classes:
            return BRICK
        names = [one.removeprefix("role-") for one in classes]
        return next((self.colours[one] for one in reversed(names) if one in self.colours), MUTED)

    def _ink(self, pen: Pen, classes: tuple[str, ...]) -> None:
        role = self._role(classes)
        if pen.colour:
            self.canvas.setStrokeColor(role if pen.colour == "role" else pen.colour)
        if pen.fill:
            self.canvas.setFillColor(role if pen.fill == "role" else pen.fill)
        self.canvas.setFillAlpha(pen.alpha)
        self.canvas.setLineWidth(pen.thick)
        names = [one.removeprefix("role-") for one in classes]
        own = next((self.dashes[one] for one in reversed(names) if one in self.dashes), ())
        dash = pen.dash or (own if pen.colour == "role" else ())
        if "off" in classes:
            dash = (2.0, 4.0)
        self.canvas.setDash(*([list(dash), 0] if dash else [[], 0]))

    def _path(self, d: str, classes: tuple[str, ...]) -> None:
        pen = self._pen(PENS, classes, PLAIN)
        self._ink(pen, classes)
        for points, closed in outlines(d):
            path = self.canvas.beginPath()
            path.moveTo(points[0][0], self.height - points[0][1])
            for x, y in points[1:]:
                path.lineTo(x, self.height - y)
            if closed:
                path.close()
            self.canvas.drawPath(path, stroke=1 if pen.colour else 0, fill=1 if pen.fill and closed else 0)
        self.canvas.setFillAlpha(1)

    def _rect(self, one: Any, classes: tuple[str, ...]) -> None:
        pen = self._pen(PENS, classes, PLAIN)
        self._ink(pen, classes)
        x, y, wide, high = (float(one.get(name, "0")) for name in ("x", "y", "width", "height"))
        radius = float(one.get("rx", "0"))
        low = self.height - y - high
        self.canvas.roundRect(x, low, wide, high, radius, stroke=1 if pen.colour else 0, fill=1 if pen.fill else 0)

    def _text(self, one: Any, classes: tuple[str, ...]) -> None:
        pen = self._pen(TEXTS, classes, PLAIN_TEXT)
        words = printable(one.text or "")
        self.canvas.setFillAlpha(1)
        self.canvas.setFillColor(BRICK if "starves" in classes and "word" not in classes else pen.colour or INK)
        self.canvas.setFont(text_face(words, strong=pen.strong), pen.size)
        x, y = float(one.attrib["x"]), self.height - float(one.attrib["y"])
        anchor = one.get("text-anchor", "start")
        draw = {"middle": self.canvas.drawCentredString, "end": self.canvas.drawRightString}
        draw.get(anchor, self.canvas.drawString)(x, y, words)
