"""Make: the cut list with its working."""

from __future__ import annotations

from flask import Blueprint, render_template
from markupsafe import Markup

from ..core.making.cut import Cut, flat_centre_line
from ..core.making.holes import Hole, holes
from ..core.making.supports import RunClips, schedule
from ..core.practice import METAL_JOINING, TURNS, chosen
from ..drawing.charts import bend
from ..exchange.cutlist import cut_rows, totals
from .frame import Frame

bp = Blueprint("make", __name__, url_prefix="/jobs/<uid>/make")


@bp.app_template_global()
def cut_table(frame: Frame) -> dict[str, object]:
    """Rows, workings and totals of the cut list, and the choice of joint that it follows."""
    option, choice = chosen(frame.job, METAL_JOINING)
    cuts = {cut.key: cut for cut in frame.design.cuts}
    return {
        "rows": cut_rows(frame.design), "cuts": cuts, "totals": totals(frame.design), "topic": METAL_JOINING, "option": option,
        "topics": [(topic, *chosen(frame.job, topic)) for topic in (METAL_JOINING, TURNS)],
        "origin": choice.origin, "flame": any(joint.method == "capillary" for joint in frame.design.fitted.joints.values()),
    }  # fmt: skip


@bp.app_template_global()
def bent_drawing(cut: Cut) -> Markup:
    """A bent piece to scale with its marks."""
    line = [list(point) for point in flat_centre_line(cut)]
    return Markup(bend(line, [mark.at_mm for mark in cut.marks], cut.exact_mm))  # noqa: S704 - our own drawing


@bp.app_template_global()
def supports_of(frame: Frame) -> list[RunClips]:
    """The clips of every run of new pipe."""
    return schedule(frame.job, frame.design.fitted, frame.design.context.catalogue)


@bp.app_template_global()
def holes_of(frame: Frame) -> list[list[Hole]]:
    """The hole schedule, each straight's holes through one joist field or pass together."""
    groups: dict[tuple[str, str, str, str], list[Hole]] = {}
    for hole in holes(frame.job, frame.design.fitted, frame.design.context.catalogue):
        groups.setdefault((hole.run, hole.straight, hole.through, hole.ref or str(hole.at)), []).append(hole)
    return list(groups.values())


@bp.get("")
def index(uid: str) -> str:
    """The cut list."""
    return render_template("make.html", frame=Frame(uid, "make"))
