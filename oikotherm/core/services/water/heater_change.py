"""A water heater changed: the new one laid over the old one, its risers to the old pipe ends, what else differs."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ...catalogue import Catalogue
from ...errors import Refused
from ...job.model import Pipe
from ...job.ways import Vec
from ...joints.takeoff import COUPLING_GAP_MM
from ...making.stubs import Fittings, JoinedStubs, fittings_of, join
from ...quantity import PaceUnit, length_text, trim
from ...working import Step

KINDS = {
    "storage": "storage, gas",
    "electric": "storage, electric",
    "tankless": "tankless, gas",
    "heat-pump": "storage, heat pump",
    "indirect": "indirect cylinder",
}
USUAL_CENTRES_MM = 203.0  # typ: 8 in between cold and hot
USUAL_FITTING_MM = 60.0  # typ: from the port's face to where the riser's pipe begins: union, dielectric or nipple
DRAIN_COCK_MM = 75.0  # typ: the drain cock above the bottom of a tank
VENT_LAP_MM = 38.0  # typ: a joint of vent pipe
FIRST_RISE_MM = 300.0  # typ: straight up before the first bend of a vent
CLEAR_MM = 760.0  # typ: 30 in of room to work in front
L_MIN_K_KW = 14.3  # litres a minute times kelvin for each kilowatt
PAN_OVER_MM = 50.0  # typ: a pan is wider than the tank by so much
LITRE_KG = 1.0


@dataclass(frozen=True, slots=True)
class Heater:
    """A heater as it stands. height_mm: floor to its cold and hot ports; centres_mm: between them; gap_mm: of the old
    one, from its ports up to where its pipes are or will be cut; base_mm: what it stands on; fitting_mm: on its ports,
    before the pipe begins; shift_mm: its axis to the right of the old one's; lean_mm_m: to the right; vent_mm: floor to
    its vent collar."""

    kind: str = "storage"
    height_mm: float = 1400.0
    centres_mm: float = USUAL_CENTRES_MM
    diameter_mm: float = 500.0
    volume_l: float = 0.0
    weight_kg: float = 0.0
    input_w: float = 0.0
    flue_mm: float = 0.0
    gap_mm: float = 300.0
    base_mm: float = 0.0
    fitting_mm: float = USUAL_FITTING_MM
    shift_mm: float = 0.0
    lean_mm_m: float = 0.0
    vent_mm: float = 0.0
    least_flow_l_min: float = 0.0


@dataclass(frozen=True, slots=True)
class Riser:
    """From a port of the new heater to the old pipe end. rise_mm: between the port's face and that end, up; aside_mm,
    out_mm: how far they are out of line, to the right and from the wall; cut_mm: more that comes off the old pipe; way:
    its fittings and pieces, None where none do."""

    port: str
    rise_mm: float
    aside_mm: float
    out_mm: float
    cut_mm: float
    way: JoinedStubs | None


@dataclass(frozen=True, slots=True)
class Swap:
    """risers: cold, hot; notes: every other difference, in words; out_l, stays_l: water that runs out of the old one
    and what stays below its drain cock; full_kg: the new one, filled."""

    risers: tuple[Riser, ...]
    notes: tuple[str, ...]
    out_l: float
    stays_l: float
    full_kg: float
    working: tuple[Step, ...]


def swap(old: Heater, new: Heater, catalogue: Catalogue, pipe: Pipe, method: str = "", unit: PaceUnit = "mm") -> Swap:
    """A heater changed. Both stand with their backs as far from the wall; heights from the floor. Raises Refused for
    figures out of range and for a pipe without elbows."""
    for name, one in (("old", old), ("new", new)):
        _check(name, one)
    fittings = fittings_of(catalogue, pipe, method)
    risers = tuple(_riser(port, side, old, new, fittings) for port, side in (("cold", -0.5), ("hot", 0.5)))
    area_m2 = math.pi / 4 * (old.diameter_mm / 1000) ** 2
    stays_l = min(old.volume_l, area_m2 * DRAIN_COCK_MM)
    steps = [
        step
        for riser in risers
        for step in (
            Step(
                f"{riser.port}: rise = old port + its gap - new port - what it stands on",
                (
                    ("old_height_mm", old.height_mm),
                    ("gap_mm", old.gap_mm),
                    ("new_height_mm", new.height_mm),
                    ("base_mm", new.base_mm),
                ),
                riser.rise_mm,
                "mm",
            ),
            Step(
                f"{riser.port}: aside = half the difference of the centres, shift and lean",
                (
                    ("old_centres_mm", old.centres_mm),
                    ("new_centres_mm", new.centres_mm),
                    ("shift_mm", new.shift_mm),
                    ("lean_mm", new.lean_mm_m * new.height_mm / 1000),
                ),
                riser.aside_mm,
                "mm",
            ),
        )
    ]
    steps.append(
        Step(
            "stays = area x height of the drain cock",
            (("diameter_mm", old.diameter_mm), ("cock_mm", DRAIN_COCK_MM)),
            stays_l,
            "L",
            "typ",
        )
    )
    full_kg = new.weight_kg + new.volume_l * LITRE_KG
    notes = _notes(old, new, risers, full_kg, unit)
    return Swap(risers, notes, old.volume_l - stays_l, stays_l, full_kg, tuple(steps))


def _check(name: str, one: Heater) -> None:
    if one.kind not in KINDS:
        raise Refused(f"{name}.kind", one.kind, f"one of {', '.join(KINDS)}", "storage")
    for field, value, least, most in (
        ("height", one.height_mm, 100, 5000),
        ("centres", one.centres_mm, 20, 2000),
        ("diameter", one.diameter_mm, 100, 3000),
        ("volume", one.volume_l, 0, 20_000),
        ("weight", one.weight_kg, 0, 20_000),
        ("input", one.input_w, 0, 1e7),
        ("flue", one.flue_mm, 0, 1000),
        ("gap", one.gap_mm, 0, 5000),
        ("base", one.base_mm, 0, 2000),
        ("fitting", one.fitting_mm, 0, 500),
        ("shift", abs(one.shift_mm), 0, 2000),
        ("lean", abs(one.lean_mm_m), 0, 50),
        ("vent", one.vent_mm, 0, 5000),
        ("least_flow", one.least_flow_l_min, 0, 100),
    ):
        if not least <= value <= most:
            raise Refused(f"{name}.{field}", f"{value:g}", f"{least:g} to {most:g}", f"{max(least, 1):g}")


def _riser(port: str, side: float, old: Heater, new: Heater, fittings: Fittings) -> Riser:
    """The riser of a port; side: of the axis it stands, -0.5 left, 0.5 right."""
    rise = old.height_mm + old.gap_mm - new.height_mm - new.base_mm
    lean = new.lean_mm_m * new.height_mm / 1000
    aside = side * (new.centres_mm - old.centres_mm) + new.shift_mm + lean
    out = (new.diameter_mm - old.diameter_mm) / 2
    free = rise - new.fitting_mm - COUPLING_GAP_MM
    cut = max(0.0, _needs_mm(math.hypot(aside, out), fittings) - free)
    ways = join(
        (Vec(0, 0, 0), Vec(0, 0, 1)),
        (Vec(-aside, out, free + cut), Vec(0, 0, -1)),
        fittings,
    )
    return Riser(port, rise, aside, out, cut, ways[0] if ways else None)


def _needs_mm(aside_mm: float, fittings: Fittings) -> float:
    """The least height in which a pair of elbows moves a riser aside [mm]; straight, of a piece in both its ends."""
    by_angle = {kind.angle_deg: kind for kind in fittings.kinds}
    square = by_angle[90.0]
    if aside_mm < 0.1:
        return 2 * max(square.mating.insertion_mm, 1.0)
    found = [
        2 * kind.least_mm + aside_mm / math.tan(math.radians(angle))
        for angle, kind in by_angle.items()
        if aside_mm / math.sin(math.radians(angle)) >= fittings.between_mm[angle, angle] - 1e-9
    ]
    # too little aside for a piece between two elbows: three, one of them turned aside
    return min(found, default=2 * square.least_mm + 2 * fittings.between_mm[90.0, 90.0])


def _notes(old: Heater, new: Heater, risers: tuple[Riser, ...], full_kg: float, unit: PaceUnit) -> tuple[str, ...]:
    def said(mm: float) -> str:
        return length_text(round(mm), unit, with_unit=True)

    notes = []
    for riser in risers:
        if riser.cut_mm > 0.5:
            notes.append(f"The old {riser.port} is cut {said(riser.cut_mm)} higher: its riser does not go in else.")
        if riser.way is None:
            notes.append(f"No elbows bring the {riser.port} over: a flexible connector, where local code takes it.")
    if new.kind != old.kind:
        notes.append(f"From {KINDS[old.kind]} to {KINDS[new.kind]}: supply, vent and permit are looked at anew.")
    gas = "storage", "tankless"
    if new.kind in gas and old.input_w and new.input_w > old.input_w:
        notes.append(
            f"Input {trim(old.input_w / 1000, 1)} to {trim(new.input_w / 1000, 1)} kW: the gas pipe and the meter are "
            "sized again before it is ordered."
        )
    if new.kind in gas:
        notes.append(
            "Gas train anew: valve, union, sediment trap where asked for; soaped after; by the licensed person."
        )
    if new.kind == "storage":
        if new.flue_mm and old.flue_mm and new.flue_mm != old.flue_mm:
            notes.append(f"Vent {said(old.flue_mm)} to {said(new.flue_mm)}: chimney and connector are judged anew.")
        if new.vent_mm and old.vent_mm:
            lower = new.vent_mm + new.base_mm - old.vent_mm
            words = "shorter" if lower > 0 else "longer"
            notes.append(
                f"Vent: the upright piece {said(abs(lower))} {words}; each piece its face to face and "
                f"{said(VENT_LAP_MM)} of lap a joint; at least {said(FIRST_RISE_MM)} up before the first bend; crimped "
                "end downstream."
            )
    if new.kind == "tankless":
        at_30 = new.input_w / 1000 * L_MIN_K_KW / 30 if new.input_w else 0.0
        words = f"gives {trim(at_30, 1)} L/min at a rise of 30 K; " if at_30 else ""
        least = f"fires from {trim(new.least_flow_l_min, 1)} L/min on; " if new.least_flow_l_min else ""
        notes.append(
            f"Tankless: {words}{least}service valves with hose ports on cold and hot; least inlet pressure, power and "
            "condensate by its label."
        )
    if new.kind == "heat-pump":
        notes.append("Heat pump: room or ducts as its maker asks, condensate to a drain, the air it cools, its noise.")
    if new.kind == "electric" and new.input_w > old.input_w:
        notes.append("More electric load than before: circuit and fuse by a competent electrician.")
    if new.kind != "tankless":
        full = f"Full it weighs {full_kg:.0f} kg: look at the floor; level" if full_kg else "Level"
        notes.append(
            f"{full} on shims that cannot compress; pan at least {said(new.diameter_mm + PAN_OVER_MM)} across where a "
            "leak does harm."
        )
        third = new.height_mm / 3
        notes.append(
            f"Straps where code asks: one between {said(2 * third)} and {said(new.height_mm)} up, one below "
            f"{said(third)}, clear of the controls."
        )
    notes.append(f"{said(CLEAR_MM)} clear in front to work.")
    return tuple(notes)
