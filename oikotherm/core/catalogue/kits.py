"""Which adaptors are fitted to a port: those it comes with, or those that take the pipe of the run that ends there."""

from __future__ import annotations

import functools
from collections.abc import Sequence

from ..tables import read_rows
from .ends import parse_end
from .loader import Catalogue, KitRow


@functools.cache
def _taken() -> frozenset[tuple[str, str]]:
    """(family of a socket, pipe system that goes into it)."""
    return frozenset((row["socket"], row["pipe"]) for row in read_rows(__package__, "mating.csv"))


def kit_for(catalogue: Catalogue, parts: Sequence[str], code: str, size: str) -> tuple[str, ...]:
    """The parts of a port's kit as they are fitted for a pipe [its system and size].

    A plain adaptor whose socket does not take that pipe gives way to one of the same thread or face whose socket does,
    its own joint first; where there is none the port stays bare and the transition finder goes on from it. Valves and
    tails, and adaptors that only are of another size, stay.
    """
    row = catalogue.kits.get(parts[-1]) if parts else None
    if row is None or row.turns or row.acts or _takes(row, code) is not False:
        return tuple(parts)
    others = [one for one in catalogue.kits.values() if one.inner_end == row.inner_end and _takes(one, code)]
    fitting = [one for one in others if parse_end(one.outer_end).size == size]
    if not fitting:
        return tuple(parts[:-1])
    joint = parse_end(row.outer_end).family.partition("-")[0]
    best = min(fitting, key=lambda one: not one.outer_end.startswith(f"{joint}-"))
    return (*parts[:-1], best.part)


def _takes(row: KitRow, code: str) -> bool | None:
    """Whether the socket of a kit part takes a pipe system; None for a part without a socket, or one marked for gas."""
    end = parse_end(row.outer_end)
    if end.form != "socket" or row.turns or row.acts:
        return None
    return (end.family, code) in _taken()
