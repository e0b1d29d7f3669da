"""What fit_out() gives: parts, joints and pieces, with what each takes off a length."""

from __future__ import annotations

from dataclasses import dataclass

from ..job.model import Pipe
from ..job.ways import Vec
from ..pipework.geometry import Pipework
from .chain import Chain


@dataclass(frozen=True, slots=True)
class Mating:
    """How one end of a pipe is taken up. take_off_mm: from the reference point (centre, or port plane) to the pipe's
    end.

    Sockets: stop_mm is the measure z from the centre to the stop, insertion_mm the depth behind the socket's mouth; the
    pipe ends at the stop. Threads: face_mm is the measure A from the centre to the face, insertion_mm what is screwed
    in.
    """

    method: str
    take_off_mm: float
    insertion_mm: float
    loose_mm: float
    text: str
    source: str
    known: bool = True
    why: str = ""
    """Why there is no joint, where it is not known."""

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
    new: bool = True
    """Whether it is part of the work: a tee cut into an old pipe is, its elbows are not."""

    chains: tuple[tuple[str, Chain], ...] = ()
    """Transitions the finder has put between this fitting, or port, and the pipe on an arm: arm -> parts and joints,
    outward."""

    service: str = ""
    """The service it is marked for, where fittings for it are others than those for the rest: a gas press elbow."""

    def at_place(self, at: Vec) -> Fitting:
        """The same part, standing elsewhere."""
        if at == self.at:
            return self
        return Fitting(
            self.key,
            self.kind,
            self.title,
            self.run,
            at,
            self.arms,
            self.matings,
            self.pipes,
            self.source,
            self.shape,
            self.new,
            self.chains,
            self.service,
        )


@dataclass(frozen=True, slots=True)
class Joint:
    """One mating of two ends. fitting_key: the part; other: the piece, part or port it meets; pipe: the pipe, or the
    end, that goes in. method "": none can be made, why says what is in the way."""

    key: str
    run: str
    method: str
    at: Vec
    fitting_key: str
    fitting_title: str
    other: str
    pipe: str
    why: str = ""


@dataclass(frozen=True, slots=True)
class Bend:
    """A bend pulled in a piece. node: the turn it makes; leg_mm: centre line from the corner before; roll_deg: how far
    the pipe is turned about itself from the plane of the bend before. Below 3 degrees it is sprung, not pulled: radius
    0."""

    node: str
    at: Vec
    leg_mm: float
    angle_deg: float
    roll_deg: float
    radius_mm: float


@dataclass(frozen=True, slots=True)
class Piece:
    """One pipe to cut. centre_mm between the reference points of its two ends, along the corners of its bends; from_,
    to: how it is taken up there; straights: the straights it fills; way: where it sets out to."""

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
    straights: tuple[str, ...] = ()
    bends: tuple[Bend, ...] = ()

    @property
    def corners(self) -> tuple[Vec, ...]:
        """The centre line: its start, the corners of its bends, its end."""
        return self.a, *(bend.at for bend in self.bends), self.b


@dataclass(frozen=True, slots=True)
class Trouble:
    """Something fit_out() met and could not solve; the rules make findings of it. kind: the rule's id."""

    kind: str
    key: str
    run: str
    at: Vec
    facts: tuple[tuple[str, str], ...] = ()

    def fact(self, name: str) -> str:
        return dict(self.facts).get(name, "")


@dataclass(frozen=True, slots=True)
class NodeFittings:
    """What stands at some nodes, by their keys, and what is wrong there."""

    fittings: dict[str, Fitting]
    troubles: tuple[Trouble, ...]


@dataclass(frozen=True, slots=True)
class RunJoints:
    """What is made of runs whose pipe hangs together: the same object as long as nothing of it changes."""

    fittings: dict[str, Fitting]
    joints: dict[str, Joint]
    pieces: dict[str, Piece]
    troubles: tuple[Trouble, ...]
    spans: dict[str, tuple[Vec, Vec]]
    """Straight key -> where its centre line really begins and ends, once things at one spot stand apart."""
    piece_of: dict[str, str]
    """Straight key -> the first piece on it; missing where a street fitting leaves no pipe."""
    span_mm: dict[str, float]
    """Straight key -> its length between the reference points of what stands at its ends [mm]."""


@dataclass(frozen=True, slots=True)
class Fitted(RunJoints):
    """The job with every joint decided. Dicts are in the order of the pipework."""

    pipework: Pipework
    of_run: dict[str, RunJoints]
    """Run -> what of all this was made with it."""
