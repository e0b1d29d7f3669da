"""The job document: stations joined by runs that were paced out, and everything decided about them.

Frozen models; unknown fields are refused. Geometry in millimetres (x east, y north, z up; z = 0 at the finished ground
floor), temperatures C, power W, pressure Pa, flow kg/s. Only what was measured, said or chosen is kept here: everything
else is derived.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping
from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, Field, PrivateAttr, SerializeAsAny, StringConstraints, model_validator

from ..errors import Refused
from ..fields import (
    ID_PATTERN,
    WAY_PATTERN,
    XY,
    XYZ,
    AnchorText,
    Box,
    Code,
    Compass,
    Coordinate,
    Dir,
    EndText,
    Facing,
    Frozen,
    Id,
    ItemId,
    Key,
    Line,
    Micrometres,
    NotNegative,
    PartName,
    PortName,
    Positive,
    Size,
    State,
    TempC,
    Text,
    plain_line,
)
from ..quantity import PaceUnit, Practice
from ..services import spec
from ..services.kinds import KindSpec, StationData
from .ways import canonical_way

FORMAT = "oikotherm-job"
VERSION = 2

Way = Annotated[str, StringConstraints(pattern=f"^{WAY_PATTERN}$"), AfterValidator(canonical_way)]


def _known(look: Any) -> AfterValidator:
    """A word that the registry of services must know."""

    def check(word: str) -> str:
        try:
            look(word)
        except Refused as refused:
            raise ValueError(f"expected {refused.expected}") from None
        return word

    return AfterValidator(check)


ServiceId = Annotated[str, StringConstraints(max_length=40), _known(spec.service)]
RoleId = Annotated[str, StringConstraints(max_length=40), _known(spec.role)]
KindId = Annotated[str, StringConstraints(max_length=40), _known(spec.kind)]
Metal = Literal["steel", "brass", "copper", "stainless", "plastic"]


class Level(Frozen):
    id: Id
    name: Line
    floor_mm: Coordinate
    """Finished floor above the finished ground floor."""
    ceiling_mm: Coordinate
    """Ceiling above the finished ground floor."""

    @model_validator(mode="after")
    def _above(self) -> Self:
        if self.ceiling_mm <= self.floor_mm:
            raise ValueError("expected the ceiling above the floor")
        return self


class Room(Frozen):
    id: Id
    level: Id
    name: Line
    outline: tuple[XY, ...] = ()
    heated: bool = True
    room_c: TempC = 20
    need_w: NotNegative | None = None
    flame_allowed: bool = True
    rodents: bool = False


class Wall(Frozen):
    id: Id
    level: Id
    from_xy: XY
    to_xy: XY
    thickness_mm: Positive
    kind: Literal["masonry", "stud", "timber"]


class JoistField(Frozen):
    id: Id
    level: Id
    outline: tuple[XY, ...]
    along: Literal["N", "E"]
    depth_mm: Positive
    breadth_mm: Positive
    centres_mm: Positive
    span_mm: Positive
    kind: Literal["solid", "i-joist", "truss"] = "solid"


class Obstacle(Frozen):
    id: Id
    level: Id
    kind: Literal["beam", "truss", "hatch", "cable", "board", "meter", "duct", "window"]
    box: Box
    clearance_mm: NotNegative = 0


class House(Frozen):
    levels: tuple[Level, ...] = ()
    rooms: tuple[Room, ...] = ()
    walls: tuple[Wall, ...] = ()
    joists: tuple[JoistField, ...] = ()
    obstacles: tuple[Obstacle, ...] = ()


class KitPart(Frozen):
    part: PartName
    turn: Facing | None = None
    """Where an angled part turns to, seen from the front of the station."""


class Port(Frozen):
    name: PortName
    role: RoleId
    way: Literal["out", "in", "either"]
    """Of the fluid, seen from the station."""
    offset: XYZ
    """Right, out, up from the bottom centre of the back, seen from the front."""
    facing: Facing
    end: EndText
    metal: Metal | None = None
    """What its end is made of; None where nobody has said."""
    kit: tuple[KitPart, ...] = ()


class Brings(Frozen):
    """What a station has inside it already."""

    vessel_l: NotNegative | None = None
    safety_valve_bar: Positive | None = None
    pump: bool = False
    filling: bool = False
    vents: bool = False
    drains: bool = False


def _kind_data(kind: KindSpec, said: Any) -> Any:
    """Data as the model of a kind. A fact the kind does not carry is refused, unless it is empty."""
    if not isinstance(said, dict):
        return said  # for the document's own refusal
    unknown = [name for name, value in said.items() if name not in kind.model.model_fields and value is not None]
    if unknown:
        raise ValueError(f"a {kind.id} carries no {', '.join(sorted(map(str, unknown)))}")
    return kind.model.model_validate({name: value for name, value in said.items() if name in kind.model.model_fields})


class Station(Frozen):
    id: Id
    kind: KindId
    variant: Annotated[str, StringConstraints(max_length=40)] = ""
    """Which build of its kind; "" where nobody has said."""
    name: Line = ""
    level: Id
    at: XYZ
    """x, y and height above the level's floor of the bottom centre of its back."""
    faces: Compass = "S"
    state: State = "new"
    ports: tuple[Port, ...] = ()
    data: SerializeAsAny[StationData] = StationData()
    brings: Brings = Brings()
    serial: Line | None = None

    @model_validator(mode="wrap")
    @classmethod
    def _data_of_kind(cls, said: Any, make: Any) -> Self:
        """Read the data by the model of the station's kind."""
        if isinstance(said, dict):
            kind, data = said.get("kind"), said.get("data", {})
            known = spec.kinds().get(kind) if isinstance(kind, str) else None
            if known is not None and type(data) is not known.model:
                data = dict(data) if isinstance(data, StationData) else data
                said = {**said, "data": _kind_data(known, data)}
        station: Self = make(said)
        return station

    @model_validator(mode="after")
    def _fits_kind(self) -> Self:
        if self.variant:
            try:
                spec.kind(self.kind).variant(self.variant)
            except Refused as refused:
                raise ValueError(f"expected {refused.expected}") from None
        _once([port.name for port in self.ports], "port")
        return self


