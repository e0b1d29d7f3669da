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
    """Level of the house, such as L0."""
    name: Line
    """What people call it."""
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
    """Such as K1."""
    level: Id
    """Id of its level."""
    name: Line
    """What people call it."""
    outline: tuple[XY, ...] = ()
    """Corners in plan [mm], in order; empty where nobody drew it."""
    heated: bool = True
    """Whether it is meant to be warm; an unheated room may freeze."""
    room_c: TempC = 20
    """Air temperature wanted [C]."""
    need_w: NotNegative | None = None
    """Heat it loses on the design day [W]; None where nobody worked it out."""
    flame_allowed: bool = True
    """Whether a torch may be lit in it."""
    rodents: bool = False
    """Whether plastic pipe in it may be gnawed."""


class Wall(Frozen):
    id: Id
    """Such as W1."""
    level: Id
    """Id of its level."""
    from_xy: XY
    """One end of its centre line [mm]."""
    to_xy: XY
    """The other end [mm]."""
    thickness_mm: Positive
    """Through the finished wall."""
    kind: Literal["masonry", "stud", "timber"]
    """What it is built of."""


class JoistField(Frozen):
    id: Id
    """Such as J1."""
    level: Id
    """Id of the level whose floor it carries."""
    outline: tuple[XY, ...]
    """Corners in plan [mm], in order."""
    along: Literal["N", "E"]
    """The way the joists run."""
    depth_mm: Positive
    """Height of a joist."""
    breadth_mm: Positive
    """Width of a joist."""
    centres_mm: Positive
    """From the middle of one joist to the middle of the next."""
    span_mm: Positive
    """Between bearings."""
    kind: Literal["solid", "i-joist", "truss"] = "solid"
    """Solid timber may be drilled by the rules of thirds; the others by their maker's sheet alone."""


class Obstacle(Frozen):
    id: Id
    """Such as O1."""
    level: Id
    """Id of its level."""
    kind: Literal["beam", "truss", "hatch", "cable", "board", "meter", "duct", "window"]
    """What it is; it decides how near a pipe may come."""
    box: Box
    """Two opposite corners [mm]."""
    clearance_mm: NotNegative = 0
    """Asked all round it, above what its kind asks."""


class House(Frozen):
    levels: tuple[Level, ...] = ()
    """From the lowest up."""
    rooms: tuple[Room, ...] = ()
    """In the order they were put in."""
    walls: tuple[Wall, ...] = ()
    """Walls a run may cross."""
    joists: tuple[JoistField, ...] = ()
    """Fields of joists a run may cross or lie between."""
    obstacles: tuple[Obstacle, ...] = ()
    """What stands in the way."""


class KitPart(Frozen):
    part: PartName
    """Id of the part in the catalogue."""
    turn: Facing | None = None
    """Where an angled part turns to, seen from the front of the station."""


class Port(Frozen):
    name: PortName
    """Such as flow, left, gas; once a station."""
    role: RoleId
    """What runs through it; the service follows from it."""
    way: Literal["out", "in", "either"]
    """Of the fluid, seen from the station."""
    offset: XYZ
    """Right, out, up from the bottom centre of the back, seen from the front."""
    facing: Facing
    """The way its mouth looks, seen from the front of the station."""
    end: EndText
    """The end as the catalogue writes it, such as G 1/2 M flat."""
    metal: Metal | None = None
    """What its end is made of; None where nobody has said."""
    kit: tuple[KitPart, ...] = ()
    """What is screwed to it before the run begins, from the port on."""


class Brings(Frozen):
    """What a station has inside it already."""

    vessel_l: NotNegative | None = None
    """Expansion vessel [L]."""
    safety_valve_bar: Positive | None = None
    """What its safety valve opens at."""
    pump: bool = False
    """Whether a circulator is inside."""
    filling: bool = False
    """Whether a filling set is inside."""
    vents: bool = False
    """Whether it lets its own air out."""
    drains: bool = False
    """Whether it can be drained at itself."""


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
    """Such as BLR, R4."""
    kind: KindId
    """Its kind in the registry of services."""
    variant: Annotated[str, StringConstraints(max_length=40)] = ""
    """Which build of its kind; "" where nobody has said."""
    name: Line = ""
    """What people call it."""
    level: Id
    """Id of its level."""
    at: XYZ
    """x, y and height above the level's floor of the bottom centre of its back."""
    faces: Compass = "S"
    """The way its front looks."""
    state: State = "new"
    """Whether it is there already, is new, or is to go."""
    ports: tuple[Port, ...] = ()
    """Where runs may start or finish."""
    data: SerializeAsAny[StationData] = StationData()
    """What its kind carries: output, width, class and so on."""
    brings: Brings = Brings()
    """What is inside it already."""
    serial: Line | None = None
    """By its plate; None where nobody has read it."""

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
    """The pipe system in the catalogue, such as cu-m."""
    size: Size
    """A size of the system, or "?" while it is to be sized."""

    def __str__(self) -> str:
        return f"{self.code} {self.size}"


