"""A heater changed: risers against sums by hand, what differs, the small job; pumps asked as a tool."""

from __future__ import annotations

import math
import unittest

from oikotherm.core.bench import find_tool
from oikotherm.core.catalogue import standard
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.document import blank
from oikotherm.core.services.rooms import small_jobs
from oikotherm.core.work.small_jobs import read_answers

CATALOGUE = standard()
# 22 mm solder: 45 elbow 7.2 from centre to stop, 15.4 deep; coupling 0.75 from its middle; adaptor stands 40 over the
# port and takes 19 of the pipe
Z45, DEEP, HALF_COUPLING, ADAPTOR, IN_ADAPTOR = 7.2, 15.4, 0.75, 40.0, 19.0
MISALIGNED = (  # new height, centres, diameter, shift, to; out of line to the right, from the wall, of cold and hot
    ({"new_height": "1450", "new_diameter": "560", "shift": "40"}, (40, 30), (40, 30)),
    ({"new_centres": "303"}, (-50, 0), (50, 0)),
    ({"new_height": "1300", "shift": "70", "to": "left", "new_diameter": "450"}, (-70, -25), (-70, -25)),
)


def swap(old=None, new=None, **more):
    return find_tool("heater_swap").run({"old": old or {}, "new": new or {}, "method": "capillary", **more})


def changed(said=None, practice="british"):
    kind = small_jobs()["heater"]
    unit = "in" if practice == "north-american" else "mm"
    job = blank("heater-1", "Heater", practice, unit)
    job = kind.begin(job, read_answers(kind, said or {}, CATALOGUE, practice, unit), CATALOGUE)
    design = derive(job)
    return design, kind.sheet(design, job.tasks[0])


