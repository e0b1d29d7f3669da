"""A pressure that falls: the readings of the gauge are the job, and what they tell."""

from __future__ import annotations

import math
from datetime import datetime

from ...catalogue import Catalogue
from ...errors import Refused
from ...job.commands import apply_all
from ...job.model import Job, Task
from ...layout import Layout
from ...quantity import parse, trim, with_point
from ...work.small_drawing import task_command
from ...work.small_jobs import Answers, JobSheet
from .circuit_water import (
    USUAL_PRECHARGE_BAR,
    USUAL_VESSEL_L,
    DayReading,
    Story,
    gauge_story,
)
from .tasks import write


def begin_pressure(job: Job, answers: Answers, catalogue: Catalogue) -> Job:
    """Nothing is drawn: the readings of the gauge are the job."""
    return apply_all(job, [task_command("pressure", "gauge", answers)], catalogue)


READING = "reading "
READING_EXAMPLE = "2026-03-01 07:00 1.20 bar 18 C"


def read_reading(text: str, decimal_comma: bool = False) -> tuple[datetime, float, float]:
    """One reading of the gauge as it is said: day, time, pressure, temperature of the water [C]. Raises Refused."""
    words = with_points(text, decimal_comma).replace("T", " ").split()
    try:
        at = datetime.fromisoformat(" ".join(words[:2]))
        rest = words[2:]
        temp = float(rest[-2] if rest[-1].upper() in ("C", "F") else rest[-1].upper().rstrip("C"))
        if rest[-1].upper() == "F":
            temp = (temp - 32) / 1.8
        pressure = " ".join(rest[: -2 if rest[-1].upper() in ("C", "F") else -1])
        bar = parse(pressure, "pressure", "bar", field="reading") / 1e5
    except (ValueError, IndexError):
        expected = "day, time, pressure of the gauge, temperature of the pipe"
        raise Refused("reading", text, expected, READING_EXAMPLE) from None
    if not 0 <= bar <= 20 or not -20 <= temp <= 150:
        raise Refused("reading", text, "0 to 20 bar and -20 to 150 C", READING_EXAMPLE)
    return at, bar, temp


def with_points(text: str, decimal_comma: bool) -> str:
    """A reading as it is kept: a point for every decimal. Raises Refused."""
    return " ".join(with_point(word, "reading", READING_EXAMPLE, decimal_comma) for word in text.split())


def readings_of(task: Task) -> list[tuple[str, datetime, float, float]]:
    """The readings kept in a task, oldest first: (question, when, bar, temperature [C])."""
    found = []
    for name, value in task.answers.items():
        if name.startswith(READING):
            try:
                found.append((name, *read_reading(str(value))))
            except Refused:
                continue  # a document may hold anything
    return sorted(found, key=lambda one: one[1])


def story_of(task: Task) -> Story | None:
    """What the readings of a task tell; None while there are too few. Raises nothing."""
    rows = readings_of(task)
    if len(rows) < 4:
        return None
    first = rows[0][1]
    days = [DayReading((at - first).total_seconds() / 86400, bar, temp) for _, at, bar, temp in rows]
    volume, vessel = float(task.answers.get("house_l") or 0.0), float(task.answers.get("vessel_l") or 0.0)
    try:
        return gauge_story(
            days,
            volume or 100.0,
            vessel or USUAL_VESSEL_L,
            float(task.answers.get("precharge_bar") or USUAL_PRECHARGE_BAR),
            float(task.answers.get("safety_bar") or 3.0),
        )
    except (Refused, ValueError):
        return None


def pressure_sheet(design: Layout, task: Task) -> JobSheet:
    story = story_of(task)
    rows = readings_of(task)
    precharge = float(task.answers.get("precharge_bar") or USUAL_PRECHARGE_BAR)
    if story is None:
        verdict, heads = "", [("Readings", f"{len(rows)} of at least 4")]
        cure = "What the readings and the look round have shown."
    else:
        verdict = story.verdict
        heads = [("Verdict", verdict), ("Falls", f"{trim(-story.drift_bar_day, 2)} bar a day")]
        swing = story.swing_bar_k * 50
        expected = story.expected_bar_k * 50
        known = task.answers.get("house_l") and task.answers.get("vessel_l")
        typical = "" if known else f", for 100 L and a vessel of {trim(USUAL_VESSEL_L, 0)} L (typ)"
        heads.append(("Swing over 50 K", f"{trim(swing, 2)} bar, {_expected(expected)}{typical}"))
        cure = f"{story.says} Look at: {'; '.join(story.look_at)}." if story.look_at else story.says
    return write(
        "falling-pressure",
        {verdict} if verdict else set(),
        {"precharge": trim(precharge, 2), "verdict": cure},
        heads=tuple(heads),
        working=story.working if story else (),
    )


def _expected(bar: float) -> str:
    return f"{trim(bar, 2)} by the vessel" if math.isfinite(bar) else "more than the vessel takes"
