"""Rules of fresh water as it runs: what is left at an outlet, how fast, how long hot takes, what stands in the main."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial

from ...network.graph import has_trait
from ...quantity import PA_PER_PSI, pressure_said, trim
from ...rules.enlarged import enlarged_once
from ...rules.registry import Remedy, RuleBook, Said, View
from ...work.steps import gauge_unit
from .circulation import LONG_WAIT_S
from .network import WaterNetwork, circulated
from .sizing import enlarge_first, proposed
from .stations import SPEC

rule = RuleBook("water")
SEEN_PA = 1.0
MOST_STANDING_PA = {"british": 5e5, "continental": 5e5, "north-american": 80 * PA_PER_PSI}


def networks_of(view: View) -> tuple[WaterNetwork, ...]:
    """The fresh water networks of a job."""
    sized = view.sized.get(SPEC.id)
    found: tuple[WaterNetwork, ...] = sized.detail if sized else ()
    return found


def pressure(view: View, pressure_pa: float) -> str:
    return pressure_said(pressure_pa, gauge_unit(view.job.practice))


def _enlarged(view: View, net: WaterNetwork) -> tuple[str, tuple[Remedy, ...]]:
    return enlarged_once(view, "water enlarged", net, enlarge_first, partial(proposed, drawn=True))


@rule(
    "water-short",
    "mind",
    "too little pressure at an outlet",
    "An outlet that gets too little with others open dribbles, and a shower with a thermostat goes cold or scalds.",
    "least residual pressures (typ); local code",
    stage="sizes",
)
def water_short(view: View) -> Iterable[Said]:
    for net in networks_of(view):
        told: set[str] = set()
        if all(end.margin_pa >= -SEEN_PA for end in net.ends):
            continue
        first, remedies = _enlarged(view, net)
        for end in sorted(net.ends, key=lambda one: one.margin_pa):
            if end.margin_pa >= -SEEN_PA or end.station in told:
                continue
            told.add(end.station)
            place = view.fitted.pipework.ports.get(end.port)
            yield Said(
                (end.station, net.source),
                f"{end.station} gets {pressure(view, end.arriving_pa)} of {end.role} with what runs at once; it needs "
                f"{pressure(view, end.least_pa)}.",
                remedies,
                place.mouth if place else None,
                (
                    *((f"enlarge {first} first",) if first else ()),
                    f"a booster pump: {pressure(view, -end.margin_pa)} more at the peak",
                    "a lower outlet, or fewer on this pipe",
                ),
                badge="too little",
            )


@rule(
    "water-fast",
    "mind",
    "fresh water runs too fast",
    "Fast water is heard in the rooms and wears copper away at its elbows, hot water sooner than cold.",
    "cold 2.0, hot 1.5 m/s (typ)",
    stage="sizes",
)
def water_fast(view: View) -> Iterable[Said]:
    for net in networks_of(view):
        fast = [one for one in net.sections if one.fast and not one.stays]
        remedies = _enlarged(view, net)[1] if fast else ()
        for one in fast:
            yield Said(
                (one.run, one.id),
                f"{one.id}: {one.drop.velocity_m_s:.2f} m/s of {one.role} in {one.pipe}; at most {one.most_m_s:.1f}.",
                remedies,
                view.fitted.pipework.nodes[one.nodes[0]].at,
                ("the next size", "fewer outlets on this pipe"),
            )


@rule(
    "hot-wait",
    "mind",
    "a long wait for hot water",
    "What stands cold in the pipe runs off unused at every opening; what stands lukewarm in it breeds legionella.",
    "more than 30 s (typ)",
    stage="sizes",
)
def hot_wait(view: View) -> Iterable[Said]:
    for net in networks_of(view):
        for end in net.ends:
            if end.wait_s is None or end.wasted_l is None or end.wait_s <= LONG_WAIT_S:
                continue
            place = view.fitted.pipework.ports.get(end.port)
            yield Said(
                (end.station, end.port),
                f"{end.station} waits {end.wait_s:.0f} s for hot water: {trim(end.wasted_l, 1)} L run off first.",
                (),
                place.mouth if place else None,
                (
                    "a circulation to near it: RC1 paced home to the heater",
                    "a pipe of its own, as narrow as it may be",
                    "a heater nearer to it",
                ),
            )


@rule(
    "supply-high",
    "mind",
    "more pressure than a house bears",
    "High pressure wears taps and valves, hammers, and bursts a hose when nobody is at home.",
    "80 psi, 5 bar at outlets (std; local code)",
    stage="sizes",
)
def supply_high(view: View) -> Iterable[Said]:
    most = MOST_STANDING_PA[view.job.practice]
    for net in networks_of(view):
        station = view.job.station(net.source.partition(".")[0])
        said = station.data.supply_pa if station else None
        if said is None or said <= most + SEEN_PA or any(one.set_pa is not None for one in net.sections):
            continue
        first = net.sections[0]
        yield Said(
            (net.source.partition(".")[0], first.run),
            f"{pressure(view, said)} stand at {net.source}; {pressure(view, most)} are the most.",
            (),
            view.fitted.pipework.nodes[first.nodes[0]].at,
            (f"a reducing valve behind the main stop: [reducing] on {first.run}; it closes the supply: a vessel",),
        )


@rule(
    "main-short",
    "mind",
    "the main gives less than runs at once",
    "Pipe of any size brings no more than the main gives.",
    "measured flow of the main",
    stage="sizes",
)
def main_short(view: View) -> Iterable[Said]:
    for net in networks_of(view):
        station = view.job.station(net.source.partition(".")[0])
        given = station.data.flow_kg_s if station else None
        wanted = max((one.flow_kg_s for one in net.sections if not one.above), default=0.0)
        if given and wanted > given * 1.005:
            yield Said(
                (net.source.partition(".")[0], net.source),
                f"{net.source} gives {trim(given * 60, 1)} L/min; {trim(wanted * 60, 1)} run at once.",
                (),
                None,
                ("a larger service pipe, by the water company", "a store with a booster", "fewer outlets at once"),
            )


@rule(
    "circulation-still",
    "mind",
    "a circulation without pump or check valve",
    "Without its pump a circulation stands still; without its check valve taps draw cold water back through it.",
    "usual practice",
)
def circulation_still(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    for net in networks_of(view):
        home = [one for one in net.sections if one.role == "recirc"]
        if not home or not circulated(net):
            continue
        nodes = [work.nodes[key] for one in home for key in one.nodes]
        parts = {node.part for node in nodes if node.kind == "device"}
        pumped = "pump" in parts or any(
            node.kind == "port" and has_trait(work.ports[node.part].station, "moves") for node in nodes
        )
        missing = [word for word, there in (("pump", pumped), ("check valve", "check" in parts)) if not there]
        if missing:
            yield Said(
                (home[0].run, home[0].id),
                f"{home[0].run} brings hot water home without a {' and a '.join(missing)}.",
                (),
                nodes[0].at,
                tuple(f"put in {'[pump]' if word == 'pump' else '[check]'} near the heater" for word in missing),
            )


@rule(
    "fires-late",
    "mind",
    "a tankless heater that does not fire",
    "A tankless heater stays cold below its least flow or pressure.",
    "its label",
    stage="sizes",
)
def fires_late(view: View) -> Iterable[Said]:
    for net in networks_of(view):
        own = {one.id: one for one in net.sections}
        for station in view.job.stations:
            data = station.data
            if station.state == "remove" or not (data.least_pa or data.least_flow_kg_s) or station.kind == "outlet":
                continue
            fed = [one for one in net.sections if one.end == f"{station.id}.cold"]
            if not fed:
                continue
            if data.least_pa and fed[0].end_pa < data.least_pa - SEEN_PA:
                yield Said(
                    (station.id, "pressure"),
                    f"{station.id} gets {pressure(view, fed[0].end_pa)}; it fires from "
                    f"{pressure(view, data.least_pa)} on.",
                    _enlarged(view, net)[1],
                    view.fitted.pipework.nodes[fed[0].nodes[-1]].at,
                    ("a booster pump", "larger pipe before it", "a heater that fires with less"),
                )
            hot = [end for end in net.ends if end.role == "hot" and any(own[i] is fed[0] for i in end.path)]
            late = [end for end in hot if data.least_flow_kg_s and end.wanted_l_s < data.least_flow_kg_s - 1e-9]
            if late:
                yield Said(
                    (station.id, "flow"),
                    f"{late[0].station} runs {trim(late[0].wanted_l_s * 60, 1)} L/min; {station.id} fires from "
                    f"{trim((data.least_flow_kg_s or 0.0) * 60, 1)} L/min on.",
                    (),
                    view.fitted.pipework.nodes[fed[0].nodes[-1]].at,
                    ("a heater with a lower least flow", "a small store at the tap"),
                )


RULES = tuple(rule.rules.values())
