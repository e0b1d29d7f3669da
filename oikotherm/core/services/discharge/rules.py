"""Rules of what runs off: it falls all the way."""

from __future__ import annotations

from collections.abc import Iterable

from ...job.model import Leg
from ...job.writing import item_text
from ...quantity import length_text
from ...rules.registry import Remedy, RuleBook, Said, View
from .. import spec

rule = RuleBook("discharge")


@rule(
    "no-fall",
    "stop",
    "a discharge or condensate pipe that does not fall",
    "Condensate falls 44 mm a metre, a discharge 1 in 200 and never uphill: what stands in it freezes, corrodes, or "
    "holds a safety valve back.",
    "typ; local code",
)
def no_fall(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    for trace in work.runs.values():
        least = spec.role(trace.run.role).falls
        if least is None or not trace.moves:
            continue
        worst = min(trace.moves, key=lambda move: -move.way.z)
        flat = [move for move in trace.moves if -move.way.z < least / (1 + least * least) ** 0.5 - 1e-6]
        if not flat:
            continue
        remedies = []
        ends_free = "." not in trace.run.finish or any(
            isinstance(item, Leg) and item.dir == "D" and item.length_mm is None for item in trace.run.items
        )
        if all(abs(move.way.z) < 1e-9 for move in flat) and ends_free and trace.run.items:
            first = trace.run.items[0]
            said = f"1:{int(1 / least)}"
            text = f"{{fall {said}}} {item_text(first, view.style)}"
            if first.kind == "lie":
                text = item_text(first.model_copy(update={"fall": round(1 / float(said[2:]), 6)}), view.style)
            remedies = [
                Remedy(
                    f"Let it fall {said}",
                    ({"do": "retype_item", "run": trace.run.id, "item": first.id, "text": text},),
                    f"{text} on {trace.run.id}",
                )
            ]
        uphill = worst.way.z > 1e-6
        says = (
            f"{trace.run.id}, {trace.run.role}, {'goes uphill' if uphill else 'lies too flat'} over "
            f"{length_text(sum(move.length_mm for move in flat), view.job.pace_unit, with_unit=True)}."
        )
        yield Said(
            (trace.run.id, trace.run.id),
            says,
            tuple(remedies),
            flat[0].a,
            ("a lower end", "a shorter way"),
            None if uphill or trace.run.role == "condensate" else "mind",
        )


RULES = tuple(rule.rules.values())
