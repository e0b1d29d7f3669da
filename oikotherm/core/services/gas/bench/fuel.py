"""calc gas_mismatch, trap_check, room_air, tank_draw: the gas, and the room and tank it needs."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from ....bench.registry import Input, Quantity, mm
from ....quantity import Practice, parse
from ..capacity import BTU_H_W, gases
from ..checks import mismatch, tank_draw_w
from ..checks import room_air as air_of
from ..checks import trap_check as trap_of
from .box import tool
from .pipes import LICENSED, GasName, pascal


class MismatchIn(Input):
    set_for: GasName = Field(description="gas the appliance is set for: natural or propane")
    fed: GasName = Field(description="gas it is fed: natural or propane")
    regulator: bool = Field(default=False, description="true where its own regulator holds its set pressure (false)")
    set_pressure: Quantity | None = Field(
        default=None, description="pressure it is set for; mbar, or text with a unit (the usual of its gas)"
    )
    fed_pressure: Quantity | None = Field(
        default=None, description="pressure it is fed; mbar, or text with a unit (the usual of that gas)"
    )


@tool(
    "The wrong gas",
    "what the heat input comes to when an appliance is fed another gas",
    {"set_for": "natural", "fed": "propane", "regulator": False, "set_pressure": "7 inH2O", "fed_pressure": "11 inH2O"},
    LICENSED,
)
def gas_mismatch(said: MismatchIn) -> dict[str, Any]:
    """{factor, verdict: ok|stop, why, text, working}. Raises Refused."""
    own, fed = gases()[said.set_for], gases()[said.fed]
    set_pa = own.inch_pa if said.set_pressure is None else pascal(said.set_pressure, "set_pressure")
    fed_pa = fed.inch_pa if said.fed_pressure is None else pascal(said.fed_pressure, "fed_pressure")
    found = mismatch(own, fed, regulator=said.regulator, set_pa=set_pa, fed_pa=fed_pa)
    return {
        "factor": round(found.factor, 3),
        "verdict": found.verdict,
        "why": found.why,
        "text": f"{found.verdict}: {found.why}",
        "working": [step.as_dict() for step in found.working],
    }


class TrapIn(Input):
    appliance: str = Field(description="what it stands before, such as boiler, water heater, range, dryer")
    drop: Quantity = Field(default=0, description="length of its nipple, 0: none; mm, or text with a unit (0)")
    way: Literal["D", "U", "N", "E", "S", "W"] = Field(
        default="D", description="where the nipple looks: D, U, N, E, S, W (D)"
    )


@tool(
    "Sediment trap",
    "whether a trap is as it should be",
    {"appliance": "water heater", "drop": 75, "way": "D"},
    LICENSED,
)
def trap_check(said: TrapIn) -> dict[str, Any]:
    """{ok, why, text}. Raises Refused."""
    ok, why = trap_of(said.appliance.strip(), mm(said.drop, "drop"), said.way)
    return {"ok": ok, "why": why, "text": why}


class AirAppliance(Input):
    kind: str = Field(description="what it is")
    input: Quantity = Field(description="its input, gross; kW, or text with a unit")
    vented: bool = Field(default=True, description="false where its products go into the room (true)")


class RoomAirIn(Input):
    practice: Practice = Field(default="north-american", description="north-american, british or continental")
    volume: Quantity = Field(description="of the room; m3, or text with a unit")
    appliances: list[AirAppliance] = Field(
        description='[{"kind": "water heater", "input": "40000 BTU/h", "vented": true}]', max_length=50
    )
    room: Literal["", "bedroom", "bathroom"] = Field(default="", description="bedroom, bathroom, or left out")


@tool(
    "Air of a room",
    "whether a room gives the combustion air of its appliances, else the openings",
    {
        "practice": "north-american",
        "volume": 50,
        "appliances": [{"kind": "water heater", "input": "40000 BTU/h", "vented": True}],
    },
    LICENSED,
)
def room_air(said: RoomAirIn) -> dict[str, Any]:
    """{ok, needed_m3, openings [{place, area_mm2}], why, text}. Raises Refused."""
    found = air_of(
        said.practice,
        parse(said.volume, "volume", "m3", field="volume"),
        [(one.kind, parse(one.input, "power", "kW", field="input"), one.vented) for one in said.appliances],
        said.room,
    )
    return {
        "ok": found.ok,
        "needed_m3": None if found.needed_m3 is None else round(found.needed_m3, 3),
        "openings": [{"place": place, "area_mm2": area} for place, area in found.openings],
        "why": found.why,
        "text": found.why,
    }


class TankIn(Input):
    diameter: Quantity = Field(description="across the tank; mm, or text with a unit")
    length: Quantity = Field(description="over all; mm, or text with a unit")
    fill_percent: float = Field(default=40, description="how full it is, 20 to 80; per cent (40)")
    outdoor_c: float = Field(default=-18, description="coldest outdoors it has to serve; C (-18)")


@tool(
    "Propane tank",
    "what a tank gives off as gas in the cold",
    {"diameter": "30 in", "length": "66 in", "fill_percent": 40, "outdoor_c": -17.8},
    LICENSED,
)
def tank_draw(said: TankIn) -> dict[str, Any]:
    """{heat_kw, heat_btu_h, text, working}. Raises Refused."""
    heat_w, step = tank_draw_w(
        mm(said.diameter, "diameter"), mm(said.length, "length"), said.fill_percent, said.outdoor_c
    )
    return {
        "heat_kw": round(heat_w / 1000, 3),
        "heat_btu_h": round(heat_w / BTU_H_W),
        "text": f"{heat_w / 1000:.1f} kW, {heat_w / BTU_H_W:,.0f} BTU/h",
        "working": [step.as_dict()],
    }
