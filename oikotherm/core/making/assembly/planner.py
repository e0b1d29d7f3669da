"""An order of assembly, found by taking apart: from the finished work back to single parts, the joint that can be made
last first.

What is lawful with many joints made is as a rule lawful with fewer, for less stands in the way; so taking apart hardly
ever has to go back. Where it does, states that lead nowhere are remembered.
"""

from __future__ import annotations

import time
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from ...job.ways import Vec
from .lawful import Blocked, Lawful, Where
from .model import Assembly

Verdict = Literal["order", "impossible", "not proven"]
SEARCH_S = 2.0
BENCH_PARTS, BENCH_MM = 6, 2_500.0  # what is carried to its place as one (typ)


@dataclass(frozen=True, slots=True)
class Step:
    """A joint made. where: on the bench, in place or closing; moves: the parts that move, in the order of the assembly;
    turns: whether they turn; holds: the part a second wrench sits on, "" for none; soaped: older joints that feel
    it; standing: what is in place before it; tool_way: where its tool comes from, None on the bench."""

    joint: str
    where: Where
    moves: tuple[str, ...]
    turns: bool
    holds: str
    soaped: tuple[str, ...] = ()
    standing: tuple[str, ...] = ()
    tool_way: Vec | None = None


@dataclass(frozen=True, slots=True)
class Plan:
    """steps: in their order, all of them where there is an order; blocking: what stops it, else."""

    verdict: Verdict
    steps: tuple[Step, ...]
    blocking: tuple[Blocked, ...] = ()


# --- the search -------------------------------------------------------------------------------------------------------


def plan(assembly: Assembly, search_s: float = SEARCH_S) -> Plan:
    """An order in which every joint can be made, or that there is none, or that none was found in so much time of a
    processor. Ties: what is put together on the bench first, then what is nearest to what is in place, then as the
    assembly lists them."""
    rules = Lawful(assembly)
    whole = (1 << len(assembly.joints)) - 1
    far = _distances(rules)
    through = rules.no_part_through()
    if through:
        return Plan("impossible", (), through)
    order = _straight_down(rules, whole, far)
    if order is None:
        stuck = _stuck(rules, whole)
        if stuck:
            return Plan("impossible", (), stuck)
        until = time.thread_time() + search_s
        order = _taken_apart(rules, whole, far, until)
        if order is None:
            verdict: Verdict = "not proven" if time.thread_time() > until else "impossible"
            return Plan(verdict, (), _blocking(rules, whole))
    return Plan("order", tuple(_steps(rules, _bench_first(rules, order))))


def _straight_down(rules: Lawful, whole: int, far: Sequence[float]) -> list[int] | None:
    """The joints in an order, found from the last without ever going back; None where that comes to an end."""
    made, taken = whole, list[int]()
    while made:
        joint = next(_last_ones(rules, made, far), None)
        if joint is None:
            return None
        made &= ~(1 << joint)
        taken.append(joint)
    return taken[::-1]


def _taken_apart(rules: Lawful, whole: int, far: Sequence[float], until: float) -> list[int] | None:
    """The joints in an order that makes them all, found from the last; None for none, or where time is over."""
    dead: set[int] = set()
    made, taken = whole, list[int]()
    choices: list[Iterator[int]] = [_last_ones(rules, whole, far)]
    while choices:
        if not made:
            return taken[::-1]
        if time.thread_time() > until:
            return None
        joint = next(choices[-1], None)
        if joint is None:
            dead.add(made)
            choices.pop()
            if taken:
                made |= 1 << taken.pop()
            continue
        left = made & ~(1 << joint)
        if left in dead:
            continue
        made = left
        taken.append(joint)
        choices.append(_last_ones(rules, made, far))
    return None


def _last_ones(rules: Lawful, made: int, far: Sequence[float]) -> Iterator[int]:
    """The joints that can be the last of those made, the best first: those that close, then those that hang a handful
    of parts onto what is in place, the farthest first, then single parts, then joints of the bench. Looked at one by
    one, for as a rule the first is taken."""
    in_place = rules.in_place(made)
    order = sorted((n for n in range(len(rules.joints)) if made >> n & 1), key=lambda n: (-far[n], n))
    later: list[tuple[int, int]] = []
    for joint in sorted(order, key=lambda n: rules.ends[n][0] not in in_place):
        how = rules.lawful(joint, made & ~(1 << joint))
        if how is None:
            continue
        where, moves = how
        handful = 1 < len(moves) <= BENCH_PARTS and _extent_mm(rules, moves) <= BENCH_MM
        if where == "closing" or where == "in place" and handful:
            yield joint
        else:
            later.append((1 if where == "in place" else 2, joint))
    yield from (joint for _, joint in sorted(later, key=lambda one: one[0]))


