"""Sets, crossovers, falls and twins as geometry, against sums done by hand; and many random runs against the laws of
paths."""

import math
import random
import unittest

from oikotherm.core.design import derive
from oikotherm.core.job.commands import apply_all
from oikotherm.core.job.model import Leg, SetItem
from oikotherm.core.job.notation import parse_run
from oikotherm.core.job.ways import DIRECTIONS, Vec, way_vector
from oikotherm.core.job.writing import run_text
from tests.counts import cases
from tests.jobs import CATALOGUE, STYLE, design, edit, paced, port, station


def corners(made, run="F1"):
    moves = made.pipework.runs[run].moves
    return [tuple(round(part, 2) + 0.0 for part in at) for at in (moves[0].a, *(move.b for move in moves))]


class MovesTest(unittest.TestCase):
    def test_a_set_takes_its_length_along_out_of_the_leg_after_it(self):
        made = design("F1 from A.out cu-m 15: E1000 ~N50@30 E600 -> cap")
        along = round(50 / math.tan(math.radians(30)), 2)
        self.assertEqual(corners(made), [(0, 0, 0), (1000, 0, 0), (1000 + along, 50, 0), (1600, 50, 0)])

    def test_a_set_at_the_end_takes_it_out_of_the_leg_before(self):
        self.assertEqual(
            corners(design("F1 from A.out cu-m 15: E1000 ~N50 -> cap")), [(0, 0, 0), (950, 0, 0), (1000, 50, 0)]
        )

    def test_a_rolling_offset_goes_to_both_sides_at_once(self):
        made = design("F1 from A.out cu-m 15: E1000 ~N30+U40 E600 -> cap")  # 3-4-5: height 50
        self.assertEqual(corners(made)[1:], [(1000, 0, 0), (1050, 30, 40), (1600, 30, 40)])

    def test_a_crossover_stands_over_where_it_is_said(self):
        made = design("F1 from A.out cu-m 15: E1000 ^U60@30 E600 -> cap")
        half = round(60 / math.tan(math.radians(30)), 2)
        self.assertEqual(
            corners(made),
            [(0, 0, 0), (round(1000 - half, 2), 0, 0), (1000, 0, 60), (round(1000 + half, 2), 0, 0), (1600, 0, 0)],
        )

    def test_over_another_pipe_it_keeps_the_distance_said(self):
        made = derive(
            edit(
                paced("C1 from A.out cu-m 22: D20 .P N800 -> cap"),
                station("B", [port("out", "comp-cu 15 socket", (-500, -400, 0))]),
                {"do": "put_run", "text": "F1 from B.out cu-m 15: E500 ^U25 over C1 E500 -> cap"},
            )
        )
        apex = made.pipework.runs["F1"].moves[1].b
        # 20 mm below, radii 11 and 7.5, 25 clear, and 60 (1 / cos 45 - 1) that the rounded top loses
        self.assertAlmostEqual(apex.z, -20 + 11 + 7.5 + 25 + 60 * (math.sqrt(2) - 1), places=3)

    def crossed(self, text, *house):
        """Moves of F1, which comes past C1 (22 mm, 20 lower, across it at x = 0) or what stands in the house."""
        made = derive(
            edit(
                paced("C1 from A.out cu-m 22: D20 .P N800 -> cap"),
                station("B", [port("out", "comp-cu 15 socket", (-500, -400, 0))]),
                *({"do": "put_house", "text": one} for one in house),
                {"do": "put_run", "text": text},
            )
        )
        return {move.key.rpartition("/")[2]: move for move in made.pipework.runs["F1"].moves}

    def test_it_is_centred_on_what_it_crosses(self):
        """Said 30 mm too far: the middle lies over the other pipe all the same, and the end stays where it was."""
        for text in ("E530 ^U25 over C1 E500", "E470 ^U25@30 over C1 E560"):
            moves = self.crossed(f"F1 from B.out cu-m 15: {text} -> cap")
            self.assertAlmostEqual(moves["up"].b.x, 0.0, places=6)
            self.assertAlmostEqual(max(move.b.x for move in moves.values()), 530.0, places=6)

    def test_four_bends_go_over_an_obstacle(self):
        """60 wide, from x = 20 to 80: flat top 60 + 15 + 2 x 25 = 125, its middle over the obstacle's."""
        moves = self.crossed(
            "F1 from B.out cu-m 15: E540 ^U25 over O1 E500 -> cap", "beam O1 on L0: 20,300,-20 60x200x40"
        )
        self.assertAlmostEqual(moves["top"].length_mm, 125.0, places=6)
        self.assertAlmostEqual((moves["top"].a.x + moves["top"].b.x) / 2, 50.0, places=6)
        # 20 above the centre line, half of 15 and 25 clear: no rounding of the top with four bends
        self.assertAlmostEqual(moves["top"].a.z, 20 + 7.5 + 25, places=6)
        said = self.crossed("F1 from B.out cu-m 15: E500 ^U40 flat 90 E500 -> cap")
        self.assertAlmostEqual(said["top"].length_mm, 90.0, places=6)

    def test_a_fall_tips_the_level_legs_after_it(self):
        made = design("F1 from A.out cu-m 15: D100 {fall 1:40} E4000 N400 D50 {fall none} W100 -> cap")
        drop, level = 1 / math.hypot(40, 1), 40 / math.hypot(40, 1)
        expected = [
            (0, 0, 0),
            (0, 0, -100),
            (4000 * level, 0, -100 - 4000 * drop),
            (4000 * level, 400 * level, -100 - 4400 * drop),
        ]
        for found, wanted in zip(corners(made), expected, strict=False):
            for a, b in zip(found, wanted, strict=True):
                self.assertAlmostEqual(a, b, delta=0.01)
        self.assertAlmostEqual(corners(made)[-1][2], corners(made)[-2][2])
        self.assertFalse([f for f in made.findings if f.rule == "turn-no-fitting"], "a fitting gives 1.4 degrees")

    def test_one_run_goes_on_as_another_without_a_tee(self):
        straight_on = design("F1 from A.out cu-m 15: E900 .P", "F2 from F1.P cu-m 15: E500 -> cap")
        corner = design("F1 from A.out cu-m 15: E900 .P", "F2 from F1.P cu-m 15: N500 -> cap")
        self.assertIn("coupling", {f.kind for f in straight_on.fitted.fittings.values()})
        self.assertIn("elbow", {f.kind for f in corner.fitted.fittings.values()})
        for made in (straight_on, corner):
            self.assertFalse({f.kind for f in made.fitted.fittings.values()} & {"tee", "open"})


