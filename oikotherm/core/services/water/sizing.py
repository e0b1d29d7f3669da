"""Fresh water sized: the smallest pipe that keeps its speed and leaves every outlet its pressure."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

from ...catalogue import Catalogue
from ...job.model import Pipe
from ...layout import Layout
from ...network.enlarge import enlarge
from ...network.friction import pipe_drop
from ...network.sized import Sized, Supply, Terminal
from .network import WaterNetwork, WaterSection, loss_pa, networks, pressures, worked
from .stations import SPEC

LEAST_OD_MM = 12.0
SPARE_PA = 1000.0  # what larger pipe is chosen by over the least: its fittings may cost more than the old ones


def usable(catalogue: Catalogue, code: str) -> list[Pipe]:
    """The sizes of a system that fresh water may run in and that have fittings, smallest first."""
    methods = catalogue.methods_of(code)
    found = []
    for size in catalogue.sizes(code):
        row = catalogue.pipe(code, size)
        if row is None or not row.bore_mm or (row.od_mm or 0.0) < LEAST_OD_MM:
            continue
        if any(catalogue.method_figures(code, size, method) for method in methods):
            found.append(Pipe(code=code, size=size))
    return found


def _calm(catalogue: Catalogue, one: WaterSection, pipe: Pipe) -> bool:
    """Whether a section's water keeps its speed in a size."""
    row = catalogue.pipe(pipe.code, pipe.size)
    if row is None or not row.bore_mm:
        return False
    drop = pipe_drop(one.flow_kg_s, row.bore_mm, catalogue.roughness_mm(pipe.code), one.medium)
    return drop.velocity_m_s <= one.most_m_s + 1e-9


def proposed(net: WaterNetwork, catalogue: Catalogue, *, drawn: bool = False) -> dict[str, Pipe | None]:
    """Section -> the smallest size of its system that keeps the speed limit and with which every outlet has its
    pressure; what feeds no outlet stays. drawn: none smaller than it is drawn, all that is said in one place together.
    Sections whose pressure no size gives stand at the smallest that keeps the speed; None where none does."""
    ladders: dict[str, list[Pipe]] = {}
    for one in net.sections:
        if not one.feeds or one.stays:
            continue
        sizes = [pipe for pipe in usable(catalogue, one.pipe.code) if _calm(catalogue, one, pipe)]
        if drawn and one.pipe in (every := usable(catalogue, one.pipe.code)):
            sizes = [pipe for pipe in sizes if every.index(pipe) >= every.index(one.pipe)]
        ladders[one.id] = sizes
    kept: dict[str, Pipe | None] = {one.id: one.pipe for one in net.sections if not one.feeds or one.stays}
    if any(not ladder for ladder in ladders.values()):
        return kept | {ident: ladder[0] if ladder else None for ident, ladder in ladders.items()}
    together = {
        one.id: [
            other.id for other in net.sections if other.id in ladders and (other.run, other.item) == (one.run, one.item)
        ]
        if drawn
        else [one.id]
        for one in net.sections
        if one.id in ladders
    }
    if drawn:  # sections that grow as one begin with the largest that any of them needs
        for idents in together.values():
            longest = max((ladders[ident][0] for ident in idents), key=lambda pipe: _rank(catalogue, pipe))
            for ident in idents:
                ladders[ident] = [
                    pipe for pipe in ladders[ident] if _rank(catalogue, pipe) >= _rank(catalogue, longest)
                ]
    found = enlarge(net.sections, ladders, together, *_calls(net, catalogue, SPARE_PA if drawn else 0.0))
    return kept | dict(found if found is not None else {ident: ladder[0] for ident, ladder in ladders.items()})


def by_speed(net: WaterNetwork, catalogue: Catalogue) -> dict[str, Pipe | None]:
    """Section -> the smallest size of its system that keeps the speed limit; None where none does."""
    return {
        one.id: next((pipe for pipe in usable(catalogue, one.pipe.code) if _calm(catalogue, one, pipe)), None)
        if one.feeds and not one.stays
        else one.pipe
        for one in net.sections
    }


def _rank(catalogue: Catalogue, pipe: Pipe) -> int:
    return catalogue.sizes(pipe.code).index(pipe.size)


Arrive = Callable[[Mapping[str, Pipe]], Mapping[str, float]]
Short = Callable[[Mapping[str, float]], Sequence[Sequence[str]]]
Saves = Callable[[WaterSection, Pipe, Pipe, Mapping[str, float]], float]


def _calls(net: WaterNetwork, catalogue: Catalogue, spare_pa: float) -> tuple[Arrive, Short, Saves]:
    """What enlarge() asks of a network: pressures with such sizes, the ends that are short, what a size saves."""

    def arrive(sizes: Mapping[str, Pipe]) -> dict[str, float]:
        return pressures(
            net, {one.id: loss_pa(one, one.flow_l_s, sizes.get(one.id), catalogue) for one in net.sections}
        )

    def short(at: Mapping[str, float]) -> Sequence[Sequence[str]]:
        return [end.path for end in net.ends if at[end.path[-1]] < end.least_pa + spare_pa - 1e-6]

    def saves(one: WaterSection, now: Pipe, wider: Pipe, _at: Mapping[str, float]) -> float:
        return loss_pa(one, one.flow_l_s, now, catalogue) - loss_pa(one, one.flow_l_s, wider, catalogue)

    return arrive, short, saves


def resized(net: WaterNetwork, catalogue: Catalogue, sizes: Mapping[str, Pipe | None]) -> WaterNetwork:
    """The network as it would run in other sizes; where none is given the pipe stays."""
    sections = []
    for one in net.sections:
        pipe = sizes.get(one.id) or one.pipe
        row = catalogue.pipe(pipe.code, pipe.size)
        bore_mm = row.bore_mm if row and row.bore_mm else one.bore_mm
        rough_mm = catalogue.roughness_mm(pipe.code)
        sections.append(
            replace(
                one,
                pipe=pipe,
                bore_mm=bore_mm,
                roughness_mm=rough_mm,
                drop=pipe_drop(one.flow_kg_s, bore_mm, rough_mm, one.medium) if bore_mm else one.drop,
                drop_pa=loss_pa(one, one.flow_l_s, pipe, catalogue),
            )
        )
    return worked(replace(net, sections=tuple(sections)))


def enlarge_first(net: WaterNetwork, catalogue: Catalogue) -> str:
    """The section to enlarge first where an outlet is short: that which saves most a metre by its next size; "" where
    none is short or none has a next."""
    ids = {ident for end in net.ends if end.margin_pa < -1e-6 for ident in end.path}
    best: tuple[float, str] = (0.0, "")
    for one in net.sections:
        every = usable(catalogue, one.pipe.code)
        if one.id not in ids or one.pipe not in every[:-1]:
            continue
        wider = every[every.index(one.pipe) + 1]
        saved = one.drop_pa - loss_pa(one, one.flow_l_s, wider, catalogue)
        best = max(best, (saved / max(one.length_m, 0.1), one.id))
    return best[1]


def size(design: Layout) -> Sized:
    """The fresh water of a design by its practice; detail: its WaterNetworks."""
    found = networks(design)
    return Sized(
        SPEC.id,
        tuple(Supply(one.source, "drinking water", one.inlet_pa) for one in found),
        (),
        tuple(
            Terminal(end.station, end.role, end.wanted_l_s, "L/s", end.arriving_pa, end.least_pa, end.path)
            for one in found
            for end in one.ends
        ),
        tuple(words for one in found for words in one.open),
        found,
    )
