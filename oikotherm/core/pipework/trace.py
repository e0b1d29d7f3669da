"""trace(job) -> Pipework: where every pipe runs, before anyone asks which fittings that takes.

A run is walked leg by leg from its start. Where the way turns, a tee, device or pipe change stands, or a run ends,
there is a node; between two nodes lies a straight. Nodes and straights are known by keys made from item ids, so that an
edit elsewhere leaves them alone.

At one spot several things may stand between two legs. One of them has the spot itself: the tee if there is one, else
the turn, else the first device. What is said before it stands close to it on the leg that arrives, what is said after
it on the leg that leaves; fit_out() works out how near that can be made.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import replace
from functools import partial
from typing import Literal

from ..catalogue import Catalogue
from ..catalogue.kits import kit_for
from ..job.model import Job, Pipe, PipeChange, Port, Run, Station, is_point_name, split_anchor
from ..job.ways import DIRECTIONS, Vec
from ..memory import Memory
from .geometry import Graph, KitPlace, Node, NodeKind, PassPlace, Pipework, PortPlace, RunPipework, Straight
from .run_pipework import held_run, run_pipework
from .walk import SAME_WAY, RunTrace, Walker


def station_point(station: Station, floor_mm: float, offset: tuple[float, float, float]) -> Vec:
    """A point given as (right, out, up) from the bottom centre of a station's back, in the house."""
    out = DIRECTIONS[station.faces]
    right = Vec(-out.y, out.x, 0)
    base = Vec(station.at[0], station.at[1], station.at[2] + floor_mm)
    return base.plus(right, offset[0]).plus(out, offset[1]).plus(Vec(0, 0, offset[2]))


def station_way(station: Station, facing: str) -> Vec:
    """A facing word (left, right, out, back, up, down, seen from the front) as a direction in the house."""
    out = DIRECTIONS[station.faces]
    right = Vec(-out.y, out.x, 0)
    words = {
        "out": out,
        "back": out.times(-1),
        "right": right,
        "left": right.times(-1),
        "up": DIRECTIONS["U"],
        "down": DIRECTIONS["D"],
    }
    return words[facing]


def _port_place(station: Station, port: Port, floor_mm: float, catalogue: Catalogue, pipe: Pipe | None) -> PortPlace:
    """A port with its kit. pipe: of the run that meets it there, None where none does."""
    turns = {part.part: part.turn for part in port.kit}
    parts = tuple(part.part for part in port.kit)
    if pipe:
        parts = kit_for(catalogue, parts, pipe.code, pipe.size)
    key = f"{station.id}.{port.name}"
    plane = station_point(station, floor_mm, port.offset)
    at, way, end = plane, station_way(station, port.facing), port.end
    kit: list[KitPlace] = []
    unknown: list[str] = []
    for number, part in enumerate(parts, 1):
        row = catalogue.kits.get(part)
        if row is None:
            unknown.append(part)
            continue
        centre = at.plus(way, row.reach_in_mm)
        turn = turns.get(part)
        if turn and row.turns:
            way = station_way(station, turn)
        at = centre.plus(way, row.reach_out_mm)
        end = row.outer_end
        kit.append(KitPlace(f"{key}/kit{number}", row, centre, at, way))
    return PortPlace(key, station, port, plane, at, way, end, tuple(kit), tuple(unknown))


def _pipes_at_ports(job: Job) -> dict[str, Pipe]:
    """Port -> the pipe that meets it: of a run that starts there its own, of one that ends there the last it became."""
    runs = {run.id: run for run in job.runs}

    def last(run: Run) -> Pipe:
        items = runs[run.twin_of.run].items if run.twin_of and run.twin_of.run in runs else run.items
        return next((item.pipe for item in reversed(items) if isinstance(item, PipeChange)), run.pipe)

    met = {run.start: run.pipe for run in reversed(job.runs)}
    return {run.finish: last(run) for run in reversed(job.runs)} | met


