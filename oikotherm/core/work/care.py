"""What the customer has to know: where it shuts off, how to top up, what comes round again."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from ..design import Design
from ..practice import FILLING, chosen
from ..quantity import length_text


@dataclass(frozen=True, slots=True)
class Reminder:
    """Something that comes round: first due on that day, then every so many months."""

    title: str
    station: str
    due: date
    every_months: int
    why: str


def reminders(design: Design, start: date) -> tuple[Reminder, ...]:
    """Yearly care of the circuits from a day on: boiler service, vessel pre-charge, inhibitor test. Source: usual practice, typ."""
    due = date(start.year + 1, start.month, min(start.day, 28))
    found = []
    for heating in design.heating:
        if not heating.circuit.own:
            continue
        source = heating.circuit.source.id
        found.append(Reminder(f"Service {source}", source, due, 12, "by a licensed person"))
        if heating.vessel:
            bar = f"{heating.vessel.precharge_bar:.1f} bar"
            found.append(
                Reminder(f"Check the vessel's pre-charge, {bar}", source, due, 12, "cold, with the water side let down")
            )
        found.append(
            Reminder(f"Test the inhibitor of {source}", source, due, 12, "a test strip in water from a low point")
        )
    return tuple(found)


def shut_offs(design: Design) -> tuple[str, ...]:
    """Where the pipework can be shut, in words: each valve, its run and how far along."""
    found = []
    for run in design.job.runs:
        if run.state == "remove":
            continue
        walked = 0.0
        lengths = design.pipework.runs[run.id].lengths
        for item in run.items:
            if item.kind == "leg":
                walked += lengths[item.id]
            elif item.kind == "device" and item.part in ("iso", "gate"):
                name = f" {item.name}" if item.name else ""
                found.append(
                    f"{item.part} valve{name} on {run.id}, {length_text(walked, design.job.pace_unit, with_unit=True)} from {run.start}"
                )
    for station in design.job.stations:
        kits = [
            part.part for port in station.ports for part in port.kit if "trv" in part.part or "lockshield" in part.part
        ]
        if station.kind == "emitter" and kits and station.state != "remove":
            found.append(f"{station.id}: its valve and its lockshield")
    return tuple(found)


def top_up(design: Design) -> tuple[str, ...]:
    """How to top up, step by step, with this circuit's own pressures."""
    found = []
    for heating in design.heating:
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
            f"Fill a hose from the tap, join it to the filling point {where} without air in it, open slowly {fill}, shut both, and take the hose away."
            if by_hose
            else f"Open the filling point {where} slowly {fill}, then shut both its valves and take the hose off.",
            f"Hot it should stay below {heating.vessel.final_bar:.1f} bar; the safety valve lifts at {heating.safety_bar:g} bar.",
            "If it has to be topped up more than twice a year, call: water is going somewhere.",
        ]
    return tuple(found)
