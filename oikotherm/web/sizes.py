"""Sizes: every service that sizes the job, each by its own partial (templates/<service>/_sized.html) or by the common
one."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from flask import Blueprint, request

from ..core.services import spec
from ..drawing.look import usual_levels
from ..exchange.sized import sized_row
from .frame import Frame, PageData, page_data

OWN: dict[str, PageData] = {}
bp = Blueprint("sizes", __name__, url_prefix="/jobs/<uid>/sizes")


@bp.get("")
def index(uid: str) -> str:
    """The networks of the job."""
    return page(uid)


def page(uid: str, **more: Any) -> str:
    """The page, with what was typed and why it was refused."""
    known: dict[str, Any] = {"typed": {}, "error": None, "message": ""}
    return Frame(uid, "sizes").render("sizes.html", **{**known, **more})


def service_data(service: str) -> Callable[[PageData], PageData]:
    """Keep a function as the one that gathers what a service's own part of the page (templates/<service>/_sized.html)
    shows."""

    def keep(function: PageData) -> PageData:
        OWN[service] = function
        return function

    return keep


@page_data("sizes")
def _sizes(frame: Frame) -> dict[str, Any]:
    """The services with something sized in this job: by their own page data, or as `size --service` gives them. Of a
    large house one at a time."""
    there = [ident for ident, sized in frame.design.sized.items() if sized.supplies or sized.open]
    shown, large = there, bool(usual_levels(frame.design)) and len(there) > 1
    if large:
        asked = request.args.get("service", "")
        shown = [asked if asked in there else there[0]]
    return {
        "others": [(ident, spec.service(ident).title) for ident in there] if large else [],
        "services": [
            {
                "service": ident,
                "title": spec.service(ident).title,
                **(OWN[ident](frame) if ident in OWN else {"figures": sized_row(sized)}),
            }
            for ident in shown
            for sized in (frame.design.sized[ident],)
        ],
    }
