"""The steps of work on fresh water beside those of all pipe: what is there is drained first."""

from __future__ import annotations

from collections.abc import Iterable

from ...layout import Layout
from ...network.graph import has_trait
from ...work.plan import is_old, rates, touched
from ...work.refill import gate
from ...work.sections import sections_of
from ...work.steps import Effect, Need, WorkStep
from .stations import SPEC


def _drain(design: Layout) -> Iterable[WorkStep]:
    """Water pipe that is there is drained at its lowest tap, air let in at the highest."""
    if SPEC.id not in touched(design) or not is_old(design, SPEC.id):
        return
    hot = any(has_trait(station, "hot") and station.state != "new" for station in design.job.stations)
    yield WorkStep(
        f"drain:{SPEC.id}",
        "drain",
        "Drain the water pipe",
        "lowest tap, highest tap open",
        (Need("isolate", "it fills again as long as the supply is open"),),
        rates(design)["drain"],
        (1,),
        "nothing runs at the lowest tap",
        "Hot water scalds: let it cool first." if hot else "",
        ("hose", "tub for what stays below"),
        service=SPEC.id,
        effects=(Effect("drain", SPEC.id),),
    )


def _refill(design: Layout) -> Iterable[WorkStep]:
    """The water comes on again once all new pipe is proved, with every cock ticked shut."""
    if SPEC.id not in touched(design) or not any(run.service == SPEC.id for run in design.job.runs):
        return
    step = f"refill:{SPEC.id}"
    proofs = (Need(f"proof:{one.key}", "it was not proved") for one in sections_of(design) if one.service == SPEC.id)
    stripped = (
        Need(f"strip:{run.id}", "an open end would flood")
        for run in design.job.runs
        if run.service == SPEC.id and run.state == "remove"
    )
    yield WorkStep(
        step,
        "refill",
        "Turn the water on again",
        "stop valve",
        (*proofs, *stripped),
        rates(design)["refill"],
        (5,),
        "every cock ticked shut before the valve is touched",
        "Fast filling hammers and lifts dirt into valves: open slowly.",
        ("torch", "tissue", "bucket"),
        service=SPEC.id,
        effects=(Effect("fill", SPEC.id),),
        closes="the house has no water",
        checks=gate(design, SPEC.id, step),
    )


STEPS = (_drain, _refill)
