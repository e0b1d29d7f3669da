"""Bends, clips and joists against geometry by hand and the tables."""

import math
import random
import unittest

from oikotherm.core.bench import find_tool
from oikotherm.core.bench import tools as calc_tools
from oikotherm.core.design import derive as design_of
from oikotherm.core.errors import Refused
from oikotherm.core.job.commands import apply
from oikotherm.core.making import bends
from tests.jobs import CATALOGUE, design, whole


def calc(tool, **said):
    return find_tool(tool).run(said)


class BendTest(unittest.TestCase):
    def test_one_square_bend_by_hand(self):
        found = calc("bend90", first=300, second=400, radius=60)
        self.assertAlmostEqual(found["cut_mm"], 300 + 400 - (120 - 30 * math.pi), places=2)
        self.assertEqual(found["marks_mm"], [240])

    def test_a_set_by_hand(self):
        found = calc("offset", height=100, angle_deg=30, radius=60, before=300, after=250, spacing=80)
        take = 60 * math.tan(math.radians(15))
        arc = 60 * math.radians(30)
        self.assertEqual((found["travel_mm"], found["run_mm"]), (200, 173.21))
        self.assertAlmostEqual(found["straight_mm"], 200 - 2 * take, places=2)
        self.assertAlmostEqual(found["marks_mm"][0], 300 - take, places=2)
        self.assertAlmostEqual(found["marks_mm"][1], 300 - take + arc + 200 - 2 * take, places=2)
        self.assertAlmostEqual(found["cut_mm"], 300 + 200 + 250 - 2 * (2 * take - arc), places=2)
        self.assertAlmostEqual(found["shift_mm"], 80 * math.tan(math.radians(15)), places=2)

    def test_the_centre_line_of_a_card_ends_where_its_legs_do(self):
        # 12 chords a bend: the polyline is a hair inside the arc, its end is not
        card = bends.offset(100, 30, 60, 300, 250)
        x, y = card.centre_line()[-1]
        self.assertAlmostEqual(x, 300 + 100 / math.tan(math.radians(30)) + 250, places=6)
        self.assertAlmostEqual(y, 100, places=6)
        x, y = bends.bend90(300, 400, 60).centre_line()[-1]
        self.assertAlmostEqual(x, 300, places=6)
        self.assertAlmostEqual(y, 400, places=6)
        over = bends.crossover(40, 10, 15, 15, 30, 60, 300, 300)
        x, y = over.centre_line()[-1]
        self.assertAlmostEqual(x, 600 + 2 * over.check_mm / math.tan(math.radians(30)), places=6)
        self.assertAlmostEqual(y, 0, places=6)

    def test_a_three_bend_crossover_clears_by_what_was_asked(self):
        card = bends.crossover(40, 10, 15, 15, 30, 60, 300, 300)
        card = bends.crossover(40, 10, 15, 15, 30, 60, 300, 300)
        top = max(y for _, y in bends.centre_line(card.marks_mm, card.angles_deg, 60, card.cut_mm, 400))
        self.assertAlmostEqual(top + 15 - 15 / 2, 40 + 10, delta=0.05)  # underside of the pipe above the wall
        flat = bends.crossover(40, 10, 15, 15, 30, 60, 300, 300, 120)
        self.assertAlmostEqual(flat.check_mm, 40 + 10 + 7.5 - 15, places=9)
        self.assertEqual(len(flat.marks_mm), 4)
        self.assertAlmostEqual(card.check_mm, 42.5 + 60 * (1 / math.cos(math.radians(30)) - 1), places=9)

    def test_four_bends_are_as_wide_as_what_they_cross(self):
        """Width 80, pipe 15, 10 free on both sides: a top of 115; 2 h / tan t + 115 between the outer bends."""
        found = calc("crossover", obstacle_top=40, od=15, stand_off=15, angle_deg=30, radius=60, width=80)
        rise = 40 + 10 + 7.5 - 15
        self.assertEqual(len(found["marks_mm"]), 4)
        self.assertAlmostEqual(found["check_mm"], rise, places=2)
        self.assertAlmostEqual(found["run_mm"], 2 * rise / math.tan(math.radians(30)) + 115, places=1)
        with self.assertRaisesRegex(Refused, "at least 115 mm"):
            calc("crossover", obstacle_top=40, od=15, stand_off=15, angle_deg=30, radius=60, width=80, top=100)

    def test_bends_that_overlap_are_refused_with_what_can_be_pulled(self):
        """10 clear over a pipe of 15: 25 to clear. At 45 degrees rise 49.9, travel 70.5, bends take 84.9; at 35, rise
        38.2, travel 66.7 against 60.9."""
        with self.assertRaises(Refused) as caught:
            calc("crossover", obstacle_top=32.5, od=15, stand_off=25, angle_deg=45, radius=60)
        self.assertIn("overlap by 14.4 mm", caught.exception.expected)
        self.assertIn("three bends at 35 degrees or four bends", caught.exception.expected)
        self.assertEqual(caught.exception.example, "35")
        self.assertEqual(
            len(calc("crossover", obstacle_top=32.5, od=15, stand_off=25, angle_deg=35, radius=60)["marks_mm"]), 3
        )

    def test_a_rolling_offset_is_a_set_of_the_diagonal(self):
        found = calc("rolling_offset", height=90, spread=120, angle_deg=45, radius=60)
        self.assertAlmostEqual(found["travel_mm"], 150 / math.sin(math.radians(45)), places=2)
        self.assertAlmostEqual(found["roll_out_deg"], math.degrees(math.atan2(120, 90)), places=3)

    def test_a_calibrated_bender_makes_its_test_piece_again(self):
        for radius in (48.5, 60, 91.3):
            cut = bends.bend90(310, 290, radius).cut_mm
            found = calc("calibrate_bender", first=310, second=290, cut=cut)
            self.assertAlmostEqual(found["radius_mm"], radius, places=2)
            self.assertAlmostEqual(bends.bend90(310, 290, found["radius_mm"]).cut_mm, cut, delta=0.01)

    def test_what_cannot_be_bent_is_refused(self):
        for tool, said in (
            ("offset", {"height": 10, "angle_deg": 45, "radius": 60}),
            ("offset", {"height": 100, "angle_deg": 90, "radius": 60}),
            ("bend90", {"first": 50, "second": 400, "radius": 60}),
            ("crossover", {"obstacle_top": 5, "od": 15, "stand_off": 60, "angle_deg": 30, "radius": 60}),
            ("calibrate_bender", {"first": 300, "second": 300, "cut": 700}),
            ("crossover", {"obstacle_top": 30, "od": 15, "stand_off": 15, "angle_deg": 60, "radius": 60}),
            ("offset", {"height": "x", "angle_deg": 30, "radius": 60}),
        ):
            with self.subTest(tool=tool, said=said), self.assertRaises(Refused):
                calc(tool, **said)

    def test_every_tool_works_on_its_own_example(self):
        for tool in calc_tools().values():
            with self.subTest(tool=tool.name):
                self.assertTrue(tool.run(tool.example)["text"])
                self.assertIn(tool.name, tool.help())


