"""How much water runs at once: outlets counted, their units added, the flow by one of three schools (handbook figures
are typ). The schools are never mixed: loading units carry their own flows."""

from __future__ import annotations

import bisect
import functools
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from ...errors import Refused
from ...quantity import parse
from ...tables import read_rows
from ...working import Step

School = Literal["loading-units", "continental", "fixture-units"]
CONTINENTAL = (1.48, 0.19, 0.94)
"""V = a (sum V)^b - c, L/s, dwellings (typ)."""
CONTINENTAL_L_S = (0.2, 500.0)
MOST_OUTLETS = 10_000


@dataclass(frozen=True, slots=True)
class Outlet:
    """What a kind of outlet takes. design_l_s, least_l_s: alone; the others: what it counts for in a school."""

    kind: str
    title: str
    design_l_s: float
    least_l_s: float
    loading_units: float
    continental_l_s: float
    fixture_units: float
    source: str


@dataclass(frozen=True, slots=True)
class PeakFlow:
    """flow_l_s: at once; units: what the outlets come to in their school."""

    flow_l_s: float
    units: float
    working: tuple[Step, ...]


@functools.cache
def outlets() -> Mapping[str, Outlet]:
    """The kinds of outlet by their id."""
    return {
        row["kind"]: Outlet(
            row["kind"],
            row["title"],
            float(row["design_l_s"]),
            float(row["least_l_s"]),
            float(row["loading_units"]),
            float(row["continental_l_s"]),
            float(row["fixture_units"]),
            row["source"],
        )
        for row in read_rows(__package__, "outlets.csv")
    }


@functools.cache
def _curves() -> Mapping[str, tuple[tuple[float, float], ...]]:
    """(units, flow [L/s]) of each school, rising."""
    found: dict[str, list[tuple[float, float]]] = {}
    for row in read_rows(__package__, "unit_flows.csv"):
        flow_l_s = parse(f"{row['flow']} {row['unit']}", "volume-flow", "L/s") * 1000
        found.setdefault(row["school"], []).append((float(row["units"]), flow_l_s))
    return {school: tuple(sorted(points)) for school, points in found.items()}


class Unknown(Refused):
    """More units than a table covers. most: its last row's; flow_l_s: the flow there."""

    def __init__(self, units: float, most: float, flow_l_s: float) -> None:
        super().__init__("outlets", f"{units:g} units", f"at most {most:g}, as far as the table goes", "basin 2")
        self.units, self.most, self.flow_l_s = units, most, flow_l_s


def peak_flow(counted: Mapping[str, int], school: School) -> PeakFlow:
    """The flow of so many outlets of each kind at once. Raises Refused for kinds that are not known, counts out of 0 to
    10,000, and more than the school's table or formula covers."""
    return peak_flow_of(counted, school)


def peak_flow_of(counted: Mapping[str, int], school: str, table: Mapping[float, float] | None = None) -> PeakFlow:
    """As peak_flow, or by a table of one's own: loading units -> flow [L/s], rising."""
    kinds = outlets()
    for kind, number in counted.items():
        if kind not in kinds:
            raise Refused("outlets", kind, f"one of {', '.join(kinds)}", "basin 2; shower 1")
        if number != int(number) or not 0 <= number <= MOST_OUTLETS:
            raise Refused("outlets", f"{kind} {number}", f"whole numbers from 0 to {MOST_OUTLETS}", "basin 2; shower 1")
    used = {kinds[kind]: number for kind, number in counted.items() if number}
    if not used:
        raise Refused("outlets", dict(counted), "at least one outlet", "basin 2; shower 1")
    if school == "continental":
        return _continental(used)
    american = school == "fixture-units"
    units = sum((one.fixture_units if american else one.loading_units) * n for one, n in used.items())
    curve = tuple(table.items()) if table else _curves()[school]
    if units > curve[-1][0]:
        raise Unknown(units, *curve[-1])
    inputs = tuple(
        (f"{one.kind} x {n}", n * (one.fixture_units if american else one.loading_units)) for one, n in used.items()
    )
    steps = [Step("sum of the units", inputs, units, "units", "typ")]
    at = bisect.bisect_left([point[0] for point in curve], units)
    if at == 0:
        flow = curve[0][1] * (units / curve[0][0] if curve[0][0] else 1.0)
    else:
        (u0, q0), (u1, q1) = curve[at - 1], curve[at]
        flow = q0 + (q1 - q0) * (units - u0) / (u1 - u0)
    steps.append(Step("flow of the units, between the rows of the table", (("units", units),), flow, "L/s", "typ"))
    if not american:
        largest = max(one.design_l_s for one in used)
        flow = max(flow, largest)
        steps.append(Step("not below the largest outlet alone", (("largest_l_s", largest),), flow, "L/s", "typ"))
    return PeakFlow(flow, units, tuple(steps))


def _continental(used: Mapping[Outlet, int]) -> PeakFlow:
    total = sum(one.continental_l_s * n for one, n in used.items())
    largest = max(one.continental_l_s for one in used)
    inputs = tuple((f"{one.kind} x {n}", n * one.continental_l_s) for one, n in used.items())
    steps = [Step("sum of the flows", inputs, total, "L/s", "typ")]
    least, most = CONTINENTAL_L_S
    if total > most:
        raise Refused("outlets", f"{total:g} L/s", f"at most {most:g} L/s together", "basin 2; shower 1")
    if total < least:
        return PeakFlow(total, total, (*steps, Step(f"below {least:g} L/s all run at once", (), total, "L/s", "typ")))
    a, b, c = CONTINENTAL
    flow = min(max(a * total**b - c, largest), total)
    said = f"{a:g} x sum^{b:g} - {c:g}, not below the largest outlet, not above the sum"
    steps.append(Step(said, (("sum_l_s", total), ("largest_l_s", largest)), flow, "L/s", "typ, dwellings"))
    return PeakFlow(flow, total, tuple(steps))
