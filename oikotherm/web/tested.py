"""What is kept of a test: what was tested, with what, and how its joints were made then."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from ..core.errors import Refused
from ..core.quantity import PA_PER_BAR, parse
from ..core.work.records import joint_states
from ..core.work.sections import SectionProof, rig_of
from ..core.work.steps import TestRule
from .frame import Frame


def body_of(
    frame: Frame,
    shown: SectionProof,
    rule: TestRule,
    variant: str,
    gauge: Any,
    records: list[Any],
    readings: str,
    form: Mapping[str, str],
) -> dict[str, Any]:
    """The body of a test's record: what was tested, with what, and how its joints were made then. form: medium, stage
    and let-by check as typed. Raises Refused."""
    medium = shown.kind.medium_of(frame.design, shown.section, form.get("medium", ""), variant)
    let_by = [form.get(name, "").strip() for name in ("let_by_start", "let_by_end")]
    if any(let_by) and not all(let_by):
        raise Refused("let-by", " ".join(let_by), "both readings of the let-by check, a minute apart", "8.0 and 8.0")
    let_by_pa = [parse(one, "pressure", "mbar", field="let-by") for one in let_by] if all(let_by) else None
    section = shown.section
    straights, catalogue = frame.design.pipework.straights, frame.design.context.catalogue
    sizes = (catalogue.pipe(straights[key].pipe.code, straights[key].pipe.size) for key in section.straights)
    largest = max((row.od_mm for row in sizes if row and row.od_mm), default=0.0)
    dry = [key for key, state in joint_states(records).items() if state.yes("dry")]
    range_bar = gauge.get("range_bar") or 0.0
    rig = rig_of(section, shown.kind, rule, gauge["resolution_bar"] * PA_PER_BAR, range_bar * PA_PER_BAR, dry)
    return {
        "section": section.key,
        "spec": shown.kind.id,
        "medium": medium,
        "target_pa": rule.target_pa,
        "gauge": {
            "name": gauge["name"],
            "resolution_pa": gauge["resolution_bar"] * PA_PER_BAR,
            "range_pa": range_bar * PA_PER_BAR,
            "calibrated_on": gauge["calibrated_on"],
            "due_on": gauge["due_on"],
        },
        "joints": dict(section.joints),
        "volume_l": round(rule.volume_l, 3),
        "unit": rule.unit,
        "readings": readings,
        "rig": asdict(rig),
        **({"variant": variant, "largest_mm": largest} if variant else {}),
        **({"stage": stage} if (stage := form.get("stage", "")) in ("first", "final") else {}),
        **({"let_by_pa": let_by_pa} if let_by_pa else {}),
    }
