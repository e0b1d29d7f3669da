"""What fresh water asks of its owner: heaters, vessels and softeners looked after, backflow assemblies tested."""

from __future__ import annotations

import functools
from datetime import date

from ...layout import Layout
from ...tables import read_rows
from ...work.steps import Care, Reminder, months_on
from .assemblies import reminders


@functools.cache
def _rows() -> tuple[dict[str, str], ...]:
    return tuple(read_rows(__package__, "care.csv"))


def care(design: Layout, start: date) -> Care:
    """The care of all that stays in the water from a day on. A vessel of a heating circuit is that circuit's."""
    found = [
        Reminder(
            row["says"].format(station=station.id),
            station.id,
            months_on(start, int(row["every_months"])),
            int(row["every_months"]),
            row["why"],
            f"{row['id']}/{station.id}",
            row["by"] == "owner",
        )
        for station in design.job.stations
        for row in _rows()
        if row["kind"] == station.kind
        and station.state != "remove"
        and (station.kind != "vessel" or {port.role for port in station.ports} & {"cold", "hot"})
    ]
    return Care((*found, *reminders(design, start)))
