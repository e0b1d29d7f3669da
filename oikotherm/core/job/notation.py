"""The pacing notation: a run as one line of text, the way a fitter walks and says it.

    F1 from BLR.flow cu-m 22: D350 [iso] W1850 (wall 220) W400 *T1 W2000 *T2 =cu-m 15 {floor} N600 {view} U450 ->
    R3.left

Items are master and text is a view: `parse_run` reads a line into items, `run_text` (writing.py) writes the canonical
line, `align` lets the items of a retyped line keep the identity of those they replace. The grammar stands in
docs/notation.md.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from pydantic import ValidationError

from ..catalogue import Catalogue
from ..errors import Refused
from ..fields import ID_PATTERN, PORT_PATTERN, SIZE_PATTERN
from ..quantity import PaceUnit, Practice, parse_length_mm
from .model import Crossover, DeviceItem, Item, Leg, Lie, Pass, Pipe, PipeChange, Point, Remark, SetItem, Tee, TwinOf
from .ways import DIRECTIONS, WAY, canonical_way

MOST_SIGNS = 20_000
MOST_ITEMS = 2_000
PLACES = ("view", "boxed", "wall", "floor", "ceiling", "loft", "ground", "outside")
_UNIT_WORDS = {"mm", "cm", "m", "in", "ft", '"', "'"}
_ITEM_EXAMPLE = "W1850, [iso], *T1, (wall 220), =cu-m 15 or {floor}"
_CLOSER = {"[": "]", "(": ")", "{": "}"}
_DIR = "NE|SE|SW|NW|N|E|S|W|U|D"
_SIDE = re.compile(rf"(?i:(?P<side>{_DIR}))\s*(?P<mm>[^@+]+)")
_SET = re.compile(
    rf"(?i:(?P<side>{_DIR}))\s*(?P<mm>[^@+]+?)\s*(?:\+\s*(?i:(?P<second>{_DIR}))\s*(?P<second_mm>[^@+]+?)\s*)?"
    r"(?:@\s*(?P<deg>\d{1,2}(?:[.,]\d{1,3})?)\s*(?:°|deg)?\s*)?(?:(?i:over)\s+(?P<over>\w+)\s*)?"
    r"(?:(?i:flat)\s+(?P<flat>.+?)\s*)?"
)


@dataclass(frozen=True, slots=True)
class Style:
    """What the reading of a line depends on: the unit of a bare number, the practice (its words and comma), the
    pipes."""

    catalogue: Catalogue = field(repr=False)
    practice: Practice = "british"
    pace_unit: PaceUnit = "mm"

    @property
    def decimal_comma(self) -> bool:
        return self.practice == "continental"

    def length_mm(self, said: str, field: str, where: tuple[int, int]) -> float:
        try:
            return parse_length_mm(said, self.pace_unit, field=field, decimal_comma=self.decimal_comma)
        except Refused as refused:
            raise Refused(field, refused.said, refused.expected, refused.example, where) from None


@dataclass(frozen=True, slots=True)
class Token:
    """A word of the line and where it stands."""

    text: str
    start: int
    end: int

    @property
    def where(self) -> tuple[int, int]:
        return self.start, self.end


@dataclass(frozen=True, slots=True)
class ParsedRun:
    """A line that was read. Anchors are still as typed: whether they exist is for the job to say. Item ids are i1, i2
    ..."""

    id: str | None
    start: Token
    pipe: Pipe
    pipe_where: tuple[int, int]
    items: tuple[Item, ...]
    spans: tuple[tuple[int, int], ...]
    finish: Token | None
    twin: TwinOf | None = None
    twin_where: tuple[int, int] = (0, 0)


def tokens(text: str, offset: int = 0) -> list[Token]:
    """Split at blanks; brackets keep together, `->` stands alone, `#` runs to `;` or the end of the line.

    Raises Refused at a bracket that is not closed.
    """
    found: list[Token] = []
    at, size = 0, len(text)

    def add(start: int, end: int) -> None:
        found.append(Token(text[start:end], start + offset, end + offset))

    while at < size:
        sign = text[at]
        if sign.isspace() or sign == ";":
            at += 1
        elif sign in _CLOSER:
            end = text.find(_CLOSER[sign], at)
            if end < 0:
                raise Refused(
                    "item",
                    text[at : at + 20],
                    f"a closing {_CLOSER[sign]}",
                    f"{sign}…{_CLOSER[sign]}",
                    (at + offset, size + offset),
                )
            add(at, end + 1)
            at = end + 1
        elif sign == "#":
            end = min((place for place in (text.find(";", at), text.find("\n", at)) if place >= 0), default=size)
            add(at, end)
            at = end
        elif text.startswith("->", at):
            add(at, at + 2)
            at += 2
        else:
            end = at
            while (
                end < size and not text[end].isspace() and text[end] not in "[({#;" and not text.startswith("->", end)
            ):
                end += 1
            add(at, max(end, at + 1))
            at = max(end, at + 1)
    return found


Ports = Mapping[str, Collection[str]]  # station id -> the names of its ports


def parse_run(text: str, style: Style, ports: Ports | None = None) -> ParsedRun:
    """Read one line of pacing. Raises Refused with the span of what could not be read.

    `id from anchor pipe: items -> finish`; the id and the finish may be left out. ports: those of the job, so that a
    port may be said as a word after its station; without them such a word is a port where it is no pipe and a pipe
    follows.
    """
    if len(text) > MOST_SIGNS:
        raise Refused("run", text, f"a line of at most {MOST_SIGNS} signs", "", (MOST_SIGNS, len(text)))
    colon = text.find(":")
    example = "from BLR.flow cu-m 22: D350 W1850"
    if colon < 0:
        raise Refused("run", text, "where the run starts and its pipe, then a colon", example, (len(text), len(text)))
    head = tokens(text[:colon])
    words = [token.text.lower() for token in head]
    if "from" not in words[:2]:
        raise Refused("run", text[:colon], "[id] from anchor pipe, then a colon", example, (0, colon))
    at = words.index("from")
    run_id = None
    if at == 1:
        run_id = head[0].text.upper()
        if not re.fullmatch(ID_PATTERN, run_id):
            raise Refused("id", head[0].text, "capitals and figures, at most 8", "F1", head[0].where)
    if len(head) <= at + 1:
        raise Refused("start", text[:colon], "a port or a named point after from", "BLR.flow", (colon, colon))
    anchor, rest = _port_word(head[at + 1 :], style, ports)
    start = _anchor(anchor)
    if not rest:
        raise Refused("pipe", text[:colon], "a pipe and its size before the colon", "cu-m 22", (colon, colon))
    where = (rest[0].start, rest[-1].end)
    pipe = _pipe(rest, style)
    body = tokens(text[colon + 1 :], colon + 1)
    finish = None
    arrow = next((index for index, token in enumerate(body) if token.text == "->"), None)
    if arrow is not None:
        after = body[arrow + 1 :]
        if len(after) == 2 and ports is not None:
            joined, left = _port_word(after, style, ports)
            after = [joined, *left]
        if len(after) != 1:
            spot = (after[1].start, after[-1].end) if len(after) > 1 else (body[arrow].end, body[arrow].end)
            raise Refused(
                "finish",
                " ".join(token.text for token in after),
                "one port, point, cap, plug or stub after ->",
                "-> R3.left",
                spot,
            )
        finish = after[0] if after[0].text.lower() in ("cap", "plug", "stub") else _anchor(after[0])
        body = body[:arrow]
    if body and body[0].text.lower() == "twin":
        twin_where = (body[0].start, body[-1].end)
        return ParsedRun(run_id, start, pipe, where, (), (), finish, _twin(body, twin_where, style), twin_where)
    items, spans = parse_items(body, style)
    return ParsedRun(run_id, start, pipe, where, items, spans, finish)


def _twin(body: Sequence[Token], where: tuple[int, int], style: Style) -> TwinOf:
    example = "twin F1 N50"
    side = _SIDE.fullmatch(" ".join(token.text for token in body[2:]))
    if len(body) < 3 or not re.fullmatch(rf"(?i:{ID_PATTERN})", body[1].text) or not side:
        raise Refused(
            "twin", _said(body), "the run it goes beside, the side and the distance of centres", example, where
        )
    return TwinOf(
        run=body[1].text.upper(), side=side["side"].upper(), spacing_mm=_height(side["mm"], "twin", where, style)
    )


def _height(said: str, field: str, where: tuple[int, int], style: Style) -> float:
    length_mm = style.length_mm(said.strip(), field, where)
    if not 0 < length_mm <= 1e5:
        raise Refused(field, said, "a length above 0 and up to 100 m", "50", where)
    return length_mm


def _port_word(words: Sequence[Token], style: Style, ports: Ports | None) -> tuple[Token, Sequence[Token]]:
    """The anchor the words begin with and what is left: a station and the word after it that names a port of it are one
    anchor."""
    first = words[0]
    if len(words) > 1 and "." not in first.text:
        second = words[1]
        if ports is not None:
            names = second.text.lower() in ports.get(first.text.upper(), ())
        else:
            names = len(words) > 2 and not _is_system(second, style) and _is_system(words[2], style)
        if names:
            return Token(f"{first.text}.{second.text}", first.start, second.end), words[2:]
    return first, words[1:]


def _is_system(token: Token, style: Style) -> bool:
    try:
        style.catalogue.system_code(token.text, style.practice)
    except Refused:
        return False
    return True


def _anchor(token: Token) -> Token:
    if not re.fullmatch(rf"(?i:(?:{ID_PATTERN}\.)?(?:{PORT_PATTERN}|{ID_PATTERN}))", token.text):
        raise Refused("anchor", token.text, "a port or a named point", "BLR.flow, F1.T1 or T1", token.where)
    return token


def _pipe(words: Sequence[Token], style: Style) -> Pipe:
    where = (words[0].start, words[-1].end)
    said = " ".join(token.text for token in words)
    try:
        code = style.catalogue.system_code(words[0].text, style.practice)
    except Refused as refused:
        raise Refused("pipe", said, refused.expected, refused.example, words[0].where) from None
    size = "-".join(token.text for token in words[1:]).rstrip('"″').upper()
    size = size.removesuffix("MM") or ""
    if not re.fullmatch(SIZE_PATTERN, size):
        some = style.catalogue.sizes(code)
        raise Refused(
            "pipe",
            said,
            f"a size of {code}: {', '.join(some[:9])} or ?",
            f"{code} {some[min(2, len(some) - 1)]}",
            (words[-1].start, where[1]) if len(words) > 1 else (where[1], where[1]),
        )
    return Pipe(code=code, size=size)


def parse_items(body: Sequence[Token], style: Style) -> tuple[tuple[Item, ...], tuple[tuple[int, int], ...]]:
    """Read the items of a run: (items with ids i1, i2 ..., their spans). Raises Refused with the span."""
    groups = _join(body)
    if len(groups) > MOST_ITEMS:
        raise Refused("run", f"{len(groups)} items", f"at most {MOST_ITEMS} items", "", groups[MOST_ITEMS][0].where)
    items: list[Item] = []
    spans: list[tuple[int, int]] = []
    taken = {group[0].text[1:].split(":")[0].upper() for group in groups if group[0].text[0] in "*."}
    for number, group in enumerate(groups, 1):
        where = (group[0].start, group[-1].end)
        try:
            items.append(_item(group, f"i{number}", where, style, taken))
        except ValidationError as error:
            first = error.errors(include_url=False)[0]
            raise Refused(
                str(first["loc"][-1]) if first["loc"] else "item", _said(group), _expected(first), _ITEM_EXAMPLE, where
            ) from None
        spans.append(where)
    names: set[str] = set()
    for item, span in zip(items, spans, strict=True):
        if isinstance(item, Tee | Point):
            if item.name in names:
                raise Refused("name", item.name, "a name used once in the run", f"{item.name}1", span)
            names.add(item.name)
    return tuple(items), tuple(spans)


def _expected(error: Any) -> str:
    return (
        str(error["msg"]).removeprefix("Value error, ").removeprefix("expected ").replace("Input should be", "a value")
    )


def _said(group: Sequence[Token]) -> str:
    return " ".join(token.text for token in group)


def _repeated(body: Sequence[Token]) -> list[Token]:
    """Write out what is said several times: 3x<W600 *> gives W600 * W600 * W600 *. Raises Refused.

    Every copy points at the words it came from; a bare * takes the next free name each time.
    """
    found: list[Token] = []
    at = 0
    while at < len(body):
        token = body[at]
        opened = re.match(r"(\d{1,4})[xX]<", token.text)
        if not opened:
            found.append(token)
            at += 1
            continue
        inside: list[Token] = []
        first = Token(token.text[opened.end() :], token.start + opened.end(), token.end)
        words = [*([first] if first.text else []), *body[at + 1 :]]
        used = 1 if first.text else 0
        for number, word in enumerate(words):
            if re.match(r"\d+[xX]<", word.text):
                raise Refused("repeat", word.text, "no repeat within a repeat", "3x<W600 *>", word.where)
            ends = word.text.endswith(">") and word.text[0] not in "[({#"
            kept = Token(word.text[:-1], word.start, word.end - 1) if ends else word
            inside += [kept] if kept.text else []
            if ends:
                at += number + 1 + (1 - used)
                break
        else:
            raise Refused("repeat", token.text, "a closing >", "3x<W600 *>", (token.start, body[-1].end))
        times = int(opened[1])
        if not 1 <= times <= MOST_ITEMS or len(inside) * times + len(found) > 3 * MOST_ITEMS:
            raise Refused("repeat", token.text, f"from 1 to {MOST_ITEMS} items in all", "3x<W600 *>", token.where)
        found += inside * times
    return found


def _join(body: Sequence[Token]) -> list[list[Token]]:
    """Put words together that say one item: a length in pieces, a pipe and its size, a tee and its plug."""
    groups: list[list[Token]] = []
    for token in _repeated(body):
        last = groups[-1][0].text if groups else ""
        leg = groups and _leg_of(last) is not None
        number = token.text[0].isdigit() or token.text[0] in ".½¼¾" and token.text[1:2].isdigit()
        if leg and (number or token.text.lower().rstrip("?") in _UNIT_WORDS or token.text == "?"):
            groups[-1].append(token)
        elif (
            last.startswith("=")
            and len(groups[-1]) < 3
            and (number or token.text.upper().startswith("EHD") or token.text == "?")
        ):
            groups[-1].append(token)
        elif (
            last
            and last[0] in "~^"
            and (
                number
                or token.text[0] == "@"
                or token.text.lower() in _UNIT_WORDS
                or token.text[0] == "+"
                or last[0] == "^"
                and (token.text.lower() in ("over", "flat") or groups[-1][-1].text.lower() in ("over", "flat"))
            )
        ):
            groups[-1].append(token)
        elif last.startswith("*") and len(groups[-1]) == 1 and token.text.lower() in ("plug", "cap"):
            groups[-1].append(token)
        elif last.startswith("*") and len(groups[-1]) > 1 and (number or token.text.lower() in _UNIT_WORDS):
            groups[-1].append(token)
        else:
            groups.append([token])
    return groups


def _leg_of(text: str) -> tuple[str, str] | None:
    """A leg's way and the rest, or None if the word is no leg."""
    found = WAY.match(text)
    if not found:
        return None
    rest = text[found.end() :]
    return (found[0], rest) if not rest or rest[0].isdigit() or rest[0] in ".?" else None


