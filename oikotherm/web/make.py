"""Make: the cut list with its working."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from typing import Any

from flask import Blueprint, get_template_attribute, jsonify
from markupsafe import Markup

from ..core.design import Design
from ..core.making.cut import Cut, flat_centre_line
from ..core.making.holes import Hole
from ..core.making.piece_cards import card_of
from ..core.practice import METAL_JOINING, TURNS, chosen
from ..core.quantity import PaceUnit, length_text
from ..core.work.corners import Corners
from ..drawing.charts import bend
from ..drawing.piece_card import piece_mini
from ..drawing.sheet import sheet_svg
from ..exchange.cutlist import cut_rows, totals
from ..workers import Made
from .blocks import in_blocks
from .frame import Frame, page_data
from .worked import by_worker, facts_of, made_json, worked

MANY_CUTS = 300  # beyond it the workings are not sent with the list
bp = Blueprint("make", __name__, url_prefix="/jobs/<uid>/make")


@page_data("make")
def _make(frame: Frame) -> dict[str, Any]:
    """The cut list with the choices it follows, clips and holes."""
    option, choice = chosen(frame.job, METAL_JOINING)
    design = frame.design
    many = len(design.cuts) > MANY_CUTS
    listed = in_blocks(cut_rows(design), lambda row: row["run"], frame.part, lambda row: row["run"] == frame.of.upper())
    runs = {row["run"] for row in listed.rows} if listed.blocks else {run.id for run in frame.job.runs}
    return {
        "list": listed,
        "rows": listed.rows,
        "minis": _minis(design, {row["key"] for row in listed.rows}),
        "cuts": {cut.key: cut for cut in design.cuts},
        "totals": totals(design),
        "topics": [(topic, *chosen(frame.job, topic)) for topic in (METAL_JOINING, TURNS)],
        "flame": any(joint.method == "capillary" for joint in design.fitted.joints.values()),
        "corners": None if many else _corners_said(design.corners, frame.unit),
        "hung": [one for one in design.supports if one.run in runs],
        "bored": _holes_together(one for one in design.holes if one.run in runs),
        "many": many,
    }


def _minis(design: Design, keys: Collection[str]) -> dict[str, Markup]:
    """Small drawings of the pieces of these keys; the longest straight one fills its place."""
    cards = [card_of(cut, design.piece_labels) for cut in design.cuts if cut.key in keys]
    longest = max((card.cut_mm for card in cards if not card.turns), default=1.0)
    return {card.key: Markup(sheet_svg(piece_mini(card, longest), "piece-mini")) for card in cards}  # noqa: S704 - our own


def _corners_said(found: Corners | None, unit: PaceUnit) -> dict[str, Any] | None:
    """What pulled bends save against fittings, and what they cost, in words; None where there are none to pull."""
    if found is None:
        return None
    said = [
        (found.fittings, _many(found.fittings, "fitting")),
        (found.joints, _many(found.joints, "joint")),
        (found.cuts, _many(found.cuts, "cut")),
        (round(found.pipe_mm), f"{length_text(abs(round(found.pipe_mm)), unit, with_unit=True)} of pipe"),
        (round(found.head_pa / 100), f"{abs(found.head_pa) / 1000:.1f} kPa of head"),
        (round(found.minutes), f"about {_many(round(found.minutes), 'minute')} of work"),
    ]
    return {
        "bent": found.bent,
        "bends": _many(found.bends, "bend"),
        "saves": _and([word for figure, word in said if figure > 0]),
        "costs": _and([word for figure, word in said if figure < 0]),
    }


def _many(count: int, word: str) -> str:
    return f"{abs(count)} {word}{'' if abs(count) == 1 else 's'}"


def _and(words: list[str]) -> str:
    return " and ".join([", ".join(words[:-1]), words[-1]] if len(words) > 1 else words)


@bp.app_template_global()
def bent_drawing(cut: Cut) -> Markup:
    """A bent piece to scale with its marks."""
    line = [list(point) for point in flat_centre_line(cut)]
    return Markup(bend(line, [mark.at_mm for mark in cut.marks], cut.exact_mm))  # noqa: S704 - our own drawing


def _holes_together(holes: Iterable[Hole]) -> list[list[Hole]]:
    """The hole schedule, each straight's holes through one joist field or pass together."""
    groups: dict[tuple[str, str, str, str], list[Hole]] = {}
    for hole in holes:
        groups.setdefault((hole.run, hole.straight, hole.through, hole.ref or str(hole.at)), []).append(hole)
    return list(groups.values())


@bp.get("/corners")
def weigh(uid: str) -> Any:
    """Bends against fittings, for a job too large to be worked out both ways before somebody asks."""
    frame, found = Frame(uid, "make"), facts_of(worked("corners", uid))
    html = get_template_attribute("_corners.html", "corners_said")(found)
    return jsonify(rev=frame.rev, fragments={"corners": Markup('<div id="corners">{}</div>').format(html)})


@by_worker("corners", "Bends against fittings")
def _corners_made(uid: str) -> Made:
    frame = Frame(uid, "make")
    return made_json(_corners_said(frame.design.corners, frame.unit))


@bp.get("/working/<label>")
def one_working(uid: str, label: str) -> Any:
    """How one cut comes about. Not found: status 404."""
    frame = Frame(uid, "make")
    key = next((key for key, one in frame.design.piece_labels.items() if one == label), None)
    cut = next((cut for cut in frame.design.cuts if cut.key == key), None)
    if cut is None:
        return jsonify(rev=frame.rev), 404
    html = Markup('<div id="work-{}">{}</div>').format(label, get_template_attribute("_working.html", "working")(cut))
    return jsonify(rev=frame.rev, fragments={f"work-{label}": html})


@bp.get("")
def index(uid: str) -> str:
    """The cut list."""
    return Frame(uid, "make").render("make.html")
