"""Fresh water as it runs: from each supply through meter, softener and heater to the outlets, what flows at once in
every section, what it loses, and what is left at each outlet."""

from __future__ import annotations

import functools
import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from ...catalogue import Catalogue
from ...errors import Refused
from ...job.model import DeviceItem, Job, Pipe, Station
from ...layout import Layout
from ...matter import Fluid, fluid
from ...network import tree
from ...network.friction import Drop, pipe_drop, valve_drop_pa
from ...network.graph import has_trait
from ...network.losses import Losses
from ...network.section import Local
from ...network.tree import Reach
from ...pipework.geometry import Pipework
from ...quantity import GRAVITY_M_S2, PA_PER_PSI, parse, pressure_said
from ...tables import read_rows
from .. import spec
from .flows import School, Unknown, outlets, peak_flow_of
from .stations import SPEC

COLD_C, HOT_C = 10.0, 60.0
MOST_M_S = {"cold": 2.0, "hot": 1.5, "recirc": 0.9}  # typ; circulated hot copper 0.6 to 0.9
USUAL_SUPPLY_PA = {"british": 3e5, "continental": 3e5, "north-american": 50 * PA_PER_PSI}  # typ
LEAST_PA = {"british": 0.5e5, "continental": 0.5e5, "north-american": 8 * PA_PER_PSI}  # typ: left at an outlet
SHOWER_PA = {"british": 1e5, "continental": 1e5, "north-american": 20 * PA_PER_PSI}  # typ: at a thermostatic shower
SHOWERS = ("shower", "rain-shower")
SCHOOLS: dict[str, School] = {
    "british": "loading-units",
    "continental": "continental",
    "north-american": "fixture-units",
}
ROLES = ("cold", "hot", "recirc")
OWN_TABLE = "water/unit-flows"  # a fact of the job: "1 0.10; 2 0.20; 10 0.40", units and L/s


@dataclass(frozen=True, slots=True)
class WaterSection:
    """Pipe of one size that carries one flow. counted: outlets it feeds by kind; flow_l_s: of those that run at once;
    rise_m: how much higher its end is; lift_pa: what pumps before it add; set_pa: what a reducing valve in it lets by
    at the most; end_pa [Pa gauge] at its end with that flow."""

    id: str
    run: str
    role: str
    item: str | None
    pipe: Pipe
    keys: tuple[str, ...]
    nodes: tuple[str, ...]
    start: str
    end: str
    length_m: float
    above: str
    feeds: tuple[str, ...]
    counted: Mapping[str, int]
    flow_l_s: float
    medium: Fluid
    bore_mm: float
    roughness_mm: float
    drop: Drop
    locals: tuple[Local, ...]
    drop_pa: float
    rise_m: float
    lift_pa: float = 0.0
    set_pa: float | None = None
    end_pa: float = 0.0
    stays: bool = False
    """Whether it is there and stays as it is."""

    @property
    def flow_kg_s(self) -> float:
        return self.flow_l_s / 1000 * self.medium.density_kg_m3

    @property
    def most_m_s(self) -> float:
        return MOST_M_S[self.role]

    @property
    def fast(self) -> bool:
        """Whether its water runs faster than it may."""
        return self.drop.velocity_m_s > self.most_m_s + 1e-9

    @property
    def litres(self) -> float:
        return math.pi / 4 * self.bore_mm**2 * self.length_m / 1000


@dataclass(frozen=True, slots=True)
class WaterEnd:
    """An outlet at one of its ports. kind: what it counts as, assumed where nobody said it; path: sections from the
    source; alone_pa: with nothing else open [Pa gauge]; wait_s, wasted_l: until hot comes, None for cold."""

    station: str
    port: str
    role: str
    kind: str
    assumed: bool
    wanted_l_s: float
    path: tuple[str, ...]
    least_pa: float
    rise_m: float
    arriving_pa: float = 0.0
    alone_pa: float = 0.0
    wasted_l: float | None = None
    wait_s: float | None = None

    @property
    def margin_pa(self) -> float:
        return self.arriving_pa - self.least_pa


