"""Writes a scene as SVG. Colours and patterns come from classes: the page's style sheet, or the one put in for files.

Lines keep their width and labels their size under zoom (the page sets --k to one over the zoom).
"""

from __future__ import annotations

import re
from importlib import resources
from xml.sax.saxutils import escape, quoteattr

from .palette import paired, stylesheet
from .scene import XY, Label, Scene, Stroke, Symbol

SHAPES = {
    # drawn along x, about 18 wide; the pipe passes through (0, 0)
    "valve": "M-8-5L8 5V-5L-8 5Z",
    "check": "M-7-5L5 0L-7 5ZM6-5.5V5.5",
    "filter": "M-8-6H8V6H-8ZM-8 6L8-6",
    "pump": "M9 0A9 9 0 1 1-9 0A9 9 0 1 1 9 0ZM-5-7L8 0L-5 7",
    "union": "M-4-6V6M0-7V7M4-6V6",
    "device": "M-7-5H7V5H-7Z",
    "drain": "M-5-4H5V4H-5ZM0 4V11M-4 11H4",
    "vent": "M-5-4H5V4H-5ZM0-4V-9M3-12A3 3 0 1 1-3-12A3 3 0 1 1 3-12Z",
    "safety": "M-5-4H5V4H-5ZM0-4V-13M-4-6L4-8M-4-9L4-11",
    "vessel": "M-5-4H5V4H-5ZM0-4V-7M5-12A5 5 0 1 1-5-12A5 5 0 1 1 5-12ZM-5-12H5",
    "filling": "M-5-4H5V4H-5ZM0 4V9M-4 9H4M-3 12H3",
    "flow": "M-5-4.5L5 0L-5 4.5Z",
    "endon": "M4 0A4 4 0 1 1-4 0A4 4 0 1 1 4 0Z",
    "open": "M0-6V6M-3-6H3M-3 6H3",
    "cap": "M-2-6H4V6H-2Z",
    "plug": "M-2-5H5V5H-2Z",
    "label": "M-8-4H5L8 0L5 4H-8Z",
    "clamp": "M-3-6H3V6H-3ZM0 6V14M-4 14H4M-2.5 16.5H2.5",
    "gone": "M-5-5L5 5M-5 5L5-5",
}
PLAIN = re.compile(r"[^&<>\"\n\r\t]*")
UPRIGHT = {"drain", "vent", "endon", "safety", "vessel", "filling", "clamp", "label"}


def number(value: float) -> str:
    """A coordinate to a tenth, without empty decimals, so that equal drawings are equal text."""
    text = f"{value:.1f}"
    return text[:-2] if text.endswith(".0") else text


def _path(points: tuple[XY, ...], closed: bool) -> str:
    return "M" + "L".join(f"{number(x)} {number(y)}" for x, y in points) + ("Z" if closed else "")


def _data(key: str, run: str, items: tuple[str, ...] = ()) -> str:
    words = (("key", key), ("run", run), ("items", " ".join(items)))
    return "".join([f" data-{name}={_quoted(value)}" for name, value in words if value])


def _quoted(text: str) -> str:
    """An attribute's value, quoted. Keys, which are most of them, need no more than the marks."""
    return f'"{text}"' if PLAIN.fullmatch(text) else quoteattr(text)


def _escaped(text: str) -> str:
    return text if PLAIN.fullmatch(text) else escape(text)


def _pair(at: XY) -> str:
    return f"{at[0]:.4g},{at[1]:.4g}" if abs(at[0]) + abs(at[1]) < 1000 else f"{at[0]:.1f},{at[1]:.1f}"


def _stroke(stroke: Stroke, pairs: frozenset[str]) -> str:
    words = " ".join(["s", stroke.layer, f"role-{stroke.role}" if stroke.role else "", *stroke.marks]).split()
    title = f"<title>{_escaped(stroke.title)}</title>" if stroke.title else ""
    d = _path(stroke.points, stroke.closed)
    if stroke.layer == "pipe":
        # an unseen broad line under the pipe takes the pointer; hot pipes are a thin pair: light core in the colour
        core = f'<path class="core" d="{d}"/>' if stroke.role in pairs or "keep" in stroke.marks else ""
        return (
            f'<g class="{" ".join(words)}"{_data(stroke.key, stroke.run, stroke.items)}>{title}<path class="hit" '
            f'd="{d}"/><path d="{d}"/>{core}</g>'
        )
    return f'<path class="{" ".join(words)}"{_data(stroke.key, stroke.run, stroke.items)} d="{d}">{title}</path>'


def _symbol(symbol: Symbol) -> str:
    import math

    turn = 0.0 if symbol.shape in UPRIGHT else math.degrees(math.atan2(symbol.way[1], symbol.way[0]))
    words = " ".join(["y", symbol.shape, f"role-{symbol.role}", *symbol.marks])
    spin = f' transform="rotate({number(turn)})"' if abs(turn) > 0.05 else ""
    return (
        f'<g class="{words}" transform="translate({number(symbol.at[0])} '
        f'{number(symbol.at[1])})"{_data(symbol.key, symbol.run, symbol.items)}>'
        f'<title>{_escaped(symbol.title)}</title><g class="k"><path{spin} '
        f'd="{SHAPES.get(symbol.shape, SHAPES["device"])}"/></g></g>'
    )


def _label(label: Label) -> str:
    words = f"l {label.kind}{' tight' if label.tight else ''}"
    plate = ""
    if label.kind.startswith("badge") or label.kind.startswith("tag"):
        w, h = label.width, label.height
        plate = f'<rect x="{number(-w / 2)}" y="{number(-h / 2)}" width="{number(w)}" height="{number(h)}" rx="3"/>'
    leader = ""
    if label.leader:
        dx, dy = label.leader[0] - label.at[0], label.leader[1] - label.at[1]
        leader = f'<path class="leader" d="M0 0L{number(dx)} {number(dy)}"/>'
    head = (
        f'<g class="{words}" transform="translate({number(label.at[0])} '
        f'{number(label.at[1])})"{_data(label.key, label.run)}>'
    )
    if not leader and not plate:
        return f'{head}<text class="k" y="4">{_escaped(label.text)}</text></g>'
    return f'{head}<g class="k">{leader}{plate}<text y="4">{_escaped(label.text)}</text></g></g>'


def write(scene: Scene, *, standalone: bool = False, ident: str = "drawing") -> str:
    """The scene as an SVG element. standalone: a file of its own, with its style and a size in millimetres."""
    head = (
        f'<svg xmlns="http://www.w3.org/2000/svg" id="{ident}" class="drawing" viewBox="0 0 {number(scene.width)} '
        f'{number(scene.height)}"'
    )
    if standalone:
        head += f' width="{number(scene.width / 4)}mm" height="{number(scene.height / 4)}mm"'
    parts = [
        f'{head} role="img" aria-label={quoteattr(scene.title)} data-crossings="{scene.crossings}" '
        f'data-origin="{_pair(scene.origin)}" data-axes="{" ".join(_pair(axis) for axis in scene.axes)}">'
    ]
    if standalone:
        style = resources.files(__package__).joinpath("drawing.css").read_text("utf-8") + stylesheet(screen=False)
        parts.append(f"<style>{escape(style)}</style>")
    parts += ['<g class="all">']
    pairs = paired()
    parts += [_stroke(stroke, pairs) for stroke in scene.strokes]
    parts += [_symbol(symbol) for symbol in scene.symbols]
    parts += [_label(label) for label in scene.labels]
    parts.append("</g></svg>")
    return "".join(parts)
