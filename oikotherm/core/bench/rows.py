"""calc stack, tap_in."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any, Literal

from pydantic import Field

from ..errors import Refused
from ..making import rows
from ..making import stack as stacks
from ..making.fitup import spring_mm
from ..making.stack import MOST_BODIES, Body, Gap
from .lengths import Method, read_pipe
from .registry import Input, Quantity, in_force, mm, tool


class BodyIn(Input):
    title: str = Field(description="what it is, such as double check", min_length=1, max_length=60)
    length: Quantity = Field(description="its length; mm, or text with a unit")
    measured: Literal["mouths", "stops"] = Field(
        default="mouths", description="over its mouths or faces, or between the stops its pipe comes to (mouths)"
    )
    method: Method | None = Field(default=None, description="the joint at its ends (that of the row)")
    opens: bool = Field(default=False, description="whether it comes apart within, by unions or flat faces (false)")


class StackIn(Input):
    pipe: str = Field(description="pipe system and size, such as cu-m 22 or fe-40 3/4")
    method: Method = Field(default="capillary", description="the joint of the fittings at the ends (capillary)")
    bodies: str | list[str | BodyIn] = Field(
        description="the parts in their order, with commas: coupling, slip, tee, union, a device such as iso or check, "
        "or a name with its length over the mouths, and opens where it comes apart: double check 290 opens"
    )
    window: Quantity | None = Field(
        default=None, description="between the ends; mm, or text with a unit (what the row takes at the least)"
    )
    ends: Literal["pipe", "fittings"] = Field(
        default="pipe",
        description="pipe: old pipe is cut and goes straight into the first and last part; fittings: a piece stands "
        "before them (pipe)",
    )
    measured: Literal["mouths", "stops"] = Field(
        default="mouths", description="between fittings: from mouth to mouth or from stop to stop (mouths)"
    )
    play: Quantity = Field(
        default=2, description="how far the ends can be sprung apart; mm (2, typical: enough for the faces of a union)"
    )
    push: Quantity = Field(default=0, description="how far an old stub can be pushed back; mm (0)")
    trim: Quantity = Field(default=0, description="how much may be cut off each old end; mm (0)")
    side: Quantity = Field(default=0, description="how far the ends are out of line; mm (0)")
    free: Quantity = Field(default=300, description="length of old pipe that can move to the side; mm (300)")
    at: Quantity | None = Field(
        default=None, description="where the middle of the first tee has to stand, from the first end; mm"
    )


@tool(
    "Row between two ends",
    "parts between two fixed ends: pieces, slack, order, the joint made last, marks",
    {
        "pipe": "cu-m 22",
        "bodies": "iso, double check 290 opens, iso",
        "window": 480,
    },
)
def stack(said: StackIn) -> dict[str, Any]:
    """{pieces_mm, slack_mm, trims_mm, cut_out_mm, last, order, marks: [{what, at_mm}], text, working}. cut_out_mm: what
    is taken out of the old pipe. Raises Refused."""
    catalogue = in_force()
    pipe = read_pipe(said.pipe, catalogue)
    listed = _listed(said.bodies)
    parts = [_part(said, one) for one in listed]
    old = said.ends == "pipe"
    gaps = rows.gaps_of(catalogue, pipe, said.method, parts, old_pipe=(old, old))
    titles = [one.body.title for one in parts]
    bodies = [
        replace(one.body, title=f"{one.body.title} {titles[: n + 1].count(one.body.title)}")
        if titles.count(one.body.title) > 1
        else one.body
        for n, one in enumerate(parts)
    ]
    least = rows.wanted_window_mm(parts, gaps)
    window = least
    if said.window is not None:
        window = mm(said.window, "window")
        if not old and said.measured == "mouths":
            window += 2 * rows.insertion_of(catalogue, pipe, said.method)
    shift = _shift(said, catalogue, pipe)
    allowed = mm(said.trim, "trim")
    places = None
    if said.at is not None:
        which = next((n for n, one in enumerate(listed) if one == "tee"), None)
        if which is None:
            raise Refused("at", said.at, "a tee in the row whose middle stands there", "tee")
        places = {which: mm(said.at, "at")}
    found = stacks.stack(
        window,
        bodies,
        gaps,
        mm(said.play, "play") + mm(said.push, "push"),
        trims_mm=(allowed, allowed) if old else (0.0, 0.0),
        places_mm=places,
    )
    cut_out = window + sum(found.trims_mm)
    ways = []
    if sum(found.trims_mm):
        ways.append(f"trim {found.trims_mm[0]:.0f} and {found.trims_mm[1]:.0f} mm off the old ends")
    if found.last.play_mm > mm(said.play, "play"):
        ways.append(f"push the stub back by {found.last.play_mm - mm(said.play, 'play'):.0f} mm")
    if shift:
        ways.append(shift)
    pieces = ", ".join(f"{piece:.1f}".removesuffix(".0") for piece in found.pieces_mm) or "none"
    text = f"pieces {pieces} mm; {found.slack_mm:.1f} mm to spare; last: {found.last.title}"
    return {
        "pieces_mm": list(found.pieces_mm),
        "slack_mm": round(found.slack_mm, 3),
        "least_mm": round(least, 3),
        "trims_mm": list(found.trims_mm),
        "cut_out_mm": round(cut_out, 3),
        "last": found.last.title,
        "last_at_mm": round(found.last.at_mm, 1),
        "order": list(found.order),
        "marks": [{"what": what, "at_mm": at} for what, at in found.marks],
        "row": _drawn(bodies, gaps, found.pieces_mm),
        "stubs": ways,
        "text": "; ".join([text, *ways]),
        "working": [step.as_dict() for step in found.steps],
    }


def _drawn(bodies: list[Body], gaps: tuple[Gap, ...], pieces_mm: tuple[float, ...]) -> list[dict[str, Any]]:
    """The row as it is drawn: bodies and pieces in order, with their lengths."""
    left = iter(pieces_mm)
    found: list[dict[str, Any]] = []
    for n, gap in enumerate(gaps):
        if gap.least_mm is not None:
            found.append({"title": "piece", "mm": next(left), "piece": True})
        if n < len(bodies):
            found.append({"title": bodies[n].title, "mm": bodies[n].length_mm, "piece": False})
    return found


_OWN = re.compile(r"(?P<title>.*?\D)\s+(?P<length>\d+(?:[.,]\d+)?(?:\s*(?:mm|cm|m|in|\"))?)(?P<opens>\s+opens)?")


def _listed(said: str | list[str | BodyIn]) -> list[str | BodyIn]:
    """The parts one by one: a name of the catalogue, or a name with a length of its own. Raises Refused."""
    words = [one.strip() for one in said.split(",")] if isinstance(said, str) else said
    found: list[str | BodyIn] = []
    for one in words:
        own = _OWN.fullmatch(one) if isinstance(one, str) else None
        found.append(BodyIn(title=own["title"], length=own["length"], opens=bool(own["opens"])) if own else one)
    if not 1 <= len(found) <= MOST_BODIES:
        raise Refused("bodies", len(found), f"1 to {MOST_BODIES} parts", "iso, check, iso")
    return found


def _part(said: StackIn, one: str | BodyIn) -> rows.Part:
    """A part as said: by its name, or by its own measures."""
    catalogue = in_force()
    pipe = read_pipe(said.pipe, catalogue)
    if isinstance(one, str):
        return rows.part_of(catalogue, pipe, said.method, one.strip().lower())
    method = one.method or said.method
    depth = rows.insertion_of(catalogue, pipe, method)
    length = mm(one.length, "length") - (2 * depth if one.measured == "mouths" else 0.0)
    if length <= 0:
        raise Refused("length", one.length, f"more than both depths together, {2 * depth:.1f} mm", "290")
    return rows.Part(Body(one.title, round(length, 3), opens=one.opens), method, depth)


def _shift(said: StackIn, catalogue: Any, pipe: Any) -> str:
    """What is done about ends out of line, in words; empty where they are not. Raises Refused beyond their spring."""
    side, free = mm(said.side, "side"), mm(said.free, "free")
    if side <= 0:
        return ""
    most = spring_mm(catalogue, pipe, free)
    if side > most:
        raise Refused(
            "side",
            said.side,
            f"at most {most:.1f} mm, what {free:.0f} mm of free pipe spring over; beyond it a set or two 45 elbows: "
            "see stubs",
            f"{most:.0f}",
        )
    return f"shift the old pipe to the side by {side:.1f} mm, {most:.1f} mm spring in"


class TapInIn(Input):
    pipe: str = Field(description="threaded pipe and its size, such as fe-40 3/4")
    centres: Quantity | None = Field(
        default=None, description="between the centres of the two fittings on the old line; mm, or text with a unit"
    )
    at: Quantity | None = Field(default=None, description="the new tee's centre from the first fitting's; mm")
    branch: str | None = Field(default=None, description="pipe of the branch, such as fe-40 1/2 (as the line)")


@tool(
    "Tap into a threaded line",
    "a tee, a union and nipples in an old line: room, pieces, cut marks, order",
    {"pipe": "fe-40 3/4", "centres": "48 in", "at": "20 in"},
)
def tap_in(said: TapInIn) -> dict[str, Any]:
    """{least_mm, pieces_mm, cuts_mm, parts, order, again, last, text, working}. Raises Refused."""
    catalogue = in_force()
    found = rows.tap_in(
        catalogue,
        read_pipe(said.pipe, catalogue),
        None if said.centres is None else mm(said.centres, "centres"),
        None if said.at is None else mm(said.at, "at"),
    )
    branch = None if said.branch is None else read_pipe(said.branch, catalogue)
    own = read_pipe(said.pipe, catalogue)
    reduced = branch is not None and branch.size != own.size
    names = [
        f"{own.size} x {branch.size} tee" if reduced and branch and one == f"{own.size} tee" else one
        for one in found.parts
    ]
    text = f"at least {found.least_mm:.1f} mm from the tee's centre to the far fitting's"
    if found.cuts_mm:
        text = f"cut at {found.cuts_mm[0]:.0f} and {found.cuts_mm[1]:.0f} mm from the first fitting's centre; {text}"
    return {
        "least_mm": found.least_mm,
        "least_centres_mm": found.least_mm,
        "pieces_mm": list(found.pieces_mm),
        "cuts_mm": list(found.cuts_mm or ()),
        "parts": names,
        "order": list(found.order),
        "again": list(found.again),
        "cautions": [
            "Gas is licensed work: the line is shut, proved dead and purged before it is cut, and tested after."
        ],
        "last": found.stack.last.title if found.stack else "the union",
        "last_at_mm": round(found.stack.last.at_mm, 1) if found.stack else 0.0,
        "marks": [{"what": what, "at_mm": at} for what, at in found.stack.marks] if found.stack else [],
        "row": _drawn(list(found.bodies), found.gaps, found.pieces_mm) if found.stack else [],
        "text": text,
        "working": [step.as_dict() for step in found.steps],
    }
