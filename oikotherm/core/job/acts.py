"""What each command does to a job: pure functions, refused with reason. Only commands.py calls them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from ..catalogue import Catalogue
from ..errors import Refused, nearest
from ..memo import Remembered
from ..pipework.trace import trace
from ..pipework.walk import Move
from ..practice import TOPICS
from ..quantity import length_text, parse_length_mm
from .document import read_as
from .houseline import parse_part
from .identity import align
from .kinds import (
    AddStation,
    Choose,
    CloseTee,
    CutRun,
    InsertItem,
    MoveStation,
    PutCircuit,
    PutFact,
    PutHouse,
    PutLevel,
    PutOverride,
    PutRun,
    PutStation,
    PutTeeAt,
    RemoveHouse,
    RemoveLevel,
    RemoveOverride,
    RemoveRun,
    RemoveStation,
    RetypeItem,
    SetFinish,
    SetJob,
    SetLeg,
    SetPipe,
    SetStart,
    SetState,
    Unwaive,
    Waive,
    WriteOut,
)
from .model import (
    ROLE_LETTERS,
    ROLE_SERVICE,
    Choice,
    DeviceItem,
    House,
    Item,
    Job,
    KitPart,
    Leg,
    Lie,
    Pipe,
    PipeChange,
    Point,
    Port,
    Run,
    Station,
    Tee,
    Waiver,
    split_anchor,
)
from .notation import ParsedRun, Style, Token, exact_length, item_text, parse_run, run_text
from .ways import way_of


@dataclass(frozen=True, slots=True)
class Edit:
    """What a command works on."""

    job: Job
    catalogue: Catalogue

    @property
    def style(self) -> Style:
        return Style(self.catalogue, self.job.practice, self.job.pace_unit)

    def run(self, id_: str) -> Run:
        run = self.job.run(id_)
        if run is None:
            raise Refused(
                "run", id_, f"a run of this job such as {nearest(id_, (run.id for run in self.job.runs))}", "F1"
            )
        return run

    def station(self, id_: str) -> Station:
        station = self.job.station(id_)
        if station is None:
            raise Refused("station", id_, f"a station such as {nearest(id_, (s.id for s in self.job.stations))}", "BLR")
        return station

    def item(self, run: Run, id_: str) -> Item:
        found = next((item for item in run.items if item.id == id_), None)
        if found is None:
            raise Refused("item", id_, f"an item of {run.id}", run.items[0].id if run.items else "")
        return found


def anchors(job: Job) -> set[str]:
    """Everything a run can start from or end at: ports, tees and points."""
    return _ANCHORS((job.stations, job.runs), None, lambda: _anchors(job))


_ANCHORS: Remembered[set[str]] = Remembered(8)


def _anchors(job: Job) -> set[str]:
    found = {f"{station.id}.{port.name}" for station in job.stations for port in station.ports}
    found.update(f"{run.id}.{name}" for run in job.runs for name in job.points_of(run.id))
    return found


def _checked(job: Job, **changes: Any) -> Job:
    """The job with parts replaced, checked as a whole. Parts are models already: only what binds them is checked again."""
    fields = {name: getattr(job, name) for name in Job.model_fields}
    return read_as(Job, {**fields, **changes})


def _with_run(job: Job, run: Run, old_id: str | None = None, **changes: Any) -> Job:
    old_id = old_id or run.id
    if job.run(old_id):
        runs = tuple(run if other.id == old_id else other for other in job.runs)
    else:
        runs = (*job.runs, run)
    return _checked(job, runs=runs, **changes)


# --- acts ------------------------------------------------------------------------------------------------------------


def _set_job(edit: Edit, c: SetJob) -> Job:
    changes = {name: value for name, value in c.model_dump(exclude={"do"}).items() if value is not None}
    return _checked(edit.job, **changes)


def _put_level(edit: Edit, c: PutLevel) -> Job:
    levels = [level for level in edit.job.house.levels if level.id != c.level.id] + [c.level]
    levels.sort(key=lambda level: level.floor_mm)
    return _checked(edit.job, house=edit.job.house.model_copy(update={"levels": tuple(levels)}))


def _remove_level(edit: Edit, c: RemoveLevel) -> Job:
    if edit.job.level(c.id) is None:
        raise Refused(
            "level", c.id, f"a level such as {nearest(c.id, (level.id for level in edit.job.house.levels))}", "L0"
        )
    on_it = [station.id for station in edit.job.stations if station.level == c.id]
    if on_it:
        raise Refused("level", c.id, f"a level with nothing on it; {', '.join(on_it)} stand there", "move them first")
    levels = tuple(level for level in edit.job.house.levels if level.id != c.id)
    return _checked(edit.job, house=House.model_validate({**dict(edit.job.house), "levels": levels}))


_HOUSE = {"room": "rooms", "wall": "walls", "joists": "joists", "obstacle": "obstacles"}


def _put_house(edit: Edit, c: PutHouse) -> Job:
    kind, part = parse_part(c.text, edit.style)
    house = edit.job.house
    if edit.job.level(part.level) is None:
        raise Refused(
            "level", part.level, f"a level such as {nearest(part.level, (level.id for level in house.levels))}", "L0"
        )
    group = _HOUSE[kind]
    old = list(getattr(house, group))
    if any(thing.id == part.id for things in edit.job.named() for thing in things if thing not in old):
        raise Refused("id", part.id, "a name nobody has yet", f"{part.id[:7]}2")
    if any(one.id == part.id for one in old):
        new = tuple(part if one.id == part.id else one for one in old)
    else:
        new = (*old, part)
    return _checked(edit.job, house=house.model_copy(update={group: new}))


def _remove_house(edit: Edit, c: RemoveHouse) -> Job:
    house = edit.job.house
    for group in _HOUSE.values():
        rest = tuple(one for one in getattr(house, group) if one.id != c.id)
        if len(rest) < len(getattr(house, group)):
            return _checked(edit.job, house=house.model_copy(update={group: rest}))
    known = [one.id for group in _HOUSE.values() for one in getattr(house, group)]
    raise Refused(
        "id",
        c.id,
        f"a room, wall, joist field or obstacle such as {nearest(c.id, known)}"
        if known
        else "something of the house; there is nothing yet",
        "W1",
    )


def station_ports(
    catalogue: Catalogue, kind: str, practice: str, width_mm: float, height_mm: float
) -> tuple[Port, ...]:
    """The ports a kind of station usually has in a practice, on a body of this size."""
    ports = []
    for row in catalogue.ports.get((kind, practice), ()):
        kit = tuple(
            KitPart.model_validate({"part": part, "turn": turn or None})
            for part, _, turn in (word.partition(":") for word in row.kit.split())
        )
        offset = (row.right_of_width * width_mm + row.right_mm, row.out_mm, row.up_of_height * height_mm + row.up_mm)
        ports.append(
            Port.model_validate(
                {
                    "name": row.name,
                    "role": row.role,
                    "way": row.way,
                    "offset": offset,
                    "facing": row.facing,
                    "end": row.end,
                    "kit": kit,
                }
            )
        )
    return tuple(ports)


def _add_station(edit: Edit, c: AddStation) -> Job:
    kind = edit.catalogue.stations.get(c.kind)
    if kind is None:
        near = ", ".join(edit.catalogue.stations)
        raise Refused("kind", c.kind, f"a kind the catalogue has ports for: {near}", "boiler")
    body = {"width_mm": kind.width_mm, "height_mm": kind.height_mm, "depth_mm": kind.depth_mm}
    data = {**{name: value for name, value in body.items() if value}, **c.data}
    ports = station_ports(
        edit.catalogue,
        "floor-loop" if data.get("loop_m") else c.kind,
        edit.job.practice,
        float(data.get("width_mm") or 0),
        float(data.get("height_mm") or 0),
    )
    change: dict[str, Any] = {"end": c.end, "role": c.role, "facing": c.facing}
    if any(change.values()) and len(ports) > 1:
        raise Refused(
            "kind",
            c.kind,
            "a station with one port, such as a stub, supply or outlet, for an end, role or facing of your own",
            "stub",
        )
    if any(change.values()):
        change["kit"] = () if c.end else None
        ports = tuple(
            read_as(Port, {**dict(port), **{k: v for k, v in change.items() if v is not None}}) for port in ports
        )
    station = read_as(
        Station,
        {
            "id": c.id or edit.job.free_id(kind.letters),
            "kind": c.kind,
            "name": c.name,
            "level": c.level,
            "at": c.at,
            "faces": c.faces,
            "state": c.state,
            "ports": ports,
            "data": data,
        },
    )
    return _checked(edit.job, stations=(*edit.job.stations, station))


def _put_station(edit: Edit, c: PutStation) -> Job:
    if edit.job.station(c.station.id):
        stations = tuple(c.station if s.id == c.station.id else s for s in edit.job.stations)
    else:
        stations = (*edit.job.stations, c.station)
    return _checked(edit.job, stations=stations)


def _move_station(edit: Edit, c: MoveStation) -> Job:
    station = edit.station(c.id)
    at = tuple(round(a + b, 3) for a, b in zip(station.at, c.by, strict=True))
    return _put_station(edit, PutStation(do="put_station", station=read_as(Station, {**dict(station), "at": at})))


def _remove_station(edit: Edit, c: RemoveStation) -> Job:
    edit.station(c.id)
    return _checked(edit.job, stations=tuple(station for station in edit.job.stations if station.id != c.id))


def _put_run(edit: Edit, c: PutRun) -> Job:
    old = edit.run(c.run) if c.run else None
    parsed = parse_run(c.text, edit.style)
    if old is None and parsed.id and edit.job.run(parsed.id):
        old = edit.job.run(parsed.id)
    return _put_parsed(edit, parsed, old)


def _put_parsed(edit: Edit, parsed: ParsedRun, old: Run | None, around: tuple[int, int] | None = None) -> Job:
    """Store a parsed line. around: how many items before and after the typed part are the old ones untouched."""
    job = edit.job
    start, role = _resolve_start(edit, parsed.start, old)
    finish = "none" if parsed.finish is None else _resolve_finish(edit, parsed, old, start)
    run_id = parsed.id or (old.id if old else job.free_id(ROLE_LETTERS[role]))
    if old and run_id != old.id and any(thing.id == run_id for group in job.named() for thing in group):
        raise Refused("id", run_id, "an id nobody has yet", job.free_id(ROLE_LETTERS[role]), (0, len(run_id)))
    known_parts = edit.catalogue.device_titles()
    old_parts = {item.part for item in old.items if isinstance(item, DeviceItem)} if old else set()
    for item, span in zip(parsed.items, parsed.spans, strict=True):
        if isinstance(item, DeviceItem) and item.part not in known_parts and item.part not in old_parts:
            raise Refused("device", item.part, f"a part such as {nearest(item.part, known_parts)}", "[iso]", span)
    _check_twin(edit, parsed, run_id)
    items, next_item = _identify(parsed.items, old.items if old else (), job.next_item, edit.style, around)
    fields: dict[str, Any] = dict(old) if old else {}
    fields.update(
        id=run_id,
        role=role,
        service=ROLE_SERVICE[role],
        start=start,
        pipe=parsed.pipe,
        items=items,
        finish=finish,
        twin_of=parsed.twin,
    )
    run = read_as(Run, fields)
    if old and run_id != old.id:
        job = _rename(job, old.id, run_id)
    return _with_run(job, run, next_item=next_item)


def _check_twin(edit: Edit, parsed: ParsedRun, run_id: str) -> None:
    """A twin follows a run of the job that does not follow it."""
    if parsed.twin is None:
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


def _resolve(edit: Edit, token: Token, allowed: str | None) -> str:
    """An anchor as typed in the job's own spelling; a bare name stands for the one run or station that has it."""
    known = anchors(edit.job)
    low = {anchor.lower(): anchor for anchor in known}
    said = token.text
    if said.lower() in low:
        return low[said.lower()]
    if allowed is not None and said.lower() == allowed.lower():
        return allowed
    if "." not in said:
        found = sorted(anchor for anchor in known if split_anchor(anchor)[1].lower() == said.lower())
        if len(found) == 1:
            return found[0]
        if found:
            raise Refused("anchor", said, f"which one: {', '.join(found[:4])}", found[0], token.where)
    near = nearest(said, sorted(known)) if known else "a port; there is no station yet"
    raise Refused(
        "anchor",
        said,
        f"a port or named point of this job such as {near}",
        sorted(known)[0] if known else "BLR.flow",
        token.where,
    )


