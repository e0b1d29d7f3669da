"""Closed heating circuits: what each must have, and whether its pipes and vessel are large enough."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from ..heating.circuits import Closed, has, region_has, regions
from ..heating.sizes import Heating, Section
from ..heating.vessel import SIZES_L
from ..job.model import Leg
from ..quantity import length_text, trim
from .registry import Remedy, Said, View, rule

SHUTS = ("iso", "gate", "check")


def put_in_leg(view: View, run_id: str, leg: Leg, text: str, at_mm: float) -> dict[str, Any]:
    """The command that puts a part into a leg so far along it; the leg keeps its whole length and how sure it is."""
    from ..job.notation import exact_length

    length = view.fitted.pipework.runs[run_id].lengths[leg.id]
    unit, comma = view.job.pace_unit, view.job.practice == "continental"
    doubt = "" if leg.basis == "taped" else "?"

    def said(mm: float) -> str:
        text_ = exact_length(round(mm, 3), unit)
        return (text_.replace(".", ",") if comma else text_) + doubt

    rest = f"{leg.dir}?" if leg.length_mm is None else f"{leg.dir}{said(length - at_mm)}"
    return {"do": "retype_item", "run": run_id, "item": leg.id, "text": f"{leg.dir}{said(at_mm)} {text} {rest}"}


def room_for(
    view: View, circuit: Closed, role: str, *, before_valves: bool, least_mm: float = 260
) -> tuple[str, Leg, float] | None:
    """The first leg on the source's own run of a role with room for a part: (run, leg, how far along)."""
    starts = [f"{circuit.source.id}.{port.name}" for port in circuit.source.ports if port.role == role]
    for run in view.job.runs:
        backwards = run.finish in starts
        if run.start not in starts and not backwards:
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
    view: View, circuit: Closed, title: str, text: str, role: str, *, before_valves: bool = False
) -> list[Remedy]:
    """A remedy that puts a device on the source's run of a role, where there is room."""
    spot = room_for(view, circuit, role, before_valves=before_valves)
    if spot is None:
        return []
    run, leg, at = spot
    where = length_text(at, view.job.pace_unit, with_unit=True)
    effect = f"{text} on {run}, {where} along {leg.dir}{length_text(view.fitted.pipework.runs[run].lengths[leg.id], view.job.pace_unit)}"
    return [Remedy(title, (put_in_leg(view, run, leg, text, at),), effect)]


def bring_remedy(circuit: Closed, title: str, effect: str, **brings: Any) -> Remedy:
    """A remedy that says the source has it inside."""
    station = circuit.source.model_dump(exclude_none=True)
    station["brings"] = {**station.get("brings", {}), **brings}
    return Remedy(title, ({"do": "put_station", "station": station},), effect)


@rule(
    "no-safety-valve", "stop", "a closed circuit without a safety valve",
    "Water that is heated in a closed circuit bursts it. The valve stands on the flow at the boiler with nothing that can shut between, and its discharge is seen.",
    "rule of the trade, std EN 12828",
)  # fmt: skip
def no_safety_valve(view: View) -> Iterable[Said]:
    for heating in view.heating:
        circuit = heating.circuit
        if not has(circuit, view.fitted.pipework, "safety-valve"):
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
    "no-vessel", "stop", "a closed circuit without an expansion vessel",
    "Water grows by about three parts in a hundred from cold to hot; without a vessel the safety valve lifts at every heating.", "rule of the trade, std EN 12828",
)  # fmt: skip
def no_vessel(view: View) -> Iterable[Said]:
    for heating in view.heating:
        circuit = heating.circuit
        if not has(circuit, view.fitted.pipework, "vessel"):
            source, litres = circuit.source.id, trim(heating.vessel.chosen_l if heating.vessel else 18, 1)
            remedies = place_remedy(
                view, circuit, f"Put one of {litres} L on the return", f"[vessel set {litres}]", "return"
            )
            remedies.append(
                bring_remedy(
                    circuit,
                    f"{source} has one inside",
                    f"{source} brings a vessel of {litres} L",
                    vessel_l=float(litres),
                )
            )
            yield Said(
                (source,),
                f"The circuit of {source} has no expansion vessel; it needs {litres} L.",
                tuple(remedies),
                heating.at,
            )


@rule(
    "no-filling",
    "stop",
    "a closed circuit without a filling point",
    "It cannot be filled, topped up or dosed.",
    "rule of the trade",
)
def no_filling(view: View) -> Iterable[Said]:
    for heating in view.heating:
        circuit = heating.circuit
        if not has(circuit, view.fitted.pipework, "filling"):
            source = circuit.source.id
            remedies = place_remedy(view, circuit, "Put one on the return", "[filling]", "return")
            remedies.append(
                bring_remedy(circuit, f"{source} has one inside", f"{source} brings a filling point", filling=True)
            )
            yield Said((source,), f"The circuit of {source} has no filling point.", tuple(remedies), heating.at)


def _leg_in(view: View, nodes: tuple[str, ...], least_mm: float) -> tuple[str, Leg] | None:
    """The longest leg that runs within a region."""
    work = view.fitted.pipework
    best: tuple[float, str, Leg] | None = None
    for straight in work.straights.values():
        if straight.from_node in nodes and straight.to_node in nodes:
            run = work.runs[straight.run]
            for item in run.run.items:
                if not isinstance(item, Leg) or item.id not in straight.legs:
                    continue
                if run.lengths[item.id] >= max(least_mm, best[0] if best else 0.0):
                    best = run.lengths[item.id], straight.run, item
    return (best[1], best[2]) if best else None


