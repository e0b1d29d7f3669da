"""Drawings: measured projection, broken crossings, labels that keep clear."""

import math
import random
import unittest
import xml.etree.ElementTree as ET

from oikotherm.core.design import derive
from oikotherm.core.job.ways import Vec
from oikotherm.drawing import svg
from oikotherm.drawing.crossings import crossing, gaps, remains
from oikotherm.drawing.isometric import Look, draw
from oikotherm.drawing.projection import Projection, read_projection
from tests.jobs import demo, job, paced

VIEWS = [Projection("iso", turns) for turns in range(4)] + [
    Projection("plan"),
    Projection("elevation"),
    Projection("side"),
]


class ProjectionTest(unittest.TestCase):
    def test_isometric_directions_as_drawn_by_hand(self):
        flat, near = Projection().functions()
        for way, degrees in ((Vec(1, 0, 0), 30), (Vec(0, 1, 0), -30), (Vec(0, 0, 1), -90)):  # y grows downwards
            x, y = flat(way)
            self.assertAlmostEqual(math.degrees(math.atan2(y, x)), degrees)
            self.assertAlmostEqual(math.hypot(x, y), 1.0)
        self.assertGreater(near(Vec(0, 0, 1)), near(Vec(0, 0, 0)))
        self.assertGreater(near(Vec(1, -1, 0)), near(Vec(0, 0, 0)))

    def test_four_quarter_turns_come_home(self):
        point = Vec(3, 5, 7)
        seen = {tuple(round(part, 9) for part in Projection("iso", turns).functions()[0](point)) for turns in range(5)}
        self.assertEqual(len(seen), 4)

    def test_odd_requests_give_the_plain_isometric(self):
        for view, turns in ((None, None), ("spiral", "9" * 9), ("iso", "-1"), ("iso", "é")):
            self.assertEqual(read_projection(view, turns), Projection())


class CrossingTest(unittest.TestCase):
    def test_crossings_agree_with_brute_force(self):
        rng = random.Random(5)
        for _ in range(20):
            found = []
            for _ in range(60):
                a = (rng.uniform(0, 600), rng.uniform(0, 400))
                way = rng.choice(((1, 0.577), (1, -0.577), (0, 1)))
                length = rng.uniform(10, 300)
                found.append((a, (a[0] + way[0] * length, a[1] + way[1] * length), rng.random(), rng.random()))
            brute = sum(crossing(*p[:2], *q[:2]) is not None for n, p in enumerate(found) for q in found[n + 1 :])
            broken, count = gaps(found, 9)
            self.assertEqual(count, brute)
            self.assertEqual(sum(len(parts) for parts in broken.values()), brute)

    def test_the_farther_pipe_has_the_gap(self):
        over, under = ((0, 50), (100, 50), 5.0, 5.0), ((50, 0), (50, 100), 1.0, 1.0)
        broken, count = gaps([over, under], 10)
        self.assertEqual((list(broken), count), ([1], 1))
        self.assertEqual([(round(a, 6), round(b, 6)) for a, b in remains(broken[1])], [(0.0, 0.45), (0.55, 1.0)])

    def test_the_demo_breaks_what_brute_force_finds(self):
        design = derive(demo())
        for projection in VIEWS:
            look = Look(projection=projection, width=900, height=600)
            flat, near = projection.functions()
            lines = [
                (flat(p.a), flat(p.b), near(p.a), near(p.b)) for p in design.fitted.pieces.values() if p.centre_mm > 0
            ]
            count = 0
            for n, p in enumerate(lines):
                for q in lines[n + 1 :]:
                    at = crossing(*p[:2], *q[:2])
                    if at and abs((p[2] + (p[3] - p[2]) * at[0]) - (q[2] + (q[3] - q[2]) * at[1])) > 1e-6:
                        count += 1
            self.assertEqual(draw(design, look).crossings, count, projection.name)


class SceneTest(unittest.TestCase):
    def test_shown_labels_cover_neither_each_other_nor_a_pipe(self):
        design = derive(demo())
        for projection in VIEWS:
            scene = draw(design, Look(projection=projection))
            shown = [label for label in scene.labels if not label.tight]
            for n, a in enumerate(shown):
                for b in shown[n + 1 :]:
                    apart = a.box[2] <= b.box[0] or b.box[2] <= a.box[0] or a.box[3] <= b.box[1] or b.box[3] <= a.box[1]
                    self.assertTrue(apart, f"{projection.name}: {a.text} on {b.text}")
            for label in shown:
                for stroke in scene.strokes:
                    if stroke.layer == "pipe":
                        edges = [
                            ((label.box[0], label.box[1]), (label.box[2], label.box[3])),
                            ((label.box[0], label.box[3]), (label.box[2], label.box[1])),
                        ]
                        self.assertFalse(
                            any(crossing(*edge, *stroke.points) for edge in edges),
                            f"{projection.name}: {label.text} on {stroke.key}",
                        )

    def test_every_piece_is_drawn_and_told_apart_without_colour(self):
        design = derive(demo())
        scene = draw(design)
        self.assertEqual({stroke.key for stroke in scene.strokes if stroke.layer == "pipe"}, set(design.fitted.pieces))
        tags = {label.text for label in scene.labels if label.kind.startswith("tag")}
        self.assertEqual(tags, {run.id for run in design.job.runs})

    def test_the_file_is_sound_and_the_same_each_time(self):
        text = svg.write(draw(derive(demo())), standalone=True)
        self.assertEqual(text, svg.write(draw(derive(demo())), standalone=True))
        root = ET.fromstring(text)
        self.assertTrue(root.get("width").endswith("mm"))
        self.assertNotIn("nan", text)

    def test_empty_and_tiny_jobs_have_a_drawing(self):
        for made in (
            job(),
            paced(),
            paced("from A.out cu-m 15: U1"),
            paced("from A.out cu-m 15: # nothing yet"),
            paced("from A.out cu-m 15: [iso]"),
        ):
            self.assertIn("</svg>", svg.write(draw(derive(made))))

    def test_names_are_escaped(self):
        made = demo().model_copy(update={"title": '<b>"&'})
        ET.fromstring(svg.write(draw(derive(made)), standalone=True))
