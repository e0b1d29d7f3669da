"""What a job says of its joints, and what decides one beside the pipe it is on."""

from __future__ import annotations

from dataclasses import dataclass

from ..catalogue import End
from ..job.model import Job
from ..job.ways import Vec, inside
from ..practice import METAL_JOINING, MULTILAYER, TURNS, chosen
from .law import HIDDEN, Question


@dataclass(frozen=True, slots=True)
class Here:
    """What decides a joint beside the pipe: what runs through it, where it lies, whether a flame is allowed. place "":
    in view."""

    service: str
    role: str
    place: str
    flame: bool

    @property
    def hidden(self) -> bool:
        """Whether it lies behind a finish."""
        return self.place in HIDDEN

    def question(self, practice: str, a: End, b: End | None, method: str = "") -> Question:
        """What the law is asked about a joint here."""
        return Question(a, b, self.service, practice, method, self.role, self.place, not self.hidden, self.flame)


NOWHERE = Here("", "", "", True)


class Choices:
    """What a job says of joints and bends wherever they are: the methods its practice takes first, those set by hand
    (override: fitting -> method), the parts chosen by hand (chain: fitting -> ids), rooms without a flame, the largest
    pipe it bends."""

    def __init__(self, job: Job) -> None:
        self.practice = job.practice
        self.preferred = chosen(job, METAL_JOINING)[0].acts
        multilayer = chosen(job, MULTILAYER)[0].acts
        self.order = (*self.preferred, *(method for method in multilayer if method not in self.preferred))
        self.override = {row.target: str(row.value) for row in job.overrides if row.field == "method"}
        self.chain = {row.target: str(row.value) for row in job.overrides if row.field == "chain"}
        self.bent_up_to_mm = float(chosen(job, TURNS)[0].acts[0])
        self.flameless = [room for room in job.house.rooms if not room.flame_allowed]
        self._floors = {level.id: level.floor_mm for level in job.house.levels}

    def flame(self, at: Vec) -> bool:
        """Whether a flame may be lit at a place."""
        for room in self.flameless:
            floor = self._floors.get(room.level, 0.0)
            if floor - 500 <= at.z <= floor + 4000 and inside(room.outline, at.x, at.y):
                return False
        return True
