"""Floating legs: shifts within their bands that save pipe, threads, couplings and joints, every run staying closed.

How each piece, closing error and wall crossing moves with each shift is read off the derivation itself, a step of each
shift at a time: they are linear in it. An integer program picks shifts with ready nipples, couplings and stock lengths
together; what it proposes is worked out as any edit is, and offered only where that shows it to be cheaper and to bring
no finding.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from ..catalogue import Thread
from ..job.model import Job, Leg
from ..joints.takeoff import part_mating
from ..making.cut import Cut
from ..making.nipples import SAME_MM, ready_lengths_mm
from ..making.pipe_stock import costs_of, pipe_stock
from ..memory import Memory
from ..quantity import INCH_MM
from ..supply import Supply

STILL_MM = 1e-4  # less is no movement
MOST_BINARIES = 160  # pieces times bars; beyond it pipe is counted by the metre, not by the stick
TIME_S = 8.0
LITTLE = 1e-3  # what a millimetre of shift counts for


@dataclass(frozen=True, slots=True)
class Figures:
    """What a job takes of the pipe whose pieces float: new pipe to buy [mm], pieces cut, ready nipples, threads cut,
    couplings, joints of all, cost (mm of pipe, or money where it is priced)."""

    bought_mm: float
    pieces: int
    nipples: int
    threads: int
    couplings: int
    joints: int
    cost: float


@dataclass(frozen=True, slots=True)
class Shift:
    """A floating leg: as said, as it stands, as proposed [mm]."""

    run: str
    item: str
    way: str
    said_mm: float
    now_mm: float
    new_mm: float


@dataclass(frozen=True, slots=True)
class Proposal:
    """What the bands of a job would save. why: why nothing is offered, "" where something is; gap: of the integer
    program; metred: whether pipe was counted by the metre in it."""

    floats: int
    shifts: tuple[Shift, ...]
    commands: tuple[dict[str, Any], ...]
    before: Figures
    after: Figures
    gap: float
    metred: bool
    why: str

    @property
    def saves(self) -> tuple[tuple[str, float], ...]:
        """What is less after it: (what, how much), only what is more than nothing."""
        rows = (
            ("mm of pipe", self.before.bought_mm - self.after.bought_mm),
            ("couplings", self.before.couplings - self.after.couplings),
            ("threads to cut", self.before.threads - self.after.threads),
            ("joints", self.before.joints - self.after.joints),
        )
        return tuple((what, round(many, 1)) for what, many in rows if abs(many) > 1e-6)


@dataclass(slots=True)
class _Span:
    """A piece, or the sticks of one that couplings join. cut: the first of them; at: how its whole length [mm] moves
    with each shift."""

    cuts: list[Cut]
    length_mm: float
    gap_mm: float
    by: dict[int, float] = field(default_factory=dict)
    ready: tuple[float, ...] = ()

    @property
    def threads(self) -> int:
        first, last = self.cuts[0].piece.from_mating, self.cuts[-1].piece.to_mating
        return (first.method == "thread") + (last.method == "thread")


def floating(job: Job) -> tuple[tuple[str, Leg], ...]:
    """The legs with a band, with their runs."""
    return tuple(
        (run.id, item)
        for run in job.runs
        if run.state == "new"
        for item in run.items
        if isinstance(item, Leg) and item.band_mm is not None
    )


def propose(design: Any, supply: Supply, worked_out: Callable[[Job], Any], limit_s: float = TIME_S) -> Proposal:
    """The cheapest shifts of a job's floating legs. worked_out: the layout of a changed job, in the same context.

    Never raises: what cannot be improved says why.
    """
    return _Floats(design, supply, worked_out).proposal(limit_s)


def shifted(job: Job, shifts: Sequence[tuple[str, str, float]]) -> Job:
    """The job with some of its floating legs at other shifts [mm]: (run, item, shift)."""
    wanted = {(run, item): mm for run, item, mm in shifts}
    runs = []
    for run in job.runs:
        items = tuple(
            item.model_copy(update={"shift_mm": wanted[run.id, item.id]}) if (run.id, item.id) in wanted else item
            for item in run.items
        )
        changed = any(a is not b for a, b in zip(items, run.items, strict=True))
        runs.append(run.model_copy(update={"items": items}) if changed else run)
    return job.model_copy(update={"runs": tuple(runs)})


class _Floats:
    def __init__(self, design: Any, supply: Supply, worked_out: Callable[[Job], Any]) -> None:
        self.design, self.supply, self.worked_out = design, supply, worked_out
        self.catalogue = design.context.catalogue
        self.step_mm = 1.0 if design.job.pace_unit == "mm" else INCH_MM / 16
        self.legs = list(floating(design.job))

    def proposal(self, limit_s: float) -> Proposal:
        before = self._figures(self.design, set())
        if not self.legs:
            return self._none(before, "no leg floats: write one as E3000+-150")
        spans, held = self._linear()
        moving = [span for span in spans if span.by]
        if not moving:
            return self._none(before, "no piece changes with these legs")
        pipes = {str(span.cuts[0].pipe) for span in moving}
        before = self._figures(self.design, pipes)
        solved = self._solve([span for span in spans if str(span.cuts[0].pipe) in pipes], held, limit_s)
        if solved is None:
            return self._none(before, "no shift keeps every run closed")
        shifts_mm, gap, metred = solved
        changed = [
            (run, leg, mm) for (run, leg), mm in zip(self.legs, shifts_mm, strict=True) if abs(mm - leg.shift_mm) > 1e-6
        ]
        if not changed:
            return self._none(before, "as it stands is the best" + ("" if not metred else ", by the metre"), gap)
        other = self.worked_out(shifted(self.design.job, [(run, leg.id, mm) for run, leg, mm in changed]))
        after = self._figures(other, pipes)
        brings = _new_findings(self.design, other)
        if brings:
            return self._none(before, f"the best shift brings a finding: {brings[0]}", gap)
        if after.cost >= before.cost - 1e-6:
            return self._none(before, "as it stands is the best", gap)
        shifts = tuple(
            Shift(
                run,
                leg.id,
                leg.dir,
                leg.length_mm or 0.0,
                leg.shifted_mm or 0.0,
                round((leg.length_mm or 0.0) + mm, 3),
            )
            for run, leg, mm in changed
        )
        commands = tuple(
            {"do": "shift_leg", "run": one.run, "item": one.item, "length_mm": one.new_mm} for one in shifts
        )
        return Proposal(len(self.legs), shifts, commands, before, after, gap, metred, "")

    def _none(self, figures: Figures, why: str, gap: float = 0.0) -> Proposal:
        return Proposal(len(self.legs), (), (), figures, figures, gap, False, why)

    # --- how all moves ------------------------------------------------------------------------------------------------

    def _linear(self) -> tuple[list[_Span], list[dict[int, float]]]:
        """The spans with how their lengths move, and what must not move: each as its movement with each shift."""
        spans = self._spans(self.design)
        here = {span.cuts[0].key: span for span in spans}
        fixed = _fixed(self.design)
        held: dict[str, dict[int, float]] = {}
        for n, (run, leg) in enumerate(self.legs):
            room_up = (leg.band_mm or 0.0) - leg.shift_mm
            step = self.step_mm if room_up >= self.step_mm else -self.step_mm
            other = self.worked_out(shifted(self.design.job, [(run, leg.id, leg.shift_mm + step)]))
            for span in self._spans(other):
                was = here.get(span.cuts[0].key)
                if was is not None and abs(span.length_mm - was.length_mm) > STILL_MM:
                    was.by[n] = (span.length_mm - was.length_mm) / step
            for key, value in _fixed(other).items():
                moved = (value - fixed.get(key, value)) / step
                if abs(moved) > STILL_MM:
                    held.setdefault(key, {})[n] = moved
        return spans, list(held.values())

    def _spans(self, design: Any) -> list[_Span]:
        """The pieces of the cut list, those that couplings of the stick length join as one."""
        groups: dict[str, list[Cut]] = {}
        for cut in design.cuts:
            groups.setdefault(re.sub(r"/\d+$", "", cut.key), []).append(cut)
        found = []
        for cuts in groups.values():
            gaps = [
                a.piece.to_mating.take_off_mm + b.piece.from_mating.take_off_mm
                for a, b in zip(cuts, cuts[1:], strict=False)
            ]
            gap = gaps[0] if gaps else self._coupling_gap(cuts[0])
            length = sum(cut.exact_mm for cut in cuts) + sum(gaps)
            found.append(_Span(cuts, length, gap, {}, self._ready(cuts)))
        return found

    def _coupling_gap(self, cut: Cut) -> float:
        """Between the pipe ends in a coupling [mm], made as the piece's start is."""
        coupling = part_mating(self.catalogue, cut.pipe, cut.piece.from_mating.method, "coupling")
        return 2 * coupling.take_off_mm if coupling is not None else 0.0

    def _ready(self, cuts: list[Cut]) -> tuple[float, ...]:
        """The ready nipples a piece could become [mm]; none where it is bent or not threaded at both ends."""
        cut = cuts[0]
        row = self.catalogue.method_figures(cut.pipe.code, cut.pipe.size, "thread")
        ends = cut.piece.from_mating.method, cuts[-1].piece.to_mating.method
        if not isinstance(row, Thread) or any(one.marks or not one.known for one in cuts) or set(ends) != {"thread"}:
            return ()
        return ready_lengths_mm(row)

    # --- the integer program ------------------------------------------------------------------------------------------

    def _solve(
        self, spans: list[_Span], held: list[dict[int, float]], limit_s: float
    ) -> tuple[list[float], float, bool] | None:
        """The shifts [mm], the gap, and whether pipe was counted by the metre; None where there is no solution."""
        model = _Model()
        unit = self.step_mm
        moves = []
        for _, leg in self.legs:  # whole marks from what was said
            band = leg.band_mm or 0.0
            most = int(band / unit + 1e-6)
            moves.append(model.variable(-most, most, 0.0, whole=True))
            off = model.variable(0, float("inf"), LITTLE * unit)  # what changes nothing is not shifted
            for side in (1.0, -1.0):
                model.row({off: 1.0, moves[-1]: side}, side * leg.shift_mm / unit, float("inf"))
        now = [leg.shift_mm for _, leg in self.legs]
        for by in held:
            terms = {moves[n]: share * unit for n, share in by.items()}
            value = sum(share * now[n] for n, share in by.items())
            model.row(terms, value - STILL_MM, value + STILL_MM)
        metred = False
        for pipe in sorted({str(span.cuts[0].pipe) for span in spans}):
            own = [span for span in spans if str(span.cuts[0].pipe) == pipe]
            metred |= self._pipe(model, pipe, own, moves, now)
        solved = model.solved(limit_s)
        if solved is None:
            return None
        values, gap = solved
        return [round(values[move]) * unit for move in moves], gap, metred

    def _pipe(self, model: _Model, pipe: str, spans: list[_Span], moves: list[int], now: list[float]) -> bool:
        """Lay the spans of one pipe: how each is made, and from what; returns whether by the metre."""
        first = spans[0].cuts[0].pipe
        costs = costs_of(first, self.catalogue, self.supply)
        cost = dict(costs.lengths)
        longest = self.catalogue.systems[first.code].stick_mm or max(cost, default=1e9)
        kerf = self.supply.kerf_mm
        base = pipe_stock([cut for span in spans for cut in span.cuts], self.catalogue, self.supply, Memory())
        bars = len([bar for bar in base.layout.bars if not bar.stock.offcut]) + 1
        metred = not cost or len(spans) * bars > MOST_BINARIES
        offcuts = [one.length_mm for one in self.supply.offcuts if one.pipe == pipe for _ in range(one.count)]
        rooms: list[dict[int, float]] = []
        if not metred:
            rooms = [{} for _ in range(bars + len(offcuts))]
        for span in spans:
            lengths = {moves[n]: share * self.step_mm for n, share in span.by.items()}
            fixed = span.length_mm - sum(share * now[n] for n, share in span.by.items())
            reach = sum(abs(share) * (self.legs[n][1].band_mm or 0.0) for n, share in span.by.items())
            model.row(lengths, sum(cut.least_mm for cut in span.cuts[:1]) - fixed, float("inf"))
            big = fixed + reach + 1.0
            picks: dict[int, float] = {}
            for nipple in span.ready:
                if abs(nipple - fixed) > reach + SAME_MM:
                    continue
                pick = model.variable(0, 1, costs.nipple(nipple), whole=True)
                picks[pick] = -1.0
                model.row({**lengths, pick: big}, float("-inf"), nipple + SAME_MM - fixed + big)
                model.row({**lengths, pick: -big}, nipple - SAME_MM - fixed - big, float("inf"))
            coupled = 0 if fixed + reach <= longest + 1e-6 else 1
            more: dict[int, float] = {}
            if coupled:
                split = model.variable(0, 1, 0.0, whole=True)
                extra = model.variable(0, 8, costs.coupling, whole=True)
                model.row({**lengths, split: -big}, float("-inf"), longest - fixed)
                model.row({extra: 1.0, split: -8.0}, float("-inf"), 0.0)
                more = {extra: 1.0}
            threads = span.threads * costs.thread
            if metred:
                sold = model.variable(0, float("inf"), costs.per_mm)
                cut = model.variable(0, 1, threads, whole=True)
                model.row({cut: 1.0, **dict.fromkeys(picks, 1.0)}, 1.0, 1.0)
                terms = {sold: 1.0, **{key: -value for key, value in lengths.items()}}
                terms |= dict.fromkeys(picks, big)
                model.row(terms, fixed, float("inf"))
                continue
            parts: dict[int, float] = {}
            long: dict[int, float] = {}
            for room in rooms:
                on = model.variable(0, 1, threads, whole=True)
                wide = model.variable(0, longest, 0.0)
                model.row({wide: 1.0, on: -longest}, float("-inf"), 0.0)
                room[wide], room[on] = 1.0, kerf
                parts[on], long[wide] = 1.0, 1.0
            model.row({**parts, **dict.fromkeys(picks, 1.0), **dict.fromkeys(more, -1.0)}, 1.0, 1.0)
            terms = {**long, **{key: -value for key, value in lengths.items()}}
            terms |= dict.fromkeys(more, span.gap_mm)
            terms |= dict.fromkeys(picks, big)
            model.row(terms, fixed, float("inf"))
        before: dict[int, float] | None = None
        for room, mm in zip(rooms[bars:], offcuts, strict=True) if rooms else ():
            model.row(room, float("-inf"), mm + kerf)
        for room in rooms[:bars]:
            kinds = {model.variable(0, 1, cost[mm], whole=True): mm for mm in cost}
            model.row(dict.fromkeys(kinds, 1.0), float("-inf"), 1.0)
            model.row({**room, **{one: -(mm + kerf) for one, mm in kinds.items()}}, float("-inf"), 0.0)
            size = dict(kinds)
            if before is not None:  # the longest first: the bars are alike
                model.row({**before, **{one: -mm for one, mm in size.items()}}, 0.0, float("inf"))
            before = size
        return metred

    # --- figures ------------------------------------------------------------------------------------------------------

    def _figures(self, design: Any, pipes: set[str]) -> Figures:
        """The figures of some pipes of a job as it is worked out, by the exact layout on stock lengths."""
        bought = cost = 0.0
        nipples = threads = pieces = couplings = 0
        for pipe in sorted(pipes):
            cuts = [cut for cut in design.cuts if str(cut.pipe) == pipe]
            if not cuts:
                continue
            laid = pipe_stock(cuts, self.catalogue, self.supply, design.context.memory)
            ready = dict(laid.ready)
            costs = costs_of(cuts[0].pipe, self.catalogue, self.supply)
            bought += sum(mm * many for mm, many in laid.bought)
            nipples += len(ready)
            pieces += len(cuts) - len(ready)
            made = sum(
                (end.method == "thread")
                for cut in cuts
                if cut.key not in ready
                for end in (cut.piece.from_mating, cut.piece.to_mating)
            )
            threads += made
            joined = sum(cut.key.rpartition("/")[2].isdigit() for cut in cuts)
            couplings += joined
            cost += sum(bar.stock.cost for bar in laid.layout.bars) + made * costs.thread + joined * costs.coupling
            cost += sum(costs.nipple(mm) for mm in ready.values())
        joints = sum(bool(joint.method) for joint in design.fitted.joints.values())
        return Figures(round(bought, 1), pieces, nipples, threads, couplings, joints, round(cost, 2))


