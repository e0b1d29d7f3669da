"""fit_out(pipework) -> Fitted: the parts at the nodes, and between them every piece of pipe with its joints, bends and
ends."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import partial

from ..catalogue import Catalogue
from ..context import Context
from ..job.model import Job
from ..pipework.geometry import Node, Pipework, RunPipework, Straight
from .assemble import Assembler
from .choices import Choices
from .fitted import Fitted, Fitting, NodeFittings, RunJoints, Trouble
from .fitter import Fitter


def fit_out(job: Job, pipework: Pipework, context: Context) -> Fitted:
    """Put parts and joints on a traced pipework. Never raises: what has no figures or no part becomes a Trouble.

    It goes run by run: what stands at the nodes of a run follows from its form and the pipes that hang on it, what is
    made of its pipe from that and its lengths. So an edit works out the runs it touches and no others.
    """
    return _House(job, pipework, context.catalogue).fitted_out()


@dataclass(frozen=True, slots=True)
class _Block:
    """Runs that are made together: mostly one. hung: straights of other runs on their nodes; ends: nodes of others, and
    ports, that their own pipe ends at."""

    runs: tuple[str, ...]
    parts: tuple[RunPipework, ...]
    hung: tuple[Straight, ...]
    ends: tuple[str, ...]


class _House:
    """All the runs of a job, fitted_out one after another."""

    def __init__(self, job: Job, pipework: Pipework, catalogue: Catalogue) -> None:
        self.job = job
        self.work = pipework
        self.catalogue = catalogue
        self.choices = Choices(job)
        self.said = (*self.choices.preferred, "", *self.choices.order, job.practice)
        self.rows: dict[str, list[tuple[str, str]]] = {}  # run -> methods and parts set by hand
        for target, value in (*self.choices.override.items(), *self.choices.chain.items()):
            place = pipework.nodes.get(target) or pipework.straights.get(target.rpartition("/")[0])
            if place:
                self.rows.setdefault(place.run, []).append((target, value))

    def fitted_out(self) -> Fitted:
        blocks = self._blocks()
        stood = [self._stood(block) for block in blocks]
        standing = {key: fitting for one in stood for key, fitting in one.fittings.items()}
        fitted = Fitted({}, {}, {}, (), {}, {}, {}, self.work, {})
        troubles: list[Trouble] = []
        for block, own in zip(blocks, stood, strict=True):
            made = self._made(block, own, standing)
            fitted.of_run.update(dict.fromkeys(block.runs, made))
            fitted.fittings.update(made.fittings)
            fitted.joints.update(made.joints)
            fitted.pieces.update(made.pieces)
            fitted.spans.update(made.spans)
            fitted.piece_of.update(made.piece_of)
            fitted.span_mm.update(made.span_mm)
            troubles += made.troubles
        return self._leave_old(replace(fitted, troubles=tuple(troubles)))

    def _blocks(self) -> list[_Block]:
        """The runs, those together whose pipe goes on from one into the other or that share a spot."""
        work = self.work
        hung: dict[str, list[str]] = {}
        leads = {run: run for run in work.by_run}

        def lead(run: str) -> str:
            while leads[run] != run:
                run = leads[run]
            return run

        for run, part in work.by_run.items():
            for node, _, straight in part.outer:
                there = work.nodes[node]
                if there.kind != "port":
                    hung.setdefault(there.run, []).append(straight)
                    if there.kind != "tee" or there.close:
                        leads[lead(run)] = lead(there.run)
        together: dict[str, list[str]] = {}
        for run in work.by_run:
            together.setdefault(lead(run), []).append(run)
        blocks = []
        for runs in together.values():
            runs = runs if len(runs) == 1 else self._in_order(runs)
            parts = tuple(work.by_run[run] for run in runs)
            on = [work.straights[key] for run in runs for key in hung.get(run, ())]
            ends = [node for part in parts for node, _, _ in part.outer]
            if len(runs) > 1:
                on = [one for one in on if one.run not in runs]
                ends = [node for node in ends if work.nodes[node].kind == "port" or work.nodes[node].run not in runs]
            blocks.append(_Block(tuple(runs), parts, tuple(on), tuple(ends)))
        return blocks

    def _in_order(self, runs: list[str]) -> list[str]:
        """Each run after the one it goes on from, so that pieces are made from their start on."""
        work = self.work
        starts = {run: next(iter(work.by_run[run].straights.values()), None) for run in runs}
        before = {run: work.nodes[first.from_node].run for run, first in starts.items() if first}
        placed: list[str] = []
        while len(placed) < len(runs):
            left = [run for run in runs if run not in placed]
            ready = [run for run in left if before.get(run) in (None, run, *placed) or before[run] not in runs]
            placed += ready or left[:1]  # runs in a ring begin anywhere
        return placed

    def _stood(self, block: _Block) -> NodeFittings:
        """What stands at the nodes of a block; where each stands is not told by it."""
        work = self.work
        hung = tuple(
            (
                one.key,
                one.pipe,
                one.way,
                one.from_node,
                one.from_arm,
                one.to_node,
                one.to_arm,
                one.close,
                one.place,
                one.place_to,
            )
            for one in block.hung
        )
        flames: tuple[bool, ...] = ()
        if self.choices.flameless:
            flames = tuple(self.choices.flame(node.at) for part in block.parts for node in part.nodes.values())
        values = (
            self.said,
            hung,
            flames,
            self._rows(block),
            tuple(work.nodes[key].kind for part in block.parts for key in part.joins),
            tuple(work.runs[run].run.role if run in work.runs else "" for run in block.runs),
        )
        return self.work.memory.keep(
            "fittings of runs",
            (self.catalogue, *(part.shape for part in block.parts)),
            values,
            lambda: self._fitter(self._around(block)).stand(),
        )

    def _at_port(self, key: str) -> NodeFittings:
        """What stands at a port."""
        work, node = self.work, self.work.nodes[key]
        arms = work.arms[key]
        on = tuple(
            (arm, one.pipe, work.way_out(key, arm), one.place_to if one.to_node == key else one.place)
            for arm, one in ((arm, work.straights[name]) for arm, name in arms.items())
        )
        values = (
            key,
            node.run,
            self.said,
            on,
            self.choices.flame(node.at),
            self.choices.override.get(key),
            self.choices.chain.get(key),
            work.runs[node.run].run.role,
        )
        return work.memory.keep(
            "fittings of a port",
            (self.catalogue, work.ports[node.part]),
            values,
            lambda: self._fitter(self._view({key: node}, arms.values())).stand(),
        )

    def _made(self, block: _Block, stood: NodeFittings, standing: dict[str, Fitting]) -> RunJoints:
        """The pieces and joints of a block, and its fittings where they stand."""
        work = self.work
        at_ports = {key: self._at_port(key) for key in block.ends if work.nodes[key].kind == "port"}
        ends = {key: standing[key] for key in block.ends if key not in at_ports}
        values = (
            self.said,
            self.choices.bent_up_to_mm,
            self._rows(block),
            tuple(work.nodes[key].kind for part in block.parts for key in part.joins),
            tuple(self.choices.flame(one.a) for part in block.parts for one in part.straights.values())
            if self.choices.flameless
            else (),
        )
        own = [key for part in block.parts for key in part.straights]
        return work.memory.keep(
            "pieces and joints",
            (self.catalogue, stood, *block.parts, *at_ports.values(), *ends.values()),
            values,
            lambda: Assembler(
                self.choices, self._around(block, block.ends), self.catalogue, own, stood, at_ports, ends
            ).made(),
        )

    def _rows(self, block: _Block) -> tuple[tuple[str, str], ...]:
        return tuple(row for run in block.runs for row in self.rows.get(run, ())) if self.rows else ()

    def _fitter(self, view: Pipework) -> Fitter:
        return Fitter(self.choices, view, self.catalogue)

    def _around(self, block: _Block, ends: Sequence[str] = ()) -> Pipework:
        """The pipework of a block alone: its own nodes with all that is on them, and the ends it is joined to."""
        nodes: dict[str, Node] = {}
        for part in block.parts:
            outer = [key for key, _, _ in part.outer if key in ends]
            before = [key for key in outer if key == next(iter(part.straights.values())).from_node]
            nodes |= {key: self.work.nodes[key] for key in (*before, *part.nodes, *outer)}
        return self._view(
            nodes, (*(key for part in block.parts for key in part.straights), *(one.key for one in block.hung))
        )

    def _view(self, nodes: dict[str, Node], straights: Iterable[str]) -> Pipework:
        work = self.work
        passes = tuple(
            one
            for run in {node.run for node in nodes.values()}
            if run in work.by_run
            for one in work.by_run[run].passes
        )
        return Pipework(
            work.ports,
            nodes,
            {key: work.straights[key] for key in straights},
            work.runs,
            passes,
            {key: work.arms[key] for key in nodes},
            {},
            work.graph,
            work.memory,
        )

    def _leave_old(self, fitted: Fitted) -> Fitted:
        """What is there already is no work: its fittings are marked, its joints and troubles left out. What is made
        anew on old pipe is: at the ports of what is new, and where a small job is done."""
        old = {run.id for run in self.job.runs if run.state != "new"}
        if not old:
            return fitted
        work, fittings = self.work, fitted.fittings
        done_on = {task.where for task in self.job.tasks}
        anew = tuple(
            {port for port, place in work.ports.items() if place.station.state == "new" or place.station.id in done_on}
            | done_on
            | set(_unions_beside(work, old))
        )
        for key, fitting in fittings.items():
            if key in anew or key.startswith(tuple(f"{one}/" for one in anew)):
                continue
            arms = work.arms.get(key, {})
            runs = {work.straights[name].run for name in arms.values()} or {fitting.run}
            if runs <= old:
                fittings[key] = work.memory.keep("old fitting", (fitting,), None, partial(replace, fitting, new=False))
        joints = {key: joint for key, joint in fitted.joints.items() if fittings[joint.fitting_key].new}
        troubles = tuple(
            one
            for one in fitted.troubles
            if (one.key not in fittings or fittings[one.key].new)
            and (one.key not in fitted.pieces or one.run not in old)
        )
        return replace(fitted, joints=joints, troubles=troubles)


def _unions_beside(work: Pipework, old: set[str]) -> Iterable[str]:
    """Unions in old threaded pipe right beside a tee that a new run hangs on: with it they are put in."""
    for key, node in work.nodes.items():
        if node.kind != "device" or node.part != "union" or node.run not in old:
            continue
        for name in work.arms.get(key, {}).values():
            one = work.straights[name]
            beside = one.to_node if one.from_node == key else one.from_node
            arms = work.arms.get(beside, {}).values()
            if work.nodes[beside].kind == "tee" and any(work.straights[arm].run not in old for arm in arms):
                yield key
