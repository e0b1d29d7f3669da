"""Parts set in a row between two fixed ends: the pieces between them, what is left over, which joint is made last, and
where the old pipe is marked. One sum for tees cut in, risers, meters, valves, assemblies and tap-in kits.

All is measured between stops: the planes that pipe ends come to rest at. A socket has its stop at z from the centre; a
made-up thread ends its pipe one made-up length behind the face. So pieces and bodies add up to the window, whatever
joins them.
"""

from __future__ import annotations

import contextlib
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from ..errors import Refused
from ..quantity import trim
from ..working import Step

APART_MM = 2.0  # axial spring by which the faces of a union, flange or flare come past each other (typ)
NO_PIECE_MM = 1.0  # how far two old ends together may stop short where no piece takes it up (typ)
FACES = ("union", "washer", "flare")  # joints that come apart without drawing a pipe out
MOST_BODIES = 40


@dataclass(frozen=True, slots=True)
class Body:
    """A part of the row. length_mm: between its stops; opens: it comes apart within, as a union does; slides_mm: a slip
    coupling's whole length, which has to find room on one pipe beside it, 0 for what does not slide."""

    title: str
    length_mm: float
    opens: bool = False
    slides_mm: float = 0.0


@dataclass(frozen=True, slots=True)
class Gap:
    """What stands between two bodies, or a body and the end. least_mm: of a piece of pipe there; None: the pipe that is
    there already, or the next body, goes straight in. methods, insertions_mm: of its one joint, or of the two at the
    ends of the piece. bare_mm: of old pipe that is there already, over which a slip coupling beside it can be slid."""

    least_mm: float | None
    methods: tuple[str, ...]
    insertions_mm: tuple[float, ...]
    bare_mm: float = 0.0


@dataclass(frozen=True, slots=True)
class Made:
    """A joint of the row: where it is, and the axial play it takes to be made last [mm], infinite where it cannot
    be."""

    title: str
    at_mm: float
    play_mm: float


@dataclass(frozen=True, slots=True)
class Stack:
    """The row as it is made. pieces_mm in order; slack_mm: what they are longer than the least together; trims_mm: cut
    off either old end first; order: the joints as they are made, the last one last; marks: (what, mm from the first
    end); steps: the sum."""

    pieces_mm: tuple[float, ...]
    slack_mm: float
    trims_mm: tuple[float, float]
    last: Made
    order: tuple[str, ...]
    marks: tuple[tuple[str, float], ...]
    steps: tuple[Step, ...]


def least_window_mm(bodies: Sequence[Body], gaps: Sequence[Gap]) -> float:
    """The shortest window that a row goes into [mm]: all bodies and the least of every piece."""
    return sum(body.length_mm for body in bodies) + sum(gap.least_mm or 0.0 for gap in gaps)


def stack(
    window_mm: float,
    bodies: Sequence[Body],
    gaps: Sequence[Gap],
    play_mm: float = 0.0,
    *,
    trims_mm: tuple[float, float] = (0.0, 0.0),
    places_mm: Mapping[int, float] | None = None,
) -> Stack:
    """Set a row of bodies between two ends [mm, 0 to 100 m apart, between their stops].

    gaps: one more than bodies, the first before the first body. play_mm: how far the ends can be drawn or sprung apart;
    trims_mm: how much may be cut off the old pipe at either end; places_mm: body -> where its middle has to stand, from
    the first end. What pieces are longer than the least is shared evenly among those of a stretch, in whole millimetres
    but for the last.

    Raises Refused: where it does not go in, with what is missing; where nothing takes up what is over; where no joint
    can be made last, with the play that would do.
    """
    if not 1 <= len(bodies) <= MOST_BODIES:
        raise Refused("bodies", len(bodies), f"1 to {MOST_BODIES} parts", "iso")
    if len(gaps) != len(bodies) + 1:
        raise Refused("joints", len(gaps), f"one more than parts: {len(bodies) + 1}", str(len(bodies) + 1))
    if not 0 < window_mm <= 1e5 or play_mm < 0 or min(trims_mm) < 0:
        raise Refused("window", window_mm, "a length above 0 and up to 100 m, play and trim not below 0", "400")
    window, trimmed = _trimmed(window_mm, bodies, gaps, trims_mm, places_mm or {})
    places = {which: at + trimmed[0] for which, at in (places_mm or {}).items()}
    pieces, slack = _pieces(window, bodies, gaps, places)
    joints, marks = _laid(bodies, gaps, pieces)
    if min(one.play_mm for one in joints) > play_mm:  # what is over goes to one piece, so that a coupling can slide on
        for longer in _for_sliding(bodies, gaps):
            with contextlib.suppress(Refused):
                pieces, _ = _pieces(window, bodies, longer, places)
                joints, marks = _laid(bodies, gaps, pieces)
                break
    last = _last(joints, play_mm)
    order = [one.title for one in joints if one.at_mm < last.at_mm - 1e-9]
    order += [one.title for one in reversed(joints) if one.at_mm >= last.at_mm - 1e-9 and one is not last]
    said = [(f"piece_{n}_mm", piece) for n, piece in enumerate(pieces, 1)]
    steps = (
        Step("bodies, between their stops", tuple((one.title, one.length_mm) for one in bodies), _sum(bodies), "mm"),
        Step("room for pieces = window - bodies", (("window_mm", window),), round(window - _sum(bodies), 6), "mm"),
        Step("pieces", tuple(said), round(sum(pieces), 6), "mm"),
    )
    return Stack(
        tuple(pieces),
        round(slack, 6),
        trimmed,
        last,
        (*order, last.title),
        tuple((n, round(at, 1)) for n, at in marks),
        steps,
    )


