"""The pressure ladder: from the source to a burner step by step, each with pressure before and after and its limits."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from ...job.model import Job, Station
from .. import spec
from .limits import limits_of
from .sizing import GasNetwork

Kind = Literal["source", "regulator", "pipe", "connector", "burner"]


@dataclass(frozen=True, slots=True)
class Rung:
    """A step of the ladder. name: of the section or station; title: what it is; before_pa: None where nothing says it;
    least_pa, most_pa: what the pressure behind it may be, None without a limit. All [Pa gauge]."""

    kind: Kind
    name: str
    title: str
    before_pa: float | None
    after_pa: float
    least_pa: float | None = None
    most_pa: float | None = None

    @property
    def holds(self) -> bool:
        """Whether what is behind it lies within its limits."""
        low = self.least_pa is not None and self.after_pa < self.least_pa - 1
        return not low and not (self.most_pa is not None and self.after_pa > self.most_pa * 1.001)


def rungs(job: Job, nets: Sequence[GasNetwork], net: GasNetwork, station: str) -> tuple[Rung, ...]:
    """The ladder to a station of a network with all appliances on; what feeds its source comes first. Raises KeyError
    for a station that is not at an end of it."""
    end = next((one for one in net.terminals if one.station == station), None)
    if end is None:
        raise KeyError(station)
    own = {one.id: one for one in net.sections}
    found = [*_source(job, nets, net, frozenset({station}))]
    at = net.inlet_pa
    for ident in end.path:
        one = own[ident]
        kind: Kind = "connector" if one.pipe.code == "conn" else "pipe"
        found.append(Rung(kind, ident, f"{one.pipe}", at, at - one.drop_pa))
        at -= one.drop_pa
    burner = job.station(station)
    if burner is not None:
        least, most = limits_of(burner, net.gas.id, job.practice)
        title = _title(burner)
        if burner.kind == "regulator":
            found.append(Rung("regulator", station, title, at, at))
        else:
            found.append(Rung("burner", station, title, at, at, max(least, end.least_pa), most))
    return tuple(found)


def _source(job: Job, nets: Sequence[GasNetwork], net: GasNetwork, seen: frozenset[str]) -> list[Rung]:
    """The station a network begins at, behind what feeds it."""
    ident = net.source.partition(".")[0]
    station = job.station(ident)
    if station is None:
        return []
    fed = next(
        (other for other in nets if other is not net and any(end.station == ident for end in other.terminals)), None
    )
    title = _title(station)
    if fed is None or ident in seen:
        return [Rung("source", ident, title, station.data.supply_pa, net.inlet_pa)]
    before = [*rungs(job, [one for one in nets if one is not net], fed, ident)][:-1]
    return [*before, Rung("regulator", ident, title, before[-1].after_pa if before else None, net.inlet_pa)]


def _title(station: Station) -> str:
    kind = spec.kind(station.kind)
    return kind.variant(station.variant).title if station.variant else kind.title()
