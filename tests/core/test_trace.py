"""Geometry: where paced runs go, and which way the water goes in them."""

import math
import unittest

from oikotherm.core.design import derive
from oikotherm.core.job.commands import apply
from oikotherm.core.job.ways import DIRECTIONS, canonical_way, way_vector
from tests.jobs import CATALOGUE, demo, design, edit, job, paced, port, station


def end_of(text, run="F1"):
    return design(text).pipework.runs[run].end


class WaysTest(unittest.TestCase):
    def test_directions_are_unit_vectors_turned_as_said(self):
        for way, expected in (
            ("NE", (math.sqrt(0.5), math.sqrt(0.5), 0)),
            ("N+30E", (0.5, math.cos(math.radians(30)), 0)),
            ("D+45N", (0, math.sqrt(0.5), -math.sqrt(0.5))),
            ("E+90U", (0, 0, 1)),
            ("U+120W", (-math.sin(math.radians(120)), 0, math.cos(math.radians(120)))),
        ):
            vector = way_vector(canonical_way(way))
            for got, wanted in zip(vector, expected, strict=True):
                self.assertAlmostEqual(got, wanted, places=12)
        for name, vector in DIRECTIONS.items():
            self.assertAlmostEqual(vector.length, 1.0, places=12, msg=name)

    def test_a_way_in_line_with_its_own_direction_is_none(self):
        for way in ("N+30S", "N+30N", "N+0E", "N+180E", "Q", "N+", "N+30"):
            with self.subTest(way=way), self.assertRaises(ValueError):
                canonical_way(way)


class WalkTest(unittest.TestCase):
    def test_legs_add_up_in_any_direction(self):
        end = end_of("from A.out cu-m 15: U300 E400 NE1000 N+30E1000 D50 -> cap")
        root = math.sqrt(0.5)
        self.assertAlmostEqual(end.x, 400 + 1000 * root + 500, places=6)
        self.assertAlmostEqual(end.y, 1000 * root + 1000 * math.cos(math.radians(30)), places=6)
        self.assertAlmostEqual(end.z, 250, places=6)

    def test_a_port_lies_where_its_station_faces(self):
        # 100 right, 50 out, 30 up of a station at the origin: right is east, west, south or north of it
        for faces, at in (("S", (100, -50, 30)), ("N", (-100, 50, 30)), ("E", (50, 100, 30)), ("W", (-50, -100, 30))):
            made = edit(job(), station("A", [port("out", "comp-cu 15 socket", (100, 50, 30))], faces=faces))
            self.assertEqual(tuple(derive(made).pipework.ports["A.out"].mouth), at)

    def test_kit_carries_the_mouth_of_a_port_outward_and_round_the_corner(self):
        place = derive(demo()).pipework.ports["R1.left"]  # faces north at x 5400: its left is east
        # by hand: half the width 500, tail 24, valve 28 to its centre; port at 150 + 50, valve mouth 29 below
        self.assertEqual(tuple(place.mouth), (5400 + 500 + 24 + 28, 50, 150 + 50 - 29))
        self.assertEqual(tuple(place.facing), (0, 0, -1))

    def test_until_level_takes_what_is_left(self):
        b = station("B", [port("in", "comp-cu 15 socket", (900, -700, 400), way="in")], kind="emitter")
        made = edit(paced(), b, {"do": "put_run", "text": "from A.out cu-m 15: U200 E? N? U? -> B.in"})
        trace = derive(made).pipework.runs["F1"]
        self.assertEqual(list(trace.lengths.values()), [200, 900, 700, 200])
        self.assertLess(trace.closing.length, 1e-6)

    def test_until_level_solves_slanting_legs_together(self):
        b = station("B", [port("in", "comp-cu 15 socket", (1000, -800, 0), way="in")], kind="emitter")
        made = edit(paced(), b, {"do": "put_run", "text": "from A.out cu-m 15: NE? E? -> B.in"})
        lengths = list(derive(made).pipework.runs["F1"].lengths.values())
        self.assertAlmostEqual(lengths[0], 800 * math.sqrt(2), places=2)
        self.assertAlmostEqual(lengths[1], 200, places=2)

    def test_closing_error_is_finish_less_end(self):
        b = station("B", [port("in", "comp-cu 15 socket", (1000, 0, 300), way="in")], kind="emitter")
        made = edit(paced(), b, {"do": "put_run", "text": "from A.out cu-m 15: U290 E980 -> B.in"})
        self.assertEqual(tuple(derive(made).pipework.runs["F1"].closing), (20, 0, 10))

    def test_a_long_chain_of_runs_needs_no_deep_stack(self):
        texts = ["F1 from A.out cu-m 15: U100 *T1 E100 -> cap"]
        texts += [f"F{n} from F{n - 1}.T1 cu-m 15: N100 *T1 E100 -> cap" for n in range(2, 1500)]
        made = paced(texts[0])
        run = made.runs[0]
        chain = [run]
        for n in range(2, 1500):
            moved = [item.model_copy(update={"id": f"i{n * 10 + k}"}) for k, item in enumerate(run.items)]
            chain.append(run.model_copy(update={"id": f"F{n}", "start": f"F{n - 1}.T1", "items": tuple(moved)}))
        # the last comes first in the document, so that each waits for the one after it
        far = made.model_copy(update={"runs": tuple(reversed(chain)), "next_item": 99999})
        work = derive(far).pipework
        self.assertEqual(tuple(work.runs["F1499"].end), (1499 * 100 - 1499 * 100 + 100, 0, 1499 * 100))

    def test_runs_in_a_circle_are_adrift_not_endless(self):
        made = paced("F1 from A.out cu-m 15: U100 *T1 E100 -> cap", "F2 from F1.T1 cu-m 15: N100 *T1 E100 -> cap")
        looped = made.model_copy(update={"runs": (made.runs[0].model_copy(update={"start": "F2.T1"}), made.runs[1])})
        found = derive(looped)
        self.assertIn("circle", {trace.adrift for trace in found.pipework.runs.values()})
        self.assertIn("adrift", {finding.rule for finding in found.findings})


