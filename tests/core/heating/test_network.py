"""The network solver against another method and another library's friction; analytic cases; energy; balance; speed."""

import math
import statistics
import time
import unittest

import fluids
import numpy as np
from scipy.optimize import root

from benchmarks.building import building
from oikotherm.core.catalogue import standard
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.matter import fluid
from oikotherm.core.network.friction import pipe_drop, valve_drop_pa
from oikotherm.core.network.solver import Branch, PumpCurve, solve
from oikotherm.core.pipe_loss import pipe_loss_w_m_k
from oikotherm.core.services.heating.emitter import RATED_LOG_K, output
from oikotherm.core.services.heating.simulate import Setting, Settings, balance, emitter_return_c, simulate
from oikotherm.core.services.heating.sizing import heating_of
from oikotherm.core.services.heating.valves import (
    choose_pump,
    circulators,
    kv_of_turns,
    lockshield_curve,
    turns_of_kv,
)
from oikotherm.demo import documents
from tests.jobs import edit, job

WATER = fluid(70.0)
PUMP = PumpCurve(40_000.0, 40_000.0 / 0.6**2)


def pipe(key, a, b, length=4.0, bore=13.6, k=0.0, kvs=(), **more):
    return Branch(key, a, b, length, bore, 0.0015, k, kvs, **more)


def ladder(rungs, *, reversed_return=False, bore=20.2, kv=0.6):
    """A two-pipe trunk with emitters as rungs; reversed return: the return goes on to the far end and home from
    there."""
    made = [Branch("BLR", "t", "s", kvs=(3.5,), pump=PUMP)]
    for n in range(rungs):
        made.append(pipe(f"F{n}", f"f{n - 1}" if n else "s", f"f{n}", bore=bore))
        back = (
            (f"r{n}", f"r{n + 1}" if n + 1 < rungs else "t")
            if reversed_return
            else (f"r{n}", f"r{n - 1}" if n else "t")
        )
        made.append(pipe(f"R{n}", *back, bore=bore))
        made.append(pipe(f"E{n}", f"f{n}", f"r{n}", 2.0, k=3.0, kvs=(kv,)))
    return made


def manifold():
    made = [
        Branch("BLR", "t", "s", kvs=(3.5,), pump=PUMP),
        pipe("F", "s", "mf", 8.0, 26.2),
        pipe("R", "mr", "t", 8.0, 26.2),
    ]
    for n in range(6):
        made.append(pipe(f"L{n}", "mf", "mr", 40.0 + 15 * n, 12.0, k=6.0, kvs=(1.2,)))
    return made


def looped():
    """A ring main: the trunk closes on itself, emitters hang across it."""
    made = [Branch("BLR", "t", "s", kvs=(3.5,), pump=PUMP)]
    ring = ["s", "a", "b", "c", "d"]
    made += [pipe(f"F{n}", ring[n], ring[(n + 1) % 5], 6.0, 20.2) for n in range(5)]
    back = ["t", "A", "B", "C", "D"]
    made += [pipe(f"R{n}", back[(n + 1) % 5], back[n], 6.0, 20.2) for n in range(5)]
    return made + [pipe(f"E{x}", x, x.upper(), 2.0, k=3.0, kvs=(0.7,)) for x in "abcd"]


def two_pumps():
    """A booster in one branch, and a bridge between the two flows, so that the bridge's flow may go either way."""
    return [
        Branch("BLR", "t", "s", kvs=(3.5,), pump=PUMP),
        pipe("A", "s", "a", 10),
        pipe("B", "s", "b", 14),
        pipe("X", "a", "b", 3),
        Branch("EA", "a", "t", 6, 13.6, 0.0015, 3.0, (0.5,), PumpCurve(12_000.0, 12_000.0 / 0.3**2)),
        pipe("EB", "b", "t", 6, k=3.0, kvs=(0.9,)),
    ]


NETWORKS = {
    "two-pipe, 9 emitters": ladder(9),
    "reversed return, 8 emitters": ladder(8, reversed_return=True),
    "manifold, 6 loops": manifold(),
    "ring main with 4 emitters": looped(),
    "two pumps and a bridge": two_pumps(),
    "laminar, 4 emitters in small bore": ladder(4, bore=10.0, kv=0.02),
}


