"""Writes a scene on a PDF canvas (reportlab). The same scene as the page and the SVG file."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from .faces import printable, text_face
from .palette import colours, dashes
from .scene import XY, Label, Scene, Stroke, Symbol
from .svg import SHAPES, UPRIGHT

INK, LINE, LEVEL, BRICK, OCHRE, MUTED = "#1e2a2c", "#a99d84", "#f4f1ea", "#a8322a", "#7d5b0c", "#575f5b"
SLATE = "#4a6076"
_TOKEN = re.compile(r"[MLHVZA]|-?\d*\.?\d+")


def outlines(d: str) -> list[tuple[list[XY], bool]]:
    """A symbol's path (M L H V Z and half circles A) as polylines: (points, closed)."""
    words = _TOKEN.findall(d)
    found: list[tuple[list[XY], bool]] = []
    points: list[XY] = []
    at, command = 0, ""

    def take(count: int) -> list[float]:
        nonlocal at
        values = [float(word) for word in words[at : at + count]]
        at += count
        return values

    while at < len(words):
        if words[at].isalpha():
            command = words[at]
            at += 1
        if command == "Z":
            found.append((points, True))
            points = []
            continue
        if command == "M":
            if len(points) > 1:
                found.append((points, False))
            x, y = take(2)
            points = [(x, y)]
            command = "L"
        elif command == "L":
            x, y = take(2)
            points.append((x, y))
        elif command == "H":
            points.append((take(1)[0], points[-1][1]))
        elif command == "V":
            points.append((points[-1][0], take(1)[0]))
        elif command == "A":
            radius, _, _, _, sweep, x, y = take(7)
            cx, cy = (points[-1][0] + x) / 2, (points[-1][1] + y) / 2
            start = math.atan2(points[-1][1] - cy, points[-1][0] - cx)
            turn = math.pi if sweep else -math.pi
            points += [
                (cx + radius * math.cos(start + turn * n / 8), cy + radius * math.sin(start + turn * n / 8))
                for n in range(1, 9)
            ]
    if len(points) > 1:
        found.append((points, False))
    return found


@dataclass(frozen=True, slots=True)
class _Line:
    """How a stroke of a layer is drawn. colour: "" for that of its role; fill: "" for none; dash: lengths [pt]."""

    colour: str = ""
    thick: float = 1.6
    fill: str = ""
    dash: tuple[float, ...] = ()
    round: bool = False


LINES = {
    "level": _Line(LINE, 0.4, LEVEL),
    "wall": _Line(MUTED, 0.5, LINE),
    "obstacle": _Line(MUTED, 0.5, "#ece6d9"),
    "dimension": _Line(SLATE, 0.45),
    "joist": _Line(LINE, 0.4),
    "room": _Line(LINE, 0.5),
    "compass": _Line(LINE, 0.5),
    "station": _Line(INK, 0.6, "#ffffff"),
    "fitting": _Line(thick=3.0, round=True),
    "closing": _Line(BRICK, 0.8, dash=(2, 2)),
    "band": _Line(SLATE, 0.8),
}
GOES = _Line(MUTED, 0.6, dash=(2, 3))  # a station that goes: its outline over what comes
BOXED = ("tag", "badge")


def draw_on(canvas: Any, scene: Scene, left: float, bottom: float, width: float) -> float:
    """Draw the scene with its left lower corner there [pt], that wide [pt]. Gives its height [pt]."""
    sheet = _Sheet(canvas, scene, left, bottom, width)
    for stroke in scene.strokes:
        sheet.stroke(stroke)
    canvas.setDash()
    for symbol in scene.symbols:
        sheet.symbol(symbol)
    for label in scene.labels:
        if not label.tight:
            sheet.label(label)
    return sheet.height


class _Sheet:
    """A place on a page that a scene is drawn on."""

    def __init__(self, canvas: Any, scene: Scene, left: float, bottom: float, width: float) -> None:
        self.canvas = canvas
        self.left = left
        self.bottom = bottom
        self.scale = width / scene.width
        self.height = scene.height * self.scale
        self.colours = colours()
        self.dashes = dashes()

    def at(self, point: XY) -> XY:
        """A point of the scene on the page [pt]."""
        return self.left + point[0] * self.scale, self.bottom + self.height - point[1] * self.scale

    def trail(self, points: Sequence[XY], closed: bool) -> Any:
        path = self.canvas.beginPath()
        path.moveTo(*self.at(points[0]))
        for point in points[1:]:
            path.lineTo(*self.at(point))
        if closed:
            path.close()
        return path

    def stroke(self, stroke: Stroke) -> None:
        line = LINES.get(stroke.layer) or _Line(dash=tuple(self.dashes.get(stroke.role, ())))
        if stroke.layer == "station" and "remove" in stroke.marks:
            line = GOES
        self.canvas.setDash(list(line.dash) if line.dash else [])
        self.canvas.setStrokeColor(line.colour or self.colours.get(stroke.role, INK))
        self.canvas.setLineWidth(line.thick)
        self.canvas.setLineCap(1 if line.round else 0)
        if line.fill:
            self.canvas.setFillColor(line.fill)
        self.canvas.drawPath(self.trail(stroke.points, stroke.closed), stroke=1, fill=1 if line.fill else 0)

    def symbol(self, symbol: Symbol) -> None:
        turn = 0.0 if symbol.shape in UPRIGHT else math.atan2(symbol.way[1], symbol.way[0])
        cos, sin = math.cos(turn), math.sin(turn)
        colour = self.colours.get(symbol.role, INK)
        self.canvas.setStrokeColor(colour)
        self.canvas.setFillColor(colour if symbol.shape == "flow" else "#ffffff")
        self.canvas.setLineWidth(0.7)
        x0, y0 = symbol.at
        for points, closed in outlines(SHAPES.get(symbol.shape, SHAPES["device"])):
            placed = [(x0 + (x * cos - y * sin) * 0.8, y0 + (x * sin + y * cos) * 0.8) for x, y in points]
            self.canvas.drawPath(self.trail(placed, closed), stroke=1, fill=1 if closed else 0)

    def label(self, label: Label) -> None:
        x, y = self.at(label.at)
        kind = label.kind.split(" ")[0].split("-")[0]
        size = max(6.5, 11 * self.scale * 1.05)
        if kind in BOXED:
            role = label.kind.rpartition("role-")[2]
            badge = {"badge-stop": BRICK, "badge-mind": OCHRE}.get(label.kind)
            self.canvas.setFillColor(badge or self.colours.get(role, INK))
            wide, high = label.width * self.scale, label.height * self.scale
            self.canvas.roundRect(x - wide / 2, y - high / 2, wide, high, 1.5, stroke=0, fill=1)
            self.canvas.setFillColor("#ffffff")
        else:
            self.canvas.setFillColor(BRICK if kind == "closing" else MUTED if kind in ("room", "compass") else INK)
        words = printable(label.text)
        self.canvas.setFont(text_face(words, strong=kind in (*BOXED, "station")), size)
        self.canvas.drawCentredString(x, y - size * 0.35, words)
