"""What is stored can be opened: edits and documents that once were taken in and then broke every page."""

import json
import unittest
from unittest import mock

from oikotherm.core.admission import admit
from oikotherm.core.context import Context
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.commands import apply_all
from oikotherm.core.job.document import read, write
from tests import fuzzing
from tests.counts import cases
from tests.jobs import CATALOGUE, edit, job, paced, port, station, whole


def opened(test, made):
    """Everything of a job can be worked out, and each of its lines read back."""
    design = derive(made)
    test.assertEqual(fuzzing.touch(design), "")
    return design


def line_of(made, run_id):
    return derive(made).texts[run_id]


class OpenedTest(unittest.TestCase):
    """Each of these was stored, and then fourteen of seventeen pages failed."""

    def taken(self, made, *commands):
        context = Context()
        after = apply_all(made, commands, context.catalogue, context.memory)
        admit(after, context, made)
        return opened(self, after)

    def put(self, made, text):
        return self.taken(made, {"do": "put_run", "text": text})

    def test_a_return_that_goes(self):
        self.taken(whole("olmo-vecchio"), {"do": "set_state", "run": "RT1", "state": "remove"})

    def test_a_branch_whose_run_goes_but_stood_on_a_point_of_it(self):
        made = edit(whole("fernhollow"), {"do": "put_run", "text": "H1 from WH.hot cu-l 3/4: U14 S6 W492mm [pump] .C1"})
        made = edit(made, {"do": "set_start", "run": "C1", "start": "H1.C1"})
        self.taken(made, {"do": "set_state", "run": "H1", "state": "remove"})

    def test_a_leader_that_turns_back_on_itself_under_its_twin(self):
        made = whole("lockhouse")
        self.put(made, line_of(made, "F9").replace("N1148", "D1148"))
        self.put(made, line_of(made, "F9").replace("N1148", "N300 S1500"))

    def test_a_set_to_one_side_and_back(self):
        made = whole("lockhouse")
        design = self.put(made, "F20 from F1.T6 cu-m 15: U300 ~SE50+NE50 W1500 -> stub")
        self.assertIn("no-room", {finding.rule for finding in design.findings if "F20" in str(finding.says)})

    def test_a_ring_that_is_fed_from_nowhere(self):
        self.put(whole("olmo-vecchio"), "F30 from MIX.f1 cu-soft 12: *T1 -> MIX.r1")

    def test_a_thousand_legs_and_one(self):
        self.put(whole("olmo-vecchio"), "F31 from MIX.f1 cu-soft 12: 1001x<U1> -> R1.left")

    def test_a_twin_of_a_twin_whose_leader_has_a_tee_or_a_point(self):
        made = whole("lockhouse")
        made = edit(made, {"do": "put_run", "text": line_of(made, "F9").replace("N1148", "N600 *T1 N300 .P1 N248")})
        design = self.put(made, "F21 from BLR.flow cu-m 15: twin RT9 E60 -> stub")
        self.assertEqual(design.traced.runs["F21"].points.keys(), {"T1", "P1"})

    def test_runs_that_start_on_each_other_are_planned(self):
        made = whole("lockhouse")
        text = line_of(made, "F1").replace("from BLR.flow", "from F3.T1")
        design = self.put(made, text)
        self.assertIn("pipe:F1", {step.key for step in design.plan})


