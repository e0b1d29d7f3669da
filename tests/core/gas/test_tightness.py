"""Gas tightness: anchors and limits of the practices by hand, calc contracts, the stand-in gauge over many seeds."""

from __future__ import annotations

import random
import unittest

from oikotherm.core.bench import find_tool
from oikotherm.core.errors import Refused
from oikotherm.core.services.gas.tightness import (
    PSI_PA,
    Gauge,
    Point,
    corrected,
    per_kelvin_pa,
    permitted_pa,
    planned,
    purge,
    rule_of,
    smallest_leak_l_h,
    tightness,
)
from oikotherm.core.work.gauge_sim import GaugeSim, read_temps

MBAR = 100.0
FINE = Gauge(10.0, 10_000.0, "electronic")


def held(*pressures: float, every: float = 1.0, unit: float = MBAR) -> list[Point]:
    return [Point(n * every, value * unit) for n, value in enumerate(pressures)]


class AnchorTest(unittest.TestCase):
    def test_a_kelvin(self) -> None:
        """From 20 C: 15 psi, 10 K colder: 1.01 psi; 100 psi, 8 K: 3.13; 21 mbar: 3.5 mbar a kelvin; 15 psi, 1 K:
        0.10."""
        self.assertAlmostEqual(per_kelvin_pa(15 * PSI_PA, 20) * 10 / PSI_PA, 1.01, delta=0.005)
        self.assertAlmostEqual(per_kelvin_pa(100 * PSI_PA, 20) * 8 / PSI_PA, 3.13, delta=0.005)
        self.assertAlmostEqual(per_kelvin_pa(2100, 20) / MBAR, 3.5, delta=0.05)
        self.assertAlmostEqual(per_kelvin_pa(15 * PSI_PA, 20) / PSI_PA, 0.10, delta=0.002)

    def test_the_pipe_grows_cold_and_the_barometer_falls(self) -> None:
        """100 psi at 20 C falls to 96.87 at 12 C: nothing is lost. The barometer falls 10 mbar: the gauge rises 0.145
        psi, and nothing came in."""
        cold = [Point(0, 100 * PSI_PA, 20.0), Point(840, 96.87 * PSI_PA, 12.0)]
        values, missing = corrected(cold)
        self.assertAlmostEqual(values[1] / PSI_PA, 100, delta=0.005)
        self.assertEqual(missing, ("the barometer",))
        falls = [Point(0, 100 * PSI_PA, 20.0, 101_325), Point(840, 100.145 * PSI_PA, 20.0, 100_325)]
        values, missing = corrected(falls)
        self.assertAlmostEqual(values[1] / PSI_PA, 100, delta=0.001)
        self.assertEqual(missing, ())

    def test_the_smallest_leak_by_hand(self) -> None:
        """20 L, 0.25 mbar seen, 2 minutes at 1013.25 mbar: 20 x 0.25 / 1013.25 x 30 = 0.148 L/h."""
        self.assertAlmostEqual(smallest_leak_l_h(20, 25, 2), 20 * 0.25 / 1013.25 * 30, places=9)

    def test_published_limits(self) -> None:
        water = Gauge(25.0, 10_000.0, "water")
        self.assertEqual((permitted_pa("british", water), permitted_pa("british", FINE)), (25.0, 20.0))
        for meter, largest, mbar in (
            ("diaphragm-6", 28, 4),
            ("diaphragm-6", 35, 2.5),
            ("diaphragm-16", 28, 1),
            ("ultrasonic", 28, 8),
            ("none", 22, 8),
        ):
            found = permitted_pa("british", FINE, existing=True, meter=meter, largest_mm=largest)
            self.assertEqual(found, mbar * MBAR)
        for litres, settle, hold in ((99, 10, 10), (150, 30, 20), (500, 60, 30)):
            rule = rule_of("continental", litres)
            self.assertEqual((rule.settle_min, rule.hold_min), (settle, hold))
        self.assertEqual(rule_of("code", 100).hold_min, 10)
        self.assertEqual(rule_of("code", 600 * 28.317).hold_min, 60)  # 30 minutes to each 500 ft3 begun
        self.assertAlmostEqual(rule_of("code", 100, 5 * PSI_PA).low_pa, 7.5 * PSI_PA)
        self.assertAlmostEqual(rule_of("code", 100).low_pa, 3 * PSI_PA)

    def test_purging(self) -> None:
        """12 ft of 1/2 through a pilot of 0.8 ft3/h takes about 3 minutes for 1.5 volumes."""
        run = find_tool("purge").run
        found = run({"pipe": "fe-40 1/2", "length": "12 ft", "burner": "pilot"})
        self.assertAlmostEqual(found["minutes"], 3, delta=0.3)
        self.assertAlmostEqual(found["volume_l"], 1.5 * 3.14159 / 4 * 15.8**2 * 3657.6 / 1e6, delta=0.01)
        for said in ("csst 1/2", "csst EHD18"):  # 18/32 in across, 0.1603 L/m, half more for the corrugations
            tube = run({"pipe": said, "length": "10 m", "burner": "range"})
            self.assertAlmostEqual(tube["volume_l"], 1.5 * 2.405, delta=0.01)
        litres, minutes, _ = purge(10, "diaphragm-6", 600)
        self.assertEqual((litres, minutes), (25.0, 2.5))
        with self.assertRaises(Refused):
            run({"pipe": "fe-40 1/2", "length": "12 ft"})