def _resolve_start(edit: Edit, token: Token, old: Run | None) -> tuple[str, Any]:
    start = _resolve(edit, token, old.start if old else None)
    owner, name = split_anchor(start)
    station, parent = edit.job.station(owner), edit.job.run(owner)
    if old and owner == old.id:
        raise Refused("start", start, "a port, or a point of another run", "BLR.flow", token.where)
    if station is not None:
        role = next((port.role for port in station.ports if port.name == name), None)
        return start, role or (old.role if old else "flow")
    return start, parent.role if parent else old.role if old else "flow"


def _resolve_finish(edit: Edit, parsed: ParsedRun, old: Run | None, start: str) -> str:
    token = parsed.finish
    assert token is not None
    if token.text.lower() in ("cap", "plug", "stub"):
        return token.text.lower()
    finish = _resolve(edit, token, old.finish if old else None)
    if finish == start:
        raise Refused("finish", finish, "another end than the start", "R3.left", token.where)
    return finish


def _remove_run(edit: Edit, c: RemoveRun) -> Job:
    edit.run(c.id)
    return _checked(edit.job, runs=tuple(run for run in edit.job.runs if run.id != c.id))


def _retext(edit: Edit, run: Run, parts: list[str], at: int, new: str) -> Job:
    """The run with one of its texts replaced; a refusal points into the new text alone."""
    ahead = run_text(run.model_copy(update={"items": (), "finish": "none"}), edit.style)
    before = " ".join([ahead, *(part for part in parts[:at] if part)])
    after = " ".join(part for part in parts[at + 1 :] if part)
    finish = f" -> {run.finish}" if run.finish != "none" else ""
    closing = ";" if "#" in new and not new.rstrip().endswith(";") else ""
    text = f"{before} {new}{closing} {after}{finish}"
    try:
        return _put_parsed(edit, parse_run(text, edit.style), run, (at, len(parts) - at - 1))
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


