"""Small assemblies for tests: put together from legs, fittings and walls, by hand or at random."""

from __future__ import annotations

import random
from typing import Any

from oikotherm.core.job.ways import DIRECTIONS, Vec
from oikotherm.core.making.assembly.model import Assembly, AssemblyJoint, Capsule, Hole, Part, Slab, Solid, Tool

PIPE_R, BODY_R, ARM = 11.0, 17.0, 33.0  # 1/2 steel: pipe, bead of a fitting, centre to face
DEPTH = 14.0
WRENCH = Tool("wrench", 250.0, 12.0, 30.0, 40.0)
JAW = Tool("jaw", 150.0, 30.0)


class Builder:
    """Parts and joints as they are added. A fitting has arms of 33 mm; a pipe begins where the arm's face is."""

    def __init__(self) -> None:
        self.parts: list[Part] = []
        self.joints: list[AssemblyJoint] = []
        self.solids: list[Solid] = []
        self.slabs: list[Slab] = []

    def fitting(self, key: str, at: Vec, ways: str, *, fixed: bool = False, arm: float = ARM) -> str:
        """A fitting with arms, ways by letters with blanks: "N E"."""
        arms = tuple(Capsule(at, at.plus(DIRECTIONS[way], arm - BODY_R), BODY_R) for way in ways.split())
        self.parts.append(Part(key, key, arms, fixed))
        return key

    def pipe(self, key: str, a: Vec, b: Vec, *, fixed: bool = False) -> str:
        self.parts.append(Part(key, key, (Capsule(a, b, PIPE_R),), fixed))
        return key

    def joint(self, a: str, b: str, at: Vec, way: str, kind: str = "thread", **more: Any) -> str:
        """A joint out of a into b, the way b lies."""
        key = f"{a}-{b}"
        depth = more.pop("depth", DEPTH if kind != "face" else 4.0)
        self.joints.append(AssemblyJoint(key, key, a, b, kind, at, DIRECTIONS[way], depth, **more))  # type: ignore[arg-type]
        return key

    def leg(self, fitting: str, at: Vec, way: str, length: float, then: str, turns: str = "", **more: Any) -> Vec:
        """A pipe from a fitting, and the next fitting at its end with an arm back and arms on; gives its centre."""
        d = DIRECTIONS[way]
        end = at.plus(d, length)
        into = ARM - DEPTH + PIPE_R  # the round end of the capsule comes to the end of the pipe
        pipe = self.pipe(f"{fitting}>{then}", at.plus(d, into), end.plus(d, -into))
        back = {"N": "S", "S": "N", "E": "W", "W": "E", "U": "D", "D": "U"}[way]
        self.fitting(then, end, f"{back} {turns}".strip(), fixed=more.pop("fixed", False))
        kinds = more.pop("kinds", ("thread", "thread"))
        self.joint(fitting, pipe, at.plus(d, ARM), way, kinds[0], **more)
        self.joint(pipe, then, end.plus(d, -ARM), way, kinds[1], **more)
        return end

    def wall(self, low: tuple[float, float, float], high: tuple[float, float, float], title: str = "wall") -> None:
        self.solids.append(Solid(Vec(*low), Vec(*high), title))

    def plate(self, low: Any, high: Any, normal: int, *holes: tuple[Any, float]) -> None:
        bores = tuple(Hole(Vec(*at), radius) for at, radius in holes)
        self.slabs.append(Slab(Vec(*low), Vec(*high), normal, bores, "plate"))

    def made(self) -> Assembly:
        return Assembly(tuple(self.parts), tuple(self.joints), tuple(self.solids), tuple(self.slabs))


BACK = {"N": "S", "S": "N", "E": "W", "W": "E", "U": "D", "D": "U"}


def at_random(seed: int) -> Assembly:
    """Up to seven joints: a way of legs from something fixed, now and then a branch or a fixed end, walls near it, a
    plate it goes through, some joints that are no threads."""
    rng = random.Random(seed)
    make = Builder()
    way = rng.choice("NESWUD")
    at = Vec(0.0, 0.0, 0.0)
    make.fitting("f0", at, way, fixed=rng.random() < 0.9)
    ends = [("f0", at, way)]
    count = 0
    while len(make.joints) < 6 and ends:
        name, at, way = ends.pop(rng.randrange(len(ends)))
        turns = [one for one in "NESWUD" if one not in (way, BACK[way])]
        rng.shuffle(turns)
        arms = turns[: rng.choice((1, 1, 1, 2))] if rng.random() < 0.8 else [way]
        count += 1
        then = f"f{count}"
        kind = rng.choices(("thread", "push", "face"), (6, 2, 1))[0]
        second = rng.choices(("thread", "push", "face"), (4, 1, 1))[0]
        last = len(make.joints) >= 4
        more: dict[str, Any] = {"kinds": (kind, second), "fixed": last and rng.random() < 0.2}
        if rng.random() < 0.35:
            more["play_mm"] = rng.choice((1.0, 2.5, 20.0, 20.0))
        if rng.random() < 0.5:
            more["tool"] = rng.choice((WRENCH, JAW))
        length = rng.choice((90.0, 120.0, 250.0, 500.0))
        end = make.leg(name, at, way, length, then, " ".join(arms), **more)
        if rng.random() < 0.25:
            axis = "ENU".find(way) if way in "ENU" else "WSD".find(way)
            middle = at.plus(DIRECTIONS[way], length / 2)
            low = [middle[i] - (5.0 if i == axis else 400.0) for i in range(3)]
            high = [middle[i] + (5.0 if i == axis else 400.0) for i in range(3)]
            make.plate(low, high, axis, (middle, rng.choice((13.0, 20.0, 40.0))))
        ends += [(then, end, arm) for arm in arms]
    for _ in range(rng.choice((0, 0, 1, 2))):
        part = rng.choice(make.parts)
        spot = part.capsules[0].b
        way = rng.choice("NESWUD")
        axis = "ENU".find(way) if way in "ENU" else "WSD".find(way)
        off = rng.choice((25.0, 45.0, 80.0, 160.0, 300.0))
        sign = 1 if way in "ENU" else -1
        low, high = [s - 600.0 for s in spot], [s + 600.0 for s in spot]
        low[axis], high[axis] = sorted((spot[axis] + sign * off, spot[axis] + sign * (off + 60.0)))
        make.wall((low[0], low[1], low[2]), (high[0], high[1], high[2]))
    return make.made()
