"""Pipes in space against brute force and hand sums: nearest approach, traps, dead ends, holes, clips, the house by
typing."""

import math
import random
import unittest

import numpy

from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.houseline import EXAMPLES, parse_part, part_text
from oikotherm.core.job.ways import Vec
from oikotherm.core.job.words import Style
from oikotherm.core.making.holes import holes, joist_lines
from oikotherm.core.making.supports import schedule
from oikotherm.core.pipework.space import box_gap_mm, boxes_near, near_pairs, nearest_points
from oikotherm.core.pipework.water import dead_ends, traps
from tests.core.test_rules import JOISTS, house
from tests.jobs import CATALOGUE, circuit, demo, design, edit, job, port, station


def sampled(a, b, steps=400):
    return [a.plus(b.minus(a), n / steps) for n in range(steps + 1)]


class NearTest(unittest.TestCase):
    def test_the_nearest_points_of_two_segments(self):
        rng = random.Random(3)
        for _ in range(200):
            a, b, c, d = (Vec(*(rng.uniform(-500, 500) for _ in range(3))) for _ in range(4))
            p, q = nearest_points(a, b, c, d)
            brute = min(x.minus(y).length for x in sampled(a, b, 60) for y in sampled(c, d, 60))
            self.assertLessEqual(p.minus(q).length, brute + 1e-9)
            self.assertGreater(p.minus(q).length, brute - 40)
        p, q = nearest_points(Vec(0, 0, 0), Vec(100, 0, 0), Vec(40, 30, 0), Vec(300, 30, 0))
        self.assertEqual((p, q), (Vec(70, 0, 0), Vec(70, 30, 0)))

    def test_how_far_a_pipe_passes_from_a_box(self):
        rng = random.Random(4)
        box = ((-100.0, -50.0, -20.0), (100.0, 50.0, 20.0))
        for _ in range(200):
            a, b = (Vec(*(rng.uniform(-400, 400) for _ in range(3))) for _ in range(2))
            brute = min(
                Vec(*(max(lo - p, 0.0, p - hi) for lo, p, hi in zip(box[0], at, box[1], strict=True))).length
                for at in sampled(a, b)
            )
            gap, spot = box_gap_mm(a, b, box)
            self.assertAlmostEqual(gap, brute, delta=3)
            self.assertLessEqual(gap, brute + 1e-9)
            self.assertAlmostEqual(box_gap_mm(spot, spot, box)[0], gap)
        for a, b, gap, spot in (  # along its faces, through it, to its corner, a point
            (Vec(-300, 80, 0), Vec(300, 80, 0), 30, Vec(-100, 80, 0)),
            (Vec(-300, 0, 0), Vec(300, 0, 0), 0, Vec(-100, 0, 0)),
            (Vec(130, 90, -500), Vec(130, 90, 500), 50, Vec(130, 90, -20)),
            (Vec(0, 0, 60), Vec(0, 0, 60), 40, Vec(0, 0, 60)),
        ):
            found = box_gap_mm(a, b, box)
            self.assertAlmostEqual(found[0], gap)
            self.assertLess(found[1].minus(spot).length, 1e-6)

    def test_boxes_near_each_other_against_brute_force(self):
        rng = random.Random(7)
        for width, reach in ((2, 0.0), (2, 3.0), (3, 0.0), (3, 12.0)):
            with self.subTest(width=width, reach=reach):
                low = numpy.array([[rng.choice((0, rng.uniform(0, 300))) for _ in range(width)] for _ in range(120)])
                high = low + numpy.array(
                    [[rng.choice((0, rng.expovariate(1 / 20))) for _ in range(width)] for _ in low]
                )
                brute = [
                    (n, m)
                    for m in range(len(low))
                    for n in range(m)
                    if all(low[n, k] - high[m, k] <= reach and low[m, k] - high[n, k] <= reach for k in range(width))
                ]
                self.assertGreater(len(brute), 100)
                self.assertEqual([tuple(pair) for pair in boxes_near(low, high, reach).tolist()], brute)

    def test_a_great_building_is_swept_in_shares(self):
        low = numpy.array([[float(n), 0.0] for n in range(4500)])
        self.assertEqual(boxes_near(low, low + 0.5, 0.6).tolist(), [[n, n + 1] for n in range(4499)])

    def test_the_sweep_misses_no_pair(self):
        made = derive(demo())
        work, spans = made.pipework, made.fitted.spans
        found = {(near.one.key, near.other.key) for near in near_pairs(work, spans, 400)}
        self.assertTrue(found)
        keys = [key for key, straight in work.straights.items() if not straight.close and made.fitted.span_mm[key] >= 1]
        for n, one in enumerate(keys):
            for other in keys[n + 1 :]:
                p, q = nearest_points(*spans[one], *spans[other])
                ends = {
                    tuple(round(x) for x in work.nodes[node].at)
                    for node in (work.straights[one].from_node, work.straights[one].to_node)
                }
                theirs = {
                    tuple(round(x) for x in work.nodes[node].at)
                    for node in (work.straights[other].from_node, work.straights[other].to_node)
                }
                if p.minus(q).length < 400 and not ends & theirs:
                    self.assertIn((one, other), found)


