"""The forms of the Bench: every tool under one heading, its example in plain words, and read back as it was."""

import unittest

from oikotherm.core.bench import find_tool, tools
from oikotherm.core.errors import Refused
from oikotherm.web.bench_fields import fields_of, grouped, read, shown
from tests.web.test_web import WebCase


class FieldsTest(unittest.TestCase):
    def test_every_tool_stands_under_one_heading(self):
        listed = [tool.name for _, own in grouped() for tool in own]
        self.assertEqual(sorted(listed), sorted(tools()))

    def test_every_example_is_plain_words_and_gives_what_it_gave(self):
        for tool in tools().values():
            with self.subTest(tool=tool.name):
                typed = shown(tool, tool.example)
                plain = [text for name, text in typed.items() if name != "job"]  # a document is pasted as it is
                self.assertFalse([text for text in plain if text.startswith(("[", "{"))], typed)
                self.assertEqual(tool.run(read(tool, typed)), tool.run(tool.example))
                for field in fields_of(tool):
                    self.assertGreater(len(field.label), 2, field)
                    self.assertNotRegex(field.description, r"[\[{]", field)

    def test_labels_say_their_unit(self):
        said = {field.name: field.label for tool in tools().values() for field in fields_of(tool)}
        for name, label in (
            ("flow_l_h", "flow, L/h"),
            ("cold_c", "cold, C"),
            ("delta_k", "delta, K"),
            ("largest_mm", "largest, mm"),
            ("round_to", "round to"),
            ("raw_sodium", "raw sodium"),
        ):
            self.assertEqual(said[name], label)

    def test_lines_numbers_and_pairs_are_read(self):
        balance = find_tool("balance")
        typed = {"emitters": "R1, 62, 3.3 kPa\nR2, 50, 2.8 kPa", "measured_k": "R1 11.5; R2 9", "temp_c": "70"}
        found = read(balance, typed)
        self.assertEqual(found["emitters"][1], {"id": "R2", "flow_l_h": 50.0, "path": "2.8 kPa"})
        self.assertEqual(found["measured_k"], {"R1": 11.5, "R2": 9.0})
        self.assertEqual(read(find_tool("flow_finder"), {"times_s": "0 30, 60"})["times_s"], [0.0, 30.0, 60.0])
        leak = find_tool("gas_tightness")
        typed = {"gauge": "resolution 0.1 mbar; kind water", "readings": "0, 20.5, 18\n2, 20.4"}
        found = read(leak, typed)
        self.assertEqual(found["gauge"], {"resolution": "0.1 mbar", "kind": "water"})
        self.assertEqual(found["readings"][1], {"at": "2", "pressure": "20.4"})
        self.assertEqual(found["readings"][0]["temp_c"], "18")
        with self.assertRaisesRegex(Refused, "resolution, range, kind"):
            read(leak, {"gauge": "steps 3"})
        for bad in ({"emitters": "R1, 62"}, {"emitters": "R1, 62, 3.3 kPa", "measured_k": "R1"}):
            with self.assertRaises(Refused) as caught:
                balance.run(read(balance, bad))
            self.assertTrue(caught.exception.example)


class PagesTest(WebCase):
    def test_a_table_typed_line_by_line(self):
        page = self.client.get("/bench/balance?emitters=R1,+62,+3.3+kPa%0AR2,+50,+2.8+kPa").text
        self.assertIn('<th scope="row">R2</th>', page)
        bad = self.client.get("/bench/balance?emitters=R1,+62")
        self.assertEqual(bad.status_code, 422)
        self.assertIn("3 entries with commas", bad.text)


if __name__ == "__main__":
    unittest.main()
