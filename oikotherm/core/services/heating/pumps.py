"""Which pump moves which emitters, and what each must give: one for all, several side by side, one behind another."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ...job.model import Station
from ...network.solver import PumpCurve


@dataclass(frozen=True, slots=True)
class PumpDuty:
    """What a pump must give. key: its device's node, its station, or the heat source where nobody has placed one;
    loads: those whose last pump it is; curve: its own, by the label; given_pa: what that gives at the duty's flow."""

    key: str
    title: str
    loads: tuple[str, ...]
    flow_kg_s: float
    head_pa: float
    curve: PumpCurve | None = None
    given_pa: float | None = None


def duties(
    source: Station,
    total_kg_s: float,
    inside: PumpCurve | None,
    boiler_pa: float,
    loads: Sequence[tuple[str, float, float, tuple[str, ...]]],
    drops_pa: Mapping[str, float],
    paths: Mapping[str, Sequence[str]],
    curves: Mapping[str, PumpCurve],
    titles: Mapping[str, str],
) -> tuple[tuple[PumpDuty, ...], dict[str, float]]:
    """(the pumps of a circuit, surplus of each load [Pa]).

    loads: (id, flow [kg/s], pressure its way and valves cost [Pa], keys of the pumps placed on its way, from the source
    out). Loads without a pump on their way are moved by one at the source; where a single pump is on every way, it is
    that one. A pump behind another gives what the first leaves wanting; one that serves only through others carries
    what those have in common. A pump with a curve of its own gives what that says, and what it gives beyond the duty is
    surplus for the valves.
    """
    if not loads:
        return (), {}
    ways = {ident: list(pumps) for ident, _, _, pumps in loads}
    placed = {key for pumps in ways.values() for key in pumps}
    if inside is not None or source.brings.pump or any(not pumps for pumps in ways.values()):
        ways = {ident: [source.id, *pumps] for ident, pumps in ways.items()}
        if inside is None and not source.brings.pump and placed:
            # a pump at the source that nobody placed moves only what no other pump does
            ways = {ident: pumps[1:] if len(pumps) > 1 else pumps for ident, pumps in ways.items()}
    flow_of = {ident: flow for ident, flow, _, _ in loads}
    need = {ident: total + boiler_pa for ident, _, total, _ in loads}
    order = sorted(
        {key for pumps in ways.values() for key in pumps},
        key=lambda key: (min(p.index(key) for p in ways.values() if key in p), key),
    )
    heads: dict[str, float] = {}
    found = []
    for key in order:
        through = [ident for ident, pumps in ways.items() if key in pumps]
        own = [ident for ident in through if ways[ident][-1] == key]
        before = {ident: sum(heads[one] for one in ways[ident][: ways[ident].index(key)]) for ident in through}
        if own:
            head = max(need[ident] - before[ident] for ident in own)
        else:
            common = set.intersection(*(set(paths[ident]) for ident in through))
            head = sum(drops_pa[name] for name in common) + boiler_pa - min(before.values())
        flow = total_kg_s if len(through) == len(loads) else sum(flow_of[ident] for ident in through)
        curve = inside if key == source.id else curves.get(key)
        given = curve.head_pa(flow)[0] if curve else None
        heads[key] = max(head, given or 0.0, 0.0)
        found.append(PumpDuty(key, titles.get(key, key), tuple(own), flow, max(head, 0.0), curve, given))
    surplus = {ident: sum(heads[key] for key in pumps) - need[ident] for ident, pumps in ways.items()}
    return tuple(found), surplus
