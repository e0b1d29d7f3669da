"""Small jobs of every day: the order of the work, the figures on the sheet, what is cut, joined and ordered."""

from __future__ import annotations

import unittest
from datetime import date
from typing import Any

from oikotherm.core.catalogue import standard
from oikotherm.core.context import Context
from oikotherm.core.design import Design, derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.commands import apply_all
from oikotherm.core.job.document import blank, read, write
from oikotherm.core.services.heating.small import SMALL_JOBS
from oikotherm.core.work.care import reminders
from oikotherm.core.work.small import sheets_of
from oikotherm.core.work.small_jobs import JobSheet, read_answers

CATALOGUE = standard()
TODAY = date(2026, 3, 1)
# fmt: off
TRUE_ORDER = [
    "flow", "turns", "safe", "drain", "off", "old-olive", "end", "tail", "on",
    "fill", "bleed", "dose", "set", "dry", "balance",
]
# fmt: on


def small(kind: str, practice: Any = "british", **said: str) -> tuple[Design, JobSheet]:
    """A small job begun with these answers, and its sheet."""
    unit: Any = "in" if practice == "north-american" else "mm"
    found = SMALL_JOBS[kind]
    answers = read_answers(found, said, CATALOGUE, practice, unit)
    job = found.begin(blank("small-1", "Small", practice, unit, ""), answers, CATALOGUE)
    design = derive(job, Context(catalogue=CATALOGUE))
    ((_, sheet),) = sheets_of(design)
    return design, sheet


def head(sheet: JobSheet, what: str) -> str:
    return dict(sheet.heads)[what]


class OrderTest(unittest.TestCase):
    def test_every_small_job_has_its_plan_without_stops_in_every_practice(self) -> None:
        for practice in ("british", "continental", "north-american"):
            for kind in SMALL_JOBS:
                with self.subTest(kind=kind, practice=practice):
                    design, sheet = small(kind, practice)
                    self.assertEqual([one.says for one in design.findings if one.severity == "stop"], [])
                    keys = [step.key for step in design.plan]
                    own = [f"task:T1:{row.id}" for row in sheet.rows]
                    self.assertEqual([key for key in keys if key.startswith("task:")], own)
                    self.assertEqual(keys[-1], "handover")
                    self.assertEqual(len(own), len(set(own)))

    def test_a_valve_is_changed_in_the_true_order(self) -> None:
        design, _ = small("valve", which="both", emptied="frozen")
        order = [step.key.rpartition(":")[2] for step in design.plan]
        true = TRUE_ORDER
        self.assertEqual([one for one in order if one in true], true)
        on = next(step for step in design.plan if step.key == "task:T1:on")
        self.assertRegex(on.how, "Union side first .* pipe nut last")
        self.assertEqual([step.key for step in design.plan if step.key.startswith(("isolate", "drain", "hang"))], [])

    def test_a_step_waits_for_the_one_before_and_for_the_pipe(self) -> None:
        design, _ = small("add")
        plan = {step.key: n for n, step in enumerate(design.plan)}
        self.assertLess(plan["task:T1:tee"], plan["pipe:F1"])
        self.assertLess(plan["pipe:RT1"], plan["task:T1:valves"])
        self.assertLess(plan["task:T1:test"], plan["proof"])
        self.assertLess(plan["proof"], plan["task:T1:fill"])

    def test_cautions_stand_where_the_house_is_made_safe(self) -> None:
        design, sheet = small("joint", service="gas")
        safe = next(step for step in design.plan if step.key == "task:T1:safe")
        self.assertIn("Gas is licensed work", safe.caution)
        self.assertIn(sheet.cautions[0], safe.caution)
        self.assertTrue(any("Tightness test" in row.title for row in sheet.rows))


