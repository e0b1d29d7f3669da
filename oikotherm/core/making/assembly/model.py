"""What is put together, as the planner sees it: parts of capsules, joints with what each needs, what stands around.

State: the joints that are made. Parts hang together in clusters by them; a cluster with a fixed part is in place, any
other is on the bench, out of everybody's way, until it is joined to what is in place. A joint is lawful in a state
where one of these holds:

on the bench    neither cluster is in place. Thread: one of the two can be turned about the axis clear of the other.
                Others: one can be drawn back by the depth clear of the other, or its ends spring apart so far.
in place        one cluster is, the other comes to it. Thread: it turns clear of all that is in place and of what stands
                around, and has come from its depth. Others: drawn back by its depth it is clear, or the ends spring
                apart so far. What goes through a slab has come through its hole; a tool reaches the joint.
closing         both are in place (a ring, or two fixed ends). A thread cannot be; faces want 2 mm, others their depth,
                and the ends spring apart so far; a tool reaches the joint.

A tool is kept off by all that stands but the two parts, and what is joined to one of them in line with the joint: the
pipe in the other socket of a coupling.

A turn sweeps a ring about the axis: the radial and the axial reach of each capsule; two rings clash where both reaches
overlap. Parts that share a joint never clash with each other: they touch where they are joined.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from ...job.ways import Vec

Kind = Literal["thread", "push", "face"]
FACE_PLAY_MM = 2.0  # what the faces of a union come apart (typ)
TOUCH_MM = 1.0  # how far two things may overlap and still pass (typ)
TOOL_STEP_DEG = 30.0  # a tool is tried from every hour of the clock


@dataclass(frozen=True, slots=True)
class Capsule:
    """A stretch of pipe, or an arm of a fitting, with round ends [mm]."""

    a: Vec
    b: Vec
    radius_mm: float


@dataclass(frozen=True, slots=True)
class Solid:
    """What stands around, as a box with sides along the house [mm]."""

    low: Vec
    high: Vec
    title: str


@dataclass(frozen=True, slots=True)
class Hole:
    """A round hole in a slab: a point on its centre line, its radius [mm]."""

    at: Vec
    radius_mm: float


@dataclass(frozen=True, slots=True)
class Slab:
    """A wall, floor or plate with holes. normal: 0 for x, 1 for y, 2 for z: the way the holes go."""

    low: Vec
    high: Vec
    normal: int
    holes: tuple[Hole, ...]
    title: str


@dataclass(frozen=True, slots=True)
class Part:
    """A pipe, fitting, device or station. fixed: it is in place from the start; soft: it bends, so that it goes through
    any hole it is thinner than."""

    key: str
    title: str
    capsules: tuple[Capsule, ...]
    fixed: bool = False
    soft: bool = False


@dataclass(frozen=True, slots=True)
class Tool:
    """What a joint is made with, as it reaches it square to the axis: an arm from so far out (its head is where the
    pipe has room) to its reach, of this radius, and one to each side of it by half the spread."""

    title: str
    reach_mm: float
    radius_mm: float
    spread_deg: float = 0.0
    from_mm: float = 0.0


@dataclass(frozen=True, slots=True)
class AssemblyJoint:
    """Two parts joined. axis: out of a into b, length 1; depth_mm: how far one goes into the other; play_mm: how far
    the ends can be sprung apart along the axis; tool_at: where the tool sits, None at the joint;
    opens: it comes apart later without turning pipe."""

    key: str
    title: str
    a: str
    b: str
    kind: Kind
    at: Vec
    axis: Vec
    depth_mm: float
    play_mm: float = 0.0
    tool: Tool | None = None
    tool_at: Vec | None = None
    opens: bool = False

    @property
    def closes_with_mm(self) -> float | None:
        """The play it takes to be made between two ends in place [mm]; None: it cannot be."""
        return None if self.kind == "thread" else FACE_PLAY_MM if self.kind == "face" else self.depth_mm


@dataclass(frozen=True, slots=True)
class Assembly:
    """What is to be put together. All parts stand where they will be in the end."""

    parts: tuple[Part, ...]
    joints: tuple[AssemblyJoint, ...]
    solids: tuple[Solid, ...] = ()
    slabs: tuple[Slab, ...] = ()
