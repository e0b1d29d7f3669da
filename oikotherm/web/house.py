"""The state of the house on the drawing: what is live, shut, drained or open at any step; what to shut to work
somewhere; what turning a valve does."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from flask import Blueprint, request

from ..core.errors import Refused
from ..core.services import spec
from ..core.work.drain_down import drain_down
from ..core.work.end_of_day import end_of_day
from ..core.work.house_view import SAYS, asked, named, piece_states, valve_names
from ..core.work.isolation import Isolation, isolate, shutting
from ..core.work.records import ticked
from ..core.work.state import after, house_of
from ..core.work.steps import WorkStep
from ..core.work.strip_out import strip_out
from ..drawing.look import levels_of, runs_shown, shown
from ..exchange.site import proofs_of
from .frame import MANY_RUNS, Frame, page_data
from .records import records_here

MOST_SHUT = 200
bp = Blueprint("house", __name__, url_prefix="/jobs/<uid>/house")


@page_data("house")
def _house(frame: Frame) -> dict[str, Any]:
    """The finished house with the valves that are shut, or the house after a step of the plan."""
    design = frame.design
    house, names, steps = house_of(design), valve_names(design), design.plan
    step = next((n for n, one in enumerate(steps) if one.key == request.args.get("step")), None)
    today = step is None and "today" in request.args
    done = _done(frame, steps) if today else steps[: step + 1] if step is not None else ()
    shut = [key for key in request.args.getlist("shut")[:MOST_SHUT] if key in names]
    was = set(
        request.args.getlist("was")[:MOST_SHUT]
    )  # shut before somebody turned valves: what was not shown opens nothing
    opened = [key for key in house.shut_as_a_rule if key in was and key not in shut]
    shut = [key for key in shut if key not in house.shut_as_a_rule]
    place = asked(design, request.args.get("at", ""))
    found: Isolation | None = None
    if step is not None or today:
        state = after(design, done)
    else:
        if place:
            found = isolate(design, place)
            shut, opened = [key for key in found.valves if key in names], list(found.opens)
        elif shut or opened:
            found = shutting(design, shut, opened)
        now = house.standing()
        now.valves = (now.valves | set(shut)) - set(opened)
        if found is not None:
            now.gone |= {key for key in found.valves if key not in names}
        state = house.state(now)
    now_shut = {*shut, *house.shut_as_a_rule} - set(opened)
    states = piece_states(design, state)
    levels = _levels(frame, place)
    here = _here(frame, levels)
    counted = [(one, SAYS[one]) for one in SAYS if one in states.values()]
    return {
        "map": frame.drawing(
            width=900,
            height=470,
            findings=False,
            measures=False,
            levels=levels,
            tints=tuple(sorted((key, f"state-{one}") for key, one in states.items())),
        ),
        "legend": counted,
        "levels": frame.job.house.levels if here is not None else (),
        "level": next(iter(levels), ""),
        "steps": [
            (one.key, one.title, one.where)
            for n, one in enumerate(steps)
            if one.effects and (here is None or n == step or here.says(one.where))
        ],
        "step": request.args.get("step", "") if step is not None else "",
        "today": today,
        "done": len(done),
        "many": len(steps),
        "leave": end_of_day(design, done, _proved(frame)) if step is not None or today else (),
        "strip": strip_out(design),
        "unit": frame.unit,
        "at": request.args.get("at", "") if place else "",
        "at_said": _said(frame, place),
        "unknown": request.args.get("at", "") if request.args.get("at") and not place else "",
        "places": [
            *(
                (run.id, f"{run.id}, {spec.role(run.role).id}")
                for run in frame.job.runs
                if (here is None or run.id in here.runs) and house.pieces(run.id)
            ),
            *(
                (one.id, f"{one.id}, {one.name or one.kind}")
                for one in frame.job.stations
                if (here is None or one.level in here.levels) and house.pieces(one.id)
            ),
        ],
        "valves": [
            (key, words, key in now_shut, key in house.shut_as_a_rule)
            for key, words in names.items()
            if here is None or key in now_shut or key in here.valves
        ],
        "shut": shut,
        "found": found,
        "runs_out": _runs_out(frame, place) if place and found is not None else None,
        "to_shut": named(house, found.valves, names) if found is not None else [],
        "to_open": named(house, found.opens, names) if found is not None else [],
        "stays": named(house, found.stays, names) if found is not None else [],
    }


@dataclass(frozen=True, slots=True)
class _Here:
    """What of a large house the drawing shows, so that only that is listed: its levels, runs and valves. names: what is
    here, elsewhere: what is not, as places are called."""

    levels: frozenset[str]
    runs: frozenset[str]
    valves: frozenset[str]
    names: frozenset[str]
    elsewhere: frozenset[str]

    def says(self, where: str) -> bool:
        """Whether a step's place is here, or nowhere in particular."""
        words = frozenset(where.split(", "))
        return bool(words & self.names) or not words & self.elsewhere


def _levels(frame: Frame, place: str) -> frozenset[str]:
    """The levels that are drawn: of a large house those on which the place that is asked about lies, if none was
    chosen."""
    chosen = frame.look().levels
    asked = frozenset() if "level" in request.args or not place else levels_of(frame.design, place)
    return asked or chosen


def _here(frame: Frame, levels: frozenset[str]) -> _Here | None:
    """None where everything is drawn and listed."""
    look = frame.look(levels=levels)
    if len(frame.job.runs) <= MANY_RUNS or not look.levels:
        return None
    job, runs = frame.job, runs_shown(frame.design, look)
    names = {True: set(runs), False: {run.id for run in job.runs} - runs}
    for level in job.house.levels:
        names[level.id in look.levels] |= {level.id, level.name}
    places = [(one.level, one.id, one.name) for one in job.house.rooms]
    places += [(one.level, one.id, one.name) for one in job.stations]
    for at, ident, name in places:
        names[at in look.levels] |= {ident, name}
    here = frozenset(names[True])
    valves = frozenset(shown(frame.design, look).fittings)
    return _Here(look.levels, runs, valves, here, frozenset(names[False]) - here)


def _runs_out(frame: Frame, place: str) -> float | None:
    """What comes when a place is opened at its lowest end [L]; None where no water stands."""
    try:
        return drain_down(frame.design, place).litres
    except Refused:
        return None


def _said(frame: Frame, place: str) -> str:
    """A place as it is called: a piece of pipe by its run."""
    straight = house_of(frame.design).work.straights.get(place)
    return f"this piece of {straight.run}" if straight is not None else place


def _done(frame: Frame, steps: Sequence[WorkStep]) -> list[WorkStep]:
    """The steps that are ticked, in the order of the plan."""
    marks = ticked(records_here(frame.uid))
    return [one for one in steps if one.key in marks]


def _proved(frame: Frame) -> dict[str, bool]:
    """Service -> whether all its sections have passed."""
    found: dict[str, bool] = {}
    for one in proofs_of(frame.design, records_here(frame.uid)):
        found[one.section.service] = found.get(one.section.service, True) and one.passed
    return found


@bp.get("")
def index(uid: str) -> str:
    """The state of the house: finished, with valves shut, or after a step."""
    return Frame(uid, "house").render("house.html")
