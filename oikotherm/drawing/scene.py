"""What is on a drawing, in sheet units, whatever it is written to. Writers (svg.py) only translate."""

from __future__ import annotations

from dataclasses import dataclass, field

XY = tuple[float, float]
Box = tuple[float, float, float, float]  # left, top, right, bottom


@dataclass(frozen=True, slots=True)
class Stroke:
    """A line through points. key: what it stands for; role: service role or kind, which gives colour and pattern;
    items: ids of the paced items it comes from."""

    points: tuple[XY, ...]
    layer: str
    role: str = ""
    key: str = ""
    run: str = ""
    title: str = ""
    marks: tuple[str, ...] = ()
    closed: bool = False
    items: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Symbol:
    """A small sign of constant size on the sheet. way: direction of its pipe on the sheet (unit, or (0, 0))."""

    at: XY
    shape: str
    way: XY
    role: str = ""
    key: str = ""
    run: str = ""
    title: str = ""
    marks: tuple[str, ...] = ()
    items: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Label:
    """Text of constant size. at: middle of the text; width and height in sheet units at first fit; tight: there is only
    room for it when zoomed in."""

    at: XY
    text: str
    kind: str
    width: float
    height: float
    key: str = ""
    run: str = ""
    tight: bool = False
    leader: XY | None = None

    @property
    def box(self) -> Box:
        w, h = self.width / 2, self.height / 2
        return self.at[0] - w, self.at[1] - h, self.at[0] + w, self.at[1] + h


@dataclass(slots=True)
class Scene:
    """A drawing. Later strokes lie over earlier ones; symbols over strokes, labels over all."""

    width: float
    height: float
    title: str
    strokes: list[Stroke] = field(default_factory=list)
    symbols: list[Symbol] = field(default_factory=list)
    labels: list[Label] = field(default_factory=list)
    crossings: int = 0
    pipes: list[Stroke] = field(default_factory=list)
    """The pipes once more, without the gaps at crossings."""
    origin: XY = (0.0, 0.0)
    """Where the corner of the house (0, 0, 0) lies."""
    axes: tuple[XY, XY, XY] = ((0.0, 0.0), (0.0, 0.0), (0.0, 0.0))
    """How far a metre east, north and up go on the sheet."""
