"""Small jobs at a part: a pump, a filling point or safety valve, one joint."""

from __future__ import annotations

from ...catalogue import Catalogue
from ...job.commands import apply_all
from ...job.model import Job, Task
from ...layout import Layout
from ...pipework.trace import trace
from ...quantity import trim
from ...work.small_drawing import (
    WALL_X_MM,
    WALL_Y_MM,
    length_words,
    port_places,
    run_commands,
    station_at,
    stub_at,
    task_command,
)
from ...work.small_jobs import Answers, JobSheet
from .tasks import write


def begin_pump(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """The new pump where the old one is, between the ends of the pipes it hangs in."""
    pipe = str(answers["pipe"])
    at = (WALL_X_MM, WALL_Y_MM - 60, 1000.0)
    data = {"width_mm": float(answers["new_length"])}
    commands = [
        station_at("pump", "P0", "Old pump", at, state="remove", data={"width_mm": float(answers["old_length"])}),
        station_at("pump", "PMP", "New pump", at, data=data),
    ]
    job = apply_all(job, commands, catalogue)
    places = port_places(job, catalogue)
    valve = "[iso]" if answers["valves"] else ""
    inlet, outlet = places["PMP.in"].mouth, places["PMP.out"].mouth
    commands = [
        stub_at("PA", "Pipe to the pump", (inlet.x - 400, inlet.y, inlet.z), "flow", "right", pipe),
        stub_at("PB", "Pipe from the pump", (outlet.x + 400, outlet.y, outlet.z), "flow", "left", pipe),
        *run_commands(f"F1 from PA {pipe}: E200mm {valve} E? -> PMP.in", keep=True),
        *run_commands(f"F2 from PMP.out {pipe}: E200mm {valve} E? -> PB", keep=True),
        task_command("pump", "PMP", answers),
    ]
    return apply_all(job, commands, catalogue)


def pump_sheet(design: Layout, task: Task) -> JobSheet:
    answers, job = task.answers, design.job
    old, new = float(answers["old_length"]), float(answers["new_length"])
    setting = str(answers.get("setting") or "") or "the setting of the old one"
    valves = bool(answers["valves"])
    holds = {"valves" if valves else "no-valves", *(("spacer",) if abs(old - new) >= 1 else ())}
    gap = length_words(job, abs(old - new))
    spacer = (
        f"The new one is {gap} shorter: a spacer of {gap} with a third washer, or the pipe drawn together."
        if new < old
        else f"The new one is {gap} longer: one pipe is cut back by {gap}."
    )
    words = {"setting": setting, "length": length_words(job, new), "spacer": spacer}
    heads = [("Between faces", length_words(job, new)), ("Set to", setting)]
    if abs(old - new) >= 1:
        heads.append(("Spacer" if new < old else "Cut back", gap))
    quantities = ("1 pump", f"{3 if new < old - 1 else 2} union washers")
    return write("pump-change", holds, words, quantities, heads=tuple(heads))


def begin_guard(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """A new filling point or safety valve on the pipe of the old one."""
    pipe = str(answers["pipe"])
    safety = answers["which"] == "safety"
    kind, ident, port = ("safety-valve", "SV", "SV.in") if safety else ("filling", "FIL", "FIL.system")
    at = (WALL_X_MM, WALL_Y_MM - 60, 1500.0 if safety else 900.0)
    data = {"set_pa": float(answers["set_bar"]) * 1e5} if safety else {}
    commands = [
        station_at(kind, "OLD", "Old one", at, state="remove", data=data),
        station_at(kind, ident, "New one", at, data=data),
    ]
    job = apply_all(job, commands, catalogue)
    places = port_places(job, catalogue)
    mouth = places[port].mouth
    if safety:
        out = places["SV.out"].mouth
        commands = [
            stub_at("PA", "Flow", (mouth.x, mouth.y, mouth.z - 300), "flow", "up", pipe),
            stub_at("D1", "Discharge, to where it is seen", (out.x + 100, out.y, 150.0), "discharge", "up", pipe),
            *run_commands(f"F1 from PA {pipe}: U? -> SV.in", keep=True),
            *run_commands(f"D1R from SV.out {pipe}: {{fall 1:40}} E? D? -> D1", keep=True),
        ]
    else:
        commands = [
            stub_at("PA", "Return", (mouth.x + 400, mouth.y, mouth.z), "return", "left", pipe),
            *run_commands(f"RT1 from FIL.system {pipe}: E? -> PA", keep=True),
        ]
    return apply_all(job, [*commands, task_command("guard", ident, answers)], catalogue)


def guard_sheet(design: Layout, task: Task) -> JobSheet:
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


SERVICE_ROLE = {"heating": "flow", "water": "cold", "gas": "gas"}


def begin_joint(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """Two old pipes and the joint between them."""
    a, b = str(answers["a"]), str(answers["b"])
    role = SERVICE_ROLE[str(answers["service"])]
    y, z = WALL_Y_MM - 60, 1000.0
    change = "[coupling]" if a == b else f"={b}"
    commands = [
        stub_at("A", "This side", (WALL_X_MM - 500, y, z), role, "right", a),
        stub_at("B", "That side", (WALL_X_MM + 500, y, z), role, "left", b),
        *run_commands(f"J1 from A {a}: E500mm {change} E? -> B", keep=True),
    ]
    job = apply_all(job, commands, catalogue)
    where = next(node.key for node in trace(job, catalogue).nodes.values() if node.kind in ("change", "device"))
    commands = [task_command("joint", where, answers)]
    method = str(answers["method"])
    if method != "usual":
        override = {"target": where, "field": "method", "value": method, "reason": "asked for"}
        commands.append({"do": "put_override", "override": override})
    return apply_all(job, commands, catalogue)


def joint_sheet(design: Layout, task: Task) -> JobSheet:
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
