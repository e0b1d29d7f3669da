"""The demos put together: an order for every service, replayed by rules read anew; what stops one, and its cures."""

from __future__ import annotations

import time
import unittest

from oikotherm.core.design import derive
from oikotherm.core.job.commands import apply_all
from oikotherm.core.making.assembly.model import Assembly
from oikotherm.core.making.assembly.planner import Plan, plan
from oikotherm.core.work.assembling import assembly_of, new_runs, order_of, order_of_run
from oikotherm.exchange.assembly import assembly_rows, ways_out

from ...jobs import CATALOGUE, edit, retyped, whole
from .replay import Replay


class DemosTest(unittest.TestCase):
    took: dict[tuple[str, str], float]
    orders: dict[tuple[str, str], tuple[Assembly, Plan]]

    @classmethod
    def setUpClass(cls) -> None:
        cls.took, cls.orders = {}, {}
        for uid in ("fernhollow", "olmo-vecchio", "lockhouse"):
            design = derive(whole(uid))
            for one in {run.service for run in design.job.runs if new_runs(design, run.service)}:
                runs = new_runs(design, one)
                assembly = assembly_of(design, runs)
                began = time.thread_time()
                cls.orders[uid, one] = assembly, plan(assembly, search_s=60.0)
                cls.took[uid, one] = time.thread_time() - began

    def test_every_service_of_every_demo(self) -> None:
        for key, (assembly, found) in self.orders.items():
            with self.subTest(job=key):
                self.assertEqual(found.verdict, "order")
                if key != ("lockhouse", "heating"):  # 168 joints: replayed by tests.long
                    self.assertEqual(Replay(assembly).replay([step.joint for step in found.steps]), "")
                self.assertEqual({step.joint for step in found.steps}, {one.key for one in assembly.joints})

    def test_the_trunk_and_the_plant_room_in_time(self) -> None:
        """Under 2 s each on a quiet machine; a trunk of more than sixty joints is among them."""
        design = derive(whole("fernhollow"))
        began = time.thread_time()
        trunk = order_of_run(design, "G1")
        self.assertLess(time.thread_time() - began, 4.0)
        self.assertEqual((trunk.plan.verdict, len(trunk.plan.steps)), ("order", 63))
        self.assertLess(self.took["olmo-vecchio", "heating"], 4.0)
        self.assertGreaterEqual(len(self.orders["olmo-vecchio", "heating"][1].steps), 80)

    def test_what_closes_comes_apart_or_gives(self) -> None:
        """By hand: gas pipe of the Fernhollow stands between regulator, oven, heater and greenhouse heater. Three of
        its joints close, and each is a union, or a nut on corrugated tube, which gives."""
        assembly, found = self.orders["fernhollow", "gas"]
        closing = [step.joint for step in found.steps if step.where == "closing"]
        kinds = {one.key: one.kind for one in assembly.joints}
        self.assertEqual(len(closing), 3)
        self.assertTrue({kinds[key] for key in closing} <= {"face", "push"})

    def test_bends_on_both_sides_of_a_wall_and_the_cure(self) -> None:
        """Without its coupling the bent return cannot be put through the wall; a coupling beside it is the cure, and
        with it there is an order."""
        job = whole("olmo-vecchio")
        job = edit(job, retyped(job, "RT1", ("E565 [coupling] E140", "E705")))
        design = derive(job)
        heating = order_of(design, "heating")
        self.assertEqual(heating.plan.verdict, "impossible")
        self.assertIn("wall W1", heating.plan.blocking[0].by)
        found = ways_out(design, heating)
        self.assertTrue(found and all(one.works and one.part == "coupling" for one in found))
        mended = derive(apply_all(job, list(found[0].commands), CATALOGUE))
        heating = order_of(mended, "heating")
        self.assertEqual(heating.plan.verdict, "order")

    def test_a_branch_without_its_union(self) -> None:
        """Rigid pipe from a tee of the trunk to an oven that stands: a thread would have to turn between two fixed
        ends; a union in any of its legs cures it."""
        text = "G3 from G1.M2 fe-40 1/2: D12 E31 S55 (wall 4) S? D14 [iso] D? *T1:D cap 3 W? -> OVN.gas"
        job = edit(whole("fernhollow"), {"do": "put_run", "run": "G3", "text": text})
        rows = assembly_rows(derive(job), "G3")
        self.assertEqual(rows["verdict"], "impossible")
        self.assertTrue(any(row["why"] == "play" for row in rows["blocking"]))
        works = [row for row in rows["cures"] if row["works"]]
        self.assertGreaterEqual(len(works), 2)
        self.assertEqual({row["part"] for row in works}, {"union"})

    def test_what_hangs_is_not_looked_at_twice(self) -> None:
        """The old pipe of the Lockhouse is no part of it; a run that hangs on another finds its tee in place."""
        design = derive(whole("lockhouse"))
        assembly = assembly_of(design, ["G3"])
        fixed = {one.key for one in assembly.parts if one.fixed}
        self.assertEqual(len(fixed), 2)
        self.assertIn("URN", fixed)


if __name__ == "__main__":
    unittest.main()
