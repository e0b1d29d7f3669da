"""Everything a job has to order, by group: what it takes, what is on the van, packs, prices, what is missing."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from ..catalogue import Catalogue
from ..job.model import Job, Station
from ..quantity import PaceUnit, length_text, trim
from ..services import spec
from ..supply import Price, Supply
from .consumables import Consumable
from .materials import Coil, OrderLine
from .pipe_stock import PipeStock, nipple_item, stick_item

GROUPS = (
    "Appliances and emitters",
    "Pipe",
    "Ready nipples",
    "Fittings",
    "Valves and devices",
    "Transitions",
    "Supports",
    "Lagging",
    "Used up",
)
"""In the order they are shown."""

NOT_BOUGHT = ("supply", "stub", "outlet")
KIND_GROUPS = {"device": "Valves and devices", "kit": "Valves and devices", "part": "Transitions"}


@dataclass(frozen=True, slots=True)
class Line:
    """One thing to order. item: what price lists and the van know it by; takes: how much the job uses, in unit; spare:
    on top; on_van: how many lie there; order: how many to buy, packs of `pack` where pack is above 1; per_piece:
    whether the price is of a piece, not of a pack."""

    item: str
    title: str
    group: str
    takes: float
    unit: str
    spare: int
    on_van: int
    order: int
    pack: float
    pack_said: str
    why: str
    source: str
    price: Price | None = None
    per_piece: bool = True

    @property
    def cost(self) -> float | None:
        """What is ordered costs; None without a price, 0 where nothing has to be ordered."""
        if not self.order:
            return 0.0
        return (
            None
            if self.price is None
            else round(self.order * (self.pack if self.per_piece else 1) * self.price.each, 2)
        )

    @property
    def missing(self) -> bool:
        """Whether it is to be bought and the merchant has none."""
        return bool(self.order) and self.price is not None and self.price.in_stock is False

    @property
    def takes_said(self) -> str:
        return trim(self.takes, 1) + (f" {self.unit}" if self.unit else "")


@dataclass(frozen=True, slots=True)
class Order:
    """All lines, in their groups. cost: of the lines with a price; unpriced: titles of those without that are to be
    bought; missing: those the merchant has none of."""

    lines: tuple[Line, ...]
    waste_mm: tuple[tuple[str, float], ...]

    @property
    def groups(self) -> tuple[tuple[str, tuple[Line, ...]], ...]:
        found = [(group, tuple(line for line in self.lines if line.group == group)) for group in GROUPS]
        return tuple((group, lines) for group, lines in found if lines)

    @property
    def cost(self) -> float:
        return round(sum(line.cost or 0.0 for line in self.lines), 2)

    @property
    def unpriced(self) -> tuple[Line, ...]:
        return tuple(line for line in self.lines if line.order and line.price is None)

    @property
    def missing(self) -> tuple[Line, ...]:
        return tuple(line for line in self.lines if line.missing)


def order(
    job: Job,
    supply: Supply,
    parts: Sequence[OrderLine],
    pipes: Sequence[PipeStock],
    coils: Sequence[Coil],
    used_up: Sequence[Consumable],
) -> Order:
    """The order of a job from its cut list, joints, supports and consumables."""
    van, prices = dict(supply.on_van), {one.item: one for one in supply.prices}
    made = _Lines(van, prices, job.pace_unit)
    lines = [
        *_equipment(job, made),
        *(line for pipe in pipes for line in made.pipe(pipe)),
        *(made.coil(coil) for coil in coils),
        *(made.part(part) for part in parts),
        *(made.used(one) for one in used_up),
    ]
    waste = tuple((pipe.pipe, pipe.layout.waste_mm) for pipe in pipes)
    return Order(tuple(lines), waste)


def put_in(job: Job) -> Iterable[Station]:
    """The new stations that are hung, set or fitted: what is no part of the house's own pipework."""
    for station in job.stations:
        if station.state == "new" and spec.kind(station.kind).set_up and station.kind not in NOT_BOUGHT:
            yield station


def _equipment(job: Job, made: _Lines) -> Iterable[Line]:
    """Stations that are hung, set or fitted, those alike together."""
    counts: dict[str, list[str]] = {}
    for station in put_in(job):
        title = spec.kind(station.kind).titled(station.variant, job.practice)
        size = [mm for mm in (station.data.width_mm, station.data.height_mm) if mm]
        wide = " x ".join(length_text(mm, job.pace_unit) for mm in size) if len(size) == 2 else ""
        watts = f"{station.data.output_w / 1000:g} kW" if station.data.output_w else ""
        counts.setdefault(" ".join(filter(None, (title, wide, watts))), []).append(station.id)
    for title, ids in sorted(counts.items()):
        yield made.plain(title, title, GROUPS[0], len(ids), ", ".join(ids))


