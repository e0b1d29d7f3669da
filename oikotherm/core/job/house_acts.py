"""What the commands about the job, its house and its stations do."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..errors import Refused, nearest
from ..services import spec
from .document import read_as
from .edit import Edit, checked
from .houseline import parse_part
from .kinds import (
    AddStation,
    MoveStation,
    PutHouse,
    PutLevel,
    PutPort,
    PutStation,
    RemoveHouse,
    RemoveLevel,
    RemovePort,
    RemoveStation,
    SetJob,
)
from .model import (
    House,
    Job,
    KitPart,
    Port,
    Station,
)


def _set_job(edit: Edit, c: SetJob) -> Job:
    changes = {name: value for name, value in c.model_dump(exclude={"do"}).items() if value is not None}
    return checked(edit.job, **changes)


def _put_level(edit: Edit, c: PutLevel) -> Job:
    levels = [level for level in edit.job.house.levels if level.id != c.level.id] + [c.level]
    levels.sort(key=lambda level: level.floor_mm)
    return checked(edit.job, house=edit.job.house.model_copy(update={"levels": tuple(levels)}))


def _remove_level(edit: Edit, c: RemoveLevel) -> Job:
    if edit.job.level(c.id) is None:
        raise Refused(
            "level", c.id, f"a level such as {nearest(c.id, (level.id for level in edit.job.house.levels))}", "L0"
        )
    on_it = [station.id for station in edit.job.stations if station.level == c.id]
    if on_it:
        raise Refused("level", c.id, f"a level with nothing on it; {', '.join(on_it)} stand there", "move them first")
    levels = tuple(level for level in edit.job.house.levels if level.id != c.id)
    return checked(edit.job, house=House.model_validate({**dict(edit.job.house), "levels": levels}))


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
    return checked(edit.job, house=house.model_copy(update={group: new}))


def _remove_house(edit: Edit, c: RemoveHouse) -> Job:
    house = edit.job.house
    for group in _HOUSE.values():
        rest = tuple(one for one in getattr(house, group) if one.id != c.id)
        if len(rest) < len(getattr(house, group)):
            return checked(edit.job, house=house.model_copy(update={group: rest}))
    known = [one.id for group in _HOUSE.values() for one in getattr(house, group)]
    raise Refused(
        "id",
        c.id,
        f"a room, wall, joist field or obstacle such as {nearest(c.id, known)}"
        if known
        else "something of the house; there is nothing yet",
        "W1",
    )


def station_ports(kind: str, variant: str, practice: str, width_mm: float, height_mm: float) -> tuple[Port, ...]:
    """The ports a variant of a kind ("" the usual one) has in a practice, on a body of this size. Raises Refused for
    one there is not."""
    ports = []
    for row in spec.kind(kind).ports_of(variant, practice):
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
                    "metal": row.metal or None,
                    "kit": kit,
                }
            )
        )
    return tuple(ports)


def _add_station(edit: Edit, c: AddStation) -> Job:
    kind = spec.kind(c.kind)
    built = c.variant
    if not built and c.data.get("loop_m") and any(one.id == "floor-loop" for one in kind.variants):
        built = "floor-loop"  # pipe laid in a floor says what it is
    variant = kind.variant(built)
    body = {"width_mm": variant.width_mm, "height_mm": variant.height_mm, "depth_mm": variant.depth_mm}
    data = {**{name: value for name, value in body.items() if value}, **c.data}
    ports = station_ports(
        c.kind, built, edit.job.practice, float(data.get("width_mm") or 0), float(data.get("height_mm") or 0)
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
        fields = {name: value for name, value in change.items() if value is not None}
        ports = tuple(read_as(Port, {**dict(port), **({"metal": None} if c.end else {}), **fields}) for port in ports)
    station = read_as(
        Station,
        {
            "id": c.id or edit.job.free_id(kind.letters),
            "kind": c.kind,
            "variant": built,
            "name": c.name,
            "level": c.level,
            "at": c.at,
            "faces": c.faces,
            "state": c.state,
            "ports": ports,
            "data": data,
            "brings": dict(variant.brings),
        },
    )
    return checked(edit.job, stations=(*edit.job.stations, station))


def _port_of(station: Station, name: str) -> Port:
    found = next((port for port in station.ports if port.name == name), None)
    if found is None:
        known = nearest(name, (port.name for port in station.ports)) if station.ports else "one that is put first"
        raise Refused(
            "port", name, f"a port of {station.id} such as {known}", station.ports[0].name if station.ports else "flow"
        )
    return found


def _put_port(edit: Edit, c: PutPort) -> Job:
    """A port as it is by label or tape: a new one, or that of the same name again; `was`: what it was called before."""
    station = edit.station(c.station)
    was = c.was or c.port.name
    if c.was:
        _port_of(station, c.was)
    if was != c.port.name and any(port.name == c.port.name for port in station.ports):
        raise Refused("port", c.port.name, f"a name no other port of {station.id} has", f"{c.port.name[:18]}-2")
    if any(port.name == was for port in station.ports):
        ports = tuple(c.port if port.name == was else port for port in station.ports)
    else:
        ports = (*station.ports, c.port)
    changes: dict[str, Any] = {}
    if was != c.port.name:
        old, new = f"{station.id}.{was}", f"{station.id}.{c.port.name}"
        changes["runs"] = tuple(
            run.model_copy(update={side: new for side in ("start", "finish") if getattr(run, side) == old})
            if old in (run.start, run.finish)
            else run
            for run in edit.job.runs
        )
    station = read_as(Station, {**dict(station), "ports": ports})
    stations = tuple(station if one.id == station.id else one for one in edit.job.stations)
    return checked(edit.job, stations=stations, **changes)


def _remove_port(edit: Edit, c: RemovePort) -> Job:
    """Take a port off. A run that starts or ends there stays, adrift."""
    station = edit.station(c.station)
    _port_of(station, c.port)
    ports = tuple(port for port in station.ports if port.name != c.port)
    return _put_station(edit, PutStation(do="put_station", station=read_as(Station, {**dict(station), "ports": ports})))


def _put_station(edit: Edit, c: PutStation) -> Job:
    if edit.job.station(c.station.id):
        stations = tuple(c.station if s.id == c.station.id else s for s in edit.job.stations)
    else:
        stations = (*edit.job.stations, c.station)
    return checked(edit.job, stations=stations)


def _move_station(edit: Edit, c: MoveStation) -> Job:
    station = edit.station(c.id)
    at = tuple(round(a + b, 3) for a, b in zip(station.at, c.by, strict=True))
    return _put_station(edit, PutStation(do="put_station", station=read_as(Station, {**dict(station), "at": at})))


def _remove_station(edit: Edit, c: RemoveStation) -> Job:
    edit.station(c.id)
    return checked(edit.job, stations=tuple(station for station in edit.job.stations if station.id != c.id))


HOUSE_ACTS: dict[str, Callable[[Edit, Any], Job]] = {
    "add_station": _add_station,
    "move_station": _move_station,
    "put_house": _put_house,
    "put_level": _put_level,
    "put_port": _put_port,
    "put_station": _put_station,
    "remove_house": _remove_house,
    "remove_level": _remove_level,
    "remove_port": _remove_port,
    "remove_station": _remove_station,
    "set_job": _set_job,
}
