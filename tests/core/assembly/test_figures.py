"""Swing, what can be brought in, undo depth: against hand calculation, a stick moved by steps, and truth by hand."""

from __future__ import annotations

import math
import unittest

from oikotherm.core.bench import tools
from oikotherm.core.catalogue import standard
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.model import Pipe
from oikotherm.core.making.assembly.figures import longest_in_mm, swing_mm
from oikotherm.core.work.undo import undo_depths

from ...jobs import whole

HALF, THREE = Pipe(code="fe-40", size="1/2"), Pipe(code="fe-40", size="3/4")


def stick_passes(length: float, across: float, height: float, fall: float) -> bool:
    """A stick of this length led up through a shaft of this width into the space above, turned from upright to lying by
    small steps: at every angle it lies on the edge, its foot at the far wall of the shaft or above the floor."""
    for step in range(1, 9000):
        t = math.radians(step / 100)
        below = across / math.cos(t)  # from the edge down to the shaft's far wall
        top = max(length - below, 0.0) * math.sin(t)
        room = height - max(length - below, 0.0) * math.cos(t) * fall
        if top > room + 1e-6:
            return False
    return True


class SwingTest(unittest.TestCase):
    def test_by_hand(self) -> None:
        """A of 1/2 28.4 and of 3/4 33.3 mm, bead 4 and 5; made-up 14.0 at 3/4."""
        self.assertAlmostEqual(swing_mm(standard(), HALF, None, "none")[0], 28.448 + 4, places=3)
        self.assertAlmostEqual(swing_mm(standard(), THREE, None, "none")[0], 33.274 + 5, places=2)
        self.assertAlmostEqual(swing_mm(standard(), THREE, 300, "elbow")[0], 333.274, places=2)
        self.assertAlmostEqual(swing_mm(standard(), THREE, 300, "none")[0], 300 + 33.274 - 14.046, places=2)

    def test_what_is_refused(self) -> None:
        for pipe, leg, far in ((Pipe(code="cu-m", size="15"), None, "none"), (HALF, None, "tee"), (HALF, -1.0, "none")):
            with self.assertRaises(Refused):
                swing_mm(standard(), pipe, leg, far)  # type: ignore[arg-type]


class BringsInTest(unittest.TestCase):
    def test_the_ladder_round_a_corner(self) -> None:
        """Level, a hatch of 600 x 800 has a diagonal of 1000: (1000^(2/3) + 1500^(2/3))^(3/2) = 3512 mm."""
        longest, _ = longest_in_mm(600, 800, 1500, 0)
        self.assertAlmostEqual(longest, (1000 ** (2 / 3) + 1500 ** (2 / 3)) ** 1.5, places=3)

    def test_a_stick_moved_by_steps(self) -> None:
        for length, width, height, slope in (
            (700, 560, 1800, 30),
            (600, 600, 900, 0),
            (900, 500, 2200, 45),
            (560, 560, 700, 12),
        ):
            longest, _ = longest_in_mm(length, width, height, slope)
            across, fall = math.hypot(length, width), math.tan(math.radians(slope))
            self.assertTrue(stick_passes(longest - 1, across, height, fall))
            self.assertFalse(stick_passes(longest + 1, across, height, fall))

    def test_out_of_range(self) -> None:
        for said in ((0, 500, 900, 0), (500, 500, -1, 0), (500, 500, 900, 80)):
            with self.assertRaises(Refused):
                longest_in_mm(*said)


# every appliance and device that can be taken out, by hand: 1 where its port, or a union on its own branch, comes apart
DEPTHS = {
    "fernhollow": {
        "WH": 18,  # hot: nine soldered and expanded pieces to the sink, two joints each, none of them opens
        "REG": 1,
        "OVN": 1,
        "GH": 1,
        "EXP": 10,  # its own four joints, then six along the cold to the heater
        "SNK": 18,
    },
    "olmo-vecchio": dict.fromkeys(("BLR", "MAN", "MIX", "R1", "R2", "PRV", "MTR", "OVN", "WH", "SNK", "BAS"), 1),
    "lockhouse": dict.fromkeys(
        (
            *("BLR", "R1", "R2", "R3", "R4", "R5", "R6", "R7", "R8", "R9", "CYL", "MTR", "RNG", "URN", "SOF"),
            *("K1", "K2", "SHW", "HOS", "WC1"),
        ),
        1,
    ),
}


class UndoTest(unittest.TestCase):
    def test_every_appliance_of_every_demo(self) -> None:
        for uid, depths in DEPTHS.items():
            found = {one.station: one.depth for one in undo_depths(derive(whole(uid)))}
            for ident, depth in depths.items():
                with self.subTest(job=uid, station=ident):
                    self.assertEqual(found.get(ident, 1), depth)
            self.assertLessEqual(set(found), set(depths))

    def test_a_union_makes_it_one(self) -> None:
        """The heater's hot pipe wants one in its first piece; without the union of its branch the oven takes six."""
        (heater,) = [one for one in undo_depths(derive(whole("fernhollow"))) if one.station == "WH"]
        self.assertTrue(heater.union_at.endswith("of H1"))

    def test_the_tool_says_it(self) -> None:
        tool = tools()["undo_depth"]
        answer = tool.run(tool.example)
        self.assertTrue(answer["stations"])
        self.assertEqual(set(answer["stations"][0]), {"id", "depth", "union_at"})


if __name__ == "__main__":
    unittest.main()
