"""A circuit as it runs: flows at given settings, temperatures with them, what every emitter gives; and how it is
balanced.

The network is that of the sized circuit: its sections are branches, emitters and boiler lie between their ports. Losses
at tees keep the coefficients of the design flows; water has the properties of the circuit's mean temperature
throughout.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from ...catalogue import Catalogue
from ...errors import Refused
from ...job.model import DeviceItem, Job, Station
from ...joints.fitted import Fitted
from ...network.file import SolvedNetwork
from ...network.graph import has_trait, hub_port
from ...network.section import PipeSection
from ...network.sides import BAR_KV, BYPASS, side
from ...network.solver import Branch, PumpCurve, Solved, solve
from ...pipe_loss import pipe_loss_w_m_k
from ...pipework.geometry import Node
from ...quantity import leading_number
from .carry_heat import carry_heat
from .demand import has_coil
from .emitter import RATED_AT_K, RATED_LOG_K, emitter_return_c, mean_difference_k
from .pumps import PumpDuty
from .sized import Heating, Load
from .sizing import BOILER_KV, heating_of
from .stations import SPEC
from .valves import circulators, kv_of_turns, turns_of_kv

if TYPE_CHECKING:
    from ...layout import Layout

NOISE_PA = 20_000.0  # typ: a thermostatic valve whistles above this
AIR_C = 20.0
COLD_PLACES = ("loft", "floor", "ground", "outside")
COLD_C = 12.0
OPEN_TURNS = 4.0
REST_KG_S = 1e-7
STORE_C, FILLED_C = 60.0, 10.0  # typ: what a cylinder is kept at, and filled with
LEAST_COIL_K = 2.0  # a coil sized for a return colder than that stands this far below the return
BYPASS_KPA = 15.0  # typ, where a bypass has no setting


@dataclass(frozen=True, slots=True)
class Setting:
    """How one emitter is set. turns: its lockshield, open; trv: share its thermostatic valve is open, 0 shut to 1."""

    turns: float = OPEN_TURNS
    trv: float = 1.0
    kv: float | None = None
    """Kv of a balancing valve put into a branch that has no lockshield, such as a cylinder's."""


@dataclass(frozen=True, slots=True)
class Settings:
    """How a circuit is run. emitters: station id -> setting, open where not named; pump: None for constant pressure at
    the design head; flow_c: None for the circuit's."""

    emitters: Mapping[str, Setting] = field(default_factory=dict)
    pump: PumpCurve | None = None
    flow_c: float | None = None


@dataclass(frozen=True, slots=True)
class Running:
    """An emitter as it runs. share: of its wanted flow; trv_pa: pressure over its thermostatic valve."""

    station: str
    flow_kg_s: float
    wanted_kg_s: float
    flow_c: float
    return_c: float
    output_w: float
    wanted_w: float
    kv: float
    turns: float
    trv: float
    trv_pa: float
    arrival_s: float
    return_arrival_s: float

    @property
    def share(self) -> float:
        return self.flow_kg_s / self.wanted_kg_s if self.wanted_kg_s else 0.0


@dataclass(frozen=True, slots=True)
class Simulation:
    """The circuit in operation. sections: section id -> flow with its pacing; boiler_w given, pipe_w lost on the way;
    energy_gap: their share that does not close."""

    emitters: tuple[Running, ...]
    sections: dict[str, float]
    section_c: dict[str, tuple[float, float]]
    flow_kg_s: float
    head_pa: float
    flow_c: float
    return_c: float
    boiler_w: float
    pipe_w: float
    energy_gap: float
    residual_pa: float
    residual_kg_s: float
    steps: int
    converged: bool
    pump: PumpCurve

    def emitter(self, station: str) -> Running:
        return next(one for one in self.emitters if one.station == station)


@dataclass(frozen=True, slots=True)
class Balance:
    """How one emitter is set: the Kv its lockshield must have, turns open; possible: the valve can be set so. valve:
    "lockshield"; "manifold", set there to its flow; "self", it regulates itself; "" none, a balancing valve of that Kv
    must be put in where there is a surplus."""

    station: str
    surplus_pa: float
    kv: float
    turns: float
    possible: bool
    index: bool
    valve: str = "lockshield"

    @property
    def lockshield(self) -> bool:
        return self.valve == "lockshield"

    @property
    def setting(self) -> Setting:
        """As the simulation takes it."""
        return Setting(turns=self.turns) if self.lockshield else Setting(kv=self.kv if self.surplus_pa > 1.0 else None)


