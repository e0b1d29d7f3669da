"""What each command does to a job: pure functions, refused with reason. Only commands.py calls them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..errors import Refused, nearest
from ..pipework.trace import trace
from ..pipework.walk import Move
from ..practice import TOPICS
from ..quantity import length_text, parse_length_mm
from ..services import spec
from .document import read_as
from .edit import Edit, anchors, checked, with_run
from .house_acts import HOUSE_ACTS
from .identity import align
from .kinds import (
    Choose,
    CloseTee,
    CutRun,
    InsertItem,
    MoveItem,
    PutCircuit,
    PutFact,
    PutOverride,
    PutRun,
    PutTask,
    PutTeeAt,
    RemoveOverride,
    RemoveRun,
    RemoveTask,
    RetypeItem,
    SetFinish,
    SetLeg,
    SetPipe,
    SetStart,
    SetState,
    ShiftLeg,
    TypeLength,
    Unwaive,
    Waive,
    WriteOut,
)
from .model import (
    Choice,
    DeviceItem,
    Item,
    Job,
    Leg,
    Lie,
    Pipe,
    PipeChange,
    Point,
    Run,
    Station,
    Tee,
    Waiver,
    split_anchor,
)
from .notation import ParsedRun, parse_run
from .spoken import as_paced
from .ways import way_of
from .words import Style, Token
from .writing import exact_length, item_text, run_text


def _put_run(edit: Edit, c: PutRun) -> Job:
    old = edit.run(c.run) if c.run else None
    text = as_paced(c.text, edit.job)
    try:
        parsed = parse_run(text, edit.style, edit.ports)
    except Refused as error:
        if text != c.text:  # its words stand elsewhere in what was typed
            raise Refused(error.field, error.said, error.expected, error.example) from None
        raise
    if old is None and parsed.id and edit.job.run(parsed.id):
        old = edit.job.run(parsed.id)
    return _put_parsed(edit, parsed, old)


def _put_parsed(edit: Edit, parsed: ParsedRun, old: Run | None, around: tuple[int, int] | None = None) -> Job:
    """Store a parsed line. around: how many items before and after the typed part are the old ones untouched."""
    job = edit.job
    start, role = _resolve_start(edit, parsed.start, old)
    finish = "none" if parsed.finish is None else _resolve_finish(edit, parsed, old, start, role)
    run_id = parsed.id or (old.id if old else job.free_id(spec.role(role).run_letters))
    if old and run_id != old.id and any(thing.id == run_id for group in job.named() for thing in group):
        raise Refused("id", run_id, "an id nobody has yet", job.free_id(spec.role(role).run_letters), (0, len(run_id)))
    known_parts = edit.catalogue.device_titles()
    old_parts = {item.part for item in old.items if isinstance(item, DeviceItem)} if old else set()
    for item, span in zip(parsed.items, parsed.spans, strict=True):
        if isinstance(item, DeviceItem) and item.part not in known_parts and item.part not in old_parts:
            raise Refused("device", item.part, f"a part such as {nearest(item.part, known_parts)}", "[iso]", span)
    _check_twin(edit, parsed, run_id, old)
    items, next_item = _identify(parsed.items, old.items if old else (), job.next_item, edit.style, around)
    fields: dict[str, Any] = dict(old) if old else {}
    fields.update(
        id=run_id,
        role=role,
        service=spec.service_of(role),
        start=start,
        pipe=parsed.pipe,
        items=items,
        finish=finish,
        twin_of=parsed.twin,
    )
    run = read_as(Run, fields)
    if old and run_id != old.id:
        job = _rename(job, old.id, run_id)
    return with_run(job, run, next_item=next_item)


def _check_twin(edit: Edit, parsed: ParsedRun, run_id: str, old: Run | None) -> None:
    """A twin follows a run of the job that does not follow it; one whose leader was taken out may keep its line."""
    if parsed.twin is None:
        return
    if old and old.twin_of and old.twin_of.run == parsed.twin.run and edit.job.run(parsed.twin.run) is None:
        return
    leader = edit.job.run(parsed.twin.run)
    known = [run.id for run in edit.job.runs if run.id != run_id]
    if leader is None or leader.id == run_id:
        near = nearest(parsed.twin.run, known) if known else "the run to go beside, paced first"
        raise Refused("twin", parsed.twin.run, f"a run of this job such as {near}", "twin F1 N50", parsed.twin_where)
    while leader and leader.twin_of:
        if leader.twin_of.run == run_id:
            raise Refused(
                "twin", parsed.twin.run, f"a run that does not follow {run_id} itself", "twin F1 N50", parsed.twin_where
            )
        leader = edit.job.run(leader.twin_of.run)


def _identify(
    new: tuple[Item, ...], old: tuple[Item, ...], next_item: int, style: Style, around: tuple[int, int] | None
) -> tuple[tuple[Item, ...], int]:
    """Ids for retyped items: by alignment, within the part that was typed where that is known."""
    if around is None:
        return align(new, old, next_item, style)
    low, high = around
    head, tail = new[:low], new[len(new) - high :]
    kept_head, kept_tail = old[:low], old[len(old) - high :]
    same = [item_text(item, style) for item in (*head, *tail)] == [
        item_text(item, style) for item in (*kept_head, *kept_tail)
    ]
    if len(new) < low + high or not same:  # what was typed runs into its neighbour, as "7" after "W600" does
        return align(new, old, next_item, style)
    middle, next_item = align(new[low : len(new) - high], old[low : len(old) - high], next_item, style)
    return (*kept_head, *middle, *kept_tail), next_item


def _rename(job: Job, old_id: str, new_id: str) -> Job:
    """A run under another id; the anchors of other runs follow."""

    def follow(anchor: str) -> str:
        owner, name = split_anchor(anchor)
        return f"{new_id}.{name}" if owner == old_id and name else anchor

    runs = tuple(
        run.model_copy(
            update={
                "id": new_id if run.id == old_id else run.id,
                "start": follow(run.start),
                "finish": follow(run.finish),
                "twin_of": run.twin_of.model_copy(update={"run": new_id})
                if run.twin_of and run.twin_of.run == old_id
                else run.twin_of,
            }
        )
        for run in job.runs
    )
    return job.model_copy(update={"runs": runs})


def _resolve(edit: Edit, token: Token, allowed: str | None, role: str = "", own: str = "") -> str:
    """An anchor as typed in the job's own spelling.

    A bare word is first a station with one free port that fits, then a port or point that one station or run has. role:
    of what is to run there, "" for any; own: the run that is retyped: its own ports count as free.
    """
    known = anchors(edit.job)
    low = {anchor.lower(): anchor for anchor in known}
    said = token.text
    if said.lower() in low:
        return low[said.lower()]
    if allowed is not None and said.lower() == allowed.lower():
        return allowed
    if "." not in said:
        station = edit.job.station(said.upper())
        free = _free_ports(edit.job, station, role, own) if station else []
        if len(free) == 1:
            return free[0]
        found = sorted(anchor for anchor in known if split_anchor(anchor)[1].lower() == said.lower())
        if len(found) == 1:
            return found[0]
        found = found or free
        if found:
            raise Refused("anchor", said, f"which one: {', '.join(found[:4])}", found[0], token.where)
        if station and station.ports:
            taken = f"a free port of {station.id} for {role}" if role else f"a free port of {station.id}"
            named = f"{station.id}.{station.ports[0].name}"
            raise Refused("anchor", said, f"{taken}; all it has are taken or carry something else", named, token.where)
    near = nearest(said, sorted(known)) if known else "a port; there is no station yet"
    raise Refused(
        "anchor",
        said,
        f"a port or named point of this job such as {near}",
        sorted(known)[0] if known else "BLR.flow",
        token.where,
    )


def _free_ports(job: Job, station: Station, role: str, own: str) -> list[str]:
    """The ports of a station that no run is on and whose role fits."""
    taken = {side for run in job.runs if run.id != own for side in (run.start, run.finish)}
    keys = [f"{station.id}.{port.name}" for port in station.ports if not role or port.role == role]
    return [key for key in keys if key not in taken]


def _resolve_start(edit: Edit, token: Token, old: Run | None) -> tuple[str, str]:
    """Where a run starts, and the role of what it carries: that of the port or of the run it starts on."""
    start = _resolve(edit, token, old.start if old else None, old.role if old else "", old.id if old else "")
    owner, name = split_anchor(start)
    station, parent = edit.job.station(owner), edit.job.run(owner)
    if old and owner == old.id:
        raise Refused("start", start, "a port, or a point of another run", "BLR.flow", token.where)
    role: str | None = parent.role if parent else None
    if station is not None:
        role = next((port.role for port in station.ports if port.name == name), None)
    if role is None and old is not None:
        role = old.role  # its start is gone, what runs through it is known
    if role is None:
        raise Refused("start", start, "a port or point that says what runs through it", "BLR.flow", token.where)
    return start, role


def _resolve_finish(edit: Edit, parsed: ParsedRun, old: Run | None, start: str, role: str) -> str:
    token = parsed.finish
    assert token is not None
    if token.text.lower() in ("cap", "plug", "stub"):
        return token.text.lower()
    finish = _resolve(edit, token, old.finish if old else None, role, old.id if old else "")
    _check_ends(start, finish, token)
    return finish


def _check_ends(start: str, finish: str, token: Token) -> None:
    """A run ends somewhere else than it starts."""
    if finish == start:
        raise Refused("finish", finish, "another end than the start", "R3.left", token.where)


def _remove_run(edit: Edit, c: RemoveRun) -> Job:
    edit.run(c.id)
    return checked(edit.job, runs=tuple(run for run in edit.job.runs if run.id != c.id))


def _retext(edit: Edit, run: Run, parts: list[str], at: int, new: str) -> Job:
    """The run with one of its texts replaced; a refusal points into the new text alone."""
    ahead = run_text(run.model_copy(update={"items": (), "finish": "none"}), edit.style)
    before = " ".join([ahead, *(part for part in parts[:at] if part)])
    after = " ".join(part for part in parts[at + 1 :] if part)
    finish = f" -> {run.finish}" if run.finish != "none" else ""
    closing = ";" if "#" in new and not new.rstrip().endswith(";") else ""
    text = f"{before} {new}{closing} {after}{finish}"
    try:
        return _put_parsed(edit, parse_run(text, edit.style, edit.ports), run, (at, len(parts) - at - 1))
    except Refused as refused:
        moved = refused.moved(-len(before) - 1)
        if isinstance(moved.where, tuple):
            low, high = moved.where
            moved.where = max(0, min(low, len(new))), max(0, min(high, len(new)))
        raise moved from None


def _retype_item(edit: Edit, c: RetypeItem) -> Job:
    run = edit.run(c.run)
    edit.item(run, c.item)
    parts = [item_text(item, edit.style) for item in run.items]
    at = next(n for n, item in enumerate(run.items) if item.id == c.item)
    return _retext(edit, run, parts, at, c.text)


def _insert_item(edit: Edit, c: InsertItem) -> Job:
    run = edit.run(c.run)
    if not c.text.strip():
        raise Refused("item", c.text, "a leg, part, tee, point, pass, pipe or place", "W1850")
    at = 0
    if c.after is not None:
        edit.item(run, c.after)
        at = next(n for n, item in enumerate(run.items) if item.id == c.after) + 1
    parts = [item_text(item, edit.style) for item in run.items]
    parts.insert(at, "")
    return _retext(edit, run, parts, at, c.text)


def _move_item(edit: Edit, c: MoveItem) -> Job:
    """The item keeps its identity; runs on a tee or point that moves to another run follow it."""
    run = edit.run(c.run)
    item = edit.item(run, c.item)
    target = edit.run(c.to_run or c.run)
    if run.twin_of or target.twin_of:
        raise Refused(
            "run",
            run.id if run.twin_of else target.id,
            "a run with items of its own; a twin is written out first",
            "write_out",
        )
    if c.after == c.item:
        raise Refused("after", c.item, "another item than itself", run.items[0].id)
    rest = tuple(one for one in run.items if one.id != item.id)
    into = rest if target.id == run.id else target.items
    at = 0
    if c.after is not None:
        at = next((n + 1 for n, one in enumerate(into) if one.id == c.after), -1)
        if at < 0:
            raise Refused("after", c.after, f"an item of {target.id}", into[0].id if into else "")
    named = isinstance(item, Tee | Point) and target.id != run.id
    if named and any(isinstance(one, Tee | Point) and one.name == getattr(item, "name", "") for one in into):
        raise Refused("item", item_text(item, edit.style), f"a name that {target.id} does not have yet", "*T9")
    new = (*into[:at], item, *into[at:])
    old_anchor, new_anchor = f"{run.id}.{getattr(item, 'name', '')}", f"{target.id}.{getattr(item, 'name', '')}"
    if named and old_anchor in (target.start, target.finish):
        raise Refused("item", item_text(item, edit.style), f"a tee that {target.id} itself does not hang on", "")
    runs = []
    for one in edit.job.runs:
        changes: dict[str, Any] = {}
        if one.id == target.id:
            changes["items"] = new
        elif one.id == run.id:
            changes["items"] = rest
        if named:
            changes |= {side: new_anchor for side in ("start", "finish") if getattr(one, side) == old_anchor}
        runs.append(one.model_copy(update=changes) if changes else one)
    return checked(edit.job, runs=tuple(runs))


def _set_leg(edit: Edit, c: SetLeg) -> Job:
    run = edit.run(c.run)
    leg = edit.item(run, c.item)
    if not isinstance(leg, Leg):
        raise Refused("item", item_text(leg, edit.style), "a leg", "W1850")
    said = "" if c.length_mm is None else exact_length(c.length_mm, edit.job.pace_unit)
    if edit.style.decimal_comma:
        said = said.replace(".", ",")
    new = leg.model_copy(
        update={
            "length_mm": None if c.length_mm is None else round(c.length_mm, 3),
            "said": said,
            "basis": c.basis,
            "shift_mm": 0.0,
        }
    )
    if c.length_mm is None:
        new = new.model_copy(update={"basis": "taped", "band_mm": None})
    return _with_items(edit, run, c.item, new)


def _shift_leg(edit: Edit, c: ShiftLeg) -> Job:
    run = edit.run(c.run)
    leg = edit.item(run, c.item)
    if not isinstance(leg, Leg) or leg.band_mm is None or leg.length_mm is None:
        raise Refused("item", item_text(leg, edit.style), "a floating leg", "E3000+-150")
    shift_mm = 0.0 if c.length_mm is None else round(c.length_mm - leg.length_mm, 3)
    if abs(shift_mm) > leg.band_mm + 1e-6:
        low, high = (
            length_text(leg.length_mm + side * leg.band_mm, edit.job.pace_unit, with_unit=True) for side in (-1, 1)
        )
        raise Refused("length_mm", c.length_mm, f"a length within the band, {low} to {high}", f"{leg.length_mm:g}")
    return _with_items(edit, run, c.item, leg.model_copy(update={"shift_mm": shift_mm}))


def _with_items(edit: Edit, run: Run, item_id: str, new: Item) -> Job:
    items = tuple(new if item.id == item_id else item for item in run.items)
    return with_run(edit.job, run.model_copy(update={"items": items}))


def _set_pipe(edit: Edit, c: SetPipe) -> Job:
    run = edit.run(c.run)
    code = edit.catalogue.system_code(c.code, edit.job.practice)
    pipe = read_as(Pipe, {"code": code, "size": c.size})
    if c.item is None:
        return with_run(edit.job, run.model_copy(update={"pipe": pipe}))
    item = edit.item(run, c.item)
    if item.kind != "pipe":
        raise Refused("item", item_text(item, edit.style), "a change of pipe", "=cu-m 15")
    return _with_items(edit, run, c.item, item.model_copy(update={"pipe": pipe}))


def _set_start(edit: Edit, c: SetStart) -> Job:
    run = edit.run(c.run)
    said = Token(c.start, 0, len(c.start))
    start, role = _resolve_start(edit, said, run)
    _check_ends(start, run.finish, said)
    return with_run(
        edit.job, read_as(Run, {**dict(run), "start": start, "role": role, "service": spec.service_of(role)})
    )


def _set_finish(edit: Edit, c: SetFinish) -> Job:
    run = edit.run(c.run)
    said = Token(c.finish, 0, len(c.finish))
    finish = c.finish if "." not in c.finish else _resolve(edit, said, run.finish)
    _check_ends(run.start, finish, said)
    return with_run(edit.job, run.model_copy(update={"finish": finish}))


def _close_tee(edit: Edit, c: CloseTee) -> Job:
    run = edit.run(c.run)
    tee = edit.item(run, c.item)
    if not isinstance(tee, Tee):
        raise Refused("item", item_text(tee, edit.style), "a tee", "*T1")
    return _with_items(
        edit, run, c.item, tee.model_copy(update={"closed": c.closed, "drop_mm": tee.drop_mm if c.closed else None})
    )


def _type_length(edit: Edit, c: TypeLength) -> Job:
    leg = edit.item(edit.run(c.run), c.item)
    if not isinstance(leg, Leg):
        raise Refused("item", item_text(leg, edit.style), "a leg", "W1850")
    text = f"{leg.dir}{c.text.strip()}"
    return _retype_item(edit, RetypeItem(do="retype_item", run=c.run, item=c.item, text=text))


def _put_tee_at(edit: Edit, c: PutTeeAt) -> Job:
    run = edit.run(c.run)
    at_mm = parse_length_mm(c.at, edit.job.pace_unit, field="at", decimal_comma=edit.style.decimal_comma)
    lengths = trace(edit.job, edit.catalogue, edit.memory).runs[run.id].lengths
    taken = {item.name for item in run.items if isinstance(item, Tee | Point)}
    name = c.name or next(f"T{n}" for n in range(1, len(taken) + 2) if f"T{n}" not in taken)
    if name in taken:
        raise Refused("name", name, f"a name that {run.id} does not have yet", "T9")
    walked = 0.0
    for item in run.items:
        if not isinstance(item, Leg):
            continue
        length = lengths[item.id]
        if walked + 1 < at_mm < walked + length - 1:
            first, rest = at_mm - walked, length - (at_mm - walked)
            doubt = "" if item.basis == "taped" else "?"
            unit = edit.job.pace_unit
            end = f"{item.dir}?" if item.length_mm is None else f"{item.dir}{exact_length(rest, unit)}{doubt}"
            text = f"{item.dir}{exact_length(first, unit)}{doubt} *{name} {end}"
            return _retype_item(
                edit,
                RetypeItem(
                    do="retype_item",
                    run=run.id,
                    item=item.id,
                    text=text.replace(".", ",") if edit.style.decimal_comma else text,
                ),
            )
        walked += length
    total = length_text(walked, edit.job.pace_unit, with_unit=True)
    raise Refused(
        "at", c.at, f"a place along a leg of {run.id}, which is {total} long; a tee at a corner is typed there", "1850"
    )


def _set_state(edit: Edit, c: SetState) -> Job:
    return with_run(edit.job, edit.run(c.run).model_copy(update={"state": c.state}))


def _cut_run(edit: Edit, c: CutRun) -> Job:
    """The leg that passes there becomes two; the second part, with what hangs on it, is a run of its own."""
    run = edit.run(c.run)
    if run.twin_of:
        raise Refused("run", run.id, "a run with legs of its own; write the twin out first", "F1")
    taken = {item.name for item in run.items if isinstance(item, Tee | Point)}
    name = c.name or next(f"C{n}" for n in range(1, len(taken) + 2) if f"C{n}" not in taken)
    job = _put_tee_at(edit, PutTeeAt(do="put_tee_at", run=run.id, at=c.at, name=name))
    cut = job.run(run.id)
    assert cut is not None
    at = next(n for n, item in enumerate(cut.items) if isinstance(item, Tee) and item.name == name)
    pipe, lie = cut.pipe, Lie(id="i1")
    for item in cut.items[:at]:
        if isinstance(item, PipeChange):
            pipe = item.pipe
        elif isinstance(item, Lie):
            lag = item.lag_mm if item.lag_mm is not None else (lie.lag_mm if item.place is None else None)
            lie = Lie(
                id="i1",
                place=item.place or lie.place,
                lag_mm=lag,
                clip_mm=item.clip_mm or lie.clip_mm,
                fall=item.fall if item.fall is not None else lie.fall,
            )
    rest = cut.items[at + 1 :]
    next_item = job.next_item
    if lie != Lie(id="i1"):
        rest = (lie.model_copy(update={"id": f"i{next_item}"}), *rest)
        next_item += 1
    new_id = job.free_id(spec.role(run.role).run_letters)
    moved = {item.name for item in rest if isinstance(item, Tee | Point)}
    first = cut.model_copy(update={"items": (*cut.items[:at], Point(id=cut.items[at].id, name=name)), "finish": "none"})
    second = cut.model_copy(
        update={"id": new_id, "start": f"{run.id}.{name}", "pipe": pipe, "items": rest, "last_start": None}
    )

    def follow(anchor: str) -> str:
        owner, point = split_anchor(anchor)
        return f"{new_id}.{point}" if owner == run.id and point in moved else anchor

    runs: list[Run] = []
    for other in job.runs:
        if other.id == run.id:
            runs += [first, second]
        else:
            runs.append(other.model_copy(update={"start": follow(other.start), "finish": follow(other.finish)}))
    return checked(job, runs=tuple(runs), next_item=next_item)


def _write_out(edit: Edit, c: WriteOut) -> Job:
    """The twin's moves as legs, to the micrometre; tees where other runs hang on it."""
    run = edit.run(c.run)
    if run.twin_of is None:
        raise Refused("run", run.id, "a twin", "RT1")
    walked = trace(edit.job, edit.catalogue, edit.memory).runs[run.id]
    used = {
        split_anchor(anchor)[1]
        for other in edit.job.runs
        for anchor in (other.start, other.finish)
        if split_anchor(anchor)[0] == run.id
    }
    next_item = edit.job.next_item
    items: list[Item] = []
    for step in walked.steps:
        ident = f"i{next_item}"
        if isinstance(step, Move):
            way = way_of(step.b.minus(step.a))
            if way is None:
                raise Refused(
                    "run",
                    run.id,
                    "a twin whose pipes lie in the plain directions; this one has a step to two sides at once",
                    "RT1",
                )
            items.append(Leg(id=ident, dir=way, length_mm=step.length_mm, basis="drawn"))
        elif isinstance(step, Tee | Point):
            if step.name not in used:
                continue
            items.append(Tee(id=ident, name=step.name))
        else:
            items.append(step.model_copy(update={"id": ident}))
        next_item += 1
    return with_run(edit.job, run.model_copy(update={"items": tuple(items), "twin_of": None}), next_item=next_item)


