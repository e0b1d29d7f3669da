"""calc convert: any quantity from one unit to another."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from ..quantity import convert as convert_quantity
from .registry import Input, tool


class Convert(Input):
    value: str = Field(description="a quantity with its unit, as text")
    to: str = Field(description="the unit wanted")


@tool("Convert", "a quantity from one unit to another", {"value": "21 mbar", "to": "inH2O"})
def convert(said: Convert) -> dict[str, Any]:
    """{value, text}: the number in the wanted unit to five figures, and as it would be said. Raises Refused."""
    value, text = convert_quantity(said.value, said.to)
    return {"value": value, "text": text}