class FixingTest(unittest.TestCase):
    def test_clips_keep_the_distance_and_stand_near_the_ends(self):
        for pipe, direction, most in (
            ("cu-m 15", "horizontal", 1200),
            ("cu-m 22", "vertical", 2400),
            ("pb-m 22", "horizontal", 500),
            ("mlc 20", "vertical", 1600),
        ):
            for length in (200, 310, 1500, 3000, 9999):
                found = calc("clips", pipe=pipe, length=length, direction=direction)
                at = found["at_mm"]
                self.assertEqual(found["count"], len(at))
                self.assertTrue(all(b - a <= most + 0.2 for a, b in zip(at, at[1:], strict=False)))
                if length < 360:
                    self.assertEqual(at, [length / 2])  # a short straight has one, in the middle
                else:
                    self.assertTrue(at[0] <= 150.1 and length - at[-1] <= 150.1)
        self.assertEqual(
            calc("clips", pipe="cu-m 15", length=3000)["count"], 4
        )  # 150, then 2700 in gaps of at most 1200
        with self.assertRaises(Refused):
            calc("clips", pipe="waste 32", length=3000)

    def test_joists_by_the_rules_of_each_practice(self):
        hole = {"depth": 200, "span": 4000, "from_bearing": 1200, "size": 50}
        self.assertTrue(calc("joist_hole", **hole)["allowed"])
        for change, word in (
            ({"size": 51}, "50 mm allowed"),
            ({"from_bearing": 900}, "0.25 and 0.4"),
            ({"from_edge": 70}, "centre line"),
            ({"joist": "i-joist"}, "maker"),
        ):
            found = calc("joist_hole", **{**hole, **change})
            self.assertFalse(found["allowed"])
            self.assertIn(word, found["text"])
        self.assertEqual(calc("joist_hole", **{**hole, "depth": 400})["most_mm"], 62.5)  # counts as 250
        self.assertTrue(calc("joist_hole", kind="notch", depth=200, span=4000, from_bearing=600, size=25)["plate"])
        self.assertFalse(calc("joist_hole", kind="notch", depth=200, span=4000, from_bearing=200, size=25)["allowed"])
        american = {"practice": "north-american", "depth": "9.25 in", "span": "12 ft", "from_bearing": "6 ft"}
        self.assertTrue(calc("joist_hole", **american, size="3 in")["allowed"])
        self.assertFalse(calc("joist_hole", **american, size="3.2 in")["allowed"])
        self.assertFalse(calc("joist_hole", **american, kind="notch", size="1 in")["allowed"])

    def test_pace_reads_items_or_points_at_the_word(self):
        self.assertEqual(calc("pace", text="w1850 [ISO] n 600")["canonical"], "W1850 [iso] N600")
        with self.assertRaises(Refused) as caught:
            calc("pace", text="W1850 X33")
        self.assertEqual(caught.exception.where, (6, 9))


