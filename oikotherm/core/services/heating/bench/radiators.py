"""calc valve_change, moved_radiator, radiator_hang: small jobs at a radiator, written out with their figures."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from ....bench.lengths import read_pipe
from ....bench.registry import Input, Quantity, in_force, mm
from ....work.small_jobs import JobSheet
from .. import tasks
from .box import tool

Socketed = Literal["compression", "compression-mlc", "capillary", "press", "push-fit", "press-mlc"]


def _row(found: JobSheet, text: str) -> dict[str, Any]:
    return {
        **{name: round(value, 1) for name, value in found.figures.items()},
        "cautions": list(found.cautions),
        "steps": list(found.steps),
        "quantities": list(found.quantities),
        "tools": list(found.tools),
        "proof": list(found.proof),
        "text": text,
        "working": [step.as_dict() for step in found.working],
    }


class ValveChange(Input):
    pipe: str = Field(description="pipe at the valve, such as cu-m 15")
    which: Literal["trv", "lockshield", "both"] = Field(default="trv", description="trv, lockshield or both (trv)")
    nut_and_olive: Literal["new", "re-use"] = Field(
        default="new", description="new, or re-use when sound and matching (new)"
    )
    full: bool = Field(default=False, description="true where the house stays full of water and only this pipe is shut")


@tool(
    "Valve change", "a radiator valve taken off and another put on, step by step", {"pipe": "cu-m 10", "which": "both"}
)
def valve_change(said: ValveChange) -> dict[str, Any]:
    """{cautions, steps, quantities, tools, proof, text, working}. Raises Refused."""
    pipe = read_pipe(said.pipe, in_force())
    found = tasks.valve_change(in_force(), pipe, said.which, said.nut_and_olive, "alone" if said.full else "house")
    return _row(found, f"{len(found.steps)} steps; {', '.join(found.quantities)}")


class MovedRadiator(Input):
    pipe: str = Field(description="pipe of the stubs, such as cu-m 15")
    floor: Quantity = Field(default=22, description="thickness of the floor; mm, or text with a unit (22)")
    below: Socketed = Field(
        default="capillary",
        description="joint below the floor: compression, capillary, press, push-fit or press-mlc (capillary)",
    )
    gap: Quantity = Field(
        default=100, description="floor to the mouth of the valve, 80 to 120; mm, or text with a unit (100)"
    )


@tool(
    "Moved radiator",
    "stubs through the floor, their holes, and the order of the work",
    {"pipe": "cu-m 15", "floor": 22, "below": "capillary", "gap": 100},
)
def moved_radiator(said: MovedRadiator) -> dict[str, Any]:
    """{stub_mm, hole_mm, cautions, steps, quantities, tools, proof, text, working}. Raises Refused."""
    found = tasks.moved_radiator(
        in_force(), read_pipe(said.pipe, in_force()), mm(said.floor, "floor"), said.below, mm(said.gap, "gap")
    )
    return _row(
        found, f"two stubs of {found.figures['stub_mm']:.0f} mm through holes of {found.figures['hole_mm']:.0f} mm"
    )


class RadiatorHang(Input):
    weight_kg: float = Field(description="weight of the empty radiator, 1 to 400; kg")
    litres: float = Field(description="water in it, 0 to 100; L")
    wall: Literal["masonry", "block", "stud", "board-on-dabs", "hollow", "timber"] = Field(
        default="masonry", description="masonry, block, stud, board-on-dabs, hollow or timber (masonry)"
    )
    underside: Quantity = Field(default=150, description="its underside above the floor; mm, or text with a unit (150)")
    bracket: Quantity = Field(
        default=520, description="bracket hole above its underside; mm, or text with a unit (520)"
    )
    fixed: Literal["pipes", "wall"] = Field(
        default="pipes", description="what is there first: pipes, or wall where the pipes follow (pipes)"
    )


@tool(
    "Hang a radiator",
    "bracket holes, fixings for the wall and the filled weight, and the order of the work",
    {"weight_kg": 32, "litres": 5.9, "wall": "masonry"},
)
def radiator_hang(said: RadiatorHang) -> dict[str, Any]:
    """{load_kg, fixings, brackets_up_mm, cautions, steps, quantities, tools, proof, text, working}. Raises Refused."""
    found = tasks.radiator_hang(
        said.weight_kg, said.litres, said.wall, mm(said.underside, "underside"), mm(said.bracket, "bracket"), said.fixed
    )
    return _row(
        found,
        f"{found.figures['fixings']:.0f} fixings for {found.figures['load_kg']:.0f} kg; bracket holes "
        f"{found.figures['brackets_up_mm']:.0f} mm above the floor",
    )
