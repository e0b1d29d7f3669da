"""Writes a scene on a PDF canvas (reportlab). The same scene as the page and the SVG file."""

from __future__ import annotations

import math
import re
from typing import Any

from .palette import colours, dashes
from .scene import XY, Scene
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


def draw_on(canvas: Any, scene: Scene, left: float, bottom: float, width: float) -> float:
    """Draw the scene with its left lower corner there [pt], that wide [pt]. Gives its height [pt]."""
    coloured, patterns = colours(), dashes()
    scale = width / scene.width
    height = scene.height * scale

    def at(point: XY) -> XY:
        return left + point[0] * scale, bottom + height - point[1] * scale

    def trail(points: list[XY] | tuple[XY, ...], closed: bool) -> Any:
        path = canvas.beginPath()
        path.moveTo(*at(points[0]))
        for point in points[1:]:
            path.lineTo(*at(point))
        if closed:
            path.close()
        return path

    for stroke in scene.strokes:
        canvas.setDash()
        colour, thick, fill = coloured.get(stroke.role, INK), 1.6, None
        if stroke.layer == "level":
            colour, thick, fill = LINE, 0.4, LEVEL
        elif stroke.layer in ("wall", "obstacle"):
            colour, thick, fill = MUTED, 0.5, LINE if stroke.layer == "wall" else "#ece6d9"
        elif stroke.layer in ("dimension", "joist"):
            colour, thick = (SLATE, 0.45) if stroke.layer == "dimension" else (LINE, 0.4)
        elif stroke.layer in ("room", "compass"):
            colour, thick = LINE, 0.5
        elif stroke.layer == "station":
            colour, thick, fill = INK, 0.6, "#ffffff"
        elif stroke.layer == "fitting":
            thick = 3.0
        elif stroke.layer == "closing":
            colour, thick = BRICK, 0.8
            canvas.setDash(2, 2)
        elif stroke.role in patterns:
            canvas.setDash(*([patterns[stroke.role]]))
        canvas.setStrokeColor(colour)
        canvas.setLineWidth(thick)
        canvas.setLineCap(1 if stroke.layer == "fitting" else 0)
        if fill:
            canvas.setFillColor(fill)
        canvas.drawPath(trail(stroke.points, stroke.closed), stroke=1, fill=1 if fill else 0)
    canvas.setDash()
    for symbol in scene.symbols:
        turn = 0.0 if symbol.shape in UPRIGHT else math.atan2(symbol.way[1], symbol.way[0])
        cos, sin = math.cos(turn), math.sin(turn)
        colour = coloured.get(symbol.role, INK)
        canvas.setStrokeColor(colour)
        canvas.setFillColor(colour if symbol.shape == "flow" else "#ffffff")
        canvas.setLineWidth(0.7)
        for points, closed in outlines(SHAPES.get(symbol.shape, SHAPES["device"])):
            placed = [
                (symbol.at[0] + (x * cos - y * sin) * 0.8, symbol.at[1] + (x * sin + y * cos) * 0.8) for x, y in points
            ]
            canvas.drawPath(trail(placed, closed), stroke=1, fill=1 if closed else 0)
    for label in scene.labels:
        if label.tight:
            continue
        x, y = at(label.at)
        kind = label.kind.split(" ")[0].split("-")[0]
        size = max(6.5, 11 * scale * 1.05)
        if kind in ("tag", "badge"):
            colour = {"badge-stop": BRICK, "badge-mind": OCHRE}.get(label.kind) or coloured.get(
                label.kind.rpartition("role-")[2], INK
            )
            canvas.setFillColor(colour)
            w, h = label.width * scale, label.height * scale
            canvas.roundRect(x - w / 2, y - h / 2, w, h, 1.5, stroke=0, fill=1)
            canvas.setFillColor("#ffffff")
        else:
            canvas.setFillColor(BRICK if kind == "closing" else MUTED if kind in ("room", "compass") else INK)
        canvas.setFont("Helvetica-Bold" if kind in ("tag", "badge", "station") else "Helvetica", size)
        canvas.drawCentredString(x, y - size * 0.35, label.text)
    return height