def _item(group: Sequence[Token], id_: str, where: tuple[int, int], style: Style, taken: set[str]) -> Item:
    word = group[0].text
    sign = word[0]
    if sign == "[":
        return _device(word, id_, where)
    if sign == "(":
        return _pass(word, id_, where, style)
    if sign == "{":
        return _lie(word, id_, where, style)
    if sign == "=":
        head = Token(word[1:], where[0] + 1, group[0].end)
        if not head.text:
            raise Refused("pipe", word, "a pipe and its size after =", "=cu-m 15", where)
        return PipeChange(id=id_, pipe=_pipe([head, *group[1:]], style))
    if sign == "*":
        return _tee(group, id_, where, style, taken)
    if sign == "#":
        text = " ".join(word[1:].split())
        if not text:
            raise Refused("remark", word, "words after #", "# mind the beam;", where)
        return Remark(id=id_, text=text)
    if sign == "." and re.fullmatch(rf"\.(?i:{ID_PATTERN})", word):
        return Point(id=id_, name=word[1:].upper())
    if _leg_of(word) is not None:
        return _leg(group, id_, where, style)
    if sign in "~^":
        return _set(group, id_, where, style)
    if word.lower() == "twin":
        raise Refused(
            "twin",
            word,
            "a twin alone: it takes its legs from the run it follows",
            "RT1 from BLR.return cu-m 22: twin F1 N50 -> R3.right",
            where,
        )
    raise Refused("item", _said(group), "a leg, part, tee, point, pass, set, pipe or place", _ITEM_EXAMPLE, where)


