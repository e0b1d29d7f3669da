"""What stands behind a stub, out of sight: radiators and pipe that somebody counted, and the water they hold."""

from __future__ import annotations

import functools
import math
import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from ...catalogue import Catalogue
from ...errors import Refused, nearest
from ...job.model import Station
from ...quantity import parse_length_mm, trim
from ...tables import read_rows
from ..kinds import Behind

PIPE_BORE_MM = 13.6  # of 15 mm copper, where a stub's pipe is not known: 0.145 L a metre (typ)
EXAMPLE = "3 double panel 1200; towel rail; 2 other 7 L"


@dataclass(frozen=True, slots=True)
class WaterBehind:
    """Water behind a stub: what holds it, how much [L], where the figure is from."""

    what: str
    litres: float
    source: str


@functools.cache
def _rows() -> dict[str, tuple[float | None, float | None, float | None, str]]:
    """Kind -> litres a metre, litres each, usual length [mm], source."""
    return {
        row["kind"]: (
            float(row["litres_per_m"]) if row["litres_per_m"] else None,
            float(row["litres_each"]) if row["litres_each"] else None,
            float(row["usual_mm"]) if row["usual_mm"] else None,
            row["source"],
        )
        for row in read_rows(__package__, "behind_water.csv")
    }


def kinds_behind() -> tuple[str, ...]:
    """The kinds of emitter that can be counted behind a stub."""
    return tuple(_rows())


def water_behind(station: Station, catalogue: Catalogue) -> tuple[WaterBehind, ...]:
    """The water behind a stub, row by row: emitters as counted, pipe by the bore of the stub. Figures that nobody read
    off are typical and assumed."""
    found = []
    for one in station.data.behind or ():
        per_m, each, usual_mm, source = _rows().get(one.kind, (None, None, None, ""))
        if one.litres is not None:
            litres, source = one.litres, "said"
        elif per_m is not None:
            length_mm = one.length_mm if one.length_mm is not None else usual_mm or 1000.0
            litres = per_m * length_mm / 1000
            source = f"assumed, {source}"
        elif each is not None:
            litres, source = each, f"assumed, {source}"
        else:
            continue
        found.append(WaterBehind(f"{one.count} {one.kind}", one.count * litres, source))
    metres = station.data.behind_pipe_m
    if metres:
        bore_mm = _bore_mm(station, catalogue)
        litres = math.pi / 4 * (bore_mm / 1000) ** 2 * metres * 1000
        found.append(WaterBehind(f"{trim(metres, 1)} m of pipe", litres, "assumed, bore of the stub"))
    return tuple(found)


def _bore_mm(station: Station, catalogue: Catalogue) -> float:
    for port in station.ports:
        words = port.end.split()
        row = catalogue.pipe(words[0], words[1]) if len(words) > 2 and words[2] == "pipe" else None
        if row is not None and row.bore_mm:
            return row.bore_mm
    return PIPE_BORE_MM


_PART = re.compile(
    r"(?:(?P<count>\d+)\s+)?(?P<kind>[a-z ]+?)(?:\s+(?P<litres>\d+(?:\.\d+)?)\s*l|\s+(?P<length>\d.*?))?", re.IGNORECASE
)


def read_behind(text: str, unit: str = "mm") -> tuple[Behind, ...]:
    """What stands behind a stub as typed: "3 double panel 1200; towel rail; 2 other 7 L". A length in the unit of the
    job, or with its own. Raises Refused."""
    found = []
    for part in filter(None, (one.strip() for one in text.split(";"))):
        words = _PART.fullmatch(part)
        kind = words["kind"].strip().lower() if words else ""
        if words is None or (kind not in _rows() and words["litres"] is None):
            near = nearest(kind or part.lower(), _rows())
            raise Refused("behind", part, f"a count, a kind such as {near}, and a length or litres", EXAMPLE)
        said: dict[str, Any] = {"kind": kind, "count": int(words["count"] or 1)}
        if words["litres"]:
            said["litres"] = float(words["litres"])
        elif words["length"]:
            said["length_mm"] = parse_length_mm(words["length"], "in" if unit == "in" else "mm", field="behind")
        if not 1 <= said["count"] <= 999:
            raise Refused("behind", part, "1 to 999 of a kind", EXAMPLE)
        found.append(Behind(**said))
    return tuple(found)


def behind_text(behind: Iterable[Behind] | None) -> str:
    """What stands behind a stub as it is typed."""
    words = []
    for one in behind or ():
        size = f" {trim(one.litres, 1)} L" if one.litres is not None else ""
        size = size or (f" {trim(one.length_mm, 1)}mm" if one.length_mm is not None else "")
        words.append(f"{one.count} {one.kind}{size}" if one.count > 1 else f"{one.kind}{size}")
    return "; ".join(words)
