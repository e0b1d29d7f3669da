"""calc water_demand, hot_wait, recirculation, expansion_tank, discharge_pipe: fresh water, cold and hot."""

from __future__ import annotations

import math
from typing import Any, Literal

from pydantic import Field

from ....bench.lengths import read_pipe
from ....bench.registry import Input, Quantity, in_force, mm
from ....errors import Refused
from ....matter import fluid
from ....pipe_loss import pipe_loss_w_m_k
from ....quantity import PA_PER_BAR, US_GALLON_M3, parse, pressure_said
from ....work.steps import gauge_unit
from ....working import Step
from .. import expansion, flows
from .box import tool

UNVENTED = "Unvented hot water is licensed work: this is a sum, not a certificate; the maker and the local code govern."


class DemandIn(Input):
    outlets: dict[str, float] = Field(
        description="kind and number: basin, wc, shower, rain-shower, sink, washing-machine, dishwasher, bath, "
        "outside-tap"
    )
    formula: flows.School = Field(
        default="loading-units", description="loading-units, continental or fixture-units (loading-units)"
    )


@tool(
    "Water at once",
    "the flow of a group of outlets that may run together",
    {"outlets": {"basin": 2, "wc": 2, "shower": 1, "sink": 1}, "formula": "loading-units"},
    "Each school has its own units and its own curve; they are never mixed.",
)
def water_demand(said: DemandIn) -> dict[str, Any]:
    """{flow_l_s, units, text, working}. Raises Refused."""
    whole = {kind: int(number) for kind, number in said.outlets.items() if number == int(number)}
    if len(whole) != len(said.outlets):
        odd = next(kind for kind in said.outlets if kind not in whole)
        raise Refused("outlets", f"{odd} {said.outlets[odd]:g}", "whole numbers", "basin 2; shower 1")
    found = flows.peak_flow(whole, said.formula)
    gpm = found.flow_l_s / 1000 / US_GALLON_M3 * 60
    return {
        "flow_l_s": round(found.flow_l_s, 4),
        "units": round(found.units, 3),
        "text": f"{found.flow_l_s:.2f} L/s, {gpm:.1f} gpm at once",
        "working": [step.as_dict() for step in found.working],
    }


class WaitIn(Input):
    pipe: str = Field(description="pipe and size, such as cu-m 15")
    length: Quantity = Field(description="from the store or the circulation to the tap; mm, or text with a unit")
    flow: Quantity = Field(description="what the tap runs; L/min, or text with a unit")


@tool(
    "Wait for hot",
    "how long a tap runs cold, and what is wasted",
    {"pipe": "cu-m 15", "length": "12 m", "flow": "6 L/min"},
    "What the pipe itself takes to warm comes on top; more than 30 s asks for circulation.",
)
def hot_wait(said: WaitIn) -> dict[str, Any]:
    """{seconds, litres, text, working}. Raises Refused."""
    pipe = read_pipe(said.pipe, in_force())
    row = in_force().pipe(pipe.code, pipe.size)
    length_m = mm(said.length, "length") / 1000
    flow_l_s = parse(said.flow, "volume-flow", "L/min", field="flow") * 1000
    if row is None or row.bore_mm is None:
        raise Refused("pipe", said.pipe, "a pipe with a bore", "cu-m 15")
    if not 0 <= length_m <= 1000 or not 0 < flow_l_s <= 100:
        raise Refused(
            "flow", f"{length_m:g} m at {flow_l_s:g} L/s", "up to 1000 m, above 0 and up to 100 L/s", "6 L/min"
        )
    litres = math.pi / 4 * row.bore_mm**2 * length_m / 1000
    seconds = litres / flow_l_s
    steps = (
        Step("litres = bore x length", (("bore_mm", row.bore_mm), ("length_m", length_m)), litres, "L"),
        Step("seconds = litres / flow", (("litres", litres), ("flow_l_s", flow_l_s)), seconds, "s"),
    )
    return {
        "seconds": round(seconds, 2),
        "litres": round(litres, 4),
        "text": f"{seconds:.0f} s and {litres:.2f} L wasted{'; more than 30 s: circulation' if seconds > 30 else ''}",
        "working": [step.as_dict() for step in steps],
    }


