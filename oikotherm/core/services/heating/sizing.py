"""Sizes of a closed circuit: flows, drops, the index path, the duty of its pumps, volume and vessel.

Two pipes (with reversed return, ring mains and manifolds), a single-pipe ring, several pumps, and mixing sets with the
circuit behind.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING, Protocol

from ...catalogue import Catalogue
from ...errors import Refused
from ...job.model import DeviceItem, Job, Pipe, Station
from ...job.ways import Vec
from ...joints.fitted import Fitted, RunJoints
from ...matter import Fluid, fluid
from ...network.friction import Drop, valve_drop_pa
from ...network.graph import has_trait, hub_port
from ...network.losses import Losses, bore_mm
from ...network.pipesizes import drop_and_od, smallest
from ...network.section import Local, PipeSection
from ...network.sides import Resistance, Side, looped_flows, ring_flows, roots_of, side, tree_flows
from ...network.sized import Sized, Supply, Terminal
from ...network.solver import Branch, PumpCurve
from ...pipework.bodies import body_water
from ...pipework.geometry import Pipework, RunPipework, Straight
from ...working import Step, Worked
from .behind import water_behind
from .carry_heat import carry_heat
from .circuits import (
    DEFAULT_SAFETY_BAR,
    Closed,
    closed_circuits,
    is_source,
    mixing_sets,
    safety_valve_bar,
    takes_heat,
    vessel_volume_l,
)
from .demand import heat_and_flow, own_losses, rated_k
from .emitter import emitter_return_c
from .pumps import duties
from .sized import Heating, Load, PressureStep, VolumeRow
from .stations import SPEC
from .valves import curve_of_points
from .vessel import Vessel, size_vessel

if TYPE_CHECKING:
    from ...layout import Layout

BOILER_KV = 3.5  # typ, wall-hung heat-only, where the label says nothing
SLOW_M_S = 0.15  # below it water carries no air along
USUAL_BORE_MM = 20.0  # for a flow to share itself past a pipe whose size is not known yet
ROUNDS = 3  # flows of a loop, and the losses of its fittings with them
RING_OFF_KG_S = 1e-7
SAME_KG_S = 1e-9


def size_heating(job: Job, fitted: Fitted, catalogue: Catalogue) -> tuple[Heating, ...]:
    """Every closed circuit of the job, sized. Never raises: what is not joined both ways is named in left_out."""
    circuits = closed_circuits(job, fitted.pipework)
    behind = {one.source.id: _Sizer(job, fitted, catalogue, one, {}).run() for one in circuits if not one.own}
    return tuple(
        _Sizer(job, fitted, catalogue, one, behind).run() if one.own else behind[one.source.id] for one in circuits
    )


class HasSized(Protocol):
    """A design, or a rule's view of it."""

    @property
    def sized(self) -> Mapping[str, Sized]: ...


def size(design: Layout) -> Sized:
    """The closed circuits of a design as every service gives its sizes; detail: each Heating, for heating's own pages
    and rules."""
    found = size_heating(design.job, design.fitted, design.context.catalogue)
    supplies = tuple(Supply(one.circuit.source.id, one.circuit.terms.medium, None) for one in found)
    terminals = tuple(
        Terminal(load.station, "flow", load.nominal_w, "W", path=load.path) for one in found for load in one.loads
    )
    sections = tuple(section for one in found for section in one.sections)
    return Sized(
        SPEC.id,
        supplies,
        sections,
        terminals,
        tuple(words for one in found for words in one.left_out),
        found,
        sum(one.pump_head_pa for one in found if one.circuit.own),
    )


def heating_of(design: HasSized) -> tuple[Heating, ...]:
    """Every closed circuit, sized."""
    sized = design.sized.get(SPEC.id)
    found: tuple[Heating, ...] = sized.detail if sized else ()
    return found


def _node_at(circuit: Closed) -> dict[tuple[str, str], str]:
    """(station, role) -> the node of its first port of that role in the circuit."""
    found: dict[tuple[str, str], str] = {}
    for station in circuit.stations:
        for port in station.ports:
            if (name := f"{station.id}.{port.name}") in circuit.nodes:
                found.setdefault((station.id, port.role), name)
    return found


