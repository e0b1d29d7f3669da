"""Draining, filling, dosing, the gauge's story and the flow-finder, against hand sums and simulated logs."""

import math
import random
import unittest

from oikotherm.core.bench import find_tool
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.matter import fluid
from oikotherm.core.services.heating.circuit_water import (
    DayReading,
    Storey,
    clamp_thermometers,
    dose,
    expected_swing_bar_k,
    flow_finder,
    gauge_story,
    top_up_l,
    water_plan,
)
from oikotherm.core.services.heating.series import emitter_of
from oikotherm.core.services.heating.sizing import heating_of
from oikotherm.core.services.heating.water_work import water_work
from tests.jobs import edit, whole


class WaterTest(unittest.TestCase):
    def test_litres_and_orders(self):
        found = water_plan(
            [Storey("Ground floor", 0, 48), Storey("Flat", 2.7, 34), Storey("Cellar", -2.5, 9)], 0.0, 2.5, 1.2
        )
        self.assertEqual((found.out_l, found.stays_l, found.fill_l), (91 - 11.5, 11.5, 91))
        opened = [line for line in found.drain if line.startswith("Open the bleed")]
        self.assertEqual([line.split(": ")[1].split(",")[0] for line in opened], ["Flat", "Ground floor", "Cellar"])
        bled = [line for line in found.fill if line.startswith("Bleed")]
        self.assertEqual([line.split(": ")[1].rstrip(".") for line in bled], ["Cellar", "Ground floor", "Flat"])
        self.assertEqual(found.top_ups, (1, 2))  # after one long fill with the loop open
        self.assertIn("loop to 1.2 bar and leave it open a crack", " ".join(found.fill))
        for bad in (([], 0, 0, 1.2), ([Storey("a", 0, 5)], 0, 0, 0.4), ([Storey("a", 0, 5)], 0, -1, 1.2)):
            with self.assertRaises(Refused):
                water_plan(*bad)

    def test_one_radiator_emptied_takes_what_the_vessel_lets_out(self):
        """Vessel 12 L, pre-charge 0.7, 4 m over the gauge: p_lo 0.7, p_hi 1.5; 12 (1 - 1.7 / 2.5) = 3.84 L a top-up."""
        one_l, _ = top_up_l(12, 0.7, 4)
        self.assertAlmostEqual(one_l, 3.84)
        self.assertAlmostEqual(top_up_l(12, 0.7, 0)[0], 3.84)  # below the pre-charge the vessel gives nothing more
        self.assertAlmostEqual(top_up_l(8, 1.0, 13)[0], 8 * (2 / 2.6 - 2 / 2.9))  # p_lo 1.6, p_hi 1.9
        storeys = [Storey("Ground floor", 0, 60), Storey("Flat", 4, 40)]
        found = water_plan(storeys, 0, 0, 1.2, 6.0, 12, 0.7)
        self.assertEqual((found.out_l, found.top_ups), (6.0, (1, 2)))
        self.assertEqual(water_plan(storeys, 0, 0, 1.2, 14.0, 12, 0.7).top_ups, (3, 4))
        self.assertIn("the rest stays full", " ".join(found.drain))
        for bad in (0, -1, 101):
            with self.assertRaises(Refused):
                water_plan(storeys, 0, 0, 1.2, bad)

    def test_no_usual_house_is_told_eleven_to_fourteen_top_ups_whatever_its_volume(self):
        rng, counts = random.Random(500), set()
        for _ in range(500):
            volume, vessel = rng.uniform(30, 400), rng.choice((8, 10, 12, 18, 24, 35))
            storeys = [Storey("a", 0, volume / 2), Storey("b", rng.uniform(1, 8), volume / 2)]
            counts.add(water_plan(storeys, 0, 0, rng.uniform(0.8, 1.8)).top_ups)
            radiator = water_plan(storeys, 0, 0, 1.2, rng.uniform(1.5, 12), vessel, rng.choice((0.7, 1.0)))
            self.assertLess(radiator.top_ups[1], 11)
            counts.add(radiator.top_ups)
        self.assertGreater(len(counts), 4)  # it follows from the litres

    def test_doses(self):
        found = dose(110)
        self.assertAlmostEqual(found.inhibitor_l, 1.1)
        self.assertEqual(found.bottles, 2)
        glycol = dose(100, 0.3)
        self.assertAlmostEqual(glycol.glycol_l, 100 * fluid(20, 0.3).density_kg_m3 / 1000 * 0.3 / 1.036, places=3)
        self.assertIn("corrosion", find_tool("dose").run({"volume_l": 80, "mass_fraction": 0.1})["warning"])