class ItemBase(Frozen):
    id: ItemId
    """Such as i12; never used again in the job."""


class Leg(ItemBase):
    kind: Literal["leg"] = "leg"
    """A straight piece of the way."""
    dir: Way
    """The way it goes: N, E, U or an angle between two."""
    length_mm: Annotated[float, Field(ge=0, le=1e6), Micrometres] | None = None
    """None: until level with the finish."""
    said: Annotated[str, StringConstraints(max_length=30)] = ""
    """As it was typed, so that it is shown as it was taped."""
    basis: Literal["taped", "drawn", "assumed"] = "taped"
    """How the length was found; assumed ones are asked about."""
    band_mm: Annotated[float, Field(gt=0, le=1e5), Micrometres] | None = None
    """A floating leg: how far its length may be shifted, longer or shorter; None where it stands as said."""
    shift_mm: Annotated[float, Field(ge=-1e5, le=1e5), Micrometres] = 0
    """How far a floating leg is shifted from what was said."""

    @property
    def shifted_mm(self) -> float | None:
        """Its length with its shift [mm]; None for one until level with the finish."""
        return None if self.length_mm is None else round(self.length_mm + self.shift_mm, 6)

    @model_validator(mode="after")
    def _floats(self) -> Self:
        if self.band_mm is None:
            if self.shift_mm:
                raise ValueError("expected a band that the shift lies in, such as E3000+-150@3085")
            return self
        if self.length_mm is None:
            raise ValueError("expected a length before the band, such as E3000+-150")
        if abs(self.shift_mm) > self.band_mm + 1e-6:
            raise ValueError("expected a shifted length within the band, such as E3000+-150@3085")
        if self.length_mm + self.shift_mm < 0:
            raise ValueError("expected a shifted length of 0 or more")
        return self


class DeviceItem(ItemBase):
    kind: Literal["device"] = "device"
    """A valve, filter, meter or other part in the line."""
    part: PartName
    """Id of the part in the catalogue."""
    name: Id | None = None
    """What it is called by on this job; None where it needs no name."""
    arrow: Literal["with", "against", "none"] = "none"
    """With or against the way the run is paced; none: it goes with the flow."""
    handle: Dir | None = None
    """The side its handle is turned to."""
    setting: Annotated[str, StringConstraints(pattern=r"^[^\s\[\](){}\"#;]{1,20}$")] | None = None
    """What it is set to, as typed."""


class Tee(ItemBase):
    kind: Literal["tee"] = "tee"
    """A branch."""
    name: Id
    """What runs that hang on it call it."""
    outlet: Dir | None = None
    """The way its branch looks; None: by the run that hangs on it."""
    closed: Literal["plug", "cap"] | None = None
    """How the branch is shut where no run hangs on it."""
    drop_mm: Annotated[float, Field(gt=0, le=1e5), Micrometres] | None = None
    """How far the closed outlet stands off, as the pocket of a sediment trap under a gas tee does."""

    @model_validator(mode="after")
    def _closed_below(self) -> Self:
        if self.drop_mm is not None and self.closed is None:
            raise ValueError("expected a cap or plug at the end of the drop")
        return self


class Point(ItemBase):
    kind: Literal["point"] = "point"
    """A name for a place along the run, without a part."""
    name: Id
    """What others call it."""


class Pass(ItemBase):
    kind: Literal["pass"] = "pass"
    """The run goes through something."""
    through: Literal["wall", "floor", "ceiling", "joists"]
    """What it goes through."""
    thickness_mm: Annotated[float, Field(gt=0, le=1e6), Micrometres] | None = None
    """How thick that is; None: by the house, or not known."""
    said: Annotated[str, StringConstraints(max_length=30)] = ""
    """As it was typed."""
    count: Annotated[int, Field(ge=1, le=999)] | None = None
    """How many joists are crossed."""
    ref: Id | None = None
    """Id of the wall or field of joists."""
    sleeve: bool = False
    """Whether the pipe runs in a sleeve there."""


class PipeChange(ItemBase):
    kind: Literal["pipe"] = "pipe"
    """Another pipe from here on."""
    pipe: Pipe
    """The pipe from here on."""


MOST_AT_ONE_PLACE = 40  # runs that begin or end at one port or point
LEAST_CLIP_MM = 50.0  # clips nearer than this are a slip of the pen