class SheetTest(unittest.TestCase):
    def test_water_of_one_radiator_and_its_top_ups(self) -> None:
        # double panel 1200 x 600: 5.8 L/m x 1.2 m = 6.96 L; a vessel of 8 L at 0.7 bar lets out between 1.5 and 0.7 bar
        # (p_lo = 0.3, nothing below 0.7): 8 x (1 - 1.7 / 2.5) = 2.56 L a time: 2 to 3
        _, sheet = small("valve", emptied="alone", width="1200")
        self.assertEqual(head(sheet, "Water out"), "7 L")
        self.assertIn("2 to 3 top-ups", head(sheet, "To fill again"))
        self.assertIn("8 L (typ)", head(sheet, "To fill again"))
        self.assertEqual(head(sheet, "Inhibitor"), "0.07 L")
        # a vessel that is known: 18 L gives 5.76 L a time
        _, known = small("valve", emptied="alone", width="1200", vessel_l="18")
        self.assertEqual(head(known, "To fill again"), "1 to 2 top-ups")

    def test_a_house_that_is_drained_is_filled_with_the_loop_open(self) -> None:
        _, sheet = small("valve", house_l="110")
        self.assertEqual(head(sheet, "Water out"), "110 L")
        self.assertEqual(head(sheet, "To fill again"), "loop open, a helper at the gauge")
        self.assertEqual(head(sheet, "Inhibitor"), "1.1 L")

    def test_only_the_valve_is_made_and_ordered(self) -> None:
        design, _ = small("valve", which="lockshield", pipe="pb-m 15")
        self.assertEqual(design.cuts, ())
        self.assertEqual(
            [joint.method for joint in design.fitted.joints.values()], ["compression-plastic", "union", "tail"]
        )
        self.assertEqual({row.title for row in design.materials.parts}, {"lockshield valve angled", "radiator tail"})
        used = {row.title: row.count for row in design.materials.consumables}
        self.assertEqual((used["15 olive, copper"], used["15 pipe insert for pb-m"]), (1, 1))

    def test_stubs_are_trimmed_to_the_mouth_and_the_depth_of_the_valve(self) -> None:
        # mouth of the valve 171 above the floor, 16 in: 187; the stubs stand 260, so 73 come off; 4 long where they
        # push back
        design, sheet = small("hang", stand="260")
        self.assertEqual(round(design.pipework.ports["R1.left"].mouth.z), 171)
        self.assertEqual(head(sheet, "Trim stubs to"), "187 mm")
        trim = next(row.text for row in sheet.rows if row.id == "trim")
        self.assertIn("73 mm off, exactly", trim)
        self.assertEqual(head(small("hang", stand="260", free="yes")[1], "Trim stubs to"), "191 mm")
        self.assertEqual(design.cuts, ())

    def test_short_stubs_are_lengthened(self) -> None:
        design, sheet = small("hang", stand="120")
        self.assertEqual(head(sheet, "Stubs are short by"), "67 mm")
        self.assertEqual([cut.run for cut in design.cuts], ["F1", "RT1"])
        # cut at 71; from the stop of the coupling (1 beyond its middle) to 16 within the valve: 171 + 16 - 71 - 1
        self.assertEqual([round(cut.cut_mm) for cut in design.cuts], [115, 115])

    def test_centres_within_three_spring_within_eight_are_reopened_beyond_are_offset(self) -> None:
        # valve centres: 1000 + 2 x 52
        for centres, words, cuts in (
            ("1104", "they meet", 0),
            ("1107", "springs in the tube", 0),
            ("1110", "open the holes again", 0),
            ("1150", "the pipes are offset", 6),
        ):
            with self.subTest(centres=centres):
                design, sheet = small("hang", stand="260", centres=centres)
                self.assertEqual(head(sheet, "Valve centres"), "1104 mm")
                self.assertIn(words, next(row.text for row in sheet.rows if row.id == "fit"))
                self.assertEqual(len(design.cuts), cuts)

    def test_a_moved_radiator_is_piped_where_it_was_measured(self) -> None:
        for to, way in (("right", 1), ("left", -1)):
            design, sheet = small("move", along="1200", to=to)
            new = design.pipework.ports["R1.left"].mouth.x
            old = design.pipework.ports["FS.end"].mouth.x
            self.assertAlmostEqual(new - old, way * 1200, places=3)
            self.assertEqual(head(sheet, "Holes"), "18 mm")  # 15 and 3
            self.assertEqual({run.state for run in design.job.runs}, {"new"})

    def test_a_radiator_added_is_teed_into_both_mains(self) -> None:
        design, _ = small("add")
        tees = [row for row in design.materials.parts if "tee" in row.title]
        self.assertEqual([(row.title, row.count) for row in tees], [("22 x 22 x 15 tee capillary", 2)])
        self.assertEqual({joint.run for joint in design.fitted.joints.values()}, {"FM", "F1", "RM", "RT1"})

    def test_a_radiator_that_hangs_later_is_blanked_and_remembered(self) -> None:
        design, sheet = small("add", hangs_later="yes")
        self.assertIn("blank", [row.id for row in sheet.rows])
        self.assertNotIn("hang", [row.id for row in sheet.rows])
        (one,) = [row for row in reminders(design, TODAY) if row.title.startswith("Finish")]
        self.assertEqual((one.title, (one.due - TODAY).days, one.every_months), ("Finish radiator R1", 14, 0))
        self.assertEqual([row for row in reminders(small("add")[0], TODAY) if row.title.startswith("Finish")], [])

    def test_a_shorter_pump_has_its_spacer(self) -> None:
        _, sheet = small("pump", old_length="180", new_length="130")
        self.assertEqual(head(sheet, "Spacer"), "50 mm")
        self.assertIn("3 union washers", sheet.quantities)
        _, longer = small("pump", old_length="130", new_length="180", valves="")
        self.assertEqual(head(longer, "Cut back"), "50 mm")
        self.assertTrue(any(row.text.startswith("The pump has no valves") for row in longer.rows))

    def test_one_joint_of_unlike_pipes(self) -> None:
        design, sheet = small("joint", a="cu-m 15", b="cu-m 22", method="compression")
        self.assertEqual({joint.method for joint in design.fitted.joints.values()}, {"compression"})
        self.assertEqual(head(sheet, "Ends to make"), "2")
        self.assertNotIn("Hot work", " ".join(sheet.cautions))
        self.assertIn("Hot work", " ".join(small("joint", a="cu-m 15", b="cu-m 22")[1].cautions))

    def test_answers_that_cannot_be_are_refused_with_the_question(self) -> None:
        for said, field in (
            ({"width": "abc"}, "Radiator, width"),
            ({"width": "50"}, "Radiator, width"),
            ({"pipe": "cu-m 99"}, "Pipe"),
            ({"panels": "three"}, "Panels"),
        ):
            with self.subTest(said=said), self.assertRaises(Refused) as refused:
                small("hang", **said)
            self.assertEqual(refused.exception.field, field)


