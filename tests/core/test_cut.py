"""Cut lengths against sums by hand and figures from public tables."""

import math
import unittest

from oikotherm.core.bench import find_tool
from oikotherm.core.catalogue import standard
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.making.cut import round_to_mark
from oikotherm.core.services import spec
from tests.jobs import demo, design, edit, job, paced, port, station


def cuts(text, end, at, **more):
    """Exact cut lengths [mm] of a run between a port like `end` at the origin and another at `at`."""
    b = station("B", [port("in", end, at, facing="down", way="in")], kind="emitter")
    made = edit(job(**more), station("A", [port("out", end, (0, 0, 0))]), b, {"do": "put_run", "text": text})
    found = derive(made)
    assert not [finding for finding in found.findings if finding.severity == "stop"], found.findings
    return found.cuts


class HandWorkedTest(unittest.TestCase):
    def test_six_legs_of_15_mm_capillary(self):
        # Elbow 15 mm end-feed: z (centre to stop) 11. Compression port: the pipe goes 16 in behind the port plane.
        found = cuts(
            "from A.out cu-m 15: U300 E1200 N850 D600 W450 U900 -> B.in", "comp-cu 15 socket", (750, -850, 600)
        )
        by_hand = [300 + 16 - 11, 1200 - 22, 850 - 22, 600 - 22, 450 - 22, 900 - 11 + 16]
        self.assertEqual([cut.cut_mm for cut in found], by_hand)

    def test_threaded_three_quarter_in_inches(self):
        # Elbow class 150 3/4: A 1.31 in; made up 0.553 in: 0.757 in off a leg at an elbow; a female port takes 0.553 in
        # more.
        found = cuts(
            "from A.out fe-40 3/4: U24 E36 U18 -> B.in",
            "NPT 3/4 female",
            (36 * 25.4, 0, 42 * 25.4),
            practice="north-american",
            unit="in",
        )
        by_hand = [24 + 0.553 - 0.757, 36 - 2 * 0.757, 18 - 0.757 + 0.553]
        for cut, inches in zip(found, by_hand, strict=True):
            self.assertAlmostEqual(cut.exact_mm, inches * 25.4, delta=0.01)
            self.assertAlmostEqual(cut.cut_mm, inches * 25.4, delta=1.0)  # marked to 1/16 in
            self.assertEqual(round(cut.cut_mm / 25.4 * 16, 4) % 1, 0)

    def test_compression_when_chosen(self):
        made = edit(
            paced("from A.out cu-m 15: U300 E500 -> cap"),
            {"do": "choose", "topic": "metal-joining", "option": "compression"},
        )
        # compression elbow 15: stop 13 from the centre
        self.assertEqual([cut.cut_mm for cut in derive(made).cuts], [300 + 16 - 13, 500 - 13])

    def test_an_override_changes_one_fitting_alone(self):
        made = paced("from A.out cu-m 15: U300 E500 N400 -> cap")
        override = {"target": "i1/turn", "field": "method", "value": "press", "reason": "by the beam"}
        found = derive(edit(made, {"do": "put_override", "override": override}))
        # press elbow 15: stop 19 from the centre
        self.assertEqual([cut.cut_mm for cut in found.cuts], [300 + 16 - 19, 500 - 19 - 11, 400 - 11])

    def test_a_45_a_reducer_and_a_reducing_tee(self):
        found = design("F1 from A.out cu-m 22: U400 N+45E600 =cu-m 15 N+45E500 -> cap", end="comp-cu 22 socket")
        # elbow from up to north-east is square: z 16; reducer gap 2 + (22 - 15) / 2, half to each side
        half = (2 + 3.5) / 2
        self.assertEqual([cut.exact_mm for cut in found.cuts], [400 + 19 - 16, 600 - 16 - half, 500 - half])
        found = design("F1 from A.out cu-m 22: U400 U+45E600 -> cap", end="comp-cu 22 socket")
        self.assertAlmostEqual(found.cuts[0].exact_mm, 400 + 19 - 0.45 * 16)

    def test_a_bent_piece_is_one_cut_with_marks(self):
        # socket 16 deep; one square bend of R 60 saves 2 x 60 - 94.248 and begins at 516 - 60
        (cut,) = design("F1 from A.out cu-m 15: U500 E1000 -> cap", turns="bends-22").cuts
        self.assertAlmostEqual(cut.exact_mm, 516 + 1000 - (120 - 30 * math.pi), places=4)
        self.assertEqual([(mark.at_mm, mark.angle_deg, mark.roll_deg) for mark in cut.marks], [(456.0, 90, 0)])
        # a set of 50 at 45: travel 70.711, each bend takes 24.853 and saves 2 x 24.853 - 47.124
        (cut,) = design("F1 from A.out cu-m 15: U500 ~E50 U600 -> cap", turns="bends-22").cuts
        self.assertAlmostEqual(cut.exact_mm, 516 + 70.7107 + 550 - 2 * (2 * 24.8528 - 47.1239), places=3)
        self.assertEqual([mark.roll_deg for mark in cut.marks], [0, 180])
        self.assertAlmostEqual(cut.marks[0].at_mm, 516 - 24.853, delta=0.06)
        self.assertAlmostEqual(cut.marks[1].at_mm, 516 - 24.853 + 47.124 + 70.711 - 2 * 24.853, delta=0.06)

    def test_bends_give_way_to_fittings(self):
        for line, why in (
            ("U500 E70 N500", "no room for a second bend"),
            ("U500 E2000 *T1 N500", "a tee turns there"),
            ("U500 E300 =cu-m 22 N500", "a reducing elbow"),
        ):
            kinds = [
                fitting.kind
                for fitting in design(
                    f"F1 from A.out cu-m 15: {line} -> cap", turns="bends-22"
                ).fitted.fittings.values()
            ]
            self.assertTrue({"elbow", "tee"} & set(kinds), why)
        self.assertIn(
            "elbow",
            {
                f.kind
                for f in design(
                    "F1 from A.out cu-m 22: U500 E900 -> cap", turns="bends-15", end="comp-cu 22 socket"
                ).fitted.fittings.values()
            },
        )
        self.assertNotIn(
            "bend",
            {
                f.kind
                for f in design(
                    "F1 from A.out cu-l 3/4: U20 E30 -> cap", turns="bends-22", practice="north-american", unit="in"
                ).fitted.fittings.values()
            },
        )

    def test_a_straight_over_a_stick_gets_couplings_that_keep_out_of_walls(self):
        found = design("F1 from A.out cu-m 15: U500 E2900 (wall 300) E4200 -> cap")
        joins = [f.at.x for f in found.fitted.fittings.values() if f.kind == "coupling"]
        self.assertEqual(len(joins), 2)
        self.assertEqual(joins[0], 2900 - 60)
        self.assertTrue(all(cut.cut_mm <= 3000 for cut in found.cuts))
        pieces = [cut.exact_mm for cut in found.cuts[1:]]
        self.assertAlmostEqual(sum(pieces) + 11 + 2 * 1.5, 7100, places=4)

    def test_a_street_elbow_joins_two_fittings_without_pipe(self):
        found = design("F1 from A.out cu-m 15: U500 E32.6 N700 -> cap")  # 11 + 11 + 10.6
        self.assertEqual([cut.key for cut in found.cuts], ["i1/pipe", "i3/pipe"])
        self.assertIn("street 15 elbow capillary", [f.title for f in found.fitted.fittings.values()])
        self.assertEqual(sum(joint.method == "capillary" for joint in found.fitted.joints.values()), 4)

    def test_every_working_gives_its_value(self):
        for cut in derive(demo()).cuts:
            steps = {step.formula.split(" ")[0]: step for step in cut.worked.steps}
            take = [step.result for step in cut.worked.steps if step.formula.startswith("take-off")]
            saved = sum(step.result for step in cut.worked.steps if step.formula.startswith("less what the bends save"))
            by_hand = sum((2 - math.pi / 2) * mark.radius_mm for mark in cut.marks if mark.angle_deg == 90)
            self.assertAlmostEqual(saved, by_hand, places=4)
            self.assertAlmostEqual(cut.worked.steps[0].result - sum(take) - saved, steps["cut"].result, places=6)
            self.assertEqual(cut.worked.steps[-1].result, cut.cut_mm)
            self.assertLessEqual(abs(cut.cut_mm - cut.exact_mm), 0.5)

    def test_rounding_goes_to_the_mark(self):
        self.assertEqual(round_to_mark(477.5, "mm"), 478)
        self.assertEqual(round_to_mark(477.4999, "mm"), 477)
        self.assertAlmostEqual(round_to_mark(25.4 * 3.04, "in"), 25.4 * (3 + 1 / 16), places=3)


