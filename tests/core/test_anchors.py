"""How a start and a finish may be said: in full, as a station and its port, as a station alone, by a point's own
name."""

import unittest

from oikotherm.core.bench import find_tool
from oikotherm.core.errors import Refused
from oikotherm.core.job.complete import complete
from tests.jobs import STYLE, edit, job, port, station


def house():
    """A boiler-like station with two ports, a radiator with a flow and a return, a supply with one port, a tee called
    Q7."""
    source = [
        port("flow", "comp-cu 22 socket", (0, 0, 0)),
        port("return", "comp-cu 22 socket", (100, 0, 0), role="return"),
    ]
    ends = [
        port("left", "comp-cu 15 socket", (2000, 0, 0), "left"),
        port("right", "comp-cu 15 socket", (3000, 0, 0), "right", role="return"),
    ]
    return edit(
        job(),
        station("A", source),
        station("R3", ends),
        station("M1", [port("out", "comp-cu 15 socket", (0, 500, 0), role="cold")]),
    )


class AnchorTest(unittest.TestCase):
    def run_of(self, text, made=None):
        return edit(made or house(), {"do": "put_run", "text": text}).runs[-1]

    def refused(self, text, made=None):
        with self.assertRaises(Refused) as caught:
            self.run_of(text, made)
        return caught.exception

    def test_a_word_after_the_station_names_its_port(self):
        for text in ("from A flow cu-m 22: U300", "from a FLOW cu-m 22: U300", "F1 from A flow copper 22: U300"):
            with self.subTest(text):
                run = self.run_of(text)
                self.assertEqual((run.start, str(run.pipe)), ("A.flow", "cu-m 22"))

    def test_a_port_called_as_a_pipe_is_the_port(self):
        made = edit(
            house(),
            {"do": "put_port", "station": "M1", "port": port("copper", "comp-cu 15 socket", (0, 0, 0), role="cold")},
        )
        run = self.run_of("from M1 copper cu-m 15: U300", made)
        self.assertEqual((run.start, str(run.pipe)), ("M1.copper", "cu-m 15"))

    def test_a_finish_too_may_be_said_in_two_words(self):
        self.assertEqual(self.run_of("from A flow cu-m 22: U300 -> R3 left").finish, "R3.left")

    def test_a_station_alone_is_its_one_free_port(self):
        self.assertEqual(self.run_of("from M1 cu-m 15: U300").start, "M1.out")

    def test_at_the_finish_it_is_the_free_port_of_the_runs_role(self):
        self.assertEqual(self.run_of("from A.flow cu-m 22: U300 -> R3").finish, "R3.left")
        self.assertEqual(self.run_of("from A.return cu-m 22: U300 -> R3").finish, "R3.right")

    def test_where_several_are_free_it_is_asked_which(self):
        refused = self.refused("from A cu-m 22: U300")
        self.assertEqual((refused.expected, refused.where), ("which one: A.flow, A.return", (5, 6)))

    def test_once_one_is_taken_the_other_is_meant(self):
        made = edit(house(), {"do": "put_run", "text": "F1 from A.flow cu-m 22: U300"})
        self.assertEqual(self.run_of("from A cu-m 22: U300", made).start, "A.return")

    def test_a_run_that_is_retyped_may_say_its_own_port_again(self):
        made = edit(house(), {"do": "put_run", "text": "F1 from A.flow cu-m 22: U300 -> R3"})
        again = edit(made, {"do": "put_run", "run": "F1", "text": "F1 from A cu-m 22: U400 -> R3"})
        self.assertEqual((again.run("F1").start, again.run("F1").finish), ("A.flow", "R3.left"))

    def test_a_station_comes_before_a_point_of_that_name_and_the_point_where_none_is_free(self):
        made = edit(house(), {"do": "put_run", "text": "F1 from A.flow cu-m 22: U300 *M1 E100"})
        self.assertEqual(self.run_of("from M1 cu-m 15: U300", made).start, "M1.out")
        made = edit(made, {"do": "put_run", "text": "C1 from M1.out cu-m 15: U300"})
        self.assertEqual(self.run_of("from M1 cu-m 15: N300", made).start, "F1.M1")

    def test_a_station_without_a_port_that_fits_says_so(self):
        refused = self.refused("from A.flow cu-m 22: U300 -> M1")
        self.assertRegex(refused.expected, "a free port of M1 for flow")

    def test_without_a_job_the_word_before_the_pipe_is_the_port(self):
        found = find_tool("pace").run({"text": "from BLR flow cu-m 22: U300"})
        self.assertEqual(found["length_mm"], 300)
        with self.assertRaises(Refused):
            find_tool("pace").run({"text": "from BLR flow: U300"})

    def test_the_port_is_offered_after_its_station(self):
        text = "from R3 "
        self.assertEqual([one.text for one in complete(house(), text, len(text), STYLE)][:2], ["left", "right"])
        text = "from R3 left "
        self.assertIn("cu-m", [one.text for one in complete(house(), text, len(text), STYLE)])


if __name__ == "__main__":
    unittest.main()
