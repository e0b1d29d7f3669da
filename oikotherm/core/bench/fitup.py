"""calc closing, stubs, stubs_3d, radiator_fit."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any, Literal

from pydantic import Field

from ..errors import Refused
from ..job.ways import Vec, canonical_way, way_vector
from ..making import fitup
from ..making import stubs as stubs3d
from ..making.fitup import Cure
from .lengths import read_pipe
from .registry import Input, Quantity, deg, in_force, mm, tool


class Closing(Input):
    pipe: str = Field(description="pipe system and size, such as cu-m 15")
    side: Quantity = Field(description="how far the pipe misses across its last leg; mm, or text with a unit")
    along: Quantity = Field(
        default=0, description="how far it misses along its last leg, plus when the leg is too short; mm (0)"
    )
    free: Quantity = Field(default=300, description="length of pipe that can move; mm (300)")
    leg: Quantity = Field(default=1000, description="the leg that can take a set; mm (1000)")
    angle_deg: Quantity | None = Field(
        default=None, description="angle of a set; degrees, 5 to 75 (the steepest with room)"
    )
    legs: int = Field(default=1, ge=1, le=1000, description="how many legs were taped, 1 to 1000")
    thread_play: Quantity = Field(default=0, description="play of each threaded joint on the way; mm (0)")
    threads: int = Field(default=0, description="how many threaded joints, 0 to 1000", ge=0, le=1000)


def _row(cure: Cure) -> dict[str, Any]:
    return {
        "cure": cure.name,
        "possible": cure.possible,
        "says": cure.says,
        "cut_mm": round(cure.cut_mm, 1),
        "marks_mm": list(cure.marks_mm),
        "joints": cure.joints,
        "working": [step.as_dict() for step in cure.steps],
    }


@tool(
    "Closing error",
    "a run that misses its end: what cures it, with the cut",
    {"pipe": "cu-m 15", "side": 20, "free": 300, "leg": 1200, "legs": 5},
)
def closing(said: Closing) -> dict[str, Any]:
    """{cures: [{cure, possible, says, cut_mm, marks_mm, joints, working}], worst_mm, likely_mm, text, working}. Raises
    Refused."""
    catalogue = in_force()
    pipe = read_pipe(said.pipe, catalogue)
    side = abs(mm(said.side, "side"))
    angle = None if said.angle_deg is None else deg(said.angle_deg)
    found = fitup.closing(catalogue, pipe, side, _signed(said.along), mm(said.free, "free"), mm(said.leg, "leg"), angle)
    chain = fitup.chain_tolerance(said.legs, [mm(said.thread_play, "thread_play")] * said.threads)
    first = next((cure for cure in found if cure.possible), found[0])
    words = f"{first.name}: {first.says}"
    if side <= chain.likely_mm:
        words += f"; {said.legs} taped legs land within {chain.likely_mm:.1f} mm as a rule"
    return {
        "cures": [_row(cure) for cure in found],
        "worst_mm": round(chain.worst_mm, 2),
        "likely_mm": round(chain.likely_mm, 2),
        "text": words,
        "working": [step.as_dict() for step in (*first.steps, *chain.steps)],
    }


def _signed(value: Quantity, field: str = "along") -> float:
    if isinstance(value, str) and value.strip().startswith("-"):
        return -mm(value.strip()[1:], field)
    if isinstance(value, float | int) and value < 0:
        return -mm(-value, field)
    return mm(value, field)


class Stubs(Input):
    pipe: str = Field(description="pipe system and size, such as cu-m 22")
    side: Quantity = Field(default=0, description="how far the stubs are out of line; mm (0)")
    gap: Quantity = Field(description="between their ends, along the pipe; mm, or text with a unit")
    method: Literal["capillary", "press", "compression"] = Field(
        default="capillary", description="capillary, press or compression"
    )
    turn_deg: Quantity = Field(
        default=0, description="angle between the stubs, for a swung pair of fittings; degrees (0: parallel)"
    )


@tool(
    "Join two stubs",
    "couplings, elbows and street elbows between two pipe ends",
    {"pipe": "cu-m 22", "side": 60, "gap": 200, "method": "capillary"},
)
def stubs(said: Stubs) -> dict[str, Any]:
    """{ways: [{name, possible, says, cut_mm, need_mm, joints}], swings, text}. Raises Refused."""
    catalogue = in_force()
    pipe = read_pipe(said.pipe, catalogue)
    turn = deg(said.turn_deg, "turn_deg")
    if turn:
        pairs = [
            {"pair": f"{a} and {b}", "swing_deg": round(fitup.swing_deg(a, b, turn), 1)}
            for a, b in ((45.0, 45.0), (90.0, 45.0), (90.0, 90.0))
            if abs(a - b) <= turn <= min(a + b, 360 - a - b)
        ]
        words = (
            f"{pairs[0]['pair']} degrees, one swung {pairs[0]['swing_deg']} degrees in the other"
            if pairs
            else "no pair of 45 and 90 fittings makes that turn"
        )
        return {"ways": [], "swings": pairs, "text": words}
    ways = fitup.join_stubs(catalogue, pipe, mm(said.side, "side"), mm(said.gap, "gap"), said.method)
    first = ways[0]
    return {
        "ways": [asdict(way) for way in ways],
        "swings": [],
        "text": first.says if first.possible else f"none fits; nearest: {first.says}",
    }


class Stub(Input):
    at: str | tuple[Quantity, Quantity, Quantity] = Field(
        description="where it begins: east, north, up with commas between; mm, or each with a unit"
    )
    way: str | tuple[float, float, float] = Field(
        description="where it looks: N, NE, U, or N+30U: from north, 30 degrees towards up; or three numbers"
    )


class Stubs3d(Input):
    a: Stub = Field(description="the first stub: where it begins and looks")
    b: Stub = Field(description="the second one: where it begins and looks")
    pipe: str = Field(description="pipe system and size, such as cu-m 22")
    method: str = Field(default="", description="how it is joined, such as capillary or press (the usual of the pipe)")


def _stub(said: Stub, field: str) -> tuple[Vec, Vec]:
    places = said.at.split(",") if isinstance(said.at, str) else said.at
    if len(places) != 3:
        raise Refused(f"{field}.at", said.at, "three lengths: east, north and up", "60, 40, 400")
    x, y, z = (_signed(one, f"{field}.at") for one in places)
    if not isinstance(said.way, str):
        return Vec(x, y, z), Vec(*said.way)
    try:
        return Vec(x, y, z), way_vector(canonical_way(said.way.strip()))
    except ValueError:
        raise Refused(f"{field}.way", said.way, "a direction such as N, U, NE or N+30U", "U") from None


@tool(
    "Two stubs anywhere",
    "fittings, turns and pieces between two pipe ends in space",
    {
        "a": {"at": [0, 0, 0], "way": "U"},
        "b": {"at": [60, 40, 400], "way": "D"},
        "pipe": "cu-m 22",
        "method": "capillary",
    },
    "A turn is how far a fitting is turned against the one before, about the piece between: 180 goes on the first way.",
)
def stubs_3d(said: Stubs3d) -> dict[str, Any]:
    """{ways: [{parts, angle_deg, stubs_mm, angles_deg, turns_deg, centres_mm, directions}], text}. Raises Refused."""
    catalogue = in_force()
    pipe = read_pipe(said.pipe, catalogue)
    found = stubs3d.join(_stub(said.a, "a"), _stub(said.b, "b"), stubs3d.fittings_of(catalogue, pipe, said.method))
    ways = [
        {
            "name": " + ".join(one.parts) or "straight",
            "possible": True,
            "says": _stubs_said(one),
            "parts": list(one.parts),
            "angle_deg": round(one.turns_deg[0], 3) if one.turns_deg else 0.0,
            "stubs_mm": [round(piece, 3) for piece in one.pieces_mm],
            "angles_deg": list(one.angles_deg),
            "turns_deg": [round(turn, 3) for turn in one.turns_deg],
            "centres_mm": [round(centre, 3) for centre in one.centres_mm],
            "directions": [[round(part, 9) for part in way] for way in one.ways],
        }
        for one in found
    ]
    if not found:
        return {"ways": [], "text": "no three fittings join them: move one end, or take a flexible connector"}
    return {"ways": ways, "text": f"{ways[0]['name']}, {ways[0]['says']}"}


def _stubs_said(one: stubs3d.JoinedStubs) -> str:
    turned = f"turned {' and '.join(f'{abs(turn):.0f}' for turn in one.turns_deg)} degrees; " if one.turns_deg else ""
    return f"{turned}pieces {', '.join(f'{piece:.0f}' for piece in one.pieces_mm if piece)} mm"


TAIL, VALVE = "tail-g12", "trv-angle-15"  # what a radiator usually has, as stations of a job come with it


class RadiatorFit(Input):
    ports: Quantity = Field(
        description="over the faces of side ports, or between the centres of ports that look down; mm, or text with a "
        "unit"
    )
    tail: Quantity | None = Field(
        default=None, description="port face to valve centre; mm (that of the catalogue's tail and angled valve: 52)"
    )
    pipe_centres: Quantity | None = Field(
        default=None,
        description="between the centres of the pipes that are there; mm (left out: pipes follow the radiator)",
    )
    stand_off: Quantity = Field(default=30, description="wall to the back of the radiator; mm (30)")
    half_depth: Quantity = Field(default=50, description="back of the radiator to its port centre; mm (50)")
    valve_body: Quantity | None = Field(
        default=None, description="valve centre to the mouth of its pipe socket; mm (that of the catalogue's valve: 29)"
    )
    insertion: Quantity = Field(default=16, description="how deep the pipe goes into the valve; mm (16)")
    sideways: bool = Field(default=True, description="true for side ports, false for ports that look down")
    pushes_back: bool = Field(default=True, description="true where the pipe can be pushed back into the wall")


@tool(
    "Radiator on its pipes",
    "valve centres against pipe centres, and how far the pipe stands out",
    {"ports": 1000, "tail": 37, "pipe_centres": 1070},
)
def radiator_fit(said: RadiatorFit) -> dict[str, Any]:
    """{valve_centres_mm, difference_mm, verdict, says, projection_mm, cut_mm, working}. Raises Refused."""
    kits = in_force().kits
    tail, valve = kits[TAIL], kits[VALVE]
    found = fitup.radiator_fit(
        mm(said.ports, "ports"),
        tail.reach_in_mm + valve.reach_in_mm if said.tail is None else mm(said.tail, "tail"),
        None if said.pipe_centres is None else mm(said.pipe_centres, "pipe_centres"),
        mm(said.stand_off, "stand_off"),
        mm(said.half_depth, "half_depth"),
        valve.reach_out_mm if said.valve_body is None else mm(said.valve_body, "valve_body"),
        mm(said.insertion, "insertion"),
        sideways=said.sideways,
        pushes_back=said.pushes_back,
    )
    return {
        "valve_centres_mm": round(found.valve_centres_mm, 1),
        "difference_mm": round(found.difference_mm, 1),
        "verdict": found.verdict,
        "says": found.says,
        "projection_mm": round(found.projection_mm, 1),
        "cut_mm": round(found.cut_mm, 1),
        "text": found.says,
        "working": [step.as_dict() for step in found.steps],
    }
