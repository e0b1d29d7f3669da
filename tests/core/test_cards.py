"""Every joint is listed and has a card of the pipe that goes in, or a refusal with its reason."""

from __future__ import annotations

import unittest

from oikotherm.core.bench import find_tool
from oikotherm.core.bench.joints import read_end
from oikotherm.core.catalogue import parse_end
from oikotherm.core.catalogue.kits import kit_for
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.joints.chain import Ask
from oikotherm.core.joints.finder import find
from oikotherm.core.joints.fitted import Joint
from oikotherm.core.joints.recipe import in_unit, joint_end, recipe, recipe_of, wrench_mm
from oikotherm.core.joints.takeoff import goes_in
from oikotherm.core.quantity import in_inches
from oikotherm.core.services import spec
from oikotherm.core.work.heats import heats
from oikotherm.core.work.records import Record, checks_of, joint_states, missing_checks

from ..jobs import CATALOGUE, design, edit, paced, whole

INCH = 25.4
# depth of the pipe in the fitting [mm], from the tables of sockets: method, pipe -> figure
DEPTHS = {
    ("capillary", "cu-m 15"): 10.6,
    ("capillary", "cu-soft 5/8"): 0.50 * INCH,  # the sweat fitting of 1/2 nominal
    ("braze", "cu-soft 15"): 10.6,
    ("compression", "cu-m 22"): 19,
    ("compression", "cu-old 3/4"): 19,
    ("compression", "fe-press 28"): 22,
    ("compression-plastic", "pb-m 15"): 16,
    ("compression-mlc", "mlc 20"): 18,
    ("push-fit", "pb-m 22"): 33,
    ("push-fit-metal", "cu-l 1/2"): 1.00 * INCH,
    ("push-fit-metal", "cu-l 1-1/4"): 1.63 * INCH,
    ("push-fit-metal", "cu-m 15"): 30,
    ("push-fit-metal", "pexa 3/4"): 1.13 * INCH,
    ("press", "cu-l 1-1/2"): 1.44 * INCH,
    ("press", "fe-press 18"): 22,
    ("press-mlc", "mlc 26"): 26,
    ("expansion", "pexa 1-1/4"): 35,
    ("thread", "fe-40 1/2"): 0.534 * INCH,
    ("thread", "fe-m 1"): 16.8,
    ("solvent", "waste 32"): 22,
}
# all that a pipe of each system can meet on its way
WAY = "F1 from A.out {0}: U600 [iso] U600 N600 *T1 N600 [drain] N600 [check] N600 =cu-m 22 N600 -> cap"
PIPES = (
    "cu-m 22",
    "cu-l 3/4",
    "cu-k 3/4",
    "cu-soft 15",
    "cu-soft 5/8",
    "cu-old 3/4",
    "pb-m 22",
    "pexa 3/4",
    "mlc 20",
    "fe-press 22",
    "fe-40 3/4",
    "fe-m 3/4",
    "galv 3/4",
)


