"""calc balance, pump_duty, heat_loss_pipe, drain_plan, dose, gauge_story, flow_finder."""

from __future__ import annotations

import math
from dataclasses import asdict
from datetime import datetime
from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from ....bench.lengths import read_pipe
from ....bench.registry import Input, Quantity, in_force, mm
from ....errors import Refused
from ....matter import fluid
from ....pipe_loss import pipe_loss_w_m_k
from ....quantity import parse
from ....working import Step
from .. import circuit_water as service
from ..circuit_water import Storey
from ..valves import choose_pump, corrected_turns, kv_of_turns, turns_of_kv
from .box import tool


def _pa(value: Quantity, field: str, bare: str = "kPa") -> float:
    return parse(value, "pressure", bare, field=field)


class BalanceEmitter(BaseModel):
    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid", allow_inf_nan=False)
    id: str = Field(description="name")
    flow_l_h: float = Field(gt=0, le=20000, description="wanted flow; L/h")
    path: Quantity = Field(description="pressure lost there and back with its valve open; kPa, or text with a unit")


class BalanceInput(Input):
    emitters: list[BalanceEmitter] = Field(
        description='[{"id": "R1", "flow_l_h": 62, "path": "3.3 kPa"}], two or more', min_length=1
    )
    temp_c: float = Field(default=70, ge=5, le=110, description="mean water temperature; C (70)")
    measured_k: dict[str, float] = Field(
        default={},
        description="flow-return difference measured at each emitter with the settings given; K, for a corrected "
        "setting",
    )
    wanted_k: float = Field(default=20, gt=0, le=60, description="flow-return difference that is wanted; K (20)")
    set_turns: dict[str, float] = Field(default={}, description="turns the lockshields stand at while measured")


@tool(
    "Balance",
    "lockshield turns that share the flow, and a corrected turn from what was measured",
    {
        "emitters": [
            {"id": "R1", "flow_l_h": 62, "path": "3.3 kPa"},
            {"id": "R2", "flow_l_h": 50, "path": "2.8 kPa"},
            {"id": "R3", "flow_l_h": 55, "path": "3.5 kPa"},
        ]
    },
)
def balance(said: BalanceInput) -> dict[str, Any]:
    """{emitters: [{id, kv, turns, surplus_pa, possible, corrected_turns?}], index, text, working}. Raises Refused."""
    water = fluid(said.temp_c)
    paths = {one.id: _pa(one.path, "path") for one in said.emitters}
    if len(paths) != len(said.emitters):
        raise Refused("emitters", "a name twice", "a name of its own for each", '[{"id": "R1", ...}]')
    index = max(paths, key=lambda key: paths[key])
    rows, steps = [], []
    for one in said.emitters:
        volume = one.flow_l_h / 1000
        open_pa = 1e5 * (volume / kv_of_turns(4.0)) ** 2 * water.density_kg_m3 / 1000
        surplus = paths[index] - paths[one.id]
        kv = volume * math.sqrt(water.density_kg_m3 / 1000) / math.sqrt((surplus + open_pa) / 1e5)
        turns = turns_of_kv(kv)
        row: dict[str, Any] = {
            "id": one.id,
            "kv": round(kv, 3),
            "turns": None if turns is None else round(turns, 2),
            "surplus_pa": round(surplus, 1),
            "possible": turns is not None,
        }
        if one.id in said.measured_k:
            row["corrected_turns"] = corrected_turns(
                said.set_turns.get(one.id, turns or 1.0), said.measured_k[one.id], said.wanted_k
            )
        rows.append(row)
        steps.append(
            Step(
                f"{one.id}: kv = V / sqrt(surplus + open valve)",
                (("v_m3_h", volume), ("surplus_pa", surplus), ("open_pa", open_pa)),
                kv,
                "m3/h",
                "typ curve",
            )
        )
    words = ", ".join(
        f"{row['id']} {row['turns'] if row['turns'] is not None else 'shut as far as it goes'}" for row in rows
    )
    return {
        "emitters": rows,
        "index": index,
        "text": f"turns open: {words}",
        "working": [step.as_dict() for step in steps],
    }


