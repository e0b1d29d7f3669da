"""The small job of fresh water: a water heater changed. What is asked, its drawing, its sheet."""

from __future__ import annotations

import math
from typing import Any

from ...catalogue import Catalogue
from ...context import Context
from ...errors import Refused
from ...job.commands import apply_all
from ...job.model import Job, Pipe, Task
from ...job.ways import Vec
from ...joints.fitted import Mating
from ...joints.least import least_piece_mm
from ...joints.takeoff import part_mating
from ...layout import Layout
from ...practice import TANK_METALS, chosen
from ...quantity import PA_PER_BAR, PA_PER_PSI, US_GALLON_M3, pressure_said, trim
from ...work.small_drawing import (
    WALL_X_MM,
    WALL_Y_MM,
    length_words,
    port_places,
    run_commands,
    station_at,
    stub_at,
    task_command,
    written,
)
from ...work.small_jobs import Answers, Ask, JobSheet, SmallJob
from .expansion import SHARE_OF_RELIEF, expansion_tank
from .heater_change import KINDS, PAN_OVER_MM, Heater, swap
from .small_assembly import SMALL_JOB as ASSEMBLY
from .tasks import task_rows

WH = "WH"
DRAWN = ("storage", "electric", "heat-pump")
OFF_WALL_MM = 100.0  # back of the tank from the wall
SPRINGS_MM = 3.0  # typ: what the pipe springs
DISCHARGE_UP_MM = 150.0  # typ: end of a discharge above the floor
CUT_MM = 300.0
RELIEF_PA = {"british": 6 * PA_PER_BAR, "continental": 6 * PA_PER_BAR, "north-american": 150 * PA_PER_PSI}
STORE_C, COLD_C = 60.0, 10.0


def _side(side: str, title: str, height: str, volume: str, kilowatts: str) -> tuple[Ask, ...]:
    return (
        Ask(f"{side}_kind", f"{title}", "choice", "storage", tuple((one, KINDS[one]) for one in DRAWN)),
        Ask(f"{side}_height", f"{title}, floor to its ports", "length", height, least=300, most=3000),
        Ask(f"{side}_centres", f"{title}, cold to hot", "length", "203", least=50, most=1000),
        Ask(f"{side}_diameter", f"{title}, across", "length", "500", least=200, most=1500),
        Ask(f"{side}_volume", f"{title} holds", "number", volume, least=5, most=2000, unit="L", drawn=False),
        Ask(f"{side}_input", f"{title}, input (0: not said)", "number", kilowatts, most=200, unit="kW", drawn=False),
    )


ASKS = (
    *_side("old", "Old heater", "1400", "150", "0"),
    Ask("gap", "Old ports up to where its pipes are cut", "length", "300", least=50, most=3000),
    *_side("new", "New heater", "1400", "150", "0"),
    Ask("weight", "New heater, empty (0: not said)", "number", "0", most=1000, unit="kg", drawn=False),
    Ask("base", "It stands on", "length", "0", most=1000),
    Ask("shift", "Its axis beside the old one's", "length", "0", most=1000),
    Ask("to", "To the", "choice", "right", (("right", "right"), ("left", "left"))),
    Ask("pipe", "Pipe", "pipe", "cu-m 22"),
    Ask(
        "over",
        "Brought over by",
        "choice",
        "elbows",
        (("elbows", "two 45 elbows"), ("practice", "bends or elbows, by House practice")),
    ),
    Ask("closed", "Check, reducing valve or backflow assembly before it", "flag", "", drawn=False),
    Ask("house_bar", "House pressure at its highest (0: not read)", "number", "0", most=16, unit="bar", drawn=False),
    Ask("straps", "Straps asked for", "flag", "", drawn=False),
)


