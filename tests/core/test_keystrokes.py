"""Laying pipe by the line and its suggestions."""

import unittest

from oikotherm.core.job.complete import complete
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
            [fitting.kind for fitting in made.fitted.fittings.values() if fitting.new and fitting.run == "F1"], ["tee"]
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
