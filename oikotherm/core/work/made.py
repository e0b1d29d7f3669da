"""What of a job is made, by its records: joints, runs, stations; one place for stage pipe, packs and pages."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ..layout import Layout
from .records import JointState, Record, joint_states, ticked
from .small import RANKS, sheets_of, small_alone


@dataclass(frozen=True, slots=True)
class Made:
    """joints: that are made; dry: that were seen dry; runs: new runs whose pipe is made; stations: that are in, or out;
    finished: whether a job of small jobs alone is done to its last step."""

    joints: frozenset[str]
    dry: frozenset[str]
    runs: frozenset[str]
    stations: frozenset[str]
    finished: bool


def made_of(design: Layout, records: Iterable[Record]) -> Made:
    """What is made. A joint is by its mark, in a job of small jobs alone also by the last step that joins; a run by its
    step of the plan, or when all its joints are; a station when it was hung, taken off, or all about it is done."""
    known = list(records)
    states, done = joint_states(known), set(ticked(known))
    joined, finished = _small(design, done)
    own = design.fitted.joints
    joints = {key for key in own if joined or _yes(states.get(key), "made")}
    dry = {key for key in own if finished or _yes(states.get(key), "dry")}
    by_run: dict[str, set[str]] = {}
    for key, joint in own.items():
        by_run.setdefault(joint.run, set()).add(key)
    runs = {
        run.id
        for run in design.job.runs
        if run.state == "new"
        and (f"pipe:{run.id}" in done or finished or (by_run.get(run.id) and by_run[run.id] <= joints))
    }
    over = "handover" in done or finished
    return Made(
        frozenset(joints),
        frozenset(dry),
        frozenset(runs),
        frozenset(one.id for one in design.job.stations if over or done & _steps_of(one.id)),
        finished,
    )


def _steps_of(ident: str) -> set[str]:
    return {f"{what}:{ident}" for what in ("hang", "off")}


def _yes(state: JointState | None, name: str) -> bool:
    return state is not None and state.yes(name)


def _small(design: Layout, done: set[str]) -> tuple[bool, bool]:
    """Whether the joints of a job of small jobs alone are made by its steps, and whether it is finished."""
    if not small_alone(design):
        return False, False
    rows = [(f"task:{task.id}:{row.id}", row.phase) for task, sheet in sheets_of(design) for row in sheet.rows]
    made = [key for key, phase in rows if phase in ("make", "join")]
    hot = [key for key, phase in rows if RANKS.get(phase, 0.0) <= RANKS["hot"]]
    return bool(made) and set(made) <= done, bool(hot) and set(hot) <= done
