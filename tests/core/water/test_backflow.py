"""Backflow assemblies: the choice table by hand, the yearly test, the stand-in gauge told apart."""

from __future__ import annotations

import json
import math
import subprocess
import sys
import unittest

from oikotherm.core.bench import find_tool
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.document import write
from oikotherm.core.services.water.backflow import FAULTS, judge, simulated

from ...jobs import edit, retyped, whole

PSI = 6894.757293168
# (hazard, back-pressure, continuous) -> device, off the table of the trade
AMERICAN = {
    ("high", True, True): "rpz",
    ("high", True, False): "rpz",
    ("high", False, True): "pvb",
    ("high", False, False): "avb",
    ("low", True, True): "dc",
    ("low", True, False): "dc",
    ("low", False, True): "dc",
    ("low", False, False): "hose",
    ("5", True, True): "air-gap",
    ("4", True, True): "rpz",
    ("2", True, True): "dc",
    ("1", True, True): None,
}
METRIC = {
    "british": {"1": None, "2": "single-check", "3": "dc", "4": "rpz", "5": "air-gap", "low": "dc", "high": "rpz"},
    "continental": {
        "1": None,
        "2": "single-check",
        "3": "dcv-vent",
        "4": "rpz",
        "5": "air-gap",
        "low": "dcv-vent",
        "high": "rpz",
    },
}


def choice(**said):
    return find_tool("backflow_choice").run(said)


class ChoiceTest(unittest.TestCase):
    def test_the_whole_table_by_hand(self) -> None:
        for (hazard, pushes, stands), device in AMERICAN.items():
            found = choice(hazard=hazard, back_pressure=pushes, continuous=stands, practice="north-american")
            self.assertEqual(found["device"], device, (hazard, pushes, stands))
        for practice, table in METRIC.items():
            for hazard, device in table.items():
                for pushes in (True, False):
                    found = choice(hazard=hazard, back_pressure=pushes, practice=practice)
                    self.assertEqual(found["device"], device, (practice, hazard))

    def test_what_goes_with_it(self) -> None:
        """A reduced-pressure assembly drains, stands 300 mm up and is tested; a breaker 150 mm over the outlet is
        not."""
        rpz = choice(hazard="4", back_pressure=True, practice="continental")
        self.assertEqual((rpz["drain"], rpz["height_mm"], rpz["testable"]), (True, 300, True))
        self.assertRegex(" ".join(rpz["why"]), "category 4.*BA.*300 mm above the floor.*authority")
        avb = choice(hazard="high", continuous=False, practice="north-american")
        self.assertEqual((avb["drain"], avb["height_mm"], avb["testable"]), (False, 150, False))
        self.assertRegex(avb["text"], "ASSE 1001")
        dc = choice(hazard="low", back_pressure=True, practice="north-american")
        self.assertEqual((dc["drain"], dc["height_mm"], dc["testable"]), (False, 0, True))
        for hazard in ("none", "", "6"):
            with self.assertRaises(Refused):
                choice(hazard=hazard)


class VerdictTest(unittest.TestCase):
    def said(self, kind, **psi):
        return find_tool("backflow_test").run({"kind": kind, "readings": psi})

    def test_at_the_limits(self) -> None:
        self.assertEqual(self.said("rpz", check1=5.0, relief=2.0, check2=1.0)["verdict"], "pass")
        for psi, words in (
            ({"check1": 7.0, "relief": 1.9, "check2": 1.5}, "relief valve 1.9 psi, 2.0"),
            ({"check1": 5.9, "relief": 3.0, "check2": 1.5}, "first check 2.9 psi over the relief"),
            ({"check1": 5.0, "relief": 1.99, "check2": 1.5}, "relief valve"),
            ({"check1": 4.9, "relief": 2.0, "check2": 1.5}, "first check 2.9 psi over"),
            ({"check1": 7.0, "relief": 2.5, "check2": 0.9}, "second check 0.9 psi, 1.0"),
        ):
            found = self.said("rpz", **psi)
            self.assertEqual(found["verdict"], "fail")
            self.assertIn(words, found["text"])
        self.assertEqual(self.said("dc", check1=1.0, check2=1.0)["verdict"], "pass")
        self.assertEqual(self.said("dc", check1=0.9, check2=1.0)["repair"], ["first check"])
        self.assertEqual(self.said("pvb", air_inlet=1.0, check1=1.0)["verdict"], "pass")
        self.assertEqual(self.said("pvb", air_inlet=0.5, check1=1.0)["repair"], ["air inlet"])
        self.assertEqual(self.said("dc", check1="7 kPa", check2="10 kPa")["verdict"], "pass")

    def test_what_is_missing_is_named(self) -> None:
        with self.assertRaisesRegex(Refused, "check2 too"):
            self.said("rpz", check1=7, relief=2.5)
        with self.assertRaises(Refused):
            self.said("dc", check1=900, check2=1)