def _set_leg(edit: Edit, c: SetLeg) -> Job:
    run = edit.run(c.run)
    leg = edit.item(run, c.item)
    if not isinstance(leg, Leg):
        raise Refused("item", item_text(leg, edit.style), "a leg", "W1850")
    said = "" if c.length_mm is None else exact_length(c.length_mm, edit.job.pace_unit)
    if edit.style.decimal_comma:
        said = said.replace(".", ",")
    new = leg.model_copy(
        update={"length_mm": None if c.length_mm is None else round(c.length_mm, 3), "said": said, "basis": c.basis}
    )
    if c.length_mm is None:
        new = new.model_copy(update={"basis": "taped"})
    return _with_items(edit, run, c.item, new)


def _with_items(edit: Edit, run: Run, item_id: str, new: Item) -> Job:
    items = tuple(new if item.id == item_id else item for item in run.items)
    return _with_run(edit.job, run.model_copy(update={"items": items}))


def _set_pipe(edit: Edit, c: SetPipe) -> Job:
    run = edit.run(c.run)
    code = edit.catalogue.system_code(c.code, edit.job.practice)
    pipe = read_as(Pipe, {"code": code, "size": c.size})
    if c.item is None:
        return _with_run(edit.job, run.model_copy(update={"pipe": pipe}))
    item = edit.item(run, c.item)
    if item.kind != "pipe":
        raise Refused("item", item_text(item, edit.style), "a change of pipe", "=cu-m 15")
    return _with_items(edit, run, c.item, item.model_copy(update={"pipe": pipe}))


