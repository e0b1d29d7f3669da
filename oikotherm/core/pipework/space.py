"""Pipes in space: how near they come to each other and to other things."""

from __future__ import annotations

import functools
import itertools
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass

from ..catalogue import Catalogue
from ..job.model import Box, Pipe
from ..job.ways import Vec
from .trace import Pipework, Straight

CELL_MM = 700.0


@dataclass(frozen=True, slots=True)
class Near:
    """Two straights and where they come nearest: gap_mm between their centre lines, points on each."""

    one: Straight
    other: Straight
    gap_mm: float
    on_one: Vec
    on_other: Vec

    @property
    def parallel(self) -> bool:
        return abs(self.one.way.dot(self.other.way)) > 0.99


def radius_mm(catalogue: Catalogue, pipe: Pipe) -> float:
    """Outside radius of a pipe [mm]; 0 for one without a size."""
    row = catalogue.pipe(pipe.code, pipe.size)
    return row.od_mm / 2 if row and row.od_mm else 0.0


def nearest_points(a: Vec, b: Vec, c: Vec, d: Vec) -> tuple[Vec, Vec]:
    """The points of segments a-b and c-d that lie nearest to each other (Ericson, Real-Time Collision Detection, 5.1.9).

    Of parallel segments that overlap, the middle of the overlap.
    """
    u, v, w = b.minus(a), d.minus(c), a.minus(c)
    uu, vv, uv = u.dot(u), v.dot(v), u.dot(v)
    if uu < 1e-12 or vv < 1e-12:
        s = 0.0
        t = min(1.0, max(0.0, w.dot(v) / vv)) if vv > 1e-12 else 0.0
        if uu > 1e-12:
            s = min(1.0, max(0.0, -w.dot(u) / uu))
        return a.plus(u, s), c.plus(v, t)
    det = uu * vv - uv * uv
    if det < 1e-9 * uu * vv:
        ends = sorted((0.0, 1.0, c.minus(a).dot(u) / uu, d.minus(a).dot(u) / uu))
        s = min(1.0, max(0.0, (ends[1] + ends[2]) / 2))
    else:
        s = min(1.0, max(0.0, (uv * w.dot(v) - vv * w.dot(u)) / det))
    t = (uv * s + w.dot(v)) / vv
    if not 0 <= t <= 1:
        t = min(1.0, max(0.0, t))
        s = min(1.0, max(0.0, (uv * t - w.dot(u)) / uu))
    return a.plus(u, s), c.plus(v, t)


@functools.lru_cache(maxsize=50_000)
def box_gap_mm(a: Vec, b: Vec, box: Box) -> tuple[float, Vec]:
    """How far a segment passes from a box [mm], 0 where it goes through; and the point of it that is nearest.

    The distance along a segment is convex, so that halving finds it to a micrometre.
    """
    low, high = box

    def gap(point: Vec) -> float:
        return Vec(*(max(lo - p, 0.0, p - hi) for lo, p, hi in zip(low, point, high, strict=True))).length

    way = b.minus(a)
    left, right = 0.0, 1.0
    for _ in range(48):
        p, q = left + (right - left) / 3, right - (right - left) / 3
        if gap(a.plus(way, p)) <= gap(a.plus(way, q)):
            right = q
        else:
            left = p
    spot = a.plus(way, (left + right) / 2)
    return gap(spot), spot


def near_pairs(pipework: Pipework, spans: dict[str, tuple[Vec, Vec]], reach_mm: float) -> Iterator[Near]:
    """All pairs of straights that come within reach of each other and are not joined there.

    reach_mm: between centre lines. Straights that share a node, or stand on things of one spot, belong together.
    """
    squares: dict[tuple[int, ...], list[str]] = defaultdict(list)
    spot: dict[str, tuple[int, ...]] = {}
    for key, node in pipework.nodes.items():
        spot[key] = tuple(round(part) for part in node.at)
    seen: set[tuple[str, str]] = set()
    boxes: dict[str, tuple[float, ...]] = {}
    straights = pipework.straights
    for key, straight in straights.items():
        a, b = spans[key]
        if straight.close or b.minus(a).length < 1.0:
            continue
        lows = [int((min(p, q) - reach_mm) // CELL_MM) for p, q in zip(a, b, strict=True)]
        highs = [int((max(p, q) + reach_mm) // CELL_MM) for p, q in zip(a, b, strict=True)]
        box = boxes[key] = (*map(min, a, b), *map(max, a, b))
        cells = list(itertools.product(*(range(lo, hi + 1) for lo, hi in zip(lows, highs, strict=True))))
        for cell in cells:
            for other_key in squares[cell]:
                pair = (other_key, key)
                if pair in seen:
                    continue
                seen.add(pair)
                far = boxes[other_key]
                if any(far[n] - box[n + 3] > reach_mm or box[n] - far[n + 3] > reach_mm for n in range(3)):
                    continue
                other = straights[other_key]
                ends = {spot[straight.from_node], spot[straight.to_node]} & {spot[other.from_node], spot[other.to_node]}
                if ends:
                    continue
                p, q = nearest_points(*spans[other_key], a, b)
                gap = q.minus(p).length
                if gap < reach_mm:
                    yield Near(other, straight, gap, p, q)
        for cell in cells:
            squares[cell].append(key)