def _choose(edit: Edit, c: Choose) -> Job:
    topic = TOPICS.get(c.topic)
    if topic is None:
        raise Refused("topic", c.topic, f"a topic such as {nearest(c.topic, TOPICS)}", "metal-joining")
    if topic.option(c.option) is None:
        raise Refused("option", c.option, " or ".join(option.id for option in topic.options), topic.options[0].id)
    choices = dict(edit.job.choices)
    if c.option == topic.default[edit.job.practice] and not c.reason:
        choices.pop(c.topic, None)
    else:
        choices[c.topic] = Choice(option=c.option, origin=c.origin, reason=c.reason)
    return checked(edit.job, choices=choices)


def _put_circuit(edit: Edit, c: PutCircuit) -> Job:
    rest = tuple(circuit for circuit in edit.job.circuits if circuit.id != c.circuit.id)
    return checked(edit.job, circuits=(*rest, c.circuit))


def _put_fact(edit: Edit, c: PutFact) -> Job:
    rest = tuple(fact for fact in edit.job.facts if fact.path != c.fact.path)
    return checked(edit.job, facts=(*rest, c.fact))


def _put_override(edit: Edit, c: PutOverride) -> Job:
    rest = tuple(row for row in edit.job.overrides if (row.target, row.field) != (c.override.target, c.override.field))
    return checked(edit.job, overrides=(*rest, c.override))


