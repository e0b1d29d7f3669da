"""The plan of work: steps made by rules, put in order by what each depends on, with the trade's preferences as tie-breakers."""

from __future__ import annotations

import csv
import functools
import heapq
from collections.abc import Callable, Iterable
from dataclasses import replace
from importlib import resources

from ..design import Design
from ..errors import Refused
from ..job.model import Station, split_anchor
from ..joints.fitted import Joint, Piece
from ..network.graph import has_trait
from ..practice import BOILER_PIPES, chosen
from ..quantity import length_text
from ..services import spec
from ..services.rooms import rooms
from .steps import Need, WorkStep

OPEN_PLACES = ("", "view", "wall", "ceiling", "outside", "ground")


@functools.cache
def typical_rates() -> dict[str, tuple[float, str]]:
    """Minutes by what is done, and for what unit (typ)."""
    text = resources.files("oikotherm.core").joinpath("data", "rates.csv").read_text("utf-8")
    return {row["what"]: (float(row["minutes"]), row["unit"]) for row in csv.DictReader(text.splitlines())}


def rates(design: Design) -> dict[str, float]:
    """The minutes in force: the firm's where it has its own, else typical. A job overrides a single step's minutes."""
    return {**{what: minutes for what, (minutes, _) in typical_rates().items()}, **dict(design.context.rates)}


def plan(design: Design) -> tuple[WorkStep, ...]:
    """The steps in order. A pure function of the design; overrides `after` and `minutes` of the job are worked in.

    Order: a step comes after all it needs; among those that could come next the lowest rank does. An override `after`
    that would break a need is left out (`move` refuses it when it is made).
    """
    makers = (*_MAKERS, *(maker for room in rooms().values() for maker in room.steps))
    made = [step for maker in makers for step in maker(design)]
    steps = {step.key: step for step in (*made, *_hand_over(design, made))}
    steps = {
        key: replace(step, needs=tuple(need for need in step.needs if need.key in steps)) for key, step in steps.items()
    }
    for row in design.job.overrides:
        if row.target not in steps:
            continue
        if row.field == "minutes" and isinstance(row.value, float):
            steps[row.target] = replace(steps[row.target], minutes=row.value)
        if row.field == "after" and str(row.value) in steps and not _reaches(steps, str(row.value), row.target):
            wanted = Need(str(row.value), f"put there: {row.reason}" if row.reason else "put there by hand")
            steps[row.target] = replace(
                steps[row.target], needs=(*steps[row.target].needs, wanted), rank=(*steps[str(row.value)].rank, -1.0)
            )
    return tuple(_order(steps))


def _order(steps: dict[str, WorkStep]) -> Iterable[WorkStep]:
    waiting = {key: {need.key for need in step.needs} for key, step in steps.items()}
    after: dict[str, list[str]] = {key: [] for key in steps}
    for key, needs in waiting.items():
        for need in needs:
            after[need].append(key)
    ready = [(steps[key].rank, key) for key, needs in waiting.items() if not needs]
    heapq.heapify(ready)
    while ready:
        _, key = heapq.heappop(ready)
        yield steps[key]
        for other in after[key]:
            waiting[other].discard(key)
            if not waiting[other]:
                heapq.heappush(ready, (steps[other].rank, other))


def _reaches(steps: dict[str, WorkStep], start: str, target: str) -> bool:
    """Whether `start` needs `target`, directly or through others."""
    waiting, seen = [start], set()
    while waiting:
        key = waiting.pop()
        if key == target:
            return True
        if key in seen or key not in steps:
            continue
        seen.add(key)
        waiting += [need.key for need in steps[key].needs]
    return False