def balance(heating: Heating) -> tuple[Balance, ...]:
    """Lockshield settings that give every emitter its wanted flow when the pump gives the design head.

    kv = V / sqrt(dp): the surplus over the index circuit is taken by the valve, beside what it takes open. Turns by its
    curve (typ).
    """
    found = []
    for load in heating.loads:
        shield = any(one.acts == "lockshield" for one in load.locals)
        own = sum(one.drop_pa for one in load.locals if one.acts == "lockshield")
        surplus = load.surplus_pa
        volume = load.flow_kg_s / heating.medium.density_kg_m3 * 3600
        need = surplus + own
        open_kv = kv_of_turns(OPEN_TURNS)
        kv = volume * math.sqrt(heating.medium.density_kg_m3 / 1000) / math.sqrt(need / 1e5) if need > 0 else open_kv
        turns = turns_of_kv(kv) if shield else OPEN_TURNS
        valve = "lockshield" if shield else "self" if load.regulates else "manifold" if load.manifold else ""
        found.append(
            Balance(
                load.station,
                surplus,
                kv,
                0.25 if turns is None else turns,
                turns is not None,
                load.station == heating.index,
                valve,
            )
        )
    return tuple(found)


def design_pump(heating: Heating, duty: PumpDuty | None = None) -> PumpCurve:
    """A pump as designed: its own curve, by the label; else constant pressure at its duty, by the smallest generic
    circulator that can, or the largest at full speed. duty: None for that of the whole circuit."""
    if duty is None and len(heating.pumps) == 1:
        duty = heating.pumps[0]
    if duty is not None and duty.curve is not None:
        return duty.curve
    flow, head = (duty.flow_kg_s, duty.head_pa) if duty else (heating.flow_kg_s, heating.pump_head_pa)
    for circulator in circulators():
        if circulator.curve(heating.medium).head_pa(flow)[0] >= head:
            return circulator.curve(heating.medium, "constant", set_pa=head)
    return circulators()[-1].curve(heating.medium)


def network_of(
    job: Job, heating: Heating, fitted: Fitted, catalogue: Catalogue, settings: Settings
) -> tuple[list[Branch], str, str]:
    """(branches, the boiler's return node, its flow node). Raises Refused for settings of what is not there."""
    _check_settings(heating, settings)
    source = heating.circuit.source
    several = {duty.key: duty for duty in heating.pumps} if len(heating.pumps) > 1 else {}
    made = (_section_branch(one, job, heating, fitted, catalogue, several) for one in heating.sections)
    branches = [branch for branch in made if branch is not None]
    for load in heating.loads:
        setting = settings.emitters.get(load.station, Setting())
        branches.append(_emitter_branch(load, heating, fitted, catalogue, setting))
    branches += _bars(heating, fitted)
    branches += _pump_stations(heating, fitted, several)
    back, out = (_hub(heating, fitted, role) for role in ("return", "flow"))
    within = source.id in several or not several
    main = settings.pump or (design_pump(heating, several.get(source.id)) if within else None)
    kv = None if has_trait(source, "bars") or heating.residual_pa is not None else source.data.kv or BOILER_KV
    branches.append(Branch(source.id, back, out, kvs=(kv,) if kv else (), pump=main))
    return branches, back, out


def _check_settings(heating: Heating, settings: Settings) -> None:
    """Raises Refused for settings of what is not there, or out of range."""
    known = sorted(load.station for load in heating.loads)
    for name, setting in settings.emitters.items():
        if name not in known:
            expected = f"an emitter of the circuit: {', '.join(known) or 'none'}"
            raise Refused("emitters", name, expected, known[0] if known else "R1")
        if not 0 <= setting.trv <= 1:
            raise Refused("trv", setting.trv, "a share from 0 (shut) to 1 (open)", "1")
        kv_of_turns(setting.turns)