class ConsequencesTest(unittest.TestCase):
    def test_a_double_check_in_the_fernhollow_supply(self) -> None:
        """Its tank taken out: 14 kPa of springs and (0.72 / 17)^2 bar are lost at the sink, the supply is closed, 190 L
        from 10 to 60 C at 60 psi want a tank of 2.1 gal, and one press puts it there."""
        fern = whole("fernhollow")
        bare = edit(
            fern,
            {"do": "remove_run", "id": "C2"},
            {"do": "remove_station", "id": "EXP"},
            retyped(fern, "C1", ("S? E22 *T1", "S? E22")),
        )
        closed = edit(bare, retyped(bare, "C1", ("S? E22", "S? E11 [double-check] E11")))
        left = [derive(one).sized["water"].detail[0].ends[0].arriving_pa for one in (bare, closed)]
        self.assertAlmostEqual(left[0] - left[1], 14_000 + (0.72 / 17) ** 2 * 1e5, delta=25)
        design = derive(closed)
        findings = {one.rule: one for one in design.open_findings}
        self.assertIn("2.06 psi at what runs at once", findings["assembly-loss"].says)
        self.assertRegex(findings["closed-supply"].says, "closed by the double check assembly on C1.*2.1 gal")
        (way,) = design.tried(findings["closed-supply"]).remedies
        self.assertEqual(way.tried, "clears")


class DrainDownTest(unittest.TestCase):
    def test_by_hand(self) -> None:
        """Cut at the sink, 1.1 m up, the stop valve at 0.5 m shut: of the 22 mm 0.9 m of the riser, 4 m and 0.6 m, of
        the 15 mm all 2.9 m; bores 20.2 and 13.6 mm. 0.6 m of the riser stay."""
        tool = find_tool("drain_down")
        found = tool.run(tool.example)
        litres = {"C1": math.pi / 4 * 2.02**2 * 0.55, "C2": math.pi / 4 * 1.36**2 * 0.29}
        for row in found["places"]:
            self.assertAlmostEqual(row["litres"], litres.pop(row["place"]), delta=0.01)
        self.assertEqual(litres, {})
        self.assertAlmostEqual(found["litres"], sum(row["litres"] for row in found["places"]), delta=0.002)
        self.assertAlmostEqual(found["stays_l"], math.pi / 4 * 2.02**2 * 0.06, delta=0.01)
        self.assertEqual(len(found["valves"]), 1)

    def test_a_store_above_the_cut_comes_too(self) -> None:
        """The Lockhouse's cylinder stands upstairs and nothing shuts it off from its cold pipe but the valve on it: cut
        behind that valve all its 120 L come, and what stands above in H1 and the pipe to the shower."""
        job = json.loads(write(whole("lockhouse")))
        tool = find_tool("drain_down")
        found = tool.run({"job": job, "at": "CYL"})
        places = {row["place"]: row["litres"] for row in found["places"]}
        self.assertAlmostEqual(places["CYL"], 120, delta=12)  # its cold port stands 100 mm above its foot
        self.assertGreater(places["H1"], 0.3)
        for at in ("G1", "NOWHERE", "C1.T9"):
            with self.assertRaises(Refused):
                tool.run({"job": job, "at": at})


class StandInTest(unittest.TestCase):
    def test_two_hundred_seeds_told_apart(self) -> None:
        """What the verdict names is what is wrong, in 98 of 100 at the least."""
        named = {"none": [], "first": ["first check"], "second": ["second check"], "relief": ["relief valve"]}
        right = asked = 0
        for seed in range(200):
            for kind, faults in (("rpz", FAULTS[:4]), ("dc", FAULTS[:3])):
                for fault in faults:
                    asked += 1
                    right += list(judge(kind, simulated(kind, fault, seed)).parts) == named[fault]
            for fault, part in (("none", []), ("first", ["check"]), ("air", ["air inlet"])):
                asked += 1
                right += list(judge("pvb", simulated("pvb", fault, seed)).parts) == part
        print(f"backflow stand-in: {right} of {asked} told apart")
        self.assertGreaterEqual(right / asked, 0.98)

    def test_the_command_line(self) -> None:
        done = subprocess.run(
            [sys.executable, "-m", "oikotherm", "sim", "backflow", "--fault", "second", "--seed", "3"],
            capture_output=True,
            text=True,
            check=True,
        )
        found = json.loads(done.stdout)
        self.assertTrue(found["simulated"])
        self.assertEqual(found["verdict"], "fail")
        self.assertIn("second check", found["why"][0])
        self.assertIn("simulated", done.stderr)
        with self.assertRaises(Refused):
            simulated("dc", "relief")
