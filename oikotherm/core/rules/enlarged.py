"""The way out of pipe that is too small: every place where a size is said grows to the largest its sections need."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Protocol, TypeVar

from ..catalogue import Catalogue
from ..catalogue.loader import size_order
from ..job.model import Pipe
from .registry import Remedy, View


class SizedSection(Protocol):
    """A section as this needs it: its name, the run and change of pipe its size is said by, its pipe."""

    @property
    def id(self) -> str: ...

    @property
    def run(self) -> str: ...

    @property
    def item(self) -> str | None: ...

    @property
    def pipe(self) -> Pipe: ...


class SizedNetwork(Protocol):
    """A network of such sections."""

    @property
    def sections(self) -> Sequence[SizedSection]: ...


N = TypeVar("N", bound=SizedNetwork)


def _order(pipe: Pipe) -> float:
    """By its size; one that is still to be sized comes before all."""
    return -1.0 if pipe.size == "?" else size_order(pipe.size)


def enlarged_remedies(sections: Sequence[SizedSection], sizes: Mapping[str, Pipe | None]) -> Iterable[Remedy]:
    """The least that has to grow: all sections whose size is said in one place go by the largest of them. sizes:
    section -> the size wanted; nothing where one has none."""
    if not sizes or any(pipe is None for pipe in sizes.values()):
        return
    wanted: dict[tuple[str, str | None], list[tuple[str, Pipe, Pipe]]] = {}
    for one in sections:
        wanted.setdefault((one.run, one.item), []).append((one.id, one.pipe, sizes.get(one.id) or one.pipe))
    commands, words = [], []
    for (run, item), group in wanted.items():
        new = max((pipe for _, _, pipe in group), key=_order)
        if _order(new) <= _order(group[0][1]):
            continue
        commands.append({"do": "set_pipe", "run": run, "item": item, "code": new.code, "size": new.size})
        words.append(f"{', '.join(ident for ident, _, _ in group)}: {group[0][1]} becomes {new}")
    if commands:
        yield Remedy("Enlarge what is too small", tuple(commands), "; ".join(words))


def enlarged_once(
    view: View,
    table: str,
    net: N,
    first: Callable[[N, Catalogue], str],
    sizes: Callable[[N, Catalogue], Mapping[str, Pipe | None]],
) -> tuple[str, tuple[Remedy, ...]]:
    """The section of a network to enlarge first, "" for none, and what has to grow so that nothing is short: the same
    for every end of it that is, and at every edit that leaves the network alone. table: of the memory."""
    catalogue = view.context.catalogue

    def make() -> tuple[str, tuple[Remedy, ...]]:
        return first(net, catalogue), tuple(enlarged_remedies(net.sections, sizes(net, catalogue)))

    return view.context.memory.keep(table, (net, catalogue), None, make, most=8)
