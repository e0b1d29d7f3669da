"""Gas pipe sized: the tree from each source to its appliances, what arrives, and what three rules would make of it."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

from ...catalogue import Catalogue
from ...errors import Refused
from ...job.model import Pipe, Station
from ...layout import Layout
from ...network.enlarge import enlarge
from ...network.sized import Sized, Supply, Terminal
from ...quantity import INH2O_PA
from .capacity import (
    ELEVATED,
    FOOT3_M3,
    FOOT_M,
    LOW_LIMIT_PSI,
    MARGIN,
    PROPANE_IN_CORRUGATED,
    PSI_PA,
    THIN_MARGIN,
    THIN_MM,
    Formula,
    Gas,
    elevated_factor,
    gas_bore_mm,
    gases,
    metric_drop_pa,
    tube_of,
)
from .checks import CONNECTOR_DROP_PA, connector_rating_w, connector_sizes
from .stations import SPEC
from .tree import GasFitting, GasSection, Tree, sources, walk

RuleId = Literal["longest", "branch", "network"]
RULES: tuple[RuleId, ...] = ("longest", "branch", "network")
GROSS_TO_NET = {"natural": 1.11, "propane": 1.09, "butane": 1.09}  # typ: gross heating value over net
BOILER_SHARE = 0.9  # typ: output to input, where the plate's input is not said
ATMOSPHERE_PA = 101_325.0
TANK_PA = 2e5  # typ: propane in a cold tank, gauge
METRIC_ADDED_M = ((29.0, 0.5, 0.3), (43.0, 1.0, 0.3), (1e9, 1.5, 0.5))
"""Up to this outside diameter [mm]: what an elbow, tee branch or other fitting adds [m], and a pulled bend (typ)."""
INCH_ADDED_D = {"elbow": 30.0, "bend": 30.0, "branch": 60.0, "valve": 3.0, "other": 0.0}  # typ, bores
CONNECTOR_SHARE = 0.5  # typ: of the pressure that may be lost, in the connector
BY_RATING = ("csst", "conn")  # pipe that has a capacity by class or size, and no bore to go by
BENDS_INCLUDED, BEND_ADDED_M = 4, 0.4  # corrugated: 90 bends the class table allows for; each one more (typ)


@dataclass(frozen=True, slots=True)
class GasTerminal:
    """An appliance at the end. wanted_w: gross input, assumed where nobody said it; pressures [Pa gauge]: with all on,
    alone, the least it may come to; path: sections from the source; on: counted among those that burn."""

    station: str
    wanted_w: float
    assumed: bool
    path: tuple[str, ...]
    arriving_pa: float = 0.0
    alone_pa: float = 0.0
    least_pa: float = 0.0
    on: bool = True

    @property
    def margin_pa(self) -> float:
        return self.arriving_pa - self.least_pa


@dataclass(frozen=True, slots=True)
class GasNetwork:
    """The gas pipe of one source. limit_pa: what may be lost; longest_m: to the farthest appliance, with fittings."""

    source: str
    gas: Gas
    formula: Formula
    rule: RuleId
    inlet_pa: float
    limit_pa: float
    sections: tuple[GasSection, ...]
    terminals: tuple[GasTerminal, ...]
    longest_m: float
    open: tuple[str, ...] = ()

    @property
    def fits(self) -> bool:
        """Whether every appliance gets what it needs with all on, as drawn."""
        return all(one.margin_pa >= -1e-6 for one in self.terminals if one.on)


# --- flows, lengths and drops -----------------------------------------------------------------------------------------


def added_m(catalogue: Catalogue, pipe: Pipe, formula: Formula, fittings: Sequence[GasFitting]) -> float:
    """What the fittings of a section add to its length on this pipe [m]. Sources: typ, by practice."""
    if pipe.code == "conn":
        return 0.0
    if pipe.code == "csst":
        bends = sum(one.what in ("bend", "elbow") for one in fittings)
        return max(0, bends - BENDS_INCLUDED) * BEND_ADDED_M
    row = catalogue.pipe(pipe.code, pipe.size)
    if formula == "metric":
        od_mm = row.od_mm if row and row.od_mm else 22.0
        _, fitting, bend = next(one for one in METRIC_ADDED_M if od_mm <= one[0])
        return sum(bend if one.what == "bend" else fitting for one in fittings)
    bore_mm, _ = gas_bore_mm(catalogue, pipe)
    return sum(INCH_ADDED_D[one.what] for one in fittings) * bore_mm / 1000


def drop_pa(
    catalogue: Catalogue, pipe: Pipe, gas: Gas, formula: Formula, length_m: float, flow_m3_s: float, start_pa: float
) -> float:
    """What a flow loses over a length of a pipe, by the same formula as its capacity [Pa]. start_pa: gauge, where it
    begins. Raises Refused for a pipe without figures."""
    if flow_m3_s <= 0 or length_m <= 0:
        return 0.0
    feet, feet3 = length_m / FOOT_M, flow_m3_s * 3600 / FOOT3_M3
    if pipe.code == "conn":
        if pipe.size not in connector_sizes():
            raise Refused("pipe", str(pipe), f"a connector of {', '.join(connector_sizes())}", "conn 1/2")
        return CONNECTOR_DROP_PA * (gas.heat_w(flow_m3_s) / connector_rating_w(gas, pipe.size, length_m)) ** 2
    if pipe.code == "csst":
        tube = tube_of(catalogue, pipe.size)
        if tube is None:
            raise Refused("pipe", str(pipe), "corrugated tube of a class", "csst EHD18")
        own = feet3 / (PROPANE_IN_CORRUGATED if gas.id == "propane" else 1.0)
        return feet / tube.feet(own) * 0.5 * INH2O_PA
    bore_mm, _ = gas_bore_mm(catalogue, pipe)
    if formula == "metric":
        system, size = catalogue.systems[pipe.code], catalogue.pipe(pipe.code, pipe.size)
        steel = system.material == "steel"
        thin = size is not None and size.od_mm is not None and size.od_mm <= THIN_MM and not steel
        rough_mm = (system.roughness_mm or 0.0) if steel else 0.0
        return metric_drop_pa(gas, bore_mm, rough_mm, length_m, flow_m3_s * (THIN_MARGIN if thin else MARGIN))
    inches = bore_mm / 25.4
    if start_pa < LOW_LIMIT_PSI * PSI_PA:
        over = ((feet3 / gas.low_factor) ** 0.381 / (19.17 * inches)) ** (1 / 0.206)
        return float(over * gas.cr * feet * INH2O_PA)
    factor = elevated_factor(gas, start_pa / PSI_PA)
    first = start_pa / PSI_PA + 14.7
    squares = ((feet3 / factor) ** 0.381 / (18.93 * inches)) ** (1 / 0.206) * gas.cr * feet / gas.y
    return float(first - math.sqrt(max(first**2 - squares, 0.0))) * PSI_PA


def limit_of(practice: str, formula: Formula, gas: Gas, inlet_pa: float) -> float:
    """What may be lost from source to appliance [Pa]: metric 1 mbar natural, propane 2.5 British, 2 continental; North
    America 0.5 in w.c., at elevated pressure the stated drops (typ of the practices)."""
    if inlet_pa >= LOW_LIMIT_PSI * PSI_PA:
        psi = inlet_pa / PSI_PA
        return max((drop for at, drop, _ in ELEVATED if at <= psi + 1e-6), default=0.5) * PSI_PA
    if formula == "north-american":
        return 0.5 * INH2O_PA
    if gas.id == "propane":
        return 200.0 if practice == "continental" else 250.0
    return 100.0


def _input_of(station: Station, gas: Gas) -> tuple[float, bool]:
    """The gross input of an appliance [W] and whether it is assumed; 0 where nothing says it. A plate that gives net is
    brought to gross."""
    if station.data.input_w:
        return station.data.input_w * (GROSS_TO_NET.get(gas.id, 1.0) if station.data.input_is_net else 1.0), False
    if station.data.output_w:
        return station.data.output_w / BOILER_SHARE, True
    return 0.0, True


def arriving(
    sections: Sequence[GasSection],
    flows: Mapping[str, float],
    inlet_pa: float,
    drop: Callable[[GasSection, float, float], float],
) -> dict[str, float]:
    """Pressure at the end of each section [Pa gauge], by flows [m3/s]; sections come after what feeds them."""
    found: dict[str, float] = {}
    for one in sections:
        start = found[one.above] if one.above else inlet_pa
        found[one.id] = start - drop(one, flows.get(one.id, 0.0), max(start, 1.0))
    return found


# --- a network --------------------------------------------------------------------------------------------------------


def networks(
    design: Layout,
    rule: RuleId | None = None,
    formula: Formula | None = None,
    fuel: str | None = None,
    off: frozenset[str] = frozenset(),
) -> tuple[GasNetwork, ...]:
    """The gas networks of a design, one a source, those farthest down first: a meter or regulator asks its own source
    for what it feeds. rule, formula, fuel: other than the practice's; off: appliances that do not burn."""
    trees = {key: (station, walk(design, key)) for key, station in sources(design)}
    wanted_at: dict[str, float] = {}  # station fed and feeding -> W
    found: dict[str, GasNetwork] = {}
    left = dict(trees)
    while left:
        ready = [
            key for key, (_, tree) in left.items() if not any(_feeds_on(design, port, left, key) for port in tree.ends)
        ] or list(left)[:1]
        for key in ready:
            station, tree = left.pop(key)
            found[key] = _network(design, key, station, tree, wanted_at, rule, formula, fuel, off)
            wanted_at[station.id] = wanted_at.get(station.id, 0.0) + sum(
                one.wanted_w for one in found[key].terminals if one.on
            )
    return tuple(found[key] for key in trees)