class StoryTest(unittest.TestCase):
    def test_readings_are_kept_in_the_job_and_tell_a_leak(self) -> None:
        design, sheet = small("pressure", house_l="82", vessel_l="12", precharge_bar="1")
        self.assertEqual(head(sheet, "Readings"), "0 of at least 4")
        rows = ("1.30 bar 18 C", "1.62 bar 65 C", "1.19 bar 18 C", "1.50 bar 65 C", "1.08 bar 18 C")
        days = ("01 07:00", "01 19:00", "02 07:00", "02 19:00", "03 07:00")
        (task,) = design.job.tasks
        answers = dict(task.answers) | {
            f"reading {n}": f"2026-03-{d} {r}" for n, (d, r) in enumerate(zip(days, rows, strict=True))
        }
        job = apply_all(design.job, [{"do": "put_task", "task": {**task.model_dump(), "answers": answers}}], CATALOGUE)
        job = read(write(job).encode())
        ((_, told),) = sheets_of(derive(job, Context(catalogue=CATALOGUE)))
        # cold mornings 1.30, 1.19, 1.08: 0.11 bar a day
        self.assertEqual(head(told, "Verdict"), "leak")
        self.assertEqual(head(told, "Falls"), "0.11 bar a day")

    def test_a_document_with_any_answers_is_still_a_job(self) -> None:
        design, _ = small("valve")
        (task,) = design.job.tasks
        for answers in ({}, {"pipe": "nothing"}, {"pipe": 3.0, "width": "x"}):
            job = apply_all(
                design.job, [{"do": "put_task", "task": {**task.model_dump(), "answers": answers}}], CATALOGUE
            )
            found = derive(job, Context(catalogue=CATALOGUE))
            self.assertEqual(sheets_of(found), ())
            self.assertIsInstance(found.plan, tuple)
        gone = apply_all(design.job, [{"do": "remove_task", "id": "T1"}], CATALOGUE)
        self.assertEqual(gone.tasks, ())
        with self.assertRaises(Refused):
            apply_all(gone, [{"do": "remove_task", "id": "T1"}], CATALOGUE)


class BesideTest(unittest.TestCase):
    def test_a_valve_changed_in_a_larger_job_waits_for_its_draining(self) -> None:
        from ...jobs import whole

        lock = whole("lockhouse")
        answers = read_answers(SMALL_JOBS["valve"], {}, CATALOGUE, "british", "mm")
        task = {"id": "T1", "kind": "valve", "where": "R2.left", "answers": answers}
        design = derive(apply_all(lock, [{"do": "put_task", "task": task}], CATALOGUE), Context(catalogue=CATALOGUE))
        plan = {step.key: n for n, step in enumerate(design.plan)}
        self.assertIn("isolate", plan)
        self.assertNotIn("task:T1:drain", plan)
        self.assertLess(plan["drain:L0"], plan["task:T1:off"])
        self.assertLess(plan["task:T1:turns"], plan["task:T1:off"])


if __name__ == "__main__":
    unittest.main()
