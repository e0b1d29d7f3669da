"""Kinds of station with their variants and ports, ports changed by hand, items moved, and documents of older
versions."""

import json
import unittest
from pathlib import Path

from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.document import read, write
from oikotherm.core.job.model import VERSION
from oikotherm.core.services import spec
from tests.jobs import edit, job, paced, port

PRACTICES = ("british", "continental", "north-american")


def added(kind, variant="", practice="british", **more):
    made = edit(
        job(practice), {"do": "add_station", "kind": kind, "variant": variant, "level": "L0", "at": (0, 0, 0), **more}
    )
    return made.stations[0]


class VariantTest(unittest.TestCase):
    COMBI = {"flow", "return", "hot", "cold", "gas", "condensate", "relief"}

    def test_a_combi_has_all_its_ports_at_the_bottom_in_every_practice(self):
        for practice in PRACTICES:
            with self.subTest(practice):
                combi = added("boiler", "combi", practice)
                self.assertEqual({one.name for one in combi.ports}, self.COMBI)
                self.assertEqual({one.facing for one in combi.ports}, {"down"})
                by_name = {one.name: one for one in combi.ports}
                order = sorted(("flow", "hot", "gas", "cold", "return"), key=lambda name: by_name[name].offset[0])
                self.assertEqual(order, ["flow", "hot", "gas", "cold", "return"])

    def test_ends_are_those_of_the_practice(self):
        ends = {
            "british": ("comp-cu 22 socket", "comp-cu 15 socket"),
            "continental": ("G 3/4 male flat", "G 3/4 male flat"),
            "north-american": ("NPT 3/4 male", "NPT 3/4 male"),
        }
        for practice, (flow, gas) in ends.items():
            with self.subTest(practice):
                by_name = {one.name: one.end for one in added("boiler", "combi", practice).ports}
                self.assertEqual((by_name["flow"], by_name["gas"]), (flow, gas))

    def test_a_heater_has_what_heats_it(self):
        for variant, has, lacks in (
            ("storage", {"cold", "hot", "gas", "relief"}, {"flow", "condensate"}),
            ("electric", {"cold", "hot", "relief"}, {"gas", "flow", "condensate"}),
            ("indirect", {"cold", "hot", "relief", "flow", "return"}, {"gas", "condensate"}),
            ("tankless", {"cold", "hot", "gas", "condensate"}, {"flow"}),
        ):
            for practice in PRACTICES:
                with self.subTest(variant, practice=practice):
                    names = {one.name for one in added("heater", variant, practice).ports}
                    self.assertLessEqual(has, names)
                    self.assertFalse(lacks & names)

    def test_every_port_of_every_kind_is_read_and_has_a_known_role(self):
        seen, roles = 0, {role.id for role in spec.roles()}
        for kind in spec.kinds():
            for variant in [one.id for one in spec.kind(kind).variants] or [""]:
                for practice in PRACTICES:
                    if not spec.kind(kind).ports_of(variant, practice):
                        continue  # a stub: its one port is said by who adds it
                    for one in added(kind, variant, practice).ports:
                        self.assertIn(one.role, roles)
                        seen += 1
        self.assertGreater(seen, 150)

    def test_a_variant_nobody_knows_is_refused_with_those_there_are(self):
        with self.assertRaises(Refused) as caught:
            added("boiler", "nuclear")
        self.assertRegex(str(caught.exception), "combi")