LEADER = "F1 from A.out cu-m 22: U300 W1000 *T1 W800 N600 -> cap"


class TwinTest(unittest.TestCase):
    def test_it_goes_beside_its_leader_and_keeps_its_side_round_corners(self):
        made = derive(
            edit(
                paced(LEADER),
                station("B", [port("out", "comp-cu 22 socket", (100, 50, 0), role="return", way="in")], faces="N"),
                {"do": "put_run", "text": "RT1 from B.out cu-m 22: twin F1 N50 -> cap"},
            )
        )
        # faces north: right is west, so B.out stands at (-100, 50, 0)
        self.assertEqual(
            corners(made, "RT1"),
            [(-100, 50, 0), (-100, 50, 300), (-1000, 50, 300), (-1750, 50, 300), (-1750, 600, 300)],
        )

    def test_a_twin_of_a_branch_finds_its_tee_beside_it(self):
        made = derive(
            edit(
                paced(LEADER, "F2 from F1.T1 cu-m 15: S700 -> cap"),
                station("B", [port("out", "comp-cu 22 socket", (0, 50, 0), role="return", way="in")], faces="N"),
                {"do": "put_run", "text": "RT1 from B.out cu-m 22: twin F1 N50 -> cap"},
                {"do": "put_run", "text": "RT2 from RT1.T1 cu-m 15: twin F2 W60 -> cap"},
            )
        )
        self.assertEqual(made.pipework.runs["RT1"].points["T1"], Vec(-1060, 50, 300))
        self.assertEqual(corners(made, "RT2"), [(-1060, 50, 300), (-1060, -700, 300)])
        self.assertEqual(sum(f.kind == "tee" for f in made.fitted.fittings.values()), 2)

    def test_it_steps_over_to_ports_that_lie_elsewhere(self):
        start = station("B", [port("out", "comp-cu 22 socket", (0, 80, -10), role="return", way="in")], faces="N")
        end = station(
            "C", [port("in", "comp-cu 15 socket", (1850, 650, 330), facing="back", role="return", way="out")], faces="N"
        )
        made = derive(
            edit(paced(LEADER), start, end, {"do": "put_run", "text": "RT1 from B.out cu-m 22: twin F1 N50 -> C.in"})
        )
        trace = made.pipework.runs["RT1"]
        self.assertEqual((trace.start, trace.end), (Vec(0, 80, -10), made.pipework.ports["C.in"].mouth))
        level = [move for move in trace.moves if abs(move.way.dot(Vec(-1, 0, 0)) - 1) < 1e-6]
        self.assertTrue(level)
        self.assertTrue(all(abs(move.b.y - 50) < 1e-6 for move in level), "on its line between the steps")

    def test_every_straight_of_a_twin_lies_at_its_spacing(self):
        rng = random.Random(5)
        for _ in range(300):
            dirs = [rng.choice("NESWUD")]
            while len(dirs) < 6:
                ahead = rng.choice("NESWUD")
                if way_vector(ahead).cross(way_vector(dirs[-1])).length > 0.5:
                    dirs.append(ahead)
            first = next(d for d in "NEU" if abs(DIRECTIONS[d].dot(DIRECTIONS[dirs[0]])) < 0.5)
            line = " ".join(f"{d}{rng.randint(400, 2000)}" for d in dirs)
            base = paced(f"F1 from A.out cu-m 22: {line} -> cap")
            side = DIRECTIONS[first].times(60)
            made = derive(
                edit(
                    base,
                    station("B", [port("out", "comp-cu 22 socket", (side.x, -side.y, side.z))]),
                    {"do": "put_run", "text": f"F2 from B.out cu-m 22: twin F1 {first}60 -> cap"},
                )
            )
            for one, other in zip(made.pipework.runs["F1"].moves, made.pipework.runs["F2"].moves, strict=True):
                self.assertGreater(one.way.dot(other.way), 1 - 1e-9, line)
                between = other.a.minus(one.a)
                self.assertAlmostEqual(between.plus(one.way, -between.dot(one.way)).length, 60, places=6)


