"""Rules of softeners: what they may feed, their bypass, their drain."""

from __future__ import annotations

from collections.abc import Iterable

from ...job.model import DeviceItem, Station
from ...job.writing import item_text
from ...network.graph import CLOSES
from ...rules.registry import Remedy, RuleBook, Said, View
from ...work.state import SHUT
from .network import bypasses, kind_of
from .size_rules import networks_of
from .stations import SPEC

rule = RuleBook("water")


def _softeners(view: View) -> list[Station]:
    work = view.fitted.pipework
    return [
        one
        for one in view.job.stations
        if one.kind == "softener" and one.state != "remove" and work.arms.get(f"{one.id}.out")
    ]


@rule(
    "softener-drinking",
    "mind",
    "no hard water to drink",
    "Softened water carries sodium and dissolves metals: drinking tap, outside tap and a boiler's filling stay on hard "
    "water.",
    "typ; local code, the boiler's maker",
)
def softener_drinking(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    for softener in _softeners(view):
        soft: set[str] = set()
        hard: set[str] = set()
        for net in networks_of(view):
            own = {one.id: one for one in net.sections}
            for end in net.ends:
                if end.role == "cold":
                    behind = any(own[ident].start == f"{softener.id}.out" for ident in end.path)
                    (soft if behind else hard).add(end.station)
        sinks = {one for one in soft if _kind(view, one) == "sink"}
        drinks = any(_kind(view, one) == "sink" for one in hard)
        if sinks and not drinks:
            names = ", ".join(sorted(sinks))
            yield Said(
                (softener.id, "drinking"),
                f"{names} {'drink' if len(sinks) > 1 else 'drinks'} water softened by {softener.id}: no sink has hard "
                "water.",
                (),
                None,
                ("a tap for drinking from a tee before the softener", "the sink's cold from before it"),
            )
        outside = sorted(one for one in soft if _kind(view, one) == "outside-tap")
        for one in outside:
            yield Said(
                (softener.id, one),
                f"{one}, an outside tap, takes softened water of {softener.id}.",
                (),
                None,
                ("take it off before the softener: salt spares, plants live",),
            )
        filled = [
            node
            for node in work.nodes.values()
            if node.kind == "device" and node.part == "filling" and _behind(view, softener, node.key)
        ]
        for node in filled:
            yield Said(
                (softener.id, node.run),
                f"The filling point on {node.run} takes softened water: the boiler's maker has to allow it.",
                (),
                node.at,
                ("fill from before the softener",),
            )


def _kind(view: View, ident: str) -> str:
    station = view.job.station(ident)
    return kind_of(station)[0] if station is not None else ""


def _behind(view: View, softener: Station, node: str) -> bool:
    """Whether a node hangs on cold pipe behind a softener."""
    return node in _reached(view, f"{softener.id}.out")


def _reached(view: View, start: str) -> set[str]:
    """The nodes joined to a port by cold pipe, through no station."""
    work = view.fitted.pipework
    seen, waiting = {start}, [start]
    while waiting:
        node = waiting.pop()
        for key in work.arms.get(node, {}).values():
            one = work.straights[key]
            if work.runs[one.run].run.service != SPEC.id:
                continue
            other = one.to_node if one.from_node == node else one.from_node
            if other not in seen:
                seen.add(other)
                waiting.append(other)
    return seen


@rule(
    "softener-bypass",
    "mind",
    "a softener without a bypass",
    "Without a bypass of three valves the house is dry while the softener is served.",
    "usual practice",
)
def softener_bypass(view: View) -> Iterable[Said]:
    for softener in _softeners(view):
        before, behind = f"{softener.id}.in", f"{softener.id}.out"
        if behind in _reached(view, before):
            continue
        yield Said(
            (softener.id, "bypass"),
            f"{softener.id} has no bypass: nothing runs while it is served.",
            (),
            view.fitted.pipework.nodes[behind].at,
            ("a tee before and behind it, pipe with a valve between, a valve at each of its ports",),
        )


@rule(
    "softener-bypass-open",
    "stop",
    "a softener's bypass that stands open",
    "Through an open bypass hard water runs past the softener to every tap.",
    "usual practice",
)
def softener_bypass_open(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    way = bypasses(view.job, work)
    if not way:
        return
    inside = {node for key in way for node in (work.straights[key].from_node, work.straights[key].to_node)}
    valves = [work.nodes[key] for key in inside if work.nodes[key].kind == "device" and work.nodes[key].part in CLOSES]
    items = {item.id: item for run in view.job.runs for item in run.items if isinstance(item, DeviceItem)}
    if any(items[node.item].setting == SHUT for node in valves if node.item in items):
        return
    run = work.straights[min(way)].run
    remedies = []
    for node in valves:
        text = item_text(items[node.item].model_copy(update={"setting": SHUT}), view.style)
        command = {"do": "retype_item", "run": node.run, "item": node.item, "text": text}
        remedies.append(Remedy("Say that it is shut as a rule", (command,), f"{text} on {node.run}"))
    yield Said(
        (run, "bypass"),
        f"{run} goes round the softener and is not said to be shut{'' if valves else ': it has no valve'}.",
        tuple(remedies),
        work.nodes[min(inside)].at,
        ("[iso set shut] in the middle of it, turned when the softener is served",),
    )


@rule(
    "softener-drain",
    "stop",
    "a softener whose drain goes nowhere",
    "Brine has to run to an air gap: into a closed pipe it comes back into the house's water.",
    "20 mm or twice the bore, 25 mm North America (std; local code)",
)
def softener_drain(view: View) -> Iterable[Said]:
    for softener in _softeners(view):
        key = f"{softener.id}.drain"
        if not any(port.name == "drain" for port in softener.ports):
            continue
        run = next((one for one in view.job.runs if key in (one.start, one.finish) and one.state != "remove"), None)
        if run is not None and run.finish not in ("cap", "plug"):
            continue
        says = (
            f"{run.id}, the drain of {softener.id}, is shut at its end."
            if run is not None
            else f"The drain of {softener.id} is not piped."
        )
        yield Said(
            (softener.id, key),
            says,
            (),
            view.fitted.pipework.ports[key].mouth if key in view.fitted.pipework.ports else None,
            ("a hose to an air gap over a gully, no higher than the maker allows",),
            None if run is not None else "mind",
        )


RULES = tuple(rule.rules.values())
