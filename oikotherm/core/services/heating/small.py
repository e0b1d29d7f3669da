"""The small jobs of every day on a heating circuit: what is asked, how the job is begun, the sheet that follows."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from datetime import datetime
from typing import Any

from ...catalogue import Catalogue, Socket
from ...errors import Refused
from ...job.commands import apply_all
from ...job.model import Job, Pipe, Task
from ...job.ways import Vec
from ...layout import Layout
from ...making.fitup import LONG_MM, spring_mm
from ...pipework.geometry import PortPlace
from ...pipework.trace import trace
from ...practice import options_of
from ...quantity import length_text, parse, trim
from ...work.small_jobs import Answers, Ask, JobSheet, SmallJob, read_pipe_text
from .circuit_water import (
    USUAL_PRECHARGE_BAR,
    USUAL_VESSEL_L,
    DayReading,
    Story,
    dose,
    gauge_story,
    said_top_ups,
    top_up_l,
    top_ups_for,
)
from .tasks import fixings, moved_radiator, radiator_hang, valve_change, write

TASK = "T1"
WALL_Y_MM, WALL_X_MM = 3000.0, 2000.0  # where the wall of a small job is drawn
UNDER_FLOOR_MM = 60.0  # typ: pipe below the boards
REOPENED_MM, SPRUNG_MM = 8.0, 3.0  # typ: what a hole opened again gives, what the tube springs
LENGTHENED_MM = 100.0  # below the valve: where a short stub is cut and lengthened
SIDE_MM = 150.0  # between two pipes below the floor
SET_MM = 60.0  # up to here pipe is set over, beyond it elbows fit
PER_M_L = {"single": 3.2, "double": 5.8}  # typ, at 600 high: water in a panel radiator by its length
PER_M_KG = {"single": 17.0, "double": 33.0}  # typ, at 600 high
NOT_YET = "not yet"

PANEL = (
    Ask("width", "Radiator, width", "length", "1000", least=200, most=3000),
    Ask("height", "Radiator, height", "length", "600", least=200, most=2400),
    Ask("panels", "Panels", "choice", "double", (("single", "single"), ("double", "double"))),
)
WATER = (
    Ask("house_l", "Water in the house (0: not known)", "number", "0", most=5000, unit="L", drawn=False),
    Ask("vessel_l", "Vessel (0: not known)", "number", "0", most=500, unit="L", drawn=False),
)
FLOW = Ask(
    "flow",
    "Flow found",
    "choice",
    NOT_YET,
    ((NOT_YET, "not yet"), ("left", "the left pipe"), ("right", "the right pipe")),
    later=True,
    drawn=False,
)
FOUND_BY = Ask(
    "found_by",
    "Found by",
    "choice",
    "hand",
    (("hand", "hand, hot"), ("thermometer", "thermometer"), ("readings", "two thermometers, logged")),
    later=True,
    drawn=False,
)
LATER = Ask("hangs_later", "It hangs another day", "flag", "", drawn=False)
COUNTED = Ask(
    "turns",
    "Turns of the old lockshield (0: not counted)",
    "number",
    "0",
    most=20,
    unit="turns",
    later=True,
    drawn=False,
)


def _pipe(practice_usual: str = "cu-m 15", name: str = "pipe", label: str = "Pipe") -> Ask:
    return Ask(name, label, "pipe", practice_usual)


def _read(name: str, label: str) -> Ask:
    return Ask(name, label, "number", "0", most=20, unit="bar", later=True, drawn=False)


# --- what every small job needs ---------------------------------------------------------------------------------------


def _text(job: Job, mm: float) -> str:
    return length_text(mm, job.pace_unit, with_unit=True)


def _places(job: Job, catalogue: Catalogue) -> dict[str, PortPlace]:
    """Where the ports of a job are, with their valves on."""
    return dict(trace(job, catalogue).ports)


def _station(kind: str, ident: str, name: str, at: Sequence[float], **more: Any) -> dict[str, Any]:
    return {"do": "add_station", "kind": kind, "id": ident, "name": name, "level": "L0", "at": tuple(at), **more}


def _stub(ident: str, name: str, at: Sequence[float], role: str, facing: str, end: str) -> dict[str, Any]:
    return _station("stub", ident, name, at, state="keep", role=role, facing=facing, end=f"{end} pipe")


def _run(text: str, *, keep: bool = False) -> list[dict[str, Any]]:
    commands: list[dict[str, Any]] = [{"do": "put_run", "text": text}]
    return [*commands, {"do": "set_state", "run": text.split()[0], "state": "keep"}] if keep else commands


def _task(kind: str, where: str, answers: Answers) -> dict[str, Any]:
    return {"do": "put_task", "task": {"id": TASK, "kind": kind, "where": where, "answers": dict(answers)}}


def _panel(answers: Answers, ident: str, x_mm: float, state: str, under_mm: float = 150.0) -> dict[str, Any]:
    """A panel radiator on the wall of a small job, with its water by the typical figures."""
    data = {
        "width_mm": float(answers["width"]),
        "height_mm": float(answers["height"]),
        "depth_mm": 100.0,
        "volume_l": round(_litres(answers), 1),
    }
    at = (x_mm, WALL_Y_MM, under_mm)
    return _station("emitter", ident, "Radiator", at, variant="panel", state=state, data=data)


def _litres(answers: Answers) -> float:
    """Water in the radiator [L], typical: by its length, at its height."""
    return PER_M_L[str(answers["panels"])] * float(answers["width"]) / 1000 * float(answers["height"]) / 600


def _water(answers: Answers, out_l: float) -> tuple[dict[str, str], list[tuple[str, str]]]:
    """Words and heads of the water work: what comes out, top-ups, inhibitor."""
    heads = [("Water out", f"{trim(out_l, 1)} L")]
    vessel_l = float(answers.get("vessel_l") or 0.0)
    one_l, _ = top_up_l(vessel_l or USUAL_VESSEL_L, USUAL_PRECHARGE_BAR, 0.0)
    typical = "" if vessel_l else f", with a vessel of {trim(USUAL_VESSEL_L, 1)} L (typ)"
    heads.append(("To fill again", f"{said_top_ups(top_ups_for(out_l, one_l))}{typical}"))
    inhibitor = dose(max(out_l, 0.1)).inhibitor_l
    words = {"litres": f"{trim(out_l, 1)} L", "dose": f"{trim(inhibitor, 2)} L of inhibitor for {trim(out_l, 1)} L"}
    heads.append(("Inhibitor", f"{trim(inhibitor, 2)} L"))
    return words, heads


def _socket_mm(catalogue: Catalogue, job: Job, port: str, pipe: Pipe) -> float:
    """How far a pipe goes into the valve at a port [mm], 16 where there is no figure (typ)."""
    for method in catalogue.systems[pipe.code].methods:
        found = catalogue.method_figures(pipe.code, pipe.size, method)
        if method.startswith("compression") and isinstance(found, Socket):
            return found.insertion_mm
    return 16.0


# --- a radiator's valve -----------------------------------------------------------------------------------------------


def _begin_valve(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """The radiator as it hangs, with the ends of its pipes: all stays but the valve."""
    pipe = str(answers["pipe"])
    job = apply_all(job, [_panel(answers, "R1", WALL_X_MM, "keep")], catalogue)
    job = _pipes_up(job, catalogue, pipe, keep=True)
    which = str(answers["which"])
    where = {"trv": "R1.left", "lockshield": "R1.right"}.get(which, "R1")
    return apply_all(job, [_task("valve", where, answers)], catalogue)


def _pipes_up(job: Job, catalogue: Catalogue, pipe: str, *, keep: bool, stand_mm: float = 0.0) -> Job:
    """Old pipes that come out of the floor under both valves of R1, joined to them."""
    places = _places_with(job, catalogue, pipe)
    commands: list[dict[str, Any]] = []
    for stub, run, port, role in (("FS", "F1", "R1.left", "flow"), ("RS", "RT1", "R1.right", "return")):
        mouth = places[port]
        name = "Flow from the floor" if role == "flow" else "Return from the floor"
        commands.append(_stub(stub, name, (mouth.x, mouth.y, stand_mm), role, "up", pipe))
        commands += _run(f"{run} from {stub} {pipe}: U? -> {port}", keep=keep)
    return apply_all(job, commands, catalogue)


def _places_with(job: Job, catalogue: Catalogue, pipe: str) -> dict[str, Vec]:
    """The mouths of the ports of R1 with the valves that take this pipe: a pipe is tried at each."""
    tried = job
    for n, port in enumerate(("R1.left", "R1.right")):
        role, stub, run = ("flow", "FS", "F1") if n == 0 else ("return", "RS", "RT1")
        place = _places(tried, catalogue)[port].mouth
        tried = apply_all(
            tried,
            [
                _stub(stub, "", (place.x, place.y, -500.0), role, "up", pipe),
                *_run(f"{run} from {stub} {pipe}: U? -> {port}"),
            ],
            catalogue,
        )
    return {key: place.mouth for key, place in _places(tried, catalogue).items()}


def _valve_sheet(design: Layout, task: Task) -> JobSheet:
    answers = task.answers
    catalogue = design.context.catalogue
    pipe = read_pipe_text(str(answers["pipe"]), catalogue, "pipe")
    out_l = _litres(answers)
    emptied = str(answers["emptied"])
    house_l = float(answers.get("house_l") or 0.0)
    words, heads = _water(answers, house_l if emptied == "house" and house_l else out_l)
    if emptied == "house":
        heads[1] = ("To fill again", "loop open, a helper at the gauge")
        if not house_l:
            heads[0], heads[2] = ("Water out", "the house down to this valve"), ("Inhibitor", "1 L to each 100 L (typ)")
            words["dose"] = "1 L to each 100 L (typ)"
    words["litres"] = f"{trim(out_l, 1)} L (typ)"
    turns = float(answers.get("turns") or 0.0)
    heads.append(("Lockshield", f"{trim(turns, 2)} turns open" if turns else "not counted yet"))
    if turns:
        words["turns"] = f"{trim(turns, 2)} turns, as counted"
    heads.append(_flow_head(answers))
    school = options_of(design.job).get("nut-and-olive", "new")
    return valve_change(catalogue, pipe, str(answers["which"]), school, emptied, words, tuple(heads))


def _flow_head(answers: Answers) -> tuple[str, str]:
    side = str(answers.get("flow", NOT_YET))
    by = str(answers.get("found_by", "hand"))
    return "Flow", "not marked yet" if side == NOT_YET else f"the {side} pipe, by {by}"


# --- a radiator hung on stubs -----------------------------------------------------------------------------------------


def _begin_hang(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """The new radiator over the stubs as measured: old pipe where it reaches, new pipe where it does not."""
    pipe = str(answers["pipe"])
    under = float(answers["underside"])
    job = apply_all(job, [_panel(answers, "R1", WALL_X_MM, "new", under)], catalogue)
    places = _places_with(job, catalogue, pipe)
    read = read_pipe_text(pipe, catalogue, "pipe")
    left, right = places["R1.left"], places["R1.right"]
    off = (float(answers["centres"]) - (right.x - left.x)) / 2 if answers["centres"] else 0.0
    stand = float(answers["stand"])
    reaches = stand >= left.z + _socket_mm(catalogue, job, "R1.left", read) - 0.5
    if abs(off) * 2 <= REOPENED_MM:
        off = 0.0  # taken up in the tube or the holes: the sheet says which
    keep = reaches and not off
    commands: list[dict[str, Any]] = []
    for stub, run, port, role, side in (
        ("FS", "F1", "R1.left", "flow", -1),
        ("RS", "RT1", "R1.right", "return", 1),
    ):
        mouth = places[port]
        height = 0.0 if keep or off else min(stand, max(mouth.z - LENGTHENED_MM, 0.0))
        name = "Flow from the floor" if role == "flow" else "Return from the floor"
        commands.append(_stub(stub, name, (mouth.x + side * off, mouth.y, height), role, "up", pipe))
        legs = _aside(-side * off) if off else "U?"
        commands += _run(f"{run} from {stub} {pipe}: {legs} -> {port}", keep=keep)
    return apply_all(job, [*commands, _task("hang", "R1", answers)], catalogue)


def _aside(east_mm: float) -> str:
    """Legs up that come over so far to the east: a set where two elbows have no room."""
    way = "E" if east_mm > 0 else "W"
    return f"U60mm {way}? U?" if abs(east_mm) > SET_MM else f"U45mm ~{way}{abs(east_mm):.1f}mm U?"


def _hang_sheet(design: Layout, task: Task) -> JobSheet:
    answers, job, catalogue = task.answers, design.job, design.context.catalogue
    station = job.station("R1")
    pipe = read_pipe_text(str(answers["pipe"]), catalogue, "pipe")
    ports = design.pipework.ports
    words, heads = _water(answers, _litres(answers))
    words["litres"] = words["litres"] + " (typ)"
    heads[0] = ("Water in it", heads[0][1] + " (typ)")
    if station is not None and {"R1.left", "R1.right"} <= ports.keys():
        left, right = ports["R1.left"].mouth, ports["R1.right"].mouth
        centres = right.x - left.x
        words["centres"] = _centres_words(job, catalogue, pipe, float(answers["centres"] or 0.0), centres)
        needed = left.z + _socket_mm(catalogue, job, "R1.left", pipe)
        cut_at = ports["FS.end"].mouth.z if "FS.end" in ports else 0.0
        said, head = _trim_words(job, float(answers["stand"]), needed, cut_at, free=bool(answers["free"]))
        words["trim"] = said
        heads = [("Valve centres", _text(job, centres)), head, *heads]
    heads.append(_flow_head(answers))
    weight = (
        float(answers["weight"])
        or PER_M_KG[str(answers["panels"])] * float(answers["width"]) / 1000 * float(answers["height"]) / 600
    )
    return radiator_hang(
        round(weight, 1),
        round(_litres(answers), 1),
        str(answers["wall"]),
        float(answers["underside"]),
        float(answers["bracket"]),
        "pipes",
        {"trim": "", "centres": "", **words},
        tuple(heads),
    )


def _centres_words(job: Job, catalogue: Catalogue, pipe: Pipe, stubs_mm: float, valves_mm: float) -> str:
    """What the difference between valve and stub centres asks for: 3 mm springs, 8 mm is had by opening the holes."""
    if not stubs_mm:
        return f"Valve centres are {_text(job, valves_mm)}: measure the stubs."
    off = stubs_mm - valves_mm
    said = f"Valve centres {_text(job, valves_mm)}, stubs {_text(job, stubs_mm)}"
    if abs(off) < 0.5:
        return f"{said}: they meet."
    if abs(off) <= SPRUNG_MM:
        return f"{said}: {_text(job, abs(off))} springs in the tube."
    if abs(off) <= REOPENED_MM:
        return f"{said}: open the holes again, {_text(job, abs(off))} in all."
    spring = spring_mm(catalogue, pipe, 300.0)
    return (
        f"{said}: {_text(job, abs(off))} is more than tube and holes give ({_text(job, spring)} with 300 mm free): the "
        "pipes are offset as the cut list has it."
    )


def _trim_words(
    job: Job, stand_mm: float, needed_mm: float, cut_at_mm: float, *, free: bool
) -> tuple[str, tuple[str, str]]:
    """What is done to stubs that stand so far out of the floor where so much is needed: a sentence and a head. Short
    ones are cut at cut_at_mm and lengthened."""
    cut = needed_mm + (LONG_MM if free else 0.0)
    if stand_mm >= needed_mm - 0.5:
        back = stand_mm - cut
        long = f", {trim(LONG_MM, 0)} long because they push back" if free else ", exactly: they do not push back"
        if back < 0.5:
            return f"They stand {_text(job, stand_mm)}: as they are.", ("Stubs", "as they stand")
        said = f"Cut both to {_text(job, cut)} above the floor, {_text(job, back)} off{long}."
        return said, ("Trim stubs to", _text(job, cut))
    short = needed_mm - stand_mm
    said = (
        f"They stand {_text(job, stand_mm)} where {_text(job, needed_mm)} is needed: {_text(job, short)} short. Cut "
        f"both {_text(job, cut_at_mm)} above the floor and lengthen them as the cut list has it, or hang it lower."
    )
    return said, ("Stubs are short by", _text(job, short))


# --- a radiator moved, a radiator added -------------------------------------------------------------------------------


def _under_floor(port: str, run: str, start: str, pipe: str, legs: str, floor_mm: float) -> list[dict[str, Any]]:
    below = UNDER_FLOOR_MM - floor_mm
    return _run(
        f"{run} from {start} {pipe}: {{floor}} {legs} U{below:g}mm (floor {floor_mm:g}mm) {{view}} U? -> {port}"
    )


def _begin_move(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """The old radiator taken away, the new place along the wall, its pipes lengthened under the floor."""
    pipe, floor = str(answers["pipe"]), float(answers["floor"])
    along = float(answers["along"]) * (1 if answers["to"] == "right" else -1)
    job = apply_all(job, [_panel(answers, "R1", WALL_X_MM + along, "new")], catalogue)
    places = _places_with(job, catalogue, pipe)
    facing = "right" if along > 0 else "left"
    way = "E" if along > 0 else "W"
    commands = [_panel(answers, "R0", WALL_X_MM, "remove")]
    for stub, run, port, role in (("FS", "F1", "R1.left", "flow"), ("RS", "RT1", "R1.right", "return")):
        mouth = places[port]
        last = (role == "flow") == (along < 0)  # the one that goes past the other comes in from the side
        at = (mouth.x - along, mouth.y - (SIDE_MM if last else 0.0), -UNDER_FLOOR_MM)
        commands.append(_stub(stub, f"Old {role}, cut below the floor", at, role, facing, pipe))
        commands += _under_floor(port, run, stub, pipe, f"{way}? N?" if last else f"{way}?", floor)
    return apply_all(job, [*commands, _task("move", "R1", answers)], catalogue)


def _begin_add(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """A new radiator, teed into two mains that run along under the floor."""
    pipe, main, floor = str(answers["pipe"]), str(answers["main"]), float(answers["floor"])
    job = apply_all(job, [_panel(answers, "R1", WALL_X_MM, "new")], catalogue)
    places = _places_with(job, catalogue, pipe)
    out = float(answers["out"])
    commands: list[dict[str, Any]] = []
    for main_run, run, port, role, aside, below in (
        ("FM", "F1", "R1.left", "flow", 0.0, UNDER_FLOOR_MM),
        ("RM", "RT1", "R1.right", "return", 100.0, UNDER_FLOOR_MM + 60.0),
    ):
        mouth = places[port]
        y = mouth.y - out - aside
        start, end = f"{main_run}A", f"{main_run}B"
        title = "Flow main" if role == "flow" else "Return main"
        commands += [
            _stub(start, f"{title}, from", (mouth.x - 1000, y, -below), role, "right", main),
            _stub(end, f"{title}, on", (mouth.x + 1000, y, -below), role, "left", main),
            *_run(f"{main_run} from {start} {main}: {{floor}} E1000mm *T1 E? -> {end}", keep=True),
        ]
        legs = f"N? U{below - UNDER_FLOOR_MM:g}mm" if below > UNDER_FLOOR_MM else "N?"
        commands += _under_floor(port, run, f"{main_run}.T1", pipe, legs, floor)
    return apply_all(job, [*commands, _task("add", "R1", answers)], catalogue)


def _moved_sheet(design: Layout, task: Task) -> JobSheet:
    answers, job, catalogue = task.answers, design.job, design.context.catalogue
    pipe = read_pipe_text(str(answers["pipe"]), catalogue, "pipe")
    below = next(
        (one for one in ("capillary", "press", "press-mlc", "push-fit") if one in catalogue.systems[pipe.code].methods),
        "compression",
    )
    below = next(
        (
            joint.method
            for joint in design.fitted.joints.values()
            if joint.run == "F1"
            and joint.pipe == str(pipe)
            and isinstance(catalogue.method_figures(pipe.code, pipe.size, joint.method), Socket)
        ),
        below,
    )
    words, heads = _water(answers, float(answers.get("house_l") or 0.0) or _litres(answers))
    words["litres"] = f"{trim(_litres(answers), 1)} L (typ)"
    total = sum(cut.cut_mm for cut in design.cuts)
    sheet = moved_radiator(
        catalogue,
        pipe,
        float(answers["floor"]),
        below,
        float(answers["gap"]),
        ("moved" if task.kind == "move" else "added", "later" if answers.get("hangs_later") else "now"),
        words,
    )
    first = [
        ("Holes", _text(job, sheet.figures["hole_mm"])),
        ("Stubs", f"two of {_text(job, sheet.figures['stub_mm'])}"),
        ("New pipe", f"{trim(total / 1000, 2)} m in {len(design.cuts)} pieces"),
    ]
    if not float(answers.get("house_l") or 0.0):
        heads = [("In the radiator", f"{trim(_litres(answers), 1)} L (typ)")]
    if task.kind == "move":
        turns = float(answers.get("turns") or 0.0)
        heads.append(("Lockshield", f"{trim(turns, 2)} turns open" if turns else "not counted yet"))
    return _with_heads(sheet, [*first, *heads, _flow_head(answers)])


def _with_heads(sheet: JobSheet, heads: Iterable[tuple[str, str]]) -> JobSheet:
    from dataclasses import replace

    return replace(sheet, heads=tuple(heads))


# --- a pump -----------------------------------------------------------------------------------------------------------


def _begin_pump(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """The new pump where the old one is, between the ends of the pipes it hangs in."""
    pipe = str(answers["pipe"])
    at = (WALL_X_MM, WALL_Y_MM - 60, 1000.0)
    data = {"width_mm": float(answers["new_length"])}
    commands = [
        _station("pump", "P0", "Old pump", at, state="remove", data={"width_mm": float(answers["old_length"])}),
        _station("pump", "PMP", "New pump", at, data=data),
    ]
    job = apply_all(job, commands, catalogue)
    places = _places(job, catalogue)
    valve = "[iso]" if answers["valves"] else ""
    inlet, outlet = places["PMP.in"].mouth, places["PMP.out"].mouth
    commands = [
        _stub("PA", "Pipe to the pump", (inlet.x - 400, inlet.y, inlet.z), "flow", "right", pipe),
        _stub("PB", "Pipe from the pump", (outlet.x + 400, outlet.y, outlet.z), "flow", "left", pipe),
        *_run(f"F1 from PA {pipe}: E200mm {valve} E? -> PMP.in", keep=True),
        *_run(f"F2 from PMP.out {pipe}: E200mm {valve} E? -> PB", keep=True),
        _task("pump", "PMP", answers),
    ]
    return apply_all(job, commands, catalogue)


def _pump_sheet(design: Layout, task: Task) -> JobSheet:
    answers, job = task.answers, design.job
    old, new = float(answers["old_length"]), float(answers["new_length"])
    setting = str(answers.get("setting") or "") or "the setting of the old one"
    valves = bool(answers["valves"])
    holds = {"valves" if valves else "no-valves", *(("spacer",) if abs(old - new) >= 1 else ())}
    gap = _text(job, abs(old - new))
    spacer = (
        f"The new one is {gap} shorter: a spacer of {gap} with a third washer, or the pipe drawn together."
        if new < old
        else f"The new one is {gap} longer: one pipe is cut back by {gap}."
    )
    words = {"setting": setting, "length": _text(job, new), "spacer": spacer}
    heads = [("Between faces", _text(job, new)), ("Set to", setting)]
    if abs(old - new) >= 1:
        heads.append(("Spacer" if new < old else "Cut back", gap))
    quantities = ("1 pump", f"{3 if new < old - 1 else 2} union washers")
    return write("pump-change", holds, words, quantities, heads=tuple(heads))


# --- a filling point or a safety valve --------------------------------------------------------------------------------


def _begin_guard(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """A new filling point or safety valve on the pipe of the old one."""
    pipe = str(answers["pipe"])
    safety = answers["which"] == "safety"
    kind, ident, port = ("safety-valve", "SV", "SV.in") if safety else ("filling", "FIL", "FIL.system")
    at = (WALL_X_MM, WALL_Y_MM - 60, 1500.0 if safety else 900.0)
    data = {"set_pa": float(answers["set_bar"]) * 1e5} if safety else {}
    commands = [
        _station(kind, "OLD", "Old one", at, state="remove", data=data),
        _station(kind, ident, "New one", at, data=data),
    ]
    job = apply_all(job, commands, catalogue)
    places = _places(job, catalogue)
    mouth = places[port].mouth
    if safety:
        out = places["SV.out"].mouth
        commands = [
            _stub("PA", "Flow", (mouth.x, mouth.y, mouth.z - 300), "flow", "up", pipe),
            _stub("D1", "Discharge, to where it is seen", (out.x + 100, out.y, 150.0), "discharge", "up", pipe),
            *_run(f"F1 from PA {pipe}: U? -> SV.in", keep=True),
            *_run(f"D1R from SV.out {pipe}: {{fall 1:40}} E? D? -> D1", keep=True),
        ]
    else:
        commands = [
            _stub("PA", "Return", (mouth.x + 400, mouth.y, mouth.z), "return", "left", pipe),
            *_run(f"RT1 from FIL.system {pipe}: E? -> PA", keep=True),
        ]
    return apply_all(job, [*commands, _task("guard", ident, answers)], catalogue)


def _guard_sheet(design: Layout, task: Task) -> JobSheet:
    answers = task.answers
    safety = answers["which"] == "safety"
    bar = f"{trim(float(answers['set_bar']), 2)} bar"
    cold, hot = float(answers.get("cold_bar") or 0.0), float(answers.get("hot_bar") or 0.0)
    heads = [("Set pressure", bar)] if safety else [("Check valves", "in the loop, arrow to the circuit")]
    heads.append(("Cold", f"{trim(cold, 2)} bar" if cold else "not read yet"))
    heads.append(("Hot", f"{trim(hot, 2)} bar" if hot else "not read yet"))
    if safety and hot and hot > float(answers["set_bar"]) - 0.35:
        heads.append(("It lifts because", "hot pressure comes within 0.35 bar of it: see the vessel"))
    quantity = f"1 safety valve, {bar}" if safety else "1 filling point with hose, check valves and caps"
    holds = {"safety"} if safety else {"filling"}
    return write("guard-change", holds, {"set": bar}, (quantity,), heads=tuple(heads))


# --- a pressure that falls --------------------------------------------------------------------------------------------


def _begin_pressure(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """Nothing is drawn: the readings of the gauge are the job."""
    return apply_all(job, [_task("pressure", "gauge", answers)], catalogue)


READING = "reading "
READING_EXAMPLE = "2026-03-01 07:00 1.20 bar 18 C"


def read_reading(text: str, decimal_comma: bool = False) -> tuple[datetime, float, float]:
    """One reading of the gauge as it is said: day, time, pressure, temperature of the water [C]. Raises Refused."""
    said = text.replace(",", ".") if decimal_comma else text
    words = said.replace("T", " ").split()
    try:
        at = datetime.fromisoformat(" ".join(words[:2]))
        rest = words[2:]
        temp = float(rest[-2] if rest[-1].upper() in ("C", "F") else rest[-1].upper().rstrip("C"))
        if rest[-1].upper() == "F":
            temp = (temp - 32) / 1.8
        pressure = " ".join(rest[: -2 if rest[-1].upper() in ("C", "F") else -1])
        bar = parse(pressure, "pressure", "bar", field="reading") / 1e5
    except (ValueError, IndexError):
        expected = "day, time, pressure of the gauge, temperature of the pipe"
        raise Refused("reading", text, expected, READING_EXAMPLE) from None
    if not 0 <= bar <= 20 or not -20 <= temp <= 150:
        raise Refused("reading", text, "0 to 20 bar and -20 to 150 C", READING_EXAMPLE)
    return at, bar, temp


def readings_of(task: Task) -> list[tuple[str, datetime, float, float]]:
    """The readings kept in a task, oldest first: (question, when, bar, temperature [C])."""
    found = []
    for name, value in task.answers.items():
        if name.startswith(READING):
            try:
                found.append((name, *read_reading(str(value))))
            except Refused:
                continue  # a document may hold anything
    return sorted(found, key=lambda one: one[1])


def story_of(task: Task) -> Story | None:
    """What the readings of a task tell; None while there are too few. Raises nothing."""
    rows = readings_of(task)
    if len(rows) < 4:
        return None
    first = rows[0][1]
    days = [DayReading((at - first).total_seconds() / 86400, bar, temp) for _, at, bar, temp in rows]
    volume, vessel = float(task.answers.get("house_l") or 0.0), float(task.answers.get("vessel_l") or 0.0)
    try:
        return gauge_story(
            days,
            volume or 100.0,
            vessel or USUAL_VESSEL_L,
            float(task.answers.get("precharge_bar") or USUAL_PRECHARGE_BAR),
            float(task.answers.get("safety_bar") or 3.0),
        )
    except (Refused, ValueError):
        return None


def _pressure_sheet(design: Layout, task: Task) -> JobSheet:
    story = story_of(task)
    rows = readings_of(task)
    precharge = float(task.answers.get("precharge_bar") or USUAL_PRECHARGE_BAR)
    if story is None:
        verdict, heads = "", [("Readings", f"{len(rows)} of at least 4")]
        cure = "What the readings and the look round have shown."
    else:
        verdict = story.verdict
        heads = [("Verdict", verdict), ("Falls", f"{trim(-story.drift_bar_day, 2)} bar a day")]
        swing = story.swing_bar_k * 50
        expected = story.expected_bar_k * 50
        known = task.answers.get("house_l") and task.answers.get("vessel_l")
        typical = "" if known else f", for 100 L and a vessel of {trim(USUAL_VESSEL_L, 0)} L (typ)"
        heads.append(("Swing over 50 K", f"{trim(swing, 2)} bar, {_expected(expected)}{typical}"))
        cure = f"{story.says} Look at: {'; '.join(story.look_at)}." if story.look_at else story.says
    return write(
        "falling-pressure",
        {verdict} if verdict else set(),
        {"precharge": trim(precharge, 2), "verdict": cure},
        heads=tuple(heads),
        working=story.working if story else (),
    )


def _expected(bar: float) -> str:
    return f"{trim(bar, 2)} by the vessel" if math.isfinite(bar) else "more than the vessel takes"


# --- one joint --------------------------------------------------------------------------------------------------------

SERVICE_ROLE = {"heating": "flow", "water": "cold", "gas": "gas"}


def _begin_joint(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """Two old pipes and the joint between them."""
    a, b = str(answers["a"]), str(answers["b"])
    role = SERVICE_ROLE[str(answers["service"])]
    y, z = WALL_Y_MM - 60, 1000.0
    change = "[coupling]" if a == b else f"={b}"
    commands = [
        _stub("A", "This side", (WALL_X_MM - 500, y, z), role, "right", a),
        _stub("B", "That side", (WALL_X_MM + 500, y, z), role, "left", b),
        *_run(f"J1 from A {a}: E500mm {change} E? -> B", keep=True),
    ]
    job = apply_all(job, commands, catalogue)
    where = next(node.key for node in trace(job, catalogue).nodes.values() if node.kind in ("change", "device"))
    commands = [_task("joint", where, answers)]
    method = str(answers["method"])
    if method != "usual":
        override = {"target": where, "field": "method", "value": method, "reason": "asked for"}
        commands.append({"do": "put_override", "override": override})
    return apply_all(job, commands, catalogue)


def _joint_sheet(design: Layout, task: Task) -> JobSheet:
    answers, catalogue = task.answers, design.context.catalogue
    joints = [joint for joint in design.fitted.joints.values() if joint.fitting_key == task.where]
    methods = list(dict.fromkeys(joint.method for joint in joints if joint.method))
    titles = [catalogue.methods[one].title for one in methods if one in catalogue.methods]
    title = joints[0].fitting_title if joints else "no joint yet"
    why = next((joint.why for joint in joints if joint.why), "")
    said = f"{title}: {', '.join(titles)}; the card has it step by step." if titles else why or "Nothing takes both."
    service = str(answers["service"])
    holds = {"gas" if service == "gas" else "wet"}
    if any(catalogue.methods[one].flame for one in methods if one in catalogue.methods):
        holds.add("flame")
    heads = [("Joint", title), ("Made by", ", ".join(titles) or "nothing yet"), ("Ends to make", str(len(joints)))]
    words = {"a": str(answers["a"]), "b": str(answers["b"]), "recipe": said}
    return write("one-joint", holds, words, heads=tuple(heads))


# --- the kinds --------------------------------------------------------------------------------------------------------

SMALL_JOBS = {
    one.id: one
    for one in (
        SmallJob(
            "valve",
            "Radiator valve changed",
            "flow marked and turns counted first, union side first, nut last",
            (
                Ask(
                    "which",
                    "Which valve",
                    "choice",
                    "trv",
                    (("trv", "thermostatic"), ("lockshield", "lockshield"), ("both", "both")),
                ),
                _pipe(),
                Ask(
                    "emptied",
                    "Water",
                    "choice",
                    "house",
                    (
                        ("house", "house drained to below it"),
                        ("alone", "this radiator only, cap ready"),
                        ("frozen", "both pipes frozen"),
                    ),
                    drawn=False,
                ),
                *PANEL,
                *WATER,
                FLOW,
                FOUND_BY,
                COUNTED,
            ),
            _begin_valve,
            _valve_sheet,
        ),
        SmallJob(
            "hang",
            "Radiator hung on its stubs",
            "valve centres against the stubs, what to trim, brackets and fixings",
            (
                *PANEL,
                _pipe(),
                Ask("centres", "Between the stubs (0: not measured)", "length", "0", most=4000),
                Ask("stand", "Stubs stand out of the floor", "length", "200", most=1500),
                Ask("free", "Stubs push back", "flag", "", drawn=False),
                Ask("underside", "Underside above the floor", "length", "150", least=20, most=1500),
                Ask("bracket", "Bracket hole above the underside", "length", "520", most=2400, drawn=False),
                Ask(
                    "weight", "Empty weight by its label (0: typical)", "number", "0", most=400, unit="kg", drawn=False
                ),
                Ask("wall", "Wall", "choice", "masonry", tuple((one, one) for one in fixings()), drawn=False),
                *WATER,
                FLOW,
                FOUND_BY,
            ),
            _begin_hang,
            _hang_sheet,
        ),
        SmallJob(
            "move",
            "Radiator moved",
            "new place along the wall, pipes lengthened below the floor",
            (
                *PANEL,
                _pipe(),
                Ask("along", "Moved along the wall by", "length", "1200", least=100, most=10000),
                Ask("to", "To the", "choice", "right", (("right", "right"), ("left", "left"))),
                Ask("floor", "Floor thickness", "length", "22", least=10, most=55),
                Ask("gap", "Floor to the mouth of the valve", "length", "100", least=80, most=120, drawn=False),
                LATER,
                *WATER,
                FLOW,
                FOUND_BY,
                COUNTED,
            ),
            _begin_move,
            _moved_sheet,
        ),
        SmallJob(
            "add",
            "Radiator added",
            "two tees cut into the mains, pipes below the floor, valves shut until it hangs",
            (
                *PANEL,
                _pipe(),
                _pipe("cu-m 22", "main", "Pipe of the mains"),
                Ask("out", "Mains from the valves, square", "length", "600", least=200, most=10000),
                Ask("floor", "Floor thickness", "length", "22", least=10, most=55),
                Ask("gap", "Floor to the mouth of the valve", "length", "100", least=80, most=120, drawn=False),
                LATER,
                *WATER,
                FLOW,
                FOUND_BY,
            ),
            _begin_add,
            _moved_sheet,
        ),
        SmallJob(
            "pump",
            "Pump changed",
            "arrow, length between faces, washers, valves shut or drained",
            (
                _pipe("cu-m 22"),
                Ask("old_length", "Old pump, between faces", "length", "180", least=80, most=400),
                Ask("new_length", "New pump, between faces", "length", "180", least=80, most=400),
                Ask("valves", "Its two valves hold", "flag", "yes"),
                Ask("setting", "Old setting or head", "text", "", later=True, drawn=False),
            ),
            _begin_pump,
            _pump_sheet,
        ),
        SmallJob(
            "guard",
            "Filling point or safety valve changed",
            "pressures read first, same set pressure, tried by hand",
            (
                Ask("which", "Which", "choice", "filling", (("filling", "filling point"), ("safety", "safety valve"))),
                _pipe(),
                Ask("set_bar", "Safety valve set to", "number", "3", least=1, most=10, unit="bar"),
                Ask(
                    "cold_bar",
                    "Cold pressure (0: not read)",
                    "number",
                    "0",
                    most=20,
                    unit="bar",
                    later=True,
                    drawn=False,
                ),
                _read("hot_bar", "Hot pressure (0: not read)"),
            ),
            _begin_guard,
            _guard_sheet,
        ),
        SmallJob(
            "pressure",
            "Falling pressure found",
            "the gauge read cold and hot for days, and what it tells",
            (
                Ask("house_l", "Water in the house (0: not known)", "number", "0", most=5000, unit="L", drawn=False),
                Ask("vessel_l", "Vessel (0: not known)", "number", "0", most=500, unit="L", drawn=False),
                Ask("precharge_bar", "Its pre-charge", "number", "0.7", most=10, unit="bar", drawn=False),
                Ask("safety_bar", "Safety valve set to", "number", "3", least=1, most=10, unit="bar", drawn=False),
            ),
            _begin_pressure,
            _pressure_sheet,
        ),
        SmallJob(
            "joint",
            "One joint",
            "two pipes, what takes them together, its card",
            (
                Ask(
                    "service",
                    "Carries",
                    "choice",
                    "heating",
                    (("heating", "heating water"), ("water", "fresh water"), ("gas", "gas")),
                ),
                _pipe(name="a", label="This pipe"),
                _pipe("cu-m 15", "b", "That pipe"),
                Ask(
                    "method",
                    "Made by",
                    "choice",
                    "usual",
                    (
                        ("usual", "what the house does"),
                        ("capillary", "soldered"),
                        ("compression", "compression"),
                        ("press", "pressed"),
                        ("push-fit", "push-fit"),
                    ),
                ),
            ),
            _begin_joint,
            _joint_sheet,
        ),
    )
}
