"""Gas sums against the cells and grids of published tables, another library, and sums by hand."""

from __future__ import annotations

import json
import math
import subprocess
import sys
import unittest

from oikotherm.core.bench import find_tool
from oikotherm.core.catalogue import standard
from oikotherm.core.catalogue.measured import overlay
from oikotherm.core.errors import Refused
from oikotherm.core.job.model import Pipe
from oikotherm.core.quantity import INH2O_PA
from oikotherm.core.services.gas.capacity import (
    FOOT3_M3,
    FOOT_M,
    PSI_PA,
    capacity,
    elevated_factor,
    gas_bore_mm,
    gases,
    metric_drop_pa,
    tube_of,
)
from oikotherm.core.services.gas.sizing import drop_pa
from oikotherm.exchange.tube_table import read_tubes

CATALOGUE = standard()
NATURAL, PROPANE = gases()["natural"], gases()["propane"]
METRES = (3, 6, 9, 12, 15, 20, 25, 30)
GRID = {  # m3/h of natural gas, 1 mbar
    "cu-m 15": "2.9 1.9 1.5 1.3 1.1 .95 .92 .88",
    "cu-m 22": "8.7 5.8 4.6 3.9 3.4 2.9 2.5 2.3",
    "cu-m 28": "18 12 9.4 8.0 7.0 5.9 5.2 4.7",
    "cu-m 35": "32 22 17 15 13 11 9.5 8.5",
    "fe-m 1/2": "4.3 2.9 2.3 2.0 1.7 1.5 1.4 1.3",
    "fe-m 3/4": "9.7 6.6 5.3 4.5 3.9 3.3 2.9 2.6",
    "fe-m 1": "18 12 10 8.5 7.5 6.3 5.6 5.0",
}


def pipe_of(text: str) -> Pipe:
    code, _, size = text.partition(" ")
    return Pipe(code=code, size=size)


def ft3_h(pipe: str, feet: float, drop_inwc: float = 0.5, gas=NATURAL, inlet_pa: float = 7 * INH2O_PA) -> float:
    found = capacity(CATALOGUE, pipe_of(pipe), gas, "north-american", feet * FOOT_M, drop_inwc * INH2O_PA, inlet_pa)
    return found.flow_m3_s * 3600 / FOOT3_M3


class TablesTest(unittest.TestCase):
    def within(self, found: float, cell: float, over: float, under: float) -> None:
        off = (found / cell - 1) * 100
        self.assertTrue(-under <= off <= over, f"{found:.4g} against {cell:g}: {off:+.2f} %")

    def test_schedule_40_at_low_pressure(self) -> None:
        for size, feet, cell in (
            ("1/2", 10, 172),
            ("1/2", 100, 50),
            ("3/4", 50, 151),
            ("1", 100, 195),
            ("1-1/4", 30, 768),
        ):
            with self.subTest(size=size, feet=feet):
                self.within(ft3_h(f"fe-40 {size}", feet), cell, 1, 1)

    def test_propane_in_schedule_40(self) -> None:
        for size, cell in (("1/2", 291), ("3/4", 608)):
            found = ft3_h(f"fe-40 {size}", 10, gas=PROPANE, inlet_pa=11 * INH2O_PA) * 2.516
            self.within(found, cell, 1, 4)

    def test_two_psi(self) -> None:
        cells = {"1/2": 1510, "3/4": 3040, "1": 5560, "1-1/4": 11400, "1-1/2": 17100, "2": 32900}
        for size, cell in cells.items():
            pipe = pipe_of(f"fe-40 {size}")
            found = capacity(CATALOGUE, pipe, NATURAL, "north-american", 10 * FOOT_M, PSI_PA, 2 * PSI_PA)
            self.within(found.flow_m3_s * 3600 / FOOT3_M3, cell, 0.5, 15)

    def test_between_two_stated_pressures_the_lower_factor_holds(self) -> None:
        found = [elevated_factor(NATURAL, psi) for psi in (1.6, 2, 2.5, 3, 4, 5, 8)]
        self.assertEqual(found, [0.88, 0.88, 0.88, 0.99, 0.90, 0.90, 0.90])
        self.assertEqual(elevated_factor(PROPANE, 3), 0.98)

    def test_the_metric_grids(self) -> None:
        for text, cells in GRID.items():
            for metres, cell in zip(METRES, cells.split(), strict=True):
                with self.subTest(pipe=text, metres=metres):
                    found = capacity(CATALOGUE, pipe_of(text), NATURAL, "metric", metres, 100.0, 2100.0)
                    self.within(found.flow_m3_s * 3600, float(cell), 2, 20)

    def test_corrugated_cells_that_were_not_fitted(self) -> None:
        for size, cells in (("EHD18", (115, 26)), ("EHD23", (225, 54)), ("EHD30", (471, 101))):
            for feet, cell in zip((5, 100), cells, strict=True):
                self.within(ft3_h(f"csst {size}", feet), cell, 8, 8)
        self.assertAlmostEqual(ft3_h("csst 1/2", 10), 82)
        self.assertAlmostEqual(ft3_h("csst EHD13", 50), 13)
        propane = ft3_h("csst 1/2", 10, gas=PROPANE, inlet_pa=11 * INH2O_PA)
        self.assertAlmostEqual(propane, 82 * 0.628)