def _feeds_on(design: Layout, port: str, left: Mapping[str, Any], own: str) -> bool:
    """Whether the station at a port feeds a network that is not worked out yet."""
    owner = design.pipework.ports[port].station.id
    return any(key != own and key.partition(".")[0] == owner for key in left)


def _network(
    design: Layout,
    source: str,
    station: Station,
    tree: Tree,
    wanted_at: Mapping[str, float],
    rule: RuleId | None,
    formula: Formula | None,
    fuel: str | None,
    off: frozenset[str],
) -> GasNetwork:
    practice, catalogue = design.job.practice, design.context.catalogue
    inch = practice == "north-american"
    used: Formula = formula or ("north-american" if inch else "metric")
    words: list[str] = []
    gas, said = _gas_of(design, station, tree, fuel)
    if not said:
        words.append(f"which gas {source} gives is not said: taken as {gas.id}")
    inlet_pa = station.data.outlet_pa or station.data.set_pa or station.data.supply_pa
    if inlet_pa is None and station.kind == "gas-tank":
        inlet_pa = TANK_PA
        words.append(
            f"the pressure of {station.id} is not said: {TANK_PA / 1e5:.0f} bar (typ), the first stage sets it"
        )
    elif inlet_pa is None:
        inlet_pa = gas.inch_pa if used == "north-american" else gas.metric_pa
        words.append(f"the pressure at {source} is not said: the usual {inlet_pa / 100:.1f} mbar")
    limit_pa = limit_of(practice, used, gas, inlet_pa)
    terminals = []
    above = {one.id: one for one in tree.sections}
    for port, last in tree.ends.items():
        owner = design.pipework.ports[port].station
        if owner.id == station.id or owner.kind == "stub":
            continue
        wanted, assumed = (wanted_at[owner.id], False) if owner.id in wanted_at else _input_of(owner, gas)
        if not wanted and owner.id not in wanted_at:
            words.append(f"the input of {owner.id} is not said: not counted")
            continue
        if not wanted:
            continue
        if assumed:
            words.append(f"the input of {owner.id} is not said: its output over {BOILER_SHARE} (typ)")
        path = tuple(reversed([one.id for one in _up(above, last)]))
        terminals.append(GasTerminal(owner.id, wanted, assumed, path, on=owner.id not in off))
    if tree.rings:
        words.append(f"the pipe of {source} closes a ring: counted as if it were cut there")
    feeds: dict[str, list[GasTerminal]] = {one.id: [] for one in tree.sections}
    for end in terminals:
        for ident in end.path:
            feeds[ident].append(end)
    sections = []
    for one in tree.sections:
        flow = gas.flow_m3_s(sum(end.wanted_w for end in feeds[one.id] if end.on))
        system = catalogue.systems.get(one.pipe.code)
        try:
            bore_mm = 0.0 if one.pipe.code in BY_RATING else gas_bore_mm(catalogue, one.pipe)[0]
            extra = added_m(catalogue, one.pipe, used, one.fittings)
        except Refused as refused:
            words.append(f"{one.id}: {refused.expected} is wanted, {one.pipe} is not")
            bore_mm, extra = 0.0, 0.0
        sections.append(
            replace(
                one,
                feeds=tuple(end.station for end in feeds[one.id]),
                flow_m3_s=flow,
                equivalent_m=extra,
                bore_mm=bore_mm,
                roughness_mm=(system.roughness_mm or 0.0) if system else 0.0,
            )
        )
    made = GasNetwork(
        source,
        gas,
        used,
        rule or ("longest" if inch else "network"),
        inlet_pa,
        limit_pa,
        tuple(sections),
        tuple(terminals),
        0.0,
        open=tuple(words),
    )
    return worked(made, catalogue)


