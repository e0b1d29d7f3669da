"""Closed heating circuits: what each must have, and whether its pipes and vessel are large enough."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from ....job.model import Leg
from ....network.graph import SHUTS, devices, lowest, region_has, tops
from ....network.section import PipeSection
from ....practice import AIR_SEPARATOR, FILTER, chosen
from ....quantity import length_text
from ....rules.legs import put_in_leg
from ....rules.registry import Remedy, Said, View
from ..circuits import Closed, has, is_source
from ..rooms_heated import outputs_w, rooms_heated
from ..simulate import NOISE_PA, balance
from ..sizing import heating_of
from ..valves import choose_pump
from .book import rule
from .changed import bridges, swapped


def room_for(
    view: View, circuit: Closed, role: str, *, before_valves: bool, least_mm: float = 260
) -> tuple[str, Leg, float] | None:
    """The first leg on the source's own run of a role with room for a part: (run, leg, how far along)."""
    starts = [f"{circuit.source.id}.{port.name}" for port in circuit.source.ports if port.role == role]
    for run in view.job.runs:
        backwards = run.finish in starts
        if run.start not in starts and not backwards or run.id not in view.fitted.pipework.runs:
            continue
        for item in reversed(run.items) if backwards else run.items:
            if item.kind == "tee" or before_valves and item.kind == "device" and getattr(item, "part", "") in SHUTS:
                break
            if isinstance(item, Leg):
                length = view.fitted.pipework.runs[run.id].lengths[item.id]
                if length >= least_mm:
                    near = min(length / 2, 300.0)
                    return run.id, item, round(length - near if backwards else near)
    return None


def place_remedy(
    view: View, circuit: Closed, title: str, text: str, role: str, *, before_valves: bool = False, least_mm: float = 260
) -> list[Remedy]:
    """A remedy that puts a device on the source's run of a role, where there is room."""
    spot = room_for(view, circuit, role, before_valves=before_valves, least_mm=least_mm)
    if spot is None:
        return []
    run, leg, at = spot
    where = length_text(at, view.job.pace_unit, with_unit=True)
    effect = (
        f"{text} on {run}, {where} along "
        f"{leg.dir}{length_text(view.fitted.pipework.runs[run].lengths[leg.id], view.job.pace_unit)}"
    )
    return [Remedy(title, (put_in_leg(view, run, leg, text, at),), effect)]


def bring_remedy(circuit: Closed, title: str, effect: str, **brings: Any) -> Remedy:
    """A remedy that says the source has it inside."""
    station = circuit.source.model_dump(exclude_none=True)
    station["brings"] = {**station.get("brings", {}), **brings}
    return Remedy(title, ({"do": "put_station", "station": station},), effect)


LEAST_SURPLUS_PA = 500.0  # below this an easy branch does not hurt the others