def log(days, *, volume=90.0, vessel=12.0, precharge=1.0, cold=1.3, drift=0.0, flat=1.0, noise=0.01, seed=2):
    """Cold in the morning, hot in the evening, by the very physics of a vessel."""
    rng = random.Random(seed)
    rows = []
    for n in range(days * 2):
        temp = 18.0 if n % 2 == 0 else 68.0
        grows = volume * (fluid(18).density_kg_m3 / fluid(temp).density_kg_m3 - 1)
        gas = vessel * flat * (precharge + 1.013) / (cold + 1.013)
        bar = (cold + 1.013) * gas / max(gas - grows, 0.1 * gas) - 1.013 + drift * n / 2
        rows.append(DayReading(n / 2, bar + rng.gauss(0, noise), temp))
    return rows


class WaterWorkTest(unittest.TestCase):
    def test_the_demo_by_its_geometry(self):
        made = derive(whole())
        (heating,) = [one for one in heating_of(made) if one.loads]
        found = water_work(made, heating)
        self.assertAlmostEqual(found.plan.fill_l, heating.volume_l, delta=0.2)
        self.assertEqual([one.name for one in found.storeys], ["Ground floor", "Flat"])
        self.assertEqual(found.plan.stays_l, 0.0)  # every dip has its drain
        dip = derive(edit(whole(), {"do": "put_run", "run": "F1", "text": made.texts["F1"].replace(" [drain]", "")}))
        (heating,) = [one for one in heating_of(dip) if one.loads]
        self.assertGreater(water_work(dip, heating).plan.stays_l, 0.1)


class SeriesTest(unittest.TestCase):
    def test_series_of_the_handbook(self):
        for said, watts, litres in (
            ("22 600x1000", 1720, 5.9),
            ("11 450x1400", 780 * 1.4, 2.6 * 1.4),
            ("3-column 1800x6", 990, 15.6),
            ("rail-600 1500", 820, 6.5),
            ("Type 33 700 x 800", 2690 * 0.8, 7.92),
        ):
            found = emitter_of(said)
            self.assertAlmostEqual(found.output_w, watts, delta=0.1)
            self.assertAlmostEqual(found.litres, litres, delta=0.02)
        for said in ("22 650x1000", "44 600x1000", "22 600", "22 600x9000", "3-column 600x90", "radiator"):
            with self.assertRaises(Refused):
                emitter_of(said)
        found = find_tool("emitter").run(
            {"nominal_w": "22 600x1000", "flow_c": 45, "return_c": 35, "room_c": 20, "mean": "arithmetic"}
        )
        self.assertAlmostEqual(found["output_w"], 1720 * (20 / 50) ** 1.3, delta=1.0)


class GaugeTest(unittest.TestCase):
    def test_four_stories_are_told_apart(self):
        for expected, rows in (
            ("normal", log(4)),
            ("leak", log(4, drift=-0.08)),
            ("passing filling valve", log(4, drift=0.06)),
            ("flat vessel", log(4, flat=0.45)),
            ("flat vessel", log(5, flat=0.4, drift=-0.05)),
        ):
            for seed in range(5):
                noisy = [DayReading(one.day, one.bar + random.Random(seed).gauss(0, 0.005), one.temp_c) for one in rows]
                self.assertEqual(gauge_story(noisy, 90, 12, 1.0).verdict, expected)
        self.assertEqual(gauge_story(log(4)[::2], 90, 12, 1.0).verdict, "too little to tell")

    def test_the_swing_a_vessel_explains(self):
        # by hand, Boyle: 90 L grow by the densities; 12 L of gas at 2.013 bar stand at 2.313
        grows = 90 * (fluid(18).density_kg_m3 / fluid(68).density_kg_m3 - 1)
        gas = 12 * 2.013 / 2.313
        by_hand = (2.313 * gas / (gas - grows) - 2.313) / 50
        self.assertAlmostEqual(expected_swing_bar_k(90, 12, 1.0, 1.3, 18, 68), by_hand, places=9)
        self.assertTrue(math.isinf(expected_swing_bar_k(2000, 8, 1.0, 1.3, 10, 80)))

    def test_readings_that_cannot_be_told_are_refused(self):
        with self.assertRaises(Refused):
            gauge_story(log(1), 90, 12)
        mixed = [
            {"at": "2026-03-01T07:00", "pressure": "1.2 bar", "temp_c": 18},
            {"at": "2026-03-01T07:00+01:00", "pressure": "1.2 bar", "temp_c": 18},
        ]
        with self.assertRaises(Refused):
            find_tool("gauge_story").run({"readings": mixed, "volume_l": 80, "vessel_l": 12})


