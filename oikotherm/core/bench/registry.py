"""The calc tools: one function each, typed input and output. The Bench pages, `/api/calc` and `oikotherm calc` share
them.

A tool is a pydantic model for what goes in and a function that gives a dict of what comes out; docs/calc.md shows how
to add one. A quantity is a number in the unit its field states, or text with a unit.
"""

from __future__ import annotations

from collections.abc import Callable
from contextvars import ContextVar
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, ConfigDict

from ..catalogue import Catalogue
from ..context import Context
from ..errors import Refused
from ..job.document import read_as
from ..quantity import parse, parse_length_mm

Quantity = float | str
_CONTEXT: ContextVar[Context] = ContextVar("context of the tool that runs")


def context() -> Context:
    """What the tool that runs is to use: the catalogue in force, and where results are remembered."""
    return _CONTEXT.get()


def in_force() -> Catalogue:
    """The catalogue the tool that runs is to use."""
    return context().catalogue


def mm(value: Quantity, field: str) -> float:
    """A length as said [mm]; a bare number is in mm. Raises Refused."""
    return parse_length_mm(value, "mm", field=field)


def deg(value: Quantity, field: str = "angle_deg") -> float:
    """An angle as said [deg]. Raises Refused."""
    return parse(value, "angle", "deg", field=field)


class Input(BaseModel):
    """Base of the inputs: closed; every field's description says its unit and range."""

    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid", allow_inf_nan=False)


@dataclass(frozen=True, slots=True)
class Tool:
    """A calc tool. example: an input that works, shown on its page and in its help."""

    name: str
    title: str
    does: str
    input: type[Input]
    function: Callable[[Any], dict[str, Any]]
    example: dict[str, Any]
    notes: str = ""

    def run(self, said: Any, context: Context | None = None) -> dict[str, Any]:
        """Read the input and work it out by the catalogue of the context; without one by that which ships. Raises
        Refused."""
        if not isinstance(said, dict):
            raise Refused("input", said, "one JSON object", str(self.example).replace("'", '"'))
        before = _CONTEXT.set(context or Context())
        try:
            return self.function(read_as(self.input, said))
        finally:
            _CONTEXT.reset(before)

    def help(self) -> str:
        """The fields with their units, and an example, as plain text."""
        import json

        lines = [f"{self.name}: {self.does}", ""]
        for name, field in self.input.model_fields.items():
            lines.append(
                f"  {field.alias or name:18} "
                f"{field.description or ''}{'' if field.is_required() else ' (may be left out)'}"
            )
        notes = ["", self.notes] if self.notes else []
        return "\n".join([*lines, *notes, "", f"example: {json.dumps(self.example)}"])


class ToolBox:
    """The tools of a service, or of all: a decorator keeps each function with its input."""

    def __init__(self) -> None:
        self.tools: dict[str, Tool] = {}

    def __call__(self, title: str, does: str, example: dict[str, Any], notes: str = "") -> Callable[..., Any]:
        """Keep a function as a calc tool under its own name; its one argument must be annotated with an Input model."""

        def keep(function: Callable[[Any], dict[str, Any]]) -> Callable[[Any], dict[str, Any]]:
            import typing

            model = next(iter(typing.get_type_hints(function).values()))
            self.tools[function.__name__] = Tool(function.__name__, title, does, model, function, example, notes)
            return function

        return keep


tool = ToolBox()
