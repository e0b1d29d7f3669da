"""Taps opened together: what each still gives, and at what pressure."""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass

from .network import WaterEnd, WaterNetwork, loss_pa, pressures

MIXED_C, HOT_C, COLD_C = 40.0, 60.0, 10.0
HOT_SHARE = (MIXED_C - COLD_C) / (HOT_C - COLD_C)  # of a mixer that gives 40 C from 60 and 10


@dataclass(frozen=True, slots=True)
class OpenTap:
    """An outlet among those open. alone_l_s: what it gives with nothing else open; flow_l_s: now; pressure_pa: at its
    worse port [Pa gauge]; starves: less than it needs."""

    station: str
    alone_l_s: float
    flow_l_s: float
    pressure_pa: float
    starves: bool

    @property
    def falls(self) -> float:
        """The share of its flow it has lost."""
        return 1 - self.flow_l_s / self.alone_l_s if self.alone_l_s else 0.0


def open_taps(net: WaterNetwork, opened: Collection[str]) -> tuple[OpenTap, ...]:
    """The outlets (stations) that are open together, as they run. Each is opened so far that alone it gives its design
    flow, a mixer at 40 C; its flow then goes with the root of the pressure at it. Stations that are not of the network
    are left out. Solved as a whole, by least squares on the pressures."""
    ends = [end for end in net.ends if end.station in set(opened)]
    if not ends:
        return ()
    wanted = {end.port: end.wanted_l_s * _share(end, ends) for end in ends}
    valve = {}  # flow over the root of the pressure
    for end in ends:
        alone = _pressures(net, {other.port: wanted[other.port] for other in ends if other.station == end.station})
        valve[end.port] = wanted[end.port] / math.sqrt(alone[end.port]) if alone[end.port] > 0 else 0.0
    flows = _solved(net, wanted, valve)
    at = _pressures(net, flows)
    found = []
    for station in dict.fromkeys(end.station for end in ends):
        own = [end for end in ends if end.station == station]
        found.append(
            OpenTap(
                station,
                sum(wanted[end.port] if valve[end.port] else 0.0 for end in own),
                sum(flows[end.port] for end in own),
                min(at[end.port] for end in own),
                any(at[end.port] < end.least_pa - 1e-6 for end in own),
            )
        )
    return tuple(found)


def _share(end: WaterEnd, ends: list[WaterEnd]) -> float:
    """The share of its outlet's flow that comes by this port."""
    if sum(other.station == end.station for other in ends) < 2:
        return 1.0
    return HOT_SHARE if end.role == "hot" else 1 - HOT_SHARE


def _pressures(net: WaterNetwork, flows_l_s: dict[str, float]) -> dict[str, float]:
    """Port -> pressure there [Pa gauge] at such flows."""
    through = dict.fromkeys((one.id for one in net.sections), 0.0)
    for end in net.ends:
        for ident in end.path:
            through[ident] += flows_l_s.get(end.port, 0.0)
    at = pressures(net, {one.id: loss_pa(one, through[one.id]) for one in net.sections})
    return {end.port: at[end.path[-1]] for end in net.ends}


def _solved(net: WaterNetwork, wanted: dict[str, float], valve: dict[str, float]) -> dict[str, float]:
    """Port -> flow [L/s] at which every tap gives what its pressure drives through it."""
    from scipy.optimize import least_squares  # not before it is asked for

    ports = [port for port in wanted if valve[port] > 0]
    if not ports:
        return dict.fromkeys(wanted, 0.0)

    def misses(shares: list[float]) -> list[float]:
        flows = {port: float(share) * wanted[port] for port, share in zip(ports, shares, strict=True)}
        at = _pressures(net, flows)
        return [(at[port] - (flows[port] / valve[port]) ** 2) / 1e5 for port in ports]

    solved = least_squares(misses, [0.7] * len(ports), bounds=(1e-6, 2.0), xtol=1e-10, ftol=1e-12, gtol=1e-12)
    flows = {port: float(share) * wanted[port] for port, share in zip(ports, solved.x, strict=True)}
    return {port: flows.get(port, 0.0) for port in wanted}
