"""calc bend90, offset, rolling_offset, crossover, calibrate_bender."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from ..making import bends
from ..making.bends import BendCard
from .registry import Input, Quantity, deg, mm, tool

_R = Field(description="centre-line radius of the former; mm (15 mm pipe 60, 22 mm 88)")
_BEFORE = Field(default=300, description="from the square-cut end to the first intersection; mm")
_AFTER = Field(default=300, description="from the last intersection to the other end; mm")
_ANGLE = Field(description="angle of the bend; degrees")


def _card(card: BendCard) -> dict[str, Any]:
    return {
        "cut_mm": round(card.cut_mm, 2),
        "marks_mm": [round(mark, 2) for mark in card.marks_mm],
        "angles_deg": list(card.angles_deg),
        "roll_deg": list(card.roll_deg),
        "gain_mm": round(card.gain_mm, 2),
        "straight_mm": round(card.straight_mm, 2),
        "travel_mm": round(card.travel_mm, 2),
        "run_mm": round(card.run_mm, 2),
        "check_mm": round(card.check_mm, 2),
        "text": f"cut {card.cut_mm:.0f} mm",
        "working": [step.as_dict() for step in card.steps],
        "centre_line": [[round(x, 2), round(y, 2)] for x, y in card.centre_line()],
    }


class Bend90(Input):
    first: Quantity = Field(description="first leg, to the intersection of the centre lines; mm, or text with a unit")
    second: Quantity = Field(description="second leg; mm, or text with a unit")
    radius: Quantity = _R


@tool("Bend of 90", "one square bend: cut and mark", {"first": 300, "second": 400, "radius": 60})
def bend90(said: Bend90) -> dict[str, Any]:
    """{cut_mm, marks_mm, gain_mm, ..., working}. Raises Refused."""
    return _card(bends.bend90(mm(said.first, "first"), mm(said.second, "second"), mm(said.radius, "radius")))


class Offset(Input):
    height: Quantity = Field(description="between the two centre lines; mm, or text with a unit")
    angle_deg: Quantity = _ANGLE
    radius: Quantity = _R
    spacing: Quantity | None = Field(default=None, description="to a second pipe beside it that must match; mm")
    before: Quantity = _BEFORE
    after: Quantity = _AFTER


@tool("Set", "two bends that move a pipe over: travel, marks, cut", {"height": 100, "angle_deg": 30, "radius": 60})
def offset(said: Offset) -> dict[str, Any]:
    """{travel_mm, run_mm, straight_mm, marks_mm, gain_mm, cut_mm, working}; with spacing also second_marks_mm. Raises
    Refused."""
    angle = deg(said.angle_deg)
    card = bends.offset(
        mm(said.height, "height"),
        angle,
        mm(said.radius, "radius"),
        mm(said.before, "before"),
        mm(said.after, "after"),
    )
    found = _card(card)
    if said.spacing is not None:
        # parallel pipes stay evenly apart when the second's bends are moved by spacing x tan(t / 2)
        shift = bends.tangent_mm(mm(said.spacing, "spacing"), angle)
        found["shift_mm"] = round(shift, 2)
        found["second_marks_mm"] = [round(mark + shift, 2) for mark in card.marks_mm]
    return found


class RollingOffset(Input):
    height: Quantity = Field(description="to move one way; mm, or text with a unit")
    spread: Quantity = Field(description="to move square to that; mm, or text with a unit")
    angle_deg: Quantity = _ANGLE
    radius: Quantity = _R
    before: Quantity = _BEFORE
    after: Quantity = _AFTER


@tool("Rolling offset", "a set in two directions at once", {"height": 90, "spread": 120, "angle_deg": 45, "radius": 60})
def rolling_offset(said: RollingOffset) -> dict[str, Any]:
    """As a set, and roll_out_deg: how far its plane is rolled. Raises Refused."""
    card, roll = bends.rolling_offset(
        mm(said.height, "height"),
        mm(said.spread, "spread"),
        deg(said.angle_deg),
        mm(said.radius, "radius"),
        mm(said.before, "before"),
        mm(said.after, "after"),
    )
    return {**_card(card), "roll_out_deg": round(roll, 3)}


class Crossover(Input):
    obstacle_top: Quantity = Field(description="top of what is crossed above the wall; mm, or text with a unit")
    clearance: Quantity = Field(default=10, description="to be left between; mm (10)")
    od: Quantity = Field(description="outside diameter of the pipe; mm")
    stand_off: Quantity = Field(description="the pipe's own centre line above the wall; mm")
    angle_deg: Quantity = _ANGLE
    radius: Quantity = _R
    top: Quantity = Field(default=0, description="flat top, for four bends; mm (0: three bends)")
    width: Quantity = Field(
        default=0, description="of what is crossed, along the run: four bends, with a top that clears it; mm (0)"
    )
    before: Quantity = _BEFORE
    after: Quantity = _AFTER


@tool(
    "Crossover",
    "over an obstacle with three bends, or four",
    {"obstacle_top": 30, "clearance": 10, "od": 15, "stand_off": 15, "angle_deg": 30, "radius": 60},
)
def crossover(said: Crossover) -> dict[str, Any]:
    """As a set; check_mm is the rise, run_mm the distance between the outer bends. Raises Refused."""
    card = bends.crossover(
        mm(said.obstacle_top, "obstacle_top"),
        mm(said.clearance, "clearance"),
        mm(said.od, "od"),
        mm(said.stand_off, "stand_off"),
        deg(said.angle_deg),
        mm(said.radius, "radius"),
        mm(said.before, "before"),
        mm(said.after, "after"),
        mm(said.top, "top"),
        mm(said.width, "width"),
    )
    return _card(card)


class CalibrateBender(Input):
    first: Quantity = Field(description="first leg of a square test bend, to the intersection of the centre lines; mm")
    second: Quantity = Field(description="second leg; mm")
    cut: Quantity = Field(description="length the test piece was cut to; mm")


@tool("Calibrate a bender", "its radius, from one square test piece", {"first": 300, "second": 300, "cut": 574.2})
def calibrate_bender(said: CalibrateBender) -> dict[str, Any]:
    """{radius_mm, text, working}. Raises Refused."""
    first, second, cut = mm(said.first, "first"), mm(said.second, "second"), mm(said.cut, "cut")
    radius = bends.radius_of_test_piece(first, second, cut)
    step = {
        "formula": "R = (first + second - cut) / (2 - pi / 2)",
        "inputs": {"first_mm": first, "second_mm": second, "cut_mm": cut},
        "result": round(radius, 3),
        "unit": "mm",
        "source": "",
    }
    return {"radius_mm": round(radius, 3), "text": f"radius {radius:.1f} mm", "working": [step]}
