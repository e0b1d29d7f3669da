"""What is proved together, and that a test un-proves exactly what is changed after it."""

import functools
import random
import unittest

from oikotherm.core.context import Context
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.commands import apply
from oikotherm.core.services import spec
from oikotherm.core.services.rooms import rooms
from oikotherm.core.work.readings import Speech, read_readings
from oikotherm.core.work.records import Record
from oikotherm.core.work.sections import sections_of, state_mark
from oikotherm.core.work.standing import section_proofs, verdict_of
from oikotherm.core.work.verdict import Evidence, Gauge, TestRule, judge
from tests.core.test_memory import edits, rarer_edits
from tests.jobs import CATALOGUE, edit, job, port, station, whole
from tests.proving import passed, readings


@functools.cache
def shipped(name):
    """A demo as it ships, derived once for all tests."""
    return derive(whole(name))


def proofs(design, records=()):
    return section_proofs(design, sections_of(design), records, state_mark(design))


def by_flooding(design, service):
    """Sets of straights that hang together, found by colouring (not by the library the program uses)."""
    work = design.pipework
    own = {key: one for key, one in work.straights.items() if work.runs[one.run].run.service == service}
    through = spec.service(service).through
    colour = {}
    for first in own:
        if first in colour:
            continue
        waiting = [first]
        while waiting:
            key = waiting.pop()
            if key in colour:
                continue
            colour[key] = first
            ends = {own[key].from_node, own[key].to_node}
            stations = (
                {work.ports[work.nodes[end].part].station.id for end in ends if work.nodes[end].kind == "port"}
                if through
                else set()
            )
            for other, one in own.items():
                beyond = {one.from_node, one.to_node}
                met = {work.ports[work.nodes[end].part].station.id for end in beyond if work.nodes[end].kind == "port"}
                if ends & beyond or stations & met:
                    waiting.append(other)
    found = {}
    for key, first in colour.items():
        found.setdefault(first, set()).add(key)
    return {frozenset(one) for one in found.values()}