@dataclass(frozen=True, slots=True)
class WaterNetwork:
    """The water of one supply. inlet_pa [Pa gauge]: what stands there with the flow; sections each after the one that
    feeds it."""

    source: str
    school: str
    inlet_pa: float
    sections: tuple[WaterSection, ...]
    ends: tuple[WaterEnd, ...]
    open: tuple[str, ...]

    @property
    def fits(self) -> bool:
        """Whether every outlet has its pressure and no section is too fast, as drawn."""
        return not any(one.fast for one in self.sections) and all(one.margin_pa >= -1e-6 for one in self.ends)

    @property
    def worst(self) -> WaterEnd | None:
        """The outlet with the least to spare."""
        return min(self.ends, key=lambda end: (end.margin_pa, end.port), default=None)

    def section(self, ident: str) -> WaterSection:
        return next(one for one in self.sections if one.id == ident)


@functools.cache
def _through_kv() -> Mapping[tuple[str, str], float]:
    return {(row["kind"], row["variant"]): float(row["kv"]) for row in read_rows(__package__, "through.csv")}


def body_kv(station: Station) -> float | None:
    """The Kv of what the water runs through in a station [m3/h]: its label's, else a typical one; None where it costs
    nothing."""
    if station.data.kv and station.kind != "boiler":  # a boiler's Kv is that of its heating side
        return station.data.kv
    table = _through_kv()
    return table.get((station.kind, spec.kind(station.kind).variant(station.variant).id)) or table.get(
        (station.kind, "")
    )


# --- the pipe ---------------------------------------------------------------------------------------------------------


def _role(job: Job, work: Pipework, straight: str) -> str:
    """The role of a straight of fresh water; "" for others. Hot pipe that ends where circulation comes home is that."""
    run = job.run(work.straights[straight].run)
    if run is None or run.service != SPEC.id or run.state == "remove":
        return ""
    home = work.ports.get(run.finish)
    return "recirc" if home is not None and home.port.role == "recirc" else run.role


def _outward(design: Layout, node: str) -> list[str]:
    """The ports by which what comes into a station at a port goes on: out of a meter, softener or pump, and out of a
    heater what came in cold."""
    work = design.pipework
    place = work.ports[work.nodes[node].part]
    station = place.station
    if place.port.way == "out" or place.port.role == "recirc" or station.kind in ("outlet", "stub", "vessel"):
        return []
    roles = ("hot",) if place.port.role == "hot" else ("cold", "hot")
    names = [f"{station.id}.{port.name}" for port in station.ports if port.role in roles and port.way != "in"]
    return [name for name in names if name in work.nodes and name != node]


def sources(design: Layout) -> tuple[tuple[str, Station], ...]:
    """Where fresh water comes from, as (port, station): what gives cold or hot and is not itself fed by pipe; a stub
    that a run starts from."""
    work = design.pipework
    fed = {
        one.part
        for key, one in work.nodes.items()
        if one.kind == "port"
        and work.ports[one.part].port.way != "out"
        and work.ports[one.part].port.role in ("cold", "hot")
        and work.arms.get(key)
    }
    found = []
    for key, place in work.ports.items():
        station, port = place.station, place.port
        if port.role not in ("cold", "hot") or station.state == "remove" or not work.arms.get(key):
            continue
        inlets = {f"{station.id}.{other.name}" for other in station.ports if other.way != "out"} - {key}
        gives = port.way == "out" and not inlets & fed and station.kind != "outlet"
        stub = station.kind == "stub" and any(run.start == key and run.service == SPEC.id for run in design.job.runs)
        if gives or stub:
            found.append((key, station))
    return tuple(found)


