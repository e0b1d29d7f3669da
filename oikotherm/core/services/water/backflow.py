"""Backflow assemblies: which keeps water from coming back, why, where it stands; and what its yearly test says.

The authority having jurisdiction has the last word: what is printed is the reasoning.
"""

from __future__ import annotations

import functools
import random
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from ...errors import Refused
from ...quantity import PA_PER_PSI
from ...tables import read_rows
from ...work.record_in import ASSEMBLY_READINGS
from ...work.verdict import said
from ...working import Step

Hazard = Literal["low", "high", "1", "2", "3", "4", "5"]
Kind = Literal["rpz", "dc", "pvb"]
PART_OF = {"dc": "double-check", "rpz": "reduced-pressure", "pvb": "vacuum-breaker"}  # kind -> part of the catalogue
HAZARDS = ("low", "high", "1", "2", "3", "4", "5")
ROOM_MM = (300.0, 1500.0)  # an assembly stands between these above the floor (typ)
AUTHORITY = "the authority having jurisdiction decides"
CATEGORY_OF = {"low": 3, "high": 4}  # a hazard in words where the practice has fluid categories
CATEGORY_SAYS = {
    1: "wholesome water",
    2: "changed in taste, heat or look, no harm",
    3: "a slight hazard to health",
    4: "a significant hazard to health",
    5: "a serious hazard: pathogens, waste",
}
# the weakest device that does, by fluid category: a double check counts as 2 on the continent
CATEGORY_DEVICE = {
    "british": {2: "single-check", 3: "dc", 4: "rpz", 5: "air-gap"},
    "continental": {2: "single-check", 3: "dcv-vent", 4: "rpz", 5: "air-gap"},
}


@dataclass(frozen=True, slots=True)
class Device:
    """A device against backflow. names: what a practice calls it; height_mm: least above what `above` says."""

    id: str
    title: str
    names: Mapping[str, str]
    testable: bool
    spills: bool
    height_mm: float
    above: str
    source: str


@dataclass(frozen=True, slots=True)
class Choice:
    """The device, None where none is wanted, and the reasoning."""

    device: Device | None
    why: tuple[str, ...]


@functools.cache
def devices() -> Mapping[str, Device]:
    """The devices by id."""
    return {
        row["device"]: Device(
            row["device"],
            row["title"],
            {name: row[name.replace("-", "_")] for name in ("british", "continental", "north-american")},
            row["testable"] == "yes",
            row["spills"] == "yes",
            float(row["height_mm"]),
            row["above"],
            row["source"],
        )
        for row in read_rows(__package__, "backflow.csv")
    }


def choose(hazard: str, back_pressure: bool, continuous: bool, practice: str) -> Choice:
    """The least device that does. hazard: low or high, or a fluid category 1 to 5; back_pressure: whether what is
    behind it can push; continuous: whether it stands under pressure for more than 12 hours. Raises Refused for what is
    no hazard. Source: choice table by hazard, direction and duty (std, typ)."""
    if hazard not in HAZARDS:
        raise Refused("hazard", hazard, f"one of {', '.join(HAZARDS)}", "low")
    if practice == "north-american":
        return _by_hazard(hazard, back_pressure, continuous)
    category = CATEGORY_OF.get(hazard) or int(hazard)
    said = f"fluid category {category}: {CATEGORY_SAYS[category]}"
    words = [said if hazard.isdigit() else f"{hazard} hazard, taken as {said}"]
    if category == 1:
        return Choice(None, (*words, "nothing has to be kept back", AUTHORITY))
    device = devices()[CATEGORY_DEVICE[practice][category]]
    words.append(f"{device.title}, {device.names[practice]}, is the least for category {category}")
    if practice == "continental" and category == 3:
        words.append("a double check counts as category 2 there")
    return Choice(device, (*words, *_place(device), AUTHORITY))


def _by_hazard(hazard: str, back_pressure: bool, continuous: bool) -> Choice:
    high = hazard in ("high", "4", "5")
    words = [f"{'high' if high else 'low'} hazard" + (f", of fluid category {hazard}" if hazard.isdigit() else "")]
    if hazard == "1":
        return Choice(None, ("no hazard", "nothing has to be kept back", AUTHORITY))
    words.append("what is behind it can push back" if back_pressure else "it can only be sucked back")
    if hazard == "5":
        ident = "air-gap"
    elif back_pressure:
        ident = "rpz" if high else "dc"
    elif continuous:
        ident = "pvb" if high else "dc"
        words.append("it stands under pressure for more than 12 hours")
    else:
        ident = "avb" if high else "hose"
        words.append("no valve after it, never under pressure for 12 hours")
    device = devices()[ident]
    words.append(f"{device.title}, {device.names['north-american']}, is the least that does")
    return Choice(device, (*words, *_place(device), AUTHORITY))


