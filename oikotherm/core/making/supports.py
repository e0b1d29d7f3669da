"""Clips: how far apart, how many, of what kind, and where holes through joists hold the pipe already."""

from __future__ import annotations

import functools
import itertools
import math
from dataclasses import dataclass, replace
from typing import Literal

from ..catalogue import Catalogue
from ..errors import Refused
from ..job.model import LEAST_CLIP_MM, Job, Pipe, Run
from ..job.ways import Vec, way_of
from ..joints.fitted import Fitted
from ..pipework.geometry import Straight
from ..pipework.space import near_pairs
from ..tables import CATALOGUE, read_rows
from .holes import kept_holes

BESIDE_MM = 150.0  # pipes nearer than this take the same stations
BEND_MM = 150.0  # a clip within this of every change of direction
SHORT_MM = 60.0  # between the two end clips: under this one in the middle serves


@dataclass(frozen=True, slots=True)
class Clips:
    """A straight of pipe clipped: at_mm from its start, evenly; every_mm apart, never more than spacing_mm."""

    spacing_mm: float
    count: int
    every_mm: float
    at_mm: tuple[float, ...]
    source: str
    wider_than_mm: float = 0.0
    """What the table allows, where a distance of one's own is wider; 0 where it is not."""


@dataclass(frozen=True, slots=True)
class _Spacing:
    """A row of the table: for which pipe, and how far apart its supports may be [m]."""

    families: tuple[str, ...]
    service: str
    sizes: tuple[str, ...]
    od_up_to_mm: float
    horizontal_m: float
    vertical_m: float
    source: str


@functools.cache
def _spacings() -> tuple[_Spacing, ...]:
    return tuple(
        _Spacing(
            tuple(r["families"].split()),
            r["service"],
            tuple(r["sizes"].split()),
            float(r["od_up_to_mm"] or 0),
            float(r["horizontal_m"]),
            float(r["vertical_m"]),
            r["source"],
        )
        for r in read_rows(CATALOGUE, "supports.csv")
    )


def spacing_of(
    catalogue: Catalogue, pipe: Pipe, direction: Literal["horizontal", "vertical"], service: str = ""
) -> tuple[float, str] | None:
    """How far apart the supports of a pipe may be [mm], and the source; None for a pipe the table has no row of."""
    row, system = catalogue.pipe(pipe.code, pipe.size), catalogue.systems.get(pipe.code)
    if system is None:
        return None
    od_mm = row.od_mm if row and row.od_mm else None
    for one in _spacings():
        if system.family not in one.families or one.service not in ("", service):
            continue
        if pipe.size in one.sizes or not one.sizes and od_mm is not None and od_mm <= one.od_up_to_mm:
            metres = one.horizontal_m if direction == "horizontal" else one.vertical_m
            return metres * 1000, one.source
    return None


def clips(
    catalogue: Catalogue,
    pipe: Pipe,
    length_mm: float,
    direction: Literal["horizontal", "vertical"],
    spacing_mm: float | None = None,
    service: str = "",
) -> Clips:
    """Clips of a straight between two changes of direction: one within 150 mm of each end, evenly between; one in the
    middle of a short one. Raises Refused.

    spacing_mm overrides the table of typical distances; where it is wider than the table, that is said. service: gas
    has distances of its own for some pipe.
    """
    if not 0 < length_mm <= 1e6:
        raise Refused("length", length_mm, "a length above 0", "3000")
    table = spacing_of(catalogue, pipe, direction, service)
    if spacing_mm is None:
        if table is None:
            raise Refused(
                "pipe", str(pipe), "a pipe the table of distances holds, or a distance of your own", "spacing 1200"
            )
        spacing_mm, source = table
        wider_mm = 0.0
    else:
        source = "said"
        wider_mm = table[0] if table is not None and spacing_mm > table[0] + 1e-9 else 0.0
    if spacing_mm < LEAST_CLIP_MM:
        raise Refused("spacing", spacing_mm, f"a distance of {LEAST_CLIP_MM:.0f} mm or more", "1200")
    if length_mm - 2 * BEND_MM < SHORT_MM and length_mm / 2 <= spacing_mm:
        return Clips(spacing_mm, 1, 0.0, (round(length_mm / 2, 1),), source, wider_mm)
    between = max(length_mm - 2 * BEND_MM, 1.0)
    gaps = max(1, math.ceil(between / spacing_mm - 1e-9))
    every = between / gaps
    at = tuple(round(BEND_MM + every * n, 1) for n in range(gaps + 1))
    return Clips(spacing_mm, gaps + 1, every, at, source, wider_mm)


SOFT = ("plastic", "multilayer")  # metal straps never touch these