def factor(re, rough):
    """Friction by another library: Colebrook by `fluids`; below 2000 its laminar law; the same blend between, as that
    is ours."""
    if re <= 2000:
        return fluids.friction.friction_laminar(re)
    turbulent = fluids.friction.Colebrook(re, rough)
    share = min((re - 2000) / 2000, 1.0)
    share = share * share * (3 - 2 * share)
    return 64 / re * (1 - share) + turbulent * share


def lost(branch, m):
    """Pressure lost in a branch [Pa], one flow at a time."""
    if m == 0:
        return 0.0
    d = branch.bore_mm / 1000
    v = abs(m) / WATER.density_kg_m3 / (math.pi / 4 * d * d)
    re = v * d * WATER.density_kg_m3 / WATER.viscosity_pa_s
    drop = (
        (factor(re, branch.roughness_mm / branch.bore_mm) * branch.length_m / d + branch.k)
        * WATER.density_kg_m3
        * v
        * v
        / 2
    )
    drop += sum((abs(m) / WATER.density_kg_m3 * 3600 / kv) ** 2 * 1e5 * WATER.density_kg_m3 / 1000 for kv in branch.kvs)
    return math.copysign(drop, m)


def by_loops(branches):
    """The same network by another method: flows round fundamental loops, found by Powell's hybrid method on dense
    equations."""
    tree, seen, links = [], {branches[0].a}, []
    rest = list(branches)
    while rest:
        used = next((b for b in rest if (b.a in seen) != (b.b in seen)), None)
        if used is None:
            links += rest
            break
        seen |= {used.a, used.b}
        tree.append(used)
        rest.remove(used)
    names = sorted(seen)

    def flows(chords):
        m = {b.key: x for b, x in zip(links, chords, strict=True)}
        rows, right = [], []
        for name in names[1:]:
            rows.append([(b.a == name) - (b.b == name) for b in tree])
            right.append(-sum(((b.a == name) - (b.b == name)) * m[b.key] for b in links))
        solved = np.linalg.solve(np.array(rows, float), np.array(right, float))
        return m | {b.key: float(x) for b, x in zip(tree, solved, strict=True)}

    def pressures(m):
        p = {branches[0].a: 0.0}
        for b in tree:
            fall = lost(b, m[b.key]) - (b.pump.head_pa(m[b.key])[0] if b.pump else 0.0)
            p[b.b if b.a in p else b.a] = p[b.a] - fall if b.a in p else p[b.b] + fall
        return p

    def gaps(chords):
        m = flows(chords)
        p = pressures(m)
        return [
            (p[b.a] - p[b.b] - lost(b, m[b.key]) + (b.pump.head_pa(m[b.key])[0] if b.pump else 0.0)) / 1000
            for b in links
        ]

    for start in (0.03, 0.01, 0.06, 0.002):
        found = root(gaps, [start] * len(links), method="hybr", tol=1e-11)
        if max(map(abs, gaps(found.x))) < 1e-5:
            return flows(found.x)
    raise AssertionError("the reference did not converge")


