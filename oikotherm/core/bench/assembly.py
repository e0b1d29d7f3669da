"""calc swing, brings_in, undo_depth."""

from __future__ import annotations

import json
from typing import Any, Literal

from pydantic import Field

from ..job.document import read
from ..layout import Layout
from ..making.assembly.figures import longest_in_mm, swing_mm
from ..work.undo import MANY, undo_depths
from .example import example_job
from .lengths import read_pipe
from .registry import Input, Quantity, context, in_force, mm, tool


class SwingIn(Input):
    pipe: str = Field(description="threaded pipe and its size, such as fe-40 3/4")
    leg: Quantity | None = Field(
        default=None,
        description="pipe in it: centre to centre to the fitting at its far end, or the cut length of a bare end; mm",
    )
    far: Literal["none", "elbow", "tee"] = Field(default="none", description="what is at its far end (none)")


@tool("Swing", "how far a fitting reaches while it is turned on", {"pipe": "fe-40 3/4", "leg": 300, "far": "elbow"})
def swing(said: SwingIn) -> dict[str, Any]:
    """{radius_mm, text, working}. Raises Refused."""
    catalogue = in_force()
    leg = None if said.leg is None else mm(said.leg, "leg")
    radius, steps = swing_mm(catalogue, read_pipe(said.pipe, catalogue), leg, said.far)
    return {
        "radius_mm": round(radius, 3),
        "text": f"{radius:.0f} mm all round must be clear",
        "working": [step.as_dict() for step in steps],
    }


class BringsIn(Input):
    length: Quantity = Field(description="length of the hatch; mm, or text with a unit")
    width: Quantity = Field(description="its width; mm, or text with a unit")
    height: Quantity = Field(description="height of the space above its edge; mm, or text with a unit")
    slope_deg: float = Field(default=0.0, description="how fast the ceiling falls away from the hatch; degrees (0)")


@tool(
    "Brought in",
    "the longest straight piece through a hatch",
    {"length": 700, "width": 560, "height": 1800, "slope_deg": 30},
    "A thin piece; take off the pipe's thickness and a hand's width.",
)
def brings_in(said: BringsIn) -> dict[str, Any]:
    """{longest_mm, at_deg, text}. Raises Refused."""
    longest, at = longest_in_mm(
        mm(said.length, "length"), mm(said.width, "width"), mm(said.height, "height"), said.slope_deg
    )
    return {
        "longest_mm": round(longest, 1),
        "at_deg": round(at, 1),
        "text": f"{longest:.0f} mm at most, tightest at {at:.0f} degrees",
    }


class UndoIn(Input):
    job: dict[str, Any] = Field(description="the job document, as JSON")


@tool("Undo depth", "how many joints come off to take out each appliance", {"job": example_job()})
def undo_depth(said: UndoIn) -> dict[str, Any]:
    """{stations: [{id, depth, union_at}], text}. Raises Refused."""
    found = undo_depths(Layout(read(json.dumps(said.job)), context()))
    deep = [one for one in found if one.depth > MANY]
    words = ", ".join(f"{one.station} {one.depth}" for one in deep)
    return {
        "stations": [{"id": one.station, "depth": one.depth, "union_at": one.union_at} for one in found],
        "text": f"more than {MANY} joints: {words}" if deep else f"none takes more than {MANY} joints",
    }
