"""Gas sums beside the sizing of pipe: the wrong gas, traps, rooms, connectors, tanks, nipples."""

from __future__ import annotations

import functools
import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from ...catalogue import Catalogue, Thread
from ...errors import Refused
from ...job.model import Pipe, Station
from ...joints.takeoff import part_mating
from ...making.nipples import READY_IN
from ...quantity import INH2O_PA
from ...tables import read_rows
from ...working import Step
from .. import spec
from .capacity import BTU_H_W, FOOT_M, INCH_MM, PROPANE_IN_CORRUGATED, Gas, gases
from .stations import SPEC

TRAP_MM = 75.0  # std: the nipple of a sediment trap
TRAP_EXEMPT = "trap-exempt"  # trait of appliances whose trap is often left out (typ; the authority decides)
NO_KIND_EXEMPT = ("illuminating appliance", "decorative appliance", "gas light")  # exempt too, and no kind here
PLACE = re.compile(r"\b(in|at|by|near|for|on|under|beside|of)\b")
NEAR = (0.92, 1.12)  # typ: heat input that the usual least and most inlet pressures give
FT3_M3, IN2_MM2 = 0.028316846592, 645.16
ROOM_FT3 = 50.0  # std: of room for 1,000 BTU/h
OPENING_BTU_H_IN2, LEAST_OPENING_IN2 = 1000.0, 100.0  # std: openings to the next room
UNVENTED_BTU_H = {"": 40_000.0, "bedroom": 10_000.0, "bathroom": 6_000.0}  # std
CONNECTOR_DROP_PA = 0.5 * INH2O_PA  # at its rating
LONGEST_CONNECTOR_M = 1.8  # 6 ft
TANK_K = ((20.0, 60.0), (30.0, 70.0), (40.0, 80.0), (50.0, 90.0), (60.0, 100.0))  # typ: per cent full, K at 0 F
TANK_F = ((-10.0, 0.5), (0.0, 1.0), (10.0, 1.5), (20.0, 2.0))  # typ: F outdoors, factor


@dataclass(frozen=True, slots=True)
class Mismatch:
    """A gas fed to what is set for another. factor: of the heat input."""

    factor: float
    verdict: Literal["ok", "stop"]
    why: str
    working: tuple[Step, ...]


def mismatch(set_for: Gas, fed: Gas, *, regulator: bool, set_pa: float, fed_pa: float) -> Mismatch:
    """What the heat input comes to by the flow of an orifice, Q ~ sqrt(p / SG), and the heating values. regulator: one
    of its own holds the set pressure. Pressures [Pa gauge], above 0 and up to 1 bar. Raises Refused."""
    for name, value in (("set_pressure", set_pa), ("fed_pressure", fed_pa)):
        if not 0 < value <= 1e5:
            raise Refused(name, f"{value:g} Pa", "above 0 and up to 1 bar", "21 mbar")
    pressure = 1.0 if regulator else fed_pa / set_pa
    gravity = set_for.specific_gravity / fed.specific_gravity
    heat = fed.gross_mj_m3 / set_for.gross_mj_m3
    factor = math.sqrt(pressure * gravity) * heat
    step = Step(
        "factor = sqrt(p fed / p set x SG set / SG fed) x heating value fed / set",
        (("p_ratio", pressure), ("SG_ratio", gravity), ("heat_ratio", heat)),
        factor,
        "",
        "orifice flow law",
    )
    if set_for.id != fed.id:
        why = (
            f"Set for {set_for.id}, fed {fed.id}: {factor:.2f} times its heat. Only the maker's conversion kit, fitted "
            "by a licensed person."
        )
        return Mismatch(factor, "stop", why, (step,))
    if NEAR[0] <= factor <= NEAR[1]:
        return Mismatch(factor, "ok", f"The gas it is set for, at {factor:.2f} times its heat.", (step,))
    why = f"The right gas at the wrong pressure: {factor:.2f} times its heat. Its regulator is set or fitted first."
    return Mismatch(factor, "stop", why, (step,))


