"""The plan in phases, what can be done now, and what comes round again."""

import unittest
from datetime import date

from oikotherm.core.design import derive
from oikotherm.core.work.care import reminders
from oikotherm.core.work.phases import lies_on, phases, standing
from oikotherm.core.work.records import Record
from oikotherm.core.work.steps import months_on
from tests.jobs import whole

DEMOS = ("lockhouse", "fernhollow", "olmo-vecchio")


def record(key: str, day: str, done: bool = True) -> Record:
    return Record(f"{key} {day} {done}", "care", key, key, 1, f"{day}T10:00:00Z", "site lead", {"done": done})


class PhasesTest(unittest.TestCase):
    def test_phases_hold_every_step_once_in_the_order_of_the_plan(self):
        for uid in DEMOS:
            design = derive(whole(uid))
            found = phases(design, design.plan)
            self.assertEqual([step for phase in found for step in phase.steps], list(design.plan), uid)
            self.assertAlmostEqual(found[-1].starts_min + found[-1].minutes, sum(step.minutes for step in design.plan))
            for one, other in zip(found, found[1:], strict=False):
                self.assertNotEqual((one.title, one.where), (other.title, other.where))
                self.assertAlmostEqual(one.starts_min + one.minutes, other.starts_min)

    def test_the_lockhouse_goes_by_place_and_service(self):
        design = derive(whole("lockhouse"))
        said = [(phase.title, phase.where) for phase in phases(design, design.plan)]
        self.assertEqual(
            said,
            [
                ("Before anything is touched", ""),
                ("Make safe and drain", ""),
                ("Take out", ""),
                ("Hang", "Ground floor"),
                ("Hang", "Flat"),
                ("Clips and flue", ""),
                ("Pipe", "heating"),
                ("Pipe", "gas"),
                ("Pipe", "water"),
                ("Pipe", "discharge"),
                ("Drains and bonding", ""),
                ("Prove", ""),
                ("Flush, fill and bleed", ""),
                ("Heat, light and set", ""),
                ("Hand over", ""),
            ],
        )
        heating = phases(design, design.plan)[6]
        new = [run.id for run in design.job.runs if run.service == "heating" and run.state == "new"]
        self.assertEqual(sorted(heating.runs), sorted(new))
        self.assertIn("pipe cutter", heating.tools)
        self.assertEqual(len(set(heating.tools)), len(heating.tools))

    def test_a_step_waits_until_all_it_needs_is_ticked(self):
        """Done in any lawful order, each step is at some time the one that can be done, and never too early."""
        design = derive(whole("fernhollow"))
        done: set[str] = set()
        for step in design.plan:
            self.assertEqual(standing(step, done), "now", step.key)
            for other in design.plan:
                missing = {need.key for need in other.needs} - done
                wanted = "done" if other.key in done else "waits" if missing else "now"
                self.assertEqual(standing(other, done), wanted)
            done.add(step.key)
        self.assertEqual({standing(step, done) for step in design.plan}, {"done"})

    def test_every_step_about_one_place_lies_on_the_drawing(self):
        design = derive(whole("lockhouse"))
        lies = {step.key: lies_on(design, step) for step in design.plan}
        self.assertEqual(lies["pipe:F1"], ("F1",))
        self.assertEqual(lies["hang:R1"], ("R1",))
        self.assertEqual(lies["drain:L1"][0], "L1")
        self.assertIn("C1", lies["drain:water"])
        self.assertEqual(set(lies["proof:gas/MTR.out/1"]), {"G1", "G2", "G3"})
        known = {one.id for one in (*design.job.stations, *design.job.runs, *design.job.house.levels)}
        self.assertLessEqual({name for names in lies.values() for name in names}, known)


class CareTest(unittest.TestCase):
    def due(self, *records: Record) -> dict[str, date]:
        return {one.key: one.due for one in reminders(derive(whole("lockhouse")), date(2026, 3, 2), records)}

    def test_what_was_done_is_due_a_year_on(self):
        usual = self.due()
        self.assertEqual(usual["service/BLR"], date(2027, 3, 2))
        done = self.due(record("service/BLR", "2026-09-30"), record("inhibitor/BLR", "2024-02-29"))
        self.assertEqual(done["service/BLR"], date(2027, 9, 30))
        self.assertEqual(done["inhibitor/BLR"], date(2025, 2, 28))
        self.assertEqual(done["pre-charge/BLR"], usual["pre-charge/BLR"])
        taken_back = self.due(record("service/BLR", "2026-09-30"), record("service/BLR", "2026-10-01", done=False))
        self.assertEqual(taken_back, usual)

    def test_water_asks_for_its_own(self):
        """A softener's salt every other month; heater and vessel yearly, the old heater that goes no more."""
        design, day = derive(whole("lockhouse")), date(2026, 3, 2)
        lockhouse = {one.key: one for one in reminders(design, day)}
        self.assertEqual((lockhouse["salt/SOF"].due, lockhouse["salt/SOF"].every_months), (date(2026, 5, 2), 2))
        done = {one.key: one.due for one in reminders(design, day, [record("salt/SOF", "2026-04-30")])}
        self.assertEqual(done["salt/SOF"], date(2026, 6, 30))
        self.assertEqual([key for key, one in lockhouse.items() if one.by_owner], ["salt/SOF"])
        fernhollow = {one.key: one.due for one in reminders(derive(whole("fernhollow")), date(2026, 3, 2))}
        self.assertEqual(fernhollow, {"service/WH": date(2027, 3, 2), "pre-charge/EXP": date(2027, 3, 2)})

    def test_months_end_where_months_end(self):
        for start, months, end in (
            (date(2026, 1, 31), 1, date(2026, 2, 28)),
            (date(2023, 8, 31), 6, date(2024, 2, 29)),
            (date(2026, 12, 5), 12, date(2027, 12, 5)),
            (date(2026, 11, 30), 3, date(2027, 2, 28)),
        ):
            self.assertEqual(months_on(start, months), end)


if __name__ == "__main__":
    unittest.main()