def _place(device: Device) -> tuple[str, ...]:
    """Where a device stands, in words."""
    words = []
    if device.height_mm:
        words.append(f"at least {device.height_mm:.0f} mm above the {device.above}")
    if device.testable:
        low, high = ROOM_MM
        words.append(f"{low:.0f} to {high:.0f} mm above the floor, test cocks in reach, out of frost, never in a pit")
    if device.spills:
        words.append("it spills: a drain for its full flow, by an air gap" if device.id == "rpz" else "it may spill")
    return tuple(words)


# --- the yearly test --------------------------------------------------------------------------------------------------

LEAST_CHECK_PSI = {"rpz": 5.0, "dc": 1.0, "pvb": 1.0}
RELIEF_OPENS_PSI, BUFFER_PSI, AIR_INLET_PSI = 2.0, 3.0, 1.0
MOST_PSI = 60.0


@dataclass(frozen=True, slots=True)
class Verdict:
    """What the readings of a differential gauge say. parts: what to repair, in words."""

    passed: bool
    why: tuple[str, ...]
    parts: tuple[str, ...]
    working: tuple[Step, ...]


def deciding(value: float, limit: float) -> str:
    """A figure with as many decimals as tell it from a limit it does not reach: "0.9993", not "1.0"."""
    return next((text for n in range(1, 5) if float(text := f"{value:.{n}f}") < limit), f"{value:.6f}")


def within_line(readings_pa: Mapping[str, float], line_pa: float | None, unit: str) -> None:
    """A difference over a check is less than the pressure in the line. Raises Refused."""
    for name, value in readings_pa.items():
        if line_pa is not None and value >= line_pa:
            words = dict(pair for one in KINDS.values() for pair in one.readings)[name]
            line = said(line_pa, unit)
            raise Refused(
                words, said(value, unit), f"less than the {line} in the line before it", said(line_pa / 2, unit)
            )


def judge(kind: str, readings_pa: Mapping[str, float]) -> Verdict:
    """A test of an assembly by its differences of pressure [Pa]. rpz: check1, relief (where it opens), check2 (that
    holds against back-pressure); dc: check1, check2; pvb: air_inlet (where it opens), check1. Raises Refused for a kind
    that is not tested and for readings that are missing or out of range.

    Source: field test of the trade (typ): first check of a reduced-pressure assembly 5 psi as a rule and at least 3 psi
    over the relief, which opens at 2 psi or more; other checks and air inlets 1 psi.
    """
    wanted = ASSEMBLY_READINGS
    if kind not in wanted:
        raise Refused("kind", kind, "rpz, dc or pvb", "rpz")
    missing = [name for name in wanted[kind] if name not in readings_pa]
    if missing:
        raise Refused("readings", ", ".join(readings_pa) or "none", f"{', '.join(missing)} too", "check1 7.2")
    psi = {name: value / PA_PER_PSI for name, value in readings_pa.items()}
    odd = next((name for name, value in psi.items() if not 0 <= value <= MOST_PSI), None)
    if odd is not None:
        raise Refused(f"readings.{odd}", f"{psi[odd]:.2f} psi", f"0 to {MOST_PSI:.0f} psi", "2.4")
    why: list[str] = []
    parts: list[str] = []

    def least(name: str, title: str, limit: float) -> None:
        if psi[name] < limit - 1e-6:
            why.append(f"{title} {deciding(psi[name], limit)} psi, {limit:.1f} at least")
            parts.append(title)

    steps = tuple(Step(name, (), round(value, 3), "psi", "measured") for name, value in psi.items())
    if kind == "rpz":
        least("relief", "relief valve", RELIEF_OPENS_PSI)
        over = psi["check1"] - psi["relief"]
        if over < BUFFER_PSI - 1e-6:
            why.append(f"first check {deciding(over, BUFFER_PSI)} psi over the relief, {BUFFER_PSI:.1f} at least")
            parts.append("first check")
        elif psi["check1"] < LEAST_CHECK_PSI["rpz"] - 1e-6:
            least_psi = LEAST_CHECK_PSI["rpz"]
            why.append(f"first check {deciding(psi['check1'], least_psi)} psi, {least_psi:.1f} as a rule")
            parts.append("first check")
        least("check2", "second check", LEAST_CHECK_PSI["dc"])
        steps = (*steps, Step("buffer = first check - relief", (), round(over, 3), "psi"))
    elif kind == "dc":
        least("check1", "first check", LEAST_CHECK_PSI["dc"])
        least("check2", "second check", LEAST_CHECK_PSI["dc"])
    else:
        least("air_inlet", "air inlet", AIR_INLET_PSI)
        least("check1", "check", LEAST_CHECK_PSI["pvb"])
    passed = not why
    return Verdict(passed, tuple(why) or ("every reading is in its limits",), tuple(parts), steps)