def move(design: Design, key: str, after: str) -> dict[str, object]:
    """The command that puts a step behind another. Raises Refused when a dependency forbids it, saying which and why."""
    steps = {step.key: step for step in plan(design)}
    for name in (key, after):
        if name not in steps:
            raise Refused("step", name, f"a step of the plan, such as {next(iter(steps), 'isolate')}", "isolate")
    order = list(steps)
    if key == after:
        raise Refused("after", steps[after].title, "another step than itself", order[0])
    position = order.index(after)
    for step in steps.values():
        # whatever needs the moved step must not stand at or before the place it moves to
        if _reaches(steps, step.key, key) and step.key != key and order.index(step.key) <= position:
            why = next((need.why for need in step.needs if need.key == key), "what lies between needs it")
            raise Refused(
                "after",
                steps[after].title,
                f"a place before “{step.title}”, which needs “{steps[key].title}” first: {why}",
                steps[key].title,
            )
    late = next((need for need in steps[key].needs if order.index(need.key) > position), None)
    if late is not None:
        raise Refused(
            "after", steps[after].title, f"a place behind “{steps[late.key].title}”: {late.why}", steps[late.key].title
        )
    return {
        "do": "put_override",
        "override": {"target": key, "field": "after", "value": after, "reason": "moved on the plan"},
    }


# --- rules that make steps ---------------------------------------------------------------------------------------------


def _levels(design: Design) -> list[str]:
    """The levels of the house, lowest first."""
    return [level.id for level in sorted(design.job.house.levels, key=lambda level: level.floor_mm)]


def _take_off(design: Design) -> Iterable[WorkStep]:
    """What goes comes off its wall once it is dry and dead."""
    drains = [Need(f"drain:{level}", "it is full of water") for level in _levels(design)]
    for station in design.job.stations:
        if station.state != "remove" or has_trait(station, "unhung"):
            continue
        heavy = _heavy(station)
        yield WorkStep(
            f"off:{station.id}", "take off", f"Take {station.id} off", station.name or station.kind, (Need("isolate", "it is live"), *drains),
            rates(design)["take off"], (1.5,), "pipes left clean and capped, stubs made good at the floor",
            ("Gas is disconnected by the licensed person." if any(port.role == "gas" for port in station.ports) else "") + (" Over 25 kg: two people." if heavy else ""),
            ("wrenches", "pipe cutter", "caps", "tub"), (), 2 if heavy else 1,
        )  # fmt: skip


def _hang(design: Design) -> Iterable[WorkStep]:
    levels = _levels(design)
    drains = [Need(f"drain:{level}", "an open pipe with water behind it floods the room") for level in levels]
    for station in design.job.stations:
        if station.state != "new" or has_trait(station, "unhung"):
            continue
        if station.data.loop_m:
            metres = station.data.loop_m
            yield WorkStep(
                f"hang:{station.id}", "hang", f"Lay the loop of {station.id}", f"{station.name or station.level}, {metres:.0f} m", tuple(drains),
                round(rates(design)["lay loop"] * metres, 1), (2, 2.0, levels.index(station.level) if station.level in levels else 0),
                "no joint in the floor; under pressure while the screed goes on", "", ("decoiler", "tacker", "edge strip"), (f"{metres:.0f} m of pipe off the coil",),
            )  # fmt: skip
            continue
        rate = rates(design).get(f"hang {station.kind}", rates(design)["hang other"])
        heavy = _heavy(station)
        kind = spec.kind(station.kind)
        title = f"{kind.set_up} {station.id}"
        order = 0.0 if _heats(station) else 1.0
        old = [
            Need(f"off:{other.id}", "the old one hangs there") for other in design.job.stations
            if other.state == "remove" and other.kind == station.kind and other.level == station.level
        ]  # fmt: skip
        yield WorkStep(
            f"hang:{station.id}", "hang", title, f"{station.id}, {station.name or station.level}", (*drains, *old), rate, (2, order, levels.index(station.level) if station.level in levels else 0),
            "", "Drilling: detect cables and pipes first." + (" Over 25 kg: two people." if heavy else ""), ("level", "drill", "cable detector"),
            (f"{station.kind} {station.name}".strip(), "fixings for the wall"), 2 if heavy else 1,
        )  # fmt: skip


