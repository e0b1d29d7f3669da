"""Where heated water goes when the supply is closed: the vessel, and the discharge of what a relief valve gives off."""

from __future__ import annotations

import functools
import math
from collections.abc import Mapping
from dataclasses import dataclass

from ...errors import Refused
from ...matter import fluid
from ...quantity import GRAVITY_M_S2, PA_PER_BAR, parse
from ...tables import read_rows
from ...working import Step

ATMOSPHERE_PA = 101_325.0
BELOW_SETTING_PA = 0.2 * PA_PER_BAR
"""How far below the reducing valve's setting a vessel is set where it is metric (typ)."""
SHARE_OF_RELIEF = {"north-american": 0.85, "british": 0.8, "continental": 0.8}
"""The highest pressure allowed, as a share of the relief valve's setting (typ): one margin, shown."""
LEAST_FALL_MM_M = 5.0  # 1 in 200, typ


@dataclass(frozen=True, slots=True)
class ExpansionTank:
    """expansion_l: what the water grows by; needed_l: the vessel for it; chosen_l: the next that is made, None where
    none is large enough; precharge_pa: what it is set to, gauge."""

    expansion_l: float
    needed_l: float
    chosen_l: float | None
    precharge_pa: float
    working: tuple[Step, ...]


@functools.cache
def vessel_sizes_l() -> Mapping[str, tuple[float, ...]]:
    """The vessels that are made for fresh water [L], rising, by practice."""
    found: dict[str, list[float]] = {}
    for row in read_rows(__package__, "vessels.csv"):
        size_l = parse(f"{row['size']} {row['unit']}", "volume", "L") * 1000
        found.setdefault(row["practice"], []).append(size_l)
    return {practice: tuple(sorted(sizes)) for practice, sizes in found.items()}


def set_to_pa(supply_pa: float, practice: str) -> float:
    """What a vessel's pre-charge is set to [Pa gauge]: the supply's pressure in North America, 0.2 bar below it, the
    reducing valve's setting, elsewhere (typ)."""
    return supply_pa if practice == "north-american" else supply_pa - BELOW_SETTING_PA


def expansion_tank(
    heater_l: float, cold_c: float, hot_c: float, supply_pa: float, relief_pa: float, practice: str
) -> ExpansionTank:
    """The vessel for a storage heater on a closed supply. supply_pa: the highest that stands there, or the reducing
    valve's setting; relief_pa: the relief valve's setting, both gauge. Raises Refused where the figures leave no room.

    Source: expansion by the density of water (IAPWS-IF97), the vessel by Boyle's law; margins typ."""
    if not 1 <= heater_l <= 20_000:
        raise Refused("heater", f"{heater_l:g} L", "1 to 20,000 L", "40 gal")
    if not 0 < cold_c < hot_c <= 99:
        raise Refused("hot_c", f"{cold_c:g} to {hot_c:g} C", "cold above 0, hot above it and up to 99 C", "10 and 60")
    american = practice == "north-american"
    precharge_pa = set_to_pa(supply_pa, practice)
    share = SHARE_OF_RELIEF[practice]
    most_pa = share * relief_pa
    if not 0 < precharge_pa < most_pa <= 2e6:
        said = f"supply {supply_pa / PA_PER_BAR:.2f} bar, relief {relief_pa / PA_PER_BAR:.2f} bar"
        raise Refused("supply", said, f"a supply below {share:g} x the relief valve: a reducing valve first", "60 psi")
    cold, hot = fluid(cold_c).density_kg_m3, fluid(hot_c).density_kg_m3
    growth = cold / hot - 1
    expansion_l = heater_l * growth
    low, high = precharge_pa + ATMOSPHERE_PA, most_pa + ATMOSPHERE_PA
    needed_l = expansion_l / (1 - low / high)
    chosen = next((size for size in vessel_sizes_l()[practice] if size >= needed_l - 1e-9), None)
    steps = (
        Step(
            "expansion = heater x (density cold / hot - 1)",
            (("heater_l", heater_l), ("cold_kg_m3", cold), ("hot_kg_m3", hot)),
            expansion_l,
            "L",
            "IAPWS-IF97",
        ),
        Step(
            "pre-charge = the supply" if american else "pre-charge = the supply less 0.2 bar",
            (("supply_bar", supply_pa / PA_PER_BAR),),
            precharge_pa / PA_PER_BAR,
            "bar",
            "typ",
        ),
        Step(
            f"highest = {share:g} x relief",
            (("relief_bar", relief_pa / PA_PER_BAR),),
            most_pa / PA_PER_BAR,
            "bar",
            "typ",
        ),
        Step(
            "vessel = expansion / (1 - pre-charge / highest), absolute",
            (
                ("expansion_l", expansion_l),
                ("precharge_abs_bar", low / PA_PER_BAR),
                ("highest_abs_bar", high / PA_PER_BAR),
            ),
            needed_l,
            "L",
            "Boyle's law",
        ),
    )
    return ExpansionTank(expansion_l, needed_l, chosen, precharge_pa, steps)


