"""The same appliances by two layouts, side by side: the pipe as it is drawn, and a manifold with a home run to each."""

from __future__ import annotations

import functools
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

from ...catalogue import Catalogue
from ...job.model import Pipe
from ...quantity import leading_number
from ...tables import read_rows
from .sizing import BY_RATING, RULES, GasNetwork, GasTerminal, RuleId, added_m, resized, worked
from .tree import GasFitting, GasSection

MANIFOLD = "manifold"
TURNS: tuple[Literal["elbow"], Literal["bend"]] = ("elbow", "bend")


@dataclass(frozen=True, slots=True)
class Option:
    """One way to lay and size it. layout: drawn or manifold; metres: pipe -> length [m]; net: as it would run; tight:
    the appliance with least to spare; price: relative, the cheapest of all 1 (typ)."""

    layout: str
    rule: RuleId
    metres: tuple[tuple[str, float], ...]
    net: GasNetwork
    tight: GasTerminal
    price: float

    @property
    def total_m(self) -> float:
        return sum(length for _, length in self.metres)


def manifold(net: GasNetwork, catalogue: Catalogue) -> GasNetwork | None:
    """The network as a manifold where its ways part: what all ways share stays the feed, from its end each appliance
    has a run of its own, as long as its way is now. None with fewer than two appliances."""
    ends = [end for end in net.terminals if end.on]
    if len(ends) < 2:
        return None
    own = {one.id: one for one in net.sections}
    shared: list[str] = []
    for idents in zip(*(end.path for end in ends), strict=False):
        if len(set(idents)) > 1:
            break
        shared.append(idents[0])
    above = shared[-1] if shared else ""
    feed = [replace(own[ident], feeds=tuple(end.station for end in ends)) for ident in shared]
    runs, terminals = [], []
    for end in ends:
        rest = [own[ident] for ident in end.path[len(shared) :]]
        if not rest:
            continue
        most = max(rest, key=lambda one: one.length_m)  # a home run is of the pipe that most of its way is now
        kept = [fitting for one in rest for fitting in one.fittings if fitting.what != "branch"]
        runs.append(
            GasSection(
                f"to {end.station}",
                rest[-1].run,
                None,
                most.pipe,
                tuple(key for one in rest for key in one.keys),
                MANIFOLD,
                rest[-1].end,
                sum(one.length_m for one in rest),
                (GasFitting("other", MANIFOLD), *kept),
                above,
                (end.station,),
                net.gas.flow_m3_s(end.wanted_w),
                bore_mm=most.bore_mm,
                roughness_mm=most.roughness_mm,
            )
        )
        terminals.append(replace(end, path=(*shared, runs[-1].id)))
    return worked(replace(net, sections=(*feed, *runs), terminals=tuple(terminals)), catalogue)


def options(
    net: GasNetwork, catalogue: Catalogue, drawn: Mapping[RuleId, Mapping[str, Pipe | None]] | None = None
) -> tuple[Option, ...]:
    """Every rule by both layouts, with metres by size and what the pipe costs against the cheapest. drawn: the sizes of
    the layout as it is drawn by rule, where they are known already."""
    found: list[Option] = []
    for layout, one in (("drawn", net), (MANIFOLD, manifold(net, catalogue))):
        if one is None or not one.terminals:
            continue
        for rule in RULES:
            sized = resized(one, catalogue, rule, drawn[rule] if drawn and one is net else None)
            metres: dict[str, float] = {}
            for section in sized.sections:
                if section.feeds:
                    metres[str(section.pipe)] = metres.get(str(section.pipe), 0.0) + section.length_m
            tight = min((end for end in sized.terminals if end.on), key=lambda end: end.margin_pa, default=None)
            if tight is not None:
                cost = sum(
                    section.length_m * _cost(catalogue, section.pipe) for section in sized.sections if section.feeds
                )
                found.append(Option(layout, rule, tuple(sorted(metres.items())), sized, tight, cost))
    least = min((one.price for one in found), default=0.0) or 1.0
    return tuple(replace(one, price=one.price / least) for one in found)


@functools.cache
def _prices() -> dict[str, float]:
    return {row["material"]: float(row["per_metre_and_mm"]) for row in read_rows(__package__, "prices.csv")}


def _cost(catalogue: Catalogue, pipe: Pipe) -> float:
    """What a metre of pipe with its fittings costs, relative: by material and outside diameter; corrugated tube by its
    class, connectors by their nominal bore (typ)."""
    row = catalogue.pipe(pipe.code, pipe.size)
    across = row.od_mm if row and row.od_mm else leading_number(pipe.size.removeprefix("EHD")) or 20.0
    return across * _prices().get(catalogue.systems[pipe.code].material, 1.0)


@dataclass(frozen=True, slots=True)
class Bending:
    """What pulled bends give over elbows. elbows, bends: as it is made now; saves_m: equivalent length that bends at
    all these turns save over elbows at all of them; gains_pa: what the appliance with least to spare gains by it."""

    elbows: int
    bends: int
    saves_m: float
    gains_pa: float
    station: str


def bending(net: GasNetwork, catalogue: Catalogue) -> Bending | None:
    """Bends against elbows on the pipe that can be bent; None where none can be, or where the formula counts them
    alike."""
    ends = [end for end in net.terminals if end.on]
    can = {
        one.id
        for one in net.sections
        if one.feeds and one.pipe.code not in BY_RATING and catalogue.bend_radius_mm(one.pipe.code, one.pipe.size)
    }
    turns = [fitting.what for one in net.sections if one.id in can for fitting in one.fittings if fitting.what in TURNS]
    if net.formula != "metric" or not ends or not turns:
        return None
    tight = min(ends, key=lambda end: end.margin_pa).station
    (elbows_m, elbows_pa), (bends_m, bends_pa) = (_turned(net, catalogue, can, what, tight) for what in TURNS)
    return Bending(turns.count("elbow"), turns.count("bend"), elbows_m - bends_m, bends_pa - elbows_pa, tight)


def _turned(
    net: GasNetwork, catalogue: Catalogue, can: set[str], what: Literal["elbow", "bend"], station: str
) -> tuple[float, float]:
    """Equivalent length of the fittings [m], and the pressure at a station [Pa], with all turns made one way."""
    sections, extra = [], 0.0
    for one in net.sections:
        if one.id in can:
            kept = tuple(replace(fit, what=what) if fit.what in TURNS else fit for fit in one.fittings)
            one = replace(one, fittings=kept, equivalent_m=added_m(catalogue, one.pipe, net.formula, kept))
            extra += one.equivalent_m
        sections.append(one)
    made = worked(replace(net, sections=tuple(sections)), catalogue)
    return extra, next(end.arriving_pa for end in made.terminals if end.station == station)
