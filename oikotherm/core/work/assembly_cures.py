"""What lets an assembly that cannot be put together go together: a union, a slip coupling, a coupling by a wall, each
put in and planned anew."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any, TypeVar

from ..errors import Refused
from ..job.commands import apply_all
from ..job.model import Job, Leg, Run
from ..layout import Layout
from ..making.assembly.lawful import Blocked
from ..making.assembly.planner import plan
from ..making.cut import cut_of
from ..quantity import length_text
from ..rules.legs import put_in_leg
from .assembling import Ordered, assembly_of

LEAST_LEG_MM = 160.0  # typ: of pipe that a union or a coupling goes into
MOST_TRIED, ENOUGH = 10, 3
PRICE = {"union": "low", "coupling": "low", "slip": "low"}


@dataclass(frozen=True, slots=True)
class AssemblyCure:
    """One way out. title, commands, effect: as of a remedy; joint: the blocking joint it is for; part: what is put in;
    price: low, middle or high (typ); works: whether an order is found with it, as tried; blocking: how many joints are
    still stopped where not; cuts_mm: the pieces its run is cut into then that it was not before."""

    title: str
    commands: tuple[dict[str, Any], ...]
    effect: str
    joint: str
    part: str
    price: str
    works: bool
    blocking: int = 0
    cuts_mm: tuple[float, ...] = ()


D = TypeVar("D", bound=Layout)
Stops = frozenset[tuple[str, tuple[str, ...]]]  # rule and place of what is a stop


def cures(
    design: D, ordered: Ordered, derived: Callable[[Job], D], stops: Callable[[D], Stops]
) -> tuple[AssemblyCure, ...]:
    """The cures of an assembly without an order, those that work first. derived: makes a design of a changed job, by
    which every cure is tried; stops: what is a stop in a design: a cure that brings one is dropped."""
    found: list[AssemblyCure] = []
    seen: set[str] = set()
    before, stood = len(ordered.plan.blocking), stops(design)
    for blocked in ordered.plan.blocking:
        for title, command, part, effect in _ideas(design, ordered, blocked):
            if effect in seen or len(seen) >= MOST_TRIED or sum(one.works for one in found) >= ENOUGH:
                continue
            seen.add(effect)
            try:
                job = apply_all(design.job, [command], design.context.catalogue)
                changed = derived(job)
                after = plan(assembly_of(changed, ordered.runs))
            except Refused:
                continue
            works, left = after.verdict == "order", len(after.blocking)
            if (works or left < before) and not stops(changed) - stood:
                cuts = _new_cuts(design, changed, str(command["run"]))
                found.append(
                    AssemblyCure(title, (command,), effect, blocked.joint, part, PRICE[part], works, left, cuts)
                )
    return tuple(sorted(found, key=lambda one: (not one.works, one.blocking)))


def _new_cuts(before: Layout, after: Layout, run: str) -> tuple[float, ...]:
    """The lengths a run is cut to after a change that it was not before [mm]."""

    def lengths(design: Layout) -> Counter[float]:
        pieces = design.fitted.of_run.get(run)
        own = pieces.pieces.values() if pieces is not None else ()
        return Counter(cut_of(piece, design.job.pace_unit, design.context.catalogue).cut_mm for piece in own)

    return tuple((lengths(after) - lengths(before)).elements())


BY_HAND = {
    "play": (
        "hang one of the two ends last, when its pipe is there",
        "a union, a slip coupling or a nut joint anywhere between the two ends",
        "a longer leg across the axis, which springs further",
    ),
    "turns": (
        "a street elbow, or the next nipple: it swings less, or clear of what is in the way",
        "make it before what is in the way is there; two parts screwed together on the bench",
        "a union beside it, so that less of it turns",
    ),
    "comes": (
        "make it before what is in the way is there",
        "a slip coupling beside it, which wants no way",
    ),
    "tool": (
        "make it on the bench, and bring it to its place as one",
        "a joint that another tool makes; what is in the way taken down, or a hatch cut",
    ),
    "passes": (
        "a coupling or an elbow on one side of the wall, so that a straight end goes through",
        "a hole as wide as what goes through it, made good after",
    ),
}
"""What helps by hand, by what stops a joint."""


Idea = tuple[str, dict[str, Any], str, str]  # title, command, part, effect


def _ideas(design: Layout, ordered: Ordered, blocked: Blocked) -> Iterator[Idea]:
    """What might help at a blocking joint: something that comes apart or slides in the legs of its piece, or of the
    pieces beside it; by a wall a coupling."""
    joint = next(one for one in ordered.assembly.joints if one.key == blocked.joint)
    near = [joint.a, joint.b]
    for one in ordered.assembly.joints:
        near += [one.b] if one.a in near else [one.a] if one.b in near else []
    legs: dict[str, tuple[Run, Leg]] = {}
    for part in dict.fromkeys(near):
        piece = design.fitted.pieces.get(part)
        run = design.job.run(piece.run) if piece is not None else None
        if piece is None or run is None:
            continue
        own = set(piece.legs)
        legs.update({item.id: (run, item) for item in run.items if isinstance(item, Leg) and item.id in own})
    for run, leg in legs.values():
        length = design.fitted.pipework.runs[run.id].lengths.get(leg.id, 0.0)
        if length < LEAST_LEG_MM:
            continue
        beside = min(length / 2, LEAST_LEG_MM - 20)
        places = {beside, length - beside} if blocked.why == "passes" else {length / 2}
        for part, word in _parts(design, run, blocked.why):
            for at in sorted(places):
                command = put_in_leg(design, run.id, leg, f"[{part}]", at)
                where = length_text(round(at), design.job.pace_unit, with_unit=True)
                yield f"{word} on {run.id}", command, part, f"[{part}] {where} into its leg {leg.dir}, on {run.id}"


def _parts(design: Layout, run: Run, why: str) -> Iterator[tuple[str, str]]:
    threaded = "thread" in design.context.catalogue.methods_of(run.pipe.code)
    if why == "passes":
        yield "coupling", "A coupling beside the wall"
    elif threaded:
        yield "union", "A union"
    else:
        yield "slip", "A slip coupling"
