"""What heating puts into the pack beside its sizes: how every emitter is set."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ...work.steps import PackSection
from .simulate import balance
from .sizing import heating_of

if TYPE_CHECKING:
    from ...layout import Layout

WAYS = {"lockshield": "lockshield", "manifold": "on the manifold", "self": "regulates itself", "": "balancing valve"}


def balancing(design: Layout) -> PackSection | None:
    """The setting of each emitter: valve, turns open, flow it wants; None without emitters."""
    rows = [("Emitter", "Set by", "Turns open", "L/h")]
    for heating in heating_of(design):
        flows = {load.station: load.flow_kg_s / heating.medium.density_kg_m3 * 3.6e6 for load in heating.loads}
        for one in balance(heating):
            turns = f"{one.turns:.2g}" if one.lockshield else ""
            rows.append((one.station, WAYS[one.valve], turns, f"{flows[one.station]:.0f}"))
    return PackSection("Balancing, as worked out", tuple(rows)) if len(rows) > 1 else None


PACK = (balancing,)