def trace(job: Job, catalogue: Catalogue, memory: Memory | None = None) -> Pipework:
    """Walk every run of the job. Never raises: what cannot be placed is adrift, what cannot be solved is named.

    Runs that start at a point of another run follow that run. A leg "until level" takes the length that brings the end
    level with the finish in its direction, all other legs of the run counted.
    """
    memory = Memory() if memory is None else memory
    floors = {level.id: level.floor_mm for level in job.house.levels}
    ports: dict[str, PortPlace] = {}
    met = _pipes_at_ports(job)
    for station in job.stations:
        for port in station.ports:
            floor, pipe = floors[station.level], met.get(f"{station.id}.{port.name}")
            place = memory.keep(
                "port place",
                (station, port, catalogue),
                (floor, pipe),
                partial(_port_place, station, port, floor, catalogue, pipe),
            )
            ports[place.key] = place
    walker = Walker(job, {key: place.mouth for key, place in ports.items()}, catalogue, memory)
    for run in job.runs:
        walker.walk(run.id)
    return _Builder(job, ports, walker.done, memory).build()


def standing(job: Job, pipework: Pipework) -> Pipework:
    """The pipework without the runs that go; what a run that stays hangs on, it keeps."""
    gone = {run.id for run in job.runs if run.state == "remove"}
    if not gone:
        return pipework
    straights = {key: straight for key, straight in pipework.straights.items() if straight.run not in gone}
    held = {node for straight in straights.values() for node in (straight.from_node, straight.to_node)}
    nodes = {key: node for key, node in pipework.nodes.items() if node.run not in gone or key in held}
    arms: dict[str, dict[str, str]] = {
        key: {arm: straight for arm, straight in pipework.arms[key].items() if straight in straights} for key in nodes
    }
    for key, node in nodes.items():
        if node.kind == "turn" and len(arms[key]) < 2:  # the pipe on its other side goes
            nodes[key] = replace(node, kind="open")
    parts = {}
    for run, part in pipework.by_run.items():
        kept = tuple(key for key in part.nodes if key in held)
        if run not in gone:
            parts[run] = part
        elif kept:
            parts[run] = pipework.memory.keep(
                "part held", (part,), kept, partial(held_run, part, kept, pipework.memory)
            )
    return Pipework(
        pipework.ports,
        nodes,
        straights,
        {key: trace_ for key, trace_ in pipework.runs.items() if key not in gone},
        tuple(one for one in pipework.passes if one.run not in gone),
        arms,
        parts,
        _graph(parts, nodes, pipework.ports, pipework.memory),
        pipework.memory,
        tuple(one for one in pipework.marks if one.run not in gone),
    )


def _graph(parts: dict[str, RunPipework], nodes: dict[str, Node], ports: dict[str, PortPlace], memory: Memory) -> Graph:
    """The graph of these parts; with it are remembered what stands at the ports and which points are no tees."""
    on = [node for part in parts.values() for node, _, _ in part.outer if nodes[node].kind == "port"]
    joined = tuple((key, nodes[key].kind) for part in parts.values() for key in part.joins if nodes[key].kind != "tee")
    links = [part.connections for part in parts.values()]
    return memory.keep(
        "graph",
        (*links, *(ports[nodes[key].part] for key in on)),
        (tuple(on), joined),
        lambda: Graph(end for one in links for end in one.ends),
        most=6,
    )


