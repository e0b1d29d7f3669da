"""Small jobs: what a service offers to begin with from the home page. What is asked, how a job is begun with the
answers, and the sheet that is written from them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Literal

from ..catalogue import Catalogue
from ..errors import Refused
from ..job.model import Job, Pipe, Task
from ..quantity import PaceUnit, Practice, length_text, number, parse_length_mm
from ..working import Step

Answers = Mapping[str, float | bool | str]
Phase = Literal["before", "safe", "off", "make", "join", "fill", "bleed", "hot", "after"]
LONGEST_TEXT = 200
USUAL_PIPES = {"north-american": {"cu-m 15": "cu-l 1/2", "cu-m 22": "cu-l 3/4"}}


@dataclass(frozen=True, slots=True)
class Ask:
    """One question. kind: choice (options), length (mm), number (of `unit`), pipe, flag or text; usual: the answer
    where nobody gave one, as it is typed; least, most: of a length or a number; later: answered while the work goes
    on; drawn: the drawing was made with it, so that another answer is another job."""

    name: str
    label: str
    kind: Literal["choice", "length", "number", "pipe", "flag", "text"]
    usual: str = ""
    options: tuple[tuple[str, str], ...] = ()
    least: float = 0.0
    most: float = 1e4
    unit: str = ""
    later: bool = False
    drawn: bool = True


@dataclass(frozen=True, slots=True)
class SheetStep:
    """One step of a small job: id stable under edits, minutes typical, does: what it does to the house, "" nothing."""

    id: str
    phase: Phase
    minutes: float
    does: str
    title: str
    text: str


@dataclass(frozen=True, slots=True)
class JobSheet:
    """A small job written out. heads: what is looked for first, (what, figure); figures: name with unit -> value;
    working: how they came."""

    rows: tuple[SheetStep, ...]
    steps: tuple[str, ...]
    proof: tuple[str, ...]
    cautions: tuple[str, ...]
    tools: tuple[str, ...]
    quantities: tuple[str, ...]
    figures: Mapping[str, float]
    working: tuple[Step, ...]
    heads: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True, slots=True)
class SmallJob:
    """A kind of small job. begin: the job with its stations, runs and task, from a blank one; sheet: written from the
    job as it stands."""

    id: str
    title: str
    says: str
    asks: tuple[Ask, ...]
    begin: Callable[[Job, Answers, Catalogue], Job]
    sheet: Callable[[Any, Task], JobSheet]  # of core.layout.Layout

    def ask(self, name: str) -> Ask | None:
        """The question of that name."""
        return next((one for one in self.asks if one.name == name), None)


def usual_answer(ask: Ask, practice: Practice, unit: PaceUnit) -> str:
    """The usual answer as it would be typed: a pipe of the practice, a length in the unit of the job."""
    if ask.kind == "pipe":
        return USUAL_PIPES.get(practice, {}).get(ask.usual, ask.usual)
    return length_text(float(ask.usual), unit) if ask.kind == "length" else ask.usual


def read_answers(
    kind: SmallJob, said: Mapping[str, str], catalogue: Catalogue, practice: Practice, unit: PaceUnit
) -> dict[str, Any]:
    """Answers as typed, read: lengths in mm, a missing one is the usual. Raises Refused, naming the question."""
    return {ask.name: read_answer(ask, said.get(ask.name), catalogue, practice, unit) for ask in kind.asks}


def read_answer(
    ask: Ask, said: str | None, catalogue: Catalogue, practice: Practice, unit: PaceUnit
) -> float | bool | str:
    """One answer as typed. Raises Refused, naming the question, what is expected and the usual answer."""
    if ask.kind == "flag":
        return (ask.usual if said is None else said) in ("yes", "on", "true", "1")
    usual = usual_answer(ask, practice, unit)
    text = (said or "").strip() or usual
    if ask.kind == "choice":
        if text not in dict(ask.options):
            raise Refused(ask.label, text, " or ".join(one for one, _ in ask.options), usual)
        return text
    if ask.kind == "pipe":
        return str(read_pipe_text(text, catalogue, ask.label))
    if ask.kind == "text":
        return text[:LONGEST_TEXT]
    try:
        comma = practice == "continental"
        if ask.kind == "length":
            value = float(ask.usual) if text == usual else parse_length_mm(text, unit, decimal_comma=comma)
        else:
            value = number(text, ask.label, f"a number of {ask.unit}".strip(), usual, decimal_comma=comma)
    except Refused as refused:
        if "?" in refused.expected:  # two things it could mean
            raise Refused(ask.label, text, refused.expected, refused.example) from None
        value = float("nan")
    if not ask.least <= value <= ask.most:
        ends = [length_text(one, unit) if ask.kind == "length" else f"{one:g}" for one in (ask.least, ask.most)]
        word = unit if ask.kind == "length" and unit == "mm" else ask.unit
        raise Refused(ask.label, text, f"{ends[0]} to {ends[1]} {word}".strip(), usual)
    return value


def read_pipe_text(text: str, catalogue: Catalogue, field: str) -> Pipe:
    """A pipe as it is said, such as "cu-m 15". Raises Refused for a pipe without an outside diameter."""
    code, _, size = text.strip().partition(" ")
    row = catalogue.pipe(code, size.strip())
    if row is None or row.od_mm is None:
        raise Refused(field, text, "a pipe system and a size that it comes in", "cu-m 15")
    return Pipe(code=code, size=size.strip())
