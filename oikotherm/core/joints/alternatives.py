"""How else a fitting of a job could be made: by another method, or of other parts."""

from __future__ import annotations

from dataclasses import dataclass

from ..catalogue import End
from ..context import Context
from ..job.model import Job
from .chain import Chain
from .choices import Choices, Here
from .fitted import Fitted
from .fitter import Fitter, is_hot, outer_end


@dataclass(frozen=True, slots=True)
class Way:
    """A joint method a fitting could be made by. why: what forbids it there, empty when nothing does; now: the present
    one."""

    method: str
    title: str
    why: str
    now: bool


def ways_to_join(job: Job, fitted: Fitted, context: Context, fitting_key: str) -> list[Way]:
    """The methods with figures for a fitting's pipes, with what forbids each; empty where the part has its joint by
    nature."""
    fitting, node = fitted.fittings.get(fitting_key), fitted.pipework.nodes.get(fitting_key)
    straight = fitted.pipework.straights.get(fitting_key.rpartition("/")[0])  # that a coupling over a stick stands on
    if fitting is None or fitting.kind not in ("elbow", "elbow45", "tee", "coupling", "reducer"):
        return []
    fitter = Fitter(Choices(job), fitted.pipework, context.catalogue)
    if node is not None:
        here = fitter.here_at(node)
    elif straight is not None:
        run = fitted.pipework.runs[straight.run].run
        here = Here(run.service, run.role, straight.place, fitter.choices.flame(fitting.at))
    else:
        return []
    pipe = max(fitting.pipes.values(), key=fitter.od_mm)
    current = {mating.method for mating in fitting.matings.values()}
    return [
        Way(method, context.catalogue.methods[method].title, fitter.unlawful(method, pipe, here), method in current)
        for method in context.catalogue.methods_of(pipe.code)
        if all(context.catalogue.method_figures(one.code, one.size, method) for one in fitting.pipes.values())
    ]


def chains_to_join(job: Job, fitted: Fitted, context: Context, fitting_key: str) -> tuple[Chain, ...]:
    """The lawful chains of parts between a port, or a pipe that becomes another, and its run, best first; empty where
    no parts stand."""
    fitting, node = fitted.fittings.get(fitting_key), fitted.pipework.nodes.get(fitting_key)
    if fitting is None or node is None or fitting.kind not in ("port", "transition"):
        return ()
    fitter = Fitter(Choices(job), fitted.pipework, context.catalogue)
    here = fitter.here_at(node)
    if fitting.kind == "port":
        place = fitted.pipework.ports[node.part]
        start, pipe, near_heat = outer_end(place), fitting.pipes["out"], is_hot(place)
    else:
        first, pipe = fitting.pipes.values()
        start, near_heat = End(first.code, first.size, "pipe"), False
    return tuple(
        chain for chain in fitter.transition(start, pipe, here, near_heat=near_heat, undo=False).chains if chain.links
    )