def _about(work: Pipework) -> dict[str, tuple[str, ...]]:
    """Run -> all straights on its nodes and ends: those whose flow decides what its fittings cost."""
    return work.memory.keep(
        "straights about a run",
        (work.graph,),
        None,
        lambda: {
            run: tuple(
                dict.fromkeys(
                    key
                    for node in (*part.nodes, *(node for node, _, _ in part.outer))
                    for _, key in work.graph.beside.get(node, ())
                )
            )
            for run, part in work.by_run.items()
        },
        most=4,
    )


@dataclass(frozen=True, slots=True)
class _Fed:
    """An emitter as the circuit feeds it. path: sections there and back; drop_pa: what they and its own valves cost."""

    station: Station
    worked: Worked
    flow_kg_s: float
    local: tuple[Local, ...]
    path: tuple[str, ...]
    drop_pa: float


class _Sizer:
    def __init__(
        self, job: Job, fitted: Fitted, catalogue: Catalogue, circuit: Closed, behind: dict[str, Heating]
    ) -> None:
        self.job = job
        self.fitted = fitted
        self.pipework = fitted.pipework
        self.catalogue = catalogue
        self.circuit = circuit
        self.behind = {station.id: behind[station.id] for station in circuit.stations if station.id in behind}
        self.mixed = mixing_sets(job)
        self.terms = circuit.terms
        self.fraction = self.terms.mass_fraction if self.terms.medium == "mpg" else 0.0
        self.pumped = any(has_trait(station, "moves") for station in circuit.stations) or any(
            node.kind == "device" and node.part == "pump" for node in self.pipework.nodes.values()
        )
        self.medium = _fluid((self.terms.flow_c + self.terms.return_c) / 2, self.fraction)
        self.settings = {i.id: i.setting or "" for run in job.runs for i in run.items if isinstance(i, DeviceItem)}
        self.losses = Losses(fitted, catalogue, self.medium, self.settings, self.mixed)
        self.node_at = self.pipework.memory.keep(
            "node of a port", (circuit, self.pipework.graph), None, partial(_node_at, circuit), most=8
        )
        self.about = _about(self.pipework)
        self.left_out: list[str] = []
        self.diverting: set[str] = set()

    def run(self) -> Heating:
        sides = {role: side(self.circuit, self.pipework, role, self.mixed) for role in ("flow", "return")}
        ring = sides["flow"].ring and bool(sides["flow"].roots)
        loads = self._loads(sides, ring)
        if ring:
            signed, loads = self._ring(sides["flow"], loads)
        else:
            signed, sides = self._flows(sides, loads)
        sections, of_straight = self._sections(signed)
        by_id = {section.id: section for section in sections}
        total_kg_s = self.ring_kg_s if ring else sum(flow for _, _, flow in loads)
        boiler, inside = self._boiler_loss(total_kg_s)
        fed = [self._fed(load, sides, ring, by_id, of_straight) for load in loads]
        pumps, surplus = duties(
            self.circuit.source,
            total_kg_s,
            inside,
            boiler.drop_pa,
            [(one.station.id, one.flow_kg_s, one.drop_pa, self._pumps_to(sides, one.station, ring)) for one in fed],
            {ident: by_id[ident].drop_pa for ident in by_id},
            {one.station.id: list(one.path) for one in fed},
            self._own_curves(),
            self._pump_titles(),
        )
        sized = [self._load(one, surplus[one.station.id], sides, ring) for one in fed]
        index = max(sized, key=lambda load: load.path_pa, default=None)
        treads = self._pressure_steps(index, by_id, boiler, ring) if index else ()
        main = next((duty for duty in pumps if len(pumps) == 1 or duty.key == self.circuit.source.id), None)
        head = main.head_pa if main else max((duty.head_pa for duty in pumps), default=0.0)
        volume = self._volume()
        litres = sum(row.litres for row in volume)
        safety = safety_valve_bar(self.circuit, self.pipework, self.settings)
        height = self._height_m()
        vessel, why = self._vessel_here(litres, height, safety or DEFAULT_SAFETY_BAR)
        residual = inside.head_pa(total_kg_s)[0] if inside and total_kg_s else None
        return Heating(
            self.circuit,
            self.medium,
            tuple(sections),
            tuple(sized),
            tuple(self.left_out),
            index.station if index else "",
            treads,
            total_kg_s,
            head,
            volume,
            litres,
            vessel,
            why,
            vessel_volume_l(self.circuit, self.pipework, self.settings),
            safety or DEFAULT_SAFETY_BAR,
            safety is None,
            height,
            self._at(),
            pumps,
            ring,
            residual,
        )

    def _load(self, fed: _Fed, surplus_pa: float, sides: dict[str, Side], ring: bool) -> Load:
        station = fed.station
        flow_c, return_c = (
            self.ring_c.get(station.id, (self.terms.flow_c, self.terms.return_c))
            if ring
            else (self.terms.flow_c, self.terms.return_c)
        )
        if station.id in self.behind:
            return_c = self.behind[station.id].circuit.terms.return_c
        return Load(
            station.id,
            station.name or station.kind,
            self._rated(station),
            fed.worked.value,
            self._room_c(station),
            fed.flow_kg_s,
            fed.worked,
            fed.local,
            fed.path,
            fed.drop_pa,
            surplus_pa,
            self._pumps_to(sides, station, ring),
            station.data.loop_m or 0.0,
            station.id in self.behind,
            self._manifold_of(sides, station),
            flow_c,
            return_c,
        )

    def _at(self) -> Vec:
        """A port of the source."""
        keys = [key for key in sorted(self.circuit.nodes) if key.startswith(f"{self.circuit.source.id}.")]
        return self.pipework.nodes[keys[0]].at

    # --- where things are -----------------------------------------------------------------------------------

    def _node_of(self, station: Station, role: str) -> str | None:
        """The node of a station's port of a role."""
        return self.node_at.get((station.id, role))

    def _pumps_to(self, sides: dict[str, Side], station: Station, ring: bool) -> tuple[str, ...]:
        """Pumps on the way to a station and home, from the source out: devices by their node, stations by their id."""
        if not self.pumped:
            return ()
        nodes = (
            sides["flow"].nodes_to(roots_of(self.circuit, self.pipework, "return")[0])
            if ring
            else [node for role in ("flow", "return") for node in sides[role].nodes_to(self._node_of(station, role))]
        )
        found = []
        for key in nodes:
            node = self.pipework.nodes[key]
            if node.kind == "device" and node.part == "pump":
                found.append(key)
            elif node.kind == "port" and has_trait(self.pipework.ports[node.part].station, "moves"):
                found.append(self.pipework.ports[node.part].station.id)
        return tuple(dict.fromkeys(found))

    def _manifold_of(self, sides: dict[str, Side], station: Station) -> str:
        """The manifold whose port the water goes home into, or comes out of, last before this station; "" for none."""
        for role in ("return", "flow"):
            for key in reversed(sides[role].nodes_to(self._node_of(station, role))[:-1]):
                node = self.pipework.nodes[key]
                if node.kind == "port":
                    near = self.pipework.ports[node.part].station
                    return near.id if has_trait(near, "bars") and not hub_port(self.pipework, key) else ""
        return ""

    def _own_curves(self) -> dict[str, PumpCurve]:
        """Curves that stations on the circuit have by their label: station -> curve; a label that cannot be read is
        left out."""
        found = {}
        for station in self.circuit.stations:
            if station.data.pump_curve:
                try:
                    found[station.id] = curve_of_points(station.data.pump_curve)
                except Refused as refused:
                    self.left_out.append(f"{station.id}: {refused}")
        return found

    def _pump_titles(self) -> dict[str, str]:
        """What each pump is called: a device by its run."""
        found = {station.id: station.name or station.id for station in self.circuit.stations}
        return found | {
            key: f"pump on {node.run}"
            for key, node in self.pipework.nodes.items()
            if node.kind == "device" and node.part == "pump"
        }

    # --- loads and flows ------------------------------------------------------------------------------------

    def _room_c(self, station: Station) -> float:
        room = next((room for room in self.job.house.rooms if room.id == station.data.room), None)
        return room.room_c if room else 20.0

    def _rated(self, station: Station) -> float:
        if station.id in self.behind:
            return sum(load.output_w for load in self.behind[station.id].loads)
        return station.data.output_w or station.data.coil_w or 0.0

    def _fed(
        self,
        load: tuple[Station, Worked, float],
        sides: dict[str, Side],
        ring: bool,
        by_id: dict[str, PipeSection],
        of_straight: dict[str, str],
    ) -> _Fed:
        """An emitter with the sections there and back and what they and its own valves cost."""
        station, worked, flow = load
        if ring:
            keys = sides["flow"].straights_to(roots_of(self.circuit, self.pipework, "return")[0])
        else:
            roles = ("flow", "return")
            keys = [key for role in roles for key in sides[role].straights_to(self._node_of(station, role))]
        path = tuple(dict.fromkeys(of_straight[key] for key in keys if key in of_straight))
        local = self._emitter_losses(station, flow)
        own_pa = 0.0 if ring else sum(one.drop_pa for one in local)
        return _Fed(station, worked, flow, local, path, sum(by_id[ident].drop_pa for ident in path) + own_pa)

    def _vessel_here(self, litres: float, height_m: float, safety_bar: float) -> tuple[Vessel | None, str]:
        """The vessel of the circuit's own water; behind a mixing set it is that of the circuit before."""
        if self.circuit.own:
            return self._vessel(litres, height_m, safety_bar)
        return None, f"One water with {self.circuit.behind}: its vessel, safety valve and filling serve here too."

    def _loads(self, sides: dict[str, Side], ring: bool) -> list[tuple[Station, Worked, float]]:
        loads = []
        for station in self.circuit.stations:
            if not takes_heat(station) and station.id not in self.behind or station.state == "remove":
                continue
            missing = [
                role
                for role in ("flow", "return")
                if not sides["flow" if ring else role].holds(self._node_of(station, role))
            ]
            if missing:
                self.left_out.append(f"{station.id} has no {' and no '.join(missing)} to {self.circuit.source.id}")
            elif not (rated := self._rated(station)):
                self.left_out.append(f"{station.id} has no output")
            elif taken := self._taken(station, rated):
                loads.append((station, *taken))
        return loads

    def _taken(self, station: Station, rated_w: float) -> tuple[Worked, float] | None:
        """What a station gives and the flow it takes for that; None, and said so, where it gives nothing."""
        behind = self.behind.get(station.id)
        back_c = behind.circuit.terms.return_c if behind else self.terms.return_c
        try:
            return heat_and_flow(
                station,
                rated_w,
                self._room_c(station),
                self.terms,
                back_c,
                self.medium,
                mixing=behind is not None,
                memory=self.pipework.memory,
            )
        except (Refused, ZeroDivisionError):
            self.left_out.append(f"{station.id} gives no heat at {self.terms.flow_c:g}/{back_c:g} C")
            return None

    def _flows(
        self, sides: dict[str, Side], loads: list[tuple[Station, Worked, float]]
    ) -> tuple[dict[str, float], dict[str, Side]]:
        """Flow in each straight, along it positive, and the sides with every node reached the way its water comes."""
        wanted: dict[str, dict[str, float]] = {
            role: {str(self._node_of(station, role)): flow for station, _, flow in loads} for role in sides
        }
        flows: dict[str, float] = {}
        solved = {}
        for role, one in sides.items():
            if not one.links or not loads:
                flows |= tree_flows(one, wanted[role])
                solved[role] = one
                continue
            resist: dict[str, Resistance] = {}
            part: dict[str, float] = {}
            for turn in range(ROUNDS):
                resist = self._resist(part if turn else None)
                part, solved[role] = looped_flows(one, wanted[role], resist, self.medium)
            flows |= part
        return flows, solved

    def _resist(self, flows: dict[str, float] | None) -> dict[str, Resistance]:
        """What each straight of the circuit puts in the way; with flows, the losses of fittings at those too."""
        k: dict[str, float] = defaultdict(float)
        kvs: dict[str, tuple[float, ...]] = {}
        if flows is not None:
            for section in self._sections(flows)[0]:
                k[section.keys[0]] = sum(one.k for one in section.locals if one.k is not None)
                kvs[section.keys[0]] = tuple(one.kv for one in section.locals if one.kv)
        return {
            key: Resistance(
                max(self.fitted.span_mm[key], 1.0) / 1000,
                bore_mm(self.catalogue, self.pipework.straights[key].pipe) or USUAL_BORE_MM,
                self._roughness(self.pipework.straights[key].pipe),
                k[key],
                kvs.get(key, ()),
            )
            for key in self.circuit.straights
        }

    def _ring(
        self, ring: Side, loads: list[tuple[Station, Worked, float]]
    ) -> tuple[dict[str, float], list[tuple[Station, Worked, float]]]:
        """A single-pipe ring at the flow all its emitters ask together: what passes each, and what each gives at the
        water it gets."""
        back = roots_of(self.circuit, self.pipework, "return")[0]
        self.ring_kg_s = sum(flow for _, _, flow in loads)
        self.ring_c: dict[str, tuple[float, float]] = {}
        self.diverting = self._ring_returns(ring, back, loads)
        signed: dict[str, float] = {}
        through = {station.id: flow for station, _, flow in loads}
        if not loads:
            return signed, loads
        for turn in range(ROUNDS):
            emitters = {station.id: self._emitter_way(station, through[station.id]) for station, _, _ in loads}
            resist = self._resist(signed if turn else None)
            try:
                signed, through = ring_flows(ring, back, self.ring_kg_s, resist, emitters, self.medium)
            except Refused as refused:  # as where the way back hangs on nothing the ring goes through
                self.left_out.append(f"{self.circuit.source.id}: its ring cannot be worked out, {refused}")
                return {}, []
        cp = self.medium.heat_j_kg_k
        stations = {station.id: station for station, _, _ in loads}

        def change(key: str, t_in: float, flow: float) -> tuple[float, float]:
            if key not in stations:
                return t_in, 0.0
            one = stations[key]
            if one.kind != "emitter":
                return max(t_in - self._rated(one) / (flow * cp), 25.0), 0.0
            return emitter_return_c(
                t_in, self._room_c(one), flow * cp, self._rated(one), one.data.exponent or 1.3, rated_k(one)
            ), 0.0

        ways = [(key, *self._ends(key, flow), abs(flow)) for key, flow in signed.items() if abs(flow) > RING_OFF_KG_S]
        ways += [(key, emitters[key].a, emitters[key].b, flow) for key, flow in through.items() if flow > RING_OFF_KG_S]
        ways += [(f"{node}:bar", near, node, 1.0) for node, (near, straight) in ring.nearer.items() if straight is None]
        _, self.ring_c = carry_heat(ways, ring.roots[0], self.terms.flow_c, change)
        found = []
        for station, worked, _ in loads:
            flow = through[station.id]
            t_in, t_out = self.ring_c.get(station.id, (self.terms.flow_c, self.terms.flow_c))
            heat = flow * cp * (t_in - t_out)
            steps = (
                *worked.steps,
                Step(
                    "share of the ring's flow that its valves let through",
                    (("ring_kg_s", self.ring_kg_s),),
                    flow,
                    "kg/s",
                    "solved",
                ),
                Step(
                    "heat = flow x cp x (in - out), at the water the ring brings",
                    (("in_c", t_in), ("out_c", t_out)),
                    heat,
                    "W",
                ),
            )
            found.append((station, Worked(heat, "W", steps), flow))
        return signed, found

    def _ends(self, key: str, flow: float) -> tuple[str, str]:
        straight = self.pipework.straights[key]
        return (straight.from_node, straight.to_node) if flow > 0 else (straight.to_node, straight.from_node)

    def _ring_returns(self, ring: Side, back: str, loads: list[tuple[Station, Worked, float]]) -> set[str]:
        """Tees of the ring where an emitter's water comes back: diverting tees, which hold the ring up a little."""
        on_ring = set(ring.nodes_to(back))
        found = set()
        for station, _, _ in loads:
            node = self._node_of(station, "return")
            while node in ring.nearer and node not in on_ring:
                node = ring.nearer[node][0]
            if node in on_ring and node in self.fitted.fittings and self.fitted.fittings[node].kind == "tee":
                found.add(node)
        return found

    def _emitter_way(self, station: Station, flow: float) -> Branch:
        """An emitter between its ports, all its valves open."""
        local = self._emitter_losses(station, max(flow, 1e-4))
        node = str(self._node_of(station, "flow"))
        pipe = self._pipe_at(node)
        bore = (bore_mm(self.catalogue, pipe) if pipe else None) or 13.6
        return Branch(
            station.id,
            node,
            str(self._node_of(station, "return")),
            station.data.loop_m or 0.0,
            bore,
            self._roughness(pipe) if pipe else 0.0,
            sum(one.k for one in local if one.k),
            tuple(one.kv for one in local if one.kv),
        )

    # --- sections and losses
    # --------------------------------------------------------------------------------------------

    def _pipe_at(self, node: str) -> Pipe | None:
        """The pipe on a node."""
        beside = self.pipework.graph.beside.get(node)
        return self.pipework.straights[beside[0][1]].pipe if beside else None

    def _sections(self, signed: dict[str, float]) -> tuple[list[PipeSection], dict[str, str]]:
        """All sections, and straight -> its section; signed: flow in each straight, along it positive."""
        self.signed = signed
        self.flows = {key: abs(flow) for key, flow in signed.items()}
        sections = [section for run in self.circuit.runs for section in self._known(run)]
        return sections, {key: section.id for section in sections for key in section.keys}

    def _known(self, run: str) -> tuple[PipeSection, ...]:
        """The sections of a run, found again where its pipe, its fittings and the flows about them are what they
        were."""
        work, fitted = self.pipework, self.fitted
        about = self.about[run]
        ends = [fitted.fittings[node].matings for node, _, _ in work.by_run[run].outer if node in fitted.fittings]
        diverting = tuple(node for node in self._nodes(run) if node in self.diverting) if self.diverting else ()
        return work.memory.keep(
            "sections of a run",
            (self.catalogue, work.runs[run].run, work.by_run[run], fitted.of_run[run], *ends),
            (self.job.practice, self.medium, tuple(self.signed.get(key) for key in about), diverting),
            lambda: tuple(self._section(f"{run}/{n}", group) for n, group in enumerate(self._groups(run), 1)),
        )

    def _nodes(self, run: str) -> list[str]:
        part = self.pipework.by_run[run]
        return [*part.nodes, *(node for node, _, _ in part.outer)]

    def _groups(self, run: str) -> list[list[Straight]]:
        """The straights of a run, those together that have one pipe and carry one flow."""
        groups: list[list[Straight]] = []
        beside = self.pipework.graph.beside
        for straight in self.pipework.by_run[run].straights.values():
            last = groups[-1][-1] if groups else None
            goes_on = (
                last is not None
                and last.pipe == straight.pipe
                and last.to_node == straight.from_node
                and abs(self.flows.get(last.key, 0.0) - self.flows.get(straight.key, 0.0)) < SAME_KG_S
                and len(beside[straight.from_node]) <= 2
            )
            if goes_on:
                groups[-1].append(straight)
            else:
                groups.append([straight])
        return groups

    def _section(self, ident: str, group: list[Straight]) -> PipeSection:
        flows = self.flows
        run = self.pipework.runs[group[0].run].run
        pipe, flow = group[0].pipe, flows.get(group[0].key, 0.0)
        length_m = sum(self.fitted.span_mm[straight.key] for straight in group) / 1000
        drop, row = self._drop(pipe, flow)
        local = self.losses.of(group, flows, drop, self.diverting) if row else ()
        total = drop.gradient_pa_m * length_m + sum(one.drop_pa for one in local)
        limit = self.catalogue.limit(self.job.practice, row) if row else None
        over = []
        if limit and drop.velocity_m_s > limit.velocity_m_s + 1e-9:
            over.append(f"{drop.velocity_m_s:.2f} m/s, the limit is {limit.velocity_m_s:g}")
        if limit and drop.gradient_pa_m > limit.gradient_pa_m + 1e-9:
            over.append(f"{drop.gradient_pa_m:.0f} Pa/m, the limit is {limit.gradient_pa_m:.0f}")
        proposed = (
            smallest(self.catalogue, self.job.practice, pipe.code, flow, self.medium, self.pipework.memory)
            if flow and (over or not row)
            else None
        )
        item = self._pipe_item(group[0])
        return PipeSection(
            ident,
            group[0].run,
            run.role,
            pipe,
            item,
            tuple(straight.key for straight in group),
            length_m,
            flow,
            drop,
            local,
            total,
            limit,
            tuple(over),
            0 < drop.velocity_m_s < SLOW_M_S,
            proposed,
            self.medium,
            bore_mm(self.catalogue, pipe) or 0.0,
            self._roughness(pipe),
            self.signed.get(group[0].key, 0.0) >= 0,
            self.losses.insert_mm(group),
        )

    def _roughness(self, pipe: Pipe) -> float:
        system = self.catalogue.systems.get(pipe.code)
        return (system.roughness_mm or 0.0) if system else 0.0

    def _drop(self, pipe: Pipe, flow: float) -> tuple[Drop, float]:
        return drop_and_od(pipe, flow, self.medium, self.catalogue)

    def _pipe_item(self, straight: Straight) -> str | None:
        """The item that says the pipe of a straight: a change, or None for the run's first pipe."""
        found: str | None = None
        for item in self.pipework.runs[straight.run].run.items:
            if item.id in straight.legs:
                break
            if item.kind == "pipe":
                found = item.id
        return found

    def _emitter_losses(self, station: Station, flow: float) -> tuple[Local, ...]:
        nodes = [node for role in ("flow", "return") if (node := self._node_of(station, role))]
        first = self._node_of(station, "flow")
        return own_losses(
            station,
            tuple(self.pipework.ports[node] for node in nodes),
            self._pipe_at(first) if first else None,
            flow,
            self.medium,
            self.catalogue,
            mixing=station.id in self.behind,
            memory=self.pipework.memory,
        )

    def _boiler_loss(self, flow: float) -> tuple[Local, PumpCurve | None]:
        """What the source costs, and the curve of a pump within it: that is what is left at its ports."""
        source = self.circuit.source
        if has_trait(source, "bars"):
            return Local(source.id, "mixing set", None, None, 0.0), None
        inside = self._own_curves().get(source.id)
        if inside is not None:
            return Local(source.id, "boiler, pump inside", None, None, 0.0), inside
        kv = source.data.kv or BOILER_KV
        title = f"boiler{'' if source.data.kv else ', Kv typical'}"
        return Local(source.id, title, None, kv, valve_drop_pa(flow, kv, self.medium)), None

    def _pressure_steps(
        self, index: Load, by_id: dict[str, PipeSection], boiler: Local, ring: bool
    ) -> tuple[PressureStep, ...]:
        def tread(section: PipeSection) -> PressureStep:
            return PressureStep(
                section.id,
                f"{section.id} {section.pipe}",
                section.role,
                section.keys,
                section.length_m,
                section.drop_pa,
            )

        out = [tread(by_id[ident]) for ident in index.path if by_id[ident].role == "flow"]
        home = [tread(by_id[ident]) for ident in index.path if by_id[ident].role != "flow"]
        emitter = PressureStep(
            index.station,
            f"{index.station} with its valves",
            "",
            (index.station,),
            0.0,
            sum(one.drop_pa for one in index.locals),
        )
        source = PressureStep(boiler.key, boiler.title, "", (boiler.key,), 0.0, boiler.drop_pa)
        if ring:
            return (*out, *home, source)
        return (*out, emitter, *home, source)

    # --- volume and vessel
    # ----------------------------------------------------------------------------------------------

    def _volume(self) -> tuple[VolumeRow, ...]:
        pipes: dict[str, float] = defaultdict(float)
        for run in self.circuit.runs:
            part, made = self.pipework.by_run[run], self.fitted.of_run[run]
            for name, litres in self.pipework.memory.keep(
                "litres", (self.catalogue, part, made), None, partial(_litres, part, made, self.catalogue)
            ):
                pipes[name] += litres
        rows = [VolumeRow(f"pipe {name}", litres, "bore x length as traced") for name, litres in sorted(pipes.items())]
        rows += [
            VolumeRow(f"{ident}, loops", heating.volume_l, "behind its mixing set")
            for ident, heating in self.behind.items()
        ]
        for station in self.circuit.stations:
            if station.state == "remove":
                continue
            if has_trait(station, "bars") and station.data.volume_l is not None and not is_source(station):
                rows.append(VolumeRow(station.id, station.data.volume_l, "as said"))
                continue
            rows += [
                VolumeRow(f"{station.id}: {one.what}", one.litres, one.source)
                for one in water_behind(station, self.catalogue)
            ]
            if not (takes_heat(station) or is_source(station)):
                continue
            body = body_water(station, SPEC.id, lambda one=station: self._loop_bore_mm(one))  # type: ignore[misc]
            if body is not None:
                rows.append(VolumeRow(station.id, body.litres, body.source))
        return tuple(rows)

    def _loop_bore_mm(self, station: Station) -> float | None:
        """Of the pipe of a loop in the floor: that which comes to it."""
        node = self._node_of(station, "flow")
        pipe = self._pipe_at(node) if node else None
        return bore_mm(self.catalogue, pipe) if pipe else None

    def _height_m(self) -> float:
        """From the vessel (or the source where there is none to see) up to the top of the circuit [m]."""
        tops = [self.pipework.nodes[key].at.z for key in self.circuit.nodes]
        floors = {level.id: level.floor_mm for level in self.job.house.levels}
        for station in self.circuit.stations:
            tops.append(floors[station.level] + station.at[2] + (station.data.height_mm or 0.0))
        vessels = [floors[s.level] + s.at[2] for s in self.circuit.stations if s.kind == "vessel"]
        vessels += [
            self.fitted.fittings[key].at.z
            for key in self.circuit.nodes
            if self.pipework.nodes[key].kind == "device"
            and self.pipework.nodes[key].part == "vessel"
            and key in self.fitted.fittings
        ]
        base = min(vessels) if vessels else floors[self.circuit.source.level] + self.circuit.source.at[2]
        return max(0.0, (max(tops) - base) / 1000) if tops else 0.0

    def _vessel(self, litres: float, height_m: float, safety: float) -> tuple[Vessel | None, str]:
        here = vessel_volume_l(self.circuit, self.pipework, self.settings)
        try:
            return size_vessel(
                litres,
                self.terms.cold_c,
                self.terms.flow_c,
                height_m,
                safety,
                self.fraction,
                None,
                here,
                self.terms.fill_bar,
            ), ""
        except Refused as refused:
            return None, str(refused)


def _litres(part: RunPipework, made: RunJoints, catalogue: Catalogue) -> tuple[tuple[str, float], ...]:
    """What each pipe of a run holds [L], by its name; pipes of unknown bore are left out."""
    found: dict[str, float] = defaultdict(float)
    for key, straight in part.straights.items():
        bore = bore_mm(catalogue, straight.pipe)
        if bore:
            found[str(straight.pipe)] += math.pi / 4 * (bore / 100) ** 2 * made.span_mm[key] / 100
    return tuple(found.items())


def _fluid(temp_c: float, fraction: float) -> Fluid:
    """The medium, held within its table: an odd temperature in a document must not stop the page."""
    low, high = (0.0, 120.0) if fraction == 0 else (0.0, 100.0)
    return fluid(min(max(temp_c, low), high), min(fraction, 0.6))
