"""What comes in, read in one place: query, form and path checked as text, a body as JSON, a revision as a number."""

from __future__ import annotations

import re
from typing import Any

from flask import request
from werkzeug.datastructures import MultiDict

from ..core.errors import Refused
from ..core.reading import check_text, read_json

MOST_ARG = 4_000  # signs of one value in an address
MOST_FIELD = 1_000_000  # signs of one field of a form: a log of readings
MOST_REV = 10**9
NO_FORM = "/readings/"  # what is sent there is lines, whatever a logger calls it


def check_request() -> None:
    """Refuse text that could not be stored or shown, before any page reads it. Raises Refused."""
    for name, value in (request.view_args or {}).items():
        check_text(str(value), name)
    form = MultiDict[str, str]() if request.path.startswith(NO_FORM) else request.form
    for values, most in ((request.args, MOST_ARG), (form, MOST_FIELD)):
        for name, value in values.items(multi=True):
            check_text(name, "name of a field")
            check_text(value, name)
            if len(value) > most:
                raise Refused(name[:60], f"{len(value)} signs", f"at most {most} signs", "")


def anchor(name: str) -> str:
    """The part of an address that leads to an element of the page: "#R1"; nothing for what is no name."""
    return f"#{name}" if re.fullmatch(r"[A-Za-z0-9._-]{1,80}", name) else ""


def wants_json() -> bool:
    """Whether a script or a device asks, not a page."""
    return (
        request.path.startswith(("/readings/", "/api/"))
        or request.is_json
        or request.accept_mimetypes.best == "application/json"
    )


def body(field: str = "edit", example: str = '{"rev": 4, "commands": []}') -> dict[str, Any]:
    """The JSON object that was sent. Raises Refused."""
    found = read_json(request.get_data(), field, example)
    if not isinstance(found, dict):
        raise Refused(field, found, "a JSON object", example)
    return found


def rev_of(said: Any) -> int:
    """The number of a revision, as a number or as text. Raises Refused."""
    if isinstance(said, str) and said.isascii() and said.isdigit() and len(said) < 10:
        return int(said)
    if isinstance(said, bool) or not isinstance(said, int) or not 0 <= said <= MOST_REV:
        raise Refused("rev", said, "the number of the revision this was made on", "4")
    return said
