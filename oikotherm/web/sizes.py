"""Sizes: every service that sizes the job, each by its own partial (templates/<service>/_sized.html) or by the common one."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, render_template

from ..core.network.sized import Sized
from ..core.services import spec
from ..exchange.sized import sized_row
from .frame import Frame

bp = Blueprint("sizes", __name__, url_prefix="/jobs/<uid>/sizes")


@bp.get("")
def index(uid: str) -> str:
    """The networks of the job."""
    return page(uid)


def page(uid: str, **more: Any) -> str:
    """The page, with what was typed and why it was refused."""
    known: dict[str, Any] = {"typed": {}, "error": None, "message": ""}
    return render_template("sizes.html", frame=Frame(uid, "sizes"), **{**known, **more})


@bp.app_template_global()
def services_sized(frame: Frame) -> list[dict[str, Any]]:
    """The services with something sized in this job."""
    return [
        {"service": ident, "title": spec.service(ident).title, "sized": sized}
        for ident, sized in frame.design.sized.items() if sized.supplies or sized.open
    ]  # fmt: skip


@bp.app_template_global()
def sized_figures(sized: Sized) -> dict[str, Any]:
    """A service's networks as `size --service` gives them."""
    return sized_row(sized)