class NodesTest(unittest.TestCase):
    def test_a_tee_takes_turn_and_change_of_size_at_its_spot(self):
        found = design(
            "F1 from A.out cu-m 22: U500 E500 *T1 =cu-m 15 N500 -> cap",
            "F2 from F1.T1 cu-m 15: S400 -> cap",
            end="comp-cu 22 socket",
        )
        kinds = [fitting.kind for fitting in found.fitted.fittings.values()]
        self.assertEqual(kinds.count("tee"), 1)
        self.assertEqual(kinds.count("reducer"), 0)
        tee = next(fitting for fitting in found.fitted.fittings.values() if fitting.kind == "tee")
        self.assertTrue(tee.title.startswith("15 x 15 x 22 tee"), tee.title)
        self.assertNotIn("tee-shape", {finding.rule for finding in found.findings})

    def test_three_legs_without_an_opposite_pair_are_no_tee(self):
        found = design("F1 from A.out cu-m 15: U500 E500 *T1 N500 -> cap", "F2 from F1.T1 cu-m 15: U400 -> cap")
        self.assertIn("tee-shape", {finding.rule for finding in found.findings})

    def test_things_at_one_spot_stand_as_near_as_can_be_made(self):
        found = design("from A.out cu-m 15: U500 [iso] E500 -> cap")
        device = next(fitting for fitting in found.fitted.fittings.values() if fitting.kind == "device")
        # by hand: elbow z 11, valve stop 11, between them socket depth 10.6 and insertion 16
        self.assertAlmostEqual(device.at.z, 500 - (11 + 11 + 10.6 + 16), places=6)
        close = next(cut for cut in found.cuts if cut.piece.close)
        self.assertAlmostEqual(close.exact_mm, 26.6, places=6)
        self.assertTrue(close.makeable)


class DirectionTest(unittest.TestCase):
    def test_water_flows_from_source_to_sink_however_it_was_paced(self):
        found = derive(demo())
        by_run = {}
        for key, way in found.flow.items():
            by_run.setdefault(found.pipework.straights[key].run, set()).add(way)
        self.assertEqual(
            {run: ways for run, ways in by_run.items() if run.startswith("F")}, {"F1": {1}, "F2": {1}, "F3": {1}}
        )
        # returns were paced from the boiler, against the water
        self.assertEqual(
            {run: ways for run, ways in by_run.items() if run.startswith("R")}, {"RT1": {-1}, "RT2": {-1}, "RT3": {-1}}
        )

    def test_a_loop_has_a_direction_too(self):
        b = station("B", [port("in", "comp-cu 15 socket", (2000, 0, 500), way="in")], kind="emitter")
        made = edit(
            paced(),
            b,
            {"do": "put_run", "text": "F1 from A.out cu-m 15: U500 E500 *T1 E1000 *T2 E500 -> B.in"},
            {"do": "put_run", "text": "F2 from F1.T1 cu-m 15: N500 E1000 S500 -> F1.T2"},
        )
        found = derive(made)
        self.assertEqual(set(found.flow.values()), {1})
        back = apply(
            made, {"do": "put_run", "text": "F2 from F1.T2 cu-m 15: N500 W1000 S500 -> F1.T1", "run": "F2"}, CATALOGUE
        )
        flow = derive(back).flow
        work = derive(back).pipework
        self.assertEqual({way for key, way in flow.items() if work.straights[key].run == "F2"}, {-1})