class LinesTest(unittest.TestCase):
    """Lines that did not read back to what was stored."""

    def test_a_twin_keeps_its_line_when_its_leader_is_taken_out(self):
        made = edit(whole("lockhouse"), {"do": "remove_run", "id": "F9"})
        opened(self, made)
        again = edit(made, {"do": "put_run", "text": line_of(made, "RT9")})
        self.assertEqual(again.run("RT9"), made.run("RT9"))
        with self.assertRaises(Refused):  # another run has no claim on a leader that is not there
            edit(made, {"do": "put_run", "text": "RT20 from RT1.T6 cu-m 15: twin F9 N704 -> stub"})

    def test_a_run_ends_elsewhere_than_it_starts(self):
        made = whole("lockhouse")
        for command in (
            {"do": "set_finish", "run": "F2", "finish": "F1.T1"},
            {"do": "set_start", "run": "F2", "start": "R1.left"},
        ):
            with self.assertRaises(Refused) as caught:
                edit(made, command)
            self.assertIn("another end than the start", caught.exception.expected)

    def test_what_a_run_carries_goes_on_into_its_branches(self):
        made = edit(whole("lockhouse"), {"do": "set_start", "run": "C1", "start": "R1.right"})
        self.assertEqual({made.run(ident).role for ident in ("C1", "C3")}, {"return"})
        self.assertEqual({made.run(ident).service for ident in ("C1", "C3")}, {"heating"})
        opened(self, made)

    def test_a_port_that_carries_something_else_takes_its_run_along(self):
        first = station("A", [port("out", "comp-cu 15 socket", (0, 0, 0))])
        made = edit(job(), first, {"do": "put_run", "text": "F1 from A.out cu-m 15: U900 *T1 U900 -> cap"})
        made = edit(made, {"do": "put_run", "text": "F2 from F1.T1 cu-m 15: E900 -> cap"})
        cold = port("out", "comp-cu 15 socket", (0, 0, 0), role="cold")
        made = edit(made, {"do": "put_port", "station": "A", "port": cold})
        self.assertEqual([run.role for run in made.runs], ["cold", "cold"])

    def test_a_tee_moved_to_another_run_takes_its_branch_into_that_service(self):
        made = whole("olmo-vecchio")
        tee = next(item for item in made.run("F1").items if getattr(item, "name", "") == "T1")
        made = edit(made, {"do": "move_item", "run": "F1", "item": tee.id, "to_run": "RT3"})
        self.assertEqual(made.run("F2").role, "return")
        opened(self, made)

    def test_where_a_lost_run_started_stays_within_the_document(self):
        made = paced("F1 from A.out cu-m 15: 9x<E100000 U1> *T1 E100000 -> cap", "F2 from F1.T1 cu-m 15: U900 -> cap")
        far = edit(made, {"do": "retype_item", "run": "F1", "item": made.run("F1").items[-2].id, "text": ""})
        self.assertEqual(read(write(far)), far)
        context = Context()
        text = "F1 from A.out cu-m 15: 20x<E100000 U1> *T1 E1 -> cap"
        longer = apply_all(made, [{"do": "put_run", "text": text}], CATALOGUE)
        lost = apply_all(longer, [{"do": "put_run", "text": "F1 from A.out cu-m 15: E100 -> cap"}], CATALOGUE)
        with self.assertRaises(Refused):
            admit(lost, context, longer)


class DocumentsTest(unittest.TestCase):
    def test_a_pipe_that_the_catalogue_lacks(self):
        found = json.loads(write(whole("lockhouse")))
        for run in found["runs"]:
            run["pipe"]["code"] = "zz-old"
        made, context = read(json.dumps(found)), Context()
        self.assertEqual(fuzzing.touch(admit(made, context), lines=False), "")
        leg = next(item for item in made.run("F1").items if item.kind == "leg")
        longer = edit(made, {"do": "set_leg", "run": "F1", "item": leg.id, "length_mm": 400})
        admit(longer, context, made)  # a line that did not read back before does not stop other edits

    def test_a_document_that_its_defaults_push_over_the_limit_is_refused(self):
        found = json.loads(write(job()))
        found["facts"] = [{"path": f"a{n}", "value": "x" * 199, "basis": "told"} for n in range(4_000)]
        data = json.dumps(found, separators=(",", ":"))
        for limit, over in ((len(data) + 100, True), (len(data) + 200_000, False)):
            with mock.patch("oikotherm.core.admission.MOST_BYTES", limit):
                try:
                    admit(read(data), Context())
                except Refused as refused:
                    self.assertIn("with all its fields", refused.said)
                    self.assertTrue(over)
                else:
                    self.assertFalse(over)

    def test_what_cannot_be_worked_out_is_refused_with_the_reason(self):
        made, context = whole("lockhouse"), Context()
        after = edit(made, {"do": "set_job", "title": "another"})
        with (
            mock.patch("oikotherm.core.layout.find", side_effect=ZeroDivisionError("no room")),
            self.assertRaises(Refused) as caught,
        ):
            admit(after, context, made)
        self.assertEqual(caught.exception.said, "ZeroDivisionError: no room")


class FuzzTest(unittest.TestCase):
    def test_random_edits_are_refused_or_leave_a_house_that_can_be_opened(self):
        """A hundred and twenty here; sixty thousand by tests.long."""
        taken = 0
        for seed, uid in enumerate(("lockhouse", "fernhollow", "olmo-vecchio")):
            for commands, _, design, wrong in fuzzing.walk(seed, whole(uid), Context(), cases(40, 100)):
                self.assertEqual(wrong, "", commands)
                if design is not None:
                    taken += 1
                    if taken % 5 == 0:
                        self.assertEqual(fuzzing.touch(design), "", commands)
        self.assertGreater(taken, cases(40, 100))


if __name__ == "__main__":
    unittest.main()
