"""The pressure ladders of gas and water networks: the same for the page and for paper."""

from __future__ import annotations

from functools import partial

from ..core.job.model import Job
from ..core.quantity import INH2O_PA, PA_PER_BAR, PA_PER_PSI, convert, length_text, pressure_said
from ..core.services.gas.capacity import PSI_PA
from ..core.services.gas.sizing import GasNetwork
from ..core.services.water.network import WaterNetwork
from ..core.work.steps import gauge_unit
from .pressure_ladder import Way, ladder

PSI_FROM_PA = 10_000.0  # from here gas is said in psi, below in inches of water


def gas_ladder(job: Job, net: GasNetwork, *, wide: bool = True) -> str:
    """Pressure from the meter to each appliance, as SVG."""
    inch = job.practice == "north-american"

    def said(pressure_pa: float) -> str:
        unit = "psi" if inch and abs(pressure_pa) >= PSI_FROM_PA else "inH2O" if inch else "mbar"
        value, _ = convert(f"{pressure_pa:.6g} Pa", unit)
        return f"{value:.1f} {'in' if unit == 'inH2O' else unit}"

    unit_pa = PSI_PA if inch and net.inlet_pa >= PSI_FROM_PA else INH2O_PA if inch else 100.0
    length = partial(length_text, unit=job.pace_unit, with_unit=True)
    return ladder(net.source, net.inlet_pa, _gas_ways(net), said, length, wide=wide, unit_pa=unit_pa)


def water_ladder(job: Job, net: WaterNetwork, *, wide: bool = True) -> str:
    """Pressure from the supply to each outlet, as SVG."""
    unit = gauge_unit(job.practice)
    unit_pa = PA_PER_PSI if unit == "psi" else PA_PER_BAR
    length = partial(length_text, unit=job.pace_unit, with_unit=True)
    said = partial(pressure_said, unit=unit)
    ways = _water_ways(net)
    return ladder(net.source, net.inlet_pa, ways, said, length, wide=wide, what="outlet", unit_pa=unit_pa)


def _gas_ways(net: GasNetwork) -> list[Way]:
    """The way to each appliance, step by step."""
    own = {one.id: one for one in net.sections}
    ways = []
    for end in net.terminals:
        at, steps = net.inlet_pa, []
        for ident in end.path:
            before, at = at, at - own[ident].drop_pa
            steps.append((ident, own[ident].length_m, before, at))
        ways.append(Way(end.station, tuple(steps), end.least_pa, end.on))
    return ways


def _water_ways(net: WaterNetwork) -> list[Way]:
    """The way to each outlet, step by step: of an outlet with two ports that with less to spare."""
    own = {one.id: one for one in net.sections}
    worst = {}
    for end in sorted(net.ends, key=lambda end: -end.margin_pa):
        worst[end.station] = end
    ways = []
    for end in worst.values():
        at, steps = net.inlet_pa, []
        for ident in end.path:
            before, at = at, own[ident].end_pa
            steps.append((ident, own[ident].length_m, before, at))
        ways.append(Way(end.station, tuple(steps), end.least_pa, role=end.role))
    return ways
