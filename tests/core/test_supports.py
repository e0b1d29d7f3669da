"""Clips against the table of the trade, row by row, and what holds a pipe already."""

import itertools
import unittest

from oikotherm.core.bench import find_tool
from oikotherm.core.catalogue import parse_end
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.model import JoistField, Pipe
from oikotherm.core.making.supports import clips, kind_of, schedule, spacing_of
from tests.jobs import CATALOGUE, edit, job, paced, port, station

FOOT = 304.8
TABLE = {  # pipe: horizontal, vertical [mm]
    "cu-m 10": (900, 1200),
    "cu-m 15": (1200, 1800),
    "cu-m 22": (1800, 2400),
    "cu-m 28": (1800, 2400),
    "cu-m 35": (2400, 3000),
    "cu-m 54": (2700, 3000),
    "fe-press 15": (1200, 1800),
    "fe-press 28": (1800, 2400),
    "pb-m 15": (300, 500),
    "pb-m 22": (500, 800),
    "pb-m 28": (800, 1000),
    "mlc 16": (1200, 1500),
    "mlc 20": (1300, 1600),
    "mlc 26": (1500, 2000),
    "cu-l 1/2": (6 * FOOT, 10 * FOOT),
    "cu-l 1-1/4": (6 * FOOT, 10 * FOOT),
    "cu-l 1-1/2": (10 * FOOT, 10 * FOOT),
    "pexa 1/2": (32 * 25.4, 1200),
    "pexa 1": (32 * 25.4, 1200),
    "pexa 1-1/4": (4 * FOOT, 1200),
    "fe-40 1/2": (6 * FOOT, 6 * FOOT),
    "fe-40 3/4": (8 * FOOT, 8 * FOOT),
    "fe-40 1": (8 * FOOT, 8 * FOOT),
    "fe-40 1-1/4": (10 * FOOT, 3000),
    "fe-m 1/2": (2000, 2500),
    "fe-m 1": (2500, 3000),
    "fe-m 1-1/4": (2700, 3000),
    "galv 3/4": (2500, 3000),
    "csst EHD13": (4 * FOOT, 3000),
    "csst EHD18": (6 * FOOT, 3000),
    "csst EHD25": (8 * FOOT, 3000),
}
GAS = {"cu-l 3/8": 4 * FOOT, "cu-l 1/2": 6 * FOOT, "cu-l 3/4": 8 * FOOT, "cu-l 1": 8 * FOOT}


def pipe_of(text):
    code, _, size = text.partition(" ")
    return Pipe(code=code, size=size)


