"""Threaded legs against ready nipples: which pieces need no threading, and how far a leg moves to need none."""

from __future__ import annotations

from collections.abc import Iterable

from ...job.model import Leg, Run
from ...job.writing import exact_length
from ...making.cut import Cut, cuts, round_to_mark
from ...making.nipples import SAME_MM, ready_mm
from ...quantity import length_text
from ...rules.registry import Remedy, RuleBook, Said, View
from .pipe_rules import gas_runs

rule = RuleBook("gas")


@rule(
    "gas-nipples",
    "note",
    "pieces a ready nipple would do for",
    "Ready nipples come close and up to 12 in by halves: a leg moved by a little saves the threading.",
    "rule of the trade",
    stage="make",
)
def gas_nipples(view: View) -> Iterable[Said]:
    if view.job.pace_unit != "in":
        return
    listed = cuts(view.job, view.fitted, view.context.catalogue)
    for run in gas_runs(view):
        own = [
            (cut, ready)
            for cut in listed
            if cut.run == run.id and (ready := ready_mm(view.context.catalogue, cut)) is not None
        ]
        fits = [cut for cut, ready in own if abs(ready - cut.exact_mm) <= SAME_MM]
        if not own or len(fits) == len(own):
            continue
        commands, words = _snapped(view, run, own)
        if not commands:
            continue
        yield Said(
            (run.id, f"{run.id}/nipples"),
            f"{run.id}: {len(fits)} of {len(own)} short pieces are ready nipples; {len(commands)} more would be.",
            (Remedy("Snap its legs to ready nipples", tuple(commands), "; ".join(words)),),
            view.fitted.pipework.runs[run.id].start,
        )


def _snapped(view: View, run: Run, own: list[tuple[Cut, float]]) -> tuple[list[dict[str, str]], list[str]]:
    """The commands that move legs to the lattice, and each shift in words. A leg moves where the run has room for it:
    where it ends free, or has a leg left open along the same line."""
    legs = run.legs
    open_lines = {_line(leg) for leg in legs.values() if leg.length_mm is None}
    free = "." not in run.finish
    unit = view.job.pace_unit
    commands, words = [], []
    for cut, ready in own:
        shift = ready - cut.exact_mm
        leg = legs.get(cut.piece.legs[0]) if len(cut.piece.legs) == 1 else None
        if leg is None or leg.length_mm is None or abs(shift) <= SAME_MM or not (free or _line(leg) in open_lines):
            continue
        was = leg.shifted_mm or 0.0
        new = round_to_mark(was + shift, unit)
        if new <= 0:
            continue
        doubt = "" if leg.basis == "taped" else "?"
        text = f"{leg.dir}{exact_length(round(new, 3), unit)}{doubt}"
        commands.append({"do": "retype_item", "run": run.id, "item": leg.id, "text": text})
        moved = new - was
        far = length_text(abs(moved), unit, with_unit=True)
        words.append(f"{leg.dir}{length_text(was, unit)} {'+' if moved > 0 else '-'}{far}")
    return commands, words


def _line(leg: Leg) -> str:
    """The line a leg lies along: N and S are one."""
    return {"S": "N", "W": "E", "D": "U"}.get(leg.dir, leg.dir)
