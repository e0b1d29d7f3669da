"""What flows: water and water with propylene glycol, from a table made by scripts/make_fluids.py."""

from __future__ import annotations

import functools
import math
import re
from bisect import bisect_right
from dataclasses import dataclass

from .errors import Refused
from .tables import CORE, read_rows


@dataclass(frozen=True, slots=True)
class Fluid:
    """Properties at one temperature: density [kg/m3], dynamic viscosity [Pa s], heat capacity [J/kg K]."""

    name: str
    temp_c: float
    density_kg_m3: float
    viscosity_pa_s: float
    heat_j_kg_k: float
    source: str


Row = tuple[float, float, float, float]  # temperature, density, log viscosity, heat


@functools.cache
def _table() -> dict[float, tuple[tuple[Row, ...], str]]:
    rows: dict[float, list[Row]] = {}
    sources: dict[float, str] = {}
    for r in read_rows(CORE, "fluids.csv"):
        fraction = float(r["mass_fraction"])
        sources[fraction] = r["source"]
        rows.setdefault(fraction, []).append(
            (
                float(r["temp_c"]),
                float(r["density_kg_m3"]),
                math.log(float(r["viscosity_pa_s"])),
                float(r["heat_j_kg_k"]),
            )
        )
    return {fraction: (tuple(found), sources[fraction]) for fraction, found in rows.items()}


def _at(rows: tuple[Row, ...], temp_c: float) -> tuple[float, float, float] | None:
    """Between two rows of one mixture; None outside them. Density by parabola through three, for the sake of
    expansion."""
    if not rows[0][0] <= temp_c <= rows[-1][0]:
        return None
    high = min(bisect_right([row[0] for row in rows], temp_c), len(rows) - 1)
    a, b = rows[high - 1], rows[high]
    share = (temp_c - a[0]) / (b[0] - a[0])
    c = rows[high + 1] if high + 1 < len(rows) else rows[high - 2]
    step = (temp_c - a[0]) * (temp_c - b[0])
    bend = ((c[1] - a[1]) / (c[0] - a[0]) - (b[1] - a[1]) / (b[0] - a[0])) / (c[0] - b[0])
    density = a[1] + (b[1] - a[1]) * share + bend * step
    return density, a[2] + (b[2] - a[2]) * share, a[3] + (b[3] - a[3]) * share


def fluid(temp_c: float, mass_fraction: float = 0.0) -> Fluid:
    """Water, or water with that mass fraction of propylene glycol, at a temperature [C].

    Water 0 to 120 C; mixtures 0 < fraction <= 0.6 from where they freeze to 100 C. Raises Refused outside.
    Source: IAPWS-IF97; Melinder's mixture fits, both through CoolProp 8.0.0.
    """
    table = _table()
    name = "water" if mass_fraction == 0 else f"water + {mass_fraction * 100:.3g} % propylene glycol"
    if not 0 <= mass_fraction <= 0.6:
        raise Refused("mass_fraction", mass_fraction, "a share of propylene glycol by mass from 0 to 0.6", "0.3")
    low = math.floor(mass_fraction * 10 + 1e-9) / 10
    high = low if abs(mass_fraction - low) < 1e-9 else round(low + 0.1, 1)
    found = [_at(table[share][0], temp_c) for share in (low, high)]
    if found[0] is None or found[1] is None:
        warm = 120 if mass_fraction == 0 else 100
        cold = max(table[low][0][0][0], table[high][0][0][0])
        raise Refused("temp_c", temp_c, f"{name} between {cold:g} and {warm} C", "70")
    share = (mass_fraction - low) * 10 if high > low else 0.0
    density, viscosity, heat = (a + (b - a) * share for a, b in zip(found[0], found[1], strict=True))
    return Fluid(name, temp_c, density, math.exp(viscosity), heat, table[high][1])


def read_medium(said: str) -> float:
    """ "water" or "water + 30 % propylene glycol" as the mass fraction of glycol. Raises Refused."""
    text = " ".join(said.lower().split())
    if text == "water":
        return 0.0
    found = re.fullmatch(r"(?:water \+ )?(\d{1,2}(?:\.\d+)?) ?% (?:propylene glycol|glycol|mpg)", text)
    if not found or float(found[1]) > 60:
        raise Refused(
            "medium", said, "water, or water + up to 60 % propylene glycol by mass", "water + 30 % propylene glycol"
        )
    return round(float(found[1]) / 100, 6)
