"""A boiler changed: its bracket from the flue, the steps beside those of all pipe, what is read and kept when it
runs."""

from __future__ import annotations

import functools
from collections.abc import Iterable
from dataclasses import dataclass

from ...errors import Refused
from ...job.model import Job, Station
from ...layout import Layout
from ...quantity import PA_PER_BAR, length_text, trim
from ...tables import read_rows
from ...work.plan import is_old, rates
from ...work.steps import GAUGES_DIFFER_PA, CommissionLine, Effect, Need, WorkStep
from ...working import Step
from .circuits import is_source
from .sizing import heating_of
from .stations import SPEC

FALL_MM_M = 44.0  # 2.5 degrees, typ: flue to the boiler, condensate away from it
HOLE_OVER_MM = (10.0, 20.0)  # typ: the wall hole over the flue
GROSS_KWH_M3 = 10.7  # typ: natural gas, gross
HOT_RISE_K = 35.0  # typ: what the hot water of a combi is stated at
USUAL_FLUE_MM, USUAL_WALL_MM = 100.0, 300.0


@dataclass(frozen=True, slots=True)
class Template:
    """Where a boiler's bracket and flue hole come [mm]: bracket above the floor, hole least and most across, fall of
    the flue to the boiler through the wall."""

    bracket_mm: float
    hole_mm: tuple[float, float]
    fall_mm: float
    working: tuple[Step, ...]


def template_of(flue_centre_mm: float, bracket_below_mm: float, flue_mm: float, wall_mm: float) -> Template:
    """The maker's paper hung from the flue. flue_centre_mm: above the floor, 300 to 5000; bracket_below_mm: the maker's
    measure from flue centre down to the bracket, 0 to 1500; flue_mm: across, 50 to 250; wall_mm: 20 to 1500. Hole =
    flue + 10 to 20, fall 44 mm a metre (typ, unless the maker says other). Raises Refused."""
    for name, value, least, most, example in (
        ("flue_centre", flue_centre_mm, 300, 5000, "2000"),
        ("bracket_below", bracket_below_mm, 0, 1500, "180"),
        ("flue", flue_mm, 50, 250, "100"),
        ("wall", wall_mm, 20, 1500, "300"),
    ):
        if not least <= value <= most:
            raise Refused(name, value, f"{least} to {most} mm", example)
    if bracket_below_mm >= flue_centre_mm:
        raise Refused("bracket_below", bracket_below_mm, "less than the height of the flue centre", "180")
    bracket, fall = flue_centre_mm - bracket_below_mm, FALL_MM_M * wall_mm / 1000
    hole = (flue_mm + HOLE_OVER_MM[0], flue_mm + HOLE_OVER_MM[1])
    working = (
        Step(
            "bracket = flue centre - maker's measure",
            (("flue_centre_mm", flue_centre_mm), ("bracket_below_mm", bracket_below_mm)),
            bracket,
            "mm",
            "maker",
        ),
        Step("hole = flue + 10 to 20", (("flue_mm", flue_mm),), hole[0], "mm", "typ"),
        Step("fall = 44 mm a metre x wall", (("wall_mm", wall_mm),), fall, "mm", "typ, unless the maker says other"),
    )
    return Template(bracket, hole, fall, working)


@functools.cache
def _lines() -> tuple[dict[str, str], ...]:
    return tuple(read_rows(__package__, "commissioning.csv"))


def new_boilers(job: Job) -> tuple[Station, ...]:
    """The boilers that a job brings."""
    return tuple(one for one in job.stations if one.state == "new" and one.kind == "boiler" and is_source(one))


def commissioning(design: Layout) -> tuple[tuple[str, tuple[CommissionLine, ...]], ...]:
    """What is read and kept for every new boiler when it runs, line by line."""
    return tuple((one.id, tuple(_commission(design, one))) for one in new_boilers(design.job))


def _commission(design: Layout, boiler: Station) -> Iterable[CommissionLine]:
    roles = {port.role for port in boiler.ports}
    holds = {*roles, *((boiler.variant,) if boiler.variant else ())}
    for row in _lines():
        if not row["when"] or row["when"] in holds:
            key = f"commission:{boiler.id}:{row['id']}"
            yield CommissionLine(
                key,
                row["says"],
                row["unit"],
                _expected(design, boiler, row["expected"]),
                row["source"],
                _vessel_pa(design, boiler) if row["id"] == "precharge" else None,
                GAUGES_DIFFER_PA,
            )


def _vessel_pa(design: Layout, boiler: Station) -> float | None:
    heating = next((one for one in heating_of(design) if one.circuit.source.id == boiler.id), None)
    return None if heating is None or heating.vessel is None else heating.vessel.precharge_bar * PA_PER_BAR


def _expected(design: Layout, boiler: Station, what: str) -> str:
    """What a reading should come to, by the plate and the circuit; "" where neither says."""
    heating = next((one for one in heating_of(design) if one.circuit.source.id == boiler.id), None)
    if what == "gas_m3_h" and boiler.data.input_w and (boiler.data.gas or "natural") == "natural":
        gross = boiler.data.input_w / 1000 / GROSS_KWH_M3
        return f"{trim(gross, 2)} at {trim(boiler.data.input_w / 1000, 1)} kW gross"
    if what == "hot_l_min" and boiler.data.output_w:
        litres = boiler.data.output_w / 1000 * 14.3 / HOT_RISE_K
        return f"{trim(litres, 1)} at a rise of {HOT_RISE_K:.0f} K"
    if what == "cold_bar" and heating is not None and heating.vessel is not None:
        return trim(heating.vessel.cold_fill_bar, 1)
    if what == "precharge_bar" and heating is not None and heating.vessel is not None:
        return trim(heating.vessel.precharge_bar, 1)
    if what in ("flow_c", "return_c") and heating is not None:
        terms = heating.circuit.terms
        return f"up to {trim(terms.flow_c if what == 'flow_c' else terms.return_c, 0)}"
    return ""