class FlowFinderTest(unittest.TestCase):
    def test_the_stand_in_is_told_crossed_or_not(self):
        right = tried = 0
        for seed in range(60):
            rng = random.Random(seed)
            arrival, hold, drop = rng.uniform(20, 180), rng.uniform(60, 600), rng.uniform(5, 20)
            crossed = rng.random() < 0.5
            series = clamp_thermometers(
                arrival, arrival + hold, 70, 70 - drop, crossed=crossed, noise_k=rng.choice((0.1, 0.5)), seed=seed
            )
            found = flow_finder(*series)
            tried += found.flow != ""
            right += found.flow == ("b" if crossed else "a")
        self.assertEqual(right, tried)  # never the wrong one
        self.assertGreater(tried, 55)

    def test_it_does_not_guess(self):
        times = [30.0 * n for n in range(20)]
        still = [18 + random.Random(n).gauss(0, 0.2) for n in range(20)]
        self.assertEqual(flow_finder(times, still, still[::-1]).flow, "")
        alike = clamp_thermometers(60, 61, 60, 59.9, noise_k=0.5, seed=4)
        self.assertLess(flow_finder(*alike).confidence, 0.9)
        with self.assertRaises(Refused):
            flow_finder([0, 1, 2], [1, 2, 3], [1, 2, 3])
        with self.assertRaises(Refused):
            flow_finder([0, 2, 1, 3, 4, 5], [1] * 6, [1] * 6)


class CircuitToolsTest(unittest.TestCase):
    def test_balance_by_hand_and_corrected_by_measurement(self):
        said = find_tool("balance").example
        found = find_tool("balance").run(said)
        self.assertEqual(found["index"], "R3")
        rho = fluid(70).density_kg_m3
        open_pa = 1e5 * (0.050 / 1.6) ** 2 * rho / 1000
        kv = 0.050 * math.sqrt(rho / 1000) / math.sqrt((700 + open_pa) / 1e5)
        row = next(one for one in found["emitters"] if one["id"] == "R2")
        self.assertAlmostEqual(row["kv"], kv, delta=0.001)
        again = find_tool("balance").run({**said, "measured_k": {"R1": 10}, "set_turns": {"R1": 2.0}, "wanted_k": 20})
        # a difference half of what is wanted: twice the flow, so half the Kv: 0.75 -> 0.375, between 1 and 1.5 turns
        self.assertAlmostEqual(
            next(one for one in again["emitters"] if one["id"] == "R1")["corrected_turns"],
            1 + 0.5 * (0.375 - 0.30) / 0.20,
            delta=0.006,
        )

    def test_every_circuit_tool_runs_its_example_and_refuses_nonsense(self):
        for name in ("balance", "pump_duty", "heat_loss_pipe", "drain_plan", "dose", "gauge_story", "flow_finder"):
            tool = find_tool(name)
            self.assertTrue(tool.run(tool.example)["text"])
            with self.assertRaises(Refused):
                tool.run({**tool.example, next(iter(tool.example)): "?"})
        with self.assertRaises(Refused):
            find_tool("pump_duty").run({"flow_l_h": 9000, "head": "3 bar"})
        loss = find_tool("heat_loss_pipe").run({"pipe": "cu-m 15", "water_c": 80, "air_c": 20, "lagging": 13})
        self.assertAlmostEqual(loss["loss_w_m"], 11.0, delta=0.5)
