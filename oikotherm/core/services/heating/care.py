"""What a heating circuit asks of its owner: yearly care, and how to top it up."""

from __future__ import annotations

from datetime import date, timedelta

from ...layout import Layout
from ...practice import FILLING, chosen
from ...work.steps import Care, Reminder, months_on
from .sizing import heating_of

FINISH_DAYS = 14  # typ: until somebody asks about a radiator that hangs later


def care(design: Layout, start: date) -> Care:
    """The care of every circuit from a day on."""
    return Care(_reminders(design, start), _top_up(design))


def _reminders(design: Layout, start: date) -> tuple[Reminder, ...]:
    """Yearly care of the circuits from a day on: boiler service, vessel pre-charge, inhibitor test. Source: usual
    practice, typ."""
    due = months_on(start, 12)
    found = []
    for task in design.job.tasks:
        if task.answers.get("hangs_later") is True:
            soon = start + timedelta(days=FINISH_DAYS)
            found.append(
                Reminder(
                    f"Finish radiator {task.where}",
                    task.where,
                    soon,
                    0,
                    "its valves are shut and blanked",
                    f"finish/{task.where}",
                )
            )
    for heating in heating_of(design):
        if not heating.circuit.own:
            continue
        source = heating.circuit.source.id
        found.append(Reminder(f"Service {source}", source, due, 12, "by a licensed person", f"service/{source}"))
        if heating.vessel:
            bar = f"{heating.vessel.precharge_bar:.1f} bar"
            found.append(
                Reminder(
                    f"Check the vessel's pre-charge, {bar}",
                    source,
                    due,
                    12,
                    "cold, with the water side let down",
                    f"pre-charge/{source}",
                )
            )
        found.append(
            Reminder(
                f"Test the inhibitor of {source}",
                source,
                due,
                12,
                "a test strip in water from a low point",
                f"inhibitor/{source}",
            )
        )
    return tuple(found)


def _top_up(design: Layout) -> tuple[str, ...]:
    """How to top up, step by step, with this circuit's own pressures."""
    found = []
    for heating in heating_of(design):
        if heating.vessel is None:
            continue
        points = [
            f"on {node.run}"
            for key, node in design.pipework.nodes.items()
            if node.kind == "device" and node.part == "filling" and key in heating.circuit.nodes
        ]
        points += [
            station.id for station in heating.circuit.stations if station.kind == "filling" or station.brings.filling
        ]
        where = points[0] if points else "at the filling point"
        fill = f"until the gauge shows {heating.vessel.cold_fill_bar:.1f} bar"
        by_hose = chosen(design.job, FILLING)[0].id == "hose"
        found += [
            "Let it cool: pressure is read cold.",
            f"Fill a hose from the tap, join it to the filling point {where} without air in it, open slowly {fill}, "
            "shut both, and take the hose away."
            if by_hose
            else f"Open the filling point {where} slowly {fill}, then shut both its valves and take the hose off.",
            f"Hot it should stay below {heating.vessel.final_bar:.1f} bar; the safety valve lifts at "
            f"{heating.safety_bar:g} bar.",
            "If it has to be topped up more than twice a year, call: water is going somewhere.",
        ]
    return tuple(found)
