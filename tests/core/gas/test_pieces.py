"""Gas pieces by hand: the nipple of a trap, connectors, ready nipples, manifolds, clamps, vent connectors."""

from __future__ import annotations

import unittest

from oikotherm.core.design import derive
from oikotherm.core.job.commands import apply_all
from oikotherm.core.making.nipples import is_ready
from oikotherm.core.services.gas.capacity import BTU_H_W
from oikotherm.core.services.gas.sizing import networks

from ...jobs import CATALOGUE, edit, job, port, retyped, said, station, whole

IN = 25.4
FERN = whole("fernhollow")


def steel(*texts: str) -> object:
    """Runs of threaded steel from a gas port at the origin, in inches."""
    made = edit(job("north-american", "in"), station("B", [port("out", "NPT 3/4 female", (0, 0, 0), role="gas")]))
    return derive(edit(made, *({"do": "put_run", "text": text} for text in texts)))


class TrapTest(unittest.TestCase):
    def test_the_nipple_is_as_long_as_it_is_said(self) -> None:
        """3 in of pipe, however far the tee takes it up; the cap stands 3 in + A - made-up below the tee's centre:
        3/4 elbow and tee A 1.31 in, made-up 0.553 in (ASME B16.3, B1.20.1)."""
        made = steel("G1 from B.out fe-40 3/4: E12 *T1:D cap 3 N12 -> cap")
        cut = next(cut for cut in made.cuts if cut.key.endswith("/drop"))
        self.assertAlmostEqual(cut.exact_mm, 3 * IN, places=6)
        tee = made.fitted.fittings[cut.key.replace("drop", "tee")]
        thread = CATALOGUE.method_figures("fe-40", "3/4", "thread")
        end = made.fitted.fittings[cut.key]
        self.assertAlmostEqual(tee.at.z - end.at.z, 3 * IN + thread.elbow_a_mm - thread.made_up_mm, places=6)
        self.assertEqual(len(tee.arms), 3)
        self.assertEqual({one.title for one in made.materials.parts} & {"3/4 cap thread"}, {"3/4 cap thread"})
        self.assertIn(f"{cut.key}:in", made.fitted.joints)

    def test_nothing_flows_in_it(self) -> None:
        """The trap of the heater counts as the tee its gas turns in, and no section goes into it."""
        (net,) = networks(derive(FERN))
        keys = {key for one in net.sections for key in one.keys}
        self.assertEqual([key for key in keys if key.endswith("/drop")], [])
        last = next(one for one in net.sections if one.end == "WH.gas")
        self.assertIn("branch", [fitting.what for fitting in last.fittings])

    def test_a_trap_in_metric_copper(self) -> None:
        made = edit(
            job(),
            station("B", [port("out", "comp-cu 22 socket", (0, 0, 0), role="gas")]),
            {"do": "put_run", "text": "G1 from B.out cu-m 22: E900 *T1:D cap 75 N900 -> cap"},
        )
        cut = next(cut for cut in derive(made).cuts if cut.key.endswith("/drop"))
        self.assertEqual((cut.cut_mm, str(cut.pipe)), (75, "cu-m 22"))


class ConnectorTest(unittest.TestCase):
    def test_it_is_bought_in_one_length_and_not_cut(self) -> None:
        text = ("D? *T1:D cap 3 W?", "D3 *T1:D cap 3 W1-1/2 =conn 1/2 W? D? W3")
        made = derive(edit(FERN, retyped(FERN, "G2", text)))
        self.assertNotIn("conn", {cut.pipe.code for cut in made.cuts})
        bought = [one.title for one in made.materials.consumables if "connector" in one.title]
        self.assertEqual(bought, ['flexible gas connector 1/2, 12"'])
        self.assertEqual({one.method for one in made.fitted.joints.values() if one.pipe == "conn 1/2"}, {"connector"})

    def test_it_stands_in_the_pressure_profile(self) -> None:
        """0.5 in x (Q / rated)^2: 39,922 BTU/h of propane through 1/2, rated 106,000 x 0.628 x 2516 / 1030."""
        text = ("D? *T1:D cap 3 W?", "D3 *T1:D cap 3 W1-1/2 =conn 1/2 W? D? W3")
        (net,) = networks(derive(edit(FERN, retyped(FERN, "G2", text))))
        section = next(one for one in net.sections if one.pipe.code == "conn")
        rated = 106_000 * 0.628 * 2516 / 1030
        self.assertAlmostEqual(section.drop_pa, 0.5 * 249.0889 * (11_700 / BTU_H_W / rated) ** 2, delta=0.05)


