"""Sizes of a closed two-pipe circuit: flows, drops, the index path, the pump's duty, volume and vessel."""

from __future__ import annotations

import math
from collections import defaultdict
from dataclasses import dataclass

from ..catalogue import Catalogue, Limit
from ..errors import Refused
from ..job.model import DeviceItem, Job, Pipe, Station
from ..job.ways import Vec
from ..joints.dress import fitting_angle
from ..joints.fitted import Fitted, Fitting
from ..matter import Fluid, fluid
from ..pipework.trace import Straight
from ..working import Step, Worked
from .circuits import DEFAULT_SAFETY_BAR, LOADS, Closed, closed_circuits, neighbours, safety_valve_bar, vessel_volume_l
from .emitter import RATED_AT_K, RATED_LOG_K, flow_for, output
from .friction import Drop, pipe_drop, valve_drop_pa
from .vessel import Vessel, size_vessel

BOILER_KV = 3.5  # typ, wall-hung heat-only, where the label says nothing
LITRES_PER_KW = 3.5  # typ, panel radiators: 5.9 L and 1720 W a metre of type 22
BOILER_L_PER_KW = 0.2  # typ
SLOW_M_S = 0.15  # below it water carries no air along


@dataclass(frozen=True, slots=True)
class Local:
    """A loss in one place [Pa], by K on the pipe's velocity or by Kv."""

    key: str
    title: str
    k: float | None
    kv: float | None
    drop_pa: float


@dataclass(frozen=True, slots=True)
class Section:
    """Pipe of one size that carries one flow. drop_pa: friction and local losses. over: limits it passes, in words."""

    id: str
    run: str
    role: str
    pipe: Pipe
    item: str | None
    keys: tuple[str, ...]
    length_m: float
    flow_kg_s: float
    drop: Drop
    locals: tuple[Local, ...]
    drop_pa: float
    limit: Limit | None
    over: tuple[str, ...]
    slow: bool
    proposed: Pipe | None
    worked: Worked


@dataclass(frozen=True, slots=True)
class Load:
    """An emitter as the circuit feeds it. path: sections there and back; path_pa: what the pump must give for it."""

    station: str
    name: str
    nominal_w: float
    output_w: float
    room_c: float
    flow_kg_s: float
    worked: Worked
    locals: tuple[Local, ...]
    path: tuple[str, ...]
    path_pa: float


@dataclass(frozen=True, slots=True)
class Tread:
    """One step of the pressure staircase: a section, an emitter or the boiler."""

    key: str
    title: str
    role: str
    keys: tuple[str, ...]
    length_m: float
    drop_pa: float


@dataclass(frozen=True, slots=True)
class VolumeRow:
    what: str
    litres: float
    source: str


@dataclass(frozen=True, slots=True)
class Heating:
    """A circuit worked out. pump_head_pa and flow_kg_s: its duty. vessel: None with the reason in vessel_why."""

    circuit: Closed
    medium: Fluid
    sections: tuple[Section, ...]
    loads: tuple[Load, ...]
    left_out: tuple[str, ...]
    index: str
    treads: tuple[Tread, ...]
    flow_kg_s: float
    pump_head_pa: float
    volume: tuple[VolumeRow, ...]
    volume_l: float
    vessel: Vessel | None
    vessel_why: str
    vessel_here_l: float | None
    safety_bar: float
    safety_assumed: bool
    height_m: float
    at: Vec
    """A port of its source: where findings of the whole circuit stand."""

    def section(self, ident: str) -> Section:
        return next(section for section in self.sections if section.id == ident)


def size_heating(job: Job, fitted: Fitted, catalogue: Catalogue) -> tuple[Heating, ...]:
    """Every closed circuit of the job, sized. Never raises: what is not joined both ways or loops is named in left_out."""
    return tuple(_Sizer(job, fitted, catalogue, circuit).run() for circuit in closed_circuits(job, fitted.pipework))