class PumpInput(Input):
    flow_l_h: float = Field(gt=0, le=20000, description="flow; L/h")
    head: Quantity = Field(description="head it must give; kPa, or text with a unit")
    temp_c: float = Field(default=70, ge=5, le=110, description="water temperature; C (70)")
    mass_fraction: float = Field(default=0, ge=0, le=0.6, description="propylene glycol by mass, 0 to 0.6 (0)")


@tool("Pump duty", "the smallest circulator and its lowest speed for a duty", {"flow_l_h": 505, "head": "5.5 kPa"})
def pump_duty(said: PumpInput) -> dict[str, Any]:
    """{circulator, speed, head_pa, power_w, text, working}. Raises Refused when none gives it."""
    medium = fluid(said.temp_c, said.mass_fraction)
    flow, head = said.flow_l_h / 3.6e6 * medium.density_kg_m3, _pa(said.head, "head")
    found = choose_pump(flow, head, medium)
    if found is None:
        raise Refused(
            "head", said.head, "a duty within 8 m and 5 m3/h: two pumps, larger pipe, or a smaller drop", "20 kPa"
        )
    curve = found.circulator.curve(medium)
    steps = (
        Step(
            "H = n^2 H0 - a m^2",
            (("n", found.speed), ("h0_pa", curve.h0_pa), ("a_pa_s2_kg2", curve.a_pa_s2_kg2), ("m_kg_s", flow)),
            found.head_pa,
            "Pa",
            "typ curve, affinity laws",
        ),
        Step("power = V H / 0.35", (("v_m3_s", flow / medium.density_kg_m3),), found.power_w, "W", "typ"),
    )
    return {
        "circulator": found.circulator.name,
        "speed": found.speed,
        "head_pa": round(found.head_pa, 1),
        "power_w": round(found.power_w, 1),
        "text": f"{found.circulator.name} at {found.speed:.0%}: {found.head_pa / 1000:.1f} kPa, about "
        f"{found.power_w:.0f} W",
        "working": [step.as_dict() for step in steps],
    }


class LossInput(Input):
    pipe: str = Field(description="pipe system and size, such as cu-m 15")
    water_c: float = Field(default=70, ge=-10, le=120, description="water; C (70)")
    air_c: float = Field(default=20, ge=-30, le=60, description="air round it; C (20)")
    lagging: Quantity = Field(default=0, description="lagging, its wall; mm (0: bare)")
    length_m: float = Field(default=1, gt=0, le=1000, description="length; m (1)")
    flow_l_h: float | None = Field(default=None, gt=0, le=50000, description="flow, for how far the water cools; L/h")


@tool(
    "Heat loss of a pipe",
    "what a pipe gives off, bare or lagged",
    {"pipe": "cu-m 15", "water_c": 80, "air_c": 20, "length_m": 10},
)
def heat_loss_pipe(said: LossInput) -> dict[str, Any]:
    """{loss_w_m, loss_w, cools_k?, text, working}. Raises Refused."""
    pipe = read_pipe(said.pipe, in_force())
    row = in_force().pipe(pipe.code, pipe.size)
    if row is None or row.od_mm is None:
        raise Refused("pipe", said.pipe, "a pipe with an outside diameter", "cu-m 15")
    lag = mm(said.lagging, "lagging")
    difference = said.water_c - said.air_c
    rate = pipe_loss_w_m_k(row.od_mm, lag, abs(difference))
    per_m = rate * difference
    steps = [
        Step(
            "loss = U (water - air)",
            (("u_w_m_k", rate), ("od_mm", row.od_mm), ("lagging_mm", lag), ("difference_k", difference)),
            per_m,
            "W/m",
            "typ: film 12.4 bare, 9 W/m2K lagged; 0.035 W/mK",
        )
    ]
    found: dict[str, Any] = {"loss_w_m": round(per_m, 2), "loss_w": round(per_m * said.length_m, 1)}
    if said.flow_l_h:
        medium = fluid(min(max(said.water_c, 1.0), 119.0))
        capacity = said.flow_l_h / 3.6e6 * medium.density_kg_m3 * medium.heat_j_kg_k
        cools = difference * (1 - math.exp(-rate * said.length_m / capacity))
        found["cools_k"] = round(cools, 3)
        steps.append(
            Step(
                "cools = (water - air) (1 - exp(-U L / m cp))",
                (("length_m", said.length_m), ("m_cp_w_k", capacity)),
                cools,
                "K",
            )
        )
    return {
        **found,
        "text": f"{per_m:.1f} W/m, {per_m * said.length_m:.0f} W in all",
        "working": [step.as_dict() for step in steps],
    }


