"""Laying pipe by the line and its suggestions."""

import unittest

from oikotherm.core.errors import Refused
from oikotherm.core.job.complete import complete, walked
from oikotherm.core.job.houseline import LETTERS, corners_of, drawn_part, parse_part, part_text
from oikotherm.core.job.words import Style
from scripts.keystrokes import LINES, counted
from tests.jobs import STYLE, design, edit, job, port, station, whole


class SuggestionTest(unittest.TestCase):
    def first(self, line, made=None):
        found = complete(made or self.job, line, len(line), STYLE)
        return found[0].text if found else None

    def setUp(self):
        self.job = edit(
            job(),
            station("A", [port("out", "comp-cu 22 socket", (0, 0, 0))]),
            station(
                "Z",
                [
                    port("far", "comp-cu 15 socket", (9000, 0, 0), way="in"),
                    port("near", "comp-cu 15 socket", (3000, -900, 500), way="in"),
                ],
            ),
            {"do": "put_run", "text": "F1 from A.out cu-m 22: E1000 *T1 E1000 *T2 E1000 -> cap"},
            {"do": "put_run", "text": "F2 from F1.T1 cu-m 15: N300 -> cap"},
        )

    def test_the_likeliest_comes_first(self):
        self.assertEqual(self.first(""), "from")
        self.assertEqual(self.first("from "), "F1.T2")  # T1 is taken
        self.assertEqual(self.first("from F1.T2 "), "cu-m 15:")  # as its brother
        self.assertEqual(self.first("from F1.T2 cu-m 15: E900 [dra"), "drain]")
        self.assertEqual(self.first("from F1.T2 cu-m 15: N? E? U? "), "-> Z.near")  # three open legs reach it
        self.assertEqual(self.first("F9 from F1.T2 cu-m 15: E? -> "), "Z.far")
        self.assertEqual(self.first("from F1.T2 cu-m 15: E500 ^U25 over "), "F1")

    def test_a_return_is_offered_beside_the_flow_whose_return_is_free(self):
        made = whole("lockhouse")
        made = made.model_copy(update={"runs": tuple(run for run in made.runs if run.id != "RT2")})
        self.assertEqual(self.first("from RT1.T1 cu-m 15: ", made), "twin F2 E50")

    def test_odd_text_gives_no_error(self):
        for line in (
            "from",
            "from F1.T9 ",
            ": ",
            "from F1.T2 cu-m 15: ~",
            "from x y: twin ",
            "->",
            "from F1.T2 cu-m 15: E? -> -> ",
        ):
            for caret in range(len(line) + 1):
                complete(self.job, line, caret, STYLE)

    def test_the_lockhouse_takes_fewer_than_sixty_strokes_an_emitter(self):
        rows, total, each = counted()
        self.assertEqual(len(rows), len(LINES) + 1)
        self.assertGreater(total, 300)
        self.assertLess(each, 60)


class DrawnTest(unittest.TestCase):
    """What is drawn is written by the program, in the notation of the job: no browser writes any."""

    def test_a_walk_makes_the_last_leg_longer_or_begins_one(self):
        line = "from F1.T1 cu-m 15:"
        for way, step_mm, becomes in (
            ("E", 100, "E100?"),
            ("E", 100, "E200?"),
            ("E", 10, "E210?"),
            ("U", 100, "E210? U100?"),
            ("N", 100, "E210? U100? N100?"),
            ("N", -1, "E210? U100?"),
        ):
            line = walked(line, way, step_mm, STYLE)
            self.assertEqual(line, f"from F1.T1 cu-m 15: {becomes}")
        self.assertEqual(
            walked("F1 from A.out cu-m 15: U300 -> cap", "E", 50, STYLE), "F1 from A.out cu-m 15: U300 E50? -> cap"
        )
        taped = "F1 from A.out cu-m 15: U300 E500"
        self.assertEqual(walked(taped, "E", 50, STYLE), f"{taped} E50?")  # what was taped stays as it was said
        self.assertEqual(walked(taped, "N", -1, STYLE), taped)
        self.assertIsNone(walked("F1 from A.out", "E", 50, STYLE))

    def test_a_walk_in_inches_and_with_a_decimal_comma(self):
        inches = Style(STYLE.catalogue, "north-american", "in")
        line = walked("from A.out cu-l 1/2:", "E", 152.4, inches)
        self.assertEqual(walked(line, "E", 12.7, inches), "from A.out cu-l 1/2: E6-1/2?")
        comma = Style(STYLE.catalogue, "continental", "mm")
        line = walked("from A.out cu-m 15:", "E", 12.7, comma)
        self.assertEqual(line, "from A.out cu-m 15: E12,7?")
        self.assertEqual(walked(line, "E", 12.7, comma), "from A.out cu-m 15: E25,4?")

    def test_what_is_drawn_on_the_plan_is_a_line_that_reads_back_in_every_practice(self):
        for practice in ("british", "continental", "north-american"):
            for unit in ("mm", "in"):
                made, style = job(practice, unit), Style(STYLE.catalogue, practice, unit)
                for kind in LETTERS:
                    with self.subTest(practice=practice, unit=unit, kind=kind):
                        part = drawn_part(made, kind, "L0", (1000.5, 200), (4000, 2700.25))
                        text = part_text(part, unit, comma=practice == "continental")
                        again = parse_part(text, style)[1]
                        for a, b in zip(corners_of(part), corners_of(again), strict=True):
                            for one, other in zip(a, b, strict=True):
                                self.assertAlmostEqual(one, other, delta=1.0)
                        self.assertEqual(part_text(again, unit, comma=practice == "continental"), text)

    def test_the_length_of_a_leg_is_typed_as_on_the_line(self):
        there = design("F1 from A.out cu-m 15: U300 E500 -> cap").job
        leg = there.runs[0].items[1]
        typed = {"do": "type_length", "run": "F1", "item": leg.id}
        for text, length_mm, basis in (("620", 620.0, "taped"), (" 1.2m? ", 1200.0, "assumed")):
            item = edit(there, {**typed, "text": text}).runs[0].items[1]
            self.assertEqual((item.length_mm, item.basis, item.dir), (length_mm, basis, "E"))
        with self.assertRaises(Refused):
            edit(there, {**typed, "text": "x"})


