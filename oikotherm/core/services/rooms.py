"""What each service adds above the job: its room. Sizes, findings, plan, tests, care, pack, calc tools and job
templates ask the rooms.

A service's folder holds a room.py with ROOM; the rooms that ship are read when they are first asked for. register()
adds one and gives the function that takes it back.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from importlib import import_module
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from . import spec

if TYPE_CHECKING:
    from ..bench.registry import Tool
    from ..network.file import SolvedNetwork
    from ..network.sized import Demand, Sized
    from ..rules.registry import Rule
    from ..work.records import Record
    from ..work.small_jobs import SmallJob
    from ..work.steps import Care, CommissionLine, PackSection, TestKind, WorkStep


D = TypeVar("D")  # core.design.Design, which asks the rooms and so is not named here


@dataclass(frozen=True, slots=True, kw_only=True)
class ServiceRoom(Generic[D]):
    """A service above the design; what it leaves out it does not have.

    demand: what its stations take; size: its networks worked out; networks: them solved, for the network file; rules:
    its findings; steps: makers of steps of the plan; tests: how it is proved; care: what comes round again; renewed:
    what of it was done by the records, key of its reminder -> due again; pack: sections of the pack; water_work: its
    draining and filling; tools: gives its calc tools by name; templates: kinds of job it begins; small_jobs: those of
    every day, each on one page; commissioning: what is read when it runs, station by station.
    """

    spec: spec.ServiceSpec
    demand: Callable[[D], tuple[Demand, ...]] | None = None
    size: Callable[[D], Sized] | None = None
    networks: Callable[[D], tuple[SolvedNetwork, ...]] | None = None
    rules: tuple[Rule, ...] = ()
    steps: tuple[Callable[[D], Iterable[WorkStep]], ...] = ()
    tests: tuple[TestKind[D], ...] = ()
    care: Callable[[D, date], Care] | None = None
    renewed: Callable[[Sequence[Record]], Mapping[str, date]] | None = None
    pack: tuple[Callable[[D], PackSection | None], ...] = ()
    water_work: Callable[[D], tuple[Any, ...]] | None = None
    tools: Callable[[], Mapping[str, Tool]] = dict
    templates: Mapping[str, Any] = field(default_factory=dict)
    small_jobs: Mapping[str, SmallJob] = field(default_factory=dict)
    commissioning: Callable[[D], tuple[tuple[str, tuple[CommissionLine, ...]], ...]] | None = None


_ROOMS: dict[str, ServiceRoom[Any]] = {}


def rooms() -> Mapping[str, ServiceRoom[Any]]:
    """Every room by its service, those that ship first."""
    if not _ROOMS:
        for ident in spec.SHIPPED:
            room: ServiceRoom[Any] = import_module(f"{__package__}.{ident}.room").ROOM
            _ROOMS[ident] = room
    return _ROOMS


def small_jobs() -> dict[str, SmallJob]:
    """Every kind of small job, by id."""
    return {kind.id: kind for room in rooms().values() for kind in room.small_jobs.values()}


def register(room: ServiceRoom[Any]) -> Callable[[], None]:
    """Make a service and its room known; gives the function that takes both back. Raises ValueError for what is
    taken."""
    rooms()
    forget = spec.register(room.spec)
    taken = sorted({rule.id for rule in room.rules} & {rule.id for other in _ROOMS.values() for rule in other.rules})
    if taken:
        forget()
        raise ValueError(f"rule {taken[0]} exists already")
    _ROOMS[room.spec.id] = room

    def take_back() -> None:
        _ROOMS.pop(room.spec.id, None)
        forget()

    return take_back