def _set(group: Sequence[Token], id_: str, where: tuple[int, int], style: Style) -> SetItem | Crossover:
    """~N50, ~N50+U30@30 (a rolling offset), ^U25 over C1."""
    said, sign = _said(group), group[0].text[0]
    found = _SET.fullmatch(said[1:].strip())
    what, example = (
        ("set", "~N50, ~N50@30 or ~N50+U30")
        if sign == "~"
        else ("crossover", "^U25, ^U25@30, ^U25 over C1 or ^U60 flat 80")
    )
    if not found or sign == "~" and (found["over"] or found["flat"]) or sign == "^" and found["second"]:
        raise Refused(what, said, "a side and how far, then perhaps @ and an angle", example, where)
    fields: dict[str, Any] = {"id": id_, "side": found["side"].upper()}
    far = _height(found["mm"], what, where, style)
    if found["deg"]:
        fields["angle_deg"] = float(found["deg"].replace(",", "."))
        if not 5 <= fields["angle_deg"] <= 75:
            raise Refused(what, said, "an angle from 5 to 75 degrees", example, where)
    if sign == "^":
        if found["over"] and not re.fullmatch(ID_PATTERN, found["over"].upper()):
            raise Refused(what, said, "a run after over", example, where)
        flat_mm = _height(found["flat"], what, where, style) if found["flat"] else None
        return Crossover(**fields, clear_mm=far, over=found["over"].upper() if found["over"] else None, flat_mm=flat_mm)
    if found["second"]:
        first, second = DIRECTIONS[fields["side"]], DIRECTIONS[found["second"].upper()]
        if abs(first.dot(second)) > 1e-9:
            raise Refused(what, said, "two sides square to each other", example, where)
        fields |= {"and_side": found["second"].upper(), "and_mm": _height(found["second_mm"], what, where, style)}
    return SetItem(**fields, height_mm=far)


