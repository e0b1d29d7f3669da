"""The steps of work on fresh water beside those of all pipe: what is there is drained first."""

from __future__ import annotations

from collections.abc import Iterable

from ...layout import Layout
from ...network.graph import has_trait
from ...work.plan import is_old, rates, touched
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


STEPS = (_drain,)
