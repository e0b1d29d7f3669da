"""Rules of water heaters: where heated water goes on a closed supply, and where a relief valve lets off to."""

from __future__ import annotations

import functools
from collections.abc import Iterable
from dataclasses import dataclass, field

from ...errors import Refused
from ...job.model import DeviceItem, Station
from ...network.graph import CLOSES
from ...pipework.geometry import Pipework
from ...quantity import US_GALLON_M3, leading_number, length_text, pressure_said, trim
from ...rules.legs import put_in_leg
from ...rules.registry import Remedy, RuleBook, Said, View
from ...rules.service import place_for_part
from ...tables import read_rows
from ...work.steps import gauge_unit
from .. import spec
from .backflow import PART_OF
from .expansion import ExpansionTank, discharge_pipe, expansion_tank, hung
from .network import COLD_C, HOT_C, USUAL_SUPPLY_PA, reduced_to_pa
from .small import RELIEF_PA
from .stations import SPEC

rule = RuleBook("water")
ONE_WAY = ("check", "reducing", *PART_OF.values())
STORES = ("storage", "electric", "heat-pump", "indirect")
LEAST_STORE_C = 60.0
D1_MOST_MM = 600.0
END_MOST_MM, SIX_INCHES_MM, END_OFF_MM = 150.0, 152.4, 3.0  # of a discharge above the floor, give or take
FLEXIBLE = ("conn",)
SEEN_L = 0.05
UPRIGHT = 0.7  # sine of a pipe that is steep: a vessel on it sticks out


@dataclass
class ColdSide:
    """What is joined to the cold port of a heater without passing a one-way device. open: a supply it can push back
    into; one_way: devices (nodes) that keep it from that; vessels: (name, its litres, node, whether a valve can shut it
    off)."""

    open: bool = False
    one_way: list[str] = field(default_factory=list)
    vessels: list[tuple[str, float | None, str, bool]] = field(default_factory=list)


def stores(view: View) -> list[Station]:
    """The stores of hot water that have cold pipe: heaters and cylinders that hold water."""
    work = view.fitted.pipework
    return [
        one
        for one in view.job.stations
        if one.state != "remove"
        and (one.kind == "cylinder" or one.kind == "heater" and spec.kind("heater").variant(one.variant).id in STORES)
        and work.arms.get(f"{one.id}.cold")
    ]


def cold_side(view: View, heater: Station) -> ColdSide:
    """What heated water can push into from a heater's cold port."""
    work, found = view.fitted.pipework, ColdSide()
    settings = {i.id: i.setting or "" for run in view.job.runs for i in run.items if isinstance(i, DeviceItem)}
    waiting: list[tuple[str, bool]] = [(f"{heater.id}.cold", False)]
    seen: dict[str, bool] = {}
    while waiting:
        node, shut = waiting.pop()
        if node in seen and (seen[node] <= shut):
            continue
        seen[node] = shut
        here = work.nodes[node]
        if here.kind == "device" and here.part in ONE_WAY:
            found.one_way.append(node)
            continue
        if here.kind == "device" and here.part == "vessel":
            found.vessels.append((here.run, leading_number(settings.get(here.item, "")), node, shut))
        if here.kind == "port":
            station = work.ports[here.part].station
            if station.kind == "vessel":
                found.vessels.append((station.id, station.data.volume_l, node, shut))
            elif station.kind in ("supply", "tank", "stub"):
                found.open = True
            waiting += [(other, shut) for other in _through(work, station, here.part)]
        shut = shut or here.kind == "device" and here.part in CLOSES
        for key in work.arms.get(node, {}).values():
            one = work.straights[key]
            run = work.runs[one.run].run
            if run.service == SPEC.id and run.role != "hot":
                waiting.append((one.to_node if one.from_node == node else one.from_node, shut))
    found.vessels = list(dict.fromkeys(found.vessels))
    return found


def _through(work: Pipework, station: Station, port: str) -> list[str]:
    """The other cold ports of a station water can push back through: a meter, a softener, a manifold."""
    if station.kind not in ("meter", "softener", "manifold", "pump"):
        return []
    names = [f"{station.id}.{one.name}" for one in station.ports if one.role == "cold"]
    return [name for name in names if name != port and name in work.nodes]