def _section_branch(
    section: PipeSection,
    job: Job,
    heating: Heating,
    fitted: Fitted,
    catalogue: Catalogue,
    several: Mapping[str, PumpDuty],
) -> Branch | None:
    """A section as a branch: its pipe and local losses, with what is in it; None for one without a bore."""
    work = fitted.pipework
    row = catalogue.pipe(section.pipe.code, section.pipe.size)
    if row is None or row.bore_mm is None:
        return None
    first, last = work.straights[section.keys[0]], work.straights[section.keys[-1]]
    way = (first.from_node, last.to_node) if section.along else (last.to_node, first.from_node)
    inside = [work.nodes[key] for key in _nodes(section, fitted) if work.nodes[key].kind == "device"]
    pump = next((several[node.key] for node in inside if node.key in several), None)
    bypass = next((node for node in inside if node.part == BYPASS), None)
    if bypass is not None:
        out_first = _out_first(heating, fitted, section)
        way = (first.from_node, last.to_node) if out_first else (last.to_node, first.from_node)
        if bypass.arrow == ("against" if out_first else "with"):  # turned round it never opens
            way = way[1], way[0]
    return Branch(
        section.id,
        *way,
        section.length_m,
        row.bore_mm,
        catalogue.roughness_mm(section.pipe.code),
        sum(one.k for one in section.locals if one.k is not None),
        tuple(one.kv for one in section.locals if one.kv),
        design_pump(heating, pump) if pump else None,
        one_way=any(node.part == "check" for node in inside) or bypass is not None,
        opens_pa=_opens_pa(bypass, job) if bypass is not None else None,
    )


def _pump_stations(heating: Heating, fitted: Fitted, several: Mapping[str, PumpDuty]) -> Iterable[Branch]:
    """The pumps that stand as stations, from the port water goes in at to the other."""
    nodes = fitted.pipework.nodes
    for station in heating.circuit.stations:
        ports = [port for port in station.ports if f"{station.id}.{port.name}" in nodes]
        if not has_trait(station, "moves") or len(ports) != 2:
            continue
        names = [f"{station.id}.{port.name}" for port in ports]
        port_in = next((f"{station.id}.{port.name}" for port in station.ports if port.way == "in"), names[0])
        port_out = next(name for name in names if name != port_in)
        duty = several.get(station.id)
        pump = design_pump(heating, duty) if duty else None
        yield Branch(f"{station.id}:pump", port_in, port_out, kvs=(BAR_KV,), pump=pump)


def _nodes(section: PipeSection, fitted: Fitted) -> list[str]:
    """Nodes within a section and at its ends."""
    straights = [fitted.pipework.straights[key] for key in section.keys]
    return [straights[0].from_node, *(straight.to_node for straight in straights)]


def _out_first(heating: Heating, fitted: Fitted, section: PipeSection) -> bool:
    """Whether a section with a bypass in it was paced from the flow's side to the return's."""
    work = fitted.pipework
    one = side(heating.circuit, work, "flow", ())
    return work.straights[section.keys[0]].from_node in {*one.nearer, *one.roots}


def _opens_pa(node: Node, job: Job) -> float:
    """What a bypass is set to [Pa]: the number said, in kPa; 15 kPa where none was."""
    said = next(
        (
            item.setting or ""
            for run in job.runs
            for item in run.items
            if isinstance(item, DeviceItem) and item.id == node.item
        ),
        "",
    )
    return 1000 * (leading_number(said) or BYPASS_KPA)


def _hub(heating: Heating, fitted: Fitted, role: str) -> str:
    """The node where the source gives (flow) or takes (return): its port, or the bar of a mixing set."""
    source = heating.circuit.source
    return f"{source.id}:{role}" if has_trait(source, "bars") else _port(heating, fitted, source.id, role)


def _bars(heating: Heating, fitted: Fitted) -> list[Branch]:
    """The bars of manifolds: from the port that feeds one (or the set behind it) to each of its others, at next to no
    loss."""
    work = fitted.pipework
    found = []
    for station in heating.circuit.stations:
        if not has_trait(station, "bars"):
            continue
        for role in ("flow", "return"):
            names = [
                name
                for port in station.ports
                if port.role == role and (name := f"{station.id}.{port.name}") in heating.circuit.nodes
            ]
            hub: str | None = next((name for name in names if hub_port(work, name)), None)
            if station.id == heating.circuit.source.id:
                hub = f"{station.id}:{role}"
            for name in names:
                if hub and name != hub and len(names) > (0 if hub not in names else 1):
                    found.append(
                        Branch(f"{name}:bar", *((hub, name) if role == "flow" else (name, hub)), kvs=(BAR_KV,))
                    )
    return found


