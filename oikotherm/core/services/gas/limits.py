"""What pressure an appliance takes at its inlet, by its plate or as is usual."""

from __future__ import annotations

from ...job.model import Station
from ...quantity import INH2O_PA

LIMITS_PA = {
    ("natural", False): (1700.0, 2500.0),
    ("propane", False): (2500.0, 4500.0),
    ("butane", False): (2000.0, 3500.0),
    ("natural", True): (5 * INH2O_PA, 14 * INH2O_PA),
    ("propane", True): (11 * INH2O_PA, 14 * INH2O_PA),
    ("butane", True): (11 * INH2O_PA, 14 * INH2O_PA),
}
"""(gas, North American): least and most pressure at an appliance's inlet [Pa] (typ; its plate governs)."""


def limits_of(station: Station, gas: str, practice: str) -> tuple[float, float]:
    """Least and most pressure at an appliance's inlet [Pa gauge]: by its plate, else the usual ones (typ)."""
    least, most = LIMITS_PA[gas, practice == "north-american"]
    return station.data.least_inlet_pa or least, station.data.most_inlet_pa or most