class MetricTest(unittest.TestCase):
    def test_the_drop_agrees_with_another_library(self) -> None:
        import fluids

        for bore_mm, rough_mm, flow_m3_h in ((20.2, 0.0, 3.0), (20.2, 0.0, 0.4), (27.3, 0.045, 6.0), (13.6, 0.0, 1.2)):
            flow = flow_m3_h / 3600
            area = math.pi / 4 * (bore_mm / 1000) ** 2
            reynolds = flow / area * bore_mm / 1000 / NATURAL.viscosity_m2_s
            factor = fluids.friction_factor(Re=max(reynolds, 4001), eD=rough_mm / bore_mm)
            if reynolds < 4000:
                smooth = fluids.friction.Colebrook(reynolds, rough_mm / bore_mm)
                factor = max(64 / reynolds, smooth)
            wanted = factor * 10 / (bore_mm / 1000) * 0.6 * 1.225 * (flow / area) ** 2 / 2
            found = metric_drop_pa(NATURAL, bore_mm, rough_mm, 10.0, flow)
            self.assertAlmostEqual(found / wanted, 1.0, delta=0.005)

    def test_in_the_transition_the_larger_factor_is_taken(self) -> None:
        """At Re 3000 smooth turbulent friction is 0.0434, laminar 0.0213; at Re 1000 laminar 0.064."""
        for reynolds, factor in ((3000, 0.0434), (1000, 0.0640)):
            flow = reynolds * math.pi * 0.0136 * NATURAL.viscosity_m2_s / 4
            velocity = flow / (math.pi / 4 * 0.0136**2)
            found = metric_drop_pa(NATURAL, 13.6, 0.0, 1.0, flow) * 0.0136 * 2 / (NATURAL.density_kg_m3 * velocity**2)
            self.assertAlmostEqual(found, factor, delta=0.0006)

    def test_inch_copper_goes_by_the_bore_of_type_k(self) -> None:
        bore, source = gas_bore_mm(CATALOGUE, pipe_of("cu-l 1/2"))
        self.assertAlmostEqual(bore, (0.625 - 2 * 0.049) * 25.4, places=2)
        self.assertIn("type K", source)

    def test_what_cannot_be_is_refused(self) -> None:
        good = {"pipe": "fe-40 1/2", "length": "10 ft", "drop": "0.5 inH2O"}
        for bad in (
            {"length": "1 mm"},
            {"drop": "20 inH2O"},
            {"inlet": "12 bar"},
            {"pipe": "csst 7"},
            {"pipe": "csst 1/2", "inlet": "2 psi", "drop": "1 psi"},
            {"formula": "metric", "inlet": "2 psi", "drop": "1 psi"},
            {"gas": "coal"},
        ):
            with self.subTest(bad=bad), self.assertRaises(Refused):
                find_tool("gas_pipe").run({**good, **bad})


