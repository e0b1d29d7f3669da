"""The state of the house as it is looked at: of every piece of the drawing, and what its valves are called."""

from __future__ import annotations

from collections.abc import Iterable

from ..layout import Layout
from ..quantity import length_text
from .state import House, HouseState, PieceState, house_of

WORST: tuple[PieceState, ...] = ("open", "drained", "purged", "shut", "new", "live", "absent")
"""What a piece of the drawing is shown as where its straights differ: the first of these."""
SAYS = {
    "live": "live",
    "shut": "shut off, still full",
    "drained": "drained",
    "purged": "filled with gas, not yet live",
    "open": "open at an end",
    "new": "new, not yet filled",
    "absent": "not there",
}


def piece_states(design: Layout, state: HouseState) -> dict[str, PieceState]:
    """Piece of the drawing -> its state."""
    found: dict[str, PieceState] = {}
    for key, piece in design.fitted.pieces.items():
        own = {state.straights[one] for one in piece.straights if one in state.straights}
        if own:
            found[key] = min(own, key=WORST.index)
    return found


def valve_names(design: Layout) -> dict[str, str]:
    """Valve -> what it is called: its part, run and how far along; a port's valve by its station."""
    house = house_of(design)
    titles, unit = design.context.catalogue.device_titles(), design.job.pace_unit
    places = along(design)
    found = {}
    for key in house.valves:
        node = house.work.nodes[key]
        if node.kind == "port":
            found[key] = f"{node.part}, its valve"
            continue
        far = places.get(node.item)
        at = f", {length_text(round(far), unit, with_unit=True)} along" if far is not None else ""
        found[key] = f"{node.run}: {titles.get(node.part, node.part)}{f' {node.name}' if node.name else ''}{at}"
    return found


def along(design: Layout) -> dict[str, float]:
    """Item -> how far along its run it stands [mm]."""
    found = {}
    for run in design.job.runs:
        trace = design.traced.runs.get(run.id)
        walked = 0.0
        for item in run.items if trace else ():
            if item.kind == "leg" and trace:
                walked += trace.lengths.get(item.id, 0.0)
            else:
                found[item.id] = walked
    return found


def asked(design: Layout, key: str) -> str:
    """What a piece of the drawing, a straight, a run or a station is for the house: its key there; "" for nothing
    known."""
    house = house_of(design)
    piece = design.fitted.pieces.get(key)
    if piece is not None and piece.straights:
        return piece.straights[0]
    known = key in house.work.straights or key in house.ports or design.job.run(key) is not None
    return key if known and house.pieces(key) else ""


def named(house: House, keys: Iterable[str], names: dict[str, str]) -> list[str]:
    """Valves and sources in words, in the order of the house."""
    return [names.get(key, f"{key} itself") for key in keys]
