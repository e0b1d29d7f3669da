"""Rows of parts between two ends, against sums of our own; tap-in kits against figures by hand."""

from __future__ import annotations

import math
import random
import unittest
from typing import Any

from oikotherm.core.bench import find_tool
from oikotherm.core.errors import Refused
from oikotherm.core.making.stack import Body, Gap, stack

INCH = 25.4
DEPTHS = {"capillary": 10.6, "press": 22.0, "compression": 16.0, "union": 0.0, "thread": 13.6}
PLAYS = {"union": 2.0, "thread": math.inf}  # what a joint takes to be made last; others their depth


def calc(name: str, **said: Any) -> dict[str, Any]:
    return find_tool(name).run(said)


def a_row(dice: random.Random) -> tuple[float, list[Body], list[Gap], float, tuple[float, float]]:
    """A random row: window, bodies, gaps, play, what may be trimmed off each end."""
    bodies = []
    for n in range(dice.randint(1, 6)):
        kind = dice.random()
        length = round(dice.uniform(0, 300), 1)
        if kind < 0.08:
            bodies.append(Body(f"b{n}", length, opens=True))
        elif kind < 0.16:
            bodies.append(Body(f"b{n}", 0.0, slides_mm=dice.choice((21.2, 44.0, 90.0))))
        else:
            bodies.append(Body(f"b{n}", length))
    gaps = []
    for n in range(len(bodies) + 1):
        methods = tuple(dice.choices(list(DEPTHS), (5, 3, 3, 0.4, 4), k=2))
        depths = tuple(DEPTHS[method] for method in methods)
        edge = n in (0, len(bodies))
        if dice.random() < (0.4 if edge else 0.15):
            gaps.append(Gap(None, methods[:1], depths[:1], math.inf if edge else 0.0))
        else:
            gaps.append(Gap(round(sum(depths) + dice.uniform(0, 40), 1), methods, depths))
    least = sum(body.length_mm for body in bodies) + sum(gap.least_mm or 0.0 for gap in gaps)
    window = max(round(least * dice.uniform(0.85, 1.6), 1), 1.0)
    trims = (round(dice.uniform(0, 60), 1), round(dice.uniform(0, 60), 1)) if dice.random() < 0.3 else (0.0, 0.0)
    return window, bodies, gaps, dice.choice((0.0, 0.0, 2.0, 12.0, 25.0)), trims


def least_play(bodies: list[Body], gaps: list[Gap], pieces: list[float]) -> float:
    """The least play that lets some joint be made last, looked up joint by joint."""
    found = [2.0 for body in bodies if body.opens]
    left = iter(pieces)
    lengths = [next(left) if gap.least_mm is not None else None for gap in gaps]
    for gap in gaps:
        found += [PLAYS.get(method, DEPTHS[method]) for method in gap.methods]
    for n, body in enumerate(bodies):
        for side, gap in ((0, gaps[n]), (-1, gaps[n + 1])):
            length = lengths[n if side == 0 else n + 1]
            bare = gap.bare_mm if length is None else length - gap.insertions_mm[side]
            if body.slides_mm and bare >= body.slides_mm:
                found.append(0.0)
    return min(found)


class RandomRowsTest(unittest.TestCase):
    def test_five_thousand_rows(self) -> None:
        """What is taken adds up exactly and can be closed; what is refused is confirmed by a sum of our own."""
        dice = random.Random(515)
        refused = {"missing": 0, "over": 0, "last": 0}
        taken = 0
        for number in range(5000):
            window, bodies, gaps, play, trims = a_row(dice)
            whole = sum(body.length_mm for body in bodies)
            least = [gap.least_mm for gap in gaps if gap.least_mm is not None]
            with self.subTest(number=number):
                try:
                    found = stack(window, bodies, gaps, play, trims_mm=trims)
                except Refused as why:
                    if "are missing" in why.expected:
                        refused["missing"] += 1
                        self.assertLess(window + sum(trims), whole + sum(least) - 1e-7)
                    elif "no piece takes up" in why.expected:
                        refused["over"] += 1
                        self.assertEqual(least, [])
                        self.assertGreater(window - whole, 1.0)
                    else:
                        refused["last"] += 1
                        self.assertIn("slides or comes apart", why.expected)
                        over = max(window - whole - sum(least), 0.0)
                        longest = [one + over for one in least]  # each, were all that is over given to it
                        self.assertGreater(least_play(bodies, gaps, longest), play)
                    continue
                taken += 1
                gap = 0.0 if least else found.slack_mm  # two old ends may stop short by a millimetre together
                self.assertAlmostEqual(sum(found.pieces_mm) + whole + gap, window + sum(found.trims_mm), places=5)
                self.assertLessEqual(gap, 1.0)
                for piece, short in zip(found.pieces_mm, least, strict=True):
                    self.assertGreaterEqual(piece, short - 1e-6)
                self.assertGreaterEqual(found.slack_mm, 0.0)
                self.assertLessEqual(found.trims_mm[0], trims[0])
                self.assertLessEqual(found.trims_mm[1], trims[1])
                if any(found.trims_mm):  # no more than it takes
                    self.assertAlmostEqual(found.slack_mm, 0.0, places=5)
                self.assertLessEqual(found.last.play_mm, play)
                self.assertAlmostEqual(found.last.play_mm, least_play(bodies, gaps, list(found.pieces_mm)))
                self.assertEqual(found.order[-1], found.last.title)
                self.assertAlmostEqual(found.marks[-1][1], sum(found.pieces_mm) + whole, delta=0.051)
        self.assertGreaterEqual(sum(refused.values()), 1000, refused)
        self.assertGreater(taken, 1000)
        self.assertTrue(all(count > 10 for count in refused.values()), refused)


