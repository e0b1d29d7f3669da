"""The bodies and gaps of a row of parts on one pipe, from the catalogue: what stack() is asked with."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ..catalogue import Catalogue, Thread
from ..errors import Refused, nearest
from ..job.model import Pipe
from ..joints.least import least_piece_mm
from ..joints.takeoff import part_mating
from ..working import Step
from .stack import APART_MM, Body, Gap, Stack, least_window_mm, stack

PARTS = ("coupling", "slip", "tee", "union")  # beside the devices of the catalogue
UNION_LENGTH_D = 1.1  # a union with sockets: 1.1 OD + 14 between its stops (typ)


@dataclass(frozen=True, slots=True)
class Part:
    """A part of a row as said: its body, and how pipe goes into it."""

    body: Body
    method: str
    insertion_mm: float


def part_of(catalogue: Catalogue, pipe: Pipe, method: str, word: str) -> Part:
    """A part of a row by its name: coupling, slip, tee, union or a device of the catalogue. Raises Refused."""
    depth = insertion_of(catalogue, pipe, method)
    device = None if word in ("coupling", "slip", "tee") else catalogue.device(word, pipe.code, pipe.size)
    if device is not None:
        own = insertion_of(catalogue, pipe, device.method)
        length = 2 * (device.reach_mm - (own if device.method == "thread" else 0.0))
        title = f"{pipe.size} {device.title}"
        return Part(Body(title, round(length, 3), opens=word == "union"), device.method, own)
    if word == "slip":
        if method == "thread":
            raise Refused("bodies", word, "a union: threaded pipe has no slip coupling", "union")
        return Part(Body(f"{pipe.size} slip coupling", 0.0, slides_mm=2 * depth), method, depth)
    if word == "union":
        row = catalogue.pipe(pipe.code, pipe.size)
        od_mm = row.od_mm if row and row.od_mm else 0.0
        return Part(Body(f"{pipe.size} union", round(UNION_LENGTH_D * od_mm + 14, 2), opens=True), method, depth)
    if word in ("coupling", "tee"):
        mating = part_mating(catalogue, pipe, method, word)
        if mating is not None:
            return Part(Body(f"{pipe.size} {word}", round(2 * mating.take_off_mm, 3)), method, depth)
    known = sorted(
        {*PARTS, *(name for name in catalogue.device_titles() if catalogue.device(name, pipe.code, pipe.size))}
    )
    raise Refused(
        "bodies", word, f"a part for {pipe}: {', '.join(known)}, not far from {nearest(word, known)}", known[0]
    )


def insertion_of(catalogue: Catalogue, pipe: Pipe, method: str) -> float:
    """How deep a pipe goes into a joint [mm]; of a thread the made-up length. Raises Refused without figures."""
    row = catalogue.method_figures(pipe.code, pipe.size, method)
    if row is None:
        known = [one for one in catalogue.methods_of(pipe.code) if catalogue.method_figures(pipe.code, pipe.size, one)]
        raise Refused(
            "method", method, f"a joint with figures for {pipe}: {', '.join(known)}", (*known, "capillary")[0]
        )
    return row.made_up_mm if isinstance(row, Thread) else row.insertion_mm


def gaps_of(
    catalogue: Catalogue, pipe: Pipe, method: str, parts: Sequence[Part], *, old_pipe: tuple[bool, bool]
) -> tuple[Gap, ...]:
    """What stands between the parts of a row: a piece of pipe, with the least that can be made. old_pipe: whether an
    old pipe goes straight into the first and the last part; else a piece stands before them, in a fitting of method."""
    ends = [(method, insertion_of(catalogue, pipe, method)), *((one.method, one.insertion_mm) for one in parts)]
    ends.append(ends[0])
    found = []
    for n, (before, behind) in enumerate(zip(ends, ends[1:], strict=False)):
        own = (old_pipe[0] and n == 0, old_pipe[1] and n == len(parts))
        if any(own):
            joint = behind if own[0] else before
            found.append(Gap(None, (joint[0],), (joint[1],), math.inf))
        else:
            methods, depths = (before[0], behind[0]), (before[1], behind[1])
            found.append(Gap(least_piece_mm(catalogue, pipe, methods, depths)[0], methods, depths))
    return tuple(found)


@dataclass(frozen=True, slots=True)
class TapIn:
    """A tee cut into an old threaded line between two fittings. least_mm: the least from the tee's centre to the far
    fitting's with a union between two close nipples; stack: the row; cuts_mm: the two cut marks on the old pipe, from
    the first fitting's centre; pieces_mm: nipples from the first fitting to the far one; again: whether the old outer
    threads reach and may be used again, in words; order: step by step."""

    least_mm: float
    stack: Stack | None
    cuts_mm: tuple[float, float] | None
    pieces_mm: tuple[float, ...]
    parts: tuple[str, ...]
    again: tuple[str, ...]
    order: tuple[str, ...]
    steps: tuple[Step, ...]
    bodies: tuple[Body, ...] = ()
    gaps: tuple[Gap, ...] = ()


def tap_in(catalogue: Catalogue, pipe: Pipe, centres_mm: float | None, at_mm: float | None) -> TapIn:
    """A tee put into a threaded line: what it takes, and where the old pipe is cut. centres_mm: between the centres of
    the two fittings the old piece runs between; at_mm: the tee's centre from the first of them.

    Least = 2 A + 2 (close nipple - 2 made-up) + union. A threaded tee closes only with a union. Source: rule of the
    trade; figures of the tables. Raises Refused: pipe that is not threaded, or no room for tee, union and close
    nipples.
    """
    row = catalogue.method_figures(pipe.code, pipe.size, "thread")
    union = catalogue.device("union", pipe.code, pipe.size)
    if not isinstance(row, Thread) or union is None or row.elbow_a_mm is None or not row.close_nipple_mm:
        raise Refused("pipe", str(pipe), "threaded pipe with a union and close nipples in the catalogue", "fe-40 1/2")
    close, made_up, face = row.close_nipple_mm, row.made_up_mm, row.elbow_a_mm
    least = 2 * face + 2 * (close - 2 * made_up) + 2 * union.reach_mm
    inputs = ("A_mm", face), ("close_nipple_mm", close), ("made_up_mm", made_up), ("union_mm", 2 * union.reach_mm)
    steps = [Step("least = 2 A + 2 (close - 2 made_up) + union", inputs, round(least, 3), "mm", "rule of the trade")]
    tee = part_of(catalogue, pipe, "thread", "tee")
    parts = [tee, part_of(catalogue, pipe, "thread", "union")]
    names = (f"{pipe.size} tee", f"{pipe.size} union", "three nipples, two of them as short as close")
    order = (
        "Shut and prove the line dead; cut the old pipe between the marks, or saw it once and take both halves out.",
        "Nipple into the first fitting; the tee on it, clocked forwards to where its outlet has to look.",
        "Nipple into the far fitting, and one half of the union on it.",
        "Nipple into the tee, the other half of the union on it.",
        "Union last: faces clean, dry and in line, nut by hand, then 1/4 turn, holding the other half.",
        "Soap or wipe all joints that were turned, the old ones next to them too.",
    )
    if centres_mm is None or at_mm is None:
        return TapIn(round(least, 3), None, None, (), names, (), order, tuple(steps))
    gaps = gaps_of(catalogue, pipe, "thread", parts, old_pipe=(False, False))
    window = centres_mm - 2 * (face - made_up)
    if window <= 0:
        raise Refused("centres", centres_mm, f"more than both fittings: over {2 * face:.0f} mm", f"{4 * least:.0f}")
    if centres_mm - at_mm < least - 1e-6:
        raise Refused(
            "at",
            at_mm,
            f"at least {least:.1f} mm from the far fitting, for a union between two close nipples: at most "
            f"{centres_mm - least:.0f} here; or take the piece out to the next fitting",
            f"{max(centres_mm - least, 0) / 2:.0f}",
        )
    found = stack(window, [one.body for one in parts], gaps, APART_MM, places_mm={0: at_mm - (face - made_up)})
    old_mm = window
    first, far = found.pieces_mm[0], found.pieces_mm[-1]
    marks = at_mm - face + made_up, centres_mm - (face - made_up) - far
    again = (
        f"First nipple {first:.0f} mm: the old piece ({old_mm:.0f} mm) reaches; its outer thread stays in the fitting, "
        "or is used again if it is whole, brushed and sealed anew; the cut end is threaded in place.",
        f"Last nipple {far:.0f} mm: the other half of the old piece reaches; the same holds.",
        "Where there is no room to thread in place, both halves come out and new nipples go in.",
    )
    return TapIn(
        round(least, 3),
        found,
        (round(marks[0], 1), round(marks[1], 1)),
        found.pieces_mm,
        names,
        again,
        order,
        (*steps, *found.steps),
        tuple(one.body for one in parts),
        gaps,
    )


def wanted_window_mm(parts: Sequence[Part], gaps: Sequence[Gap]) -> float:
    """What is cut out of an old pipe for a row [mm]: the least that it goes into."""
    return least_window_mm([one.body for one in parts], gaps)
