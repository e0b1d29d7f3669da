"""calc sticks, nipples, dry_fit."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from ..catalogue import Thread
from ..errors import Refused
from ..joints.takeoff import part_mating
from ..making import dry_fit as dry
from ..making.nipples import SAME_MM, mix_of, ready_lengths_mm
from ..making.sticks import Part, Stock, lay_out
from ..quantity import length_text
from ..supply import stock_lengths
from .lengths import read_pipe
from .registry import Input, Quantity, in_force, mm, tool

MOST_PIECES = 400


class PieceIn(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")
    length: Quantity = Field(description="its length; mm, or text with a unit")
    label: str = Field(default="", description="what it is called", max_length=20)
    count: int = Field(default=1, description="how many of it (1)", ge=1, le=200)


class StockIn(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")
    length: Quantity = Field(description="a length it is sold in; mm, or text with a unit")
    price: float | None = Field(default=None, description="what one costs, any money (its length)", ge=0, le=1e6)


class OffcutIn(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")
    length: Quantity = Field(description="its length; mm, or text with a unit")
    count: int = Field(default=1, description="how many of it (1)", ge=1, le=200)


class SticksIn(Input):
    pipe: str = Field(description="pipe system and size, such as cu-m 15")
    stock: list[Quantity | StockIn] = Field(
        default_factory=list, description="the lengths it is sold in; mm, or text with a unit (those of the pipe)"
    )
    pieces: list[Quantity | PieceIn] = Field(
        description="the pieces to have; mm, or text with a unit, or with label and count", min_length=1
    )
    kerf: Quantity = Field(default=0, description="what the saw takes off a cut; mm (0: a wheel cutter; a saw 2)")
    offcuts: list[Quantity | OffcutIn] = Field(
        default_factory=list, description="what is left over on the van and used first; mm, or text with a unit"
    )


@tool(
    "Sticks",
    "pieces on stock lengths, the fewest and cheapest that hold them",
    {"pipe": "cu-m 15", "stock": [3000], "pieces": [1850, 1120, 980, 640, 410], "kerf": 2, "offcuts": [700]},
)
def sticks(said: SticksIn) -> dict[str, Any]:
    """{sticks: [{stock_mm, offcut, pieces_mm, labels, rest_mm}], waste_mm, gap, bought_mm, too_long, text}. waste_mm:
    of all lengths cut into, what is no piece; gap: 0 where no layout can cost less. Raises Refused."""
    pipe = read_pipe(said.pipe, in_force())
    parts: list[Part] = []
    labels: dict[str, str] = {}
    for given in said.pieces:
        one = given if isinstance(given, PieceIn) else PieceIn(length=given)
        length = _above_0(one.length, "pieces")
        for _ in range(one.count):
            key = f"{len(parts):04d}"
            labels[key] = one.label or str(len(parts) + 1)
            parts.append(Part(key, length))
    if len(parts) > MOST_PIECES:
        raise Refused("pieces", f"{len(parts)} pieces", f"at most {MOST_PIECES}", "[1850, 1120]")
    stock = [_stock(one) for one in said.stock]
    stock = stock or [Stock(length, length) for length, _, _ in stock_lengths().get(pipe.code, ())]
    if not stock:
        raise Refused("stock", "", f"the lengths {pipe} is sold in", "[3000]")
    for given_offcut in said.offcuts:
        left = given_offcut if isinstance(given_offcut, OffcutIn) else OffcutIn(length=given_offcut)
        stock.append(Stock(_above_0(left.length, "offcuts"), 0.0, left.count, offcut=True))
    kerf_mm = mm(said.kerf, "kerf")
    if not 0 <= kerf_mm <= 20:
        raise Refused("kerf", said.kerf, "0 to 20 mm", "2")
    found = lay_out(parts, stock, kerf_mm)
    length_of = {one.key: one.length_mm for one in parts}
    fresh = [bar.stock.length_mm for bar in found.bars if not bar.stock.offcut]
    proof = "no layout takes less" if not found.gap else f"at most {found.gap * 100:.1f} % over the least"
    counts = ", ".join(f"{fresh.count(one)} of {one:g} mm" for one in sorted(set(fresh), reverse=True))
    words = [counts or "no new length", f"{len(found.bars) - len(fresh)} from the van" if said.offcuts else "", proof]
    return {
        "sticks": [
            {
                "stock_mm": bar.stock.length_mm,
                "offcut": bar.stock.offcut,
                "pieces_mm": [length_of[key] for key in bar.pieces],
                "labels": [labels[key] for key in bar.pieces],
                "rest_mm": bar.rest_mm,
            }
            for bar in found.bars
        ],
        "waste_mm": found.waste_mm,
        "gap": round(found.gap, 6),
        "bought_mm": round(sum(fresh), 4),
        "too_long": [labels[key] for key in found.too_long],
        "text": "; ".join(word for word in words if word),
    }


def _stock(given: Quantity | StockIn) -> Stock:
    one = given if isinstance(given, StockIn) else StockIn(length=given)
    length = _above_0(one.length, "stock")
    return Stock(length, length if one.price is None else one.price)


def _above_0(said: Quantity, field: str) -> float:
    length = mm(said, field)
    if not 0 < length <= 200_000:
        raise Refused(field, said, "lengths above 0 and up to 200 m", "[1850, 1120]")
    return round(length, 4)


class NipplesIn(Input):
    pipe: str = Field(description="threaded pipe and its size, such as fe-40 3/4")
    length: Quantity = Field(description="from pipe end to pipe end, as it would be cut; mm, or text with a unit")


@tool(
    "Nipples",
    "ready nipples and couplings in place of one threaded piece",
    {"pipe": "fe-40 3/4", "length": "30 in"},
    "Ready nipples: close, by halves to 12 in, then 18, 24, 36, 48, 60, 72 in (typical).",
)
def nipples(said: NipplesIn) -> dict[str, Any]:
    """{pieces_mm, couplings, off_mm, gap_mm, shop_from_mm, text}. off_mm: how far they miss the length, above 0 too
    long; gap_mm: between two pieces in a coupling; shop_from_mm: the stock length one piece could be cut and threaded
    from, null where it is longer than any. Raises Refused."""
    catalogue = in_force()
    pipe = read_pipe(said.pipe, catalogue)
    row = catalogue.method_figures(pipe.code, pipe.size, "thread")
    coupling = part_mating(catalogue, pipe, "thread", "coupling")
    if not isinstance(row, Thread) or not ready_lengths_mm(row) or coupling is None:
        raise Refused("pipe", said.pipe, "threaded pipe with ready nipples: fe-40 1/2 to 1-1/4", "fe-40 3/4")
    length = mm(said.length, "length")
    if not row.close_nipple_mm or not row.close_nipple_mm - SAME_MM <= length <= 30_000:
        raise Refused("length", said.length, f"from the close nipple, {row.close_nipple_mm:.1f} mm, to 30 m", "30 in")
    gap = 2 * coupling.take_off_mm
    found = mix_of(length, ready_lengths_mm(row), gap)
    shop = min((one for one, _, _ in stock_lengths().get(pipe.code, ()) if one >= length), default=None)
    pieces = " + ".join(length_text(one, "in", with_unit=True) for one in found.pieces_mm)
    fits = "just as long" if abs(found.off_mm) <= SAME_MM else f"{found.off_mm:+.1f} mm off"
    by_shop = "" if abs(found.off_mm) <= SAME_MM or shop is None else "; else one piece, cut and threaded"
    many = "" if not found.couplings else f", {found.couplings} coupling{'s' if found.couplings > 1 else ''}"
    return {
        "pieces_mm": [round(one, 4) for one in found.pieces_mm],
        "couplings": found.couplings,
        "off_mm": round(found.off_mm, 3),
        "gap_mm": round(gap, 3),
        "shop_from_mm": shop,
        "text": f"{pieces}{many}: {fits}{by_shop}",
    }


class DryLeg(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")
    centres: Quantity = Field(description="centre to centre; mm, or text with a unit")
    fitting: str = Field(default="", description="what stands at its end", max_length=40)


class DryFitIn(Input):
    pipe: str = Field(description="threaded pipe and its size, such as fe-40 3/4")
    path: list[DryLeg] = Field(
        description="legs in one line from a fitting that is held: centres (mm, or text with a unit) and the fitting "
        "at the end",
        min_length=1,
        max_length=100,
    )


@tool(
    "Dry fit",
    "where a threaded line ends hand-tight and made up, and where to drill",
    {
        "pipe": "fe-40 3/4",
        "path": [
            {"centres": 600, "fitting": "tee"},
            {"centres": 450, "fitting": "coupling"},
            {"centres": 900, "fitting": "elbow"},
        ],
    },
)
def dry_fit(said: DryFitIn) -> dict[str, Any]:
    """{hand_tight_mm, made_up_mm, drill_at_mm, too_far_mm, steps: [{fitting, hand_tight_mm, made_up_mm}], text}: how
    far the last fitting stands from the first either way; drill where it stands made up. A joint is longer hand-tight
    by made-up less hand-tight engagement, and each leg has two. Raises Refused."""
    catalogue = in_force()
    pipe = read_pipe(said.pipe, catalogue)
    legs = []
    for leg in said.path:
        centres = mm(leg.centres, "path")
        if not 0 < centres <= 100_000:
            raise Refused("path", leg.centres, "centre measures above 0 and up to 100 m", '[{"centres": 600}]')
        legs.append((centres, leg.fitting))
    gain = dry.gain_mm(catalogue, pipe)
    found = dry.stands(gain, legs)
    last = found[-1]
    return {
        "hand_tight_mm": round(last.hand_tight_mm, 3),
        "made_up_mm": round(last.made_up_mm, 3),
        "drill_at_mm": round(last.made_up_mm, 3),
        "too_far_mm": round(last.too_far_mm, 3),
        "steps": [
            {
                "fitting": one.title,
                "hand_tight_mm": round(one.hand_tight_mm, 3),
                "made_up_mm": round(one.made_up_mm, 3),
            }
            for one in found
        ],
        "text": f"drill at {last.made_up_mm:.0f} mm: the dry fit ends {last.too_far_mm:.1f} mm farther, "
        f"{gain:.1f} a joint",
    }
