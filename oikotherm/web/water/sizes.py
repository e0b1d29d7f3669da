"""The fresh water part of the Sizes page: what is left at every outlet, the profile, and the taps opened together."""

from __future__ import annotations

from functools import partial
from typing import Any

from flask import request
from markupsafe import Markup

from ...core.quantity import PA_PER_BAR, PA_PER_PSI, length_text, pressure_said
from ...core.services.water.circulation import LONG_WAIT_S
from ...core.services.water.network import WaterNetwork
from ...core.services.water.taps import open_taps
from ...core.work.steps import gauge_unit
from ...drawing.pressure_ladder import Way, ladder
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
    unit = gauge_unit(frame.job.practice)
    unit_pa = PA_PER_PSI if unit == "psi" else PA_PER_BAR
    rows = []
    for net in found:
        row = water_row(frame.design, net)
        length = partial(length_text, unit=frame.job.pace_unit, with_unit=True)
        said = partial(pressure_said, unit=unit)
        drawn = (
            ladder(net.source, net.inlet_pa, _ways(net), said, length, wide=wide, what="outlet", unit_pa=unit_pa)
            for wide in (True, False)
        )
        row["ladder_svg"] = Markup("".join(drawn))  # noqa: S704 - our own drawing
        row["school"] = SCHOOLS[net.school]
        row["stations"] = list(dict.fromkeys(end.station for end in net.ends))
        row["taps"] = open_taps(net, opened)
        for one in row["sections"]:
            one["other"] = row["rules"]["residual"]["sizes"].get(one["id"])
        rows.append(row)
    hot = any(end.role == "hot" for net in found for end in net.ends)
    return {"networks": rows, "opened": opened, "long_wait_s": LONG_WAIT_S, "hot": hot}


def _ways(net: WaterNetwork) -> list[Way]:
    """The way to each outlet, step by step, for the ladder: of an outlet with two ports that with less to spare."""
    own = {one.id: one for one in net.sections}
    worst = {}
    for end in sorted(net.ends, key=lambda end: -end.margin_pa):
        worst[end.station] = end
    ways = []
    for end in worst.values():
        at, steps = net.inlet_pa, []
        for ident in end.path:
            before, at = at, own[ident].end_pa
            steps.append((ident, own[ident].length_m, before, at))
        ways.append(Way(end.station, tuple(steps), end.least_pa, role=end.role))
    return ways
