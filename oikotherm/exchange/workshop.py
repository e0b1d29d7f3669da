"""Paper for the workshop: bars and shop ticket, piece cards eight to a page, marking strips at full size, labels."""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from ..core.design import Design
from ..core.making.piece_cards import PieceCard, piece_cards
from ..core.making.pipe_stock import PipeStock
from ..core.quantity import length_text
from ..core.supply import Supply
from ..drawing.faces import TEXT, printable, text_face, text_signs
from ..drawing.piece_card import HIGH, WIDE, piece_card
from ..drawing.sheet import sheet_on
from ..drawing.stick_bars import ROW, stick_bars

MM = 72 / 25.4
INK, MUTED = "#1e2a2c", "#575f5b"
EDGE_MM = 10.0
TITLES = {
    "ticket": "Sticks and shop ticket",
    "cards": "Piece cards",
    "strips": "Marking strips",
    "labels": "Labels",
}
SHEETS = tuple(TITLES)
"""What can be printed."""


@dataclass(frozen=True, slots=True)
class Paper:
    """A page [mm]; rows and columns of labels to stick on it, and their size."""

    wide: float
    high: float
    labels: tuple[int, int]
    label: tuple[float, float]
    margins: tuple[float, float]


A4 = Paper(210.0, 297.0, (3, 8), (70.0, 35.0), (0.0, 8.5))
LETTER = Paper(215.9, 279.4, (3, 10), (66.7, 25.4), (4.8, 12.7))


@dataclass(frozen=True, slots=True)
class TicketRow:
    """A threaded piece for whoever threads it: pieces alike together."""

    pipe: str
    cut: str
    ends: str
    labels: tuple[str, ...]
    off: str


def cards_of(design: Design, supply: Supply) -> tuple[PieceCard, ...]:
    """The piece cards of a job, stick by stick in cutting order."""
    return piece_cards(design.cuts, design.materials_from(supply).pipes, design.piece_labels)


def ticket_rows(design: Design, cards: Sequence[PieceCard]) -> tuple[TicketRow, ...]:
    """The shop ticket: pipe, length, which ends are threaded, from which stock; ready nipples are bought and not on
    it."""
    groups: dict[tuple[str, float, str, str], list[str]] = {}
    for card in cards:
        threads = sum(end.made == "threaded" for end in card.ends)
        if not threads or card.ready_mm is not None:
            continue
        ends = "both ends" if threads == 2 else "square end" if card.ends[0].made == "threaded" else "far end"
        groups.setdefault((card.pipe, card.cut_mm, ends, card.off), []).append(card.label)
    unit = design.job.pace_unit
    return tuple(
        TicketRow(pipe, length_text(cut_mm, unit, with_unit=True), ends, tuple(labels), off)
        for (pipe, cut_mm, ends, off), labels in sorted(groups.items(), key=lambda one: _by_stick(*one[0]))
    )


def _by_stick(pipe: str, cut_mm: float, _: str, off: str) -> tuple[str, str, float]:
    """Sorts a ticket: pipe by pipe, stick by stick, the longest first."""
    return pipe, off, -cut_mm


def nipple_rows(design: Design, pipes: Sequence[PipeStock]) -> tuple[tuple[str, str, tuple[str, ...]], ...]:
    """The ready nipples: (pipe, length, pieces they are for)."""
    groups: dict[tuple[str, float], list[str]] = {}
    for pipe in pipes:
        for key, length_mm in pipe.ready:
            groups.setdefault((pipe.pipe, length_mm), []).append(design.piece_labels[key])
    unit = design.job.pace_unit
    return tuple(
        (pipe, length_text(mm, unit, with_unit=True), tuple(sorted(labels)))
        for (pipe, mm), labels in sorted(groups.items())
    )


def workshop_pdf(design: Design, supply: Supply, what: str) -> bytes:
    """One of SHEETS as PDF, A4 or Letter by practice; the same facts give the same bytes."""
    return _Pages(design, supply).made(what)