class ToolsTest(unittest.TestCase):
    def test_gas_pipe_in_four_units(self) -> None:
        found = find_tool("gas_pipe").run(
            {"gas": "natural", "formula": "north-american", "pipe": "csst 1/2", "length": "50 ft", "drop": "0.5 inH2O"}
        )
        self.assertEqual(found["capacity_ft3_h"], 37)
        self.assertEqual(found["heat_btu_h"], 37 * 1030)
        self.assertAlmostEqual(found["capacity_m3_h"], 37 * 0.0283168, places=3)
        self.assertAlmostEqual(found["heat_kw"], 37 * 0.0283168 * 38.5 / 3.6, places=2)

    def test_the_wrong_gas(self) -> None:
        """sqrt(11/7 x 0.60/1.52) x 93.7/38.5 = 1.92; with a regulator 1.53."""
        run = find_tool("gas_mismatch").run
        both = {"set_for": "natural", "fed": "propane"}
        pressures = {"set_pressure": "7 inH2O", "fed_pressure": "11 inH2O"}
        self.assertAlmostEqual(run({**both, **pressures, "regulator": False})["factor"], 1.92, delta=0.005)
        self.assertAlmostEqual(run({**both, "regulator": True})["factor"], 1.53, delta=0.005)
        metric = run({**both, "regulator": False, "set_pressure": "21 mbar", "fed_pressure": "37 mbar"})
        self.assertAlmostEqual(metric["factor"], 2.04, delta=0.015)
        self.assertEqual(metric["verdict"], "stop")
        self.assertIn("conversion kit", metric["why"])
        self.assertEqual(run({"set_for": "propane", "fed": "natural", "regulator": True})["verdict"], "stop")
        self.assertEqual(run({"set_for": "natural", "fed": "natural"})["verdict"], "ok")
        low = {"set_for": "natural", "fed": "natural", "set_pressure": "20 mbar", "fed_pressure": "12 mbar"}
        self.assertEqual(run(low)["verdict"], "stop")

    def test_traps(self) -> None:
        run = find_tool("trap_check").run
        for said, ok in (
            ({"appliance": "boiler", "drop": 75, "way": "D"}, True),
            ({"appliance": "boiler", "drop": "3 in", "way": "D"}, True),
            ({"appliance": "boiler", "drop": 50, "way": "D"}, False),
            ({"appliance": "boiler", "drop": 100, "way": "U"}, False),
            ({"appliance": "boiler"}, False),
            ({"appliance": "kitchen range"}, True),
        ):
            self.assertEqual(run(said)["ok"], ok, said)

    def test_ready_nipples(self) -> None:
        """1/2: 1.5 + 2 (1.12 - 0.534) = 2.672 in; with a close one of 1-1/8 in 2.297."""
        run = find_tool("nipple").run
        found = run({"pipe": "fe-40 1/2", "centres": "2.67 in", "from": "elbow", "to": "elbow"})
        self.assertEqual(found["nipple_in"], 1.5)
        self.assertAlmostEqual(found["centres_mm"], 2.672 * 25.4, delta=0.02)
        self.assertAlmostEqual(run({"pipe": "fe-40 1/2", "centres": "2.2 in"})["centres_mm"], 2.297 * 25.4, delta=0.03)
        far = run({"pipe": "fe-40 3/4", "centres": "20 in", "to": "tee"})
        self.assertEqual(far["nipple_in"], 18)
        self.assertLess(far["shift_mm"], 0)

    def test_tap_in_by_the_branch(self) -> None:
        found = find_tool("tap_in").run({"pipe": "fe-40 3/4", "branch": "fe-40 1/2"})
        self.assertAlmostEqual(found["least_centres_mm"] / 25.4, 5.36, delta=0.01)
        self.assertIn("3/4 x 1/2 tee", found["parts"])

    def test_air_of_a_room(self) -> None:
        """40,000 BTU/h asks 2,000 ft3, 56.6 m3; two openings of 100 in2 are the least."""
        run = find_tool("room_air").run
        heater = {"kind": "water heater", "input": "40000 BTU/h", "vented": True}
        room = {"practice": "north-american", "appliances": [heater]}
        self.assertTrue(run({**room, "volume": "2000 ft3"})["ok"])
        small = run({**room, "volume": "1000 ft3"})
        self.assertFalse(small["ok"])
        self.assertAlmostEqual(small["needed_m3"], 2000 * 0.0283168, places=2)
        self.assertEqual([one["area_mm2"] for one in small["openings"]], [64516, 64516])
        big = run({**room, "volume": "1000 ft3", "appliances": [{**heater, "input": "150000 BTU/h"}]})
        self.assertAlmostEqual(big["openings"][0]["area_mm2"], 150 * 645.16, delta=1)
        unvented = {"kind": "heater", "input": "12000 BTU/h", "vented": False}
        bedroom = {**room, "appliances": [unvented], "volume": "5000 ft3", "room": "bedroom"}
        self.assertFalse(run(bedroom)["ok"])
        self.assertTrue(run({**bedroom, "room": ""})["ok"])
        british = run({**room, "practice": "british", "volume": 500})
        self.assertEqual((british["ok"], british["needed_m3"], british["openings"]), (False, None, []))

    def test_connectors(self) -> None:
        run = find_tool("connector").run
        at = {"gas": "natural", "size": "1/2", "input": "53000 BTU/h"}
        three = run({**at, "length": "3 ft"})
        self.assertAlmostEqual(three["rated_kw"], 106 * 0.29307107, places=2)
        self.assertAlmostEqual(three["drop_pa"], 0.5 * INH2O_PA / 4, delta=0.1)  # half its rating: a quarter
        self.assertTrue(run({**at, "length": "6 ft", "input": "76000 BTU/h"})["ok"])
        self.assertFalse(run({**at, "length": "6 ft", "input": "80000 BTU/h"})["ok"])
        self.assertFalse(run({**at, "length": "8 ft", "input": "10000 BTU/h"})["ok"])

    def test_tanks(self) -> None:
        """30 x 66 x 80 at 0 F and 40 % full = 158,400 BTU/h; half of it at -10 F, twice at +20 F."""
        run = find_tool("tank_draw").run
        tank = {"diameter": "30 in", "length": "66 in", "fill_percent": 40}
        for celsius, factor in ((-17.7778, 1), (-23.3333, 0.5), (-12.2222, 1.5), (-6.6667, 2), (10, 2)):
            self.assertAlmostEqual(run({**tank, "outdoor_c": celsius})["heat_btu_h"], 158_400 * factor, delta=10)
        self.assertAlmostEqual(
            run({**tank, "fill_percent": 25, "outdoor_c": -17.7778})["heat_btu_h"], 30 * 66 * 65, delta=10
        )

    def test_the_command_line_has_them(self) -> None:
        out = subprocess.run(
            [
                sys.executable,
                "-m",
                "oikotherm",
                "calc",
                "trap_check",
                '{"appliance": "boiler", "drop": 75, "way": "D"}',
            ],
            capture_output=True,
            text=True,
            check=True,
        ).stdout
        self.assertTrue(json.loads(out)["ok"])


