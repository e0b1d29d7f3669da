"""A tee cut into a threaded line that is there: it closes only with a union beside it."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator

from ...errors import Refused
from ...job.model import Run
from ...making.rows import TapIn, tap_in
from ...pipework.geometry import Node, Straight
from ...quantity import INCH_MM, length_text
from ...rules.legs import put_in_leg
from ...rules.registry import Remedy, RuleBook, Said, View
from .stations import SPEC

rule = RuleBook("gas")


@rule(
    "gas-tap-in",
    "mind",
    "a tee in an old threaded line, and no union",
    "An old line between two fittings cannot be turned: the tee, two short nipples and a union close it, and nothing "
    "less does.",
    "rule of the trade",
)
def gas_tap_in(view: View) -> Iterable[Said]:
    work, catalogue, unit = view.fitted.pipework, view.context.catalogue, view.job.pace_unit
    for tee, run, sides in _cut_in(view):
        if any(_next(view, one, tee.key).part == "union" for one in sides):
            continue
        first, far = sides[0], max(sides, key=lambda one: _long(view, one))
        back = next((one for one in sides if one is not far), None)
        marks: tuple[str, ...] = ()
        remedies: tuple[Remedy, ...] = ()
        try:
            kit = tap_in(catalogue, first.pipe, None, None)
            at = _long(view, back) if back is not None else None
            if at is not None:
                kit = tap_in(catalogue, first.pipe, at + _long(view, far), at)
            remedies = _union_beside(view, run, far, tee, kit)
        except Refused as refused:
            marks = (refused.expected,)
            kit = None
        if kit is not None:
            least = length_text(kit.least_mm, unit, with_unit=True)
            marks = (f"{', '.join(kit.parts)}; {least} at least to the far fitting",)
            if kit.cuts_mm:
                low, high = (length_text(mm, unit, with_unit=True) for mm in kit.cuts_mm)
                marks += (f"cut the old pipe {low} and {high} from the fitting before",)
        yield Said(
            (run.id, tee.key),
            f"{run.id}.{tee.name} is cut into threaded pipe between two fittings: it closes only with a union.",
            remedies,
            work.nodes[tee.key].at,
            marks,
        )


def _cut_in(view: View) -> Iterator[tuple[Node, Run, list[Straight]]]:
    """Tees of new runs in kept threaded gas pipe, with the pieces of the old line beside them."""
    work = view.fitted.pipework
    threaded = {code for code, one in view.context.catalogue.systems.items() if one.methods == ("thread",)}
    for key, node in work.nodes.items():
        run = view.job.run(node.run)
        if node.kind != "tee" or run is None or run.service != SPEC.id or run.state != "keep":
            continue
        arms = [work.straights[name] for name in work.arms.get(key, {}).values()]
        old = [one for one in arms if one.run == run.id and one.pipe.code in threaded and not one.piece_mm]
        states = {other.state for one in arms if one.run != run.id and (other := view.job.run(one.run))}
        if "new" in states and old:
            yield node, run, old


def _next(view: View, one: Straight, node: str) -> Node:
    return view.fitted.pipework.nodes[one.to_node if one.from_node == node else one.from_node]


def _long(view: View, one: Straight) -> float:
    a, b = view.fitted.spans.get(one.key, (one.a, one.b))
    return float(b.minus(a).length)


def _union_beside(view: View, run: Run, side: Straight, tee: Node, kit: TapIn) -> tuple[Remedy, ...]:
    """A union as near behind the tee as two close nipples leave it, in the longer piece of the old line."""
    trace = view.fitted.pipework.runs[run.id]
    legs = run.legs
    onward = side.from_node == tee.key
    leg = next((legs[key] for key in (side.legs if onward else reversed(side.legs)) if key in legs), None)
    if leg is None or trace.lengths[leg.id] < kit.least_mm:
        return ()
    mark = INCH_MM / 16 if view.job.pace_unit == "in" else 1.0
    off = math.ceil(kit.least_mm / 2 / mark) * mark
    at = off if onward else trace.lengths[leg.id] - off
    command = put_in_leg(view, run.id, leg, "[union]", at)
    return (Remedy("Put a union beside it", (command,), f"[union] on {run.id}, two close nipples from the tee"),)
