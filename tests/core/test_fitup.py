"""Fit-up against hand geometry: springing, sets, street pairs, stubs, tolerance, radiators on their pipes."""

import math
import random
import unittest

from oikotherm.core.bench import tools as calc_tools
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.model import Pipe
from oikotherm.core.job.ways import Vec
from oikotherm.core.making import bends, fitup
from tests.jobs import CATALOGUE, edit, job, port, station

CU15, CU22, STEEL = Pipe(code="cu-m", size="15"), Pipe(code="cu-m", size="22"), Pipe(code="fe-40", size="3/4")


class SpringTest(unittest.TestCase):
    def test_fifteen_copper_with_300_free_gives_three_millimetres(self):
        self.assertAlmostEqual(fitup.spring_mm(CATALOGUE, CU15, 300), 3.0, delta=0.05)

    def test_twice_the_length_gives_four_times_as_much_and_steel_far_less(self):
        self.assertAlmostEqual(fitup.spring_mm(CATALOGUE, CU15, 600) / fitup.spring_mm(CATALOGUE, CU15, 300), 4.0)
        self.assertLess(fitup.spring_mm(CATALOGUE, STEEL, 300), 1.0)
        self.assertGreater(fitup.spring_mm(CATALOGUE, Pipe(code="pb-m", size="15"), 300), 20)


class ClosingTest(unittest.TestCase):
    def cures(self, **said):
        return {cure["cure"]: cure for cure in calc_tools()["closing"].run({"pipe": "cu-m 15", **said})["cures"]}

    def test_a_small_miss_springs_and_a_large_one_does_not(self):
        self.assertTrue(self.cures(side=3, free=300)["spring"]["possible"])
        self.assertFalse(self.cures(side=4, free=300)["spring"]["possible"])
        self.assertFalse(self.cures(side=1, along=5)["spring"]["possible"])

    def test_the_cut_of_a_set_is_that_of_the_bent_centre_line(self):
        cure = self.cures(side=60, leg=1200, angle_deg=30)["set"]
        line = bends.centre_line(tuple(cure["marks_mm"]), (30, -30), 60, cure["cut_mm"], 400)
        (x, y) = line[-1]
        self.assertAlmostEqual(x, 1200, delta=0.2)
        self.assertAlmostEqual(y, 60, delta=0.1)
        self.assertTrue(cure["possible"])
        self.assertFalse(self.cures(side=60, leg=120, angle_deg=30)["set"]["possible"])

    def test_pipe_that_is_not_bent_steps_over_with_two_elbows(self):
        cure = {cure["cure"]: cure for cure in calc_tools()["closing"].run({"pipe": "cu-l 3/4", "side": 60})["cures"]}[
            "set"
        ]
        z = 0.45 * 0.56 * 25.4
        self.assertAlmostEqual(cure["cut_mm"], 60 * math.sqrt(2) - 2 * z, delta=0.1)

    def test_a_street_pair_steps_over_by_what_it_measures(self):
        self.assertTrue(self.cures(side=32)["street"]["possible"])  # 11 + 11 + 10.6 = 32.6
        self.assertFalse(self.cures(side=50)["street"]["possible"])
        self.assertTrue(self.cures(side=14)["street45"]["possible"])  # (2 x 4.95 + 10.6) sin 45 = 14.5

    def test_the_cures_that_work_come_first_and_all_say_what_to_do(self):
        for said in ({"side": 20}, {"side": 2, "along": -30}, {"side": 0, "along": 12}, {"side": 300, "leg": 100}):
            found = calc_tools()["closing"].run({"pipe": "cu-m 22", **said})
            order = [cure["possible"] for cure in found["cures"]]
            self.assertEqual(order, sorted(order, reverse=True))
            self.assertTrue(all(cure["says"] for cure in found["cures"]) and found["text"])

    def test_nonsense_is_refused(self):
        for said in (
            {"side": 20, "angle_deg": 90},
            {"side": "x"},
            {"side": 20, "pipe": "cu-m 99"},
            {"side": 20, "legs": 0},
            {"side": 20, "threads": -1},
            {"side": 1e9},
        ):
            with self.subTest(said=said), self.assertRaises(Refused):
                calc_tools()["closing"].run({"pipe": "cu-m 15", **said})


class ToleranceTest(unittest.TestCase):
    def test_the_likely_error_is_that_of_many_random_chains(self):
        rng = random.Random(8)
        chain = fitup.chain_tolerance(6, [2.0, 2.0])
        self.assertAlmostEqual(chain.worst_mm, 6 * 1.5 + 4)
        sums = [
            sum(rng.choice((-1, 1)) * 1.0 + rng.choice((-1, 1)) * 0.5 for _ in range(6))
            + rng.choice((-2, 2))
            + rng.choice((-2, 2))
            for _ in range(20_000)
        ]
        spread = math.sqrt(sum(one * one for one in sums) / len(sums))
        self.assertAlmostEqual(chain.likely_mm, spread, delta=0.05)
        self.assertLessEqual(max(map(abs, sums)), chain.worst_mm)