def _heats(station: Station) -> bool:
    """Whether a station is the source of a heating circuit."""
    return "flow" in spec.kind(station.kind).sources


def _heavy(station: Station) -> bool:
    """Over 25 kg by the usual weights: boilers, heaters and cylinders always, panel radiators above about 1.2 m2 of face."""
    area = (station.data.width_mm or 0) * (station.data.height_mm or 0)
    return has_trait(station, "heavy") or area > 1.2e6


def _pipe(design: Design) -> Iterable[WorkStep]:
    table = rates(design)
    drains = [
        Need(f"drain:{level}", "a pipe with water in it will not solder, and floods when cut")
        for level in _levels(design)
    ]
    joints_of: dict[str, list[Joint]] = {}
    for joint in design.fitted.joints.values():
        joints_of.setdefault(joint.run, []).append(joint)
    pieces_of: dict[str, list[Piece]] = {}
    for piece in design.fitted.pieces.values():
        pieces_of.setdefault(piece.run, []).append(piece)
    order = chosen(design.job, BOILER_PIPES)[0].acts
    for number, run in enumerate(design.job.runs):
        if run.state != "new":
            continue
        at_boiler = any(
            (end := design.job.station(split_anchor(anchor)[0])) and _heats(end) for anchor in (run.start, run.finish)
        )
        turn = order.index(run.role) if at_boiler and run.role in order else len(order)
        gas = run.role == "gas" and bool(order) and at_boiler
        needs = [*drains, Need("isolate", "power, gas and water are safe before anyone cuts")]
        for anchor in (run.start, run.finish):
            owner, name = split_anchor(anchor)
            if design.job.station(owner) and name:
                needs.append(Need(f"hang:{owner}", f"the pipe is made to {owner} where it hangs"))
        parent = split_anchor(run.start)[0]
        if design.job.run(parent):
            needs.append(Need(f"pipe:{parent}", f"{run.id} starts on {parent}"))
        joints = joints_of.get(run.id, [])
        minutes = sum(table.get(f"joint {joint.method}", table["joint other"]) for joint in joints)
        for piece in pieces_of.get(run.id, []):
            kind = "open" if piece.place in OPEN_PLACES else "loft" if piece.place == "loft" else "floor"
            minutes += table[f"metre {kind}"] * piece.centre_mm / 1000
            minutes += table["bend"] * sum(bend.radius_mm > 0 for bend in piece.bends)
        methods = sorted({joint.method for joint in joints if joint.method})
        rows = design.context.catalogue.methods
        flame = any(rows[method].flame for method in methods if method in rows)
        length = length_text(design.pipework.runs[run.id].length_mm, design.job.pace_unit, with_unit=True)
        yield WorkStep(
            f"pipe:{run.id}", "pipe", f"Pipe {run.id}", f"{run.start} to {run.finish}, {length}", tuple(needs), round(minutes, 1), (3, turn, number) if order else (3, number),
            "tightness test of the gas, by the licensed person, before the next pipe is made" if gas else "open ends capped when work stops", "Hot work: look again an hour after the last flame." if flame else "",
            ("pipe cutter", "tape", *sorted({tool for method in methods if method in rows for tool in rows[method].kit})),
            (f"{len(joints)} joints", str(run.pipe)),
        )  # fmt: skip


def _hand_over(design: Design, made: list[WorkStep]) -> Iterable[WorkStep]:
    """The last step: after all pipe is made, and after what each service says must be done first."""
    needs = tuple(Need(f"pipe:{run.id}", "it is not done") for run in design.job.runs if run.state == "new")
    if needs:
        closing = tuple(Need(step.key, step.closes) for step in made if step.closes)
        yield WorkStep(
            "handover", "hand over", "Hand over", "customer", (*needs, *closing), rates(design)["hand over"], (8,), "", "", ("pack", "labels"),
        )  # fmt: skip


_MAKERS: tuple[Callable[[Design], Iterable[WorkStep]], ...] = (_take_off, _hang, _pipe)
