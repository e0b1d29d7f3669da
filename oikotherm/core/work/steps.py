"""What a service's room gives to the work: steps of the plan, tests, care and sections of the pack, as plain data."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from typing import Generic, TypeVar

D = TypeVar("D")  # core.design.Design, which stands above


@dataclass(frozen=True, slots=True)
class Need:
    """A step that must come before, and why."""

    key: str
    why: str


@dataclass(frozen=True, slots=True)
class WorkStep:
    """One step. key: rule:target, stable under edits elsewhere; hold: what must be right before anyone goes on.

    rank: the trade's preference among steps that could come next, lower first; minutes by the rates; closes: why nothing is handed over
    before it, "" where it may.
    """

    key: str
    rule: str
    title: str
    where: str
    needs: tuple[Need, ...]
    minutes: float
    rank: tuple[float, ...]
    hold: str = ""
    caution: str = ""
    tools: tuple[str, ...] = ()
    parts: tuple[str, ...] = ()
    people: int = 1
    closes: str = ""


@dataclass(frozen=True, slots=True)
class TestKind(Generic[D]):
    """How a service is proved. applies: whether the job has what it proves; steps: how it is done; caution: shown beside them."""

    id: str
    service: str
    title: str
    medium: str
    applies: Callable[[D], bool]
    steps: tuple[str, ...]
    caution: str = ""


@dataclass(frozen=True, slots=True)
class Reminder:
    """Something that comes round: first due on that day, then every so many months."""

    title: str
    station: str
    due: date
    every_months: int
    why: str


@dataclass(frozen=True, slots=True)
class Care:
    """What the customer has to do and when. top_up: step by step, with this house's own figures."""

    reminders: tuple[Reminder, ...] = ()
    top_up: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class PackSection:
    """A part of the pack: a heading and its rows, the first of them the names of the columns."""

    title: str
    rows: tuple[tuple[str, ...], ...]
