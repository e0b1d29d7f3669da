"""What a gas pipe carries: low and elevated pressure by the North American formulas, metric by Darcy and Weisbach,
corrugated tube through its class points."""

from __future__ import annotations

import functools
import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from ...catalogue import Catalogue
from ...errors import Refused
from ...job.model import Pipe
from ...network.friction import colebrook
from ...quantity import INH2O_PA, PA_PER_PSI
from ...tables import read_rows
from ...working import Step

Formula = Literal["north-american", "metric"]
INCH_MM, FOOT_M, FOOT3_M3 = 25.4, 0.3048, 0.028316846592
PSI_PA, ATMOSPHERE_PSI = PA_PER_PSI, 14.7
BTU_H_W = 0.29307107
AIR_KG_M3 = 1.225
LOW_LIMIT_PSI = 1.5
MARGIN, THIN_MARGIN, THIN_MM = 1.07, 1.13, 12.0  # typ: what the metric flow is divided by; of 10 and 12 mm pipe
PROPANE_IN_CORRUGATED = 0.628  # typ: ft3/h of propane to those of natural gas in the same tube
ELEVATED = ((2.0, 1.0, 0.88), (3.0, 2.0, 0.99), (5.0, 3.5, 0.90))
"""Natural gas: inlet and drop [psi], and what the high-pressure formula's flow is multiplied by there to stand on the
printed tables; between two the lower (typ)."""
ELEVATED_PROPANE = 0.98
TRANSITION_RE = 4000.0


@dataclass(frozen=True, slots=True)
class Gas:
    """A fuel gas. Heating values gross; metric_pa and inch_pa: usual house pressure of the practices [Pa gauge]."""

    id: str
    specific_gravity: float
    gross_mj_m3: float
    gross_btu_ft3: float
    cr: float
    y: float
    viscosity_m2_s: float
    metric_pa: float
    inch_pa: float
    low_factor: float
    source: str

    @property
    def density_kg_m3(self) -> float:
        """By specific gravity and air of 1.225 kg/m3."""
        return self.specific_gravity * AIR_KG_M3

    def heat_w(self, flow_m3_s: float) -> float:
        """Gross heat of a flow [W]."""
        return flow_m3_s * self.gross_mj_m3 * 1e6

    def flow_m3_s(self, heat_w: float) -> float:
        """Flow for a gross heat [m3/s]."""
        return heat_w / (self.gross_mj_m3 * 1e6)


@functools.cache
def gases() -> dict[str, Gas]:
    """The fuel gases by id."""
    return {
        row["gas"]: Gas(
            row["gas"],
            float(row["specific_gravity"]),
            float(row["gross_mj_m3"]),
            float(row["gross_btu_ft3"]),
            float(row["cr"]),
            float(row["y"]),
            float(row["viscosity_m2_s"]),
            float(row["metric_mbar"]) * 100,
            float(row["inch_inwc"]) * INH2O_PA,
            float(row["low_factor"]),
            row["source"],
        )
        for row in read_rows(__package__, "gases.csv")
    }


@functools.cache
def corrugated() -> dict[str, tuple[float, float, str]]:
    """Corrugated tube by class and by nominal size: ft3/h of natural gas at 10 and at 50 ft and 0.5 in w.c., source."""
    found = {}
    for row in read_rows(__package__, "corrugated.csv"):
        figures = (float(row["at_10_ft"]), float(row["at_50_ft"]), row["source"])
        found[row["size"]] = figures
        if row["nominal"]:
            found[row["nominal"]] = figures
    return found


@functools.cache
def tube_classes() -> dict[str, str]:
    """The class of corrugated tube by its nominal size, "1/2" -> "EHD18"."""
    return {row["nominal"]: row["size"] for row in read_rows(__package__, "corrugated.csv") if row["nominal"]}


@dataclass(frozen=True, slots=True)
class Tube:
    """What corrugated tube carries: points (length [ft], natural gas [ft3/h] at 0.5 in w.c.), shortest first."""

    points: tuple[tuple[float, float], ...]
    source: str

    def flow_ft3_h(self, feet: float) -> float:
        """What it carries over a length, by the power law between the two points about it, or the two nearest."""
        (a, at_a), (b, at_b) = self._about(lambda one: one[0] < feet)
        return float(at_a * (feet / a) ** (math.log(at_b / at_a) / math.log(b / a)))

    def feet(self, ft3_h: float) -> float:
        """The length over which it carries a flow at 0.5 in w.c."""
        (a, at_a), (b, at_b) = self._about(lambda one: one[1] > ft3_h)
        return float(a * (ft3_h / at_a) ** (math.log(b / a) / math.log(at_b / at_a)))

    def _about(self, before: Callable[[tuple[float, float]], bool]) -> tuple[tuple[float, float], tuple[float, float]]:
        n = sum(before(one) for one in self.points)
        n = min(max(n, 1), len(self.points) - 1)
        return self.points[n - 1], self.points[n]


