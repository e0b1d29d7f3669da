"""What is read when fresh water runs: the pre-charge of every new vessel, a softener's log, a heater's temperatures."""

from __future__ import annotations

import functools

from ...layout import Layout
from ...quantity import pressure_said
from ...tables import read_rows
from ...work.steps import GAUGES_DIFFER_PA, CommissionLine, gauge_unit
from .expansion import set_to_pa


@functools.cache
def _lines() -> tuple[dict[str, str], ...]:
    return tuple(read_rows(__package__, "commissioning.csv"))


def commissioning(design: Layout) -> tuple[tuple[str, tuple[CommissionLine, ...]], ...]:
    """What is read of every new vessel, softener and heater, station by station."""
    found = dict(_vessels(design))
    for station in design.job.stations:
        lines = tuple(
            CommissionLine(
                f"commission:{station.id}:{row['id']}", row["says"], row["unit"], row["expected"], row["source"]
            )
            for row in _lines()
            if row["kind"] == station.kind and station.state == "new"
        )
        if lines:
            found[station.id] = lines
    return tuple(found.items())


def _vessels(design: Layout) -> tuple[tuple[str, tuple[CommissionLine, ...]], ...]:
    """The pre-charge of each new vessel on water: the supply's pressure in North America, 0.2 bar below it elsewhere
    (typ), read with no water pressure on it. Where no supply says its pressure it is read first."""
    supply_pa = max((one.data.supply_pa or 0.0 for one in design.job.stations if one.kind == "supply"), default=0.0)
    unit = gauge_unit(design.job.practice)
    american = design.job.practice == "north-american"
    wanted_pa = set_to_pa(supply_pa, design.job.practice)
    said = "the supply" if american else "0.2 bar below the supply"
    return tuple(
        (
            station.id,
            (
                CommissionLine(
                    f"commission:{station.id}:precharge",
                    "Pre-charge, no water pressure on it",
                    unit,
                    pressure_said(wanted_pa, unit).partition(" ")[0] if supply_pa else f"{said}, read at its highest",
                    "typ",
                    wanted_pa if supply_pa else None,
                    GAUGES_DIFFER_PA,
                ),
            ),
        )
        for station in design.job.stations
        if station.kind == "vessel"
        and station.state == "new"
        and {port.role for port in station.ports} & {"cold", "hot"}
    )