def _sum(bodies: Sequence[Body]) -> float:
    return round(sum(body.length_mm for body in bodies), 6)


def _trimmed(
    window_mm: float,
    bodies: Sequence[Body],
    gaps: Sequence[Gap],
    trims_mm: tuple[float, float],
    places_mm: Mapping[int, float],
) -> tuple[float, tuple[float, float]]:
    """The window with the old ends cut back as far as the row needs it, and what is cut off each."""
    cut = [0.0, 0.0]
    if places_mm:
        first, last = min(places_mm), max(places_mm)
        before = least_window_mm(bodies[:first], gaps[: first + 1]) + bodies[first].length_mm / 2
        behind = least_window_mm(bodies[last + 1 :], gaps[last + 1 :]) + bodies[last].length_mm / 2
        cut[0] = max(0.0, before - places_mm[first])
        cut[1] = max(0.0, behind - (window_mm - places_mm[last]))
        cut = [min(own, may) for own, may in zip(cut, trims_mm, strict=True)]
    else:
        short = max(0.0, least_window_mm(bodies, gaps) - window_mm)
        cut[1] = min(short, trims_mm[1])
        cut[0] = min(short - cut[1], trims_mm[0])
    return window_mm + sum(cut), (round(cut[0], 6), round(cut[1], 6))


def _pieces(
    window_mm: float, bodies: Sequence[Body], gaps: Sequence[Gap], places_mm: Mapping[int, float]
) -> tuple[list[float], float]:
    """The pieces between the bodies, stretch by stretch between the ends and the bodies that have their place."""
    pieces: list[float] = []
    slack = 0.0
    begin, at, title = 0, 0.0, "the first end"
    for which in [*sorted(places_mm), len(bodies)]:
        whole = which == len(bodies)
        stretch = range(begin, which)
        half = 0.0 if whole else bodies[which].length_mm / 2
        end = window_mm if whole else places_mm[which] - half
        own = gaps[begin : which + 1]
        room = end - at - sum(bodies[n].length_mm for n in stretch)
        over = room - sum(gap.least_mm or 0.0 for gap in own)
        to = "the other end" if whole else bodies[which].title
        if over < -1e-6:
            need = end - at - over
            raise Refused(
                "window",
                f"{trim(end - at, 1)} mm from {title} to {to}",
                f"at least {trim(need, 1)} mm there: {trim(-over, 1)} mm are missing for "
                f"{', '.join([*(bodies[n].title for n in stretch), 'the least pieces'])}",
                trim(math.ceil(window_mm - over), 0),
            )
        shares = _shared(over, [gap.least_mm for gap in own if gap.least_mm is not None])
        if not shares and over > NO_PIECE_MM + 1e-9:
            raise Refused(
                "window",
                f"{trim(end - at, 1)} mm from {title} to {to}",
                f"{trim(end - at - over, 1)} mm: no piece takes up the {trim(over, 1)} mm that are over",
                trim(window_mm - over, 1),
            )
        pieces += shares
        slack += over
        begin, at, title = which + 1, end + 2 * half, to
    return pieces, max(slack, 0.0)