class PortTest(unittest.TestCase):
    def setUp(self):
        self.job = paced("F1 from A.out cu-m 15: U300 E1000 -> cap")

    def put(self, one, **more):
        return edit(self.job, {"do": "put_port", "station": "A", "port": one, **more})

    def test_a_port_is_added_and_a_run_starts_from_it(self):
        made = self.put(port("drain", "cu-m 15 pipe", (200, 0, 0), role="discharge"))
        self.assertEqual([one.name for one in made.stations[0].ports], ["out", "drain"])
        made = edit(made, {"do": "put_run", "text": "D1 from A.drain cu-m 15: U300"})
        self.assertEqual(made.run("D1").role, "discharge")

    def test_another_end_changes_the_parts_there(self):
        made = self.put(port("out", "R 1/2 male", (0, 0, 0)))
        self.assertEqual(len(made.stations[0].ports), 1)
        self.assertEqual(
            [chain.ids for _, chain in derive(made).fitted.fittings["A.out"].chains], ["cap-female-15x1/2"]
        )

    def test_a_port_that_is_renamed_keeps_its_runs(self):
        made = self.put(port("flow", "comp-cu 15 socket", (0, 0, 0)), was="out")
        self.assertEqual(made.run("F1").start, "A.flow")
        self.assertEqual(derive(made).cuts[0].exact_mm, derive(self.job).cuts[0].exact_mm)

    def test_a_run_whose_port_is_taken_away_stays_and_is_a_stop(self):
        made = edit(self.job, {"do": "remove_port", "station": "A", "port": "out"})
        self.assertEqual(len(made.run("F1").items), len(self.job.run("F1").items))
        self.assertTrue([one for one in derive(made).findings if one.severity == "stop"])

    def test_what_is_not_there_is_refused(self):
        for command in (
            {"do": "remove_port", "station": "A", "port": "nowhere"},
            {"do": "remove_port", "station": "Z", "port": "out"},
            {"do": "put_port", "station": "A", "port": port("x", "comp-cu 15 socket", (0, 0, 0)), "was": "nowhere"},
            {"do": "put_port", "station": "A", "port": port("x", "comp-cu 15 sockets", (0, 0, 0))},
        ):
            with self.subTest(str(command)), self.assertRaises(Refused):
                edit(self.job, command)


class MoveItemTest(unittest.TestCase):
    def setUp(self):
        self.job = paced("F1 from A.out cu-m 15: U300 *T1 E1000 N400 -> cap", "F2 from F1.T1 cu-m 15: S500 U100 -> cap")
        self.first, self.second = self.job.runs

    def legs(self, run):
        return [getattr(one, "dir", None) for one in run.items]

    def test_an_item_moves_within_its_run_and_keeps_its_id(self):
        item = self.first.items[-1]
        made = edit(self.job, {"do": "move_item", "run": "F1", "item": item.id, "after": self.first.items[0].id})
        self.assertEqual(made.run("F1").items[1].id, item.id)
        self.assertEqual(len(made.run("F1").items), len(self.first.items))
        front = edit(made, {"do": "move_item", "run": "F1", "item": item.id})
        self.assertEqual(front.run("F1").items[0].id, item.id)

    def test_a_tee_takes_what_hangs_on_it_to_another_run(self):
        tee = next(one for one in self.first.items if one.kind == "tee")
        other = edit(
            self.job, {"do": "put_port", "station": "A", "port": port("more", "comp-cu 15 socket", (900, 0, 0))}
        )
        other = edit(other, {"do": "put_run", "text": "F9 from A.more cu-m 15: U300 E100 -> cap"})
        after = other.run("F9").items[0].id
        made = edit(other, {"do": "move_item", "run": "F1", "item": tee.id, "to_run": "F9", "after": after})
        self.assertIn(tee.id, [one.id for one in made.run("F9").items])
        self.assertEqual(made.run("F2").start, "F9.T1")

    def test_what_cannot_be_moved_is_refused(self):
        item = self.first.items[0].id
        for words in ({"after": item}, {"after": "i99"}, {"to_run": "F7"}, {"item": "i98"}):
            with self.subTest(words), self.assertRaises(Refused):
                edit(self.job, {"do": "move_item", "run": "F1", "item": item, **words})