def _port(heating: Heating, fitted: Fitted, station: str, role: str) -> str:
    """The node of a station's port of a role in the circuit."""
    found = fitted.pipework.memory.keep(
        "ports of emitters", (heating, fitted), None, lambda: _ports(heating, fitted), most=4
    )
    return found[station, role]


def _ports(heating: Heating, fitted: Fitted) -> dict[tuple[str, str], str]:
    work = fitted.pipework
    found: dict[tuple[str, str], str] = {}
    for key in sorted(heating.circuit.nodes):
        if work.nodes[key].kind == "port":
            place = work.ports[work.nodes[key].part]
            found.setdefault((place.station.id, place.port.role), key)
    return found


def _emitter_branch(load: Load, heating: Heating, fitted: Fitted, catalogue: Catalogue, setting: Setting) -> Branch:
    """An emitter between its ports: radiator by K on its pipe, thermostatic valve and lockshield by Kv."""
    a, b = (_port(heating, fitted, load.station, role) for role in ("flow", "return"))
    pipe = next(iter(fitted.fittings[a].pipes.values()), None) if a in fitted.fittings else None
    row = catalogue.pipe(pipe.code, pipe.size) if pipe else None
    kvs, k, closed = [], 0.0, setting.trv <= 0
    for one in load.locals:
        if one.acts == "lockshield":
            kv = kv_of_turns(setting.turns)
            closed = closed or kv <= 0
            kvs.append(kv)
        elif one.acts == "thermostatic":
            kvs.append((one.kv or 0.5) * max(setting.trv, 1e-9))
        elif one.kv:
            kvs.append(one.kv * (max(setting.trv, 1e-9) if load.regulates else 1.0))
        elif one.k:
            k += one.k
    if setting.kv is not None:
        if setting.kv <= 0:
            raise Refused("kv", setting.kv, "a Kv above 0", "0.8")
        kvs.append(setting.kv)
    return Branch(
        load.station,
        a,
        b,
        load.loop_m,
        roughness_mm=catalogue.roughness_mm(pipe.code) if pipe else 0.0,
        bore_mm=row.bore_mm if row and row.bore_mm else 13.6,
        k=k,
        kvs=tuple(kv for kv in kvs if kv > 0),
        closed=closed,
    )


def simulate(
    job: Job, fitted: Fitted, catalogue: Catalogue, heating: Heating, settings: Settings | None = None
) -> Simulation:
    """Run the circuit at these settings. Raises Refused for settings out of range or a circuit without emitters."""
    settings = settings or Settings()
    if not heating.loads:
        raise Refused("circuit", heating.circuit.source.id, "a circuit with at least one emitter joined both ways", "")
    flow_c = heating.circuit.terms.flow_c if settings.flow_c is None else settings.flow_c
    if not 20 <= flow_c <= 110:
        raise Refused("flow_c", flow_c, "20 to 110 C", "75")
    branches, back, out = network_of(job, heating, fitted, catalogue, settings)
    solved = solve(branches, heating.medium, back, start=_first_guess(heating))
    return _heat(job, fitted, catalogue, heating, settings, branches, solved, back, out, flow_c)


def _first_guess(heating: Heating) -> dict[str, float]:
    found = {section.id: section.flow_kg_s for section in heating.sections}
    found |= {load.station: load.flow_kg_s for load in heating.loads}
    return {key: flow or 1e-3 for key, flow in found.items()} | {heating.circuit.source.id: heating.flow_kg_s or 0.1}