class SolverTest(unittest.TestCase):
    def test_what_leaves_at_a_node_that_nothing_joins_is_refused(self):
        pipe = Branch("p", "a", "b", length_m=3.0, bore_mm=20.0)
        with self.assertRaises(Refused) as caught:
            solve([pipe], fluid(60, 0.0), "a", {"nowhere": 0.1})
        self.assertEqual(caught.exception.said, "nowhere")

    def test_six_networks_against_another_method(self):
        for name, branches in NETWORKS.items():
            with self.subTest(name):
                solved, reference = solve(branches, WATER, "t"), by_loops(branches)
                self.assertTrue(solved.converged)
                self.assertLess(solved.residual_pa, 0.1)
                self.assertLess(solved.residual_kg_s, 1e-6)
                for branch in branches:
                    flow = reference[branch.key]
                    self.assertAlmostEqual(solved.flow_kg_s[branch.key], flow, delta=0.005 * abs(flow) + 1e-6)
                    self.assertAlmostEqual(
                        solved.drop_pa[branch.key], lost(branch, flow), delta=0.01 * abs(lost(branch, flow)) + 0.5
                    )
        slow = solve(NETWORKS["laminar, 4 emitters in small bore"], WATER, "t").flow_kg_s["F3"]
        self.assertLess(pipe_drop(slow, 10.0, 0.0015, WATER).reynolds, 2000)

    def test_arrays_follow_the_one_friction_law(self):
        for flow in (1e-6, 0.001, 0.004, 0.008, 0.02, 0.1, 0.5):
            solved = solve([pipe("P", "a", "b", 10.0)], WATER, "b", {"a": -flow, "b": flow})
            by_one = pipe_drop(flow, 13.6, 0.0015, WATER).gradient_pa_m * 10
            self.assertAlmostEqual(solved.drop_pa["P"], by_one, delta=1e-6 * by_one + 1e-7)

    def test_analytic_cases(self):
        # two equal branches share alike; series add up; a shut valve carries nothing; doubling in rough turbulence
        # quadruples
        alike = [
            Branch("P", "t", "s", kvs=(50.0,), pump=PUMP),
            pipe("A", "s", "t", 20, k=2),
            pipe("B", "s", "t", 20, k=2),
        ]
        solved = solve(alike, WATER, "t")
        self.assertAlmostEqual(solved.flow_kg_s["A"], solved.flow_kg_s["P"] / 2, places=7)
        series = solve([pipe("A", "a", "b", 3), pipe("B", "b", "c", 7)], WATER, "c", {"a": -0.05, "c": 0.05})
        whole = solve([pipe("A", "a", "c", 10)], WATER, "c", {"a": -0.05, "c": 0.05})
        self.assertAlmostEqual(series.pressure_pa["a"], whole.pressure_pa["a"], places=4)
        shut = solve([*alike[:2], pipe("B", "s", "t", 20, k=2, closed=True)], WATER, "t")
        self.assertEqual(shut.flow_kg_s["B"], 0.0)
        self.assertAlmostEqual(shut.flow_kg_s["A"], shut.flow_kg_s["P"], places=7)
        valves = [
            solve([Branch("V", "a", "b", kvs=(0.5,))], WATER, "b", {"a": -m, "b": m}).drop_pa["V"] for m in (0.05, 0.1)
        ]
        self.assertAlmostEqual(valves[1], 4 * valves[0], delta=0.1)
        self.assertAlmostEqual(valves[0], valve_drop_pa(0.05, 0.5, WATER), delta=0.1)
        rough = [
            solve([Branch("P", "a", "b", 10, 20, 0.8)], WATER, "b", {"a": -m, "b": m}).drop_pa["P"] for m in (2.0, 4.0)
        ]
        self.assertAlmostEqual(rough[1] / rough[0], 4.0, delta=0.01)

    def test_a_pump_keeps_its_mode(self):
        for mode, head in (("constant", 20_000.0), ("proportional", 20_000.0)):
            pump = PumpCurve(40_000.0, 40_000.0 / 0.6**2, mode, set_pa=head)
            solved = solve([Branch("P", "t", "s", pump=pump), pipe("A", "s", "t", 20, kvs=(0.8,))], WATER, "t")
            given, _ = pump.head_pa(solved.flow_kg_s["P"])
            self.assertAlmostEqual(solved.pressure_pa["s"], given, delta=0.1)
            self.assertTrue(given == head if mode == "constant" else head / 2 < given < head)
        half = PumpCurve(40_000.0, 40_000.0 / 0.6**2, "fixed", 0.5)
        self.assertEqual(half.head_pa(0.0)[0], 10_000.0)
        self.assertAlmostEqual(half.head_pa(0.3)[0], 0.0)  # by the affinity laws: half the flow without head

    def test_bad_networks_are_refused(self):
        for branches, reference in (
            ([pipe("A", "a", "b", bore=0.0)], "a"),
            ([pipe("A", "a", "b", kvs=(0.0,))], "a"),
            ([pipe("A", "a", "b")], "z"),
        ):
            with self.assertRaises(Refused):
                solve(branches, WATER, reference)

    def test_three_hundred_emitters_in_time(self):
        large = derive(building(300))
        (heating,) = heating_of(large)
        self.assertEqual(len(heating.loads), 300)
        catalogue = large.context.catalogue
        times = []
        for _ in range(5):
            began = time.process_time()  # of this process alone: what runs beside it does not count
            set_ = Settings({one.station: one.setting for one in balance(heating)})
            found = simulate(large.job, large.fitted, catalogue, heating, set_)
            times.append((time.process_time() - began) * 1000)
        self.assertTrue(found.converged)
        self.assertLess(statistics.median(times), 3 * 150)  # about 100 ms on a quiet desk


