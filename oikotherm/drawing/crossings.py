"""Where pipes cross on the sheet, and the gaps in those behind."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence

from ..core.pipework.space import boxes_near

INSIDE = 1e-6  # share of a segment at its ends where it touches and does not cross

XY = tuple[float, float]


def gaps(
    segments: Sequence[tuple[XY, XY, float, float]], gap: float
) -> tuple[dict[int, list[tuple[float, float]]], int]:
    """For each segment (start, end, nearness there and there): the shares of it to leave out; and the crossings
    counted.

    At each crossing the farther one is broken over `gap` sheet units; equally near ones (they touch) are not.
    """
    import numpy as np  # not before it is needed

    found: dict[int, list[tuple[float, float]]] = defaultdict(list)
    if len(segments) < 2:
        return {}, 0
    a, b = (np.array([one[end] for one in segments]) for end in (0, 1))
    near = np.array([one[2:] for one in segments])
    pairs = boxes_near(np.minimum(a, b), np.maximum(a, b), 0.0)
    n, m = pairs[:, 1], pairs[:, 0]  # the later one first
    r, s, w = b[n] - a[n], b[m] - a[m], a[m] - a[n]
    det = r[:, 0] * s[:, 1] - r[:, 1] * s[:, 0]
    skew = np.abs(det) >= 1e-9
    n, m, r, s, w, det = n[skew], m[skew], r[skew], s[skew], w[skew], det[skew]
    t = (w[:, 0] * s[:, 1] - w[:, 1] * s[:, 0]) / det
    u = (w[:, 0] * r[:, 1] - w[:, 1] * r[:, 0]) / det
    mine = near[n, 0] + (near[n, 1] - near[n, 0]) * t
    theirs = near[m, 0] + (near[m, 1] - near[m, 0]) * u
    low, high = INSIDE, 1 - INSIDE
    hit = (t > low) & (t < high) & (u > low) & (u < high) & (np.abs(mine - theirs) >= 1e-6)
    behind = np.where(mine < theirs, n, m)[hit]
    share = np.where(mine < theirs, t, u)[hit]
    length = np.hypot(*(b - a)[behind].T)
    half = np.divide(gap / 2, length, out=np.zeros_like(length), where=length > 0)
    for index, first, last in zip(behind, np.maximum(0.0, share - half), np.minimum(1.0, share + half), strict=True):
        found[int(index)].append((float(first), float(last)))
    return {index: sorted(parts) for index, parts in found.items()}, int(hit.sum())


def remains(parts: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """What is left of 0..1 when the given (sorted) shares are taken out."""
    left, at = [], 0.0
    for low, high in parts:
        if low > at:
            left.append((at, low))
        at = max(at, high)
    if at < 1.0:
        left.append((at, 1.0))
    return left