def random_line(rng):
    """A run of the whole grammar whose legs are long enough for what stands on them."""
    words = []
    before = ""
    for n in range(rng.randint(2, 9)):
        ways = [d for d in ("N", "E", "S", "W", "U", "D", "NE", "NW", "N+30E", "U+45S") if d != before]
        way = rng.choice([d for d in ways if not before or way_vector(d).dot(way_vector(before)) > -0.99])
        before = way
        words.append(f"{way}{rng.randint(400, 3000)}{rng.choice(['', '', '?', '.5', 'mm'])}")
        extra = rng.random()
        if extra < 0.12:
            words.append(
                rng.choice(["[iso]", "[check >]", "[drain handle D]", "[iso V1 < handle U set 2.5]"]).replace(
                    "V1", f"V{n}"
                )
            )
        elif extra < 0.24:
            words.append(rng.choice([f"*T{n}", f"*T{n}:U", f"*T{n} plug", f".P{n}"]))
        elif extra < 0.3:
            words.append(rng.choice(["=cu-m 15", "=cu-m 22", "=cu-m ?"]))
        elif extra < 0.4:
            words.append(
                rng.choice(
                    [
                        "{floor}",
                        "{loft lag 25}",
                        "{fall 1:40}",
                        "{view clip 1200 fall none}",
                        "(wall 220)",
                        "(floor 22 sleeve)",
                        "(joists 4)",
                        "# mind;",
                    ]
                )
            )
        elif extra < 0.55:
            side = next(d for d in ("U", "N", "E") if abs(way_vector(d).dot(way_vector(way))) < 0.9)
            words += [
                f"{rng.choice('~^')}{side}{rng.randint(20, 90)}{rng.choice(['', '@30', '@60', '@22.5'])}",
                f"{way}{rng.randint(700, 1500)}",
            ]
        elif extra < 0.6:
            words.append(f"{rng.randint(2, 4)}x<{way}{rng.randint(300, 900)} {{wall}}>")
    return f"F1 from A.out cu-m 22: {' '.join(words)} -> {rng.choice(['cap', 'stub', 'plug'])}"


