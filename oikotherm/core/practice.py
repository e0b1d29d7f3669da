"""House practice: the topics fitters disagree on, their options, and what each practice does by default."""

from __future__ import annotations

from dataclasses import dataclass

from .job.model import Choice, Job


@dataclass(frozen=True, slots=True)
class Option:
    """One way to do it. acts: what the program reads (here: joint methods, preferred first)."""

    id: str
    title: str
    acts: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Topic:
    """A question with several good answers. default: practice -> option id."""

    id: str
    title: str
    options: tuple[Option, ...]
    default: dict[str, str]

    def option(self, id_: str) -> Option | None:
        return next((option for option in self.options if option.id == id_), None)


METAL_JOINING = Topic(
    "metal-joining",
    "joining metal pipe",
    (
        Option("solder", "solder", ("capillary", "compression", "press")),
        Option("press", "press", ("press", "capillary", "compression")),
        Option("compression", "compression", ("compression", "capillary", "press")),
    ),
    {"british": "solder", "continental": "press", "north-american": "solder"},
)
TOPICS = {topic.id: topic for topic in (METAL_JOINING,)}


def chosen(job: Job, topic: Topic) -> tuple[Option, Choice]:
    """The option in force for a job and where it comes from: the job's own choice, else the default of its practice."""
    choice = job.choices.get(topic.id)
    option = topic.option(choice.option) if choice else None
    if choice is None or option is None:
        choice = Choice(option=topic.default[job.practice], origin="practice")
        option = topic.option(choice.option)
    assert option is not None
    return option, choice