def _leg(group: Sequence[Token], id_: str, where: tuple[int, int], style: Style) -> Leg:
    found = _leg_of(group[0].text)
    assert found is not None
    try:
        way = canonical_way(found[0])
    except ValueError as error:
        raise Refused(
            "direction", found[0], str(error).removeprefix("expected ").split(", found")[0], "N+30E", where
        ) from None
    said = " ".join([found[1], *(token.text for token in group[1:])]).strip()
    if said == "?":
        return Leg(id=id_, dir=way)
    if not said:
        raise Refused(
            "length", _said(group), f"a length after {way}", f"{way}1850 or {way}? until level with the finish", where
        )
    taped = True
    if said.endswith("?"):
        said, taped = said[:-1].rstrip(), False
    length_mm = style.length_mm(said, "length", where)
    if not 0 <= length_mm <= 1e6:
        raise Refused("length", said, "a length from 0 to 1 km", f"{way}1850", where)
    return Leg(id=id_, dir=way, length_mm=length_mm, said=tidy_length(said), basis="taped" if taped else "assumed")


def tidy_length(said: str) -> str:
    """A said length without blanks: 7 1/2" becomes 7-1/2", 6' 2 3/4" becomes 6'2-3/4", 1.5 m becomes 1.5m."""
    text = re.sub(r"\s*(['′])\s*-?\s*", r"\1", said.strip())
    text = re.sub(r"(\d)\s+(\d+/\d)", r"\1-\2", text)
    return "".join(text.split())


