"""calc boiler_template: where bracket and flue hole of a boiler come."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from ....bench.registry import Input, Quantity, mm
from ..boiler_change import USUAL_FLUE_MM, USUAL_WALL_MM, template_of
from .box import tool


class BoilerTemplate(Input):
    flue_centre: Quantity = Field(description="centre of the flue above the floor; mm, or text with a unit")
    bracket_below: Quantity = Field(description="the maker's measure from flue centre down to the bracket; mm")
    flue: Quantity = Field(default=USUAL_FLUE_MM, description="the flue across; mm (100)")
    wall: Quantity = Field(default=USUAL_WALL_MM, description="thickness of the wall; mm (300)")


@tool(
    "Boiler template",
    "bracket height from the flue, wall hole and its fall",
    {"flue_centre": 2000, "bracket_below": 180, "flue": 100, "wall": 300},
)
def boiler_template(said: BoilerTemplate) -> dict[str, Any]:
    """{bracket_mm, hole_least_mm, hole_most_mm, fall_mm, text, working}. Raises Refused."""
    found = template_of(
        mm(said.flue_centre, "flue_centre"),
        mm(said.bracket_below, "bracket_below"),
        mm(said.flue, "flue"),
        mm(said.wall, "wall"),
    )
    return {
        "bracket_mm": round(found.bracket_mm, 1),
        "hole_least_mm": round(found.hole_mm[0], 1),
        "hole_most_mm": round(found.hole_mm[1], 1),
        "fall_mm": round(found.fall_mm, 1),
        "text": f"bracket {found.bracket_mm:.0f} mm above the floor; hole {found.hole_mm[0]:.0f} to "
        f"{found.hole_mm[1]:.0f} mm across, falling {found.fall_mm:.0f} mm to the boiler",
        "working": [step.as_dict() for step in found.working],
    }
