"""What runs out at a cut: the water that stands above it in what no valve holds, place by place."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ..errors import Refused, nearest
from ..layout import Layout
from ..pipework.water import USUAL_HEIGHT_MM
from .isolation import isolate
from .state import House, house_of

LEAST_L = 0.005


@dataclass(frozen=True, slots=True)
class DrainDown:
    """litres: what comes; at_mm: height of the cut in the house; places: (run or station, litres), most first; valves:
    what is shut first; stays_l: what stands below the cut and does not come."""

    litres: float
    at_mm: float
    places: tuple[tuple[str, float], ...]
    valves: tuple[str, ...]
    stays_l: float


def drain_down(design: Layout, at: str) -> DrainDown:
    """What comes at a cut by gravity and syphon, with the valves nearest to it shut and air let in above: pipe above
    it, over humps too, and of bodies what stands above the port it leaves by. at: a run or a piece of it (cut at its
    lowest), a named point or tee ("C1.T1"), or a station (cut at its lowest port). Raises Refused for what is not
    there, and for gas."""
    house = house_of(design)
    key, z_mm = _place(design, house, at)
    if not any(house.holds_water(piece) for piece in house.pieces(key)):
        raise Refused("at", at, "pipe with water in it", "C1")
    found = isolate(design, key)
    shut = (set(found.valves) | house.shut_as_a_rule) - set(found.opens)
    start = [] if key in house.ports else house.pieces(key)
    there = house.enclosed(start, shut, key if key in house.ports else "")
    places: dict[str, float] = {}
    for piece in there.pieces:
        one = house.work.straights[piece]
        low, high = sorted((one.a.z, one.b.z))
        share = 1.0 if low >= z_mm - 1e-6 else max(high - z_mm, 0.0) / (high - low) if high > low else 0.0
        places[one.run] = places.get(one.run, 0.0) + house.litres([piece]) * share
    for ident, service in there.bodies:
        held = house.body_l(ident, service)
        if held:
            places[ident] = places.get(ident, 0.0) + held * _share(house, ident, service, z_mm, start, shut, key)
    rows = sorted(((name, litres) for name, litres in places.items() if litres >= LEAST_L), key=lambda row: -row[1])
    litres = math.fsum(one for _, one in rows)
    return DrainDown(litres, z_mm, tuple(rows), found.valves, max(house.held_l(there) - litres, 0.0))


def _share(house: House, ident: str, service: str, z_mm: float, start: list[str], shut: set[str], key: str) -> float:
    """What of a body's water comes: what stands above the cut, and above the lowest of the ports by which it hangs
    together with it otherwise than through itself: water does not climb out of its top."""
    work, data = house.work, house.stations[ident].data
    own = {
        node: [piece for piece in pieces if house.service[piece] == service]
        for node, pieces in house.ports.get(ident, {}).items()
    }
    places = {node: work.ports[work.nodes[node].part] for node, pieces in own.items() if pieces}
    if not places:
        return 0.0
    bottom = min(one.plane.z - one.port.offset[2] for one in places.values())
    if ident == key:
        out = min(one.plane.z for one in places.values())
    else:
        reached = set(house.enclosed(start, shut, key if key in house.ports else "", without=ident).pieces)
        outs = [places[node].plane.z for node in places if node not in shut and reached & set(own[node])]
        out = min(outs, default=math.inf)
    level = max(z_mm, out)
    return 1 - min(max((level - bottom) / (data.height_mm or USUAL_HEIGHT_MM), 0.0), 1.0)


def _place(design: Layout, house: House, at: str) -> tuple[str, float]:
    """What is worked on, by its key, and the height of the cut [mm]."""
    work, said = house.work, at.strip()
    if said in work.straights:
        return said, min(work.straights[said].a.z, work.straights[said].b.z)
    if said in house.ports:
        wet = [node for node, pieces in house.ports[said].items() if any(house.holds_water(one) for one in pieces)]
        return said, min(work.nodes[node].at.z for node in wet or house.ports[said])
    if design.job.run(said) is not None:
        pieces = house.pieces(said)
        if pieces:
            return said, min(min(work.straights[one].a.z, work.straights[one].b.z) for one in pieces)
    run, _, name = said.partition(".")
    for key, node in work.nodes.items():
        if node.run == run and node.name == name and name:
            return next(iter(work.arms[key].values())), node.at.z
    known = [*house.ports, *(one.id for one in design.job.runs)]
    raise Refused("at", at, f"a run, a station or a tee, such as {nearest(said, known) if known else 'C1'}", "C1.T1")
