"""Drawings: measured projection, broken crossings, labels that keep clear."""

import io
import itertools
import math
import random
import unittest
import xml.etree.ElementTree as ET

import ezdxf
import pypdf
from reportlab.pdfgen.canvas import Canvas

from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.ways import Vec
from oikotherm.drawing import dxf, svg
from oikotherm.drawing.crossings import INSIDE, gaps, remains
from oikotherm.drawing.isometric import draw
from oikotherm.drawing.lines import pipe_lines
from oikotherm.drawing.look import Look
from oikotherm.drawing.pdf import draw_on
from oikotherm.drawing.projection import Projection, read_projection
from oikotherm.exchange.plansheet import scale_pdf, scale_scene
from tests.jobs import demo, job, paced, whole

DEMOS = (whole("lockhouse"), whole("fernhollow"), whole("olmo-vecchio"), demo())
VIEWS = [Projection("iso", turns) for turns in range(4)] + [
    Projection("plan"),
    Projection("elevation"),
    Projection("side"),
]


def crossing(a, b, c, d):
    """Where segment a-b crosses c-d: the share of the way along each, strictly inside both; None if they do not."""
    rx, ry, sx, sy = b[0] - a[0], b[1] - a[1], d[0] - c[0], d[1] - c[1]
    det = rx * sy - ry * sx
    if abs(det) < 1e-9:
        return None
    t = ((c[0] - a[0]) * sy - (c[1] - a[1]) * sx) / det
    u = ((c[0] - a[0]) * ry - (c[1] - a[1]) * rx) / det
    return (t, u) if INSIDE < t < 1 - INSIDE and INSIDE < u < 1 - INSIDE else None


def _along(a, b, c, d):
    """Whether two segments lie in one line, but for rounding."""
    rx, ry, sx, sy = b[0] - a[0], b[1] - a[1], d[0] - c[0], d[1] - c[1]
    return abs(rx * sy - ry * sx) < 1e-6 * math.hypot(rx, ry) * math.hypot(sx, sy)


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

    def test_the_gap_lies_where_the_nearer_pipe_passes(self):
        """Each gap of random lines, wherever they point, has its middle on a nearer line, and its length is the one
        asked for."""
        rng = random.Random(8)
        lines = [
            ((rng.uniform(0, 500), rng.uniform(0, 400)), (rng.uniform(0, 500), rng.uniform(0, 400)), float(n), float(n))
            for n in range(40)
        ]
        broken, _ = gaps(lines, 9)
        self.assertGreater(len(broken), 20)
        for index, parts in broken.items():
            (ax, ay), (bx, by), mine, _ = lines[index]
            length = math.hypot(bx - ax, by - ay)
            for first, last in parts:
                if first > 0 and last < 1:
                    self.assertAlmostEqual((last - first) * length, 9)
                    x, y = (ax + (bx - ax) * (first + last) / 2, ay + (by - ay) * (first + last) / 2)
                    off = [
                        abs((d[0] - c[0]) * (y - c[1]) - (d[1] - c[1]) * (x - c[0])) / math.dist(c, d)
                        for c, d, near, _ in lines
                        if near > mine
                    ]
                    self.assertLess(min(off), 1e-6)
        self.assertEqual(gaps(lines[:1], 9), ({}, 0))
        self.assertEqual(gaps([], 9), ({}, 0))

    def test_the_farther_pipe_has_the_gap(self):
        over, under = ((0, 50), (100, 50), 5.0, 5.0), ((50, 0), (50, 100), 1.0, 1.0)
        broken, count = gaps([over, under], 10)
        self.assertEqual((list(broken), count), ([1], 1))
        self.assertEqual([(round(a, 6), round(b, 6)) for a, b in remains(broken[1])], [(0.0, 0.45), (0.55, 1.0)])

    def test_the_demos_break_what_brute_force_finds(self):
        for design, projection in itertools.product((derive(made) for made in DEMOS), VIEWS):
            look = Look(projection=projection, width=900, height=600)
            flat, near = projection.functions()
            lines = [
                (flat(a), flat(b), near(a), near(b))
                for line in pipe_lines(design.fitted)
                for a, b in itertools.pairwise(line.points)
            ]
            count = along = 0
            for n, p in enumerate(lines):
                for q in lines[n + 1 :]:
                    at = crossing(*p[:2], *q[:2])
                    if at and abs((p[2] + (p[3] - p[2]) * at[0]) - (q[2] + (q[3] - q[2]) * at[1])) > 1e-6:
                        count += 1
                        along += _along(*p[:2], *q[:2])  # two that lie along each other: rounding makes them cross
            drawn = draw(design, look).crossings
            self.assertTrue(count - along <= drawn <= count, (projection.name, drawn, count, along))