def trap_exempt(station: Station) -> bool:
    """Whether an appliance is of those whose trap is often left out."""
    return TRAP_EXEMPT in spec.kind(station.kind).variant(station.variant).traits


def _named_exempt(appliance: str) -> bool:
    """Whether an appliance in words is of those: its name ends with what one of them is called; where it stands does
    not count."""
    names = {
        name
        for kind in SPEC.kinds.values()
        for one in kind.variants
        if TRAP_EXEMPT in one.traits
        for name in (one.id, one.id.replace("-", " "), *one.title.split(" or "))
    }
    called = PLACE.split(" ".join(appliance.lower().split()))[0].strip()
    return any(called == name or called.endswith(f" {name}") for name in (*names, *NO_KIND_EXEMPT))


def trap_check(appliance: str, drop_mm: float, way: str) -> tuple[bool, str]:
    """Whether a sediment trap is as it should be, and why: downwards, with a nipple of 75 mm or more, or left out where
    the appliance is often exempt. drop_mm: of the nipple, 0 for no trap; way: D, U, N, E, S or W."""
    if not 0 <= drop_mm <= 2000:
        raise Refused("drop", f"{drop_mm:g} mm", "0 to 2000 mm", "75")
    if way not in ("D", "U", "N", "E", "S", "W"):
        raise Refused("way", way, "D, U, N, E, S or W: where its nipple looks", "D")
    exempt = _named_exempt(appliance)
    if not drop_mm:
        if exempt:
            return True, f"No trap: {appliance} is often exempt; the authority decides."
        return (
            False,
            f"No trap before {appliance}: a tee with the appliance on its branch, a nipple of 75 mm down, a cap.",
        )
    if way != "D":
        return False, f"The trap looks {way}: dirt does not fall into it. Its nipple looks down."
    if drop_mm < TRAP_MM - 0.5:
        return False, f"The nipple is {drop_mm:.0f} mm; it takes 75 mm (3 in) or more."
    return True, f"Down, {drop_mm:.0f} mm: as it should be."


@dataclass(frozen=True, slots=True)
class RoomAir:
    """Combustion air of a room. openings: (where, area [mm2]) to the next room, where the room alone is too small."""

    ok: bool
    needed_m3: float | None
    openings: tuple[tuple[str, float], ...]
    why: str


def room_air(practice: str, volume_m3: float, appliances: Sequence[tuple[str, float, bool]], room: str = "") -> RoomAir:
    """Whether a room gives the air of its appliances: (kind, input [W], vented). room: bedroom, bathroom or "". North
    America: 50 ft3 to 1,000 BTU/h of all, else two openings to the next room; unvented heaters have limits of their
    own (std, fuel gas code). Elsewhere ventilation goes by kind of appliance and is the licensed person's. Raises
    Refused."""
    if not 0 < volume_m3 <= 1e5:
        raise Refused("volume", f"{volume_m3:g} m3", "above 0 and up to 100,000 m3", "30 m3")
    for kind, input_w, _ in appliances:
        if not 0 < input_w <= 1e7:
            raise Refused("input", f"{input_w:g} W", f"the input of {kind}, above 0", "10 kW")
    if practice != "north-american":
        why = "Ventilation goes by the kind of each appliance: the licensed person sizes it by the local code."
        return RoomAir(not appliances, None, (), why if appliances else "Nothing takes air from this room.")
    total = sum(input_w for _, input_w, _ in appliances) / BTU_H_W
    unvented = sum(input_w for _, input_w, vented in appliances if not vented) / BTU_H_W
    needed = total / 1000 * ROOM_FT3 * FT3_M3
    limit = UNVENTED_BTU_H[room if room in UNVENTED_BTU_H else ""]
    if unvented > limit * 1.0005:
        return RoomAir(
            False, needed, (), f"Unvented: {unvented:,.0f} BTU/h; {room or 'a room'} takes {limit:,.0f} at most."
        )
    if volume_m3 >= needed * 0.9995:
        return RoomAir(True, needed, (), f"{volume_m3:.1f} m3 is there, {needed:.1f} m3 is needed.")
    area = max(total / OPENING_BTU_H_IN2, LEAST_OPENING_IN2) * IN2_MM2
    where = ("within 300 mm of the top", "within 300 mm of the bottom")
    return RoomAir(
        False,
        needed,
        tuple((one, round(area, 1)) for one in where),
        f"{volume_m3:.1f} m3 is there, {needed:.1f} m3 is needed: two openings to the next room, or air from outdoors.",
    )