class PassHolesTest(unittest.TestCase):
    def test_a_hole_is_for_what_passes_there(self):
        """Lagging of 13 ends at the floor, {view} typed before the pass or after it: 15 + 3 = 18. It goes on through:
        15 + 26 + 5 = 46. A pipe that becomes 22 there: 22 + 3 = 25."""
        for text, hole_mm in (
            ("U150 (floor 22) {view} U171", 18),
            ("U150 {view} (floor 22) U171", 18),
            ("U150 (floor 22) U171", 46),
            ("{floor lag 0} U150 (floor 22) =cu-m 22 U171", 25),
        ):
            made = design(f"F1 from A.out cu-m 15: U300 {{floor lag 13}} E500 {text} -> cap")
            (hole,) = [one for one in made.holes if one.through == "floor"]
            self.assertEqual(hole.diameter_mm, hole_mm, text)


class SticksTest(unittest.TestCase):
    """A stick is coupled on a straight, never at a pulled bend."""

    def test_coupled_behind_the_bend_by_hand(self):
        """cu-m 15 of 3 m, E1200 then 1700 and 1500: two bends save 2 x (2 R - R pi / 2) = 51.5; the stick ends on the
        third leg, z 0.75 before the coupling's middle."""
        made = design("F1 from A.out cu-m 15: U1200 E1700 N1500 -> cap", end="cap-cu 15 socket", turns="bends-22")
        first, second = made.cuts
        gain = 2 * (2 * 60 - math.pi / 2 * 60)
        self.assertEqual((first.cut_mm, len(first.marks), len(second.marks)), (3000.0, 2, 0))
        self.assertAlmostEqual(second.exact_mm, 1200 + 1700 + 1500 + 10.6 - gain - 3000 - 1.5, delta=0.01)
        (coupling,) = [one for one in made.fitted.fittings.values() if one.kind == "coupling"]
        self.assertEqual(coupling.key, "i3/pipe/join1")
        self.assertAlmostEqual(coupling.at.y, 3000 - 10.6 + gain - 1200 - 1700 + 0.75, delta=0.01)

    def test_random_ways(self):
        """No piece is longer than a stick, no coupling nearer to a bend than the bend takes and its own half, and all
        pieces with the gaps of the couplings make up the way."""
        dice = random.Random(14)
        split = 0
        for _ in range(60):
            legs = [dice.choice("UENN") for _ in range(dice.randint(2, 6))]
            legs = [leg for n, leg in enumerate(legs) if not n or leg != legs[n - 1]]
            lengths = [dice.randint(150, 4200) for _ in legs]
            text = " ".join(f"{leg}{length}" for leg, length in zip(legs, lengths, strict=True))
            made = design(f"F1 from A.out cu-m 15: {text} -> stub", end="cap-cu 15 socket", turns="bends-22")
            with self.subTest(text=text):
                couplings = [one for one in made.fitted.fittings.values() if one.kind == "coupling"]
                split += len(couplings)
                self.assertLessEqual(max(cut.exact_mm for cut in made.cuts), 3000.001)
                self.assertEqual(
                    len(made.cuts) - 1,
                    len(couplings) + sum(one.kind == "elbow" for one in made.fitted.fittings.values()),
                )
                bends = [one for one in made.fitted.fittings.values() if one.kind == "bend"]
                for coupling in couplings:
                    for bend in bends:
                        self.assertGreater(coupling.at.minus(bend.at).length, 60 + 10.6 + 0.75)
                whole = (
                    sum(cut.exact_mm for cut in made.cuts) + 1.5 * len(couplings) + len(bends) * (120 - 30 * math.pi)
                )
                elbows = sum(one.kind == "elbow" for one in made.fitted.fittings.values())
                self.assertAlmostEqual(whole + 2 * 11 * elbows - 10.6, sum(lengths), delta=0.01)
        self.assertGreater(split, 60)

    def test_couplings_by_hand(self):
        made = design("F1 from A.out cu-m 15: U900 [coupling] U700 [slip] U900 -> cap", end="cap-cu 15 socket")
        self.assertEqual([cut.exact_mm for cut in made.cuts], [900 + 10.6 - 0.75, 700 - 0.75, 900.0])
        ids = {line.part_id for line in made.materials.parts}
        self.assertEqual(ids, {"", "cap-coupling-15", "cap-slip-15"})