class SceneTest(unittest.TestCase):
    def test_shown_labels_cover_neither_each_other_nor_a_pipe(self):
        for design, projection, dimensions in itertools.product((derive(made) for made in DEMOS), VIEWS, (False, True)):
            scene = draw(design, Look(projection=projection, dimensions=dimensions))
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
                            any(crossing(*edge, *bit) for edge in edges for bit in itertools.pairwise(stroke.points)),
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


class LookTest(unittest.TestCase):
    def test_a_level_and_a_service_alone(self):
        design = derive(whole())
        everything = {stroke.run for stroke in draw(design).strokes if stroke.layer == "pipe"}
        self.assertEqual(everything, {run.id for run in design.job.runs})
        gas = {
            stroke.run for stroke in draw(design, Look(services=frozenset({"gas"}))).strokes if stroke.layer == "pipe"
        }
        self.assertEqual(gas, {"G1", "G2", "G3"})
        flat = draw(design, Look(levels=frozenset({"L1"})))
        self.assertEqual(
            {stroke.key for stroke in flat.strokes if stroke.layer == "station"}, {"R3", "R7", "R8", "R9", "CYL", "SHW"}
        )
        heights = {key: sorted(corner.z for corner in piece.corners) for key, piece in design.fitted.pieces.items()}
        shown = {stroke.key for stroke in flat.strokes if stroke.layer == "pipe"}
        self.assertEqual(shown, {key for key, z in heights.items() if z[-1] >= 2750 - 350})

    def test_what_goes_is_drawn_thin_and_crossed_and_is_no_part_of_the_work(self):
        design = derive(whole())
        gone = [symbol for symbol in draw(design).symbols if symbol.shape == "gone"]
        self.assertEqual({symbol.run for symbol in gone}, {"F11", "RT11"})
        self.assertFalse({cut.run for cut in design.cuts} & {"F11", "RT11", "C4"})
        self.assertFalse({joint.run for joint in design.fitted.joints.values()} & {"F11", "RT11", "C4"})

    def test_lines_of_measure_are_level_with_their_leg_and_as_long(self):
        design = derive(demo())
        scene = draw(design, Look(dimensions=True, projection=Projection("plan"), width=1600, height=1100))
        scale = math.hypot(*scene.axes[0]) / 1000
        lengths = {key: length for trace in design.pipework.runs.values() for key, length in trace.lengths.items()}
        lines = {}
        for stroke in scene.strokes:
            if stroke.layer == "dimension":
                lines.setdefault(stroke.key, stroke.points)
        self.assertGreater(len(lines), 12)
        for key, (a, b) in lines.items():
            self.assertAlmostEqual(math.hypot(b[0] - a[0], b[1] - a[1]) / scale, lengths[key], delta=1)

    def test_a_page_is_to_scale_or_says_what_it_needs(self):
        design = derive(demo())
        for scale, paper in ((50, "a3"), (100, "a4"), (25, "a2")):
            scene = scale_scene(design, Projection("plan"), scale, paper)
            self.assertAlmostEqual(
                math.hypot(*scene.axes[0]) / 4, 1000 / scale, places=6
            )  # millimetres of paper in a metre
        for scale, paper in ((10, "a4"), (33, "a4"), (50, "a9")):
            with self.subTest(scale=scale, paper=paper), self.assertRaises(Refused) as caught:
                scale_scene(design, Projection("plan"), scale, paper)
            self.assertTrue(caught.exception.expected)
        data = scale_pdf(design, Projection("iso"), 50, "a3")
        self.assertEqual(data, scale_pdf(design, Projection("iso"), 50, "a3"))
        page = pypdf.PdfReader(io.BytesIO(data)).pages[0]
        self.assertAlmostEqual(float(page.mediabox.width) * 25.4 / 72, 420, delta=0.1)
        self.assertIn("1:50", page.extract_text())


