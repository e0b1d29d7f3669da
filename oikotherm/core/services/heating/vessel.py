"""The expansion vessel of a closed circuit, with the whole sum."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ...errors import Refused
from ...matter import fluid
from ...quantity import GRAVITY_M_S2
from ...working import Step

SIZES_L = (8.0, 10.0, 12.0, 18.0, 24.0, 35.0, 50.0, 80.0, 100.0)
LEAST_PRECHARGE_BAR = 0.7
SMALL_L, SMALL_SHARE = 15.0, 0.2  # a vessel up to this keeps this share of itself in reserve
LARGE_SHARE, LARGE_L = 0.005, 3.0  # a larger one: of the water in the system, and at least
MOST_L = 1e6
LEAST_FILL_BAR = 0.3  # the cold fill lies at least this over the pre-charge


@dataclass(frozen=True, slots=True)
class Vessel:
    """A vessel worked out."""

    expansion_l: float
    """What the water grows by from cold to hot."""
    reserve_l: float
    """What stands in the vessel cold: of the vessel chosen, or of those that are there."""
    precharge_bar: float
    cold_fill_bar: float
    """As said, else least_fill_bar."""
    final_bar: float
    """The highest working pressure the safety valve allows."""
    hot_bar: float
    """With the vessel chosen, or with those that are there and the second one they need."""
    needed_l: float
    """What expansion and reserve take, of the vessel chosen or of those that are there."""
    chosen_l: float
    """The first usual size that holds."""
    short_l: float | None
    """What the vessels that are there lack; None without one."""
    steps: tuple[Step, ...]
    least_fill_bar: float = 0.0
    """The cold fill that puts the reserve in."""
    second_l: float = 0.0
    """The smallest usual size that holds together with the vessels that are there; 0 where they hold, or none is."""


@dataclass(frozen=True, slots=True)
class _Sum:
    """The sum of one circuit: expansion [L] and the pressures [bar gauge] its vessel works between."""

    volume_l: float
    expansion_l: float
    precharge_bar: float
    final_bar: float

    def reserve_l(self, vessel_l: float) -> float:
        """What a vessel, or several together, keep in reserve [L]."""
        return SMALL_SHARE * vessel_l if vessel_l <= SMALL_L else max(LARGE_SHARE * self.volume_l, LARGE_L)

    def needed_l(self, vessel_l: float) -> float:
        """(Ve + Vwr)(pe + 1) / (pe - p0) with the reserve of a vessel of that size [L]."""
        factor = (self.final_bar + 1) / (self.final_bar - self.precharge_bar)
        return (self.expansion_l + self.reserve_l(vessel_l)) * factor

    def fill_bar(self, vessel_l: float) -> float:
        """The cold fill: what puts the reserve in, at least 0.3 bar over the pre-charge."""
        left_l = vessel_l - self.reserve_l(vessel_l)
        puts_in_bar = (self.precharge_bar + 1) * vessel_l / left_l - 1 if left_l > 0 else float("inf")
        return max(self.precharge_bar + LEAST_FILL_BAR, puts_in_bar)

    def gas_left_l(self, vessel_l: float, fill_bar: float) -> float:
        """The gas in the vessel when the water is hot [L]."""
        return vessel_l * (self.precharge_bar + 1) / (fill_bar + 1) - self.expansion_l

    def hot_bar(self, vessel_l: float, fill_bar: float) -> float:
        """The pressure when the water is hot."""
        left_l = self.gas_left_l(vessel_l, fill_bar)
        return vessel_l * (self.precharge_bar + 1) / left_l - 1 if left_l > 0 else float("inf")

    def holds(self, vessel_l: float) -> bool:
        """Whether it takes expansion and reserve, and stays under the final pressure when it is filled as it should
        be."""
        hot_bar = self.hot_bar(vessel_l, self.fill_bar(vessel_l))
        return self.needed_l(vessel_l) <= vessel_l + 1e-9 and hot_bar <= self.final_bar + 1e-9

    def first_size_l(self, beside_l: float = 0.0) -> float:
        """The first usual size that holds, alone or beside vessels that are there; above the largest in steps of
        10 L, and of a twentieth from 1,000 L on. Raises Refused where the pressures lie too near each other."""
        size = next((size for size in SIZES_L if self.holds(size + beside_l)), SIZES_L[-1])
        while not self.holds(size + beside_l):
            size = -(-max(size + 10.0, size * 1.05) // 10) * 10 if size >= 1000 else size + 10.0
            if size > MOST_L:
                said = f"{self.final_bar:.2f} bar over a pre-charge of {self.precharge_bar:.2f} bar"
                raise Refused("safety_valve_bar", said, "pressures farther apart, for any vessel to hold", "3")
        return size


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

    Expansion V (rho_cold / rho_hot - 1). Reserve: vessels up to 15 L keep 20 % of themselves, larger ones the larger of
    0.5 % of V and 3 L; of several vessels it is taken on their sum. Pre-charge static height / 10 + 0.2, at least 0.7
    bar. The first size that takes (expansion + reserve)(pe + 1) / (pe - p0) and stays under pe when hot. built_in_l: of
    all vessels that are there. fill_bar: the cold pressure it is filled to, where somebody said one. Source: EN 12828
    annex D; pre-charge and sizes typ.
    """
    _check(system_volume_l, cold_c, hot_c, static_height_m)
    cold, hot = fluid(cold_c, mass_fraction), fluid(hot_c, mass_fraction)
    expansion = system_volume_l * (cold.density_kg_m3 / hot.density_kg_m3 - 1)
    wanted = max(static_height_m / 10 + 0.2, LEAST_PRECHARGE_BAR)
    precharge = wanted if precharge_bar is None else precharge_bar
    final = final_pressure_bar(safety_valve_bar)
    if final <= precharge + LEAST_FILL_BAR:
        raise Refused(
            "safety_valve_bar", safety_valve_bar, f"a valve well above the pre-charge of {precharge:.2f} bar", "3"
        )
    work = _Sum(system_volume_l, expansion, precharge, final)
    chosen = work.first_size_l()
    second = 0.0
    if built_in_l is not None and not work.holds(built_in_l):
        second = work.first_size_l(built_in_l)
    total = chosen if built_in_l is None else built_in_l + second
    least_fill = work.fill_bar(total)
    cold_fill = least_fill if fill_bar is None else max(fill_bar, precharge)
    hot_bar = work.hot_bar(total, cold_fill)
    judged = chosen if built_in_l is None else built_in_l
    needed = work.needed_l(judged)
    if built_in_l is not None and second:  # where only its hot pressure is too high, it lacks the least there is
        needed = max(needed, built_in_l + 0.1)
    grown = Step(
        "expansion = V x (rho_cold / rho_hot - 1)",
        (("V_l", system_volume_l), ("rho_cold_kg_m3", cold.density_kg_m3), ("rho_hot_kg_m3", hot.density_kg_m3)),
        expansion,
        "L",
        cold.source,
    )
    charged = Step(
        "pre-charge = larger of height / 10 + 0.2 and 0.7" if precharge_bar is None else "pre-charge as said",
        (("height_m", static_height_m),),
        precharge,
        "bar",
        "typ" if precharge_bar is None else "said",
    )
    valve = "final = safety valve - 0.5" if safety_valve_bar <= 5 else "final = 0.9 x safety valve"
    limit = Step(valve, (("safety_valve_bar", safety_valve_bar),), final, "bar", "typ")
    steps = (
        grown,
        charged,
        limit,
        *_vessel_steps(work, judged, second, built_in_l is not None),
        *_fill_steps(work, total, fill_bar),
    )
    return Vessel(
        expansion,
        work.reserve_l(total),
        precharge,
        cold_fill,
        final,
        hot_bar,
        needed,
        chosen,
        None if built_in_l is None else max(0.0, needed - built_in_l),
        steps,
        least_fill,
        second,
    )