class CirculationIn(Input):
    pipe: str = Field(description="pipe and size, such as cu-m 15")
    length: Quantity = Field(description="of flow and return together; mm, or text with a unit such as 40 m")
    water_c: Quantity = Field(default=60.0, description="water as it leaves the store; C, or text with a unit (60)")
    air_c: Quantity = Field(default=20.0, description="air around the pipe; C, or text with a unit (20)")
    delta_k: float = Field(default=5.0, gt=0, le=30, description="how far it may cool on the way, K, 0 to 30 (5)")
    lagging: Quantity = Field(default=0.0, description="lagging; mm, or text with a unit (0: bare)")


@tool(
    "Circulation of hot water",
    "what a circulation loses, and the flow that holds its temperature",
    {"pipe": "cu-m 15", "length": "40 m", "water_c": 60, "air_c": 20, "delta_k": 5, "lagging": 13},
    "The store is kept at 60 C, what comes back at 50 C or more (continental 55).",
)
def recirculation(said: CirculationIn) -> dict[str, Any]:
    """{loss_w, flow_l_s, text, working}. Raises Refused."""
    pipe = read_pipe(said.pipe, in_force())
    row = in_force().pipe(pipe.code, pipe.size)
    if row is None or row.od_mm is None:
        raise Refused("pipe", said.pipe, "a pipe with an outside diameter", "cu-m 15")
    length_m, lag_mm = mm(said.length, "length") / 1000, mm(said.lagging, "lagging")
    water_c = parse(said.water_c, "temperature", "C", field="water_c")
    air_c = parse(said.air_c, "temperature", "C", field="air_c")
    if not 0 <= length_m <= 10_000 or not 0 <= lag_mm <= 200:
        raise Refused("length", f"{length_m:g} m, {lag_mm:g} mm of lagging", "up to 10 km, up to 200 mm", "40 m")
    if not -30 <= air_c < water_c <= 95 or water_c <= 1:
        raise Refused("water_c", f"water {water_c:g} C, air {air_c:g} C", "water warmer than the air, up to 95 C", "60")
    rate = pipe_loss_w_m_k(row.od_mm, lag_mm, water_c - air_c)
    loss_w = rate * length_m * (water_c - air_c)
    medium = fluid(water_c)
    flow_l_s = loss_w / (medium.heat_j_kg_k * said.delta_k) / medium.density_kg_m3 * 1000
    steps = (
        Step(
            "loss = U x length x (water - air)",
            (("u_w_m_k", rate), ("length_m", length_m), ("difference_k", water_c - air_c)),
            loss_w,
            "W",
            "typ: film 12.4 bare, 9 W/m2K lagged; 0.035 W/mK",
        ),
        Step(
            "flow = loss / (heat of water x cooling)",
            (("heat_j_kg_k", medium.heat_j_kg_k), ("delta_k", said.delta_k), ("density_kg_m3", medium.density_kg_m3)),
            flow_l_s,
            "L/s",
            medium.source,
        ),
    )
    back_c = water_c - said.delta_k
    cold = "; it comes back colder than 50 C" if back_c < 50 else ""
    return {
        "loss_w": round(loss_w, 2),
        "flow_l_s": round(flow_l_s, 5),
        "text": f"{loss_w:.0f} W lost, {flow_l_s * 60:.2f} L/min hold it at {back_c:.0f} C and more{cold}",
        "working": [step.as_dict() for step in steps],
    }


class TankIn(Input):
    heater: Quantity = Field(description="what the heater holds; L, or text with a unit such as 40 gal")
    cold_c: Quantity = Field(default=10.0, description="water as it comes in; C, or text with a unit (10)")
    hot_c: Quantity = Field(default=60.0, description="water as it is kept; C, or text with a unit (60)")
    supply: Quantity = Field(
        description="highest that stands there, at night, or the reducing valve's; bar, or text with a unit"
    )
    relief: Quantity = Field(description="setting of the relief valve; bar, or text with a unit such as 150 psi")
    practice: Literal["british", "continental", "north-american"] = Field(
        default="british", description="british, continental or north-american (british)"
    )
    pipe: str = Field(default="", description="pipe it would stick out from, such as cu-m 22 (not asked)")
    arm: Quantity | None = Field(default=None, description="from that pipe to its middle; mm (by its litres, typ)")


