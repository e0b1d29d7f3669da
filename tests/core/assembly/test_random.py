"""Random assemblies: the planner and an exhaustive search by the separate replay say the same, and every order given
replays."""

from __future__ import annotations

import unittest

from oikotherm.core.making.assembly.planner import plan

from .pieces import at_random
from .replay import Replay

SEEDS = range(300)


class RandomTest(unittest.TestCase):
    def test_planner_and_search_agree(self) -> None:
        impossible = 0
        for seed in SEEDS:
            assembly = at_random(seed)
            replay, found = Replay(assembly), plan(assembly)
            possible = replay.possible()
            impossible += not possible
            self.assertEqual(found.verdict, "order" if possible else "impossible", seed)
            if possible:
                self.assertEqual(replay.replay([step.joint for step in found.steps]), "", seed)
            else:
                self.assertTrue(found.blocking, seed)
        self.assertGreater(impossible, 0.3 * len(SEEDS))
        self.assertLess(impossible, 0.7 * len(SEEDS))


if __name__ == "__main__":
    unittest.main()
