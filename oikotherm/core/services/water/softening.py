"""A softener: what it takes out a day, how long its resin lasts, what it uses, and what it adds."""

from __future__ import annotations

import functools
from dataclasses import dataclass

from ...errors import Refused
from ...tables import read_rows
from ...working import Step

IRON_AS_HARDNESS = 60.0  # mg/L for each mg/L of iron or manganese, 50 to 70 typ
LITRES_DAY = 150.0  # a person, typ
SODIUM_OF_HARDNESS = 0.46  # mg of sodium for each mg of CaCO3 taken out: 2 x 22.99 / 100.09
MOST_SODIUM_MG_L = 200.0
INTERVAL_DAYS = (3.0, 10.0)  # aimed at, typ
DAYS_A_YEAR = 365.0


@dataclass(frozen=True, slots=True)
class Softening:
    """load_g_day: as CaCO3; capacity_g: of the resin at that salt; interval_days: with a day kept in reserve;
    salt_kg_year; sodium_mg_l: in the softened water, the raw water's among it; drop_pa: at the flow, None where no flow
    and Kv are said; notes: what to see to."""

    load_g_day: float
    capacity_g: float
    interval_days: float
    salt_kg_year: float
    sodium_mg_l: float
    drop_pa: float | None
    notes: tuple[str, ...]
    working: tuple[Step, ...]


@functools.cache
def _resin() -> tuple[tuple[float, float], ...]:
    """(salt, capacity) [g a litre of resin], rising."""
    rows = read_rows(__package__, "resin.csv")
    return tuple((float(row["salt_g_l"]), float(row["capacity_g_l"])) for row in rows)


def capacity_g_l(salt_g_l: float) -> float:
    """What a litre of resin takes out between two regenerations [g CaCO3] at a salt dose [g a litre of resin], between
    the rows of the table. Raises Refused beyond it. Source: typ."""
    rows = _resin()
    if not rows[0][0] <= salt_g_l <= rows[-1][0]:
        said = f"{rows[0][0]:g} to {rows[-1][0]:g} g a litre of resin"
        raise Refused("salt", f"{salt_g_l:g} g/L", said, f"{rows[1][0]:g}")
    (s0, c0), (s1, c1) = next(pair for pair in zip(rows, rows[1:], strict=False) if salt_g_l <= pair[1][0])
    return c0 + (c1 - c0) * (salt_g_l - s0) / (s1 - s0)


