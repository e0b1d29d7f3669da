"""Two stubs in space: what the solver gives is laid out again by plain vectors; the impossible is searched."""

from __future__ import annotations

import itertools
import math
import random
import unittest

import numpy as np
from scipy.optimize import linprog

from oikotherm.core.bench import find_tool
from oikotherm.core.errors import Refused
from oikotherm.core.job.model import Pipe
from oikotherm.core.job.ways import Vec
from oikotherm.core.making.stubs import fittings_of, join

from ..jobs import CATALOGUE

# centre to stop and depth of solder elbows of 22 mm: 16 and 15.4 mm, the 45 at 0.45 of it
TAKES = {90.0: 16.0, 45.0: 7.2}
DEEP = 15.4
PIPES = ("cu-m 15", "cu-m 22", "cu-l 3/4", "fe-press 22")
PLAIN = [(0, 0, 1), (0, 0, -1), (1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0)]


def fittings(text="cu-m 22"):
    code, _, size = text.partition(" ")
    return fittings_of(CATALOGUE, Pipe(code=code, size=size))


def pair(rng: random.Random, number: int):
    """Stubs in line, along the house, or anywhere."""

    def anywhere() -> Vec:
        found = Vec(*(rng.gauss(0, 1) for _ in range(3)))
        return found.unit() if found.length > 0.1 else Vec(0, 0, 1)

    at = Vec(*(round(rng.uniform(-600, 600)) for _ in range(3)))
    if number % 3 == 0:
        u = Vec(*rng.choice(PLAIN))
        w = u.times(-1)
    elif number % 3 == 1:
        u, w = Vec(*rng.choice(PLAIN)), Vec(*rng.choice(PLAIN))
    else:
        u, w = anywhere(), anywhere()
    return (Vec(0, 0, 0), u), (at, w)


def wrong(one, a, b, pipe) -> str:
    """What is wrong with a way laid out again: angles, turns, pieces, where it comes to."""
    at, ways = np.array(a[0], float), [np.array(way, float) for way in one.ways]
    if not np.allclose(ways[0], a[1].unit(), atol=1e-6) or not np.allclose(ways[-1], -np.array(b[1].unit()), atol=1e-6):
        return "does not begin or end as the stubs look"
    for way, leg in zip(ways, one.centres_mm, strict=True):
        at = at + leg * way
    if np.linalg.norm(at - np.array(b[0], float)) > 0.5:
        return f"misses by {np.linalg.norm(at - np.array(b[0], float)):.2f} mm"
    for angle, before, behind in zip(one.angles_deg, ways, ways[1:], strict=False):
        if abs(math.degrees(math.acos(np.clip(before @ behind, -1, 1))) - angle) > 0.01:
            return "turns by another angle"
    for turn, first, middle, last in zip(one.turns_deg, ways, ways[1:], ways[2:], strict=False):
        p, q = np.cross(first, middle), np.cross(middle, last)
        spun = math.degrees(math.acos(np.clip(p @ q / np.linalg.norm(p) / np.linalg.norm(q), -1, 1)))
        if abs(abs(turn) - spun) > 0.05:
            return f"is turned {spun:.2f}, not {turn:.2f}"
    known = {kind.angle_deg: kind.mating for kind in fittings(pipe).kinds}
    off = [known[angle].take_off_mm for angle in one.angles_deg]
    deep = [known[angle].insertion_mm for angle in one.angles_deg]
    for n, (leg, piece) in enumerate(zip(one.centres_mm, one.pieces_mm, strict=True)):
        street = 0 < n < len(one.parts) and one.parts[n].startswith("street")
        ends = [*([off[n - 1]] if n else []), *([off[n]] if n < len(off) else [])]
        if street:
            if piece or abs(leg - sum(ends) - max(deep[n - 1], deep[n])) > 0.11:
                return "a street fitting that does not reach"
        elif abs(leg - sum(ends) - piece) > 1e-6 or piece < (deep[0] if one.parts else 1) - 1e-6:
            return "a piece of the wrong length"
    return ""


def reachable(a, b, pipe: str, step_deg: float) -> bool:
    """Whether any one, two or three fittings come there: the first turned in steps, the next found by turning it round
    until the last fits, the lengths by linear programming. Apart from the solver's own cones."""
    known = fittings(pipe)
    u, w = np.array(a[1].unit(), float), -np.array(b[1].unit(), float)
    gap = np.array(b[0], float) - np.array(a[0], float)
    kinds = {kind.angle_deg: kind for kind in known.kinds}

    def about(axis, angle_deg):
        aside = np.cross(axis, [1.0, 0, 0] if abs(axis[0]) < 0.9 else [0, 1.0, 0])
        aside /= np.linalg.norm(aside)
        other = np.cross(axis, aside)
        tilt = math.radians(angle_deg)
        return lambda turn: math.cos(tilt) * axis + math.sin(tilt) * (math.cos(turn) * aside + math.sin(turn) * other)

    def lengths(ways, least) -> bool:
        matrix = np.array(ways).T
        solved = linprog(np.ones(len(ways)), A_eq=matrix, b_eq=gap, bounds=[(one, 20_000) for one in least])
        return bool(solved.success)

    def seconds(m1, b_deg, c_deg):
        """Ways at angle b to m1 that make angle c with w: where the sign of the miss changes."""
        turned = about(m1, b_deg)
        wanted = math.cos(math.radians(c_deg))
        at = np.radians(np.arange(0, 361, 3))
        miss = [turned(one) @ w - wanted for one in at]
        for n in range(len(at) - 1):
            if miss[n] * miss[n + 1] <= 0 and miss[n] != miss[n + 1]:
                low, high = at[n], at[n + 1]
                for _ in range(50):
                    middle = (low + high) / 2
                    if (turned(middle) @ w - wanted) * miss[n] > 0:
                        low = middle
                    else:
                        high = middle
                yield turned(low)

    for a_deg, b_deg, c_deg in itertools.product(kinds, repeat=3):
        least = [
            kinds[a_deg].least_mm,
            known.between_mm[a_deg, b_deg],
            known.between_mm[b_deg, c_deg],
            kinds[c_deg].least_mm,
        ]
        for turn in np.radians(np.arange(0, 360, step_deg)):
            m1 = about(u, a_deg)(turn)
            if any(lengths([u, m1, m2, w], least) for m2 in seconds(m1, b_deg, c_deg)):
                return True
    return False


