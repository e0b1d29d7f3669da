"""What every page of a job shares: the strip, the stage pipe, the watch list; and the answer to an edit."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from flask import get_template_attribute, render_template, request
from markupsafe import Markup

from ..core.design import Design
from ..core.errors import Refused
from ..core.job.model import Job, Run
from ..core.job.writing import item_text
from ..core.lazy import lazy
from ..core.quantity import PaceUnit
from ..core.rules import Finding
from ..core.work.made import made_of
from ..core.work.records import ticked
from ..drawing import svg
from ..drawing.isometric import draw
from ..drawing.look import Look, runs_shown, usual_levels
from ..drawing.projection import read_projection
from ..store import jobs as jobs_store
from . import db
from .broken import BrokenJob
from .records import proved, records_here

FOLDED = ("make", "joints", "order", "prove", "workshop", "assembly", "house")
ANEW = ("workshop", "assembly", "house")
MANY_RUNS = 80
SEEN_SMALL = ("level", "room", "wall", "pipe", "body", "obstacle")  # of a drawing without words and fittings


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
PageData = Callable[["Frame"], dict[str, Any]]
_DATA: dict[str, PageData] = {}


def page_data(stage: str) -> Callable[[PageData], PageData]:
    """Keep a function as the one that gathers what the templates of a stage show; they compute nothing themselves."""

    def keep(function: PageData) -> PageData:
        _DATA[stage] = function
        return function

    return keep


class Frame:
    """A job at its head, with what its pages show. whole: runs whose chips are shown where a job has too many for all;
    part, of: which block of a long list, by its key or by a group that is in it."""

    def __init__(self, uid: str, stage: str, whole: frozenset[str] = frozenset(), part: str = "") -> None:
        conn = db.get()
        self.whole = whole
        self.part = part or request.args.get("part", "")
        self.of = request.args.get("of", "")
        self.stage = stage
        self.uid = uid
        try:
            self.at = db.head_of(uid)
        except Refused as refused:
            raise BrokenJob(uid, refused) from refused
        self.rev = self.at.rev
        self.job: Job = self.at.job
        self.design: Design = db.design_of(self.at)
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
    def unit(self) -> PaceUnit:
        return self.job.pace_unit

    def findings(self) -> tuple[Finding, ...]:
        return self.design.findings

    @lazy
    def data(self) -> dict[str, Any]:
        """What the templates of this stage show, gathered once."""
        return _DATA[self.stage](self) if self.stage in _DATA else {}

    def render(self, template: str, **more: Any) -> str:
        """A template of this stage with its data."""
        return render_template(template, frame=self, **{**self.data, **more})

    @lazy
    def done_here(self) -> bool:
        """Whether the present stage is filled, so that nothing need be hinted at."""
        return any(row["filled"] for row in self.stages() if row["stage"].id == self.stage)

    def stages(self) -> list[dict[str, Any]]:
        """The stage pipe: each stage with its count of findings and whether it is filled."""
        found = self.design.open_findings
        counts = Counter(f.stage for f in found if f.severity != "note")
        stops = any(f.severity == "stop" for f in found)
        paced = bool(self.job.runs)
        cuts = self.design.cuts
        records = records_here(self.uid)
        done = ticked(records)
        made = made_of(self.design, records)
        filled = {
            "survey": bool(self.job.stations) and any(station.ports for station in self.job.stations),
            "pace": paced and not any(f.severity == "stop" and f.stage == "pace" for f in found),
            "sizes": any(sized.terminals for sized in self.design.sized.values()) and not counts.get("sizes"),
            "joints": bool(self.design.fitted.joints) and self.design.fitted.joints.keys() <= made.joints,
            "make": bool(cuts) and all(run.id in made.runs for run in self.job.runs if run.state == "new"),
            "order": made.finished
            or ("handover" in done and all(step.key in done for step in self.design.plan)),  # the last of the plan
            "prove": proved(self.uid, self.design),
            "handover": bool(cuts) and not stops and self.packed_rev == self.rev,
        }
        return [{"stage": stage, "filled": filled[stage.id], "count": counts.get(stage.id, 0)} for stage in STAGES]

    @lazy
    def runs_listed(self) -> list[Run]:
        """The runs beside the drawing: all, or of very many those it shows, with those that were asked for."""
        if len(self.job.runs) <= MANY_RUNS:
            return list(self.job.runs)
        drawn = runs_shown(self.design, self.look()) | self.whole | {request.args.get("run", "")}
        return [run for run in self.job.runs if run.id in drawn]

    def run_length_mm(self, run_id: str) -> float:
        """Length of pipe in a run as paced."""
        return self.design.traced.runs[run_id].length_mm

    def article(self, run: Run, whole: bool = False) -> Markup:
        """A run as chips; in a job of many runs only its head, until its chips are asked for."""
        whole = whole or len(self.job.runs) <= MANY_RUNS or run.id in self.whole
        values = (self.design.texts[run.id], self.run_length_mm(run.id), self.unit, whole)
        found: Markup = self.design.context.memory.keep("chips", (run,), values, lambda: self._article(run, whole))
        return found

    def _article(self, run: Run, whole: bool) -> Markup:
        style = self.design.style
        chips = [
            {
                "id": item.id,
                "text": item_text(item, style),
                "kind": item.kind,
                "doubt": getattr(item, "basis", "taped") != "taped",
            }
            for item in (run.items if whole else ())
        ]
        made: Markup = get_template_attribute("_run.html", "article")(self, run, whole, chips)
        return made

    def look(self, **changes: Any) -> Look:
        """The drawing as this browser last asked for it: projection, turns and size, from the request or its cookie."""
        cookie = dict(part.split("=", 1) for part in request.cookies.get("sheet", "").split("&") if "=" in part)
        wanted = {**cookie, **request.args}
        fields: dict[str, Any] = {
            "projection": read_projection(wanted.get("view"), wanted.get("turns")),
            "width": _size(wanted.get("w"), 612),
            "height": _size(wanted.get("h"), 560),
            "head": 92.0 if self.stage == "pace" else 34.0,
            "dimensions": wanted.get("dims") == "on",
        }
        level, service = wanted.get("level", ""), wanted.get("service", "")
        if self.job.level(level):
            fields["levels"] = frozenset({level})
        elif level != "all":
            fields["levels"] = usual_levels(self.design)
        if service in {run.service for run in self.job.runs}:
            fields["services"] = frozenset({service})
        return Look(**{**fields, **changes})

    def drawing(self, ident: str = "drawing", **changes: Any) -> str:
        """The drawing as SVG, made once for a design and a look: many may have the same revision open. ident: of the
        element."""
        look = self.look(**changes)
        return self.design.kept(f"{ident} {look}", lambda: svg.write(draw(self.design, look), ident=ident))

    def pipes_alone(self, look: Look, ident: str) -> str:
        """The pipes in their rooms as SVG, without words and fittings, made once."""

        def make() -> str:
            scene = draw(self.design, look)
            scene.labels, scene.symbols = [], []
            scene.strokes = [one for one in scene.strokes if one.layer in SEEN_SMALL]
            return svg.write(scene, ident=ident)

        return self.design.kept(f"pipes alone {ident} {look}", make)

    @property
    def folds_watch(self) -> bool:
        """Whether the page has its own drawing beside its list, so that the watch list is folded until asked for."""
        return request.blueprint in FOLDED

    @property
    def comes_anew(self) -> bool:
        """Whether an edit on the page loads it anew: it has no parts to put in place."""
        return request.blueprint in ANEW

    def fragments(self, shown: int | None = None) -> dict[str, str]:
        """The parts of the present page that an edit may change, by the id of the element they replace.

        shown: the revision the page shows; the runs that are still what they were then are left out.
        """
        makers = {"watch": "_watch.html", "stages": "_stages.html", "state": "_state.html"}
        if self.stage == "watch":
            makers["all-findings"] = "_all_findings.html"
        changed = self._runs_changed(shown) if self.stage == "pace" else []
        if changed is None:
            makers["runs"] = "_runs.html"
        if self.stage == "make":
            makers["cuts"] = "_cuts.html"
        if self.stage == "sizes":
            makers["sizes"] = "_sizes.html"
        if self.stage == "order":
            makers["order"] = "_order.html"
        found = {ident: self.render(name) for ident, name in makers.items()}
        if self.stage == "pace":
            found["drawing"] = self.drawing()
            listed = {run.id for run in self.runs_listed} if changed else set()
            found |= {f"run-{run.id}": self.article(run) for run in changed or () if run.id in listed}
        return found

    def _runs_changed(self, shown: int | None) -> list[Run] | None:
        """The runs that read or measure otherwise than in the revision shown; None when runs came, went or moved, or
        all may have."""
        before = db.design_kept(self.uid, shown) if shown is not None else None
        if before is None or [run.id for run in before.job.runs] != [run.id for run in self.job.runs]:
            return None
        if before.job.pace_unit != self.unit:
            return None
        return [
            run
            for old, run in zip(before.job.runs, self.job.runs, strict=True)
            if old is not run
            or before.traced.runs[run.id].length_mm != self.design.traced.runs[run.id].length_mm
            or before.texts[run.id] != self.design.texts[run.id]
        ]

    def answer(self, message: str = "", shown: int | None = None) -> dict[str, Any]:
        """What a browser gets back for an edit made on the revision shown."""
        return {"rev": self.rev, "message": message, "fragments": self.fragments(shown)}


def _size(text: str | None, default: float) -> float:
    """A length of the drawing on the screen, kept within reason and to steps of 4."""
    if text is None or not text.isascii() or not text.isdigit() or len(text) > 5:
        return default
    return float(min(max(int(text), 240), 2400) // 4 * 4)