def _up(sections: Mapping[str, GasSection], end: str) -> Iterator[GasSection]:
    """The sections from an end up to the source."""
    while end:
        yield sections[end]
        end = sections[end].above


def _gas_of(design: Layout, station: Station, tree: Tree, fuel: str | None) -> tuple[Gas, bool]:
    """The gas of a network and whether anybody said it: asked for, at the source, or at an appliance."""
    if fuel:
        return gases()[fuel], True
    fed = (design.pipework.ports[port].station for port in tree.ends)
    said = next((one.data.gas for one in (station, *fed) if one.data.gas in gases()), None)
    return gases()[said or "natural"], said is not None


def worked(made: GasNetwork, catalogue: Catalogue) -> GasNetwork:
    """Drops, arriving pressures and the sizes by every rule."""

    def worth(one: GasSection, flow: float, start: float) -> float:
        return _safe_drop(made, catalogue, one.pipe, one, flow, start)

    flows = {one.id: one.flow_m3_s for one in made.sections}
    at = arriving(made.sections, flows, made.inlet_pa, worth)
    sections = []
    for one in made.sections:
        start = at[one.above] if one.above else made.inlet_pa
        area = math.pi / 4 * (one.bore_mm / 1000) ** 2
        dense = ATMOSPHERE_PA / (ATMOSPHERE_PA + max(start, 0.0))
        speed = one.flow_m3_s * dense / area if area else 0.0
        sections.append(replace(one, drop_pa=start - at[one.id], velocity_m_s=speed))
    terminals = []
    for end in made.terminals:
        alone = {ident: made.gas.flow_m3_s(end.wanted_w) for ident in end.path}
        alone_at = arriving(made.sections, alone, made.inlet_pa, worth)
        terminals.append(
            replace(
                end,
                arriving_pa=at[end.path[-1]],
                alone_pa=alone_at[end.path[-1]],
                least_pa=made.inlet_pa - made.limit_pa,
            )
        )
    done = replace(made, sections=tuple(sections), terminals=tuple(terminals))
    return replace(done, longest_m=max((_path_m(done, end, catalogue, {}) for end in terminals), default=0.0))


