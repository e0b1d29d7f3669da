"""Expansion vessels of closed heating circuits: one there must be, large enough, where nothing shuts it off."""

from __future__ import annotations

from collections.abc import Iterable

from ....job.model import DeviceItem, Leg
from ....job.writing import item_text
from ....network.graph import SHUTS
from ....quantity import length_text, trim
from ....rules.legs import put_in_leg
from ....rules.registry import Remedy, Said, View
from ..circuits import Closed, has
from ..sized import Heating
from ..sizing import heating_of
from .book import rule
from .circuit import bring_remedy, place_remedy

LEAST_MM = 400.0  # of a leg that takes a part and joints on both sides


@rule(
    "no-vessel",
    "stop",
    "a closed circuit without an expansion vessel",
    "Water grows by about three parts in a hundred from cold to hot; without a vessel the safety valve lifts at every "
    "heating.",
    "rule of the trade, std EN 12828",
)
def no_vessel(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        circuit = heating.circuit
        if circuit.own and not has(circuit, view.fitted.pipework, "vessel"):
            source, litres = circuit.source.id, trim(heating.vessel.chosen_l if heating.vessel else 18, 1)
            remedies = _vessel_remedy(view, circuit, f"Put one of {litres} L on the return", litres)
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
    "vessel-small",
    "stop",
    "the expansion vessel is too small",
    "The pressure climbs past what the safety valve allows before the water is hot.",
    "std EN 12828 annex D; reserve typ",
    stage="sizes",
)
def vessel_small(view: View) -> Iterable[Said]:
    for heating in heating_of(view):
        here, vessel = heating.vessel_here_l, heating.vessel
        if here is None or vessel is None or not vessel.second_l:
            continue
        source = heating.circuit.source.id
        says = f"The vessels of {source} hold {trim(here, 1)} L; {trim(vessel.needed_l, 1)} L is needed."
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
    second = trim(heating.vessel.second_l, 1)
    yield from _vessel_remedy(view, heating.circuit, f"Add a second vessel of {second} L on the return", second)


def _vessel_remedy(view: View, circuit: Closed, title: str, litres: str) -> list[Remedy]:
    """A vessel on the return, where nothing shuts it off: between the boiler and its valve where there is room, else in
    the valve's place, the valve farther on; last of all behind the valve, which is then secured open."""
    text = f"[vessel set {litres}]"
    found = place_remedy(view, circuit, title, text, "return", before_valves=True)
    if not found:
        found += _in_place_of_valve(view, circuit, f"{title}, in the valve's place", text)
        found += place_remedy(view, circuit, f"{title}, behind the valve: secure it open", text, "return", least_mm=400)
    return found


def _in_place_of_valve(view: View, circuit: Closed, title: str, text: str) -> list[Remedy]:
    """The first valve on the source's return makes room for a part and stands on the next leg that has room for it:
    before the first tee where there is one, so that it still shuts the source off alone."""
    starts = [f"{circuit.source.id}.{port.name}" for port in circuit.source.ports if port.role == "return"]
    for run in view.job.runs:
        backwards = run.finish in starts
        if run.start not in starts and not backwards or run.id not in view.fitted.pipework.runs:
            continue
        items = list(reversed(run.items)) if backwards else list(run.items)
        at = next((n for n, item in enumerate(items) if isinstance(item, DeviceItem) and item.part in SHUTS), None)
        if at is None or any(item.kind == "tee" for item in items[:at]):
            continue
        valve, lengths = items[at], view.fitted.pipework.runs[run.id].lengths
        tee = next((n for n, item in enumerate(items) if n > at and item.kind == "tee"), len(items))
        legs = [item for item in items[at + 1 : tee] if isinstance(item, Leg) and lengths[item.id] >= LEAST_MM]
        legs += [item for item in items[tee:] if isinstance(item, Leg) and lengths[item.id] >= LEAST_MM]
        if not legs:
            continue
        near = min(lengths[legs[0].id] / 2, 300.0)
        far = round(lengths[legs[0].id] - near if backwards else near)
        commands = (
            {"do": "retype_item", "run": run.id, "item": valve.id, "text": text},
            put_in_leg(view, run.id, legs[0], item_text(valve, view.style), far),
        )
        where = length_text(far, view.job.pace_unit, with_unit=True)
        effect = f"{text} on {run.id} where the valve is; the valve {where} along {legs[0].dir}{legs[0].said or ''}"
        return [Remedy(title, commands, effect)]
    return []
