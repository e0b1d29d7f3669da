"""Rules of the way to an appliance: valve in reach, union, sediment trap, flexible connector, ends and labels."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from ...job.ways import Vec
from ...job.writing import exact_length
from ...pipework.geometry import Straight
from ...practice import GAS_TRAPS, GAS_UNIONS, chosen
from ...quantity import length_text
from ...rules.legs import put_in_leg
from ...rules.registry import Remedy, RuleBook, Said, View
from .capacity import PSI_PA
from .checks import LONGEST_CONNECTOR_M, TRAP_MM, connector_rating_w, trap_exempt
from .train import (
    Met,
    Train,
    along_mm,
    away,
    drop_of,
    item_of,
    legs_back,
    mouth_of,
    networks_of,
    nipple_mm,
    trains,
    way_in,
)

rule = RuleBook("gas")
REACH_MM = 1830.0  # std: 6 ft
SHUT = ("iso", "gate")
LEAST_LEG_MM = 180.0  # typ: of a threaded leg that a valve, union or tee is put into
LEVEL = 0.3  # the upward part of a leg's way up to which it counts as level
CONNECTOR_MOST_PA = 0.5 * PSI_PA  # std: pressure a flexible connector is made for
PITCH_MM = 450.0  # typ: outlets nearer than this are those of a manifold
OUTLETS = 3  # from so many on it is one


def _trap_text(view: View) -> str:
    return f"*:D cap {exact_length(TRAP_MM if view.job.pace_unit == 'mm' else 76.2, view.job.pace_unit)}"


def _inserted(
    view: View, train: Train, text: str, within_mm: float, *, level: bool = False, beyond: str = ""
) -> dict[str, Any] | None:
    """The command that puts a part into the leg nearest to the appliance that has room for it. within_mm: how far from
    the appliance it may stand; beyond: the item it has to stand on the appliance's side of."""
    items = [item.id for item in train.run.items]
    if train.run.finish == train.port:
        items.reverse()  # from the appliance on
    for leg, near, far, length in legs_back(view, train):
        way = far.minus(near).unit()
        if beyond and items.index(leg.id) > items.index(beyond):
            return None
        if length < LEAST_LEG_MM or (level and abs(way.z) > LEVEL):
            continue
        spot = min(length / 2, within_mm - train.mouth.minus(near).length)
        if spot < LEAST_LEG_MM / 2:
            continue
        return put_in_leg(view, train.run.id, leg, text, round(along_mm(train, length, spot)))
    return None


def _remedy(view: View, train: Train, title: str, command: dict[str, Any] | None, effect: str) -> tuple[Remedy, ...]:
    return (Remedy(title, (command,), f"{effect} on {train.run.id}"),) if command else ()


@rule(
    "gas-valve-reach",
    "mind",
    "an appliance valve out of reach",
    "Its valve is turned off when something is wrong at the appliance: in the same room, within 1.8 m (6 ft).",
    "std, fuel gas code",
)
def gas_valve_reach(view: View) -> Iterable[Said]:
    unit = view.job.pace_unit
    for train in trains(view):
        valves = train.devices(*SHUT)
        if not valves:
            continue  # it cannot be shut off alone: another rule's
        far = min(train.mouth.minus(one.node.at).length for one in valves)
        if far <= REACH_MM:
            continue
        command = _inserted(view, train, "[iso]", REACH_MM - 100)
        yield Said(
            (train.station.id, train.port),
            f"The valve of {train.station.id} is {length_text(far, unit, with_unit=True)} away from it.",
            _remedy(view, train, "Put one within reach", command, "[iso] nearer to the appliance"),
            train.mouth,
            ("move the valve along its run",),
        )


@rule(
    "gas-no-union",
    "mind",
    "no union at an appliance",
    "Threaded pipe comes apart from its end on only: without a union the appliance comes out when all between it and "
    "the next union has been unscrewed.",
    "rule of the trade",
)
def gas_no_union(view: View) -> Iterable[Said]:
    if chosen(view.job, GAS_UNIONS)[0].id != "each":
        return
    threaded = {code for code, system in view.context.catalogue.systems.items() if system.methods == ("thread",)}
    for train in trains(view):
        if train.straights[-1].pipe.code not in threaded or train.devices("union"):
            continue
        valve = next((one.node.item for one in train.devices(*SHUT)), "")
        own = valve if any(item.id == valve for item in train.run.items) else ""
        yield Said(
            (train.station.id, train.port),
            f"{train.station.id} has no union behind its valve: it comes away by unscrewing the pipe.",
            _remedy(
                view,
                train,
                "Put a union there",
                _inserted(view, train, "[union]", 1e6, beyond=own),
                "[union] between valve and appliance",
            ),
            train.mouth,
        )


