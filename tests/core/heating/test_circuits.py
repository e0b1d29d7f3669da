"""Circuits other than a plain two-pipe tree, on traced pipework: ring mains, single-pipe rings, several pumps,
bypasses, mixing sets."""

import math
import unittest

from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.matter import fluid
from oikotherm.core.network.friction import pipe_drop, valve_drop_pa
from oikotherm.core.network.pipesizes import other_sizes
from oikotherm.core.network.solver import Branch, PumpCurve, solve
from oikotherm.core.services.heating.carry_heat import carry_heat
from oikotherm.core.services.heating.pumps import duties
from oikotherm.core.services.heating.series import emitter_of
from oikotherm.core.services.heating.simulate import Setting, Settings, balance, running_of, simulate
from oikotherm.core.services.heating.sizing import heating_of
from oikotherm.core.services.heating.valves import curve_of_points
from oikotherm.core.services.heating.vessel import pressure_at_bar
from oikotherm.core.services.heating.water_work import water_work
from oikotherm.exchange.heating.simulation import run as simulated
from oikotherm.exchange.heating.sizes import sizes_of
from tests.jobs import CATALOGUE, edit, job, whole

BIG = PumpCurve(30_000.0, 30_000.0 / 0.5**2)


def placed(id_, kind, ports, **data):
    """A station whose ports stand where they are said in the house: (name, role, way, (x, y, z), facing, size)."""
    made = [
        {
            "name": name,
            "role": role,
            "way": way,
            "offset": (x, -y, z),
            "facing": facing,
            "end": f"comp-cu {size} socket",
        }
        for name, role, way, (x, y, z), facing, size in ports
    ]
    station = {"id": id_, "kind": kind, "level": "L0", "at": (0, 0, 0), "faces": "S", "ports": made, "data": data}
    return {"do": "put_station", "station": station}


def boiler(**data):
    return placed(
        "BLR",
        "boiler",
        [("flow", "flow", "out", (0, 0, 0), "up", 22), ("return", "return", "in", (0, 200, 0), "up", 22)],
        output_w=12000,
        **data,
    )


def emitter(id_, x, y=1000, w=1500, **data):
    ports = [("flow", "flow", "in", (x, y, 100), "up", 15), ("return", "return", "out", (x, y + 200, 100), "up", 15)]
    return placed(id_, "emitter", ports, **{"output_w": w, "exponent": 1.3, "rated_at_k": 50, "kv": 0.5, **data})


def terms(source="BLR", flow=75, back=55, id_="CH"):
    return {"do": "put_circuit", "circuit": {"id": id_, "source": source, "flow_c": flow, "return_c": back}}


def built(*parts):
    return edit(job(), *(part if isinstance(part, dict) else {"do": "put_run", "text": part} for part in parts))


def made(*parts):
    return derive(built(*parts))


def run(design, which=0, **settings):
    return simulate(design.job, design.fitted, CATALOGUE, heating_of(design)[which], Settings(**settings))


def rules(design):
    return {finding.rule for finding in design.findings}


BACK = (
    "RT1 from BLR.return cu-m 22: U500 E2000 *T1 =cu-m 15 E2000 N1000 D? -> R2.return",
    "RT2 from RT1.T1 cu-m 15: N1000 D? -> R1.return",
)
RING = (
    boiler(),
    emitter("R1", 2000),
    emitter("R2", 4000),
    "F1 from BLR.flow cu-m 22: U300 E500 *T0 E1500 *T1 E2000 *T2 -> stub",
    "F4 from F1.T0 cu-m 22: S800 E3500 N800 -> F1.T2",
    "F2 from F1.T1 cu-m 15: N1000 D? -> R1.flow",
    "F3 from F1.T2 cu-m 15: N1000 D? -> R2.flow",
    *BACK,
    terms(),
)
SINGLE = (
    boiler(),
    *(emitter(f"R{n + 1}", 2000 * (n + 1)) for n in range(3)),
    "F1 from BLR.flow cu-m 22: U300 E2000 *T1 E200 *T2 E1800 *T3 E200 *T4 E1800 *T5 E200 *T6 E500 N200 W6700 D? -> "
    "BLR.return",
    *(f"F{n + 2} from F1.T{2 * n + 1} cu-m 15: N1000 D? -> R{n + 1}.flow" for n in range(3)),
    *(f"RT{n + 1} from R{n + 1}.return cu-m 15: U300 E200 S? D? -> F1.T{2 * n + 2}" for n in range(3)),
    terms(),
)


