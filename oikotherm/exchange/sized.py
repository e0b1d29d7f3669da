"""A service's sizes as every service gives them: what `size --service` prints and the common part of the page shows."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from ..core.network.sized import Sized


def sized_row(sized: Sized) -> dict[str, Any]:
    """A service's networks as JSON: {service, supplies, sections, terminals, open}."""
    return {
        "service": sized.service,
        "supplies": [asdict(one) for one in sized.supplies],
        "sections": [
            {
                "id": one.id,
                "run": one.run,
                "role": one.role,
                "pipe": str(one.pipe),
                "length_m": round(one.length_m, 3),
                "bore_mm": one.bore_mm,
                "roughness_mm": one.roughness_mm,
                "flow_kg_s": one.flow_kg_s,
                "velocity_m_s": one.drop.velocity_m_s,
                "drop_pa": one.drop_pa,
                "fittings": [
                    {"title": local.title, "k": local.k, "kv": local.kv, "drop_pa": local.drop_pa}
                    for local in one.locals
                ],
                "over": list(one.over),
                "working": [step.as_dict() for step in one.worked.steps],
            }
            for one in sized.sections
        ],
        "terminals": [
            {name: value for name, value in asdict(one).items() if name != "path"} for one in sized.terminals
        ],
        "open": list(sized.open),
    }