class ByHandTest(unittest.TestCase):
    def test_assembly_between_its_valves(self) -> None:
        """22 mm: two valves of 2 x 14 between stops, an assembly 290 over its mouths, 2 x 15.4 of that in its sockets;
        two pieces of two compression depths of 19 and solder 15.4. Window 460: what is over goes into the pieces."""
        row = ["iso", {"title": "double check", "length": 290, "opens": True}, "iso"]
        found = calc("stack", pipe="cu-m 22", bodies=row, window=460)
        room = 460 - 2 * 28 - (290 - 2 * 15.4)
        self.assertEqual(found["pieces_mm"], [72.0, round(room - 72, 3)])
        self.assertAlmostEqual(found["slack_mm"], room - 2 * (19 + 15.4), places=3)
        self.assertEqual(found["last"], "double check")
        with self.assertRaisesRegex(Refused, "2 mm of play, for double check"):
            calc("stack", pipe="cu-m 22", bodies=row, window=460, play=0)

    def test_tee_cut_into_copper(self) -> None:
        """A tee alone closes only by its socket's depth of play; a slip coupling beside it needs none. z 11 each."""
        with self.assertRaisesRegex(Refused, "10.6 mm of play"):
            calc("stack", pipe="cu-m 15", bodies=["tee"])
        self.assertEqual(calc("stack", pipe="cu-m 15", bodies=["tee"], play=11)["cut_out_mm"], 22)
        found = calc("stack", pipe="cu-m 15", bodies=["tee", "slip"])
        self.assertEqual((found["pieces_mm"], found["cut_out_mm"]), ([21.2], 43.2))
        self.assertIn("slip coupling, slid on first", found["last"])

    def test_old_ends_are_trimmed_pushed_and_shifted(self) -> None:
        short = {"pipe": "cu-m 15", "bodies": ["tee", "slip"], "window": 40}
        with self.assertRaisesRegex(Refused, "at least 43.2 mm there: 3.2 mm are missing"):
            calc("stack", **short)
        found = calc("stack", **short, trim=20)
        self.assertEqual((found["trims_mm"], found["cut_out_mm"]), ([0.0, 3.2], 43.2))
        pushed = calc("stack", pipe="cu-m 15", bodies=["tee"], play=0, push=12)
        self.assertIn("push the stub back by 11 mm", pushed["text"])
        self.assertIn("shift the old pipe to the side by 2.0 mm", calc("stack", **short, trim=20, side=2)["text"])
        with self.assertRaisesRegex(Refused, "at most 3.0 mm"):  # 15 mm copper, 300 free
            calc("stack", **short, trim=20, side=5)

    def test_tee_that_has_its_place(self) -> None:
        """Threaded 3/4 between two fittings 1,000 apart stop to stop, the tee's middle at 400: its half A - m = 1.31 -
        0.553 in either side of it."""
        said = {"pipe": "fe-40 3/4", "method": "thread", "bodies": ["tee", "union"], "ends": "fittings"}
        found = calc("stack", **said, measured="stops", window=1000, at=400)
        half = (1.31 - 0.553) * INCH
        self.assertAlmostEqual(found["pieces_mm"][0], 400 - half, delta=0.01)
        union = 2 * (1.10 - 0.553) * INCH
        self.assertAlmostEqual(sum(found["pieces_mm"][1:]), 1000 - 400 - half - union, delta=0.01)
        self.assertEqual(found["last"], "3/4 union")
        with self.assertRaisesRegex(Refused, "slides or comes apart"):
            calc("stack", **{**said, "bodies": ["tee"]}, measured="stops", window=1000, at=400)


class TapInTest(unittest.TestCase):
    def test_least_centres(self) -> None:
        """2 A + 2 (close nipple - 2 made-up) + union: 4.35, 5.36 and 5.76 in."""
        for size, inches in (("1/2", 4.354), ("3/4", 5.358), ("1", 5.756)):
            self.assertAlmostEqual(calc("tap_in", pipe=f"fe-40 {size}")["least_mm"] / INCH, inches, delta=0.001)

    def test_cut_marks_and_pieces(self) -> None:
        """3/4, fittings 48 in apart, the tee 20 in from the first. By hand from the tables: A 1.31, made up .553."""
        found = calc("tap_in", pipe="fe-40 3/4", centres="48 in", at="20 in")
        first = 20 - 2 * (1.31 - 0.553)
        self.assertAlmostEqual(found["pieces_mm"][0] / INCH, first, delta=0.001)
        rest = 48 - 20 - 2 * (1.31 - 0.553) - 2 * (1.10 - 0.553)
        self.assertAlmostEqual(sum(found["pieces_mm"][1:]) / INCH, rest, delta=0.001)
        self.assertAlmostEqual(found["cuts_mm"][0] / INCH, 20 - 1.31 + 0.553, delta=0.01)
        far = found["pieces_mm"][2] / INCH
        self.assertAlmostEqual(found["cuts_mm"][1] / INCH, 48 - 1.31 + 0.553 - far, delta=0.01)
        self.assertEqual(found["last"], "3/4 union")
        with self.assertRaisesRegex(Refused, "take the piece out to the next fitting"):
            calc("tap_in", pipe="fe-40 3/4", centres="12 in", at="9 in")
        with self.assertRaisesRegex(Refused, "threaded pipe"):
            calc("tap_in", pipe="cu-m 22")


if __name__ == "__main__":
    unittest.main()
