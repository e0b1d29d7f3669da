"""What the customer has to know: where it shuts off, how to top up, what comes round again."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date

from ..layout import Layout
from ..network.graph import CLOSES
from ..quantity import length_text
from ..services.rooms import rooms
from .records import Record, in_order
from .steps import Reminder, months_on
from .valves import Alone, shut_alone

ANY_DAY = date(2000, 1, 1)  # topping up does not hang on the day


def reminders(design: Layout, start: date, records: Sequence[Record] = ()) -> tuple[Reminder, ...]:
    """What comes round from a day on, for every service that has care; what was done since, by the records, is due
    from then."""
    again = {key: due for room in rooms().values() if room.renewed for key, due in room.renewed(records).items()}
    done = _done_on(records)
    found = []
    for one in (one for room in rooms().values() if room.care for one in room.care(design, start).reminders):
        if one.key and one.key in done:
            if not one.every_months:
                continue  # it was to be done once
            again[one.key] = months_on(done[one.key], one.every_months)
        found.append(replace(one, due=again.get(one.key, one.due)))
    return tuple(found)


def _done_on(records: Sequence[Record]) -> dict[str, date]:
    """Key of a reminder -> the day it was last done, by the records of care."""
    found: dict[str, date] = {}
    for record in in_order(records):
        if record.kind == "care":
            if record.body["done"]:
                found[record.key] = date.fromisoformat(record.made_at[:10])
            else:
                found.pop(record.key, None)
    return found


def top_up(design: Layout) -> tuple[str, ...]:
    """How to top up, step by step, for every service that is topped up."""
    return tuple(words for room in rooms().values() if room.care for words in room.care(design, ANY_DAY).top_up)


def shuts_off(design: Layout, valve: str) -> str:
    """What goes off with a valve, in words: ": shuts RNG, URN; relight RNG, URN"."""
    found = shut_alone(design).get(valve)
    return _said(found) if found is not None else ""


def _said(found: Alone) -> str:
    words = [f"shuts {', '.join(found.off)}"] if found.off else []
    words += [f"{found.litres:.1f} L stand behind it"] if found.litres >= 0.1 else []
    words += [f"relight {', '.join(found.dead)}"] if found.dead else []
    return f": {'; '.join(words)}" if words else ""


@dataclass(frozen=True, slots=True)
class ShutOff:
    """A place where the pipework is shut. service: "" for the valves of a station; valve: its key, "" for those; off:
    how many things it puts out of use; whole: whether it shuts all of its service."""

    service: str
    says: str
    valve: str = ""
    off: int = 0
    whole: bool = False


def shut_offs(design: Layout) -> tuple[str, ...]:
    """Where the pipework can be shut, in words: each valve, its run and how far along."""
    return tuple(one.says for one in shut_off_rows(design))


def shut_off_rows(design: Layout) -> tuple[ShutOff, ...]:
    """Where the pipework can be shut, by service, in the order of the runs."""
    found = []
    alone = shut_alone(design)
    for run in design.job.runs:
        if run.state == "remove":
            continue
        walked = 0.0
        lengths = design.pipework.runs[run.id].lengths
        for item in run.items:
            if item.kind == "leg":
                walked += lengths[item.id]
            elif item.kind == "device" and item.part in CLOSES:
                name = f" {item.name}" if item.name else ""
                key = f"{item.id}/device"
                shut = alone.get(key)
                title = design.context.catalogue.device_titles().get(item.part, f"{item.part} valve")
                says = (
                    f"{title}{name} on {run.id}, "
                    f"{length_text(walked, design.job.pace_unit, with_unit=True)} from {run.start}"
                    + (_said(shut) if shut else "")
                )
                off = len(shut.off) if shut else 0
                whole = shut is not None and run.service in shut.whole
                found.append(ShutOff(run.service, says, key, off, whole))
    for station in design.job.stations:
        kits = [
            part.part
            for port in station.ports
            for part in port.kit
            if (row := design.context.catalogue.kits.get(part.part)) and row.acts
        ]
        if kits and station.state != "remove":
            found.append(ShutOff("", f"{station.id}: its valve and its lockshield"))
    return tuple(found)
