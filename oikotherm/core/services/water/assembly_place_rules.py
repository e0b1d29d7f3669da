"""Rules of where a backflow assembly stands: on its branch, lying, out of frost, with a strainer and two valves."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ...job.model import DeviceItem, Item, Leg, Run
from ...job.ways import Vec
from ...job.writing import item_text
from ...network.graph import CLOSES
from ...quantity import length_text
from ...rules.legs import put_in_leg
from ...rules.registry import Remedy, RuleBook, Said, View
from .assembly_rules import ASSEMBLIES
from .stations import SPEC

rule = RuleBook("water")
POINT_OF_USE = "point-of-use"
COLD_PLACES = ("outside", "ground", "loft")
LEAST_PART_LEG_MM = 200.0  # room for a valve or a strainer and its joints
FROST_LAG_MM = 25.0  # typ


def _stand(view: View) -> Iterator[tuple[Run, int, DeviceItem, Vec | None]]:
    """Every assembly: its run, its place among the items, itself, where it is."""
    for run in view.job.runs:
        if run.service == SPEC.id and run.state != "remove":
            for n, item in enumerate(run.items):
                if isinstance(item, DeviceItem) and item.part in ASSEMBLIES:
                    node = view.fitted.pipework.nodes.get(f"{item.id}/device")
                    yield run, n, item, node.at if node else None


def _leg(view: View, run: Run, items: Iterable[Item]) -> Leg | None:
    """The longest leg among items that a part can be put into."""
    trace = view.fitted.pipework.runs[run.id]
    legs = [one for one in items if isinstance(one, Leg) and trace.lengths[one.id] >= LEAST_PART_LEG_MM]
    return max(legs, key=lambda one: trace.lengths[one.id], default=None)


def _put(view: View, run: Run, leg: Leg, text: str, title: str) -> Remedy:
    trace = view.fitted.pipework.runs[run.id]
    command = put_in_leg(view, run.id, leg, text, round(trace.lengths[leg.id] / 2))
    return Remedy(title, (command,), f"{text} on {run.id}")


@rule(
    "point-of-use-place",
    "stop",
    "an assembly of one appliance that is not on its branch",
    "It keeps one appliance's water out of the house: on that appliance's branch, behind its tee, before anything the "
    "branch feeds.",
    "std; the authority having jurisdiction",
)
def point_of_use_place(view: View) -> Iterable[Said]:
    for run, n, item, at in _stand(view):
        if item.setting != POINT_OF_USE:
            continue
        tee = next((one for one in run.items[:n] if one.kind == "tee"), None)
        branches = view.job.run(run.start.partition(".")[0]) is not None
        if branches and tee is None:
            continue
        says = (
            f"{run.id}: {run.id}.{getattr(tee, 'name', '')} branches off before the assembly that is to keep it clean."
            if branches
            else f"The point-of-use assembly stands on {run.id}, which is no branch: its appliance can reach the house."
        )
        yield Said(
            (run.id, item.id),
            says,
            (),
            at,
            ("on the appliance's own branch, right behind its tee", "[… set containment] where the street is meant"),
        )


@rule(
    "assembly-way",
    "stop",
    "an assembly that stands the wrong way",
    "Its checks close by springs and weight as it was listed: lying; rising only where its listing says so.",
    "typ; its listing",
)
def assembly_way(view: View) -> Iterable[Said]:
    for run, n, item, at in _stand(view):
        before = next((one for one in reversed(run.items[:n]) if isinstance(one, Leg)), None)
        if before is None or before.dir != "D" or item.arrow == "against":
            continue
        yield Said(
            (run.id, item.id),
            f"The assembly on {run.id} hangs in falling pipe.",
            (),
            at,
            ("a level stretch of it, arrow with the flow", "rising pipe, where its listing has that"),
        )


@rule(
    "assembly-frost",
    "mind",
    "an assembly in the frost",
    "What freezes in it cracks its body and its checks: in a warm room, or in a box that is heated and drained.",
    "typ; local climate",
)
def assembly_frost(view: View) -> Iterable[Said]:
    work, unit = view.fitted.pipework, view.job.pace_unit
    for run, _, item, at in _stand(view):
        key = f"{item.id}/device"
        own = [work.straights[one] for one in work.arms.get(key, {}).values()]
        bare = next((one for one in own if one.place in COLD_PLACES and (one.lag_mm or 0.0) < FROST_LAG_MM), None)
        if bare is None:
            continue
        lag = length_text(FROST_LAG_MM, unit, with_unit=True)
        yield Said(
            (run.id, item.id),
            f"The assembly on {run.id} lies {bare.place} without {lag} of lagging.",
            (),
            at,
            ("indoors, behind the wall", f"{{{bare.place} lag {FROST_LAG_MM:g}}} and a box over it"),
        )


@rule(
    "assembly-strainer",
    "note",
    "an assembly without a strainer",
    "A grain under a check is what most tests fail on: a strainer before it, and the line flushed before it goes in.",
    "usual practice",
)
def assembly_strainer(view: View) -> Iterable[Said]:
    for run, n, item, at in _stand(view):
        if any(isinstance(one, DeviceItem) and one.part in ("strainer", "filter") for one in run.items[:n]):
            continue
        leg = _leg(view, run, run.items[:n])
        fits = view.context.catalogue.device("strainer", run.pipe.code, run.pipe.size) is not None
        remedies = (_put(view, run, leg, "[strainer]", "Put a strainer before it"),) if leg and fits else ()
        yield Said(
            (run.id, item.id),
            f"No strainer stands before the assembly on {run.id}.",
            remedies,
            at,
            ("a strainer between stop valve and assembly",),
        )


@rule(
    "assembly-valves",
    "mind",
    "an assembly without its two valves",
    "It is tested and repaired between two valves of its own: without them nobody tests it.",
    "std; the authority having jurisdiction",
)
def assembly_valves(view: View) -> Iterable[Said]:
    for run, n, item, at in _stand(view):
        text = item_text(item, view.style)
        for word, items in (("before", run.items[:n][::-1]), ("behind", run.items[n + 1 :])):
            own: list[Item] = []
            for one in items:
                if one.kind == "tee":
                    break
                own.append(one)
            if any(isinstance(one, DeviceItem) and one.part in CLOSES for one in own):
                continue
            leg = _leg(view, run, own)
            yield Said(
                (run.id, item.id, word),
                f"No valve of its own stands {word} {text} on {run.id}.",
                (_put(view, run, leg, "[iso]", f"Put a valve {word} it"),) if leg else (),
                at,
                (f"[iso] {word} it, before anything branches off",),
            )


RULES = tuple(rule.rules.values())
