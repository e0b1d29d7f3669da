"""The plan of work: steps made by rules, put in order by what each depends on, with the trade's preferences as
tie-breakers."""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from typing import Any

from ..errors import Refused
from ..job.model import Station, split_anchor
from ..joints.fitted import Joint, Piece
from ..layout import Layout
from ..network.graph import has_trait
from ..practice import BOILER_PIPES, chosen
from ..quantity import length_text
from ..services import spec
from ..services.rooms import rooms
from ..tables import CORE, read_rows
from .heats import heats
from .sections import sections_of
from .small import small_alone, steps_of
from .steps import Effect, EffectKind, Need, TestKind, WorkStep
from .strip_out import steps as strip_steps

WORK, OLD = ("new", "remove"), ("keep", "remove")  # states of what is worked on, and of what is there already
LOOKED = "what is damaged goes back while the old one still works"
DRILLING = "Drilling: detect cables and pipes first."
OPEN_PLACES = ("", "view", "wall", "ceiling", "outside", "ground")


@functools.cache
def typical_rates() -> dict[str, tuple[float, str]]:
    """Minutes by what is done, and for what unit (typ)."""
    return {row["what"]: (float(row["minutes"]), row["unit"]) for row in read_rows(CORE, "rates.csv")}


def rates(design: Layout) -> dict[str, float]:
    """The minutes in force: the firm's where it has its own, else typical. A job overrides a single step's minutes."""
    return {**{what: minutes for what, (minutes, _) in typical_rates().items()}, **dict(design.context.rates)}


def plan(design: Layout) -> tuple[WorkStep, ...]:
    """The steps in order. A pure function of the design; overrides `after` and `minutes` of the job are worked in.

    Order: a step comes after all it needs; among those that could come next the lowest rank does. An override `after`
    that would break a need is left out (`move` refuses it when it is made).
    """
    alone = small_alone(design)
    usual = [] if alone else [*_isolate(design), *_of_rooms(design)]
    first = [*steps_of(design, usual), *usual]
    makers = (_clips, _pipe) if alone else _MAKERS
    made = [
        *first,
        *(step for maker in makers for step in maker(design, first)),
        *(_prove(design) if not alone or any(run.state == "new" for run in design.job.runs) else ()),
    ]
    steps = {step.key: step for step in (*made, *_hand_over(design, made))}
    steps = {
        key: replace(step, needs=tuple(need for need in step.needs if need.key in steps)) for key, step in steps.items()
    }
    graph = _graph(steps)
    for needed, key in _circles(graph):  # runs that start on each other: the finding says so, the rest is planned
        graph.remove_edge(needed, key)
        steps[key] = replace(steps[key], needs=tuple(need for need in steps[key].needs if need.key != needed))
    for row in design.job.overrides:
        if row.target not in steps:
            continue
        if row.field == "minutes" and isinstance(row.value, float):
            steps[row.target] = replace(steps[row.target], minutes=row.value)
        if row.field == "after" and str(row.value) in steps and not _needs(graph, str(row.value), row.target):
            wanted = Need(str(row.value), f"put there: {row.reason}" if row.reason else "put there by hand")
            graph.add_edge(str(row.value), row.target)
            steps[row.target] = replace(
                steps[row.target], needs=(*steps[row.target].needs, wanted), rank=(*steps[str(row.value)].rank, -1.0)
            )
    return tuple(_order(steps, graph))


def _of_rooms(design: Layout) -> Iterable[WorkStep]:
    return (step for room in rooms().values() for maker in room.steps for step in maker(design))


def _graph(steps: Mapping[str, WorkStep]) -> Any:
    """What comes before what, as a networkx.DiGraph: an arrow from what is needed to what needs it."""
    import networkx  # only where a plan is made

    graph = networkx.DiGraph()
    graph.add_nodes_from(steps)
    graph.add_edges_from((need.key, step.key) for step in steps.values() for need in step.needs if need.key in steps)
    return graph


def _circles(graph: Any) -> Iterable[tuple[str, str]]:
    """The arrows that close a circle, one at a time: the caller takes each out before the next is looked for."""
    import networkx

    while True:
        try:
            needed, key = networkx.find_cycle(graph)[-1][:2]
        except networkx.NetworkXNoCycle:
            return
        yield needed, key


def _order(steps: Mapping[str, WorkStep], graph: Any) -> Iterable[WorkStep]:
    """The steps, each after all it needs, the lowest rank first among those that could come next."""
    import networkx

    order = networkx.lexicographical_topological_sort(graph, key=lambda key: (steps[key].rank, key))
    return (steps[key] for key in order)


def _needs(graph: Any, start: str, target: str) -> bool:
    """Whether `start` needs `target`, directly or through others, or is it."""
    import networkx

    return bool(networkx.has_path(graph, target, start))