def tank_of(view: View, heater: Station) -> ExpansionTank | None:
    """The vessel a store needs, by its litres, the pressure in the main and its relief valve, usual ones where nobody
    said them; None where its litres are not known."""
    litres = heater.data.volume_l
    if not litres:
        return None
    practice = view.job.practice
    supply = next(
        (one.data.supply_pa for one in view.job.stations if one.kind == "supply" and one.data.supply_pa), None
    )
    reduced = _reduced_pa(view)
    standing = supply or USUAL_SUPPLY_PA[practice]
    standing = min(standing, reduced) if reduced else standing
    try:
        return expansion_tank(
            litres,
            COLD_C,
            max(heater.data.store_c or HOT_C, HOT_C),
            standing,
            heater.data.relief_pa or RELIEF_PA[practice],
            practice,
        )
    except Refused:
        return None


def _reduced_pa(view: View) -> float | None:
    found = [
        reduced_to_pa(item.setting or "", view.job.practice)
        for run in view.job.runs
        for item in run.items
        if run.service == SPEC.id and isinstance(item, DeviceItem) and item.part == "reducing"
    ]
    return min(found, default=None)


def _litres(view: View, litres: float) -> str:
    if view.job.practice == "north-american":
        return f"{litres / 1000 / US_GALLON_M3:.1f} gal"
    return f"{trim(litres, 1)} L"