def tube_of(catalogue: Catalogue, size: str) -> Tube | None:
    """Corrugated tube of a class: by its maker's table where there is one in the fitting book, else through the two
    published points of its class (typ)."""
    own = catalogue.tubes.get(f"csst {size}")
    if own:
        return Tube(own, "its maker's table")
    row = corrugated().get(size)
    return Tube(((10.0, row[0]), (50.0, row[1])), row[2]) if row else None


@dataclass(frozen=True, slots=True)
class Capacity:
    """What a pipe carries: flow [m3/s] and how it came."""

    flow_m3_s: float
    working: tuple[Step, ...]


def gas_bore_mm(catalogue: Catalogue, pipe: Pipe) -> tuple[float, str]:
    """The bore a gas pipe is sized with [mm] and its source: inch copper of type L by the bore of type K, as the tables
    are made. Raises Refused for a pipe without a bore."""
    code = "cu-k" if pipe.code == "cu-l" and catalogue.pipe("cu-k", pipe.size) else pipe.code
    row = catalogue.pipe(code, pipe.size)
    if row is None or not row.bore_mm:
        raise Refused("pipe", str(pipe), "a pipe with a bore, or corrugated tube of a class", "fe-40 1/2")
    return row.bore_mm, f"bore of type K, {row.source}" if code != pipe.code else row.source


def capacity(
    catalogue: Catalogue, pipe: Pipe, gas: Gas, formula: Formula, length_m: float, drop_pa: float, inlet_pa: float
) -> Capacity:
    """What a straight pipe carries with a drop. length_m 0.3 to 1000; drop_pa above 0 and below the inlet; inlet_pa
    gauge, up to 7 bar. Corrugated tube goes by its class, at low pressure. Sources: fuel gas code formulas (std);
    Darcy and Weisbach with a stated margin (typ). Raises Refused."""
    if not 0.3 <= length_m <= 1000:
        raise Refused("length", f"{length_m:g} m", "0.3 to 1000 m", "10 ft")
    if not 0 < inlet_pa <= 7e5:
        raise Refused("inlet", f"{inlet_pa:g} Pa", "above 0 and up to 7 bar, gauge", "21 mbar")
    if not 0 < drop_pa < inlet_pa:
        raise Refused("drop", f"{drop_pa:g} Pa", "above 0 and less than the inlet pressure", "1 mbar")
    low = inlet_pa < LOW_LIMIT_PSI * PSI_PA
    if pipe.code == "csst":
        return _corrugated(catalogue, pipe, gas, length_m, drop_pa, low=low)
    if formula == "metric":
        if not low:
            raise Refused("inlet", f"{inlet_pa:g} Pa", "low pressure, below 100 mbar, by the metric formula", "21 mbar")
        return _metric(catalogue, pipe, gas, length_m, drop_pa)
    bore_mm, source = gas_bore_mm(catalogue, pipe)
    inches, feet = bore_mm / INCH_MM, length_m / FOOT_M
    if low:
        drop_in = drop_pa / INH2O_PA
        flow = (inches * 19.17 * (drop_in / (gas.cr * feet)) ** 0.206) ** (1 / 0.381) * gas.low_factor
        step = Step(
            "D = Q^0.381 / (19.17 (dH / (Cr L))^0.206)" + (f", x {gas.low_factor:g}" if gas.low_factor != 1 else ""),
            (("D_in", inches), ("dH_inwc", drop_in), ("L_ft", feet), ("Cr", gas.cr)),
            flow,
            "ft3/h",
            f"fuel gas code, low pressure (std); {source}",
        )
        return Capacity(flow * FOOT3_M3 / 3600, (step,))
    first = inlet_pa / PSI_PA + ATMOSPHERE_PSI
    last = first - drop_pa / PSI_PA
    raw = (inches * 18.93 * ((first**2 - last**2) * gas.y / (gas.cr * feet)) ** 0.206) ** (1 / 0.381)
    factor = elevated_factor(gas, inlet_pa / PSI_PA)
    steps = (
        Step(
            "D = Q^0.381 / (18.93 ((P1^2 - P2^2) Y / (Cr L))^0.206)",
            (("D_in", inches), ("P1_psia", first), ("P2_psia", last), ("L_ft", feet), ("Cr", gas.cr), ("Y", gas.y)),
            raw,
            "ft3/h",
            f"fuel gas code, high pressure (std); {source}",
        ),
        Step(
            "the printed tables lie lower: flow x factor", (("factor", factor),), raw * factor, "ft3/h", "typ, by inlet"
        ),
    )
    return Capacity(raw * factor * FOOT3_M3 / 3600, steps)


