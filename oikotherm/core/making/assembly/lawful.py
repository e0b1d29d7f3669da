"""Whether a joint can be made when others are, and what stops it: the rules of model.py on arrays."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from ...job.ways import Vec
from .model import TOOL_STEP_DEG, TOUCH_MM, Assembly, AssemblyJoint, Slab
from .shapes import Shapes, box_gaps, overlap, segment_gaps

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from .shapes import Bools, Floats

PARALLEL = 0.9999  # cosine: of axes in line
KEPT_STATES = 64  # whose parts in place are kept
Where = Literal["bench", "in place", "closing"]


@dataclass(frozen=True, slots=True)
class Blocked:
    """A joint that cannot be made when everything around it is. why: turns, comes, play, tool, passes; by: what is in
    the way, in words."""

    joint: str
    why: str
    by: tuple[str, ...]


class Lawful:
    """Whether a joint is lawful in a state; what has been worked out of one joint is kept."""

    def __init__(self, assembly: Assembly) -> None:
        import numpy as np

        self.assembly = assembly
        self.ignore_holes = False  # with this on, what is lawful stays so with fewer joints made
        self.joints = assembly.joints
        self.shapes = Shapes(assembly)
        self.ends = [(self.shapes.index[one.a], self.shapes.index[one.b]) for one in self.joints]
        self.fixed = np.array([one.fixed for one in assembly.parts], dtype=bool)
        self.rings: dict[int, tuple[Floats, Floats]] = {}
        self.hit_parts: dict[tuple[int, bool, int], set[int]] = {}
        self.hit_house: dict[tuple[int, bool, int], bool] = {}
        self.tools: dict[int, tuple[list[set[int]], Bools]] = {}
        self.lines: dict[int, set[int]] = {}
        self.places: dict[int, set[int]] = {}
        self.near: list[list[tuple[int, int]]] = [[] for _ in assembly.parts]
        for n, (a, b) in enumerate(self.ends):
            self.near[a].append((n, b))
            self.near[b].append((n, a))

    # --- clusters -----------------------------------------------------------------------------------------------------

    def hanging(self, part: int, made: int) -> set[int]:
        """The parts that hang together with one, by joints that are made (its bits), itself among them."""
        found, waiting = {part}, [part]
        while waiting:
            for joint, other in self.near[waiting.pop()]:
                if other not in found and made >> joint & 1:
                    found.add(other)
                    waiting.append(other)
        return found

    def in_place(self, made: int) -> set[int]:
        """The parts that hang together with what is fixed; of the last states asked for it is kept."""

        import numpy as np

        kept = self.places.get(made)
        if kept is None:
            kept = set()
            for part in np.flatnonzero(self.fixed).tolist():
                if part not in kept:
                    kept |= self.hanging(part, made)
            if len(self.places) > KEPT_STATES:
                self.places.clear()
            self.places[made] = kept
        return kept

    # --- a joint in a state -------------------------------------------------------------------------------------------

    def lawful(self, joint: int, made: int) -> tuple[Where, tuple[int, ...]] | None:
        """How a joint can be made with these joints made, and the parts that move; None where it cannot."""
        found = self.look(joint, made)
        return None if isinstance(found, Blocked) else found

    def look(self, joint: int, made: int) -> tuple[Where, tuple[int, ...]] | Blocked:
        """How a joint can be made, or what stops it."""
        one = self.joints[joint]
        a, b = self.ends[joint]
        own = self.hanging(a, made)
        closed = b in own
        other = own if closed else self.hanging(b, made)
        standing = self.in_place(made | 1 << joint)
        placed = a in standing  # with the joint made both sides are, or neither
        own_placed = placed and any(self.fixed[n] for n in own)
        other_placed = placed and any(self.fixed[n] for n in other)
        need = one.closes_with_mm
        springs = need is not None and one.play_mm >= need
        if closed or (own_placed and other_placed):
            if not springs:
                words = ("a thread turns neither of two ends in place",) if need is None else ()
                return Blocked(one.key, "play", words)
            return self._no_tool(joint, standing | own) or ("closing", ())
        if not placed:
            if springs:
                return "bench", tuple(sorted(other))
            for mover, still, forward in ((other, own, True), (own, other, False)):
                if not self._in_the_way(joint, forward, mover, still, house=False):
                    return "bench", tuple(sorted(mover))
            by = self._in_the_way(joint, True, other, own, house=False)
            return Blocked(one.key, "turns" if one.kind == "thread" else "comes", by)
        mover = other if own_placed else own
        if not springs:
            by = self._in_the_way(joint, own_placed, mover, standing - mover, house=True)
            if by:
                return Blocked(one.key, "turns" if one.kind == "thread" else "comes", by)
        through = () if self.ignore_holes and springs else self._does_not_pass(sorted(mover))
        if through:
            return Blocked(one.key, "passes", through)
        return self._no_tool(joint, standing) or ("in place", tuple(sorted(mover)))

    def _in_the_way(
        self, joint: int, forward: bool, mover: set[int], still: set[int], *, house: bool
    ) -> tuple[str, ...]:
        """What stops parts from coming to a joint, in words; forward: they are on its far side."""
        names = [one.title for one in self.assembly.parts]
        found: dict[str, None] = {}
        for part in sorted(mover):
            found.update(dict.fromkeys(names[n] for n in sorted(self._hits(joint, forward, part) & still)))
            if house and self._hits_house(joint, forward, part):
                found["what stands around"] = None
        return tuple(found)

    def _ring(self, joint: int) -> tuple[Floats, Floats]:
        """Of every capsule, and of every box, about the axis of a joint: axial from, to, radial from, to."""

        import numpy as np

        kept = self.rings.get(joint)
        if kept is not None:
            return kept
        one, shapes = self.joints[joint], self.shapes
        at, axis = np.array(one.at), np.array(one.axis)
        pa, pb = shapes.a - at, shapes.b - at
        za, zb = pa @ axis, pb @ axis
        fa, fb = pa - za[:, None] * axis, pb - zb[:, None] * axis
        way = fb - fa
        length = (way * way).sum(1)
        t = np.clip(-(fa * way).sum(1) / np.where(length > 0, length, 1.0), 0.0, 1.0)
        near = np.linalg.norm(fa + t[:, None] * way, axis=1)
        most = np.maximum(np.linalg.norm(fa, axis=1), np.linalg.norm(fb, axis=1))
        r = shapes.radius
        own = np.stack([np.minimum(za, zb) - r, np.maximum(za, zb) + r, np.maximum(near - r, 0.0), most + r], axis=1)
        low, high = shapes.low - at, shapes.high - at
        middle, half = (low + high) / 2, (high - low) / 2
        z, reach = middle @ axis, half @ np.abs(axis)
        corners = np.array([[x, y, w] for x in (-1, 1) for y in (-1, 1) for w in (-1, 1)], dtype=float)
        spots = middle[:, None, :] + corners[None] * half[:, None, :]
        flat = spots - (spots @ axis)[..., None] * axis
        most = np.linalg.norm(flat, axis=2).max(axis=1, initial=0.0)
        main = np.flatnonzero(np.abs(np.abs(axis) - 1) < 1e-9)
        if len(main):
            gap = np.maximum(np.maximum(low, -high), 0.0)
            gap[:, main] = 0.0
            near = np.linalg.norm(gap, axis=1)
        else:
            off = middle - z[:, None] * axis
            near = np.maximum(np.linalg.norm(off, axis=1) - np.linalg.norm(half, axis=1), 0.0)
        boxes = np.stack([z - reach, z + reach, near, most], axis=1).reshape(-1, 4)
        self.rings[joint] = own, boxes
        return own, boxes

    def _swept(self, joint: int, forward: bool, capsules: NDArray[np.intp]) -> Floats:
        own = self._ring(joint)[0][capsules].copy()
        depth = self.joints[joint].depth_mm
        if forward:
            own[:, 1] += depth
        else:
            own[:, 0] -= depth
        return own

    def _hits(self, joint: int, forward: bool, part: int) -> set[int]:
        """The parts in the way of a part that comes to a joint."""

        import numpy as np

        key = joint, forward, part
        kept = self.hit_parts.get(key)
        if kept is not None:
            return kept
        shapes, own = self.shapes, self.shapes.of[part]
        found = np.zeros(len(self.assembly.parts), dtype=bool)
        if len(own):
            if self.joints[joint].kind == "thread":
                clash = overlap(self._swept(joint, forward, own), self._ring(joint)[0])
            else:
                clash = np.zeros((len(own), len(shapes.radius)), dtype=bool)
                reach = shapes.radius[own][:, None] + shapes.radius[None, :] - TOUCH_MM
                for shift in self._shifts(joint, forward):
                    gaps = segment_gaps(shapes.a[own] + shift, shapes.b[own] + shift, shapes.a, shapes.b)
                    clash |= gaps < reach
            np.logical_or.at(found, shapes.owner, clash.any(axis=0))
        found &= ~shapes.joined[part]
        hits = set(np.flatnonzero(found).tolist())
        self.hit_parts[key] = hits
        return hits

    def _shifts(self, joint: int, forward: bool) -> list[Floats]:
        import numpy as np

        one = self.joints[joint]
        away = np.array(one.axis) * (1.0 if forward else -1.0)
        return [away * one.depth_mm / 2, away * one.depth_mm]

    def _hits_house(self, joint: int, forward: bool, part: int) -> bool:
        """Whether what stands around is in the way of a part that comes to a joint."""
        key = joint, forward, part
        kept = self.hit_house.get(key)
        if kept is None:
            kept = self._house(joint, forward, self.shapes.of[part])
            self.hit_house[key] = kept
        return kept

    def _house(self, joint: int, forward: bool, own: NDArray[np.intp]) -> bool:
        shapes = self.shapes
        if not len(own) or not len(shapes.low):
            return False
        if self.joints[joint].kind == "thread":
            swept = self._swept(joint, forward, own)
            clash = overlap(swept, self._ring(joint)[1])
            for n, slab in enumerate(shapes.slabs, shapes.first_slab):
                clash[:, n] &= ~self._in_bore(self.joints[joint], slab, swept[:, 3])
            return bool(clash.any())
        return any(
            self._meets(shapes.a[own] + shift, shapes.b[own] + shift, shapes.radius[own])
            for shift in self._shifts(joint, forward)
        )

    @staticmethod
    def _in_bore(joint: AssemblyJoint, slab: Slab, reach: Floats) -> Bools:
        """Whether rings of so far about the axis of a joint turn within a hole of a slab."""

        import numpy as np

        if abs(abs(joint.axis[slab.normal]) - 1) > 1e-9:
            return np.zeros(len(reach), dtype=bool)
        others = [n for n in range(3) if n != slab.normal]
        own = [
            hole.radius_mm for hole in slab.holes if math.hypot(*(joint.at[n] - hole.at[n] for n in others)) < TOUCH_MM
        ]
        return reach <= max(own, default=-math.inf) + TOUCH_MM

    def _meets(self, a: Floats, b: Floats, radius: Floats, *, holes: bool = True) -> bool:
        """Whether capsules meet a wall, a floor or a solid, but where they lie in a hole."""

        import numpy as np

        shapes = self.shapes
        if not len(shapes.low):
            return False
        clash = box_gaps(a, b, shapes.low, shapes.high) < radius[:, None] - TOUCH_MM
        for n, slab in enumerate(shapes.slabs, shapes.first_slab) if holes else ():
            others = [i for i in range(3) if i != slab.normal]
            for hole in slab.holes:
                middle = np.array([hole.at[i] for i in others])
                off = np.maximum(
                    np.linalg.norm(a[:, others] - middle, axis=1), np.linalg.norm(b[:, others] - middle, axis=1)
                )
                clash[:, n] &= off + radius > hole.radius_mm + TOUCH_MM
        return bool(clash.any())

    # --- holes and tools ----------------------------------------------------------------------------------------------

    def _does_not_pass(self, mover: Sequence[int]) -> tuple[str, ...]:
        """The slabs that parts cannot have come through the hole of."""

        import numpy as np

        shapes, found = self.shapes, []
        own = shapes.capsules(mover)
        own = own[~shapes.soft[own]]
        a, b, radius = shapes.a[own], shapes.b[own], shapes.radius[own]
        for slab in shapes.slabs:
            n = slab.normal
            least, most = np.minimum(a[:, n], b[:, n]), np.maximum(a[:, n], b[:, n])
            above, below = most > slab.high[n] + TOUCH_MM, least < slab.low[n] - TOUCH_MM
            through = np.flatnonzero(above & below & _within(a, b, slab))
            if not len(through):
                continue
            fits = np.zeros(len(own), dtype=bool)
            others = [i for i in range(3) if i != n]
            for t in through.tolist():
                way = (b[t] - a[t]) / np.linalg.norm(b[t] - a[t])
                off = [np.linalg.norm((p - a[t]) - ((p - a[t]) @ way)[:, None] * way, axis=1) for p in (a, b)]
                bores = [
                    hole.radius_mm
                    for hole in slab.holes
                    if math.hypot(*(float(a[t, i]) - hole.at[i] for i in others)) < hole.radius_mm
                ]
                if bores:
                    fits |= (off[0] < TOUCH_MM) & (off[1] < TOUCH_MM) & (radius <= max(bores))
            if not (fits[above].all() or fits[below].all()):
                found.append(slab.title)
        return tuple(found)

    def no_part_through(self) -> tuple[Blocked, ...]:
        """The parts that no hole lets through by themselves, each with a joint of its own: bends, or what is thick, on
        both sides of a wall."""
        found = []
        for n, part in enumerate(self.assembly.parts):
            through = () if part.fixed else self._does_not_pass([n])
            own = next((one.key for one, ends in zip(self.joints, self.ends, strict=True) if n in ends), "")
            if through and own:
                found.append(Blocked(own, "passes", (part.title, *through)))
        return tuple(found) if self.fixed.any() else ()

    def _no_tool(self, joint: int, there: set[int]) -> Blocked | None:
        """What keeps a joint's tool from it, None where it reaches. there: parts that stand."""
        one = self.joints[joint]
        if one.tool is None:
            return None
        by_hour, house = self._tool(joint)
        standing = there - self._in_line(joint)
        if any(not blocked and not hits & standing for hits, blocked in zip(by_hour, house.tolist(), strict=True)):
            return None
        names = [one_.title for one_ in self.assembly.parts]
        hits = dict.fromkeys(names[n] for parts in by_hour for n in sorted(parts & standing))
        return Blocked(one.key, "tool", (*hits, *(("what stands around",) if bool(house.any()) else ())))

    def free_way(self, joint: int, there: set[int]) -> Vec | None:
        """Where a joint's tool comes from with these parts standing, as a direction; None without a tool or a way."""
        one = self.joints[joint]
        if one.tool is None:
            return None
        by_hour, house = self._tool(joint)
        standing = there - self._in_line(joint)
        hours = zip(by_hour, house.tolist(), strict=True)
        hour = next((n for n, (hits, blocked) in enumerate(hours) if not blocked and not hits & standing), None)
        if hour is None:
            return None
        side, up = self._square(joint)
        turn = math.radians(hour * TOOL_STEP_DEG)
        way = [math.cos(turn) * float(s) + math.sin(turn) * float(u) for s, u in zip(side, up, strict=True)]
        return Vec(*way)

    def _square(self, joint: int) -> tuple[Floats, Floats]:
        """Two directions square to the axis of a joint and to each other."""
        import numpy as np

        axis = np.array(self.joints[joint].axis)
        side = np.cross(axis, (0.0, 0.0, 1.0) if abs(axis[2]) < 0.9 else (1.0, 0.0, 0.0))
        side /= np.linalg.norm(side)
        return side, np.cross(axis, side)

    def _in_line(self, joint: int) -> set[int]:
        """The two parts of a joint, and those joined to one of them on its axis."""
        kept = self.lines.get(joint)
        if kept is None:
            one, ends = self.joints[joint], self.ends[joint]
            kept = set(ends)
            for own in ends:
                for other, part in self.near[own]:
                    row = self.joints[other]
                    off = row.at.minus(one.at)
                    aside = off.minus(one.axis.times(off.dot(one.axis))).length
                    if abs(row.axis.dot(one.axis)) > PARALLEL and aside < TOUCH_MM:
                        kept.add(part)
            self.lines[joint] = kept
        return kept

    def _tool(self, joint: int) -> tuple[list[set[int]], Bools]:
        """Of every hour of the clock: the parts that keep the tool off, and whether what stands around does."""

        import numpy as np

        kept = self.tools.get(joint)
        if kept is not None:
            return kept
        one, shapes = self.joints[joint], self.shapes
        tool = one.tool
        assert tool is not None
        side, up = self._square(joint)
        start = np.array(one.tool_at or one.at, dtype=float)
        hours = round(360 / TOOL_STEP_DEG)
        spread = (0.0, tool.spread_deg / 2, -tool.spread_deg / 2) if tool.spread_deg else (0.0,)
        turn = np.radians(np.array([[hour * TOOL_STEP_DEG + one_ for one_ in spread] for hour in range(hours)]))
        way = np.cos(turn)[..., None] * side + np.sin(turn)[..., None] * up
        ends = (start + tool.reach_mm * way).reshape(-1, 3)
        starts = (start + tool.from_mm * way).reshape(-1, 3)
        near = segment_gaps(starts, ends, shapes.a, shapes.b) < tool.radius_mm + shapes.radius[None, :] - TOUCH_MM
        by_hour = np.logical_or.reduce(near.reshape(hours, len(spread), -1), axis=1)
        by_part = [set(shapes.owner[row].tolist()) for row in by_hour]
        if len(shapes.low):
            gaps = box_gaps(starts, ends, shapes.low, shapes.high)
            off = np.logical_or.reduce(gaps < tool.radius_mm - TOUCH_MM, axis=1)
            house: Bools = np.logical_or.reduce(off.reshape(hours, -1), axis=1)
        else:
            house = np.zeros(hours, dtype=np.bool_)
        self.tools[joint] = by_part, house
        return by_part, house


def _within(a: Floats, b: Floats, slab: Slab) -> Bools:
    """Whether lines cross the middle plane of a slab within its edges."""

    import numpy as np

    n = slab.normal
    middle = (slab.low[n] + slab.high[n]) / 2
    along = b[:, n] - a[:, n]
    share = (middle - a[:, n]) / np.where(np.abs(along) > 0, along, 1.0)
    spots = a + share[:, None] * (b - a)
    low, high = np.array(slab.low), np.array(slab.high)
    inside = (spots >= low) & (spots <= high)
    inside[:, n] = True
    found: Bools = np.logical_and.reduce(inside, axis=1)
    return found
