"""Roles and instruments. The caller commits."""

from __future__ import annotations

import re
import sqlite3
from datetime import date
from typing import Any

from ..core.errors import Refused


def _date(text: str, field: str) -> str | None:
    text = text.strip()
    if not text:
        return None
    try:
        if not re.fullmatch(r"\d{4}-\d\d-\d\d", text):
            raise ValueError
        date.fromisoformat(text)
    except ValueError:
        raise Refused(field, text, "a date as year-month-day", "2027-03-31") from None
    return text


def people(conn: sqlite3.Connection) -> list[sqlite3.Row]:
    return conn.execute("SELECT * FROM person ORDER BY rowid").fetchall()


def instruments(conn: sqlite3.Connection) -> list[sqlite3.Row]:
    return conn.execute("SELECT * FROM instrument ORDER BY rowid").fetchall()


def gauges(conn: sqlite3.Connection) -> list[dict[str, Any]]:
    """The instruments that read a pressure."""
    return [dict(one) for one in instruments(conn) if one["kind"] not in ("differential", "thermometer")]


def thermometers(conn: sqlite3.Connection) -> list[dict[str, Any]]:
    """The instruments that read the pipe's temperature."""
    return [dict(one) for one in instruments(conn) if one["kind"] == "thermometer"]


def rates(conn: sqlite3.Connection) -> tuple[tuple[str, float], ...]:
    """The firm's own minutes, by what is done."""
    rows = conn.execute("SELECT name, value FROM setting WHERE name LIKE 'rate:%' ORDER BY name").fetchall()
    return tuple((row["name"].removeprefix("rate:"), float(row["value"])) for row in rows)


def put_person(conn: sqlite3.Connection, role: str, licence: str, expires_on: str) -> None:
    """Add or change a role. Raises Refused."""
    role = " ".join(role.split())
    if not 1 <= len(role) <= 60:
        raise Refused("role", role, "a role of 1 to 60 letters", "gas engineer")
    sql = """INSERT INTO person (role, licence, expires_on) VALUES (?, ?, ?)
             ON CONFLICT (role) DO UPDATE SET licence = excluded.licence, expires_on = excluded.expires_on"""
    conn.execute(sql, (role, licence.strip()[:120], _date(expires_on, "expires_on")))


KINDS = {
    "mechanical": "dial gauge",
    "electronic": "electronic gauge",
    "water": "water gauge",
    "differential": "differential gauge",
    "thermometer": "thermometer",
}
"""What kinds of instrument there are, in words."""


def put_instrument(
    conn: sqlite3.Connection,
    name: str,
    kind: str,
    step: float,
    calibrated_on: str,
    due_on: str,
    range_bar: float | None = None,
) -> None:
    """Add or change an instrument. kind: of KINDS; step: the smallest it shows [bar, a thermometer K]; a water gauge
    has no calibration date. Raises Refused."""
    name = " ".join(name.split())
    if not 1 <= len(name) <= 60:
        raise Refused("name", name, "a name of 1 to 60 letters", "test gauge 0-6 bar")
    if kind not in KINDS:
        raise Refused("kind", kind, ", ".join(KINDS), "mechanical")
    if not 0 < step <= 10:
        unit = "K" if kind == "thermometer" else "bar"
        raise Refused("resolution", step, f"the smallest step it shows, above 0 and up to 10 {unit}", f"0.1 {unit}")
    if range_bar is not None and not step < range_bar <= 1000:
        raise Refused("range", range_bar, "the pressure it goes to, above its smallest step", "6 bar")
    if kind == "water" and (calibrated_on.strip() or due_on.strip()):
        raise Refused("calibrated_on", calibrated_on or due_on, "no date: a water gauge is its own measure", "")
    of_temp = kind == "thermometer"
    sql = """INSERT INTO instrument (name, kind, resolution_bar, resolution_k, calibrated_on, due_on, range_bar)
             VALUES (?, ?, ?, ?, ?, ?, ?)
             ON CONFLICT (name) DO UPDATE SET kind = excluded.kind, resolution_bar = excluded.resolution_bar,
             resolution_k = excluded.resolution_k, calibrated_on = excluded.calibrated_on,
             due_on = excluded.due_on, range_bar = excluded.range_bar"""
    steps = (None, step) if of_temp else (step, None)
    dates = _date(calibrated_on, "calibrated_on"), _date(due_on, "due_on")
    conn.execute(sql, (name, kind, *steps, *dates, None if of_temp else range_bar))


def instrument(conn: sqlite3.Connection, name: str) -> dict[str, Any]:
    """An instrument by name. Raises Refused."""
    row = conn.execute("SELECT * FROM instrument WHERE name = ?", (name,)).fetchone()
    if row is None:
        known = [one["name"] for one in instruments(conn)]
        raise Refused("gauge", name, "an instrument of the list", known[0] if known else "")
    return dict(row)


def remove(conn: sqlite3.Connection, table: str, name: str) -> None:
    """Take a role or an instrument out. Records keep the words they were made with."""
    column = {"person": "role", "instrument": "name"}[table]
    conn.execute(f"DELETE FROM {table} WHERE {column} = ?", (name,))
