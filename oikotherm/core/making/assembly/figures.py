"""Sums of assembly by themselves: the swing of a fitting that is turned, the longest piece that can be brought in."""

from __future__ import annotations

import math
from typing import Literal

from ...catalogue import Catalogue, Thread
from ...errors import Refused
from ...job.model import Pipe
from ...working import Step

Far = Literal["none", "elbow", "tee"]
BEADS_MM = ((22.0, 4.0), (27.0, 5.0), (math.inf, 6.0))  # OD of the pipe up to -> bead of the fitting (typ 4 to 6)


def swing_mm(catalogue: Catalogue, pipe: Pipe, leg_mm: float | None, far: Far) -> tuple[float, tuple[Step, ...]]:
    """How far an elbow or a tee reaches while it is turned on a thread [mm], with the working.

    Bare: A + bead. With pipe in it whose end is bare: cut length + A - made-up (leg_mm is the cut). With a fitting at
    the pipe's far end: leg centre to centre + that fitting's A. Source: geometry; bead typ. Raises Refused: pipe that
    is not threaded, a fitting at the end of no leg.
    """
    row, size = catalogue.method_figures(pipe.code, pipe.size, "thread"), catalogue.pipe(pipe.code, pipe.size)
    if not isinstance(row, Thread) or row.elbow_a_mm is None or size is None or not size.od_mm:
        raise Refused("pipe", str(pipe), "threaded pipe whose fittings have measures", "fe-40 1/2")
    if leg_mm is not None and not 0 < leg_mm <= 1e5:
        raise Refused("leg", leg_mm, "a length above 0 and up to 100 m", "300")
    if leg_mm is None and far != "none":
        raise Refused("far", far, "a leg for the fitting at its end", "none")
    a = row.elbow_a_mm
    if leg_mm is None:
        bead = next(bead for most, bead in BEADS_MM if size.od_mm <= most)
        radius = a + bead
        step = Step("swing = A + bead", (("A_mm", a), ("bead_mm", bead)), radius, "mm", "bead typ")
    elif far == "none":
        radius = leg_mm + a - row.made_up_mm
        inputs = (("cut_mm", leg_mm), ("A_mm", a), ("made_up_mm", row.made_up_mm))
        step = Step("swing = cut + A - made-up", inputs, radius, "mm", "geometry")
    else:
        radius = leg_mm + a
        step = Step("swing = leg + A of the far fitting", (("leg_mm", leg_mm), ("A_mm", a)), radius, "mm", "geometry")
    return radius, (step,)


def longest_in_mm(length_mm: float, width_mm: float, height_mm: float, slope_deg: float) -> tuple[float, float]:
    """The longest straight piece that comes up through a hatch, and how steep it stands where it is tightest [mm, deg].

    hatch length x width, the space above it so high at the hatch's edge; slope_deg: how fast its ceiling falls the way
    the piece goes, 0 level. A thin stick in the upright plane over the hatch's diagonal d touches the trimmer below,
    the edge it goes over, and the ceiling: d / cos t + height / (sin t + cos t tan slope), least over t. Level that is
    (d^(2/3) + height^(2/3))^(3/2), the ladder round a corner. Raises Refused out of range.
    """
    for name, value, most in (("length", length_mm, 1e5), ("width", width_mm, 1e5), ("height", height_mm, 1e5)):
        if not 0 < value <= most:
            raise Refused(name, value, "a measure above 0 and up to 100 m", "600")
    if not 0 <= slope_deg <= 75:
        raise Refused("slope", slope_deg, "0 to 75 degrees, how fast the ceiling falls away from the hatch", "0")
    across, fall = math.hypot(length_mm, width_mm), math.tan(math.radians(slope_deg))

    def reach(t: float) -> float:
        return across / math.cos(t) + height_mm / (math.sin(t) + math.cos(t) * fall)

    low, high = 0.0, math.pi / 2 - 1e-9
    for _ in range(200):  # the sum has one least
        one, other = low + (high - low) / 3, high - (high - low) / 3
        low, high = (low, other) if reach(one) <= reach(other) else (one, high)
    t = (low + high) / 2
    return reach(t), math.degrees(t)