class EmitterTest(unittest.TestCase):
    def test_factors_of_the_handbook(self):
        for difference, factor_ in (
            (20, 0.304),
            (25, 0.406),
            (30, 0.515),
            (35, 0.629),
            (40, 0.748),
            (45, 0.872),
            (55, 1.132),
            (60, 1.267),
        ):
            _, found, _ = output(1000.0, 1.3, 20 + difference + 1e-9, 20 + difference - 1e-9, 20.0, "arithmetic")
            self.assertAlmostEqual(found, factor_, delta=0.005 * factor_)

    def test_return_at_the_real_flow(self):
        # at its design flow a radiator gives its rating: 1000 W at 75/65/20 takes 1000 / (cp 10) kg/s
        capacity = 1000.0 / 10
        self.assertAlmostEqual(emitter_return_c(75.0, 20.0, capacity, 1000.0, 1.3, RATED_LOG_K), 65.0, places=6)
        for flow_c, share in ((75.0, 0.3), (55.0, 2.0), (40.0, 0.05)):
            back = emitter_return_c(flow_c, 20.0, capacity * share, 1000.0, 1.3)
            mean = (flow_c - back) / math.log((flow_c - 20) / (back - 20))
            self.assertAlmostEqual(capacity * share * (flow_c - back), 1000 * (mean / RATED_LOG_K) ** 1.3, delta=0.01)
        self.assertEqual(emitter_return_c(18.0, 20.0, capacity, 1000.0, 1.3), 18.0)


class RunningTest(unittest.TestCase):
    def demos(self):
        for document in documents():
            made = derive(document)
            for heating in heating_of(made):
                if heating.loads:
                    yield made, heating

    def test_balanced_by_its_turns_every_emitter_has_its_flow(self):
        tried = 0
        for made, heating in self.demos():
            found = balance(heating)
            self.assertTrue(all(one.possible for one in found))
            running = simulate(
                made.job,
                made.fitted,
                made.context.catalogue,
                heating,
                Settings({one.station: one.setting for one in found}),
            )
            for one in running.emitters:
                self.assertAlmostEqual(one.share, 1.0, delta=0.05)
                tried += 1
            unbalanced = simulate(made.job, made.fitted, made.context.catalogue, heating)
            self.assertGreater(max(abs(one.share - 1) for one in unbalanced.emitters), 0.2)  # it did need balancing
        self.assertGreaterEqual(tried, 10)

    def test_energy_closes_and_a_shut_valve_sends_the_rest_elsewhere(self):
        for made, heating in self.demos():
            set_ = {one.station: one.setting for one in balance(heating)}
            catalogue = made.context.catalogue
            plain = simulate(made.job, made.fitted, catalogue, heating, Settings(set_))
            self.assertLess(plain.energy_gap, 0.001)
            self.assertAlmostEqual(
                plain.boiler_w, sum(one.output_w for one in plain.emitters) + plain.pipe_w, delta=0.001 * plain.boiler_w
            )
            first = next(one.station for one in plain.emitters if one.station.startswith(("R", "U")))
            shut = simulate(
                made.job, made.fitted, catalogue, heating, Settings({**set_, first: Setting(set_[first].turns, 0.0)})
            )
            self.assertEqual(shut.emitter(first).flow_kg_s, 0.0)
            self.assertEqual(shut.emitter(first).output_w, 0.0)
            if first.startswith("R"):  # floor loops have no thermostatic valve of their own
                self.assertGreater(shut.emitter(first).trv_pa, plain.emitter(first).trv_pa)
            self.assertLess(shut.flow_kg_s, plain.flow_kg_s)
            self.assertTrue(
                all(
                    one.flow_kg_s >= plain.emitter(one.station).flow_kg_s - 1e-9
                    for one in shut.emitters
                    if one.station != first
                )
            )
            began = time.process_time()
            simulate(made.job, made.fitted, catalogue, heating, Settings(set_))
            self.assertLess(time.process_time() - began, 0.2)  # 8 ms on a quiet desk

    def test_settings_of_what_is_not_there_are_refused(self):
        made, heating = next(self.demos())
        for settings in (
            Settings({"R99": Setting()}),
            Settings({"R1": Setting(trv=2.0)}),
            Settings({"R1": Setting(turns=-1.0)}),
            Settings(flow_c=150.0),
        ):
            with self.assertRaises(Refused):
                simulate(made.job, made.fitted, made.context.catalogue, heating, settings)


