"""Small jobs at a radiator: its valve changed, hung on stubs, moved, added."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from ...catalogue import Catalogue, Socket
from ...job.commands import apply_all
from ...job.model import Job, Pipe, Task
from ...job.ways import Vec
from ...layout import Layout
from ...making.fitup import LONG_MM, spring_mm
from ...practice import options_of
from ...quantity import trim
from ...work.small_drawing import WALL_X_MM, length_words, port_places, run_commands, stub_at, task_command
from ...work.small_jobs import Answers, JobSheet, read_pipe_text
from .small_base import (
    LENGTHENED_MM,
    NOT_YET,
    PER_M_KG,
    REOPENED_MM,
    SET_MM,
    SIDE_MM,
    SPRUNG_MM,
    UNDER_FLOOR_MM,
    panel_at,
    panel_litres,
    socket_mm,
    water_words,
)
from .tasks import moved_radiator, radiator_hang, valve_change


def begin_valve(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """The radiator as it hangs, with the ends of its pipes: all stays but the valve."""
    pipe = str(answers["pipe"])
    job = apply_all(job, [panel_at(answers, "R1", WALL_X_MM, "keep")], catalogue)
    job = _pipes_up(job, catalogue, pipe, keep=True)
    which = str(answers["which"])
    where = {"trv": "R1.left", "lockshield": "R1.right"}.get(which, "R1")
    return apply_all(job, [task_command("valve", where, answers)], catalogue)


def _pipes_up(job: Job, catalogue: Catalogue, pipe: str, *, keep: bool, stand_mm: float = 0.0) -> Job:
    """Old pipes that come out of the floor under both valves of R1, joined to them."""
    places = _places_with(job, catalogue, pipe)
    commands: list[dict[str, Any]] = []
    for stub, run, port, role in (("FS", "F1", "R1.left", "flow"), ("RS", "RT1", "R1.right", "return")):
        mouth = places[port]
        name = "Flow from the floor" if role == "flow" else "Return from the floor"
        commands.append(stub_at(stub, name, (mouth.x, mouth.y, stand_mm), role, "up", pipe))
        commands += run_commands(f"{run} from {stub} {pipe}: U? -> {port}", keep=keep)
    return apply_all(job, commands, catalogue)


def _places_with(job: Job, catalogue: Catalogue, pipe: str) -> dict[str, Vec]:
    """The mouths of the ports of R1 with the valves that take this pipe: a pipe is tried at each."""
    tried = job
    for n, port in enumerate(("R1.left", "R1.right")):
        role, stub, run = ("flow", "FS", "F1") if n == 0 else ("return", "RS", "RT1")
        place = port_places(tried, catalogue)[port].mouth
        tried = apply_all(
            tried,
            [
                stub_at(stub, "", (place.x, place.y, -500.0), role, "up", pipe),
                *run_commands(f"{run} from {stub} {pipe}: U? -> {port}"),
            ],
            catalogue,
        )
    return {key: place.mouth for key, place in port_places(tried, catalogue).items()}


def valve_sheet(design: Layout, task: Task) -> JobSheet:
    answers = task.answers
    catalogue = design.context.catalogue
    pipe = read_pipe_text(str(answers["pipe"]), catalogue, "pipe")
    out_l = panel_litres(answers)
    emptied = str(answers["emptied"])
    house_l = float(answers.get("house_l") or 0.0)
    words, heads = water_words(answers, house_l if emptied == "house" and house_l else out_l)
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


def begin_hang(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """The new radiator over the stubs as measured: old pipe where it reaches, new pipe where it does not."""
    pipe = str(answers["pipe"])
    under = float(answers["underside"])
    job = apply_all(job, [panel_at(answers, "R1", WALL_X_MM, "new", under)], catalogue)
    places = _places_with(job, catalogue, pipe)
    read = read_pipe_text(pipe, catalogue, "pipe")
    left, right = places["R1.left"], places["R1.right"]
    off = (float(answers["centres"]) - (right.x - left.x)) / 2 if answers["centres"] else 0.0
    stand = float(answers["stand"])
    reaches = stand >= left.z + socket_mm(catalogue, job, "R1.left", read) - 0.5
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
        commands.append(stub_at(stub, name, (mouth.x + side * off, mouth.y, height), role, "up", pipe))
        legs = _aside(-side * off) if off else "U?"
        commands += run_commands(f"{run} from {stub} {pipe}: {legs} -> {port}", keep=keep)
    return apply_all(job, [*commands, task_command("hang", "R1", answers)], catalogue)


def _aside(east_mm: float) -> str:
    """Legs up that come over so far to the east: a set where two elbows have no room."""
    way = "E" if east_mm > 0 else "W"
    return f"U60mm {way}? U?" if abs(east_mm) > SET_MM else f"U45mm ~{way}{abs(east_mm):.1f}mm U?"


def hang_sheet(design: Layout, task: Task) -> JobSheet:
    answers, job, catalogue = task.answers, design.job, design.context.catalogue
    station = job.station("R1")
    pipe = read_pipe_text(str(answers["pipe"]), catalogue, "pipe")
    ports = design.pipework.ports
    words, heads = water_words(answers, panel_litres(answers))
    words["litres"] = words["litres"] + " (typ)"
    heads[0] = ("Water in it", heads[0][1] + " (typ)")
    if station is not None and {"R1.left", "R1.right"} <= ports.keys():
        left, right = ports["R1.left"].mouth, ports["R1.right"].mouth
        centres = right.x - left.x
        words["centres"] = _centres_words(job, catalogue, pipe, float(answers["centres"] or 0.0), centres)
        needed = left.z + socket_mm(catalogue, job, "R1.left", pipe)
        cut_at = ports["FS.end"].mouth.z if "FS.end" in ports else 0.0
        said, head = _trim_words(job, float(answers["stand"]), needed, cut_at, free=bool(answers["free"]))
        words["trim"] = said
        heads = [("Valve centres", length_words(job, centres)), head, *heads]
    heads.append(_flow_head(answers))
    weight = (
        float(answers["weight"])
        or PER_M_KG[str(answers["panels"])] * float(answers["width"]) / 1000 * float(answers["height"]) / 600
    )
    return radiator_hang(
        round(weight, 1),
        round(panel_litres(answers), 1),
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
        return f"Valve centres are {length_words(job, valves_mm)}: measure the stubs."
    off = stubs_mm - valves_mm
    said = f"Valve centres {length_words(job, valves_mm)}, stubs {length_words(job, stubs_mm)}"
    if abs(off) < 0.5:
        return f"{said}: they meet."
    if abs(off) <= SPRUNG_MM:
        return f"{said}: {length_words(job, abs(off))} springs in the tube."
    if abs(off) <= REOPENED_MM:
        return f"{said}: open the holes again, {length_words(job, abs(off))} in all."
    spring = spring_mm(catalogue, pipe, 300.0)
    return (
        f"{said}: {length_words(job, abs(off))} is more than tube and holes give ({length_words(job, spring)} with "
        "300 mm free): the pipes are offset as the cut list has it."
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
            return f"They stand {length_words(job, stand_mm)}: as they are.", ("Stubs", "as they stand")
        said = f"Cut both to {length_words(job, cut)} above the floor, {length_words(job, back)} off{long}."
        return said, ("Trim stubs to", length_words(job, cut))
    short = needed_mm - stand_mm
    said = (
        f"They stand {length_words(job, stand_mm)} where {length_words(job, needed_mm)} is needed: "
        f"{length_words(job, short)} short. Cut both {length_words(job, cut_at_mm)} above the floor and lengthen them "
        "as the cut list has it, or hang it lower."
    )
    return said, ("Stubs are short by", length_words(job, short))


def _under_floor(port: str, run: str, start: str, pipe: str, legs: str, floor_mm: float) -> list[dict[str, Any]]:
    below = UNDER_FLOOR_MM - floor_mm
    return run_commands(
        f"{run} from {start} {pipe}: {{floor}} {legs} U{below:g}mm (floor {floor_mm:g}mm) {{view}} U? -> {port}"
    )


def begin_move(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """The old radiator taken away, the new place along the wall, its pipes lengthened under the floor."""
    pipe, floor = str(answers["pipe"]), float(answers["floor"])
    along = float(answers["along"]) * (1 if answers["to"] == "right" else -1)
    job = apply_all(job, [panel_at(answers, "R1", WALL_X_MM + along, "new")], catalogue)
    places = _places_with(job, catalogue, pipe)
    facing = "right" if along > 0 else "left"
    way = "E" if along > 0 else "W"
    commands = [panel_at(answers, "R0", WALL_X_MM, "remove")]
    for stub, run, port, role in (("FS", "F1", "R1.left", "flow"), ("RS", "RT1", "R1.right", "return")):
        mouth = places[port]
        last = (role == "flow") == (along < 0)  # the one that goes past the other comes in from the side
        at = (mouth.x - along, mouth.y - (SIDE_MM if last else 0.0), -UNDER_FLOOR_MM)
        commands.append(stub_at(stub, f"Old {role}, cut below the floor", at, role, facing, pipe))
        commands += _under_floor(port, run, stub, pipe, f"{way}? N?" if last else f"{way}?", floor)
    return apply_all(job, [*commands, task_command("move", "R1", answers)], catalogue)


def begin_add(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """A new radiator, teed into two mains that run along under the floor."""
    pipe, main, floor = str(answers["pipe"]), str(answers["main"]), float(answers["floor"])
    job = apply_all(job, [panel_at(answers, "R1", WALL_X_MM, "new")], catalogue)
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
            stub_at(start, f"{title}, from", (mouth.x - 1000, y, -below), role, "right", main),
            stub_at(end, f"{title}, on", (mouth.x + 1000, y, -below), role, "left", main),
            *run_commands(f"{main_run} from {start} {main}: {{floor}} E1000mm *T1 E? -> {end}", keep=True),
        ]
        legs = f"N? U{below - UNDER_FLOOR_MM:g}mm" if below > UNDER_FLOOR_MM else "N?"
        commands += _under_floor(port, run, f"{main_run}.T1", pipe, legs, floor)
    return apply_all(job, [*commands, task_command("add", "R1", answers)], catalogue)


def moved_sheet(design: Layout, task: Task) -> JobSheet:
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
    words, heads = water_words(answers, float(answers.get("house_l") or 0.0) or panel_litres(answers))
    words["litres"] = f"{trim(panel_litres(answers), 1)} L (typ)"
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
        ("Holes", length_words(job, sheet.figures["hole_mm"])),
        ("Stubs", f"two of {length_words(job, sheet.figures['stub_mm'])}"),
        ("New pipe", f"{trim(total / 1000, 2)} m in {len(design.cuts)} pieces"),
    ]
    if not float(answers.get("house_l") or 0.0):
        heads = [("In the radiator", f"{trim(panel_litres(answers), 1)} L (typ)")]
    if task.kind == "move":
        turns = float(answers.get("turns") or 0.0)
        heads.append(("Lockshield", f"{trim(turns, 2)} turns open" if turns else "not counted yet"))
    return _with_heads(sheet, [*first, *heads, _flow_head(answers)])


def _with_heads(sheet: JobSheet, heads: Iterable[tuple[str, str]]) -> JobSheet:
    from dataclasses import replace

    return replace(sheet, heads=tuple(heads))
