"""The gas part of the Sizes page."""

from __future__ import annotations

from typing import Any

from ...core.services.gas.capacity import BTU_H_W, FOOT3_M3
from ...core.services.gas.sizing import RULES
from ...exchange.gas_sizes import gas_row
from ..frame import Frame
from ..sizes import service_data

TITLES = {"longest": "by the longest length", "branch": "by branch length", "network": "by pressure"}


@service_data("gas")
def gas(frame: Frame) -> dict[str, Any]:
    """The gas networks as drawn, and by the three rules beside them."""
    found = frame.design.sized["gas"].detail
    rows = [gas_row(net, frame.design.context.catalogue) for net in found]
    inch = frame.job.practice == "north-american"
    for net, row in zip(found, rows, strict=True):
        row["gas"] = net.gas
        for end in row["terminals"]:
            watts = end["wanted"]
            end["said"] = f"{watts / BTU_H_W:,.0f} BTU/h" if inch else f"{watts / 1000:.1f} kW"
        for one in row["sections"]:
            m3_h = one["flow_m3_h"]
            one["said"] = f"{m3_h / FOOT3_M3:.0f} ft3/h" if inch else f"{m3_h:.2f} m3/h"
            one["other"] = {
                rule: row["rules"][rule]["sizes"].get(one["id"]) for rule in RULES if row["rules"].get(rule)
            }
    return {"networks": rows, "rules": [(rule, TITLES[rule]) for rule in RULES]}