def elevated_factor(gas: Gas, inlet_psi: float) -> float:
    """What the flow of the high-pressure formula is multiplied by at an inlet pressure; between two stated inlets the
    lower of both (typ)."""
    if gas.id == "propane":
        return ELEVATED_PROPANE
    around = [factor for at, _, factor in ELEVATED if abs(at - inlet_psi) < 1e-6]
    if around:
        return around[0]
    below = [factor for at, _, factor in ELEVATED if at < inlet_psi]
    above = [factor for at, _, factor in ELEVATED if at > inlet_psi]
    return min([*below[-1:], *above[:1]])


def _corrugated(catalogue: Catalogue, pipe: Pipe, gas: Gas, length_m: float, drop_pa: float, *, low: bool) -> Capacity:
    tube = tube_of(catalogue, pipe.size)
    if tube is None:
        sizes = ", ".join(dict.fromkeys(corrugated()))
        raise Refused("pipe", str(pipe), f"corrugated tube by class or nominal size: {sizes}", "csst 1/2")
    if not low:
        raise Refused(
            "inlet", "elevated pressure", "the maker's table: corrugated tube is worked out low only", "7 inH2O"
        )
    feet, drop_in = length_m / FOOT_M, drop_pa / INH2O_PA
    as_long = feet * 0.5 / drop_in
    flow = tube.flow_ft3_h(as_long)
    points = tuple((f"Q_{at:g}_ft_ft3_h", value) for at, value in tube.points)
    step = Step(
        "Q over L x 0.5 / dH, by the power law through the points",
        (*points, ("dH_inwc", drop_in), ("L_ft", feet), ("as_long_ft", as_long)),
        flow,
        "ft3/h",
        f"{tube.source}; the maker's table governs",
    )
    if gas.id != "propane":
        return Capacity(flow * FOOT3_M3 / 3600, (step,))
    own = flow * PROPANE_IN_CORRUGATED
    more = Step("propane: ft3/h x 0.628", (("natural_ft3_h", flow),), own, "ft3/h", "typ")
    return Capacity(own * FOOT3_M3 / 3600, (step, more))


def _metric(catalogue: Catalogue, pipe: Pipe, gas: Gas, length_m: float, drop_pa: float) -> Capacity:
    bore_mm, source = gas_bore_mm(catalogue, pipe)
    row, system = catalogue.pipe(pipe.code, pipe.size), catalogue.systems[pipe.code]
    rough_mm = (system.roughness_mm or 0.0) if system.material == "steel" else 0.0
    od_mm = row.od_mm if row and row.od_mm else bore_mm
    margin = THIN_MARGIN if od_mm <= THIN_MM and system.material != "steel" else MARGIN
    flow = _at_drop(lambda q: metric_drop_pa(gas, bore_mm, rough_mm, length_m, q), drop_pa)
    reynolds = _reynolds(gas, bore_mm, flow)
    steps = (
        Step(
            "drop = f L / d x rho v^2 / 2, smooth" if not rough_mm else "drop = f L / d x rho v^2 / 2, rough",
            (("d_mm", bore_mm), ("L_m", length_m), ("drop_pa", drop_pa), ("Re", reynolds), ("rough_mm", rough_mm)),
            flow * 3600,
            "m3/h",
            f"Darcy and Weisbach; {source}",
        ),
        Step("flow / margin", (("margin", margin),), flow * 3600 / margin, "m3/h", "typ"),
    )
    return Capacity(flow / margin, steps)


def _reynolds(gas: Gas, bore_mm: float, flow_m3_s: float) -> float:
    return 4 * flow_m3_s / (math.pi * bore_mm / 1000 * gas.viscosity_m2_s)


def metric_drop_pa(gas: Gas, bore_mm: float, rough_mm: float, length_m: float, flow_m3_s: float) -> float:
    """Drop of a flow in a straight pipe [Pa], without margin: above Re 4000 turbulent, below the larger of the laminar
    and the turbulent factor, so that the transition is never judged too kindly. Source: Darcy and Weisbach."""
    if flow_m3_s <= 0:
        return 0.0
    bore_m = bore_mm / 1000
    reynolds = _reynolds(gas, bore_mm, flow_m3_s)
    factor = colebrook(reynolds, rough_mm / bore_mm)
    if reynolds < TRANSITION_RE:
        factor = max(factor, 64 / reynolds)
    velocity = flow_m3_s / (math.pi / 4 * bore_m**2)
    return factor * length_m / bore_m * gas.density_kg_m3 * velocity**2 / 2


def _at_drop(drop_of: Callable[[float], float], drop_pa: float) -> float:
    """The flow at which a drop that only grows with it is reached [m3/s], by halving."""
    low, high = 0.0, 1e-4
    while drop_of(high) < drop_pa:
        high *= 2
    for _ in range(80):
        middle = (low + high) / 2
        low, high = (middle, high) if drop_of(middle) < drop_pa else (low, middle)
    return low
