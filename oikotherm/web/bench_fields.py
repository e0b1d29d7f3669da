"""The fields of a Bench tool as a form has them: lists as lines, numbers and names in plain words, never as JSON."""

from __future__ import annotations

import json
import re
import typing
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel
from pydantic.fields import FieldInfo

from ..core.bench import Tool
from ..core.bench import tools as calc_tools
from ..core.errors import Refused
from ..core.quantity import number, trim, with_point
from ..core.reading import read_json, row_cells

UNIT_OF = (
    ("_l_h", "L/h"),
    ("_deg", "degrees"),
    ("_mm", "mm"),
    ("_kg", "kg"),
    ("_c", "C"),
    ("_k", "K"),
    ("_l", "L"),
    ("_m", "m"),
    ("_s", "s"),
    ("_w", "W"),
)
"""The unit a field's name ends with, as it is said; the longer endings first."""
SHORT = 2  # names of so many letters are told by what they mean


FEW_PARTS = 6  # of an object: up to here each is described
GROUPS = (
    ("Cutting and bending", ("lengths", "rows", "bends")),
    ("Joints", ("joints",)),
    ("Fit-up and fixing", ("fitup", "fixing")),
    ("Radiators and boilers", ("radiators", "emitters", "boiler")),
    ("Heating water", ("circuits",)),
    ("Gas", ("pipes", "fuel", "proving")),
    ("Fresh water", ("fresh", "heaters", "softener", "backflow")),
    ("Units", ("units",)),
)


def grouped() -> list[tuple[str, list[Tool]]]:
    """The tools under their headings; those of a module that has none come last."""
    left = list(calc_tools().values())
    found = []
    for title, modules in GROUPS:
        own = [tool for tool in left if tool.function.__module__.rpartition(".")[2] in modules]
        own.sort(key=lambda tool: modules.index(tool.function.__module__.rpartition(".")[2]))
        left = [tool for tool in left if tool not in own]
        found.append((title, own))
    return [*found, ("More", left)] if left else found


@dataclass(frozen=True, slots=True)
class FormField:
    """A field of a tool's form. lines: how many it takes as a box, 0 for one line."""

    name: str
    label: str
    description: str
    options: tuple[str, ...]
    required: bool
    lines: int = 0


def _parts(annotation: Any) -> list[Any]:
    """An annotation and all that it is made of."""
    found = [annotation]
    for one in typing.get_args(annotation):
        found += _parts(one)
    return found


def _rows_of(field: FieldInfo) -> type[BaseModel] | None:
    """The model of the rows of a field that is a list of objects and not text as well."""
    parts = _parts(field.annotation)
    models = [one for one in parts if isinstance(one, type) and issubclass(one, BaseModel)]
    return models[0] if models and str not in parts[: parts.index(models[0])] and _many(field) else None


def _object_of(field: FieldInfo) -> type[BaseModel] | None:
    """The model of a field that is one object."""
    models = [one for one in _parts(field.annotation) if isinstance(one, type) and issubclass(one, BaseModel)]
    return models[0] if models and not _many(field) and not _is(field, dict) else None


def _is(field: FieldInfo, origin: type, of: type | None = None) -> bool:
    return any(
        typing.get_origin(one) is origin and (of is None or of in typing.get_args(one))
        for one in _parts(field.annotation)
    )


def _document(field: FieldInfo) -> bool:
    """Whether a field is a whole document, which is pasted as JSON."""
    return _is(field, dict, str) and Any in typing.get_args(field.annotation)


def _many(field: FieldInfo) -> bool:
    return _is(field, list) or _is(field, tuple)


def fields_of(tool: Tool) -> list[FormField]:
    """The inputs of a tool as form fields."""
    found = []
    for name, field in tool.input.model_fields.items():
        options: tuple[str, ...] = ()
        for part in (field.annotation, *typing.get_args(field.annotation)):
            if typing.get_origin(part) is typing.Literal:
                options = tuple(one for one in typing.get_args(part) if one)
            elif part is bool:
                options = ("true", "false")
        key = field.alias or name
        said = field.description or ""
        row = _rows_of(field)
        lines = 0
        if row is not None:
            columns = ", ".join(_words(one, own) for one, own in row.model_fields.items())
            said, lines = f"a line each: {columns}", 5
        elif (one := _object_of(field)) is not None:
            many = len(one.model_fields) > FEW_PARTS
            parts = (part if many else f"{part} ({_words(part, own)})" for part, own in one.model_fields.items())
            what = f"{said}, " if len(key) <= SHORT else ""
            said = f"{what}name and figure, with ; between: {(', ' if many else '; ').join(parts)}"
        elif _is(field, list, float):
            lines = 3
        elif _document(field):
            lines = 8
        elif _is(field, dict):
            said = said.partition("{")[0].rstrip(" ,;:") + ": name and figure, with ; between"
        label = said.partition(",")[0].partition(";")[0] if len(key) <= SHORT else _label(key)
        found.append(FormField(key, label, said, options, field.is_required(), lines))
    return found