def hung(*outputs_w):
    """Radiators of these outputs in a row on the south wall, and a boiler."""
    boiler = {
        "do": "add_station",
        "kind": "boiler",
        "level": "L0",
        "at": (6000, 3000, 1000),
        "data": {"output_w": 12000},
    }
    made = edit(job(), boiler)
    for n, watts in enumerate(outputs_w):
        at = (500 + 1400 * n, 0, 150)
        made = edit(
            made,
            {
                "do": "add_station",
                "kind": "emitter",
                "level": "L0",
                "at": at,
                "faces": "N",
                "data": {"output_w": watts},
            },
        )
    return made


def by_manifold():
    made = edit(hung(900, 1400, 600), {"do": "add_station", "kind": "manifold", "level": "L0", "at": (1500, 3000, 300)})
    name = next(one.id for one in made.stations if one.kind == "manifold")
    texts = [
        f"F1 from BLR.flow cu-m 22: U100 W? D? -> {name}.flow",
        f"RT1 from BLR.return cu-m 22: U160 N40 W? D? -> {name}.return",
    ]
    for n in (1, 2, 3):
        texts += [
            f"from {name}.f{n} cu-m 15: D{150 + 20 * n} S? W? U? -> R{n}.left",
            f"from {name}.r{n} cu-m 15: D{250 + 20 * n} S? W? U? -> R{n}.right",
        ]
    return edit(made, *({"do": "put_run", "text": text} for text in texts))


class TracedTest(unittest.TestCase):
    def test_a_manifold_feeds_its_loops(self):
        made = derive(by_manifold())
        (heating,) = heating_of(made)
        self.assertEqual(heating.left_out, ())
        self.assertEqual({load.station for load in heating.loads}, {"R1", "R2", "R3"})
        # by hand: the trunk carries the sum of the three
        trunk = next(section for section in heating.sections if section.id == "F1/1")
        self.assertAlmostEqual(trunk.flow_kg_s, sum(load.flow_kg_s for load in heating.loads))
        found = simulate(
            made.job,
            made.fitted,
            made.context.catalogue,
            heating,
            Settings({one.station: one.setting for one in balance(heating)}),
        )
        for one in found.emitters:
            self.assertAlmostEqual(one.share, 1.0, delta=0.05)
        self.assertLess(found.energy_gap, 0.001)


class ValvesTest(unittest.TestCase):
    def test_turns_and_kv_are_each_others_inverse(self):
        for turns, kv in lockshield_curve()[1:]:
            self.assertAlmostEqual(kv_of_turns(turns), kv)
            self.assertAlmostEqual(turns_of_kv(kv), turns)
        self.assertAlmostEqual(kv_of_turns(0.75), (0.13 + 0.30) / 2)
        self.assertIsNone(turns_of_kv(0.02))

    def test_the_smallest_pump_at_its_lowest_speed(self):
        found = choose_pump(0.14, 5500.0, WATER)
        self.assertEqual(found.circulator.name, "circulator 4 m")
        self.assertEqual(found.speed, 0.55)
        for speed in (one for one in found.circulator.speeds if one < found.speed):
            self.assertLess(found.circulator.curve(WATER, speed=speed).head_pa(0.14)[0], 5500.0)
        self.assertIsNone(choose_pump(3.0, 90_000.0, WATER))
        self.assertEqual([one.head_m for one in circulators()], [4, 6, 8])

    def test_pipe_losses_of_the_handbook(self):
        self.assertAlmostEqual(60 * pipe_loss_w_m_k(15.0), 35.0, delta=1.0)
        self.assertAlmostEqual(60 * pipe_loss_w_m_k(15.0, 13.0), 11.0, delta=0.5)
        self.assertEqual(standard().systems["cu-m"].roughness_mm, 0.0015)