class TubeTest(unittest.TestCase):
    def test_two_points_are_the_power_law(self) -> None:
        """EHD18: 82 at 10 ft and 37 at 50: at 100 ft 82 x 10^-n, n = ln(82/37)/ln 5; and back to its length."""
        tube = tube_of(CATALOGUE, "EHD18")
        power = math.log(82 / 37) / math.log(5)
        self.assertAlmostEqual(tube.flow_ft3_h(100), 82 * 10**-power, places=9)
        for feet in (3, 10, 31, 250):
            self.assertAlmostEqual(tube.feet(tube.flow_ft3_h(feet)), feet, places=6)

    def test_the_makers_table_governs(self) -> None:
        """Between its points by their own power law: 90 at 10 ft, 60 at 20, 30 at 100."""
        rows = read_tubes(CATALOGUE, "class,length_m,m3_h\nEHD18,3.048,2.5485\nEHD18,6.096,1.699\nEHD18,30.48,0.8495")
        own = overlay(CATALOGUE, rows)
        tube = tube_of(own, "EHD18")
        self.assertEqual([round(feet) for feet, _ in tube.points], [10, 20, 100])
        for feet, flow in ((10, 90), (20, 60), (100, 30)):
            self.assertAlmostEqual(tube.flow_ft3_h(feet), flow, delta=0.01)
        self.assertAlmostEqual(tube.flow_ft3_h(15), 90 * 1.5 ** (math.log(60 / 90) / math.log(2)), delta=0.01)
        found = capacity(own, pipe_of("csst EHD18"), NATURAL, "north-american", 20 * FOOT_M, 0.5 * INH2O_PA, 1743.6)
        self.assertAlmostEqual(found.flow_m3_s * 3600 / FOOT3_M3, 60, delta=0.01)
        lost = drop_pa(own, pipe_of("csst EHD18"), NATURAL, "north-american", 20 * FOOT_M, found.flow_m3_s, 1743.6)
        self.assertAlmostEqual(lost, 0.5 * INH2O_PA, places=3)
        self.assertEqual(tube_of(own, "EHD23").source, tube_of(CATALOGUE, "EHD23").source)


if __name__ == "__main__":
    unittest.main()
