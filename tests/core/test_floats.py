"""Floating legs: what the solver proposes is cheaper as derived, keeps every run closed, and stays in the bands."""

from __future__ import annotations

import unittest

from oikotherm.core.design import Design, derive
from oikotherm.core.job.commands import apply_all
from oikotherm.core.job.model import Job
from oikotherm.core.quantity import INCH_MM
from oikotherm.core.supply import Offcut, Supply
from oikotherm.core.work.floats import Proposal, floating, propose
from tests.jobs import CATALOGUE, design, edit, paced, port, station, whole


def proposed(made: Design, supply: Supply | None = None) -> Proposal:
    return propose(made, supply or Supply(), lambda job: derive(job, made.context))


class TrunkTest(unittest.TestCase):
    def test_the_fernhollow_trunk(self) -> None:
        job = whole("fernhollow")
        made = derive(job)
        found = proposed(made)
        self.assertEqual((found.floats, found.why), (16, ""))
        before, after = found.before, found.after
        print(
            f"floats: {before.bought_mm:.0f} -> {after.bought_mm:.0f} mm of pipe, {before.threads} -> {after.threads} "
            f"threads, {before.nipples} -> {after.nipples} ready nipples",
            flush=True,
        )
        self.assertLess(after.threads, before.threads - 10)
        self.assertLess(after.bought_mm, before.bought_mm)
        self.assertLess(after.cost, before.cost)
        legs = {(run, leg.id): leg for run, leg in floating(job)}
        for one in found.shifts:
            leg = legs[one.run, one.item]
            self.assertLessEqual(abs(one.new_mm - (leg.length_mm or 0)), (leg.band_mm or 0) + 1e-6)
            marks = (one.new_mm - (leg.length_mm or 0)) / (INCH_MM / 16)
            self.assertAlmostEqual(marks, round(marks), delta=0.02)
        then = derive(apply_all(job, found.commands, CATALOGUE))
        for run, trace in then.traced.runs.items():
            was = made.traced.runs[run].closing
            self.assertEqual(trace.closing is None, was is None)
            if trace.closing is not None and was is not None:
                self.assertLess(trace.closing.minus(was).length, 0.2, run)
        known = {(one.rule, one.where) for one in made.findings}
        new = [one.says for one in then.findings if (one.rule, one.where) not in known and one.severity != "note"]
        self.assertEqual(new, [])
        through = {(one.run, one.item.id): one.at.dot(one.way) for one in made.pipework.passes}
        for one in then.pipework.passes:
            self.assertAlmostEqual(one.at.dot(one.way), through[one.run, one.item.id], delta=0.2)
        self.assertEqual(proposed(then).shifts, ())  # nothing is left to gain


class SmallTest(unittest.TestCase):
    def threaded(self, text: str) -> Job:
        return paced(text, end="NPT 3/4 female", practice="north-american", unit="in")

    def test_a_coupling_is_saved(self) -> None:
        """Elbow to cap over 21 ft: the piece would need a coupling; shifted shorter it is one stick."""
        job = self.threaded("F1 from A.out fe-40 3/4: U20 E254+-3 -> cap")
        made = derive(job)
        couplings = [one.kind for one in made.fitted.fittings.values()].count("coupling")
        found = proposed(made)
        if not couplings:
            self.fail("the leg is too short for what is tested")
        self.assertEqual((found.before.couplings, found.after.couplings), (1, 0))
        (one,) = found.shifts
        self.assertLess(one.new_mm, one.said_mm)
        piece = max(derive(apply_all(job, found.commands, CATALOGUE)).cuts, key=lambda cut: cut.cut_mm)
        self.assertLessEqual(piece.cut_mm, 6400.8)

    def test_a_ready_nipple_by_hand(self) -> None:
        """3/4 elbow to elbow: nipple = leg - 2 (1.31 - 0.553) = leg - 1.514 in. A leg of 8 in takes 6-1/2 in at 8.014:
        shifted to 8 in exactly it is 6.486, within half of 1/16 in of the ready 6-1/2."""
        job = self.threaded("F1 from A.out fe-40 3/4: U20 E7-3/4+-1 N20 -> cap")
        found = proposed(derive(job))
        (one,) = found.shifts
        cut = one.new_mm / INCH_MM - 1.514
        self.assertLessEqual(abs(cut - round(cut * 2) / 2) * INCH_MM, 0.8)
        self.assertEqual(found.after.nipples, found.before.nipples + 1)
        self.assertEqual(found.after.threads, found.before.threads - 2)

    def test_a_closed_run_moves_two_legs_or_none(self) -> None:
        """Between two ports a leg alone may not move; with one against it both do, by the same."""
        end = station("B", [port("in", "NPT 3/4 female", (0, 0, 0), facing="down", role="flow", way="in")])
        end["station"] = end["station"].model_copy(update={"at": (7.75 * INCH_MM, 0.0, 0.0)})  # type: ignore[attr-defined]
        alone = "F1 from A.out fe-40 3/4: U20 E7-3/4+-1 D? -> B.in"
        job = edit(self.threaded("F1 from A.out fe-40 3/4: U20 E7-3/4+-1 N4 -> cap"), end)
        job = edit(job, {"do": "put_run", "text": alone, "run": "F1"})
        self.assertEqual(proposed(derive(job)).shifts, ())

    def test_an_offcut_is_reached(self) -> None:
        """What lies on the van is 15 short of the piece: the leg gives way by 15 and no stick is bought."""
        made = design("F1 from A.out cu-m 15: U1000+-40 -> cap", end="cap-cu 15 socket")
        found = proposed(made, Supply(offcuts=(Offcut("cu-m 15", made.cuts[0].cut_mm - 15),)))
        self.assertEqual([(one.said_mm, one.new_mm) for one in found.shifts], [(1000, 985)])
        self.assertEqual((found.before.bought_mm, found.after.bought_mm), (3000, 0))
        self.assertEqual(proposed(made).shifts, ())

    def test_without_floating_legs(self) -> None:
        found = proposed(design("F1 from A.out cu-m 15: U1000 -> cap"))
        self.assertEqual((found.floats, found.shifts), (0, ()))
        self.assertIn("no leg floats", found.why)


if __name__ == "__main__":
    unittest.main()
