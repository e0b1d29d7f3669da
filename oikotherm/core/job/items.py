"""One item of a run, from its words: a leg, a set, a device, a tee, a pass, how the pipe lies."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any, Literal

from ..errors import Refused
from ..fields import ID_PATTERN
from .model import LEAST_CLIP_MM, Crossover, DeviceItem, Item, Leg, Lie, Pass, PipeChange, Point, Remark, SetItem, Tee
from .ways import DIRECTIONS, canonical_way
from .words import UNIT_WORDS, Style, Token, height_mm, leg_of, pipe_of, said_of, tidy_length

PLACES = ("view", "boxed", "wall", "floor", "ceiling", "loft", "ground", "outside")
ITEM_EXAMPLE = "W1850, [iso], *T1, (wall 220), =cu-m 15 or {floor}"
_DIR = "NE|SE|SW|NW|N|E|S|W|U|D"
_SIDE = re.compile(rf"(?i:(?P<side>{_DIR}))\s*(?P<mm>[^@+]+)")
_SET = re.compile(
    rf"(?i:(?P<side>{_DIR}))\s*(?P<mm>[^@+]+?)\s*(?:\+\s*(?i:(?P<second>{_DIR}))\s*(?P<second_mm>[^@+]+?)\s*)?"
    r"(?:@\s*(?P<deg>\d{1,2}(?:[.,]\d{1,3})?)\s*(?:°|deg)?\s*)?(?:(?i:over)\s+(?P<over>\w+)\s*)?"
    r"(?:(?i:flat)\s+(?P<flat>.+?)\s*)?"
)


def read_item(group: Sequence[Token], id_: str, where: tuple[int, int], style: Style, taken: set[str]) -> Item:
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
        return PipeChange(id=id_, pipe=pipe_of([head, *group[1:]], style))
    if sign == "*":
        return _tee(group, id_, where, style, taken)
    if sign == "#":
        text = " ".join(word[1:].split())
        if not text:
            raise Refused("remark", word, "words after #", "# mind the beam;", where)
        return Remark(id=id_, text=text)
    if sign == "." and re.fullmatch(rf"\.(?i:{ID_PATTERN})", word):
        return Point(id=id_, name=word[1:].upper())
    if leg_of(word) is not None:
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
    raise Refused("item", said_of(group), "a leg, part, tee, point, pass, set, pipe or place", ITEM_EXAMPLE, where)


def _set(group: Sequence[Token], id_: str, where: tuple[int, int], style: Style) -> SetItem | Crossover:
    """~N50, ~N50+U30@30 (a rolling offset), ^U25 over C1."""
    said, sign = said_of(group), group[0].text[0]
    found = _SET.fullmatch(said[1:].strip())
    what, example = (
        ("set", "~N50, ~N50@30 or ~N50+U30")
        if sign == "~"
        else ("crossover", "^U25, ^U25@30, ^U25 over C1 or ^U60 flat 80")
    )
    if not found or sign == "~" and (found["over"] or found["flat"]) or sign == "^" and found["second"]:
        raise Refused(what, said, "a side and how far, then perhaps @ and an angle", example, where)
    fields: dict[str, Any] = {"id": id_, "side": found["side"].upper()}
    far = height_mm(found["mm"], what, where, style)
    if found["deg"]:
        fields["angle_deg"] = float(found["deg"].replace(",", "."))
        if not 5 <= fields["angle_deg"] <= 75:
            raise Refused(what, said, "an angle from 5 to 75 degrees", example, where)
    if sign == "^":
        if found["over"] and not re.fullmatch(ID_PATTERN, found["over"].upper()):
            raise Refused(what, said, "a run after over", example, where)
        flat_mm = height_mm(found["flat"], what, where, style) if found["flat"] else None
        return Crossover(**fields, clear_mm=far, over=found["over"].upper() if found["over"] else None, flat_mm=flat_mm)
    if found["second"]:
        first, second = DIRECTIONS[fields["side"]], DIRECTIONS[found["second"].upper()]
        if abs(first.dot(second)) > 1e-9:
            raise Refused(what, said, "two sides square to each other", example, where)
        fields |= {"and_side": found["second"].upper(), "and_mm": height_mm(found["second_mm"], what, where, style)}
    return SetItem(**fields, height_mm=far)


def _leg(group: Sequence[Token], id_: str, where: tuple[int, int], style: Style) -> Leg:
    found = leg_of(group[0].text)
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
    said, floats = _band(said, style, where)
    if not said:
        raise Refused(
            "length", said_of(group), f"a length after {way}", f"{way}1850 or {way}? until level with the finish", where
        )
    taped = True
    if said.endswith("?"):
        said, taped = said[:-1].rstrip(), False
    length_mm = style.length_mm(said, "length", where)
    if not 0 <= length_mm <= 1e6:
        raise Refused("length", said, "a length from 0 to 1 km", f"{way}1850", where)
    basis: Literal["taped", "assumed"] = "taped" if taped else "assumed"
    band_mm, at_mm = floats
    if at_mm is not None and band_mm is not None and abs(at_mm - length_mm) > band_mm + 1e-6:
        raise Refused("length", said_of(group), "a shifted length within the band", "E3000+-150@3085", where)
    shift_mm = 0.0 if at_mm is None else round(round(at_mm, 3) - round(length_mm, 3), 3)
    return Leg(
        id=id_,
        dir=way,
        length_mm=length_mm,
        said=tidy_length(said),
        basis=basis,
        band_mm=band_mm,
        shift_mm=shift_mm,
    )


def _band(said: str, style: Style, where: tuple[int, int]) -> tuple[str, tuple[float | None, float | None]]:
    """What is said of a leg without its band, and the band with the shifted length [mm]: 3000+-150@3085."""
    head, sign, tail = said.replace("\N{PLUS-MINUS SIGN}", "+-").partition("+-")
    if not sign:
        return said, (None, None)
    tail = tail.strip()
    doubt = "?" if tail.endswith("?") and not head.rstrip().endswith("?") else ""
    band, at, shifted = tail.removesuffix("?").partition("@")
    example = "E3000+-150 or E3000+-150@3085"
    if not head.strip(" ?") or not band.strip() or (at and not shifted.strip()):
        raise Refused("length", said, "a length, +- and how far it may be shifted", example, where)
    band_mm = style.length_mm(band.strip(), "band", where)
    if not 0 < band_mm <= 1e5:
        raise Refused("band", band, "how far it may be shifted, above 0 and up to 100 m", example, where)
    return head.strip() + doubt, (band_mm, style.length_mm(shifted.strip(), "length", where) if at else None)


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
        raise Refused("tee", said_of(group), "a name, then perhaps a colon and a direction", "*T1 or *T1:U", where)
    closed = group[1].text.lower() if len(group) > 1 else None
    drop_mm = height_mm(said_of(group[2:]), "drop", where, style) if len(group) > 2 else None
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
    wanted = f"{', '.join(PLACES)}; lag, clip, longest or fall with a figure"
    fields: dict[str, Any] = {"id": id_}

    def take_length(key: str) -> None:
        parts = []
        while words and (words[0][0].isdigit() or words[0].lower() in UNIT_WORDS):
            parts.append(words.pop(0))
        fields[key] = style.length_mm(" ".join(parts), key.removesuffix("_mm"), where)

    while words:
        key = words.pop(0).lower()
        if key in PLACES and "place" not in fields:
            fields["place"] = key
        elif key in ("lag", "clip", "longest") and f"{key}_mm" not in fields:
            take_length(f"{key}_mm")
            if key == "clip" and fields["clip_mm"] < LEAST_CLIP_MM:
                raise Refused("clip", word, f"clips {LEAST_CLIP_MM:.0f} mm apart or more", "{loft clip 600}", where)
        elif key == "fall" and words and "fall" not in fields:
            fields["fall"] = _fall(words.pop(0), where, style)
        else:
            raise Refused("place", word, wanted, example, where)
    if len(fields) == 1:
        raise Refused("place", word, wanted, example, where)
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