def _safe_drop(net: GasNetwork, catalogue: Catalogue, pipe: Pipe, one: GasSection, flow: float, start: float) -> float:
    """The drop of a section on a pipe; all that is there where the pipe has no figures."""
    try:
        length = one.length_m + added_m(catalogue, pipe, net.formula, one.fittings)
        return drop_pa(catalogue, pipe, net.gas, net.formula, length, flow, start)
    except Refused:
        return start if flow > 0 else 0.0


def _path_m(net: GasNetwork, end: GasTerminal, catalogue: Catalogue, sizes: Mapping[str, Pipe | None]) -> float:
    """Length from the source to an appliance with what its fittings add on these sizes [m]."""
    own = {one.id: one for one in net.sections}
    total = 0.0
    for ident in end.path:
        one = own[ident]
        try:
            extra = added_m(catalogue, sizes.get(ident) or one.pipe, net.formula, one.fittings)
        except Refused:
            extra = 0.0
        total += one.length_m + extra
    return total


def _sizes_of(catalogue: Catalogue, pipe: Pipe) -> list[Pipe]:
    return [Pipe(code=pipe.code, size=size) for size in catalogue.sizes(pipe.code)]


def proposed(net: GasNetwork, catalogue: Catalogue, rule: RuleId) -> dict[str, Pipe | None]:
    """Section -> the smallest size of its own pipe that a rule asks for, None where none is large enough.

    longest: every section by the length to the farthest appliance; branch: what feeds one appliance alone by the
    length to that; network: smallest sizes at which what arrives holds, the section enlarged first that saves most
    drop a metre. Fittings are counted on the sizes proposed.
    """
    if not net.terminals:
        return {}
    return _by_network(net, catalogue) if rule == "network" else _by_length(net, catalogue, rule)


