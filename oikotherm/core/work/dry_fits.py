"""The dry-fit ruler of a job: where the fittings of its threaded runs stand before they are made up."""

from __future__ import annotations

from ..job.model import Pipe
from ..layout import Layout
from ..making.dry_fit import Place, gain_mm, places


def dry_fits(design: Layout) -> tuple[tuple[str, tuple[Place, ...]], ...]:
    """Run -> its fittings, held at the first of them, that stand elsewhere hand-tight. A threaded joint at either end
    of a piece makes it longer by made-up less hand-tight engagement; other joints do not."""
    found = []
    for run in design.job.runs:
        pieces = [cut.piece for cut in design.cuts if cut.run == run.id]
        if not any("thread" in (one.from_mating.method, one.to_mating.method) for one in pieces):
            continue
        straights = design.pipework.straights
        joins = []
        order: dict[str, None] = {}
        for piece in pieces:
            first, last = straights[piece.straights[0]], straights[piece.straights[-1]]
            longer = _longer_mm(design, piece.pipe, piece.from_mating.method, piece.to_mating.method)
            joins.append((first.from_node, last.to_node, piece.way, longer))
            order |= {first.from_node: None, last.to_node: None}
        nodes = [
            (key, design.fitted.fittings[key].title, design.fitted.fittings[key].at)
            for key in order
            if key in design.fitted.fittings
        ]
        known = {key for key, _, _ in nodes}
        moved = places(nodes, [one for one in joins if one[0] in known and one[1] in known])
        rows = tuple(one for one in moved if one.off.length >= 0.5)
        if rows:
            found.append((run.id, rows))
    return tuple(found)


def _longer_mm(design: Layout, pipe: Pipe, *methods: str) -> float:
    """How much longer a piece stands between its fittings hand-tight [mm]."""
    threads = sum(method == "thread" for method in methods)
    return threads * gain_mm(design.context.catalogue, pipe) if threads else 0.0