class WaterTest(unittest.TestCase):
    def test_a_dip_below_the_drain_keeps_its_litres(self):
        """Boiler, down 500, along, a dip of 300 for 1 m under a door, on to a drain: 22 mm holds 0.3205 L/m."""
        made = derive(circuit("F1 from BLR.flow cu-m 22: U300 W2000 [drain] D1000 W500 U1000 W400 D1000 -> stub", ""))
        nodes = frozenset(made.pipework.nodes)
        found = traps(made.pipework, nodes, made.fitted.spans, CATALOGUE)
        per_m = math.pi / 4 * 0.202**2 * 10  # L in a metre
        dip = next(trap for trap in found if len(trap.straights) == 3)
        self.assertAlmostEqual(dip.litres, (1.0 + 0.5 + 1.0) * per_m, delta=0.02)
        self.assertAlmostEqual(dip.level_mm, made.pipework.nodes["i3/device"].at.z, delta=0.01)

    def test_a_check_valve_keeps_water_back(self):
        for arrow, stays in ((">", True), ("<", False)):
            made = derive(
                circuit(f"F1 from BLR.flow cu-m 22: U300 W1000 [drain] U500 [check {arrow}] U500 W1000 -> stub", "")
            )
            litres = sum(
                trap.litres
                for trap in traps(made.pipework, frozenset(made.pipework.nodes), made.fitted.spans, CATALOGUE)
                if "i6/pipe" in trap.straights
            )
            self.assertEqual(litres > 0.05, stays, arrow)

    def test_blind_ends_are_found_and_only_they(self):
        made = edit(
            job(),
            station("B", [port("out", "comp-cu 15 socket", (0, 0, 0), role="cold")]),
            station(
                "K", [port("in", "comp-cu 15 socket", (2000, 0, 0), role="cold", way="in", facing="left")], "outlet"
            ),
            {"do": "put_run", "text": "C1 from B.out cu-m 15: E1000 *T1 E1000 -> K.in"},
            {"do": "put_run", "text": "C2 from C1.T1 cu-m 15: N400 *T1 N300 -> cap"},
            {"do": "put_run", "text": "C3 from C2.T1 cu-m 15: E200 -> cap"},
        )
        found = derive(made)
        (group,) = dead_ends(found.pipework, found.flow)
        self.assertEqual({found.pipework.straights[key].run for key in group}, {"C2", "C3"})