@tool(
    "Expansion tank",
    "the vessel of a storage heater on a closed supply",
    {
        "heater": "40 gal",
        "cold_c": 10,
        "hot_c": 60,
        "supply": "60 psi",
        "relief": "150 psi",
        "practice": "north-american",
    },
    UNVENTED,
)
def expansion_tank(said: TankIn) -> dict[str, Any]:
    """{expansion_l, needed_l, chosen_l, precharge_bar, text, working}. Raises Refused."""
    found = expansion.expansion_tank(
        parse(said.heater, "volume", "L", field="heater") * 1000,
        parse(said.cold_c, "temperature", "C", field="cold_c"),
        parse(said.hot_c, "temperature", "C", field="hot_c"),
        parse(said.supply, "pressure", "bar", field="supply"),
        parse(said.relief, "pressure", "bar", field="relief"),
        said.practice,
    )
    american = said.practice == "north-american"
    gauge = gauge_unit(said.practice)
    held = _held(said, found.chosen_l or found.needed_l)

    def told(litres: float) -> str:
        return f"{litres / 1000 / US_GALLON_M3:.2f} gal" if american else f"{litres:.1f} L"

    chosen = "no single vessel is large enough" if found.chosen_l is None else f"take {told(found.chosen_l)}"
    return {
        "expansion_l": round(found.expansion_l, 4),
        "needed_l": round(found.needed_l, 4),
        "chosen_l": None if found.chosen_l is None else round(found.chosen_l, 3),
        "precharge_bar": round(found.precharge_pa / PA_PER_BAR, 3),
        **held,
        "text": f"{told(found.needed_l)} are needed: {chosen}; pre-charge {pressure_said(found.precharge_pa, gauge)} "
        "with no water pressure on it",
        "working": [step.as_dict() for step in found.working],
    }


def _held(said: TankIn, litres: float) -> dict[str, Any]:
    """What a vessel weighs full, and the moment on the pipe it would stick out from."""
    arm_mm = None if said.arm is None else mm(said.arm, "arm")
    if not said.pipe:
        return {"full_kg": round(expansion.hung(litres, "", "", arm_mm).full_kg, 1)}
    pipe = read_pipe(said.pipe, in_force())
    found = expansion.hung(litres, in_force().systems[pipe.code].family, pipe.size, arm_mm)
    return {
        "full_kg": round(found.full_kg, 1),
        "moment_n_m": round(found.moment_n_m, 2),
        "limit_n_m": found.limit_n_m,
        "bracket": "not needed" if found.holds else "needed",
    }


class DischargeIn(Input):
    d1: str = Field(default="15", description="size between relief valve and tundish: 15, 22 or 28 (15)")
    bore: str = Field(description="size of the pipe after it: 22, 28, 35, 42 or 54")
    length: Quantity = Field(description="its length; mm, or text with a unit such as 6 m")
    bends: int = Field(default=0, ge=0, le=200, description="how many bends and elbows, 0 to 200 (0)")
    fall: float = Field(default=5.0, description="how it falls, mm a metre; 1 in 200 is 5 (5)")


@tool(
    "Discharge pipe",
    "whether the discharge of an unvented store may be so long",
    {"d1": "15", "bore": "22", "length": "6 m", "bends": 3, "fall": 10},
    UNVENTED,
)
def discharge_pipe(said: DischargeIn) -> dict[str, Any]:
    """{ok, longest_m, why, text}. Raises Refused."""
    found = expansion.discharge_pipe(
        said.d1.strip(), said.bore.strip(), mm(said.length, "length") / 1000, said.bends, said.fall
    )
    return {
        "ok": found.ok,
        "longest_m": round(found.longest_m, 3),
        "why": list(found.why),
        "text": f"{'it may' if found.ok else 'it may not'}, {found.longest_m:g} m at the most: {'; '.join(found.why)}",
    }