@rule(
    "gas-no-trap",
    "mind",
    "no sediment trap",
    "What falls through the pipe, scale and chips, falls into the control: a tee with the appliance on its branch, a "
    "nipple of 75 mm (3 in) downwards, a cap.",
    "std, fuel gas code; appliances that burn a little are often exempt",
)
def gas_no_trap(view: View) -> Iterable[Said]:
    school = chosen(view.job, GAS_TRAPS)[0].id
    shared = school == "header" and any(_drops(view))
    for train in trains(view):
        if school == "none" or trap_exempt(train.station) or train.traps(view) or shared:
            continue
        yield Said(
            (train.station.id, train.port),
            f"{train.station.id} has no sediment trap.",
            _trap_remedies(view, train),
            train.mouth,
            ("waive it where the authority lets it go",),
        )


def _drops(view: View) -> Iterable[str]:
    work = view.fitted.pipework
    for key, straight in work.straights.items():
        run = view.job.run(straight.run)
        if straight.piece_mm and run is not None and run.service == "gas":
            yield key


def _trap_remedies(view: View, train: Train) -> tuple[Remedy, ...]:
    """A trap where the gas comes down and turns to the side, as near the appliance as there is one; else in a level
    leg."""
    text = _trap_text(view)
    for one in reversed(train.met):
        falls = one.before is not None and way_in(one.before, one.node.key).z < -0.9
        side = abs(way_in(one.after, one.node.key).z) < 0.1
        if one.node.kind == "turn" and falls and side and one.node.run == train.run.id:
            command: dict[str, Any] = {
                "do": "insert_item",
                "run": train.run.id,
                "after": one.node.item,
                "text": text,
            }
            return (Remedy("Make its last elbow a trap", (command,), f"{text} on {train.run.id}"),)
    command_ = _inserted(view, train, text, 1e6, level=True)
    return _remedy(view, train, "Put a trap there", command_, text)


@rule(
    "gas-trap",
    "mind",
    "a sediment trap that catches nothing",
    "Dirt falls: the nipple looks down and is 75 mm (3 in) long or more, and it stands behind valve and union, next to "
    "the appliance.",
    "std, fuel gas code",
)
def gas_trap(view: View) -> Iterable[Said]:
    unit = view.job.pace_unit
    for train in trains(view):
        for one in train.traps(view):
            drop, found = drop_of(view, one), item_of(view, one)
            if drop is None or found is None:
                continue
            run, item = found
            text = _trap_text(view).replace("*", f"*{one.node.name}", 1)
            command = {"do": "retype_item", "run": run.id, "item": item.id, "text": text}
            remedies = (Remedy("Make it a trap", (command,), text),) if drop.piece_mm else ()
            short = nipple_mm(view, drop)
            if away(drop, one.node.key).z > -0.9:
                says = f"The trap {run.id}.{one.node.name} does not look down."
                yield Said((run.id, one.node.key), says, remedies, one.node.at)
            elif short < TRAP_MM - 0.5:
                long = length_text(short, unit, with_unit=True)
                says = f"The nipple of the trap {run.id}.{one.node.name} is {long}: too short."
                yield Said((run.id, one.node.key), says, remedies, one.node.at)
        yield from _trap_order(view, train)


def _trap_order(view: View, train: Train) -> Iterable[Said]:
    """A trap before its valve or union is on the wrong side of them."""
    traps, parts = train.traps(view), train.devices(*SHUT, "union")
    if not traps or not parts or train.met.index(traps[-1]) > train.met.index(parts[-1]):
        return
    one = traps[-1]
    found = item_of(view, one)
    put = _trap_remedies_behind(view, train, parts[-1])
    remedies: tuple[Remedy, ...] = ()
    if found and put:
        away = {"do": "retype_item", "run": found[0].id, "item": found[1].id, "text": ""}
        remedies = (Remedy("Put it next to the appliance", (away, put), f"{_trap_text(view)} behind valve and union"),)
    yield Said(
        (train.station.id, one.node.key),
        f"The trap {one.node.run}.{one.node.name} of {train.station.id} stands before its valve or union.",
        remedies,
        one.node.at,
        ("valve, union, trap, appliance",),
    )


