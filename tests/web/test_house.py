"""The state of the house: what to shut, what goes off, how every piece stands; by the page alone."""

from __future__ import annotations

import re
import unittest
from uuid import uuid4

from oikotherm.core.design import derive
from oikotherm.core.work.isolation import isolate
from oikotherm.core.work.state import house_of
from oikotherm.store import jobs
from oikotherm.store import records as record_store
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
        off = set(re.search(r'data-off="([^"]*)"', page)[1].split(", ")) - {""}
        held = re.search(r'data-litres="([\d.]+)"', page)
        return off, float(held[1]) if held else 0.0, self.line(page, "dead")

    def line(self, page: str, what: str) -> set[str]:
        found = re.search(rf"data-{what}>([^<]*)<", page)
        return set(found[1].split(", ")) if found else set()

    def test_five_questions_answered_by_the_page_alone(self) -> None:
        """By hand on the Lockhouse. What goes off to work on the range's gas pipe? The valve of the meter or the one
        before the boiler and that of the other branch: all that burns, and all the boiler warms. To take off R3? Its
        own valves, nothing else. What stands in the water behind the stop valve? 6.17 L. To serve the softener? Its two
        valves, and nothing else goes dry once its bypass is open. What does the hose's valve take? The hose."""
        off, _, relights = self.said(self.page("?at=G2"))
        self.assertLessEqual({"RNG", "URN", "BLR", "R1"}, off)
        self.assertEqual(relights, {"RNG", "URN", "BLR"})
        page = self.page("?at=G2")
        self.assertLessEqual({"R1", "R9", "CYL", "SHW"}, self.line(page, "cold"))  # the cylinder's hot water too
        self.assertEqual(self.line(page, "dry"), set())
        page = self.page("?at=R3")
        self.assertEqual(self.said(page)[0], {"R3"})
        self.assertTrue("<strong>R3.left, its valve" in page)
        design = derive(whole())
        house = house_of(design)
        first = {house.work.nodes[key].run: key for key in reversed(house.valves) if key in house.work.nodes}
        off, litres, _ = self.said(self.page(f"?shut={first['C1']}"))
        self.assertAlmostEqual(litres, 126.17, delta=0.01)
        self.assertEqual(off, {"CYL", "SOF", "K1", "K2", "SHW", "HOS"})
        page = self.page("?at=SOF")
        self.assertEqual(self.said(page)[0], {"SOF"})
        self.assertEqual(re.findall(r"<strong>(C\d): isolating valve", page), ["C1", "C2", "C5"])
        self.assertTrue("open <strong>C5: isolating valve" in page)
        self.assertEqual(self.line(page, "dry"), {"SOF"})
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

    def tick(self, *keys: str) -> None:
        records = [
            {
                "uuid": str(uuid4()),
                "job": "lockwater",
                "kind": "step",
                "key": key,
                "label": key,
                "rev": 1,
                "made_at": f"2026-03-01T10:00:0{n}Z",
                "by_role": "site lead",
                "body": {"done": True},
            }
            for n, key in enumerate(keys)
        ]
        with writing(self.conn):
            for record in records:
                record_store.add(self.conn, record)

    def test_before_anybody_goes_home(self) -> None:
        """By hand: on the day the water is shut and drained WC and outside tap are out of use and the gas is dead; the
        old pipe's caps are on once it is out. With the gas pipe made and the appliances lit but never proved, nobody
        goes."""
        self.tick("isolate", "drain:water", "strip:F11")
        page = self.page("?today=1")
        said = dict(re.findall(r'data-leave="([^"]+)"><b>([^<]+)<', page))
        self.assertEqual(said, {"water": "see to it", "use": "see to it", "open": "right", "gas": "right"})
        self.assertTrue("Out of use tonight: WC1, OC1" in page and "3 of" in page)
        self.tick("pipe:G1", "purge:gas", "light:gas")
        self.assertTrue(
            'data-leave="gas"><b>stop</b> Gas is on in pipe no passed test proves: G1' in self.page("?today=1")
        )

    def test_refilling_waits_for_every_cock(self) -> None:
        """The hose tap and the cylinder's drain are the cocks of the Lockhouse's water; a step ticked before them is
        said."""
        page = self.client.get("/jobs/lockwater/order").text
        gate = re.search(r'aria-label="Before turn the water on again">.*?</ul>', page, re.S)[0]
        keys = re.findall(r'data-key="([^"]+)"', gate)
        self.assertEqual(keys[:2], ["refill:water/CYL", "refill:water/HOS"])
        self.tick("refill:water", keys[0])
        page = self.client.get("/jobs/lockwater/order").text
        self.assertTrue(f"Ticked with {len(keys) - 1} of {len(keys)} not ticked" in page)
        self.tick(*keys)
        self.assertFalse("not ticked: see to them" in self.client.get("/jobs/lockwater/order").text)

    def test_what_comes_out(self) -> None:
        page = self.page()
        row = re.search(r'<th scope="row">F11</th>.*?</tr>', page, re.S)[0]
        self.assertTrue("cu-old 1, 4100 mm" in row and "at OF1.end" in row)

    def test_what_is_not_there(self) -> None:
        self.assertTrue("Nothing called NOWHERE has pipe" in self.page("?at=NOWHERE"))
        self.assertTrue("The finished house" in self.page("?shut=nothing&step=nothing"))


if __name__ == "__main__":
    unittest.main()
