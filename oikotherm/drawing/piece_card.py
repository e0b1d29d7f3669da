"""A piece card: the pipe laid straight with every mark from its square end, and the bent piece beside it."""

from __future__ import annotations

import math

from ..core.making.bends import flat_line
from ..core.making.piece_cards import PieceCard
from ..core.quantity import PaceUnit, length_text
from .sheet import FlatSheet, Line, Words, text_width

WIDE, HIGH = 360.0, 250.0
EDGE = 12.0
PIPE_Y, PIPE_H = 84.0, 14.0


def piece_card(card: PieceCard, unit: PaceUnit, place: str) -> FlatSheet:
    """One card. place: what the piece is cut from, in words."""
    sheet = FlatSheet(WIDE, HIGH, f"{card.label}: cut {length_text(card.cut_mm, unit, with_unit=True)}")
    sheet.box(1, 1, WIDE - 2, HIGH - 2, "edge")
    sheet.words += [
        Words((EDGE, 28), card.label, 22, kind="strong"),
        Words((WIDE - EDGE, 28), length_text(card.cut_mm, unit, with_unit=True), 20, "end", "strong"),
        Words((EDGE, 45), card.pipe, 11),
        Words((WIDE - EDGE, 45), place, 11, "end", "quiet"),
    ]
    if not card.known:
        sheet.words.append(Words((EDGE, 60), "an end has no figures: centre to centre", 11, kind="bad"))
    _straight(sheet, card, unit)
    top = _bend_rows(sheet, card, unit)
    if card.turns:
        _bent(sheet, card, top)
    for row, (end, side) in enumerate(zip(card.ends, ("square end", "far end"), strict=True)):
        y = HIGH - 30 + 15 * row
        into = end.into if len(end.into) < 34 else end.into[:33] + "…"
        depth = f", {length_text(end.depth_mm, unit, with_unit=True)} in" if end.depth_mm else ""
        sheet.words.append(Words((EDGE, y), f"{side}: ", 9.5, kind="quiet"))
        sheet.words.append(Words((EDGE + 58, y), f"{end.made}{depth}, into {into}"[:64], 9.5))
    return sheet


MINI_WIDE, MINI_HIGH = 132.0, 30.0


def piece_mini(card: PieceCard, longest_mm: float) -> FlatSheet:
    """A piece as small as a word: pipe, its bends, threads and marks of depth at its ends. Longer ones are longer, the
    longest of the list [mm] fills the width, but none is to scale; a bent one is laid flat and fills the height."""
    bent = card.turns > 0
    sheet = FlatSheet(MINI_WIDE, MINI_HIGH, f"{card.label}, {card.turns} bends" if bent else f"{card.label}, straight")
    if bent:
        points = _flat(card)
        xs, ys = [x for x, _ in points], [y for _, y in points]
        wide, high = max(xs) - min(xs), max(ys) - min(ys)
        scale = min((MINI_WIDE - 10) / max(wide, 1.0), (MINI_HIGH - 8) / max(high, 1.0))
        top = (MINI_HIGH - high * scale) / 2
        line = tuple((5 + (x - min(xs)) * scale, top + (max(ys) - y) * scale) for x, y in points)
        sheet.lines.append(Line(line, "tube"))
        return sheet
    wide = 22.0 + (MINI_WIDE - 30) * min(max(card.cut_mm, 0.0) / max(longest_mm, 1.0), 1.0) ** 0.6
    left, top, high = 4.0, MINI_HIGH / 2 - 4, 8.0
    sheet.box(left, top, wide, high, "pipe")
    for end, x, sign in ((card.ends[0], left, 1), (card.ends[1], left + wide, -1)):
        if end.made == "threaded":
            for n in range(1, 4):
                sheet.line((x + sign * n * 1.8, top), (x + sign * n * 1.8, top + high), "thread")
        elif end.depth_mm:
            sheet.line((x + sign * 4, top - 2), (x + sign * 4, top + high + 2), "depth")
        elif end.made.startswith("flared"):
            for side in (top, top + high):
                out = -3 if side == top else 3
                sheet.line((x, side), (x - sign * 3, side + out), "mark")
    return sheet


def _flat(card: PieceCard) -> tuple[tuple[float, float], ...]:
    """The centre line of a bent piece, laid flat [mm]."""
    pulled = [bend for bend in card.bends if bend.radius_mm]
    marks = [(bend.at_mm, bend.angle_deg, bend.roll_deg) for bend in pulled]
    return flat_line(marks, pulled[0].radius_mm, max(card.cut_mm, pulled[-1].at_mm))


