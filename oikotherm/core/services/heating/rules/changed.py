"""Pipes of a heating circuit that are changed over, or run past every emitter: found once, for several rules."""

from __future__ import annotations

from collections.abc import Iterator

from ....job.model import DeviceItem, Job, Run, Station, split_anchor
from ....rules.registry import View
from ..circuits import is_source

SIDES = ("flow", "return")


def _ends(job: Job, run: Run) -> Iterator[tuple[str, Station, str]]:
    """The stations at the ends of a run: (anchor, station, role of the port)."""
    for anchor in (run.start, run.finish):
        owner, name = split_anchor(anchor)
        station = job.station(owner)
        port = next((port for port in station.ports if port.name == name), None) if station else None
        if station is not None and port is not None:
            yield anchor, station, port.role


def _root(job: Job, run: Run) -> Run:
    """The run that a run hangs on in the end."""
    seen: set[str] = set()
    while run.id not in seen:
        seen.add(run.id)
        parent = job.run(split_anchor(run.start)[0])
        if parent is None:
            break
        run = parent
    return run


def swapped(job: Job) -> dict[str, list[tuple[Run, str]]]:
    """Stations whose flow and return are changed over: station -> (run, the port it comes to). Where everything that
    hangs on the pipes of a source is, it is the source's that are."""
    wrong: dict[str, list[tuple[Run, str]]] = {}
    right: set[str] = set()  # roots with an end that is as it should be
    for run in job.runs:
        if run.service != "heating" or run.state == "remove" or run.role not in SIDES:
            continue
        for anchor, station, role in _ends(job, run):
            if role not in SIDES or is_source(station):
                continue
            if role == run.role:
                right.add(_root(job, run).id)
            else:
                wrong.setdefault(station.id, []).append((run, anchor))
    found: dict[str, list[tuple[Run, str]]] = {}
    for ident, ends in wrong.items():
        for run, anchor in ends:
            root = _root(job, run)
            source = next((station for _, station, _ in _ends(job, root) if is_source(station)), None)
            if source is not None and root.id not in right:
                start = next(one for one, station, _ in _ends(job, root) if station is source)
                if all(one[0].id != root.id for one in found.get(source.id, [])):
                    found.setdefault(source.id, []).append((root, start))
            else:
                found.setdefault(ident, []).append((run, anchor))
    return found


def bridges(view: View) -> list[tuple[Run, str]]:
    """Runs of plain pipe from the flow to the return, past every emitter: (run, the point they end at)."""
    job = view.job
    found = []
    for run in job.runs:
        if run.service != "heating" or run.state == "remove" or "." not in run.finish:
            continue
        near, far = (job.run(split_anchor(anchor)[0]) for anchor in (run.start, run.finish))
        if near is None or far is None or {near.role, far.role} != set(SIDES):
            continue
        if any(isinstance(item, DeviceItem) and item.part in ("bypass", "balance", "pump") for item in run.items):
            continue
        if not any(owner in (run.id,) for other in job.runs for owner in (split_anchor(other.start)[0],)):
            found.append((run, run.finish))
    return found
