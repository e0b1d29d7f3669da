"""Parts chosen by hand for a port or a change of pipe: they stand there where that is lawful and fits, and are never
passed over."""

import unittest

from oikotherm.core.catalogue import parse_end
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.joints.alternatives import chains_to_join
from oikotherm.core.joints.chain import Ask
from oikotherm.core.joints.finder import find, named_chain
from oikotherm.core.making.materials import parts
from oikotherm.core.memory import Memory
from tests.jobs import CATALOGUE, edit, job, paced, port, station

MEMORY = Memory()

ON_THREAD = {"end": "R 1/2 male"}
PORT = "A.out"


def by_hand(value, target=PORT, field="chain"):
    return {
        "do": "put_override",
        "override": {"target": target, "field": field, "value": value, "reason": "on the van"},
    }


def said(found):
    return [one.says for one in found.findings if one.rule == "override"]


class OnAPortTest(unittest.TestCase):
    def setUp(self):
        self.job = paced("F1 from A.out cu-m 15: U300 E1000 -> cap", **ON_THREAD)
        self.before = derive(self.job)

    def chosen(self, value, **more):
        return derive(edit(self.job, by_hand(value, **more)))

    def standing(self, found, key=PORT):
        return [chain.ids for _, chain in found.fitted.fittings[key].chains]

    def test_the_finder_stands_there_until_somebody_chooses(self):
        self.assertEqual(self.standing(self.before), ["cap-female-15x1/2"])

    def test_chosen_parts_stand_there_and_the_pipe_is_cut_for_them(self):
        found = self.chosen("press-female-15x1/2")
        self.assertEqual(self.standing(found), ["press-female-15x1/2"])
        self.assertEqual(said(found), [])
        self.assertEqual(found.fitted.fittings[PORT].matings["out"].method, "press")
        lengths = [
            found.fitted.fittings[PORT].chains[0][1].length_mm,
            self.before.fitted.fittings[PORT].chains[0][1].length_mm,
        ]
        first = [next(cut for cut in one.cuts if cut.run == "F1").exact_mm for one in (found, self.before)]
        self.assertAlmostEqual(first[0] - first[1], lengths[1] - lengths[0], places=6)  # both end at a stop
        self.assertNotEqual(lengths[0], lengths[1])
        ordered = {row.part_id: row.count for row in parts(found.fitted, CATALOGUE)}
        self.assertEqual(ordered.get("press-female-15x1/2"), 1)
        self.assertNotIn("cap-female-15x1/2", ordered)

    def test_two_parts_one_after_the_other(self):
        found = self.chosen("cap-female-22x1/2 + cap-fitting-reducer-22x15")
        self.assertEqual(self.standing(found), ["cap-female-22x1/2+cap-fitting-reducer-22x15"])
        self.assertEqual(said(found), [])

    def test_a_pipe_may_stand_between_two_parts(self):
        found = self.chosen("cap-female-15x1/2+stub-cu-m-15+cap-coupling-15")
        self.assertEqual(said(found), [])
        stub = found.fitted.fittings[PORT].chains[0][1].links[1]
        self.assertIsNone(stub.part)
        self.assertGreater(stub.stub_mm, 20)  # both insertions and what is bare between them

    def test_what_does_not_fit_is_a_stop_and_the_house_stands_there_still(self):
        for value, words in (
            ("cap-coupling-15", "do not meet"),
            ("cap-female-22x1/2", "22"),
            ("nothing-of-the-kind", "a part of the catalogue such as"),
            ("cap-elbow-15", "a part that joins two ends in one line, not 15 elbow"),
            ("+".join(["cap-coupling-15"] * 7), "at most 6 parts"),
        ):
            with self.subTest(value):
                found = self.chosen(value)
                self.assertEqual(self.standing(found), ["cap-female-15x1/2"])
                (why,) = said(found)
                self.assertIn(words, why)
                finding = next(one for one in found.findings if one.rule == "override")
                self.assertEqual(finding.severity, "stop")
                back = edit(found.job, *finding.remedies[0].commands)
                self.assertEqual(derive(back).fitted.fittings, self.before.fitted.fittings)

    def test_what_is_unlawful_there_is_a_stop(self):
        ends = station("A", [port("out", "R 3/4 male", (0, 0, 0), role="gas")])
        gas = edit(job(), ends, {"do": "put_run", "text": "G1 from A.out cu-m 22: U300 E1000 -> cap"})
        self.assertEqual(gas.runs[0].role, "gas")
        lawful = derive(gas)
        found = derive(edit(gas, by_hand("push-female-22x3/4")))
        self.assertEqual(self.standing(found), self.standing(lawful))
        self.assertRegex(" ".join(said(found)), "not for gas")

    def test_on_an_elbow_it_is_said_that_none_is_chosen_there(self):
        found = self.chosen("cap-coupling-15", target="i1/turn")
        self.assertEqual(found.fitted.fittings, self.before.fitted.fittings)
        self.assertRegex(" ".join(said(found)), "only where a run meets a port")

    def test_where_it_stood_is_gone(self):
        gone = [one for one in self.chosen("cap-coupling-15", target="B.out").findings if one.rule == "override"]
        self.assertEqual([one.severity for one in gone], ["mind"])
        self.assertEqual(gone[0].remedies[0].commands[0]["field"], "chain")

    def test_a_direct_joint_gives_way_to_chosen_parts(self):
        direct = paced("F1 from A.out cu-m 15: U300 E1000 -> cap")
        self.assertEqual(self.standing(derive(direct)), [])
        found = derive(edit(direct, by_hand("stub-cu-m-15+cap-coupling-15")))
        self.assertEqual((self.standing(found), said(found)), (["stub-cu-m-15+cap-coupling-15"], []))

    def test_the_card_offers_what_can_be_chosen(self):
        offered = chains_to_join(self.job, self.before.fitted, self.before.context, PORT)
        self.assertGreater(len(offered), 2)
        for chain in offered:
            found = self.chosen(chain.ids)
            self.assertEqual((self.standing(found), said(found)), ([chain.ids], []))
        self.assertEqual(chains_to_join(self.job, self.before.fitted, self.before.context, "i1/turn"), ())


