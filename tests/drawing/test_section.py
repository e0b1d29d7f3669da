"""Joint cards: every method cut open to true proportion, its parts in order, its measures those of the tables."""

import re
import unittest
import xml.etree.ElementTree as ElementTree

from oikotherm.core.catalogue import parse_end, standard
from oikotherm.core.joints.chain import Ask
from oikotherm.core.joints.finder import find
from oikotherm.drawing.section import section, section_svg
from oikotherm.drawing.strip import end_icon, strip
from tests.core.test_joints import SAMPLE

CATALOGUE = standard()


def cut_open(method, pipe=None):
    return section(CATALOGUE, method, parse_end(pipe or SAMPLE[method]))


class SectionTest(unittest.TestCase):
    def test_every_method_is_drawn_with_its_parts(self):
        for method in SAMPLE:
            with self.subTest(method):
                made = cut_open(method)
                x0, x1, most = made.bounds()
                self.assertGreater(x1 - x0, most)
                self.assertGreaterEqual(len(made.shapes), 3)
                for words, x, r in made.labels:
                    self.assertTrue(x0 <= x <= x1 and 0 <= r <= most, words)
                root = ElementTree.fromstring(section_svg(made))
                texts = ["".join(one.itertext()) for one in root.iter("{http://www.w3.org/2000/svg}text")]
                self.assertEqual(
                    len([text for text in texts if text in {words for words, _, _ in made.labels}]), len(made.labels)
                )

    def test_depth_and_diameter_are_those_of_the_tables_in_proportion(self):
        for method, pipe, depth, od in (
            ("capillary", "cu-m 22 pipe", 15.4, 22.0),
            ("press", "cu-m 28 pipe", 25.0, 28.0),
            ("compression", "cu-m 15 pipe", 16.0, 15.0),
            ("push-fit", "pb-m 22 pipe", 33.0, 22.0),
            ("press-mlc", "mlc 20 pipe", 23.0, 20.0),
            ("expansion", "pexa 3/4 pipe", 22.0, 22.225),
            ("thread", "fe-40 3/4 pipe", 14.0462, 26.67),
        ):
            with self.subTest(method):
                made = cut_open(method, pipe)
                self.assertEqual(made.depth, (0.0, depth))
                self.assertAlmostEqual(made.od_mm, od, places=3)
                svg = section_svg(made)
                scale = self.px(svg, made, "od") / od
                self.assertAlmostEqual(self.px(svg, made, "depth") / scale, depth, delta=0.2)

    def px(self, svg, made, which):
        """Pixels of the dimension lines: the first is the diameter, the second the depth."""
        lines = re.findall(r'class="dim" d="M([\d.]+) ([\d.]+)L([\d.]+) ([\d.]+)', svg)
        x1, y1, x2, y2 = map(float, lines[0 if which == "od" else 1])
        return abs(y2 - y1) if which == "od" else abs(x2 - x1)

    def test_parts_stand_in_the_order_they_are_made_up(self):
        olive = cut_open("compression")
        self.assertLess(olive.along("nut")[0], olive.along("olive")[0])
        self.assertLess(olive.along("olive")[0], olive.along("body")[0] + 1)
        self.assertLess(olive.along("olive")[1], olive.along("body")[1])
        self.assertGreater(cut_open("compression-plastic").along("insert")[1], 15.0)  # its flange at the stop
        push = cut_open("push-fit")
        self.assertTrue(
            push.along("collet")[0] < push.along("grab")[0] < push.along("seal")[0] < push.along("insert")[1]
        )
        press = cut_open("press")
        self.assertTrue(0 < press.along("seal")[0] < press.along("seal")[1] < 25)
        flare = cut_open("flare")
        self.assertLess(flare.along("nut")[0], flare.along("body")[0])
        for pair in (("seal", "body"), ("tail", "nut")):
            self.assertTrue(all(cut_open("washer").along(what) for what in pair))
        self.assertLess(cut_open("csst").along("grab")[1], 0)  # the ring in the valley behind the seat
        self.assertFalse(
            any(shape.what == "insert" for shape in cut_open("push-fit-metal").shapes)
        )  # copper needs none


class StripTest(unittest.TestCase):
    def test_a_chain_is_drawn_part_by_part_to_scale(self):
        ask = Ask(parse_end("mlc 26 pipe"), parse_end("fe-press 22 pipe"), "heating", undo=True, practice="continental")
        for chain in find(ask, standard()).chains:
            root = ElementTree.fromstring(strip(CATALOGUE, ask.start, ask.goal, chain, 1.5))
            texts = ["".join(one.itertext()) for one in root.iter("{http://www.w3.org/2000/svg}text")]
            for link in chain.links:
                self.assertTrue(any(link.title in text for text in texts))
            spots = [float(one.get("cx")) for one in root.iter("{http://www.w3.org/2000/svg}circle")]
            self.assertEqual(len(spots), len(chain.joints))
            self.assertAlmostEqual(
                spots[-1] - spots[0], 1.5 * sum(max(link.length_mm, 3.0) for link in chain.links), delta=0.3
            )

    def test_ends_have_pictures(self):
        for text in (
            "cu-m 22 pipe",
            "R 3/4 male",
            "NPT 1 female",
            "csst EHD18 pipe",
            "comp-cu 15 socket",
            "flare-45 1/2 male",
        ):
            ElementTree.fromstring(end_icon(CATALOGUE, parse_end(text)))