def _for_sliding(bodies: Sequence[Body], gaps: Sequence[Gap]) -> Iterator[list[Gap]]:
    """The gaps with one piece beside a slip coupling long enough for all of it."""
    for n, body in enumerate(bodies):
        for which, other in ((n, 0), (n + 1, -1)) if body.slides_mm else ():
            gap = gaps[which]
            if gap.least_mm is not None:
                need = max(gap.least_mm, body.slides_mm + gap.insertions_mm[other])
                yield [*gaps[:which], replace(gap, least_mm=need), *gaps[which + 1 :]]


def _shared(over_mm: float, least_mm: list[float]) -> list[float]:
    """Pieces of at least these lengths that together are so much longer: whole millimetres, the last the rest."""
    whole = sum(least_mm) + over_mm
    found: list[float] = []
    for n, least in enumerate(least_mm):
        left = len(least_mm) - n
        rest = whole - sum(found)
        if left == 1:
            found.append(round(rest, 6))
            break
        spare = rest - sum(least_mm[n:])
        found.append(max(float(math.floor(least + spare / left)), least))
    return found


Marks = list[tuple[str, float]]


def _laid(bodies: Sequence[Body], gaps: Sequence[Gap], pieces: Sequence[float]) -> tuple[list[Made], Marks]:
    """The joints in their order along the row, and the marks."""
    joints: list[Made] = []
    marks: Marks = [("first end", 0.0)]
    starts: list[float] = []
    at = 0.0
    left = list(pieces)
    bare: list[tuple[float, float]] = []  # pipe in each gap that the body before it, and behind it, can be slid over
    for n, gap in enumerate(gaps):
        edge = n in (0, len(bodies))
        before = bodies[n - 1].title if n else "the first end"
        behind = bodies[n].title if n < len(bodies) else "the other end"
        plays = [_play_mm(method, depth) for method, depth in zip(gap.methods, gap.insertions_mm, strict=True)]
        if gap.least_mm is None:
            name = behind if n == 0 else before
            joints.append(Made(f"{gap.methods[0]} at {name}" if edge else f"{before} in {behind}", at, plays[0]))
            bare.append((gap.bare_mm, gap.bare_mm))
        else:
            length = left.pop(0)
            joints.append(Made(f"{gap.methods[0]} at {before}", at, plays[0]))
            at += length
            joints.append(Made(f"{gap.methods[-1]} at {behind}", at, plays[-1]))
            bare.append((length - gap.insertions_mm[-1], length - gap.insertions_mm[0]))
        if n < len(bodies):
            starts.append(at)
            marks.append((f"{bodies[n].title}, stop", at))
            marks.append((f"{bodies[n].title}, middle", at + bodies[n].length_mm / 2))
            if bodies[n].opens:
                joints.append(Made(bodies[n].title, at + bodies[n].length_mm / 2, APART_MM))
            at += bodies[n].length_mm
            marks.append((f"{bodies[n].title}, other stop", at))
    marks.append(("other end", at))
    for n, body in enumerate(bodies):
        if body.slides_mm and max(bare[n][1], bare[n + 1][0]) >= body.slides_mm:
            joints = [one for one in joints if not one.title.endswith(f" at {body.title}")]
            joints.append(Made(f"{body.title}, slid on first and back over the gap", starts[n], 0.0))
    joints.sort(key=lambda one: one.at_mm)
    return joints, marks


def _play_mm(method: str, insertion_mm: float) -> float:
    """The axial play a joint takes to be made last [mm]: a plain socket its whole depth, a face hardly any; a tapered
    thread turns, which nothing does between two fixed ends."""
    if method == "thread":
        return math.inf
    return APART_MM if method in FACES else insertion_mm


def _last(joints: Sequence[Made], play_mm: float) -> Made:
    """The joint made last: the one that takes the least play, of those that there is play for. Raises Refused."""
    found = min(joints, key=lambda one: one.play_mm)
    if found.play_mm > play_mm + 1e-9:
        say = "a joint that slides or comes apart: a slip coupling or a union in the row"
        if math.isfinite(found.play_mm):
            say += f"; or {trim(found.play_mm, 1)} mm of play, for {found.title}"
        raise Refused("play", f"{trim(play_mm, 1)} mm, no joint that can be made last", say, "slip")
    return found