def _region_remedies(view: View, nodes: tuple[str, ...], part: str, title: str) -> tuple[Remedy, ...]:
    found = _leg_in(view, nodes, 180.0)
    if found is None:
        return ()
    run, leg = found
    length = view.fitted.pipework.runs[run].lengths[leg.id]
    at = round(length / 2 if length < 800 else 300.0)
    effect = f"[{part}] on {run}, {length_text(at, view.job.pace_unit, with_unit=True)} along {leg.dir}{length_text(length, view.job.pace_unit)}"
    return (Remedy(title, (put_in_leg(view, run, leg, f"[{part}]", at),), effect),)


@rule(
    "no-drain", "stop", "no drain at the lowest point",
    "What lies below the drain stays in the pipe when it is cut or freezes. A drain cock stands at the lowest region.", "rule of the trade",
)  # fmt: skip
def no_drain(view: View) -> Iterable[Said]:
    for heating in view.heating:
        low = regions(heating.circuit, view.fitted.pipework, low=True)
        if low and not region_has(low[0], view.fitted.pipework, "drain"):
            z = length_text(low[0].z_mm, view.job.pace_unit, with_unit=True)
            remedies = _region_remedies(view, low[0].nodes, "drain", "Put a drain cock there")
            yield Said((heating.circuit.source.id, low[0].nodes[0]), f"The lowest pipe of the circuit, at {z}, has no drain.", remedies, low[0].at,
                       ("a drain cock on any pipe of that level",))  # fmt: skip


@rule(
    "no-vent",
    "mind",
    "a high point without a vent",
    "Air gathers there, stops the flow and cannot be let out.",
    "rule of the trade",
)
def no_vent(view: View) -> Iterable[Said]:
    for heating in view.heating:
        for region in regions(heating.circuit, view.fitted.pipework, low=False):
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
    "vessel-small", "stop", "the expansion vessel is too small",
    "The pressure climbs past what the safety valve allows before the water is hot.", "std EN 12828 annex D; reserve typ",
)  # fmt: skip
def vessel_small(view: View) -> Iterable[Said]:
    for heating in view.heating:
        here, vessel = heating.vessel_here_l, heating.vessel
        if here is None or vessel is None or here >= vessel.needed_l - 1e-6:
            continue
        says = f"The vessels of {heating.circuit.source.id} hold {trim(here, 1)} L; {trim(vessel.needed_l, 1)} L is needed."
        yield Said((heating.circuit.source.id,), says, tuple(_larger_vessel(view, heating)), heating.at)


def _larger_vessel(view: View, heating: Heating) -> Iterable[Remedy]:
    assert heating.vessel is not None and heating.vessel_here_l is not None
    chosen = trim(heating.vessel.chosen_l, 1)
    for run in view.job.runs:
        for item in run.items:
            if run.id in heating.circuit.runs and item.kind == "device" and item.part == "vessel":
                text = f"[vessel{' ' + item.name if item.name else ''} set {chosen}]"
                yield Remedy(
                    f"Make it {chosen} L",
                    ({"do": "retype_item", "run": run.id, "item": item.id, "text": text},),
                    f"the vessel on {run.id} becomes {chosen} L",
                )
                return
    for station in heating.circuit.stations:
        if station.kind == "vessel":
            kept = station.model_dump(exclude_none=True)
            kept["data"] = {**kept.get("data", {}), "volume_l": heating.vessel.chosen_l}
            yield Remedy(
                f"Make {station.id} {chosen} L",
                ({"do": "put_station", "station": kept},),
                f"{station.id} becomes {chosen} L",
            )
            return
    short = heating.vessel.needed_l - heating.vessel_here_l
    second = trim(next((size for size in SIZES_L if size >= short), short), 1)
    yield from place_remedy(
        view, heating.circuit, f"Add a second vessel of {second} L on the return", f"[vessel set {second}]", "return"
    )


@rule(
    "section-over", "mind", "a section over its limits", "Too fast, the water is heard and wears the bends; too steep, it costs the pump its head.", "typ limits of the practice",
)  # fmt: skip
def section_over(view: View) -> Iterable[Said]:
    for heating in view.heating:
        for section in heating.sections:
            if section.over:
                says = f"{section.id}, {section.pipe}: {'; '.join(section.over)}."
                yield Said((section.run, section.keys[0]), says, tuple(_larger_pipe(view, heating, section)), view.fitted.pieces[section.keys[0]].a,
                           ("another layout", "a larger difference between flow and return"))  # fmt: skip


def _larger_pipe(view: View, heating: Heating, section: Section) -> Iterable[Remedy]:
    """The smallest size that holds, set where the section's pipe is said: all sections said there follow."""
    same = [one for one in heating.sections if one.run == section.run and one.item == section.item]
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
)
def left_out(view: View) -> Iterable[Said]:
    for heating in view.heating:
        for words in heating.left_out:
            yield Said((words.split()[0],), f"{words[0].upper()}{words[1:]}.")


@rule(
    "terms-assumed", "note", "temperatures nobody has said", "Flows and sizes follow from flow and return temperature.", "typ",
)  # fmt: skip
def terms_assumed(view: View) -> Iterable[Said]:
    for heating in view.heating:
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
