"""What comes out: old pipe, where it is cut, what is capped where other pipe stays, and what is made good behind it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ..job.model import Pass, split_anchor
from ..layout import Layout
from ..services import spec
from .steps import Effect, Need, WorkStep


@dataclass(frozen=True, slots=True)
class StripRun:
    """An old run that comes out. cuts: (where, what is done there); caps: (where, pipe) on what stays; through: what it
    goes through, made good after it."""

    run: str
    service: str
    pipe: str
    length_mm: float
    cuts: tuple[str, ...]
    caps: tuple[tuple[str, str], ...]
    through: tuple[str, ...]


def strip_out(design: Layout) -> tuple[StripRun, ...]:
    """Every run that goes, in the order of the job: cut at its ends and where it hangs on pipe that stays."""
    found = []
    for run in design.job.runs:
        trace = design.traced.runs.get(run.id)
        if run.state != "remove" or trace is None:
            continue
        cuts: list[str] = []
        caps: list[tuple[str, str]] = []
        for anchor in (run.start, run.finish):
            owner, port = split_anchor(anchor)
            station, parent = design.job.station(owner), design.job.run(owner)
            if station is not None:
                kept = station.state != "remove"
                name = station.name or spec.kind(station.kind).title(design.job.practice)
                cuts.append(f"at {anchor}, {name}{', which stays' if kept else ''}")
                if kept and port:
                    caps.append((anchor, str(run.pipe)))
            elif parent is not None:
                cuts.append(f"off {anchor}")
                if parent.state != "remove":
                    caps.append((anchor, str(run.pipe)))
        for _, name in _touching(design, run.id):
            other = design.job.run(name)
            if other is not None and other.state == "keep" and split_anchor(other.start)[0] == run.id:
                cuts.append(f"before {name}, which stays")
                caps.append((f"start of {name}", str(other.pipe)))
        through = tuple(
            f"{one.through} {one.thickness_mm:g} mm" if one.thickness_mm else one.through
            for one in run.items
            if isinstance(one, Pass)
        )
        found.append(StripRun(run.id, run.service, str(run.pipe), trace.length_mm, tuple(cuts), tuple(caps), through))
    return tuple(found)


def _touching(design: Layout, run: str) -> list[tuple[str, str]]:
    """(node, other run) of every run that meets one."""
    found: dict[tuple[str, str], None] = {}
    work = design.traced
    for node, arms in work.arms.items():
        runs = {work.straights[piece].run for piece in arms.values()}
        if run in runs:
            found.update(dict.fromkeys((node, other) for other in runs if other != run))
    return sorted(found)


def beside(design: Layout, run: str) -> list[str]:
    """The straights of pipe that stays, at the nodes an old run is cut off at."""
    work, found = design.traced, []
    for node, other in _touching(design, run):
        row = design.job.run(other)
        if row is not None and row.state == "keep":
            found += [piece for piece in work.arms[node].values() if work.straights[piece].run == other]
    return list(dict.fromkeys(found))


def steps(design: Layout, minutes_m: float, needs: dict[str, list[Need]]) -> Iterable[WorkStep]:
    """A step for every run that goes. minutes_m: of a metre; needs: service -> what makes its pipe safe to cut."""
    for one in strip_out(design):
        made_good = f"; made good: {', '.join(one.through)}" if one.through else ""
        capped = f"capped: {', '.join(where for where, _ in one.caps)}" if one.caps else "no end of what stays is left"
        yield WorkStep(
            f"strip:{one.run}",
            "strip out",
            f"Take {one.run} out",
            f"{one.pipe}, {'; '.join(one.cuts) or 'both ends'}",
            tuple(needs.get(one.service, ())),
            round(minutes_m * one.length_mm / 1000, 1),
            (1.6,),
            f"{capped}{made_good}",
            "Gas is disconnected by the licensed person." if one.service == "gas" else "",
            ("pipe cutter", "reciprocating saw", "caps", "tub"),
            tuple(f"cap for {pipe}" for _, pipe in one.caps),
            service=one.service,
            effects=(Effect("cut", one.run), Effect("cap", one.run)),
        )
