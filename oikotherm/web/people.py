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

bp = Blueprint("people", __name__, url_prefix="/people")


def _page(**more: Any) -> str:
    conn = db.get()
    known: dict[str, Any] = {"typed": {}, "error": None}
    today = date.today().isoformat()
    return render_template(
        "people.html", people=store.people(conn), instruments=store.instruments(conn), today=today, **{**known, **more}
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
                step = parse(form.get("resolution", ""), "pressure", "bar", field="resolution") / 1e5
                goes_to = form.get("range", "").strip()
                range_bar = parse(goes_to, "pressure", "bar", field="range") / 1e5 if goes_to else None
                dates = form.get("calibrated_on", ""), form.get("due_on", "")
                store.put_instrument(conn, form.get("name", ""), step, *dates, range_bar)
            else:
                raise Refused("what", form.get("what"), "person or instrument", "person")
    except Refused as error:
        return _page(typed=form, error=error), 422
    return redirect(url_for(".index", done=form.get("what") or form.get("remove")), 303)
