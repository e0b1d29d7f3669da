"""Legs as they are called out while taping, left 350, up 1200, or lines of a table, written in the notation."""

from __future__ import annotations

import re

from ..errors import Refused
from .model import Job
from .ways import DIRECTIONS

PLAIN = {
    "up": "U",
    "down": "D",
    "north": "N",
    "south": "S",
    "east": "E",
    "west": "W",
}
FACING = {"left": -1, "right": 1, "ahead": 0, "forward": 0, "back": 2}
"""Quarter turns from the way one faces; as one stands before the station, that is against the way its front faces."""

NO_STATION = "north, east, south or west: this run starts at no station"
ROUND = ("N", "E", "S", "W")
_CALLED = re.compile(rf"(?<![\w.{{#\[])({'|'.join([*PLAIN, *FACING])})\b\s*[,;=\t]?\s*(?=[\d.½¼¾?])", re.IGNORECASE)
_PAUSE = re.compile(r"[,;](?=\s|$)")


def is_called(text: str) -> bool:
    """Whether a line has legs in words."""
    return bool(_CALLED.search(text.partition(":")[2]))


def as_paced(text: str, job: Job) -> str:
    """A line with its called legs in the notation: "from BLR flow cu-m 22: left 350, up 1200" becomes "... W350 U1200"
    where BLR faces south. What is no such leg stays as it is. Raises Refused: left or right where the run starts at no
    station."""
    head, colon, body = text.partition(":")
    if not colon or not _CALLED.search(body):
        return text
    faces = _faces(head, job)

    def way(found: re.Match[str]) -> str:
        word = found[1].lower()
        if word in PLAIN:
            return PLAIN[word]
        if faces is None:
            raise Refused("direction", found[1], NO_STATION, "east 350")
        return ROUND[(ROUND.index(faces) + 2 + FACING[word]) % 4]

    legs, remark, rest = body.partition("#")
    return f"{head}:{_PAUSE.sub('', _CALLED.sub(way, legs))}{remark}{rest}"


def _faces(head: str, job: Job) -> str | None:
    """The way the front of the station faces that a run starts at."""
    words = head.split()
    at = words[words.index("from") + 1] if "from" in words[:-1] else ""
    station = job.station(at.split(".")[0].upper())
    return station.faces if station is not None and station.faces in DIRECTIONS else None


def lines_of(text: str) -> list[str]:
    """The runs in several pasted lines: each line with a colon begins one, lines of legs go on with it; a heading of a
    table is left out."""
    found: list[str] = []
    for line in text.splitlines():
        words = line.strip()
        if not words:
            continue
        if ":" in words.partition("#")[0] and "from" in words.lower().split(":")[0].split():
            found.append(words)
        elif found and not re.match(r"(way|direction|leg)\b", words, re.IGNORECASE):
            found[-1] += f" {words}"
        elif not found:
            found.append(words)
    return found
