"""Pipes in space: how near they come to each other and to other things."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ..catalogue import Catalogue
from ..fields import Box
from ..job.model import Pipe
from ..job.ways import Vec
from .geometry import Pipework, Straight

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]

SWEEP = 2000


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
    """The points of segments a-b and c-d that lie nearest to each other (Ericson, Real-Time Collision Detection,
    5.1.9).

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


def box_gap_mm(a: Vec, b: Vec, box: Box) -> tuple[float, Vec]:
    """How far a segment passes from a box [mm], 0 where it goes through; and the point of it that is nearest, the first
    of several.

    Between the planes of the box's faces the squared distance is one parabola along the segment; the least of them is
    the answer.
    """
    way = b.minus(a)
    slabs = [(lo - p, hi - p, w) for p, w, lo, hi in zip(a, way, *box, strict=True)]
    cuts = {0.0, 1.0}
    for lo, hi, w in slabs:
        if w:
            cuts.update(t for t in (lo / w, hi / w) if 0 < t < 1)
    order = sorted(cuts)
    best, at = math.inf, 0.0
    for t0, t1 in itertools.pairwise(order):
        middle = (t0 + t1) / 2
        outside = [(lo if w * middle < lo else hi, w) for lo, hi, w in slabs if not lo <= w * middle <= hi]
        steep = sum(w * w for _, w in outside)
        t = min(t1, max(t0, sum(c * w for c, w in outside) / steep)) if steep else t0
        gap = sum((c - w * t) ** 2 for c, w in outside)
        if gap < best - 1e-12:
            best, at = gap, t
    return math.sqrt(best), a.plus(way, at)


def near_pairs(pipework: Pipework, spans: dict[str, tuple[Vec, Vec]], reach_mm: float) -> Iterator[Near]:
    """All pairs of straights that come within reach of each other and are not joined there, in the order they are
    paced.

    reach_mm: between centre lines. Straights that share a node, or stand on things of one spot, belong together.
    """
    import numpy as np  # not before it is needed

    straights = [one for one in pipework.straights.values() if not one.close]
    ends = _rows([end for one in straights for end in spans[one.key]]).reshape(-1, 6)
    long = np.square(ends[:, 3:] - ends[:, :3]).sum(axis=1) >= 1.0
    ends, straights = ends[long], list(itertools.compress(straights, long))
    if len(straights) < 2:
        return
    low, high = np.minimum(ends[:, :3], ends[:, 3:]), np.maximum(ends[:, :3], ends[:, 3:])
    nodes = pipework.nodes
    spots = np.stack(
        [_spots([nodes[one.from_node].at for one in straights]), _spots([nodes[one.to_node].at for one in straights])],
        axis=1,
    )
    pairs = boxes_near(low, high, reach_mm)
    joined = (spots[pairs[:, 0], :, None] == spots[pairs[:, 1], None, :]).any(axis=(1, 2))
    pairs = pairs[~joined]
    for n, m in pairs[_gaps_mm(ends, pairs) < reach_mm + 0.01].tolist():
        one, other = straights[n], straights[m]
        p, q = nearest_points(*spans[one.key], *spans[other.key])
        gap = q.minus(p).length
        if gap < reach_mm:
            yield Near(one, other, gap, p, q)


def _gaps_mm(ends: Floats, pairs: NDArray[np.intp]) -> Floats:
    """How near the segments of each pair come, by the same way as nearest_points. ends: two points a row, apart."""
    import numpy as np  # not before it is needed

    a, b, c, d = ends[pairs[:, 0], :3], ends[pairs[:, 0], 3:], ends[pairs[:, 1], :3], ends[pairs[:, 1], 3:]
    u, v, w = b - a, d - c, a - c
    uu, vv, uv, wu, wv = ((p * q).sum(axis=1) for p, q in ((u, u), (v, v), (u, v), (w, u), (w, v)))
    det = uu * vv - uv * uv
    level = det < 1e-9 * uu * vv
    along = np.sort(np.stack((np.zeros_like(uu), np.ones_like(uu), -wu / uu, (uv - wu) / uu)), axis=0)
    s = np.where(level, (along[1] + along[2]) / 2, (uv * wv - vv * wu) / np.where(level, 1.0, det)).clip(0, 1)
    t = (uv * s + wv) / vv
    over = (t < 0) | (t > 1)
    t = t.clip(0, 1)
    s = np.where(over, (uv * t - wu) / uu, s).clip(0, 1)
    found: Floats = np.sqrt(np.square(w + u * s[:, None] - v * t[:, None]).sum(axis=1))
    return found


def _spots(places: list[Vec]) -> NDArray[np.int64]:
    """A number for the millimetre each place lies in, within a kilometre of the origin."""
    import numpy as np  # not before it is needed

    whole = np.rint(_rows(places)).astype(np.int64) + (1 << 20)
    found: NDArray[np.int64] = (whole[:, 0] << 42) | (whole[:, 1] << 21) | whole[:, 2]
    return found


def _rows(places: list[Vec]) -> Floats:
    """Points as rows of three."""
    import numpy as np  # not before it is needed

    return np.fromiter(itertools.chain.from_iterable(places), float, 3 * len(places)).reshape(-1, 3)


def boxes_near(low: Floats, high: Floats, reach_mm: float) -> NDArray[np.intp]:
    """Pairs n < m of boxes, their low and high corners a row each, that lie within reach: swept along the axis they are
    most spread over.

    Rows of two or three numbers, in the unit of reach_mm; pairs in the order of m, then n.
    """
    import numpy as np  # not before it is needed

    axis = int(np.argmax(low.std(axis=0)))
    order = np.argsort(low[:, axis], kind="stable")
    low, high = low[order], high[order]
    stop = np.searchsorted(low[:, axis], high[:, axis] + reach_mm, side="right")
    count = np.maximum(stop - np.arange(len(order)) - 1, 0)
    found = []
    for first in range(0, len(order), SWEEP):  # in shares, so that a great building takes no great memory
        here = count[first : first + SWEEP]
        one = np.repeat(np.arange(first, first + len(here)), here)
        other = np.arange(len(one)) - np.repeat(np.cumsum(here) - here, here) + one + 1
        for n in range(low.shape[1]):
            if n != axis:
                near = (low[other, n] - high[one, n] <= reach_mm) & (low[one, n] - high[other, n] <= reach_mm)
                one, other = one[near], other[near]
        found.append(np.sort(np.stack((order[one], order[other]), axis=1), axis=1))
    pairs = np.concatenate(found)
    return np.asarray(pairs[np.lexsort((pairs[:, 0], pairs[:, 1]))])