class StoreyInput(BaseModel):
    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid", allow_inf_nan=False)
    name: str
    height_m: float = Field(ge=-50, le=300)
    litres: float = Field(ge=0, le=100000)


class DrainInput(Input):
    storeys: list[StoreyInput] = Field(
        description='levels with their water: [{"name": "Flat", "height_m": 2.7, "litres": 34}]', min_length=1
    )
    drain_height_m: float = Field(default=0, ge=-50, le=300, description="height of the drain cock; m (0)")
    trapped_l: float = Field(default=0, ge=0, le=100000, description="litres that dips hold; L (0)")
    fill: Quantity = Field(default=1.2, description="cold pressure to fill to; bar (1.2)")
    emptied_l: float | None = Field(
        default=None,
        gt=0,
        le=1000,
        description="litres of one emitter, emptied while the rest stays full; L",
    )
    vessel_l: float = Field(default=8, gt=0, le=10000, description="the vessel, for the top-ups of one emitter; L (8)")
    precharge_bar: float = Field(default=0.7, ge=0, le=10, description="its pre-charge; bar (0.7)")


@tool(
    "Drain and fill",
    "orders and litres of draining, filling and bleeding",
    {
        "storeys": [
            {"name": "Ground floor", "height_m": 0, "litres": 48},
            {"name": "Flat", "height_m": 2.7, "litres": 34},
        ],
        "trapped_l": 2.5,
        "fill": "1.2 bar",
    },
)
def drain_plan(said: DrainInput) -> dict[str, Any]:
    """{out_l, stays_l, fill_l, top_ups [fewest, most], drain, fill, text, working}. Raises Refused."""
    found = service.water_plan(
        [Storey(one.name, one.height_m, one.litres) for one in said.storeys],
        said.drain_height_m,
        said.trapped_l,
        _pa(said.fill, "fill", "bar") / 1e5,
        said.emptied_l,
        said.vessel_l,
        said.precharge_bar,
    )
    count = service.said_top_ups(found.top_ups)
    how = "" if said.emptied_l is not None else "the loop open a crack, then "
    return {
        "out_l": round(found.out_l, 1),
        "stays_l": round(found.stays_l, 1),
        "fill_l": round(found.fill_l, 1),
        "top_ups": list(found.top_ups),
        "drain": list(found.drain),
        "fill": list(found.fill),
        "text": f"{found.out_l:.0f} L run out, {found.stays_l:.1f} L stay; filling: {how}{count}",
        "working": [step.as_dict() for step in found.working],
    }


class DoseInput(Input):
    volume_l: float = Field(gt=0, le=5000, description="water in the system; L")
    mass_fraction: float = Field(default=0, ge=0, le=0.6, description="propylene glycol wanted, by mass, 0 to 0.6 (0)")


@tool("Dose", "inhibitor and glycol for a volume", {"volume_l": 82})
def dose(said: DoseInput) -> dict[str, Any]:
    """{inhibitor_l, bottles, glycol_l, warning?, text, working}. Raises Refused."""
    found = service.dose(said.volume_l, said.mass_fraction)
    warn = "Below 20 to 25 % glycol protects badly against corrosion." if 0 < said.mass_fraction < 0.2 else ""
    text = (
        f"{found.inhibitor_l:.2f} L of inhibitor, {found.bottles} bottle{'s' if found.bottles != 1 else ''} of 1 L"
        + (f"; {found.glycol_l:.1f} L of glycol" if found.glycol_l else "")
    )
    return {
        "inhibitor_l": round(found.inhibitor_l, 3),
        "bottles": found.bottles,
        "glycol_l": round(found.glycol_l, 2),
        **({"warning": warn} if warn else {}),
        "text": text,
        "working": [step.as_dict() for step in found.working],
    }