class LawsTest(unittest.TestCase):
    def test_random_runs(self):
        """Text and items are one; legs and sets add up to the end; what is said is what is traced; volume is bore times
        length."""
        rng = random.Random(11)
        base = paced(end="comp-cu 22 socket")
        kinds = set()
        for number in range(cases(1_000, 10_000)):
            line = random_line(rng)
            parsed = parse_run(line, STYLE)
            job = apply_all(base, [{"do": "put_run", "text": line}], CATALOGUE)
            run = job.runs[0]
            text = run_text(run, STYLE)
            self.assertEqual(parse_run(text, STYLE).items, parsed.items)
            kinds.update(item.kind for item in run.items)
            made = derive(job)
            trace = made.pipework.runs["F1"]
            self.assertFalse(trace.no_room, line)
            fall, end, legs_mm, moves_mm = 0.0, trace.start, 0.0, {move.item: 0.0 for move in trace.moves}
            for move in trace.moves:
                moves_mm[move.item] += move.length_mm
            for n, item in enumerate(run.items):
                if item.kind == "lie" and item.fall is not None:
                    fall = item.fall
                elif isinstance(item, Leg):
                    way = way_vector(item.dir)
                    way = Vec(way.x, way.y, -fall).unit() if way.z == 0 else way
                    end = end.plus(way, item.length_mm)
                    legs_mm += item.length_mm
                elif isinstance(item, SetItem):
                    lead = next(leg for leg in run.items[n:] if isinstance(leg, Leg))
                    way = way_vector(lead.dir)
                    way = Vec(way.x, way.y, -fall).unit() if way.z == 0 else way
                    side = DIRECTIONS[item.side]
                    end = end.plus(side.plus(way, -side.dot(way)).unit(), item.height_mm)
            self.assertLess(trace.end.minus(end).length, 1e-6, line)
            saved = sum(
                moves_mm[item.id] * (1 - math.cos(math.radians(item.angle_deg)))
                for item in run.items
                if item.kind in ("set", "crossover")
            )
            self.assertAlmostEqual(trace.length_mm - saved, legs_mm, delta=1e-6)
            if number % 10 == 0:
                spans_mm = sum(made.fitted.span_mm[key] for key in made.pipework.straights)
                self.assertAlmostEqual(spans_mm, trace.length_mm, delta=0.2)
                litres = sum(
                    math.pi / 4 * (row.bore_mm / 100) ** 2 * made.fitted.span_mm[key] / 100
                    for key, straight in made.pipework.straights.items()
                    if (row := CATALOGUE.pipe(straight.pipe.code, straight.pipe.size))
                )
                by_hand = sum(
                    math.pi
                    / 4
                    * ((straight.pipe.size == "22" and 20.2 or 13.6) / 100) ** 2
                    * straight.b.minus(straight.a).length
                    / 100
                    for straight in made.pipework.straights.values()
                    if straight.pipe.size != "?" and not straight.close
                )
                self.assertAlmostEqual(litres, by_hand, delta=0.02 + 0.02 * by_hand)
        self.assertEqual(kinds, {"leg", "device", "tee", "point", "pass", "pipe", "lie", "set", "crossover", "remark"})
