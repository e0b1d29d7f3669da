"""Readings as a gauge sends them: JSON lines, one reading a line; docs/readings.md is the format."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from ..errors import Refused, shorten
from ..reading import read_json
from .readings import YEARS

EXAMPLE = '{"seq": 1, "at": "2026-03-01T10:00:00Z", "pressure_pa": 2050, "temp_c": 18.5, "baro_pa": 101300}'
MOST_LINES, MOST_SIGNS = 5_000, 400_000
MOST_SEQ = 10**9
FIELDS = ("seq", "at", "pressure_pa", "temp_c", "temp_step_k", "baro_pa", "source")
OWN_SOURCES = ("hand", "file")  # what is typed on the page


@dataclass(frozen=True, slots=True)
class Sent:
    """A reading as it came. seq: of its source, once each; second: of its time, since 1970 UTC; source: what read it;
    temp_step_k: the step of its thermometer, None where it was not said."""

    seq: int
    second: float
    pressure_pa: float
    temp_c: float | None
    baro_pa: float | None
    source: str
    temp_step_k: float | None = None


def read_lines(text: str) -> list[Sent]:
    """The readings of a body of JSON lines. Raises Refused with the line: nothing of the body is kept then."""
    if len(text) > MOST_SIGNS:
        raise Refused("body", f"{len(text)} signs", f"at most {MOST_SIGNS} signs at once", EXAMPLE)
    lines = [(number, line) for number, line in enumerate(text.splitlines(), 1) if line.strip()]
    if not 1 <= len(lines) <= MOST_LINES:
        raise Refused("body", f"{len(lines)} lines", f"1 to {MOST_LINES} lines", EXAMPLE)
    return [_read(line, f"line {number}") for number, line in lines]


def _read(line: str, where: str) -> Sent:
    try:
        said = read_json(line, where, EXAMPLE)
    except Refused:
        raise Refused(where, line[:60], "one JSON object a line", EXAMPLE) from None
    if not isinstance(said, dict):
        raise Refused(where, line[:60], "one JSON object a line", EXAMPLE)
    unknown = sorted(set(said) - set(FIELDS))
    if unknown:
        raise Refused(where, unknown[0], f"the fields {', '.join(FIELDS)}", EXAMPLE)
    seq = said.get("seq")
    if isinstance(seq, bool) or not isinstance(seq, int) or not 0 <= seq <= MOST_SEQ:
        raise Refused(where, f"seq {seq}", "seq, a whole number that rises", EXAMPLE)
    source = said.get("source", "gauge")
    if not isinstance(source, str) or not source.strip() or len(source) > 40 or not source.isprintable():
        raise Refused(where, f"source {source}", "the source in a few signs", EXAMPLE)
    if source.strip() in OWN_SOURCES:
        raise Refused(where, f"source {source}", "a name of its own: hand and file are the page's", EXAMPLE)
    return Sent(
        seq,
        second_of(said.get("at"), where),
        _number(said.get("pressure_pa"), "pressure_pa", -1e5, 1e7, where),
        None if said.get("temp_c") is None else _number(said["temp_c"], "temp_c", -50, 150, where),
        None if said.get("baro_pa") is None else _number(said["baro_pa"], "baro_pa", 3e4, 1.2e5, where),
        source.strip(),
        None if said.get("temp_step_k") is None else _number(said["temp_step_k"], "temp_step_k", 1e-4, 10, where),
    )


def second_of(at: Any, where: str) -> float:
    """A time as seconds since 1970 UTC; one without a zone is UTC. Raises Refused."""
    try:
        when = datetime.fromisoformat(str(at).replace("Z", "+00:00"))
        if not YEARS[0] <= when.year <= YEARS[1]:
            raise ValueError
    except ValueError:
        asked = f"at, a time as ISO 8601, of the years {YEARS[0]} to {YEARS[1]}"
        raise Refused(where, f"at {shorten(at)}", asked, EXAMPLE) from None
    return (when if when.tzinfo else when.replace(tzinfo=UTC)).timestamp()


def time_of(second: float) -> str:
    """A second as ISO 8601 in UTC."""
    return datetime.fromtimestamp(second, UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def _number(value: Any, name: str, low: float, high: float, where: str) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise Refused(where, f"{name} {value}", f"{name}, a number", EXAMPLE)
    if not low <= value <= high:
        raise Refused(where, f"{name} {value:g}", f"{name} from {low:g} to {high:g}", EXAMPLE)
    return float(value)