class BetweenPipesTest(unittest.TestCase):
    def test_one_pipe_becomes_another_by_chosen_parts(self):
        started = paced("F1 from A.out cu-m 15: U300 E1000 =pb-m 15 E1000 -> cap")
        before = derive(started)
        key = next(key for key, one in before.fitted.fittings.items() if one.kind == "transition")
        offered = chains_to_join(started, before.fitted, before.context, key)
        other = next(chain.ids for chain in offered if chain.ids != before.fitted.fittings[key].chains[0][1].ids)
        found = derive(edit(started, by_hand(other, key)))
        self.assertEqual([chain.ids for _, chain in found.fitted.fittings[key].chains], [other])
        self.assertEqual(said(found), [])


class NamedTest(unittest.TestCase):
    def test_a_chain_of_the_finder_reads_back_as_itself(self):
        for start, goal, service in (
            ("R 1/2 male", "cu-m 15 pipe", "heating"),
            ("cu-m 22 pipe", "fe-m 3/4 pipe", "water"),
            ("NPT 3/4 male", "pexa 3/4 pipe", "heating"),
            ("G 3/4 male flat", "mlc 20 pipe", "heating"),
        ):
            ask = Ask(parse_end(start), parse_end(goal), service)
            for chain in find(ask, CATALOGUE, MEMORY).chains:
                with self.subTest(start, ids=chain.ids):
                    again = named_chain(ask, chain.ids, CATALOGUE, MEMORY)
                    self.assertEqual((again.links, again.joints, again.reasons), (chain.links, chain.joints, ()))

    def test_an_empty_id_is_refused(self):
        ask = Ask(parse_end("R 1/2 male"), parse_end("cu-m 15 pipe"), "heating")
        for ids in ("", "+", "cap-female-15x1/2+"):
            with self.subTest(ids), self.assertRaises(Refused):
                named_chain(ask, ids, CATALOGUE)


if __name__ == "__main__":
    unittest.main()
