"""What every valve shuts alone, of all valves at once.

A piece is lost with a valve when every way to it from a source leads through that valve: the valve dominates it in the
graph of what hangs together. One walk gives that for all valves of a house, where turning one after the other would
walk the whole house each time. `isolation.shutting` is asked for several valves together; a test holds both equal.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from ..layout import Layout
from ..network.graph import has_trait
from ..services import spec
from .state import BURNS_IN, NO_OUTLET, Enclosed, House, house_of

ROOT = ""


@dataclass(frozen=True, slots=True)
class Alone:
    """A valve that is shut while all others stand as they do. straights: pieces live no more; off: stations that do not
    work then; dead: gas appliances to be lit again; litres: that stand in what is cut off; whole: services of which
    nothing is left anywhere."""

    straights: tuple[str, ...]
    off: tuple[str, ...]
    dead: tuple[str, ...]
    litres: float
    whole: frozenset[str]


def shut_alone(design: Layout) -> Mapping[str, Alone]:
    """Valve -> what shutting it alone does to the finished house."""
    found: Mapping[str, Alone] = design.kept("valves shut alone", lambda: _Valves(house_of(design)).all())
    return found


class _Valves:
    def __init__(self, house: House) -> None:
        self.house = house
        self.able = set(house.valves) - house.shut_as_a_rule
        now = house.standing()
        self.gone = now.gone
        wet = {piece for piece, status in now.status.items() if status == "wet"}
        services = [one for one in dict.fromkeys(house.service.values()) if one and not spec.service(one).runs_off]
        starts = [node for service in services for node in house.sources(service, now.gone)]
        self.usual = house.usual
        self.lost = self._dominated(starts, wet, None)
        through = [one for one in services if spec.service(one).through]
        self.round: dict[str, dict[str, set[str]]] = {}
        for role in ("flow", "return"):
            own = [
                node
                for service in through
                for node in house.sources(service, now.gone)
                if house.work.ports[house.work.nodes[node].part].port.role == role
            ]
            self.round[role] = self._dominated(own, wet, role)
        self.at_node = {node: ident for ident, ports in house.ports.items() for node in ports}
        self.at_piece: dict[str, set[str]] = {}
        for ident, ports in house.ports.items():
            for pieces in ports.values():
                for piece in pieces:
                    self.at_piece.setdefault(piece, set()).add(ident)
        self.asked = self._asked(services)
        self.heated = [ident for ident in house.stations if house.heated(house.stations[ident])]

    def _dominated(self, starts: Iterable[str], wet: set[str], role: str | None) -> dict[str, set[str]]:
        """Valve -> the pieces that are reached from the starts through it alone. role: through a station only from pipe
        to pipe of one role, as a circuit's water goes round."""
        import networkx

        house, graph = self.house, networkx.DiGraph()
        graph.add_node(ROOT)
        shut = house.shut_as_a_rule
        for node in starts:
            if node in shut:
                continue
            into = ROOT
            if node in self.able:
                graph.add_edge(ROOT, node)
                into = node
            for ports in house.ports.values():
                for piece in ports.get(node, ()):
                    if piece in wet:
                        graph.add_edge(into, piece)
        for piece in wet:
            own = house.role(house.work.straights[piece].run)
            for other, *between in house.joins[piece]:
                if other not in wet or shut & set(between):
                    continue
                crosses = role is not None and (piece, other) in house.crossings
                if crosses and house.role(house.work.straights[other].run) != own:
                    continue
                networkx.add_path(graph, (piece, *between, other))
        above = networkx.immediate_dominators(graph, ROOT)
        below: dict[str, list[str]] = {}
        for one, by in above.items():
            if one != by:
                below.setdefault(by, []).append(one)
        found: dict[str, set[str]] = {}
        for valve in self.able:
            waiting, pieces = list(below.get(valve, ())), set()
            while waiting:
                one = waiting.pop()
                pieces.add(one)
                waiting += below.get(one, ())
            found[valve] = pieces & wet
        return found

    def _asked(self, services: Iterable[str]) -> dict[str, list[tuple[str, tuple[str, ...]]]]:
        """Service -> the ports something is taken at, with the live pieces on them."""
        house, live = self.house, self.usual.straights
        found: dict[str, list[tuple[str, tuple[str, ...]]]] = {}
        for service in services:
            sources = set(house.sources(service))
            found[service] = [
                (node, own)
                for ident, ports in house.ports.items()
                if house.stations[ident].kind not in NO_OUTLET and not has_trait(house.stations[ident], "through")
                for node, pieces in ports.items()
                if node not in sources
                and (own := tuple(one for one in pieces if house.service[one] == service and live[one] == "live"))
            ]
        return found

    def all(self) -> Mapping[str, Alone]:
        nothing = Alone((), (), (), 0.0, frozenset())
        return {valve: self._alone(valve) if valve in self.able else nothing for valve in self.house.valves}

    def _alone(self, valve: str) -> Alone:
        house, lost = self.house, self.lost[valve]
        near = {ident for piece in lost for ident in self.at_piece.get(piece, ())}
        if valve in self.at_node:
            near.add(self.at_node[valve])
        on = self.usual.stations
        off = {ident for ident in near if on.get(ident) and not self._fed(ident, valve, lost)}
        for role, by in self.round.items():
            reached = by[valve]
            for ident in {one for piece in reached for one in self.at_piece.get(piece, ())}:
                pieces = [
                    piece
                    for node, own in house.ports[ident].items()
                    if house.work.ports[house.work.nodes[node].part].port.role == role
                    for piece in own
                ]
                if on.get(ident) and house.heated(house.stations[ident]) and pieces and set(pieces) <= reached:
                    off.add(ident)
        heaters = [
            one for one in house.stations if on.get(one) and "flow" in spec.kind(house.stations[one].kind).sources
        ]
        if heaters and set(heaters) <= off:
            off |= {ident for ident in self.heated if on.get(ident)}
        dead = [
            ident
            for ident in off
            if house.burns(ident) and any(self._none(ident, service, valve, lost) for service in BURNS_IN)
        ]
        bodies = tuple(
            (ident, service)
            for ident in near
            for service in {house.service[piece]: None for pieces in house.ports[ident].values() for piece in pieces}
            if self._all_off(ident, service, valve, lost)
        )
        whole = frozenset(
            service
            for service, asked in self.asked.items()
            if asked and all(node == valve or lost.issuperset(pieces) for node, pieces in asked)
        )
        order = [ident for ident in on if ident in off]
        litres = round(house.held_l(Enclosed(tuple(lost), bodies)), 4)
        return Alone(tuple(sorted(lost)), tuple(order), tuple(one for one in order if one in dead), litres, whole)

    def _fed(self, ident: str, valve: str, lost: set[str]) -> bool:
        """Whether all that runs to a station is live and open at it still."""
        live = self.usual.straights
        for node, pieces in self.house.ports[ident].items():
            asked = [piece for piece in pieces if not spec.service(self.house.service[piece]).runs_off]
            if asked and (node == valve or not any(live[piece] == "live" and piece not in lost for piece in asked)):
                return False
        return True

    def _none(self, ident: str, service: str, valve: str, lost: set[str]) -> bool:
        """Whether a service no more comes to one of a station's ports."""
        return any(
            node == valve or lost.issuperset(pieces)
            for node, pieces in self.house.ports[ident].items()
            if any(self.house.service[piece] == service for piece in pieces)
        )

    def _all_off(self, ident: str, service: str, valve: str, lost: set[str]) -> bool:
        """Whether a service comes to none of a station's ports any more."""
        return all(
            node == valve or lost.issuperset(own)
            for node, pieces in self.house.ports[ident].items()
            if (own := [piece for piece in pieces if self.house.service[piece] == service])
        )
