"""How numbers and names are shown on pages."""

from __future__ import annotations

import uuid
from datetime import datetime
from typing import Any

from flask import Flask
from markupsafe import Markup, escape

from ..core.quantity import convert, length_text, trim

ELEVATED_PA = 10_000.0  # gas above it is read in psi where inches of water are the rule
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


def gas_pressure(pressure_pa: float, practice: str) -> Markup:
    """A gas pressure as the trade of a practice reads it, with its unit in a lighter tone."""
    unit, word = ("inH2O", "in w.c.") if practice == "north-american" else ("mbar", "mbar")
    if practice == "north-american" and abs(pressure_pa) >= ELEVATED_PA:
        unit = word = "psi"
    value, _ = convert(f"{pressure_pa:.6g} Pa", unit)
    return Markup('<span class="measure">{}<i> {}</i></span>').format(f"{value:.2f}", word)


def water_pressure(pressure_pa: float, practice: str) -> Markup:
    """A water pressure as the gauges of a practice show it, with its unit in a lighter tone."""
    unit = "psi" if practice == "north-american" else "bar"
    value, _ = convert(f"{pressure_pa:.6g} Pa", unit)
    return _with_unit(f"{value:.1f}" if unit == "psi" else f"{value:.2f}", unit)


def water_flow(flow_l_s: float, practice: str) -> Markup:
    """A flow of water as the trade of a practice reads it: L/min, gpm."""
    if practice == "north-american":
        value, _ = convert(f"{flow_l_s:.6g} L/s", "gpm")
        return _with_unit(f"{value:.1f}", "gpm")
    return _with_unit(f"{flow_l_s * 60:.1f}", "L/min")


def water_speed(speed_m_s: float, practice: str) -> Markup:
    """How fast water runs: m/s, ft/s."""
    if practice == "north-american":
        return _with_unit(f"{speed_m_s / 0.3048:.1f}", "ft/s")
    return _with_unit(f"{speed_m_s:.2f}", "m/s")


def _with_unit(value: str, unit: str) -> Markup:
    return Markup('<span class="measure">{}<i> {}</i></span>').format(value, unit)


def when(stamp: str) -> str:
    """An ISO time as a day and a time of day; anything else as it is."""
    try:
        return datetime.fromisoformat(stamp.replace("Z", "+00:00")).strftime("%d %b %Y, %H:%M")
    except ValueError:
        return stamp


def pressure_bar(value: Any) -> Markup:
    """A pressure [bar] as one reads it: small ones in mbar."""
    bar = float(value)
    number, unit = (trim(bar * 1000, 2), "mbar") if bar < 0.1 else (trim(bar, 2), "bar")
    return Markup("{} <i>{}</i>").format(number, unit)


def inputs_text(inputs: tuple[tuple[str, float], ...]) -> str:
    return ", ".join(f"{name} {figure(value)}" for name, value in inputs)


def register(app: Flask) -> None:
    for one in (
        measure,
        plain,
        figure,
        figure1,
        gas_pressure,
        water_pressure,
        water_flow,
        water_speed,
        when,
        inputs_text,
        pressure_bar,
    ):
        app.jinja_env.filters[one.__name__] = one
    app.jinja_env.globals.update(PRACTICES=PRACTICES, escape=escape, fresh_uuid=lambda: str(uuid.uuid4()))
