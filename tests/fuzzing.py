"""Random lines, commands and documents, near to what people type and far from it; what must hold for all of them."""

from __future__ import annotations

import random
import traceback
from collections.abc import Iterator
from typing import Any

from oikotherm.core.admission import admit, check_line
from oikotherm.core.context import Context
from oikotherm.core.design import Design
from oikotherm.core.errors import Refused
from oikotherm.core.job.commands import apply_all
from oikotherm.core.job.model import Job, Leg
from oikotherm.core.services import spec
from oikotherm.drawing import svg
from oikotherm.drawing.isometric import draw
from oikotherm.drawing.look import Look


def _words(text: str, between: str | None = None) -> list[str]:
    return text.split(between)


ALL = _words("findings cuts sized texts piece_labels joint_labels holes plan supports materials water_work flow")
WAYS = _words("N E S W U D NE SE SW NW N+30E U+45N W+10D")
SIDES = WAYS[:6]
PIPES = _words("cu-m 15,cu-m 22,pb-m 15,pexa 3/4,mlc 16,mlc 20,fe-press 22,fe-m 3/4,cu-l 1/2,fe-40 3/4,cu-soft 12", ",")
PARTS = _words("iso drain vent vessel pump filter filling air-separator bypass trv lockshield check safety-valve")
LENGTHS = _words("0 1 3 9 40 150 300 1148 2500 99999 ? 1500? 1.5m 12' 3/4\" 1e9 -5 0.001 1850.4")
ODD = [*"\x00\ud800é𝔄\n:*~^{}[]()#;>?=", "", "%00", "::", "->", "9" * 40, "1001x<", "twin", " " * 50]
NUMBERS = [0, 1, -1, 3.5, 300, 1500, 99999, 1e6, 1e7, 1e-300, float("nan"), float("inf"), True, None, "12", []]
LIES = ["view", "floor", "wall", "loft", "lag 13", "clip 900", "fall 1:80", "boxed lag 9"]
HOUSE = ["room K1 L0: 0,0 4000,3000", "wall W1 L0: 0,0 4000,0 100 stud", "x", ":", "joists"]
PLACES = [0, 5, 300, 1200, 1e9, "1m"]


def item(rng: random.Random, job: Job) -> str:
    way, length = rng.choice(WAYS), rng.choice(LENGTHS)
    run = rng.choice(job.runs).id if job.runs else "F1"
    return rng.choice(
        [
            f"{way}{length}",
            f"{way}{rng.randrange(1, 4000)}",
            f"{way}{rng.randrange(1, 4000)}",
            f"[{rng.choice(PARTS)}]",
            f"[{rng.choice(PARTS)} X{rng.randrange(9)} {rng.choice('<>')} set {rng.randrange(20)}]",
            f"*T{rng.randrange(1, 9)}",
            f"*T{rng.randrange(1, 9)}:{rng.choice(SIDES)} {rng.choice(['cap', 'plug', 'cap 75'])}",
            f".P{rng.randrange(1, 9)}",
            f"({rng.choice(['wall', 'floor', 'ceiling'])} {rng.randrange(0, 400)}{rng.choice(['', ' sleeve'])})",
            f"(joists {rng.randrange(1, 9)})",
            f"={rng.choice(PIPES)}",
            f"{{{rng.choice(LIES)}}}",
            f"~{rng.choice(SIDES)}{rng.randrange(1, 300)}{rng.choice(['', '@30', '+N40', '+U50', '@60'])}",
            f"^{rng.choice(SIDES)}{rng.randrange(1, 200)}{rng.choice(['', f' over {run}', '@30'])}",
            f"# {rng.choice(['here', 'x', 'ä'])};",
            f"{rng.choice([2, 3, 9, 400, 1001])}x<{way}{rng.randrange(1, 900)} {rng.choice(WAYS)}{rng.randrange(900)}>",
        ]
    )


def anchor(rng: random.Random, job: Job) -> str:
    known = [f"{one.id}.{port.name}" for one in job.stations for port in one.ports]
    known += [f"{run.id}.{name}" for run in job.runs for name in job.points_of(run.id)]
    return rng.choice([*known, "stub", "cap", "plug", "none", "X.y"] if known else ["stub"])


