"""Edits: pure `apply(job, command) -> Job`. There is no other way to change a job."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from pydantic import ValidationError

from ..catalogue import Catalogue
from ..errors import Refused
from ..fields import XYZ
from ..memory import Memory
from ..pipework.trace import trace
from ..services import spec
from .acts import ACTS
from .document import refusal
from .edit import Edit, anchors
from .in_force import in_force
from .kinds import ADAPTER, AddStation, Choose, Command, PutHouse, PutLevel, PutPort, PutRun, PutStation, RemovePort
from .model import Job, split_anchor


def read_command(said: Any) -> Any:
    """Validate one command. Raises Refused."""
    try:
        return ADAPTER.validate_python(said)
    except ValidationError as error:
        raise refusal(error) from None
    except RecursionError:
        raise Refused("command", "nesting without end", "a command", '{"do": "put_run", "text": "..."}') from None


def apply(job: Job, command: Any, catalogue: Catalogue, memory: Memory | None = None) -> Job:
    """The job after one command (a dict as sent, or a command already read). Raises Refused; the job given is
    untouched.

    catalogue: with the firm's fitting book; the job's own measured rows are laid over it. A run whose start is lost by
    the edit is kept and remembers where it started.
    """
    read: Any = command if isinstance(command, Command) else read_command(command)
    memory = Memory() if memory is None else memory
    catalogue = in_force(job, catalogue, memory)
    changed = ACTS[read.do](Edit(job, catalogue, memory), read)
    return _keep_adrift(job, _follow_roles(job, changed), catalogue, memory)


def apply_all(job: Job, commands: Sequence[Any], catalogue: Catalogue, memory: Memory | None = None) -> Job:
    """Several commands as one edit: all or none."""
    memory = Memory() if memory is None else memory
    for command in commands:
        job = apply(job, command, catalogue, memory)
    return job


def _follow_roles(before: Job, after: Job) -> Job:
    """What a run carries follows from where it starts: when that comes to carry something else, so do the run and what
    hangs on it."""
    if after.runs is before.runs and after.stations is before.stations:
        return after
    runs = {run.id: run for run in after.runs}
    starts = {run.id: run.start for run in before.runs}
    waiting = [
        run.id for run in after.runs if _role_at(before, starts.get(run.id, run.start)) != _role_at(after, run.start)
    ]
    if not waiting:
        return after
    roles = {run.id: run.role for run in after.runs}
    for _ in runs:  # a chain of branches is not longer than there are runs
        wrong = {
            run.id: role
            for run in runs.values()
            if (run.id in waiting or split_anchor(run.start)[0] in waiting)
            and (role := _role_at(after, run.start, roles)) not in (None, roles[run.id])
        }
        if not wrong:
            break
        roles |= {ident: role for ident, role in wrong.items() if role}
        waiting += wrong
    changed = tuple(
        run
        if roles[run.id] == run.role
        else run.model_copy(update={"role": roles[run.id], "service": spec.service_of(roles[run.id])})
        for run in after.runs
    )
    return after.model_copy(update={"runs": changed})


def _role_at(job: Job, start: str, roles: dict[str, str] | None = None) -> str | None:
    """What runs out of a port or a point of a run; None where there is no such place. roles: of the runs, if they are
    not those of the job."""
    owner, name = split_anchor(start)
    station, run = job.station(owner), job.run(owner)
    if station is not None:
        return next((port.role for port in station.ports if port.name == name), None)
    if run is None:
        return None
    return roles[run.id] if roles else run.role


def _keep_adrift(before: Job, after: Job, catalogue: Catalogue, memory: Memory) -> Job:
    now = anchors(after)
    then = anchors(before)
    starts = {run.id: run.start for run in before.runs}
    lost = [
        run for run in after.runs if run.start not in now and (run.start in then and starts.get(run.id) == run.start)
    ]
    found = [run for run in after.runs if run.start in now and run.last_start is not None]
    if not lost and not found:
        return after
    places = trace(before, catalogue, memory).runs if lost else {}
    updates: dict[str, XYZ | None] = {run.id: None for run in found}
    for run in lost:
        spot = places[run.id].start
        updates[run.id] = (round(spot.x, 3), round(spot.y, 3), round(spot.z, 3))
    runs = tuple(
        run.model_copy(update={"last_start": updates[run.id]}) if run.id in updates else run for run in after.runs
    )
    return after.model_copy(update={"runs": runs})


def summary(commands: Iterable[Any]) -> str:
    """What an edit did, in a few words, for the history."""
    words = []
    for command in commands:
        read: Any = command if isinstance(command, Command) else read_command(command)
        what = getattr(read, "run", None) or getattr(read, "id", None) or ""
        if isinstance(read, PutRun):
            what = read.run or read.text.split(":")[0][:40]
        if isinstance(read, PutHouse):
            what = read.text.split(":")[0][:40]
        if isinstance(read, PutStation):
            what = read.station.id
        if isinstance(read, PutPort):
            what = f"{read.station}.{read.port.name}"
        if isinstance(read, RemovePort):
            what = f"{read.station}.{read.port}"
        if isinstance(read, PutLevel):
            what = read.level.id
        if isinstance(read, Choose):
            what = f"{read.topic}: {read.option}"
        if isinstance(read, AddStation):
            what = read.id or read.kind
        words.append(f"{read.do.replace('_', ' ')} {what}".strip())
    return "; ".join(dict.fromkeys(words))[:200]
