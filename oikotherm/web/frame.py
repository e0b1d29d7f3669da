"""What every page of a job shares: the strip, the stage pipe, the watch list; and the answer to an edit."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from flask import render_template, request

from ..core.design import Design
from ..core.job.model import Job
from ..core.rules import Finding
from ..core.work.plan import plan
from ..core.work.records import ticked
from ..drawing import svg
from ..drawing.isometric import Look, draw
from ..drawing.projection import read_projection
from ..store import jobs as jobs_store
from . import db


@dataclass(frozen=True, slots=True)
class Stage:
    """A stage on the stage pipe. number: its key and its place among the eight."""

    number: int
    id: str
    title: str


STAGES = (
    Stage(1, "survey", "Survey"),
    Stage(2, "pace", "Pace-out"),
    Stage(3, "sizes", "Sizes"),
    Stage(4, "joints", "Joints"),
    Stage(5, "make", "Make"),
    Stage(6, "order", "Order"),
    Stage(7, "prove", "Prove"),
    Stage(8, "handover", "Hand over"),
)
STAGE_OF_RULE = dict.fromkeys(("leg-short", "no-figures", "port-end", "long-piece", "size-open"), "make")
STAGE_OF_RULE["record-changed"] = "joints"
STAGE_OF_RULE |= dict.fromkeys(("section-over", "vessel-small", "left-out", "terms-assumed"), "sizes")
Fragment = Callable[["Frame"], str]


class Frame:
    """A job at its head, with what its pages show."""

    def __init__(self, uid: str, stage: str) -> None:
        conn = db.get()
        self.stage = stage
        self.uid = uid
        self.at = jobs_store.head(conn, uid)
        self.rev = self.at.rev
        self.job: Job = self.at.job
        self.design: Design = db.design_of(uid, self.rev, self.job)
        self.can_undo = jobs_store.undo_target(conn, uid) is not None
        self.can_redo = jobs_store.redo_target(conn, uid) is not None
        marks = {
            row["name"]: int(row["value"])
            for row in conn.execute(
                "SELECT name, value FROM setting WHERE name IN (?, ?)", (f"printed:{uid}", f"packed:{uid}")
            )
        }
        self.printed_rev, self.packed_rev = marks.get(f"printed:{uid}"), marks.get(f"packed:{uid}")

    @property
    def unit(self) -> str:
        return self.job.pace_unit

    def findings(self) -> tuple[Finding, ...]:
        return self.design.findings

    def stages(self) -> list[dict[str, Any]]:
        """The stage pipe: each stage with its count of findings and whether it is filled."""
        found = self.design.open_findings
        counts = Counter(STAGE_OF_RULE.get(f.rule, "pace") for f in found if f.severity != "note")
        stops = any(f.severity == "stop" for f in found)
        paced = bool(self.job.runs)
        from .site import proof_of, records_here  # they show this frame in turn

        cuts = self.design.cuts
        steps, done = plan(self.design), ticked(records_here(self.uid))
        filled = {
            "survey": bool(self.job.stations) and any(station.ports for station in self.job.stations),
            "pace": paced
            and not any(f.severity == "stop" and STAGE_OF_RULE.get(f.rule, "pace") == "pace" for f in found),
            "sizes": any(heating.loads for heating in self.design.heating) and not counts.get("sizes"),
            "joints": bool(self.design.fitted.joints)
            and not any(f.rule in ("no-figures", "port-end", "record-changed") for f in found),
            "make": bool(cuts) and all(cut.makeable and cut.known for cut in cuts),
            "order": bool(steps) and all(step.key in done for step in steps),
            "prove": proof_of(self)["passed"],
            "handover": bool(cuts) and not stops and self.packed_rev == self.rev,
        }
        return [{"stage": stage, "filled": filled[stage.id], "count": counts.get(stage.id, 0)} for stage in STAGES]

    def look(self, **changes: Any) -> Look:
        """The drawing as this browser last asked for it: projection, turns and size, from the request or its cookie."""
        cookie = dict(part.split("=", 1) for part in request.cookies.get("sheet", "").split("&") if "=" in part)
        wanted = {**cookie, **request.args}
        fields: dict[str, Any] = {
            "projection": read_projection(wanted.get("view"), wanted.get("turns")),
            "width": _size(wanted.get("w"), 612),
            "height": _size(wanted.get("h"), 560),
        }
        return Look(**{**fields, **changes})

    def drawing(self, **changes: Any) -> str:
        return svg.write(draw(self.design, self.look(**changes)))

    def fragments(self) -> dict[str, str]:
        """The parts of the present page that an edit may change, by the id of the element they replace."""
        makers = {"watch": "_watch.html", "stages": "_stages.html", "state": "_state.html"}
        if self.stage == "pace":
            makers["runs"] = "_runs.html"
        if self.stage == "make":
            makers["cuts"] = "_cuts.html"
        if self.stage == "sizes":
            makers["sizes"] = "_sizes.html"
        if self.stage == "order":
            makers["order"] = "_order.html"
        found = {ident: render_template(name, frame=self) for ident, name in makers.items()}
        if self.stage == "pace":
            found["drawing"] = self.drawing()
        return found

    def answer(self, message: str = "") -> dict[str, Any]:
        """What a browser gets back for an edit."""
        return {"rev": self.rev, "message": message, "fragments": self.fragments()}


def _size(text: str | None, default: float) -> float:
    """A length of the drawing on the screen, kept within reason and to steps of 4."""
    if text is None or not text.isascii() or not text.isdigit() or len(text) > 5:
        return default
    return float(min(max(int(text), 240), 2400) // 4 * 4)