class TableTest(unittest.TestCase):
    def test_made_up_threads_are_hand_tight_plus_three_turns(self):
        # ASME B1.20.1: L1 hand-tight engagement [in] and threads per inch
        for size, l1, per_inch in (
            ("1/2", 0.320, 14),
            ("3/4", 0.339, 14),
            ("1", 0.400, 11.5),
            ("1-1/4", 0.420, 11.5),
            ("2", 0.436, 11.5),
        ):
            row = standard().threads["npt", size]
            self.assertAlmostEqual(row.made_up_mm / 25.4, l1 + 3 / per_inch, delta=0.001)

    def test_bores_are_od_less_two_walls(self):
        for code, size, bore_mm in (
            ("cu-m", "15", 13.6),
            ("cu-m", "22", 20.2),
            ("cu-l", "3/4", 19.939),
            ("fe-40", "1", 26.645),
            ("fe-m", "1/2", 16.1),
        ):
            self.assertAlmostEqual(standard().pipe(code, size).bore_mm, bore_mm, delta=0.02)

    def test_every_row_has_a_source_and_a_system(self):
        catalogue = standard()
        self.assertEqual({code for code, _ in catalogue.pipes}, set(catalogue.systems))
        rows = [
            *catalogue.pipes.values(),
            *catalogue.devices.values(),
            *catalogue.kits.values(),
            *spec.kinds().values(),
            *catalogue.heat.values(),
            *catalogue.systems.values(),
        ]
        rows += [port for kind in spec.kinds().values() for ports in kind.ports.values() for port in ports]
        self.assertTrue(all(row.source.split()[0] in ("std", "typ", "measured") for row in rows))
        self.assertTrue(all(row.source and (row.text or row.verdict != "refused") for row in catalogue.law.rows))
        self.assertTrue(all(row.source for row in catalogue.methods.values()))
        self.assertTrue(all(row.insertion_source and row.z_source for row in catalogue.sockets.values()))


