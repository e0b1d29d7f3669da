"""Gas pipe as a tree: from each source the sections of one size between its branches, and the ends they come to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from ...job.model import Pipe, Station
from ...layout import Layout
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
    work, tree = design.pipework, Tree()
    seen: set[str] = set()
    waiting: list[tuple[str, str, str, What | None]] = [
        (source, straight, "", None) for straight in work.arms[source].values() if _is_gas(design, straight)
    ]
    while waiting:
        node, straight, above, first = waiting.pop(0)
        if straight in seen:
            tree.rings = True
            continue
        start = node
        keys: list[str] = []
        fittings = [GasFitting(first, node)] if first else []
        while True:
            seen.add(straight)
            keys.append(straight)
            one = work.straights[straight]
            node = one.to_node if one.from_node == node else one.from_node
            onward = [key for key in work.arms[node].values() if key != straight and _is_gas(design, key)]
            same = [key for key in onward if work.straights[key].pipe == one.pipe]
            if len(onward) != 1 or not same or onward[0] in seen:
                break
            turns = _way(work, node, onward[0]).dot(_way(work, node, straight)) > -STRAIGHT_ON
            kind = _kind(design, node, turns)
            if kind is not None:
                fittings.append(GasFitting(kind, node))
            straight = onward[0]
        one = work.straights[keys[0]]
        length = sum(_length_mm(design, key) for key in keys) / 1000
        number = sum(made.run == one.run for made in tree.sections) + 1
        made = GasSection(
            f"{one.run}-{number}",
            one.run,
            _item(design, one.run, one.pipe, keys),
            one.pipe,
            tuple(keys),
            _name(work, start),
            _name(work, node),
            length,
            tuple(fittings),
            above,
        )
        tree.sections.append(made)
        if work.nodes[node].kind == "port":
            tree.ends[work.nodes[node].part] = made.id
            waiting += [(port, key, made.id, "other") for port, key in _handed_on(design, node)]
        way_in = _way(work, node, keys[-1])
        for key in onward:
            if key in seen:
                tree.rings = True
                continue
            turns = _way(work, node, key).dot(way_in) > -STRAIGHT_ON
            what: What | None = "branch" if turns else None
            if len(onward) == 1:  # the pipe changes, or turns into another size
                what = "elbow" if turns else "other"
            waiting.append((node, key, made.id, what))
    return tree


def _handed_on(design: Layout, node: str) -> list[tuple[str, str]]:
    """Where gas goes on from the port of a manifold: (port, the straight on it)."""
    work = design.pipework
    station = work.ports[work.nodes[node].part].station
    if "bars" not in spec.kind(station.kind).traits:
        return []
    others = [key for key, place in work.ports.items() if place.station.id == station.id and key != node]
    return [(key, straight) for key in others for straight in work.arms.get(key, {}).values()]


def _way(work: Pipework, node: str, straight: str) -> Any:
    """The way out of a node along one of its straights."""
    arm = next(arm for arm, key in work.arms[node].items() if key == straight)
    return work.way_out(node, arm)


def _length_mm(design: Layout, key: str) -> float:
    a, b = design.fitted.spans.get(key, (design.pipework.straights[key].a, design.pipework.straights[key].b))
    return float(b.minus(a).length)


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


def _item(design: Layout, run: str, pipe: Pipe, keys: Sequence[str]) -> str | None:
    """Where the size of a section is said: the change of pipe before it, None at the start of its run."""
    found = design.job.run(run)
    said: str | None = None
    if found is None or pipe == found.pipe and not any(item.kind == "pipe" for item in found.items):
        return None
    legs = {leg for key in keys for leg in design.pipework.straights[key].legs}
    for item in found.items:
        if item.kind == "pipe":
            said = item.id
        if item.id in legs:
            return said
    return None


def _name(work: Pipework, node: str) -> str:
    here = work.nodes[node]
    if here.kind == "port":
        return here.part
    return f"{here.run}.{here.name}" if here.name else here.run