def move(planned: Iterable[WorkStep], key: str, after: str) -> dict[str, object]:
    """The command that puts a step of a plan behind another. Raises Refused when a dependency forbids it, saying which
    and why."""
    steps = {step.key: step for step in planned}
    for name in (key, after):
        if name not in steps:
            raise Refused("step", name, f"a step of the plan, such as {next(iter(steps), 'isolate')}", "isolate")
    order, graph = list(steps), _graph(steps)
    if key == after:
        raise Refused("after", steps[after].title, "another step than itself", order[0])
    position = order.index(after)
    for step in steps.values():
        # whatever needs the moved step must not stand at or before the place it moves to
        if _needs(graph, step.key, key) and step.key != key and order.index(step.key) <= position:
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


# --- rules that make steps
# ---------------------------------------------------------------------------------------------


def _levels(design: Layout) -> list[str]:
    """The levels of the house, lowest first."""
    return [level.id for level in sorted(design.job.house.levels, key=lambda level: level.floor_mm)]


def touched(design: Layout) -> tuple[str, ...]:
    """The services whose pipe or stations are worked on, in the order of the registry; those that hold nothing back are
    left out."""
    found = {run.service for run in design.job.runs if run.state in WORK}
    found |= {service for station in design.job.stations if station.state in WORK for service in _services(station)}
    return tuple(one.id for one in spec.services().values() if one.id in found and not one.runs_off)


def is_old(design: Layout, service: str) -> bool:
    """Whether there is pipe or a station of a service already, with what runs in it."""
    return any(run.state in OLD and run.service == service for run in design.job.runs) or any(
        station.state in OLD and service in _services(station) for station in design.job.stations
    )


def _services(station: Station) -> set[str]:
    return {spec.service_of(port.role) for port in station.ports}


def _before(first: Iterable[WorkStep], services: Iterable[str], words: Mapping[EffectKind, str]) -> list[Need]:
    """The steps that make the pipe of these services safe to work on: those with the effects that words are given
    for."""
    own = ("", *services)
    return [
        Need(step.key, why)
        for kind, why in words.items()
        for step in first
        if step.service in own and any(effect.kind == kind for effect in step.effects)
    ]


def _isolate(design: Layout) -> Iterable[WorkStep]:
    """What is worked on is made safe first: said of what is there, so that a gas job has no water to shut."""
    services = touched(design)
    if not services:
        return
    powered = any(spec.service(one).through for one in services)
    phases = {role.phase for one in services for role in spec.service(one).roles}
    media = [word for word, phase in (("water", "liquid"), ("gas", "gas")) if powered or phase in phases]
    hold = f"power proven dead and locked off, {_and(media)} shut" if powered else f"{_and(media)} shut and proven dead"
    electric = "Electrical isolation is proven dead by a competent person; " if powered else ""
    gas = "gas is licensed work." if "gas" in media else ""
    caution = f"{electric}{gas}" or "A valve that lets by is not shut: see that nothing runs."
    yield WorkStep(
        "isolate",
        "isolate",
        "Make it safe",
        "supply, boiler" if powered else "supply",
        (Need("mark-flow", "which pipe is the flow is told by heat"),),
        rates(design)["isolate"],
        (0,),
        hold,
        caution[0].upper() + caution[1:],
        ("lock-off kit", "voltage tester") if powered else ("lock-off kit",),
        effects=tuple(Effect("isolate", one) for one in services),
    )


def _and(words: list[str]) -> str:
    return " and ".join(words)


def _take_off(design: Layout, first: list[WorkStep]) -> Iterable[WorkStep]:
    """What goes comes off its wall once it is dry and dead."""
    for station in design.job.stations:
        if station.state != "remove" or has_trait(station, "unhung"):
            continue
        heavy = _heavy(station)
        yield WorkStep(
            f"off:{station.id}",
            "take off",
            f"Take {station.id} off",
            station.name or spec.kind(station.kind).title(design.job.practice),
            (
                *_before(first, _services(station), {"isolate": "it is live", "drain": "it is full of water"}),
                *(Need(f"look:{new.id}", LOOKED) for new in _instead(design, station)),
            ),
            rates(design)["take off"],
            (1.5,),
            "pipes left clean and capped, stubs made good at the floor",
            ("Gas is disconnected by the licensed person." if any(port.role == "gas" for port in station.ports) else "")
            + (" Over 25 kg: two people." if heavy else ""),
            ("wrenches", "pipe cutter", "caps", "tub"),
            (),
            2 if heavy else 1,
            effects=(Effect("cut", station.id), Effect("cap", station.id)),
        )


def _instead(design: Layout, old: Station) -> list[Station]:
    """The new stations that come in place of one that goes: of its kind, on its level."""
    return [
        one
        for one in design.job.stations
        if one.state == "new" and (one.kind, one.level) == (old.kind, old.level) and not has_trait(one, "unhung")
    ]