class BenchTest(unittest.TestCase):
    def cut(self, **said):
        return find_tool("cut_length").run(
            {"pipe": "cu-m 15", "method": "capillary", "from": "elbow", "to": "tee", "centre_to_centre": 500, **said}
        )

    def test_the_bench_agrees_with_sums_by_hand(self):
        self.assertEqual(self.cut()["cut_mm"], 478)  # 500 - 2 x 11
        self.assertEqual(self.cut(pipe="cu-m 22", method="press", to="45")["exact_mm"], 500 - 28 - 0.45 * 28)
        self.assertEqual(self.cut(to="coupling")["exact_mm"], 500 - 11 - 0.75)
        threaded = self.cut(pipe="fe-40 3/4", method="thread", centre_to_centre="20 in")
        self.assertAlmostEqual(threaded["exact_mm"], (20 - 2 * (1.31 - 0.553)) * 25.4, places=3)
        self.assertEqual(threaded["text"], '18-1/2"')
        self.assertAlmostEqual(
            self.cut(pipe="cu-m 22", to="reducer", reduces_to="15")["exact_mm"], 500 - 16 - (2 + 3.5) / 2
        )

    def test_every_joint_and_every_way_of_measuring(self):
        """Elbow z and depth by the tables: expansion 3/4 24 and 22, push-fit 22 mm 22 and 33, multilayer 20 21, 23."""

        def measured(**said):
            return find_tool("cut_length").run(said)

        for pipe, method, z, depth in (
            ("pexa 3/4", "expansion", 24, 22),
            ("pb-m 22", "push-fit", 22, 33),
            ("mlc 20", "press-mlc", 21, 23),
            ("cu-m 15", "capillary", 11, 10.6),
        ):
            said = {"pipe": pipe, "method": method, "round_to": "mm"}
            with self.subTest(pipe=pipe):
                self.assertAlmostEqual(measured(**said, centre_to_centre=500)["exact_mm"], 500 - 2 * z)
                self.assertAlmostEqual(measured(**said, stop_to_stop=500)["exact_mm"], 500)
                self.assertAlmostEqual(measured(**said, mouth_to_mouth=500)["exact_mm"], 500 + 2 * depth)
        faces = measured(pipe="fe-40 1/2", method="thread", mouth_to_mouth="10 in")
        self.assertAlmostEqual(faces["exact_mm"], (10 + 2 * 0.534) * 25.4, delta=0.01)
        for bad in ({}, {"centre_to_centre": 500, "stop_to_stop": 500}):
            with self.assertRaisesRegex(Refused, "one measure"):
                measured(pipe="cu-m 15", method="capillary", **bad)
        with self.assertRaisesRegex(Refused, "a thread has no stop"):
            measured(pipe="fe-40 1/2", method="thread", stop_to_stop=500)

    def test_the_bench_refuses_with_reason(self):
        for said, field in (
            ({"pipe": "cu-m 16"}, "pipe"),
            ({"pipe": ""}, "pipe"),
            ({"method": "thread"}, "method"),
            ({"centre_to_centre": 30}, "centre_to_centre"),
            ({"centre_to_centre": "30 psi"}, "centre_to_centre"),
            ({"centre_to_centre": -5}, "centre_to_centre"),
            ({"from": "bend"}, "from"),
            ({"to": "reducer", "reduces_to": "99"}, "reduces_to"),
            ({"colour": "red"}, "colour"),
        ):
            with self.subTest(said=said), self.assertRaises(Refused) as caught:
                self.cut(**said)
            self.assertEqual(caught.exception.field, field)
