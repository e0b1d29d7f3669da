"""What is joined the wrong way round, or to nothing: flow and return swapped, bypasses, filters, rooms without heat."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from ....job.model import DeviceItem, Job, Run, Station, split_anchor
from ....network.graph import devices, has_trait
from ....pipework.geometry import Node
from ....quantity import leading_number
from ....rules.registry import Remedy, Said, View
from ... import spec
from ..circuits import Closed, is_source
from ..rooms_heated import outputs_w, rooms_heated
from ..sized import Heating
from ..sizing import heating_of
from .book import rule
from .changed import SIDES, bridges, swapped
from .circuit import place_remedy

FLOOR_MOST_C = 50.0  # typ: the hottest water a floor is given
BOILER_SHARE = 0.95  # a boiler may be this much short of its emitters, which seldom all give their most
BYPASS_SHARE = 0.95


@rule(
    "swapped",
    "stop",
    "flow and return changed over",
    "A radiator fed from its return gives less and its thermostatic valve knocks; a boiler joined the wrong way round "
    "boils its own water.",
    "rule of the trade",
)
def swapped_rule(view: View) -> Iterable[Said]:
    for ident, ends in swapped(view.job).items():
        station = view.job.station(ident)
        assert station is not None
        roles = {port.name: port.role for port in station.ports}
        said = " and ".join(
            f"{run.id} is a {_other(roles[split_anchor(anchor)[1]], run, station)} and comes to its "
            f"{roles[split_anchor(anchor)[1]]}"
            for run, anchor in ends
        )
        place = view.fitted.pipework.ports.get(ends[0][1])
        yield Said(
            (ident, ends[0][1]),
            f"{ident}: flow and return are changed over: {said}.",
            tuple(_changed_over(view, station, ends)),
            place.mouth if place else None,
            ("change the two pipes over where they can be reached",),
        )


def _other(role: str, run: Run, station: Station) -> str:
    """What a run is: by its own role, or at the source by what hangs on it."""
    return ("return" if role == "flow" else "flow") if is_source(station) else run.role


def _changed_over(view: View, station: Station, ends: list[tuple[Run, str]]) -> Iterator[Remedy]:
    """The two ports take each other's role and valve: what is piped stays."""
    ports = {port.role: port for port in station.ports if port.role in SIDES}
    if len(ports) < 2 or sum(port.role in SIDES for port in station.ports) != 2 or is_source(station) or len(ends) != 2:
        return
    kept: dict[str, Any] = station.model_dump(exclude_none=True)
    other = {"flow": ports["return"], "return": ports["flow"]}
    kept["ports"] = [
        {
            **port.model_dump(exclude_none=True),
            **(
                {
                    "role": other[port.role].role,
                    "way": other[port.role].way,
                    "kit": [kit.model_dump() for kit in other[port.role].kit],
                }
                if port.role in other
                else {}
            ),
        }
        for port in station.ports
    ]
    yield Remedy(
        "Let it stand so: change its ports and valves over",
        ({"do": "put_station", "station": kept},),
        f"{station.id}: its {ports['return'].name} becomes the flow, with the valve that belongs there",
    )


@rule(
    "bridge",
    "stop",
    "plain pipe from flow to return",
    "Water takes the short way: what goes through the open pipe is missing at the emitters, and they stay cold.",
    "rule of the trade",
)
def bridge(view: View) -> Iterable[Said]:
    for run, finish in bridges(view):
        trace = view.fitted.pipework.runs.get(run.id)
        yield Said(
            (run.id, finish),
            f"{run.id} joins flow and return by open pipe, past every emitter.",
            (Remedy("Take it out", _taken_out(view.job, run), f"{run.id} goes, and the tees it alone was on"),),
            trace.start if trace else None,
            ("a differential bypass in it: [bypass set 15]",),
        )


def _taken_out(job: Job, run: Run) -> tuple[dict[str, Any], ...]:
    """The commands that remove a run and the tees nobody else is on."""
    commands: list[dict[str, Any]] = [{"do": "remove_run", "id": run.id}]
    others = {anchor for one in job.runs if one.id != run.id for anchor in (one.start, one.finish)}
    for anchor in (run.start, run.finish):
        owner, name = split_anchor(anchor)
        parent = job.run(owner)
        tee = (
            next((item for item in parent.items if item.kind == "tee" and item.name == name), None) if parent else None
        )
        if tee is not None and anchor not in others and not _followed(job, owner):
            commands.append({"do": "retype_item", "run": owner, "item": tee.id, "text": ""})
    return tuple(commands)


def _followed(job: Job, run: str) -> bool:
    """Whether another run goes beside a run and has its tees."""
    return any(one.twin_of is not None and one.twin_of.run == run for one in job.runs)


