"""Rules of backflow assemblies as they stand in the pipe: before which branches, over which drain, how high."""

from __future__ import annotations

import math
from collections.abc import Iterable

from ...job.model import DeviceItem, Item, Leg, Run
from ...job.writing import item_text
from ...pipework.geometry import Node
from ...quantity import length_text
from ...rules.legs import put_in_leg
from ...rules.registry import Remedy, RuleBook, Said, View
from .backflow import PART_OF, ROOM_MM, devices
from .network import kind_of
from .size_rules import networks_of, pressure
from .stations import SPEC

rule = RuleBook("water")
ASSEMBLIES = (PART_OF["dc"], PART_OF["rpz"])
OWN = (*ASSEMBLIES, "check")
CONTAINS = "containment"
LEAST_LEG_MM = 380.0  # room for an assembly and its joints
DRAIN_WITHIN_MM = 1500.0  # typ: from an assembly to the air gap below it


def _assemblies(view: View) -> list[Node]:
    work = view.fitted.pipework
    return [
        node
        for node in work.nodes.values()
        if node.kind == "device" and node.part in ASSEMBLIES and work.runs[node.run].run.service == SPEC.id
    ]


@rule(
    "containment-late",
    "stop",
    "a containment assembly behind a branch",
    "What branches off before it is not contained: the street is open to it. It stands behind stop valve and meter, "
    "before any tee or drain.",
    "std; the authority having jurisdiction",
)
def containment_late(view: View) -> Iterable[Said]:
    for run in view.job.runs:
        if run.service != SPEC.id or run.state == "remove":
            continue
        for n, item in enumerate(run.items):
            if not isinstance(item, DeviceItem) or item.part not in ASSEMBLIES or item.setting != CONTAINS:
                continue
            branch = next((m for m, other in enumerate(run.items[:n]) if _parts(other)), None)
            station = view.job.station(run.start.partition(".")[0])
            if branch is None and station is not None:
                continue
            node = view.fitted.pipework.nodes.get(f"{item.id}/device")
            yield Said(
                (run.id, item.id),
                f"{run.id}: water branches off before its containment assembly.",
                tuple(_moved(view, run, item, branch) if branch is not None else ()),
                node.at if node else None,
                ("right behind the stop valve and the meter",),
            )


def _moved(view: View, run: Run, item: DeviceItem, branch: int) -> Iterable[Remedy]:
    """The assembly taken out and put into the longest leg before the branch."""
    trace = view.fitted.pipework.runs[run.id]
    legs = [one for one in run.items[:branch] if isinstance(one, Leg) and trace.lengths[one.id] >= LEAST_LEG_MM]
    if not legs:
        return
    leg = max(legs, key=lambda one: trace.lengths[one.id])
    text = item_text(item, view.style)
    first = getattr(run.items[branch], "name", "") or "the drain"
    yield Remedy(
        "Move it before the branch",
        (
            {"do": "retype_item", "run": run.id, "item": item.id, "text": ""},
            put_in_leg(view, run.id, leg, text, round(trace.lengths[leg.id] / 2)),
        ),
        f"{text} before {first} on {run.id}",
    )


def _parts(item: Item) -> bool:
    """Whether water leaves the run there."""
    return item.kind == "tee" or isinstance(item, DeviceItem) and item.part in ("drain", "filling")