def searched(seed: int, pairs: int, searches: int) -> tuple[int, int, list[str]]:
    """Random pairs: those joined, those called impossible and searched, what is wrong."""
    rng = random.Random(seed)
    joined = looked = 0
    odd: list[str] = []
    for number in range(pairs):
        a, b = pair(rng, number)
        pipe = rng.choice(PIPES)
        ways = join(a, b, fittings(pipe))
        for one in ways:
            said = wrong(one, a, b, pipe)
            if said:
                odd.append(f"{number}: {pipe} {one.parts} {said}")
        if ways:
            joined += 1
        elif looked < searches:
            looked += 1
            if reachable(a, b, pipe, 30.0):
                odd.append(f"{number}: {pipe} {a} {b} can be joined")
    return joined, looked, odd


class Stubs3dTest(unittest.TestCase):
    def test_random_pairs(self) -> None:
        """Two thousand pairs, every impossible one searched, in tests.long."""
        joined, looked, odd = searched(3, 150, 4)
        print(f"stubs: {joined} of 150 pairs joined, {looked} impossible searched")
        self.assertEqual(odd, [])
        self.assertGreater(joined, 75)
        self.assertEqual(looked, 4)

    def test_an_offset_by_hand(self) -> None:
        """22 mm upright, 60 by 40 out of line, 400 apart: travel 72.11 x 1.4142 = 101.98 between centres, less 7.2 a
        fitting; 90s: 72.11 less 16 each."""
        ways = join((Vec(0, 0, 0), Vec(0, 0, 1)), (Vec(60, 40, 400), Vec(0, 0, -1)), fittings())
        aside = math.hypot(60, 40)
        by_angle = {one.angles_deg: one for one in ways}
        self.assertAlmostEqual(by_angle[45.0, 45.0].pieces_mm[1], aside * math.sqrt(2) - 14.4, places=6)
        self.assertAlmostEqual(by_angle[90.0, 90.0].pieces_mm[1], aside - 32, places=6)
        self.assertEqual([abs(one.turns_deg[0]) for one in ways], [180.0, 180.0])
        first = by_angle[45.0, 45.0]
        self.assertAlmostEqual(first.pieces_mm[0] + first.pieces_mm[2] + 14.4, 400 - aside, places=6)

    def test_a_street_fitting_where_no_piece_goes(self) -> None:
        """A street 45 in a 45 stands 29.8 between centres: 21.07 out of line, exactly."""
        aside = (2 * TAKES[45.0] + DEEP) * math.sin(math.radians(45))
        ways = join((Vec(0, 0, 0), Vec(0, 0, 1)), (Vec(aside, 0, 300), Vec(0, 0, -1)), fittings())
        self.assertEqual(ways[0].parts, ("45 elbow", "street 45 elbow"))
        nearer = join((Vec(0, 0, 0), Vec(0, 0, 1)), (Vec(aside - 5, 0, 300), Vec(0, 0, -1)), fittings())
        self.assertTrue(all(len(one.parts) == 3 for one in nearer))

    def test_one_fitting_one_piece_and_none(self) -> None:
        up = (Vec(0, 0, 0), Vec(0, 0, 1))
        self.assertEqual(join(up, (Vec(300, 0, 200), Vec(-1, 0, 0)), fittings())[0].pieces_mm, (184.0, 284.0))
        self.assertEqual(join(up, (Vec(0, 0, 500), Vec(0, 0, -1)), fittings())[0].pieces_mm, (500.0,))
        self.assertEqual(join(up, (Vec(60, 0, -400), Vec(0, 0, -1)), fittings()), ())

    def test_the_tool(self) -> None:
        said = {"a": {"at": "0, 0, 0", "way": "U"}, "b": {"at": [60, "-40", "400 mm"], "way": "D"}, "pipe": "cu-m 22"}
        found = find_tool("stubs_3d").run(said)
        first = found["ways"][0]
        self.assertEqual(first["parts"], ["45 elbow", "45 elbow"])
        self.assertEqual(first["angle_deg"], 180)
        self.assertAlmostEqual(first["stubs_mm"][1], 87.58, places=2)
        for bad in (
            {"a": {"at": "0, 0", "way": "U"}},
            {"a": {"at": "0, 0, 0", "way": "Q"}},
            {"a": {"at": "0, 0, 0", "way": [0, 0, 0]}},
            {"b": {"at": [1e9, 0, 0], "way": "U"}},
            {"pipe": "csst EHD18"},
        ):
            with self.assertRaises(Refused):
                find_tool("stubs_3d").run({**said, **bad})