@rule(
    "closed-supply",
    "stop",
    "a closed supply without an expansion vessel",
    "A check, reducing valve or backflow assembly closes the supply: water that is heated grows, has nowhere to go, "
    "and drips from the relief valve or bursts the weakest part.",
    "std; local code",
)
def closed_supply(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    for heater in stores(view):
        side = cold_side(view, heater)
        if side.open or not side.one_way or side.vessels:
            continue
        tank = tank_of(view, heater)
        node = work.nodes[side.one_way[0]]
        title = view.context.catalogue.device_titles().get(node.part, node.part)
        litres = tank.chosen_l if tank else None
        sized = f" {_litres(view, litres)} of vessel." if litres else ""
        remedies = []
        port = f"{heater.id}.cold"
        run_id = work.nodes[port].run
        place = place_for_part(view, run_id, port) if litres else None
        if place is not None and litres:
            leg, at_mm = place
            text = f"[vessel set {trim(litres, 1)}]"
            along = length_text(at_mm, view.job.pace_unit, with_unit=True)
            remedies = [
                Remedy(
                    "Put an expansion vessel there",
                    (put_in_leg(view, run_id, leg, text, at_mm),),
                    f"{text} on {run_id}, {along} along its leg at {heater.id}",
                )
            ]
        yield Said(
            (heater.id, node.run),
            f"The supply of {heater.id} is closed by the {title} on {node.run}, and it has no expansion vessel.{sized}",
            tuple(remedies),
            node.at,
            ("a vessel on the cold between the heater and it, on a bracket of its own",),
        )


@rule(
    "expansion-shut",
    "stop",
    "an expansion vessel that can be shut off",
    "A valve between heater and vessel, once shut, leaves heated water nowhere to go.",
    "std; local code",
)
def expansion_shut(view: View) -> Iterable[Said]:
    for heater in stores(view):
        side = cold_side(view, heater)
        if side.open or not side.vessels or any(not shut for *_, shut in side.vessels):
            continue
        name, _, node, _ = side.vessels[0]
        yield Said(
            (heater.id, name),
            f"A valve can shut the vessel of {heater.id} off from it.",
            (),
            view.fitted.pipework.nodes[node].at,
            ("the vessel between valve and heater", "a valve that locks open"),
        )


@rule(
    "expansion-small",
    "mind",
    "an expansion vessel too small",
    "A vessel that is too small lets the relief valve drip at every heating.",
    "Boyle's law, one margin (typ)",
    stage="sizes",
)
def expansion_small(view: View) -> Iterable[Said]:
    for heater in stores(view):
        side = cold_side(view, heater)
        tank = tank_of(view, heater)
        held = [litres for _, litres, _, shut in side.vessels if litres is not None and not shut]
        if side.open or not held or tank is None or sum(held) >= tank.needed_l - SEEN_L:
            continue
        wanted = _litres(view, tank.chosen_l or tank.needed_l)
        unit = gauge_unit(view.job.practice)
        yield Said(
            (heater.id, side.vessels[0][0]),
            f"{heater.id} needs {_litres(view, tank.needed_l)} of vessel, {_litres(view, sum(held))} are there.",
            (),
            view.fitted.pipework.nodes[side.vessels[0][2]].at,
            (f"{wanted}, pre-charge {pressure_said(tank.precharge_pa, unit)}", "a lower pressure in the house"),
        )


@rule(
    "expansion-heavy",
    "mind",
    "an expansion vessel that pipe alone has to hold",
    "A vessel that has filled with water bends the stub it sticks out from, and its joint goes first.",
    "moment on the stub (typ by pipe)",
)
def expansion_heavy(view: View) -> Iterable[Said]:
    work, catalogue = view.fitted.pipework, view.context.catalogue
    settings = {i.id: i.setting or "" for run in view.job.runs for i in run.items if isinstance(i, DeviceItem)}
    for node in work.nodes.values():
        litres = (
            leading_number(settings.get(node.item, "")) if node.kind == "device" and node.part == "vessel" else None
        )
        run = work.runs[node.run].run if litres else None
        if not litres or run is None or run.service != SPEC.id or run.state == "remove":
            continue
        straight = next(work.straights[key] for key in work.arms[node.key].values())
        if abs(straight.way.z) < UPRIGHT:
            continue  # on level pipe it hangs or stands
        system = catalogue.systems.get(straight.pipe.code)
        found = hung(litres, system.family if system else "", straight.pipe.size)
        if found.holds:
            continue
        bears = "not known" if found.limit_n_m is None else f"{trim(found.limit_n_m, 0)} N m are"
        yield Said(
            (node.run, node.item),
            f"The vessel on {node.run} weighs {found.full_kg:.0f} kg full: {found.moment_n_m:.0f} N m on "
            f"{straight.pipe}; {bears} what it bears.",
            (),
            node.at,
            ("a bracket under it", "on level pipe, upright", "a vessel on the wall: a station of its own"),
        )


@rule(
    "expansion-flexible",
    "stop",
    "an expansion vessel on flexible pipe",
    "A full vessel pulls a hose or a push-fit joint apart: it hangs on its bracket and on rigid pipe.",
    "std; makers",
)
def expansion_flexible(view: View) -> Iterable[Said]:
    work, fitted = view.fitted.pipework, view.fitted
    for station in view.job.stations:
        if station.kind != "vessel" or station.state == "remove":
            continue
        for port in station.ports:
            key = f"{station.id}.{port.name}"
            for straight in (work.straights[one] for one in work.arms.get(key, {}).values()):
                run = work.runs[straight.run].run
                fitting = fitted.fittings.get(key)
                pushed = fitting is not None and any(one.method.startswith("push") for one in fitting.matings.values())
                on = "a push-fit joint" if pushed else "a flexible connector"
                if run.service == SPEC.id and (straight.pipe.code in FLEXIBLE or pushed):
                    yield Said(
                        (station.id, run.id),
                        f"{station.id} hangs on {on} of {run.id}.",
                        (),
                        straight.a,
                        ("rigid pipe to it, and a bracket", "a screwed or soldered joint at it"),
                    )


@rule(
    "store-cool",
    "mind",
    "a store kept below 60 C",
    "Between 20 and 50 C legionella grow; a store is kept at 60 C and a mixing valve makes it safe to touch.",
    "typ; local code",
    stage="sizes",
)
def store_cool(view: View) -> Iterable[Said]:
    for heater in stores(view):
        kept = heater.data.store_c
        if kept is not None and kept < LEAST_STORE_C - 0.01:
            yield Said(
                (heater.id, "store_c"),
                f"{heater.id} is kept at {trim(kept, 0)} C; {LEAST_STORE_C:.0f} C are the least.",
                (
                    Remedy(
                        f"Keep it at {LEAST_STORE_C:.0f} C",
                        ({"do": "put_station", "station": _kept_at(heater)},),
                        f"{heater.id} at {LEAST_STORE_C:.0f} C",
                    ),
                ),
                None,
                ("a mixing valve where a bath or a child is",),
            )


def _kept_at(heater: Station) -> dict[str, object]:
    said = heater.model_dump(exclude_none=True)
    return {**said, "data": {**said["data"], "store_c": LEAST_STORE_C}}


@rule(
    "discharge-long",
    "stop",
    "a discharge too long for its size",
    "A long or narrow pipe behind a tundish holds back what a relief valve gives off, and it spills there, scalding.",
    "unvented hot water, table by outlet (typ); licensed work",
)
def discharge_long(view: View) -> Iterable[Said]:
    if view.job.practice == "north-american":
        return
    work = view.fitted.pipework
    for run in view.job.runs:
        if run.role != "discharge" or run.state == "remove" or run.id not in work.runs:
            continue
        start, finish = (view.job.station(anchor.partition(".")[0]) for anchor in (run.start, run.finish))
        length_mm = sum(move.length_mm for move in work.runs[run.id].moves)
        unit = view.job.pace_unit
        if start is not None and finish is not None and finish.kind == "tundish" and length_mm > D1_MOST_MM + 1:
            yield Said(
                (run.id, finish.id),
                f"{run.id} is {length_text(length_mm, unit, with_unit=True)} to {finish.id}; "
                f"{length_text(D1_MOST_MM, unit, with_unit=True)} are the most.",
                (),
                work.runs[run.id].end,
                ("the tundish nearer to the valve",),
            )
        if start is None or start.kind != "tundish":
            continue
        before = next((one for one in view.job.runs if one.finish.partition(".")[0] == start.id), None)
        bends = sum(node.kind == "turn" for node in work.nodes.values() if node.run == run.id)
        try:
            found = discharge_pipe(before.pipe.size if before else "15", run.pipe.size, length_mm / 1000, bends, 1000.0)
        except Refused as refused:
            found = None
            why = f"{refused.expected} is wanted, {run.pipe} is not"
        if found is not None and found.ok:
            continue
        yield Said(
            (run.id, start.id),
            f"{run.id}: {found.why[0] if found is not None else why}.",
            (),
            work.runs[run.id].end,
            ("the next size from the tundish on", "a shorter way, fewer bends"),
        )


@rule(
    "discharge-end",
    "mind",
    "a discharge that ends too high or too low",
    "Near the floor it scalds nobody who stands there, and it is seen; too near it, what it stands in closes it.",
    "two bores to 150 mm above the floor (typ); one North American code makes 6 in the least: authority decides",
)
def discharge_end(view: View) -> Iterable[Said]:
    work, catalogue = view.fitted.pipework, view.context.catalogue
    for run in view.job.runs:
        station = view.job.station(run.start.partition(".")[0])
        place = work.runs.get(run.id)
        if run.role != "discharge" or run.finish != "stub" or run.state == "remove" or station is None or place is None:
            continue
        level = view.job.level(station.level)
        row = catalogue.pipe(run.pipe.code, run.pipe.size)
        if station.kind not in ("heater", "cylinder") or level is None or row is None or not row.bore_mm:
            continue
        up = place.end.z - level.floor_mm
        if up < -1:
            continue  # it goes on below this floor, or outside
        unit = view.job.pace_unit
        most = END_MOST_MM if unit == "mm" else SIX_INCHES_MM
        if 2 * row.bore_mm - 1 <= up <= most + END_OFF_MM:
            continue
        yield Said(
            (run.id, station.id),
            f"{run.id} ends {length_text(up, unit, with_unit=True)} above the floor; "
            f"{length_text(round(2 * row.bore_mm), unit, with_unit=True)} to "
            f"{length_text(most, unit, with_unit=True)} are wanted.",
            (),
            place.end,
            ("its last leg longer or shorter", "a tundish, and on to where it is seen"),
        )


@functools.cache
def _relief() -> tuple[tuple[int, tuple[str, ...], float, float], ...]:
    """(DN, sizes of its outlet, most litres, most input [W]), smallest first."""
    return tuple(
        (int(row["dn"]), tuple(row["sizes"].split()), float(row["most_l"]), float(row["most_w"]))
        for row in read_rows(__package__, "relief.csv")
    )


@rule(
    "relief-small",
    "mind",
    "a relief valve too small for its store",
    "A valve that is too small lets pressure climb on while it is open.",
    "DN by litres and input (typ); local code",
)
def relief_small(view: View) -> Iterable[Said]:
    if view.job.practice == "north-american":
        return  # by its rating, which stands on its tag
    for heater in stores(view):
        port = next((one for one in heater.ports if one.role == "discharge" and one.way == "out"), None)
        size = port.end.split()[1] if port is not None and len(port.end.split()) > 1 else ""
        own = next((row for row in _relief() if size in row[1]), None)
        litres, watts = heater.data.volume_l or 0.0, heater.data.input_w or heater.data.coil_w or 0.0
        wanted = next((row for row in _relief() if litres <= row[2] and watts <= row[3]), None)
        if own is None or wanted is None or own[0] >= wanted[0]:
            continue
        yield Said(
            (heater.id, "relief"),
            f"{heater.id} holds {trim(litres, 0)} L at {trim(watts / 1000, 0)} kW: its relief valve is DN {own[0]}, DN "
            f"{wanted[0]} is wanted.",
            (),
            None,
            ("the larger valve, by its maker's table",),
        )


RULES = tuple(rule.rules.values())