@rule(
    "assembly-drain",
    "stop",
    "a reduced-pressure assembly without a drain",
    "It spills when a check fails, with all the pipe can give: without a drain that takes it the room floods, and in a "
    "pit it drinks what it spilled.",
    "std; the authority having jurisdiction",
)
def assembly_drain(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    drains = [place for place in work.ports.values() if place.station.kind == "tundish"]
    for node in _assemblies(view):
        if node.part != PART_OF["rpz"]:
            continue
        near = any(
            math.hypot(place.plane.x - node.at.x, place.plane.y - node.at.y) <= DRAIN_WITHIN_MM
            and place.plane.z < node.at.z
            for place in drains
        )
        if not near:
            yield Said(
                (node.run, node.key),
                f"The reduced-pressure assembly on {node.run} has no drain under it.",
                (),
                node.at,
                ("a tundish or floor drain for its full flow, by an air gap, within reach below it",),
            )


@rule(
    "assembly-loss",
    "note",
    "what an assembly takes off the pressure",
    "Its springs take their share whatever flows, and more at the peak: it is missed at the worst outlet.",
    "rated flow and drop by size (typ); maker's curve",
    stage="sizes",
)
def assembly_loss(view: View) -> Iterable[Said]:
    for node in _assemblies(view):
        for net in networks_of(view):
            lost = [one for section in net.sections for one in section.locals if one.key == node.key]
            worst = net.worst
            if not lost or worst is None or not lost[0].drop_pa:
                continue
            yield Said(
                (node.run, node.key),
                f"{lost[0].title} on {node.run}: {pressure(view, lost[0].drop_pa)} at what runs at once; "
                f"{pressure(view, worst.arriving_pa)} are left at {worst.station}, "
                f"{pressure(view, worst.least_pa)} needed.",
                (),
                node.at,
                ("the next size of it", "a double check where the authority takes one"),
            )


@rule(
    "assembly-height",
    "mind",
    "an assembly out of reach, or too low",
    "Too low it stands in its own water, too high nobody tests it: 300 to 1500 mm above the floor.",
    "typ; the authority having jurisdiction",
)
def assembly_height(view: View) -> Iterable[Said]:
    unit = view.job.pace_unit
    floors = [level.floor_mm for level in view.job.house.levels]
    for node in _assemblies(view):
        floor = max((one for one in floors if one <= node.at.z + 1), default=min(floors, default=0.0))
        up = node.at.z - floor
        low, high = ROOM_MM
        if low - 1 <= up <= high + 1:
            continue
        yield Said(
            (node.run, node.key),
            f"The assembly on {node.run} stands {length_text(round(up), unit, with_unit=True)} above the floor; "
            f"{length_text(low, unit, with_unit=True)} to {length_text(high, unit, with_unit=True)} are wanted.",
            (),
            node.at,
            ("where its test cocks are in reach, out of frost",),
        )


@rule(
    "breaker-height",
    "stop",
    "a vacuum breaker below what it feeds",
    "A vacuum breaker lets air in where the water hangs back: below the highest outlet behind it water stands against "
    "it and it never opens.",
    "std: 300 mm (12 in) above the highest outlet",
)
def breaker_height(view: View) -> Iterable[Said]:
    work, unit = view.fitted.pipework, view.job.pace_unit
    least = devices()["pvb"].height_mm
    for net in networks_of(view):
        holds = {key: section.id for section in net.sections for key in section.nodes}
        for key in holds:
            node = work.nodes[key]
            if node.kind != "device" or node.part != PART_OF["pvb"]:
                continue
            behind = [end for end in net.ends if holds[key] in end.path and end.port in work.ports]
            highest = max(behind, key=lambda end: work.ports[end.port].mouth.z, default=None)
            if highest is None:
                continue
            over = node.at.z - work.ports[highest.port].mouth.z
            if over >= least - 1:
                continue
            said = f"{length_text(abs(round(over)), unit, with_unit=True)} {'above' if over >= 0 else 'below'}"
            yield Said(
                (node.run, node.key),
                f"The vacuum breaker on {node.run} stands {said} {highest.station}, the highest outlet behind it; "
                f"{length_text(least, unit, with_unit=True)} above it are wanted.",
                (),
                node.at,
                ("higher up on its run", "a reduced-pressure assembly, which needs no height"),
            )


@rule(
    "hose-breaker",
    "mind",
    "a hose tap without a check of its own",
    "A hose hangs in a bucket or a pond: what it sucks back goes into the house, assembly at the main or not.",
    "std; local code",
)
def hose_breaker(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    for net in networks_of(view):
        for end in net.ends:
            station = view.job.station(end.station)
            if station is None or kind_of(station)[0] != "outside-tap":
                continue
            last = net.section(end.path[-1])
            nodes = [work.nodes[key] for key in last.nodes]
            if any(node.kind == "device" and node.part in OWN for node in nodes):
                continue
            yield Said(
                (end.station, end.port),
                f"{end.station}, an outside tap, has no vacuum breaker or check of its own.",
                (),
                work.ports[end.port].mouth if end.port in work.ports else None,
                ("a tap with its breaker inside", f"[check] on {last.run}, behind its stop valve"),
            )


RULES = tuple(rule.rules.values())