class AgainstFittingsTest(unittest.TestCase):
    """What pulled bends save, by hand: one elbow and two joints each, and the pipe by their gain against the elbow's
    take-off."""

    def test_two_corners_by_hand(self):
        found = design("from A.out cu-m 15: U500 E700 N600 -> cap", turns="bends-22").corners
        self.assertEqual((found.bends, found.bent, found.fittings, found.joints, found.cuts), (2, True, 2, 4, 2))
        gain, z = 2 * 60 - math.pi / 2 * 60, CATALOGUE.sockets["cu", "15", "capillary"].elbow_z_mm
        self.assertAlmostEqual(found.pipe_mm, 2 * (gain - 2 * z), delta=2.0)  # whole millimetres at every cut
        self.assertAlmostEqual(found.minutes, 4 * 6 - 2 * 3, places=6)
        self.assertEqual(found.head_pa, 0)

    def test_it_says_the_same_from_either_side(self):
        job = whole()
        bent = design_of(job).corners
        choice = {
            "do": "choose",
            "topic": "changes-of-direction",
            "option": "fittings",
            "origin": "job",
            "reason": "trial",
        }
        fitted = design_of(apply(job, choice, CATALOGUE)).corners
        self.assertEqual((bent.bent, fitted.bent), (True, False))
        self.assertGreater(bent.bends, 20)
        for name in ("bends", "fittings", "joints", "cuts", "pipe_mm", "head_pa", "minutes"):
            self.assertAlmostEqual(getattr(bent, name), getattr(fitted, name), places=6, msg=name)
        couplings = [
            sum(part.kind == "coupling" for part in design_of(one).fitted.fittings.values())
            for one in (job, apply(job, choice, CATALOGUE))
        ]
        self.assertGreater(couplings[0], couplings[1])  # a bent piece is longer: its sticks are coupled on a straight
        self.assertEqual(bent.joints, 2 * bent.bends - 2 * (couplings[0] - couplings[1]))

    def test_nothing_is_said_where_no_bend_can_be_pulled(self):
        self.assertIsNone(design("from A.out cu-m 15: U500 -> cap", turns="bends-22").corners)
        self.assertIsNone(design_of(whole("fernhollow")).corners)  # hard copper in inches: no former for it
