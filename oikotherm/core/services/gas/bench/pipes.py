"""calc gas_pipe, nipple, connector: gas pipe and what joins it."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from ....bench.lengths import read_pipe
from ....bench.registry import Input, Quantity, in_force, mm
from ....catalogue import Catalogue
from ....errors import Refused
from ....job.model import Pipe
from ....quantity import parse
from ..capacity import FOOT3_M3, INCH_MM, capacity, corrugated, gases, tube_classes
from ..checks import connector as connector_of
from ..checks import nipple_for
from .box import tool

GasName = Literal["natural", "propane"]
LICENSED = "Gas is licensed work: this is a sum, not a certificate; the maker's table and the local code govern."


def read_gas_pipe(said: str, catalogue: Catalogue) -> Pipe:
    """A gas pipe as it is said; corrugated tube by class or nominal size, "csst 1/2". Raises Refused."""
    words = said.split()
    if words and words[0].lower() == "csst":
        size = "".join(words[1:])
        size = size.upper() if size.upper().startswith("EHD") else size
        if size in corrugated():
            return Pipe(code="csst", size=tube_classes().get(size, size))
        raise Refused("pipe", said, f"corrugated tube of {', '.join(corrugated())}", "csst 1/2")
    return read_pipe(said, catalogue)


def pascal(said: Quantity, field: str, unit: str = "mbar") -> float:
    """A pressure as said [Pa]; a bare number in that unit. Raises Refused."""
    return parse(said, "pressure", unit, field=field)


class GasPipe(Input):
    gas: GasName = Field(default="natural", description="natural or propane (natural)")
    formula: Literal["north-american", "metric"] = Field(
        default="north-american", description="north-american or metric (north-american)"
    )
    pipe: str = Field(description="pipe and size, such as fe-40 1/2, cu-m 22, fe-m 3/4, csst 1/2")
    length: Quantity = Field(description="length with what fittings add; mm, or text with a unit such as 10 ft")
    drop: Quantity = Field(description="what may be lost; mbar, or text with a unit such as 0.5 inH2O")
    inlet: Quantity | None = Field(
        default=None, description="pressure at its start; mbar, or text with a unit (the usual of the formula and gas)"
    )


@tool(
    "Gas pipe",
    "what a straight gas pipe carries with a drop",
    {"gas": "natural", "formula": "north-american", "pipe": "fe-40 1/2", "length": "10 ft", "drop": "0.5 inH2O"},
    LICENSED,
)
def gas_pipe(said: GasPipe) -> dict[str, Any]:
    """{capacity_ft3_h, capacity_m3_h, heat_kw, heat_btu_h, text, working}. Raises Refused."""
    gas, catalogue = gases()[said.gas], in_force()
    usual = gas.metric_pa if said.formula == "metric" else gas.inch_pa
    inlet_pa = usual if said.inlet is None else pascal(said.inlet, "inlet")
    found = capacity(
        catalogue,
        read_gas_pipe(said.pipe, catalogue),
        gas,
        said.formula,
        mm(said.length, "length") / 1000,
        pascal(said.drop, "drop"),
        inlet_pa,
    )
    feet3, heat_kw = found.flow_m3_s * 3600 / FOOT3_M3, gas.heat_w(found.flow_m3_s) / 1000
    return {
        "capacity_ft3_h": round(feet3, 2),
        "capacity_m3_h": round(found.flow_m3_s * 3600, 4),
        "heat_kw": round(heat_kw, 3),
        "heat_btu_h": round(feet3 * gas.gross_btu_ft3),
        "text": f"{found.flow_m3_s * 3600:.2f} m3/h, {feet3:.0f} ft3/h: {heat_kw:.1f} kW gross",
        "working": [step.as_dict() for step in found.working],
    }


class NippleIn(Input):
    pipe: str = Field(description="threaded pipe and size, such as fe-40 1/2")
    centres: Quantity = Field(description="centre distance wanted; mm, or text with a unit")
    from_: Literal["elbow", "elbow45", "tee", "coupling"] = Field(
        default="elbow", alias="from", description="elbow, elbow45, tee or coupling at the start (elbow)"
    )
    to: Literal["elbow", "elbow45", "tee", "coupling"] = Field(
        default="elbow", description="elbow, elbow45, tee or coupling at the end (elbow)"
    )


@tool(
    "Ready nipple",
    "the ready nipple nearest to a centre distance, and the shift",
    {"pipe": "fe-40 1/2", "centres": "2.75 in", "from": "elbow", "to": "elbow"},
)
def nipple(said: NippleIn) -> dict[str, Any]:
    """{nipple_in, centres_mm, shift_mm, text, working}. Raises Refused."""
    catalogue = in_force()
    found = nipple_for(catalogue, read_pipe(said.pipe, catalogue), mm(said.centres, "centres"), said.from_, said.to)
    inches = found.length_mm / INCH_MM
    name = "close nipple" if found.close else f"nipple of {inches:g} in"
    return {
        "nipple_in": round(inches, 4),
        "centres_mm": round(found.centres_mm, 2),
        "shift_mm": round(found.shift_mm, 2),
        "text": f"{name}: centres {found.centres_mm:.1f} mm, {found.shift_mm:+.1f} mm from what is asked",
        "working": [step.as_dict() for step in found.working],
    }


class ConnectorIn(Input):
    gas: GasName = Field(default="natural", description="natural or propane (natural)")
    size: str = Field(description="nominal size of the connector: 1/2 or 3/4")
    length: Quantity = Field(description="its length, up to 6 ft; mm, or text with a unit")
    input: Quantity = Field(description="input of the appliance, gross; kW, or text with a unit")


@tool(
    "Flexible connector",
    "what a connector carries, and its drop at the appliance's input",
    {"gas": "natural", "size": "1/2", "length": "3 ft", "input": "65000 BTU/h"},
    LICENSED,
)
def connector(said: ConnectorIn) -> dict[str, Any]:
    """{rated_kw, drop_pa, ok, why, text, working}. Raises Refused."""
    found = connector_of(
        gases()[said.gas],
        said.size.strip(),
        mm(said.length, "length") / 1000,
        parse(said.input, "power", "kW", field="input"),
    )
    return {
        "rated_kw": round(found.rated_w / 1000, 3),
        "drop_pa": round(found.drop_pa, 2),
        "ok": found.ok,
        "why": found.why,
        "text": f"rated {found.rated_w / 1000:.1f} kW, drop {found.drop_pa / 100:.2f} mbar: {found.why}",
        "working": [step.as_dict() for step in found.working],
    }