def _device(word: str, id_: str, where: tuple[int, int]) -> DeviceItem:
    words = word[1:-1].split()
    example = "[iso], [check V1 >] or [drain handle D]"
    if not words:
        raise Refused("device", word, "a part between the brackets", example, where)
    fields: dict[str, Any] = {"id": id_, "part": words[0].lower()}
    rest = words[1:]
    if rest and re.fullmatch(ID_PATTERN, rest[0].upper()) and rest[0].upper() not in ("HANDLE", "SET"):
        fields["name"] = rest.pop(0).upper()
    if rest and rest[0] in ("<", ">"):
        fields["arrow"] = "with" if rest.pop(0) == ">" else "against"
    while rest:
        key = rest.pop(0).lower()
        if key == "handle" and rest and "handle" not in fields:
            way = rest.pop(0).upper()
            if way not in DIRECTIONS:
                raise Refused("handle", way, "a direction such as U or N", "[iso handle U]", where)
            fields["handle"] = way
        elif key == "set" and rest and "setting" not in fields:
            fields["setting"] = rest.pop(0)
        else:
            raise Refused(
                "device", word, "a part, then a name, an arrow, handle and a direction, set and a value", example, where
            )
    return DeviceItem(**fields)


def _tee(group: Sequence[Token], id_: str, where: tuple[int, int], style: Style, taken: set[str]) -> Tee:
    name, _, outlet = group[0].text[1:].upper().partition(":")
    if not name:
        number = 1
        while f"T{number}" in taken:
            number += 1
        name = f"T{number}"
        taken.add(name)
    if not re.fullmatch(ID_PATTERN, name) or (outlet and outlet not in DIRECTIONS):
        raise Refused("tee", _said(group), "a name, then perhaps a colon and a direction", "*T1 or *T1:U", where)
    closed = group[1].text.lower() if len(group) > 1 else None
    drop_mm = _height(_said(group[2:]), "drop", where, style) if len(group) > 2 else None
    return Tee.model_validate({"id": id_, "name": name, "outlet": outlet or None, "closed": closed, "drop_mm": drop_mm})