class Pipe(Frozen):
    code: Code
    size: Size
    """A size of the system, or "?" while it is to be sized."""

    def __str__(self) -> str:
        return f"{self.code} {self.size}"


class ItemBase(Frozen):
    id: ItemId


class Leg(ItemBase):
    kind: Literal["leg"] = "leg"
    dir: Way
    length_mm: Annotated[float, Field(ge=0, le=1e6), Micrometres] | None = None
    """None: until level with the finish."""
    said: Annotated[str, StringConstraints(max_length=30)] = ""
    basis: Literal["taped", "drawn", "assumed"] = "taped"


class DeviceItem(ItemBase):
    kind: Literal["device"] = "device"
    part: PartName
    name: Id | None = None
    arrow: Literal["with", "against", "none"] = "none"
    """With or against the way the run is paced; none: it goes with the flow."""
    handle: Dir | None = None
    setting: Annotated[str, StringConstraints(pattern=r"^[^\s\[\](){}\"#;]{1,20}$")] | None = None


class Tee(ItemBase):
    kind: Literal["tee"] = "tee"
    name: Id
    outlet: Dir | None = None
    closed: Literal["plug", "cap"] | None = None
    drop_mm: Annotated[float, Field(gt=0, le=1e5), Micrometres] | None = None
    """How far the closed outlet stands off, as the pocket of a sediment trap under a gas tee does."""

    @model_validator(mode="after")
    def _closed_below(self) -> Self:
        if self.drop_mm is not None and self.closed is None:
            raise ValueError("expected a cap or plug at the end of the drop")
        return self


class Point(ItemBase):
    kind: Literal["point"] = "point"
    name: Id


class Pass(ItemBase):
    kind: Literal["pass"] = "pass"
    through: Literal["wall", "floor", "ceiling", "joists"]
    thickness_mm: Annotated[float, Field(gt=0, le=1e6), Micrometres] | None = None
    said: Annotated[str, StringConstraints(max_length=30)] = ""
    count: Annotated[int, Field(ge=1, le=999)] | None = None
    ref: Id | None = None
    sleeve: bool = False


class PipeChange(ItemBase):
    kind: Literal["pipe"] = "pipe"
    pipe: Pipe


class Lie(ItemBase):
    kind: Literal["lie"] = "lie"
    place: Literal["view", "boxed", "wall", "floor", "ceiling", "loft", "ground", "outside"] | None = None
    lag_mm: Annotated[float, Field(ge=0, le=1e4), Micrometres] | None = None
    clip_mm: Annotated[float, Field(gt=0, le=1e6), Micrometres] | None = None
    fall: Annotated[float, Field(ge=0, le=1), AfterValidator(lambda fall: round(fall, 6))] | None = None
    """Drop over length along the run; 0 for none."""


