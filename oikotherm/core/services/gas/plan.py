"""Gas in the plan: purged once it is proved tight, then every appliance on it lit again, by the licensed person."""

from __future__ import annotations

from collections.abc import Iterable

from ...job.model import Station
from ...layout import Layout
from ...work.plan import is_old, rates, touched
from ...work.sections import sections_of
from ...work.steps import Effect, Need, WorkStep
from .stations import SPEC
from .tightness import BURNER_L_H, METER_L, PURGE_TIMES
from .train import burns

LICENSED = "Gas is licensed work: purging and lighting are for the licensed person."
CLEAR = "Nothing that ignites near; a gas indicator tells when it is there, never the nose. Propane collects low."


def gas_appliances(design: Layout) -> list[Station]:
    """The appliances that burn gas that comes by pipe, as they stand when the job is done."""
    piped = {
        place.station.id
        for key, place in design.pipework.ports.items()
        if place.port.role == SPEC.id and design.pipework.arms.get(key)
    }
    return [one for one in design.job.stations if one.id in piped and burns(one) and one.state != "remove"]


def purge_litres(design: Layout) -> float:
    """What goes out before gas is there [L]: 1.5 x the pipe that is proved, and the meter (typ)."""
    pipe = sum(one.volume_l for one in sections_of(design) if one.service == SPEC.id)
    meters = sum(
        station.kind == "meter" and any(port.role == SPEC.id for port in station.ports)
        for station in design.job.stations
    )
    return PURGE_TIMES * pipe + METER_L["diaphragm-6"] * bool(meters)


def _purge(design: Layout) -> Iterable[WorkStep]:
    new = any(run.service == SPEC.id and run.state == "new" for run in design.job.runs)
    off = SPEC.id in touched(design) and is_old(design, SPEC.id)
    appliances = gas_appliances(design)
    if not (new or off) or not appliances:
        return
    litres = purge_litres(design)
    minutes = litres / BURNER_L_H["range"] * 60
    proofs = tuple(
        Need(f"proof:{one.key}", "gas comes into proved pipe alone")
        for one in sections_of(design)
        if one.service == SPEC.id
    )
    yield WorkStep(
        "purge:gas",
        "purge",
        "Purge the gas pipe",
        "out of doors, or through an open burner whose flame is ready",
        proofs,
        max(rates(design)["purge"], round(minutes)),
        (5.5,),
        "the gas indicator reads gas; every open end closed again",
        f"{LICENSED} {CLEAR}",
        ("gas indicator", "hose to the open"),
        closes="a pipe full of air lights nothing",
        how=f"About {litres:.1f} L: 1.5 times the pipe and the meter; through a range burner {minutes:.0f} minutes.",
        service=SPEC.id,
        effects=(Effect("purge", SPEC.id),),
    )
    heated = {one.id for one in design.job.stations if one.kind == "boiler"}
    names = [one.id for one in appliances]
    yield WorkStep(
        "light:gas",
        "light",
        "Light every gas appliance again",
        ", ".join(names),
        (Need("purge:gas", "it will not burn on air"),),
        rates(design)["light"] * len(names),
        (7.5,),
        "each lit by its maker's instruction, every joint soaped with gas in it, and what was not worked on looked at",
        LICENSED,
        ("leak detection fluid", "carbon monoxide alarm"),
        closes="an appliance left off is found cold, one left open is found otherwise",
        service=SPEC.id,
        effects=tuple(Effect("light", name) for name in names if name not in heated),
    )


STEPS = (_purge,)
