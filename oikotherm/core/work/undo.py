"""Undo depth: how many joints come off to take out a station, from the nearest one that comes apart."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ..layout import Layout
from ..making.assembly.model import Assembly, AssemblyJoint
from ..services import spec
from .assembling import assembly_of

MANY = 4  # typ: a finding above it
NOT_TAKEN = ("supply", "stub", "tundish")  # nobody takes these out
UNION_LEG_MM = 120.0  # typ: the least of pipe a union goes into


@dataclass(frozen=True, slots=True)
class Undo:
    """What it takes to take a station out. depth: joints that come off at its worst port; port: that one; joints: their
    labels, from the one that is opened to the station; union_at: the piece nearest to it that a union would go into, ""
    where one comes apart already."""

    station: str
    depth: int
    port: str
    joints: tuple[str, ...]
    union_at: str


def undo_depths(design: Layout) -> tuple[Undo, ...]:
    """Every station that can be taken out, in the order of the job; those without pipe are left out. Worked out
    once."""
    kept: tuple[Undo, ...] = design.kept("undo depths", lambda: _all(design))
    return kept


def _all(design: Layout) -> tuple[Undo, ...]:
    found: dict[str, Undo] = {}
    for service in spec.services().values():
        runs = [run.id for run in design.job.runs if run.service == service.id and run.state != "remove"]
        if not runs or service.runs_off:
            continue
        assembly = assembly_of(design, runs)
        for undo in _of(assembly, design):
            worse = found.get(undo.station)
            if worse is None or undo.depth > worse.depth:
                found[undo.station] = undo
    return tuple(found[one.id] for one in design.job.stations if one.id in found)


def _of(assembly: Assembly, design: Layout) -> Iterable[Undo]:
    beside: dict[str, list[tuple[AssemblyJoint, str]]] = defaultdict(list)
    for one in assembly.joints:
        beside[one.a].append((one, one.b))
        beside[one.b].append((one, one.a))
    stations = {one.id for one in design.job.stations if one.kind not in NOT_TAKEN and one.state != "remove"}
    held = {one.key for one in assembly.parts if one.fixed} | {one.id for one in design.job.stations}
    for part in assembly.parts:
        if part.key in stations:
            ports = [_port(design, part.key, joint, other, beside, held) for joint, other in beside[part.key]]
            if ports:
                yield max(ports, key=lambda undo: undo.depth)


def _port(
    design: Layout,
    station: str,
    first: AssemblyJoint,
    other: str,
    beside: dict[str, list[tuple[AssemblyJoint, str]]],
    held: set[str],
) -> Undo:
    """One port: what hangs on it up to the joints that come apart. Where nothing else holds that, opening them is all;
    else it is taken apart from the nearest of them, or from the nearest end, back to the station."""
    port = first.key.partition(":")[0].partition("/")[0]
    port = port if port.startswith(f"{station}.") else station
    if first.opens:
        return Undo(station, 1, port, (first.title,), "")
    came: dict[str, tuple[str, AssemblyJoint]] = {other: (station, first)}
    waiting, opening = [other], list[tuple[str, AssemblyJoint]]()
    ends: list[tuple[AssemblyJoint | None, str]] = []  # the joint at what holds it, or None at an open end
    fixed = False
    for part in waiting:
        onward = [(joint, far) for joint, far in beside[part] if far != came[part][0]]
        if not onward:
            ends.append((None, part))
        for joint, far in onward:
            if joint.opens:
                opening.append((part, joint))
            elif far in held:
                fixed = fixed or far != station
                ends.append((joint, part))
            elif far not in came:
                came[far] = part, joint
                waiting.append(far)

    def way(part: str) -> list[AssemblyJoint]:
        found = []
        while part != station:
            before, joint = came[part]
            found.append(joint)
            part = before
        return found

    if opening and not fixed:
        return Undo(station, len(opening), port, tuple(joint.title for _, joint in opening), "")
    ways: list[Sequence[AssemblyJoint]] = [[joint, *way(part)] for part, joint in opening]
    ways += [[*([joint] if joint else []), *way(part)] for joint, part in ends]
    shortest = min(ways, key=len)
    return Undo(station, len(shortest), port, tuple(one.title for one in shortest), _union_at(design, came, waiting))


def _union_at(design: Layout, came: dict[str, tuple[str, AssemblyJoint]], nearest: Sequence[str]) -> str:
    """The first piece from the station on that is long enough for a union, by its label and run."""
    for part in nearest:
        piece = design.fitted.pieces.get(part)
        if piece is not None and piece.centre_mm >= UNION_LEG_MM:
            return f"{design.piece_labels.get(part, part)} of {piece.run}"
    return ""
