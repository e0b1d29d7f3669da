"""What is proved together: the connected pipe of one service between its boundaries. A section has one medium, one
pressure and its own joints."""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from ..job.model import Station
from ..layout import Layout
from ..network.graph import has_trait
from ..services import spec

ENDS = {"cap": "capped end", "plug": "plugged end", "stub": "stub", "open": "open end"}


@dataclass(frozen=True, slots=True)
class Boundary:
    """Where a section ends. what: in words (an appliance's port, a capped end); key: the node."""

    key: str
    what: str


@dataclass(frozen=True, slots=True)
class TestSection:
    """Pipe that is proved together. key: service/source port/number; straights, runs and stations of it, old ones among
    them; joints: the new ones, key -> "method|pipe"; boundaries: where it ends; volume_l: of its pipe."""

    key: str
    service: str
    source: str
    straights: tuple[str, ...]
    runs: tuple[str, ...]
    stations: tuple[str, ...]
    joints: Mapping[str, str]
    boundaries: tuple[Boundary, ...]
    volume_l: float

    @property
    def title(self) -> str:
        """What it is called: "from BLR.flow"."""
        return f"from {self.source}" if self.source else f"of {self.runs[0]}"


def state_mark(design: Layout) -> str:
    """Changes when a joint or its pipe does, anywhere: by it tests of older records know the pipework they were made
    on."""
    text = "|".join(f"{joint.key} {joint.method} {joint.pipe}" for joint in design.fitted.joints.values())
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def made_as(method: str, pipe: str) -> str:
    """How a joint is made, as a test record keeps it."""
    return f"{method}|{pipe}"


def sections_of(design: Layout) -> tuple[TestSection, ...]:
    """The sections of a design, worked out once."""
    return design.kept("test sections", lambda: test_sections(design))


def test_sections(design: Layout) -> tuple[TestSection, ...]:
    """The sections with new joints, service by service in the order of the registry, each service's in the order of its
    pipe.

    Pipe hangs together at every node that straights of one service share. A service whose medium goes through its
    stations (spec.through) is proved with them; otherwise a station ends the section, but for those that only let
    through (a meter, a pump).
    """
    found: list[TestSection] = []
    for service in spec.services().values():
        if not service.runs_off:
            found += _of_service(design, service)
    return tuple(found)


def _of_service(design: Layout, service: spec.ServiceSpec) -> Iterable[TestSection]:
    import networkx  # only where sections are asked for

    work = design.pipework
    graph = networkx.Graph()
    nodes_of: dict[str, list[str]] = {}  # station -> nodes of its ports
    for key, straight in work.straights.items():
        if work.runs[straight.run].run.service == service.id:
            graph.add_edge(straight.from_node, straight.to_node)
            graph.edges[straight.from_node, straight.to_node].setdefault("straights", []).append(key)
    on = [key for key in work.nodes if key in graph]
    for key in on:
        node = work.nodes[key]
        if node.kind == "port":
            nodes_of.setdefault(work.ports[node.part].station.id, []).append(key)
    for nodes in nodes_of.values():
        station = work.ports[work.nodes[nodes[0]].part].station
        if _goes_through(service, station):
            networkx.add_path(graph, nodes)
    joints: dict[str, dict[str, str]] = {}  # node -> its new joints
    for joint in design.fitted.joints.values():
        place = _node_of(joint.fitting_key, design)
        joints.setdefault(place, {})[joint.key] = made_as(joint.method, joint.pipe)
    order = {key: number for number, key in enumerate(work.nodes)}
    parts = sorted(
        (sorted(one, key=order.__getitem__) for one in networkx.connected_components(graph)),
        key=lambda one: order[one[0]],
    )
    numbers: Counter[str] = Counter()
    for nodes in parts:
        own = {key: how for node in nodes for key, how in joints.get(node, {}).items()}
        if not own:
            continue
        source = _source(design, service, nodes)
        numbers[source] += 1
        inside = set(nodes)
        straights = tuple(
            key
            for key, one in work.straights.items()
            if one.from_node in inside and work.runs[one.run].run.service == service.id
        )
        yield TestSection(
            f"{service.id}/{source or '-'}/{numbers[source]}",
            service.id,
            source,
            straights,
            tuple(dict.fromkeys(work.straights[key].run for key in straights)),
            tuple(dict.fromkeys(station for station, its in nodes_of.items() if inside & set(its))),
            own,
            tuple(_boundaries(design, service, nodes)),
            _litres(design, straights),
        )


def _goes_through(service: spec.ServiceSpec, station: Station) -> bool:
    """Whether a station is under test with the pipe on it: all of a circuit's; of others only what lets water through.
    The meters and regulators of a gas stay out of it: the test pressure ruins them. A manifold is pipe."""
    liquid = all(role.phase == "liquid" for role in service.roles)
    return service.through or (liquid and has_trait(station, "through")) or has_trait(station, "bars")


def _node_of(fitting_key: str, design: Layout) -> str:
    """The node a fitting stands at, or for a coupling within a straight one of its ends; a part of a kit stands at its
    port's."""
    work = design.pipework
    if fitting_key in work.nodes:
        return fitting_key
    owner = fitting_key.rpartition("/")[0]
    return work.straights[owner].from_node if owner in work.straights else owner


def _source(design: Layout, service: spec.ServiceSpec, nodes: Iterable[str]) -> str:
    """The port the section is fed from: of a kind that is a source of its role, else one that gives, else any; "" for
    none."""
    work = design.pipework
    places = [work.ports[work.nodes[key].part] for key in nodes if work.nodes[key].kind == "port"]
    best = sorted(
        places,
        key=lambda place: (
            place.port.role not in spec.kind(place.station.kind).sources,
            place.port.way != "out",
            [one.id for one in design.job.stations].index(place.station.id),
        ),
    )
    return best[0].key if best else ""


def _boundaries(design: Layout, service: spec.ServiceSpec, nodes: Iterable[str]) -> Iterable[Boundary]:
    work = design.pipework
    for key in nodes:
        node = work.nodes[key]
        if node.kind == "port":
            place = work.ports[node.part]
            if not _goes_through(service, place.station):
                yield Boundary(key, f"{place.key} shut off or plugged")
        elif node.kind in ENDS:
            what = f"{ENDS[node.kind]} of {node.run}" if not node.name else f"pocket {node.run}.{node.name}, closed"
            yield Boundary(key, what)


def _litres(design: Layout, straights: Iterable[str]) -> float:
    """What the pipe holds [L]: what a metre holds x length as traced; nothing for tube of which that is not known."""
    total = 0.0
    for key in straights:
        pipe = design.pipework.straights[key].pipe
        row = design.context.catalogue.pipe(pipe.code, pipe.size)
        if row and row.litres_m and key in design.fitted.spans:
            a, b = design.fitted.spans[key]
            total += row.litres_m * b.minus(a).length / 1000
    return total
