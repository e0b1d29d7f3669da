"""The parts of an assembly as arrays, and how far apart they are."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from .model import TOUCH_MM, Assembly, Slab, Solid

if TYPE_CHECKING:
    import numpy as np  # in functions not before it is needed
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Bools = NDArray[np.bool_]


class Shapes:
    """All capsules and boxes of an assembly as arrays."""

    def __init__(self, assembly: Assembly) -> None:
        import numpy as np

        self.index = {one.key: n for n, one in enumerate(assembly.parts)}
        owner, rows = [], []
        for n, part in enumerate(assembly.parts):
            for one in part.capsules:
                owner.append(n)
                rows.append((*one.a, *one.b, one.radius_mm))
        table: Floats = np.array(rows, dtype=np.float64).reshape(-1, 7)
        self.owner: NDArray[np.intp] = np.array(owner, dtype=np.intp)
        self.a, self.b, self.radius = table[:, :3], table[:, 3:6], table[:, 6]
        soft = np.array([one.soft for one in assembly.parts], dtype=np.bool_)
        self.soft: Bools = soft[self.owner] if len(owner) else np.zeros(0, dtype=np.bool_)
        self.of = [np.flatnonzero(self.owner == n) for n in range(len(assembly.parts))]
        boxes: list[Solid | Slab] = [*assembly.solids, *assembly.slabs]
        self.low: Floats = np.array([tuple(one.low) for one in boxes], dtype=np.float64).reshape(-1, 3)
        self.high: Floats = np.array([tuple(one.high) for one in boxes], dtype=np.float64).reshape(-1, 3)
        self.titles = [one.title for one in boxes]
        self.slabs = assembly.slabs
        self.first_slab = len(assembly.solids)
        count = len(assembly.parts)
        self.joined = np.eye(count, dtype=bool)
        for joint in assembly.joints:
            a, b = self.index[joint.a], self.index[joint.b]
            self.joined[a, b] = self.joined[b, a] = True

    def capsules(self, parts: Iterable[int]) -> NDArray[np.intp]:
        import numpy as np

        found = [self.of[n] for n in parts]
        return np.concatenate(found) if found else np.zeros(0, dtype=np.intp)


def segment_gaps(a: Floats, b: Floats, c: Floats, d: Floats) -> Floats:
    """The least distance of each segment a-b to each c-d: (n, 3) twice and (m, 3) twice -> (n, m). Clamped parameters,
    one after the other."""

    import numpy as np

    u, v = (b - a)[:, None, :], (d - c)[None, :, :]
    w = a[:, None, :] - c[None, :, :]
    uu, vv = (u * u).sum(-1), (v * v).sum(-1)
    uv, uw, vw = (u * v).sum(-1), (u * w).sum(-1), (v * w).sum(-1)
    det = uu * vv - uv * uv
    with np.errstate(divide="ignore", invalid="ignore"):
        s = np.where(det > 1e-9 * np.maximum(uu * vv, 1e-12), (uv * vw - vv * uw) / det, 0.0)
        s = np.clip(np.nan_to_num(s), 0.0, 1.0)
        t = np.where(vv > 0, (uv * s + vw) / np.where(vv > 0, vv, 1.0), 0.0)
        t = np.clip(t, 0.0, 1.0)
        s = np.where(uu > 0, (uv * t - uw) / np.where(uu > 0, uu, 1.0), 0.0)
        s = np.clip(s, 0.0, 1.0)
        t = np.where(vv > 0, (uv * s + vw) / np.where(vv > 0, vv, 1.0), 0.0)
        t = np.clip(t, 0.0, 1.0)
    gap = w + s[..., None] * u - t[..., None] * v
    found: Floats = np.sqrt((gap * gap).sum(-1))
    return found


def box_gaps(a: Floats, b: Floats, low: Floats, high: Floats) -> Floats:
    """The least distance of each segment to each box: (n, 3) twice and (m, 3) twice -> (n, m). The distance is smooth
    between the places where the segment crosses a face's plane, and a quadratic there."""

    import numpy as np

    d = b - a
    with np.errstate(divide="ignore", invalid="ignore"):
        at_low = (low[None, :, :] - a[:, None, :]) / d[:, None, :]
        at_high = (high[None, :, :] - a[:, None, :]) / d[:, None, :]
    count, boxes = len(a), len(low)
    ends = np.zeros((count, boxes, 2))
    ends[..., 1] = 1.0
    cuts = np.concatenate([np.nan_to_num(at_low, nan=0.0), np.nan_to_num(at_high, nan=0.0), ends], axis=2)
    cuts = np.sort(np.clip(cuts, 0.0, 1.0), axis=2)
    best = np.full((count, boxes), np.inf)
    for n in range(cuts.shape[2] - 1):
        t0, t1 = cuts[..., n], cuts[..., n + 1]
        middle = (t0 + t1) / 2
        p = a[:, None, :] + middle[..., None] * d[:, None, :]
        below, above = p < low[None], p > high[None]
        face = np.where(below, low[None], np.where(above, high[None], 0.0))
        outside = below | above
        off = np.where(outside, a[:, None, :] - face, 0.0)
        way = np.where(outside, np.broadcast_to(d[:, None, :], off.shape), 0.0)
        steep = (way * way).sum(-1)
        with np.errstate(divide="ignore", invalid="ignore"):
            t = np.where(steep > 0, -(off * way).sum(-1) / np.where(steep > 0, steep, 1.0), t0)
        t = np.clip(t, t0, t1)
        gap = off + t[..., None] * way
        best = np.minimum(best, np.sqrt((gap * gap).sum(-1)))
    return best


def overlap(p: Floats, q: Floats) -> Bools:
    """Whether rings overlap along and across: (n, 4) and (m, 4) -> (n, m)."""

    import numpy as np

    along = np.minimum(p[:, None, 1], q[None, :, 1]) - np.maximum(p[:, None, 0], q[None, :, 0])
    across = np.minimum(p[:, None, 3], q[None, :, 3]) - np.maximum(p[:, None, 2], q[None, :, 2])
    found: Bools = (along > TOUCH_MM) & (across > TOUCH_MM)
    return found
