"""The geometry of a job as data: ports, nodes and straights in the house, what each run adds to them, how they hang
together."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Literal

from ..catalogue import KitRow
from ..job.model import DeviceItem, Pass, Pipe, Port, Station
from ..job.ways import Vec
from ..memory import Memory
from .walk import RunTrace

NodeKind = Literal["port", "turn", "tee", "device", "change", "cap", "plug", "stub", "open"]


@dataclass(frozen=True, slots=True)
class KitPlace:
    """A kit part of a port where it sits. at: its centre; mouth: plane of its outer end; facing: way out of that
    end."""

    key: str
    row: KitRow
    at: Vec
    mouth: Vec
    facing: Vec


@dataclass(frozen=True, slots=True)
class PortPlace:
    """A port in the house. mouth and facing: of the outer end of its kit, where a run meets it; end: that end."""

    key: str
    station: Station
    port: Port
    plane: Vec
    mouth: Vec
    facing: Vec
    end: str
    kit: tuple[KitPlace, ...]
    unknown_kit: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Node:
    """A place where straights meet. arms: arm name -> direction out of the node along that straight."""

    key: str
    kind: NodeKind
    at: Vec
    run: str
    item: str = ""
    part: str = ""
    name: str = ""
    close: bool = False  # stands close to the node that has the spot; `at` is still the spot
    arrow: Literal["with", "against", "none"] = "none"
    handle: str = ""


@dataclass(frozen=True, slots=True)
class Straight:
    """Pipe in one line between two nodes. close: between things at one spot; its length is made by fit_out().

    a, b: ends of the centre line [mm]; legs: items it was paced with; place, lag_mm: how it lies where it begins;
    place_to: and where it ends; piece_mm: length of the pipe itself where that is what was said, as of the nipple of a
    sediment trap: its end then stands where that brings it; longest_mm: the longest piece that can be brought in to it,
    None where nothing limits it.
    """

    key: str
    run: str
    pipe: Pipe
    a: Vec
    b: Vec
    way: Vec
    length_mm: float
    legs: tuple[str, ...]
    from_node: str
    from_arm: str
    to_node: str
    to_arm: str
    close: bool = False
    place: str = ""
    lag_mm: float = 0.0
    assumed: bool = False
    place_to: str = ""
    piece_mm: float = 0.0
    longest_mm: float | None = None


@dataclass(frozen=True, slots=True)
class PassPlace:
    """A pass through a wall, floor or ceiling: from the face entered, along the pipe."""

    item: Pass
    run: str
    at: Vec
    way: Vec


@dataclass(frozen=True, slots=True)
class MarkPlace:
    """What is put on a pipe without splitting it, as a bonding clamp: where, and the pipe it sits on."""

    item: DeviceItem
    run: str
    at: Vec
    way: Vec
    pipe: Pipe
    place: str


class Connections:
    """How the straights of a run hang together, without where they lie: the same object for the same keys, kinds and
    ends."""

    __slots__ = ("ends",)

    def __init__(self, ends: tuple[tuple[str, str, str], ...]) -> None:
        self.ends = ends
        """(straight, the nodes it begins and ends at)"""


class RunShape:
    """What decides the fittings of a run: its pipes and the ways they go, without lengths and places; the same object
    for the same."""

    __slots__ = ()


@dataclass(frozen=True, slots=True)
class RunPipework:
    """What one run adds to the pipework: its nodes, and its straights in pacing order.

    arms: those of its own straights on its own nodes; outer: ends of its straights on ports and on nodes of other runs,
    as (node, arm, straight); joins: points where another run may simply go on; connections, shape: what stays when
    lengths change.
    """

    nodes: dict[str, Node]
    straights: dict[str, Straight]
    passes: tuple[PassPlace, ...]
    joins: tuple[str, ...]
    arms: dict[str, dict[str, str]]
    outer: tuple[tuple[str, str, str], ...]
    connections: Connections
    shape: RunShape
    marks: tuple[MarkPlace, ...] = ()


class Graph:
    """The network of a pipework without lengths and places: the same object as long as nothing is joined otherwise."""

    __slots__ = ("beside", "ends")

    def __init__(self, ends: Iterable[tuple[str, str, str]]) -> None:
        self.ends: dict[str, tuple[str, str]] = {}
        """straight -> the nodes it begins and ends at"""
        self.beside: dict[str, list[tuple[str, str]]] = defaultdict(list)
        """node -> (other node, the straight between)"""
        for key, a, b in ends:
            self.ends[key] = a, b
            self.beside[a].append((b, key))
            self.beside[b].append((a, key))


@dataclass(frozen=True, slots=True)
class Pipework:
    """The geometry of a job. Dicts are in the order of the document."""

    ports: dict[str, PortPlace]
    nodes: dict[str, Node]
    straights: dict[str, Straight]
    runs: dict[str, RunTrace]
    passes: tuple[PassPlace, ...]
    arms: dict[str, dict[str, str]]
    """node key -> arm name -> straight key"""
    by_run: dict[str, RunPipework]
    """Run -> what it adds; runs with nothing paced are left out."""
    graph: Graph
    memory: Memory = field(compare=False, repr=False)
    """What it was made with: where what follows from it is remembered."""
    marks: tuple[MarkPlace, ...] = ()

    def way_out(self, node: str, arm: str) -> Vec:
        """Direction out of a node along one of its arms."""
        straight = self.straights[self.arms[node][arm]]
        return straight.way if (straight.from_node, straight.from_arm) == (node, arm) else straight.way.times(-1)
