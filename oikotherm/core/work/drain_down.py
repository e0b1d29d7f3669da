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
    """What comes at a cut, with the valves nearest to it shut and air let in above. at: a run (cut at its lowest), a
    named point or tee ("C1.T1"), or a station (cut at its lowest port). Raises Refused for what is not there, and for
    gas."""
    house = house_of(design)
    key, z_mm = _place(design, house, at)
    if any(house.service[piece] == "gas" for piece in house.pieces(key)):
        raise Refused("at", at, "pipe with water in it", "C1")
    found = isolate(design, key)
    lost = set(found.straights)
    places: dict[str, float] = {}
    whole = 0.0
    for piece in lost:
        one = house.work.straights[piece]
        litres = house.litres([piece])
        whole += litres
        low, high = sorted((one.a.z, one.b.z))
        share = 1.0 if low >= z_mm - 1e-6 else max(high - z_mm, 0.0) / (high - low) if high > low else 0.0
        places[one.run] = places.get(one.run, 0.0) + litres * share
    for ident, ports in house.ports.items():
        data = house.stations[ident].data
        held = data.volume_l or 0.0
        if not held or not any(piece in lost for pieces in ports.values() for piece in pieces):
            continue
        bottom = min(
            place.plane.z - place.port.offset[2]
            for place in (house.work.ports[house.work.nodes[node].part] for node in ports)
        )
        share = 1 - min(max((z_mm - bottom) / (data.height_mm or USUAL_HEIGHT_MM), 0.0), 1.0)
        whole += held
        places[ident] = held * share
    rows = sorted(((name, litres) for name, litres in places.items() if litres >= LEAST_L), key=lambda row: -row[1])
    litres = math.fsum(one for _, one in rows)
    return DrainDown(litres, z_mm, tuple(rows), found.valves, max(whole - litres, 0.0))


def _place(design: Layout, house: House, at: str) -> tuple[str, float]:
    """What is worked on, by its key, and the height of the cut [mm]."""
    work, said = house.work, at.strip()
    if said in house.ports:
        return said, min(work.nodes[node].at.z for node in house.ports[said])
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