class SetItem(ItemBase):
    """The run steps to a side, and with and_side to a second side at once: a rolling offset."""

    kind: Literal["set"] = "set"
    side: Dir
    height_mm: Annotated[float, Field(gt=0, le=1e5), Micrometres]
    angle_deg: Annotated[float, Field(ge=5, le=75), Micrometres] = 45
    and_side: Dir | None = None
    and_mm: Annotated[float, Field(gt=0, le=1e5), Micrometres] | None = None

    @model_validator(mode="after")
    def _both_or_none(self) -> Self:
        if (self.and_side is None) != (self.and_mm is None):
            raise ValueError("expected a second side with its height, or neither")
        return self


class Crossover(ItemBase):
    kind: Literal["crossover"] = "crossover"
    side: Dir
    clear_mm: Annotated[float, Field(gt=0, le=1e5), Micrometres]
    """Free distance to the run it goes over; without one, the rise of the centre line."""
    angle_deg: Annotated[float, Field(ge=5, le=75), Micrometres] = 45
    over: Id | None = None


class Remark(ItemBase):
    kind: Literal["remark"] = "remark"
    text: Annotated[str, StringConstraints(min_length=1, max_length=200, pattern=r"^[^;\n\r]+$")]


Item = Annotated[
    Leg | DeviceItem | Tee | Point | Pass | PipeChange | Lie | SetItem | Crossover | Remark, Field(discriminator="kind")
]


ITEM_KINDS = ("leg", "device", "tee", "point", "pass", "pipe", "lie", "set", "crossover", "remark")


class TwinOf(Frozen):
    """Beside another run, along the same legs with the same tees; side: where it lies from the first leg that is not
    along it."""

    run: Id
    side: Dir
    spacing_mm: Annotated[float, Field(gt=0, le=1e5), Micrometres]


class Run(Frozen):
    id: Id
    service: ServiceId
    role: RoleId
    state: State = "new"
    start: AnchorText
    pipe: Pipe
    items: tuple[Item, ...] = ()
    finish: AnchorText | Literal["cap", "plug", "stub", "none"] = "none"
    twin_of: TwinOf | None = None
    last_start: XYZ | None = None
    """Where the start was when its anchor was lost: an adrift run is drawn there."""

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if spec.service_of(self.role) != self.service:
            raise ValueError(f"a {self.role} pipe belongs to {spec.service_of(self.role)}")
        _once([item.name for item in self.items if isinstance(item, Tee | Point)], "point")
        if self.twin_of and self.items:
            raise ValueError("expected a twin or items of its own, found both")
        return self


class Circuit(Frozen):
    id: Id
    source: Id
    medium: Literal["water", "mpg"] = "water"
    mass_fraction: Annotated[float, Field(ge=0, le=0.6)] = 0
    flow_c: TempC
    return_c: TempC
    cold_c: TempC = 10
    fill_bar: NotNegative | None = None


class Fact(Frozen):
    path: Key
    value: float | bool | Line
    unit: Annotated[str, StringConstraints(max_length=20)] = ""
    basis: Literal["measured", "told", "label", "assumed"]
    by_role: Line | None = None
    on: Annotated[str, StringConstraints(max_length=40)] | None = None


class Choice(Frozen):
    option: Line
    origin: Literal["practice", "firm", "job"]
    reason: Text | None = None


OverrideField = Literal["method", "chain", "pipe", "kv", "turns", "minutes", "after", "length_mm"]


class Override(Frozen):
    target: Key
    field: OverrideField
    value: float | Line
    reason: Text = ""
    by_role: Line = ""


class Waiver(Frozen):
    rule: Key
    where: Key
    reason: Annotated[str, StringConstraints(min_length=1, max_length=2000)]
    by_role: Line = ""


class Task(Frozen):
    """A small job asked for on this one: its kind, the key of what it is done on, and what was answered about it."""

    id: Id
    kind: Line
    where: Key
    answers: dict[Annotated[str, StringConstraints(max_length=60)], float | bool | Line] = {}


class Measured(Frozen):
    part: Key
    field: Line
    value: float
    on: Annotated[str, StringConstraints(max_length=40)] = ""