def _label(key: str) -> str:
    """A field's name in words, its unit behind a comma: "flow_l_h" is "flow, L/h"."""
    name, unit = next(((key.removesuffix(end), said) for end, said in UNIT_OF if key.endswith(end)), (key, ""))
    return name.replace("_", " ") + (f", {unit}" if unit else "")


def _words(name: str, field: FieldInfo) -> str:
    """A column of a row in words: what it is, with its unit."""
    return (
        field.description or name.replace("_l", " L").replace("_m", " m").replace("_c", " C").replace("_", " ")
    ).replace(", or text with a unit", "")


def shown(tool: Tool, values: Mapping[str, Any]) -> dict[str, str]:
    """Values as they are typed: those of the example."""
    by_key = {field.alias or name: field for name, field in tool.input.model_fields.items()}
    return {key: _text(by_key[key], value) for key, value in values.items()}


def _text(field: FieldInfo, value: Any) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int | float):
        return trim(float(value), 6)
    if isinstance(value, Mapping) and _document(field):
        return json.dumps(value)
    if isinstance(value, Mapping):
        return "; ".join(f"{name} {_text(field, one)}" for name, one in value.items())
    if isinstance(value, Sequence) and not isinstance(value, str):
        row = _rows_of(field)
        if row is not None:
            lines = ([_text(field, one.get(name, "")) for name in row.model_fields] for one in value)
            return "\n".join(", ".join(cells).rstrip(", ") for cells in lines)
        return (" " if _is(field, list, float) else ", ").join(_text(field, one) for one in value)
    return str(value)


def read(tool: Tool, typed: Mapping[str, str]) -> dict[str, Any]:
    """What was typed as the tool takes it; JSON is taken too. Raises Refused."""
    by_key = {field.alias or name: field for name, field in tool.input.model_fields.items()}
    return {key: _value(key, by_key[key], text) for key, text in typed.items() if text}


def _value(key: str, field: FieldInfo, text: str) -> Any:
    if text.startswith(("[", "{")):
        return read_json(text, key, "[18.0, 18.2, 19.5]")
    row = _rows_of(field)
    if row is not None:
        names = list(row.model_fields)
        found = []
        for count, line in enumerate(filter(None, (one.strip() for one in text.splitlines())), 1):
            cells = row_cells(line)
            needed = sum(own.is_required() for own in row.model_fields.values())
            if not needed <= len(cells) <= len(names):
                said = ", ".join(_words(name, own) for name, own in row.model_fields.items())
                raise Refused(
                    f"{key}, line {count}", line, f"{len(names)} entries with commas: {said}", "R1, 62, 3.3 kPa"
                )
            filled = [(name, cell, row.model_fields[name]) for name, cell in zip(names, cells, strict=False)]
            found.append({name: _number(name, cell, own) for name, cell, own in filled if cell or own.is_required()})
        return found
    one = _object_of(field)
    if one is not None:
        return dict(_part(key, part, one) for part in filter(None, (part.strip() for part in text.split(";"))))
    if _is(field, dict):
        return dict(_pair(key, one, field) for one in filter(None, (part.strip() for part in text.split(";"))))
    if _is(field, list, float):
        words = filter(None, re.split(r"[;\s]+|,\s+", text.strip()))
        return [number(word, key, "numbers with blanks between", "18.0 18.2 19.5") for word in words]
    if _is(field, list) and str not in typing.get_args(field.annotation):
        return [word.strip() for word in text.split(",")]
    return _pointed(key, text, field)


def _pair(key: str, said: str, field: FieldInfo) -> tuple[str, Any]:
    name, _, figure = said.rpartition(" ")
    if not name:
        raise Refused(key, said, "a name and a figure, pairs with ; between", "R1 11.5; R2 9.8")
    return name.strip(), figure if _is(field, dict, str) and not _is(field, dict, float) else _plain_number(key, figure)


def _part(key: str, said: str, of: type[BaseModel]) -> tuple[str, Any]:
    """A part of an object: its name, then what it is."""
    name, _, value = said.partition(" ")
    if name not in of.model_fields or not value.strip():
        raise Refused(key, said, f"a name and a figure, with ; between: {', '.join(of.model_fields)}", "resolution 0.1")
    return name, _number(name, value.strip(), of.model_fields[name])


def _plain_number(key: str, text: str) -> float:
    return number(text, key, example="11.5")


def _pointed(key: str, text: str, field: FieldInfo) -> str:
    """A figure with a point for its decimals; words as typed."""
    return with_point(text, key, "20.5", None) if float in _parts(field.annotation) and ", " not in text else text


def _number(key: str, text: str, field: FieldInfo) -> Any:
    """A cell: a number where the column is one, else as typed. Raises Refused."""
    said = _pointed(key, text, field)
    if float in _parts(field.annotation) and str not in _parts(field.annotation):
        try:
            return float(said)
        except ValueError:
            return said
    return said
