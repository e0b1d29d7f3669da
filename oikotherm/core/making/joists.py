"""What a joist allows: holes and notches by practice."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from ..errors import Refused

DEEPEST_MM = 250.0  # British practice: deeper joists count as this


@dataclass(frozen=True, slots=True)
class HoleVerdict:
    """Whether a joist takes a hole or notch there; reasons in words; most_mm: the largest allowed there."""

    allowed: bool
    most_mm: float
    reasons: tuple[str, ...]
    plate: bool


def joist_hole(
    practice: str,
    kind: Literal["hole", "notch"],
    depth_mm: float,
    span_mm: float,
    from_bearing_mm: float,
    size_mm: float,
    from_edge_mm: float | None = None,
    joist: str = "solid",
) -> HoleVerdict:
    """Judge a hole (its diameter) or a notch (its depth) in a joist. Raises Refused for measures that cannot be.

    British and continental practice, solid timber: holes on the centre line between 0.25 and 0.4 of the span, at most
    0.25 of the
    depth; notches between 0.07 and 0.25 of the span, at most 0.125 of the depth; depths over 250 mm count as 250. North
    American: holes at most a third of the depth and 2 in from the edges; notches a sixth, none in the middle third.
    I-joists and trusses by the maker's drawing only. A pipe within 32 mm of a nailed edge wants a steel plate.
    from_edge_mm: edge to the hole's centre.
    """
    for name, value in (("depth", depth_mm), ("span", span_mm), ("size", size_mm)):
        if not 0 < value <= 20_000:
            raise Refused(name, value, "a measure above 0", "200")
    if not 0 <= from_bearing_mm <= span_mm:
        raise Refused(
            "from_bearing", from_bearing_mm, f"a place from 0 to {span_mm:g} along the span", f"{span_mm * 0.3:.0f}"
        )
    edge = depth_mm / 2 if from_edge_mm is None else from_edge_mm
    near = min(from_bearing_mm, span_mm - from_bearing_mm) / span_mm
    reasons: list[str] = []
    if joist != "solid":
        return HoleVerdict(False, 0.0, (f"a {joist} is cut by its maker's drawing only",), False)
    american = practice == "north-american"
    counted = depth_mm if american else min(depth_mm, DEEPEST_MM)
    if kind == "hole":
        most = counted / 3 if american else counted * 0.25
        if not american and not 0.25 <= near <= 0.4:
            reasons.append(f"holes lie between 0.25 and 0.4 of the span from a bearing; this is at {near:.2f}")
        if not american and abs(edge - depth_mm / 2) > 5:
            reasons.append("holes lie on the centre line")
        if american and min(edge, depth_mm - edge) - size_mm / 2 < 50.8:
            reasons.append("holes stay 2 in from the edges")
    else:
        most = counted / 6 if american else counted * 0.125
        if american and near > 1 / 3:
            reasons.append("no notch in the middle third of the span")
        if not american and not 0.07 <= near <= 0.25:
            reasons.append(f"notches lie between 0.07 and 0.25 of the span from a bearing; this is at {near:.2f}")
    if size_mm > most + 1e-9:
        reasons.append(f"{size_mm:g} mm is more than the {most:.0f} mm allowed in a joist of {depth_mm:g} mm")
    plate = kind == "notch" or min(edge, depth_mm - edge) - size_mm / 2 < 32
    return HoleVerdict(not reasons, most, tuple(reasons), plate)
