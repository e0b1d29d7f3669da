"""People and instruments: roles with licence and expiry, gauges with calibration; used by tests."""

from __future__ import annotations

from datetime import date
from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for

from ..core.errors import Refused
from ..core.quantity import parse
from ..store import people as store
from ..store.database import writing
from . import db
from .backed_up import kept_here

bp = Blueprint("people", __name__, url_prefix="/people")


def _page(**more: Any) -> str:
    conn = db.get()
    known: dict[str, Any] = {"typed": {}, "error": None}
    today = date.today().isoformat()
    return render_template(
        "people.html",
        people=store.people(conn),
        instruments=store.instruments(conn),
        today=today,
        kinds=store.KINDS,
        backups=kept_here(),
        **{**known, **more},
    )


@bp.get("")
def index() -> str:
    """Both lists."""
    return _page()


@bp.post("")
def change() -> Any:
    """Add or change a role or an instrument, or take one out."""
    form, conn = request.form, db.get()
    try:
        with writing(conn):
            if form.get("remove") in ("person", "instrument"):
                store.remove(conn, form["remove"], form.get("name", ""))
            elif form.get("what") == "person":
                store.put_person(conn, form.get("name", ""), form.get("licence", ""), form.get("expires_on", ""))
            elif form.get("what") == "instrument":
                kind = form.get("kind", "mechanical")
                step, range_bar = _step(kind, form.get("resolution", "")), None
                if goes_to := form.get("range", "").strip():
                    range_bar = parse(goes_to, "pressure", "bar", field="range", decimal_comma=None) / 1e5
                dates = form.get("calibrated_on", ""), form.get("due_on", "")
                store.put_instrument(conn, form.get("name", ""), kind, step, *dates, range_bar)
            else:
                raise Refused("what", form.get("what"), "person or instrument", "person")
    except Refused as error:
        return _page(typed=form, error=error), 422
    return redirect(url_for(".index", done=form.get("what") or form.get("remove")), 303)


def _step(kind: str, said: str) -> float:
    """The smallest step of an instrument as typed [bar, a thermometer K]. Raises Refused."""
    if kind == "thermometer":
        return parse(said, "difference", "K", field="resolution", decimal_comma=None)
    return parse(said, "pressure", "bar", field="resolution", decimal_comma=None) / 1e5
