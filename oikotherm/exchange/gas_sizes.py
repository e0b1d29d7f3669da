"""Gas pipe as `size --service gas` prints it and the page shows it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from ..core.catalogue import Catalogue
from ..core.job.model import Job
from ..core.services.gas.ladder import rungs
from ..core.services.gas.layouts import bending, options
from ..core.services.gas.sizing import RULES, GasNetwork, enlarge_first, proposed


def gas_row(net: GasNetwork, job: Job, nets: Sequence[GasNetwork], catalogue: Catalogue) -> dict[str, Any]:
    """One network of a job as JSON: {source, medium, pressure_pa, rule, formula, limit_pa, longest_m, fits,
    enlarge_first, sections, terminals, rules, layouts, bends, ladder, open}. nets: all of the job's."""
    density = net.gas.density_kg_m3
    by_rule = {rule: proposed(net, catalogue, rule) for rule in RULES}
    return {
        "source": net.source,
        "medium": net.gas.id,
        "pressure_pa": round(net.inlet_pa, 3),
        "rule": net.rule,
        "formula": net.formula,
        "limit_pa": round(net.limit_pa, 3),
        "longest_m": round(net.longest_m, 3),
        "fits": net.fits,
        "enlarge_first": enlarge_first(net, catalogue),
        "sections": [
            {
                "id": one.id,
                "run": one.run,
                "from": one.start,
                "to": one.end,
                "pipe": str(one.pipe),
                "length_m": round(one.length_m, 4),
                "equivalent_m": round(one.equivalent_m, 4),
                "bore_mm": one.bore_mm,
                "roughness_mm": one.roughness_mm,
                "flow_kg_s": one.flow_m3_s * density,
                "flow_m3_h": one.flow_m3_s * 3600,
                "drop_pa": one.drop_pa,
                "velocity_m_s": one.velocity_m_s,
                "feeds": list(one.feeds),
                "fittings": dict(Counter(fitting.what for fitting in one.fittings)),
            }
            for one in net.sections
        ],
        "terminals": [
            {
                "station": one.station,
                "wanted": one.wanted_w,
                "assumed": one.assumed,
                "arriving_pa": one.arriving_pa,
                "alone_pa": one.alone_pa,
                "least_pa": one.least_pa,
                "margin_pa": one.margin_pa,
                "on": one.on,
            }
            for one in net.terminals
        ],
        "rules": {
            rule: {
                "sizes": {ident: str(pipe) if pipe else None for ident, pipe in sizes.items()},
                "metres": _metres(net, sizes),
            }
            for rule, sizes in by_rule.items()
        },
        "layouts": [
            {
                "layout": one.layout,
                "rule": one.rule,
                "metres": {pipe: round(length, 3) for pipe, length in one.metres},
                "fits": one.net.fits,
                "tightest": one.tight.station,
                "margin_pa": one.tight.margin_pa,
                "price": round(one.price, 3),
                "arriving_pa": {end.station: end.arriving_pa for end in one.net.terminals},
                "alone_pa": {end.station: end.alone_pa for end in one.net.terminals},
            }
            for one in options(net, catalogue, by_rule)
        ],
        "bends": asdict(bent) if (bent := bending(net, catalogue)) else None,
        "ladder": ladder(net, job, nets),
        "open": list(net.open),
    }


def _metres(net: GasNetwork, sizes: Any) -> dict[str, float]:
    """Pipe of each size that a rule asks for [m]."""
    found: dict[str, float] = {}
    for one in net.sections:
        pipe = sizes.get(one.id)
        if pipe is not None:
            found[str(pipe)] = round(found.get(str(pipe), 0.0) + one.length_m, 3)
    return found


def ladder(net: GasNetwork, job: Job, nets: Sequence[GasNetwork]) -> list[dict[str, Any]]:
    """The pressure from the source to each appliance, step by step [Pa gauge]: section by section with all on; rungs:
    with what stands before and behind the pipe, and its limits."""
    own, found = {one.id: one for one in net.sections}, []
    for end in net.terminals:
        at, steps = net.inlet_pa, []
        for ident in end.path:
            before, at = at, at - own[ident].drop_pa
            steps.append({"section": ident, "before_pa": round(before, 2), "after_pa": round(at, 2)})
        found.append(
            {
                "station": end.station,
                "least_pa": round(end.least_pa, 2),
                "steps": steps,
                "rungs": [{**asdict(rung), "holds": rung.holds} for rung in rungs(job, nets, net, end.station)],
            }
        )
    return found
