"""Make: the cut list with its working."""

from __future__ import annotations

from flask import Blueprint, render_template

from ..core.practice import METAL_JOINING, chosen
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
        "origin": choice.origin, "flame": any(joint.method == "capillary" for joint in frame.design.fitted.joints.values()),
    }  # fmt: skip


@bp.get("")
def index(uid: str) -> str:
    """The cut list."""
    return render_template("make.html", frame=Frame(uid, "make"))
