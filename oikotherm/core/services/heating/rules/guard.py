"""What must not be shut off, turned round, shrunk or let air through in a heating circuit."""

from __future__ import annotations

from collections.abc import Iterable

from ....job.model import DeviceItem
from ....network.graph import CLOSES, devices, through_ports
from ....pipework.geometry import Node, Pipework
from ....rules.registry import Remedy, Said, View
from ..circuits import Closed
from ..sizing import heating_of
from .book import rule

LOCKED = "locked"
INSERT_TIMES = 1.0  # the speed in an insert is judged by the limit of its pipe: size by the narrowest bore


def _locked(view: View, node: Node) -> bool:
    item = _item(view, node)
    return item is not None and (item.setting or "").strip().lower() == LOCKED


def _item(view: View, node: Node) -> DeviceItem | None:
    return next(
        (i for run in view.job.runs for i in run.items if isinstance(i, DeviceItem) and i.id == node.item), None
    )


def _way(view: View, circuit: Closed, start: str, *, through_valves: bool) -> list[str] | None:
    """The shortest way by pipe from a node to the source, through no emitter; None where there is none."""
    work = view.fitted.pipework
    beside = work.graph.beside
    came: dict[str, str] = {start: ""}
    waiting = [start]
    for key in waiting:
        node = work.nodes[key]
        if node.kind == "port" and work.ports[node.part].station.id == circuit.source.id:
            way = [key]
            while came[way[-1]]:
                way.append(came[way[-1]])
            return way
        if (
            node.kind == "device"
            and node.part in CLOSES
            and not through_valves
            and not _locked(view, node)
            and key != start
        ):
            continue
        for other in (*through_ports(work, key), *(other for other, _ in beside.get(key, ()))):
            if other not in came:
                came[other] = key
                waiting.append(other)
    return None


def _on_circuit(circuit: Closed, work: Pipework, part: str) -> list[tuple[str, str, str]]:
    """Devices and stations of a kind: (node, run or station, what it is called)."""
    found = [
        (node.key, node.run, f"The {part.replace('-', ' ')} on {node.run}") for node in devices(circuit, work, part)
    ]
    for station in circuit.stations:
        if station.kind == part and station.state != "remove":
            found += [
                (key, station.id, station.id)
                for port in station.ports
                if (key := f"{station.id}.{port.name}") in work.nodes
            ]
    return found


def _shut(view: View, part: str) -> Iterable[Said]:
    work = view.fitted.pipework
    for heating in heating_of(view):
        circuit = heating.circuit
        if not circuit.own:
            continue
        for start, owner, title in _on_circuit(circuit, work, part):
            if _way(view, circuit, start, through_valves=False) is not None:
                continue
            way = _way(view, circuit, start, through_valves=True)
            if way is None:
                continue
            closing = [
                work.nodes[key]
                for key in way
                if work.nodes[key].kind == "device"
                and work.nodes[key].part in CLOSES
                and not _locked(view, work.nodes[key])
            ]
            commands = []
            for node in closing:
                item = _item(view, node)
                if item is not None:
                    name = f" {item.name}" if item.name else ""
                    commands.append(
                        {
                            "do": "retype_item",
                            "run": node.run,
                            "item": item.id,
                            "text": f"[{node.part}{name} set {LOCKED}]",
                        }
                    )
            where = " and ".join(dict.fromkeys(f"the {node.part} valve on {node.run}" for node in closing))
            remedies: tuple[Remedy, ...] = ()
            if part == "vessel" and commands:
                remedies = (Remedy("Let it lock open", tuple(commands), f"{where} locks open, its handle off"),)
            yield Said(
                (owner, start),
                f"{title} can be shut off from {circuit.source.id} by {where}.",
                remedies,
                work.nodes[start].at,
                (
                    "put it between the boiler and its valve",
                    *(("a valve that locks open: [iso set locked]",) if part == "vessel" else ()),
                ),
            )


@rule(
    "safety-behind-valve",
    "stop",
    "a safety valve that can be shut off",
    "A valve between boiler and safety valve makes the boiler a closed vessel on a fire. Nothing that closes stands "
    "between them.",
    "rule of the trade, std EN 12828",
    stage="sizes",
)
def safety_behind_valve(view: View) -> Iterable[Said]:
    yield from _shut(view, "safety-valve")


