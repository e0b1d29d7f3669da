"""Records at the door: what each kind holds, and what is refused."""

from __future__ import annotations

import uuid as uuids
from datetime import UTC, datetime, timedelta
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, StringConstraints, ValidationError, model_validator

from ..errors import Refused
from ..fields import Key, Line
from ..job.document import refusal
from .readings import kept_in, read_readings
from .records import UNREADABLE, made_at

FIRST_YEAR = 2000
AHEAD = timedelta(days=2)  # a phone's clock may be wrong, and its zone
MOST_READINGS_SIGNS = 1_000_000


def _uuid(text: str) -> str:
    try:
        return str(uuids.UUID(text))
    except ValueError:
        raise ValueError("expected a uuid made by the client") from None


def _time(text: str) -> str:
    try:
        when = made_at(text)
    except ValueError:
        raise ValueError("expected a time such as 2026-03-01T10:00:00Z") from None
    if when.year < FIRST_YEAR or when > datetime.now(UTC) + AHEAD:
        raise ValueError(f"expected a time between the year {FIRST_YEAR} and now")
    return text


Uuid = Annotated[str, StringConstraints(max_length=40), AfterValidator(_uuid)]
Moment = Annotated[str, StringConstraints(max_length=40), AfterValidator(_time)]
Day = Annotated[str, StringConstraints(pattern=r"^\d{4}-\d\d-\d\d$")]
Contour = Annotated[str, StringConstraints(pattern=r"^[A-Za-z]{0,3}$")]
Amount = Annotated[float, Field(ge=0, le=1e9)]
Words = Annotated[str, StringConstraints(max_length=200)]
PressureUnit = Literal["bar", "mbar", "Pa", "kPa", "psi", "inwg"]


class _Closed(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, strict=True)


class JointBody(_Closed):
    """Marks on a joint, with how it was made then."""

    made: bool | None = None
    dry: bool | None = None
    mark_seen: bool | None = None
    insert: bool | None = None
    locked: bool | None = None
    olive: bool | None = None
    turns: bool | None = None
    direction: bool | None = None
    witness: bool | None = None
    jaw: bool | None = None
    ring: bool | None = None
    flux_off: bool | None = None
    nut_first: bool | None = None
    ridge: bool | None = None
    face: bool | None = None
    diameter: bool | None = None
    shoulder: bool | None = None
    held: bool | None = None
    contour_fitting: Contour | None = None
    contour_jaw: Contour | None = None
    method: Line | None = None
    pipe: Line | None = None


class StepBody(_Closed):
    """A tick on a step of the plan."""

    done: bool


class NoteBody(_Closed):
    """What was measured at an emitter, or words."""

    flow_c: Annotated[float, Field(ge=-60, le=250)] | None = None
    return_c: Annotated[float, Field(ge=-60, le=250)] | None = None
    turns: Annotated[float, Field(ge=0.25, le=20)] | None = None
    text: Annotated[str, StringConstraints(max_length=2000)] | None = None


class CommissionBody(_Closed):
    """What was read when it ran: a value in the unit of its line, or words."""

    said: Annotated[str, StringConstraints(min_length=1, max_length=200)]


class GaugeBody(_Closed):
    """The gauge a test was read on."""

    name: Line
    resolution_pa: Annotated[float, Field(gt=0, le=1e7)]
    range_pa: Amount = 0
    kind: Literal["mechanical", "electronic", "water", "differential"] | None = None
    calibrated_on: Day | None = None
    due_on: Day | None = None


class RigBody(_Closed):
    """What tests were judged by before their rule was kept with them."""

    test_bar: Annotated[float, Field(ge=-1, le=1000)]
    resolution_bar: Annotated[float, Field(gt=0, le=100)]
    volume_l: Amount
    gas_l: Amount
    joints: Annotated[int, Field(ge=0, le=10**6)]
    dry: Annotated[int, Field(ge=0, le=10**6)]
    mass_fraction: Annotated[float, Field(ge=0, le=0.6)] = 0
    phase: Literal["liquid", "gas"] = "liquid"
    settle_min: Amount = 10
    hold_min: Amount = 30
    coarsest_bar: Amount = 0.05
    temperatures: bool = True
    most_drift_k: Amount = 3
    range_bar: Amount = 0
    most_range_bar: Amount = 0


class AskedBody(_Closed):
    """What a test is judged by: verdict.TestRule."""

    target_pa: Amount
    raise_pa: Amount = 0
    least_pa: Amount = 0
    most_pa: Amount = 0
    unit: PressureUnit = "bar"
    settle_min: Amount = 10
    hold_min: Amount = 30
    coarsest_pa: Amount = 5_000
    water_pa: Amount = 0
    fine: Annotated[tuple[Amount, Amount], Field(strict=False)] = (0.0, 0.0)
    most_range_pa: Amount = 0
    volume_l: Amount = 0
    permitted_pa: Amount | None = None
    perceptible: bool = False
    phase: Literal["liquid", "gas"] = "liquid"
    corrected: bool = False
    gas_l: Amount = 0
    mass_fraction: Annotated[float, Field(ge=0, le=0.6)] = 0
    temperatures: bool = True
    most_drift_k: Amount = 0.5
    may_rise: bool = False
    let_by: bool = False
    gas_too: bool = False
    unfit: Annotated[tuple[Words, ...], Field(max_length=10, strict=False)] = ()
    source: Words = ""


class LookedBody(_Closed):
    """How many joints have to be seen dry, and how many were."""

    joints: Annotated[int, Field(ge=0, le=10**6)]
    dry: Annotated[int, Field(ge=0, le=10**6)]


