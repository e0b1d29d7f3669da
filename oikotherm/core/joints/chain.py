"""A chain of parts from one end to another: what is asked for, the parts and joints it is of, and its way of being
written."""

from __future__ import annotations

from dataclasses import dataclass

from ..catalogue import End
from ..catalogue.part import Part
from .law import Question

SCHOOL = ("capillary", "press", "compression", "push-fit", "push-fit-metal")
STUB = "stub-"  # before the pipe, where a piece of pipe stands between two parts: stub-cu-m-15


@dataclass(frozen=True, slots=True)
class Ask:
    """What is wanted, for a service and, where it is known, one of its roles. temp_c and pressure_bar as they can
    become, None for what is usual for the role or service; near_heat: a boiler, heater or flue stands at the start.

    flame: whether a flame is allowed; undo: whether it must come apart again; tools: what is owned, None for all
    (torch, press, press 22, press V 22, press-mlc 16, expander, flaring set, threader); via: a family of parts the
    chain must pass, such as gas-connector; preferred: the school's joint methods, first choice first; stock: part id ->
    pieces on the van.
    """

    start: End
    goal: End
    service: str
    temp_c: float | None = None
    pressure_bar: float | None = None
    concealed: bool = False
    flame: bool = True
    undo: bool = False
    near_heat: bool = False
    tools: frozenset[str] | None = None
    at_most: int = 4
    via: str = ""
    practice: str = "british"
    preferred: tuple[str, ...] = SCHOOL
    stock: tuple[tuple[str, int], ...] = ()
    role: str = ""

    def question(self, a: End, b: End, *, hot: bool = False, marks: frozenset[str] = frozenset()) -> Question:
        """What the law is asked about one joint of a chain. hot: no metal stub yet between it and the heat; marks: of
        the part."""
        return Question(
            a,
            b,
            self.service,
            self.practice,
            role=self.role,
            reach=not self.concealed,
            flame=self.flame,
            near_heat=hot,
            marks=marks,
        )


@dataclass(frozen=True, slots=True)
class Link:
    """A part in a chain, the way round it stands; part None: a stub of pipe, stub_mm long to cut."""

    part: Part | None
    enter: End
    leave: End
    title: str
    stub_mm: float = 0.0

    @property
    def id(self) -> str:
        """What it is called in a chain written down: the part's id, or the stub's pipe."""
        return self.part.id if self.part else f"{STUB}{self.enter.family}-{self.enter.size}"

    @property
    def length_mm(self) -> float:
        """From its first stop, face or seat to its last [mm]."""
        return self.stub_mm if self.part is None else self.part.gap_mm or 0.0


@dataclass(frozen=True, slots=True)
class ChainJoint:
    """One joint of a chain: what meets what, how, with what."""

    a: str
    b: str
    method: str
    needs: tuple[str, ...]
    why: str


@dataclass(frozen=True, slots=True)
class Chain:
    """A way from the start to the goal. score: lower is better; because: what speaks for it; reasons: what forbids it
    (when it is a rejected one); bore_mm: the narrowest way through; length_mm from the plane of the start to that of
    the goal."""

    links: tuple[Link, ...]
    joints: tuple[ChainJoint, ...]
    score: float
    because: tuple[str, ...]
    reasons: tuple[str, ...]
    bore_mm: float | None
    length_mm: float
    undone: bool
    in_stock: int

    @property
    def ids(self) -> str:
        """The chain written down: its part ids joined by +, empty where an end goes directly into the other."""
        return "+".join(link.id for link in self.links)


@dataclass(frozen=True, slots=True)
class Answer:
    """The best chains, and the best of those that were rejected, with the reasons."""

    chains: tuple[Chain, ...]
    rejected: tuple[Chain, ...]
