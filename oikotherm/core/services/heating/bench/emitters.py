"""calc emitter, pipe_drop, vessel."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from ....bench.lengths import read_pipe
from ....bench.registry import Input, Quantity, in_force
from ....errors import Refused
from ....matter import fluid, read_medium
from ....network.friction import pipe_drop as straight_drop
from ....quantity import find_unit, parse
from ....working import Step
from ..emitter import flow_for, output
from ..series import PANEL, emitter_of
from ..vessel import size_vessel
from .box import tool


class Emitter(Input):
    nominal_w: Quantity = Field(
        description="output at its rating; W, text with a unit, or a series and size such as 22 600x1000"
    )
    exponent: float | None = Field(
        default=None, ge=1, le=2, description="n: 1.30 panel, 1.25 column, 1.2 to 1.33 towel rail"
    )
    flow_c: Quantity = Field(description="flow temperature; C, or text with a unit")
    return_c: Quantity = Field(description="return temperature; C, or text with a unit")
    room_c: Quantity = Field(description="room temperature; C, or text with a unit")
    mean: Literal["arithmetic", "log", "auto"] = Field(default="auto", description="arithmetic, log or auto")
    rated_at_k: Quantity = Field(default=50, description="difference it was rated at; K (50)")


@tool(
    "Emitter",
    "output of a radiator at other temperatures",
    {"nominal_w": 1500, "exponent": 1.3, "flow_c": 55, "return_c": 45, "room_c": 20, "mean": "auto"},
)
def emitter(said: Emitter) -> dict[str, Any]:
    """{output_w, factor, mean_difference_k, working}. Raises Refused."""
    series = (
        emitter_of(said.nominal_w)
        if isinstance(said.nominal_w, str) and PANEL.fullmatch(said.nominal_w.strip())
        else None
    )
    nominal_w = series.output_w if series else parse(said.nominal_w, "power", "W", field="nominal_w")
    exponent = said.exponent or (series.exponent if series else 1.3)
    rated_k = parse(said.rated_at_k, "difference", "K", field="rated_at_k")
    if not 1 <= rated_k <= 150:
        raise Refused("rated_at_k", said.rated_at_k, "1 to 150 K", "50")
    if not nominal_w > 0:
        raise Refused("nominal_w", said.nominal_w, "a figure above 0", "1500")
    temps = [
        parse(value, "temperature", "C", field=name)
        for name, value in (("flow_c", said.flow_c), ("return_c", said.return_c), ("room_c", said.room_c))
    ]
    worked, factor, difference = output(nominal_w, exponent, temps[0], temps[1], temps[2], said.mean, rated_k)
    return {
        "output_w": round(worked.value, 2),
        "factor": round(factor, 5),
        "mean_difference_k": round(difference, 4),
        "text": f"{worked.value:.0f} W",
        "working": worked.as_list(),
    }


class PipeDrop(Input):
    pipe: str = Field(description="pipe system and size, such as cu-m 22")
    medium: str = Field(default="water", description="water, or water + 30 % propylene glycol (by mass)")
    temp_c: Quantity = Field(description="mean temperature; C, or text with a unit")
    flow: Quantity | None = Field(default=None, description="flow, such as 0.05 kg/s or 3 L/min; a bare number is kg/s")
    heat_w: Quantity | None = Field(default=None, description="or the heat it carries; W")
    delta_k: Quantity | None = Field(default=None, description="and the drop in temperature; K")
    length: Quantity = Field(description="length; m, or text with a unit")


@tool(
    "Pipe drop",
    "velocity and pressure lost in a straight pipe",
    {"pipe": "cu-m 22", "medium": "water", "temp_c": 70, "flow": "0.2 kg/s", "length": 10},
)
def pipe_drop(said: PipeDrop) -> dict[str, Any]:
    """{velocity_m_s, reynolds, friction_factor, gradient_pa_m, drop_pa, working}. Raises Refused."""
    catalogue = in_force()
    pipe = read_pipe(said.pipe, catalogue)
    size, system = catalogue.pipe(pipe.code, pipe.size), catalogue.systems[pipe.code]
    if size is None or size.bore_mm is None or system.roughness_mm is None:
        raise Refused("pipe", said.pipe, "a pipe with a bore; corrugated tube goes by its capacity table", "cu-m 22")
    medium = fluid(parse(said.temp_c, "temperature", "C", field="temp_c"), read_medium(said.medium))
    flow_kg_s, first = _flow(said, medium.density_kg_m3, medium.heat_j_kg_k)
    length_m = parse(said.length, "length", "m", field="length") / 1000
    if not 0 < length_m <= 1e5:
        raise Refused("length", said.length, "a length above 0", "10 m")
    drop = straight_drop(flow_kg_s, size.bore_mm, system.roughness_mm, medium)
    steps = [
        *first,
        Step(
            "v = flow / (rho x pi / 4 x bore^2)",
            (("flow_kg_s", flow_kg_s), ("rho_kg_m3", medium.density_kg_m3), ("bore_mm", size.bore_mm)),
            drop.velocity_m_s,
            "m/s",
            medium.source,
        ),
        Step(
            "Re = v x bore x rho / mu",
            (("v_m_s", drop.velocity_m_s), ("mu_mpa_s", medium.viscosity_pa_s * 1000)),
            drop.reynolds,
            "",
            medium.source,
        ),
        Step(
            "f: 64/Re below 2000, Colebrook-White above 4000, a smooth step between",
            (("roughness_mm", system.roughness_mm),),
            drop.factor,
            "",
            "Colebrook 1939",
        ),
        Step("gradient = f / bore x rho v^2 / 2", (("f", drop.factor),), drop.gradient_pa_m, "Pa/m"),
        Step("drop = gradient x length", (("length_m", length_m),), drop.gradient_pa_m * length_m, "Pa"),
    ]
    return {
        "velocity_m_s": round(drop.velocity_m_s, 5),
        "reynolds": round(drop.reynolds, 1),
        "friction_factor": round(drop.factor, 6),
        "gradient_pa_m": round(drop.gradient_pa_m, 4),
        "drop_pa": round(drop.gradient_pa_m * length_m, 3),
        "flow_kg_s": round(flow_kg_s, 6),
        "text": f"{drop.gradient_pa_m * length_m:.0f} Pa",
        "working": [step.as_dict() for step in steps],
    }


def _flow(said: PipeDrop, density_kg_m3: float, heat_j_kg_k: float) -> tuple[float, list[Step]]:
    """The mass flow [kg/s] from a flow, or from heat and temperature drop."""
    if (said.flow is None) == (said.heat_w is None):
        raise Refused("flow", said.flow, "either flow, or heat_w and delta_k", "0.2 kg/s")
    if said.flow is None:
        heat = parse(said.heat_w if said.heat_w is not None else "", "power", "W", field="heat_w")
        delta = parse(said.delta_k if said.delta_k is not None else "", "difference", "K", field="delta_k")
        if not heat > 0 or not delta > 0:
            raise Refused(
                "heat_w" if not heat > 0 else "delta_k",
                said.heat_w if not heat > 0 else said.delta_k,
                "a figure above 0",
                "10 kW",
            )
        flow = flow_for(heat, delta, heat_j_kg_k)
        return flow, [
            Step(
                "flow = heat / (cp x dT)", (("heat_w", heat), ("cp_j_kg_k", heat_j_kg_k), ("dT_k", delta)), flow, "kg/s"
            )
        ]
    text = str(said.flow)
    word = "".join(sign for sign in text.lstrip("+-0123456789.eE/ ")).strip()
    unit = find_unit(word) if word else None
    if unit is not None and unit.kind == "volume-flow":
        flow = parse(text, "volume-flow", "m3/s", field="flow") * density_kg_m3
    else:
        flow = parse(said.flow, "mass-flow", "kg/s", field="flow")
    if not 0 < flow < 1e4:
        raise Refused("flow", said.flow, "a flow above 0", "0.2 kg/s")
    return flow, [Step("flow as said", (), flow, "kg/s", "said")]


class VesselSum(Input):
    system_volume_l: Quantity = Field(description="water in the system; L, or text with a unit")
    cold_c: Quantity = Field(default=10, description="temperature when filled; C (10)")
    hot_c: Quantity = Field(description="highest temperature; C")
    static_height_m: Quantity = Field(description="from the vessel to the highest emitter; m, or text with a unit")
    safety_valve_bar: Quantity = Field(description="what the safety valve is set to; bar, or text with a unit")
    medium: str = Field(default="water", description="water, or water + 30 % propylene glycol (by mass)")
    precharge_bar: Quantity | None = Field(
        default=None, description="pre-charge, if it is not to follow from the height; bar"
    )
    built_in_l: Quantity | None = Field(default=None, description="vessel that is there already; L")


@tool(
    "Vessel",
    "expansion vessel with the whole sum",
    {"system_volume_l": 120, "cold_c": 10, "hot_c": 80, "static_height_m": 5, "safety_valve_bar": 3},
)
def vessel(said: VesselSum) -> dict[str, Any]:
    """{expansion_l, reserve_l, precharge_bar, cold_fill_bar, final_bar, needed_l, chosen_l, short_l?, working}. Raises
    Refused."""

    def litres(value: Quantity, field: str) -> float:
        return parse(value, "volume", "L", field=field) * 1000

    def bar(value: Quantity, field: str) -> float:
        return parse(value, "pressure", "bar", field=field) / 1e5

    found = size_vessel(
        litres(said.system_volume_l, "system_volume_l"),
        parse(said.cold_c, "temperature", "C", field="cold_c"),
        parse(said.hot_c, "temperature", "C", field="hot_c"),
        parse(said.static_height_m, "length", "m", field="static_height_m") / 1000,
        bar(said.safety_valve_bar, "safety_valve_bar"),
        read_medium(said.medium),
        None if said.precharge_bar is None else bar(said.precharge_bar, "precharge_bar"),
        None if said.built_in_l is None else litres(said.built_in_l, "built_in_l"),
    )
    figures = {
        "expansion_l": found.expansion_l,
        "reserve_l": found.reserve_l,
        "precharge_bar": found.precharge_bar,
        "cold_fill_bar": found.cold_fill_bar,
        "final_bar": found.final_bar,
        "hot_bar": found.hot_bar,
        "needed_l": found.needed_l,
        "chosen_l": found.chosen_l,
    }
    result: dict[str, Any] = {name: round(value, 4) for name, value in figures.items()}
    if found.short_l is not None:
        result["short_l"] = round(found.short_l, 4)
    return {**result, "text": f"{found.chosen_l:g} L", "working": [step.as_dict() for step in found.steps]}