@rule(
    "vessel-behind-valve",
    "mind",
    "a vessel that can be shut off",
    "With the vessel shut off the water has nowhere to grow to and the safety valve lifts. What stands between is "
    "locked open.",
    "rule of the trade, std EN 12828",
    stage="sizes",
)
def vessel_behind_valve(view: View) -> Iterable[Said]:
    yield from _shut(view, "vessel")


def _acts(view: View, part: str) -> str:
    row = view.context.catalogue.kits.get(part)
    return row.acts if row else ""


@rule(
    "trv-on-return",
    "mind",
    "a thermostatic valve on the return",
    "A one-way thermostatic valve that the water meets from behind hammers and does not shut. It stands on the flow, "
    "or is marked for both directions.",
    "maker",
    stage="sizes",
)
def trv_on_return(view: View) -> Iterable[Said]:
    for station in view.job.stations:
        ports = {port.role: port for port in station.ports if port.role in ("flow", "return")}
        back = ports.get("return")
        if (
            station.state == "remove"
            or back is None
            or not any(_acts(view, kit.part) == "thermostatic" for kit in back.kit)
        ):
            continue
        remedies = []
        flow = ports.get("flow")
        if flow is not None:
            kept = station.model_dump(exclude_none=True)
            swapped = {
                back.name: [kit.model_dump() for kit in flow.kit],
                flow.name: [kit.model_dump() for kit in back.kit],
            }
            kept["ports"] = [
                {
                    **port.model_dump(exclude_none=True),
                    "kit": swapped.get(port.name, [kit.model_dump() for kit in port.kit]),
                }
                for port in station.ports
            ]
            remedies = [
                Remedy(
                    "Change the two valves over",
                    ({"do": "put_station", "station": kept},),
                    f"{station.id}: thermostatic valve at {flow.name}, the other at {back.name}",
                )
            ]
        key = f"{station.id}.{back.name}"
        place = view.fitted.pipework.ports.get(key)
        yield Said(
            (station.id, key),
            f"{station.id} has its thermostatic valve on the return.",
            tuple(remedies),
            place.mouth if place else None,
            ("a valve marked for both directions",),
        )


@rule(
    "insert-bore",
    "mind",
    "a bore shrunk by insert fittings",
    "Fittings with inserts are narrower than their pipe: the speed there is heard, and the drop is more than the "
    "pipe's.",
    "typ bores",
    stage="sizes",
)
def insert_bore(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        for section in heating.sections:
            if section.insert_mm is None or section.limit is None or not section.flow_kg_s:
                continue
            row = view.context.catalogue.pipe(section.pipe.code, section.pipe.size)
            bore = row.bore_mm if row else None
            speed = section.drop.velocity_m_s * (bore / section.insert_mm) ** 2 if bore else 0.0
            if speed <= INSERT_TIMES * section.limit.velocity_m_s:
                continue
            yield Said(
                (section.run, section.keys[0]),
                f"{section.id}, {section.pipe}: {speed:.2f} m/s in its fittings of {section.insert_mm:g} mm bore.",
                at=view.fitted.spans[section.keys[0]][0],
                cures=("the next size", "bends instead of fittings", "compression fittings of full bore"),
            )


@rule(
    "oxygen-barrier",
    "note",
    "plastic that may let oxygen in",
    "Plastic without a barrier lets oxygen through its wall, and the steel of the circuit rusts from inside.",
    "std EN 1264-4, DIN 4726",
    stage="sizes",
)
def oxygen_barrier(view: View) -> Iterable[Said]:
    seen: set[str] = set()
    for run in view.job.runs:
        system = view.context.catalogue.systems.get(run.pipe.code)
        if (
            run.service != "heating"
            or run.state != "new"
            or system is None
            or "barrier type" not in system.note
            or system.code in seen
        ):
            continue
        seen.add(system.code)
        yield Said(
            (run.id,), f"{run.id}: of {system.title} take the {system.note}.", cures=("pipe marked as diffusion-tight",)
        )
