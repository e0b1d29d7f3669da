"""Numbers that can show how they came about."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class Step:
    """One line of working. formula: in words or signs; inputs: name -> value with its unit in the name; source: where
    the formula or a figure in it comes from (std, typ, measured, said, or a document)."""

    formula: str
    inputs: tuple[tuple[str, float], ...]
    result: float
    unit: str
    source: str = ""

    def as_dict(self) -> dict[str, Any]:
        return {
            "formula": self.formula,
            "inputs": {name: round(value, 4) for name, value in self.inputs},
            "result": round(self.result, 4),
            "unit": self.unit,
            "source": self.source,
        }


@dataclass(frozen=True, slots=True)
class Worked:
    """A value, its unit and the steps that give it. The last step's result is the value before rounding."""

    value: float
    unit: str
    steps: tuple[Step, ...]

    def as_list(self) -> list[dict[str, Any]]:
        return [step.as_dict() for step in self.steps]
