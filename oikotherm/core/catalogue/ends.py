"""Ends: what one side of a joint offers, written as family, size, form and marks.

pipe    code size "pipe" { soft | barrier | old | lined | set }    cu-m 22 pipe    csst EHD18 pipe thread  ( R | Rp | Rc
| G | NPT ) size ( male | female ) [ flat | cone | washer ] [ brass | copper | galv | steel ] also  G 1/2 tail socket  (
cap | press | comp | push | exp | solv ) "-" ( cu | fe | mlc | pb | pexa | waste ) size "socket" { contour | gas | old |
slip } other   flare-45 size (male|female) | csst EHDn nut | union size half | hose size (male|female) | vent size
(crimp|plain)
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from ..errors import Refused, nearest

PIPE_CODES = (
    "cu-m",
    "cu-l",
    "cu-mm",
    "cu-k",
    "cu-old",
    "cu-soft",
    "pb-m",
    "pexa",
    "mlc",
    "fe-press",
    "fe-40",
    "fe-m",
    "galv",
    "csst",
    "conn",
    "vent-sw",
    "waste",
)
THREADS = ("R", "Rp", "Rc", "G", "NPT")
SOCKET_METHODS = ("cap", "press", "comp", "push", "exp", "solv")
SOCKET_METALS = ("cu", "fe", "mlc", "pb", "pexa", "waste")
PIPE_MARKS = ("barrier", "lined", "old", "set", "soft")
SOCKET_MARKS = (
    "gas",
    "old",
    "slip",
    "contour-M",
    "contour-V",
    "contour-TH",
    "contour-U",
    "contour-H",
    "contour-B",
    "contour-F",
)
THREAD_MARKS = ("flat", "cone", "washer", "brass", "copper", "galv", "steel")
CONNECTOR_FLARES = {"1/2": "5/8", "3/4": "15/16"}  # typ: nominal size of a flexible connector -> its flare
_SIZE = re.compile(r"\d{1,3}(?:\.\d{1,2})?|\d{1,2}/\d{1,2}|\d{1,2}-\d{1,2}/\d{1,2}|EHD\d{2}")


@dataclass(frozen=True, slots=True)
class End:
    """One side of a joint. family: a pipe code, a thread, "comp-cu" and so on; form: pipe, male, female, tail, socket,
    half..."""

    family: str
    size: str
    form: str
    marks: tuple[str, ...] = ()

    def __str__(self) -> str:
        return " ".join((self.family, self.size, self.form, *sorted(self.marks)))


def _forms() -> dict[str, tuple[tuple[str, ...], tuple[str, ...]]]:
    """family -> (forms, marks)."""
    table: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {}
    for code in PIPE_CODES:
        table[code] = (("pipe", "nut") if code == "csst" else ("pipe",), PIPE_MARKS)
    for thread in THREADS:
        table[thread] = (("male", "female", "tail") if thread == "G" else ("male", "female"), THREAD_MARKS)
    for method in SOCKET_METHODS:
        for metal in SOCKET_METALS:
            table[f"{method}-{metal}"] = (("socket",), SOCKET_MARKS)
    table["flare-45"] = (("male", "female"), ())
    table["union"] = (("half",), ())
    table["hose"] = (("male", "female"), ())
    table["vent"] = (("crimp", "plain"), ())
    return table


FAMILIES = _forms()
_BY_LOW = {family.lower(): family for family in FAMILIES}


def parse_end(text: str, field: str = "end") -> End:
    """Read an end. Case and extra blanks do not matter. Raises Refused with the nearest known words.

    >>> str(parse_end("g 3/4 MALE flat"))
    'G 3/4 male flat'
    """
    words = text.split()
    if not words or len(text) > 80:
        raise Refused(field, text, "an end: family, size and form", "cu-m 22 pipe")
    family = _BY_LOW.get(words[0].lower())
    if family is None:
        raise Refused(field, text, f"an end family such as {nearest(words[0].lower(), FAMILIES)}", "R 3/4 male")
    if len(words) < 3:
        raise Refused(field, text, "an end: family, size and form", f"{family} 1/2 {FAMILIES[family][0][0]}")
    size = words[1].upper() if words[1].upper().startswith("EHD") else words[1]
    if not _SIZE.fullmatch(size):
        raise Refused(field, text, "a size like 22, 3/4, 1-1/4 or EHD18", f"{family} 3/4 {FAMILIES[family][0][0]}")
    forms, allowed = FAMILIES[family]
    form = words[2].lower()
    if form not in forms:
        raise Refused(field, text, f"after {family} {size}: {' or '.join(forms)}", f"{family} {size} {forms[0]}")
    marks = []
    marks_low = {mark.lower(): mark for mark in allowed}
    for word in words[3:]:
        mark = marks_low.get(word.lower())
        if mark is None or mark in marks:
            what = f"a mark such as {nearest(word.lower(), allowed)}" if allowed else "no mark here"
            raise Refused(field, text, what, f"{family} {size} {form}")
        marks.append(mark)
    return End(family, size, form, tuple(sorted(marks)))


def canonical_end(text: str) -> str:
    """The end as it is kept in the job document."""
    return str(parse_end(text))
