"""The pieces of a job on the lengths their pipe is bought in, offcuts of the van first."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from ..catalogue import Catalogue
from ..job.model import Pipe
from ..memory import Memory
from ..supply import Supply, stick_costs, stock_lengths
from .cut import Cut
from .nipples import ready_length_mm
from .sticks import Layout, Part, Stock, lay_out

TIME_S = 1.0  # to look for a proof while somebody waits for a page
FORMS = ("stick", "coil", "length")


@dataclass(frozen=True, slots=True)
class PipeStock:
    """Pipe of one kind to buy. form: stick, coil, or length where the lengths it is bought in are not known; ready:
    piece -> length of the nipple bought for it [mm]; total_mm: of all pieces."""

    pipe: str
    form: str
    layout: Layout
    ready: tuple[tuple[str, float], ...]
    pieces: int
    total_mm: float
    source: str

    @property
    def bought(self) -> tuple[tuple[float, int], ...]:
        """New lengths to buy [mm] and how many of each, the longest first."""
        found: dict[float, int] = {}
        for bar in self.layout.bars:
            if not bar.stock.offcut:
                found[bar.stock.length_mm] = found.get(bar.stock.length_mm, 0) + 1
        return tuple(sorted(found.items(), reverse=True))


def stick_item(pipe: str, length_mm: float, form: str) -> str:
    """What a length of pipe is known by in a price list: stick cu-m 22 3000."""
    return f"{form} {pipe} {length_mm:g}"


def nipple_item(pipe: str, length_mm: float) -> str:
    """What a ready nipple is known by in a price list: nipple fe-40 3/4 152.4."""
    return f"nipple {pipe} {round(length_mm, 1):g}"


@dataclass(frozen=True, slots=True)
class PipeCosts:
    """What pipe of one kind, its threads, nipples and couplings cost: the firm's prices where it has one for every
    length the pipe is sold in (priced), else mm of this pipe (typ, stick_costs.csv). lengths: (length [mm], cost)."""

    pipe: str
    form: str
    source: str
    lengths: tuple[tuple[float, float], ...]
    priced: bool
    prices: Mapping[str, float]

    @property
    def per_mm(self) -> float:
        """The cheapest pipe there is, by the millimetre."""
        return min((cost / mm for mm, cost in self.lengths), default=1.0)

    def _typical(self, what: str) -> float:
        return stick_costs()[what][0] * self.per_mm

    @property
    def thread(self) -> float:
        """One thread cut."""
        return self.prices.get(f"thread {self.pipe}", self._typical("thread"))

    @property
    def coupling(self) -> float:
        """A coupling with its two joints."""
        return self._typical("coupling")

    def nipple(self, length_mm: float) -> float:
        """A ready nipple of a length [mm]."""
        typical = length_mm * self.per_mm + self._typical("ready nipple")
        return self.prices.get(nipple_item(self.pipe, length_mm), typical)


def costs_of(pipe: Pipe, catalogue: Catalogue, supply: Supply) -> PipeCosts:
    """What pipe of one kind costs; no lengths where it is not known what it is sold in."""
    system = catalogue.systems.get(pipe.code)
    rows = stock_lengths().get(pipe.code, ())
    if not rows and system is not None and system.stick_mm:
        rows = ((system.stick_mm, "stick", system.source),)
    prices = {one.item: one.each for one in supply.prices}
    items = [(mm, stick_item(str(pipe), mm, form)) for mm, form, _ in rows]
    priced = bool(rows) and all(item in prices for _, item in items)
    return PipeCosts(
        str(pipe),
        rows[0][1] if rows else "length",
        rows[0][2].partition(":")[0] if rows else "typ",
        tuple((mm, prices[item] if priced else mm) for mm, item in items),
        priced,
        prices if priced else {},
    )


def pipe_stocks(
    cuts: Iterable[Cut], catalogue: Catalogue, supply: Supply, memory: Memory, limit_s: float = TIME_S
) -> tuple[PipeStock, ...]:
    """Every pipe of the cut list on its stock lengths, at the least cost (see sticks.lay_out)."""
    by_pipe: dict[str, list[Cut]] = {}
    for cut in cuts:
        by_pipe.setdefault(str(cut.pipe), []).append(cut)
    return tuple(pipe_stock(by_pipe[name], catalogue, supply, memory, limit_s) for name in sorted(by_pipe))


def pipe_stock(
    cuts: list[Cut], catalogue: Catalogue, supply: Supply, memory: Memory, limit_s: float = TIME_S
) -> PipeStock:
    """The pieces of one pipe on its stock lengths. A nipple counts for what it costs over cutting and threading the
    piece, the pipe in it apart: that comes off a length which is bought or not."""
    costs = costs_of(cuts[0].pipe, catalogue, supply)
    ready = {cut.key: mm for cut in cuts if (mm := ready_length_mm(catalogue, cut)) is not None}
    over = {key: round(costs.nipple(mm) - 2 * costs.thread, 2) for key, mm in ready.items()}
    parts = tuple((cut.key, max(cut.cut_mm, 0.0), over.get(cut.key)) for cut in cuts)
    offcuts = tuple((one.length_mm, 0.0, one.count, True) for one in supply.offcuts if one.pipe == costs.pipe)
    given = (*((mm, cost, None, False) for mm, cost in costs.lengths), *offcuts)
    layout = (
        memory.keep(
            "pieces on sticks",
            (),
            (parts, given, supply.kerf_mm, limit_s),
            lambda: lay_out([Part(*one) for one in parts], [Stock(*one) for one in given], supply.kerf_mm, limit_s),
        )
        if costs.lengths
        else Layout((), (), (), 0.0, 0.0, 0.0)
    )
    return PipeStock(
        costs.pipe,
        costs.form,
        layout,
        tuple((key, ready[key]) for key in layout.ready),
        len(cuts),
        round(sum(max(cut.cut_mm, 0.0) for cut in cuts), 1),
        costs.source,
    )
