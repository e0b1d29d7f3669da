"""The fresh water part of the Sizes page: what is left at every outlet, the profile, and the taps opened together."""

from __future__ import annotations

from typing import Any

from flask import request
from markupsafe import Markup

from ...core.services.water.circulation import LONG_WAIT_S
from ...core.services.water.network import WaterNetwork
from ...core.services.water.taps import open_taps
from ...drawing.ladders import water_ladder
from ...exchange.water_sizes import water_row
from ..frame import Frame
from ..sizes import service_data

SCHOOLS = {
    "loading-units": "by loading units",
    "continental": "by the formula for dwellings",
    "fixture-units": "by fixture units",
    "own table": "by the table of this job",
}


@service_data("water")
def water(frame: Frame) -> dict[str, Any]:
    """The fresh water networks as drawn, with the taps that were asked to be open."""
    opened = frozenset(request.args.getlist("open")[:200])
    found: tuple[WaterNetwork, ...] = frame.design.sized["water"].detail
    rows = []
    for net in found:
        row = water_row(frame.design, net)
        drawn = (water_ladder(frame.job, net, wide=wide) for wide in (True, False))
        row["ladder_svg"] = Markup("".join(drawn))  # noqa: S704 - our own drawing
        row["school"] = SCHOOLS[net.school]
        row["stations"] = list(dict.fromkeys(end.station for end in net.ends))
        row["taps"] = open_taps(net, opened)
        for one in row["sections"]:
            one["other"] = row["rules"]["residual"]["sizes"].get(one["id"])
        rows.append(row)
    hot = any(end.role == "hot" for net in found for end in net.ends)
    return {"networks": rows, "opened": opened, "long_wait_s": LONG_WAIT_S, "hot": hot}
