"""Putting a part into a leg: the command most remedies are made of."""

from __future__ import annotations

from typing import Any, Protocol

from ..job.model import Job, Leg
from ..job.writing import exact_length
from ..joints.fitted import Fitted


class Piped(Protocol):
    """A job with its pipe fitted out: what a rule looks at, or a layout."""

    @property
    def job(self) -> Job: ...

    @property
    def fitted(self) -> Fitted: ...


def put_in_leg(view: Piped, run_id: str, leg: Leg, text: str, at_mm: float) -> dict[str, Any]:
    """The command that puts a part into a leg so far along it; the leg keeps its whole length and how sure it is."""
    length = view.fitted.pipework.runs[run_id].lengths[leg.id]
    unit, comma = view.job.pace_unit, view.job.practice == "continental"
    doubt = "" if leg.basis == "taped" else "?"

    def said(mm: float) -> str:
        text_ = exact_length(round(mm, 3), unit)
        return (text_.replace(".", ",") if comma else text_) + doubt

    rest = f"{leg.dir}?" if leg.length_mm is None else f"{leg.dir}{said(length - at_mm)}"
    return {"do": "retype_item", "run": run_id, "item": leg.id, "text": f"{leg.dir}{said(at_mm)} {text} {rest}"}