class SectionTest(unittest.TestCase):
    def test_heating_in_north_america_is_held_at_100_psi_with_the_boiler_out(self):
        """1.5 x 3 bar are 4.5 bar, less than 100 psi: 689.5 kPa. The British test stays below the safety valve."""
        house = whole("lockhouse")
        british = derive(house)
        one = next(one for one in proofs(british) if one.section.service == "heating")
        self.assertLess(one.rule.target_pa, 2.7e5 + 1)
        self.assertEqual(one.kind.keeps_out(british, one.section, one.rule), ())
        design = derive(house.model_copy(update={"practice": "north-american"}))
        found = next(one for one in proofs(design) if one.section.service == "heating")
        self.assertAlmostEqual(found.rule.target_pa, 689_476, delta=1)
        self.assertEqual((found.rule.hold_min, found.rule.unit), (15.0, "psi"))
        self.assertIn("safety valve", dict(found.kind.keeps_out(design, found.section, found.rule))["BLR"])

    def test_water_on_metal_may_be_tested_with_air_in_north_america(self):
        """50 psi, 344.7 kPa, 15 minutes; judged as air, no joint to be seen dry; never where there is plastic."""
        design = shipped("fernhollow")
        one = next(one for one in proofs(design) if one.section.key == "water/SUP.out/1")
        self.assertEqual([name for name, _ in one.kind.variants_of(design, one.section)], ["water", "air"])
        rule = one.kind.rule_of(design, one.section, "air")
        self.assertAlmostEqual(rule.target_pa, 344_738, delta=1)
        self.assertEqual(one.kind.medium_of(design, one.section, "", "air"), "air")
        self.assertEqual(one.kind.medium_of(design, one.section, "", "water"), "water")
        self.assertEqual((rule.phase, rule.corrected), ("gas", True))
        held = {0: 3.448, 5: 3.448, 12: 3.448, 20: 3.448}
        said = "\n".join(f"2026-03-01T10:{minute:02d}, {bar} bar, 18.0" for minute, bar in held.items())
        gauge = Gauge(0.5 * 6894.757, 200 * 6894.757)

        def outcome(text):
            return judge(rule, Evidence(read_readings(text), gauge, medium="air")).outcome

        self.assertEqual(outcome(said), "pass")
        self.assertEqual(outcome(said.replace("20, 3.448", "20, 3.2")), "fail")
        with self.assertRaisesRegex(Refused, "a test of this section"):
            one.kind.rule_of(design, one.section, "oxygen")

    def test_what_must_be_out_of_a_test(self):
        """By hand: at 20 mbar appliances stay, off at their valves; at 3 psi they come off; vessels hide leaks."""
        said = {}
        for name in ("lockhouse", "fernhollow"):
            design = shipped(name)
            for one in proofs(design):
                if one.kind.keeps_out:
                    said[one.section.key] = dict(one.kind.keeps_out(design, one.section, one.rule))
        british, american = said["gas/MTR.out/1"], said["gas/REG.out/1"]
        self.assertEqual({british[key] for key in ("BLR", "RNG", "URN")}, {"off at its valve"})
        self.assertIn("shut and locked", british["MTR"])
        self.assertTrue(all("disconnected" in american[key] for key in ("WH", "OVN", "GH")))
        self.assertEqual(set(said["water/SUP.out/1"]), {"WH", "EXP"})
        self.assertIn("hide a leak", said["water/SUP.out/1"]["EXP"])

    def test_three_services_three_kinds_of_section(self):
        design = shipped("lockhouse")
        found = {one.section.key: one for one in proofs(design)}
        self.assertEqual(set(found), {"heating/BLR.flow/1", "gas/MTR.out/1", "water/SUP.out/1", "water/CYL.hot/1"})
        heating, gas, water = (found[key] for key in ("heating/BLR.flow/1", "gas/MTR.out/1", "water/SUP.out/1"))
        self.assertEqual([one.kind.medium for one in (heating, gas, water)], ["water", "air", "water"])
        self.assertEqual(gas.rule.target_pa, 2000)  # 20 mbar, two minutes, no water anywhere near it
        self.assertEqual((gas.rule.settle_min, gas.rule.hold_min), (1, 2))
        self.assertAlmostEqual(water.rule.target_pa, 1.1 * 6e5)
        self.assertNotIn("water", " ".join(gas.kind.steps).lower())
        joints = [set(one.section.joints) for one in found.values()]
        self.assertEqual(sum(map(len, joints)), len(set().union(*joints)))
        runs = {run.id: run.service for run in design.job.runs}
        held = {key for key, one in design.fitted.joints.items() if not spec.service(runs[one.run]).runs_off}
        self.assertEqual(set().union(*joints), held)
        for one in found.values():
            services = {runs[design.fitted.joints[key].run] for key in one.section.joints}
            self.assertEqual(services, {one.section.service})

    def test_sections_are_what_hangs_together(self):
        for uid in ("lockhouse", "fernhollow", "olmo-vecchio"):
            design = derive(whole(uid))
            for service in spec.services().values():
                if not service.runs_off:
                    own = {frozenset(one.straights) for one in sections_of(design) if one.service == service.id}
                    self.assertLessEqual(own, by_flooding(design, service.id), f"{uid} {service.id}")

    def test_where_a_section_ends_is_named(self):
        design = shipped("fernhollow")
        gas = next(one for one in sections_of(design) if one.service == "gas")
        self.assertEqual(
            [one.what for one in gas.boundaries],
            [
                "REG.out shut off or plugged",
                "pocket G1.P1, closed",
                "capped end of G1",
                "pocket G2.T1, closed",
                "WH.gas shut off or plugged",
                "pocket G3.T1, closed",
                "OVN.gas shut off or plugged",
                "pocket G4.T1, closed",
                "GH.gas shut off or plugged",
            ],
        )
        # by hand from the lengths as traced: black steel 3/4, 20.9 mm, and 1/2, 15.8 mm; tube of 18, 23 and 25 / 32 in,
        # half more for its corrugations
        across_mm = {"3/4": 20.93, "1/2": 15.80}
        litres = 0.0
        for key in gas.straights:
            one = design.pipework.straights[key]
            more = 1.0 if one.pipe.code == "fe-40" else 1.5
            wide = across_mm.get(one.pipe.size) or int(one.pipe.size.removeprefix("EHD")) / 32 * 25.4
            litres += more * 3.14159 / 4 * wide**2 * one.b.minus(one.a).length / 1e6
        self.assertAlmostEqual(gas.volume_l, litres, delta=0.1)
        self.assertGreater(litres, 12)

    def test_plastic_is_never_tested_with_air(self):
        made = edit(
            job("north-american", "in"),
            station("SUP", [port("out", "pexa 3/4 pipe", (0, 0, 0), role="cold")], kind="supply"),
            {"do": "put_run", "text": "C1 from SUP.out pexa 3/4: U20 E60 -> cap"},
        )
        design = derive(made)
        (section,) = sections_of(design)
        (kind,) = rooms()["water"].tests
        self.assertEqual(kind.medium_of(design, section, ""), "water")
        with self.assertRaises(Refused):
            kind.medium_of(design, section, "air")
        self.assertEqual([name for name, _ in kind.variants_of(design, section)], ["water"])
        with self.assertRaisesRegex(Refused, "a test of this section"):
            kind.rule_of(design, section, "air")
        copper = shipped("fernhollow")
        first = next(one for one in sections_of(copper) if one.service == "water")
        self.assertEqual(kind.medium_of(copper, first, "air"), "air")

    def test_a_gas_job_has_no_drain_and_no_hot_water(self):
        there = edit(
            job(),
            station("MTR", [port("out", "comp-cu 22 socket", (0, 0, 100), role="gas")], kind="meter", state="keep"),
            station(
                "BLR",
                [port("gas", "comp-cu 22 socket", (3000, 0, 1000), way="in", role="gas")],
                kind="boiler",
                state="keep",
            ),
            {"do": "put_run", "text": "G1 from MTR.out cu-m 22: U900 E3000 -> cap"},
        )
        design = derive(there)
        keys = [step.key for step in design.plan]
        self.assertEqual(keys, ["isolate", "clips", "pipe:G1", "proof:gas/MTR.out/1", "handover"])
        words = " ".join(
            f"{s.title} {s.where} {s.hold} {s.caution} {[n.why for n in s.needs]}" for s in design.plan
        ).lower()
        for wrong in ("drain", "hot water", "scald", "water", "power"):
            self.assertNotIn(wrong, words)
        self.assertEqual(design.plan[0].hold, "gas shut and proven dead")
        self.assertEqual([(one.kind, one.key) for one in design.plan[0].effects], [("isolate", "gas")])

    def test_every_service_has_its_proof_in_the_plan(self):
        for uid in ("lockhouse", "fernhollow", "olmo-vecchio"):
            design = derive(whole(uid))
            keys = [step.key for step in design.plan if step.rule == "proof"]
            self.assertEqual(len(keys), len(sections_of(design)))
            last = next(step for step in design.plan if step.key == "handover")
            self.assertLessEqual({key for key in keys if key != "proof"}, {need.key for need in last.needs})

    def test_effects_say_what_is_done_to_the_house(self):
        plan = {step.key: {(one.kind, one.key) for one in step.effects} for step in shipped("lockhouse").plan}
        self.assertEqual(plan["isolate"], {("isolate", "heating"), ("isolate", "water"), ("isolate", "gas")})
        self.assertEqual(plan["drain:L1"], {("drain", "L1")})
        self.assertEqual(plan["pipe:G1"], {("make", "G1")})
        self.assertEqual(plan["hang:R1"], {("hang", "R1")})
        self.assertEqual(plan["hot"], {("light", "BLR")})