# --- a stand-in gauge -------------------------------------------------------------------------------------------------

FAULTS = ("none", "first", "second", "relief", "air")
NOISE_PSI = 0.1


def simulated(kind: str, fault: str, seed: int = 1) -> dict[str, float]:
    """What a differential gauge would read [Pa] on an assembly that is sound or has a fault: first, second (a fouled
    check), relief (it opens late or leaks), air (the inlet of a pressure vacuum breaker). Marked as simulated wherever
    it is shown. Raises Refused for a fault the kind cannot have."""
    able = {
        "rpz": ("none", "first", "second", "relief"),
        "dc": ("none", "first", "second"),
        "pvb": ("none", "first", "air"),
    }
    if kind not in able:
        raise Refused("kind", kind, "rpz, dc or pvb", "rpz")
    if fault not in able[kind]:
        raise Refused("fault", fault, f"a fault of this kind: {', '.join(able[kind])}", "none")
    rng = random.Random(f"{kind} {fault} {seed}")

    def read(low: float, high: float) -> float:
        return max(rng.uniform(low, high) + rng.gauss(0, NOISE_PSI), 0.0)

    if kind == "rpz":
        relief = read(0.2, 1.6) if fault == "relief" else read(2.4, 3.2)
        check1 = relief + read(0.2, 2.5) if fault == "first" else read(6.8, 9.0)
        check2 = read(0.0, 0.6) if fault == "second" else read(1.4, 3.0)
        found = {"check1": check1, "relief": relief, "check2": check2}
    elif kind == "dc":
        found = {
            "check1": read(0.0, 0.6) if fault == "first" else read(1.4, 3.5),
            "check2": read(0.0, 0.6) if fault == "second" else read(1.4, 3.5),
        }
    else:
        found = {
            "air_inlet": read(0.0, 0.6) if fault == "air" else read(1.4, 2.5),
            "check1": read(0.0, 0.6) if fault == "first" else read(1.4, 3.0),
        }
    return {name: round(value, 1) * PA_PER_PSI for name, value in found.items()}


@dataclass(frozen=True, slots=True)
class Procedure:
    """How a kind is tested. title; readings: (name, in words) in the order they are read; least_psi: reading -> the
    least it passes with, as a rule; steps: (what is done, the reading it gives or "")."""

    title: str
    readings: tuple[tuple[str, str], ...]
    least_psi: Mapping[str, float]
    steps: tuple[tuple[str, str], ...]


DONE = ("Gauge off, all test cocks shut and capped, both valves open slowly; the users told.", "")
KINDS: Mapping[str, Procedure] = {
    "rpz": Procedure(
        "reduced-pressure assembly",
        (("check1", "over the first check"), ("relief", "relief opens at"), ("check2", "second check holds")),
        {"check1": LEAST_CHECK_PSI["rpz"], "relief": RELIEF_OPENS_PSI, "check2": LEAST_CHECK_PSI["dc"]},
        (
            (
                "Tell the users. Valve behind it shut, the one before open; cocks flushed; gauge on cocks 2 and 3.",
                "",
            ),
            ("Bleed the gauge; read the drop over the first check.", "check1"),
            ("Open the needle valve slowly until the relief drips; read.", "relief"),
            ("High hose to cock 4: back-pressure on the second check. It holds when the reading stands.", "check2"),
            DONE,
        ),
    ),
    "dc": Procedure(
        "double check assembly",
        (("check1", "over the first check"), ("check2", "over the second check")),
        {"check1": LEAST_CHECK_PSI["dc"], "check2": LEAST_CHECK_PSI["dc"]},
        (
            (
                "Tell the users. Valve behind it shut, the one before open; cocks flushed; gauge on cocks 2 and 3.",
                "",
            ),
            ("Bleed the gauge; read the drop over the first check.", "check1"),
            ("Gauge on cocks 3 and 4; bleed; read the drop over the second check.", "check2"),
            DONE,
        ),
    ),
    "pvb": Procedure(
        "pressure vacuum breaker",
        (("air_inlet", "air inlet opens at"), ("check1", "over the check")),
        {"air_inlet": AIR_INLET_PSI, "check1": LEAST_CHECK_PSI["pvb"]},
        (
            ("Tell the users. Canopy off; valve behind it shut; gauge on cock 2, its hose level with the breaker.", ""),
            ("Let the water down slowly until the inlet opens; read.", "air_inlet"),
            ("Gauge on cock 1; bleed cock 2; read the drop over the check.", "check1"),
            DONE,
        ),
    ),
}
