"""What each room gets from its emitters, of all circuits together, against what it was said to need."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from ...job.model import Job
from .sized import Heating


@dataclass(frozen=True, slots=True)
class RoomHeat:
    """A room that was said to need heat: need_w and given_w [W]; emitters: the stations that heat it."""

    room: str
    name: str
    room_c: float
    need_w: float
    given_w: float
    emitters: tuple[str, ...]

    @property
    def short(self) -> bool:
        return self.given_w < self.need_w - 1


def outputs_w(circuits: Iterable[Heating]) -> dict[str, float]:
    """What each station gives at its circuit's design temperatures [W]."""
    return {load.station: load.output_w for heating in circuits for load in heating.loads}


def rooms_heated(job: Job, given_w: Mapping[str, float]) -> list[RoomHeat]:
    """Rooms with a need [W], in the order of the house. given_w: station -> heat [W]; cylinders and mixing sets warm no
    room."""
    found = []
    for room in job.house.rooms:
        if not room.need_w:
            continue
        here = [
            one.id for one in job.stations if one.kind == "emitter" and one.data.room == room.id and one.id in given_w
        ]
        watts = sum(given_w[one] for one in here)
        found.append(RoomHeat(room.id, room.name, room.room_c, room.need_w, watts, tuple(here)))
    return found
