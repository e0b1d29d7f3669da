"""What the pipe of a network carries, as a table by length and size, by the formula the network is sized with."""

from __future__ import annotations

from dataclasses import dataclass

from ...catalogue import Catalogue
from ...errors import Refused
from ...job.model import Pipe
from .capacity import BTU_H_W, FOOT3_M3, FOOT_M, capacity
from .checks import connector_rating_w
from .sizing import GasNetwork

FEET = (10.0, 20.0, 30.0, 40.0, 50.0, 60.0, 80.0, 100.0, 125.0, 150.0)
METRES = (3.0, 6.0, 9.0, 12.0, 15.0, 20.0, 25.0, 30.0)
UP_TO = 6  # sizes shown of a system


@dataclass(frozen=True, slots=True)
class CapacityTable:
    """Of one pipe system: lengths [m]; rows: size -> flow over each length [m3/s], None where the pipe has no
    figures."""

    code: str
    lengths_m: tuple[float, ...]
    rows: tuple[tuple[str, tuple[float | None, ...]], ...]


def tables(net: GasNetwork, catalogue: Catalogue) -> tuple[CapacityTable, ...]:
    """A table for each pipe system of a network, at its inlet pressure and limit; the sizes about those it has."""
    lengths = tuple(feet * FOOT_M for feet in FEET) if net.formula == "north-american" else METRES
    found = []
    for code in dict.fromkeys(one.pipe.code for one in net.sections if one.feeds):
        sizes = catalogue.sizes(code)
        used = [sizes.index(one.pipe.size) for one in net.sections if one.pipe.code == code and one.pipe.size in sizes]
        first = max(min(used, default=0) - 1, 0)
        shown = sizes[first : max(first + UP_TO, max(used, default=0) + 2)]
        rows = tuple(
            (size, tuple(_flow(net, catalogue, Pipe(code=code, size=size), at) for at in lengths)) for size in shown
        )
        found.append(
            CapacityTable(code, lengths, tuple(row for row in rows if any(flow is not None for flow in row[1])))
        )
    return tuple(found)


def _flow(net: GasNetwork, catalogue: Catalogue, pipe: Pipe, length_m: float) -> float | None:
    if pipe.code == "conn":
        return net.gas.flow_m3_s(connector_rating_w(net.gas, pipe.size, length_m)) if length_m <= 1.9 else None
    try:
        return capacity(catalogue, pipe, net.gas, net.formula, length_m, net.limit_pa, net.inlet_pa).flow_m3_s
    except Refused:
        return None


def said(net: GasNetwork, flow_m3_s: float | None) -> str:
    """A flow of the table as the practice reads it: ft3/h, with heat for propane thousand BTU/h; m3/h."""
    if flow_m3_s is None:
        return "-"
    if net.formula != "north-american":
        return f"{flow_m3_s * 3600:.2g}" if flow_m3_s * 3600 < 10 else f"{flow_m3_s * 3600:.0f}"
    if net.gas.id == "propane":
        return f"{net.gas.heat_w(flow_m3_s) / BTU_H_W / 1000:,.0f}"
    return f"{flow_m3_s * 3600 / FOOT3_M3:,.0f}"


def unit(net: GasNetwork) -> str:
    """What the figures of the table are in."""
    if net.formula != "north-american":
        return "m3/h"
    return "thousand BTU/h" if net.gas.id == "propane" else "ft3/h"