def _heat(
    job: Job,
    fitted: Fitted,
    catalogue: Catalogue,
    heating: Heating,
    settings: Settings,
    branches: list[Branch],
    solved: Solved,
    back: str,
    out: str,
    flow_c: float,
) -> Simulation:
    """Temperatures along the flows: mixing at nodes, loss on the way, output of each emitter at its own flow."""
    cp = heating.medium.heat_j_kg_k
    loss = _losses(fitted, catalogue, heating, flow_c)
    loads = {load.station: load for load in heating.loads}
    stations = {station.id: station for station in heating.circuit.stations}
    source = heating.circuit.source.id
    volumes = _volumes(fitted, catalogue, heating)
    lost: dict[str, float] = {}

    def change(key: str, t_in: float, flow: float) -> tuple[float, float]:
        takes_s = volumes.get(key, 0.0) / (flow / heating.medium.density_kg_m3 * 1000)
        load = loads.get(key)
        if load is not None:
            return _load_return_c(load, stations[load.station], t_in, flow * cp), takes_s
        rate, air = loss.get(key, (0.0, AIR_C))
        t_out = air + (t_in - air) * math.exp(-rate / (flow * cp))
        lost[key] = flow * cp * (t_in - t_out)
        return t_out, takes_s

    ways = []
    for branch in branches:
        flow = solved.flow_kg_s[branch.key]
        if branch.key != source and abs(flow) >= REST_KG_S:
            ways.append((branch.key, *((branch.a, branch.b) if flow > 0 else (branch.b, branch.a)), abs(flow)))
    ends, temps = carry_heat(ways, out, flow_c, change)
    ends.setdefault(back, (flow_c, 0.0))
    back_c, lost_w = ends[back][0], sum(lost.values())
    tails = {key: tail for key, tail, _, _ in ways}
    total_kg = abs(solved.flow_kg_s[source])
    running = []
    for load in heating.loads:
        setting = settings.emitters.get(load.station, Setting())
        flow = abs(solved.flow_kg_s[load.station])
        t_in, t_out = temps.get(load.station, (load.room_c, load.room_c))
        fed = load.station in tails
        arrives = ends[tails[load.station]][1] if fed else math.inf
        leaves = arrives + (change(load.station, t_in, flow)[1] if fed else 0.0)
        running.append(
            Running(
                load.station,
                flow if setting.trv > 0 else 0.0,
                load.flow_kg_s,
                t_in,
                t_out,
                flow * cp * (t_in - t_out) if flow > REST_KG_S else 0.0,
                load.output_w,
                kv_of_turns(setting.turns),
                setting.turns,
                setting.trv,
                _over_trv_pa(load, setting, heating, fitted, solved),
                arrives,
                leaves,
            )
        )
    boiler_w = total_kg * cp * (flow_c - back_c)
    given = sum(one.output_w for one in running) + lost_w
    pump, through = _main_pump(branches, solved, source)
    by_id = {branch.key for branch in branches}
    return Simulation(
        tuple(running),
        {s.id: solved.flow_kg_s[s.id] * (1 if s.along else -1) for s in heating.sections if s.id in by_id},
        {key: pair for key, pair in temps.items() if key not in loads},
        total_kg,
        pump.head_pa(through)[0],
        flow_c,
        back_c,
        boiler_w,
        lost_w,
        abs(boiler_w - given) / max(abs(boiler_w), 1.0),
        solved.residual_pa,
        solved.residual_kg_s,
        solved.steps,
        solved.converged,
        pump,
    )


def _load_return_c(load: Load, station: Station, t_in: float, capacity_w_k: float) -> float:
    """What an emitter, coil or mixing set sends home [C] of the water that comes in at t_in."""
    if load.regulates:
        return min(t_in, max(t_in - load.nominal_w / capacity_w_k, load.return_c))
    if has_coil(station):
        return _coil_return_c(load, station, t_in, capacity_w_k)
    rated_k = (station.data.rated_at_k or RATED_AT_K) * RATED_LOG_K / RATED_AT_K
    return emitter_return_c(t_in, load.room_c, capacity_w_k, load.nominal_w, station.data.exponent or 1.3, rated_k)


def _over_trv_pa(load: Load, setting: Setting, heating: Heating, fitted: Fitted, solved: Solved) -> float:
    """What the thermostatic valve has over it [Pa]: shut, all that is between its ports; 0 without one."""
    kv = next((one.kv for one in load.locals if one.acts == "thermostatic" and one.kv), None)
    if not kv:
        return 0.0
    if setting.trv <= 0:
        flow, back = (solved.pressure_pa[_port(heating, fitted, load.station, role)] for role in ("flow", "return"))
        return abs(flow - back)
    density = heating.medium.density_kg_m3
    volume_m3_h = abs(solved.flow_kg_s[load.station]) / density * 3600
    return 1e5 * (volume_m3_h / (kv * setting.trv)) ** 2 * density / 1000