def _pass(word: str, id_: str, where: tuple[int, int], style: Style) -> Pass:
    words = word[1:-1].split()
    example = "(wall 220), (floor 180 sleeve) or (joists 4)"
    through = words[0].lower() if words else ""
    if through == "joists":
        if len(words) == 1:
            return Pass(id=id_, through="joists")
        if len(words) == 2 and words[1].isascii() and words[1].isdigit() and len(words[1]) < 5:
            return Pass(id=id_, through="joists", count=int(words[1]))
    elif through in ("wall", "floor", "ceiling"):
        sleeve = words[-1].lower() == "sleeve"
        rest = words[1:-1] if sleeve else words[1:]
        if len(rest) == 1 and re.fullmatch(ID_PATTERN, rest[0].upper()) and not rest[0][0].isdigit():
            return Pass.model_validate({"id": id_, "through": through, "ref": rest[0].upper(), "sleeve": sleeve})
        if rest:
            said = " ".join(rest)
            return Pass.model_validate(
                {
                    "id": id_,
                    "through": through,
                    "thickness_mm": style.length_mm(said, "thickness", where),
                    "said": tidy_length(said),
                    "sleeve": sleeve,
                }
            )
    raise Refused("pass", word, "wall, floor or ceiling and its thickness, or joists and their number", example, where)


def _lie(word: str, id_: str, where: tuple[int, int], style: Style) -> Lie:
    words = word[1:-1].split()
    example = "{floor}, {loft lag 25} or {view fall 1:40}"
    fields: dict[str, Any] = {"id": id_}

    def take_length(key: str) -> None:
        parts = []
        while words and (words[0][0].isdigit() or words[0].lower() in _UNIT_WORDS):
            parts.append(words.pop(0))
        fields[key] = style.length_mm(" ".join(parts), key.removesuffix("_mm"), where)

    while words:
        key = words.pop(0).lower()
        if key in PLACES and "place" not in fields:
            fields["place"] = key
        elif key in ("lag", "clip") and f"{key}_mm" not in fields:
            take_length(f"{key}_mm")
        elif key == "fall" and words and "fall" not in fields:
            fields["fall"] = _fall(words.pop(0), where, style)
        else:
            raise Refused("place", word, f"{', '.join(PLACES)}; lag, clip or fall with a figure", example, where)
    if len(fields) == 1:
        raise Refused("place", word, f"{', '.join(PLACES)}; lag, clip or fall with a figure", example, where)
    return Lie(**fields)


def _fall(said: str, where: tuple[int, int], style: Style) -> float:
    if said.lower() == "none":
        return 0.0
    example = "fall 1:40, fall 25mm/m or fall none"
    one_in = re.fullmatch(r"1:(\d{1,7}(?:\.\d{1,3})?)", said)
    if one_in and float(one_in[1]) >= 1:
        return round(1 / float(one_in[1]), 6)
    if said.lower().endswith("/m"):
        fall = style.length_mm(said[:-2], "fall", where) / 1000
        if 0 < fall <= 1:
            return round(fall, 6)
    raise Refused("fall", said, "a fall", example, where)
