"""Stock lengths as bars: each piece with its label and length, in cutting order, and what is left."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ..core.making.sticks import Bar
from ..core.quantity import PaceUnit, length_text
from .sheet import FlatSheet, Words, text_width

ROW, HIGH, LEFT = 40.0, 22.0, 104.0


def stick_bars(
    bars: Sequence[Bar],
    labels: Mapping[str, str],
    lengths_mm: Mapping[str, float],
    unit: PaceUnit,
    useful_mm: float,
    width: float = 760.0,
    first: int = 1,
) -> FlatSheet:
    """The bars of one pipe, all to one scale. first: the number of the first new length; useful_mm: rests are named
    as worth keeping from this on."""
    longest = max((bar.stock.length_mm for bar in bars), default=1.0)
    scale = (width - LEFT - 4) / longest
    sheet = FlatSheet(width, ROW * len(bars) + 4, f"{len(bars)} lengths with their pieces")
    number = first
    for row, bar in enumerate(bars):
        top = row * ROW + 16
        name = "offcut" if bar.stock.offcut else f"{number}"
        number += not bar.stock.offcut
        sheet.words.append(Words((0, top + 15), name, 13, kind="strong"))
        sheet.words.append(Words((LEFT - 8, top + 15), length_text(bar.stock.length_mm, unit), 11, "end", "quiet"))
        x = LEFT
        said_to = 0.0  # how far lengths above the bar reach
        for key in bar.pieces:
            wide = lengths_mm[key] * scale
            sheet.box(x, top, wide, HIGH, "pipe", key)
            label, length = labels[key], length_text(lengths_mm[key], unit)
            if text_width(f"{label} {length}", 11, strong=True) + 8 < wide:
                sheet.words.append(Words((x + 4, top + 15), label, 11, kind="strong"))
                sheet.words.append(Words((x + wide - 4, top + 15), length, 11, "end"))
            elif text_width(label, 10, strong=True) + 3 < wide:
                sheet.words.append(Words((x + wide / 2, top + 15), label, 10, "middle", "strong"))
                half = text_width(length, 9) / 2
                if x + wide / 2 - half > said_to:
                    sheet.words.append(Words((x + wide / 2, top - 3), length, 9, "middle", "quiet"))
                    said_to = x + wide / 2 + half + 3
            elif wide >= 8:
                sheet.words.append(Words((x + wide / 2 + 3, top + HIGH - 2), label, 7, kind="strong", turned=True))
            x += wide
        rest = bar.rest_mm * scale
        if rest > 0.5:
            sheet.box(x, top, rest, HIGH, "kept")
            keep = "keep " if bar.rest_mm >= useful_mm else ""
            words = f"{keep}{length_text(bar.rest_mm, unit)}"
            if text_width(words, 10) + 6 < rest:
                sheet.words.append(Words((x + rest / 2, top + 15), words, 10, "middle", "quiet"))
    return sheet