def _main_pump(branches: Iterable[Branch], solved: Solved, source: str) -> tuple[PumpCurve, float]:
    """The pump at the source, else the one that gives most head, and the flow through it [kg/s]."""
    driven = [
        (branch.pump, solved.flow_kg_s[branch.key], branch.key)
        for branch in branches
        if branch.pump and branch.opens_pa is None
    ]
    most = max(driven, key=lambda one: one[0].head_pa(one[1])[0])
    pump, through, _ = next((one for one in driven if one[2] == source), most)
    return pump, through


def _coil_return_c(load: Load, station: Station, t_in: float, capacity_w_k: float) -> float:
    """Return of a cylinder's coil [C], which gives its rating at the circuit's temperatures and follows the log mean to
    the store.

    The store stands midway between cold water and what it is kept at (typ), as while it warms.
    """
    store_c = min(((station.data.store_c or STORE_C) + FILLED_C) / 2, load.return_c - LEAST_COIL_K)
    if not load.flow_c > load.return_c > store_c:
        return t_in
    rated_k = mean_difference_k(load.flow_c, load.return_c, store_c)[0]
    return emitter_return_c(t_in, store_c, capacity_w_k, load.nominal_w, 1.0, rated_k)


def _losses(fitted: Fitted, catalogue: Catalogue, heating: Heating, flow_c: float) -> dict[str, tuple[float, float]]:
    """Section id -> (W/K it gives off, the air around it [C]), the film at what the water of its role differs from that
    air. flow_c: the temperature the source sends out."""
    terms = heating.circuit.terms
    back_c = flow_c - (terms.flow_c - terms.return_c)
    found = {}
    for section in heating.sections:
        row = catalogue.pipe(section.pipe.code, section.pipe.size)
        if row is None or row.od_mm is None:
            continue
        rate = air = length = 0.0
        for key in section.keys:
            straight = fitted.pipework.straights[key]
            metres = fitted.span_mm[key] / 1000
            air_c = COLD_C if straight.place in COLD_PLACES else AIR_C
            difference_k = abs((flow_c if section.role == "flow" else back_c) - air_c)
            rate += metres * pipe_loss_w_m_k(row.od_mm, straight.lag_mm, difference_k)
            air += metres * air_c
            length += metres
        found[section.id] = (rate, air / length if length else AIR_C)
    return found


def _volumes(fitted: Fitted, catalogue: Catalogue, heating: Heating) -> dict[str, float]:
    """Branch key -> litres in it."""
    found = {}
    for section in heating.sections:
        row = catalogue.pipe(section.pipe.code, section.pipe.size)
        if row and row.bore_mm:
            found[section.id] = math.pi / 4 * (row.bore_mm / 100) ** 2 * section.length_m * 10
    for row_ in heating.volume:
        found[row_.what] = row_.litres
    return found


def running_of(design: Layout) -> dict[str, Simulation]:
    """Heat source id -> its circuit balanced and running as designed; circuits without emitters are left out. Worked
    out once a design."""
    return design.kept("heating.running", lambda: _running(design))


def _running(design: Layout) -> dict[str, Simulation]:
    found = {}
    for heating in heating_of(design):
        if heating.loads:
            settings = Settings({one.station: one.setting for one in balance(heating)})
            found[heating.circuit.source.id] = simulate(
                design.job, design.fitted, design.context.catalogue, heating, settings
            )
    return found


def networks_of(design: Layout) -> tuple[SolvedNetwork, ...]:
    """Every circuit with emitters as a network, balanced and running as designed, with its solution."""
    found = []
    for heating in heating_of(design):
        if not heating.loads:
            continue
        settings = Settings({one.station: one.setting for one in balance(heating)})
        branches, back, _ = network_of(design.job, heating, design.fitted, design.context.catalogue, settings)
        solved = solve(branches, heating.medium, back, start=_first_guess(heating))
        places = {key: design.pipework.nodes[key].at for key in heating.circuit.nodes}
        for station in heating.circuit.stations:
            port = next((place for place in design.pipework.ports.values() if place.station.id == station.id), None)
            if port is not None:
                places |= {
                    f"{station.id}:{role}": port.plane for role in ("flow", "return")
                }  # the bars of a mixing set
        found.append(
            SolvedNetwork(SPEC.id, heating.circuit.source.id, heating.medium, tuple(branches), solved, places, back, {})
        )
    return tuple(found)
