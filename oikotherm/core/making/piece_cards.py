"""Piece cards: what the one who cuts and bends a piece has to know of it, measured from its square-cut end."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from ..job.ways import way_of
from ..joints.fitted import Mating
from .cut import Cut, bends_along
from .pipe_stock import PipeStock

ENDS = {
    "thread": "threaded",
    "flare": "flared, its nut on first",
    "expansion": "square, its sleeve on first",
    "washer": "with its nut",
    "press": "square, deburred",
    "press-mlc": "square, calibrated",
    "compression-mlc": "square, calibrated",
    "push-fit": "square, deburred, its insert in",
    "push-fit-metal": "square, deburred",
    "compression": "square, nut and olive on first",
    "compression-plastic": "square, insert in, nut and olive on first",
    "capillary": "square, deburred, bright",
    "braze": "square, deburred, bright",
    "solvent": "square, chamfered",
    "csst": "square, cover stripped",
    "slip": "square",
}
DEPTH_MARKED = ("press", "press-mlc", "push-fit", "push-fit-metal", "compression", "compression-plastic", "solvent")
ROUND_MM = 0.1
ROUND_DEG = 0.1


@dataclass(frozen=True, slots=True)
class End:
    """One end of a piece: how it is made, what it goes into, and how far [mm] (0 where nothing is marked)."""

    made: str
    into: str
    depth_mm: float


@dataclass(frozen=True, slots=True)
class BendOn:
    """A bend: where it begins from the square end [mm along the pipe], how far to pull, and how far its plane lies
    round from the plane of the bend before [deg], clockwise looking along the pipe from the square end. towards: the
    way the pipe then goes in the house, "" where it has no plain name. radius 0: sprung on site, not pulled."""

    at_mm: float
    angle_deg: float
    roll_deg: float
    radius_mm: float
    towards: str


@dataclass(frozen=True, slots=True)
class PieceCard:
    """One piece. way: as it goes from its square end in the house; corners_mm: from the square end to the first corner,
    from corner to corner, to the far end: what to check after the pull; off: what it is cut from, the how manieth piece
    of it; ready: bought as a nipple of that length [mm]."""

    key: str
    label: str
    run: str
    pipe: str
    cut_mm: float
    way: str
    ends: tuple[End, End]
    bends: tuple[BendOn, ...]
    corners_mm: tuple[float, ...]
    off: str
    number: int
    ready_mm: float | None = None
    known: bool = True

    @property
    def turns(self) -> int:
        """How many bends are pulled."""
        return sum(one.radius_mm > 0 for one in self.bends)


def piece_cards(cuts: Iterable[Cut], stocks: Iterable[PipeStock], labels: Mapping[str, str]) -> tuple[PieceCard, ...]:
    """All pieces stick by stick in cutting order, then those bought ready, then those no length holds."""
    by_key = {cut.key: cut for cut in cuts}
    found = []
    for stock in stocks:
        fresh = 0
        ready = dict(stock.ready)
        for bar in stock.layout.bars:
            fresh += not bar.stock.offcut
            off = "offcut" if bar.stock.offcut else f"{stock.form} {fresh}"
            found += [card_of(by_key.pop(key), labels, off, n) for n, key in enumerate(bar.pieces, 1)]
        found += [card_of(by_key.pop(key), labels, "nipple", 0, ready[key]) for key in sorted(ready)]
    rest = sorted(by_key.values(), key=lambda cut: (str(cut.pipe), labels.get(cut.key, cut.key)))
    return (*found, *(card_of(cut, labels, "", 0) for cut in rest))


def card_of(
    cut: Cut, labels: Mapping[str, str], off: str = "", number: int = 0, ready_mm: float | None = None
) -> PieceCard:
    """The card of one piece of the cut list."""
    piece = cut.piece
    bends, corners = [], []
    ways = _ways(cut)
    for n, (at, bend) in enumerate(bends_along(piece)):
        towards = ways[n + 1] if n + 1 < len(ways) else ""
        roll = _round(bend.roll_deg, ROUND_DEG) if n else 0.0
        angle = _round(bend.angle_deg, ROUND_DEG)
        bends.append(BendOn(_round(at, ROUND_MM), angle, roll, bend.radius_mm, towards))
        corners.append(round(bend.leg_mm - (0.0 if n else piece.from_mating.take_off_mm), 1))
    if piece.bends:
        legs = piece.centre_mm - sum(bend.leg_mm for bend in piece.bends) - piece.to_mating.take_off_mm
        corners.append(round(legs, 1))
    return PieceCard(
        cut.key,
        labels.get(cut.key, cut.key),
        cut.run,
        str(cut.pipe),
        cut.cut_mm,
        ways[0] if ways else "",
        (_end(piece.from_mating, piece.from_title), _end(piece.to_mating, piece.to_title)),
        tuple(bends),
        tuple(corners),
        off,
        number,
        ready_mm,
        cut.known,
    )


def _ways(cut: Cut) -> list[str]:
    """The way of each straight of a piece, "" for one without a plain name."""
    corners = [cut.piece.a, *(bend.at for bend in cut.piece.bends), cut.piece.b]
    steps = [b.minus(a) for a, b in zip(corners, corners[1:], strict=False)]
    return [way_of(step.unit().rounded()) or "" if step.length > 1e-6 else "" for step in steps]


def _end(mating: Mating, title: str) -> End:
    made = ENDS.get(mating.method, "square" if mating.known else "not known yet")
    return End(made, title, round(mating.insertion_mm, 1) if mating.method in DEPTH_MARKED else 0.0)


def _round(value: float, step: float) -> float:
    return round(round(value / step) * step, 6) + 0.0