def bypasses(job: Job, work: Pipework) -> frozenset[str]:
    """The straights of pipe round a softener, which a valve keeps shut: the way from its inlet to its outlet that does
    not lead through it, but for the runs its own ports are on."""
    found: set[str] = set()
    for station in job.stations:
        inlet, outlet = f"{station.id}.in", f"{station.id}.out"
        if station.kind != "softener" or not work.arms.get(inlet) or not work.arms.get(outlet):
            continue
        came: dict[str, tuple[str, str]] = {inlet: ("", "")}
        waiting = [inlet]
        for node in waiting:
            for key in work.arms.get(node, {}).values():
                one = work.straights[key]
                other = one.to_node if one.from_node == node else one.from_node
                if _role(job, work, key) == "cold" and other not in came:
                    came[other] = (node, key)
                    waiting.append(other)
        own = {work.straights[key].run for port in (inlet, outlet) for key in work.arms[port].values()}
        node = outlet if outlet in came else ""
        while node and came[node][1]:
            node, key = came[node]
            if work.straights[key].run not in own:
                found.add(key)
    return frozenset(found)


def _walked(design: Layout, source: str, shut: frozenset[str]) -> tree.Tree:
    def carries(came: str, straight: str) -> bool:
        role = _role(design.job, design.pipework, straight) if straight not in shut else ""
        from_home = bool(came) and _role(design.job, design.pipework, came) == "recirc"
        return bool(role) and not (from_home and role != "recirc")

    def handed_on(node: str) -> list[tuple[str, str]]:
        work = design.pipework
        return [(port, key) for port in _outward(design, node) for key in work.arms.get(port, {}).values()]

    return tree.walk(design.job, design.fitted, source, carries, handed_on)


def networks(design: Layout) -> tuple[WaterNetwork, ...]:
    """The fresh water of a design, one network a source, in the order of its stations. Remembered by all that water
    runs in: its runs, what was made of them, its stations."""
    job, fitted = design.job, design.fitted
    runs = [run for run in job.runs if run.service == SPEC.id and run.id in fitted.of_run]
    if not any(run.state != "remove" for run in runs):
        return ()
    work = design.pipework
    inputs: list[Any] = [design.context.catalogue, job.house.levels, job.facts, *runs]
    inputs += [part for run in runs for part in (work.by_run[run.id], fitted.of_run[run.id])]
    inputs += [one for one in job.stations if any(port.role in ROLES for port in one.ports)]
    found: tuple[WaterNetwork, ...] = design.context.memory.keep(
        "water networks", tuple(inputs), job.practice, lambda: _networks(design), most=4
    )
    return found


def _networks(design: Layout) -> tuple[WaterNetwork, ...]:
    shut = bypasses(design.job, design.pipework)
    found = [_network(design, key, station, shut) for key, station in sources(design)]
    return tuple(one for one in found if one is not None)


def kind_of(station: Station) -> tuple[str, bool]:
    """What an outlet counts as, and whether that is assumed: a tap nobody calls by its use counts as a sink."""
    variant = spec.kind(station.kind).variant(station.variant).id
    return (variant, False) if variant in outlets() else ("sink", True)


def _network(design: Layout, source: str, station: Station, shut: frozenset[str]) -> WaterNetwork | None:
    walked, practice, work = _walked(design, source, shut), design.job.practice, design.pipework
    words: list[str] = []
    if walked.rings:
        words.append(f"the pipe of {source} closes a ring: counted as if it were cut there")
    by_id = {one.id: one for one in walked.reaches}
    z_source = work.nodes[source].at.z
    school, table = _school(design, words)
    ends = []
    for port, last in walked.ends.items():
        place = work.ports[port]
        if place.station.kind != "outlet" or place.port.role == "recirc":
            continue
        kind, assumed = kind_of(place.station)
        alone_l_s = outlets()[kind].continental_l_s if school == "continental" else outlets()[kind].design_l_s
        said = place.station.data.flow_kg_s
        if assumed:
            words.append(f"what {place.station.id} is has not been said: it counts as a {outlets()[kind].title}")
        least = place.station.data.least_pa or (SHOWER_PA if kind in SHOWERS else LEAST_PA)[practice]
        ends.append(
            WaterEnd(
                place.station.id,
                port,
                _role(design.job, work, by_id[last].keys[-1]),
                kind,
                assumed,
                said or alone_l_s,
                _path(by_id, last),
                least,
                (work.nodes[port].at.z - z_source) / 1000,
            )
        )
    if not ends:
        return None
    inlet_pa = station.data.supply_pa or station.data.outlet_pa if station.kind != "meter" else None
    if inlet_pa is None:
        inlet_pa = USUAL_SUPPLY_PA[practice] if station.kind != "tank" else 0.0
        words.append(
            f"the pressure at {source} is not said: the usual {_said(inlet_pa, practice)}"
            if inlet_pa
            else f"{source} is fed from a cistern: its water level is taken at the outlet"
        )
    fed: dict[str, list[WaterEnd]] = {one.id: [] for one in walked.reaches}
    for end in ends:
        for ident in end.path:
            fed[ident].append(end)
    flows = {ident: _flow_l_s(ident, own, school, table, words) for ident, own in fed.items()}
    sections = _sections(design, walked, fed, flows)
    made = WaterNetwork(source, school, inlet_pa, sections, tuple(ends), tuple(dict.fromkeys(words)))
    made = worked(made)
    return replace(made, ends=tuple(_waits(design, made, end) for end in made.ends))


