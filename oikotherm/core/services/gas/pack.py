"""What gas puts into the pack: its pipe as sized, for the authority to check, and what arrives at each appliance."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from ...quantity import convert, length_text
from ...work.steps import PackSection
from . import table
from .capacity import BTU_H_W, FOOT3_M3, FOOT_M

if TYPE_CHECKING:
    from ...layout import Layout
    from .sizing import GasNetwork


def _networks(design: Layout) -> tuple[GasNetwork, ...]:
    found: tuple[GasNetwork, ...] = design.sized["gas"].detail
    return tuple(one for one in found if one.terminals)


def _pressure(practice: str) -> Callable[[float], str]:
    """A gas pressure as the practice reads it."""
    unit = "inH2O" if practice == "north-american" else "mbar"
    word = "in w.c." if unit == "inH2O" else unit
    return lambda pascal: f"{convert(f'{pascal:.6g} Pa', unit)[0]:.2f} {word}"


def sections(design: Layout) -> PackSection | None:
    """The sections of every gas network with size, length, what fittings add, flow and pressure lost."""
    said, inch = _pressure(design.job.practice), design.job.practice == "north-american"
    unit = design.job.pace_unit
    rows = [("Gas section", "Pipe", "Length + fittings", "Flow", "Lost")]
    for net in _networks(design):
        rows.append((f"From {net.source}", net.gas.id, f"at {said(net.inlet_pa)}", net.formula, said(net.limit_pa)))
        for one in net.sections:
            flow = one.flow_m3_s * 3600
            rows.append(
                (
                    f"{one.id}, {one.start} to {one.end}",
                    str(one.pipe),
                    f"{length_text(one.length_m * 1000, unit, with_unit=True)} + "
                    f"{length_text(one.equivalent_m * 1000, unit, with_unit=True)}",
                    f"{flow / FOOT3_M3:.0f} ft3/h" if inch else f"{flow:.2f} m3/h",
                    said(one.drop_pa),
                )
            )
    return PackSection("Gas pipe as sized: a calculation, not a certificate", tuple(rows)) if len(rows) > 1 else None


def appliances(design: Layout) -> PackSection | None:
    """What every gas appliance takes, what arrives there with all on and alone, and the least it may come to."""
    said, inch = _pressure(design.job.practice), design.job.practice == "north-american"
    rows = [("Gas appliance", "Input, gross", "All on", "Alone", "At least")]
    for net in _networks(design):
        for end in net.terminals:
            watts = f"{end.wanted_w / BTU_H_W:,.0f} BTU/h" if inch else f"{end.wanted_w / 1000:.1f} kW"
            watts += " (assumed)" if end.assumed else ""
            rows.append((end.station, watts, said(end.arriving_pa), said(end.alone_pa), said(end.least_pa)))
    return PackSection("Gas pressure at the appliances", tuple(rows)) if len(rows) > 1 else None


def capacities(design: Layout) -> PackSection | None:
    """What the pipe of each network carries, size by length, by the formula it is sized with."""
    rows: list[tuple[str, ...]] = []
    for net in _networks(design):
        inch = net.formula == "north-american"
        for one in table.tables(net, design.context.catalogue):
            if not one.rows or one.code == "conn":
                continue
            at = (f"{length / FOOT_M:.0f} ft" if inch else f"{length:.0f} m" for length in one.lengths_m)
            rows.append((f"{one.code}, {table.unit(net)}", *at))
            rows += [(f"{one.code} {size}", *(table.said(net, flow) for flow in flows)) for size, flows in one.rows]
    return PackSection("What the gas pipe carries", tuple(rows)) if rows else None


PACK = (sections, appliances, capacities)
