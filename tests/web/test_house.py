"""The state of the house: what to shut, what goes off, how every piece stands; by the page alone."""

from __future__ import annotations

import re
import unittest

from oikotherm.core.design import derive
from oikotherm.core.work.state import house_of, isolate
from oikotherm.store import jobs
from oikotherm.store.database import writing
from tests.jobs import whole
from tests.web.test_web import WebCase


class HousePageTest(WebCase):
    def setUp(self) -> None:
        super().setUp()
        with writing(self.conn):
            jobs.create(self.conn, whole().model_copy(update={"uid": "lockwater"}), "demo")

    def page(self, asked: str = "") -> str:
        answer = self.client.get(f"/jobs/lockwater/house{asked}")
        self.assertEqual(answer.status_code, 200)
        return answer.text

    def said(self, page: str) -> tuple[set[str], float, set[str]]:
        off = re.search(r"data-off>([^<]*)<", page)[1]
        relights = re.search(r"data-relights>([^<]*)<", page)[1]
        held = re.search(r'data-litres="([\d.]+)"', page)
        litres = float(held[1]) if held else 0.0
        words = [set(one.split(", ")) - {"nothing"} for one in (off, relights)]
        return words[0], litres, words[1]

    def test_five_questions_answered_by_the_page_alone(self) -> None:
        """By hand on the Lockhouse. What goes off to work on the range's gas pipe? The valve of the meter or the one
        before the boiler and that of the other branch: all that burns, and all the boiler warms. To take off R3? Its
        own valves, nothing else. What stands in the water behind the stop valve? 6.17 L. To serve the softener? Its two
        valves, and nothing else goes dry: the bypass feeds the rest. What does the hose's valve take? The hose."""
        off, _, relights = self.said(self.page("?at=G2"))
        self.assertLessEqual({"RNG", "URN", "BLR", "R1"}, off)
        self.assertEqual(relights, {"RNG", "URN", "BLR"})
        page = self.page("?at=R3")
        self.assertEqual(self.said(page)[0], {"R3"})
        self.assertTrue("<strong>R3.left, its valve" in page)
        design = derive(whole())
        house = house_of(design)
        first = {house.work.nodes[key].run: key for key in reversed(house.valves) if key in house.work.nodes}
        off, litres, _ = self.said(self.page(f"?shut={first['C1']}"))
        self.assertAlmostEqual(litres, 6.17, delta=0.01)
        self.assertEqual(off, {"CYL", "SOF", "K1", "K2", "SHW", "HOS"})
        page = self.page("?at=SOF")
        self.assertEqual(self.said(page)[0], {"SOF"})
        self.assertEqual(re.findall(r"<strong>(C\d): isolating valve", page), ["C1", "C2"])
        hose = [
            key for key in house.valves if house.work.nodes[key].run == "C3" and house.work.nodes[key].part == "iso"
        ]
        self.assertEqual(self.said(self.page(f"?shut={hose[0]}"))[0], {"HOS"})

    def test_pieces_stand_as_the_house_says(self) -> None:
        design = derive(whole())
        page = self.page("?at=G3")
        lost = set(isolate(design, "G3").straights)
        shown = {key: state for state, key in re.findall(r'state-(\w+)[^>]*?data-key="([^"]+)"', page)}
        for key, piece in design.fitted.pieces.items():
            if key in shown and set(piece.straights) <= lost:
                self.assertEqual(shown[key], "shut", key)
            elif key in shown and piece.run == "F1":
                self.assertEqual(shown[key], "live", key)
        self.assertTrue("shut off, still full" in page)

    def test_after_a_step_of_the_plan(self) -> None:
        page = self.page("?step=drain:water")
        self.assertTrue("After <b>Drain the water pipe</b>" in page)
        legend = re.findall(r'class="key state-(\w+)"', page)
        self.assertEqual(set(legend), {"drained", "absent"})
        self.assertFalse("data-off" in page)

    def test_what_is_not_there(self) -> None:
        self.assertTrue("Nothing called NOWHERE has pipe" in self.page("?at=NOWHERE"))
        self.assertTrue("all valves open" in self.page("?shut=nothing&step=nothing"))


if __name__ == "__main__":
    unittest.main()
