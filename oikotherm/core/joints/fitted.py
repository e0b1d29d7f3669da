"""What dress() gives: parts, joints and pieces, with what each takes off a length."""

from __future__ import annotations

from dataclasses import dataclass

from ..job.model import Pipe
from ..job.ways import Vec
from ..pipework.trace import Pipework


@dataclass(frozen=True, slots=True)
class Mating:
    """How one end of a pipe is taken up. take_off_mm: from the reference point (centre, or port plane) to the pipe's end.

    Sockets: stop_mm is the measure z from the centre to the stop, insertion_mm the depth behind the socket's mouth; the
    pipe ends at the stop. Threads: face_mm is the measure A from the centre to the face, insertion_mm what is screwed in.
    """

    method: str
    take_off_mm: float
    insertion_mm: float
    loose_mm: float
    text: str
    source: str
    known: bool = True

    @property
    def face_mm(self) -> float:
        """Reference point to the mouth or face of the fitting [mm]."""
        return self.take_off_mm + self.insertion_mm


@dataclass(frozen=True, slots=True)
class Fitting:
    """A part with two or more ends. matings: arm -> how the pipe on that arm is taken up."""

    key: str
    kind: str
    title: str
    run: str
    at: Vec
    arms: tuple[tuple[str, Vec], ...]
    matings: dict[str, Mating]
    pipes: dict[str, Pipe]
    source: str = ""
    shape: str = ""


@dataclass(frozen=True, slots=True)
class Joint:
    """One mating of two ends. fitting_key: the part; other: the piece, part or port it meets."""

    key: str
    run: str
    method: str
    at: Vec
    fitting_key: str
    fitting_title: str
    other: str
    pipe: str


@dataclass(frozen=True, slots=True)
class Piece:
    """One pipe to cut. centre_mm between the reference points of its two ends; from_, to: how it is taken up there."""

    key: str
    run: str
    pipe: Pipe
    a: Vec
    b: Vec
    way: Vec
    centre_mm: float
    legs: tuple[str, ...]
    from_title: str
    to_title: str
    from_mating: Mating
    to_mating: Mating
    place: str
    close: bool
    assumed: bool


@dataclass(frozen=True, slots=True)
class Trouble:
    """Something dress() met and could not solve; the rules make findings of it. kind: the rule's id."""

    kind: str
    key: str
    run: str
    at: Vec
    facts: tuple[tuple[str, str], ...] = ()

    def fact(self, name: str) -> str:
        return dict(self.facts).get(name, "")


@dataclass(frozen=True, slots=True)
class Fitted:
    """The job with every joint decided. Dicts are in the order of the pipework."""

    pipework: Pipework
    fittings: dict[str, Fitting]
    joints: dict[str, Joint]
    pieces: dict[str, Piece]
    troubles: tuple[Trouble, ...]
