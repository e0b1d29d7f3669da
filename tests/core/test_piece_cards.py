"""Every piece of the demos by its card: its marks and bends followed as vectors end where the pipe ends as traced."""

from __future__ import annotations

import math
import unittest

from oikotherm.core.design import derive
from oikotherm.core.making.piece_cards import PieceCard, piece_cards
from oikotherm.core.supply import Supply
from oikotherm.demo import documents
from tests.jobs import design

V = tuple[float, float, float]


def add(a: V, b: V, times: float = 1.0) -> V:
    return a[0] + b[0] * times, a[1] + b[1] * times, a[2] + b[2] * times


def cross(a: V, b: V) -> V:
    return a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]


def turned(v: V, axis: V, deg: float) -> V:
    """A vector turned about an axis of length 1, right-handed (Rodrigues)."""
    t = math.radians(deg)
    dot = sum(a * b for a, b in zip(v, axis, strict=True))
    side = cross(axis, v)
    return tuple(v[n] * math.cos(t) + side[n] * math.sin(t) + axis[n] * dot * (1 - math.cos(t)) for n in range(3))  # type: ignore[return-value]


def followed(card: PieceCard, start: V, way: V, first_axis: V) -> tuple[V, V]:
    """Where a piece ends and which way it points there, by its card alone; first_axis: the first bend turns about."""
    at, walked, axis = start, 0.0, first_axis
    for number, bend in enumerate(card.bends):
        at = add(at, way, bend.at_mm - walked)
        walked = bend.at_mm
        if number:
            axis = turned(axis, way, bend.roll_deg)
        if bend.radius_mm:
            inward = cross(axis, way)  # towards the centre of the bend
            centre = add(at, inward, bend.radius_mm)
            at = add(centre, turned(tuple(-one for one in inward), axis, bend.angle_deg), bend.radius_mm)  # type: ignore[arg-type]
            walked += bend.radius_mm * math.radians(bend.angle_deg)
        way = turned(way, axis, bend.angle_deg)
    return add(at, way, card.cut_mm - walked), way


class ReplayTest(unittest.TestCase):
    def test_every_piece_ends_where_it_is_traced(self) -> None:
        checked = bent = 0
        worst = 0.0
        for job in documents():
            made = derive(job)
            cuts = {cut.key: cut for cut in made.cuts}
            cards = piece_cards(made.cuts, made.materials_from(Supply()).pipes, made.piece_labels)
            self.assertEqual(sorted(card.key for card in cards), sorted(cuts))
            for card in cards:
                piece = cuts[card.key].piece
                corners = [tuple(corner) for corner in piece.corners]
                way = tuple(piece.way)
                axis: V = (0.0, 0.0, 1.0)
                if len(corners) > 2:
                    second = add(corners[2], corners[1], -1)
                    axis = cross(way, second)
                    size = math.hypot(*axis)
                    axis = axis[0] / size, axis[1] / size, axis[2] / size
                    last = add(corners[-1], corners[-2], -1)
                else:
                    last = way
                size = math.hypot(*last)
                start = add(corners[0], way, piece.from_mating.take_off_mm)
                end = add(corners[-1], last, -piece.to_mating.take_off_mm / size)
                got, _ = followed(card, start, way, axis)
                off = math.dist(got, end)
                worst = max(worst, off)
                self.assertLess(off, 1.0, f"{job.uid} {card.label}")
                checked += 1
                bent += card.turns > 0
        print(f"piece cards: {checked} pieces, {bent} bent, the farthest end {worst:.2f} mm off", flush=True)
        self.assertGreater(bent, 60)

    def test_a_wrong_mark_would_be_seen(self) -> None:
        made = design("F1 from A.out cu-m 15: U500 E600 N700 -> cap", turns="bends-22")
        (card,) = piece_cards(made.cuts, made.materials.pipes, made.piece_labels)
        piece = made.cuts[0].piece
        start: V = (0.0, 0.0, piece.from_mating.take_off_mm)
        end, _ = followed(card, start, (0, 0, 1), (0, 1, 0))
        self.assertLess(math.dist(end, (600, 700 - piece.to_mating.take_off_mm, 500)), 1.0)
        wrong = PieceCard(**{**{name: getattr(card, name) for name in PieceCard.__slots__}, "bends": card.bends[:1]})
        self.assertGreater(math.dist(followed(wrong, start, (0, 0, 1), (0, 1, 0))[0], end), 100)


class CardTest(unittest.TestCase):
    def test_by_hand(self) -> None:
        """One square bend of 15 copper, R 55: from the port up 500, east 600; marks from the square end."""
        made = design("F1 from A.out cu-m 15: U500 E600 -> cap", turns="bends-22")
        (card,) = piece_cards(made.cuts, made.materials.pipes, made.piece_labels)
        piece = made.cuts[0].piece
        radius = piece.bends[0].radius_mm
        legs = 500 - piece.from_mating.take_off_mm, 600 - piece.to_mating.take_off_mm
        self.assertAlmostEqual(card.bends[0].at_mm, legs[0] - radius, delta=0.06)
        self.assertEqual((card.bends[0].angle_deg, card.bends[0].towards, card.way), (90, "E", "U"))
        self.assertAlmostEqual(card.corners_mm[0], legs[0], delta=0.06)
        self.assertAlmostEqual(card.corners_mm[1], legs[1], delta=0.06)
        self.assertAlmostEqual(card.cut_mm, sum(legs) - (2 - math.pi / 2) * radius, delta=0.6)
        self.assertEqual((card.off, card.number), ("stick 1", 1))
        self.assertIn("olive", card.ends[0].made)
        self.assertGreater(card.ends[0].depth_mm, 10)

    def test_the_roll_is_right_or_left_looking_along_the_pipe(self) -> None:
        """Up, east, then north: looking east along the pipe the third leg lies to the left of where it came from."""
        made = design("F1 from A.out cu-m 15: U500 E600 N700 -> cap", turns="bends-22")
        (card,) = piece_cards(made.cuts, made.materials.pipes, made.piece_labels)
        # coming from below and going east, down is where the pipe came from; north is to the left of east
        self.assertEqual(card.bends[1].roll_deg, 90)
        back = design("F1 from A.out cu-m 15: U500 E600 S700 -> cap", turns="bends-22")
        (other,) = piece_cards(back.cuts, back.materials.pipes, back.piece_labels)
        self.assertEqual(other.bends[1].roll_deg, -90)


if __name__ == "__main__":
    unittest.main()