class _Sizer:
    def __init__(self, job: Job, fitted: Fitted, catalogue: Catalogue, circuit: Closed) -> None:
        self.job = job
        self.fitted = fitted
        self.pipework = fitted.pipework
        self.catalogue = catalogue
        self.circuit = circuit
        self.terms = circuit.terms
        self.fraction = self.terms.mass_fraction if self.terms.medium == "mpg" else 0.0
        self.medium = _fluid((self.terms.flow_c + self.terms.return_c) / 2, self.fraction)
        self.beside = neighbours(self.pipework)
        self.settings = {i.id: i.setting or "" for run in job.runs for i in run.items if isinstance(i, DeviceItem)}
        self.left_out: list[str] = []

    def run(self) -> Heating:
        trees = {role: self._tree(role) for role in ("flow", "return")}
        loads = self._loads(trees)
        flows = self._flows(trees, loads)
        sections, of_straight = self._sections(flows)
        by_id = {section.id: section for section in sections}
        sized = []
        for station, worked, flow in loads:
            path = [
                section
                for role in ("flow", "return")
                for section in dict.fromkeys(
                    of_straight[key] for key in self._path(trees[role], station, role) if key in of_straight
                )
            ]
            local = self._emitter_losses(station, flow)
            total = sum(by_id[ident].drop_pa for ident in path) + sum(one.drop_pa for one in local)
            sized.append(
                Load(
                    station.id, station.name or station.kind, station.data.output_w or station.data.coil_w or 0.0, worked.value,
                    self._room_c(station), flow, worked, local, tuple(path), total,
                )
            )  # fmt: skip
        total_kg_s = sum(load.flow_kg_s for load in sized)
        boiler = self._boiler_loss(total_kg_s)
        index = max(sized, key=lambda load: load.path_pa, default=None)
        treads = self._treads(index, by_id, boiler) if index else ()
        head = (index.path_pa + boiler.drop_pa) if index else 0.0
        volume = self._volume()
        litres = sum(row.litres for row in volume)
        safety = safety_valve_bar(self.circuit, self.pipework, self.settings)
        height = self._height_m()
        vessel, why = self._vessel(litres, height, safety or DEFAULT_SAFETY_BAR)
        return Heating(
            self.circuit, self.medium, tuple(sections), tuple(sized), tuple(self.left_out), index.station if index else "", treads, total_kg_s,
            head, volume, litres, vessel, why, vessel_volume_l(self.circuit, self.pipework, self.settings), safety or DEFAULT_SAFETY_BAR,
            safety is None, height, self._at(),
        )  # fmt: skip

    def _at(self) -> Vec:
        """A port of the source."""
        keys = [key for key in sorted(self.circuit.nodes) if key.startswith(f"{self.circuit.source.id}.")]
        return self.pipework.nodes[keys[0]].at

    # --- the tree of each role ------------------------------------------------------------------------------------------

    def _tree(self, role: str) -> dict[str, tuple[str, Straight]]:
        """node -> (the node nearer the source, the straight between), from the source's ports of a role; empty if it loops."""
        roots = [
            key for key in self.circuit.nodes
            if self.pipework.nodes[key].kind == "port" and self.pipework.ports[self.pipework.nodes[key].part].station.id == self.circuit.source.id
            and self.pipework.ports[self.pipework.nodes[key].part].port.role == role
        ]  # fmt: skip
        nearer: dict[str, tuple[str, Straight]] = {}
        reached = set(roots)
        waiting = list(roots)
        used: set[str] = set()
        while waiting:
            node = waiting.pop()
            for other, straight in self.beside[node]:
                if straight.key in used:
                    continue
                used.add(straight.key)
                if other in reached:
                    self.left_out.append(f"the {role} has a loop at {straight.run}: sizes need a network solution")
                    return {}
                reached.add(other)
                nearer[other] = (node, straight)
                waiting.append(other)
        return nearer

    def _node_of(self, station: Station, role: str) -> str | None:
        """The node of a station's port of a role."""
        names = [f"{station.id}.{port.name}" for port in station.ports if port.role == role]
        return next((name for name in names if name in self.circuit.nodes), None)

    def _path(self, tree: dict[str, tuple[str, Straight]], station: Station, role: str) -> list[str]:
        """Straights between the source and a station: outward on the flow, homeward on the return."""
        node = self._node_of(station, role)
        keys: list[str] = []
        while node in tree:
            node, straight = tree[node]
            keys.append(straight.key)
        return keys[::-1] if role == "flow" else keys

    # --- loads and flows ------------------------------------------------------------------------------------------------

    def _room_c(self, station: Station) -> float:
        room = next((room for room in self.job.house.rooms if room.id == station.data.room), None)
        return room.room_c if room else 20.0

    def _loads(self, trees: dict[str, dict[str, tuple[str, Straight]]]) -> list[tuple[Station, Worked, float]]:
        loads = []
        for station in self.circuit.stations:
            if station.kind not in LOADS or station.state == "remove":
                continue
            missing = [role for role in ("flow", "return") if self._node_of(station, role) not in trees[role]]
            rated = station.data.output_w or station.data.coil_w
            if missing:
                self.left_out.append(f"{station.id} has no {' and no '.join(missing)} to {self.circuit.source.id}")
                continue
            if not rated:
                self.left_out.append(f"{station.id} has no output")
                continue
            try:
                worked = self._output(station, rated)
                flow = flow_for(worked.value, self.terms.flow_c - self.terms.return_c, self.medium.heat_j_kg_k)
            except (Refused, ZeroDivisionError):
                self.left_out.append(f"{station.id} gives no heat at {self.terms.flow_c:g}/{self.terms.return_c:g} C")
                continue
            formula = "flow = heat / (cp x (flow - return))"
            inputs = (
                ("heat_w", worked.value),
                ("cp_j_kg_k", self.medium.heat_j_kg_k),
                ("flow_c", self.terms.flow_c),
                ("return_c", self.terms.return_c),
            )
            steps = (*worked.steps, Step(formula, inputs, flow, "kg/s", self.medium.source))
            loads.append((station, Worked(worked.value, "W", steps), flow))
        return loads

    def _output(self, station: Station, rated: float) -> Worked:
        if station.kind != "emitter":
            return Worked(rated, "W", (Step("coil as rated", (("coil_w", rated),), rated, "W", "label"),))
        rated_k = (station.data.rated_at_k or RATED_AT_K) * RATED_LOG_K / RATED_AT_K
        return output(
            rated,
            station.data.exponent or 1.3,
            self.terms.flow_c,
            self.terms.return_c,
            self._room_c(station),
            "log",
            rated_k,
        )[0]

    def _flows(
        self, trees: dict[str, dict[str, tuple[str, Straight]]], loads: list[tuple[Station, Worked, float]]
    ) -> dict[str, float]:
        flows: dict[str, float] = defaultdict(float)
        for station, _, flow in loads:
            for role, tree in trees.items():
                for key in self._path(tree, station, role):
                    flows[key] += flow
        return flows

    # --- sections and losses --------------------------------------------------------------------------------------------

    def _sections(self, flows: dict[str, float]) -> tuple[list[Section], dict[str, str]]:
        groups: list[list[Straight]] = []
        for key in self.circuit.straights:
            straight = self.pipework.straights[key]
            last = groups[-1][-1] if groups else None
            goes_on = (
                last is not None and last.run == straight.run and last.pipe == straight.pipe and last.to_node == straight.from_node
                and abs(flows.get(last.key, 0.0) - flows.get(key, 0.0)) < 1e-12 and len(self.beside[straight.from_node]) <= 2
            )  # fmt: skip
            if goes_on:
                groups[-1].append(straight)
            else:
                groups.append([straight])
        sections: list[Section] = []
        of_straight: dict[str, str] = {}
        count: dict[str, int] = defaultdict(int)
        for group in groups:
            count[group[0].run] += 1
            section = self._section(f"{group[0].run}/{count[group[0].run]}", group, flows)
            sections.append(section)
            of_straight.update({straight.key: section.id for straight in group})
        return sections, of_straight

    def _section(self, ident: str, group: list[Straight], flows: dict[str, float]) -> Section:
        run = self.job.run(group[0].run)
        assert run is not None
        pipe, flow = group[0].pipe, flows.get(group[0].key, 0.0)
        length_m = sum(self.fitted.pieces[straight.key].centre_mm for straight in group) / 1000
        drop, row = self._drop(pipe, flow)
        local = self._section_losses(group, flows, drop) if row else ()
        total = drop.gradient_pa_m * length_m + sum(one.drop_pa for one in local)
        limit = self.catalogue.limit(self.job.practice, row) if row else None
        over = []
        if limit and drop.velocity_m_s > limit.velocity_m_s + 1e-9:
            over.append(f"{drop.velocity_m_s:.2f} m/s, the limit is {limit.velocity_m_s:g}")
        if limit and drop.gradient_pa_m > limit.gradient_pa_m + 1e-9:
            over.append(f"{drop.gradient_pa_m:.0f} Pa/m, the limit is {limit.gradient_pa_m:.0f}")
        proposed = self._smallest(pipe.code, flow) if flow and (over or not row) else None
        steps = [
            Step("v = flow / (rho x pi / 4 x bore^2)", (("flow_kg_s", flow), ("rho_kg_m3", self.medium.density_kg_m3), ("bore_mm", self._bore(pipe) or 0.0)),
                 drop.velocity_m_s, "m/s", self.medium.source),
            Step("Re = v x bore x rho / mu", (("mu_mpa_s", self.medium.viscosity_pa_s * 1000),), drop.reynolds, "", self.medium.source),
            Step("f: 64/Re, Colebrook-White above Re 4000", (("roughness_mm", self._roughness(pipe)),), drop.factor, "", "Colebrook 1939"),
            Step("gradient = f / bore x rho v^2 / 2", (("f", drop.factor),), drop.gradient_pa_m, "Pa/m"),
            Step("friction = gradient x length", (("length_m", length_m),), drop.gradient_pa_m * length_m, "Pa"),
            *(Step(f"{one.title}: {'K x rho v^2 / 2' if one.k is not None else 'by Kv'}",
                   (("K", one.k),) if one.k is not None else (("Kv_m3_h", one.kv or 0.0),), one.drop_pa, "Pa", "typ") for one in local),
            Step("drop = friction + local losses", (), total, "Pa"),
        ]  # fmt: skip
        item = self._pipe_item(group[0])
        return Section(
            ident, group[0].run, run.role, pipe, item, tuple(straight.key for straight in group), length_m, flow, drop, local, total, limit,
            tuple(over), 0 < drop.velocity_m_s < SLOW_M_S, proposed, Worked(total, "Pa", tuple(steps)),
        )  # fmt: skip

    def _bore(self, pipe: Pipe) -> float | None:
        row = self.catalogue.pipe(pipe.code, pipe.size)
        return row.bore_mm if row else None

    def _roughness(self, pipe: Pipe) -> float:
        system = self.catalogue.systems.get(pipe.code)
        return (system.roughness_mm or 0.0) if system else 0.0

    def _drop(self, pipe: Pipe, flow: float) -> tuple[Drop, float]:
        """The drop in a pipe, and its outside diameter [mm]; zeros for a pipe without a size."""
        row = self.catalogue.pipe(pipe.code, pipe.size)
        if row is None or row.bore_mm is None or row.od_mm is None:
            return Drop(0.0, 0.0, 0.0, 0.0, 0.0), 0.0
        return pipe_drop(flow, row.bore_mm, self._roughness(pipe), self.medium), row.od_mm

    def _smallest(self, code: str, flow: float) -> Pipe | None:
        """The smallest size of a system, as far as it has fittings, that holds all limits at a flow."""
        for size in self.catalogue.sizes(code):
            pipe = Pipe(code=code, size=size)
            drop, od = self._drop(pipe, flow)
            methods = self.catalogue.systems[code].methods
            if not od or od < 12 or not any(self.catalogue.method_figures(code, size, method) for method in methods):
                continue
            limit = self.catalogue.limit(self.job.practice, od)
            if drop.velocity_m_s <= limit.velocity_m_s and drop.gradient_pa_m <= limit.gradient_pa_m:
                return pipe
        return None

    def _pipe_item(self, straight: Straight) -> str | None:
        """The item that says the pipe of a straight: a change, or None for the run's first pipe."""
        run = self.job.run(straight.run)
        found: str | None = None
        for item in run.items if run else ():
            if item.id in straight.legs:
                break
            if item.kind == "pipe":
                found = item.id
        return found

    def _section_losses(self, group: list[Straight], flows: dict[str, float], drop: Drop) -> tuple[Local, ...]:
        """What the fittings within a section and at its ends cost: a tee is charged to the arms that part from the full flow."""
        local: list[Local] = []
        inside = {straight.to_node for straight in group[:-1]}
        od = self.catalogue.pipe(group[0].pipe.code, group[0].pipe.size) or None
        od_mm = od.od_mm if od and od.od_mm else 0.0

        def add_k(fitting: Fitting, name: str, title: str) -> None:
            k = self.catalogue.loss(name, od_mm).k
            local.append(Local(fitting.key, title, k, None, k * drop.dynamic_pa))

        for straight in group:
            for node, arm in ((straight.from_node, straight.from_arm), (straight.to_node, straight.to_arm)):
                fitting = self.fitted.fittings.get(node)
                if fitting is None or node == straight.from_node and node in inside:
                    continue
                if fitting.kind in ("elbow", "elbow45"):
                    if node in inside or self._smaller_here(fitting, arm):
                        add_k(fitting, fitting.kind, fitting.title)
                elif fitting.kind == "device" and (node in inside or node == straight.to_node):
                    local += self._device_loss(fitting, straight, flows.get(straight.key, 0.0), drop)
                elif fitting.kind == "reducer" and self._smaller_here(fitting, arm):
                    add_k(fitting, "reducer", fitting.title)
                elif fitting.kind == "coupling" and node in inside:
                    add_k(fitting, "coupling", fitting.title)
                elif fitting.kind == "tee" and len(fitting.arms) >= 2:
                    local += self._tee_loss(fitting, arm, flows, drop, od_mm)
        return tuple(local)

    def _smaller_here(self, fitting: Fitting, arm: str) -> bool:
        """Whether this arm has the smaller bore: a fitting between two sections is charged there."""
        own = self._bore(fitting.pipes[arm]) or 0.0
        others = [self._bore(pipe) or 0.0 for other, pipe in fitting.pipes.items() if other != arm]
        return bool(others) and own < min(others)

    def _device_loss(self, fitting: Fitting, straight: Straight, flow: float, drop: Drop) -> list[Local]:
        node = self.pipework.nodes[fitting.key]
        row = self.catalogue.device(node.part, straight.pipe.code, straight.pipe.size)
        if row is None:
            return []
        if row.kv:
            return [Local(fitting.key, fitting.title, None, row.kv, valve_drop_pa(flow, row.kv, self.medium))]
        return [Local(fitting.key, fitting.title, row.k, None, row.k * drop.dynamic_pa)] if row.k else []

    def _tee_loss(self, fitting: Fitting, arm: str, flows: dict[str, float], drop: Drop, od_mm: float) -> list[Local]:
        by_arm = {name: flows.get(self.pipework.arms[fitting.key][name], 0.0) for name, _ in fitting.arms}
        full = max(by_arm, key=lambda name: by_arm[name])
        if arm == full or by_arm[arm] == 0:
            return []
        ways = dict(fitting.arms)
        through = fitting_angle(ways[full], ways[arm]) < 10
        k = self.catalogue.loss("tee-through" if through else "tee-branch", od_mm).k
        return [
            Local(fitting.key, f"{fitting.title}, {'through' if through else 'branch'}", k, None, k * drop.dynamic_pa)
        ]

    def _emitter_losses(self, station: Station, flow: float) -> tuple[Local, ...]:
        local: list[Local] = []
        for role in ("flow", "return"):
            node = self._node_of(station, role)
            place = self.pipework.ports[node] if node else None
            for kit in place.kit if place else ():
                if kit.row.kv:
                    local.append(
                        Local(kit.key, kit.row.title, None, kit.row.kv, valve_drop_pa(flow, kit.row.kv, self.medium))
                    )
        if station.data.kv:
            local.append(
                Local(
                    station.id, "by its label", None, station.data.kv, valve_drop_pa(flow, station.data.kv, self.medium)
                )
            )
        else:
            node = self._node_of(station, "flow")
            pipe = self.beside[node][0][1].pipe if node else None
            drop, od = self._drop(pipe, flow) if pipe else (Drop(0, 0, 0, 0, 0), 0.0)
            if od:
                k = self.catalogue.loss("radiator", od).k
                local.append(Local(station.id, "radiator", k, None, k * drop.dynamic_pa))
        return tuple(local)

    def _boiler_loss(self, flow: float) -> Local:
        kv = self.circuit.source.data.kv or BOILER_KV
        title = f"boiler{'' if self.circuit.source.data.kv else ', Kv typical'}"
        return Local(self.circuit.source.id, title, None, kv, valve_drop_pa(flow, kv, self.medium))

    def _treads(self, index: Load, by_id: dict[str, Section], boiler: Local) -> tuple[Tread, ...]:
        def tread(section: Section) -> Tread:
            return Tread(
                section.id,
                f"{section.id} {section.pipe}",
                section.role,
                section.keys,
                section.length_m,
                section.drop_pa,
            )

        out = [tread(by_id[ident]) for ident in index.path if by_id[ident].role == "flow"]
        home = [tread(by_id[ident]) for ident in index.path if by_id[ident].role != "flow"]
        emitter = Tread(
            index.station,
            f"{index.station} with its valves",
            "",
            (index.station,),
            0.0,
            sum(one.drop_pa for one in index.locals),
        )
        source = Tread(boiler.key, boiler.title, "", (boiler.key,), 0.0, boiler.drop_pa)
        return (*out, emitter, *home, source)

    # --- volume and vessel ----------------------------------------------------------------------------------------------

    def _volume(self) -> tuple[VolumeRow, ...]:
        pipes: dict[str, float] = defaultdict(float)
        for key in self.circuit.straights:
            piece = self.fitted.pieces[key]
            bore = self._bore(piece.pipe)
            if bore:
                pipes[str(piece.pipe)] += math.pi / 4 * (bore / 100) ** 2 * piece.centre_mm / 100
        rows = [VolumeRow(f"pipe {name}", litres, "bore x length as traced") for name, litres in sorted(pipes.items())]
        for station in self.circuit.stations:
            if station.state == "remove" or station.kind not in (*LOADS, "boiler"):
                continue
            if station.kind == "cylinder":
                rows.append(VolumeRow(station.id, 5.0, "typ, coil"))
            elif station.data.volume_l is not None:
                rows.append(VolumeRow(station.id, station.data.volume_l, "as said"))
            elif station.data.output_w:
                per_kw = BOILER_L_PER_KW if station.kind == "boiler" else LITRES_PER_KW
                rows.append(VolumeRow(station.id, per_kw * station.data.output_w / 1000, f"typ, {per_kw:g} L/kW"))
        return tuple(rows)

    def _height_m(self) -> float:
        """From the vessel (or the source where there is none to see) up to the top of the circuit [m]."""
        tops = [self.pipework.nodes[key].at.z for key in self.circuit.nodes]
        floors = {level.id: level.floor_mm for level in self.job.house.levels}
        for station in self.circuit.stations:
            tops.append(floors[station.level] + station.at[2] + (station.data.height_mm or 0.0))
        vessels = [floors[s.level] + s.at[2] for s in self.circuit.stations if s.kind == "vessel"]
        vessels += [
            self.fitted.fittings[key].at.z for key in self.circuit.nodes
            if self.pipework.nodes[key].kind == "device" and self.pipework.nodes[key].part == "vessel" and key in self.fitted.fittings
        ]  # fmt: skip
        base = min(vessels) if vessels else floors[self.circuit.source.level] + self.circuit.source.at[2]
        return max(0.0, (max(tops) - base) / 1000) if tops else 0.0

    def _vessel(self, litres: float, height_m: float, safety: float) -> tuple[Vessel | None, str]:
        here = vessel_volume_l(self.circuit, self.pipework, self.settings)
        try:
            return size_vessel(
                litres, self.terms.cold_c, self.terms.flow_c, height_m, safety, self.fraction, None, here
            ), ""
        except Refused as refused:
            return None, str(refused)


def _fluid(temp_c: float, fraction: float) -> Fluid:
    """The medium, held within its table: an odd temperature in a document must not stop the page."""
    low, high = (0.0, 120.0) if fraction == 0 else (0.0, 100.0)
    return fluid(min(max(temp_c, low), high), min(fraction, 0.6))
