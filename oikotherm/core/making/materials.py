"""What to order: fittings by the pack with spares, and the loops of floors off the coil."""

from __future__ import annotations

import functools
import math
from collections import Counter
from dataclasses import dataclass

from ..catalogue import Catalogue
from ..catalogue.loader import size_order
from ..joints.fitted import Fitted, Fitting
from ..tables import CORE, read_rows


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
    kind: str = "elbow"
    """elbow, tee, device, kit, part (of a transition) and so on, as packs.csv has them."""


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
        packs = math.ceil((count + spare) / pack)
        found.append(OrderLine(title, count, spare, pack, packs, source, ids[title], kinds[title]))
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
        if not fitting.title.startswith(f"{common[0][0]} x {common[0][0]} x "):
            return ""  # reduced along its run, not on its branch: another part
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