@rule(
    "unpiped",
    "mind",
    "a station that nothing is joined to",
    "What hangs on the wall without pipe gives nothing, and is found when all else is finished.",
    "rule of the sum",
)
def unpiped(view: View) -> Iterable[Said]:
    job, met = view.job, {anchor for run in view.job.runs for anchor in (run.start, run.finish)}
    paced = {run.service for run in job.runs if run.state == "new"}
    for station in job.stations:
        kind = spec.kind(station.kind)
        begun = {spec.service_of(port.role) for port in station.ports} & paced  # before that nothing is missing
        if station.state != "new" or station.kind == "stub" or not begun:
            continue
        open_ports = [port for port in station.ports if f"{station.id}.{port.name}" not in met]
        heats = [port for port in station.ports if port.role in SIDES]
        missing = [port for port in heats if port in open_ports] if station.kind == "emitter" else open_ports
        if station.kind == "emitter" and missing and len(missing) < len(heats):
            words = f"{station.id} has no pipe to its {missing[0].role}."
        elif len(open_ports) == len(station.ports):
            words = f"{station.id}, a {kind.title(job.practice)}, is joined to nothing."
        else:
            continue
        place = view.fitted.pipework.ports.get(f"{station.id}.{missing[0].name}")
        yield Said(
            (station.id, f"{station.id}.{missing[0].name}"),
            words,
            at=place.mouth if place else None,
            cures=(f"pace a run to {station.id}", "take it out of the survey"),
        )


@rule(
    "room-unheated",
    "mind",
    "a room that needs heat and has no emitter",
    "Somebody worked out what the room loses; nothing gives it back.",
    "rule of the sum",
    stage="sizes",
)
def room_unheated(view: View) -> Iterable[Said]:
    homes = {station.data.room for station in view.job.stations if station.state != "remove"}
    for one in rooms_heated(view.job, outputs_w(heating_of(view))):
        if one.need_w and one.room not in homes and heating_of(view):
            yield Said(
                (one.room,),
                f"{one.name} needs {one.need_w:.0f} W and has no emitter.",
                cures=(f"hang one there and say its room: {one.room}", "take its need out of the survey"),
            )