@functools.cache
def _connectors() -> dict[str, tuple[float, float, str]]:
    return {
        row["size"]: (float(row["at_3_ft_btu_h"]), float(row["at_6_ft_btu_h"]), row["source"])
        for row in read_rows(__package__, "connectors.csv")
    }


def connector_sizes() -> tuple[str, ...]:
    """Nominal sizes of connectors with figures."""
    return tuple(_connectors())


def connector_rating_w(gas: Gas, size: str, length_m: float) -> float:
    """What a flexible connector carries at 0.5 in w.c. lost [W], by the power law through its two stated lengths, 3 and
    6 ft; below 3 ft no more is counted. Raises KeyError for a size without figures."""
    at_3, at_6, _ = _connectors()[size]
    power = math.log(at_3 / at_6) / math.log(2.0)
    natural = at_3 * (3 / max(length_m / FOOT_M, 3.0)) ** power
    ratio = PROPANE_IN_CORRUGATED * gases()["propane"].gross_btu_ft3 / gases()["natural"].gross_btu_ft3
    return float(natural * BTU_H_W * (ratio if gas.id == "propane" else 1.0))


@dataclass(frozen=True, slots=True)
class Connector:
    """A flexible connector: what it carries [W] and its drop at the input [Pa]."""

    rated_w: float
    drop_pa: float
    ok: bool
    why: str
    working: tuple[Step, ...]


def connector(gas: Gas, size: str, length_m: float, input_w: float) -> Connector:
    """A flexible connector by size and length: its rating through the two stated lengths, drop = 0.5 in x (Q / rated)^2
    (typ; the plate governs). length_m up to 1.8, 6 ft. Raises Refused."""
    if size not in _connectors():
        raise Refused("size", size, f"a size with figures: {', '.join(_connectors())}", "1/2")
    if not 0.2 <= length_m <= 3.0:
        raise Refused("length", f"{length_m:g} m", "0.2 to 3 m", "3 ft")
    if not 0 < input_w <= 1e6:
        raise Refused("input", f"{input_w:g} W", "above 0 and up to 1 MW", "20 kW")
    at_3, at_6, source = _connectors()[size]
    power = math.log(at_3 / at_6) / math.log(2.0)
    feet = length_m / FOOT_M
    rated_w = connector_rating_w(gas, size, length_m)
    drop_pa = CONNECTOR_DROP_PA * (input_w / rated_w) ** 2
    fits = input_w <= rated_w * (1 + 1e-6)
    short = length_m <= LONGEST_CONNECTOR_M + 0.03
    why = "within its rating" if fits else f"rated for {rated_w / 1000:.1f} kW: too small"
    if not short:
        why = f"{length_m:.2f} m is longer than 1.8 m (6 ft)"
    steps = (
        Step(
            "rated = at 3 ft x (3 / L)^n", (("at_3_ft_btu_h", at_3), ("L_ft", feet), ("n", power)), rated_w, "W", source
        ),
        Step("drop = 0.5 in x (Q / rated)^2", (("Q_w", input_w), ("rated_w", rated_w)), drop_pa, "Pa", "typ"),
    )
    return Connector(rated_w, drop_pa, fits and short, why, steps)