def _fixed(design: Any) -> dict[str, float]:
    """What must stay where it is [mm]: each closing error by axis, each crossing of a wall or floor along its run."""
    found: dict[str, float] = {}
    for trace in design.traced.runs.values():
        if trace.closing is not None:
            for axis, value in zip("xyz", trace.closing, strict=True):
                found[f"{trace.run.id} {axis}"] = value
    for one in design.pipework.passes:
        found[f"{one.run} {one.item.id}"] = one.at.dot(one.way)
    return found


def _new_findings(before: Any, after: Any) -> list[str]:
    """What is found after and was not before, but for notes."""
    known = {(one.rule, one.where) for one in before.findings}
    return [one.says for one in after.findings if one.severity != "note" and (one.rule, one.where) not in known]


class _Model:
    """An integer program, row by row."""

    def __init__(self) -> None:
        self.low: list[float] = []
        self.high: list[float] = []
        self.cost: list[float] = []
        self.whole: list[bool] = []
        self.rows: list[tuple[dict[int, float], float, float]] = []

    def variable(self, low: float, high: float, cost: float, *, whole: bool = False) -> int:
        self.low.append(low)
        self.high.append(high)
        self.cost.append(cost)
        self.whole.append(whole)
        return len(self.low) - 1

    def row(self, terms: dict[int, float], low: float, high: float) -> None:
        if terms:
            self.rows.append((terms, low, high))

    def solved(self, limit_s: float) -> tuple[list[float], float] | None:
        """The values and the relative gap; None where there is no solution, or none in time."""
        from scipy.optimize import Bounds, LinearConstraint, milp
        from scipy.sparse import lil_array

        matrix = lil_array((len(self.rows), len(self.cost)))
        for n, (terms, _, _) in enumerate(self.rows):
            for column, value in terms.items():
                matrix[n, column] = value
        found = milp(
            self.cost,
            constraints=LinearConstraint(matrix.tocsr(), [row[1] for row in self.rows], [row[2] for row in self.rows]),
            integrality=[int(one) for one in self.whole],
            bounds=Bounds(self.low, self.high),
            options={"time_limit": limit_s},
        )
        if found.x is None:
            return None
        return [float(value) for value in found.x], float(found.mip_gap or 0.0)
