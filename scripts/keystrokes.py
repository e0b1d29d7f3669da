"""Counts the key strokes it takes to lay out the Lockhouse heating from its survey, run by run and per emitter.

Each character typed is a stroke, so is taking the first suggestion (arrow right), so is Enter, so is pressing a remedy:
safety valve, vessel, filling point, drains and vents are put in by the watch list. Capitals are typed small. The
suggestions and remedies are those of the page. Prints a table and the strokes per emitter.

.venv/bin/python -m scripts.keystrokes
"""

from __future__ import annotations

from oikotherm.core.catalogue import standard
from oikotherm.core.design import derive
from oikotherm.core.job.commands import apply, apply_all
from oikotherm.core.job.complete import complete
from oikotherm.core.job.model import Job
from oikotherm.core.job.words import Style
from oikotherm.core.pipework.trace import trace
from scripts.make_demo import surveyed

# The same pipework, said the short way: legs until level, tees that take the next name.
LINES = (
    "from BLR.flow cu-m 22: U120 W450 [iso] W150 D300 * D1660 {floor} S2400 * S440 W843 * W2302 * W598 * =cu-m 15 W? "
    "N848 U? -> R2.left",
    "from F1.T1 cu-m 22: W200 U1118 S65 * S1583 * =cu-m 15 S3192 E? S? U? -> R7.left",
    "from F1.T2 cu-m 15: E1257 * E? S? U? -> R4.left",
    "from F1.T3 cu-m 15: S? U? -> R1.left",
    "from F1.T4 cu-m 15: N? U? -> R6.left",
    "from F1.T5 cu-m 15: S? U2600 [iso] U178 * U? -> R3.left",
    "from F2.T1 cu-m 15: U? W? -> CYL.flow",
    "from F2.T2 cu-m 15: E? U? -> R8.left",
    "from F3.T1 cu-m 15: S? U? -> R5.left",
    "from F6.T1 cu-m 15: N950 W? N? U? -> R9.left",
    "from BLR.return cu-m 22: U120 E200 D150 [iso] D150 * D600 [filter] D1120 {floor} S2540 * S360 W657 * W2300 * "
    "W1198 * W1702 * =cu-m 15 W? N? U? -> R2.right",
    "from RT1.T1 cu-m 22: S130 U1058 S150 * S1772 * =cu-m 15 S? U? -> R7.right",
    "from RT1.T2 cu-m 15: E? S? U? -> R4.right",
    "from RT1.T3 cu-m 15: S? U? -> R5.right",
    "from RT1.T4 cu-m 15: S? U? -> R1.right",
    "from RT1.T5 cu-m 15: N? U? -> R6.right",
    "from RT1.T6 cu-m 15: S? U2660 [iso] U118 * U? -> R3.right",
    "from RT2.T1 cu-m 15: U? W1457 N? W? -> CYL.return",
    "from RT2.T2 cu-m 15: U60 E? U? -> R8.right",
    "from RT7.T1 cu-m 15: N? U? -> R9.right",
)
PRESSED = ("no-safety-valve", "no-vessel", "no-filling", "no-drain", "no-vent")


def strokes(job: Job, line: str, style: Style) -> int:
    """Fewest strokes by taking the first suggestion wherever it goes the right way."""
    at, count = 0, 0
    while at < len(line):
        offered = complete(job, line[:at], at, style)
        step = 1
        if offered:
            first = offered[0]
            taken = f"{line[: first.start]}{first.text} "
            if first.start <= at and (line + " ").lower().startswith(taken.lower()) and len(taken) > at + 1:
                step = min(len(taken), len(line)) - at
        count += 1
        at += step
    return count + 1


def counted() -> tuple[list[tuple[str, int, int]], int, float]:
    """(run, strokes, characters) of every line; strokes in all; strokes per emitter, the cylinder counted as one."""
    job = surveyed()
    style = Style(standard(), job.practice, job.pace_unit)
    rows = []
    for line in LINES:
        needed = strokes(job, line, style)
        known = {run.id for run in job.runs}
        job = apply(job, {"do": "put_run", "text": line}, style.catalogue)
        (made,) = [run.id for run in job.runs if run.id not in known]
        rows.append((made, needed, len(line)))
    work = trace(job, style.catalogue)
    missed = [walked.run.id for walked in work.runs.values() if walked.closing is None or walked.closing.length > 1]
    if missed:
        raise SystemExit(f"these runs do not meet their port: {', '.join(missed)}")
    presses = 0
    while presses < 20:
        found = next(
            (finding for finding in derive(job).open_findings if finding.rule in PRESSED and finding.remedies), None
        )
        if found is None:
            break
        job = apply_all(job, found.remedies[0].commands, style.catalogue)
        presses += 1
    rows.append(("watch", presses, 0))
    emitters = sum(station.kind in ("emitter", "cylinder") for station in job.stations)
    total = sum(needed for _, needed, _ in rows)
    return rows, total, total / emitters


if __name__ == "__main__":
    table, in_all, each = counted()
    for ident, needed, signs in table:
        print(f"{ident:5} {needed:4} strokes for {signs:4} signs")
    print(f"in all {in_all} strokes, {each:.0f} per emitter")
