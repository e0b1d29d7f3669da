"""Legs called out while taping, pasted lines and tables, read as the notation reads them."""

from __future__ import annotations

import unittest

from oikotherm.core.errors import Refused
from oikotherm.core.job.spoken import as_paced, lines_of
from oikotherm.core.job.writing import run_text
from tests.jobs import STYLE, edit, job, paced, port, station


class SpokenTest(unittest.TestCase):
    def line(self, text: str, faces: str = "S") -> str:
        made = edit(job(), station("A", [port("out", "comp-cu 15 socket", (0, 0, 0))], faces=faces))
        made = edit(made, {"do": "put_run", "text": text})
        return run_text(made.runs[0], STYLE)

    def test_left_and_right_as_one_stands_before_the_station(self) -> None:
        """Its front faces south: who stands before it looks north, west is to the left."""
        said = "F1 from A.out cu-m 15: up 400, left 350, ahead 1.2m, right 80, back 60, down 200 -> cap"
        self.assertEqual(self.line(said), "F1 from A.out cu-m 15: U400 W350 N1.2m E80 S60 D200 -> cap")
        said = "F1 from A.out cu-m 15: Left 350 north 20 -> cap"
        self.assertEqual(self.line(said, "E"), "F1 from A.out cu-m 15: S350 N20 -> cap")

    def test_units_are_kept_as_said(self) -> None:
        said = 'F1 from A.out cu-m 15: up 7 1/2" east 6\' 2-3/4" up 350? -> cap'
        self.assertEqual(self.line(said), 'F1 from A.out cu-m 15: U7-1/2" E6\'2-3/4" U350? -> cap')

    def test_what_is_no_called_leg_stays(self) -> None:
        for text in ("F1 from A.out cu-m 15: U400 # up 5 from the left;", "from LEFT.out cu-m 15: U4", "up 5"):
            self.assertEqual(as_paced(text, job()), text)

    def test_a_run_from_another_asks_for_the_compass(self) -> None:
        made = paced("F1 from A.out cu-m 15: U400 *T1 U400 -> cap")
        with self.assertRaises(Refused) as caught:
            edit(made, {"do": "put_run", "text": "F2 from F1.T1 cu-m 15: left 500 -> cap"})
        self.assertIn("north, east", caught.exception.expected)
        kept = edit(made, {"do": "put_run", "text": "F2 from F1.T1 cu-m 15: east 500 -> cap"})
        self.assertEqual(run_text(kept.runs[1], STYLE), "F2 from F1.T1 cu-m 15: E500 -> cap")

    def test_an_error_points_at_no_wrong_word(self) -> None:
        with self.assertRaises(Refused) as caught:
            self.line("F1 from A.out cu-m 15: up 400 sideways 30 -> cap")
        self.assertIsNone(caught.exception.where)
        self.assertEqual(caught.exception.said, "sideways")

    def test_pasted_lines(self) -> None:
        text = "F1 from A.out cu-m 15: U400\n\nF2 from F1.T1 cu-m 15:\nway,length\nleft,350\nup;1200\r\n"
        self.assertEqual(lines_of(text), ["F1 from A.out cu-m 15: U400", "F2 from F1.T1 cu-m 15: left,350 up;1200"])
        self.assertEqual(lines_of("left 350\nup 1200"), ["left 350 up 1200"])
        self.assertEqual(lines_of(" \n"), [])

    def test_a_table_becomes_a_run(self) -> None:
        (line,) = lines_of("from A.out cu-m 15:\nway,length\nup,400\nleft,350\nup,1200")
        self.assertEqual(self.line(line), "F1 from A.out cu-m 15: U400 W350 U1200")


if __name__ == "__main__":
    unittest.main()