def line(rng: random.Random, job: Job, texts: dict[str, str]) -> str:
    """A line typed anew, or one of the job's with a few of its words or letters changed."""
    if texts and rng.random() < 0.6:
        words = rng.choice(list(texts.values())).split(" ")
        for _ in range(rng.choice([1, 1, 1, 2, 4])):
            at = rng.randrange(len(words))
            match rng.randrange(7):
                case 0:
                    words[at] = item(rng, job)
                case 1:
                    words.insert(at, item(rng, job))
                case 2:
                    del words[at]
                case 3:
                    words[at] = rng.choice(words)
                case 4:
                    words[at] = anchor(rng, job)
                case 5:
                    letter = rng.randrange(len(words[at]) + 1)
                    words[at] = words[at][:letter] + rng.choice([*ODD, *"0123456789NESWUD.>"]) + words[at][letter + 1 :]
                case 6:
                    words[at:at] = ["twin", rng.choice(list(texts)), f"{rng.choice(SIDES)}{rng.randrange(20, 900)}"]
            if not words:
                break
        return " ".join(words)
    body = " ".join(item(rng, job) for _ in range(rng.choice([0, 1, 2, 3, 5, 8, 20])))
    if job.runs and rng.random() < 0.15:
        body = f"twin {rng.choice(job.runs).id} {rng.choice(SIDES)}{rng.randrange(20, 400)}"
    name = rng.choice(["", "", f"F{rng.randrange(1, 40)} ", f"RT{rng.randrange(1, 9)} ", "G1 "])
    return f"{name}from {anchor(rng, job)} {rng.choice(PIPES)}: {body} -> {anchor(rng, job)}"


def _number(rng: random.Random) -> Any:
    return rng.choice(NUMBERS)


def command(rng: random.Random, job: Job, texts: dict[str, str]) -> dict[str, Any]:
    """Any command there is, mostly with ids the job has."""
    runs = [run.id for run in job.runs] or ["F1"]
    run = rng.choice(runs)
    items = [one.id for one in (job.run(run).items if job.run(run) else ())] or ["i1"]  # type: ignore[union-attr]
    legs = [one.id for one in (job.run(run).items if job.run(run) else ()) if isinstance(one, Leg)] or items  # type: ignore[union-attr]
    stations = [one.id for one in job.stations] or ["A"]
    one = rng.choice(job.stations) if job.stations else None
    port = rng.choice(one.ports).model_dump(exclude_none=True) if one and one.ports else {"name": "x"}
    if rng.random() < 0.4:
        port[rng.choice(list(port))] = rng.choice([_number(rng), "flow", "return", "gas", "cold", [0, 0, 9e9], "up"])
    whole = one.model_dump(exclude_none=True) if one else {}
    if whole and rng.random() < 0.6:
        whole[rng.choice(list(whole))] = rng.choice(
            [_number(rng), "boiler", "radiator", "keep", "remove", [], {}, [1, 2, 3]]
        )
    level = job.house.levels[0].id
    kind = rng.choice([one.id for one in spec.kinds().values()])
    odd = rng.choice(items)
    circuit = {"id": f"C{rng.randrange(1, 4)}", "source": rng.choice(stations), "flow_c": _number(rng)}
    by_hand = {
        "target": rng.choice([*items, f"{odd}/turn", *stations]),
        "field": rng.choice(["method", "chain", "pipe", "kv", "turns", "minutes", "after"]),
        "value": rng.choice(["press", "cu-m 15", 3, 0, -2, 1e300, "x", "hand-over"]),
    }
    by = [rng.choice([0, 50, -300, 1e6, 1e7]) for _ in range(3)]
    made: list[dict[str, Any]] = [
        *({"do": "put_run", "text": line(rng, job, texts)} for _ in range(3)),
        {"do": "put_run", "run": run, "text": line(rng, job, texts)},
        {"do": "remove_run", "id": run},
        {"do": "retype_item", "run": run, "item": odd, "text": rng.choice([item(rng, job), rng.choice(ODD)])},
        {"do": "insert_item", "run": run, "after": rng.choice([odd, None]), "text": item(rng, job)},
        {"do": "move_item", "run": run, "item": odd, "to_run": rng.choice(runs), "after": rng.choice([*items, None])},
        {"do": "set_leg", "run": run, "item": rng.choice(legs), "length_mm": _number(rng)},
        {"do": "type_length", "run": run, "item": rng.choice(legs), "text": rng.choice(LENGTHS)},
        {"do": "set_pipe", "run": run, "code": rng.choice(PIPES).split()[0], "size": rng.choice(["15", "22", "?"])},
        {"do": "set_start", "run": run, "start": anchor(rng, job)},
        {"do": "set_finish", "run": run, "finish": anchor(rng, job)},
        {"do": "set_state", "run": run, "state": rng.choice(["new", "keep", "remove"])},
        {"do": "cut_run", "run": run, "at": rng.choice(PLACES)},
        {"do": "write_out", "run": run},
        {"do": "put_tee_at", "run": run, "at": rng.choice(PLACES)},
        {"do": "close_tee", "run": run, "item": odd, "closed": rng.choice(["plug", "cap", None])},
        {"do": "move_station", "id": rng.choice(stations), "by": by},
        {"do": "remove_station", "id": rng.choice(stations)},
        {"do": "put_port", "station": rng.choice(stations), "port": port},
        {"do": "remove_port", "station": rng.choice(stations), "port": port.get("name", "x")},
        {"do": "put_station", "station": whole},
        {"do": "add_station", "kind": kind, "level": level, "at": [rng.randrange(6000), rng.randrange(6000), 200]},
        {"do": "put_house", "text": rng.choice(HOUSE)},
        {"do": "set_job", "practice": rng.choice(["british", "continental", "north-american"])},
        {"do": "set_job", "pace_unit": rng.choice(["mm", "in", "cm", "x"])},
        {"do": "put_circuit", "circuit": {**circuit, "return_c": _number(rng)}},
        {"do": "put_override", "override": by_hand},
        {"do": "waive", "rule": "closing", "where": rng.choice(stations), "reason": "known"},
        {"do": rng.choice(["nothing", "put_run", "set_leg"])},
    ]
    return rng.choice(made)