class ProvedTest(unittest.TestCase):
    def test_random_edits_unprove_exactly_the_joints_they_touch(self):
        touched_some = untouched_some = 0
        for uid in ("lockhouse", "fernhollow", "olmo-vecchio"):
            rng, context = random.Random(f"proved {uid}"), Context()
            before = whole(uid)
            design = derive(before, context)
            records = [passed(one, design) for one in proofs(design)]
            self.assertTrue(all(one.passed for one in proofs(design, records)))
            was = {key: (one.method, one.pipe) for key, one in design.fitted.joints.items()}
            for make in (edits, rarer_edits, edits):
                for command in make(before, rng):
                    try:
                        after = derive(apply(before, command, CATALOGUE, context.memory), context)
                    except Refused:
                        continue
                    now = {key: (one.method, one.pipe) for key, one in after.fitted.joints.items()}
                    runs = {run.id: run.service for run in after.job.runs}
                    touched = {
                        key
                        for key, how in now.items()
                        if was.get(key) != how and not spec.service(runs[after.fitted.joints[key].run]).runs_off
                    }
                    unproved = {key for one in proofs(after, records) for key in one.unproved}
                    self.assertEqual(unproved, touched, f"{uid} {command}")
                    touched_some += bool(touched)
                    untouched_some += not touched
        self.assertGreater(touched_some, 10)
        self.assertGreater(untouched_some, 5)

    def test_a_test_of_one_section_says_nothing_of_another(self):
        design = shipped("lockhouse")
        gas = next(one for one in proofs(design) if one.section.service == "gas")
        after = {one.section.key: one.passed for one in proofs(design, [passed(gas, design)])}
        self.assertEqual([key for key, done in after.items() if done], ["gas/MTR.out/1"])

    def test_a_test_that_failed_proves_nothing_and_a_later_one_does(self):
        design = shipped("fernhollow")
        gas = next(one for one in proofs(design) if one.section.service == "gas")
        good = passed(gas, design)
        bad = Record(
            *[getattr(good, name) for name in good.__slots__[:7]],
            {**good.body, "readings": readings(gas.rule, lost_pa=2000)},
        )
        self.assertEqual(verdict_of(bad).outcome, "fail")
        self.assertFalse(next(one for one in proofs(design, [bad]) if one.section.service == "gas").passed)
        later = Record(
            *[getattr(good, name) for name in good.__slots__[:5]], "2026-03-02T10:00:00Z", good.by_role, good.body
        )
        stands = [
            next(one for one in proofs(design, tests) if one.section.service == "gas").standing
            for tests in ([bad, later], [good, bad], [good])
        ]
        self.assertEqual(stands, ["proved", "failed", "proved"])

    def test_an_older_record_proves_the_heating_it_matched(self):
        design = shipped("lockhouse")
        heating = next(one for one in proofs(design) if one.section.service == "heating")
        rule, joints = heating.rule, len(heating.section.joints)
        rig = {"test_bar": rule.target_pa / 1e5, "resolution_bar": 0.02, "volume_l": rule.volume_l}
        rig |= {"gas_l": rule.gas_l, "joints": joints, "dry": joints, "mass_fraction": 0.0}
        body = {
            "readings": readings(heating.rule),
            "gauge": {"name": "a gauge"},
            "rig": rig,
            "state": state_mark(design),
        }
        old = Record("0", "test", "fill-and-leak", "fill and leak", 1, "2026-01-01T10:00:00Z", "site lead", body)
        self.assertEqual(
            {one.section.service: one.passed for one in proofs(design, [old])},
            {"heating": True, "water": False, "gas": False},
        )
        body["state"] = "another"
        self.assertFalse(any(one.passed for one in proofs(design, [old])))

    def test_a_gas_is_corrected_by_absolute_temperature(self):
        # by hand: 15 psi gauge is 29.7 psi absolute; one kelvin less at 293.15 K takes 29.7 / 293.15 = 0.101 psi
        lines = "\n".join(f"2026-03-01T10:{n:02d}, {15 - 0.1013 * n / 40:.5f}, {20 - n / 40:.4f}" for n in range(41))
        rule = TestRule(1e5, unit="psi", settle_min=0, hold_min=40, phase="gas", corrected=True, most_drift_k=0.0)
        gauge = Gauge(700.0, 3e5)
        found = judge(rule, Evidence(read_readings(lines, Speech("psi")), gauge))
        self.assertEqual(found.outcome, "pass", found.reasons)
        self.assertLess(abs(found.drop_pa), 20)
        bare = "\n".join(line.rpartition(",")[0] for line in lines.splitlines())
        uncorrected = judge(rule, Evidence(read_readings(bare, Speech("psi")), gauge))
        self.assertEqual(uncorrected.outcome, "proves nothing")

    def test_a_gauge_made_for_more_proves_nothing(self):
        design = shipped("lockhouse")
        gas = next(one for one in proofs(design) if one.section.service == "gas")
        gauge = {"name": "a dial", "resolution_pa": 10.0, "range_pa": 6e5, "kind": "mechanical"}
        found = verdict_of(passed(gas, design, gauge=gauge))
        self.assertEqual(found.outcome, "proves nothing")
        self.assertIn("the gauge goes to 6000.00 mbar", found.reasons[0])


if __name__ == "__main__":
    unittest.main()