def two_pumps(check=""):
    return (
        boiler(),
        emitter("R1", 2000),
        emitter("R2", 4000, w=3000),
        f"F1 from BLR.flow cu-m 22: U300 E500 *T0 E500 [pump]{check} E? N1000 =cu-m 15 D? -> R1.flow",
        f"F4 from F1.T0 cu-m 22: S800 E500 [pump]{check} E? N1800 =cu-m 15 D? -> R2.flow",
        *BACK,
        terms(),
    )


def mixed(**manifold):
    loops = [
        placed(
            f"U{n}",
            "emitter",
            [
                ("flow", "flow", "in", (3000 + 100 * n, 2000, 0), "up", 15),
                ("return", "return", "out", (3200 + 100 * n, 2200, 0), "up", 15),
            ],
            output_w=e.output_w,
            exponent=e.exponent,
            rated_at_k=e.rated_at_k,
            loop_m=e.loop_m,
        )
        for n, e in ((1, emitter_of("floor 150x12")), (2, emitter_of("floor 150x8")))
    ]
    ports = [
        ("flow", "flow", "in", (3000, 0, 400), "left", 22),
        ("return", "return", "out", (3000, 200, 200), "left", 22),
        ("f1", "flow", "out", (3100, 0, 400), "up", 15),
        ("f2", "flow", "out", (3200, 0, 400), "up", 15),
        ("r1", "return", "in", (3300, 200, 200), "up", 15),
        ("r2", "return", "in", (3400, 200, 200), "up", 15),
    ]
    return (
        boiler(),
        emitter("R1", 1000, 3000),
        placed("MAN", "manifold", ports, **manifold),
        *loops,
        "F1 from BLR.flow cu-m 22: U400 E1000 *T1 E2000 -> MAN.flow",
        "RT1 from BLR.return cu-m 22: U200 E1000 *T1 E2000 -> MAN.return",
        "F2 from F1.T1 cu-m 15: N3000 D? -> R1.flow",
        "RT2 from RT1.T1 cu-m 15: N3000 D? -> R1.return",
        *(f"F{n + 2} from MAN.f{n} cu-m 15: U100 N2000 D? -> U{n}.flow" for n in (1, 2)),
        *(f"RT{n + 2} from MAN.r{n} cu-m 15: U200 N2000 W100 D? -> U{n}.return" for n in (1, 2)),
        terms(),
        terms("MAN", 40, 33, "UF"),
    )


class RingMainTest(unittest.TestCase):
    def test_the_two_ways_round_lose_the_same(self):
        design = made(*RING)
        heating = heating_of(design)[0]
        self.assertEqual(heating.left_out, ())
        near, far = (sum(heating.section(name).drop_pa for name in names) for names in (("F1/2", "F1/3"), ("F4/1",)))
        self.assertAlmostEqual(near, far, delta=0.02 * near)
        self.assertAlmostEqual(heating.section("F1/1").flow_kg_s, heating.flow_kg_s, places=9)
        into = sum(heating.section(name).flow_kg_s for name in ("F1/3", "F4/1"))
        self.assertAlmostEqual(into, heating.section("F3/1").flow_kg_s, places=8)

    def test_as_balanced_it_runs_as_sized(self):
        design = made(*RING)
        found = running_of(design)["BLR"]
        for one in found.emitters:
            self.assertAlmostEqual(one.share, 1.0, delta=0.02)
        for section in heating_of(design)[0].sections:
            self.assertAlmostEqual(
                abs(found.sections[section.id]), section.flow_kg_s, delta=0.03 * heating_of(design)[0].flow_kg_s
            )
        self.assertLess(found.energy_gap, 1e-3)


