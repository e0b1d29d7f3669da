"""Clips and holes: how far apart, how many, and what a joist allows."""

from __future__ import annotations

import functools
import itertools
import math
from dataclasses import dataclass
from typing import Literal

from ..catalogue import Catalogue
from ..errors import Refused
from ..job.model import Job, Pipe, Run
from ..job.ways import Vec
from ..joints.fitted import Fitted
from ..pipework.geometry import Straight
from ..pipework.space import near_pairs
from ..tables import CATALOGUE, read_rows

BESIDE_MM = 150.0  # pipes nearer than this take the same stations
BEND_MM = 150.0  # a clip within this of every change of direction
DEEPEST_MM = 250.0  # British practice: deeper joists count as this
APART_HOLES = 3.0


@dataclass(frozen=True, slots=True)
class Clips:
    """A straight of pipe clipped: at_mm from its start, evenly; every_mm apart, never more than spacing_mm."""

    spacing_mm: float
    count: int
    every_mm: float
    at_mm: tuple[float, ...]
    source: str


@functools.cache
def _spacings() -> tuple[tuple[str, float, float, float, str], ...]:
    return tuple(
        (r["material"], float(r["od_up_to_mm"]), float(r["horizontal_m"]), float(r["vertical_m"]), r["source"])
        for r in read_rows(CATALOGUE, "supports.csv")
    )


def clips(
    catalogue: Catalogue,
    pipe: Pipe,
    length_mm: float,
    direction: Literal["horizontal", "vertical"],
    spacing_mm: float | None = None,
) -> Clips:
    """Clips of a straight between two changes of direction: one within 150 mm of each end, evenly between. Raises
    Refused.

    spacing_mm overrides the table of typical distances.
    """
    row, system = catalogue.pipe(pipe.code, pipe.size), catalogue.systems.get(pipe.code)
    if not 0 < length_mm <= 1e6:
        raise Refused("length", length_mm, "a length above 0", "3000")
    if row is None or system is None or row.od_mm is None:
        raise Refused("pipe", str(pipe), "a pipe with an outside diameter", "cu-m 22")
    source = "said"
    if spacing_mm is None:
        found = next((one for one in _spacings() if one[0] == system.material and row.od_mm <= one[1]), None)
        if found is None:
            raise Refused(
                "pipe", str(pipe), "a pipe the table of distances holds, or a distance of your own", "spacing 1200"
            )
        spacing_mm, source = (found[2] if direction == "horizontal" else found[3]) * 1000, found[4]
    if spacing_mm <= 0:
        raise Refused("spacing", spacing_mm, "a distance above 0", "1200")
    if length_mm <= 2 * BEND_MM:
        return Clips(spacing_mm, 1, 0.0, (round(length_mm / 2, 1),), source)
    between = length_mm - 2 * BEND_MM
    gaps = max(1, math.ceil(between / spacing_mm - 1e-9))
    every = between / gaps
    return Clips(spacing_mm, gaps + 1, every, tuple(round(BEND_MM + every * n, 1) for n in range(gaps + 1)), source)


_KINDS = {
    "view": "two-piece clip",
    "boxed": "two-piece clip",
    "wall": "spacer clip",
    "floor": "clip on the joist",
    "ceiling": "strap",
    "loft": "clip on the joist",
    "ground": "none, in the trench",
    "outside": "spacer clip",
}


@dataclass(frozen=True, slots=True)
class StraightClips:
    """Clips of one straight. at_mm from the straight's start; with_run: the parallel run they line up with, if any."""

    straight: str
    kind: str
    clips: Clips
    at: tuple[Vec, ...]
    way: Vec
    with_run: str = ""


@dataclass(frozen=True, slots=True)
class RunClips:
    """What a run hangs on: pipe, straights with their clips, and how many in all."""

    run: str
    straights: tuple[StraightClips, ...]
    count: int


