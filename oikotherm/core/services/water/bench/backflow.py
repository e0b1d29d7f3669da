"""calc backflow_choice, backflow_test, drain_down."""

from __future__ import annotations

import json
from typing import Any, Literal

from pydantic import Field

from ....bench.example import example_job
from ....bench.registry import Input, Quantity, context
from ....job.document import read
from ....layout import Layout
from ....quantity import parse
from ....work.drain_down import drain_down as drained
from .. import backflow
from .box import tool

LICENSED = (
    "Assemblies are chosen with the authority and tested by a certified tester: this is the reasoning, no permit."
)


class ChoiceIn(Input):
    hazard: Literal["low", "high", "1", "2", "3", "4", "5"] = Field(
        description="low or high, or a fluid category 1 to 5"
    )
    back_pressure: bool = Field(default=False, description="true where what is behind it can push back (false)")
    continuous: bool = Field(default=True, description="true where it is under pressure for more than 12 h (true)")
    practice: Literal["british", "continental", "north-american"] = Field(
        default="british", description="british, continental or north-american (british)"
    )


@tool(
    "Backflow assembly",
    "which device keeps water from coming back, and why",
    {"hazard": "high", "back_pressure": True, "continuous": True, "practice": "north-american"},
    LICENSED,
)
def backflow_choice(said: ChoiceIn) -> dict[str, Any]:
    """{device, why, drain, height_mm, testable, text}. Raises Refused."""
    found = backflow.choose(said.hazard, said.back_pressure, said.continuous, said.practice)
    device = found.device
    name = device.names[said.practice] if device else ""
    return {
        "device": device.id if device else None,
        "why": list(found.why),
        "drain": device is not None and device.id == "rpz",
        "height_mm": device.height_mm if device else 0.0,
        "testable": device is not None and device.testable,
        "text": f"{device.title}{f' ({name})' if name else ''}" if device else "none is wanted",
    }


class BackflowIn(Input):
    kind: Literal["rpz", "dc", "pvb"] = Field(
        description="rpz (reduced pressure), dc (double check) or pvb (pressure vacuum breaker)"
    )
    readings: dict[str, Quantity] = Field(
        description="name and figure: check1, check2, relief, air_inlet; psi, or text with a unit"
    )


@tool(
    "Backflow test",
    "what a differential gauge says of an assembly",
    {"kind": "rpz", "readings": {"check1": 7.2, "relief": 2.6, "check2": 1.8}},
    LICENSED,
)
def backflow_test(said: BackflowIn) -> dict[str, Any]:
    """{verdict, why, repair, text, working}. Raises Refused."""
    readings = {
        name: parse(value, "pressure", "psi", field=f"readings.{name}") for name, value in said.readings.items()
    }
    found = backflow.judge(said.kind, readings)
    verdict = "pass" if found.passed else "fail"
    return {
        "verdict": verdict,
        "why": list(found.why),
        "repair": list(found.parts),
        "text": f"{verdict}: {'; '.join(found.why)}",
        "working": [step.as_dict() for step in found.working],
    }


class DrainIn(Input):
    job: dict[str, Any] = Field(description="the job document, as JSON")
    at: str = Field(description="where it is cut: a run, a tee such as C1.T1, or a station")


@tool(
    "Drain down",
    "the litres that run out at a cut, and from where",
    {"job": example_job(), "at": "C2"},
    "The nearest valves shut, air let in above; what stands below the cut stays.",
)
def drain_down(said: DrainIn) -> dict[str, Any]:
    """{litres, places: [{place, litres}], valves, stays_l, text}. Raises Refused."""
    found = drained(Layout(read(json.dumps(said.job)), context()), said.at)
    return {
        "litres": round(found.litres, 3),
        "places": [{"place": name, "litres": round(litres, 3)} for name, litres in found.places],
        "valves": list(found.valves),
        "stays_l": round(found.stays_l, 3),
        "text": f"{found.litres:.1f} L come at {said.at}, {found.stays_l:.1f} L stay below it",
    }
