"""Situations every fitter knows, with the joint that is made first, the one made last, or what stops it."""

from __future__ import annotations

import unittest

from oikotherm.core.job.ways import DIRECTIONS, Vec
from oikotherm.core.making.assembly.model import Assembly
from oikotherm.core.making.assembly.planner import Plan, plan

from .pieces import ARM, WRENCH, Builder
from .replay import Replay

ORIGIN = Vec(0.0, 0.0, 0.0)


class ClassicsTest(unittest.TestCase):
    def order(self, made: Builder) -> list[str]:
        """The order of an assembly that has one; it replays, and the search by hand finds one too."""
        found = self.planned(made.made())
        self.assertEqual(found.verdict, "order", found.blocking)
        return [step.joint for step in found.steps]

    def stopped(self, made: Builder) -> Plan:
        found = self.planned(made.made())
        self.assertEqual(found.verdict, "impossible")
        return found

    def planned(self, assembly: Assembly) -> Plan:
        found, replay = plan(assembly), Replay(assembly)
        if found.verdict == "order":
            self.assertEqual(replay.replay([step.joint for step in found.steps]), "")
        else:
            self.assertFalse(replay.possible())
        return found

    def between(self, *kinds: str, play: float = 0.0) -> Builder:
        """Two fixed fittings in line, a fitting between them, two legs."""
        made = Builder()
        made.fitting("A", ORIGIN, "E", fixed=True)
        middle = made.leg("A", ORIGIN, "E", 400, "T", "E N", play_mm=play)
        made.leg("T", middle, "E", 400, "B", fixed=True, kinds=kinds or ("thread", "thread"), play_mm=play)
        return made

    def test_a_loop_without_a_union(self) -> None:
        found = self.stopped(self.between(play=2.5))
        self.assertTrue(all(one.why == "play" for one in found.blocking))

    def test_the_last_joint_is_the_union(self) -> None:
        self.assertEqual(self.order(self.between("face", "thread", play=2.5))[-1], "T-T>B")
        self.stopped(self.between("face", "thread", play=1.5))  # it has to come apart by 2 mm

    def test_a_tee_between_two_fixed_tees(self) -> None:
        """Pressed on both sides nothing slides over nothing: 14 mm of play or a slip joint, which wants none."""
        self.stopped(self.between("push", "push", play=2.5))
        self.assertIn(self.order(self.between("push", "push", play=14.0))[-1], ("T-T>B", "T>B-B"))

    def elbow_by_wall(self, off: float, arm: float = ARM) -> Builder:
        made = Builder()
        made.fitting("A", ORIGIN, "E", fixed=True)
        d = DIRECTIONS["E"]
        made.pipe("nipple", ORIGIN.plus(d, 30), ORIGIN.plus(d, 120))
        elbow = ORIGIN.plus(d, 117 + arm)
        made.fitting("elbow", elbow, "W U", arm=arm)
        made.joint("A", "nipple", ORIGIN.plus(d, ARM), "E")
        made.joint("nipple", "elbow", ORIGIN.plus(d, 117), "E")
        made.wall((-200, off, -500), (800, off + 100, 500))
        return made

    def test_an_elbow_against_a_wall(self) -> None:
        """Its swing is A, 33 mm: a wall at 30 mm stops it, at 35 it turns."""
        self.assertEqual(len(self.order(self.elbow_by_wall(35.0))), 2)
        found = self.stopped(self.elbow_by_wall(30.0))
        self.assertIn(("turns", ("what stands around",)), [(one.why, one.by) for one in found.blocking])

    def test_a_street_elbow_cures_it(self) -> None:
        self.order(self.elbow_by_wall(30.0, arm=25.0))

    def test_a_drop_through_a_plate_with_a_cap(self) -> None:
        """No wrench comes to the drop's upper end between the joists, so elbow and drop are one from the bench and come
        down through a hole of 32 mm; the cap, 34 mm across, goes on below it, last."""
        made = Builder()
        made.fitting("A", ORIGIN, "E", fixed=True)
        elbow = made.leg("A", ORIGIN, "E", 200, "elbow", "D", kinds=("thread", "face"), depth=3.0)
        made.leg("elbow", elbow, "D", 600, "cap", tool=WRENCH)
        made.plate((-500, -500, -320), (500, 500, -300), 2, (Vec(200, 0, -310), 16.0))
        for y in (60.0, -100.0):
            made.wall((-500, y, -250), (500, y + 40, -20), "joist")
        for x in (120.0, 260.0):
            made.wall((x, -100, -250), (x + 20, 100, -20), "blocking")
        found = self.planned(made.made())
        self.assertEqual(found.verdict, "order", found.blocking)
        where = {step.joint: step.where for step in found.steps}
        self.assertEqual(where["elbow-elbow>cap"], "bench")
        self.assertEqual(found.steps[-1].joint, "elbow>cap-cap")

    def test_a_trap_near_the_floor(self) -> None:
        """The tee turns on its run before the drop hangs on it: with it the drop would sweep through the floor."""
        made = Builder()
        made.fitting("A", ORIGIN, "E", fixed=True)
        tee = made.leg("A", ORIGIN, "E", 300, "tee", "D E")
        made.leg("tee", tee, "D", 120, "cap")
        made.wall((-500, -500, -260), (900, 500, -160), "floor")
        order = self.order(made)
        self.assertLess(order.index("A>tee-tee"), order.index("tee-tee>cap"))
        made.wall((-500, -500, 30), (900, 500, 100), "joist")  # and nothing turns under a joist 30 mm over it
        self.stopped(made)

    def test_a_manifold_with_a_tight_pitch(self) -> None:
        """Outlets 40 mm apart. The elbow of the short drop has to be on before the long nipple beside it is."""
        made = Builder()
        made.fitting("M1", ORIGIN, "D", fixed=True)
        made.fitting("M2", Vec(40, 0, 0), "D", fixed=True)
        made.leg("M1", ORIGIN, "D", 120, "E1", "N")
        made.leg("M2", Vec(40, 0, 0), "D", 300, "E2", "N")
        order = self.order(made)
        self.assertLess(order.index("M1>E1-E1"), order.index("M2-M2>E2"))

    def test_a_long_leg_is_a_lever(self) -> None:
        """A leg of 1.2 m on an elbow does not turn in a room of 600: the elbow first, the leg into it."""
        made = Builder()
        made.fitting("A", ORIGIN, "E", fixed=True)
        elbow = made.leg("A", ORIGIN, "E", 150, "elbow", "N")
        made.leg("elbow", elbow, "N", 1200, "end", "E")
        made.wall((-500, -600, -2000), (900, -500, 2000))
        order = self.order(made)
        self.assertLess(order.index("A>elbow-elbow"), order.index("elbow-elbow>end"))

    def test_an_l_is_made_on_the_bench(self) -> None:
        """No wrench comes to the leg between two plates; screwed together on the bench the L turns in clear of them."""
        made = Builder()
        made.fitting("A", ORIGIN, "E", fixed=True)
        elbow = made.leg("A", ORIGIN, "E", 400, "elbow", "N")
        made.leg("elbow", elbow, "N", 120, "end", tool=WRENCH)
        for low, high in (((20, -300), (300, 300)), ((-300, -300), (-20, 300))):  # a plate with a slot for the pipe
            made.wall((330, low[1], low[0]), (340, high[1], high[0]), "plate")
        made.wall((460, -300, -300), (470, 300, 300), "plate")
        for z in (200.0, -240.0):
            made.wall((340, -300, z), (460, 300, z + 40), "joist")
        found = self.planned(made.made())
        self.assertEqual(found.verdict, "order", found.blocking)
        where = {step.joint: step.where for step in found.steps}
        self.assertEqual((where["elbow-elbow>end"], found.steps[-1].where), ("bench", "in place"))

    def test_a_knockout(self) -> None:
        """Into a casing by a hole of 28 mm: bare pipe into the valve inside, the elbow on it outside, union last."""
        made = Builder()
        made.fitting("valve", ORIGIN, "E", fixed=True)
        elbow = made.leg("valve", ORIGIN, "E", 400, "elbow", "U")
        made.leg("elbow", elbow, "U", 300, "B", fixed=True, kinds=("thread", "face"), play_mm=2.5)
        made.plate((200, -500, -500), (203, 500, 500), 0, (Vec(201, 0, 0), 14.0))
        order = self.order(made)
        self.assertEqual(order[0], "valve-valve>elbow")
        self.assertEqual(order[-1], "elbow>B-B")

    def test_two_appliances_back_to_back(self) -> None:
        """A tee between two that stand: a union at each, or it does not go together."""

        def both(second: str) -> Builder:
            made = Builder()
            made.fitting("M", ORIGIN, "D", fixed=True)
            tee = made.leg("M", ORIGIN, "D", 500, "tee", "E W", play_mm=2.5)
            made.leg("tee", tee, "E", 400, "left", fixed=True, kinds=("thread", "face"), play_mm=2.5)
            made.leg("tee", tee, "W", 400, "right", fixed=True, kinds=("thread", second), play_mm=2.5)
            return made

        self.assertEqual(set(self.order(both("face"))[-2:]), {"tee>left-left", "tee>right-right"})
        self.stopped(both("thread"))


if __name__ == "__main__":
    unittest.main()