class SinglePipeTest(unittest.TestCase):
    def test_each_emitter_gets_cooler_water_and_the_heat_adds_up(self):
        design = made(*SINGLE)
        heating = heating_of(design)[0]
        self.assertTrue(heating.single_pipe)
        loads = heating.loads
        self.assertEqual([load.station for load in loads], ["R1", "R2", "R3"])
        self.assertEqual(loads[0].flow_c, 75.0)
        cp, ring = heating.medium.heat_j_kg_k, heating.flow_kg_s
        for before, after in zip(loads, loads[1:], strict=False):
            # what the ring has lost to one emitter is what the next one misses
            self.assertAlmostEqual(after.flow_c, before.flow_c - before.output_w / (ring * cp), places=6)
        self.assertIn("single-pipe", rules(design))
        self.assertNotIn("single-pipe", rules(made(*RING)))

    def test_an_emitter_takes_what_the_ring_holds_up_between_its_tees(self):
        heating = heating_of(made(*SINGLE))[0]
        own = sum(heating.section(name).drop_pa for name in ("F2/1", "RT1/1")) + sum(
            one.drop_pa for one in heating.loads[0].locals
        )
        self.assertAlmostEqual(own, heating.section("F1/2").drop_pa, delta=0.02 * own)
        by_hand = pipe_drop(heating.section("F1/2").flow_kg_s, 20.2, 0.0015, heating.medium)
        self.assertGreater(heating.section("F1/2").drop_pa, 10 * by_hand.dynamic_pa)

    def test_it_runs_as_sized(self):
        design = made(*SINGLE)
        found = running_of(design)["BLR"]
        self.assertAlmostEqual(found.flow_kg_s, heating_of(design)[0].flow_kg_s, delta=0.01 * found.flow_kg_s)
        self.assertLess(found.energy_gap, 1e-3)


class PumpsTest(unittest.TestCase):
    def test_each_pump_moves_its_own(self):
        heating = heating_of(made(*two_pumps()))[0]
        self.assertEqual(sorted(duty.loads for duty in heating.pumps), [("R1",), ("R2",)])
        for duty in heating.pumps:
            load = next(load for load in heating.loads if load.station == duty.loads[0])
            boiler_pa = valve_drop_pa(heating.flow_kg_s, 3.5, heating.medium)
            self.assertAlmostEqual(duty.head_pa, load.path_pa + boiler_pa, places=6)
            self.assertAlmostEqual(duty.flow_kg_s, load.flow_kg_s)
            self.assertAlmostEqual(load.surplus_pa, 0.0)

    def test_a_check_valve_keeps_the_water_from_the_standing_pump(self):
        bare, checked = (made(*two_pumps(more)) for more in ("", " E300 [check >]"))
        self.assertIn("pump-backflow", rules(bare))
        self.assertNotIn("pump-backflow", rules(checked))
        for design in (bare, checked):
            self.assertAlmostEqual(running_of(design)["BLR"].emitter("R1").share, 1.0, delta=0.02)
        # the second pump stands: its branch is driven backwards, unless a check valve holds
        ways = [
            Branch("B", "t", "s", kvs=(3.5,)),
            Branch("A", "s", "t", 10, 20, 0.0015, pump=BIG),
            Branch("X", "s", "t", 10, 20, 0.0015),
        ]
        loose = solve(ways, fluid(70), "t").flow_kg_s
        held = solve([*ways[:2], Branch("X", "s", "t", 10, 20, 0.0015, one_way=True)], fluid(70), "t").flow_kg_s
        self.assertLess(loose["X"], -0.01)
        self.assertEqual(held["X"], 0.0)
        self.assertAlmostEqual(held["A"], held["B"], places=6)

    def test_a_pump_behind_another_gives_what_is_wanting(self):
        blr = made(boiler()).job.station("BLR")
        found, surplus = duties(
            blr,
            0.2,
            None,
            500.0,
            [("R1", 0.1, 4000.0, ("P0",)), ("R2", 0.1, 9000.0, ("P0", "P1"))],
            {"x": 1000.0},
            {"R1": ["x"], "R2": ["x"]},
            {},
            {},
        )
        self.assertEqual({duty.key: duty.head_pa for duty in found}, {"P0": 4500.0, "P1": 5000.0})
        self.assertEqual(surplus, {"R1": 0.0, "R2": 0.0})

    def test_a_label_gives_a_curve(self):
        curve = curve_of_points([(0.0, 45_000.0), (0.1, 44_000.0), (0.2, 41_000.0)])
        self.assertAlmostEqual(curve.head_pa(0.15)[0], 42_750.0, delta=1)
        for wrong in ([(0.1, 40_000.0)], [(0.0, 10_000.0), (0.2, 20_000.0)]):
            self.assertRaises(Refused, curve_of_points, wrong)

    def test_a_pump_inside_the_boiler_is_held_against_the_way(self):
        def with_curve(*points):
            return made(boiler(pump_curve=points), *RING[1:])

        weak, strong = with_curve((0.0, 1200.0), (0.2, 0.0)), with_curve((0.0, 45_000.0), (0.2, 41_000.0))
        self.assertIn("residual-head", rules(weak))
        self.assertNotIn("residual-head", rules(strong))
        heating = heating_of(strong)[0]
        self.assertAlmostEqual(heating.residual_pa, 45_000 - 4000 * (heating.flow_kg_s / 0.2) ** 2, places=3)
        self.assertEqual(heating.pressure_steps[-1].drop_pa, 0.0)