class ManifoldTest(unittest.TestCase):
    def test_a_made_manifold_hands_on_what_comes_to_it(self) -> None:
        made = edit(
            job("north-american", "in"),
            {
                "do": "add_station",
                "kind": "meter",
                "id": "MTR",
                "level": "L0",
                "at": (0, 0, 900),
                "data": {"gas": "natural"},
            },
            {"do": "add_station", "kind": "gas-manifold", "id": "GMF", "level": "L0", "at": (4000, 0, 1500)},
            *(
                {
                    "do": "add_station",
                    "kind": "appliance",
                    "id": f"A{n}",
                    "level": "L0",
                    "at": (6000 + 1500 * n, 0, 0),
                    "data": {"input_w": 8000 * n},
                }
                for n in (1, 2)
            ),
            {"do": "put_run", "text": "G1 from MTR.out fe-40 3/4: U20 E? N? D? E8 -> GMF.in"},
            {"do": "put_run", "text": "G2 from GMF.g1 fe-40 1/2: D10 E? N? D? E6 -> A1.gas"},
            {"do": "put_run", "text": "G3 from GMF.g2 fe-40 1/2: D8 E? N? D? E6 -> A2.gas"},
        )
        (net,) = networks(derive(made))
        self.assertEqual({end.station: end.wanted_w for end in net.terminals}, {"A1": 8000, "A2": 16000})
        self.assertEqual(net.sections[0].feeds, ("A1", "A2"))


class NippleTest(unittest.TestCase):
    def test_snapped_legs_leave_ready_nipples(self) -> None:
        """Six legs of the trunk move by 1/8 to 1/4 in, and six pieces are halves of an inch long."""
        made = derive(FERN)
        before = {cut.key for cut in made.cuts if is_ready(CATALOGUE, cut)}
        finding = next(one for one in made.findings if one.where == ("G1", "G1/nipples"))
        after = derive(apply_all(FERN, list(finding.remedies[0].commands), CATALOGUE))
        ready = {cut.key for cut in after.cuts if cut.run == "G1" and is_ready(CATALOGUE, cut)}
        self.assertEqual(len(ready - before), len(finding.remedies[0].commands))
        self.assertIn('N5" +1/4"', finding.remedies[0].effect)
        exact = {cut.key: cut.exact_mm / IN for cut in after.cuts}
        for key in ready - before:
            self.assertAlmostEqual(exact[key] * 2, round(exact[key] * 2), delta=1 / 15.5)  # halves, to 1/32

    def test_the_cut_list_says_it(self) -> None:
        made = derive(FERN)
        self.assertTrue(any(is_ready(CATALOGUE, cut) for cut in made.cuts))
        self.assertFalse(any(is_ready(CATALOGUE, cut) for cut in made.cuts if cut.exact_mm > 12.3 * IN))


class MarksTest(unittest.TestCase):
    def test_a_clamp_splits_no_piece(self) -> None:
        bare = edit(FERN, retyped(FERN, "G1", ("U12 [clamp set 20ft] U36", "U48")))
        with_clamp, without = derive(FERN), derive(bare)
        self.assertEqual(len(with_clamp.cuts), len(without.cuts))
        self.assertEqual([cut.cut_mm for cut in with_clamp.cuts], [cut.cut_mm for cut in without.cuts])
        (mark,) = [one for one in with_clamp.pipework.marks if one.item.part == "clamp"]
        self.assertEqual((mark.run, str(mark.pipe), mark.place), ("G1", "fe-40 3/4", "outside"))

    def test_net_input_is_brought_to_gross(self) -> None:
        olmo = whole("olmo-vecchio")
        (net,) = networks(derive(olmo))
        (gross,) = networks(derive(edit(olmo, said(olmo, "OVN", input_is_net=False))))
        wanted = [{end.station: end.wanted_w for end in one.terminals}["OVN"] for one in (net, gross)]
        self.assertAlmostEqual(wanted[0] / wanted[1], 1.11)


class VentTest(unittest.TestCase):
    def test_pieces_and_laps(self) -> None:
        """4 in vent: the collar and every lap take 1-1/2 in; an elbow reaches 4 in from its centre, the pipe ends
        1-1/2 in within it. 14 in centres from hood to elbow: 14 + 1.5 - 2.5 = 13 in."""
        cuts = [cut for cut in derive(FERN).cuts if cut.run == "V1"]
        self.assertAlmostEqual(cuts[0].exact_mm / IN, 13.0, places=3)
        self.assertEqual({str(cut.pipe) for cut in cuts}, {"vent-sw 4"})

    def test_a_long_straight_comes_in_lengths_of_24_in(self) -> None:
        """72 in between hood and cap: 2 ft lengths lap by 1-1/2 in: the pieces are longer than the way by the laps."""
        made = edit(
            job("north-american", "in"),
            station("B", [port("out", "vent 4 crimp", (0, 0, 0), role="flue")]),
            {"do": "put_run", "text": "V1 from B.out vent-sw 4: U72 -> stub"},
        )
        design = derive(made)
        cuts = [cut for cut in design.cuts if cut.run == "V1"]
        laps = len(cuts) - 1
        self.assertGreaterEqual(len(cuts), 4)
        self.assertAlmostEqual(sum(cut.exact_mm for cut in cuts), (72 + 1.5 + 1.5 * laps) * IN, delta=0.1)
        self.assertTrue(all(cut.exact_mm <= 610 + 1e-6 for cut in cuts))
        self.assertEqual([one.title for one in design.materials.parts if "coupling" in one.title], [])


if __name__ == "__main__":
    unittest.main()
