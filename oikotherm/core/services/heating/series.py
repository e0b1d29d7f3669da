"""Generic emitters by series: what a radiator of a type and size gives at 50 K, and the water it holds (typ)."""

from __future__ import annotations

import functools
import re
from dataclasses import dataclass

from ...errors import Refused, nearest
from ...quantity import number
from ...tables import read_rows

PANEL = re.compile(
    r"(?:type\s*)?(\d\d|[23]-column|rail-\d{3}|convector|baseboard|floor)\s+(\d{3,4})(?:\s*x\s*(\d{1,4}(?:[.,]\d)?))?",
    re.IGNORECASE,
)
FLOOR_BODY_MM = (100.0, 60.0, 40.0)
"""What a floor loop shows: the two ends that come up."""


@dataclass(frozen=True, slots=True)
class Emitter:
    """An emitter of a series: output [W] at rated_at_k between water and room, water [L], exponent, body [mm]. loop_m:
    pipe laid in a floor."""

    series: str
    height_mm: float
    width_mm: float
    output_w: float
    litres: float
    exponent: float
    source: str
    rated_at_k: float = 50.0
    loop_m: float | None = None


@functools.cache
def _rows() -> tuple[dict[str, str], ...]:
    return tuple(read_rows(__package__, "emitter_series.csv"))


def emitter_of(said: str) -> Emitter:
    """Read "22 600x1000" (panels, convectors, baseboard: mm long), "3-column 1800x6" (elements), "rail-500 1200", or
    "floor 150x12" (a loop at 150 mm spacing in 12 m2). Raises Refused with what there is.

    >>> emitter_of("22 600x1000").output_w
    1720.0
    """
    found = PANEL.fullmatch(said.strip())
    if not found:
        raise Refused("emitter", said, "a series, its height, and its length in mm or its elements", "22 600x1000")
    series, height = found[1].lower(), found[2]
    row = next((r for r in _rows() if r["series"] == series and r["height_mm"] == height), None)
    if row is None:
        known = [f"{r['series']} {r['height_mm']}" for r in _rows()]
        raise Refused(
            "emitter", said, f"a series and height such as {nearest(f'{series} {height}', known)}", "22 600x1000"
        )
    if row["unit"] != "piece" and not found[3]:
        raise Refused(
            "emitter",
            said,
            "how long it is in mm, how many elements, or how many m2 of floor",
            f"{series} {height}x{ {'m': '1000', 'm2': '12'}.get(row['unit'], '6') }",
        )
    size = number(found[3] or "1", "emitter", "whole millimetres or elements", "22 600x1000")
    if row["unit"] == "m2":
        return _floor(said, row, size)
    if "." in (found[3] or "").replace(",", "."):
        raise Refused("emitter", said, "whole millimetres or elements", "22 600x1000")
    count = size / 1000 if row["unit"] == "m" else size if row["unit"] == "element" else 1.0
    if not 0 < count <= 60 or (row["unit"] == "m" and not 0.3 <= count <= 3.0):
        raise Refused("emitter", said, "a panel of 300 to 3000 mm, or 1 to 60 elements", "22 600x1000")
    width = (
        size
        if row["unit"] == "m"
        else 45.0 * count
        if row["unit"] == "element"
        else float(series.removeprefix("rail-"))
    )
    return Emitter(
        series,
        float(height),
        width,
        round(float(row["w_per_m"]) * count, 1),
        round(float(row["litres_per_m"]) * count, 2),
        float(row["exponent"]),
        row["source"],
        float(row["rated_at_k"]),
    )


def _floor(said: str, row: dict[str, str], area_m2: float) -> Emitter:
    """A loop in a floor: pipe by area and spacing; its water is that of the pipe it is joined with."""
    if not 1 <= area_m2 <= 40:
        raise Refused("emitter", said, "a floor of 1 to 40 m2 on one loop", f"floor {row['height_mm']}x12")
    spacing_m = float(row["height_mm"]) / 1000
    watts = round(float(row["w_per_m"]) * area_m2, 1)
    width, height, _ = FLOOR_BODY_MM
    return Emitter(
        "floor",
        height,
        width,
        watts,
        0.0,
        float(row["exponent"]),
        row["source"],
        float(row["rated_at_k"]),
        round(area_m2 / spacing_m, 1),
    )