def _by_length(net: GasNetwork, catalogue: Catalogue, rule: RuleId) -> dict[str, Pipe | None]:
    sizes: dict[str, Pipe | None] = {}
    own = {one.id: one for one in net.sections}
    spent = dict.fromkeys((end.station for end in net.terminals), 0.0)  # in connectors, which go by their own rating
    for end in net.terminals:
        for one in (own[ident] for ident in end.path if own[ident].pipe.code == "conn"):
            sizes[one.id], lost = _connector(net, catalogue, one)
            spent[end.station] += lost
    connected = frozenset(sizes)
    for _ in range(12):  # a larger pipe counts its fittings longer: until nothing grows any more
        paths = {end.station: _path_m(net, end, catalogue, sizes) for end in net.terminals}
        longest = max(paths.values())
        before = dict(sizes)
        for one in net.sections:
            if not one.feeds:
                sizes[one.id] = one.pipe
                continue
            if one.id in connected:
                continue
            length = paths[one.feeds[0]] if rule == "branch" and len(one.feeds) == 1 else longest
            limit_pa = net.limit_pa - max(spent[station] for station in one.feeds)
            sizes[one.id] = _smallest(net, catalogue, one, max(length, 0.3), before.get(one.id), limit_pa)
        if sizes == before:
            break
    return sizes


def _connector(net: GasNetwork, catalogue: Catalogue, one: GasSection) -> tuple[Pipe | None, float]:
    """The smallest connector that leaves the pipe at least half of what may be lost, and what it loses [Pa]; None where
    the largest loses more."""
    lost = 0.0
    for pipe in _sizes_of(catalogue, one.pipe):
        lost = drop_pa(catalogue, pipe, net.gas, net.formula, one.length_m, one.flow_m3_s, net.inlet_pa)
        if lost <= CONNECTOR_SHARE * net.limit_pa:
            return pipe, lost
    return None, lost


def _smallest(
    net: GasNetwork, catalogue: Catalogue, one: GasSection, length_m: float, least: Pipe | None, limit_pa: float
) -> Pipe | None:
    """The smallest size that carries a section's flow over a length with a limit of the drop [Pa], not below one
    already asked for."""
    sizes = _sizes_of(catalogue, one.pipe)
    for pipe in sizes[sizes.index(least) if least in sizes else 0 :]:
        try:
            lost = drop_pa(catalogue, pipe, net.gas, net.formula, length_m, one.flow_m3_s, net.inlet_pa)
        except Refused:
            continue
        if lost <= limit_pa:  # the same as a capacity of its flow or more
            return pipe
    return None


def enlarged(net: GasNetwork, catalogue: Catalogue) -> dict[str, Pipe | None]:
    """Section -> the size at which what arrives holds, none smaller than it is drawn: only what has to grows."""
    return _by_network(net, catalogue, drawn=True)


