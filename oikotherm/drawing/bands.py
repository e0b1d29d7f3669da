"""How far the end of a floating leg may be shifted, drawn beside the pipe."""

from __future__ import annotations

import math
from collections.abc import Callable

from ..core.job.model import Leg
from ..core.job.ways import Vec
from ..core.pipework.walk import RunTrace
from ..core.quantity import PaceUnit, length_text
from .scene import XY, Stroke

OFF = 9.0
TICK = 3.0


def band_strokes(trace: RunTrace, at: Callable[[Vec], XY], unit: PaceUnit) -> list[Stroke]:
    """A bar along each floating leg's end as long as its band, a tick at each end, and a longer one where it stands.
    at: place in the house [mm] -> on the sheet."""
    legs = {item.id: item for item in trace.run.items if isinstance(item, Leg) and item.band_mm}
    found = []
    for move in trace.moves:
        leg = legs.get(move.item)
        if leg is None or leg.band_mm is None:
            continue
        said = move.b.plus(move.way, -leg.shift_mm)
        (ax, ay), (bx, by) = (at(said.plus(move.way, side * leg.band_mm)) for side in (-1, 1))
        length = math.hypot(bx - ax, by - ay)
        if length < 1:
            continue
        nx, ny = -(by - ay) / length, (bx - ax) / length
        title = f"may be shifted by {length_text(leg.band_mm, unit, with_unit=True)} either way"
        ends = [(x + nx * OFF, y + ny * OFF) for x, y in ((ax, ay), (bx, by))]
        bars = [(ends[0], ends[1])]
        bars += [((x - nx * TICK, y - ny * TICK), (x + nx * TICK, y + ny * TICK)) for x, y in ends]
        x, y = at(move.b)
        bars.append(((x + nx * (OFF - 5), y + ny * (OFF - 5)), (x + nx * (OFF + TICK), y + ny * (OFF + TICK))))
        found += [Stroke(points, "band", "", leg.id, trace.run.id, title) for points in bars]
    return found
