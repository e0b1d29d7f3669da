"""What to order: fittings by the pack with spares, pipe by the stick, cut so that as few as possible are used."""

from __future__ import annotations

import functools
import math
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass

from ..catalogue import Catalogue
from ..catalogue.loader import size_order
from ..joints.fitted import Fitted, Fitting
from ..tables import CORE, read_rows
from .cut import Cut

KERF_MM = 0.0  # a wheel cutter takes nothing off


@dataclass(frozen=True, slots=True)
class OrderLine:
    """Fittings of one kind: how many the job takes, spares, and packs to order."""

    title: str
    count: int
    spare: int
    pack: int
    packs: int
    source: str
    part_id: str = ""
    """The part of the catalogue, where it is one: what the van's stock knows it by."""


@dataclass(frozen=True, slots=True)
class Sticks:
    """Pipe of one kind. bars: for each stick the keys of the pieces cut from it; rest_mm: what is left of each.

    too_long: pieces longer than a stick, which need a coupling or a longer stick."""

    pipe: str
    stick_mm: float
    bars: tuple[tuple[str, ...], ...]
    rest_mm: tuple[float, ...]
    too_long: tuple[str, ...]
    total_mm: float


@functools.cache
def _packs() -> dict[str, tuple[int, float, str]]:
    return {
        row["kind"]: (int(row["pack"]), float(row["spare_share"]), row["source"])
        for row in read_rows(CORE, "packs.csv")
    }


def parts(fitted: Fitted, catalogue: Catalogue) -> tuple[OrderLine, ...]:
    """Fittings to order, by title, the parts of transitions among them. Spares by share of the count, rounded up; packs
    hold both."""
    counts: Counter[str] = Counter()
    kinds: dict[str, str] = {}
    ids: dict[str, str] = {}
    for fitting in fitted.fittings.values():
        if not fitting.new:
            continue
        if fitting.kind in _packs():
            counts[fitting.title] += 1
            kinds[fitting.title] = fitting.kind
            ids[fitting.title] = part_id(fitting, catalogue)
        for _, chain in fitting.chains:
            for link in chain.links:
                title = (
                    link.title if link.part else f"{link.enter.family} {link.enter.size} stub of {link.stub_mm:.0f} mm"
                )
                counts[title] += 1
                kinds[title], ids[title] = "part", link.part.id if link.part else ""
    found = []
    for title, count in sorted(counts.items()):
        pack, share, source = _packs()[kinds[title]]
        spare = math.ceil(count * share)
        found.append(OrderLine(title, count, spare, pack, math.ceil((count + spare) / pack), source, ids[title]))
    return tuple(found)


def part_id(fitting: Fitting, catalogue: Catalogue) -> str:
    """The catalogue's id of an elbow, tee, coupling or reducer with one method on all its ends; empty where it has
    none."""
    methods = {mating.method for mating in fitting.matings.values()}
    pipes = list(fitting.pipes.values())
    if len(methods) != 1 or not pipes or fitting.kind not in ("elbow", "elbow45", "tee", "coupling", "reducer"):
        return ""
    row = catalogue.methods.get(next(iter(methods)))
    prefix = row.parts if row else ""
    code = pipes[0].code
    if code == "fe-press" and prefix == "press":
        prefix = "fe-press"
    if code == "waste" and prefix == "push":
        prefix = "waste-push"
    elif not prefix or (prefix == "push" and code != "pb-m"):
        return ""
    if fitting.service:
        prefix += f"-{fitting.service}"
    tail = "-r" if prefix == "thread" and code != "fe-40" else ""
    sizes = [pipe.size for pipe in pipes]
    if "slip coupling" in fitting.title:
        return f"{prefix}-slip-{sizes[0]}"
    if len(set(sizes)) == 1:
        return f"{prefix}-{fitting.kind}{tail}-{sizes[0]}"
    common = Counter(sizes).most_common()
    if fitting.kind == "tee" and len(common) == 2 and common[0][1] == 2:
        return f"{prefix}-tee-reduced{tail}-{common[0][0]}x{common[1][0]}"
    if fitting.kind == "reducer" and len(sizes) == 2:
        big, small = sorted(sizes, key=size_order, reverse=True)
        return f"{prefix}-reducer{tail}-{big}x{small}"
    return ""