def _trap_remedies_behind(view: View, train: Train, part: Met) -> dict[str, Any] | None:
    return _inserted(view, train, _trap_text(view), 1e6, level=True, beyond=part.node.item)


@rule(
    "gas-connector",
    "stop",
    "a flexible connector where it must not be",
    "It lets the appliance be pulled out and replaces no pipe: one length of 1.8 m (6 ft) at most, from the valve to "
    "the appliance, in its room, through nothing.",
    "std, fuel gas code",
)
def gas_connector(view: View) -> Iterable[Said]:
    work, unit = view.fitted.pipework, view.job.pace_unit
    flexible: dict[str, list[Straight]] = {}
    for one in work.straights.values():
        if one.pipe.code == "conn":
            flexible.setdefault(one.run, []).append(one)
    if not flexible:
        return
    last = {train.straights[-1].key: train for train in trains(view)}
    passes = work.passes
    for run in view.job.runs:
        pieces = flexible.get(run.id, [])
        if run.state != "new" or not pieces:
            continue
        train = next((last[one.key] for one in pieces if one.key in last), None)
        spot = pieces[0].a
        if train is None:
            says = f"{run.id} is flexible connector that does not come to an appliance."
            yield Said((run.id, pieces[0].key), says, (), spot, ("pipe up to the valve",))
            continue
        long = sum(one.length_mm for one in pieces)
        if long > LONGEST_CONNECTOR_M * 1000 + 30:
            says = f"The connector of {train.station.id} is {length_text(long, unit, with_unit=True)} long."
            yield Said((train.station.id, pieces[0].key), says, (), spot, ("pipe nearer to the appliance",))
        if not train.devices(*SHUT):
            says = f"No valve stands before the connector of {train.station.id}."
            yield Said((train.station.id, pieces[0].key), says, (), spot, ("[iso] where the pipe ends",))
        for place in passes:
            if place.run == run.id and any(_on(place.at, one) for one in pieces):
                says = f"The connector of {train.station.id} goes through a {place.item.through}."
                where = (train.station.id, place.item.id)
                yield Said(where, says, (), place.at, ("pipe through it, the connector behind it",))


def _on(at: Vec, straight: Straight) -> bool:
    """Whether a place lies on a straight, its far end left out."""
    a, along = straight.a, straight.b.minus(straight.a)
    share = at.minus(a).dot(along) / max(along.dot(along), 1e-9)
    return -0.001 <= share < 0.999 and at.minus(a.plus(along, share)).length < 1


@rule(
    "gas-connector-small",
    "stop",
    "a flexible connector too small",
    "It passes less than the appliance burns; its plate says how much by size and length.",
    "typ; the plate governs",
    stage="sizes",
)
def gas_connector_small(view: View) -> Iterable[Said]:
    for net in networks_of(view):
        own = {one.id: one for one in net.sections}
        for end in net.terminals:
            for one in (own[ident] for ident in end.path):
                if one.pipe.code != "conn" or one.pipe.size not in view.context.catalogue.sizes("conn"):
                    continue
                rated = connector_rating_w(net.gas, one.pipe.size, one.length_m)
                if net.inlet_pa > CONNECTOR_MOST_PA * 1.001:
                    says = f"The connector of {end.station} gets more than 0.5 psi (34 mbar): it is not made for it."
                    yield Said(
                        (end.station, one.run),
                        says,
                        (),
                        mouth_of(view, end.station),
                        ("an appliance regulator before it",),
                    )
                elif one.flow_m3_s and end.wanted_w > rated * 1.0005:
                    larger = next(
                        (
                            size
                            for size in view.context.catalogue.sizes("conn")
                            if connector_rating_w(net.gas, size, one.length_m) >= end.wanted_w
                        ),
                        None,
                    )
                    command = {"do": "set_pipe", "run": one.run, "item": one.item, "code": "conn", "size": larger}
                    yield Said(
                        (end.station, one.run),
                        f"The connector of {end.station} is good for {rated / 1000:.1f} kW; it burns "
                        f"{end.wanted_w / 1000:.1f} kW.",
                        (Remedy(f"Take conn {larger}", (command,), f"conn {larger} on {one.run}"),) if larger else (),
                        mouth_of(view, end.station),
                        ("pipe to the appliance",),
                    )