def _strip_out(design: Layout, first: list[WorkStep]) -> Iterable[WorkStep]:
    """Old pipe comes out once it is dry and dead."""
    words: dict[EffectKind, str] = {"isolate": "it is live", "drain": "it is full of water"}
    services = {run.service for run in design.job.runs if run.state == "remove"}
    needs = {service: _before(first, (service,), words) for service in services}
    return strip_steps(design, rates(design)["metre strip"], needs)


def _look_over(design: Layout, first: list[WorkStep]) -> Iterable[WorkStep]:
    """What comes in place of what goes is looked over, out of its box, before the old one comes off."""
    new = {one.id: one for old in design.job.stations if old.state == "remove" for one in _instead(design, old)}
    for station in new.values():
        kind = spec.kind(station.kind).title(design.job.practice)
        yield WorkStep(
            f"look:{station.id}",
            "look over",
            f"Look {station.id} over",
            f"{kind}, out of its box",
            (),
            rates(design)["look over"],
            (-1, 1),
            "right one, whole, nothing dented, all in the box, before the old one comes off",
        )


def _clips(design: Layout, first: list[WorkStep]) -> Iterable[WorkStep]:
    """Clips go up before the pipe, where it runs open."""
    lie = design.pipework.straights
    hung = {
        one.run: sum(len(clipped.at) for clipped in one.straights if lie[clipped.straight].place in OPEN_PLACES)
        for one in design.supports
    }
    count = sum(hung.values())
    if count:
        runs = [run for run, clips in hung.items() if clips]
        shown = f"{', '.join(runs[:6])}{' and more' if len(runs) > 6 else ''}"
        dead: dict[EffectKind, str] = {"isolate": "what it is drilled beside is dead"}
        yield WorkStep(
            "clips",
            "clips",
            "Put up the clips",
            f"{count} of them, for {shown}",
            tuple(_before(first, {run.service for run in design.job.runs if run.id in runs}, dead)),
            rates(design)["clip"] * count,
            (2.9,),
            "as the list under Make has them; left open until the pipe lies",
            DRILLING,
            ("tape", "level", "drill", "cable detector"),
        )


def _hang(design: Layout, first: list[WorkStep]) -> Iterable[WorkStep]:
    levels = _levels(design)
    for station in design.job.stations:
        if station.state != "new" or has_trait(station, "unhung"):
            continue
        drains = _before(first, _services(station), {"drain": "an open pipe with water behind it floods the room"})
        if station.data.loop_m:
            metres = station.data.loop_m
            yield WorkStep(
                f"hang:{station.id}",
                "hang",
                f"Lay the loop of {station.id}",
                f"{station.name or station.level}, {metres:.0f} m",
                tuple(drains),
                round(rates(design)["lay loop"] * metres, 1),
                (2, 2.0, levels.index(station.level) if station.level in levels else 0),
                "no joint in the floor; under pressure while the screed goes on",
                "",
                ("decoiler", "tacker", "edge strip"),
                (f"{metres:.0f} m of pipe off the coil",),
                effects=(Effect("hang", station.id),),
            )
            continue
        rate = rates(design).get(f"hang {station.kind}", rates(design)["hang other"])
        heavy, drilled = _heavy(station), has_trait(station, "drilled")
        kind = spec.kind(station.kind)
        title = f"{kind.set_up} {station.id}"
        what = f"{kind.title(design.job.practice)} {station.name}".strip()
        order = 0.0 if _heats(station) else 1.0
        old = [
            Need(f"off:{other.id}", "the old one hangs there")
            for other in design.job.stations
            if other.state == "remove" and other.kind == station.kind and other.level == station.level
        ]
        yield WorkStep(
            f"hang:{station.id}",
            "hang",
            title,
            f"{station.id}, {station.name or station.level}",
            (*drains, *old, Need(f"template:{station.id}", "its bracket is measured from the flue")),
            rate,
            (2, order, levels.index(station.level) if station.level in levels else 0),
            "",
            f"{DRILLING if drilled else ''}{' Over 25 kg: two people.' if heavy else ''}".strip(),
            ("level", "drill", "cable detector") if drilled else ("level",),
            (what, "fixings for the wall") if drilled else (what,),
            2 if heavy else 1,
            effects=(Effect("hang", station.id),),
        )


def _heats(station: Station) -> bool:
    """Whether a station is the source of a heating circuit."""
    return "flow" in spec.kind(station.kind).sources


def _heavy(station: Station) -> bool:
    """Over 25 kg by the usual weights: boilers, heaters and cylinders always, panel radiators above about 1.2 m2 of
    face."""
    area = (station.data.width_mm or 0) * (station.data.height_mm or 0)
    return has_trait(station, "heavy") or area > 1.2e6