def _straight(sheet: FlatSheet, card: PieceCard, unit: PaceUnit) -> None:
    """The pipe straight, with ticks at its marks and their distance from the square end."""
    left, wide = EDGE + 4, WIDE - 2 * EDGE - 8
    scale = wide / max(card.cut_mm, 1.0)
    sheet.box(left, PIPE_Y, wide, PIPE_H, "pipe")
    for end, x, sign in ((card.ends[0], left, 1), (card.ends[1], left + wide, -1)):
        if end.made == "threaded":
            for n in range(1, 5):
                sheet.line((x + sign * n * 2.5, PIPE_Y), (x + sign * n * 2.5, PIPE_Y + PIPE_H), "thread")
        elif end.depth_mm:
            at = x + sign * max(4.0, end.depth_mm * scale)
            sheet.line((at, PIPE_Y - 3), (at, PIPE_Y + PIPE_H + 3), "depth")
    taken = [-1e9, -1e9]
    for n, bend in enumerate(card.bends):
        x = left + bend.at_mm * scale
        sheet.line((x, PIPE_Y - 5), (x, PIPE_Y + PIPE_H + 5), "mark")
        words = length_text(bend.at_mm, unit)
        half = text_width(words, 11) / 2
        row = 0 if x - half > taken[0] + 3 else 1
        taken[row] = x + half
        y = PIPE_Y - 8 if row == 0 else PIPE_Y + PIPE_H + 16
        sheet.words.append(Words((min(max(x, EDGE + half), WIDE - EDGE - half), y), words, 11, "middle", "strong"))
        if bend.radius_mm:
            end_x = x + bend.radius_mm * math.radians(bend.angle_deg) * scale
            sheet.lines.append(Line(((x, PIPE_Y + PIPE_H / 2), (end_x, PIPE_Y + PIPE_H / 2)), "axis"))
        del n


def _bend_rows(sheet: FlatSheet, card: PieceCard, unit: PaceUnit) -> float:
    """What to pull, a line a bend; returns where the next thing may begin."""
    y = PIPE_Y + PIPE_H + 34
    if not card.bends:
        if card.way:
            sheet.words.append(Words((EDGE, y), f"straight, goes {card.way}", 11))
        return y
    for n, bend in enumerate(card.bends):
        if n == 5 and len(card.bends) > 6:
            sheet.words.append(Words((EDGE, y), f"and {len(card.bends) - n} more: see the cut list", 10, kind="bad"))
            break
        turned = f", turned {_roll(bend.roll_deg)}" if abs(bend.roll_deg) > 0.05 else ""
        pull = f"{bend.angle_deg:g}°" if bend.radius_mm else f"sprung {bend.angle_deg:g}°"
        to = f", to {bend.towards}" if bend.towards else ""
        sheet.words.append(Words((EDGE, y), f"{length_text(bend.at_mm, unit)}: {pull}{turned}{to}", 10.5))
        y += 13.5
    checks = " + ".join(length_text(one, unit) for one in card.corners_mm)
    sheet.words.append(Words((EDGE, HIGH - 45), f"corner to corner {checks}"[:60], 9.5, kind="quiet"))
    return y


def _roll(roll_deg: float) -> str:
    """A roll in words: looking along the pipe from its square end."""
    if abs(abs(roll_deg) - 180) < 0.05:
        return "half round"
    return f"{abs(roll_deg):g}° {'right' if roll_deg > 0 else 'left'}"


def _bent(sheet: FlatSheet, card: PieceCard, _: float) -> None:
    """The bent piece flat, to scale, at the right."""
    points = _flat(card)
    xs, ys = [x for x, _ in points], [y for _, y in points]
    left, top, wide, high = 214.0, PIPE_Y + PIPE_H + 24, 130.0, 64.0
    scale = min(wide / max(max(xs) - min(xs), 1.0), high / max(max(ys) - min(ys), 1.0))
    left += (wide - (max(xs) - min(xs)) * scale) / 2
    line = tuple((left + (x - min(xs)) * scale, top + (max(ys) - y) * scale) for x, y in points)
    sheet.lines.append(Line(line, "tube"))
    sheet.lines.append(Line(line, "axis"))
    (x, y), (x2, y2) = line[0], line[1]
    length = math.hypot(x2 - x, y2 - y) or 1.0
    nx, ny = -(y2 - y) / length * 7, (x2 - x) / length * 7
    sheet.line((x - nx, y - ny), (x + nx, y + ny), "mark")
