"""The state of the house: which pipe is live, shut, drained, purged or open after any steps of the plan, which
appliances work.

Derived, never stored. Pipe is looked at piece by piece (straights of the traced pipework, what goes among them): two
are one where they meet at a node that nothing shuts, or at the ports of a station that its medium goes through.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from ..job.model import DeviceItem, Station
from ..layout import Layout
from ..lazy import lazy
from ..network.graph import CLOSES
from ..pipework.bodies import body_water
from ..pipework.geometry import Pipework
from ..pipework.water import bore_l_per_mm
from ..services import spec
from .sections import sections_of
from .steps import Effect, WorkStep
from .strip_out import beside

PieceState = Literal["absent", "new", "live", "shut", "drained", "purged", "open"]
BURNS_IN = ("gas",)
NO_OUTLET = ("supply", "stub", "vessel")  # where nobody misses the water
SHUT = "shut"  # what a valve is set to that is shut as a rule


@dataclass(frozen=True, slots=True)
class HouseState:
    """straights: piece of pipe -> its state; stations: whether each works."""

    straights: Mapping[str, PieceState]
    stations: Mapping[str, bool]

    def count(self, state: PieceState) -> int:
        """How many pieces are in a state."""
        return sum(one == state for one in self.straights.values())


@dataclass(frozen=True, slots=True)
class StepChange:
    """What a step does to the house. off, on: stations that can be used no more, or again; runs: run -> the state its
    pipe comes to (shut, drained, open, purged or live), the last one where its pieces differ."""

    off: tuple[str, ...]
    on: tuple[str, ...]
    runs: Mapping[str, PieceState]


@dataclass(frozen=True, slots=True)
class Enclosed:
    """What hangs together between shut valves. bodies: stations with the service whose water is meant."""

    pieces: tuple[str, ...]
    bodies: tuple[tuple[str, str], ...]


@dataclass
class Now:
    """How things stand between two steps. wet: pieces with their medium in them."""

    status: dict[str, str]
    closed: set[str] = field(default_factory=set)  # services shut at their source
    valves: set[str] = field(default_factory=set)  # valves that are shut
    gone: set[str] = field(default_factory=set)  # stations that were taken off
    hung: set[str] = field(default_factory=set)  # new stations that are there

    def wet(self) -> set[str]:
        """The pieces with their medium in them."""
        return {piece for piece, status in self.status.items() if status == "wet"}

    def shut_off(self) -> tuple[set[str], set[str], set[str]]:
        """What decides beside the wet pieces which are live."""
        return set(self.closed), set(self.valves), set(self.gone)


class _Watched(dict[str, str]):
    """The status of pieces, which remembers what those touched were before."""

    def __init__(self, status: Mapping[str, str]) -> None:
        super().__init__(status)
        self.was: dict[str, str] = {}

    def __setitem__(self, piece: str, status: str) -> None:
        self.was.setdefault(piece, self.get(piece, ""))
        super().__setitem__(piece, status)

    def update(self, more: Any = (), **_: Any) -> None:  # type: ignore[override]
        for piece, status in dict(more).items():
            self[piece] = status


class House:
    """A job's pipe as a network of pieces. Made once for a design; asks cost a walk over the pieces."""

    def __init__(self, design: Layout) -> None:
        self.design = design
        self.work: Pipework = design.traced
        self.stations = {one.id: one for one in design.job.stations}
        self.service = {key: self._service(one.run) for key, one in self.work.straights.items()}
        self.ports: dict[str, dict[str, list[str]]] = {}  # station -> port node -> pieces on it
        self.crossings: set[tuple[str, str]] = set()  # pieces that meet in a station
        for key, node in self.work.nodes.items():
            if node.kind == "port":
                owner = self.work.ports[node.part].station.id
                self.ports.setdefault(owner, {})[key] = list(self.work.arms.get(key, {}).values())

    def _service(self, run: str) -> str:
        found = self.design.job.run(run)
        return found.service if found else ""

    @lazy
    def valves(self) -> tuple[str, ...]:
        """What can be shut: valves on the pipe, and those of a port's kit by its port."""
        pipe = [key for key, node in self.work.nodes.items() if node.kind == "device" and node.part in CLOSES]
        kits = [
            key
            for key, node in self.work.nodes.items()
            if node.kind == "port"
            and any(kit.row.kv is not None and kit.row.turns for kit in self.work.ports[node.part].kit)
        ]
        return (*pipe, *kits)

    @lazy
    def shut_as_a_rule(self) -> frozenset[str]:
        """Valves that are set shut, [iso set shut]: of a bypass, as long as what it goes round is in use."""
        own = {
            item.id
            for run in self.design.job.runs
            for item in run.items
            if isinstance(item, DeviceItem) and item.setting == SHUT
        }
        return frozenset(key for key in self.valves if self.work.nodes[key].item in own)

    @lazy
    def joins(self) -> dict[str, list[tuple[str, ...]]]:
        """Piece -> for each neighbour (neighbour, the valves between, the nearest first)."""
        found: dict[str, list[tuple[str, ...]]] = {key: [] for key in self.work.straights}
        able = set(self.valves)

        def join(pieces: Sequence[str], between: tuple[str, ...]) -> None:
            for n, one in enumerate(pieces):
                for other in pieces[n + 1 :]:
                    if self.service[one] == self.service[other]:
                        found[one].append((other, *between))
                        found[other].append((one, *between))

        for key, here in self.work.nodes.items():
            if here.kind != "port":
                join(list(self.work.arms.get(key, {}).values()), (key,) if key in able else ())
        for ident, ports in self.ports.items():
            if ident in self.stations and self.stations[ident].kind == "outlet":
                continue  # a tap lets no hot water into the cold
            nodes = [(node, piece) for node, pieces in ports.items() for piece in pieces]
            for n, (node, piece) in enumerate(nodes):
                for other_node, other in nodes[n + 1 :]:
                    if self.service[piece] == self.service[other]:
                        between = tuple(dict.fromkeys(one for one in (node, other_node) if one in able))
                        found[piece].append((other, *between))
                        found[other].append((piece, *reversed(between)))
                        self.crossings |= {(piece, other), (other, piece)}
        return found

    def sources(self, service: str, gone: Iterable[str] = ()) -> list[str]:
        """Port nodes a service comes from: of stations that are its source and are not fed themselves; old stubs that
        feed cold water or gas."""
        found, without = [], set(gone)
        for ident, ports in self.ports.items():
            station = self.stations.get(ident)
            if station is None or ident in without:
                continue
            own = {node: self.work.ports[self.work.nodes[node].part].port for node in ports}
            here = {node: port for node, port in own.items() if spec.service_of(port.role) == service}
            if not here:
                continue
            kind = spec.kind(station.kind)
            gives = any(port.role in kind.sources for port in here.values())
            fed = any(port.way == "in" and not spec.service(service).through for port in here.values())
            stub = station.kind == "stub" and station.state == "keep" and service in ("water", "gas")
            if (gives and not fed) or stub:
                found += list(here)
        return found

    def live(self, service: str, wet: set[str], shut: set[str], gone: Iterable[str] = ()) -> set[str]:
        """The pieces of a service that hang together with its source through what is wet and not shut."""
        waiting = [
            piece
            for node in self.sources(service, gone)
            if node not in shut
            for ports in self.ports.values()
            for piece in ports.get(node, ())
            if piece in wet
        ]
        seen = set(waiting)
        while waiting:
            for other, *between in self.joins[waiting.pop()]:
                if other in wet and other not in seen and not shut & set(between):
                    seen.add(other)
                    waiting.append(other)
        return seen

    # --- appliances ---------------------------------------------------------------------------------------------------

    def works(self, live: set[str], shut: set[str], gone: set[str], hung: set[str]) -> dict[str, bool]:
        """Which stations work: all their pipe is live (gas and water in, both sides of a circuit), nothing shut at
        them, and what heats them works."""
        there = {
            ident: station
            for ident, station in self.stations.items()
            if ident not in gone and (station.state != "new" or ident in hung)
        }
        goes_round = {role: self._reach(role, live, shut, gone) for role in ("flow", "return")}
        fed = {ident: self._fed(ident, live, shut) and self._goes_round(ident, goes_round) for ident in there}
        on = dict.fromkeys(self.stations, False)
        on.update(fed)
        heats = [ident for ident in there if self.heats(ident)]
        for ident, station in there.items():
            if fed[ident] and self.heated(station) and heats:
                on[ident] = any(on[source] for source in heats if source != ident)
        return on

    def works_of(self, new: set[str], live: set[str], now: Now) -> dict[str, bool]:
        """Whether stations that were just hung, and heat nothing, work, where nothing else changed."""
        if not any(self._fed(ident, live, now.valves) for ident in new):
            return dict.fromkeys((ident for ident in new if ident in self.stations), False)
        works = self.works(live, now.valves, now.gone, now.hung)
        return {ident: works[ident] for ident in new if ident in works}

    def _fed(self, ident: str, live: set[str], shut: set[str]) -> bool:
        """Whether all that runs to a station is live and open at it."""
        ports = {node: pieces for node, pieces in self.ports.get(ident, {}).items() if pieces}
        asked = {
            node: [piece for piece in pieces if not spec.service(self.service[piece]).runs_off]
            for node, pieces in ports.items()
        }
        asked = {node: pieces for node, pieces in asked.items() if pieces}
        return bool(asked) and all(
            node not in shut and any(piece in live for piece in pieces) for node, pieces in asked.items()
        )

    def _reach(self, role: str, live: set[str], shut: set[str], gone: set[str]) -> set[str]:
        """The live pieces that hang together with what gives the flow, or takes the return, of a circuit, by pipe and
        by what is no emitter; nothing runs through an emitter whose flow is shut."""
        starts = [
            node
            for service in dict.fromkeys(self.service.values())
            if service and spec.service(service).through
            for node in self.sources(service, gone)
            if self.work.ports[self.work.nodes[node].part].port.role == role and node not in shut
        ]
        waiting = [piece for node in starts for own in self.ports.values() for piece in own.get(node, ())]
        waiting = [piece for piece in waiting if piece in live]
        seen = set(waiting)
        while waiting:
            piece = waiting.pop()
            own = self.role(self.work.straights[piece].run)
            for other, *between in self.joins[piece]:
                through = (piece, other) in self.crossings
                if through and self.role(self.work.straights[other].run) != own:
                    continue
                if other in live and other not in seen and not shut & set(between):
                    seen.add(other)
                    waiting.append(other)
        return seen

    def _goes_round(self, ident: str, reach: Mapping[str, set[str]]) -> bool:
        """Whether the medium of a circuit comes to a station it warms, and goes back from it."""
        station = self.stations[ident]
        if not self.heated(station):
            return True
        for role, reached in reach.items():
            pieces = [
                piece
                for node, own in self.ports.get(ident, {}).items()
                if self.work.ports[self.work.nodes[node].part].port.role == role
                for piece in own
            ]
            if pieces and not any(piece in reached for piece in pieces):
                return False
        return True

    def heats(self, ident: str) -> bool:
        """Whether a station gives heat to a circuit."""
        station = self.stations.get(ident)
        return station is not None and "flow" in spec.kind(station.kind).sources

    @staticmethod
    def heated(station: Station) -> bool:
        """Whether a station lives by a heating circuit: an emitter, a cylinder with a coil."""
        kind = spec.kind(station.kind)
        return (
            "flow" not in kind.sources and any(port.role == "flow" for port in station.ports) and "flow" in kind.loads
        )

    def burns(self, ident: str) -> bool:
        """Whether a station burns gas that comes by pipe."""
        station = self.stations[ident]
        traits = spec.kind(station.kind).traits
        takes = not {"through", "bars", "unhung"} & traits and station.kind not in ("supply", "gas-tank")
        return takes and any(port.role in BURNS_IN and port.way != "out" for port in station.ports)

    def litres(self, straights: Iterable[str]) -> float:
        """Water that stands in pieces [L]: bore x length; gas pipe holds none."""
        total = 0.0
        for key in straights:
            one = self.work.straights[key]
            if self.holds_water(key):
                total += bore_l_per_mm(self.design.context.catalogue, one.pipe.code, one.pipe.size) * one.length_mm
        return total

    def holds_water(self, piece: str) -> bool:
        """Whether water stands in a piece as a rule: no gas, nothing that runs off."""
        of = spec.service(self.service[piece]) if self.service[piece] else None
        return of is not None and not of.runs_off and not any(role.phase == "gas" for role in of.roles)

    def body_l(self, ident: str, service: str) -> float:
        """Water of a service in a station's body [L]; 0 where it holds none or that is not known."""

        def loop_bore_mm() -> float | None:
            pieces = (piece for piece in self.pieces(ident) if self.service[piece] == service)
            pipes = (self.work.straights[piece].pipe for piece in pieces)
            rows = (self.design.context.catalogue.pipe(pipe.code, pipe.size) for pipe in pipes)
            return next((row.bore_mm for row in rows if row and row.bore_mm), None)

        body = body_water(self.stations[ident], service, loop_bore_mm) if service and ident in self.stations else None
        return body.litres if body else 0.0

    def enclosed(self, start: Iterable[str], shut: set[str], ident: str = "", without: str = "") -> Enclosed:
        """What hangs together with pieces, or with a station, through what is not shut. without: a station that nothing
        is walked through."""
        seen = dict.fromkeys(start)
        if ident in self.ports:
            seen.update(dict.fromkeys(p for node, own in self.ports[ident].items() if node not in shut for p in own))
        waiting = list(seen)
        own = {piece for pieces in self.ports.get(without, {}).values() for piece in pieces} if without else set()
        while waiting:
            piece = waiting.pop()
            for other, *between in self.joins[piece]:
                through = without and (piece, other) in self.crossings and piece in own and other in own
                if other not in seen and not through and not shut & set(between):
                    seen[other] = None
                    waiting.append(other)
        stations = {
            (name, self.service[piece]): None
            for name, ports in self.ports.items()
            for node, pieces in ports.items()
            if node not in shut
            for piece in pieces
            if piece in seen
        }
        if ident:
            stations.update({(ident, self.service[piece]): None for piece in self.pieces(ident)})
        return Enclosed(tuple(seen), tuple(stations))

    def held_l(self, there: Enclosed) -> float:
        """The water that stands in pieces and bodies [L]."""
        return self.litres(there.pieces) + sum(self.body_l(ident, service) for ident, service in there.bodies)

    # --- how it stands ------------------------------------------------------------------------------------------------

    def standing(self) -> Now:
        """The house when all is done: new pipe in use, what goes gone, shut what is shut as a rule."""
        status = {
            key: "absent" if self._state(one.run) == "remove" else "wet" for key, one in self.work.straights.items()
        }
        gone = {ident for ident, station in self.stations.items() if station.state == "remove"}
        return Now(status, valves=set(self.shut_as_a_rule), gone=gone, hung=set(self.stations) - gone)

    def role(self, run: str) -> str:
        """What a run carries; "" for none that is there."""
        return self._said_of.get(run, ("", "keep"))[0]

    @lazy
    def usual(self) -> HouseState:
        """How the finished house stands as a rule."""
        return self.state(self.standing())

    def _state(self, run: str) -> str:
        return self._said_of.get(run, ("", "keep"))[1]

    @lazy
    def _said_of(self) -> dict[str, tuple[str, str]]:
        """Run -> its role and state."""
        return {run.id: (run.role, run.state) for run in self.design.job.runs}

    def pieces(self, key: str) -> list[str]:
        """The straights of a run, those at a station's ports, or a straight itself; none for what is not there."""
        if key in self.work.straights:
            return [key]
        if key in self.stations:
            return [piece for pieces in self.ports.get(key, {}).values() for piece in pieces]
        return list(self.by_run.get(key, ()))

    @lazy
    def by_run(self) -> Mapping[str, list[str]]:
        """Run -> its straights."""
        found: dict[str, list[str]] = {}
        for name, one in self.work.straights.items():
            found.setdefault(one.run, []).append(name)
        return found

    @lazy
    def tees_of(self) -> Mapping[str, dict[str, None]]:
        """Run -> its pieces beside the tees that new runs hang on."""
        new = {one.id for one in self.design.job.runs if one.state == "new"}
        found: dict[str, dict[str, None]] = {}
        for node, arms in self.work.arms.items():
            pieces = list(arms.values())
            if {self.work.straights[piece].run for piece in pieces} & new:
                own = self.work.nodes[node].run
                there = found.setdefault(own, {})
                there.update(dict.fromkeys(piece for piece in pieces if self.work.straights[piece].run == own))
        return found

    # --- step by step -------------------------------------------------------------------------------------------------

    def before_work(self) -> Now:
        """The house as it is found: old pipe in use, new pipe not there."""
        status = {key: "absent" if self._state(one.run) == "new" else "wet" for key, one in self.work.straights.items()}
        hung = {ident for ident, one in self.stations.items() if one.state != "new"}
        return Now(status, valves=set(self.shut_as_a_rule), hung=hung)

    def apply(self, now: Now, step: WorkStep) -> None:
        """Let a step do what it does."""
        for effect in step.effects:
            self._effect(now, effect, step.service)

    def _effect(self, now: Now, effect: Effect, service: str) -> None:
        key, status = effect.key, now.status
        if effect.kind in ("isolate", "shut"):
            (now.valves if key in self.valves else now.closed).add(key)
        elif effect.kind == "open":
            now.valves.discard(key)
            now.closed.discard(key)
        elif effect.kind == "drain":
            for piece in self._drained(key, service):
                if status[piece] == "wet":
                    status[piece] = "drained"
        elif effect.kind == "cut":
            for piece in self._cut(key):
                if status[piece] not in ("absent", "new"):
                    status[piece] = "open"
            if self._state(key) == "remove":
                status.update(dict.fromkeys(self.pieces(key), "absent"))
            if key in self.stations and self.stations[key].state == "remove":
                now.gone.add(key)
        elif effect.kind == "cap":
            for piece in self._cut(key):
                if status[piece] == "open":
                    status[piece] = "drained"
        elif effect.kind == "make":
            for piece in self.pieces(key):
                status[piece] = "new"
            run = self.design.job.run(key)
            for piece in self._cut(run.start.partition(".")[0]) if run else ():
                if status[piece] == "open":
                    status[piece] = "drained"
        elif effect.kind == "hang":
            now.hung.add(key)
        elif effect.kind in ("fill", "purge"):
            self._fill(now, key, "purged" if effect.kind == "purge" else "wet")
        elif effect.kind == "light":
            now.hung.add(key)
            if any(self.service[piece] == "gas" for piece in self.pieces(key)):
                self._fill(now, "gas", "wet")

    def _fill(self, now: Now, key: str, state: str) -> None:
        """Fill a service, or what is proved together, by its key."""
        service = key.partition("/")[0]
        section = next((one for one in sections_of(self.design) if one.key == key), None) if key != service else None
        for piece, own in self.service.items():
            goes = self._state(self.work.straights[piece].run) == "remove"  # cut off by then
            within = own == service if section is None else piece in section.straights
            if within and now.status[piece] != "absent" and not goes:
                now.status[piece] = state
        now.closed.discard(service)

    def _drained(self, key: str, service: str) -> list[str]:
        level = self.design.job.level(key)
        if level is None:
            return [piece for piece, own in self.service.items() if own == (key if key in spec.services() else service)]
        return [
            piece
            for piece, one in self.work.straights.items()
            if self.service[piece] == service and max(one.a.z, one.b.z) >= level.floor_mm - 400
        ]

    def _cut(self, key: str) -> list[str]:
        """The pieces beside what is cut: at the ports of a station, at the tees of a run that new runs hang on; of a
        run that goes the pipe that stays."""
        if key in self.stations:
            return self.pieces(key)
        if self._state(key) == "remove":
            return beside(self.design, key)
        return list(self.tees_of.get(key, ()))

    def state(self, now: Now) -> HouseState:
        """How everything stands."""
        live = self.live_now(now)
        return HouseState(self.shown(now, live), self.works(live, now.valves, now.gone, now.hung))

    def live_now(self, now: Now) -> set[str]:
        """The pieces that are live."""
        wet = now.wet()
        live: set[str] = set()
        for service in dict.fromkeys(self.service.values()):
            if service and service not in now.closed and not spec.service(service).runs_off:
                live |= self.live(service, wet, now.valves, now.gone)
        return live

    def shown(self, now: Now, live: set[str]) -> dict[str, PieceState]:
        """Piece -> its state."""
        return {piece: self.shown_of(status, piece in live) for piece, status in now.status.items()}

    @staticmethod
    def shown_of(status: str, live: bool) -> PieceState:
        """The state of a piece by its status."""
        return ("live" if live else "shut") if status == "wet" else status  # type: ignore[return-value]