class EveryMethodTest(unittest.TestCase):
    """Every method on every pipe: a card with its depth, or a reason."""

    def test_depths_are_those_of_the_tables(self) -> None:
        for (method, pipe), depth_mm in DEPTHS.items():
            service = "discharge" if method == "solvent" else "water" if "soft" in pipe else "heating"
            practice = "north-american" if "/" in pipe else "british"
            if pipe.startswith("cu-k"):
                service = "water"
            with self.subTest(method=method, pipe=pipe):
                found = recipe(CATALOGUE, method, read_end(pipe, "pipe", CATALOGUE), service, practice)
                self.assertAlmostEqual(found.insertion_mm or 0.0, depth_mm, delta=0.05)
                self.assertTrue(found.steps and found.proof and found.tools)

    def test_card_or_reason_for_every_method_and_pipe(self) -> None:
        cards = refusals = 0
        for code, system in CATALOGUE.systems.items():
            for size in CATALOGUE.sizes(code):
                end = parse_end(f"{code} {size} pipe")
                for method in CATALOGUE.methods:
                    for service in spec.services():
                        for practice in ("british", "north-american"):
                            try:
                                found = recipe(CATALOGUE, method, end, service, practice)
                            except Refused as why:
                                refusals += 1
                                self.assertGreater(len(why.expected), 25, f"{method} {end}")
                                continue
                            cards += 1
                            self.assertTrue(found.steps and found.proof, f"{method} {end}")
                            if method not in ("flare", "csst", "slip"):  # which seat on a face, or are crushed
                                self.assertGreater(found.insertion_mm or 0.0, 5.0, f"{method} {end}")
                            self.assertIn(system.code, found.pipe)
        self.assertGreater(cards, 300)
        self.assertGreater(refusals, 10 * cards)

    def test_a_joint_between_parts_is_not_one_on_the_pipe(self) -> None:
        for method in ("union", "washer", "tail", "dielectric", "connector"):
            with self.assertRaisesRegex(Refused, "joins two parts"):
                recipe(
                    CATALOGUE,
                    method,
                    parse_end("cu-m 22 pipe"),
                    "gas" if method == "connector" else "heating",
                    "british",
                )

    def test_socket_asked_for_gives_the_card_of_its_pipe(self) -> None:
        by_pipe = recipe(CATALOGUE, "press", parse_end("cu-m 22 pipe"), "heating", "british")
        by_socket = recipe(CATALOGUE, "press", parse_end("press-cu 22 socket"), "heating", "british")
        self.assertEqual(by_pipe, by_socket)
        self.assertTrue(any("Deburr" in line.text for line in by_socket.prep))

    def test_sizes_without_fittings_name_what_takes_them(self) -> None:
        with self.assertRaisesRegex(
            Refused, "none is listed for multilayer 25, which goes by it in 16, 20, 26; .*press"
        ):
            recipe(CATALOGUE, "compression-mlc", parse_end("mlc 25 pipe"), "heating", "british")

    def test_multilayer_clamp_everywhere(self) -> None:
        """Mate, recipe and a change of valve: split ring and insert, never an olive; 16 mm deep for 16, 18 for 20."""
        met = find_tool("mate").run({"a": "mlc 16 pipe", "b": "comp-mlc 16 socket"})
        self.assertEqual((met["verdict"], met["method"]), ("with", "compression-mlc"))
        for size, depth in (("16", 16), ("20", 18)):
            self.assertEqual(
                find_tool("recipe").run({"method": "compression-mlc", "pipe": f"mlc {size}"})["insertion_mm"], depth
            )
            changed = find_tool("valve_change").run({"pipe": f"mlc {size}", "which": "both"})
            words = " ".join((*changed["steps"], *changed["quantities"], *changed["tools"]))
            self.assertIn(f"2 clamp sets for mlc {size}: nut, split ring, insert with O-rings, {depth} mm in", words)
            self.assertNotRegex(words, "nuts and olives|[Oo]ld olive|olive cutter")
            self.assertIn("never a soft olive", words)
        with self.assertRaisesRegex(Refused, "mlc 25 has sockets for: press-mlc"):
            find_tool("valve_change").run({"pipe": "mlc 25"})

    def test_card_in_the_units_of_the_job(self) -> None:
        """Inch copper sweated at 3/4: depth .75 in; the wire bent 7/8 in from its end; 300 mm are 11-13/16 in."""
        found = in_unit(recipe(CATALOGUE, "capillary", parse_end("cu-l 3/4 pipe"), "heating", "north-american"), "in")
        text = " ".join(line.text for line in (*found.prep, *found.steps, *found.cautions, *found.quantities))
        self.assertNotIn(" mm", text)
        for words in ("full depth, 3/4 in", "Valve seats, lined nipples, push-fit, meters: 11-13/16 in away"):
            self.assertIn(words, text)
        self.assertEqual(in_inches("15.9 mm, 2 to 3 mm, 350 mm (14 in)"), "5/8 in, 1/16 to 1/8 in, 350 mm (14 in)")

    def test_steps_a_fitter_would_miss(self) -> None:
        said = {
            ("push-fit", "pb-m 15"): "sharp outer edge",
            ("push-fit-metal", "cu-m 15"): "inner sleeve.*taken out",
            ("push-fit-metal", "pexa 1/2"): "inner sleeve.*stays in and centred",
            ("press-mlc", "mlc 16"): "O-rings whole.*insulating ring",
            ("capillary", "cu-m 15"): "no drip falls into the torch",
            ("press", "cu-m 22"): "contour letter.*enter both",
        }
        for (method, pipe), words in said.items():
            found = recipe(CATALOGUE, method, read_end(pipe, "pipe", CATALOGUE), "heating", "british")
            text = " ".join(line.text for line in (*found.prep, *found.steps))
            with self.subTest(method=method, pipe=pipe):
                self.assertRegex(text, words)
        steel = recipe(CATALOGUE, "thread", parse_end("fe-40 3/4 pipe"), "heating", "north-american")
        self.assertTrue(any("350 mm" in tool for tool in steel.tools), steel.tools)
        self.assertEqual(
            [wrench_mm(size) for size in ("3/8", "1/2", "3/4", "1", "1-1/4", "2")], [250, 250, 350, 350, 450, 600]
        )


