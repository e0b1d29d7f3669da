"""What the small drawings of small jobs are made of, and how their steps are written out, for every service."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import Any, cast, get_args

from ..catalogue import Catalogue
from ..job.model import Job
from ..pipework.geometry import PortPlace
from ..pipework.trace import trace
from ..quantity import length_text
from ..working import Step
from .small_jobs import Answers, JobSheet, Phase, SheetStep

TASK = "T1"
WALL_Y_MM, WALL_X_MM = 3000.0, 2000.0  # where the wall of a small job is drawn
STUB_MM = 30.0
PHASES = get_args(Phase)


def length_words(job: Job, mm: float) -> str:
    return length_text(mm, job.pace_unit, with_unit=True)


def port_places(job: Job, catalogue: Catalogue) -> dict[str, PortPlace]:
    """Where the ports of a job are, with their valves on."""
    return dict(trace(job, catalogue).ports)


def station_at(kind: str, ident: str, name: str, at: Sequence[float], **more: Any) -> dict[str, Any]:
    return {"do": "add_station", "kind": kind, "id": ident, "name": name, "level": "L0", "at": tuple(at), **more}


def stub_at(ident: str, name: str, at: Sequence[float], role: str, facing: str, end: str) -> dict[str, Any]:
    """The end of an old pipe, drawn as a small thing at its mouth."""
    size = dict.fromkeys(("width_mm", "height_mm", "depth_mm"), STUB_MM)
    return station_at("stub", ident, name, at, state="keep", role=role, facing=facing, end=f"{end} pipe", data=size)


def run_commands(text: str, *, keep: bool = False) -> list[dict[str, Any]]:
    commands: list[dict[str, Any]] = [{"do": "put_run", "text": text}]
    return [*commands, {"do": "set_state", "run": text.split()[0], "state": "keep"}] if keep else commands


def task_command(kind: str, where: str, answers: Answers) -> dict[str, Any]:
    return {"do": "put_task", "task": {"id": TASK, "kind": kind, "where": where, "answers": dict(answers)}}


def written(
    rows: Sequence[Mapping[str, str]],
    holds: Collection[str],
    words: Mapping[str, str],
    quantities: tuple[str, ...] = (),
    figures: Mapping[str, float] | None = None,
    working: tuple[Step, ...] = (),
    heads: tuple[tuple[str, str], ...] = (),
) -> JobSheet:
    """A small job written out from its rows of a tasks.csv. holds: the cases that are so; words: for the braces."""

    def of(*kinds: str) -> list[Mapping[str, str]]:
        return [row for row in rows if row["kind"] in kinds and (not row["when"] or row["when"] in holds)]

    def text(row: Mapping[str, str]) -> str:
        return row["text"].format(**words) if "{" in row["text"] else row["text"]

    steps = [
        SheetStep(row["id"], cast(Phase, row["phase"]), float(row["minutes"]), row["does"], row["title"], text(row))
        for row in of("steps", "proof")
    ]
    steps.sort(key=lambda step: PHASES.index(step.phase))
    said = {kind: tuple(text(row) for row in of(kind)) for kind in ("steps", "proof", "cautions", "tools")}
    return JobSheet(
        tuple(steps),
        said["steps"],
        said["proof"],
        said["cautions"],
        said["tools"],
        quantities,
        figures or {},
        working,
        heads,
    )