def _set_start(edit: Edit, c: SetStart) -> Job:
    run = edit.run(c.run)
    start, role = _resolve_start(edit, Token(c.start, 0, len(c.start)), run)
    return _with_run(edit.job, read_as(Run, {**dict(run), "start": start, "role": role, "service": ROLE_SERVICE[role]}))


def _set_finish(edit: Edit, c: SetFinish) -> Job:
    run = edit.run(c.run)
    finish = c.finish if "." not in c.finish else _resolve(edit, Token(c.finish, 0, len(c.finish)), run.finish)
    return _with_run(edit.job, run.model_copy(update={"finish": finish}))


def _close_tee(edit: Edit, c: CloseTee) -> Job:
    run = edit.run(c.run)
    tee = edit.item(run, c.item)
    if not isinstance(tee, Tee):
        raise Refused("item", item_text(tee, edit.style), "a tee", "*T1")
    return _with_items(edit, run, c.item, tee.model_copy(update={"closed": c.closed}))


def _put_tee_at(edit: Edit, c: PutTeeAt) -> Job:
    run = edit.run(c.run)
    at_mm = parse_length_mm(c.at, edit.job.pace_unit, field="at", decimal_comma=edit.style.decimal_comma)
    lengths = trace(edit.job, edit.catalogue).runs[run.id].lengths
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
    return _with_run(edit.job, edit.run(c.run).model_copy(update={"state": c.state}))


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
    new_id = job.free_id(ROLE_LETTERS[run.role])
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
    return _checked(job, runs=tuple(runs), next_item=next_item)