def _pipe(design: Layout, first: list[WorkStep]) -> Iterable[WorkStep]:
    table = rates(design)
    new = {run.id for run in design.job.runs if run.state == "new"}
    together = [heat for heat in heats(design.fitted, design.context.catalogue) if set(heat.runs) <= new]
    made_with = {joint: heat.runs[-1] for heat in together for joint in heat.joints}
    joints_of: dict[str, list[Joint]] = {}
    for joint in design.fitted.joints.values():
        joints_of.setdefault(made_with.get(joint.key, joint.run), []).append(joint)
    shared: dict[str, list[str]] = {}
    for heat in together:
        if len(heat.runs) > 1:
            name = design.pipework.nodes[heat.fitting_key].name
            others = " and ".join(heat.runs[:-1])
            shared.setdefault(heat.runs[-1], []).append(f"{heat.title} {name}".strip() + f" of {others}")
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
        needs = _before(
            first,
            (run.service,),
            {
                "drain": "a pipe with water in it will not solder, and floods when cut",
                "isolate": "what is in it is shut off before anyone cuts",
            },
        )
        for anchor in (run.start, run.finish):
            owner, name = split_anchor(anchor)
            if design.job.station(owner) and name:
                needs.append(Need(f"hang:{owner}", f"the pipe is made to {owner} where it hangs"))
        needs.append(Need("clips", "it is laid into them"))
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
            f"pipe:{run.id}",
            "pipe",
            f"Pipe {run.id}",
            f"{run.start} to {run.finish}, {length}",
            tuple(needs),
            round(minutes, 1),
            (3, turn, number) if order else (3, number),
            "tightness test of the gas, by the licensed person, before the next pipe is made"
            if gas
            else "open ends capped when work stops",
            _hot_work(shared.get(run.id, [])) if flame else "",
            (
                "pipe cutter",
                "tape",
                *sorted({tool for method in methods if method in rows for tool in rows[method].kit}),
            ),
            (f"{len(joints)} joints", str(run.pipe)),
            service=run.service,
            effects=(*([Effect("cut", parent)] if _stays(design, parent) else []), Effect("make", run.id)),
        )


def _hot_work(shared: list[str]) -> str:
    """The caution of a step with a flame. shared: fittings on other runs that are soldered with it."""
    said = "Hot work: look again an hour after the last flame."
    return f"{said} In one heat, all sockets: {', '.join(shared)}." if shared else said


def _stays(design: Layout, ident: str) -> bool:
    run = design.job.run(ident)
    return run is not None and run.state == "keep"


def _prove(design: Layout) -> Iterable[WorkStep]:
    """Each section of each service is proved once its pipe is made and what it ends at is hung."""
    sections = sections_of(design)
    for section in sections:
        alone = sum(other.service == section.service for other in sections) == 1
        for kind in rooms()[section.service].tests:
            own = design.job.runs
            made = tuple(
                Need(f"pipe:{run.id}", "an open run cannot hold pressure")
                for run in own
                if run.state == "new" and run.id in section.runs
            )
            hung = tuple(
                Need(f"hang:{one.id}", "what is not hung cannot be tested")
                for one in design.job.stations
                if one.state == "new" and not has_trait(one, "unhung") and one.id in section.stations
            )
            first_of = alone and spec.service(section.service).through
            yield WorkStep(
                "proof" if first_of else f"proof:{section.key}",
                "proof",
                kind.step_title,
                kind.step_where.format(section=section.title),
                (*made, *hung),
                rates(design)["proof"],
                (4,),
                kind.hold,
                test_caution(kind),
                kind.tools,
                closes="" if first_of else "what was not proved is not handed over",
                service=section.service,
                effects=(Effect("fill", section.key),) if kind.medium == "water" else (),
            )


def test_caution(kind: TestKind[Layout]) -> str:
    """The first sentence of the caution of a test: what a step of the plan has room for."""
    return kind.caution.partition(". ")[0].rstrip(".") + "." if kind.caution else ""


def _hand_over(design: Layout, made: list[WorkStep]) -> Iterable[WorkStep]:
    """The last step: after all pipe is made, and after what each service says must be done first."""
    needs = tuple(Need(f"pipe:{run.id}", "it is not done") for run in design.job.runs if run.state == "new")
    if needs or any(step.rule == "small job" for step in made):
        closing = tuple(Need(step.key, step.closes) for step in made if step.closes)
        yield WorkStep(
            "handover",
            "hand over",
            "Hand over",
            "customer",
            (*needs, *closing),
            rates(design)["hand over"],
            (8,),
            "",
            "",
            ("pack", "labels"),
        )


_MAKERS: tuple[Callable[[Layout, list[WorkStep]], Iterable[WorkStep]], ...] = (
    _look_over,
    _take_off,
    _strip_out,
    _hang,
    _clips,
    _pipe,
)
