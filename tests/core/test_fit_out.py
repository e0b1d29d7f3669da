"""What is made of a pipework: run by run, and the same as if all were made at once."""

import random
import unittest
from unittest import mock

from benchmarks.building import building
from oikotherm.core.catalogue import standard
from oikotherm.core.context import Context
from oikotherm.core.design import derive
from oikotherm.core.job.commands import apply
from oikotherm.core.job.model import Leg
from oikotherm.core.joints import assemble, fitter
from tests.jobs import CATALOGUE, design, whole


def made_of(found):
    """Cut lengths, bends and joint methods, whatever run they are on."""
    bends = [
        (round(b.leg_mm, 6), b.angle_deg, b.radius_mm) for piece in found.fitted.pieces.values() for b in piece.bends
    ]
    cuts = sorted(round(cut.exact_mm, 6) for cut in found.cuts)
    return cuts, bends, sorted(joint.method for joint in found.fitted.joints.values())


class RunsTogetherTest(unittest.TestCase):
    def test_a_run_that_goes_on_as_another_is_made_as_one(self):
        for legs, rest in (
            ("U300 E1000", "D500 N800 -> cap"),
            ("U300 E1000", "E1500 D500 -> cap"),
            ("U1500", "U600 -> cap"),
        ):
            for turns in ("bends-22", "fittings"):
                with self.subTest(legs=legs, rest=rest, turns=turns):
                    one = design(f"from A.out cu-m 15: {legs} {rest}", turns=turns)
                    two = design(f"F1 from A.out cu-m 15: {legs} .P1", f"F2 from F1.P1 cu-m 15: {rest}", turns=turns)
                    cuts, bends, joints = made_of(two)
                    straight = legs.split()[-1][0] == rest[0]
                    if straight:  # a coupling stands where one line changes hands
                        at = two.pipework.runs["F1"].end
                        hands = [made for made in two.fitted.fittings.values() if made.at == at]
                        self.assertEqual([made.kind for made in hands], ["coupling"])
                    else:
                        self.assertEqual((cuts, bends, joints), made_of(one))

    def test_the_order_of_runs_changes_nothing_that_is_made(self):
        texts = (
            "F1 from A.out cu-m 15: U300 *T1 E1200 .P1",
            "F2 from F1.P1 cu-m 15: D500 *T2 N800 -> cap",
            "F3 from F1.T1 cu-m 15: [iso] N700 U400 -> cap",
            "F4 from F2.T2 cu-m 15: E600 -> cap",
        )
        for turns in ("bends-22", "fittings"):
            first = design(*texts, turns=turns)
            job = first.job
            for n in range(6):
                runs = list(job.runs)
                random.Random(n).shuffle(runs)
                other = derive(job.model_copy(update={"runs": tuple(runs)}))
                self.assertEqual(other.fitted.fittings, first.fitted.fittings)
                self.assertEqual(other.fitted.joints, first.fitted.joints)
                self.assertEqual(other.fitted.pieces, first.fitted.pieces)

    def test_runs_that_meet_head_on_are_joined_by_a_fitting(self):
        for turns in ("bends-22", "fittings"):
            found = design(
                "F1 from A.out cu-m 15: U300 E1000 .P1",
                "F4 from A.out cu-m 15: U800 E1000 *T1 N100 -> cap",
                "F2 from F4.T1 cu-m 15: D500 -> F1.P1",
                turns=turns,
            )
            key = f"{found.pipework.runs['F1'].point_items['P1']}/tee"
            corner, pieces = found.fitted.fittings[key], found.fitted.pieces.values()
            self.assertEqual(corner.kind, "elbow")
            self.assertEqual(sum(end == corner.at for piece in pieces for end in (piece.a, piece.b)), 2)
            self.assertEqual(sum(joint.fitting_key == key for joint in found.fitted.joints.values()), 2)

    def test_a_second_tee_at_a_spot_stands_on_its_own_run(self):
        found = design(
            "F1 from A.out cu-m 15: U300 E1000 *T1 *T2 E1000 -> cap",
            "F2 from F1.T1 cu-m 15: N500 -> cap",
            "F3 from F1.T2 cu-m 15: U500 -> cap",
        )
        tees = {
            node.name: found.fitted.fittings[key].at for key, node in found.pipework.nodes.items() if node.kind == "tee"
        }
        self.assertEqual(tuple(tees["T1"]), (1000, 0, 300))
        self.assertEqual((tees["T2"].y, tees["T2"].z), (0, 300))
        self.assertGreater(tees["T2"].x, 1000 + 20)
        start = next(piece for piece in found.fitted.pieces.values() if piece.run == "F3").a
        self.assertEqual(start, tees["T2"])  # its branch begins where it really stands


class WorkTest(unittest.TestCase):
    """What an edit works out again, counted."""

    def counted(self, job, edits):
        """Runs whose fittings were stood, and whose pieces were assembled, in the last of some edits of legs: (run,
        item, length)."""
        context = Context()
        for run, leg, length in edits:
            with (
                mock.patch.object(fitter.Fitter, "stand", autospec=True, side_effect=fitter.Fitter.stand) as stood,
                mock.patch.object(
                    assemble.Assembler, "made", autospec=True, side_effect=assemble.Assembler.made
                ) as made,
            ):
                command = {"do": "set_leg", "run": run.id, "item": leg.id, "length_mm": length}
                self.assertTrue(derive(apply(job, command, standard()), context).cuts)
        return stood.call_count, made.call_count

    def first_leg(self, run):
        return next(item for item in run.items if isinstance(item, Leg) and item.length_mm)

    def test_an_edit_of_a_branch_makes_one_run_and_stands_none(self):
        job = building(60)
        branch = job.runs[-1]
        leg = self.first_leg(branch)
        stood, made = self.counted(job, [(branch, leg, leg.length_mm + n) for n in (1, 2, 3)])
        self.assertEqual((stood, made), (0, 1))

    def test_an_edit_of_the_trunk_makes_what_it_moves_and_stands_none(self):
        job = building(60)
        trunk = job.runs[0]
        leg = self.first_leg(trunk)
        stood, made = self.counted(job, [(trunk, leg, leg.length_mm + n) for n in (1, 2, 3)])
        moved = [run for run in job.runs if run.id.startswith("F")]
        self.assertEqual((stood, made), (0, len(moved)))

    def test_a_method_set_by_hand_is_made_at_its_fitting_alone(self):
        job = whole()
        before = derive(job)
        key = next(key for key, one in before.fitted.fittings.items() if one.kind == "tee" and one.new)
        method = "compression" if "compression" not in before.fitted.fittings[key].title else "capillary"
        override = {"target": key, "field": "method", "value": method, "reason": "trial"}
        after = derive(apply(job, {"do": "put_override", "override": override}, CATALOGUE))
        changed = {
            one for one in before.fitted.fittings if before.fitted.fittings[one] != after.fitted.fittings.get(one)
        }
        # where a stick ends follows from the lengths before it
        self.assertEqual({one for one in changed if "/join" not in one}, {key})


if __name__ == "__main__":
    unittest.main()