@rule(
    "filter-on-flow",
    "mind",
    "a filter on the flow only",
    "Sludge comes home on the return: a filter on the flow catches it after it has been through the boiler.",
    "rule of the trade",
    stage="sizes",
)
def filter_on_flow(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    for heating in heating_of(view):
        circuit = heating.circuit
        if not circuit.own or circuit.source.id in swapped(view.job):
            continue
        found = [node for part in ("filter", "strainer") for node in devices(circuit, work, part)]
        if not found or any(work.runs[node.run].run.role == "return" for node in found):
            continue
        moved = place_remedy(view, circuit, "Put one on the return", "[filter]", "return", least_mm=400)
        yield Said(
            (found[0].run, found[0].key),
            f"The filter of {circuit.source.id} stands on {found[0].run}, the flow.",
            tuple(moved),
            found[0].at,
            ("move it to the return, next to the boiler",),
        )


def _bypasses(view: View, circuit: Closed) -> Iterator[tuple[Node, DeviceItem, Run]]:
    for node in devices(circuit, view.fitted.pipework, "bypass"):
        run = view.job.run(node.run)
        item = next((i for i in run.items if i.id == node.item), None) if run else None
        if run is not None and isinstance(item, DeviceItem):
            yield node, item, run


def leaves_flow(job: Job, run: Run) -> bool:
    """Whether a run that joins flow and return was paced from the flow."""
    near = job.run(split_anchor(run.start)[0])
    return (near.role if near else run.role) == "flow"


@rule(
    "bypass-reversed",
    "stop",
    "a bypass set the wrong way round",
    "A differential bypass opens from the flow to the return; turned round it never opens, and the last valves are "
    "left with the whole head.",
    "maker",
)
def bypass_reversed(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        for node, item, run in _bypasses(view, heating.circuit):
            right = "with" if leaves_flow(view.job, run) else "against"
            if node.arrow in ("none", right):
                continue
            setting = f" set {item.setting}" if item.setting else ""
            name = f" {item.name}" if item.name else ""
            text = f"[bypass{name} {'>' if right == 'with' else '<'}{setting}]"
            yield Said(
                (run.id, node.key),
                f"The bypass on {run.id} points from the return to the flow: it never opens.",
                (
                    Remedy(
                        "Turn it round",
                        ({"do": "retype_item", "run": run.id, "item": item.id, "text": text},),
                        f"{text} on {run.id}",
                    ),
                ),
                node.at,
            )


@rule(
    "bypass-low",
    "mind",
    "a bypass set too low",
    "Set below what the circuit needs, it stands open all the time: the pump drives water round for nothing and the "
    "far emitters go short.",
    "rule of the trade",
    stage="sizes",
)
def bypass_low(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        for node, item, run in _bypasses(view, heating.circuit):
            said = leading_number(item.setting or "")
            over_pa = _head_over(view, heating, run)
            if said is None or over_pa is None or said * 1000 >= BYPASS_SHARE * over_pa:
                continue
            kpa = max(round(over_pa / 1000 + 1.0), 1)
            name = f" {item.name}" if item.name else ""
            text = f"[bypass{name} set {kpa}]"
            yield Said(
                (run.id, node.key),
                f"The bypass on {run.id} opens at {said:g} kPa; at the design flow {over_pa / 1000:.1f} kPa lie over "
                "it.",
                (
                    Remedy(
                        f"Set it to {kpa} kPa",
                        ({"do": "retype_item", "run": run.id, "item": item.id, "text": text},),
                        f"{text} on {run.id}",
                    ),
                ),
                node.at,
            )


def _head_over(view: View, heating: Heating, run: Run) -> float | None:
    """The pressure between the two ends of a bypass at the design flow [Pa]: the pump's head less what is lost on the
    way to them and home; None where they are not found."""
    work = view.fitted.pipework
    straights = [one for one in work.straights.values() if one.run == run.id]
    if not straights:
        return None
    ends = {straights[0].from_node, straights[-1].to_node}
    touching = {key for end in ends for key in work.arms.get(end, {}).values()}
    lost, met = 0.0, 0
    for role in SIDES:
        best: float | None = None
        for load in heating.loads:
            before = 0.0
            for name in load.path:
                section = heating.section(name)
                if section.role != role:
                    continue
                if touching & set(section.keys):
                    best = before if best is None else min(best, before)
                    break
                before += section.drop_pa
        if best is not None:
            lost, met = lost + best, met + 1
    source = next((tread.drop_pa for tread in heating.pressure_steps if tread.key == heating.circuit.source.id), 0.0)
    return heating.pump_head_pa - lost - source if met == 2 else None


@rule(
    "all-thermostatic",
    "mind",
    "all emitters with thermostatic valves and no bypass",
    "When the last of them shuts, the pump drives against closed valves: one emitter without a head, or a bypass that "
    "opens, keeps water going.",
    "rule of the trade; makers",
    stage="sizes",
)
def all_thermostatic(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        circuit = heating.circuit
        open_one = any(
            not load.regulates and not any(one.acts == "thermostatic" for one in load.locals) for load in heating.loads
        )
        inside = circuit.source.brings.pump  # a boiler with its own pump has its own bypass, or slows down
        bypass = any(devices(circuit, view.fitted.pipework, "bypass"))
        if not circuit.own or len(heating.loads) < 2 or open_one or inside or bypass:
            continue
        yield Said(
            (circuit.source.id,),
            f"Every emitter of {circuit.source.id} has a thermostatic valve, and there is no bypass.",
            at=heating.at,
            cures=(
                "a differential bypass: [bypass set 15]",
                "one emitter without a thermostatic head, where the room thermostat is",
                "a boiler or pump that has a bypass inside, or slows down by itself",
            ),
        )


@rule(
    "vessel-pressure-side",
    "mind",
    "an expansion vessel on the pressure side of the pump",
    "Where the vessel joins, the pressure stays as filled: behind the pump, all of its head is taken from the highest "
    "radiators, and air is drawn in there.",
    "rule of the trade",
    stage="sizes",
)
def vessel_pressure_side(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    for heating in heating_of(view):
        circuit = heating.circuit
        if not circuit.own:
            continue
        vessels = {node.key: node for node in devices(circuit, work, "vessel")}
        for pump in devices(circuit, work, "pump"):
            met = next((key for key in _behind(view, circuit, pump.key) if key in vessels), None)
            if met is not None:
                yield Said(
                    (vessels[met].run, met),
                    f"The vessel on {vessels[met].run} stands behind the pump on {pump.run}.",
                    at=vessels[met].at,
                    cures=("before the pump, on its suction side", "the pump behind the vessel, on the flow"),
                )


def _behind(view: View, circuit: Closed, start: str) -> list[str]:
    """The nodes that the water of a pump comes to before any emitter, the source passed through."""
    work, found, waiting = view.fitted.pipework, [start], [start]
    while waiting:
        key = waiting.pop()
        after = []
        for name in work.arms.get(key, {}).values():
            straight = work.straights[name]
            sign = view.flow.get(name, 0)
            if sign and (straight.from_node if sign > 0 else straight.to_node) == key:
                after.append(straight.to_node if sign > 0 else straight.from_node)
        node = work.nodes[key]
        if node.kind == "port":
            station = work.ports[node.part].station
            if station.id == circuit.source.id and work.ports[node.part].port.role == "return":
                after += [f"{station.id}.{port.name}" for port in station.ports if port.role == "flow"]
        for one in after:
            other = work.nodes.get(one)
            if other is None or one in found:
                continue
            if other.kind == "port" and work.ports[other.part].station.id != circuit.source.id:
                continue
            found.append(one)
            waiting.append(one)
    return found[1:]


@rule(
    "boiler-small",
    "mind",
    "a boiler below what its emitters give",
    "On the cold day it cannot hold its flow temperature, and the farthest rooms are the first to notice.",
    "rule of the sum",
    stage="sizes",
)
def boiler_small(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        source = heating.circuit.source
        given = source.data.output_w
        need = sum(load.output_w for load in heating.loads if not _is_coil(view, load.station))
        if not heating.circuit.own or not given or given >= BOILER_SHARE * need:
            continue
        yield Said(
            (source.id,),
            f"{source.id} gives {given / 1000:.1f} kW; its emitters take {need / 1000:.1f} kW.",
            at=heating.at,
            cures=("a larger boiler", "a lower flow temperature: the emitters then give less"),
        )


def _is_coil(view: View, ident: str) -> bool:
    station = view.job.station(ident)
    return station is not None and station.kind != "emitter" and not has_trait(station, "bars")


@rule(
    "safety-high",
    "stop",
    "a safety valve above what the boiler bears",
    "A safety valve that opens above the pressure on the boiler's plate protects nothing.",
    "std EN 12828; maker's plate",
    stage="sizes",
)
def safety_high(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        source = heating.circuit.source
        most = source.data.most_bar
        if not heating.circuit.own or heating.safety_assumed or not most or heating.safety_bar <= most + 1e-6:
            continue
        yield Said(
            (source.id,),
            f"The safety valve of {source.id} opens at {heating.safety_bar:g} bar; its plate says {most:g} bar.",
            at=heating.at,
            cures=(f"a safety valve of {most:g} bar or less",),
        )


@rule(
    "floor-unmixed",
    "stop",
    "a floor without its mixing",
    "Water above 50 C ruins the screed and the floor on it, and nobody can stand there: a floor has a mixing set.",
    "std EN 1264; typ",
    stage="sizes",
)
def floor_unmixed(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        flow_c = heating.circuit.terms.flow_c
        floors = [
            station.id for station in heating.circuit.stations if station.data.loop_m and station.state != "remove"
        ]
        if not floors or flow_c <= FLOOR_MOST_C:
            continue
        bars = {load.manifold for load in heating.loads if load.station in floors and load.manifold}
        remedies = []
        if len(bars) == 1:
            (manifold,) = bars
            circuit = {"id": view.job.free_id("UF"), "source": manifold, "flow_c": 40, "return_c": 33}
            remedies = [
                Remedy(
                    f"{manifold} mixes: 40/33 C behind it",
                    ({"do": "put_circuit", "circuit": circuit},),
                    f"{manifold} becomes a mixing set with a circuit of its own",
                )
            ]
        yield Said(
            (floors[0],),
            f"{', '.join(floors)}: {flow_c:g} C would go into the floor.",
            tuple(remedies),
            heating.at,
            ("a mixing set before the floor's manifold",),
        )


@rule(
    "two-sources",
    "stop",
    "two boilers on one circuit without check valves",
    "Where one boiler stands, the other drives its water backwards through it: heat goes up its flue, and its pump "
    "works against the other.",
    "rule of the trade; makers",
    stage="sizes",
)
def two_sources(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    told: set[frozenset[str]] = set()
    circuits = [heating.circuit for heating in heating_of(view) if heating.circuit.own]
    for one in circuits:
        for other in (station for station in one.stations if is_source(station) and station.id != one.source.id):
            pair = frozenset((one.source.id, other.id))
            if pair in told or other.state == "remove" or one.source.state == "remove":
                continue
            told.add(pair)
            bare = [ident for ident in sorted(pair) if not _checked(view, ident)]
            if bare:
                place = next((key for key in work.nodes if key.startswith(f"{bare[0]}.")), "")
                yield Said(
                    (bare[-1], bare[0]),
                    f"{' and '.join(sorted(pair))} feed one circuit; {' and '.join(bare)} "
                    f"{'has' if len(bare) == 1 else 'have'} no check valve.",
                    at=work.nodes[place].at if place else None,
                    cures=("a check valve on the flow of each: [check >]", "a low-loss header between them"),
                )


def _checked(view: View, ident: str) -> bool:
    """Whether a check valve stands on a run of a station's own."""
    return any(
        isinstance(item, DeviceItem) and item.part == "check"
        for run in view.job.runs
        if ident in (split_anchor(run.start)[0], split_anchor(run.finish)[0])
        for item in run.items
    )