class RisersTest(unittest.TestCase):
    def test_three_misaligned_pairs_by_hand(self) -> None:
        """Pieces of the hot riser: leg - 7.2 + 19 into the adaptor, 1.4142 aside - 14.4, rest - 7.2 - 0.75; together
        they are rise - aside + 1.4142 aside - 28.8 + 19 - 0.75, in whole millimetres."""
        for said, cold, hot in MISALIGNED:
            design, sheet = changed(said)
            self.assertEqual([one.severity for one in design.open_findings if one.severity == "stop"], [])
            rise = 1400 + 300 - float(said.get("new_height", 1400)) - ADAPTOR
            aside = math.hypot(*hot)
            pieces = [cut.cut_mm for cut in design.cuts if cut.run == "H1"]
            self.assertEqual(len(pieces), 3)
            self.assertAlmostEqual(pieces[1], math.sqrt(2) * aside - 2 * Z45, delta=0.6)
            whole = rise - aside + math.sqrt(2) * aside - 4 * Z45 + IN_ADAPTOR - HALF_COUPLING
            self.assertAlmostEqual(sum(pieces), whole, delta=1.6)
            heads = dict(sheet.heads)
            for port, (x, y) in (("cold", cold), ("hot", hot)):
                words = heads[f"New {port}"]
                self.assertIn(f"{rise + ADAPTOR:.0f} mm below", words)
                self.assertIn(f"{abs(x)} mm {'right' if x > 0 else 'left'}", words)
                self.assertEqual(f"{abs(y)} mm {'out' if y > 0 else 'in'}" in words, y != 0)

    def test_the_tool_by_hand(self) -> None:
        """Rise 1400 + 300 - 1490 = 210; aside 50 (40 and 30); 60 of fitting and 1.5 in the coupling leave 148.5, of
        which 50 are the set."""
        found = swap(new={"height": 1490, "shift": 40, "diameter": 560})
        for one in found["risers"]:
            self.assertEqual((one["rise_mm"], one["aside_mm"], one["out_mm"]), (210, 40, 30))
            first, middle, last = one["pieces_mm"]
            self.assertAlmostEqual(middle, 50 * math.sqrt(2) - 2 * Z45, places=2)
            self.assertAlmostEqual(first + last, 148.5 - 50 - 2 * Z45, places=2)
        leaning = swap(new={"lean": 10, "height": 1400})["risers"][0]
        self.assertEqual(leaning["aside_mm"], 14)

    def test_what_does_not_go_in_is_cut_higher(self) -> None:
        """A set of 50 wants 2 x 22.6 + 50 = 95.2; 60 + 1.5 stand there: with a rise of 120 the old pipe is cut 36.7
        higher."""
        found = swap(new={"height": 1580, "shift": 40, "diameter": 560})
        self.assertAlmostEqual(found["risers"][0]["cut_back_mm"], 95.2 - (120 - 61.5), places=2)
        self.assertRegex(" ".join(found["notes"]), "old cold is cut 37 mm higher")
        for pieces in (one["pieces_mm"] for one in found["risers"]):
            self.assertGreaterEqual(min(pieces[0], pieces[-1]), DEEP - 0.01)

    def test_water_weight_and_notes(self) -> None:
        """500 across, cock at 75: pi/4 x 0.25 x 75 = 14.7 L stay of 150."""
        found = swap(
            {"volume": 150, "input": "9 kW", "flue": 80, "vent": 1500},
            {"volume": "50 gal", "weight": 62, "input": "12 kW", "flue": 100, "vent": 1620, "base": 30, "height": 1500},
        )
        self.assertAlmostEqual(found["stays_l"], math.pi / 4 * 0.25 * 75, places=2)
        self.assertAlmostEqual(found["out_l"], 150 - found["stays_l"], places=2)
        self.assertAlmostEqual(found["full_kg"], 62 + 50 * 3.785411784, places=1)
        notes = " ".join(found["notes"])
        for words in ("9 to 12 kW", "Vent 80 mm to 100 mm", "upright piece 150 mm shorter", "1000 mm and 1500 mm up"):
            self.assertIn(words, notes)
        tankless = " ".join(swap(new={"kind": "tankless", "input": 24000, "least_flow": 2.5})["notes"])
        self.assertIn("11.4 L/min at a rise of 30 K", tankless)  # 24 x 14.3 / 30
        self.assertIn("fires from 2.5 L/min", tankless)
        for bad in ({"height": 20}, {"lean": 90}, {"volume": "x"}):
            with self.assertRaises(Refused):
                swap(new=bad)

    def test_the_sheet(self) -> None:
        """150 L grow by 2.51 L from 10 to 60 C; 3.3 and 0.8 x 6 bar: 2.51 / (1 - 4.313 / 5.813) = 9.7, so 12 L."""
        _, sheet = changed({"closed": "on", "house_bar": "3.5", "straps": "on"})
        self.assertRegex(dict(sheet.heads)["Expansion vessel"], r"^12 L, pre-charge 3.30 bar")
        order = [row.id for row in sheet.rows]
        self.assertLess(order.index("fill"), order.index("light"))
        self.assertLess(order.index("gas-off"), order.index("drain"))
        _, electric = changed({"new_kind": "electric", "old_kind": "electric"})
        order = [row.id for row in electric.rows]
        self.assertLess(order.index("fill"), order.index("power-on"))
        self.assertNotIn("light", order)
        _, american = changed(practice="north-american")
        self.assertRegex(" ".join(row.text for row in american.rows), "150 psi and 210 F")
        with self.assertRaisesRegex(Refused, "new ports"):
            changed({"new_height": "1800"})


class BoosterTest(unittest.TestCase):
    def test_duty_by_hand(self) -> None:
        """1.0 + 0.6 - 0.8 bar and 9 m of 999.7 kg/m3: 0.8 + 0.882 bar; the smallest that gives it at 0.5 L/s."""
        found = find_tool("booster").run({"flow": 0.5, "needed": 1.0, "losses": 0.6, "supply": 0.8, "height": "9 m"})
        self.assertAlmostEqual(found["duty_pa"], 0.8e5 + 999.7 * 9.80665 * 9, delta=20)
        # 15 m, 2.4 m3/h: 15 x (1 - 0.75^2) = 6.6 m; 30 m, 3.6 m3/h: 30 x (1 - 0.5^2) = 22.5 m >= 17.2
        self.assertEqual(found["pump"], "booster 30 m")
        at = found["runs_l_s"] * 3.6 / 3.6
        self.assertAlmostEqual(found["runs_pa"], 30 * (1 - at**2) * 999.7 * 9.80665, delta=40)
        none = find_tool("booster").run({"flow": 0.5, "needed": 1.0, "losses": 0.2, "supply": 3})
        self.assertIsNone(none["pump"])
        self.assertIn("no pump is needed", none["text"])
