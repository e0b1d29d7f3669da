"""How numbers and names are shown on pages."""

from __future__ import annotations

import uuid
from datetime import datetime
from typing import Any

from flask import Flask
from markupsafe import Markup, escape

from ..core.quantity import length_text, trim

PRACTICES = {"british": "metric, British kind", "continental": "continental", "north-american": "North American"}


def measure(mm: float, unit: str) -> Markup:
    """A length with its unit in a lighter tone."""
    text = length_text(mm, "in" if unit == "in" else "mm")
    return Markup('<span class="measure">{}<i>{}</i></span>').format(text, "" if unit == "in" else " mm")


def plain(mm: float, unit: str) -> str:
    return length_text(mm, "in" if unit == "in" else "mm")


def figure(value: Any) -> str:
    """A number of a working, with what decimals it has."""
    return trim(float(value), 3)


def figure1(value: Any) -> str:
    """A number to one decimal."""
    return f"{float(value):.1f}"


def when(stamp: str) -> str:
    """An ISO time as a day and a time of day."""
    return datetime.fromisoformat(stamp.replace("Z", "+00:00")).strftime("%d %b %Y, %H:%M")


def inputs_text(inputs: tuple[tuple[str, float], ...]) -> str:
    return ", ".join(f"{name} {figure(value)}" for name, value in inputs)


def register(app: Flask) -> None:
    app.jinja_env.filters.update(
        measure=measure, plain=plain, figure=figure, figure1=figure1, when=when, inputs_text=inputs_text
    )
    app.jinja_env.globals.update(PRACTICES=PRACTICES, escape=escape, fresh_uuid=lambda: str(uuid.uuid4()))
