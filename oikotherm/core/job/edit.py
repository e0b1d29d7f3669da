"""What an act works on: the job before it, what its lines are read by, and the job checked as a whole after it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ..catalogue import Catalogue
from ..errors import Refused, nearest
from ..memory import Memory
from .document import read_as
from .model import Item, Job, Run, Station
from .words import Style


@dataclass(frozen=True, slots=True)
class Edit:
    """What a command works on."""

    job: Job
    catalogue: Catalogue
    """The one in force for the job."""
    memory: Memory

    @property
    def style(self) -> Style:
        return Style(self.catalogue, self.job.practice, self.job.pace_unit)

    @property
    def ports(self) -> dict[str, list[str]]:
        """The names of the ports of each station."""
        return {station.id: [port.name for port in station.ports] for station in self.job.stations}

    def run(self, id_: str) -> Run:
        run = self.job.run(id_)
        if run is None:
            raise Refused(
                "run", id_, f"a run of this job such as {nearest(id_, (run.id for run in self.job.runs))}", "F1"
            )
        return run

    def station(self, id_: str) -> Station:
        station = self.job.station(id_)
        if station is None:
            raise Refused("station", id_, f"a station such as {nearest(id_, (s.id for s in self.job.stations))}", "BLR")
        return station

    def item(self, run: Run, id_: str) -> Item:
        found = next((item for item in run.items if item.id == id_), None)
        if found is None:
            raise Refused("item", id_, f"an item of {run.id}", run.items[0].id if run.items else "")
        return found


def anchors(job: Job) -> set[str]:
    """Everything a run can start from or end at: ports, tees and points."""
    found = {f"{station.id}.{port.name}" for station in job.stations for port in station.ports}
    found.update(f"{run.id}.{name}" for run in job.runs for name in job.points_of(run.id))
    return found


def checked(job: Job, **changes: Any) -> Job:
    """The job with parts replaced, checked as a whole. Parts are models already: only what binds them is checked
    again."""
    fields = {name: getattr(job, name) for name in Job.model_fields}
    return read_as(Job, {**fields, **changes})


def with_run(job: Job, run: Run, old_id: str | None = None, **changes: Any) -> Job:
    old_id = old_id or run.id
    if job.run(old_id):
        runs = tuple(run if other.id == old_id else other for other in job.runs)
    else:
        runs = (*job.runs, run)
    return checked(job, runs=runs, **changes)
