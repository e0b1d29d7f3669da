"""What is lawful, against verdicts made by hand from the trade's own rules, and the five doors that must say the
same."""

import unittest

from oikotherm.core.bench import find_tool
from oikotherm.core.catalogue import parse_end, standard
from oikotherm.core.errors import Refused
from oikotherm.core.joints.law import Question, law, methods_for
from oikotherm.core.services import spec
from tests import counts, doors

CATALOGUE = standard()
# Made by hand from the tables of joints: a allowed, w with something, r refused. Pipe | method | practice | in reach on
# heating, water, gas, a relief
# valve's discharge, condensate | behind a finish on heating, water, gas.
BY_HAND = """
cu-m 22    | capillary           | british        | a a a a r | a a a
cu-m 22    | capillary           | continental    | a a r a r | a a r
cu-m 22    | braze               | british        | a a a a r | a a a
cu-l 3/4   | braze               | north-american | a a w a r | a a w
cu-m 22    | compression         | british        | w w w w r | r r r
cu-m 22    | push-fit            | british        | w w r r r | w w r
cu-m 22    | push-fit-metal      | british        | w w r r r | w w r
cu-m 22    | press               | british        | a a w a r | a a w
cu-m 22    | expansion           | british        | r r r r r | r r r
cu-m 22    | flare               | british        | r r r r r | r r r
cu-l 3/4   | capillary           | north-american | a a r a r | a a r
cu-l 3/4   | capillary           | british        | a a r a r | a a r
cu-l 3/4   | press               | north-american | a a w a r | a a w
cu-l 3/4   | push-fit-metal      | north-american | w w r r r | w w r
cu-mm 3/4  | capillary           | north-american | a a r a r | a a r
cu-mm 3/4  | press               | north-american | a a r a r | a a r
cu-k 3/4   | capillary           | north-american | r a r a r | r a r
cu-soft 5/8| flare               | north-american | r w w r r | r r r
cu-soft 15 | compression         | british        | r w w r r | r r r
pb-m 22    | push-fit            | british        | w w r r r | w w r
pb-m 22    | compression-plastic | british        | w w r r r | r r r
pb-m 22    | press               | british        | r r r r r | r r r
pexa 3/4   | expansion           | north-american | w w r r r | w w r
pexa 3/4   | push-fit-metal      | north-american | w w r r r | w w r
mlc 20     | press-mlc           | continental    | w w w r r | w w w
mlc 20     | compression-mlc     | continental    | w w r r r | r r r
mlc 20     | capillary           | continental    | r r r r r | r r r
fe-press 22| press               | continental    | a r r r r | a r r
fe-press 22| compression         | british        | w r r r r | r r r
fe-40 3/4  | thread              | north-american | w r w r r | w r w
fe-m 3/4   | thread              | british        | w r w r r | w r w
galv 3/4   | thread              | british        | r w r r r | r w r
csst EHD23 | csst                | north-american | r r w r r | r r w
waste 21.5 | solvent             | british        | r r r r w | r r r
waste 32   | push-fit            | british        | r r r r w | r r r
cu-old 3/4 | compression         | british        | w w r r r | r r r
cu-old 3/4 | capillary           | british        | a a r r r | a a r
"""
ASKED = (
    ("flow", ""),
    ("cold", ""),
    ("gas", ""),
    ("discharge", ""),
    ("condensate", ""),
    ("flow", "wall"),
    ("cold", "wall"),
    ("gas", "wall"),
)
LETTERS = {"a": "allowed", "w": "with", "r": "refused"}
SEED = 20_261


class VerdictTest(unittest.TestCase):
    def test_verdicts_made_by_hand(self):
        seen = 0
        for line in BY_HAND.strip().splitlines():
            pipe, method, practice, reach, hidden = (cell.strip() for cell in line.split("|"))
            for (role, place), letter in zip(ASKED, (*reach.split(), *hidden.split()), strict=True):
                with self.subTest(f"{method} on {pipe}, {practice}, {role} {place}"):
                    question = Question(
                        parse_end(f"{pipe} pipe"), None, spec.service_of(role), practice, method, role, place, not place
                    )
                    self.assertEqual(law(CATALOGUE, question).verdict, LETTERS[letter])
                seen += 1
        self.assertGreaterEqual(seen, 250)

    def test_every_refusal_says_why_in_a_sentence_with_its_source(self):
        for line in BY_HAND.strip().splitlines():
            pipe, method, practice, *_ = (cell.strip() for cell in line.split("|"))
            for role, place in ASKED:
                found = law(
                    CATALOGUE,
                    Question(
                        parse_end(f"{pipe} pipe"), None, spec.service_of(role), practice, method, role, place, not place
                    ),
                )
                if found.refused:
                    for reason in found.reasons:
                        self.assertRegex(reason.text, r"^[A-Z0-9].*\.$")
                        self.assertNotRegex(reason.text, r"[{}]|  ")
                        self.assertTrue(reason.source and reason.code)

    def test_what_may_be_used_instead_is_lawful_there(self):
        for line in BY_HAND.strip().splitlines():
            pipe, method, practice, *_ = (cell.strip() for cell in line.split("|"))
            for role, place in ASKED:
                question = Question(
                    parse_end(f"{pipe} pipe"), None, spec.service_of(role), practice, method, role, place, not place
                )
                found = law(CATALOGUE, question)
                lawful = methods_for(CATALOGUE, question.a, question)
                self.assertEqual(
                    [one for one in found.instead if one not in lawful], [], f"{question} {found.instead} {lawful}"
                )

    def test_heat_keeps_plastic_away_but_not_condensate(self):
        pipe = {"a": "pb-m 22", "b": "push-pb 22 socket", "near_heat": True}
        self.assertIn("500 mm from the heat", find_tool("mate").run(pipe)["why"])
        self.assertIn("18 in", find_tool("mate").run({**pipe, "practice": "north-american"})["why"])
        waste = {
            "a": "waste 21.5",
            "b": "solv-waste 21.5 socket",
            "service": "discharge",
            "role": "condensate",
            "near_heat": True,
        }
        self.assertEqual(find_tool("mate").run(waste)["verdict"], "with")

    def test_heat_and_pressure_are_held_against_the_ends(self):
        question = Question(parse_end("pb-m 22 pipe"), None, "heating", "british", "push-fit", "flow", temp_c=95.0)
        self.assertIn("bears 90 C, it becomes 95 C", law(CATALOGUE, question).text)
        high = Question(parse_end("pb-m 22 pipe"), None, "water", "british", "push-fit", "cold", pressure_pa=8e5)
        self.assertIn("bears 6 bar, it becomes 8 bar", law(CATALOGUE, high).text)

    def test_questions_that_cannot_be_asked_are_refused(self):
        pipe = parse_end("cu-m 22 pipe")
        for question in (
            Question(pipe, None, "steam", "british", "press"),
            Question(pipe, None, "gas", "roman", "press"),
        ):
            with self.assertRaises(Refused):
                law(CATALOGUE, question)
        with self.assertRaises(Refused):
            find_tool("mate").run({"a": "cu-m 22", "b": "cap-cu 22 socket", "service": "gas", "role": "flow"})


class DoorsTest(unittest.TestCase):
    def test_the_five_doors_agree(self):
        """60 of the pairwise covering cases; python -m tests.long asks 1,500."""
        cases = doors.covering(SEED, 600)[:: counts.cases(10, 4)]
        wrong = [said for case in cases if (said := doors.disagreements(case))]
        self.assertEqual(wrong, [])
        answers = {doors.by_mate(case) for case in cases}
        self.assertEqual((len(cases), answers), (counts.cases(60, 150), {True, False}))
