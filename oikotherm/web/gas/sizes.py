"""The gas part of the Sizes page: its networks, the ladder, and the switchboard that tries others."""

from __future__ import annotations

from typing import Any

from flask import request
from markupsafe import Markup

from ...core.services.gas import table
from ...core.services.gas.capacity import BTU_H_W, FOOT3_M3, FOOT_M, gases
from ...core.services.gas.layouts import MANIFOLD, manifold
from ...core.services.gas.sizing import RULES, GasNetwork, networks, resized
from ...drawing.ladders import gas_ladder
from ...exchange.gas_sizes import gas_row
from ..frame import Frame
from ..sizes import service_data

TITLES = {"longest": "by the longest length", "branch": "by branch length", "network": "by pressure"}


@service_data("gas")
def gas(frame: Frame) -> dict[str, Any]:
    """The gas networks as drawn, and by the three rules beside them; with what the switchboard asks for."""
    off = frozenset(request.args.getlist("off")[:200])
    fuel, rule = request.args.get("fuel", ""), request.args.get("rule", "")
    fuel = fuel if fuel in gases() else ""
    layout = MANIFOLD if request.args.get("layout") == MANIFOLD else ""
    asked = next((one for one in RULES if one == rule), None)
    found: tuple[GasNetwork, ...] = frame.design.sized["gas"].detail
    if off or fuel or asked:
        found = tuple(net for net in networks(frame.design, asked, None, fuel or None, off) if net.terminals)
    if layout:
        found = tuple(manifold(net, frame.design.context.catalogue) or net for net in found)
    if asked:
        found = tuple(resized(net, frame.design.context.catalogue, asked) for net in found)
    rows = [gas_row(net, frame.job, found, frame.design.context.catalogue) for net in found]
    inch = frame.job.practice == "north-american"
    for net, row in zip(found, rows, strict=True):
        on = [end for end in net.terminals if end.on]
        row["tightest"] = min(on, key=lambda end: end.margin_pa).station if on else ""
        for end in row["terminals"]:
            watts = end["wanted"]
            end["said"] = f"{watts / BTU_H_W:,.0f} BTU/h" if inch else f"{watts / 1000:.1f} kW"
        for way in row["layouts"]:
            way["said"] = {
                pipe: f"{metres / FOOT_M:.0f} ft" if frame.job.pace_unit == "in" else f"{metres:.1f} m"
                for pipe, metres in way["metres"].items()
            }
        for one in row["sections"]:
            m3_h = one["flow_m3_h"]
            one["said"] = f"{m3_h / FOOT3_M3:.0f} ft3/h" if inch else f"{m3_h:.2f} m3/h"
            one["other"] = {name: sizes["sizes"].get(one["id"]) for name, sizes in row["rules"].items()}
        drawn = (gas_ladder(frame.job, net, wide=wide) for wide in (True, False))
        row["ladder_svg"] = Markup("".join(drawn))  # noqa: S704 - our own drawing
        row["tables"] = [
            {
                "code": one.code,
                "unit": table.unit(net),
                "at": [
                    f"{at / FOOT_M:.0f} ft" if net.formula == "north-american" else f"{at:.0f} m"
                    for at in one.lengths_m
                ],
                "rows": [(size, [table.said(net, flow) for flow in flows]) for size, flows in one.rows],
            }
            for one in table.tables(net, frame.design.context.catalogue)
            if one.rows and one.code != "conn"
        ]
    return {
        "networks": rows,
        "rules": [(name, TITLES[name]) for name in RULES],
        "fuel": fuel,
        "asked": asked or "",
        "fuels": list(gases()),
        "other_fuel": bool(fuel) and any(net.gas.id != fuel for net in frame.design.sized["gas"].detail),
        "layout": layout,
        "tried": bool(off or fuel or asked or layout),
    }