def house_of(design: Layout) -> House:
    """The house of a design, made once."""
    return design.kept("house", lambda: House(design))


def after(design: Layout, steps: Iterable[WorkStep]) -> HouseState:
    """How the house stands after steps of the plan, in their order."""
    house = house_of(design)
    now = house.before_work()
    for step in steps:
        house.apply(now, step)
    return house.state(now)


def changes(design: Layout, steps: Iterable[WorkStep]) -> dict[str, StepChange]:
    """What each of these steps changes in the house, in their order; steps that change nothing are left out. Pipe that
    is only made, and not yet filled, is no change."""
    house, found = house_of(design), {}
    now = house.before_work()
    status = now.status = _Watched(now.status)
    known, live = now.shut_off(), house.live_now(now)
    pieces, stations = house.shown(now, live), house.works(live, now.valves, now.gone, now.hung)
    for step in steps:
        if not step.effects:
            continue
        hung = set(now.hung)
        status.was.clear()
        house.apply(now, step)
        shut = now.shut_off()
        # a step that only made or hung something turns nothing else live: what it touched is looked at alone
        same = shut == known and not any((was == "wet") != (status[one] == "wet") for one, was in status.was.items())
        if same:
            then = {one: house.shown_of(status[one], one in live) for one in status.was}
        else:
            known, live = shut, house.live_now(now)
            then = house.shown(now, live)
        new = now.hung - hung
        if same and not any(house.heats(one) for one in new):
            works = {**stations, **house.works_of(new, live, now)} if new else stations
        else:
            works = house.works(live, now.valves, now.gone, now.hung)
        runs: dict[str, PieceState] = {
            house.work.straights[key].run: state
            for key, state in then.items()
            if state not in ("absent", "new") and pieces[key] != state
        }
        off = on_again = ()
        if works is not stations:
            off = tuple(key for key, on in stations.items() if on and not works[key])  # type: ignore[assignment]
            on_again = tuple(key for key, on in works.items() if on and not stations[key])  # type: ignore[assignment]
        if off or on_again or runs:
            found[step.key] = StepChange(off, on_again, runs)
        pieces.update(then)
        stations = works
    return found
