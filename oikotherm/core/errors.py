"""The one error that bad input may cause.

Refused                what was read, what was expected, an example; shown to the fitter as it stands
"""

from __future__ import annotations

import difflib
from collections.abc import Iterable
from typing import Any


class Refused(Exception):
    """Input that cannot be taken. Any input gives a valid result or this, nothing else.

    field: what was being read ("length", "run", "/stations/0/at"); said: what was read, as text; expected: what would
    have been taken; example: something that would have been taken; where: (start, end) of the offending part of a text,
    in characters, or a JSON pointer, or None.
    """

    def __init__(
        self, field: str, said: object, expected: str, example: str = "", where: tuple[int, int] | str | None = None
    ) -> None:
        self.field = field
        self.said = shorten(said)
        self.expected = expected
        self.example = example
        self.where = where
        super().__init__(str(self))

    def __str__(self) -> str:
        text = f"{self.field}: read {self.said!r}, expected {self.expected}"
        return f"{text}, for example {self.example}" if self.example else text

    def as_dict(self) -> dict[str, Any]:
        """The error object of the command line and the web: field, said, expected, example and, if known, where."""
        found: dict[str, Any] = {
            "field": self.field,
            "said": self.said,
            "expected": self.expected,
            "example": self.example,
        }
        if self.where is not None:
            found["where"] = list(self.where) if isinstance(self.where, tuple) else self.where
        return found

    def moved(self, by: int) -> Refused:
        """The same refusal for a text that starts `by` characters earlier."""
        if not isinstance(self.where, tuple):
            return self
        return Refused(self.field, self.said, self.expected, self.example, (self.where[0] + by, self.where[1] + by))


def shorten(value: object, most: int = 80) -> str:
    """A value as one short line, fit to be quoted in a message."""
    text = " ".join(str(value).split())
    return text if len(text) <= most else text[: most - 1] + "…"


def nearest(word: str, known: Iterable[str], most: int = 3) -> str:
    """The known words closest to a mistyped one, as a phrase: "cu-m, cu-mm or cu-l"; all of few when none is close."""
    names = list(dict.fromkeys(known))
    close = difflib.get_close_matches(word, names, n=most, cutoff=0.4) or names[:most]
    return close[0] if len(close) == 1 else ", ".join(close[:-1]) + " or " + close[-1] if close else "nothing yet"