def boiler_steps(design: Layout) -> Iterable[WorkStep]:
    """What a boiler changed asks for beside its hanging and its pipes: template, flue, condensate, bonding, controls,
    flush, commissioning. Source: usual practice; who may do it is local law."""
    table, unit = rates(design), design.job.pace_unit
    boilers = new_boilers(design.job)
    piped = tuple(
        Need(f"pipe:{run.id}", "the pipe is fixed first")
        for run in design.job.runs
        if run.state == "new" and run.service in (SPEC.id, "gas")
    )
    for boiler in boilers:
        data, where = boiler.data, boiler.name or boiler.id
        gone = tuple(
            Need(f"off:{one.id}", "the old one hangs there")
            for one in design.job.stations
            if one.state == "remove" and one.kind == boiler.kind
        )
        how = "Hang the maker's paper from the flue centre, level; mark bracket holes, flue hole and pipes from it."
        flue_mm = data.flue_mm or USUAL_FLUE_MM
        if data.flue_centre_mm and data.bracket_below_mm and data.bracket_below_mm < data.flue_centre_mm:
            up = length_text(data.flue_centre_mm - data.bracket_below_mm, unit, with_unit=True)
            how += f" Bracket {up} above the floor."
        yield WorkStep(
            f"template:{boiler.id}",
            "template",
            f"Hang the template of {boiler.id}",
            where,
            gone,
            table["template"],
            (1.9,),
            "level, and clear all round as the maker asks",
            how=how,
            tools=("level", "tape", "pencil"),
            service=SPEC.id,
        )
        fall = length_text(round(FALL_MM_M * USUAL_WALL_MM / 1000), unit, with_unit=True)
        wall = length_text(USUAL_WALL_MM, unit, with_unit=True)
        sizes = [length_text(flue_mm + over, unit) for over in HOLE_OVER_MM]
        yield WorkStep(
            f"flue:{boiler.id}",
            "flue",
            f"Flue of {boiler.id} through the wall",
            where,
            (Need(f"hang:{boiler.id}", "it is measured from the boiler as it hangs"),),
            table["flue"],
            (2.5,),
            "terminal where maker and local code allow; every joint pushed home; sealed inside and out",
            "Drilling: detect cables and pipes first; look where the hole comes out.",
            ("core drill", "level", "sealant"),
            how=(
                f"Hole {sizes[0]} to {sizes[1]}{' mm' if unit == 'mm' else ''} across, falling to the boiler 44 mm a "
                f"metre unless the maker says other: {fall} through {wall}."
            ),
            service=SPEC.id,
        )
        if any(port.role == "condensate" for port in boiler.ports):
            yield WorkStep(
                f"condensate:{boiler.id}",
                "condensate",
                f"Condensate of {boiler.id}",
                where,
                (Need(f"flue:{boiler.id}", "both leave by the same wall"),),
                table["condensate"],
                (3.6,),
                "trap full before the boiler fires",
                how=(
                    "Plastic, push-fit or solvent, never metal; falls 44 mm a metre all the way; outside short, 30 mm "
                    "bore or more, lagged."
                ),
                service=SPEC.id,
            )
        if any(port.role == "gas" for port in boiler.ports):
            yield WorkStep(
                f"bonding:{boiler.id}",
                "bonding",
                "Bonding",
                "by a competent electrician",
                piped,
                table["bonding"],
                (3.7,),
                "clamp on clean metal, labelled, before the gas is on",
                "Electrical work: the competent person.",
                service=SPEC.id,
            )
        yield WorkStep(
            f"controls:{boiler.id}",
            "controls",
            f"Wire {boiler.id} and its controls",
            "by a competent person",
            (Need(f"hang:{boiler.id}", "there is nothing to wire yet"),),
            table["controls"],
            (4.5,),
            "fuse, thermostat, clock and interlock as the maker and the local code ask",
            "Power proven dead and locked off until it is tested.",
            service=SPEC.id,
        )
        yield WorkStep(
            f"commission:{boiler.id}",
            "commission",
            f"Commission {boiler.id}",
            "readings are kept under Prove",
            (Need("hot", "it is read when it has run"), Need(f"controls:{boiler.id}", "it does not run without")),
            table["commission"],
            (7.1,),
            "combustion and gas by the licensed person; every line has its value",
            "Gas and combustion are for the licensed person.",
            ("gauge", "flue analyser", "thermometers"),
            closes="it is not read",
            service=SPEC.id,
            effects=(Effect("light", boiler.id),),
        )
    if boilers and is_old(design, SPEC.id):
        yield WorkStep(
            "flush",
            "flush",
            "Flush",
            "the whole circuit",
            (Need("proof", "dirty water under pressure finds every leak"),),
            table["flush"],
            (4.6,),
            "water clear, inhibitor not yet in",
            how=(
                "By what came out when it was drained: clear, rinse; brown, circulate a cleaner hot; black, flush with "
                "a machine, radiator by radiator. Filter cleaned after."
            ),
            tools=("hoses", "cleaner", "test strips"),
            service=SPEC.id,
        )
