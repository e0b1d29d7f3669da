"""The commands: what an edit can be asked to do. Frozen, closed models; acts.py does them."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from ..fields import XYZ, AnchorText, Compass, Id, ItemId, Key, PortName
from ..quantity import PaceUnit, Practice
from .model import Circuit, Fact, KindId, Level, Override, OverrideField, Port, Station, Task


class Command(BaseModel):
    """Base of all commands: frozen, closed."""

    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid", allow_inf_nan=False)


class SetJob(Command):
    do: Literal["set_job"]
    title: str | None = None
    place: str | None = None
    practice: Practice | None = None
    pace_unit: PaceUnit | None = None


class PutLevel(Command):
    do: Literal["put_level"]
    level: Level


class RemoveLevel(Command):
    do: Literal["remove_level"]
    id: Id


class PutHouse(Command):
    """Type a room, wall, joist field or obstacle: a new one, or that of the same name again."""

    do: Literal["put_house"]
    text: str


class RemoveHouse(Command):
    do: Literal["remove_house"]
    id: Id


class AddStation(Command):
    """A station of a kind with the ports and kits it usually comes with in the job's practice."""

    do: Literal["add_station"]
    kind: KindId
    variant: str = ""
    level: Id
    at: XYZ
    faces: Compass = "S"
    id: Id | None = None
    name: str = ""
    state: Literal["new", "keep", "remove"] = "new"
    data: dict[str, Any] = {}
    end: str | None = None
    """For a station with one port (stub, supply, outlet, vessel): its end, what it carries, where it faces."""
    role: str | None = None
    facing: Literal["left", "right", "out", "back", "up", "down"] | None = None


class PutStation(Command):
    do: Literal["put_station"]
    station: Station


class PutPort(Command):
    """A port of a station as the label or the tape has it: a new one, or one of the same name again. was: its name
    until now."""

    do: Literal["put_port"]
    station: Id
    port: Port
    was: PortName | None = None


class RemovePort(Command):
    """Take a port off a station; a run on it is left without that end."""

    do: Literal["remove_port"]
    station: Id
    port: PortName


class MoveItem(Command):
    """Move an item of a run behind another item of it or of another run, or in front of all; it keeps its identity.

    What hangs on a tee or point that moves goes with it.
    """

    do: Literal["move_item"]
    run: Id
    item: ItemId
    to_run: Id | None = None
    after: ItemId | None = None


class MoveStation(Command):
    do: Literal["move_station"]
    id: Id
    by: XYZ


class RemoveStation(Command):
    do: Literal["remove_station"]
    id: Id


class PutRun(Command):
    """Type a run: a new one, or `run` retyped. Items keep the identity of those they stand for."""

    do: Literal["put_run"]
    text: str
    run: Id | None = None


class RemoveRun(Command):
    do: Literal["remove_run"]
    id: Id


class RetypeItem(Command):
    """Type over one item: no text takes it out, several items may take its place."""

    do: Literal["retype_item"]
    run: Id
    item: ItemId
    text: str


class InsertItem(Command):
    """Put items in after another, or first."""

    do: Literal["insert_item"]
    run: Id
    after: ItemId | None = None
    text: str


class SetLeg(Command):
    do: Literal["set_leg"]
    run: Id
    item: ItemId
    length_mm: Annotated[float, Field(ge=0, le=1e6)] | None
    basis: Literal["taped", "drawn", "assumed"] = "taped"


class ShiftLeg(Command):
    """Shift a floating leg to a length within its band; None: back to what was said."""

    do: Literal["shift_leg"]
    run: Id
    item: ItemId
    length_mm: Annotated[float, Field(ge=0, le=1e6)] | None


class TypeLength(Command):
    """The length of a leg as it is typed on the pacing line: 1850, 1850? for one that was not taped, ? until level with
    the end."""

    do: Literal["type_length"]
    run: Id
    item: ItemId
    text: str


class SetPipe(Command):
    do: Literal["set_pipe"]
    run: Id
    item: ItemId | None = None
    code: str
    size: str


class SetStart(Command):
    do: Literal["set_start"]
    run: Id
    start: AnchorText


class SetFinish(Command):
    do: Literal["set_finish"]
    run: Id
    finish: AnchorText | Literal["cap", "plug", "stub", "none"]


class SetState(Command):
    """Say that a run is new, stays, or goes."""

    do: Literal["set_state"]
    run: Id
    state: Literal["new", "keep", "remove"]


class CutRun(Command):
    """Cut a run so far along: it ends at a named point, and a new run goes on from there. What hangs on the rest goes
    with it."""

    do: Literal["cut_run"]
    run: Id
    at: str | float
    name: Id | None = None


class WriteOut(Command):
    """Make a twin a run of its own, with the legs it has now."""

    do: Literal["write_out"]
    run: Id


class CloseTee(Command):
    do: Literal["close_tee"]
    run: Id
    item: ItemId
    closed: Literal["plug", "cap"] | None


class PutTeeAt(Command):
    """Put a tee on a run so far along from its start, measured along the pipe."""

    do: Literal["put_tee_at"]
    run: Id
    at: str | float
    name: Id | None = None


class Choose(Command):
    do: Literal["choose"]
    topic: str
    option: str
    reason: str | None = None
    origin: Literal["firm", "job"] = "job"


class PutCircuit(Command):
    do: Literal["put_circuit"]
    circuit: Circuit


class PutFact(Command):
    do: Literal["put_fact"]
    fact: Fact


class PutOverride(Command):
    do: Literal["put_override"]
    override: Override


class RemoveOverride(Command):
    """Go back to what the house and the rules give."""

    do: Literal["remove_override"]
    target: Key
    field: OverrideField


class PutTask(Command):
    """A small job on this one, or what was answered about it."""

    do: Literal["put_task"]
    task: Task


class RemoveTask(Command):
    """Take a small job off this one; what was drawn for it stays."""

    do: Literal["remove_task"]
    id: Id


class Waive(Command):
    """Let a finding stand, with the reason that is printed."""

    do: Literal["waive"]
    rule: str
    where: str
    reason: str
    by_role: str = "site lead"


class Unwaive(Command):
    do: Literal["unwaive"]
    rule: str
    where: str


AnyCommand = Annotated[
    SetJob
    | PutLevel
    | RemoveLevel
    | PutHouse
    | RemoveHouse
    | AddStation
    | PutStation
    | PutPort
    | RemovePort
    | MoveStation
    | RemoveStation
    | PutRun
    | RemoveRun
    | RetypeItem
    | InsertItem
    | MoveItem
    | SetLeg
    | ShiftLeg
    | TypeLength
    | SetPipe
    | SetStart
    | SetFinish
    | SetState
    | CutRun
    | WriteOut
    | CloseTee
    | PutTeeAt
    | Choose
    | PutCircuit
    | PutFact
    | PutOverride
    | RemoveOverride
    | PutTask
    | RemoveTask
    | Waive
    | Unwaive,
    Field(discriminator="do"),
]


ADAPTER: TypeAdapter[Any] = TypeAdapter(AnyCommand, config=ConfigDict(defer_build=True))