def _said(pressure_pa: float, practice: str) -> str:
    return pressure_said(pressure_pa, "psi" if practice == "north-american" else "bar")


def _path(by_id: Mapping[str, Reach], last: str) -> tuple[str, ...]:
    found = []
    while last:
        found.append(last)
        last = by_id[last].above
    return tuple(reversed(found))


def _school(design: Layout, words: list[str]) -> tuple[str, Mapping[float, float] | None]:
    """The school of a job, and its own table of units to flow [L/s] where the job has one."""
    fact = next((one for one in design.job.facts if one.path == OWN_TABLE), None)
    if fact is not None:
        try:
            return "own table", own_table(str(fact.value))
        except Refused as refused:
            words.append(f"the table of units is not read, {refused.expected} is wanted: the practice's own is taken")
    return SCHOOLS[design.job.practice], None


def own_table(text: str) -> dict[float, float]:
    """ "1 0.10; 2 0.20; 10 0.40" -> {units: flow [L/s]}, rising. Raises Refused."""
    example = "1 0.10; 2 0.20; 10 0.40"
    found: dict[float, float] = {}
    for pair in text.split(";"):
        words = pair.split()
        try:
            units, flow = (float(word) for word in words)
        except ValueError:
            raise Refused("units", pair.strip(), "units and their flow in L/s, pair by pair", example) from None
        if not 0 < units <= 100_000 or not 0 < flow <= 500:
            raise Refused("units", pair.strip(), "units and a flow above 0", example)
        found[units] = flow
    rising = sorted(found.items())
    if len(rising) < 2 or any(b[1] < a[1] for a, b in zip(rising, rising[1:], strict=False)):
        raise Refused("units", text, "two pairs or more, the flow rising with the units", example)
    return dict(rising)


def _flow_l_s(
    ident: str, ends: list[WaterEnd], school: str, table: Mapping[float, float] | None, words: list[str]
) -> float:
    """What runs at once in a section [L/s]: an outlet counts once, whichever of its ports the section feeds, and no
    outlet gets less than it takes alone."""
    if not ends:
        return 0.0
    kinds = {end.station: end.kind for end in ends}
    largest = max(end.wanted_l_s for end in ends)
    counted: dict[str, int] = {}
    for kind in kinds.values():
        counted[kind] = counted.get(kind, 0) + 1
    try:
        found = peak_flow_of(counted, school, table).flow_l_s
    except Unknown as past:
        words.append(f"{ident}: {past.units:g} units, and the table ends at {past.most:g}: its last flow is taken")
        found = past.flow_l_s
    return max(found, largest)


