"""Clips and holes: how far apart, how many, and what a joist allows."""

from __future__ import annotations

import csv
import functools
import math
from dataclasses import dataclass
from importlib import resources
from typing import Literal

from ..catalogue import Catalogue
from ..errors import Refused
from ..job.model import Pipe

BEND_MM = 150.0  # a clip within this of every change of direction
DEEPEST_MM = 250.0  # British practice: deeper joists count as this
APART_HOLES = 3.0


@dataclass(frozen=True, slots=True)
class Clips:
    """A straight of pipe clipped: at_mm from its start, evenly; every_mm apart, never more than spacing_mm."""

    spacing_mm: float
    count: int
    every_mm: float
    at_mm: tuple[float, ...]
    source: str


@functools.cache
def _spacings() -> tuple[tuple[str, float, float, float, str], ...]:
    text = resources.files("oikotherm.core.catalogue").joinpath("data", "supports.csv").read_text("utf-8")
    return tuple(
        (r["material"], float(r["od_up_to_mm"]), float(r["horizontal_m"]), float(r["vertical_m"]), r["source"])
        for r in csv.DictReader(text.splitlines())
    )


def clips(
    catalogue: Catalogue,
    pipe: Pipe,
    length_mm: float,
    direction: Literal["horizontal", "vertical"],
    spacing_mm: float | None = None,
) -> Clips:
    """Clips of a straight between two changes of direction: one within 150 mm of each end, evenly between. Raises Refused.

    spacing_mm overrides the table of typical distances.
    """
    row, system = catalogue.pipe(pipe.code, pipe.size), catalogue.systems.get(pipe.code)
    if not 0 < length_mm <= 1e6:
        raise Refused("length", length_mm, "a length above 0", "3000")
    if row is None or system is None or row.od_mm is None:
        raise Refused("pipe", str(pipe), "a pipe with an outside diameter", "cu-m 22")
    source = "said"
    if spacing_mm is None:
        found = next((one for one in _spacings() if one[0] == system.material and row.od_mm <= one[1]), None)
        if found is None:
            raise Refused(
                "pipe", str(pipe), "a pipe the table of distances holds, or a distance of your own", "spacing 1200"
            )
        spacing_mm, source = (found[2] if direction == "horizontal" else found[3]) * 1000, found[4]
    if spacing_mm <= 0:
        raise Refused("spacing", spacing_mm, "a distance above 0", "1200")
    if length_mm <= 2 * BEND_MM:
        return Clips(spacing_mm, 1, 0.0, (round(length_mm / 2, 1),), source)
    between = length_mm - 2 * BEND_MM
    gaps = max(1, math.ceil(between / spacing_mm - 1e-9))
    every = between / gaps
    return Clips(spacing_mm, gaps + 1, every, tuple(round(BEND_MM + every * n, 1) for n in range(gaps + 1)), source)


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

    British and continental practice, solid timber: holes on the centre line between 0.25 and 0.4 of the span, at most 0.25 of the
    depth; notches between 0.07 and 0.25 of the span, at most 0.125 of the depth; depths over 250 mm count as 250. North American:
    holes at most a third of the depth and 2 in from the edges; notches a sixth, none in the middle third. I-joists and trusses by
    the maker's drawing only. A pipe within 32 mm of a nailed edge wants a steel plate. from_edge_mm: edge to the hole's centre.
    """  # fmt: skip
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