class BypassTest(unittest.TestCase):
    PARTS = (
        *two_pumps()[:3],
        "RT1 from BLR.return cu-m 22: U500 E1000 *T3 E1000 *T1 =cu-m 15 E2000 N1000 D? -> R2.return",
        "RT2 from RT1.T1 cu-m 15: N1000 D? -> R1.return",
        "F1 from BLR.flow cu-m 22: U300 E500 *T0 E500 *T1 E1000 N1000 =cu-m 15 D? -> R1.flow",
        "F4 from F1.T0 cu-m 22: S800 E3500 N1800 =cu-m 15 D? -> R2.flow",
        "F5 from F1.T1 cu-m 15: U100 W300 [bypass set 12] W200 U? N? E? -> RT1.T3",
        terms(),
    )

    def test_it_stands_shut_as_designed_and_opens_when_the_others_shut(self):
        design = made(*self.PARTS)
        heating = heating_of(design)[0]
        self.assertEqual((heating.left_out, heating.single_pipe, heating.section("F5/1").flow_kg_s), ((), False, 0.0))
        self.assertAlmostEqual(run(design).sections["F5/1"], 0.0, places=6)
        shut = run(design, emitters={"R1": Setting(trv=0), "R2": Setting(trv=0)}, pump=BIG)
        through = shut.sections["F5/1"]
        self.assertGreater(through, 0.05)
        self.assertAlmostEqual(through, shut.flow_kg_s, places=6)
        # what the pump gives is what the valve keeps and the pipes lose
        self.assertGreater(shut.head_pa, 12_000)
        self.assertAlmostEqual(BIG.head_pa(through)[0], shut.head_pa, places=1)
        self.assertLess(shut.return_c, 75.0)
        self.assertTrue(math.isfinite(shut.return_c))


class MixingTest(unittest.TestCase):
    def test_the_loops_are_a_circuit_of_their_own_and_a_load_of_the_first(self):
        design = made(*mixed())
        first, loops = heating_of(design)
        self.assertEqual((loops.circuit.source.id, loops.circuit.behind), ("MAN", "BLR"))
        heat = sum(load.output_w for load in loops.loads)
        load = next(load for load in first.loads if load.station == "MAN")
        self.assertAlmostEqual(load.output_w, heat)
        self.assertAlmostEqual(load.flow_kg_s, heat / (first.medium.heat_j_kg_k * (75 - 33)))
        self.assertAlmostEqual(loops.flow_kg_s, heat / (loops.medium.heat_j_kg_k * 7))
        self.assertEqual({name for name in rules(design) if name in ("not-balanced", "no-isolation")}, {"no-isolation"})

    def test_loops_by_hand(self):
        """Heat of a floor at 40/33/20 C by its own rating, friction of 80 m of 15 mm by another pipe of that length."""
        loops = heating_of(made(*mixed()))[1]
        one = next(load for load in loops.loads if load.station == "U1")
        self.assertEqual(one.nominal_w, 88 * 12)
        log_mean = 7 / math.log(20 / 13)
        self.assertAlmostEqual(one.output_w, 88 * 12 * (log_mean / (20 * 0.99668)) ** 1.1, delta=1.5)
        drop = pipe_drop(one.flow_kg_s, 13.6, 0.0015, loops.medium).gradient_pa_m * 80
        self.assertAlmostEqual(sum(local.drop_pa for local in one.locals), drop, delta=0.5)
        self.assertEqual({one.valve for one in balance(loops)}, {"manifold"})

    def test_both_run_and_their_water_is_one(self):
        design = made(*mixed())
        for name in ("BLR", "MAN"):
            found = running_of(design)[name]
            self.assertLess(found.energy_gap, 1e-3)
            self.assertLess(max(abs(one.share - 1) for one in found.emitters), 0.05)
        first, loops = heating_of(design)
        self.assertAlmostEqual(next(row.litres for row in first.volume if row.what == "MAN, loops"), loops.volume_l)
        self.assertIsNone(loops.vessel)
        self.assertIsNone(water_work(design, loops))
        work = water_work(design, first)
        self.assertAlmostEqual(sum(one.litres for one in work.storeys), first.volume_l, delta=0.6)
        self.assertIn("U1, loop in the floor: blow it out", dict(work.trapped))

    def test_a_manifold_without_its_own_temperatures_is_plain(self):
        design = made(*mixed()[:-1])
        self.assertEqual(len(heating_of(design)), 1)
        self.assertEqual({load.station for load in heating_of(design)[0].loads}, {"R1", "U1", "U2"})