def _sections(
    design: Layout, walked: tree.Tree, fed: Mapping[str, list[WaterEnd]], flows_l_s: Mapping[str, float]
) -> tuple[WaterSection, ...]:
    catalogue, work = design.context.catalogue, design.pipework
    cold, hot = fluid(COLD_C), fluid(HOT_C)
    settings = {i.id: i.setting or "" for run in design.job.runs for i in run.items if isinstance(i, DeviceItem)}
    medium_of = {one.id: cold if _role(design.job, work, one.keys[0]) == "cold" else hot for one in walked.reaches}
    along = {
        key: flows_l_s[one.id] / 1000 * medium_of[one.id].density_kg_m3 for one in walked.reaches for key in one.keys
    }
    ends_at = {one.id: one.end for one in walked.reaches}  # a station's own height counts in the section after it
    losses = {medium.temp_c: Losses(design.fitted, catalogue, medium, settings) for medium in (cold, hot)}
    found = []
    for one in walked.reaches:
        medium = medium_of[one.id]
        row = catalogue.pipe(one.pipe.code, one.pipe.size)
        bore_mm = row.bore_mm if row and row.bore_mm else 0.0
        rough_mm = catalogue.roughness_mm(one.pipe.code)
        flow_kg_s = along[one.keys[0]]
        drop = pipe_drop(flow_kg_s, bore_mm, rough_mm, medium) if bore_mm else Drop(0.0, 0.0, 0.0, 0.0, 0.0)
        group = [work.straights[key] for key in one.keys]
        if group[0].from_node != one.start:
            group.reverse()
        places = losses[medium.temp_c].of(group, along, drop)
        body, lift = _bodies(design, one, flow_kg_s, medium)
        places = (*body, *places)
        own = fed[one.id]
        counted: dict[str, int] = {}
        for _, kind in sorted({(end.station, end.kind) for end in own}):
            counted[kind] = counted.get(kind, 0) + 1
        found.append(
            WaterSection(
                one.id,
                one.run,
                _role(design.job, work, one.keys[0]),
                one.item,
                one.pipe,
                one.keys,
                one.nodes,
                tree.named(work, one.start),
                tree.named(work, one.end),
                one.length_m,
                one.above,
                tuple(dict.fromkeys(end.station for end in own)),
                counted,
                flows_l_s[one.id],
                medium,
                bore_mm,
                rough_mm,
                drop,
                places,
                drop.gradient_pa_m * one.length_m + sum(local.drop_pa for local in places),
                (work.nodes[one.end].at.z - work.nodes[ends_at.get(one.above, one.start)].at.z) / 1000,
                lift,
                _reduced_pa(design, one, settings),
                stays=work.runs[one.run].run.state == "keep",
            )
        )
    return tuple(found)


def _bodies(design: Layout, one: Reach, flow_kg_s: float, medium: Fluid) -> tuple[tuple[Local, ...], float]:
    """What the stations at the start of a section and the pumps in it cost (Kv) and add [Pa]."""
    work, found, lift = design.pipework, [], 0.0
    if work.nodes[one.start].kind == "port":
        station = work.ports[work.nodes[one.start].part].station
        kv = body_kv(station)
        if kv and (one.above or station.kind == "meter"):
            title = f"{station.id}, {spec.kind(station.kind).title(design.job.practice)}"
            found.append(Local(one.start, title, None, kv, valve_drop_pa(flow_kg_s, kv, medium)))
        if has_trait(station, "moves") and one.above and station.data.pump_curve:
            lift += head_pa(station.data.pump_curve, flow_kg_s)
    return tuple(found), lift


def head_pa(curve: Any, flow_kg_s: float) -> float:
    """The head of a pump at a flow [Pa], between the points of its curve; 0 past its last."""
    points = sorted((float(flow), float(head)) for flow, head in curve)
    if flow_kg_s <= points[0][0]:
        return points[0][1]
    for (f0, h0), (f1, h1) in zip(points, points[1:], strict=False):
        if flow_kg_s <= f1:
            return h0 + (h1 - h0) * (flow_kg_s - f0) / (f1 - f0)
    return 0.0


def _reduced_pa(design: Layout, one: Reach, settings: Mapping[str, str]) -> float | None:
    """The setting of the lowest reducing valve within a section [Pa gauge]; a usual one where none is said."""
    found = [
        reduced_to_pa(settings.get(node.item, ""), design.job.practice)
        for key in one.nodes[1:]
        if (node := design.pipework.nodes[key]).kind == "device" and node.part == "reducing"
    ]
    return min(found, default=None)