class ListedTest(unittest.TestCase):
    """No joint of the cut list is lost."""

    def test_every_end_of_every_piece_is_a_joint(self) -> None:
        for pipe in PIPES:
            for service in ("heating", "water"):
                inch = "/" in pipe
                made = derive(
                    paced(WAY.format(pipe), end="G 3/4 male flat", practice="north-american" if inch else "british")
                )
                ends = {(joint.other, joint.fitting_key) for joint in made.fitted.joints.values()}
                with self.subTest(pipe=pipe, service=service):
                    for piece in made.fitted.pieces.values():
                        for mating, node in (
                            (piece.from_mating, made.pipework.straights[piece.straights[0]].from_node),
                            (piece.to_mating, made.pipework.straights[piece.straights[-1]].to_node),
                        ):
                            if mating.text == "pipe end" and not mating.method:
                                continue
                            self.assertTrue(
                                any(fitting == node or fitting.startswith(node) for _, fitting in ends),
                                f"{piece.key} {node}",
                            )
                    for joint in made.fitted.joints.values():
                        self.assertEqual(bool(joint.why), not joint.method)
                        if joint.method:
                            self.card_or_reason(joint, service, made.job.practice)

    def card_or_reason(self, joint: Joint, service: str, practice: str) -> None:
        end = joint_end(CATALOGUE, joint)
        assert end is not None, joint
        try:
            found = recipe(CATALOGUE, joint.method, end, service, practice)
        except Refused as why:
            self.assertGreater(len(why.expected), 25, joint)
        else:
            self.assertTrue(found.steps, joint)

    def test_mixed_elbow_and_tee(self) -> None:
        """One body takes both, or both joints are refused with the reason."""
        both = design("F1 from A.out cu-m 15: U500 =pb-m 15 E500 -> stub")
        turn = {joint.pipe: joint.method for joint in both.fitted.joints.values() if "turn" in joint.key}
        self.assertEqual(turn, {"cu-m 15": "compression", "pb-m 15": "compression-plastic"})
        none = design("F1 from A.out cu-m 15: U500 =pexa 1/2 E500 -> stub")
        turn_joints = [joint for joint in none.fitted.joints.values() if "turn" in joint.key]
        self.assertEqual([joint.pipe for joint in turn_joints], ["cu-m 15", "pexa 1/2"])
        for joint in turn_joints:
            self.assertRegex(joint.why, "takes cu-m 15 and pexa 1/2: change the pipe beside it")

    def test_devices_in_soft_and_inch_copper(self) -> None:
        soft = derive(paced("G1 from A.out cu-soft 5/8: U600 [iso] U600 -> cap", end="flare-45 5/8 male"))
        inch = design(
            "F1 from A.out cu-l 3/4: U600 [check] U600 -> cap", end="cap-cu 3/4 socket", practice="north-american"
        )
        self.assertEqual({joint.method for joint in soft.fitted.joints.values() if "device" in joint.key}, {"flare"})
        self.assertEqual(
            {joint.method for joint in inch.fitted.joints.values() if "device" in joint.key}, {"capillary"}
        )