def _write_out(edit: Edit, c: WriteOut) -> Job:
    """The twin's moves as legs, to the micrometre; tees where other runs hang on it."""
    run = edit.run(c.run)
    if run.twin_of is None:
        raise Refused("run", run.id, "a twin", "RT1")
    walked = trace(edit.job, edit.catalogue).runs[run.id]
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
    return _with_run(edit.job, run.model_copy(update={"items": tuple(items), "twin_of": None}), next_item=next_item)


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
    return _checked(edit.job, choices=choices)


def _put_circuit(edit: Edit, c: PutCircuit) -> Job:
    rest = tuple(circuit for circuit in edit.job.circuits if circuit.id != c.circuit.id)
    return _checked(edit.job, circuits=(*rest, c.circuit))


def _put_fact(edit: Edit, c: PutFact) -> Job:
    rest = tuple(fact for fact in edit.job.facts if fact.path != c.fact.path)
    return _checked(edit.job, facts=(*rest, c.fact))


def _put_override(edit: Edit, c: PutOverride) -> Job:
    rest = tuple(row for row in edit.job.overrides if (row.target, row.field) != (c.override.target, c.override.field))
    return _checked(edit.job, overrides=(*rest, c.override))


def _remove_override(edit: Edit, c: RemoveOverride) -> Job:
    rest = tuple(row for row in edit.job.overrides if (row.target, row.field) != (c.target, c.field))
    if len(rest) == len(edit.job.overrides):
        raise Refused("target", c.target, f"something whose {c.field} was set by hand", "i17/turn")
    return _checked(edit.job, overrides=rest)


def _waive(edit: Edit, c: Waive) -> Job:
    if not c.reason.strip():
        raise Refused(
            "reason", c.reason, "why it is let stand; the reason is printed", "the radiator is hung next week"
        )
    rest = tuple(row for row in edit.job.waivers if (row.rule, row.where) != (c.rule, c.where))
    new = read_as(Waiver, {"rule": c.rule, "where": c.where, "reason": c.reason.strip(), "by_role": c.by_role})
    return _checked(edit.job, waivers=(*rest, new))


def _unwaive(edit: Edit, c: Unwaive) -> Job:
    return _checked(
        edit.job, waivers=tuple(row for row in edit.job.waivers if (row.rule, row.where) != (c.rule, c.where))
    )


ACTS: dict[str, Callable[[Edit, Any], Job]] = {
    "set_job": _set_job,
    "put_level": _put_level,
    "remove_level": _remove_level,
    "put_house": _put_house,
    "remove_house": _remove_house,
    "set_state": _set_state,
    "cut_run": _cut_run,
    "write_out": _write_out,
    "add_station": _add_station,
    "put_station": _put_station,
    "move_station": _move_station,
    "remove_station": _remove_station,
    "put_run": _put_run,
    "remove_run": _remove_run,
    "retype_item": _retype_item,
    "insert_item": _insert_item,
    "set_leg": _set_leg,
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
    "waive": _waive,
    "unwaive": _unwaive,
}
