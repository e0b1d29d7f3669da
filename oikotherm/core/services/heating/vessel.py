"""The expansion vessel of a closed circuit, with the whole sum."""

from __future__ import annotations

from dataclasses import dataclass

from ...errors import Refused
from ...matter import fluid
from ...working import Step

SIZES_L = (8.0, 10.0, 12.0, 18.0, 24.0, 35.0, 50.0, 80.0, 100.0)
LEAST_PRECHARGE_BAR = 0.7
GRAVITY_M_S2 = 9.80665


@dataclass(frozen=True, slots=True)
class Vessel:
    """A vessel worked out. cold_fill_bar: as said, else least_fill_bar, which puts the reserve into it; chosen_l: of
    the usual sizes; short_l: what a built-in vessel lacks, None without one."""

    expansion_l: float
    reserve_l: float
    precharge_bar: float
    cold_fill_bar: float
    final_bar: float
    hot_bar: float
    needed_l: float
    chosen_l: float
    short_l: float | None
    steps: tuple[Step, ...]
    least_fill_bar: float = 0.0


def final_pressure_bar(safety_valve_bar: float) -> float:
    """Highest working pressure [bar]: 0.5 below the safety valve, or 10 % above 5 bar."""
    return safety_valve_bar - 0.5 if safety_valve_bar <= 5 else safety_valve_bar * 0.9


def size_vessel(
    system_volume_l: float,
    cold_c: float,
    hot_c: float,
    static_height_m: float,
    safety_valve_bar: float,
    mass_fraction: float = 0.0,
    precharge_bar: float | None = None,
    built_in_l: float | None = None,
    fill_bar: float | None = None,
) -> Vessel:
    """Size the vessel: expansion and reserve between pre-charge and final pressure. Raises Refused.

    Expansion V (rho_cold / rho_hot - 1); reserve the larger of 0.5 % and 3 L, and for vessels up to 15 L at least 20 %
    of the vessel; pre-charge static height / 10 + 0.2, at least 0.7 bar; needed (expansion + reserve)(pe + 1) / (pe -
    p0). fill_bar: the cold pressure it is filled to, where somebody said one. Source: practice after EN 12828 annex D;
    reserve and pre-charge typ.
    """
    _check(system_volume_l, cold_c, hot_c, static_height_m)
    cold, hot = fluid(cold_c, mass_fraction), fluid(hot_c, mass_fraction)
    expansion = system_volume_l * (cold.density_kg_m3 / hot.density_kg_m3 - 1)
    reserve = max(0.005 * system_volume_l, 3.0)
    wanted = max(static_height_m / 10 + 0.2, LEAST_PRECHARGE_BAR)
    precharge = wanted if precharge_bar is None else precharge_bar
    final = final_pressure_bar(safety_valve_bar)
    if final <= precharge + 0.3:
        raise Refused(
            "safety_valve_bar", safety_valve_bar, f"a valve well above the pre-charge of {precharge:.2f} bar", "3"
        )
    steps = [
        Step(
            "expansion = V x (rho_cold / rho_hot - 1)",
            (("V_l", system_volume_l), ("rho_cold_kg_m3", cold.density_kg_m3), ("rho_hot_kg_m3", hot.density_kg_m3)),
            expansion,
            "L",
            cold.source,
        ),
        Step("reserve = larger of 0.5 % of V and 3 L", (("V_l", system_volume_l),), reserve, "L", "typ"),
        Step(
            "pre-charge = larger of height / 10 + 0.2 and 0.7" if precharge_bar is None else "pre-charge as said",
            (("height_m", static_height_m),),
            precharge,
            "bar",
            "typ" if precharge_bar is None else "said",
        ),
        Step(
            "final = safety valve - 0.5" if safety_valve_bar <= 5 else "final = 0.9 x safety valve",
            (("safety_valve_bar", safety_valve_bar),),
            final,
            "bar",
            "typ",
        ),
    ]
    factor = (final + 1) / (final - precharge)
    needed = (expansion + reserve) * factor
    steps.append(
        Step(
            "needed = (expansion + reserve) x (final + 1) / (final - pre-charge)",
            (("expansion_l", expansion), ("reserve_l", reserve), ("final_bar", final), ("precharge_bar", precharge)),
            needed,
            "L",
        )
    )
    chosen = _choose(needed)
    while chosen <= 15 and max(reserve, 0.2 * chosen) > reserve:
        # a small vessel keeps a fifth of itself in reserve: step up until that holds too
        reserve = 0.2 * chosen
        needed = (expansion + reserve) * factor
        steps.append(
            Step(
                "a vessel up to 15 L keeps 20 % in reserve; needed again", (("reserve_l", reserve),), needed, "L", "typ"
            )
        )
        chosen = _choose(needed)
    steps.append(Step("chosen: the next usual size", (("needed_l", needed),), chosen, "L", "typ"))
    total = chosen if built_in_l is None else max(built_in_l, needed)
    cold_fill = max(precharge + 0.3, (precharge + 1) * total / (total - reserve) - 1)
    steps.append(
        Step(
            "cold fill = larger of pre-charge + 0.3 and what puts the reserve in",
            (("precharge_bar", precharge), ("reserve_l", reserve), ("vessel_l", total)),
            cold_fill,
            "bar",
            "typ",
        )
    )
    least_fill = cold_fill
    if fill_bar is not None:
        cold_fill = max(fill_bar, precharge)
        steps.append(Step("cold fill as said", (("fill_bar", fill_bar),), fill_bar, "bar", "said"))
    left = total * (precharge + 1) / (cold_fill + 1) - expansion
    hot_bar = total * (precharge + 1) / left - 1 if left > 0 else float("inf")
    steps.append(
        Step(
            "hot = vessel x (pre-charge + 1) / (gas left) - 1",
            (("vessel_l", total), ("gas_left_l", left)),
            min(hot_bar, 99.0),
            "bar",
        )
    )
    short = None if built_in_l is None else max(0.0, needed - built_in_l)
    return Vessel(
        expansion, reserve, precharge, cold_fill, final, hot_bar, needed, chosen, short, tuple(steps), least_fill
    )


def _choose(needed_l: float) -> float:
    """The next usual size; above the largest the need itself, rounded up to 10 L."""
    return next((size for size in SIZES_L if size >= needed_l - 1e-9), -(-needed_l // 10) * 10)


def _check(volume_l: float, cold_c: float, hot_c: float, height_m: float) -> None:
    if not 0 < volume_l <= 1e5:
        raise Refused("system_volume_l", volume_l, "a volume above 0 and up to 100 000 L", "120")
    if not cold_c < hot_c:
        raise Refused("hot_c", hot_c, f"a temperature above the cold {cold_c:g} C", "80")
    if not 0 <= height_m <= 100:
        raise Refused("static_height_m", height_m, "a height from 0 to 100 m", "5")


def pressure_at_bar(gauge_bar: float, above_m: float, density_kg_m3: float) -> float:
    """Gauge pressure [bar] so far above the gauge [m], below it with a minus sign: p - rho g h."""
    return gauge_bar - density_kg_m3 * GRAVITY_M_S2 * above_m / 1e5