def softening(
    people: float,
    hardness_mg_l: float,
    resin_l: float,
    salt_g_l: float,
    *,
    litres_day: float = LITRES_DAY,
    iron_mg_l: float = 0.0,
    raw_sodium_mg_l: float = 0.0,
    blend_mg_l: float = 0.0,
    flow_m3_h: float | None = None,
    kv: float | None = None,
) -> Softening:
    """A softener of so much resin for so many people. hardness_mg_l: as CaCO3; blend_mg_l: what its blend valve leaves
    in the water; kv: m3/h at 1 bar. Raises Refused out of range, and where the resin does not last two days."""
    for name, value, least, most in (
        ("people", people, 0.1, 10_000),
        ("hardness", hardness_mg_l, 1, 5_000),
        ("resin", resin_l, 0.5, 10_000),
        ("litres_day", litres_day, 1, 10_000),
        ("iron", iron_mg_l, 0, 50),
        ("raw_sodium", raw_sodium_mg_l, 0, 10_000),
        ("blend", blend_mg_l, 0, 0.9 * hardness_mg_l),
    ):
        if not least <= value <= most:
            raise Refused(name, f"{value:g}", f"{least:g} to {most:g}", f"{least:g}")
    each = capacity_g_l(salt_g_l)
    soft = 1 - blend_mg_l / hardness_mg_l  # the share that runs through the resin
    counted = (hardness_mg_l + IRON_AS_HARDNESS * iron_mg_l) * soft
    load = people * litres_day * counted / 1000
    capacity = each * resin_l
    interval = (capacity - load) / load
    if interval < 1:
        said = f"{capacity:.0f} g of capacity, {load:.0f} g a day"
        raise Refused(
            "resin", said, "resin for two days at the least, one of them in reserve", f"{2 * load / each:.0f} L"
        )
    dose_kg = salt_g_l * resin_l / 1000
    year = DAYS_A_YEAR / interval * dose_kg
    sodium = raw_sodium_mg_l + SODIUM_OF_HARDNESS * hardness_mg_l * soft
    drop = (flow_m3_h / kv) ** 2 * 1e5 if flow_m3_h is not None and kv else None
    notes = []
    if not blend_mg_l:
        notes.append("no hardness is left: harsh on copper; a blend valve leaves some")
    shortest, longest = INTERVAL_DAYS
    if not shortest <= interval <= longest:
        notes.append(f"it regenerates every {interval:.1f} days; {shortest:g} to {longest:g} are aimed at")
    if sodium > MOST_SODIUM_MG_L:
        notes.append(f"{sodium:.0f} mg/L of sodium, more than {MOST_SODIUM_MG_L:g}: the drinking tap stays unsoftened")
    if flow_m3_h is not None and flow_m3_h * 1000 > 40 * resin_l:
        beds = flow_m3_h * 1000 / resin_l
        notes.append(f"{beds:.0f} bed volumes an hour: 40 is what it is made for, 60 at the peak")
    steps = (
        Step(
            "load = people x litres a day x (hardness + 60 x iron)",
            (("people", people), ("litres_day", litres_day), ("hardness_mg_l", counted)),
            load,
            "g/d",
            "typ",
        ),
        Step("capacity = resin x what a litre takes", (("resin_l", resin_l), ("g_l", each)), capacity, "g", "typ"),
        Step(
            "interval = (capacity - a day in reserve) / load",
            (("capacity_g", capacity), ("load_g_day", load)),
            interval,
            "d",
        ),
        Step("salt = 365 / interval x dose", (("interval_days", interval), ("dose_kg", dose_kg)), year, "kg/year"),
        Step(
            "sodium = raw + 0.46 x hardness taken out",
            (("raw_mg_l", raw_sodium_mg_l), ("hardness_mg_l", hardness_mg_l * soft)),
            sodium,
            "mg/L",
        ),
        *(
            (Step("drop = (flow / Kv)^2", (("flow_m3_h", flow_m3_h or 0.0), ("kv", kv or 0.0)), drop, "Pa"),)
            if drop
            else ()
        ),
    )
    return Softening(load, capacity, interval, year, sodium, drop, tuple(notes), steps)


REGENERATES_AT = 2  # o'clock: nobody draws
WEEKEND = 1.2  # typ: what a day of a weekend draws, against others


@dataclass(frozen=True, slots=True)
class SoftenerHour:
    """An hour of a softener. left_g: of its capacity at the end of it; regenerated: whether it was made new in it;
    hard_l: litres that passed unsoftened."""

    day: int
    hour: int
    left_g: float
    regenerated: bool
    hard_l: float


@functools.cache
def _day() -> tuple[float, ...]:
    """The share of a day's water of each hour (typ)."""
    return tuple(float(row["share"]) for row in read_rows(__package__, "day.csv"))


def fortnight(
    load_g_day: float, capacity_g: float, counted_mg_l: float, *, every_days: int | None = None, days: int = 14
) -> tuple[SoftenerHour, ...]:
    """A softener over days that begin on a Monday, hour by hour, new at the start. It regenerates at two in the
    morning: by demand, when less than a day is left; by time, every so many days. counted_mg_l: hardness with its iron.
    Days of a weekend draw a fifth more; the week has its mean. Raises Refused out of range."""
    if load_g_day <= 0 or capacity_g <= 0 or counted_mg_l <= 0 or not 1 <= days <= 60:
        raise Refused("load", f"{load_g_day:g} g a day", "a load, a capacity and a hardness above 0", "180")
    if every_days is not None and not 1 <= every_days <= 30:
        raise Refused("every_days", every_days, "1 to 30 days", "4")
    mean = (5 + 2 * WEEKEND) / 7
    found = []
    left, since = capacity_g, 0
    for day in range(days):
        wanted = load_g_day * (WEEKEND if day % 7 >= 5 else 1.0) / mean
        for hour, share in enumerate(_day()):
            due = left < load_g_day if every_days is None else since >= every_days
            regenerated = hour == REGENERATES_AT and due
            if regenerated:
                left, since = capacity_g, 0
            drawn = wanted * share
            passed = max(drawn - left, 0.0)
            left = max(left - drawn, 0.0)
            found.append(SoftenerHour(day, hour, left, regenerated, passed / counted_mg_l * 1000))
        since += 1
    return tuple(found)
