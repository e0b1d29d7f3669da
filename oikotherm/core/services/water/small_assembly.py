"""The small job of an assembly put into a pipe that is there: what is asked, its drawing, its sheet."""

from __future__ import annotations

from collections import Counter
from typing import Any

from ...catalogue import Catalogue
from ...context import Context
from ...errors import Refused
from ...job.commands import apply_all
from ...job.model import Job, Pipe, Task
from ...joints.fitted import Fitting, Mating
from ...layout import Layout
from ...making.stack import APART_MM
from ...practice import METAL_JOINING
from ...quantity import US_GALLON_M3, pressure_said, trim
from ...work.small_drawing import (
    WALL_X_MM,
    WALL_Y_MM,
    length_words,
    run_commands,
    station_at,
    stub_at,
    task_command,
    written,
)
from ...work.small_jobs import Answers, Ask, JobSheet, SmallJob
from ...work.steps import gauge_unit
from .assembly_insert import PARTS, Insert, insert
from .backflow import HAZARDS, ROOM_MM, Choice, choose
from .tasks import task_rows

OFF_WALL_MM = 100.0
DRAIN_UNDER_MM = 450.0
USUAL_RUN = "C1"
METALS = {"press": "press", "solder": "capillary", "compression": "compression"}  # House practice -> method
JOINT_WORDS = {"press": "pressed", "capillary": "soldered", "compression": "compression"}
ASKS = (
    Ask(
        "hazard",
        "Hazard",
        "choice",
        "low",
        tuple((one, one if one.isalpha() else f"category {one}") for one in HAZARDS),
    ),
    Ask("pushes", "What is behind it can push back", "flag", ""),
    Ask(
        "guards",
        "It protects",
        "choice",
        "containment",
        (("containment", "the street"), ("point-of-use", "the house from one appliance")),
    ),
    Ask("pipe", "Old pipe", "pipe", "cu-m 22"),
    Ask("joined", "Joined to it by", "choice", "press", tuple((one, one) for one in METALS)),
    Ask("room", "Bare, straight pipe there", "length", "900", least=150, most=6000),
    Ask("play", "It springs apart by", "length", "2", most=100),
    Ask("up", "Its middle above the floor", "length", "900", least=50, most=3000),
    Ask("strainer", "Strainer before it", "flag", "on"),
    Ask("above", "Pipe above the cut, all branches", "length", "6000", most=500000, drawn=False),
    Ask("flow", "Most that runs at once", "number", "0.5", least=0.05, most=20, unit="L/s", drawn=False),
)


STRONGER = {"single-check": "dc", "dc": "dc", "dcv-vent": "rpz", "pvb": "rpz", "rpz": "rpz"}
"""What does in the pipe where a device is the least: itself, or the next that does more and needs no height."""


def _kind(job: Job, answers: Answers) -> tuple[str, Choice]:
    """The assembly that does, and why. Raises Refused where no assembly in the pipe does."""
    found = choose(str(answers["hazard"]), bool(answers.get("pushes")), True, job.practice)
    kind = STRONGER.get(found.device.id if found.device else "")
    if kind is None:
        title = found.device.title if found.device else "nothing has to be kept back"
        raise Refused(
            "Hazard", str(answers["hazard"]), f"one that an assembly in the pipe keeps back; here: {title}", "low"
        )
    return kind, found


def _insert(job: Job, answers: Answers, catalogue: Catalogue) -> tuple[str, Choice, Insert]:
    kind, choice = _kind(job, answers)
    code, _, size = str(answers["pipe"]).partition(" ")
    found = insert(
        catalogue,
        Pipe(code=code, size=size),
        METALS[str(answers["joined"])],
        kind,
        float(answers["room"]),
        strainer=bool(answers.get("strainer")),
        play_mm=float(answers.get("play") or APART_MM),
    )
    return kind, choice, found


