"""What the size of every service gives: supplies, sections, terminals, and what is still open."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ..job.model import Job, Station
from ..services import spec
from .section import PipeSection


@dataclass(frozen=True, slots=True)
class Demand:
    """What a station takes of a service at one of its ports. wanted: in the unit of its field, None where nobody has
    said it."""

    station: str
    port: str
    role: str
    field: str
    wanted: float | None


@dataclass(frozen=True, slots=True)
class Supply:
    """Where a network is fed from. pressure_pa [Pa gauge]: what stands there, None where nobody has said it."""

    source: str
    medium: str
    pressure_pa: float | None


@dataclass(frozen=True, slots=True)
class Terminal:
    """A station at the end of a network. wanted, unit: what it takes; arriving_pa, least_pa [Pa]: what is left there
    and what it needs."""

    station: str
    role: str
    wanted: float
    unit: str
    arriving_pa: float | None = None
    least_pa: float | None = None
    path: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Sized:
    """A service's networks worked out. open: what is not counted, in words; detail: what its own room and pages read
    besides; head_pa: what its pumps lift in all [Pa]."""

    service: str
    supplies: tuple[Supply, ...] = ()
    sections: tuple[PipeSection, ...] = ()
    terminals: tuple[Terminal, ...] = ()
    open: tuple[str, ...] = ()
    detail: tuple[Any, ...] = ()
    head_pa: float = 0.0


def demands(job: Job, service: str) -> tuple[Demand, ...]:
    """What the stations of a job take of a service, by the fields their kinds name for it."""
    own = {role.id for role in spec.service(service).roles}
    return tuple(
        Demand(station.id, port.name, port.role, field, getattr(station.data, field))
        for station in job.stations
        if station.state != "remove"
        for port in station.ports
        if port.role in own and (field := _field(station, port.role))
    )


def _field(station: Station, role: str) -> str:
    return spec.kind(station.kind).loads.get(role, "")