class KeptForLaterTest(unittest.TestCase):
    """What the document may say already and nothing is made of yet: it is kept by every edit."""

    def test_a_drop_is_typed_kept_by_a_change_of_the_line_and_gone_with_its_cap(self):
        made = paced("G1 from A.out cu-m 15: U300 *T1:D cap 75 E1000 -> cap")
        self.assertEqual(made.run("G1").items[1].drop_mm, 75)
        again = edit(
            made, {"do": "put_run", "run": "G1", "text": "G1 from A.out cu-m 15: U400 *T1:D cap 75 E1000 -> cap"}
        )
        self.assertEqual(
            (again.run("G1").items[1].id, again.run("G1").items[1].drop_mm), (made.run("G1").items[1].id, 75)
        )
        opened = edit(made, {"do": "close_tee", "run": "G1", "item": made.run("G1").items[1].id, "closed": None})
        self.assertIsNone(opened.run("G1").items[1].drop_mm)
        inches = paced("G1 from A.out cu-m 15: U10 *T1:D cap 3in E20 -> cap", unit="in")
        self.assertAlmostEqual(inches.run("G1").items[1].drop_mm, 76.2)

    def test_a_drop_without_a_cap_is_refused(self):
        with self.assertRaises(Refused):
            paced("G1 from A.out cu-m 15: U300 *T1:D 75 E1000 -> cap")
        document = json.loads(write(paced("G1 from A.out cu-m 15: U300 *T1 cap E1000 -> cap")))
        document["runs"][0]["items"][1] |= {"closed": None, "drop_mm": 75}
        with self.assertRaises(Refused) as caught:
            read(json.dumps(document).encode())
        self.assertIn("a cap or plug", str(caught.exception))

    def test_tasks_and_what_is_behind_a_stub_are_kept(self):
        document = json.loads(write(paced("F1 from A.out cu-m 15: U300 -> cap")))
        document["tasks"] = [
            {
                "id": "K1",
                "kind": "change a valve",
                "where": "A.out",
                "answers": {"side": "left", "turns": 2, "wet": True},
            }
        ]
        document["stations"][0]["data"] = {
            "behind": [{"kind": "tap", "count": 2, "length_mm": 4000}],
            "behind_pipe_m": 12,
            "behind_pa": 3000,
        }
        made = edit(
            read(json.dumps(document).encode()), {"do": "put_run", "text": "F1 from A.out cu-m 15: U400 -> cap"}
        )
        kept = json.loads(write(made))
        self.assertEqual(
            (kept["tasks"], kept["stations"][0]["data"]), (document["tasks"], document["stations"][0]["data"])
        )
        document["tasks"] *= 2
        with self.assertRaises(Refused):
            read(json.dumps(document).encode())


class UpgradeTest(unittest.TestCase):
    """tests/data/version-1: a tank with its overflow, a softener with its drain, and a clamped multilayer elbow, as
    version 1 had them."""

    def setUp(self):
        self.data = (Path(__file__).parents[1] / "data" / "version-1.oikotherm.json").read_bytes()

    def test_a_document_of_version_1_is_read_as_one_of_today(self):
        self.assertEqual(json.loads(self.data)["version"], 1)
        made = read(self.data)
        self.assertEqual(made.version, VERSION)
        roles = {f"{one.id}.{way.name}": way.role for one in made.stations for way in one.ports}
        self.assertEqual(
            (roles["TNK.overflow"], roles["SOF.drain"], roles["BLR.relief"]), ("overflow", "overflow", "discharge")
        )
        self.assertEqual(
            {run.id: run.role for run in made.runs},
            {"V1": "overflow", "V2": "overflow", "D1": "discharge", "H1": "flow"},
        )
        self.assertEqual([row.value for row in made.overrides], ["compression-mlc"])
        self.assertEqual(read(write(made)), made)

    def test_the_clamped_elbow_is_still_clamped(self):
        found = derive(read(self.data))
        self.assertEqual([one.says for one in found.findings if one.rule == "override"], [])
        target = found.job.overrides[0].target
        self.assertEqual({one.method for one in found.fitted.fittings[target].matings.values()}, {"compression-mlc"})

    def test_a_version_to_come_is_refused(self):
        later = {**json.loads(self.data), "version": VERSION + 1}
        with self.assertRaises(Refused) as caught:
            read(json.dumps(later).encode())
        self.assertRegex(str(caught.exception), "version")

    def test_rubbish_in_an_old_document_is_refused_and_raises_nothing_else(self):
        for field in ("stations", "runs", "overrides"):
            for rubbish in (None, 7, "x", [7], [{}], [{"ports": 7, "items": [7]}], {"a": 1}):
                with self.subTest(field, rubbish=rubbish), self.assertRaises(Refused):
                    read(json.dumps({**json.loads(self.data), field: rubbish}).encode())


if __name__ == "__main__":
    unittest.main()
