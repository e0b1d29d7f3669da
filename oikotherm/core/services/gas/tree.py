"""Gas pipe as a tree: from each source the sections of one size between its branches, and the ends they come to."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from ...job.model import Pipe, Station
from ...layout import Layout
from ...network import tree
from ...pipework.geometry import Pipework
from .. import spec
from .stations import SPEC

What = Literal["elbow", "bend", "branch", "valve", "other"]
STRAIGHT_ON = 0.9  # cosine: what leaves a tee within it goes straight through
VALVES = ("iso", "gate", "drain")


@dataclass(frozen=True, slots=True)
class GasFitting:
    """A fitting in a section: what it is for the sum, and its key."""

    what: What
    key: str


@dataclass(frozen=True, slots=True)
class GasSection:
    """Pipe of one size that carries one flow. start, end: names; below: the sections it feeds; feeds: stations;
    flow_m3_s with all appliances on; equivalent_m: what its fittings add; drop_pa with all on."""

    id: str
    run: str
    item: str | None
    pipe: Pipe
    keys: tuple[str, ...]
    start: str
    end: str
    length_m: float
    fittings: tuple[GasFitting, ...]
    above: str
    feeds: tuple[str, ...] = ()
    flow_m3_s: float = 0.0
    equivalent_m: float = 0.0
    bore_mm: float = 0.0
    roughness_mm: float = 0.0
    drop_pa: float = 0.0
    velocity_m_s: float = 0.0


def _is_gas(design: Layout, straight: str) -> bool:
    one = design.pipework.straights[straight]
    run = design.job.run(one.run)
    through = not one.piece_mm  # into the pocket of a trap nothing flows
    return through and run is not None and run.service == SPEC.id and run.state != "remove"


def sources(design: Layout) -> tuple[tuple[str, Station], ...]:
    """Where gas comes from, as (port, station): outlets of meters, regulators, tanks and supplies; a stub that nothing
    else feeds."""
    found = []
    for key, place in design.pipework.ports.items():
        station, port = place.station, place.port
        if "bars" in spec.kind(station.kind).traits:
            continue  # a manifold hands on what comes to it
        if port.role != SPEC.id or station.state == "remove" or not design.pipework.arms.get(key):
            continue
        if port.way == "out" or (station.kind == "stub" and _runs_from(design, key)):
            found.append((key, station))
    return tuple(found)


def _runs_from(design: Layout, key: str) -> bool:
    return any(run.start == key and run.service == SPEC.id for run in design.job.runs)


@dataclass
class Tree:
    """Sections as they are walked, with the ends reached."""

    sections: list[GasSection] = field(default_factory=list)
    ends: dict[str, str] = field(default_factory=dict)  # port -> the section that comes to it
    rings: bool = False


def walk(design: Layout, source: str) -> Tree:
    """The sections from a source on, each after the one that feeds it."""
    fitted, work = design.fitted, design.pipework
    found = tree.walk(
        design.job, fitted, source, lambda _, key: _is_gas(design, key), lambda node: _handed_on(design, node)
    )
    sections = [
        GasSection(
            one.id,
            one.run,
            one.item,
            one.pipe,
            one.keys,
            tree.named(work, one.start),
            tree.named(work, one.end),
            one.length_m,
            _fittings(design, one),
            one.above,
        )
        for one in found.reaches
    ]
    return Tree(sections, found.ends, found.rings)


def _fittings(design: Layout, one: tree.Reach) -> tuple[GasFitting, ...]:
    """What a section's fittings are for the sum: the one it begins at, and those within it."""
    work = design.pipework
    found: list[GasFitting] = []
    if one.came:
        turns = _turns(work, one.start, one.came, one.keys[0])
        if one.alone:  # the pipe changes, or turns into another size
            found.append(GasFitting("elbow" if turns else "other", one.start))
        elif turns:
            found.append(GasFitting("branch", one.start))
    elif one.above:
        found.append(GasFitting("other", one.start))
    for node, before, after in zip(one.nodes[1:-1], one.keys, one.keys[1:], strict=False):
        kind = _kind(design, node, _turns(work, node, before, after))
        if kind is not None:
            found.append(GasFitting(kind, node))
    return tuple(found)


def _turns(work: Pipework, node: str, before: str, after: str) -> bool:
    """Whether what goes on from a node leaves the line it came in by."""
    return tree.way(work, node, after).dot(tree.way(work, node, before)) > -STRAIGHT_ON


def _handed_on(design: Layout, node: str) -> list[tuple[str, str]]:
    """Where gas goes on from the port of a manifold: (port, the straight on it)."""
    work = design.pipework
    station = work.ports[work.nodes[node].part].station
    if "bars" not in spec.kind(station.kind).traits:
        return []
    others = [key for key, place in work.ports.items() if place.station.id == station.id and key != node]
    return [(key, straight) for key in others for straight in work.arms.get(key, {}).values()]


def _kind(design: Layout, node: str, turns: bool) -> What | None:
    """What a node between two pieces is for the sum; None for what costs nothing."""
    fitting = design.fitted.fittings.get(node)
    here = design.pipework.nodes[node]
    if here.kind == "turn":
        return "bend" if fitting is not None and fitting.kind == "bend" else "elbow"
    if here.kind == "device":
        return "valve" if here.part in VALVES else "other"
    if here.kind == "tee" and turns:
        return "branch"
    return "other" if here.kind in ("tee", "change") else None
