"""Random assemblies: the planner and an exhaustive search by the separate replay say the same, and every order given
replays. tests.long has thousands."""

from __future__ import annotations

import unittest
from collections import Counter

from oikotherm.core.making.assembly.planner import plan

from .pieces import at_random
from .replay import Replay

SEEDS = 120


def agreed(first: int, count: int) -> tuple[Counter[str], list[str]]:
    """What planner and search say of so many assemblies from a seed on, and where they do not agree."""
    tally, wrong = Counter[str](), []
    for seed in range(first, first + count):
        assembly = at_random(seed)
        replay, found = Replay(assembly), plan(assembly)
        possible = replay.possible()
        tally["possible" if possible else "impossible"] += 1
        if found.verdict != ("order" if possible else "impossible"):
            wrong.append(f"seed {seed}: {found.verdict}, by search {'possible' if possible else 'impossible'}")
        elif possible and (said := replay.replay([step.joint for step in found.steps])):
            wrong.append(f"seed {seed}: {said} is not lawful there")
        elif not possible and not found.blocking:
            wrong.append(f"seed {seed}: nothing said of what stops it")
    return tally, wrong


class RandomTest(unittest.TestCase):
    def test_planner_and_search_agree(self) -> None:
        tally, wrong = agreed(0, SEEDS)
        self.assertEqual(wrong, [])
        self.assertGreaterEqual(tally["impossible"], 0.3 * SEEDS)
        self.assertGreaterEqual(tally["possible"], 0.3 * SEEDS)


if __name__ == "__main__":
    unittest.main()
