"""The words of a line: how it is split, which of them say one item, what a length or a pipe among them is."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field

from ..catalogue import Catalogue
from ..errors import Refused
from ..fields import SIZE_PATTERN
from ..quantity import PaceUnit, Practice, parse_length_mm
from .model import Pipe
from .ways import WAY

MOST_ITEMS = 2_000
UNIT_WORDS = {"mm", "cm", "m", "in", "ft", '"', "'"}
_CLOSER = {"[": "]", "(": ")", "{": "}"}


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


def height_mm(said: str, field: str, where: tuple[int, int], style: Style) -> float:
    length_mm = style.length_mm(said.strip(), field, where)
    if not 0 < length_mm <= 1e5:
        raise Refused(field, said, "a length above 0 and up to 100 m", "50", where)
    return length_mm


def pipe_of(words: Sequence[Token], style: Style) -> Pipe:
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


def said_of(group: Sequence[Token]) -> str:
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


def grouped(body: Sequence[Token]) -> list[list[Token]]:
    """Put words together that say one item: a length in pieces, a pipe and its size, a tee and its plug."""
    groups: list[list[Token]] = []
    for token in _repeated(body):
        last = groups[-1][0].text if groups else ""
        leg = groups and leg_of(last) is not None
        number = token.text[0].isdigit() or token.text[0] in ".½¼¾" and token.text[1:2].isdigit()
        band = token.text[:2] == "+-" or token.text[0] in "@\N{PLUS-MINUS SIGN}"
        if leg and (number or band or token.text.lower().rstrip("?") in UNIT_WORDS or token.text == "?"):
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
                or token.text.lower() in UNIT_WORDS
                or token.text[0] == "+"
                or last[0] == "^"
                and (token.text.lower() in ("over", "flat") or groups[-1][-1].text.lower() in ("over", "flat"))
            )
        ):
            groups[-1].append(token)
        elif last.startswith("*") and len(groups[-1]) == 1 and token.text.lower() in ("plug", "cap"):
            groups[-1].append(token)
        elif last.startswith("*") and len(groups[-1]) > 1 and (number or token.text.lower() in UNIT_WORDS):
            groups[-1].append(token)
        else:
            groups.append([token])
    return groups


def leg_of(text: str) -> tuple[str, str] | None:
    """A leg's way and the rest, or None if the word is no leg."""
    found = WAY.match(text)
    if not found:
        return None
    rest = text[found.end() :]
    return (found[0], rest) if not rest or rest[0].isdigit() or rest[0] in ".?" else None


def tidy_length(said: str) -> str:
    """A said length without blanks: 7 1/2" becomes 7-1/2", 6' 2 3/4" becomes 6'2-3/4", 1.5 m becomes 1.5m."""
    text = re.sub(r"\s*(['′])\s*-?\s*", r"\1", said.strip())
    text = re.sub(r"(\d)\s+(\d+/\d)", r"\1-\2", text)
    return "".join(text.split())