class _Lines:
    """Makes lines with what is on the van and what things cost."""

    def __init__(self, van: Mapping[str, int], prices: Mapping[str, Price], unit: PaceUnit) -> None:
        self.van, self.prices, self.unit = van, prices, unit

    def plain(self, item: str, title: str, group: str, count: int, why: str, source: str = "said") -> Line:
        """So many of a thing that comes by the piece."""
        lying = self.van.get(item, 0)
        order = max(0, count - lying)
        return Line(item, title, group, count, "", 0, lying, order, 1, "", why, source, self.prices.get(item))

    def part(self, part: OrderLine) -> Line:
        """Fittings, in packs."""
        item = part.part_id or part.title
        lying = self.van.get(item, 0)
        packs = math.ceil(max(0, part.count + part.spare - lying) / part.pack)
        group = KIND_GROUPS.get(part.kind, "Fittings")
        said = f"pack of {part.pack}" if part.pack > 1 else ""
        return Line(
            item,
            part.title,
            group,
            part.count,
            "",
            part.spare,
            lying,
            packs,
            part.pack,
            said,
            "by the joints",
            part.source,
            self.prices.get(item),
        )

    def pipe(self, pipe: PipeStock) -> Iterable[Line]:
        """Pipe by the length it is bought in, then the ready nipples; a pipe with no known length by the metre."""
        cut_mm: dict[float, float] = {}
        for bar in pipe.layout.bars:
            if not bar.stock.offcut:
                used = bar.stock.length_mm - bar.rest_mm
                cut_mm[bar.stock.length_mm] = cut_mm.get(bar.stock.length_mm, 0.0) + used
        for length_mm, count in pipe.bought:
            item = stick_item(pipe.pipe, length_mm, pipe.form)
            said = f"{pipe.form} of {length_text(length_mm, self.unit, with_unit=True)}"
            yield Line(
                item,
                pipe.pipe,
                "Pipe",
                round(cut_mm[length_mm] / 1000, 2),
                "m",
                0,
                0,
                count,
                length_mm / 1000,
                said,
                "by the cut list",
                pipe.source,
                self.prices.get(item),
                per_piece=False,
            )
        if pipe.form == "length":
            metres = math.ceil(pipe.total_mm / 1000 - 1e-9)
            yield Line(
                f"length {pipe.pipe}",
                pipe.pipe,
                "Pipe",
                round(pipe.total_mm / 1000, 2),
                "m",
                0,
                0,
                metres,
                1,
                "metre",
                "by the cut list",
                pipe.source,
                self.prices.get(f"length {pipe.pipe}"),
                per_piece=False,
            )
        counts: dict[float, int] = {}
        for _, length_mm in pipe.ready:
            counts[length_mm] = counts.get(length_mm, 0) + 1
        for length_mm, count in sorted(counts.items()):
            title = f"{pipe.pipe} nipple {length_text(length_mm, self.unit, with_unit=True)}"
            yield self.plain(nipple_item(pipe.pipe, length_mm), title, "Ready nipples", count, "by the cut list", "typ")

    def coil(self, coil: Coil) -> Line:
        """Pipe laid in floors, by the metre off the coil."""
        item = f"floor coil {coil.pipe}"
        metres = math.ceil(coil.total_m - 1e-9)
        why = ", ".join(f"{station} {metres:g} m" for station, metres in coil.loops)
        price = self.prices.get(item)
        return Line(
            item,
            f"{coil.pipe} for floors",
            "Pipe",
            coil.total_m,
            "m",
            0,
            0,
            metres,
            1,
            "metre",
            why,
            "said",
            price,
            per_piece=False,
        )

    def used(self, one: Consumable) -> Line:
        """What is used up: by the pack where it comes in packs."""
        group = "Used up"
        if one.why in ("by the distances of the table", "one a clip"):
            group = "Supports"
        elif one.title.startswith("lagging"):
            group = "Lagging"
        lying = self.van.get(one.title, 0)
        whole = math.ceil(one.count - 1e-9)
        wanted = one.packs if one.packs is not None else whole
        price = self.prices.get(one.title)
        said = "pack" if one.packs is not None and one.packs != whole else ""
        title = one.title[:1].upper() + one.title[1:]
        return Line(
            one.title,
            title,
            group,
            one.count,
            one.unit,
            0,
            lying,
            max(0, wanted - lying),
            1,
            said,
            one.why,
            one.source,
            price,
            per_piece=False,
        )


def alternatives(catalogue: Catalogue, item: str) -> tuple[str, ...]:
    """Parts of the catalogue that do the same between the same pipes by another joint: ids; none for what is no
    part."""
    known = catalogue.parts
    if item not in known:
        return ()
    tail = item.partition("-")[2]
    return tuple(one for one in known if one != item and one.partition("-")[2] == tail)