def _extent_mm(rules: Lawful, parts: Iterable[int]) -> float:
    import numpy as np

    own = rules.shapes.capsules(parts)
    if not len(own):
        return 0.0
    spots = np.concatenate([rules.shapes.a[own], rules.shapes.b[own]])
    return float(np.linalg.norm(spots.max(axis=0) - spots.min(axis=0)))


def _distances(rules: Lawful) -> list[float]:
    """Joint -> how many joints it is from what is fixed."""

    import numpy as np

    far = dict.fromkeys(np.flatnonzero(rules.fixed).tolist(), 0) or {0: 0}
    waiting = list(far)
    for part in waiting:
        for a, b in rules.ends:
            for own, other in ((a, b), (b, a)):
                if own == part and other not in far:
                    far[other] = far[part] + 1
                    waiting.append(other)
    return [float(min(far.get(a, 10**6), far.get(b, 10**6))) for a, b in rules.ends]


def _bench_first(rules: Lawful, order: Sequence[int]) -> list[int]:
    """The same order with the joints of the bench right before their cluster is carried to its place."""
    found: list[int] = []
    made = 0
    waiting = list(order)
    while waiting:
        at = next(
            (n for n, joint in enumerate(waiting) if (how := rules.lawful(joint, made)) and how[0] != "bench"), None
        )
        if at is None:
            at = 0
        target = waiting[at]
        hanging = rules.hanging(rules.ends[target][0], _bits(order[: order.index(target) + 1]))
        group = [one for one in waiting[:at] if rules.ends[one][0] in hanging]
        for one in [*group, target]:
            if rules.lawful(one, made) is None:
                return list(order)
            found.append(one)
            made |= 1 << one
            waiting.remove(one)
    return found


def _bits(joints: Iterable[int]) -> int:
    found = 0
    for one in joints:
        found |= 1 << one
    return found


def _steps(rules: Lawful, order: Sequence[int]) -> Iterator[Step]:
    keys = [one.key for one in rules.assembly.parts]
    made = 0
    for joint in order:
        how = rules.lawful(joint, made)
        assert how is not None
        where, moves = how
        one = rules.joints[joint]
        turns = one.kind == "thread"
        a, b = rules.ends[joint]
        holds, soaped = "", tuple[str, ...]()
        if turns:
            held = a if b in moves else b
            holds = keys[held]
            soaped = tuple(
                rules.joints[n].key
                for n, ends in enumerate(rules.ends)
                if made >> n & 1 and held in ends and rules.joints[n].kind == "thread"
            )
        before = rules.in_place(made)
        way = rules.free_way(joint, rules.in_place(made | 1 << joint)) if where != "bench" else None
        standing = tuple(keys[n] for n in sorted(before))
        yield Step(one.key, where, tuple(keys[n] for n in moves), turns, holds, soaped, standing, way)
        made |= 1 << joint


def _stuck(rules: Lawful, whole: int) -> tuple[Blocked, ...]:
    """What stops the joints of a state that nothing can be taken from, holes left out of it where pipe springs. Without
    them what is lawful stays so with fewer joints made: whatever was the last of these joints to be made could not have
    been, so that there is no order at all."""
    rules.ignore_holes = True
    try:
        return _blocking(rules, whole)
    finally:
        rules.ignore_holes = False


def _blocking(rules: Lawful, whole: int) -> tuple[Blocked, ...]:
    """What stops each joint of the smallest state that nothing can be taken from."""
    made = whole
    while True:
        joint = next((n for n in range(len(rules.joints)) if made >> n & 1 and rules.lawful(n, made & ~(1 << n))), None)
        if joint is None:
            break
        made &= ~(1 << joint)
    found = []
    for n in range(len(rules.joints)):
        if made >> n & 1:
            stopped = rules.look(n, made & ~(1 << n))
            if isinstance(stopped, Blocked):
                found.append(stopped)
    return tuple(found)
