"""Fresh water as `size --service water` prints it and the page shows it."""

from __future__ import annotations

from typing import Any

from ..core.job.model import Pipe
from ..core.layout import Layout
from ..core.services.water.circulation import circulation
from ..core.services.water.network import WaterNetwork
from ..core.services.water.sizing import by_speed, enlarge_first, proposed


def water_row(design: Layout, net: WaterNetwork) -> dict[str, Any]:
    """One network of a job as JSON: {source, medium, pressure_pa, rule, formula, limit_pa, fits, worst, enlarge_first,
    sections, terminals, rules, profile, circulation, open}. limit_pa: what may be lost on the way to the worst
    outlet."""
    catalogue = design.context.catalogue
    by_rule = {"speed": by_speed(net, catalogue), "residual": proposed(net, catalogue)}
    worst = net.worst
    moved = circulation(design, net)
    return {
        "source": net.source,
        "medium": "drinking water",
        "pressure_pa": round(net.inlet_pa, 3),
        "rule": "residual",
        "formula": net.school,
        "limit_pa": round(net.inlet_pa - worst.least_pa, 3) if worst else None,
        "fits": net.fits,
        "worst": worst.station if worst else "",
        "enlarge_first": enlarge_first(net, catalogue),
        "sections": [
            {
                "id": one.id,
                "run": one.run,
                "role": one.role,
                "from": one.start,
                "to": one.end,
                "pipe": str(one.pipe),
                "length_m": round(one.length_m, 4),
                "equivalent_m": round(_equivalent_m(one.drop_pa, one.drop.gradient_pa_m, one.length_m), 4),
                "bore_mm": one.bore_mm,
                "roughness_mm": one.roughness_mm,
                "flow_kg_s": one.flow_kg_s,
                "flow_m3_h": one.flow_l_s * 3.6,
                "flow_l_s": one.flow_l_s,
                "drop_pa": one.drop_pa,
                "rise_m": round(one.rise_m, 4),
                "end_pa": one.end_pa,
                "velocity_m_s": one.drop.velocity_m_s,
                "most_m_s": one.most_m_s,
                "fast": one.fast,
                "counted": dict(one.counted),
                "feeds": list(one.feeds),
                "fittings": [
                    {"title": local.title, "k": local.k, "kv": local.kv, "drop_pa": local.drop_pa}
                    for local in one.locals
                ],
            }
            for one in net.sections
        ],
        "terminals": [
            {
                "station": end.station,
                "port": end.port,
                "role": end.role,
                "kind": end.kind,
                "assumed": end.assumed,
                "wanted": end.wanted_l_s,
                "arriving_pa": end.arriving_pa,
                "alone_pa": end.alone_pa,
                "least_pa": end.least_pa,
                "margin_pa": end.margin_pa,
                "wait_s": end.wait_s,
                "wasted_l": end.wasted_l,
            }
            for end in net.ends
        ],
        "rules": {
            rule: {"sizes": {ident: str(pipe) if pipe else None for ident, pipe in sizes.items()}}
            | {"metres": _metres(net, sizes)}
            for rule, sizes in by_rule.items()
        },
        "profile": profile(net),
        "circulation": None
        if moved is None
        else {
            "loss_w": moved.loss_w,
            "flow_l_s": moved.flow_l_s,
            "drop_pa": moved.drop_pa,
            "store_c": moved.store_c,
            "back_c": moved.back_c,
            "pump": moved.pump.pump.name if moved.pump.pump else None,
            "runs_l_s": moved.pump.runs_l_s,
            "loops": [
                {
                    "run": loop.run,
                    "flow_l_s": loop.flow_l_s,
                    "loss_w": loop.loss_w,
                    "drop_pa": loop.drop_pa,
                    "throttle_pa": loop.throttle_pa,
                    "kv": loop.kv,
                }
                for loop in moved.loops
            ],
        },
        "open": list(net.open),
    }


def _equivalent_m(drop_pa: float, gradient_pa_m: float, length_m: float) -> float:
    """What fittings and bodies add, as metres of the same pipe."""
    return max(drop_pa / gradient_pa_m - length_m, 0.0) if gradient_pa_m > 0 else 0.0


def _metres(net: WaterNetwork, sizes: dict[str, Pipe | None]) -> dict[str, float]:
    """Pipe of each size that a rule asks for [m]."""
    found: dict[str, float] = {}
    for one in net.sections:
        pipe = sizes.get(one.id)
        if pipe is not None:
            found[str(pipe)] = round(found.get(str(pipe), 0.0) + one.length_m, 3)
    return found


def profile(net: WaterNetwork) -> list[dict[str, Any]]:
    """The pressure from the main to the worst outlet, section by section [Pa gauge]: what flows, height and pumps
    change."""
    if net.worst is None:
        return []
    own, at, steps = {one.id: one for one in net.sections}, net.inlet_pa, []
    for ident in net.worst.path:
        one = own[ident]
        steps.append(
            {
                "section": ident,
                "before_pa": round(at, 2),
                "lost_pa": round(one.drop_pa, 2),
                "rise_m": round(one.rise_m, 3),
                "after_pa": round(one.end_pa, 2),
            }
        )
        at = one.end_pa
    return steps
