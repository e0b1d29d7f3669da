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
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from ..errors import Refused
from ..fields import ID_PATTERN, PORT_PATTERN
from .items import ITEM_EXAMPLE, read_item
from .model import Item, Pipe, Point, Tee, TwinOf
from .words import MOST_ITEMS, Style, Token, grouped, height_mm, pipe_of, said_of, tokens

MOST_SIGNS = 20_000
_SIDE = re.compile(r"(?i:(?P<side>NE|SE|SW|NW|N|E|S|W|U|D))\s*(?P<mm>[^@+]+)")


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
    pipe = pipe_of(rest, style)
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
            "twin", said_of(body), "the run it goes beside, the side and the distance of centres", example, where
        )
    return TwinOf(
        run=body[1].text.upper(), side=side["side"].upper(), spacing_mm=height_mm(side["mm"], "twin", where, style)
    )


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


def parse_items(body: Sequence[Token], style: Style) -> tuple[tuple[Item, ...], tuple[tuple[int, int], ...]]:
    """Read the items of a run: (items with ids i1, i2 ..., their spans). Raises Refused with the span."""
    groups = grouped(body)
    if len(groups) > MOST_ITEMS:
        raise Refused("run", f"{len(groups)} items", f"at most {MOST_ITEMS} items", "", groups[MOST_ITEMS][0].where)
    items: list[Item] = []
    spans: list[tuple[int, int]] = []
    taken = {group[0].text[1:].split(":")[0].upper() for group in groups if group[0].text[0] in "*."}
    for number, group in enumerate(groups, 1):
        where = (group[0].start, group[-1].end)
        try:
            items.append(read_item(group, f"i{number}", where, style, taken))
        except ValidationError as error:
            first = error.errors(include_url=False)[0]
            raise Refused(
                str(first["loc"][-1]) if first["loc"] else "item", said_of(group), _expected(first), ITEM_EXAMPLE, where
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