class FilesTest(unittest.TestCase):
    def test_dxf_opens_with_true_lengths_on_layers_by_role(self):
        design = derive(whole())
        roles = {run.id: run.role for run in design.job.runs}
        for projection in (Projection("plan"), Projection("elevation"), Projection("iso"), Projection("iso", 1)):
            scene = draw(design, Look(projection=projection, width=1400, height=900))
            text = dxf.write(scene)
            self.assertEqual(text, dxf.write(scene))
            doc = ezdxf.read(io.StringIO(text))
            self.assertEqual(doc.audit().errors, [])
            self.assertEqual(doc.header["$INSUNITS"], 4)
            flat = projection.functions()[0]
            by_role = dict.fromkeys(set(roles.values()), 0.0)
            for line in pipe_lines(design.fitted):
                by_role[roles[line.piece.run]] += sum(
                    math.dist(flat(a), flat(b)) for a, b in itertools.pairwise(line.points)
                )
            for role, expected in by_role.items():
                drawn = 0.0
                for entity in doc.modelspace().query(f'*[layer=="PIPE-{role.upper()}"]'):
                    points = (
                        [tuple(entity.dxf.start)[:2], tuple(entity.dxf.end)[:2]]
                        if entity.dxftype() == "LINE"
                        else [p[:2] for p in entity.get_points()]
                    )
                    drawn += sum(math.dist(a, b) for a, b in itertools.pairwise(points))
                seen_on_end = 250  # stretches seen on end are a symbol, not a line
                self.assertAlmostEqual(drawn, expected, delta=seen_on_end + 1)

    def test_one_straight_is_as_long_as_it_is_paced(self):
        design = derive(paced("F1 from A.out cu-m 15: E1234 -> stub"))
        for projection in (Projection("plan"), Projection("elevation"), Projection("iso"), Projection("iso", 3)):
            doc = ezdxf.read(io.StringIO(dxf.write(draw(design, Look(projection=projection)))))
            (line,) = doc.modelspace().query('LINE[layer=="PIPE-FLOW"]')
            self.assertAlmostEqual(math.dist(line.dxf.start, line.dxf.end), 1234, delta=0.05)

    def test_page_paper_and_dxf_show_the_same_scene(self):
        for made in DEMOS:
            scene = draw(derive(made), Look(width=1000, height=620))
            root = ET.fromstring(svg.write(scene, standalone=True))
            space = "{http://www.w3.org/2000/svg}"
            texts = sorted(
                node.text
                for node in root.iter(f"{space}text")
                if node.text and "tight" not in (node.get("class") or "")
            )
            shown = sorted(label.text for label in scene.labels if not label.tight)
            groups = [group for group in root.iter(f"{space}g") if "tight" in (group.get("class") or "").split()]
            hidden = sorted(node.text for group in groups for node in group.iter(f"{space}text"))
            self.assertEqual(sorted(texts), sorted([*shown, *hidden]))
            doc = ezdxf.read(io.StringIO(dxf.write(scene)))
            self.assertEqual(sorted(entity.dxf.text for entity in doc.modelspace().query("TEXT")), shown)
            out = io.BytesIO()
            canvas = Canvas(out, pagesize=(1000, 620), invariant=1)
            draw_on(canvas, scene, 0, 0, 1000)
            canvas.save()
            words = pypdf.PdfReader(io.BytesIO(out.getvalue())).pages[0].extract_text()
            for text in shown:
                self.assertIn(text.split()[0], words)