def begin(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """The two ends of the old pipe on the wall, the row between them; under a reduced-pressure assembly its drain."""
    kind, _, row = _insert(job, answers, catalogue)
    pipe, y, z = str(answers["pipe"]), WALL_Y_MM - OFF_WALL_MM, float(answers["up"])
    end = WALL_X_MM + row.cut_out_mm
    commands: list[dict[str, Any]] = [
        stub_at("PA", "Old pipe, from the street", (WALL_X_MM, y, z), "cold", "right", pipe),
        stub_at("PB", "Old pipe, to the house", (end, y, z), "cold", "left", pipe),
    ]
    if kind == "rpz":
        at = (WALL_X_MM + row.assembly_at_mm, y, max(z - DRAIN_UNDER_MM, 0.0))
        commands.append(station_at("tundish", "TUN", "Drain under it", at, state="keep"))
    job = apply_all(job, commands, catalogue)
    choice = {"topic": METAL_JOINING.id, "option": answers["joined"], "reason": "as asked"}
    job = apply_all(job, [{"do": "choose", **choice}], catalogue)
    legs = _legs(job, answers, kind, row, catalogue)
    run = run_commands(f"{USUAL_RUN} from PA {pipe}: {legs} -> PB")
    return apply_all(job, [*run, task_command("assembly", USUAL_RUN, answers)], catalogue)


def _names(answers: Answers, kind: str) -> list[str]:
    """The devices of the row, as they are typed."""
    setting = " set containment" if answers["guards"] == "containment" else ""
    middle = [f"[{PARTS[kind]}{setting}]"]
    return ["[iso]", *(["[strainer]"] if answers.get("strainer") else []), *middle, "[iso]"]


def _legs(job: Job, answers: Answers, kind: str, row: Insert, catalogue: Catalogue) -> str:
    """The run as it is typed: each leg from centre to centre, so that its piece is cut as the row has it."""
    names, pipe = _names(answers, kind), str(answers["pipe"])
    even = row.cut_out_mm / (len(names) + 1)
    text = " ".join(f"E{even:.1f}mm {name}" for name in names)
    probe = Layout(
        apply_all(job, run_commands(f"{USUAL_RUN} from PA {pipe}: {text} E? -> PB"), catalogue),
        Context(catalogue=catalogue),
    )
    fitted = probe.fitted.fittings

    def mating(one: Fitting) -> Mating:
        return next(iter(one.matings.values()))

    ends = [mating(fitted["PA.end"]), *(mating(one) for one in fitted.values() if one.kind == "device")]
    said = []
    for n, name in enumerate(names):
        piece = row.stack.pieces_mm[n]
        said.append(f"E{ends[n].take_off_mm + piece + ends[n + 1].take_off_mm:.1f}mm {name}")
    return " ".join([*said, "E?"])


def sheet(design: Layout, task: Task) -> JobSheet:
    """The assembly put in, step by step, with its figures."""
    answers, job, catalogue = task.answers, design.job, design.context.catalogue
    kind, choice, row = _insert(job, answers, catalogue)
    code, _, size = str(answers["pipe"]).partition(" ")
    device = catalogue.device(PARTS[kind], code, size)
    pipe = catalogue.pipe(code, size)
    assert device is not None and pipe is not None

    def mm(value: float) -> str:
        return length_words(job, round(value, 1))

    flow_m3_h = float(answers["flow"]) * 3.6
    drop_pa = device.opens_pa + (flow_m3_h / device.kv) ** 2 * 1e5 if device.kv else device.opens_pa
    litres = (pipe.litres_m or 0.0) * float(answers["above"]) / 1000
    american = job.practice == "north-american"
    water = f"{litres / 1000 / US_GALLON_M3:.1f} gal" if american else f"{litres:.1f} L"
    loss = pressure_said(drop_pa, gauge_unit(job.practice))
    low, high = ROOM_MM
    up = float(answers["up"])
    stands = f"Its middle {mm(up)} above the floor"
    if not low <= up <= high:
        stands += f": {mm(low)} to {mm(high)} are wanted"
    cut = Counter(mm(one.cut_mm) for one in design.cuts if one.run == USUAL_RUN)
    pieces = ", ".join(f"{count} x {length}" if count > 1 else length for length, count in cut.items())
    said = "; ".join(choice.why)
    if choice.device is not None and choice.device.id != kind:
        said += f"; put in here: {device.title}, which does more"
    words = {
        "choice": f"{said[0].upper()}{said[1:]}.",
        "place": (
            f"{stands}; lying, or rising only where its listing says so; arrow with the flow; out of frost; test cocks "
            "to the front, in reach. "
            + (
                "Right behind stop valve and meter, before any tee or drain."
                if answers["guards"] == "containment"
                else "On the branch of its appliance, behind the tee, before anything it feeds."
            )
        ),
        "marks": (
            f"From the first mark: the second at {mm(row.cut_out_mm)}; middle of it at {mm(row.assembly_at_mm)}."
            + (
                f" Bare {mm(row.slides_mm)} beyond the second mark: the slip coupling waits there."
                if row.slides_mm
                else ""
            )
        ),
        "cut_out": mm(row.cut_out_mm),
        "water": f"{water} stand in {mm(float(answers['above']))} of pipe above the cut; what is below it stays.",
        "bench": f"Pieces {pieces}. In this order: {_bench(row)}.",
        "first": _first(row),
        "last": _last(row),
        "closed": "Nothing goes back to the street: a storage heater behind it wants its vessel before it is lit.",
    }
    heads = (
        ("Cut out", mm(row.cut_out_mm)),
        ("Middle of it at", mm(row.assembly_at_mm)),
        ("Pieces", pieces),
        ("Made last", _last(row).partition(",")[0]),
        ("It takes", f"{loss} at {trim(float(answers['flow']), 2)} L/s"),
        ("Water out", water),
    )
    quantities = tuple(f"1 {one.title}" for one in row.bodies)
    holds = {*(("flame",) if answers["joined"] == "solder" else ()), *(("spill",) if kind == "rpz" else ())}
    figures = {"cut_out_mm": row.cut_out_mm, "assembly_at_mm": row.assembly_at_mm, "drop_pa": drop_pa, "litres": litres}
    return written(task_rows("assembly-fit"), holds, words, quantities, figures, row.stack.steps, heads)


def _bench(row: Insert) -> str:
    """The parts in the order their joints are made, each once, with how: "isolating valve 1, strainer: compression"."""
    by: dict[str, dict[str, None]] = {}
    for one in row.stack.order:
        method, _, title = one.partition(" at ")
        if title and "coupling" not in title:
            by.setdefault(JOINT_WORDS.get(method, method), {})[title] = None
    return "; ".join(f"{', '.join(titles)}: {method}, both sides" for method, titles in by.items())


def _first(row: Insert) -> str:
    slip = "The slip coupling pushed wholly onto the far end, past its mark; the" if row.slides_mm else "The"
    return f"{slip} row's first coupling onto the near end, square against its stop; every arrow with the flow; level."


def _last(row: Insert) -> str:
    method, at, title = row.stack.last.title.partition(" at ")
    words = f"{title}, {JOINT_WORDS.get(method, method)}" if at else method
    return f"{words[0].upper()}{words[1:]}."


SMALL_JOB = SmallJob(
    "assembly",
    "Backflow assembly put in",
    "which one, where; cut out, pieces, the joint made last, water that comes, the test",
    ASKS,
    begin,
    sheet,
)
