"""Rules of fresh water: what stands in blind ends, and metals in the order of the water."""

from __future__ import annotations

from collections.abc import Iterable

from ...network.graph import has_trait
from ...pipework.geometry import Pipework, Straight
from ...pipework.water import dead_ends
from ...quantity import length_text, trim
from ...rules.registry import RuleBook, Said, View
from . import assembly_place_rules, assembly_rules, heater_rules, size_rules, softener_rules
from .network import bypasses

DEAD_LEG_DIAMETERS = 5.0

rule = RuleBook("water")


@rule(
    "dead-leg",
    "mind",
    "a dead leg on fresh water",
    "Water that stands grows legionella: no blind end longer than 5 pipe diameters on fresh water.",
    "typ",
)
def dead_leg(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    if not any(run.service == "water" for run in view.job.runs):
        return
    shut = bypasses(view.job, work)  # it stands still by its nature, and is turned when the softener is served
    for group in dead_ends(work, view.flow):
        if shut.issuperset(group):
            continue
        first = work.straights[group[0]]
        ends = {node for key in group for node in (work.straights[key].from_node, work.straights[key].to_node)}
        stations = [work.ports[work.nodes[node].part].station for node in ends if work.nodes[node].kind == "port"]
        if work.runs[first.run].run.service != "water" or any(has_trait(station, "guard") for station in stations):
            continue
        length = sum(view.fitted.span_mm[key] for key in group)
        row = view.context.catalogue.pipe(first.pipe.code, first.pipe.size)
        least = DEAD_LEG_DIAMETERS * (row.od_mm or 0.0) if row else 0.0
        if length > least > 0:
            unit = view.job.pace_unit
            says = (
                f"{first.run}: {length_text(length, unit, with_unit=True)} of dead leg; "
                f"{length_text(least, unit, with_unit=True)} is the most."
            )
            litres = length / 1000 * 3.1416e-3 / 4 * ((row.bore_mm or 0.0) if row else 0.0) ** 2
            yield Said(
                (first.run, group[0]),
                f"{says[:-1]}, {trim(litres, 2)} L stand there.",
                at=first.a,
                cures=("take it back to the tee", "an outlet in daily use at its end"),
            )


@rule(
    "copper-upstream",
    "stop",
    "copper before galvanised pipe",
    "Fresh water carries copper along and plates it on the zinc further on: the zinc is eaten from inside, brass "
    "between or not. Galvanised comes first, copper after it.",
    "rule of the trade",
)
def copper_upstream(view: View) -> Iterable[Said]:
    work, systems = view.fitted.pipework, view.context.catalogue.systems
    zinc = [
        one for one in work.straights.values() if one.pipe.code == ZINC and work.runs[one.run].run.service == "water"
    ]
    if not zinc:
        return
    told: set[tuple[str, str]] = set()
    for straight in zinc:
        for key in _upstream(work, view.flow, straight):
            before = work.straights[key]
            system = systems.get(before.pipe.code)
            if system is None or system.material != "copper" or (straight.run, before.run) in told:
                continue
            told.add((straight.run, before.run))
            says = (
                f"Copper {before.pipe} of {before.run} comes before galvanised {straight.pipe} of {straight.run}, "
                "along the water."
            )
            yield Said(
                (straight.run, straight.key, before.run),
                says,
                at=straight.a,
                cures=(
                    f"plastic or steel in place of the copper on {before.run}",
                    "new pipe in place of the galvanised",
                ),
            )


ZINC = "galv"


def _upstream(work: Pipework, flow: dict[str, int], straight: Straight) -> list[str]:
    """The straights whose water comes to this one, by the directions that are known, the nearest first."""
    found: list[str] = []
    waiting = [straight]
    for one in waiting:
        way = flow.get(one.key, 0)
        if not way:
            continue
        node = one.from_node if way > 0 else one.to_node
        for key in work.arms.get(node, {}).values():
            other = work.straights[key]
            comes = flow.get(key, 0) * (1 if other.to_node == node else -1) > 0
            if comes and key not in found and key != straight.key:
                found.append(key)
                waiting.append(other)
    return found


RULES = (
    *rule.rules.values(),
    *size_rules.RULES,
    *heater_rules.RULES,
    *softener_rules.RULES,
    *assembly_rules.RULES,
    *assembly_place_rules.RULES,
)