def in_room(job_, ident, room):
    document = job_.station(ident).model_dump(exclude_none=True)
    return edit(job_, {"do": "put_station", "station": {**document, "data": {**document["data"], "room": room}}})


class RoomTest(unittest.TestCase):
    def shop(self, need_w):
        """A radiator of the boiler's circuit and a loop of the mixing set's warm one room, where the set itself
        hangs."""
        made_ = edit(
            built(*mixed()), {"do": "put_house", "text": f"room SHP on L0 Shop: -1000,-1000 9000x9000 20C {need_w:g}W"}
        )
        for ident in ("R1", "U1", "MAN"):
            made_ = in_room(made_, ident, "SHP")
        return derive(made_)

    def test_emitters_of_all_circuits_warm_it_and_mixing_sets_do_not(self):
        first, loops = heating_of(made(*mixed()))
        gives = sum(load.output_w for one in (first, loops) for load in one.loads if load.station in ("R1", "U1"))
        for need, short in ((gives - 20, False), (gives + 20, True)):
            design = self.shop(round(need))
            said = [finding.says for finding in design.findings if finding.rule == "room-short"]
            self.assertEqual(bool(said), short)
            if short:
                self.assertIn(f"give {gives:.0f} W at 40/33 and 75/55 C", said[0])

    def test_another_flow_temperature_is_judged_with_what_the_other_circuit_gives(self):
        design = self.shop(1000)
        loop_w = running_of(design)["MAN"].emitter("U1").output_w
        for flow_c in (75, 50):
            row = simulated(design, {"circuit": "BLR", "flow_c": flow_c})
            own = next(one["output_w"] for one in row["emitters"] if one["id"] == "R1")
            self.assertAlmostEqual(row["rooms"][0]["given_w"], own + loop_w, delta=0.2)
        self.assertEqual(simulated(design, {"circuit": "BLR", "flow_c": 20})["rooms"][0]["short"], True)


class CoilTest(unittest.TestCase):
    def test_a_coil_follows_its_distance_to_the_store(self):
        """At one flow a coil in a store of one temperature gives in proportion to (flow - store): store (60 + 10) / 2
        C, rated at 75/55."""
        design = derive(whole())
        for flow_c in (80, 75, 62, 50):
            coil = next(
                one for one in simulated(design, {"circuit": "BLR", "flow_c": flow_c})["emitters"] if one["id"] == "CYL"
            )
            self.assertAlmostEqual(coil["output_w"], 3000 * (coil["flow_c"] - 35) / 40, delta=12)
        for flow_c in (35, 25):
            found = simulated(design, {"circuit": "BLR", "flow_c": flow_c})
            coil = next(one for one in found["emitters"] if one["id"] == "CYL")
            self.assertEqual((coil["output_w"], coil["return_c"]), (0.0, coil["flow_c"]))
            self.assertLess(found["residuals"]["energy_share"], 1e-3)


