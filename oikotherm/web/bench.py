"""The addresses of the Bench. What answers them is read when it is first asked for: a page of a job opens no tool."""

from __future__ import annotations

from typing import Any

from flask import Blueprint

bp = Blueprint("bench", __name__)


@bp.get("/bench")
def index() -> str:
    """The tools."""
    from . import bench_pages

    return bench_pages.index()


@bp.get("/bench/<name>")
def page(name: str) -> Any:
    """One tool: its form, and below it what the form gives."""
    from . import bench_pages

    return bench_pages.page(name)


@bp.get("/bench/recipe/gauge.pdf")
def gauge() -> Any:
    """The depth gauge of a pipe, at 1:1."""
    from .joint_pages import gauge_page

    return gauge_page()


@bp.post("/api/calc/<name>")
def api_calc(name: str) -> Any:
    """One JSON object in, one out; the error object with status 422 for what cannot be taken."""
    from . import bench_pages

    return bench_pages.api_calc(name)