class _Pages:
    def __init__(self, design: Design, supply: Supply) -> None:
        self.design, self.supply = design, supply
        self.unit = design.job.pace_unit
        self.paper = LETTER if design.job.practice == "north-american" else A4
        self.pipes = design.materials_from(supply).pipes
        self.cards = cards_of(design, supply)
        self.out = io.BytesIO()
        self.canvas: Any = None
        self.page = 0

    def made(self, what: str) -> bytes:
        from reportlab.pdfgen.canvas import Canvas  # only where something is printed

        text_signs()
        self.canvas = Canvas(
            self.out, pagesize=(self.paper.wide * MM, self.paper.high * MM), invariant=1, initialFontName=TEXT
        )
        self.title = TITLES[what]
        self.canvas.setTitle(f"{self.design.job.title}, {self.title.lower()}")
        {"ticket": self._ticket, "cards": self._cards, "strips": self._strips, "labels": self._labels}[what]()
        self.canvas.save()
        return self.out.getvalue()

    # --- what all pages share -----------------------------------------------------------------------------------------

    def _head(self) -> float:
        """Begin a page; returns where it is free below its head [mm from the bottom]."""
        self.page += 1
        top = self.paper.high - EDGE_MM
        self._say(EDGE_MM, top - 4, f"{self.title}: {self.design.job.title}"[:90], 12, strong=True)
        self._say(self.paper.wide - EDGE_MM, top - 4, f"page {self.page}", 8, right=True)
        self.canvas.setStrokeColor(MUTED)
        self.canvas.setLineWidth(0.4)
        self.canvas.line(EDGE_MM * MM, (top - 6) * MM, (self.paper.wide - EDGE_MM) * MM, (top - 6) * MM)
        return top - 12

    def _say(self, x: float, y: float, text: str, size: float, *, strong: bool = False, right: bool = False) -> None:
        """Words at a place [mm from the left lower corner]."""
        self.canvas.setFillColor(INK)
        words = printable(text)
        self.canvas.setFont(text_face(words, strong=strong), size)
        draw = self.canvas.drawRightString if right else self.canvas.drawString
        draw(x * MM, y * MM, words)

    # --- bars and ticket ----------------------------------------------------------------------------------------------

    def _ticket(self) -> None:
        lengths = {cut.key: cut.cut_mm for cut in self.design.cuts}
        wide = self.paper.wide - 2 * EDGE_MM
        y = self._head()
        for pipe in self.pipes:
            bars = list(pipe.layout.bars)
            first = 1
            while bars:
                room = int((y - EDGE_MM - 9) / (ROW * wide / 760))
                if room < 1 + (first == 1 and len(bars) > 1):
                    self.canvas.showPage()
                    y = self._head()
                    continue
                part, bars = bars[:room], bars[room:]
                if first == 1:
                    self._say(EDGE_MM, y - 2, pipe.pipe, 11, strong=True)
                    self._say(EDGE_MM + 34, y - 2, stock_said(pipe, self.unit), 9)
                    y -= 4
                sheet = stick_bars(
                    part, self.design.piece_labels, lengths, self.unit, self.supply.useful_mm, 760.0, first
                )
                scale = wide * MM / sheet.width
                high = sheet.height * scale / MM
                sheet_on(self.canvas, sheet, EDGE_MM * MM, (y - high) * MM, scale)
                y -= high + 4
                first += sum(not bar.stock.offcut for bar in part)
        rows = ticket_rows(self.design, self.cards)
        nipples = nipple_rows(self.design, self.pipes)
        if rows:
            y = self._table(
                y,
                "To cut and thread",
                ("pipe", "length", "threaded", "from", "pieces"),
                (28, 24, 22, 22, 94),
                [(row.pipe, row.cut, row.ends, row.off, ", ".join(row.labels)) for row in rows],
            )
        if nipples:
            self._table(
                y,
                "Ready nipples",
                ("pipe", "length", "how many", "for pieces"),
                (28, 24, 22, 116),
                [(pipe, length, str(len(labels)), ", ".join(labels)) for pipe, length, labels in nipples],
            )
        self.canvas.showPage()

    def _table(
        self,
        y: float,
        title: str,
        head: Sequence[str],
        columns: Sequence[float],
        rows: Sequence[Sequence[str]],
    ) -> float:
        """A table, on as many pages as it takes; returns where it is free below."""
        if y < EDGE_MM + 30:
            self.canvas.showPage()
            y = self._head()
        self._say(EDGE_MM, y - 4, title, 11, strong=True)
        y -= 9
        for number, row in enumerate([head, *rows]):
            if y < EDGE_MM + 8:
                self.canvas.showPage()
                y = self._head()
            x = EDGE_MM
            for wide, cell in zip(columns, row, strict=True):
                most = int(wide / 1.55)
                words = cell if len(cell) <= most else cell[: most - 1] + "…"
                self._say(x, y, words, 9, strong=not number)
                x += wide
            self.canvas.setStrokeColor("#cfc9bb")
            self.canvas.line(EDGE_MM * MM, (y - 1.6) * MM, (self.paper.wide - EDGE_MM) * MM, (y - 1.6) * MM)
            y -= 5.6
        return y - 4

    # --- cards --------------------------------------------------------------------------------------------------------

    def _cards(self) -> None:
        """Eight to a page, in cutting order."""
        wide = (self.paper.wide - 2 * EDGE_MM - 4) / 2
        high = (self.paper.high - 2 * EDGE_MM - 12 - 3 * 3) / 4
        scale = min(wide * MM / WIDE, high * MM / HIGH)
        top = 0.0
        for n, card in enumerate(self.cards):
            if n % 8 == 0:
                if n:
                    self.canvas.showPage()
                top = self._head()
            row, column = n % 8 // 2, n % 2
            sheet = piece_card(card, self.unit, off_said(card))
            left, bottom = EDGE_MM + column * (wide + 4), top - (row + 1) * high - row * 3 + 3
            sheet_on(self.canvas, sheet, left * MM, bottom * MM, scale)
        if not self.cards:
            self._say(EDGE_MM, self._head(), "Nothing to cut yet.", 10)
        self.canvas.showPage()

    # --- strips -------------------------------------------------------------------------------------------------------

    def _strips(self) -> None:
        """Every stretch of pipe with bend marks at full size, to wrap along the pipe and mark through."""
        along = self.paper.wide - 2 * EDGE_MM - 4
        y = 0.0
        for card in (one for one in self.cards if one.turns):
            stretches = _stretches(card, along)
            for part, (start, end) in enumerate(stretches, 1):
                if y < EDGE_MM + 34:
                    if y:
                        self.canvas.showPage()
                    y = self._strip_head()
                self._strip(card, y, start, end, part, len(stretches))
                y -= 32
        if not y:
            self._say(EDGE_MM, self._head(), "No piece is bent.", 10)
        self.canvas.showPage()

    def _strip_head(self) -> float:
        """A page of strips begins with a measure to check that it is printed at full size."""
        y = self._head()
        self.canvas.setLineWidth(0.8)
        self.canvas.setStrokeColor(INK)
        self.canvas.line((EDGE_MM + 4) * MM, (y - 2) * MM, (EDGE_MM + 104) * MM, (y - 2) * MM)
        for x in (4, 104):
            self.canvas.line((EDGE_MM + x) * MM, (y - 4) * MM, (EDGE_MM + x) * MM, y * MM)
        self._say(EDGE_MM + 108, y - 3, "must measure 100 mm (3-15/16 in): print at 100 %", 8)
        return y - 10

    def _strip(self, card: PieceCard, y: float, start: float, end: float, part: int, parts: int) -> None:
        """One strip of pipe from start to end [mm from the square end]."""
        left = EDGE_MM + 4
        self.canvas.setStrokeColor(INK)
        self.canvas.setLineWidth(0.5)
        self.canvas.rect(left * MM, (y - 16) * MM, (end - start) * MM, 12 * MM)
        of = f", {part} of {parts}" if parts > 1 else ""
        self._say(left, y - 2.5, f"{card.label}  {card.pipe}{of}", 9, strong=True)
        zero = "square end" if start == 0 else f"{length_text(start, self.unit, with_unit=True)} from the square end"
        self._say(left, y - 20, zero, 8)
        step = 10.0
        at = math.ceil(start / step) * step
        self.canvas.setLineWidth(0.25)
        while at <= end:
            x = (left + at - start) * MM
            tall = 2.2 if round(at) % 50 == 0 else 1.1
            self.canvas.line(x, (y - 16) * MM, x, (y - 16 + tall) * MM)
            at += step
        self.canvas.setLineWidth(0.9)
        for bend in card.bends:
            arc = bend.radius_mm * math.radians(bend.angle_deg)
            for edge, dashed in ((bend.at_mm, False), (bend.at_mm + arc, True)):
                if not start <= edge <= end or (dashed and not arc):
                    continue
                x = (left + edge - start) * MM
                self.canvas.setDash(*([[3, 2], 0] if dashed else [[], 0]))
                self.canvas.line(x, (y - 17.5) * MM, x, (y - 3) * MM)
            self.canvas.setDash([], 0)
            if start <= bend.at_mm <= end:
                words = f"{length_text(bend.at_mm, self.unit)}: {bend.angle_deg:g}°"
                if abs(bend.roll_deg) > 0.05:
                    words += f", turned {bend.roll_deg:g}°"
                self._say(left + bend.at_mm - start + 1, y - 9, words, 8)

    # --- labels -------------------------------------------------------------------------------------------------------

    def _labels(self) -> None:
        """A label a piece, on sheets of labels as they are sold."""
        columns, rows = self.paper.labels
        wide, high = self.paper.label
        side, top = self.paper.margins
        gap = (self.paper.wide - 2 * side - columns * wide) / max(1, columns - 1) if columns > 1 else 0.0
        for n, card in enumerate(self.cards):
            place = n % (columns * rows)
            if n and not place:
                self.canvas.showPage()
            x = side + place % columns * (wide + gap) + 4
            y = self.paper.high - top - (place // columns) * high - 4
            self._say(x, y - 5, card.label, 15, strong=True)
            self._say(x + wide - 8, y - 5, length_text(card.cut_mm, self.unit, with_unit=True), 12, right=True)
            bends = f", {card.turns} bend{'s' if card.turns > 1 else ''}" if card.turns else ""
            self._say(x, y - 10, f"{card.pipe}{bends}; {off_said(card)}", 8)
            self._say(x, y - 14, f"from {card.ends[0].into}"[:44], 7.5)
            self._say(x, y - 17.5, f"to {card.ends[1].into}"[:44], 7.5)
        if not self.cards:
            self._say(EDGE_MM, self.paper.high - 20, "Nothing to cut yet.", 10)
        self.canvas.showPage()


def _stretches(card: PieceCard, along_mm: float) -> list[tuple[float, float]]:
    """The stretches of a piece that have marks [mm from its square end], each as long as a strip at most: bends near
    each other on one, what lies bare between them on none."""
    found: list[tuple[float, float]] = []
    for bend in card.bends:
        end = bend.at_mm + bend.radius_mm * math.radians(bend.angle_deg)
        low, high = max(0.0, bend.at_mm - 20), min(card.cut_mm, end + 20)
        if low < 60:
            low = 0.0
        if found and high - found[-1][0] <= along_mm:
            found[-1] = found[-1][0], high
        else:
            found += [(at, min(high, at + along_mm)) for at in _steps(low, high, along_mm)]
    return found


def _steps(low: float, high: float, step: float) -> list[float]:
    return [low + n * step for n in range(max(1, math.ceil((high - low) / step - 1e-9)))]


def off_said(card: PieceCard) -> str:
    """What a piece is cut from, in words."""
    if card.ready_mm is not None:
        return "bought as a nipple"
    return f"{card.off}, piece {card.number}" if card.off else "no stock length holds it"


def stock_said(pipe: PipeStock, unit: Any) -> str:
    """What is bought of a pipe, what is left over, and whether that is proven the least."""
    many = [
        f"{count} {pipe.form}{'s' if count > 1 else ''} of {length_text(mm, unit, with_unit=True)}"
        for mm, count in pipe.bought
    ]
    offcuts = sum(bar.stock.offcut for bar in pipe.layout.bars)
    if offcuts:
        many.append(f"{offcuts} offcut{'s' if offcuts > 1 else ''} of the van")
    if pipe.ready:
        many.append(f"{len(pipe.ready)} ready nipple{'s' if len(pipe.ready) > 1 else ''}")
    if pipe.form == "length":
        return f"{pipe.total_mm / 1000:.1f} m by the metre"
    gap = pipe.layout.gap
    proof = "no layout takes less" if not gap else f"at most {gap * 100:.1f} % over the least"
    return f"{', '.join(many) or 'nothing to buy'}; {proof}"