def walk(seed: int, start: Job, context: Context, count: int) -> Iterator[tuple[list[Any], Job, Design | None, str]]:
    """Edits on edits from a job on: (commands, job after, its design or None where it was refused, what went wrong)."""
    rng, job = random.Random(seed), start
    texts = dict(admit(job, context, job).texts)
    taken = 0
    for _ in range(count):
        commands = [command(rng, job, texts) for _ in range(rng.choice([1, 1, 1, 2]))]
        wrong, design, after = "", None, job
        try:
            after = apply_all(job, commands, context.catalogue, context.memory)
            design = admit(after, context, job)
        except Refused as refused:
            if refused.__cause__ is not None:
                wrong = said_of(refused.__cause__)
            elif "its line" in refused.expected:
                wrong = f"no read back: {refused}"
        except Exception as error:  # noqa: BLE001 - whatever it is, it is counted
            wrong = said_of(error)
        yield commands, after, design, wrong
        if design is not None:
            texts = dict(design.texts)
            job, taken = after, taken + 1
            if taken % 12 == 0 or len(job.runs) > len(start.runs) + 12:
                job = start
                texts = dict(admit(job, context, job).texts)


def touch(design: Design, *, lines: bool = True) -> str:
    """Everything that follows from a design, and its lines read back; what went wrong."""
    try:
        for name in ALL:
            getattr(design, name)
        svg.write(draw(design, Look()))
        for run in design.job.runs if lines else ():
            check_line(design.job, run, design.context)
    except Exception as error:  # noqa: BLE001 - whatever it is, it is counted
        return said_of(error)
    return ""


def said_of(error: BaseException) -> str:
    """What went wrong and where, in one line."""
    frame = traceback.extract_tb(error.__traceback__)[-1]
    return f"{type(error).__name__}: {str(error)[:120]} @ {frame.filename.split('oikotherm/')[-1]}:{frame.lineno}"