class OwnSideTest(unittest.TestCase):
    """The card is that of the pipe that goes in, whichever way the run was paced."""

    def test_which_goes_in(self) -> None:
        self.assertEqual(goes_in("cu-m 22 pipe", "press-cu 22 socket"), "cu-m 22")
        self.assertEqual(goes_in("press-cu 22 socket", "cu-m 22 pipe"), "cu-m 22")
        self.assertEqual(goes_in("R 3/4 male", "Rp 3/4 female"), "R 3/4 male")
        self.assertEqual(goes_in("G 1 male flat", "G 1 female flat"), "G 1 female flat")

    def test_both_ways_of_pacing_give_the_same_cards(self) -> None:
        """A change from copper to multilayer, paced from either side."""
        cards = []
        for text in (
            "F1 from A.out cu-m 15: U400 =mlc 16 U400 -> stub",
            "F1 from A.out mlc 16: U400 =cu-m 15 U400 -> stub",
        ):
            made = design(text, end="press-mlc 16 socket" if "out mlc" in text else "comp-cu 15 socket")
            joints = [joint for joint in made.fitted.joints.values() if "change" in joint.key]
            found = {}
            for joint in joints:
                card = recipe_of(CATALOGUE, joint, "heating", "british", {})
                assert card is not None
                found[joint.pipe] = (joint.method, card.insertion_mm, card.od_mm)
            cards.append(found)
        self.assertEqual(cards[0], cards[1])
        self.assertEqual(cards[0]["mlc 16"], ("compression-mlc", 16.0, 16.0))
        self.assertEqual(cards[0]["cu-m 15"][2], 15.0)


class TransitionPartsTest(unittest.TestCase):
    def best(self, start: str, goal: str, **more: object) -> str:
        return find(Ask(parse_end(start), parse_end(goal), "heating", **more), CATALOGUE).chains[0].ids  # type: ignore[arg-type]

    def test_reducing_set_before_reducing_coupling(self) -> None:
        for school in (("capillary", "compression", "press"), ("press", "capillary", "compression")):
            self.assertEqual(self.best("comp-cu 22 socket", "cu-m 15 pipe", preferred=school), "comp-set-22x15")
        made = design("F1 from A.out cu-m 15: U500 -> stub", end="comp-cu 22 socket")
        joints = [(joint.method, joint.pipe) for joint in made.fitted.joints.values()]
        self.assertEqual(joints, [("compression", "cu-m 15")])  # one nut, one joint

    def test_thin_steel_on_boiler_tails_needs_no_copper(self) -> None:
        made = derive(whole("olmo-vecchio"))
        boiler = [joint for joint in made.fitted.joints.values() if joint.key.startswith(("BLR.flow", "BLR.return"))]
        self.assertEqual({joint.pipe for joint in boiler if joint.method == "press"}, {"fe-press 22"})
        self.assertEqual(kit_for(CATALOGUE, ("press-adaptor-22x1",), "fe-press", "22"), ("fe-press-connector-22x1",))
        self.assertEqual(kit_for(CATALOGUE, ("connector-22x1",), "fe-press", "22"), ("connector-22x1",))  # takes it
        self.assertEqual(kit_for(CATALOGUE, ("adaptor-22x3/4",), "mlc", "20"), ())
        self.assertEqual(kit_for(CATALOGUE, ("tail-g12", "trv-angle-15"), "mlc", "16"), ("tail-g12", "trv-angle-15"))

    def test_metal_before_plastic_is_18_inches_in_north_america(self) -> None:
        for practice, least_mm in (("north-american", 457.2), ("british", 500.0)):
            ask = Ask(
                parse_end("NPT 3/4 female"), parse_end("pexa 3/4 pipe"), "heating", near_heat=True, practice=practice
            )
            chain = find(ask, CATALOGUE).chains[0]
            stub = next(link for link in chain.links if link.part is None)
            depths_mm = 2 * 0.75 * INCH  # both sweat cups of 3/4
            self.assertAlmostEqual(stub.stub_mm - depths_mm, least_mm, delta=0.1)

    def test_push_fit_school_holds_at_transitions(self) -> None:
        job = paced("F1 from A.out cu-m 22: U500 =pb-m 22 U500 -> stub", end="Rp 3/4 female")
        job = edit(job, {"do": "choose", "topic": "metal-joining", "option": "push-fit"})
        methods = {joint.method for joint in derive(job).fitted.joints.values()}
        self.assertEqual(methods, {"thread", "push-fit"})
        inch = paced("F1 from A.out cu-l 3/4: U500 E500 -> stub", end="NPT 3/4 female", practice="north-american")
        inch = edit(inch, {"do": "choose", "topic": "metal-joining", "option": "push-fit"})
        made = list(derive(inch).fitted.joints.values())
        self.assertEqual({joint.method for joint in made}, {"thread", "push-fit-metal"})
        self.assertTrue(all(recipe_of(CATALOGUE, joint, "heating", "north-american", {}) for joint in made))