class _Builder:
    """Turns walked runs into nodes and straights."""

    def __init__(self, job: Job, ports: dict[str, PortPlace], runs: dict[str, RunTrace], memory: Memory) -> None:
        self.job = job
        self.memory = memory
        self.ports = ports
        self.runs = {run.id: runs[run.id] for run in job.runs}
        self.nodes: dict[str, Node] = {}
        self.straights: dict[str, Straight] = {}
        self.passes: list[PassPlace] = []
        self.parts: dict[str, RunPipework] = {}
        self.used: dict[str, set[str]] = defaultdict(set)  # run -> names of points that other runs join
        for run in job.runs:
            for anchor in (run.start, run.finish):
                owner, name = split_anchor(anchor)
                if name and is_point_name(name):
                    self.used[owner].add(name)

    def build(self) -> Pipework:
        for trace_ in list(self.runs.values()):
            self._run(trace_)
        arms: dict[str, dict[str, str]] = {key: {} for key in self.nodes}
        for part in self.parts.values():
            arms.update(part.arms)
        for part in self.parts.values():
            for node, arm, straight in part.outer:
                arms[node] = {**arms[node], arm: straight}
        for key in (key for part in self.parts.values() for key in part.joins):
            if len(arms[key]) == 2:  # one run goes on as another: no tee
                ways = [
                    straight.way.times(1 if straight.from_node == key else -1)
                    for straight in (self.straights[name] for name in arms[key].values())
                ]
                kind: NodeKind = "change" if -ways[0].dot(ways[1]) > SAME_WAY else "turn"
                self.nodes[key] = replace(self.nodes[key], kind=kind)
        return Pipework(
            self.ports,
            self.nodes,
            self.straights,
            self.runs,
            tuple(self.passes),
            arms,
            self.parts,
            _graph(self.parts, self.nodes, self.ports, self.memory),
            self.memory,
            tuple(one for part in self.parts.values() for one in part.marks),
        )

    def _run(self, trace_: RunTrace) -> None:
        run = trace_.run
        finish = self._anchor(trace_, run.finish, "finish") if "." in run.finish else None
        if finish:
            target = self.ports[run.finish].mouth if run.finish in self.ports else self._point(run.finish)
            self.runs[run.id] = self.memory.keep(
                "run closed",
                (trace_,),
                target,
                lambda: replace(trace_, finish_at=target, closing=target.minus(trace_.end)),
            )
        elif "." in run.finish and not trace_.adrift:
            self.runs[run.id] = replace(trace_, adrift="finish")
        start = self._anchor(trace_, run.start, "start")
        used = frozenset(self.used[run.id]) if run.id in self.used else frozenset()
        part = self.memory.keep(
            "part", (trace_,), (start, finish, used), lambda: run_pipework(trace_, start, finish, used, self.memory)
        )
        if part is None:
            return  # nothing paced yet
        if start is not None:
            self._add_port(run.start, run.id)
        self.nodes.update(part.nodes)
        self.straights.update(part.straights)
        self.passes += part.passes
        self.parts[run.id] = part
        if finish:
            self._add_port(run.finish, run.id)

    def _anchor(self, trace_: RunTrace, anchor: str, side: Literal["start", "finish"]) -> tuple[str, str] | None:
        """The node and arm an anchor stands for; None if there is no such port or point."""
        run = trace_.run.id
        if anchor in self.ports:
            taken = self.nodes.get(anchor)
            return (anchor if taken is None or taken.run == run and side == "start" else f"{anchor}+{run}"), "out"
        owner, name = split_anchor(anchor)
        if owner in self.runs and name in self.runs[owner].point_items and not (side == "start" and trace_.adrift):
            return f"{self.runs[owner].point_items[name]}/tee", run if owner != run else f"{run}-{side}"
        return None

    def _point(self, anchor: str) -> Vec:
        owner, name = split_anchor(anchor)
        return self.runs[owner].points[name]

    def _add_port(self, anchor: str, run: str) -> None:
        """A port has a node once a run is on it; a second run on the same port gets a node of its own beside it."""
        if anchor in self.ports:
            key = anchor if anchor not in self.nodes else f"{anchor}+{run}"
            place = self.ports[anchor]
            self.nodes[key] = self.memory.keep(
                "port node", (place,), (key, run), lambda: Node(key, "port", place.mouth, run, part=anchor)
            )
