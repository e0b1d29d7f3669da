"""The readings of a kept test as a plot: for the pack as a page and as PDF."""

from __future__ import annotations

from ..core.errors import Refused
from ..core.quantity import pressure_said
from ..core.work.readings import kept_in, read_readings
from ..core.work.records import Record
from ..core.work.standing import verdict_of
from ..drawing.trace import Plot, plot

MOST_DRAWN = 400  # readings of a test in its chart


def plot_of(record: Record) -> Plot | None:
    """The plot of a record of a test; None where its readings cannot be read or are fewer than two."""
    unit = str(record.body.get("unit", "bar"))
    asked = record.body.get("asked") or record.body.get("rig")
    if record.kind != "test" or not isinstance(asked, dict):
        return None
    try:
        readings = read_readings(str(record.body.get("readings", "")), kept_in(unit))
    except Refused:
        return None
    if len(readings) < 2:
        return None
    step = max(len(readings) // MOST_DRAWN, 1)
    start = readings[0].at
    points = [((one.at - start).total_seconds() / 60, one.pressure_pa) for one in readings[::step]]
    settle = float(asked.get("settle_min", 0.0))
    begun = next((pa for minute, pa in points if minute >= settle), points[0][1])
    band = begun - verdict_of(record).permitted_pa, begun
    stretches = [(minute, pa, pa, pa) for minute, pa in points]
    return plot(stretches, band, settle, float(asked.get("hold_min", 0.0)), lambda pa: pressure_said(pa, unit))
