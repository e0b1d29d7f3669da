"""Readings of a gauge as they are typed, or come in a file: one reader of rows, times and figures for every page.

What is kept of them are canonical lines, "time, pressure, temperature, barometer", with a point for decimals and the
digits as typed: the last digit of a temperature is the step of its thermometer.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import UTC, date, datetime, time
from typing import Any

from ..errors import Refused
from ..quantity import parse, with_point
from ..reading import check_text, read_csv, row_cells, separator_of

MOST_READINGS = 20_000
YEARS = (2000, 2100)
EXAMPLE = "2026-03-01T10:00, 1.85 bar, 18.5"
_CLOCK = re.compile(r"\d{1,2}:\d{2}(:\d{2})?", re.ASCII)
_DIGITS = re.compile(r"\d+(?:\.(\d+))?", re.ASCII)
FAHRENHEIT_K = 5 / 9


@dataclass(frozen=True, slots=True)
class Reading:
    """What was read at a time. pressure_pa: gauge; temp_c: of what is in the pipe, baro_pa: of the air, None where not
    read; temp_step_k, baro_step_pa: their last digits as typed."""

    at: datetime
    pressure_pa: float
    temp_c: float | None = None
    baro_pa: float | None = None
    temp_step_k: float | None = None
    baro_step_pa: float | None = None


@dataclass(frozen=True, slots=True)
class Speech:
    """How a job says figures. pressure_unit: of a pressure without one; decimal_comma: whether the job is continental;
    temp_unit: C or F of a temperature without one, "" where that has to be asked first."""

    pressure_unit: str = "bar"
    decimal_comma: bool = False
    temp_unit: str = "C"


KEPT = Speech()


def kept_in(unit: str) -> Speech:
    """How the canonical lines of a kept test are read."""
    return Speech(unit)


def read_readings(
    text: str, speech: Speech = KEPT, *, file: bool = False, day: date | None = None
) -> tuple[Reading, ...]:
    """Readings of lines "time, pressure, temperature, barometer", the oldest first; a header is skipped, the last two
    may be left out. file: its first line says what parts the cells; day: of a time alone in the first line. Raises
    Refused with the line."""
    return tuple(sorted((one for _, one in _read(text, speech, file, day)), key=lambda one: one.at))


def canonical(text: str, speech: Speech, *, file: bool = False, day: date | None = None) -> str:
    """The lines as they are kept: every one with its date, a point for decimals, the digits as typed. Raises
    Refused."""
    return "\n".join(line for line, _ in _read(text, speech, file, day))


def _read(text: str, speech: Speech, file: bool, day: date | None) -> list[tuple[str, Reading]]:
    found: list[tuple[str, Reading]] = []
    before: datetime | None = None
    separator = separator_of(text) if file else ""
    comma = (False if separator == "," else speech.decimal_comma or None) if file else speech.decimal_comma
    for number, row in enumerate(_rows(text, separator), 1):
        cells = [cell.strip() for cell in row]
        if not any(cells) or number == 1 and not any(sign.isdigit() for sign in cells[0]):
            continue
        where = f"line {number}"
        if len(cells) == 1 and "," in cells[0]:
            raise Refused(where, cells[0], "entries parted by ; or a tab, or by a comma and a blank", EXAMPLE)
        if len(cells) not in (2, 3, 4):
            raise Refused(where, ", ".join(cells), "time, pressure, temperature, barometer", EXAMPLE)
        at = read_time(cells[0], before, day, where)
        line, reading = _reading(at, cells[1:], speech, where, comma)
        found.append((line, reading))
        before = at
        if len(found) > MOST_READINGS:
            raise Refused("readings", f"more than {MOST_READINGS}", f"at most {MOST_READINGS} readings", EXAMPLE)
    return found


def _rows(text: str, separator: str) -> list[list[str]]:
    """Cells row by row: of a file by its separator, of what is typed by ;, a tab, or a comma followed by a blank."""
    if separator:
        return read_csv(text, "readings", EXAMPLE, separator)
    plain = check_text(text, "readings", EXAMPLE).replace("\r\n", "\n").replace("\r", "\n")
    return [row_cells(row) for row in plain.split("\n")]


def one_reading(at: datetime, pressure: str, temp: str, baro: str, speech: Speech) -> Reading:
    """One reading of three fields, read now. Raises Refused, naming the field."""
    return _reading(at, [pressure, temp, baro], speech, "", speech.decimal_comma)[1]


def _reading(at: datetime, cells: list[str], speech: Speech, where: str, comma: bool | None) -> tuple[str, Reading]:
    pressure, temp, baro = [*cells, "", ""][:3]

    def field(name: str) -> str:
        return where or name

    pressure_pa = parse(pressure, "pressure", speech.pressure_unit, field=field("pressure"), decimal_comma=comma)
    if not -1e5 <= pressure_pa <= 1e7:
        raise Refused(field("pressure"), pressure, "a pressure from -1 to 100 bar", "1.85 bar")
    line = [at.isoformat(timespec="seconds"), with_point(pressure, field("pressure"), "1.85 bar", comma)]
    temp_c, step_k, baro_pa, baro_step_pa = None, None, None, None
    if temp:
        said = with_point(temp, field("temperature"), "18.5", comma)
        if not re.search("[a-z°]", said, re.IGNORECASE):
            if not speech.temp_unit:
                raise Refused(field("temperature"), temp, f"C or F with it: {temp} C, or {temp} F?", f"{temp} F")
            said += " F" if speech.temp_unit == "F" else ""
        temp_c = parse(said, "temperature", "C", field=field("temperature"))
        if not -40 <= temp_c <= 120:
            raise Refused(field("temperature"), temp, "the pipe's temperature from -40 to 120 C", "18.5")
        step_k = digit_step_k(said)
        line.append(said)
    if baro:
        said = with_point(baro, field("barometer"), "1013", comma)
        baro_pa = parse(said, "pressure", "mbar", field=field("barometer"))
        if not 3e4 <= baro_pa <= 1.2e5:
            raise Refused(field("barometer"), baro, "the barometer from 300 to 1200 mbar", "1013")
        digit = _DIGITS.sub(lambda found: f"{10.0 ** -len(found[1] or ''):f}", said, count=1)
        baro_step_pa = parse(digit, "pressure", "mbar", field=field("barometer"))
        line += [said] if temp else ["", said]
    return ", ".join(line), Reading(at, pressure_pa, temp_c, baro_pa, step_k, baro_step_pa)


def digit_step_k(said: str) -> float:
    """The last digit of a temperature as typed [K]: "18.5" 0.1, "68 F" five ninths."""
    found = _DIGITS.search(said)
    step = 10.0 ** -len(found[1] or "") if found else 1.0
    return step * (FAHRENHEIT_K if "f" in said.lower() else 1.0)


def read_time(said: str, before: datetime | None, day: date | None, field: str) -> datetime:
    """A time as typed; a time alone is of the day of the row before. A zone is brought to UTC. Raises Refused, and asks
    for the date where a time alone is earlier than the row before."""
    example = "2026-03-01T10:00"
    if _CLOCK.fullmatch(said):
        on = before.date() if before else day
        if on is None:
            raise Refused(field, said, "the date with the first time", f"{date.today().isoformat()}T{said}")
        try:
            when = datetime.combine(on, time.fromisoformat(said if said[2:3] == ":" else f"0{said}"))
        except ValueError:
            raise Refused(field, said, "a time", "10:05") from None
        if before and when < before:
            asked = f"a time after {before:%H:%M}; the next day? Then its date with it"
            raise Refused(field, said, asked, f"{date.fromordinal(on.toordinal() + 1).isoformat()}T{said}")
        return when
    try:
        when = datetime.fromisoformat(said.replace("Z", "+00:00"))
        if not YEARS[0] <= when.year <= YEARS[1]:
            raise ValueError
    except ValueError:
        raise Refused(field, said, f"a time, of the years {YEARS[0]} to {YEARS[1]}", example) from None
    return when.astimezone(UTC).replace(tzinfo=None) if when.tzinfo else when


def speech_of(practice: str, unit: str, temp_unit: str = "") -> Speech:
    """How a job of a practice says figures in a unit: where it speaks psi, C or F has to be said once."""
    return Speech(unit, practice == "continental", temp_unit or ("" if unit == "psi" else "C"))


def as_read(value: Any) -> str:
    """A figure of a JSON object as it would be typed: its digits tell the step of a thermometer."""
    return value if isinstance(value, str) else repr(value)
