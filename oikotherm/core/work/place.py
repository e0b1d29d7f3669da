"""Where something is in the house, as one says it: level, room, how the pipe lies."""

from __future__ import annotations

from ..job.ways import Vec, inside
from ..layout import Layout

BELOW_MM = 400.0  # pipe this far under a floor still belongs to that level


def place_words(design: Layout, at: Vec, lies: str = "") -> str:
    """ "Tea room, floor" or "Ground floor": the room whose outline holds the point, else the level; then how the pipe
    lies."""
    house = design.job.house
    below = [level for level in house.levels if level.floor_mm - BELOW_MM <= at.z]
    level = max(below, key=lambda one: one.floor_mm, default=None) or min(
        house.levels, key=lambda one: one.floor_mm, default=None
    )
    if level is None:
        return lies
    room = next((room for room in house.rooms if room.level == level.id and inside(room.outline, at.x, at.y)), None)
    words = [room.name if room else level.name]
    if at.z < level.floor_mm - 1:
        words.append("under the floor")
    elif lies and lies != "view":
        words.append(lies)
    return ", ".join(words)
