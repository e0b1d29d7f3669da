"""Writes oikotherm/core/data/fluids.csv from CoolProp (water by IF97, propylene glycol by Melinder's mixtures).

.venv/bin/python -m scripts.make_fluids          needs CoolProp, which ./check installs
"""

from __future__ import annotations

import csv
from pathlib import Path

OUT = Path(__file__).parents[1] / "oikotherm" / "core" / "data" / "fluids.csv"
PRESSURE_PA = 3e5


def row(fluid: str, temp_c: float) -> tuple[float, float, float]:
    """Density [kg/m3], dynamic viscosity [Pa s], heat capacity [J/kg K] at 3 bar. ValueError where it is frozen."""
    from CoolProp.CoolProp import PropsSI

    at = "T", temp_c + 273.15, "P", PRESSURE_PA, fluid
    return tuple(float(PropsSI(what, *at)) for what in "DVC")  # type: ignore[return-value]


def main() -> None:
    with OUT.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(
            ["medium", "mass_fraction", "temp_c", "density_kg_m3", "viscosity_pa_s", "heat_j_kg_k", "source"]
        )
        for tenths in range(7):
            fluid = "IF97::Water" if tenths == 0 else f"INCOMP::MPG[{tenths / 10}]"
            for temp_c in range(-35, 125, 5):
                if tenths == 0 and temp_c < 0 or tenths and temp_c > 100:
                    continue
                try:
                    density, viscosity, heat = row(fluid, max(temp_c, 0.01) if tenths == 0 else temp_c)
                except ValueError:
                    continue
                source = "std IAPWS-IF97" if tenths == 0 else "std Melinder 2010"
                name = "water" if tenths == 0 else "mpg"
                writer.writerow(
                    [name, tenths / 10, temp_c, f"{density:.3f}", f"{viscosity:.6g}", f"{heat:.2f}", source]
                )


if __name__ == "__main__":
    main()