class EditTest(unittest.TestCase):
    def test_a_run_is_cut_and_what_hangs_on_the_rest_goes_with_it(self):
        base = design(
            "F1 from A.out cu-m 22: E1000 =cu-m 15 {loft lag 25} E1000 *T1 E1000 -> cap",
            "F2 from F1.T1 cu-m 15: N300 -> cap",
            end="comp-cu 22 socket",
        ).job
        made = edit(base, {"do": "cut_run", "run": "F1", "at": 1500})
        self.assertEqual(
            [(run.id, run.start, run.finish) for run in made.runs],
            [("F1", "A.out", "none"), ("F3", "F1.C1", "cap"), ("F2", "F3.T1", "cap")],
        )
        self.assertEqual(str(made.run("F3").pipe), "cu-m 15")
        self.assertEqual(made.run("F3").items[0].lag_mm, 25)
        from oikotherm.core.design import derive

        before, after = derive(base), derive(made)
        self.assertEqual(before.pipework.runs["F2"].start, after.pipework.runs["F2"].start)
        self.assertEqual(before.pipework.runs["F1"].end, after.pipework.runs["F3"].end)
        self.assertNotIn("open-end", {finding.rule for finding in after.findings})
        gone = derive(
            edit(
                made,
                {"do": "set_state", "run": "F3", "state": "remove"},
                {"do": "set_state", "run": "F2", "state": "remove"},
            )
        )
        self.assertEqual({cut.run for cut in gone.cuts}, {"F1"})

    def test_a_twin_written_out_stays_where_it_is(self):
        made = whole("lockhouse")
        from oikotherm.core.design import derive

        out = edit(made, {"do": "write_out", "run": "RT9"})
        self.assertIsNone(out.run("RT9").twin_of)
        self.assertTrue(out.run("RT9").items)
        for a, b in zip(derive(made).pipework.runs["RT9"].moves, derive(out).pipework.runs["RT9"].moves, strict=True):
            self.assertLess(a.b.minus(b.b).length, 0.01)
        self.assertIn("twin F9 N704", derive(made).texts["RT9"])

    def test_a_tee_cut_into_old_pipe_is_work_and_the_old_pipe_is_not(self):
        from oikotherm.core.design import derive

        base = design("F1 from A.out cu-m 15: E1000 *T1 E1000 N500 -> cap", "F2 from F1.T1 cu-m 15: N300 -> cap").job
        made = derive(edit(base, {"do": "set_state", "run": "F1", "state": "keep"}))
        self.assertEqual({cut.run for cut in made.cuts}, {"F2"})
        self.assertEqual(
            [fitting.kind for fitting in made.fitted.fittings.values() if fitting.new and fitting.run == "F1"],
            ["port", "tee"],  # A is new: what joins it to old pipe is work
        )
        self.assertEqual(sum(joint.fitting_title.startswith("15 tee") for joint in made.fitted.joints.values()), 3)

    def test_lengths_a_leg_snaps_to(self):
        from oikotherm.core.design import derive
        from oikotherm.core.pipework.snap import snaps

        made = edit(
            job(),
            {"do": "put_house", "text": "wall W1 on L0: 2000,-500 to 2000,900 100 stud"},
            station("A", [port("out", "comp-cu 15 socket", (0, 0, 0))]),
            station("Z", [port("in", "comp-cu 15 socket", (3000, 400, 0), way="in")]),
            {"do": "put_run", "text": "F1 from A.out cu-m 15: E1234 -> cap"},
        )
        found = {
            snap.what: snap.length_mm for snap in snaps(made, derive(made).pipework, "F1", made.runs[0].items[0].id)
        }
        self.assertEqual(found, {"near face of W1": 1950, "far face of W1": 2050, "level with Z.in": 3000})
        self.assertEqual(snaps(made, derive(made).pipework, "F1", "i99"), [])
