"""The steps of work on a heating circuit beside those of all pipe: drained, filled, bled, heated."""

from __future__ import annotations

from collections.abc import Iterable

from ...layout import Layout
from ...network.graph import has_trait
from ...work.plan import is_old, rates, touched
from ...work.refill import gate
from ...work.steps import Effect, Need, WorkStep
from .boiler_change import boiler_steps, new_boilers
from .circuits import ROLES, is_source
from .sizing import heating_of
from .stations import SPEC

FAR_M = 1e9  # of an emitter that is not joined


def _level_ids(design: Layout) -> list[str]:
    """Levels with heating on them, lowest first."""
    used = {station.level for station in design.job.stations if any(port.role in ROLES for port in station.ports)}
    return [level.id for level in sorted(design.job.house.levels, key=lambda level: level.floor_mm) if level.id in used]


def _level_name(design: Layout, ident: str) -> str:
    level = design.job.level(ident)
    return level.name if level else ident


def _drain(design: Layout) -> Iterable[WorkStep]:
    """Drain from the lowest drain; bleed screws open from the top floor down, so that air enters behind the water."""
    if SPEC.id not in touched(design) or not is_old(design, SPEC.id):
        return
    levels = list(reversed(_level_ids(design)))
    for number, level in enumerate(levels):
        needs = [Need("isolate", "a boiler that fires dry is lost, and hot water scalds")]
        if number:
            needs.append(Need(f"drain:{levels[number - 1]}", "air has to enter above before the water below can leave"))
        yield WorkStep(
            f"drain:{level}",
            "drain",
            f"Drain {_level_name(design, level)}",
            level,
            tuple(needs),
            rates(design)["drain"],
            (1, number),
            "",
            "Hot water scalds: let it cool first." if number == 0 else "",
            ("hose", "bleed key", "tub for what stays below"),
            service=SPEC.id,
            effects=(Effect("drain", level),),
        )


def _fill(design: Layout) -> Iterable[WorkStep]:
    if _piped(design):
        yield WorkStep(
            "fill",
            "fill",
            "Fill, dose and set the pressure",
            "filling point",
            (
                Need("proof", "inhibitor in a system that leaks is lost"),
                Need("flush", "inhibitor goes into clean water"),
                Need("refill:water", "it is filled from it"),
            ),
            rates(design)["fill"],
            (5,),
            "cold pressure as on the sizes page",
            "",
            ("hose", "inhibitor"),
            service=SPEC.id,
            effects=(Effect("fill", SPEC.id),),
            checks=gate(design, SPEC.id, "fill"),
        )


def _piped(design: Layout) -> bool:
    return any(run.state == "new" and run.service == SPEC.id for run in design.job.runs)


def _bleed(design: Layout) -> Iterable[WorkStep]:
    """Bleed from the lowest floor up, pump off; within a level by piped distance from the source."""
    if not _piped(design):
        return
    levels, far_m = _level_ids(design), _distances_m(design)
    for number, level in enumerate(levels):
        here = [
            station
            for station in design.job.stations
            if station.level == level and has_trait(station, "vents") and station.state != "remove"
        ]
        here.sort(key=lambda station: (far_m.get(station.id, FAR_M), station.id))
        needs = [Need("fill", "there is nothing to let out yet")]
        if number:
            needs.append(Need(f"bleed:{levels[number - 1]}", "air from below rises to where it was just let out"))
        names = ", ".join(station.id for station in here)
        yield WorkStep(
            f"bleed:{level}",
            "bleed",
            f"Bleed {_level_name(design, level)}",
            names or level,
            tuple(needs),
            max(rates(design)["bleed"] * len(here), 2.0),
            (6, number),
            "pump off; top up between levels",
            "",
            ("bleed key", "cloth"),
            service=SPEC.id,
        )


def _distances_m(design: Layout) -> dict[str, float]:
    """Emitter -> pipe from the source to it and back [m]; those that are not joined are left out."""
    found: dict[str, float] = {}
    for heating in heating_of(design):
        long_m = {section.id: section.length_m for section in heating.sections}
        for load in heating.loads:
            found.setdefault(load.station, sum(long_m[ident] for ident in load.path))
    return found


def _finish(design: Layout) -> Iterable[WorkStep]:
    if _piped(design):
        bleeds = tuple(Need(f"bleed:{level}", "a pump with air in it runs dry") for level in _level_ids(design))
        yield WorkStep(
            "hot",
            "hot check",
            "Heat it and look at every joint hot",
            "the whole circuit",
            (
                *bleeds,
                Need("fill", "a dry boiler is lost"),
                Need("purge:gas", "no gas, no flame"),
                *(
                    Need(f"{before}:{one.id}", "it does not fire before")
                    for one in new_boilers(design.job)
                    for before in ("flue", "condensate", "bonding", "controls")
                ),
            ),
            rates(design)["hot check"],
            (7,),
            "cold pressure the same again afterwards",
            "Gas and combustion are for the licensed person. Hot metal and water scald.",
            ("torch lamp", "thermometer"),
            closes="what was never hot may still weep",
            service=SPEC.id,
            effects=tuple(
                Effect("light", one.id) for one in design.job.stations if is_source(one) and one.state != "remove"
            ),
        )


def _mark_flow(design: Layout) -> Iterable[WorkStep]:
    """Which of the old pipes is the flow is told by heat, before the boiler is off."""
    if SPEC.id in touched(design) and is_old(design, SPEC.id):
        yield WorkStep(
            "mark-flow",
            "mark flow",
            "Mark the flow, hot",
            "at the boiler and at each radiator that stays",
            (),
            rates(design)["mark flow"],
            (-1,),
            "marked on the pipe, and photographed, before anything is drained",
            "Hot pipes burn.",
            ("thermometer or two clamps", "tape to mark"),
            service=SPEC.id,
        )


STEPS = (_mark_flow, _drain, _fill, _bleed, _finish, boiler_steps)
