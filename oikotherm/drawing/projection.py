"""From the house to the sheet: true isometric with quarter turns, plan and two elevations. y grows downwards here."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from ..core.job.ways import Vec

ViewName = Literal["iso", "plan", "elevation", "side"]
XY = tuple[float, float]
COS30 = math.cos(math.radians(30))


@dataclass(frozen=True, slots=True)
class Projection:
    """view: iso (E down-right, N up-right, U up, before the turns), plan (N up), elevation (looking north), side
    (looking west); turns: quarter turns of the house, clockwise seen from above, for iso and plan."""

    view: ViewName = "iso"
    turns: int = 0

    @property
    def name(self) -> str:
        words = {
            "iso": "isometric",
            "plan": "plan",
            "elevation": "elevation looking north",
            "side": "side looking west",
        }
        turned = f", turned {self.turns % 4 * 90} degrees" if self.turns % 4 and self.view in ("iso", "plan") else ""
        return words[self.view] + turned

    def functions(self) -> tuple[Callable[[Vec], XY], Callable[[Vec], float]]:
        """(point to sheet mm, nearness to the eye)."""
        turns = self.turns % 4 if self.view in ("iso", "plan") else 0
        cos, sin = ((1, 0), (0, -1), (-1, 0), (0, 1))[turns]

        def turned(p: Vec) -> tuple[float, float]:
            return p.x * cos - p.y * sin, p.x * sin + p.y * cos

        def iso(p: Vec) -> XY:
            x, y = turned(p)
            return (x + y) * COS30, (x - y) * 0.5 - p.z

        def iso_near(p: Vec) -> float:
            x, y = turned(p)
            return x - y + p.z

        def plan(p: Vec) -> XY:
            x, y = turned(p)
            return x, -y

        if self.view == "iso":
            return iso, iso_near
        if self.view == "plan":
            return plan, lambda p: p.z
        if self.view == "elevation":
            return lambda p: (p.x, -p.z), lambda p: -p.y
        return lambda p: (p.y, -p.z), lambda p: p.x


def read_projection(view: str | None, turns: str | int | None) -> Projection:
    """A projection from what a page asks for; anything unknown is the plain isometric."""
    names: tuple[ViewName, ...] = ("iso", "plan", "elevation", "side")
    found: ViewName = next((name for name in names if name == view), "iso")
    text = str(turns or 0)
    return Projection(found, int(text) % 4 if text.isascii() and text.isdigit() and len(text) < 4 else 0)