class LayoutTest(unittest.TestCase):
    """A reversed return as it is paced, insert fittings, pressures by level."""

    REVERSED = (
        boiler(),
        *(emitter(f"R{n + 1}", 2000 * (n + 1)) for n in range(3)),
        "F1 from BLR.flow cu-m 22: U300 E2000 *T1 E2000 *T2 =cu-m 15 E2000 N1000 D? -> R3.flow",
        "F2 from F1.T1 cu-m 15: N1000 D? -> R1.flow",
        "F3 from F1.T2 cu-m 15: N1000 D? -> R2.flow",
        "RT1 from BLR.return cu-m 22: U600 E7000 N1000 W1000 *T1 =cu-m 15 D? -> R3.return",
        "RT2 from RT1.T1 cu-m 22: W2000 *T1 =cu-m 15 W2000 D? -> R1.return",
        "RT3 from RT2.T1 cu-m 15: D? -> R2.return",
        terms(),
    )

    def test_a_reversed_return_nearly_balances_itself(self):
        heating = heating_of(made(*self.REVERSED))[0]
        direct = heating_of(
            made(
                *RING[:1],
                *self.REVERSED[1:4],
                *self.REVERSED[4:7],
                "RT1 from BLR.return cu-m 22: U600 E2000 *T1 E2000 *T2 =cu-m 15 E2000 N1000 D? -> R3.return",
                "RT2 from RT1.T1 cu-m 15: N1000 D? -> R1.return",
                "RT3 from RT1.T2 cu-m 15: N1000 D? -> R2.return",
                terms(),
            )
        )[0]
        self.assertEqual((heating.left_out, direct.left_out), ((), ()))
        self.assertEqual(len(heating.loads), 3)

        def ends(one):
            """What is between the first emitter's pipes and the last one's, without the valves [Pa]."""
            path = {load.station: load.path_pa - sum(local.drop_pa for local in load.locals) for load in one.loads}
            return abs(path["R3"] - path["R1"])

        self.assertLess(ends(heating), 0.6 * ends(direct))

    def test_insert_fittings_are_charged_by_their_bore(self):
        """Multilayer 16: bore 12, insert 8.5; an elbow's K of 1.2 on the velocity in it grows by (12 / 8.5)^4."""
        design = made(
            boiler(),
            emitter("R1", 2000),
            "F1 from BLR.flow cu-m 22: U300 E1000 =mlc 16 E1000 N1000 D? -> R1.flow",
            BACK[0].replace(" *T1 =cu-m 15 E2000", "").replace("R2", "R1"),
            terms(),
        )
        section = next(one for one in heating_of(design)[0].sections if one.pipe.code == "mlc")
        elbow = next(local for local in section.locals if "elbow press-mlc" in local.title)
        self.assertAlmostEqual(elbow.k, 1.2 * (12 / 8.5) ** 4, places=2)
        self.assertEqual(section.insert_mm, 8.5)
        self.assertIsNone(heating_of(design)[0].section("F1/1").insert_mm)

    def test_pressure_falls_by_a_tenth_of_a_bar_a_metre(self):
        self.assertAlmostEqual(pressure_at_bar(1.5, 5.0, 1000.0), 1.5 - 0.4903, places=4)
        (row,) = sizes_of(made(*self.REVERSED))[0]["levels"]
        vessel = heating_of(made(*self.REVERSED))[0].vessel
        self.assertAlmostEqual(row["top_m"], 0.6)
        self.assertAlmostEqual(row["cold_bar"], vessel.cold_fill_bar - 0.0588, delta=0.006)


class OtherSizeTest(unittest.TestCase):
    def test_a_size_down_costs_and_a_size_up_saves(self):
        heating = heating_of(made(*RING))[0]
        section = heating.section("F1/1")
        down, up = other_sizes(section, CATALOGUE, "british")
        self.assertEqual((str(down.pipe), str(up.pipe)), ("cu-m 15", "cu-m 28"))
        self.assertGreater(down.drop_pa, section.drop_pa)
        self.assertLess(up.drop_pa, section.drop_pa)
        by_hand = pipe_drop(section.flow_kg_s, 26.2, 0.0015, heating.medium)
        self.assertAlmostEqual(up.gradient_pa_m, by_hand.gradient_pa_m, places=6)
        self.assertAlmostEqual(up.litres, math.pi / 4 * (2.62**2 - 2.02**2) / 10 * section.length_m, places=2)


class CarryTest(unittest.TestCase):
    def test_water_that_goes_round_settles(self):
        """Half of what passes b comes back to a: heat lost on a-b is lost by all of it, so that the mixed water is
        cooler."""
        ways = [("in", "s", "a", 1.0), ("ab", "a", "b", 2.0), ("ba", "b", "a", 1.0), ("out", "b", "t", 1.0)]
        ends, _ = carry_heat(ways, "s", 60.0, lambda key, t, flow: ((t - 5.0) if key == "ab" else t, 1.0))
        self.assertAlmostEqual(ends["a"][0], 55.0, places=6)
        self.assertAlmostEqual(ends["t"][0], 50.0, places=6)


if __name__ == "__main__":
    unittest.main()
