"""The state of the house on the drawing: what is live, shut, drained or open at any step; what to shut to work
somewhere; what turning a valve does."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, request

from ..core.services import spec
from ..core.work.house_view import SAYS, asked, named, piece_states, valve_names
from ..core.work.state import Isolation, after, house_of, isolate
from .frame import Frame, page_data

MOST_SHUT = 200
bp = Blueprint("house", __name__, url_prefix="/jobs/<uid>/house")


@page_data("house")
def _house(frame: Frame) -> dict[str, Any]:
    """The finished house with the valves that are shut, or the house after a step of the plan."""
    design = frame.design
    house, names, steps = house_of(design), valve_names(design), design.plan
    step = next((n for n, one in enumerate(steps) if one.key == request.args.get("step")), None)
    shut = [key for key in request.args.getlist("shut")[:MOST_SHUT] if key in names]
    place = asked(design, request.args.get("at", ""))
    found: Isolation | None = None
    if step is not None:
        state = after(design, steps[: step + 1])
    else:
        if place:
            found = isolate(design, place)
            shut = [key for key in found.valves if key in names]
        now = house.standing()
        now.valves = set(shut)
        if found is not None:
            now.gone |= {key for key in found.valves if key not in names}
        state = house.state(now)
        if shut and found is None:
            found = house.shutting(shut)
    states = piece_states(design, state)
    counted = [(one, SAYS[one]) for one in SAYS if one in states.values()]
    return {
        "map": frame.drawing(
            width=900,
            height=470,
            findings=False,
            measures=False,
            tints=tuple(sorted((key, f"state-{one}") for key, one in states.items())),
        ),
        "legend": counted,
        "steps": [(one.key, one.title, one.where) for one in steps if one.effects],
        "step": request.args.get("step", "") if step is not None else "",
        "at": request.args.get("at", "") if place else "",
        "unknown": request.args.get("at", "") if request.args.get("at") and not place else "",
        "places": [
            *((run.id, f"{run.id}, {spec.role(run.role).id}") for run in frame.job.runs if house._pieces(run.id)),
            *((one.id, f"{one.id}, {one.name or one.kind}") for one in frame.job.stations if house._pieces(one.id)),
        ],
        "valves": [(key, words, key in shut) for key, words in names.items()],
        "shut": shut,
        "found": found,
        "to_shut": named(house, found.valves, names) if found is not None else [],
    }


@bp.get("")
def index(uid: str) -> str:
    """The state of the house: finished, with valves shut, or after a step."""
    return Frame(uid, "house").render("house.html")