@dataclass(frozen=True, slots=True)
class Coil:
    """Pipe laid in floors, off the coil: whole loops, each in one length with what comes up to the manifold. loops:
    (station, metres)."""

    pipe: str
    loops: tuple[tuple[str, float], ...]

    @property
    def total_m(self) -> float:
        return sum(metres for _, metres in self.loops)


def coils(fitted: Fitted) -> tuple[Coil, ...]:
    """Loops of floors by the pipe they are joined with. The pieces that come up are cut from the same length."""
    found: dict[str, list[tuple[str, float]]] = {}
    for place in fitted.pipework.ports.values():
        station = place.station
        if station.data.loop_m and station.state == "new" and place.port.role == "flow":
            pipe = next(iter(fitted.fittings[place.key].pipes.values()), None) if place.key in fitted.fittings else None
            if pipe:
                found.setdefault(str(pipe), []).append((station.id, station.data.loop_m))
    return tuple(Coil(pipe, tuple(loops)) for pipe, loops in sorted(found.items()))


@dataclass(frozen=True, slots=True)
class Length:
    """Pipe that comes by the coil and is cut from it. coil_m: the coil to buy, 0 where none is listed."""

    pipe: str
    pieces: int
    total_mm: float
    coil_m: float
    coils: int
    source: str


@functools.cache
def _coils() -> dict[str, list[tuple[float, str]]]:
    found: dict[str, list[tuple[float, str]]] = {}
    for row in read_rows(CORE, "coils.csv"):
        found.setdefault(row["code"], []).append((float(row["metres"]), row["source"]))
    return found


def lengths(cuts: Iterable[Cut], catalogue: Catalogue) -> tuple[Length, ...]:
    """Pieces of pipe that has no stick, by the coil: the shortest listed that holds them all, else as many of the
    longest."""
    by_pipe: dict[str, list[Cut]] = {}
    for cut in cuts:
        system = catalogue.systems.get(cut.pipe.code)
        if system is not None and system.stick_mm is None:
            by_pipe.setdefault(str(cut.pipe), []).append(cut)
    found = []
    for name, pieces in sorted(by_pipe.items()):
        total_mm = round(sum(max(cut.cut_mm, 0.0) for cut in pieces), 1)
        sizes = sorted(_coils().get(pieces[0].pipe.code, []))
        coil_m, source = next((one for one in sizes if one[0] * 1000 >= total_mm), sizes[-1] if sizes else (0.0, "typ"))
        count = math.ceil(total_mm / coil_m / 1000 - 1e-9) if coil_m else 0
        found.append(Length(name, len(pieces), total_mm, coil_m, count, source))
    return tuple(found)


def sticks(cuts: Iterable[Cut], catalogue: Catalogue) -> tuple[Sticks, ...]:
    """Pieces on sticks by first fit of the longest first: at most 11/9 of the fewest sticks, and usually the fewest."""
    by_pipe: dict[str, list[Cut]] = {}
    for cut in cuts:
        by_pipe.setdefault(str(cut.pipe), []).append(cut)
    found = []
    for name, pieces in sorted(by_pipe.items()):
        system = catalogue.systems.get(pieces[0].pipe.code)
        if system is None or system.stick_mm is None:
            continue
        bars: list[list[str]] = []
        rest: list[float] = []
        open_: list[int] = []  # bars that still take the shortest piece
        least_mm = min(cut.cut_mm for cut in pieces) + KERF_MM
        too_long: list[str] = []
        for cut in sorted(pieces, key=lambda piece: (-piece.cut_mm, piece.key)):
            if cut.cut_mm > system.stick_mm:
                too_long.append(cut.key)
                continue
            spot = next((n for n in open_ if rest[n] >= cut.cut_mm + KERF_MM), None)
            if spot is None:
                spot = len(bars)
                bars.append([cut.key])
                rest.append(system.stick_mm - max(cut.cut_mm, 0.0))
                open_.append(spot)
            else:
                bars[spot].append(cut.key)
                rest[spot] -= cut.cut_mm + KERF_MM
            if rest[spot] < least_mm:
                open_.remove(spot)
        total = sum(max(cut.cut_mm, 0.0) for cut in pieces)
        found.append(
            Sticks(
                name,
                system.stick_mm,
                tuple(map(tuple, bars)),
                tuple(round(left, 1) for left in rest),
                tuple(too_long),
                round(total, 1),
            )
        )
    return tuple(found)