EMPTY_KG, EMPTY_KG_L = 1.0, 0.2  # typ: a vessel without water: so much, and for each litre
BODY_MM = 60.0  # typ: from the pipe's centre to where the vessel begins


@dataclass(frozen=True, slots=True)
class Hung:
    """A vessel held by pipe alone. full_kg: waterlogged; arm_mm: from the pipe's centre to its middle; moment_n_m on
    the pipe where it sticks out level; limit_n_m: what the pipe bears without a bracket, None where it is not known."""

    full_kg: float
    arm_mm: float
    moment_n_m: float
    limit_n_m: float | None

    @property
    def holds(self) -> bool:
        return self.limit_n_m is not None and self.moment_n_m <= self.limit_n_m + 1e-9


@functools.cache
def _limits() -> Mapping[tuple[str, str], float]:
    return {(row["family"], row["size"]): float(row["limit_n_m"]) for row in read_rows(__package__, "hung.csv")}


def hung(volume_l: float, family: str, size: str, arm_mm: float | None = None) -> Hung:
    """A vessel of so many litres on a stub of pipe of a family and size. arm_mm: measured, else by a vessel twice as
    long as it is wide (typ). Raises Refused out of range."""
    if not 0 < volume_l <= 1000 or arm_mm is not None and not 0 <= arm_mm <= 2000:
        raise Refused("volume", f"{volume_l:g} L", "above 0 and up to 1000 L, an arm of up to 2 m", "8 L")
    full = EMPTY_KG + EMPTY_KG_L * volume_l + volume_l
    across_mm = (2 * volume_l / math.pi) ** (1 / 3) * 100
    arm = BODY_MM + across_mm if arm_mm is None else arm_mm
    return Hung(full, arm, full * GRAVITY_M_S2 * arm / 1000, _limits().get((family, size)))


@dataclass(frozen=True, slots=True)
class Discharge:
    """ok: whether the pipe may be so; longest_m: straight, once its bends are taken off; why: what is wrong, or what
    holds."""

    ok: bool
    longest_m: float
    why: tuple[str, ...]


@functools.cache
def _longest() -> Mapping[tuple[str, str], float]:
    return {(row["d1_mm"], row["size"]): float(row["longest_m"]) for row in read_rows(__package__, "discharge.csv")}


@functools.cache
def _bend_m() -> Mapping[str, float]:
    return {row["size"]: float(row["metres"]) for row in read_rows(__package__, "discharge_bends.csv")}


def discharge_pipe(d1: str, size: str, length_m: float, bends: int, fall_mm_m: float) -> Discharge:
    """The pipe after a tundish of an unvented hot water store, copper. d1: the size of the pipe before it (15, 22 or
    28); size: of this one; bends: how many. Raises Refused for what the table has not. Source: typ table by outlet;
    local code and the maker decide."""
    table = _longest()
    firsts = sorted({first for first, _ in table})
    if d1 not in firsts:
        raise Refused("d1", d1, f"the pipe between valve and tundish: {', '.join(firsts)}", "15")
    sizes = [other for first, other in table if first == d1]
    if not 0 <= length_m <= 1000 or not 0 <= bends <= 200 or not -1000 <= fall_mm_m <= 1000:
        said = f"{length_m:g} m, {bends} bends, {fall_mm_m:g} mm/m"
        raise Refused("length", said, "up to 1000 m, 200 bends, a fall of up to 1000 mm/m", "6 m")
    if size not in sizes:
        smaller = size.replace(".", "", 1).isdigit() and float(size) < float(sizes[0])
        if not smaller:
            raise Refused("bore", size, f"a size after {d1}: {', '.join(sizes)}", sizes[0])
        return Discharge(False, 0.0, (f"{size} after {d1} is too small: at least {sizes[0]}",))
    each = _bend_m()[size]
    longest = max(table[d1, size] - bends * each, 0.0)
    why = []
    if length_m > longest + 1e-9:
        larger = next((one for one in sizes if _room(d1, one, bends) >= length_m - 1e-9), None)
        way = f"take {larger}" if larger else "no size of the table takes it: a shorter way, or the maker's sum"
        why.append(f"{length_m:g} m with {bends} bends is longer than {longest:g} m: {way}")
    if fall_mm_m < LEAST_FALL_MM_M - 1e-9:
        why.append(f"it falls {fall_mm_m:g} mm a metre, {LEAST_FALL_MM_M:g} at least: 1 in 200")
    return Discharge(not why, longest, tuple(why) or (f"{table[d1, size]:g} m less {bends} bends of {each:g} m",))


def _room(d1: str, size: str, bends: int) -> float:
    return _longest()[d1, size] - bends * _bend_m()[size]