def schedule(job: Job, fitted: Fitted, catalogue: Catalogue) -> list[RunClips]:
    """Clips for all new pipe, run by run. A pipe that runs beside one already clipped takes its stations, as far as
    they are near enough; holes through joists closer than the spacing hold the pipe and are not clipped. A straight
    under 150 mm between two fittings takes none. `{clip ...}` in the run sets the spacing. Source: typ distances of the
    table.
    """
    clipper = _Clipper(job, fitted, catalogue)
    found = (clipper.run(run) for run in job.runs if run.state == "new" and run.id in fitted.pipework.by_run)
    return [one for one in found if one.straights]


class _Clipper:
    """Clips straight after straight; knows those that have their clips."""

    def __init__(self, job: Job, fitted: Fitted, catalogue: Catalogue) -> None:
        self.fitted = fitted
        self.catalogue = catalogue
        self.done: dict[str, StraightClips] = {}
        self.owner: dict[str, str] = {}
        self.order = {key: number for number, key in enumerate(fitted.pipework.straights)}
        self.near: dict[str, list[str]] = {}
        """Straights that come within reach of each other, by key."""
        for pair in near_pairs(fitted.pipework, fitted.spans, BESIDE_MM):
            self.near.setdefault(pair.one.key, []).append(pair.other.key)
            self.near.setdefault(pair.other.key, []).append(pair.one.key)

    def run(self, run: Run) -> RunClips:
        """The clips of a run; its own spacing where it says one."""
        work = self.fitted.pipework
        said = [item.clip_mm for item in work.runs[run.id].items if item.kind == "lie" and item.clip_mm]
        rows = []
        for straight in work.by_run[run.id].straights.values():
            row = self._straight(straight, said[0] if said else None)
            if row is not None:
                self.owner[straight.key] = run.id
                self.done[straight.key] = row
                rows.append(row)
        return RunClips(run.id, tuple(rows), sum(row.clips.count for row in rows))

    def _straight(self, straight: Straight, spacing_mm: float | None) -> StraightClips | None:
        """The clips of a straight, at the stations of one beside it where that serves; None where it takes none."""
        if straight.place == "ground":
            return None
        a, b = self.fitted.spans[straight.key]
        length = b.minus(a).length
        direction: Literal["horizontal", "vertical"] = "vertical" if abs(straight.way.z) > 0.7 else "horizontal"
        try:
            own = clips(self.catalogue, straight.pipe, length, direction, spacing_mm)
        except Refused:
            return None
        if length <= BEND_MM:
            return None
        at = tuple(a.plus(straight.way, along) for along in own.at_mm)
        near = (self.done[key] for key in self.near.get(straight.key, ()) if key in self.done)
        hung = sorted(near, key=lambda one: self.order[one.straight])
        beside = next((one for one in hung if _beside(one, at, straight.way, own.spacing_mm)), None)
        along = _in_line_with(beside, a, straight.way, length, own.spacing_mm) if beside else []
        if along:
            own = Clips(own.spacing_mm, len(along), own.every_mm, tuple(along), own.source)
            at = tuple(a.plus(straight.way, one) for one in along)
        with_run = self.owner[beside.straight] if beside and along else ""
        kind = _KINDS.get(straight.place, "two-piece clip")
        return StraightClips(straight.key, kind, own, at, straight.way, with_run)


def _in_line_with(one: StraightClips, a: Vec, way: Vec, length_mm: float, spacing_mm: float) -> list[float]:
    """Where clips in line with those of a straight beside stand on this one [mm from its start]; none where they leave
    too much between them or at an end."""
    spots = (spot.minus(a).dot(way) for spot in one.at)
    along = sorted(round(spot, 1) for spot in spots if 0 <= spot <= length_mm)
    if not along:
        return []
    gaps = [along[0], *(q - p for p, q in itertools.pairwise(along)), length_mm - along[-1]]
    good = max(gaps) <= spacing_mm and gaps[0] <= 2 * BEND_MM and gaps[-1] <= 2 * BEND_MM
    return along if good else []


