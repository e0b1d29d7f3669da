"""Reading and writing the job document: `*.oikotherm.json`."""

from __future__ import annotations

import json
import secrets
from collections.abc import Mapping
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from ..errors import Refused
from ..fields import ANCHOR_PATTERN, ID_PATTERN, PORT_PATTERN, SIZE_PATTERN, WAY_PATTERN
from ..reading import MOST_BYTES, read_json
from ..services import spec
from .model import FORMAT, VERSION, House, Job, Level
from .upgrades import upgrade

Model = TypeVar("Model", bound=BaseModel)

MOST_ROWS = 5_000  # of runs, stations and each other list of a job: some eight times a block of 300 radiators
MOST_ITEMS_IN_ALL = 50_000  # legs, parts and marks of all runs


def read(data: str | bytes, most_bytes: int | None = MOST_BYTES) -> Job:
    """Read a job document. Raises Refused with a JSON pointer for anything that is not one. most_bytes: None for what
    was stored here.

    >>> read("[]")
    Traceback (most recent call last):
    oikotherm.core.errors.Refused: document: read '[]', expected a job document, for example {"format": "oikotherm-job",
    ...}
    """
    example = '{"format": "oikotherm-job", ...}'
    found = read_json(data, "document", example, most_bytes)
    if not isinstance(found, dict) or found.get("format") != FORMAT:
        said = (
            found.get("format", "no format")
            if isinstance(found, dict)
            else data
            if isinstance(data, str)
            else data.decode("utf-8", "replace")
        )
        raise Refused("document", said, "a job document", example)
    if isinstance(found.get("version"), int) and found["version"] > VERSION:
        raise Refused(
            "version",
            found["version"],
            f"a document of version {VERSION} or older; this program is too old for it",
            str(VERSION),
        )
    if most_bytes is not None:
        check_bounds(found)
    return read_as(Job, upgrade(found))


def check_bounds(found: Mapping[str, Any]) -> None:
    """Refuse a document with more rows than a job has, before any of them is looked at."""
    for name, rows in found.items():
        if isinstance(rows, list | tuple) and len(rows) > MOST_ROWS:
            raise Refused(name, f"{len(rows)} rows", f"at most {MOST_ROWS} {name}", "two jobs")
    runs = found.get("runs")
    items = [one.get("items") for one in runs if isinstance(one, dict)] if isinstance(runs, list) else []
    count = sum(len(one) for one in items if isinstance(one, list))
    if count > MOST_ITEMS_IN_ALL:
        raise Refused("runs", f"{count} items", f"at most {MOST_ITEMS_IN_ALL} items in all runs", "two jobs")


def read_as(model: type[Model], found: Any) -> Model:
    """Validate data into a model; the first error becomes a Refused with a JSON pointer."""
    try:
        return model.model_validate(found)
    except ValidationError as error:
        raise refusal(error) from None
    except RecursionError:
        raise Refused("document", "nesting without end", "a document of a few levels") from None


_EXAMPLES = {
    "missing": "",
    "float_type": "1850",
    "float_parsing": "1850",
    "int_parsing": "4",
    "int_type": "4",
    "string_type": '"text"',
    "bool_parsing": "true",
    "tuple_type": "[]",
    "dict_type": "{}",
    "model_type": "{}",
}


_PATTERNS: dict[str, tuple[str | None, str]] = {
    f"^{ID_PATTERN}$": ("a name in capitals and figures, eight at most", "F1"),
    f"^{PORT_PATTERN}$": ("the name of a port in small letters", "flow"),
    f"^{ANCHOR_PATTERN}$": ("a port or named point", "BLR.flow"),
    f"^{WAY_PATTERN}$": ("a direction", "N"),
    f"^(?:{SIZE_PATTERN})$": ("a size of pipe", "22"),
    r"^i[1-9]\d{0,8}$": ("the id of an item", "i12"),
    r"^\d{4}-\d\d-\d\d$": ("a day", "2026-03-01"),
}


def refusal(error: ValidationError) -> Refused:
    """The first of Pydantic's errors in our words."""
    first = error.errors(include_url=False)[0]
    place = "/" + "/".join(str(part) for part in first["loc"])
    kind, message = first["type"], first["msg"].removeprefix("Value error, ")
    said = "nothing" if kind == "missing" else first.get("input", "")
    expected = {"missing": "this field", "extra_forbidden": "no field of this name"}.get(kind)
    example = _EXAMPLES.get(kind, "")
    if kind == "string_pattern_mismatch":
        expected, example = _PATTERNS.get(first["ctx"]["pattern"], (None, example))
    if expected is None:
        said_at = message.find(", found ")
        message = message if said_at < 0 else message[:said_at]
        expected = (
            message.removeprefix("expected ")
            .replace("Input should be", "a value that is")
            .replace("String should", "text that should")
        )
    return Refused(place[1:] or "document", said, expected, example, place)


def write(job: Job) -> str:
    """The document as text: the same job gives the same bytes. What is not set is left out. A job too big to be read
    with its indents is written without."""
    found = job.model_dump(mode="json", exclude_none=True)
    text = json.dumps(found, ensure_ascii=False, indent=1) + "\n"
    if len(text.encode()) > MOST_BYTES:
        text = json.dumps(found, ensure_ascii=False, separators=(",", ":")) + "\n"
    return text


def json_schema() -> dict[str, Any]:
    """The JSON Schema of the job document: the models, with services, roles and kinds as they are registered."""
    schema = Job.model_json_schema()
    defs = schema["$defs"]
    for kind in spec.kinds().values():
        data = kind.model.model_json_schema()
        defs |= data.pop("$defs", {})
        defs[kind.model.__name__] = data
    station = defs["Station"]
    station["properties"]["kind"]["enum"] = list(spec.kinds())
    for name, known in (("service", list(spec.services())), ("role", [role.id for role in spec.roles()])):
        for owner in ("Run", "Port"):
            if name in defs[owner]["properties"]:
                defs[owner]["properties"][name]["enum"] = known
    station["allOf"] = [
        {
            "if": {"properties": {"kind": {"const": ident}}},
            "then": {"properties": {"data": {"$ref": f"#/$defs/{kind.model.__name__}"}}},
        }
        for ident, kind in spec.kinds().items()
    ]
    station["properties"]["data"] = {"type": "object"}
    defs.pop("StationData", None)
    return {**schema, "$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Oikotherm job"}


def new_uid() -> str:
    """A fresh id for a job: 12 letters and figures."""
    return "".join(secrets.choice("abcdefghjkmnpqrstuvwxyz23456789") for _ in range(12))


def blank(uid: str, title: str, practice: str, pace_unit: str, place: str = "") -> Job:
    """A new job with a ground floor and nothing on it. Raises Refused."""
    ground = Level(id="L0", name="Ground floor", floor_mm=0, ceiling_mm=2400)
    said = {
        "uid": uid,
        "title": title.strip(),
        "practice": practice,
        "pace_unit": pace_unit,
        "place": place.strip(),
        "house": House(levels=(ground,)),
    }
    return read_as(Job, said)