def _by_network(net: GasNetwork, catalogue: Catalogue, *, drawn: bool = False) -> dict[str, Pipe | None]:
    """drawn: from the sizes as drawn on, all sections whose size is said in one place together."""
    ladders = {one.id: _usable(net, catalogue, one) for one in net.sections}
    if drawn:
        for one in net.sections:
            sizes = ladders[one.id]
            ladders[one.id] = sizes[sizes.index(one.pipe) :] if one.pipe in sizes else sizes
    if any(not ladder for ladder in ladders.values()):
        return {ident: ladder[-1] if ladder else None for ident, ladder in ladders.items()}
    together = {
        one.id: [other.id for other in net.sections if (other.run, other.item) == (one.run, one.item) and other.feeds]
        if drawn
        else [one.id]
        for one in net.sections
    }
    flows = {one.id: one.flow_m3_s for one in net.sections}

    def arrive(sizes: Mapping[str, Pipe]) -> dict[str, float]:
        def drop(one: GasSection, flow: float, start: float) -> float:
            return _safe_drop(net, catalogue, sizes[one.id], one, flow, start)

        return arriving(net.sections, flows, net.inlet_pa, drop)

    def short(at: Mapping[str, float]) -> list[tuple[str, ...]]:
        return [end.path for end in net.terminals if end.on and at[end.path[-1]] < end.least_pa - 1e-9]

    def saves(one: GasSection, now: Pipe, wider: Pipe, at: Mapping[str, float]) -> float:
        start = max(at[one.above] if one.above else net.inlet_pa, 1.0)
        lost = _safe_drop(net, catalogue, now, one, one.flow_m3_s, start)
        return lost - _safe_drop(net, catalogue, wider, one, one.flow_m3_s, start)

    found = enlarge(net.sections, ladders, together, arrive, short, saves)
    return dict(found) if found is not None else dict.fromkeys(ladders)


def _usable(net: GasNetwork, catalogue: Catalogue, one: GasSection) -> list[Pipe]:
    """The sizes of a section's own pipe that have figures, smallest first; the pipe as it is where nothing runs."""
    if not one.feeds:
        return [one.pipe]
    found = []
    for pipe in _sizes_of(catalogue, one.pipe):
        try:
            drop_pa(catalogue, pipe, net.gas, net.formula, 1.0, 1e-4, net.inlet_pa)
        except Refused:
            continue
        found.append(pipe)
    return found


def resized(
    net: GasNetwork, catalogue: Catalogue, rule: RuleId, sizes: Mapping[str, Pipe | None] | None = None
) -> GasNetwork:
    """The network as it would run with the sizes a rule asks for; where none is large enough the pipe stays. sizes:
    those, where they are known already."""
    sizes = proposed(net, catalogue, rule) if sizes is None else sizes
    sections = []
    for one in net.sections:
        pipe = sizes.get(one.id) or one.pipe
        try:
            bore_mm = 0.0 if pipe.code in BY_RATING else gas_bore_mm(catalogue, pipe)[0]
            extra = added_m(catalogue, pipe, net.formula, one.fittings)
        except Refused:
            bore_mm, extra = one.bore_mm, one.equivalent_m
        sections.append(replace(one, pipe=pipe, bore_mm=bore_mm, equivalent_m=extra))
    return worked(replace(net, sections=tuple(sections), rule=rule), catalogue)


def enlarge_first(net: GasNetwork, catalogue: Catalogue) -> str:
    """The section to enlarge first where an appliance is short: that which saves most drop a metre by its next size; ""
    where none is short."""
    short = [end for end in net.terminals if end.on and end.margin_pa < -1e-6]
    own = {one.id: one for one in net.sections}
    best: tuple[float, str] = (0.0, "")
    for ident in sorted({ident for end in short for ident in end.path}):
        one = own[ident]
        sizes = _usable(net, catalogue, one)
        larger = sizes[sizes.index(one.pipe) + 1 :] if one.pipe in sizes else []
        if larger:
            then = _safe_drop(net, catalogue, larger[0], one, one.flow_m3_s, net.inlet_pa)
            best = max(best, ((one.drop_pa - then) / max(one.length_m, 0.1), ident))
    return best[1]


def size(design: Layout) -> Sized:
    """The gas pipe of a design by its practice; detail: its GasNetworks."""
    found: tuple[GasNetwork, ...] = design.kept("gas networks", lambda: networks(design))
    found = tuple(one for one in found if one.terminals or one.open)
    return Sized(
        SPEC.id,
        tuple(Supply(one.source, one.gas.id, one.inlet_pa) for one in found),
        (),
        tuple(
            Terminal(end.station, SPEC.id, end.wanted_w, "W", end.arriving_pa, end.least_pa, end.path)
            for one in found
            for end in one.terminals
        ),
        tuple(words for one in found for words in one.open),
        found,
    )
