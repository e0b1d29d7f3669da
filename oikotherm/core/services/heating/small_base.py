"""What the small jobs on a heating circuit share: their usual questions, a radiator of the small drawing, the water."""

from __future__ import annotations

from typing import Any

from ...catalogue import Catalogue, Socket
from ...job.model import Job, Pipe
from ...quantity import trim
from ...work.small_drawing import WALL_Y_MM, station_at
from ...work.small_jobs import Answers, Ask
from .circuit_water import (
    USUAL_PRECHARGE_BAR,
    USUAL_VESSEL_L,
    dose,
    said_top_ups,
    top_up_l,
    top_ups_for,
)

UNDER_FLOOR_MM = 60.0  # typ: pipe below the boards
REOPENED_MM, SPRUNG_MM = 8.0, 3.0  # typ: what a hole opened again gives, what the tube springs
LENGTHENED_MM = 100.0  # below the valve: where a short stub is cut and lengthened
SIDE_MM = 150.0  # between two pipes below the floor
SET_MM = 60.0  # up to here pipe is set over, beyond it elbows fit
PER_M_L = {"single": 3.2, "double": 5.8}  # typ, at 600 high: water in a panel radiator by its length
PER_M_KG = {"single": 17.0, "double": 33.0}  # typ, at 600 high
NOT_YET = "not yet"

PANEL = (
    Ask("width", "Radiator, width", "length", "1000", least=200, most=3000),
    Ask("height", "Radiator, height", "length", "600", least=200, most=2400),
    Ask("panels", "Panels", "choice", "double", (("single", "single"), ("double", "double"))),
)
WATER = (
    Ask("house_l", "Water in the house (0: not known)", "number", "0", most=5000, unit="L", drawn=False),
    Ask("vessel_l", "Vessel (0: not known)", "number", "0", most=500, unit="L", drawn=False),
)
FLOW = Ask(
    "flow",
    "Flow found",
    "choice",
    NOT_YET,
    ((NOT_YET, "not yet"), ("left", "the left pipe"), ("right", "the right pipe")),
    later=True,
    drawn=False,
)
FOUND_BY = Ask(
    "found_by",
    "Found by",
    "choice",
    "hand",
    (("hand", "hand, hot"), ("thermometer", "thermometer"), ("readings", "two thermometers, logged")),
    later=True,
    drawn=False,
)
LATER = Ask("hangs_later", "It hangs another day", "flag", "", drawn=False)
COUNTED = Ask(
    "turns",
    "Turns of the old lockshield (0: not counted)",
    "number",
    "0",
    most=20,
    unit="turns",
    later=True,
    drawn=False,
)


def pipe_ask(practice_usual: str = "cu-m 15", name: str = "pipe", label: str = "Pipe") -> Ask:
    return Ask(name, label, "pipe", practice_usual)


def bar_ask(name: str, label: str) -> Ask:
    return Ask(name, label, "number", "0", most=20, unit="bar", later=True, drawn=False)


def panel_at(answers: Answers, ident: str, x_mm: float, state: str, under_mm: float = 150.0) -> dict[str, Any]:
    """A panel radiator on the wall of a small job, with its water by the typical figures."""
    data = {
        "width_mm": float(answers["width"]),
        "height_mm": float(answers["height"]),
        "depth_mm": 100.0,
        "volume_l": round(panel_litres(answers), 1),
    }
    at = (x_mm, WALL_Y_MM, under_mm)
    return station_at("emitter", ident, "Radiator", at, variant="panel", state=state, data=data)


def panel_litres(answers: Answers) -> float:
    """Water in the radiator [L], typical: by its length, at its height."""
    return PER_M_L[str(answers["panels"])] * float(answers["width"]) / 1000 * float(answers["height"]) / 600


def water_words(answers: Answers, out_l: float) -> tuple[dict[str, str], list[tuple[str, str]]]:
    """Words and heads of the water work: what comes out, top-ups, inhibitor."""
    heads = [("Water out", f"{trim(out_l, 1)} L")]
    vessel_l = float(answers.get("vessel_l") or 0.0)
    one_l, _ = top_up_l(vessel_l or USUAL_VESSEL_L, USUAL_PRECHARGE_BAR, 0.0)
    typical = "" if vessel_l else f", with a vessel of {trim(USUAL_VESSEL_L, 1)} L (typ)"
    heads.append(("To fill again", f"{said_top_ups(top_ups_for(out_l, one_l))}{typical}"))
    inhibitor = dose(max(out_l, 0.1)).inhibitor_l
    words = {"litres": f"{trim(out_l, 1)} L", "dose": f"{trim(inhibitor, 2)} L of inhibitor for {trim(out_l, 1)} L"}
    heads.append(("Inhibitor", f"{trim(inhibitor, 2)} L"))
    return words, heads


def socket_mm(catalogue: Catalogue, job: Job, port: str, pipe: Pipe) -> float:
    """How far a pipe goes into the valve at a port [mm], 16 where there is no figure (typ)."""
    for method in catalogue.systems[pipe.code].methods:
        found = catalogue.method_figures(pipe.code, pipe.size, method)
        if method.startswith("compression") and isinstance(found, Socket):
            return found.insertion_mm
    return 16.0
