"""The readers of JSON and of CSV from outside: whatever comes in, out comes data or Refused."""

from __future__ import annotations

import csv
import io
import json
import math
import re
from typing import Any

from .errors import Refused

MOST_BYTES = 8_000_000
MOST_NUMBER = 10**18


def read_json(data: str | bytes, field: str, example: str, most_bytes: int | None = MOST_BYTES) -> Any:
    """What a JSON text says: objects, lists, text, finite numbers. most_bytes: None for text of our own.

    Raises Refused: too long, not UTF-8, not JSON, nested without end, a number that is none (NaN), half a sign of
    UTF-16.

    >>> read_json('{"rev": NaN}', "edit", '{"rev": 4}')
    Traceback (most recent call last):
    oikotherm.core.errors.Refused: edit: read 'NaN', expected a number, for example {"rev": 4}
    """
    if most_bytes is not None and len(data) > most_bytes:
        raise Refused(field, f"{len(data)} bytes", f"at most {most_bytes} bytes", example)

    def no_number(word: str) -> Any:
        raise Refused(field, word, "a number", example)

    try:
        found = json.loads(data, parse_constant=no_number)
    except RecursionError:
        raise Refused(field, "nesting without end", "JSON of a few levels", example) from None
    except ValueError as error:
        raise Refused(field, str(error), "JSON text", example) from None
    if most_bytes is not None:  # text of our own was looked through when it came
        _check_all(found, field, example)
    return found


def _check_all(found: Any, field: str, example: str) -> None:
    """No text that could not be stored or shown, and no number past all numbers (1e999)."""
    waiting = [found]
    while waiting:
        one = waiting.pop()
        if isinstance(one, dict):
            waiting += [*one.keys(), *one.values()]
        elif isinstance(one, list):
            waiting += one
        elif isinstance(one, str):
            check_text(one, field, example)
        elif isinstance(one, float) and not math.isfinite(one) or isinstance(one, int) and abs(one) > MOST_NUMBER:
            raise Refused(field, f"a number of {len(str(one))} digits", "a number within reason", example)


def check_text(text: str, field: str, example: str = "") -> str:
    """Text that can be stored, shown and sent. Raises Refused for a null sign or half a sign of UTF-16."""
    if "\0" in text:
        raise Refused(field, text.replace("\0", "\\0"), "text without a null sign", example)
    try:
        text.encode()
    except UnicodeEncodeError:
        raise Refused(
            field, text.encode("ascii", "backslashreplace").decode(), "whole signs, found half of one", example
        ) from None
    return text


def read_csv(text: str, field: str, example: str, delimiter: str = ",") -> list[list[str]]:
    """The rows of a CSV text, whatever ends its lines. Raises Refused for a cell without end."""
    plain = check_text(text.lstrip("\ufeff"), field, example).replace("\r\n", "\n").replace("\r", "\n")
    try:
        return list(csv.reader(io.StringIO(plain), delimiter=delimiter))
    except csv.Error as error:
        raise Refused(field, str(error), "CSV with cells of a few words", example) from None


def separator_of(text: str) -> str:
    """What parts the cells of a file, by its first line: ; or a tab, else a comma, which is never a decimal one
    then."""
    first = text.lstrip("\ufeff").partition("\n")[0]
    return next((sign for sign in (";", "\t") if sign in first), ",")


def row_cells(row: str) -> list[str]:
    """The entries of a row as typed: parted by ; or a tab, or by a comma and a blank."""
    cells = re.split(";|\t", row) if ";" in row or "\t" in row else re.split(r",(?:\s+|$)", row.rstrip(", "))
    return [cell.strip() for cell in cells]
