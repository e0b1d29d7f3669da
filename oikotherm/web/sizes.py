"""Sizes: flows, drops, the index path as a staircase, volume and vessel."""

from __future__ import annotations

from flask import Blueprint, render_template

from ..drawing.charts import staircase
from ..exchange.sizes import sizes_of
from .frame import Frame

bp = Blueprint("sizes", __name__, url_prefix="/jobs/<uid>/sizes")


@bp.app_template_global()
def sized(frame: Frame) -> list[dict[str, object]]:
    """Each circuit as the command line gives it, with its staircase."""
    return [
        {**row, "stair": staircase(heating), "heating": heating}
        for row, heating in zip(sizes_of(frame.design), frame.design.heating, strict=True)
    ]


@bp.get("")
def index(uid: str) -> str:
    """The circuits of the job."""
    return render_template("sizes.html", frame=Frame(uid, "sizes"))