class StubsTest(unittest.TestCase):
    def ways(self, side, gap, method="capillary", pipe=CU22):
        return {way.name: way for way in fitup.join_stubs(CATALOGUE, pipe, side, gap, method)}

    def test_in_line_a_coupling_takes_what_stands_between_its_stops(self):
        self.assertTrue(self.ways(0, 2)["coupling"].possible)
        self.assertFalse(self.ways(0, 2)["piece"].possible)
        piece = self.ways(2, 200)["piece"]
        self.assertEqual((piece.possible, piece.cut_mm), (True, (200 - 3,)))

    def test_two_45s_and_two_90s_by_hand(self):
        z, z45 = 16, 0.45 * 16
        way = self.ways(100, 200)["two 45"]
        self.assertAlmostEqual(way.cut_mm[0], 100 * math.sqrt(2) - 2 * z45, delta=0.1)
        self.assertAlmostEqual(way.need_mm, 100 + 2 * z45, delta=0.1)
        self.assertAlmostEqual(self.ways(100, 200)["two 90"].cut_mm[0], 100 - 2 * z, delta=0.1)
        self.assertFalse(self.ways(100, 90)["two 45"].possible)
        self.assertFalse(self.ways(40, 90)["two 90"].possible, "a piece of 8 mm is no piece")

    def test_a_street_elbow_saves_the_piece(self):
        self.assertTrue(self.ways(47.4, 60)["street 90"].possible)  # 16 + 16 + 15.4
        self.assertEqual(self.ways(47.4, 60)["street 90"].joints, 3)

    def test_a_swung_pair_turns_as_far_as_its_geometry_says(self):
        """Two fittings as rotations in space: the first turns x by a in the plane, the second by b about an axis swung
        by s."""
        for a, b in ((90.0, 45.0), (45.0, 45.0), (90.0, 90.0)):
            for turn in (50, 60, 75, 88):
                swing = math.radians(fitup.swing_deg(a, b, turn))
                along, side, up = Vec(1, 0, 0), Vec(0, 1, 0), Vec(0, 0, 1)
                first = along.times(math.cos(math.radians(a))).plus(side, math.sin(math.radians(a)))
                toward = side.times(math.cos(math.radians(a))).plus(along, -math.sin(math.radians(a)))
                bend = toward.times(math.cos(swing)).plus(up, math.sin(swing))
                out = first.times(math.cos(math.radians(b))).plus(bend, math.sin(math.radians(b)))
                self.assertAlmostEqual(math.degrees(math.acos(out.dot(along))), turn, places=6)
        with self.assertRaises(Refused):
            fitup.swing_deg(90, 45, 20)


class RadiatorTest(unittest.TestCase):
    def fit(self, pipes, **more):
        return calc_tools()["radiator_fit"].run({"ports": 1000, "tail": 37, "pipe_centres": pipes, **more})

    def test_valve_centres_are_the_faces_and_two_tails(self):
        self.assertEqual(self.fit(1074)["valve_centres_mm"], 1074)
        self.assertEqual(self.fit(1000, sideways=False)["valve_centres_mm"], 1000)

    def test_verdicts_by_how_far_they_differ(self):
        for pipes, verdict in (
            (1074, "fits"),
            (1072, "spring"),
            (1077, "spring"),
            (1068, "open the holes"),
            (1082, "open the holes"),
            (1060, "re-pipe"),
            (1100, "re-pipe"),
        ):
            self.assertEqual(self.fit(pipes)["verdict"], verdict, pipes)

    def test_bench_and_job_give_one_valve_centre_for_one_radiator(self):
        """473 mm over the faces with the catalogue's tails and angled valves: 473 + 2 (24 + 28) = 577."""
        kit = [{"part": "tail-g12"}, {"part": "trv-angle-15", "turn": "down"}]
        ports = [
            {**port(name, "G 1/2 female", (right, 50, 100), name, "return" if name == "right" else "flow"), "kit": kit}
            for name, right in (("left", -236.5), ("right", 236.5))
        ]
        made = derive(edit(job(), station("R1", ports, kind="emitter")))
        places = [made.pipework.ports[f"R1.{name}"] for name in ("left", "right")]
        centres = abs(places[0].mouth.x - places[1].mouth.x)
        bench = calc_tools()["radiator_fit"].run({"ports": 473})
        self.assertEqual((round(centres, 1), bench["valve_centres_mm"]), (577.0, 577.0))

    def test_the_pipe_stands_out_by_stand_off_half_depth_and_insertion(self):
        found = self.fit(1074, stand_off=30, half_depth=50, valve_body=29, insertion=16)
        self.assertEqual((found["projection_mm"], found["cut_mm"]), (30 + 50 - 29 + 16, 71))
        self.assertEqual(self.fit(1074, pushes_back=False)["cut_mm"], 67)