class Lie(ItemBase):
    kind: Literal["lie"] = "lie"
    """How the run lies from here on; what is None stays as it was."""
    place: Literal["view", "boxed", "wall", "floor", "ceiling", "loft", "ground", "outside"] | None = None
    """Where it lies."""
    lag_mm: Annotated[float, Field(ge=0, le=1e4), Micrometres] | None = None
    """Thickness of its lagging."""
    clip_mm: Annotated[float, Field(gt=0, le=1e6), Micrometres] | None = None
    """Spacing of clips wanted, in place of the table's."""
    fall: Annotated[float, Field(ge=0, le=1), AfterValidator(lambda fall: round(fall, 6))] | None = None
    """Drop over length along the run; 0 for none."""
    longest_mm: Annotated[float, Field(gt=0, le=1e6), Micrometres] | None = None
    """The longest piece that can be brought in to here."""


class SetItem(ItemBase):
    """The run steps to a side, and with and_side to a second side at once: a rolling offset."""

    kind: Literal["set"] = "set"
    """A step to a side and on the same way."""
    side: Dir
    """The side stepped to."""
    height_mm: Annotated[float, Field(gt=0, le=1e5), Micrometres]
    """How far to that side."""
    angle_deg: Annotated[float, Field(ge=5, le=75), Micrometres] = 45
    """How steep the step is."""
    and_side: Dir | None = None
    """The second side of a rolling offset."""
    and_mm: Annotated[float, Field(gt=0, le=1e5), Micrometres] | None = None
    """How far to the second side."""

    @model_validator(mode="after")
    def _both_or_none(self) -> Self:
        if (self.and_side is None) != (self.and_mm is None):
            raise ValueError("expected a second side with its height, or neither")
        return self


class Crossover(ItemBase):
    kind: Literal["crossover"] = "crossover"
    """A hop over something and back."""
    side: Dir
    """The side it hops to."""
    clear_mm: Annotated[float, Field(gt=0, le=1e5), Micrometres]
    """Free distance to the run it goes over; without one, the rise of the centre line."""
    angle_deg: Annotated[float, Field(ge=5, le=75), Micrometres] = 45
    """How steep the hop is."""
    over: Id | None = None
    """Id of the run or obstacle it goes over."""
    flat_mm: Annotated[float, Field(gt=0, le=1e5), Micrometres] | None = None
    """Flat top of a crossover of four bends; None: three bends over a pipe, as wide as it asks over an obstacle."""


class Remark(ItemBase):
    kind: Literal["remark"] = "remark"
    """Words that stay at a place of the run."""
    text: Annotated[str, StringConstraints(min_length=1, max_length=200, pattern=r"^[^;\n\r]+$")]
    """What is said."""


Item = Annotated[
    Leg | DeviceItem | Tee | Point | Pass | PipeChange | Lie | SetItem | Crossover | Remark, Field(discriminator="kind")
]


ITEM_KINDS = ("leg", "device", "tee", "point", "pass", "pipe", "lie", "set", "crossover", "remark")


class TwinOf(Frozen):
    """Beside another run, along the same legs with the same tees; side: where it lies from the first leg that is not
    along it."""

    run: Id
    """Id of the run it follows."""
    side: Dir
    """The side it lies on."""
    spacing_mm: Annotated[float, Field(gt=0, le=1e5), Micrometres]
    """Between the two centre lines."""


class Run(Frozen):
    id: Id
    """Such as F1, R1, G2."""
    service: ServiceId
    """Heating, water, gas and so on."""
    role: RoleId
    """What runs through it, such as flow or cold."""
    state: State = "new"
    """Whether it is there already, is new, or is to go."""
    start: AnchorText
    """Port or point it starts from, such as BLR.flow."""
    pipe: Pipe
    """The pipe it begins with."""
    items: tuple[Item, ...] = ()
    """Legs, parts and marks in the order they were paced."""
    finish: AnchorText | Literal["cap", "plug", "stub", "none"] = "none"
    """Port or point it ends at, or how its end is closed."""
    twin_of: TwinOf | None = None
    """The run it lies beside; then it has no items of its own."""
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

    @property
    def legs(self) -> dict[str, Leg]:
        """Its legs by their ids; of a twin none. Made anew at each call: take it out of a loop."""
        return {item.id: item for item in self.items if isinstance(item, Leg)}