def kind_of(material: str, place: str, lagged: bool, practice: str) -> str:
    """What holds a pipe: by its material, where it lies, and whether lagging has to pass behind it."""
    strap = "perforated plastic strap" if material in SOFT else "perforated metal strap"
    if place == "ground":
        return "none, in the trench"
    if place == "ceiling":
        return strap
    if place in ("floor", "loft"):
        return "J hook on the joist" if practice == "north-american" else "clip on the joist"
    if place == "outside" and material == "steel":
        return "plastic-lined metal strap"
    if place in ("wall", "outside") or lagged:
        return "spacer clip"
    return "J hook" if practice == "north-american" and material in ("copper", "plastic") else "two-piece clip"


@dataclass(frozen=True, slots=True)
class StraightClips:
    """Clips of one straight, None for a pipe the table has no row of. with_run: the parallel run they line up with, if
    any; held: how many holes through joists hold it already."""

    straight: str
    kind: str
    clips: Clips | None
    at: tuple[Vec, ...]
    way: Vec
    with_run: str = ""
    held: int = 0
    goes: str = ""
    """The way it goes, such as N or U; "slanting" between two of them."""
    length_mm: float = 0.0


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
        self.practice = job.practice
        self.services = {run.id: run.service for run in job.runs}
        self.bored: dict[str, list[Vec]] = {}
        """Where holes through joists hold a straight, by key."""
        for hole in kept_holes(job, fitted, catalogue):
            if hole.through == "joist" and hole.kind == "hole":
                self.bored.setdefault(hole.straight, []).append(hole.at)
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
                a, b = self.fitted.spans[straight.key]
                row = replace(row, goes=way_of(straight.way) or "slanting", length_mm=b.minus(a).length)
                self.owner[straight.key] = run.id
                self.done[straight.key] = row
                rows.append(row)
        return RunClips(run.id, tuple(rows), sum(row.clips.count for row in rows if row.clips))

    def _straight(self, straight: Straight, spacing_mm: float | None) -> StraightClips | None:
        """The clips of a straight, at the stations of one beside it where that serves; None where it takes none."""
        if straight.place == "ground":
            return None
        a, b = self.fitted.spans[straight.key]
        length = b.minus(a).length
        direction: Literal["horizontal", "vertical"] = "vertical" if abs(straight.way.z) > 0.7 else "horizontal"
        if length <= BEND_MM:
            return None
        system = self.catalogue.systems.get(straight.pipe.code)
        place = straight.place if direction == "horizontal" or straight.place in ("wall", "outside") else "view"
        kind = kind_of(system.material if system else "", place, straight.lag_mm > 0, self.practice)
        try:
            service = self.services[straight.run]
            own = clips(self.catalogue, straight.pipe, length, direction, spacing_mm, service)
        except Refused:
            return StraightClips(straight.key, kind, None, (), straight.way)
        bored = sorted(spot.minus(a).dot(straight.way) for spot in self.bored.get(straight.key, ()))
        if bored:
            return self._bored(straight, kind, own, a, length, bored)
        at = tuple(a.plus(straight.way, along) for along in own.at_mm)
        near = (self.done[key] for key in self.near.get(straight.key, ()) if key in self.done)
        hung = sorted(near, key=lambda one: self.order[one.straight])
        beside = next((one for one in hung if _beside(one, at, straight.way, own.spacing_mm)), None)
        along = _in_line_with(beside, a, straight.way, length, own.spacing_mm) if beside else []
        if along:
            own = replace(own, count=len(along), at_mm=tuple(along))
            at = tuple(a.plus(straight.way, one) for one in along)
        with_run = self.owner[beside.straight] if beside and along else ""
        return StraightClips(straight.key, kind, own, at, straight.way, with_run)

    def _bored(
        self, straight: Straight, kind: str, own: Clips, a: Vec, length_mm: float, bored: list[float]
    ) -> StraightClips:
        """The clips of a straight that goes through joists: only where the holes leave too much between them or to an
        end."""
        stays = [0.0, *bored, length_mm]
        at: list[float] = []
        for n, (low, high) in enumerate(itertools.pairwise(stays)):
            first, last = n == 0, n == len(stays) - 2
            gap = high - low
            if (first or last) and gap > BEND_MM:  # a clip near the change of direction
                at.append(low + min(BEND_MM, gap / 2) if first else high - min(BEND_MM, gap / 2))
                low, high = (at[-1], high) if first else (low, at[-1])
                gap = high - low
            parts = math.ceil(gap / own.spacing_mm - 1e-9)
            at += [low + gap * k / parts for k in range(1, parts)]
        places = tuple(sorted(round(one, 1) for one in at))
        found = replace(own, count=len(places), every_mm=0.0, at_mm=places)
        spots = tuple(a.plus(straight.way, one) for one in places)
        return StraightClips(straight.key, kind, found, spots, straight.way, held=len(bored))


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
