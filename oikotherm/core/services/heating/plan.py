"""The steps of work on a heating circuit: made safe, drained, proved, filled, bled, heated."""

from __future__ import annotations

from collections.abc import Iterable

from ...design import Design
from ...network.graph import has_trait
from ...work.plan import rates
from ...work.steps import Need, WorkStep
from .circuits import ROLES, is_source, takes_heat
from .sizing import heating_of


def _heating(design: Design) -> bool:
    return any(run.service == "heating" for run in design.job.runs) or any(
        is_source(s) or takes_heat(s) for s in design.job.stations
    )


def _old(design: Design) -> bool:
    """Whether there is an old system, with water in it."""
    old = ("keep", "remove")
    return any(station.state in old for station in design.job.stations) or any(
        run.state in old for run in design.job.runs
    )


def _level_ids(design: Design) -> list[str]:
    """Levels with heating on them, lowest first."""
    used = {station.level for station in design.job.stations if any(port.role in ROLES for port in station.ports)}
    return [level.id for level in sorted(design.job.house.levels, key=lambda level: level.floor_mm) if level.id in used]


def _level_name(design: Design, ident: str) -> str:
    level = design.job.level(ident)
    return level.name if level else ident


def _isolate(design: Design) -> Iterable[WorkStep]:
    if _heating(design):
        yield WorkStep(
            "isolate", "isolate", "Make it safe", "supply, boiler", (), rates(design)["isolate"], (0,), "power proven dead and locked off, water and gas shut",
            "Electrical isolation is proven dead by a competent person; gas is licensed work.", ("lock-off kit", "voltage tester"),
        )  # fmt: skip


def _drain(design: Design) -> Iterable[WorkStep]:
    """Drain from the lowest drain; bleed screws open from the top floor down, so that air enters behind the water."""
    if not _old(design):
        return
    levels = list(reversed(_level_ids(design)))
    for number, level in enumerate(levels):
        needs = [Need("isolate", "a boiler that fires dry is lost, and hot water scalds")]
        if number:
            needs.append(Need(f"drain:{levels[number - 1]}", "air has to enter above before the water below can leave"))
        yield WorkStep(
            f"drain:{level}", "drain", f"Drain {_level_name(design, level)}", level, tuple(needs), rates(design)["drain"], (1, number), "",
            "Hot water scalds: let it cool first." if number == 0 else "", ("hose", "bleed key", "tub for what stays below"),
        )  # fmt: skip


def _prove(design: Design) -> Iterable[WorkStep]:
    runs = [run for run in design.job.runs if run.state == "new" and run.service == "heating"]
    if not runs:
        return
    needs = tuple(Need(f"pipe:{run.id}", "an open run cannot hold pressure") for run in runs)
    hung = tuple(
        Need(f"hang:{s.id}", "what is not hung cannot be tested")
        for s in design.job.stations
        if s.state == "new" and not has_trait(s, "unhung")
    )
    yield WorkStep(
        "proof", "proof", "Prove it tight", "the whole circuit", (*needs, *hung), rates(design)["proof"], (4,), "passed before anything is boxed, boarded or lagged",
        "Water under pressure: stand clear of open ends and caps.", ("test gauge", "hand pump", "tissue"),
    )  # fmt: skip
    yield WorkStep(
        "fill", "fill", "Fill, dose and set the pressure", "filling point", (Need("proof", "inhibitor in a system that leaks is lost"),), rates(design)["fill"], (5,),
        "cold pressure as on the sizes page", "", ("hose", "inhibitor"),
    )  # fmt: skip


def _bleed(design: Design) -> Iterable[WorkStep]:
    """Bleed from the lowest floor up, pump off; within a level by piped distance from the source."""
    if not any(run.state == "new" and run.service == "heating" for run in design.job.runs):
        return
    levels = _level_ids(design)
    for number, level in enumerate(levels):
        here = [
            station
            for station in design.job.stations
            if station.level == level and has_trait(station, "vents") and station.state != "remove"
        ]
        here.sort(key=lambda station: (_distance_m(design, station.id), station.id))
        needs = [Need("fill", "there is nothing to let out yet")]
        if number:
            needs.append(Need(f"bleed:{levels[number - 1]}", "air from below rises to where it was just let out"))
        names = ", ".join(station.id for station in here)
        yield WorkStep(
            f"bleed:{level}", "bleed", f"Bleed {_level_name(design, level)}", names or level, tuple(needs), max(rates(design)["bleed"] * len(here), 2.0), (6, number),
            "pump off; top up between levels", "", ("bleed key", "cloth"),
        )  # fmt: skip


def _distance_m(design: Design, station: str) -> float:
    """Pipe from the source to an emitter and back [m]; far for one that is not joined."""
    for heating in heating_of(design):
        for load in heating.loads:
            if load.station == station:
                return sum(heating.section(ident).length_m for ident in load.path)
    return 1e9


def _finish(design: Design) -> Iterable[WorkStep]:
    if any(run.state == "new" and run.service == "heating" for run in design.job.runs):
        bleeds = tuple(Need(f"bleed:{level}", "a pump with air in it runs dry") for level in _level_ids(design))
        yield WorkStep(
            "hot", "hot check", "Heat it and look at every joint hot", "the whole circuit", (*bleeds, Need("fill", "a dry boiler is lost")), rates(design)["hot check"], (7,),
            "cold pressure the same again afterwards", "Gas and combustion are for the licensed person. Hot metal and water scald.", ("torch lamp", "thermometer"),
            closes="what was never hot may still weep",
        )  # fmt: skip


STEPS = (_isolate, _drain, _prove, _bleed, _finish)
