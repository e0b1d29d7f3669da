"""The dry-fit ruler: where the fittings of a threaded line stand hand-tight, and where once they are made up."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..catalogue import Catalogue, Thread
from ..errors import Refused
from ..job.model import Pipe
from ..job.ways import Vec


@dataclass(frozen=True, slots=True)
class Stand:
    """A fitting of a threaded line along it [mm from its start]: made up as paced, and hand-tight."""

    title: str
    made_up_mm: float
    hand_tight_mm: float

    @property
    def too_far_mm(self) -> float:
        """How far a hole marked from the dry fit would lie beyond."""
        return round(self.hand_tight_mm - self.made_up_mm, 4)


def gain_mm(catalogue: Catalogue, pipe: Pipe) -> float:
    """How much longer a threaded joint stands hand-tight than made up [mm]: made-up less hand-tight engagement (ASME
    B1.20.1; ISO 7-1). Raises Refused: pipe that is not threaded."""
    row = catalogue.method_figures(pipe.code, pipe.size, "thread")
    if not isinstance(row, Thread):
        raise Refused("pipe", str(pipe), "threaded pipe", "fe-40 3/4")
    return row.made_up_mm - row.hand_tight_mm


def stands(gain: float, legs: Sequence[tuple[float, str]], start_joint: bool = True) -> tuple[Stand, ...]:
    """The fittings at the ends of legs in one line: (centre to centre [mm], what stands at its end). Each leg has a
    joint at both ends; start_joint: whether the first has one at its start, too, as in a fitting, not from a vice."""
    made = hand = 0.0
    found = []
    for n, (centres_mm, title) in enumerate(legs):
        made += centres_mm
        hand += centres_mm + (2 if n or start_joint else 1) * gain
        found.append(Stand(title, round(made, 4), round(hand, 4)))
    return tuple(found)


@dataclass(frozen=True, slots=True)
class Place:
    """A fitting in the house [mm]: made up, and how far from there it stands hand-tight, by axis."""

    key: str
    title: str
    at: Vec
    off: Vec


def places(nodes: Sequence[tuple[str, str, Vec]], joins: Sequence[tuple[str, str, Vec, float]]) -> tuple[Place, ...]:
    """Where the fittings of a threaded tree stand hand-tight. nodes: (key, title, place), the first is held; joins:
    (from, to, way, by how much the pipe between is longer hand-tight [mm])."""
    off = {nodes[0][0]: Vec(0, 0, 0)} if nodes else {}
    waiting = list(joins)
    while waiting:
        later = []
        for one in waiting:
            a, b, way, longer = one
            if a in off and b not in off:
                off[b] = off[a].plus(way, longer)
            elif b in off and a not in off:
                off[a] = off[b].plus(way, -longer)
            elif a not in off:
                later.append(one)
        if len(later) == len(waiting):
            break
        waiting = later
    return tuple(Place(key, title, at, off[key]) for key, title, at in nodes if key in off)
