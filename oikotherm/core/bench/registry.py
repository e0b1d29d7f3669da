"""The calc tools: one function each, typed input and output. The Bench pages, `/api/calc` and `oikotherm calc` share them.

A tool is a pydantic model for what goes in and a function that gives a dict of what comes out; docs/calc.md shows how to
add one. A quantity is a number in the unit its field states, or text with a unit.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, ConfigDict

from ..errors import Refused, nearest
from ..job.document import read_as


class Input(BaseModel):
    """Base of the inputs: closed; every field's description says its unit and range."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


@dataclass(frozen=True, slots=True)
class Tool:
    """A calc tool. example: an input that works, shown on its page and in its help."""

    name: str
    title: str
    does: str
    input: type[Input]
    function: Callable[[Any], dict[str, Any]]
    example: dict[str, Any]

    def run(self, said: Any) -> dict[str, Any]:
        """Read the input and work it out. Raises Refused."""
        if not isinstance(said, dict):
            raise Refused("input", said, "one JSON object", str(self.example).replace("'", '"'))
        return self.function(read_as(self.input, said))

    def help(self) -> str:
        """The fields with their units, and an example, as plain text."""
        import json

        lines = [f"{self.name}: {self.does}", ""]
        for name, field in self.input.model_fields.items():
            lines.append(
                f"  {field.alias or name:18} {field.description or ''}{'' if field.is_required() else ' (may be left out)'}"
            )
        return "\n".join([*lines, "", f"example: {json.dumps(self.example)}"])


TOOLS: dict[str, Tool] = {}


def tool(title: str, does: str, example: dict[str, Any]) -> Callable[..., Any]:
    """Register a function as a calc tool under its own name; its one argument must be annotated with an Input model."""

    def keep(function: Callable[[Any], dict[str, Any]]) -> Callable[[Any], dict[str, Any]]:
        import typing

        model = next(iter(typing.get_type_hints(function).values()))
        TOOLS[function.__name__] = Tool(function.__name__, title, does, model, function, example)
        return function

    return keep


def find_tool(name: str) -> Tool:
    """The tool of that name. Raises Refused with the nearest."""
    if name not in TOOLS:
        raise Refused("tool", name, f"a calc tool such as {nearest(name, TOOLS)}", "convert")
    return TOOLS[name]
