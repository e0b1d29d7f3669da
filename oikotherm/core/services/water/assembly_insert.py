"""A backflow assembly put into a pipe that is there: what is cut out, where, the pieces, and the joint made last."""

from __future__ import annotations

import contextlib
import math
from dataclasses import dataclass

from ...catalogue import Catalogue
from ...errors import Refused
from ...job.model import Pipe
from ...making import rows
from ...making.stack import APART_MM, Body, Stack, stack
from ...quantity import trim
from .backflow import PART_OF

OVER_LEAST_MM = 5.0  # what each piece is longer than the least that can be made (typ)
PARTS = {kind: PART_OF[kind] for kind in ("dc", "rpz")}  # those that go in by a row


@dataclass(frozen=True, slots=True)
class Insert:
    """The row as it goes in. words: its parts in order, as they are named in the catalogue; slides_mm: length of a slip
    coupling, pushed wholly onto the old pipe first, 0 for none; cut_out_mm: of the old pipe, between the two marks."""

    words: tuple[str, ...]
    stack: Stack
    bodies: tuple[Body, ...]
    cut_out_mm: float
    slides_mm: float

    def middle_mm(self, title: str) -> float:
        """Where the middle of a part stands, from the first mark [mm]. Raises KeyError for none of the row."""
        return next(at for what, at in self.stack.marks if what == f"{title}, middle")

    @property
    def assembly_at_mm(self) -> float:
        """Where the middle of the assembly stands, from the first mark [mm]."""
        return self.middle_mm(next(one.title for one in self.bodies if "assembly" in one.title))


def insert(
    catalogue: Catalogue,
    pipe: Pipe,
    method: str,
    kind: str,
    room_mm: float,
    *,
    valves: bool = True,
    strainer: bool = False,
    play_mm: float = APART_MM,
) -> Insert:
    """An assembly with its two valves between the cut ends of an old pipe.

    method: of the couplings on the old pipe; room_mm: of bare, straight pipe there; strainer: before it. The row closes
    with what can be made last: a plain coupling where the pipe springs apart as far as it goes in, else a slip
    coupling. Raises Refused: a kind that is no assembly, a pipe without one, too little room.
    """
    part = PARTS.get(kind)
    if part is None:
        raise Refused("kind", kind, f"one of {', '.join(PARTS)}", "dc")
    middle = [*(["strainer"] if strainer else []), part]
    row = ["coupling", *(["iso", *middle, "iso"] if valves else middle)]
    with contextlib.suppress(Refused):
        return _row(catalogue, pipe, method, [*row, "coupling"], room_mm, play_mm)
    return _row(catalogue, pipe, method, [*row, "slip"], room_mm, play_mm)


def _row(catalogue: Catalogue, pipe: Pipe, method: str, words: list[str], room_mm: float, play_mm: float) -> Insert:
    parts = [rows.part_of(catalogue, pipe, method, word) for word in words]
    gaps = rows.gaps_of(catalogue, pipe, method, parts, old_pipe=(True, True))
    bodies = tuple(
        Body(f"{one.body.title} {n}".strip(), one.body.length_mm, one.body.opens, one.body.slides_mm)
        for n, one in _numbered(parts)
    )
    window = math.ceil(rows.wanted_window_mm(parts, gaps) + OVER_LEAST_MM * (len(parts) - 1))
    slides = max(one.slides_mm for one in bodies)
    if room_mm < window + slides:
        raise Refused(
            "Bare, straight pipe there",
            f"{trim(room_mm, 1)} mm",
            f"{trim(window + slides, 1)} mm at least: {window} are cut out"
            + (f", the slip coupling waits on {trim(slides, 1)} beside" if slides else ""),
            trim(math.ceil(window + slides), 0),
        )
    found = stack(float(window), bodies, gaps, play_mm)
    return Insert(tuple(words), found, bodies, float(window), slides)


def _numbered(parts: list[rows.Part]) -> list[tuple[str, rows.Part]]:
    """Parts with a number behind those that come twice, and nothing behind the others."""
    titles = [one.body.title for one in parts]
    return [
        (str(titles[: n + 1].count(one.body.title)) if titles.count(one.body.title) > 1 else "", one)
        for n, one in enumerate(parts)
    ]