class MakingTest(unittest.TestCase):
    def test_holes_follow_the_fall_of_the_pipe(self):
        made = derive(
            house(JOISTS["text"], at=(100, -1000, 2478), run="F1 from B.out cu-m 15: {floor fall 1:100} E3500 -> cap")
        )
        found = holes(made.job, made.fitted, CATALOGUE)
        self.assertEqual([hole.number for hole in found], [2, 3, 4, 5, 6, 7, 8, 9])  # joists at 23.5, 423.5, ... 3223.5
        self.assertEqual(joist_lines(made.job.house.joists[0])[:2], [23.5, 423.5])
        for hole in found:
            self.assertAlmostEqual(hole.below_top_mm, 2600 - 22 - (2478 - (hole.at.x - 100) / 100), delta=0.1)
            self.assertEqual((hole.diameter_mm, hole.from_bearing_mm), (18, 1000))
        self.assertTrue(all(hole.verdict.allowed for hole in found[:1]))

    def test_a_threaded_pipe_wants_room_to_turn_and_a_sleeve_more(self):
        made = design("G1 from A.out cu-m 15: E500 (wall 220 sleeve) E900 -> cap")
        (hole,) = holes(made.job, made.fitted, CATALOGUE)
        self.assertEqual((hole.through, hole.diameter_mm), ("wall", 27))
        made = design(
            "F1 from A.out fe-40 3/4: E20 (wall 9) E36 -> cap",
            end="NPT 3/4 female",
            practice="north-american",
            unit="in",
        )
        (hole,) = holes(made.job, made.fitted, CATALOGUE)
        self.assertAlmostEqual(hole.diameter_mm, 26.67 + 10, delta=0.1)

    def test_clips_of_every_run_keep_their_spacing(self):
        made = derive(demo())
        rows = schedule(made.job, made.fitted, CATALOGUE)
        self.assertTrue(rows)
        for run in rows:
            for row in run.straights:
                at = row.clips.at_mm
                self.assertEqual(row.clips.count, len(at))
                self.assertLessEqual(
                    max((b - a for a, b in zip(at, at[1:], strict=False)), default=0), row.clips.spacing_mm + 0.2
                )
                self.assertLessEqual(at[0], 300)

    def test_pipes_side_by_side_are_clipped_at_the_same_stations(self):
        made = derive(
            edit(
                job(),
                station(
                    "B",
                    [
                        port("out", "comp-cu 22 socket", (0, 0, 0)),
                        port("in", "comp-cu 22 socket", (70, 60, 0), role="return", way="in"),
                    ],
                ),
                {"do": "put_run", "text": "F1 from B.out cu-m 22: E5000 -> cap"},
                {"do": "put_run", "text": "RT1 from B.in cu-m 22: E4900 -> cap"},
            )
        )
        first, second = schedule(made.job, made.fitted, CATALOGUE)
        self.assertEqual(second.straights[0].with_run, "F1")
        self.assertEqual([round(at.x) for at in first.straights[0].at], [round(at.x) for at in second.straights[0].at])


class HouseLineTest(unittest.TestCase):
    def test_lines_and_parts_are_one(self):
        for practice, unit, comma in (
            ("british", "mm", False),
            ("north-american", "in", False),
            ("continental", "mm", True),
        ):
            style = Style(CATALOGUE, practice, unit)
            for example in (
                *EXAMPLES.values(),
                "room K1 on L0 Tea room: 0,0 3000,0 3000,2500 1500,4000 -50,10 18C 1.2kW cold flameless rodents",
            ):
                line = example.replace(",", "/") if comma else example
                kind, part = parse_part(line, style)
                text = part_text(part, unit, comma=comma)
                self.assertEqual(parse_part(text, style), (kind, part))
                self.assertEqual(part_text(parse_part(text, style)[1], unit, comma=comma), text)

    def test_a_wrong_line_says_what_was_expected_and_where(self):
        style = Style(CATALOGUE)
        for line, said in (
            ("roof R1 on L0: 0,0 3x3", "roof"),
            ("room K1 L0: 0,0 3x3", "room K1 L0"),
            ("room K1 on L0: 0,0", "nothing"),
            ("room K1 on L0: 0 3x3", "0"),
            ("wall W1 on L0: 0,0 to 9,9 100 glass", "glass"),
            ("joists J1 on L1: 0,0 4x4 along Q", "Q"),
            ("beam O1 on L0: 1,2 3x3x3", "1,2"),
            ("room K1 on L0: 0,0 3x3 hot", "hot"),
            ("wall W1 on L0: 0,0 nach 1,1 100 stud", "nach"),
            ("beam O1 on L0: 1,2,3 0x3x3", "0x3x3"),
        ):
            with self.subTest(line=line), self.assertRaises(Refused) as caught:
                parse_part(line, style)
            self.assertEqual(caught.exception.said, said)
            self.assertTrue(caught.exception.expected and caught.exception.example)

    def test_the_house_is_put_changed_and_taken_out(self):
        made = edit(
            job(),
            {"do": "put_house", "text": EXAMPLES["room"]},
            {"do": "put_house", "text": EXAMPLES["room"].replace("Scullery", "Store")},
        )
        self.assertEqual([room.name for room in made.house.rooms], ["Store"])
        self.assertEqual(edit(made, {"do": "remove_house", "id": "SCU"}).house.rooms, ())
        for command in (
            {"do": "remove_house", "id": "NIX"},
            {"do": "put_house", "text": "wall SCU on L0: 0,0 to 1,1 100 stud"},
            {"do": "put_house", "text": "wall W1 on L9: 0,0 to 1,1 100 stud"},
        ):
            with self.subTest(command=command), self.assertRaises(Refused):
                edit(made, command)
