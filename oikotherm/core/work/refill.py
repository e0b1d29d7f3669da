"""The gate before pipe is filled again: every cock that is to be shut, the slow opening, the air, the strainers."""

from __future__ import annotations

from ..job.model import DeviceItem
from ..layout import Layout
from ..quantity import length_text
from ..services import spec
from .house_view import along
from .open_ends import open_ends
from .state import House, house_of
from .steps import Check

TEST_COCKS = {"double-check": "four", "reduced-pressure": "four", "vacuum-breaker": "two"}
HOSE_TAPS = ("outside-tap",)
DRAINED_WITH = {"heater": "water", "cylinder": "water", "boiler": "heating"}  # kind with a drain cock -> its service


def gate(design: Layout, service: str, step: str) -> tuple[Check, ...]:
    """What is ticked, one by one, before a service is filled. step: key of the step, in front of each key: drain
    cocks, test cocks, hose taps and ends that wait, then who stands where while it is opened slowly."""
    house = house_of(design)
    said = [*_cocks(design, service), *_ends(design, service)]
    if spec.service(service).through:
        return tuple(Check(f"{step}/{ident}", words) for ident, words in said)
    said.append(("helper", "A helper at the stop valve: a quarter turn first, the rest once nothing runs anywhere"))
    highest = _highest(house, service)
    if highest:
        said.append(("air", f"Air out at {highest}, the highest, until it runs without spitting"))
    if any(station.kind == "outlet" and station.state != "remove" for station in design.job.stations):
        said.append(("strainers", "Strainers and aerators of the taps cleaned after the first minute"))
    return tuple(Check(f"{step}/{ident}", words) for ident, words in said)


def _cocks(design: Layout, service: str) -> list[tuple[str, str]]:
    found = []
    unit, places = design.job.pace_unit, along(design)
    for run in design.job.runs:
        if run.service != service or run.state == "remove":
            continue
        for item in run.items:
            if not isinstance(item, DeviceItem) or item.id not in places:
                continue
            where = f"{run.id}, {length_text(round(places[item.id]), unit, with_unit=True)} along"
            if item.part == "drain":
                found.append((item.id, f"Drain cock on {where}: shut, its cap on"))
            elif item.part in TEST_COCKS:
                count = TEST_COCKS[item.part]
                found.append((item.id, f"Test cocks of the assembly on {where}: all {count} shut and capped"))
    for station in design.job.stations:
        if station.state == "remove" or DRAINED_WITH.get(station.kind) not in (None, service):
            continue
        if service not in {spec.service_of(port.role) for port in station.ports}:
            continue
        if station.kind == "outlet" and station.variant in HOSE_TAPS:
            found.append((station.id, f"Hose tap {station.id}: shut, no hose in a bucket"))
        elif station.kind in DRAINED_WITH:
            found.append((station.id, f"Drain cock of {station.id}: shut, its cap on"))
    return found


def _ends(design: Layout, service: str) -> list[tuple[str, str]]:
    of = {run.id: run.service for run in design.job.runs}
    return [
        (one.key, f"{one.where[0].upper()}{one.where[1:]}: {one.closed} on it")
        for one in open_ends(design)
        if of.get(design.traced.nodes[one.key].run) == service
    ]


def _highest(house: House, service: str) -> str:
    """The outlet, or vent, that stands highest on a service's pipe; "" for none."""
    heights = [
        (max(house.work.nodes[node].at.z for node in ports), ident)
        for ident, ports in house.ports.items()
        if house.stations[ident].kind == "outlet"
        and house.stations[ident].state != "remove"
        and any(house.service[piece] == service for pieces in ports.values() for piece in pieces)
    ]
    return max(heights)[1] if heights else ""