class Job(Frozen):
    """One job. Ids of stations, runs, rooms, levels and circuits share one namespace; item ids are never re-used."""

    format: Literal["oikotherm-job"] = FORMAT  # type: ignore[assignment]
    version: Literal[2] = VERSION  # type: ignore[assignment]
    uid: Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9-]{2,39}$")]
    title: Annotated[str, StringConstraints(min_length=1, max_length=120), AfterValidator(plain_line)]
    place: Line = ""
    practice: Practice = "british"
    pace_unit: PaceUnit = "mm"
    house: House = House()
    stations: tuple[Station, ...] = ()
    runs: tuple[Run, ...] = ()
    circuits: tuple[Circuit, ...] = ()
    facts: tuple[Fact, ...] = ()
    choices: dict[Annotated[str, StringConstraints(max_length=60)], Choice] = {}
    overrides: tuple[Override, ...] = ()
    waivers: tuple[Waiver, ...] = ()
    measured: tuple[Measured, ...] = ()
    tasks: tuple[Task, ...] = ()
    next_item: Annotated[int, Field(ge=1, le=10**9)] = 1
    _stations: dict[str, Station] = PrivateAttr(default_factory=dict)
    _runs: dict[str, Run] = PrivateAttr(default_factory=dict)

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        ids = [thing.id for group in self.named() for thing in group]
        _once(ids, "id")
        levels = {level.id for level in self.house.levels}
        for station in self.stations:
            if station.level not in levels:
                raise ValueError(f"station {station.id} is on level {station.level}, which does not exist")
        _once([item.id for run in self.runs for item in run.items], "item id")
        _once([task.id for task in self.tasks], "task id")
        for run in self.runs:
            last = max((int(item.id[1:]) for item in run.items), default=0)
            if last >= self.next_item:
                raise ValueError(
                    f"expected next_item above every item id, found i{last} with next_item {self.next_item}"
                )
        return self

    def model_post_init(self, _: Any, /) -> None:
        """Index what is looked up by id."""
        self._stations.update((one.id, one) for one in reversed(self.stations))
        self._runs.update((one.id, one) for one in reversed(self.runs))

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy with an index of its own."""
        made = super().model_copy(update=update, deep=deep)
        made._stations, made._runs = {}, {}
        made.model_post_init(None)
        return made

    def named(self) -> tuple[tuple[Any, ...], ...]:
        """Everything that shares the namespace of ids, by group."""
        house = self.house
        return (
            self.stations,
            self.runs,
            self.circuits,
            house.levels,
            house.rooms,
            house.walls,
            house.joists,
            house.obstacles,
        )

    def station(self, id_: str) -> Station | None:
        return self._stations.get(id_)

    def run(self, id_: str) -> Run | None:
        return self._runs.get(id_)

    def level(self, id_: str) -> Level | None:
        return next((level for level in self.house.levels if level.id == id_), None)

    def points_of(self, id_: str) -> dict[str, Tee | Point]:
        """Name -> tee or point of a run; a twin has those of the run it follows."""
        seen: set[str] = set()
        run = self.run(id_)
        while run and run.twin_of and run.id not in seen:
            seen.add(run.id)
            run = self.run(run.twin_of.run)
        return {item.name: item for item in run.items if isinstance(item, Tee | Point)} if run else {}

    def free_id(self, letters: str) -> str:
        """The next free id of this kind: F1, F2 ...; a lone kind of station such as BLR takes no number."""
        taken = {thing.id for group in self.named() for thing in group}
        if len(letters) > 2 and letters not in taken:
            return letters
        number = 2 if len(letters) > 2 else 1
        while f"{letters}{number}" in taken:
            number += 1
        return f"{letters}{number}"


def _once(names: list[str], what: str) -> None:
    if len(set(names)) == len(names):
        return
    doubled = [name for name, count in Counter(names).items() if count > 1]
    if doubled:
        raise ValueError(f"{what} {doubled[0]} is used more than once")


def split_anchor(anchor: str) -> tuple[str, str]:
    """ "BLR.flow" -> ("BLR", "flow")."""
    owner, _, name = anchor.partition(".")
    return owner, name


def is_point_name(name: str) -> bool:
    """Points and tees are written in capitals, ports in small letters."""
    return re.fullmatch(ID_PATTERN, name) is not None