class GaugeReading(BaseModel):
    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid", allow_inf_nan=False)
    at: datetime
    pressure: Quantity
    temp_c: float = Field(ge=-10, le=130)


class GaugeInput(Input):
    readings: list[GaugeReading] = Field(
        description='[{"at": "2026-03-01T07:00", "pressure": "1.2 bar", "temp_c": 18}], four or more, cold and hot',
        min_length=1,
    )
    volume_l: float = Field(gt=0, le=5000, description="water in the system; L")
    vessel_l: float = Field(gt=0, le=500, description="vessel; L")
    precharge: Quantity = Field(default=1.0, description="its pre-charge; bar (1.0)")
    safety: Quantity = Field(default=3.0, description="safety valve; bar (3)")


@tool(
    "Gauge story",
    "what a falling or swinging gauge tells",
    {
        "volume_l": 82,
        "vessel_l": 12,
        "readings": [
            {"at": "2026-03-01T07:00", "pressure": "1.30 bar", "temp_c": 18},
            {"at": "2026-03-01T19:00", "pressure": "1.62 bar", "temp_c": 65},
            {"at": "2026-03-02T07:00", "pressure": "1.19 bar", "temp_c": 18},
            {"at": "2026-03-02T19:00", "pressure": "1.50 bar", "temp_c": 65},
            {"at": "2026-03-03T07:00", "pressure": "1.08 bar", "temp_c": 18},
        ],
    },
)
def gauge_story(said: GaugeInput) -> dict[str, Any]:
    """{verdict, drift_bar_day, swing_bar_k, expected_bar_k, look_at, text, working}. Raises Refused."""
    zones = {one.at.tzinfo is None for one in said.readings}
    if len(zones) > 1:
        raise Refused("at", "some with a zone, some without", "times all with a zone, or none", "2026-03-01T07:00")
    ordered = sorted(said.readings, key=lambda one: one.at)
    first = ordered[0].at
    rows = [
        service.DayReading(
            (one.at - first).total_seconds() / 86400, _pa(one.pressure, "pressure", "bar") / 1e5, one.temp_c
        )
        for one in ordered
    ]
    found = service.gauge_story(
        rows,
        said.volume_l,
        said.vessel_l,
        _pa(said.precharge, "precharge", "bar") / 1e5,
        _pa(said.safety, "safety", "bar") / 1e5,
    )
    expected = None if math.isinf(found.expected_bar_k) else round(found.expected_bar_k, 5)
    return {
        "verdict": found.verdict,
        "drift_bar_day": round(found.drift_bar_day, 4),
        "swing_bar_k": round(found.swing_bar_k, 5),
        "expected_bar_k": expected,
        "look_at": list(found.look_at),
        "text": f"{found.verdict}: {found.says}",
        "working": [step.as_dict() for step in found.working if math.isfinite(step.result)],
    }


class FlowInput(Input):
    times_s: list[float] = Field(description="when both were read; s, six or more")
    a_c: list[float] = Field(description="temperatures of pipe a; C")
    b_c: list[float] = Field(description="temperatures of pipe b; C")


_DEMO = service.clamp_thermometers(60, 240, 70, 50, every_s=30, count=16, seed=3)


@tool(
    "Which pipe is the flow",
    "from two temperatures logged while it warms up",
    {"times_s": _DEMO[0], "a_c": [round(one, 1) for one in _DEMO[1]], "b_c": [round(one, 1) for one in _DEMO[2]]},
)
def flow_finder(said: FlowInput) -> dict[str, Any]:
    """{flow: a|b|"", lead_s, confidence, text}. Raises Refused."""
    found = service.flow_finder(said.times_s, said.a_c, said.b_c)
    return {
        **asdict(found),
        "lead_s": round(found.lead_s, 1),
        "confidence": round(found.confidence, 3),
        "text": found.says,
    }
