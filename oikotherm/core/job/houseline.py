"""The house by typing: rooms, walls, joists and what is in the way, one line each.

    room SCU on L0 Scullery: 0,0 3000x2500 20C 900W
    wall W1 on L0: 0,0 to 4200,0 100 stud
    joists J1 on L1: 0,0 4200x3600 along N 200x47 at 400 span 3600
    beam O1 on L0: 1000,0,2200 150x3600x200 clear 25

Corners are x,y from the house's own corner, east and north; an outline is a corner with width x depth, or three and
more corners.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from ..errors import Refused
from ..fields import ID_PATTERN, XY
from ..quantity import PaceUnit, parse
from .document import read_as
from .model import Job, JoistField, Obstacle, Room, Wall
from .words import Style, Token, tokens
from .writing import exact_length

HousePart = Room | Wall | JoistField | Obstacle
OBSTACLES = ("beam", "truss", "hatch", "cable", "board", "meter", "duct", "window")
EXAMPLES = {
    "room": "room SCU on L0 Scullery: 0,0 3000x2500 20C 900W",
    "wall": "wall W1 on L0: 0,0 to 4200,0 100 stud",
    "joists": "joists J1 on L1: 0,0 4200x3600 along N 200x47 at 400 span 3600",
    **{kind: f"{kind} O1 on L0: 1000,0,2200 150x3600x200 clear 25" for kind in OBSTACLES},
}


def parse_part(text: str, style: Style) -> tuple[str, HousePart]:
    """Read a line of the house: ("room" | "wall" | "joists" | "obstacle", the part). Raises Refused with the span and
    an example."""
    colon = text.find(":")
    if colon < 0:
        raise Refused(
            "house",
            text[:60],
            "what it is, its name and level, then a colon and its measures",
            EXAMPLES["room"],
            (len(text), len(text)),
        )
    head = tokens(text[:colon])
    word = head[0].text.lower() if head else ""
    if word not in EXAMPLES:
        raise Refused(
            "house",
            word,
            f"room, wall, joists, {', '.join(OBSTACLES)}",
            EXAMPLES["room"],
            head[0].where if head else (0, colon),
        )
    example = EXAMPLES[word]
    if len(head) < 4 or head[2].text.lower() != "on" or not re.fullmatch(ID_PATTERN, head[1].text.upper()):
        raise Refused("house", text[:colon], "a name in capitals, then on and the level", example, (0, colon))
    fields: dict[str, Any] = {"id": head[1].text.upper(), "level": head[3].text.upper()}
    rest = _Reader(tokens(text[colon + 1 :], colon + 1), style, example)
    if word == "room":
        fields |= {
            "name": " ".join(token.text for token in head[4:]) or fields["id"].capitalize(),
            "outline": rest.outline(),
            **rest.room(),
        }
        return "room", read_as(Room, fields)
    if word == "wall":
        first = rest.corner()
        rest.word("to")
        fields |= {
            "from_xy": first,
            "to_xy": rest.corner(),
            "thickness_mm": rest.length(),
            "kind": rest.one_of(("masonry", "stud", "timber")),
        }
        rest.end()
        return "wall", read_as(Wall, fields)
    if word == "joists":
        fields |= {"outline": rest.outline(), **rest.joists()}
        return "joists", read_as(JoistField, fields)
    low = rest.corner(3)
    size = rest.sizes(3)
    fields |= {"kind": word, "box": (low, tuple(a + b for a, b in zip(low, size, strict=True)))}
    if rest.left():
        rest.word("clear")
        fields["clearance_mm"] = rest.length()
    rest.end()
    return "obstacle", read_as(Obstacle, fields)


class _Reader:
    """Takes the words after the colon one by one."""

    def __init__(self, words: Sequence[Token], style: Style, example: str) -> None:
        self.words = list(words)
        self.style = style
        self.example = example
        self.where = (words[0].start, words[-1].end) if words else (0, 0)

    def left(self) -> bool:
        return bool(self.words)

    def refuse(self, expected: str) -> Refused:
        token = self.words[0] if self.words else None
        return Refused(
            "house",
            token.text if token else "nothing",
            expected,
            self.example,
            token.where if token else (self.where[1], self.where[1]),
        )

    def length(self, text: str | None = None) -> float:
        if text is None:
            if not self.words or not self.words[0].text[0].isdigit():
                raise self.refuse("a length")
            token = self.words.pop(0)
            return self.style.length_mm(token.text, "house", token.where)
        return self.style.length_mm(text, "house", self.words[0].where)

    def corner(self, axes: int = 2) -> Any:
        parts = re.split(r"[,;]" if not self.style.decimal_comma else "/", self.words[0].text) if self.words else []
        if len(parts) != axes or not all(re.fullmatch(r"-?[\d.,'\"/-]+\w*", part) for part in parts):
            raise self.refuse(f"{'x,y' if axes == 2 else 'x,y,z'} of a corner")
        found = tuple(-self.length(part[1:]) if part.startswith("-") else self.length(part) for part in parts)
        self.words.pop(0)
        return found

    def is_corner(self) -> bool:
        return (
            bool(self.words)
            and re.match(r"-?\d", self.words[0].text) is not None
            and ("/" if self.style.decimal_comma else ",") in self.words[0].text
        )

    def sizes(self, axes: int = 2) -> Any:
        parts = self.words[0].text.lower().split("x") if self.words else []
        if len(parts) != axes or not all(parts):
            raise self.refuse(
                " x ".join(("width", "depth", "height")[:axes])
                + ", such as "
                + "x".join(["3000", "2500", "200"][:axes])
            )
        found = tuple(self.length(part) for part in parts)
        if min(found) <= 0:
            raise self.refuse("sizes above 0")
        self.words.pop(0)
        return found

    def outline(self) -> tuple[XY, ...]:
        first = self.corner()
        if self.words and "x" in self.words[0].text.lower() and not self.is_corner():
            w, d = self.sizes()
            x, y = first
            return ((x, y), (x + w, y), (x + w, y + d), (x, y + d))
        corners = [first]
        while self.is_corner():
            corners.append(self.corner())
        if len(corners) < 3:
            raise self.refuse("width x depth after the first corner, or two more corners")
        return tuple(corners)

    def room(self) -> dict[str, Any]:
        fields: dict[str, Any] = {}
        while self.words:
            low = self.words[0].text.lower()
            if low in ("cold", "unheated"):
                fields["heated"] = False
            elif low in ("flameless", "noflame"):
                fields["flame_allowed"] = False
            elif low == "rodents":
                fields["rodents"] = True
            elif re.fullmatch(r"-?\d+(\.\d+)?°?[cf]", low):
                fields["room_c"] = parse(low.replace("°", "").upper(), "temperature", "C", field="house")
            elif re.fullmatch(r"\d+([.,]\d+)?(w|kw|btu/h)", low):
                fields["need_w"] = parse(low, "power", "W", field="house", decimal_comma=self.style.decimal_comma)
            else:
                raise self.refuse("20C, 900W, cold, flameless or rodents")
            self.words.pop(0)
        return fields

    def joists(self) -> dict[str, Any]:
        fields: dict[str, Any] = {}
        while self.words:
            low = self.words[0].text.lower()
            if low in ("along", "at", "span"):
                self.words.pop(0)
                if low == "along":
                    fields["along"] = self.one_of(("N", "E"), upper=True)
                else:
                    fields["centres_mm" if low == "at" else "span_mm"] = self.length()
            elif low in ("solid", "i-joist", "truss"):
                fields["kind"] = low
                self.words.pop(0)
            elif "x" in low:
                fields["depth_mm"], fields["breadth_mm"] = self.sizes()
            else:
                raise self.refuse("along N or E, depth x breadth, at and their centres, span and its length")
        missing = {"along", "depth_mm", "centres_mm", "span_mm"} - fields.keys()
        if missing:
            raise self.refuse("along N or E, depth x breadth, at and their centres, span and its length")
        return fields

    def one_of(self, allowed: tuple[str, ...], *, upper: bool = False) -> str:
        said = self.words[0].text if self.words else ""
        said = said.upper() if upper else said.lower()
        if said not in allowed:
            raise self.refuse(" or ".join(allowed))
        self.words.pop(0)
        return said

    def word(self, wanted: str) -> None:
        if not self.words or self.words[0].text.lower() != wanted:
            raise self.refuse(wanted)
        self.words.pop(0)

    def end(self) -> None:
        if self.words:
            raise self.refuse("nothing more")


USUAL_MM = {"wall": 100.0, "beam": 2200.0, "high": 200.0, "clear": 25.0}  # typ, to be typed over
USUAL_IN_MM = {"wall": 114.3, "beam": 2133.6, "high": 203.2, "clear": 25.4}  # the same in whole inches
LETTERS = {"room": "K", "wall": "W", "beam": "O"}


def drawn_part(job: Job, kind: str, level: str, a: XY, b: XY) -> HousePart:
    """What was drawn on the plan of a level from a point to another [mm]: a room or an obstacle over the rectangle, a
    wall along the line. What a drawing does not say is as usual (typ). Raises Refused."""
    if kind not in LETTERS:
        raise Refused("kind", kind, f"what is drawn: {', '.join(LETTERS)}", "room")
    low = min(a[0], b[0]), min(a[1], b[1])
    wide, deep = abs(a[0] - b[0]), abs(a[1] - b[1])
    usual = USUAL_IN_MM if job.pace_unit == "in" else USUAL_MM
    fields: dict[str, Any] = {"id": job.free_id(LETTERS[kind]), "level": level}
    if kind == "wall":
        return read_as(Wall, {**fields, "from_xy": a, "to_xy": b, "thickness_mm": usual["wall"], "kind": "stud"})
    high = low[0] + wide, low[1] + deep
    if kind == "room":
        outline = low, (high[0], low[1]), high, (low[0], high[1])
        return read_as(Room, {**fields, "name": "Room", "outline": outline})
    box = (*low, usual["beam"]), (*high, usual["beam"] + usual["high"])
    return read_as(Obstacle, {**fields, "kind": "beam", "box": box, "clearance_mm": usual["clear"]})


def corners_of(part: HousePart) -> tuple[XY, ...]:
    """The corners of a part on the plan [mm]."""
    match part:
        case Wall():
            return part.from_xy, part.to_xy
        case Obstacle():
            (x, y, _), (x2, y2, _) = part.box
            return (x, y), (x2, y), (x, y2), (x2, y2)
        case _:
            return part.outline


def part_text(part: HousePart, unit: PaceUnit, *, comma: bool = False) -> str:
    """The canonical line of a part; `parse_part` reads it back to the same part."""

    def length(mm: float) -> str:
        text = ("-" if mm < 0 else "") + exact_length(abs(mm), unit)
        return text.replace(".", ",") if comma else text

    sign = "/" if comma else ","

    def corner(at: Sequence[float]) -> str:
        return sign.join(length(one) for one in at)

    def outline(corners: Sequence[XY]) -> str:
        if len(corners) == 4:
            (x, y), (x2, _), (_, y2), _ = corners
            if tuple(corners) == ((x, y), (x2, y), (x2, y2), (x, y2)) and x2 > x and y2 > y:
                return f"{corner((x, y))} {length(x2 - x)}x{length(y2 - y)}"
        return " ".join(corner(one) for one in corners)

    match part:
        case Room():
            words = [f"room {part.id} on {part.level} {part.name}:", outline(part.outline), f"{part.room_c:g}C"]
            words += [f"{part.need_w:g}W"] if part.need_w is not None else []
            words += ["cold"] if not part.heated else []
            words += ["flameless"] if not part.flame_allowed else []
            words += ["rodents"] if part.rodents else []
            return " ".join(words)
        case Wall():
            return (
                f"wall {part.id} on {part.level}: {corner(part.from_xy)} to {corner(part.to_xy)} "
                f"{length(part.thickness_mm)} {part.kind}"
            )
        case JoistField():
            kind = "" if part.kind == "solid" else f" {part.kind}"
            return (
                f"joists {part.id} on {part.level}: {outline(part.outline)} along {part.along} "
                f"{length(part.depth_mm)}x{length(part.breadth_mm)} "
                f"at {length(part.centres_mm)} span {length(part.span_mm)}{kind}"
            )
        case Obstacle():
            low, high = part.box
            size = "x".join(length(b - a) for a, b in zip(low, high, strict=True))
            clear = f" clear {length(part.clearance_mm)}" if part.clearance_mm else ""
            return f"{part.kind} {part.id} on {part.level}: {corner(low)} {size}{clear}"