def _vessel_steps(work: _Sum, vessel_l: float, second_l: float, there: bool) -> Iterator[Step]:
    """The sum of the vessel that is judged, and of the second one it needs."""
    for size, word in ((vessel_l, "there" if there else "chosen"), (vessel_l + second_l, "both together")):
        if word == "both together" and not second_l:
            continue
        if size <= SMALL_L:
            yield Step(
                f"reserve = 20 % of a vessel up to 15 L, {word}",
                (("vessel_l", size),),
                work.reserve_l(size),
                "L",
                "std EN 12828",
            )
        else:
            yield Step(
                f"reserve = larger of 0.5 % of V and 3 L, {word}",
                (("V_l", work.volume_l), ("vessel_l", size)),
                work.reserve_l(size),
                "L",
                "std EN 12828",
            )
        yield Step(
            "needed = (expansion + reserve) x (final + 1) / (final - pre-charge)",
            (
                ("expansion_l", work.expansion_l),
                ("reserve_l", work.reserve_l(size)),
                ("final_bar", work.final_bar),
                ("precharge_bar", work.precharge_bar),
            ),
            work.needed_l(size),
            "L",
        )
    if not there:
        yield Step("chosen: the first usual size that holds", (), vessel_l, "L", "typ")
    elif second_l:
        yield Step("second: the first usual size that holds beside it", (("there_l", vessel_l),), second_l, "L", "typ")


def _fill_steps(work: _Sum, total_l: float, fill_bar: float | None) -> Iterator[Step]:
    """The cold fill and what the pressure comes to when hot."""
    least = work.fill_bar(total_l)
    yield Step(
        "cold fill = larger of pre-charge + 0.3 and what puts the reserve in",
        (("precharge_bar", work.precharge_bar), ("reserve_l", work.reserve_l(total_l)), ("vessel_l", total_l)),
        least,
        "bar",
        "typ",
    )
    cold = least if fill_bar is None else max(fill_bar, work.precharge_bar)
    if fill_bar is not None:
        yield Step("cold fill as said", (("fill_bar", fill_bar),), fill_bar, "bar", "said")
    yield Step(
        "hot = vessel x (pre-charge + 1) / (gas left) - 1",
        (("vessel_l", total_l), ("gas_left_l", work.gas_left_l(total_l, cold))),
        min(work.hot_bar(total_l, cold), 99.0),
        "bar",
    )


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
