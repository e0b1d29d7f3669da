"""Water that the drains of a circuit do not reach."""

from __future__ import annotations

from collections.abc import Iterable

from ....pipework.water import traps
from ....quantity import length_text, trim
from ....rules.legs import put_in_leg
from ....rules.registry import Remedy, Said, View
from ..sizing import heating_of
from .book import rule

SEEN_L = 0.1


@rule(
    "trapped-water",
    "note",
    "water that the drains do not reach",
    "Dips and drops below the drain keep their water: it runs out when they are cut, spoils a soldered joint, and "
    "freezes.",
    "geometry",
)
def trapped_water(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        for trap in traps(view.fitted.pipework, heating.circuit.nodes, view.fitted.spans, view.context.catalogue):
            if trap.litres < SEEN_L:
                continue
            runs = list(dict.fromkeys(view.fitted.pipework.straights[key].run for key in trap.straights))
            cold = any(view.fitted.pipework.straights[key].place in ("loft", "outside") for key in trap.straights)
            named = ", ".join(runs[:4]) + (f" and {len(runs) - 4} more" if len(runs) > 4 else "")
            says = f"{trim(trap.litres, 1)} L stay in {named} below the drains{', where it freezes' if cold else ''}."
            yield Said(
                (trap.run, trap.straights[0]),
                says,
                tuple(_drain_remedies(view, trap.straights)),
                trap.at,
                ("have a tub there",),
                "mind" if cold else None,
            )


def _drain_remedies(view: View, straights: tuple[str, ...]) -> Iterable[Remedy]:
    """A drain cock in the lowest leg of a trap with room for it."""
    work = view.fitted.pipework
    traces = {run: work.runs[run] for run in {work.straights[key].run for key in straights} if run in work.runs}
    legs_of = {run: trace.run.legs for run, trace in traces.items()}
    low = sorted(straights, key=lambda key: view.fitted.spans[key][0].z + view.fitted.spans[key][1].z)
    for key in low:
        straight = work.straights[key]
        if straight.run not in traces:
            continue
        trace, legs = traces[straight.run], legs_of[straight.run]
        leg = next((legs[key] for key in straight.legs if key in legs and trace.lengths[key] >= 260), None)
        if leg is None or abs(straight.way.z) > 0.01:
            continue
        at = round(trace.lengths[leg.id] / 2)
        effect = f"[drain] on {straight.run}, {length_text(at, view.job.pace_unit, with_unit=True)} along {leg.dir}"
        yield Remedy(
            "Put a drain cock at its lowest leg", (put_in_leg(view, straight.run, leg, "[drain]", at),), effect
        )
        return