@rule(
    "no-safety-valve",
    "stop",
    "a closed circuit without a safety valve",
    "Water that is heated in a closed circuit bursts it. The valve stands on the flow at the boiler with nothing that "
    "can shut between, and its discharge is seen.",
    "rule of the trade, std EN 12828",
)
def no_safety_valve(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        circuit = heating.circuit
        if circuit.own and not has(circuit, view.fitted.pipework, "safety-valve"):
            source = circuit.source.id
            remedies = place_remedy(
                view, circuit, "Put one on the flow", "[safety-valve set 3]", "flow", before_valves=True
            )
            remedies.append(
                bring_remedy(
                    circuit,
                    f"{source} has one inside",
                    f"{source} brings a safety valve of 3 bar",
                    safety_valve_bar=3.0,
                )
            )
            yield Said((source,), f"The circuit of {source} has no safety valve.", tuple(remedies), heating.at)


@rule(
    "no-filling",
    "stop",
    "a closed circuit without a filling point",
    "It cannot be filled, topped up or dosed.",
    "rule of the trade",
)
def no_filling(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        circuit = heating.circuit
        if circuit.own and not has(circuit, view.fitted.pipework, "filling"):
            source = circuit.source.id
            remedies = place_remedy(view, circuit, "Put one on the return", "[filling]", "return")
            remedies.append(
                bring_remedy(circuit, f"{source} has one inside", f"{source} brings a filling point", filling=True)
            )
            yield Said((source,), f"The circuit of {source} has no filling point.", tuple(remedies), heating.at)


def _leg_in(view: View, nodes: tuple[str, ...], least_mm: float) -> tuple[str, Leg] | None:
    """The longest leg that runs within a region."""
    work, within = view.fitted.pipework, set(nodes)
    best: tuple[float, str, Leg] | None = None
    for ident, trace in work.runs.items():
        legs, lengths = trace.run.legs, trace.lengths
        for straight in work.by_run[ident].straights.values() if ident in work.by_run else ():
            if straight.from_node not in within or straight.to_node not in within:
                continue
            for leg in (legs[key] for key in straight.legs if key in legs):  # a twin has none to put a part into
                if lengths[leg.id] >= max(least_mm, best[0] if best else 0.0):
                    best = lengths[leg.id], ident, leg
    return (best[1], best[2]) if best else None


def _region_remedies(view: View, nodes: tuple[str, ...], part: str, title: str) -> tuple[Remedy, ...]:
    found = _leg_in(view, nodes, 180.0)
    if found is None:
        return ()
    run, leg = found
    length = view.fitted.pipework.runs[run].lengths[leg.id]
    at = round(length / 2 if length < 800 else 300.0)
    effect = (
        f"[{part}] on {run}, {length_text(at, view.job.pace_unit, with_unit=True)} along "
        f"{leg.dir}{length_text(length, view.job.pace_unit)}"
    )
    return (Remedy(title, (put_in_leg(view, run, leg, f"[{part}]", at),), effect),)


@rule(
    "no-drain",
    "stop",
    "no drain at the lowest point",
    "What lies below the drain stays in the pipe when it is cut or freezes. A drain cock stands at the lowest region.",
    "rule of the trade",
)
def no_drain(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        low = lowest(heating.circuit, view.fitted.pipework)
        if heating.circuit.own and not region_has(low, view.fitted.pipework, "drain"):
            z = length_text(low.z_mm, view.job.pace_unit, with_unit=True)
            remedies = _region_remedies(view, low.nodes, "drain", "Put a drain cock there")
            yield Said(
                (heating.circuit.source.id, low.nodes[0]),
                f"The lowest pipe of the circuit, at {z}, has no drain.",
                remedies,
                low.at,
                ("a drain cock on any pipe of that level",),
            )


@rule(
    "no-vent",
    "mind",
    "a high point without a vent",
    "Air gathers there, stops the flow and cannot be let out.",
    "rule of the trade",
)
def no_vent(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        for region in tops(heating.circuit, view.fitted.pipework):
            if region_has(region, view.fitted.pipework, "vent"):
                continue
            z = length_text(region.z_mm, view.job.pace_unit, with_unit=True)
            run = view.fitted.pipework.nodes[region.nodes[0]].run
            remedies = _region_remedies(view, region.nodes, "vent", "Put a vent there")
            yield Said(
                (run, region.nodes[0]),
                f"{run} has a high point at {z} without a vent.",
                remedies,
                region.at,
                ("a station there that vents",),
            )


@rule(
    "section-over",
    "mind",
    "a section over its limits",
    "Too fast, the water is heard and wears the bends; too steep, it costs the pump its head.",
    "typ limits of the practice",
    stage="sizes",
)
def section_over(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        together: dict[tuple[str, str | None], list[PipeSection]] = {}
        for section in heating.sections:
            together.setdefault((section.run, section.item), []).append(section)
        for section in heating.sections:
            if section.over:
                says = f"{section.id}, {section.pipe}: {'; '.join(section.over)}."
                yield Said(
                    (section.run, section.keys[0]),
                    says,
                    tuple(_larger_pipe(view, together[section.run, section.item], section)),
                    view.fitted.spans[section.keys[0]][0],
                    ("a shorter way", "a larger difference between flow and return"),
                )


def _larger_pipe(view: View, same: list[PipeSection], section: PipeSection) -> Iterable[Remedy]:
    """The smallest size that holds, set where the section's pipe is said: all sections said there (same) follow."""
    sizes = [one.proposed for one in same if one.proposed]
    if not sizes:
        return
    order = view.context.catalogue.sizes(section.pipe.code)
    new = max(sizes, key=lambda pipe: order.index(pipe.size))
    command = {"do": "set_pipe", "run": section.run, "item": section.item, "code": new.code, "size": new.size}
    yield Remedy(f"Make it {new}", (command,), f"{', '.join(one.id for one in same)}: {section.pipe} becomes {new}")


@rule(
    "left-out",
    "mind",
    "not in the circuit's sum",
    "What is not joined both ways, or has no output, gets no water in the sum.",
    "rule of the sum",
    stage="sizes",
)
def left_out(view: View) -> Iterable[Said]:
    told = {run.id for run, _ in bridges(view)} | set(swapped(view.job))
    for heating in heating_of(view):
        source = heating.circuit.source.id
        if source in told:
            continue  # said there, once
        if len(heating.left_out) > 1 and not heating.loads:
            yield Said(
                (source,),
                f"Nothing circulates from {source}: none of its {len(heating.left_out)} emitters is joined both ways.",
                at=heating.at,
                cures=("join flow and return of one of them to the boiler",),
            )
            continue
        for words in heating.left_out:
            ident = words.split()[0].rstrip(":")
            if ident not in told:
                yield Said((ident,), f"{words[0].upper()}{words[1:]}.")


@rule(
    "terms-assumed",
    "note",
    "temperatures nobody has said",
    "Flows and sizes follow from flow and return temperature.",
    "typ",
    stage="sizes",
)
def terms_assumed(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        if heating.circuit.assumed:
            source = heating.circuit.source.id
            ident = view.job.free_id("CH")
            remedies = tuple(
                Remedy(
                    f"Run it at {flow}/{back} C",
                    (
                        {
                            "do": "put_circuit",
                            "circuit": {"id": ident, "source": source, "flow_c": flow, "return_c": back},
                        },
                    ),
                    f"circuit {ident} of {source}: flow {flow} C, return {back} C",
                )
                for flow, back in ((75, 65), (70, 50), (55, 45))
            )
            yield Said((source,), f"The circuit of {source} is worked out at 75/65 C, which nobody has said.", remedies)


@rule(
    "not-balanced",
    "mind",
    "an emitter that cannot be balanced",
    "The water takes the easy way: an emitter that cannot be throttled far enough takes the flow of the others.",
    "typ lockshield curve",
    stage="sizes",
)
def not_balanced(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        for one in balance(heating):
            kpa = one.surplus_pa / 1000
            if one.valve == "lockshield" and not one.possible:
                yield Said(
                    (one.station,),
                    f"{one.station} has {kpa:.1f} kPa too much: its lockshield would have to close below a quarter "
                    "turn.",
                    cures=(
                        "a pump set lower, or one that keeps a smaller pressure",
                        "a valve with a presetting",
                        "a smaller pipe to it",
                    ),
                )
            if one.valve == "" and one.surplus_pa > LEAST_SURPLUS_PA:
                yield Said(
                    (one.station,),
                    f"{one.station} has {kpa:.1f} kPa too much and no valve to take it: it starves the emitters.",
                    cures=(f"a balancing valve on its return: [balance set {one.kv:.2g}]",),
                )


@rule(
    "valve-noise",
    "mind",
    "thermostatic valves that will be heard",
    "With the others shut, the whole head of the pump lies over the last thermostatic valve: above 20 kPa it whistles.",
    "typ",
    stage="sizes",
)
def valve_noise(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    for heating in heating_of(view):
        most = max((max(duty.head_pa, duty.given_pa or 0.0) for duty in heating.pumps), default=0.0)
        has_one = any(one.acts == "thermostatic" for load in heating.loads for one in load.locals)
        if not has_one or most <= NOISE_PA or any(devices(heating.circuit, work, "bypass")):
            continue
        source = heating.circuit.source.id
        gives = any((duty.given_pa or 0.0) >= most for duty in heating.pumps)
        yield Said(
            (source,),
            f"The {'pump' if gives else 'circuit'} of {source} {'gives' if gives else 'needs'} {most / 1000:.0f} kPa: "
            "thermostatic valves whistle when the others shut.",
            at=heating.at,
            cures=(
                "larger pipe on the way to the index emitter",
                "a differential bypass: [bypass set 15]",
                "a pump that keeps a smaller pressure",
            ),
        )


@rule(
    "room-short",
    "mind",
    "a room its emitters do not warm",
    "At the circuit's temperatures the emitters of the room give less than it was said to need.",
    "std EN 442",
    stage="sizes",
)
def room_short(view: View) -> Iterable[Said]:
    for one in rooms_heated(view.job, outputs_w(heating_of(view))):
        if one.short and one.emitters:
            terms = {
                f"{heating.circuit.terms.flow_c:g}/{heating.circuit.terms.return_c:g}"
                for heating in heating_of(view)
                if any(load.station in one.emitters for load in heating.loads)
            }
            yield Said(
                (one.emitters[0], one.room),
                f"{one.name} needs {one.need_w:.0f} W, its emitters give {one.given_w:.0f} W at "
                f"{' and '.join(sorted(terms))} C.",
                cures=("a larger emitter, or one more", "a higher flow temperature", "less heat lost from the room"),
            )


@rule(
    "residual-head",
    "stop",
    "the pump inside cannot reach the index emitter",
    "What the pump within a boiler leaves at its ports must carry the flow round the hardest way; if it does not, the "
    "far emitters stay cold.",
    "rule of the trade; curve by the label",
    stage="sizes",
)
def residual_head(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        left = heating.residual_pa
        if left is None or left >= heating.pump_head_pa - 1:
            continue
        source = heating.circuit.source.id
        per_hour = heating.flow_kg_s / heating.medium.density_kg_m3 * 3.6e6
        yield Said(
            (source,),
            f"The pump inside {source} leaves {max(left, 0) / 1000:.1f} kPa at {per_hour:.0f} L/h; the way to "
            f"{heating.index} needs {heating.pump_head_pa / 1000:.1f} kPa.",
            at=heating.at,
            cures=(
                "larger pipe on the way to the index emitter",
                "a larger difference between flow and return",
                "a low-loss header and a pump of its own for the circuit",
            ),
        )


@rule(
    "single-pipe",
    "note",
    "emitters on one ring",
    "On a single-pipe ring each emitter sends its cooler water on to the next, and takes only what the pipe between "
    "its tees holds up.",
    "rule of the trade",
    stage="sizes",
)
def single_pipe(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        if not heating.single_pipe or not heating.loads or bridges(view):
            continue
        last = min(heating.loads, key=lambda load: load.flow_c)
        source = heating.circuit.source.id
        yield Said(
            (source,),
            f"The emitters of {source} hang on one ring: {last.station} gets its water at {last.flow_c:.0f} C, where "
            f"the ring starts with {heating.circuit.terms.flow_c:g} C.",
            at=heating.at,
            cures=(
                "larger emitters towards its end",
                "two pipes where it is laid anew",
                "a smaller difference between flow and return",
            ),
        )


@rule(
    "no-circulator",
    "mind",
    "no circulator of the usual ones for the duty",
    "Past what a usual circulator gives, the far emitters stay cold however it is set.",
    "typ curves of generic circulators",
    stage="sizes",
)
def no_circulator(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        inside = heating.circuit.source.brings.pump
        for duty in heating.pumps:
            if duty.given_pa is not None or duty.key == heating.circuit.source.id and inside:
                continue  # one with a curve, or that comes with the source, is judged by its label
            if choose_pump(duty.flow_kg_s, duty.head_pa, heating.medium) is None:
                litres_h = duty.flow_kg_s / heating.medium.density_kg_m3 * 3.6e6
                yield Said(
                    (duty.key,),
                    f"No usual circulator gives {duty.head_pa / 1000:.1f} kPa at {litres_h:.0f} L/h.",
                    (),
                    heating.at,
                    ("larger pipe on the way to the index", "a larger difference between flow and return"),
                )


@rule(
    "pump-backflow",
    "mind",
    "pumps side by side without check valves",
    "Where one pump stands, the other drives water backwards through it: that emitter cools the flow, or warms when "
    "nobody asked.",
    "rule of the trade",
    stage="sizes",
)
def pump_backflow(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    for heating in heating_of(view):
        if len(heating.pumps) < 2:
            continue
        loads = {load.station: load for load in heating.loads}
        for duty in heating.pumps:
            if not duty.loads or duty.key == heating.circuit.source.id or duty.key not in work.nodes:
                continue
            ways = [set(loads[name].path) for name in duty.loads]
            others = {name for load in heating.loads if load.station not in duty.loads for name in load.path}
            sections = [heating.section(name) for name in set.intersection(*ways) - others]
            nodes = {
                node
                for section in sections
                for key in section.keys
                for node in (work.straights[key].from_node, work.straights[key].to_node)
            }
            if any(work.nodes[node].kind == "device" and work.nodes[node].part == "check" for node in nodes):
                continue
            node = work.nodes[duty.key]
            yield Said(
                (node.run, duty.key),
                f"The {duty.title} has no check valve: the other pump drives water backwards through it.",
                at=node.at,
                cures=(
                    "a check valve behind the pump, its arrow with the flow: [check >]",
                    "a pump with a built-in check valve",
                ),
            )


@rule(
    "crossed",
    "stop",
    "flow and return crossed",
    "A thermostatic valve on the return knocks, and a boiler joined the wrong way round boils its own water: the "
    "warm-up says which pipe is which, not the drawing.",
    "measured",
    stage="survey",
)
def crossed(view: View) -> Iterable[Said]:
    for fact in view.job.facts:
        ident, _, what = fact.path.partition(".")
        station = view.job.station(ident)
        if what != "flow-is" or station is None or station.state == "remove":
            continue
        port = next((port for port in station.ports if port.name == fact.value), None)
        if port is None or port.role != "return":
            continue
        key = f"{ident}.{port.name}"
        place = view.fitted.pipework.ports.get(key)
        yield Said(
            (ident, key),
            f"{ident}: the log says its {port.name} pipe is the flow, the job has it as return.",
            at=place.mouth if place else None,
            cures=(
                "change the two pipes over where they can be reached",
                "pace them as they are: the flow to that port",
                f"at a radiator, the thermostatic valve to the {port.name} side or one for both directions",
            ),
            severity="stop" if is_source(station) else "mind",
        )


@rule(
    "no-air-separator",
    "note",
    "no air separator on the flow",
    "Air that comes out of the hot water goes round as noise and rust; a separator takes it out at the hottest, "
    "lowest-pressure place.",
    "house practice",
    stage="sizes",
)
def no_air_separator(view: View) -> Iterable[Said]:
    school = chosen(view.job, AIR_SEPARATOR)[0].id
    if school == "boiler":
        return
    work = view.fitted.pipework
    for heating in heating_of(view):
        circuit = heating.circuit
        if not circuit.own or not heating.loads or any(devices(circuit, work, "air-separator")):
            continue
        if school == "climbs":
            high = (region for region in tops(circuit, work) if region.z_mm > heating.at.z + 300)
            if all(region_has(region, work, "vent") for region in high):
                continue
        remedies = place_remedy(view, circuit, "Put one on the flow", "[air-separator]", "flow")
        yield Said(
            (circuit.source.id,),
            f"The circuit of {circuit.source.id} has no air separator.",
            tuple(remedies),
            heating.at,
            ("let it stand: the boiler's own vent does",),
        )


@rule(
    "no-filter",
    "note",
    "no filter on the return",
    "Black sludge from old radiators settles in the new boiler. A magnetic filter stands on the return, next to the "
    "boiler, where it can be shut off and cleaned.",
    "house practice",
    stage="sizes",
)
def no_filter(view: View) -> Iterable[Said]:
    if chosen(view.job, FILTER)[0].id != "always":
        return
    work = view.fitted.pipework
    for heating in heating_of(view):
        circuit = heating.circuit
        if not circuit.own or not heating.loads or any(devices(circuit, work, part) for part in ("filter", "strainer")):
            continue
        remedies = place_remedy(view, circuit, "Put one on the return", "[filter]", "return", least_mm=400)
        yield Said(
            (circuit.source.id,),
            f"The circuit of {circuit.source.id} has no magnetic filter.",
            tuple(remedies),
            heating.at,
            ("one in the boiler's own connection set",),
        )


@rule(
    "fill-low",
    "mind",
    "filled too low",
    "Filled below pre-charge and reserve the vessel has no water to give back when the circuit cools, and air is "
    "drawn in at the top.",
    "std EN 12828 annex D",
    stage="sizes",
)
def fill_low(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        said, vessel = heating.circuit.terms.fill_bar, heating.vessel
        if said is None or vessel is None or said >= vessel.least_fill_bar - 0.005:
            continue
        circuit = {
            **heating.circuit.terms.model_dump(exclude_none=True),
            "fill_bar": round(vessel.least_fill_bar + 0.049, 1),
        }
        remedy = Remedy(
            f"Fill to {circuit['fill_bar']:.1f} bar",
            ({"do": "put_circuit", "circuit": circuit},),
            "the cold pressure that puts the reserve into the vessel",
        )
        yield Said(
            (heating.circuit.source.id,),
            f"The circuit of {heating.circuit.source.id} is filled to {said:.1f} bar; it needs "
            f"{vessel.least_fill_bar:.2f} bar cold.",
            (remedy,),
            heating.at,
        )