def _heaters(answers: Answers) -> tuple[Heater, Heater]:
    def figure(name: str) -> float:
        return float(answers.get(name) or 0.0)

    def of(side: str, **more: float) -> Heater:
        return Heater(
            str(answers[f"{side}_kind"]),
            figure(f"{side}_height"),
            figure(f"{side}_centres"),
            figure(f"{side}_diameter"),
            figure(f"{side}_volume"),
            input_w=figure(f"{side}_input") * 1000,
            **more,
        )

    old = of("old", gap_mm=figure("gap"))
    shift = figure("shift") * (-1 if answers.get("to") == "left" else 1)
    return old, of("new", weight_kg=figure("weight"), base_mm=figure("base"), shift_mm=shift)


def begin(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """Old and new heater in one place, the ends of the old pipes above, the risers between them and the discharge."""
    old, new = _heaters(answers)
    pipe = str(answers["pipe"])
    if answers.get("over", "elbows") == "elbows":
        choice = {"topic": "changes-of-direction", "option": "fittings", "reason": "short risers"}
        job = apply_all(job, [{"do": "choose", **choice}], catalogue)
    for ident, one, state, x in (("OLD", old, "remove", 0.0), (WH, new, "new", new.shift_mm)):
        job = _stand(job, ident, one, state, x, catalogue)
    places = port_places(job, catalogue)
    end_z = old.height_mm + old.gap_mm
    y = WALL_Y_MM - OFF_WALL_MM - old.diameter_mm / 2
    ends = (("cold", "PC", "C1", -0.5), ("hot", "PH", "H1", 0.5))
    stubs = [
        stub_at(ident, f"Old {role} pipe", (WALL_X_MM + side * old.centres_mm, y, end_z), role, "down", pipe)
        for role, ident, _, side in ends
    ]
    job = apply_all(job, stubs, catalogue)
    tops_mm = max(places[f"{WH}.{role}"].mouth.z for role, *_ in ends)
    if end_z <= tops_mm:
        raise Refused(
            "Old ports up to where its pipes are cut",
            f"{old.gap_mm:g} mm",
            f"more than {tops_mm - old.height_mm:.0f} mm: the new ports with what is on them stand so high",
            f"{tops_mm - old.height_mm + 200:.0f}",
        )
    commands: list[dict[str, Any]] = []
    for role, ident, run, side in ends:
        mouth = places[f"{WH}.{role}"].mouth
        away = Vec(WALL_X_MM + side * old.centres_mm - mouth.x, y - mouth.y, end_z - mouth.z)
        head = f"{run} from {WH}.{role} {pipe}:"
        legs = _riser(job, head, f"{WH}.{role}", f"{ident}.end", away, catalogue, valve=role == "cold")
        commands += run_commands(f"{head} {legs} -> {ident}")
    commands += _discharge(job, places)
    return apply_all(job, [*commands, task_command("heater", WH, answers)], catalogue)


def _riser(job: Job, head: str, port: str, end: str, away: Vec, catalogue: Catalogue, *, valve: bool) -> str:
    """The legs of a riser: up, over by a set of 45 where it is out of line, up; its stop valve where one goes in. What
    is over is shared among its pieces. Raises Refused for a pipe that does not fit the port."""
    layout = Layout(
        apply_all(job, run_commands(f"{head} U{away.z / 2:.0f}mm [iso] U? -> {end.partition('.')[0]}"), catalogue),
        Context(catalogue=catalogue),
    )
    run = layout.job.runs[-1]
    fittings = layout.fitted.fittings
    at_port, at_end = (next(iter(fittings[key].matings.values())) for key in (port, end))
    stop = next(iter(next(one for one in fittings.values() if one.kind == "device").matings.values()))
    elbow = part_mating(catalogue, run.pipe, at_end.method, "45")
    aside = math.hypot(away.x, away.y)

    def least(a: Mating, b: Mating) -> float:
        piece, _ = least_piece_mm(catalogue, run.pipe, (a.method, b.method), (a.insertion_mm, b.insertion_mm))
        return a.take_off_mm + piece + b.take_off_mm

    turned = aside > SPRINGS_MM and elbow is not None
    row = [at_port, *([elbow, elbow] if turned and elbow is not None else []), *([stop] if valve else []), at_end]
    gaps = [least(a, b) for n, (a, b) in enumerate(zip(row, row[1:], strict=False)) if not (turned and n == 1)]
    free = away.z - (aside if turned else 0.0) - sum(gaps)
    if free < 0 and valve:
        return _riser(job, head, port, end, away, catalogue, valve=False)
    share = [gap + max(free, 0.0) / len(gaps) for gap in gaps]
    if not turned:
        return f"U{share[0]:.0f}mm [iso] U?" if valve else "U?"
    sides = [
        f"{plus if mm > 0 else minus}{abs(mm):.1f}mm"
        for mm, plus, minus in ((away.x, "E", "W"), (away.y, "N", "S"))
        if abs(mm) > 0.05
    ]
    first = f"U{share[0]:.0f}mm ~{'+'.join(sides)}@45"
    return f"{first} U{aside + share[1]:.0f}mm [iso] U?" if valve else f"{first} U?"


def _stand(job: Job, ident: str, one: Heater, state: str, x_mm: float, catalogue: Catalogue) -> Job:
    """A heater with its ports as measured."""
    at = (WALL_X_MM + x_mm, WALL_Y_MM - OFF_WALL_MM, one.base_mm)
    data: dict[str, Any] = {
        "width_mm": one.diameter_mm,
        "height_mm": one.height_mm,
        "depth_mm": one.diameter_mm,
        "volume_l": one.volume_l,
        "store_c": STORE_C,
    }
    if one.input_w:
        data["input_w"] = one.input_w
    name = "Old heater" if state == "remove" else "New heater"
    job = apply_all(job, [station_at("heater", ident, name, at, variant=one.kind, state=state, data=data)], catalogue)
    station = job.station(ident)
    assert station is not None
    ports = []
    for port in station.ports:
        said = port.model_dump(exclude_none=True)
        right, _, up = port.offset
        if port.name in ("cold", "hot"):
            right = (-0.5 if port.name == "cold" else 0.5) * one.centres_mm
        ports.append({**said, "offset": (right, one.diameter_mm / 2, up)})
    kept = station.model_dump(exclude_none=True)
    return apply_all(job, [{"do": "put_station", "station": {**kept, "ports": ports}}], catalogue)


def _discharge(job: Job, places: Any) -> list[dict[str, Any]]:
    """The discharge of the new heater's relief valve: aside and down to above the floor, open."""
    place = places.get(f"{WH}.relief")
    if place is None:
        return []
    american = job.practice == "north-american"
    pipe = "cu-l 3/4" if american else "cu-m 15"
    down = place.mouth.z - DISCHARGE_UP_MM
    return run_commands(f"D1 from {WH}.relief {pipe}: {{fall 1:50}} W100mm D{down:.0f}mm -> stub") if down > 50 else []


def sheet(design: Layout, task: Task) -> JobSheet:
    """The heater changed, step by step, with its figures."""
    answers, job = task.answers, design.job
    old, new = _heaters(answers)
    code, _, size = str(answers["pipe"]).partition(" ")
    found = swap(old, new, design.context.catalogue, Pipe(code=code, size=size), "", job.pace_unit)
    american = job.practice == "north-american"
    closed = bool(answers.get("closed"))
    gas = new.kind == "storage"
    holds = {
        *(("gas", "vent") if gas else ()),
        *(("power",) if {"electric", "heat-pump"} & {new.kind, old.kind} else ()),
        *(() if american else ("unvented",)),
        *(("closed",) if closed else ()),
        *(("straps",) if answers.get("straps") else ()),
    }

    def litres(value: float) -> str:
        return f"{value / 1000 / US_GALLON_M3:.1f} gal" if american else f"{value:.0f} L"

    def mm(value: float) -> str:
        return length_words(job, round(value))

    metals, _ = chosen(job, TANK_METALS)
    vessel, figures = _vessel(answers, new, job.practice)
    third = new.height_mm / 3
    words = {
        "out": litres(found.out_l),
        "stays": litres(found.stays_l),
        "gap": mm(old.gap_mm),
        "base": f"On {mm(new.base_mm)}. " if new.base_mm else "",
        "full": f"{found.full_kg:.0f} kg",
        "pan": f"a pan at least {mm(new.diameter_mm + PAN_OVER_MM)} across where a leak does harm",
        "straps": f"One between {mm(2 * third)} and {mm(new.height_mm)} up, one below {mm(third)}; clear of controls.",
        "metals": f"{metals.title[0].upper()}{metals.title[1:]} on steel ports; bonding jumper where code asks.",
        "vessel": vessel,
        "differs": " ".join(found.notes),
        "discharge": (
            "Temperature and pressure valve of 150 psi and 210 F, rated for the input; pipe of its size, falling all "
            f"the way, no valve, no thread at its end, {mm(DISCHARGE_UP_MM)} above the floor or as the authority says."
            if american
            else "Inlet group with its 6 bar valve; temperature and pressure valve to a tundish within 600 mm, 300 mm "
            "straight below it, then one size larger, falling 1 in 200 or more, to where it is seen and scalds nobody."
        ),
    }
    heads = []
    for one in found.risers:
        side = f", {mm(abs(one.aside_mm))} {'right' if one.aside_mm > 0 else 'left'}" if abs(one.aside_mm) >= 1 else ""
        out = f", {mm(abs(one.out_mm))} {'out' if one.out_mm > 0 else 'in'}" if abs(one.out_mm) >= 1 else ""
        run = "C1" if one.port == "cold" else "H1"
        cuts = [length_words(job, cut.cut_mm) for cut in design.cuts if cut.run == run]
        heads.append((f"{one.port.capitalize()} riser", ", ".join(cuts)))
        heads.append((f"New {one.port}", f"{mm(one.rise_mm)} below the old pipe{side}{out}"))
    heads += [
        ("Water out", f"{litres(found.out_l)}, {litres(found.stays_l)} stay"),
        ("Full", f"{found.full_kg:.0f} kg"),
    ]
    if closed:
        heads.append(("Expansion vessel", vessel.partition(" before")[0]))
    return written(
        task_rows("heater-change"),
        holds,
        words,
        ("2 unions or dielectric nipples", "1 relief valve with the heater, of its rating"),
        {"out_l": found.out_l, "stays_l": found.stays_l, "full_kg": found.full_kg, **figures},
        found.working,
        tuple(heads),
    )


def _vessel(answers: Answers, new: Heater, practice: str) -> tuple[str, dict[str, float]]:
    """The expansion vessel of the new heater in words, and its litres."""
    house_pa = float(answers.get("house_bar") or 0.0) * PA_PER_BAR
    if not house_pa:
        return "sized once the house pressure is read", {}
    try:
        tank = expansion_tank(new.volume_l, COLD_C, STORE_C, house_pa, RELIEF_PA[practice], practice)
    except Refused as refused:
        return f"{refused.expected}", {}
    american = practice == "north-american"
    unit = "psi" if american else "bar"
    litres = tank.chosen_l or tank.needed_l
    said = f"{litres / 1000 / US_GALLON_M3:.1f} gal" if american else f"{trim(litres, 1)} L"
    share = SHARE_OF_RELIEF[practice]
    words = (
        f"{said}, pre-charge {pressure_said(tank.precharge_pa, unit)} before it goes on ({share:g} of the relief, typ)"
    )
    if tank.chosen_l is None:
        words = f"two or more, {said} together"
    return words, {"vessel_l": litres}


SMALL_JOBS = {
    ASSEMBLY.id: ASSEMBLY,
    "heater": SmallJob(
        "heater",
        "Water heater changed",
        "the new one over the old: risers, drain, discharge, expansion, fill before power",
        ASKS,
        begin,
        sheet,
    ),
}