class TableTest(unittest.TestCase):
    def test_every_row_of_the_table(self):
        for text, wanted in TABLE.items():
            for direction, mm in zip(("horizontal", "vertical"), wanted, strict=True):
                with self.subTest(pipe=text, direction=direction):
                    found = spacing_of(CATALOGUE, pipe_of(text), direction)
                    self.assertAlmostEqual(found[0], mm, delta=1)
        for text, mm in GAS.items():
            self.assertAlmostEqual(spacing_of(CATALOGUE, pipe_of(text), "horizontal", "gas")[0], mm, delta=1, msg=text)

    def test_which_pipe_has_no_row(self):
        without = {
            code
            for code in CATALOGUE.systems
            if not any(spacing_of(CATALOGUE, pipe_of(f"{code} {size}"), "horizontal") for size in CATALOGUE.sizes(code))
        }
        self.assertEqual(without, {"conn", "vent-sw", "waste"})

    def test_a_short_straight_has_one_clip_in_the_middle(self):
        for length in (200, 304, 359):
            found = clips(CATALOGUE, pipe_of("cu-m 15"), length, "horizontal")
            self.assertEqual((found.count, found.at_mm), (1, (round(length / 2, 1),)))
        self.assertEqual(clips(CATALOGUE, pipe_of("cu-m 15"), 365, "horizontal").count, 2)

    def test_clips_are_never_farther_apart_than_they_may_be(self):
        for text, length in itertools.product(TABLE, (160, 300, 700, 1500, 4000, 11000)):
            found = clips(CATALOGUE, pipe_of(text), length, "horizontal")
            gaps = [b - a for a, b in itertools.pairwise(found.at_mm)]
            self.assertTrue(all(gap <= found.spacing_mm + 0.2 for gap in gaps), (text, length))
            self.assertTrue(found.count == 1 or found.at_mm[0] == 150 and abs(length - found.at_mm[-1] - 150) < 0.2)

    def test_a_distance_of_ones_own_is_judged(self):
        wide = find_tool("clips").run({"pipe": "cu-m 15", "length": 6000, "spacing": 2000})
        self.assertEqual(wide["wider_than_mm"], 1200)
        self.assertIn("the table allows 1200 mm", wide["text"])
        self.assertNotIn("wider_than_mm", find_tool("clips").run({"pipe": "cu-m 15", "length": 6000, "spacing": 900}))
        with self.assertRaises(Refused):
            find_tool("clips").run({"pipe": "waste 32", "length": 3000})

    def test_clips_a_hand_apart_are_a_slip(self):
        """A spacing of a millimetre would make a hundred thousand clips: refused where it is typed and in the sum."""
        with self.assertRaises(Refused):
            find_tool("clips").run({"pipe": "cu-m 15", "length": 6000, "spacing": 49})
        self.assertEqual(find_tool("clips").run({"pipe": "cu-m 15", "length": 6000, "spacing": 50})["count"], 115)
        start = edit(job(), station("BLR", [port("flow", "comp-cu 15 socket", (0, 0, 0), "up")]))
        text = "from BLR.flow cu-m 15: {loft clip %s} W3000 -> cap"
        for said in ("0.01", "1", "49.9"):
            with self.assertRaises(Refused) as caught:
                edit(start, {"do": "put_run", "text": text % said})
            self.assertIn("50 mm", caught.exception.expected)
        edit(start, {"do": "put_run", "text": text % "50"})

    def test_no_metal_strap_touches_plastic(self):
        for material, place, lagged, practice in itertools.product(
            ("copper", "steel", "plastic", "multilayer", "stainless"),
            ("", "view", "boxed", "wall", "floor", "ceiling", "loft", "ground", "outside"),
            (False, True),
            ("british", "continental", "north-american"),
        ):
            kind = kind_of(material, place, lagged, practice)
            self.assertTrue(kind)
            if material in ("plastic", "multilayer"):
                self.assertNotIn("metal", kind)
        self.assertEqual(kind_of("copper", "ceiling", False, "british"), "perforated metal strap")
        self.assertEqual(kind_of("copper", "view", True, "british"), "spacer clip")  # the lagging passes behind


class ScheduleTest(unittest.TestCase):
    def rows(self, made):
        design = derive(made)
        return [row for run in schedule(design.job, design.fitted, CATALOGUE) for row in run.straights]

    def test_a_pipe_without_a_row_is_said_and_not_dropped(self):
        first = station("A", [port("out", "waste 32 pipe", (0, 0, 0), role="condensate")])
        self.assertEqual(str(parse_end("waste 32 pipe")), "waste 32 pipe")
        made = edit(job(), first, {"do": "put_run", "text": "D1 from A.out waste 32: U300 E2400 -> stub"})
        rows = self.rows(made)
        self.assertEqual([row.clips for row in rows], [None, None])
        said = edit(made, {"do": "put_run", "text": "D1 from A.out waste 32: {clip 500} U300 E2400 -> stub"})
        self.assertTrue(all(row.clips and row.clips.source == "said" for row in self.rows(said)))

    def test_holes_through_joists_hold_the_pipe(self):
        """Joists every 400 mm under copper of 15: the holes are nearer than 1.2 m, only the two ends are clipped."""
        made = paced("F1 from A.out cu-m 15: {floor} U900 E100 D1000 E4000 N600 -> cap")
        field = JoistField(
            id="J1",
            level="L0",
            outline=((-500, -2000), (6000, -2000), (6000, 2000), (-500, 2000)),
            along="N",
            depth_mm=220,
            breadth_mm=47,
            centres_mm=400,
            span_mm=4000,
        )
        with_joists = made.model_copy(update={"house": made.house.model_copy(update={"joists": (field,)})})
        bare = next(row for row in self.rows(made) if row.goes == "E" and row.length_mm > 3000)
        held = next(row for row in self.rows(with_joists) if row.goes == "E" and row.length_mm > 3000)
        self.assertGreaterEqual(held.held, 9)
        self.assertLessEqual(held.clips.count, 2)
        self.assertGreater(bare.clips.count, held.clips.count)
        stays = sorted([*held.clips.at_mm])
        self.assertTrue(all(0 < at < held.length_mm for at in stays))


if __name__ == "__main__":
    unittest.main()
