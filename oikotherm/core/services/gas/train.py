"""The way to each appliance: what the gas meets from the last branch on, and where a part can be put into it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ...job.model import Item, Leg, Run, Station
from ...job.ways import Vec, inside
from ...pipework.geometry import Node, Straight
from ...rules.registry import View
from .. import spec
from .sizing import GasNetwork
from .stations import SPEC


@dataclass(frozen=True, slots=True)
class Met:
    """Something on the way: a node, and how the gas comes to it and leaves."""

    node: Node
    before: Straight | None
    after: Straight


@dataclass(frozen=True, slots=True)
class Train:
    """The way to an appliance. met: from the last branch or the source on; straights: in the same order."""

    station: Station
    port: str
    run: Run
    mouth: Vec
    met: tuple[Met, ...]
    straights: tuple[Straight, ...]

    def devices(self, *parts: str) -> list[Met]:
        """What stands on the way of these kinds."""
        return [one for one in self.met if one.node.kind == "device" and one.node.part in parts]

    def traps(self, view: View) -> list[Met]:
        """Tees on the way with a closed piece on their outlet."""
        return [one for one in self.met if _drop(view, one.node) is not None]


def _dead(view: View, node: str, straight: Straight) -> bool:
    """Whether a straight from a tee comes to a closed end at once: nothing flows in it."""
    end = straight.to_node if straight.from_node == node else straight.from_node
    return bool(straight.piece_mm) or view.fitted.pipework.nodes[end].kind in ("cap", "plug")


def _drop(view: View, node: Node) -> Straight | None:
    """The pocket of a tee: a closed piece said with it, or a capped run of its own straight down."""
    if node.kind != "tee":
        return None
    arms = [view.fitted.pipework.straights[key] for key in view.fitted.pipework.arms.get(node.key, {}).values()]
    dead = (one for one in arms if _dead(view, node.key, one))
    return next((one for one in dead if one.piece_mm or away(one, node.key).z < -0.9), None)


def nipple_mm(view: View, straight: Straight) -> float:
    """The length of the piece in a pocket [mm]."""
    piece = view.fitted.pieces.get(view.fitted.piece_of.get(straight.key, ""))
    if straight.piece_mm or piece is None:
        return straight.piece_mm
    return piece.centre_mm - piece.from_mating.take_off_mm - piece.to_mating.take_off_mm


def drop_of(view: View, met: Met) -> Straight | None:
    """The closed piece on a tee's outlet."""
    return _drop(view, met.node)


def burns(station: Station) -> bool:
    """Whether a station is an appliance: it takes gas and hands none on."""
    takes = not {"through", "bars", "unhung"} & spec.kind(station.kind).traits
    return takes and station.kind not in ("supply", "tank", "gas-tank") and station.variant != "later"


def trains(view: View) -> list[Train]:
    """The way to every gas appliance that new pipe runs to, in the order of the stations: worked out once."""
    return view.memory.keep("gas trains", (view.job, view.fitted), None, lambda: _trains(view), most=4)


def _trains(view: View) -> list[Train]:
    work, found = view.fitted.pipework, []
    for key, place in work.ports.items():
        station = place.station
        if place.port.role != SPEC.id or place.port.way == "out" or station.state == "remove" or not burns(station):
            continue
        arm = next(iter(work.arms.get(key, {}).values()), None)
        run = view.job.run(work.straights[arm].run) if arm else None
        if arm is None or run is None or run.state != "new":
            continue
        met: list[Met] = []
        straights = [work.straights[arm]]
        at = key
        while True:
            last = straights[-1]
            at = last.to_node if last.from_node == at else last.from_node
            others = [work.straights[name] for name in work.arms[at].values() if name != last.key]
            flows = [one for one in others if not _dead(view, at, one)]
            if work.nodes[at].kind == "port" or len(flows) != 1 or flows[0] in straights:
                break
            met.append(Met(work.nodes[at], flows[0], last))
            straights.append(flows[0])
        found.append(Train(station, key, run, place.mouth, tuple(reversed(met)), tuple(reversed(straights))))
    return found


def networks_of(view: View) -> tuple[GasNetwork, ...]:
    """The gas networks of a design, sized as they are drawn."""
    sized = view.sized.get(SPEC.id)
    return tuple(sized.detail) if sized else ()


def mouth_of(view: View, station: str) -> Vec | None:
    """Where a finding about a station is shown: its first port."""
    return next((place.mouth for place in view.fitted.pipework.ports.values() if place.station.id == station), None)


def way_in(straight: Straight, node: str) -> Vec:
    """The way along a straight towards one of its nodes."""
    return straight.way if straight.to_node == node else straight.way.times(-1)


def away(straight: Straight, node: str) -> Vec:
    """The way along a straight from one of its nodes."""
    return way_in(straight, node).times(-1)


def legs_back(view: View, train: Train) -> Iterator[tuple[Leg, Vec, Vec, float]]:
    """The legs of the appliance's own run from the appliance back to the last branch: (leg, its end towards the
    appliance, its other end, length [mm])."""
    trace = view.fitted.pipework.runs[train.run.id]
    items = trace.run.legs
    own = {leg for straight in train.straights if straight.run == train.run.id for leg in straight.legs}
    backwards = train.run.finish == train.port
    for move in reversed(trace.moves) if backwards else trace.moves:
        if move.item in own and move.item in items:
            near, far = (move.b, move.a) if backwards else (move.a, move.b)
            yield items[move.item], near, far, move.length_mm


def along_mm(train: Train, length_mm: float, from_near_mm: float) -> float:
    """How far along a leg, as it is paced, lies what stands so far from its end towards the appliance [mm]."""
    return length_mm - from_near_mm if train.run.finish == train.port else from_near_mm


def room_of(view: View, station: Station) -> str:
    """The id of the room a station is in: said, or by where it stands; "" outside all."""
    if station.data.room:
        return station.data.room
    x, y, _ = station.at
    return next(
        (room.id for room in view.job.house.rooms if room.level == station.level and inside(room.outline, x, y)), ""
    )


def item_of(view: View, met: Met) -> tuple[Run, Item] | None:
    """The item of a node, in the run that says it."""
    run = view.job.run(met.node.run)
    return next(((run, item) for item in run.items if item.id == met.node.item), None) if run else None