class VerdictTest(unittest.TestCase):
    def verdict(self, *pressures: float, **more: object) -> str:
        return tightness("british", 12, held(*pressures), FINE, **more).outcome  # type: ignore[arg-type]

    def test_british(self) -> None:
        self.assertEqual(self.verdict(20.5, 20.5, 20.5), "pass")
        self.assertEqual(self.verdict(20.5, 20.4, 20.3), "pass")  # 0.2 is not perceptible on one decimal
        self.assertEqual(self.verdict(20.5, 20.3, 20.2), "fail")
        self.assertEqual(self.verdict(20.5, 18.5, 16.6, existing=True, meter="diaphragm-6"), "pass")
        self.assertEqual(self.verdict(20.5, 18.4, 16.4, existing=True, meter="diaphragm-6"), "fail")
        self.assertEqual(self.verdict(20.5, 20.5, 20.5, largest_mm=42), "proves nothing")
        self.assertEqual(self.verdict(20.5, 20.5), "proves nothing")  # a minute is no test
        self.assertEqual(self.verdict(12.0, 12.0, 12.0), "proves nothing")
        rises = held(8.0, 8.1)
        self.assertEqual(self.verdict(20.5, 20.5, 20.5, let_by=rises), "fail")
        self.assertEqual(self.verdict(20.5, 20.5, 20.5, let_by=held(8.0, 8.0)), "pass")
        coarse = tightness("british", 12, held(20, 20, 20), Gauge(100.0, 10_000.0))
        self.assertEqual(coarse.outcome, "proves nothing")

    def test_oxygen_is_refused(self) -> None:
        for medium in ("oxygen", "Oxygen ", "acetylene"):
            with self.assertRaises(Refused):
                tightness("british", 12, held(20.5, 20.5, 20.5), FINE, medium=medium)

    def test_overnight_asks_the_pipes_temperature(self) -> None:
        gauge = Gauge(0.1 * PSI_PA, 200 * PSI_PA)
        bare = [Point(0, 100 * PSI_PA), Point(840, 96.9 * PSI_PA)]
        found = tightness("overnight", 40, bare, gauge)
        self.assertEqual(found.outcome, "proves nothing")
        self.assertIn("a kelvin makes", found.why[0])
        cold = [Point(0, 100 * PSI_PA, 20.0), Point(840, 96.9 * PSI_PA, 12.0)]
        self.assertEqual(tightness("overnight", 40, cold, gauge).outcome, "pass")
        warm = [Point(0, 100 * PSI_PA, 20.0), Point(840, 99.9 * PSI_PA, 24.0)]
        self.assertEqual(tightness("overnight", 40, warm, gauge).outcome, "fail")  # it should have risen
        self.assertEqual(tightness("overnight", 40, cold, Gauge(0.1 * PSI_PA, 600 * PSI_PA)).outcome, "proves nothing")

    def test_the_contract(self) -> None:
        said = {
            "test": "inspector",
            "volume": "40 L",
            "readings": [
                {"at": "2026-03-01T10:00", "pressure": "15 psi", "temp_c": 20, "baro": 1013},
                {"at": "2026-03-01T10:20", "pressure": "14.9 psi", "temp_c": 19, "baro": 1013},
            ],
            "gauge": {"resolution": "0.1 psi", "range": "30 psi"},
        }
        found = find_tool("gas_tightness").run(said)
        self.assertEqual(found["verdict"], "pass")
        self.assertAlmostEqual(found["corrected_drop_pa"], 0, delta=15)  # 0.10 psi is the kelvin
        self.assertAlmostEqual(found["smallest_leak_l_h"], smallest_leak_l_h(40, 0.2 * PSI_PA, 20, 101_300), places=4)
        plan = find_tool("test_plan").run(
            {"test": "overnight", "volume": 40, "gauge": {"resolution": "0.1 psi"}, "hours": 14, "temp_swing_k": 6}
        )
        self.assertAlmostEqual(plan["smallest_leak_l_h"], smallest_leak_l_h(40, 0.2 * PSI_PA, 840), places=5)
        hides = 6 * (60 * PSI_PA + 101_325) / 293.15
        self.assertAlmostEqual(plan["hidden_leak_l_h"], smallest_leak_l_h(40, 0.2 * PSI_PA + hides, 840), places=5)
        with self.assertRaises(Refused):
            find_tool("gas_tightness").run(
                {**said, "readings": [{"at": 0, "pressure": 1}, {"at": "10:00", "pressure": 1}]}
            )


