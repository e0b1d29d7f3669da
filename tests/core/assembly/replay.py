"""An order of assembly replayed joint by joint, in plain arithmetic: shares no code with the planner, only its data."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Sequence
from typing import Any

TOUCH, FACE = 1.0, 2.0
P = tuple[float, float, float]


def sub(a: Any, b: Any) -> P:
    return (a[0] - b[0], a[1] - b[1], a[2] - b[2])


def dot(a: Any, b: Any) -> float:
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


def far(a: Any, u: Any, t: float) -> P:
    return (a[0] + u[0] * t, a[1] + u[1] * t, a[2] + u[2] * t)


def cross(a: Any, b: Any) -> P:
    return (a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0])


def norm(a: Any) -> float:
    return math.sqrt(dot(a, a))


def point_to_segment(p: Any, a: Any, b: Any) -> float:
    d = sub(b, a)
    if dot(d, d) == 0:
        return norm(sub(p, a))
    t = min(1.0, max(0.0, dot(sub(p, a), d) / dot(d, d)))
    return norm(sub(p, far(a, d, t)))


def segment_gap(a: Any, b: Any, c: Any, d: Any) -> float:
    """The least distance of two segments: an end against the other, or the common perpendicular where both have it."""
    best = min(
        point_to_segment(a, c, d), point_to_segment(b, c, d), point_to_segment(c, a, b), point_to_segment(d, a, b)
    )
    u, v, w = sub(b, a), sub(d, c), sub(a, c)
    n = cross(u, v)
    nn = dot(n, n)
    if nn > 1e-12:
        s = dot(cross(v, w), n) / nn
        t = dot(cross(u, w), n) / nn
        if 0 <= s <= 1 and 0 <= t <= 1:
            best = min(best, abs(dot(w, n)) / math.sqrt(nn))
    return best


def box_gap(a: Any, b: Any, low: Any, high: Any) -> float:
    """The least distance of a segment and a box: convex along the segment, so halved and halved again."""

    def off(t: float) -> float:
        p = far(a, sub(b, a), t)
        return math.sqrt(sum(max(low[i] - p[i], 0.0, p[i] - high[i]) ** 2 for i in range(3)))

    lo, hi = 0.0, 1.0
    for _ in range(80):
        m, n = lo + (hi - lo) / 3, hi - (hi - lo) / 3
        lo, hi = (lo, n) if off(m) <= off(n) else (m, hi)
    return min(off((lo + hi) / 2), off(0.0), off(1.0))


class Replay:
    """The rules of the model, read anew."""

    def __init__(self, assembly: Any) -> None:
        self.parts = {one.key: one for one in assembly.parts}
        self.joints = {one.key: one for one in assembly.joints}
        self.solids, self.slabs = assembly.solids, assembly.slabs
        self.kept: dict[Any, bool] = {}
        self.touch = {frozenset((one.a, one.b)) for one in assembly.joints}

    def clusters(self, made: Iterable[str]) -> dict[str, set[str]]:
        found = {key: {key} for key in self.parts}
        for key in made:
            a, b = found[self.joints[key].a], found[self.joints[key].b]
            if a is not b:
                a |= b
                for one in b:
                    found[one] = a
        return found

    def placed(self, cluster: set[str]) -> bool:
        return any(self.parts[key].fixed for key in cluster)

    def lawful(self, key: str, made: set[str]) -> bool:
        joint, found = self.joints[key], self.clusters(made)
        a, b = found[joint.a], found[joint.b]
        if self.placed(a) and self.placed(b) or a is b:
            need = {"face": FACE, "push": joint.depth_mm}.get(joint.kind)
            return need is not None and joint.play_mm >= need and self.reaches(joint, found, a | b)
        need = {"face": FACE, "push": joint.depth_mm}.get(joint.kind)
        springs = need is not None and joint.play_mm >= need
        if not self.placed(a) and not self.placed(b):
            return springs or self.comes(joint, a, b, around=False) or self.comes(joint, b, a, around=False)
        mover = b if self.placed(a) else a
        still = {key for one in found.values() if self.placed(one) for key in one}
        return (
            (springs or self.comes(joint, mover, still, around=True))
            and self.passes(mover)
            and self.reaches(joint, found, mover)
        )

    def comes(self, joint: Any, mover: set[str], still: set[str], *, around: bool) -> bool:
        forward = joint.b in mover
        away = joint.axis if forward else tuple(-x for x in joint.axis)
        for m in mover:
            if around and self.seen(("house", joint.key, forward, m), lambda m=m: self.meets_coming(joint, away, m)):
                return False
            for s in still:
                if frozenset((m, s)) not in self.touch and self.seen(
                    (joint.key, forward, m, s), lambda m=m, s=s: self.clash_coming(joint, away, m, s)
                ):
                    return False
        return True

    def seen(self, key: Any, find: Any) -> bool:
        if key not in self.kept:
            self.kept[key] = find()
        return bool(self.kept[key])

    def clash_coming(self, joint: Any, away: Any, m: str, s: str) -> bool:
        """Whether one part, on its way to a joint, meets another that is still."""
        pairs = itertools.product(self.parts[m].capsules, self.parts[s].capsules)
        if joint.kind == "thread":
            return any(
                self.overlap(self.swept(joint, away, c), self.ring(joint, d.a, d.b, d.radius_mm)) for c, d in pairs
            )
        shifts = [far((0.0, 0.0, 0.0), away, back) for back in (joint.depth_mm / 2, joint.depth_mm)]
        return any(
            segment_gap(far(c.a, shift, 1), far(c.b, shift, 1), d.a, d.b) < c.radius_mm + d.radius_mm - TOUCH
            for c, d in pairs
            for shift in shifts
        )

    def meets_coming(self, joint: Any, away: Any, m: str) -> bool:
        """Whether one part, on its way to a joint, meets the house."""
        if joint.kind == "thread":
            return self.turns_into_house(joint, away, m)
        shifts = [far((0.0, 0.0, 0.0), away, back) for back in (joint.depth_mm / 2, joint.depth_mm)]
        return any(
            self.meets_house(far(c.a, shift, 1), far(c.b, shift, 1), c.radius_mm)
            for c in self.parts[m].capsules
            for shift in shifts
        )

    def meets_house(self, a: Any, b: Any, radius: float, *, holes: bool = True) -> bool:
        for one in self.solids:
            if box_gap(a, b, one.low, one.high) < radius - TOUCH:
                return True
        for slab in self.slabs:
            if box_gap(a, b, slab.low, slab.high) >= radius - TOUCH:
                continue
            if not holes or not any(self.in_hole(a, b, radius, slab, hole) for hole in slab.holes):
                return True
        return False

    @staticmethod
    def in_hole(a: Any, b: Any, radius: float, slab: Any, hole: Any) -> bool:
        others = [i for i in range(3) if i != slab.normal]
        return all(math.hypot(*(p[i] - hole.at[i] for i in others)) + radius <= hole.radius_mm + TOUCH for p in (a, b))

    def ring(self, joint: Any, a: Any, b: Any, radius: float) -> tuple[float, float, float, float]:
        """(axial from, to, radial from, to) of a capsule about the axis of a joint."""
        za, zb = dot(sub(a, joint.at), joint.axis), dot(sub(b, joint.at), joint.axis)
        flat = [far(sub(p, joint.at), joint.axis, -z) for p, z in ((a, za), (b, zb))]
        near = point_to_segment((0.0, 0.0, 0.0), *flat)
        return (
            min(za, zb) - radius,
            max(za, zb) + radius,
            max(near - radius, 0.0),
            max(norm(flat[0]), norm(flat[1])) + radius,
        )

    def box_ring(self, joint: Any, low: Any, high: Any) -> tuple[float, float, float, float]:
        corners = [(x, y, z) for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])]
        along = [dot(sub(c, joint.at), joint.axis) for c in corners]
        across = [norm(far(sub(c, joint.at), joint.axis, -z)) for c, z in zip(corners, along, strict=True)]
        main = [i for i in range(3) if abs(abs(joint.axis[i]) - 1) < 1e-9]
        if main:
            others = [i for i in range(3) if i != main[0]]
            near = math.hypot(*(max(low[i] - joint.at[i], 0.0, joint.at[i] - high[i]) for i in others))
        else:
            middle = tuple((x + y) / 2 for x, y in zip(low, high, strict=True))
            z = dot(sub(middle, joint.at), joint.axis)
            off = norm(far(sub(middle, joint.at), joint.axis, -z))
            near = max(0.0, off - norm(sub(high, low)) / 2)
        return min(along), max(along), near, max(across)

    @staticmethod
    def overlap(p: Sequence[float], q: Sequence[float]) -> bool:
        return min(p[1], q[1]) - max(p[0], q[0]) > TOUCH and min(p[3], q[3]) - max(p[2], q[2]) > TOUCH

    def swept(self, joint: Any, away: Any, capsule: Any) -> tuple[float, float, float, float]:
        z0, z1, r0, r1 = self.ring(joint, capsule.a, capsule.b, capsule.radius_mm)
        forward = dot(away, joint.axis) > 0
        return (z0, z1 + joint.depth_mm, r0, r1) if forward else (z0 - joint.depth_mm, z1, r0, r1)

    def turns_into_house(self, joint: Any, away: Any, m: str) -> bool:
        for c in self.parts[m].capsules:
            own = self.swept(joint, away, c)
            if any(self.overlap(own, self.box_ring(joint, one.low, one.high)) for one in self.solids):
                return True
            for slab in self.slabs:
                free = abs(abs(joint.axis[slab.normal]) - 1) < 1e-9 and any(
                    math.hypot(*(joint.at[i] - hole.at[i] for i in range(3) if i != slab.normal)) < TOUCH
                    and own[3] <= hole.radius_mm + TOUCH
                    for hole in slab.holes
                )
                if not free and self.overlap(own, self.box_ring(joint, slab.low, slab.high)):
                    return True
        return False

    def passes(self, mover: set[str]) -> bool:
        """Whether what goes through a slab came through its hole: from one side, all beyond it in one line, no thicker
        than the hole."""
        capsules = [c for m in mover for c in self.parts[m].capsules if not self.parts[m].soft]
        for slab in self.slabs:
            n = slab.normal
            low, high = slab.low[n], slab.high[n]
            through = [
                c
                for c in capsules
                if min(c.a[n], c.b[n]) < low - TOUCH and max(c.a[n], c.b[n]) > high + TOUCH and self.crosses(c, slab)
            ]
            if not through:
                continue
            if not (
                self.all_pass([c for c in capsules if max(c.a[n], c.b[n]) > high + TOUCH], through, slab)
                or self.all_pass([c for c in capsules if min(c.a[n], c.b[n]) < low - TOUCH], through, slab)
            ):
                return False
        return True

    @staticmethod
    def crosses(c: Any, slab: Any) -> bool:
        """Whether a capsule goes through a slab, not past its edge."""
        n = slab.normal
        t = ((slab.low[n] + slab.high[n]) / 2 - c.a[n]) / (c.b[n] - c.a[n])
        p = far(c.a, sub(c.b, c.a), t)
        return all(slab.low[i] <= p[i] <= slab.high[i] for i in range(3) if i != n)

    def all_pass(self, beyond: list[Any], through: list[Any], slab: Any) -> bool:
        return all(any(self.in_line(c, t, slab) for t in through) for c in beyond)

    def in_line(self, c: Any, through: Any, slab: Any) -> bool:
        u = sub(through.b, through.a)
        u = far((0.0, 0.0, 0.0), u, 1 / norm(u))

        def off(p: Any) -> float:
            w = sub(p, through.a)
            return norm(far(w, u, -dot(w, u)))

        others = [i for i in range(3) if i != slab.normal]
        holes = [
            hole.radius_mm
            for hole in slab.holes
            if math.hypot(*(through.a[i] - hole.at[i] for i in others)) < hole.radius_mm
        ]
        return bool(holes) and off(c.a) < TOUCH and off(c.b) < TOUCH and c.radius_mm <= max(holes)

    def reaches(self, joint: Any, found: dict[str, set[str]], mover: set[str]) -> bool:
        if joint.tool is None:
            return True
        side = cross(joint.axis, (0.0, 0.0, 1.0) if abs(joint.axis[2]) < 0.9 else (1.0, 0.0, 0.0))
        side = far((0.0, 0.0, 0.0), side, 1 / norm(side))
        up = cross(joint.axis, side)
        start = joint.tool_at or joint.at
        there = {key for one in found.values() if self.placed(one) for key in one} | mover
        there -= {joint.a, joint.b}
        for k in self.joints.values():
            w = sub(k.at, joint.at)
            aside = norm(far(w, joint.axis, -dot(w, joint.axis)))
            if {k.a, k.b} & {joint.a, joint.b} and abs(dot(k.axis, joint.axis)) > 0.9999 and aside < TOUCH:
                there -= {k.a, k.b}
        half = joint.tool.spread_deg / 2

        def arm(degrees: float) -> tuple[P, P]:
            turn = math.radians(degrees)
            way = tuple(math.cos(turn) * side[i] + math.sin(turn) * up[i] for i in range(3))
            return far(start, way, joint.tool.from_mm), far(start, way, joint.tool.reach_mm)

        def meets(degrees: float, part: str) -> bool:
            return any(
                segment_gap(*arm(degrees), c.a, c.b) < joint.tool.radius_mm + c.radius_mm - TOUCH
                for c in self.parts[part].capsules
            )

        def free(degrees: float) -> bool:
            key = joint.key, "tool", degrees
            house = self.seen(key, lambda: self.meets_house(*arm(degrees), joint.tool.radius_mm, holes=False))
            return not house and not any(self.seen((*key, one), lambda one=one: meets(degrees, one)) for one in there)

        return any(
            all(free(30 * hour + turned) for turned in ((0.0, half, -half) if half else (0.0,))) for hour in range(12)
        )

    def replay(self, order: Sequence[str]) -> str:
        """ "" where the order makes every joint lawfully; else the first that is not."""
        made: set[str] = set()
        for key in order:
            if key in made or not self.lawful(key, made):
                return key
            made.add(key)
        return "" if made == set(self.joints) else "not all made"

    def possible(self) -> bool:
        """Whether there is any order: every set of joints that can be reached, one by one."""
        reached = {frozenset[str]()}
        for _ in self.joints:
            reached = {
                made | {key}
                for made in reached
                for key in self.joints
                if key not in made and self.lawful(key, set(made))
            }
        return bool(reached)
