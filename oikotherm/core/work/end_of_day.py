"""Before anybody goes home: open ends, gas dead or proved, water on again, what is to be lit, what is out of use."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from ..layout import Layout
from ..services import spec
from .state import HouseState, PieceState, after, house_of
from .steps import WorkStep

MOST_NAMED = 8
Stands = Literal["right", "see to it", "stop"]


@dataclass(frozen=True, slots=True)
class Leave:
    """A line of the check. stands: right; see to it: the customer is told; stop: nobody goes before it is done."""

    id: str
    stands: Stands
    says: str


def end_of_day(design: Layout, done: Sequence[WorkStep], proved: Mapping[str, bool]) -> tuple[Leave, ...]:
    """What is checked before the house is left after these steps. proved: service -> whether all its sections with
    pipe that is made have passed. Order: what stops first."""
    house = house_of(design)
    first, now = after(design, ()), after(design, done)
    shut_off = any(effect.kind == "isolate" and effect.key == "gas" for step in done for effect in step.effects)
    found = [
        *_ends(design, now),
        *_gas(design, now, shut_off, proved.get("gas", False)),
        *_water(design, first, now, proved.get("water", False)),
        *_out_of_use(first, now),
    ]
    lit = {effect.key for step in done for effect in step.effects if effect.kind == "light"}
    waits = [
        ident
        for ident in house.stations
        if shut_off and house.burns(ident) and ident not in lit and (first.stations[ident] or now.stations[ident])
    ]
    if waits:
        found.append(Leave("relight", "see to it", f"Not lit again: {', '.join(waits)}; by the licensed person"))
    order = {"stop": 0, "see to it": 1, "right": 2}
    return tuple(sorted(found, key=lambda one: order[one.stands]))


def _runs(design: Layout, state: HouseState, wanted: tuple[PieceState, ...], service: str) -> list[str]:
    """The runs of a service with a piece in one of these states."""
    house = house_of(design)
    return list(
        dict.fromkeys(
            house.work.straights[key].run
            for key, one in state.straights.items()
            if one in wanted and house.service[key] == service
        )
    )


def _named(runs: Sequence[str]) -> str:
    """Runs by name; counted where they are many."""
    return ", ".join(runs) if len(runs) <= MOST_NAMED else f"{len(runs)} runs"


def _services(design: Layout, state: HouseState) -> list[str]:
    """The services with pipe there."""
    house = house_of(design)
    there = {house.service[key] for key, one in state.straights.items() if one != "absent"}
    return [one for one in spec.services() if one in there and not spec.service(one).runs_off]


def _ends(design: Layout, now: HouseState) -> list[Leave]:
    found = []
    for service in _services(design, now):
        opened, unfilled = _runs(design, now, ("open",), service), _runs(design, now, ("new",), service)
        if opened:
            found.append(Leave(f"open/{service}", "stop", f"Open ends on {_named(opened)}: cap them"))
        if unfilled:
            title = spec.service(service).title.lower()
            said = f"New {title} pipe, not yet proved: {_named(unfilled)}; every end capped or plugged"
            found.append(Leave(f"new/{service}", "see to it", said))
    return found or [Leave("open", "right", "No open end")]


def _gas(design: Layout, now: HouseState, shut_off: bool, proved: bool) -> list[Leave]:
    if "gas" not in _services(design, now) and not shut_off:
        return []
    live = _runs(design, now, ("live",), "gas")
    if not live:
        return [Leave("gas", "right", "Gas is dead: shut at its source, locked off, label on the valve")]
    if proved or not _new(design, live):
        return [Leave("gas", "right", "Gas is on, in proved pipe")]
    return [Leave("gas", "stop", f"Gas is on in pipe no passed test proves: {', '.join(live)}")]


def _new(design: Layout, runs: list[str]) -> bool:
    return any(run.id in runs and run.state == "new" for run in design.job.runs)


def _water(design: Layout, first: HouseState, now: HouseState, proved: bool) -> list[Leave]:
    if "water" not in _services(design, now):
        return []
    live = _runs(design, now, ("live",), "water")
    had = bool(_runs(design, first, ("live",), "water"))
    if not live and had:
        return [Leave("water", "see to it", "The water is off: say so, leave some drawn, or cap and turn it on")]
    if not live:
        return [Leave("water", "right", "No water is on yet")]
    if _new(design, live) and not proved:
        return [Leave("water", "see to it", f"Water stands in pipe no passed test proves: {', '.join(live)}")]
    return [Leave("water", "right", "The water is on")]


def _out_of_use(first: HouseState, now: HouseState) -> list[Leave]:
    lost = [ident for ident, on in first.stations.items() if on and not now.stations[ident]]
    return [Leave("use", "see to it", f"Out of use tonight: {', '.join(lost)}")] if lost else []
