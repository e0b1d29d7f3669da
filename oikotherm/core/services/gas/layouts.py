"""The same appliances by two layouts, side by side: the pipe as it is drawn, and a manifold with a home run to each."""

from __future__ import annotations

from dataclasses import dataclass, replace

from ...catalogue import Catalogue
from .sizing import RULES, GasNetwork, GasTerminal, RuleId, resized, worked
from .tree import GasFitting, GasSection

MANIFOLD = "manifold"


@dataclass(frozen=True, slots=True)
class Option:
    """One way to lay and size it. layout: drawn or manifold; metres: pipe -> length [m]; net: as it would run; tight:
    the appliance with least to spare."""

    layout: str
    rule: RuleId
    metres: tuple[tuple[str, float], ...]
    net: GasNetwork
    tight: GasTerminal

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
        kept = [fitting for one in rest for fitting in one.fittings if fitting.what != "branch"]
        runs.append(
            GasSection(
                f"to {end.station}",
                rest[-1].run,
                None,
                rest[0].pipe,
                tuple(key for one in rest for key in one.keys),
                MANIFOLD,
                rest[-1].end,
                sum(one.length_m for one in rest),
                (GasFitting("other", MANIFOLD), *kept),
                above,
                (end.station,),
                net.gas.flow_m3_s(end.wanted_w),
                bore_mm=rest[0].bore_mm,
                roughness_mm=rest[0].roughness_mm,
            )
        )
        terminals.append(replace(end, path=(*shared, runs[-1].id)))
    return worked(replace(net, sections=(*feed, *runs), terminals=tuple(terminals)), catalogue)


def options(net: GasNetwork, catalogue: Catalogue) -> tuple[Option, ...]:
    """Every rule by both layouts, those that fit and take least pipe of large sizes told by their metres."""
    found = []
    for layout, one in (("drawn", net), (MANIFOLD, manifold(net, catalogue))):
        if one is None or not one.terminals:
            continue
        for rule in RULES:
            sized = resized(one, catalogue, rule)
            metres: dict[str, float] = {}
            for section in sized.sections:
                if section.feeds:
                    metres[str(section.pipe)] = metres.get(str(section.pipe), 0.0) + section.length_m
            tight = min((end for end in sized.terminals if end.on), key=lambda end: end.margin_pa, default=None)
            if tight is not None:
                found.append(Option(layout, rule, tuple(sorted(metres.items())), sized, tight))
    return tuple(found)