def _beside(one: StraightClips, at: tuple[Vec, ...], way: Vec, spacing_mm: float) -> bool:
    """Whether a clipped straight lies parallel within 150 mm and overlaps."""
    if abs(one.way.dot(way)) < 0.999 or not one.at or not at:
        return False
    gap = at[0].minus(one.at[0])
    if gap.plus(way, -gap.dot(way)).length > BESIDE_MM:
        return False
    low, high = sorted((at[0].dot(way), at[-1].dot(way)))
    return any(low - spacing_mm <= spot.dot(way) <= high + spacing_mm for spot in one.at)


@dataclass(frozen=True, slots=True)
class HoleVerdict:
    """Whether a joist takes a hole or notch there; reasons in words; most_mm: the largest allowed there."""

    allowed: bool
    most_mm: float
    reasons: tuple[str, ...]
    plate: bool


def joist_hole(
    practice: str,
    kind: Literal["hole", "notch"],
    depth_mm: float,
    span_mm: float,
    from_bearing_mm: float,
    size_mm: float,
    from_edge_mm: float | None = None,
    joist: str = "solid",
) -> HoleVerdict:
    """Judge a hole (its diameter) or a notch (its depth) in a joist. Raises Refused for measures that cannot be.

    British and continental practice, solid timber: holes on the centre line between 0.25 and 0.4 of the span, at most
    0.25 of the
    depth; notches between 0.07 and 0.25 of the span, at most 0.125 of the depth; depths over 250 mm count as 250. North
    American: holes at most a third of the depth and 2 in from the edges; notches a sixth, none in the middle third.
    I-joists and trusses by the maker's drawing only. A pipe within 32 mm of a nailed edge wants a steel plate.
    from_edge_mm: edge to the hole's centre.
    """
    for name, value in (("depth", depth_mm), ("span", span_mm), ("size", size_mm)):
        if not 0 < value <= 20_000:
            raise Refused(name, value, "a measure above 0", "200")
    if not 0 <= from_bearing_mm <= span_mm:
        raise Refused(
            "from_bearing", from_bearing_mm, f"a place from 0 to {span_mm:g} along the span", f"{span_mm * 0.3:.0f}"
        )
    edge = depth_mm / 2 if from_edge_mm is None else from_edge_mm
    near = min(from_bearing_mm, span_mm - from_bearing_mm) / span_mm
    reasons: list[str] = []
    if joist != "solid":
        return HoleVerdict(False, 0.0, (f"a {joist} is cut by its maker's drawing only",), False)
    american = practice == "north-american"
    counted = depth_mm if american else min(depth_mm, DEEPEST_MM)
    if kind == "hole":
        most = counted / 3 if american else counted * 0.25
        if not american and not 0.25 <= near <= 0.4:
            reasons.append(f"holes lie between 0.25 and 0.4 of the span from a bearing; this is at {near:.2f}")
        if not american and abs(edge - depth_mm / 2) > 5:
            reasons.append("holes lie on the centre line")
        if american and min(edge, depth_mm - edge) - size_mm / 2 < 50.8:
            reasons.append("holes stay 2 in from the edges")
    else:
        most = counted / 6 if american else counted * 0.125
        if american and near > 1 / 3:
            reasons.append("no notch in the middle third of the span")
        if not american and not 0.07 <= near <= 0.25:
            reasons.append(f"notches lie between 0.07 and 0.25 of the span from a bearing; this is at {near:.2f}")
    if size_mm > most + 1e-9:
        reasons.append(f"{size_mm:g} mm is more than the {most:.0f} mm allowed in a joist of {depth_mm:g} mm")
    plate = kind == "notch" or min(edge, depth_mm - edge) - size_mm / 2 < 32
    return HoleVerdict(not reasons, most, tuple(reasons), plate)
