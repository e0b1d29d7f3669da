"""Directions: N E S W, the diagonals, U and D, and a way turned from one of them towards another ("N+30E")."""

from __future__ import annotations

import math
import re
from typing import NamedTuple


class Vec(NamedTuple):
    """A point or direction in space: x east, y north, z up."""

    x: float
    y: float
    z: float

    def plus(self, other: Vec, times: float = 1.0) -> Vec:
        return Vec(self.x + other.x * times, self.y + other.y * times, self.z + other.z * times)

    def minus(self, other: Vec) -> Vec:
        return Vec(self.x - other.x, self.y - other.y, self.z - other.z)

    def times(self, by: float) -> Vec:
        return Vec(self.x * by, self.y * by, self.z * by)

    def dot(self, other: Vec) -> float:
        return self.x * other.x + self.y * other.y + self.z * other.z

    def cross(self, other: Vec) -> Vec:
        return Vec(
            self.y * other.z - self.z * other.y,
            self.z * other.x - self.x * other.z,
            self.x * other.y - self.y * other.x,
        )

    @property
    def length(self) -> float:
        return math.sqrt(self.x * self.x + self.y * self.y + self.z * self.z)

    def unit(self) -> Vec:
        """Same direction, length 1. ZeroDivisionError for the zero vector."""
        return self.times(1 / self.length)

    def rounded(self) -> Vec:
        """To twelve decimals: of a direction, what is the same whatever the length it was found by."""
        return Vec(round(self.x, 12), round(self.y, 12), round(self.z, 12))


_HALF = math.sqrt(0.5)
DIRECTIONS: dict[str, Vec] = {
    "N": Vec(0, 1, 0),
    "E": Vec(1, 0, 0),
    "S": Vec(0, -1, 0),
    "W": Vec(-1, 0, 0),
    "U": Vec(0, 0, 1),
    "D": Vec(0, 0, -1),
    "NE": Vec(_HALF, _HALF, 0),
    "SE": Vec(_HALF, -_HALF, 0),
    "SW": Vec(-_HALF, -_HALF, 0),
    "NW": Vec(-_HALF, _HALF, 0),
}
_DIR = "NE|SE|SW|NW|N|E|S|W|U|D"
WAY = re.compile(rf"(?P<dir>{_DIR})(?:\+(?P<degrees>\d{{1,3}}(?:\.\d{{1,3}})?)(?P<to>{_DIR}))?", re.IGNORECASE)


def canonical_way(way: str) -> str:
    """The way in capitals, its degrees without empty decimals. ValueError if it is no way.

    Degrees lie above 0 and below 180, and the second direction must not be in line with the first.
    >>> canonical_way("n+30.0e")
    'N+30E'
    """
    found = WAY.fullmatch(way)
    if not found:
        raise ValueError(f"expected a direction such as N, NE or N+30E, found {way!r}")
    first = found["dir"].upper()
    if found["to"] is None:
        return first
    degrees, second = float(found["degrees"]), found["to"].upper()
    if abs(DIRECTIONS[first].dot(DIRECTIONS[second])) > 0.999:
        raise ValueError(f"expected a second direction that is not in line with {first}, found {second}")
    if not 0 < degrees < 180:
        raise ValueError(f"expected degrees between 0 and 180, found {degrees:g}")
    return f"{first}+{degrees:.3f}".rstrip("0").rstrip(".") + second


def way_vector(way: str) -> Vec:
    """The unit vector of a canonical way. "N+30E": from north, 30 degrees towards east.

    >>> tuple(round(part, 3) for part in way_vector("N+30E"))
    (0.5, 0.866, 0.0)
    """
    if way in DIRECTIONS:
        return DIRECTIONS[way]
    found = WAY.fullmatch(way)
    if not found or found["to"] is None:
        raise ValueError(f"expected a direction such as N or N+30E, found {way!r}")
    first, second = DIRECTIONS[found["dir"].upper()], DIRECTIONS[found["to"].upper()]
    across = second.plus(first, -first.dot(second)).unit()
    angle = math.radians(float(found["degrees"]))
    return first.times(math.cos(angle)).plus(across, math.sin(angle))


def nearest_way(vector: Vec) -> str | None:
    """The plain direction a vector points in, within half a degree; None if it points elsewhere or is zero."""
    if vector.length < 1e-9:
        return None
    unit = vector.unit()
    return next((name for name, way in DIRECTIONS.items() if unit.dot(way) > 0.99996), None)


def way_of(vector: Vec) -> str | None:
    """The canonical way of a vector that lies in a plane of two plain directions: "NE", "N+30E", "W+1.432D"; None for
    others.

    Degrees are kept to a thousandth.
    """
    plain = nearest_way(vector)
    if plain and vector.unit().dot(DIRECTIONS[plain]) > 1 - 1e-12:
        return plain
    unit = vector.unit()
    axes = sorted(((unit.dot(DIRECTIONS[name]), name) for name in ("N", "E", "S", "W", "U", "D")), reverse=True)
    (_, first), (second_share, second) = axes[0], axes[1]
    if axes[2][0] > 1e-6 or second_share <= 0:
        return None
    degrees = math.degrees(math.acos(min(1.0, axes[0][0])))
    return canonical_way(f"{first}+{degrees:.3f}{second}") if degrees >= 0.0005 else first


def inside(outline: tuple[tuple[float, float], ...], x: float, y: float) -> bool:
    """Whether a point lies in a polygon, its edge counted in: walls are where pipes are."""
    found = False
    for (x1, y1), (x2, y2) in zip(outline, outline[1:] + outline[:1], strict=True):
        cross = (x2 - x1) * (y - y1) - (y2 - y1) * (x - x1)
        if abs(cross) < 1e-6 and min(x1, x2) <= x <= max(x1, x2) and min(y1, y2) <= y <= max(y1, y2):
            return True
        if (y1 > y) != (y2 > y) and x < (x2 - x1) * (y - y1) / (y2 - y1) + x1:
            found = not found
    return found