class Circuit(Frozen):
    id: Id
    """Such as C1."""
    source: Id
    """Id of the boiler, heat pump or mixing set that feeds it."""
    medium: Literal["water", "mpg"] = "water"
    """Plain water, or water with propylene glycol."""
    mass_fraction: Annotated[float, Field(ge=0, le=0.6)] = 0
    """Glycol by mass, 0 to 0.6."""
    flow_c: TempC
    """Designed flow temperature."""
    return_c: TempC
    """Designed return temperature."""
    cold_c: TempC = 10
    """Temperature it is filled at."""
    fill_bar: NotNegative | None = None
    """Cold pressure at the gauge; None: by the sum."""


class Fact(Frozen):
    path: Key
    """What it is about, such as house/gas_pressure."""
    value: float | bool | Line
    """As it was given."""
    unit: Annotated[str, StringConstraints(max_length=20)] = ""
    """Of the value; empty for words, yes and no."""
    basis: Literal["measured", "told", "label", "assumed"]
    """How it is known."""
    by_role: Line | None = None
    """Who said it, as a role."""
    on: Annotated[str, StringConstraints(max_length=40)] | None = None
    """The day, ISO 8601."""


class Choice(Frozen):
    option: Line
    """Id of the way chosen."""
    origin: Literal["practice", "firm", "job"]
    """Who chose: the practice's usual way, the firm, or this job."""
    reason: Text | None = None
    """Why, in the fitter's words."""


OverrideField = Literal["method", "chain", "pipe", "kv", "turns", "minutes", "after", "length_mm"]


class Override(Frozen):
    target: Key
    """Key of the joint, station, step or piece."""
    field: OverrideField
    """What is set by hand."""
    value: float | Line
    """What it is set to."""
    reason: Text = ""
    """Why, in the fitter's words."""
    by_role: Line = ""
    """Who set it, as a role."""


class Waiver(Frozen):
    rule: Key
    """Id of the rule that is waived."""
    where: Key
    """Key of the place."""
    reason: Annotated[str, StringConstraints(min_length=1, max_length=2000)]
    """Why; it is printed."""
    by_role: Line = ""
    """Who waived it, as a role."""


class Task(Frozen):
    """A small job asked for on this one: its kind, the key of what it is done on, and what was answered about it."""

    id: Id
    """Such as T1."""
    kind: Line
    """What is asked for."""
    where: Key
    """Key of what it is done on."""
    answers: dict[Annotated[str, StringConstraints(max_length=60)], float | bool | Line] = {}
    """What was answered about it, by question."""


class Measured(Frozen):
    part: Key
    """Key of a part, or of a socket of a pipe."""
    field: Line
    """Which of its measures."""
    value: float
    """As measured, in the unit of the field."""
    on: Annotated[str, StringConstraints(max_length=40)] = ""
    """The day, ISO 8601."""


class Job(Frozen):
    """One job. Ids of stations, runs, rooms, levels and circuits share one namespace; item ids are never re-used."""

    format: Literal["oikotherm-job"] = FORMAT  # type: ignore[assignment]
    """Says what the file is."""
    version: Literal[2] = VERSION  # type: ignore[assignment]
    """Of the document; older ones are brought up when they are read."""
    uid: Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9-]{2,39}$")]
    """Its name in addresses and file names."""
    title: Annotated[str, StringConstraints(min_length=1, max_length=120), AfterValidator(plain_line)]
    """What people call it."""
    place: Line = ""
    """The property; jobs at one property are listed together."""
    practice: Practice = "british"
    """Whose rules, words and units hold."""
    pace_unit: PaceUnit = "mm"
    """The unit lengths are typed and shown in."""
    house: House = House()
    """The building around it."""
    stations: tuple[Station, ...] = ()
    """What the pipe joins."""
    runs: tuple[Run, ...] = ()
    """Pipe as it was paced."""
    circuits: tuple[Circuit, ...] = ()
    """Heating circuits with temperatures of their own."""
    facts: tuple[Fact, ...] = ()
    """What was asked on site and answered."""
    choices: dict[Annotated[str, StringConstraints(max_length=60)], Choice] = {}
    """Option chosen, by topic of House practice."""
    overrides: tuple[Override, ...] = ()
    """What was set by hand in place of what is worked out."""
    waivers: tuple[Waiver, ...] = ()
    """Findings that are accepted, with the reason."""
    measured: tuple[Measured, ...] = ()
    """Measures of parts that go before the books'."""
    tasks: tuple[Task, ...] = ()
    """Small jobs asked for on this one."""
    next_item: Annotated[int, Field(ge=1, le=10**9)] = 1
    """The number the next item gets."""
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
        on = Counter(anchor for run in self.runs for anchor in (run.start, run.finish) if "." in anchor)
        for anchor, count in on.most_common(1):
            if count > MOST_AT_ONE_PLACE:
                raise ValueError(f"{count} runs on {anchor}, expected at most {MOST_AT_ONE_PLACE}")
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