def reduced_to_pa(setting: str, practice: str) -> float:
    """What a reducing valve is set to [Pa gauge], as typed, in bar (psi in North America) where no unit is; the usual
    3 bar or 60 psi where nothing is (typ)."""
    american = practice == "north-american"
    try:
        return parse(setting, "pressure", "psi" if american else "bar")
    except Refused:
        return 60 * PA_PER_PSI if american else 3e5


# --- pressures --------------------------------------------------------------------------------------------------------


def pressures(
    net: WaterNetwork, drops: Mapping[str, float], lifts: Mapping[str, float] | None = None
) -> dict[str, float]:
    """Pressure at the end of each section [Pa gauge], by what each loses [Pa]. lifts: what its pumps add, where not as
    worked out. A reducing valve counts where its section begins: what the section loses comes after it."""
    found: dict[str, float] = {}
    for one in net.sections:
        start = found[one.above] if one.above else net.inlet_pa
        start += one.lift_pa if lifts is None else lifts.get(one.id, 0.0)
        if one.set_pa is not None:
            start = min(start, one.set_pa)
        found[one.id] = start - drops[one.id] - static_pa(one.rise_m)
    return found


def static_pa(rise_m: float) -> float:
    """What water loses by rising so far [Pa], by the density of cold water."""
    return _cold().density_kg_m3 * GRAVITY_M_S2 * rise_m


@functools.cache
def _cold() -> Fluid:
    return fluid(COLD_C)


def loss_pa(one: WaterSection, flow_l_s: float, pipe: Pipe | None = None, catalogue: Catalogue | None = None) -> float:
    """What a section loses at another flow [Pa], and in another size of pipe: its fittings keep their K, its valves
    their Kv."""
    bore_mm, rough_mm = one.bore_mm, one.roughness_mm
    if pipe is not None and catalogue is not None and pipe != one.pipe:
        row = catalogue.pipe(pipe.code, pipe.size)
        bore_mm = row.bore_mm if row and row.bore_mm else 0.0
        rough_mm = catalogue.roughness_mm(pipe.code)
    if flow_l_s <= 0 or not bore_mm:
        return 0.0
    flow_kg_s = flow_l_s / 1000 * one.medium.density_kg_m3
    drop = pipe_drop(flow_kg_s, bore_mm, rough_mm, one.medium)
    local = sum(
        place.k * drop.dynamic_pa
        if place.k is not None
        else valve_drop_pa(flow_kg_s, place.kv, one.medium) + place.steady_pa
        if place.kv
        else 0.0
        for place in one.locals
    )
    return drop.gradient_pa_m * one.length_m + local


def worked(net: WaterNetwork) -> WaterNetwork:
    """The pressures of a network at the flows at once, and of each outlet alone."""
    at = pressures(net, {one.id: one.drop_pa for one in net.sections})
    own = {one.id: one for one in net.sections}
    ends = []
    for end in net.ends:
        alone = {one.id: loss_pa(one, end.wanted_l_s) if one.id in end.path else 0.0 for one in net.sections}
        alone_at = pressures(net, alone)
        ends.append(replace(end, arriving_pa=at[end.path[-1]], alone_pa=alone_at[end.path[-1]]))
    return replace(
        net, sections=tuple(replace(own[one.id], end_pa=at[one.id]) for one in net.sections), ends=tuple(ends)
    )


def _waits(design: Layout, net: WaterNetwork, end: WaterEnd) -> WaterEnd:
    """The end with how long hot takes to come there: the pipe from the heater, or from where hot circulates."""
    if end.role != "hot":
        return end
    warm = circulated(net)
    litres = sum(one.litres for one in net.sections if one.id in end.path and one.role == "hot" and one.id not in warm)
    return replace(end, wasted_l=litres, wait_s=litres / end.wanted_l_s)


def circulated(net: WaterNetwork) -> frozenset[str]:
    """The hot sections through which a circulation keeps water moving: those on the way to where its pipe leaves."""
    own = {one.id: one for one in net.sections}
    found: set[str] = set()
    for one in net.sections:
        if one.role == "recirc":
            above = one.above
            while above and own[above].role != "cold":
                if own[above].role == "hot":
                    found.add(above)
                above = own[above].above
    return frozenset(found)