def _remove_override(edit: Edit, c: RemoveOverride) -> Job:
    rest = tuple(row for row in edit.job.overrides if (row.target, row.field) != (c.target, c.field))
    if len(rest) == len(edit.job.overrides):
        raise Refused("target", c.target, f"something whose {c.field} was set by hand", "i17/turn")
    return checked(edit.job, overrides=rest)


def _put_task(edit: Edit, c: PutTask) -> Job:
    tasks = edit.job.tasks
    at = next((n for n, task in enumerate(tasks) if task.id == c.task.id), len(tasks))
    return checked(edit.job, tasks=(*tasks[:at], c.task, *tasks[at + 1 :]))


def _remove_task(edit: Edit, c: RemoveTask) -> Job:
    rest = tuple(task for task in edit.job.tasks if task.id != c.id)
    if len(rest) == len(edit.job.tasks):
        raise Refused("id", c.id, f"a small job of this one such as {nearest(c.id, [t.id for t in rest])}", "T1")
    return checked(edit.job, tasks=rest)


def _waive(edit: Edit, c: Waive) -> Job:
    if not c.reason.strip():
        raise Refused(
            "reason", c.reason, "why it is let stand; the reason is printed", "the radiator is hung next week"
        )
    rest = tuple(row for row in edit.job.waivers if (row.rule, row.where) != (c.rule, c.where))
    new = read_as(Waiver, {"rule": c.rule, "where": c.where, "reason": c.reason.strip(), "by_role": c.by_role})
    return checked(edit.job, waivers=(*rest, new))


def _unwaive(edit: Edit, c: Unwaive) -> Job:
    return checked(
        edit.job, waivers=tuple(row for row in edit.job.waivers if (row.rule, row.where) != (c.rule, c.where))
    )


ACTS: dict[str, Callable[[Edit, Any], Job]] = {
    **HOUSE_ACTS,
    "set_state": _set_state,
    "cut_run": _cut_run,
    "write_out": _write_out,
    "put_run": _put_run,
    "remove_run": _remove_run,
    "retype_item": _retype_item,
    "insert_item": _insert_item,
    "move_item": _move_item,
    "set_leg": _set_leg,
    "shift_leg": _shift_leg,
    "type_length": _type_length,
    "set_pipe": _set_pipe,
    "set_start": _set_start,
    "set_finish": _set_finish,
    "close_tee": _close_tee,
    "put_tee_at": _put_tee_at,
    "choose": _choose,
    "put_circuit": _put_circuit,
    "put_fact": _put_fact,
    "put_override": _put_override,
    "remove_override": _remove_override,
    "put_task": _put_task,
    "remove_task": _remove_task,
    "waive": _waive,
    "unwaive": _unwaive,
}