def run_sim(rng: random.Random, leaking: bool) -> tuple[str, float, float]:
    """A test on the stand-in: (outcome, leak [L/h], smallest the test is sure to see [L/h])."""
    test = rng.choice(("british", "continental", "code", "inspector"))
    volume = rng.uniform(3, 30) if test == "british" else rng.uniform(5, 300)
    rule = rule_of(test, volume)
    step = rng.choice((10.0,)) if test == "british" else rng.choice((0.5, 1.0)) * 0.01 * rule.low_pa
    gauge = Gauge(step, rule.low_pa * 4)
    sees = planned(test, volume, gauge).smallest_leak_l_h
    leak = sees * rng.uniform(1.05, 6) if leaking else 0.0
    start = rng.uniform(rule.low_pa * 1.01, min(rule.high_pa, rule.low_pa * 1.3))
    swing = rng.uniform(-2, 2) if test != "british" else 0.0
    hold = rule.hold_min
    sim = GaugeSim(
        volume,
        start,
        leak_l_h=leak,
        temps=((0.0, 18.0), (hold * 60, 18.0 + swing)),
        resolution_pa=step,
        noise_pa=step * rng.uniform(0, 0.4),
        baro_fall_pa_h=rng.uniform(-100, 100),
        temp_resolution_k=0.01,
        seed=rng.randrange(1 << 30),
    )
    count = rng.randint(20, 60)
    points = []
    for n in range(count + 1):
        one = sim.read(hold * 60 * n / count)
        points.append(Point(one.seconds / 60, one.pressure_pa, one.temp_c, one.baro_pa))
    return tightness(test, volume, points, gauge).outcome, leak, sees


def campaign(seed: int, count: int) -> tuple[int, int, int]:
    """Tests on tight and on leaking pipe: (how many of each, false fails, missed leaks)."""
    rng = random.Random(seed)
    false = sum(run_sim(rng, False)[0] != "pass" for _ in range(count))
    missed = sum(run_sim(rng, True)[0] != "fail" for _ in range(count))
    return count, false, missed


class StandInTest(unittest.TestCase):
    def test_tight_pipe_passes_and_leaks_are_seen(self) -> None:
        count, false, missed = campaign(17, 100)
        print(f"gauge stand-in: {count} tight, {false} failed; {count} leaking, {missed} missed")
        self.assertLessEqual(false, 0.02 * count)
        self.assertLessEqual(missed, 0.02 * count)

    def test_coarse_gauges_and_short_holds_prove_nothing(self) -> None:
        rng = random.Random(5)
        for _ in range(40):
            volume = rng.uniform(5, 300)
            rule = rule_of("code", volume)
            coarse = Gauge(rule.low_pa * rng.uniform(0.03, 0.2), rule.low_pa * 4)
            fine = Gauge(rule.low_pa * 0.005, rule.low_pa * 4)
            start = rule.low_pa * 1.05
            whole = [Point(n, start, 20.0, 101_325) for n in range(int(rule.hold_min) + 1)]
            self.assertEqual(tightness("code", volume, whole, coarse).outcome, "proves nothing")
            self.assertEqual(tightness("code", volume, whole[: rng.randint(2, 10)], fine).outcome, "proves nothing")
            self.assertEqual(tightness("code", volume, whole, fine).outcome, "pass")

    def test_the_stand_in_obeys_the_gas_law(self) -> None:
        """10 L at 1 bar gauge, 1 L/h leaks at first: after 6 minutes 0.1 L of free air less: 1013.25 Pa; 10 K warmer:
        3.41 % more absolute pressure."""
        leaking = GaugeSim(10, 1e5, leak_l_h=1.0, resolution_pa=0.1)
        self.assertAlmostEqual(1e5 - leaking.read(360).pressure_pa, 0.1 / 10 * 101_325, delta=6)
        warming = GaugeSim(10, 1e5, temps=((0, 20.0), (600, 30.0)), resolution_pa=0.1)
        self.assertAlmostEqual((warming.read(600).pressure_pa + 101_325) / 201_325, 303.15 / 293.15, places=5)
        self.assertEqual(read_temps("minutes,C\n0,20\n30,18.5"), ((0.0, 20.0), (1800.0, 18.5)))
        with self.assertRaises(Refused):
            read_temps("0,warm")


if __name__ == "__main__":
    unittest.main()