CHECKS = {  # what is looked at before a joint is put under pressure
    ("capillary", "cu-m 15"): {"ring", "flux_off"},
    ("flare", "cu-soft 15"): {"nut_first", "ridge", "face", "diameter"},
    ("thread", "fe-40 1/2"): {"turns", "direction"},
    ("press", "cu-m 22"): {"mark_seen", "witness", "jaw"},
    ("push-fit", "pb-m 15"): {"mark_seen", "insert", "locked"},
    ("compression", "cu-m 15"): {"mark_seen", "olive", "turns"},
    ("expansion", "pexa 1/2"): {"shoulder", "held"},
}


def marked(number: int, **body: object) -> Record:
    return Record(str(number), "joint", "k", "F1-1", 1, f"2026-03-01T10:0{number}:00Z", "site lead", body)


class ProofMarksTest(unittest.TestCase):
    def test_each_method_has_its_own_checks(self) -> None:
        for (method, pipe), names in CHECKS.items():
            self.assertEqual(set(checks_of(CATALOGUE, method, pipe)), names, method)
        blanks = missing_checks(CATALOGUE, "flare", "cu-soft 15", joint_states([marked(1, made=True, ridge=True)])["k"])
        self.assertEqual(blanks, ["nut on first", "face clean", "wide as the cone"])

    def test_contour_letters_are_compared(self) -> None:
        one = marked(1, made=True, mark_seen=True, witness=True, contour_fitting="V")
        self.assertEqual(missing_checks(CATALOGUE, "press", "cu-m 22", joint_states([one])["k"]), ["contour"])
        other = joint_states([one, marked(2, contour_jaw="m")])["k"]
        self.assertEqual(
            missing_checks(CATALOGUE, "press", "cu-m 22", other),
            ["V on the fitting, M on the jaw: stop, this is no joint"],
        )
        right = joint_states([one, marked(2, contour_jaw="m"), marked(3, contour_jaw="V")])["k"]
        self.assertEqual(missing_checks(CATALOGUE, "press", "cu-m 22", right), [])
        old = joint_states([marked(1, made=True, mark_seen=True, witness=True, jaw=True)])[
            "k"
        ]  # kept before the letters
        self.assertEqual(missing_checks(CATALOGUE, "press", "cu-m 22", old), [])


class HeatsTest(unittest.TestCase):
    def test_tee_of_two_runs_is_one_heat_made_with_the_later(self) -> None:
        job = paced("F1 from A.out cu-m 15: U500 *T1 U500 E500 -> stub", "F2 from F1.T1 cu-m 15: E500 -> stub")
        made = derive(job)
        tee, elbow = sorted(heats(made.fitted, CATALOGUE), key=lambda heat: -len(heat.joints))
        self.assertEqual((len(tee.joints), tee.runs), (3, ("F1", "F2")))
        self.assertEqual((len(elbow.joints), elbow.runs), (2, ("F1",)))
        steps = {step.key: step for step in made.plan}
        self.assertEqual(steps["pipe:F1"].parts[0], "3 joints")  # the port's and the elbow's two
        self.assertEqual(steps["pipe:F2"].parts[0], "3 joints")
        self.assertIn("In one heat, all sockets: 15 tee capillary T1 of F1", steps["pipe:F2"].caution)


if __name__ == "__main__":
    unittest.main()