def _between(points: Sequence[tuple[float, float]], at: float) -> float:
    """The value at a place between stated points, the nearest end beyond them."""
    if at <= points[0][0]:
        return points[0][1]
    for (a, low), (b, high) in zip(points, points[1:], strict=False):
        if at <= b:
            return low + (high - low) * (at - a) / (b - a)
    return points[-1][1]


def tank_draw_w(diameter_mm: float, length_mm: float, fill_percent: float, outdoor_c: float) -> tuple[float, Step]:
    """What a propane tank gives off as gas [W]: D x L x K in inches, K by how full it is, by the cold outdoors (typ);
    above 20 F no more is counted, below 20 % full it is asked to be filled. Raises Refused."""
    if not 200 <= diameter_mm <= 3000 or not 300 <= length_mm <= 15000:
        raise Refused(
            "diameter", f"{diameter_mm:g} x {length_mm:g} mm", "a tank 200 to 3000 across, 300 to 15000 long", "760"
        )
    if not 20 <= fill_percent <= 80:
        raise Refused("fill_percent", f"{fill_percent:g}", "20 to 80 per cent", "40")
    fahrenheit = outdoor_c * 1.8 + 32
    if not -10 <= fahrenheit <= 130:
        raise Refused("outdoor_c", f"{outdoor_c:g} C", "-23.3 to 54 C: below it the tank's maker decides", "-10")
    k, by_cold = _between(TANK_K, fill_percent), _between(TANK_F, fahrenheit)
    btu_h = diameter_mm / INCH_MM * (length_mm / INCH_MM) * k * by_cold
    step = Step(
        "draw = D x L x K x by the cold",
        (("D_in", diameter_mm / INCH_MM), ("L_in", length_mm / INCH_MM), ("K", k), ("cold", by_cold)),
        btu_h,
        "BTU/h",
        "typ",
    )
    return btu_h * BTU_H_W, step


@dataclass(frozen=True, slots=True)
class Nipple:
    """The ready nipple nearest to a centre distance: its length, the centres it gives, how far they lie from those
    asked for (plus: longer)."""

    length_mm: float
    close: bool
    centres_mm: float
    shift_mm: float
    working: tuple[Step, ...]


def nipple_for(catalogue: Catalogue, pipe: Pipe, centres_mm: float, start: str, end: str) -> Nipple:
    """The ready nipple whose centres come nearest: nipple + A - made-up at each end. start, end: elbow, elbow45, tee or
    coupling. Ready: close, to 12 in by 1/2, then 18 to 72 in (typ). Raises Refused."""
    row = catalogue.method_figures(pipe.code, pipe.size, "thread")
    if not isinstance(row, Thread) or not row.close_nipple_mm:
        raise Refused("pipe", str(pipe), "threaded pipe with ready nipples", "fe-40 1/2")
    ends = []
    for word in (start, end):
        mating = part_mating(catalogue, pipe, "thread", "45" if word == "elbow45" else word)
        if mating is None:
            raise Refused("from", word, "elbow, elbow45, tee or coupling", "elbow")
        ends.append(mating.take_off_mm)
    lengths = [row.close_nipple_mm, *(inch * INCH_MM for inch in READY_IN if inch * INCH_MM > row.close_nipple_mm + 1)]
    made = [(length + sum(ends), length) for length in lengths]
    if not 0 < centres_mm <= made[-1][0] + 300:
        raise Refused("centres", f"{centres_mm:g} mm", f"up to {made[-1][0]:.0f} mm with one nipple", "100")
    centres, length = min(made, key=lambda one: (abs(one[0] - centres_mm), one[0]))
    step = Step(
        "centres = nipple + (A - made-up) at each end",
        (("nipple_mm", length), ("from_mm", ends[0]), ("to_mm", ends[1])),
        centres,
        "mm",
        row.thread_source if hasattr(row, "thread_source") else "std",
    )
    return Nipple(length, length == row.close_nipple_mm, centres, centres - centres_mm, (step,))
