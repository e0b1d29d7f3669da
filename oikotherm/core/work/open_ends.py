"""The register of open ends: every end that waits, what closes it now, and what finishes it."""

from __future__ import annotations

from dataclasses import dataclass

from ..job.model import Tee
from ..layout import Layout

CLOSED = {"cap": "a cap", "plug": "a plug", "stub": "a temporary cap", "open": "nothing"}


@dataclass(frozen=True, slots=True)
class OpenEnd:
    """An end that waits. key: its node; where: in words; closed: what shuts it now; finishes: what does away with it;
    step: the step of the plan it comes with."""

    key: str
    where: str
    closed: str
    finishes: str
    step: str


def open_ends(design: Layout) -> tuple[OpenEnd, ...]:
    """Ends of new pipe that are capped, plugged or left as stubs, and tees closed for what may come; the pockets of
    sediment traps stay as they are."""
    work, found = design.pipework, []
    new = {run.id for run in design.job.runs if run.state == "new"}
    for key, node in work.nodes.items():
        if node.run not in new or node.kind not in CLOSED or node.name or not work.arms.get(key):
            continue
        waits = node.kind in ("stub", "open")
        finishes = "what it waits for is joined and proved" if waits else "an appliance for later, or it stays"
        found.append(OpenEnd(key, f"end of {node.run}", CLOSED[node.kind], finishes, f"pipe:{node.run}"))
    for run in design.job.runs:
        for item in run.items if run.state == "new" else ():
            tee = work.nodes.get(f"{item.id}/tee")
            if isinstance(item, Tee) and item.closed and not item.drop_mm and tee and len(work.arms[tee.key]) < 3:
                where = f"outlet {run.id}.{item.name}"
                found.append(
                    OpenEnd(tee.key, where, CLOSED[item.closed], "a branch for later, or it stays", f"pipe:{run.id}")
                )
    return tuple(found)
