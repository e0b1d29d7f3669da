"""What a valve shuts and what has to be shut to work somewhere: which taps run dry, what turns cold, what is without
gas, how much water stands there, what is lit again afterwards."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from ..layout import Layout
from ..network.graph import has_trait
from ..services import spec
from .state import BURNS_IN, NO_OUTLET, Enclosed, House, HouseState, Now, house_of

HOT = "hot"


@dataclass(frozen=True, slots=True)
class Isolation:
    """What is shut, and what that does to the finished house.

    valves: their keys, and "ID" of a source that has to be shut at itself; opens: valves shut as a rule (a bypass)
    whose opening keeps the rest of the house running; stays: those that are to be left shut; straights: pieces that are
    live no more; off: stations that do not work then. Of what it does: dry, without water ("ID", or "ID port" where
    another of its ports still runs); cold, that nothing heats; dead: gas appliances without gas, to be lit again
    afterwards. litres: water that stands there, in pipe and bodies: where something is worked on what hangs together
    with it between the shut valves, else all that is cut off.
    """

    valves: tuple[str, ...]
    straights: tuple[str, ...]
    off: tuple[str, ...]
    litres: float
    dead: tuple[str, ...]
    dry: tuple[str, ...] = ()
    cold: tuple[str, ...] = ()
    opens: tuple[str, ...] = ()
    stays: tuple[str, ...] = ()


def shutting(design: Layout, valves: Iterable[str], opens: Iterable[str] = ()) -> Isolation:
    """What shutting valves does to the finished house, and opening some that are shut as a rule."""
    return _shut(house_of(design), frozenset(valves), (), tuple(opens))


def isolate(design: Layout, key: str) -> Isolation:
    """What to shut to work on a run, a station or a piece of the finished house, and what goes off with it. A bypass
    that keeps other stations running meanwhile is opened."""
    house = house_of(design)
    around = _around(house, key)
    valves = frozenset(one for one in around if one in house.valves)
    sources = tuple(one for one in around if one not in house.valves)
    found = _shut(house, valves, sources, ())
    worked_on = set(house.pieces(key))
    for valve in sorted(house.shut_as_a_rule - valves):
        other = _shut(house, valves, sources, (*found.opens, valve))
        if set(other.off) < set(found.off) and worked_on <= set(other.straights) | (worked_on - set(found.straights)):
            found = other
    stays = tuple(sorted(valves & house.shut_as_a_rule))
    shut = (set(found.valves) | house.shut_as_a_rule) - set(found.opens)
    there = house.enclosed(house.pieces(key) if key not in house.ports else (), shut, key if key in house.ports else "")
    held = round(house.held_l(there), 4)
    named = (*(one for one in found.valves if one not in stays), *sources)
    return replace(found, valves=named, stays=stays, litres=held)


def _shut(house: House, valves: frozenset[str], sources: Sequence[str], opens: tuple[str, ...]) -> Isolation:
    """The finished house with valves and sources shut, and others opened, against it as it stands as a rule."""
    before = house.usual
    warm_before: set[str] = house.design.kept("warm outlets", lambda: _warm(house, before, house.standing()))
    now = house.standing()
    now.valves = (now.valves | valves) - set(opens)
    now.gone |= set(sources)
    after = house.state(now)
    lost = tuple(key for key, state in before.straights.items() if state == "live" and after.straights[key] != "live")
    off = tuple(
        ident for ident, on in before.stations.items() if on and not after.stations[ident] and ident not in sources
    )
    gone = set(lost)
    dry = _dry(house, gone, now.valves)
    dead = tuple(ident for ident in off if house.burns(ident) and _without(house, ident, "gas", gone, now.valves))
    named = set(dry)
    warm = _warm(house, after, now)
    cold = tuple(
        ident
        for ident in before.stations
        if ident not in named
        and (
            (ident in off and house.heated(house.stations[ident]))
            or (ident in warm_before and ident not in warm and f"{ident} {HOT}" not in dry)
        )
    )
    return Isolation(
        tuple(sorted(valves)),
        lost,
        off,
        round(house.held_l(Enclosed(lost, _cut_off(house, gone, now.valves))), 4),
        dead,
        dry,
        cold,
        opens,
    )


def _dry(house: House, gone: set[str], shut: set[str]) -> tuple[str, ...]:
    """The stations that water no more comes to, with the port where it still comes to another."""
    found = []
    for ident, ports in house.ports.items():
        station = house.stations[ident]
        if station.kind in NO_OUTLET or has_trait(station, "through"):
            continue
        own = [node for node, pieces in ports.items() if any(house.service[piece] == "water" for piece in pieces)]
        feeds = [node for node in own if house.work.ports[house.work.nodes[node].part].port.way != "out"]
        dry = [node for node in feeds if _port_off(ports[node], node, gone, shut)]
        if dry and len(dry) == len(feeds):
            found.append(ident)
        else:
            found += [f"{ident} {house.work.ports[house.work.nodes[node].part].port.name}" for node in dry]
    return tuple(found)


def _cut_off(house: House, gone: set[str], shut: set[str]) -> tuple[tuple[str, str], ...]:
    """The bodies that nothing comes to any more, each with its service."""
    return tuple(
        (ident, service)
        for ident, ports in house.ports.items()
        for service in {house.service[piece]: None for pieces in ports.values() for piece in pieces}
        if all(
            _port_off(own, node, gone, shut)
            for node, pieces in ports.items()
            if (own := [piece for piece in pieces if house.service[piece] == service])
        )
    )


def _without(house: House, ident: str, service: str, gone: set[str], shut: set[str]) -> bool:
    """Whether a service no more comes to a station."""
    return any(
        _port_off(pieces, node, gone, shut)
        for node, pieces in house.ports.get(ident, {}).items()
        if any(house.service[piece] == service for piece in pieces)
    )


def _port_off(pieces: Sequence[str], node: str, gone: set[str], shut: set[str]) -> bool:
    return node in shut or all(piece in gone for piece in pieces)


def _warm(house: House, state: HouseState, now: Now) -> set[str]:
    """The outlets that warm water comes to: through live hot pipe from a heater that works."""
    pieces = {
        key
        for key, one in house.work.straights.items()
        if state.straights[key] == "live" and house.role(one.run) in (HOT, "recirc")
    }
    found: set[str] = set()
    for ident, ports in house.ports.items():
        station = house.stations[ident]
        if station.kind == "outlet" or not state.stations.get(ident):
            continue
        gives = [
            node
            for node in ports
            if (port := house.work.ports[house.work.nodes[node].part].port).role == HOT and port.way == "out"
        ]
        waiting = [piece for node in gives if node not in now.valves for piece in ports[node] if piece in pieces]
        seen = set(waiting)
        while waiting:
            for other, *between in house.joins[waiting.pop()]:
                if other in pieces and other not in seen and not now.valves & set(between):
                    seen.add(other)
                    waiting.append(other)
        found |= {
            end
            for end, its in house.ports.items()
            if end != ident
            and any(piece in seen for node, own in its.items() if node not in now.valves for piece in own)
        }
    return found


def _around(house: House, key: str) -> tuple[str, ...]:
    """The valves nearest round a run, a station or a piece, and the sources that nothing shuts between."""
    able = set(house.valves)
    own = {node: pieces for node, pieces in house.ports.get(key, {}).items() if node in able and pieces}
    targets = [piece for piece in house.pieces(key) if all(piece not in pieces for pieces in own.values())]
    shut: dict[str, None] = dict.fromkeys(own)  # a station with valves of its own is shut at them
    beyond: dict[str, set[str]] = {}  # valve -> pieces on its other side
    seen, waiting = set(targets), list(targets)
    feeds = {node: ident for ident, ports in house.ports.items() for node in ports}
    ends = {node for service in spec.services() for node in house.sources(service)}
    while waiting:
        piece = waiting.pop(0)
        one = house.work.straights[piece]
        for node in (one.from_node, one.to_node):
            if node in ends:
                shut[node if node in able else feeds[node]] = None
        for other, *between in house.joins[piece]:
            if between:
                beyond.setdefault(between[0], set()).add(other)
            elif other not in seen:
                seen.add(other)
                waiting.append(other)
    return (*(valve for valve, others in beyond.items() if others - seen), *shut)


def relights(design: Layout) -> tuple[tuple[str, tuple[str, ...]], ...]:
    """The gas appliances to be lit again after any gas-off, each with the runs its valve is on. Worked out once."""
    found: tuple[tuple[str, tuple[str, ...]], ...] = design.kept("relights", lambda: _relights(design))
    return found


def _relights(design: Layout) -> tuple[tuple[str, tuple[str, ...]], ...]:
    house = house_of(design)
    burners = [ident for ident in house.stations if house.burns(ident) and ident in house.ports]
    found = []
    for ident in burners:
        gas = [piece for piece in house.pieces(ident) if house.service[piece] in BURNS_IN]
        valves = {valve for piece in gas for valve in _around(house, piece) if valve in house.valves}
        runs = [house.work.nodes[valve].run for valve in house.valves if valve in valves]
        own = {house.work.straights[piece].run for piece in gas}
        found.append((ident, tuple(dict.fromkeys(run for run in runs if run in own)) or tuple(dict.fromkeys(runs))))
    return tuple(found)