class TestBody(_Closed):
    """A test of a section. variant: the practice's procedure, said: what it asked; stage: first, before it is hidden,
    or final; thermometer: its name, temp_step_k its step; let_by_pa: readings of the let-by check, a minute apart;
    no_supply: that none is connected; withdrawn: why it does not count; abandoned: begun and not finished; largest_mm:
    of its pipe; rig: of tests kept before `asked` was; state: of records made before sections were, the mark of the
    whole pipework."""

    section: Annotated[str, StringConstraints(max_length=200)] | None = None
    spec: Line | None = None
    medium: Line | None = None
    target_pa: Amount | None = None
    gauge: GaugeBody | None = None
    joints: dict[Key, Line] | None = None
    volume_l: Amount | None = None
    unit: PressureUnit = "bar"
    readings: Annotated[str, StringConstraints(max_length=MOST_READINGS_SIGNS)]
    asked: AskedBody | None = None
    rig: RigBody | None = None
    looked: LookedBody | None = None
    thermometer: Line | None = None
    temp_step_k: Annotated[float, Field(gt=0, le=10)] | None = None
    said: dict[Line, Words] | None = None
    no_supply: bool | None = None
    withdrawn: Words | None = None
    abandoned: bool | None = None
    variant: Line | None = None
    stage: Literal["first", "final"] | None = None
    let_by_pa: Annotated[tuple[float, ...], Field(min_length=2, max_length=60, strict=False)] | None = None
    largest_mm: Amount | None = None
    state: Line | None = None


class SoapBody(_Closed):
    """A joint looked at with leak detection fluid."""

    bubble: bool | None = None
    sound: bool | None = None


ASSEMBLY_READINGS: dict[str, tuple[str, ...]] = {
    "rpz": ("check1", "relief", "check2"),
    "dc": ("check1", "check2"),
    "pvb": ("air_inlet", "check1"),
}
"""What is read of a backflow assembly, by its kind."""


class BackflowBody(_Closed):
    """A test of a backflow assembly by a differential gauge. stage: when it goes in, each year, or after a repair;
    line_pa: pressure before it; licence: the tester's number; replaces: the serial of the assembly it took the place
    of."""

    kind: Literal["rpz", "dc", "pvb"]
    stage: Literal["installed", "yearly", "repaired"]
    readings_pa: dict[Literal["check1", "check2", "relief", "air_inlet"], Annotated[float, Field(ge=0, le=5e5)]]
    gauge: GaugeBody
    licence: Line
    serial: Line | None = None
    replaces: Line | None = None
    size: Line | None = None
    title: Line | None = None
    where: Line | None = None
    line_pa: Amount | None = None
    repairs: Annotated[str, StringConstraints(max_length=400)] | None = None
    simulated: bool = False

    @model_validator(mode="after")
    def _all_read(self) -> BackflowBody:
        missing = [name for name in ASSEMBLY_READINGS[self.kind] if name not in self.readings_pa]
        if missing:
            raise ValueError(f"expected {', '.join(missing)} among the readings of this kind")
        return self


class UsedBody(_Closed):
    """How much of a thing the job took in the end; the key is the item of the order."""

    count: Amount


class CareBody(_Closed):
    """Something that comes round was done; the key is its reminder's."""

    done: bool


BODIES: dict[str, type[_Closed]] = {
    "used": UsedBody,
    "care": CareBody,
    "soap": SoapBody,
    "backflow": BackflowBody,
    "joint": JointBody,
    "step": StepBody,
    "test": TestBody,
    "note": NoteBody,
    "commission": CommissionBody,
}


class RecordIn(_Closed):
    """A record as it is sent."""

    uuid: Uuid
    job: Line
    kind: Literal["joint", "step", "test", "note", "commission", "soap", "backflow", "used", "care"]
    key: Key
    label: Line
    rev: Annotated[int, Field(ge=0, le=10**9)]
    made_at: Moment
    by_role: Annotated[str, StringConstraints(min_length=1, max_length=60)]
    body: dict[str, Any]
    corrects: Uuid | None = None


def record_in(said: Any) -> dict[str, Any]:
    """A record as it may be kept: every field of its kind, the readings of a test readable. Raises Refused."""
    if not isinstance(said, dict):
        raise Refused("record", said, "an object", '{"uuid": "...", "kind": "joint", "body": {"made": true}}')
    try:
        record = RecordIn.model_validate(said)
        BODIES[record.kind].model_validate(record.body)
    except ValidationError as error:
        raise refusal(error) from None
    if record.kind == "test":
        readings = record.body["readings"]
        if record.body.get("asked") is None and record.body.get("rig") is None:
            raise Refused("asked", "nothing", "what the test is judged by", '{"target_pa": 2000, "unit": "mbar"}')
        if not read_readings(readings, kept_in(record.body.get("unit", "bar"))):
            raise Refused(
                "readings", readings, "lines with time, pressure, temperature", "2026-03-01T10:00, 1.85, 18.5"
            )
    return record.model_dump()


def kind_as_kept(kind: str, body: Any) -> str:
    """The kind of a record that is kept already, or UNREADABLE where its body is none of that kind: an old or odd one
    must not stop a page."""
    model = BODIES.get(kind)
    if model is None or not isinstance(body, dict):
        return UNREADABLE
    known = {name: value for name, value in body.items() if name in model.model_fields}
    try:
        model.model_validate(known)
    except ValidationError:
        return UNREADABLE
    return kind
