"""Small jobs from the home page to the first step ticked, by keys alone; keys and seconds are printed."""

from __future__ import annotations

import math
import re
import unittest

from axe_playwright_python.sync_playwright import Axe

from .pages import SETTLED, KeyCase


class SmallJobs(KeyCase):
    def begin(self, title, answers):
        """From the home page: the small job, its questions answered by name, begun."""
        self.go("/")
        self.tab_to(f"^{title}")
        self.enter()
        self.type("Mill cottage")  # the place has the focus
        for name, said in answers.items():
            self.tab_to(rf"\b{name}$")
            if isinstance(said, int):
                self.press("ArrowDown", said)
            elif said == " ":
                self.press("Space")
            else:
                self.type(said)
        self.tab_to("^Begin$")
        self.enter()
        self.assertEqual(self.page.locator(".refused:visible").all_inner_texts(), [])
        self.assertRegex(self.page.url, r"/jobs/\w+/small$")

    def tick_first(self):
        self.tab_to(r"^[A-Z].* done$")
        self.press("Space")
        self.page.wait_for_selector("#plan li.done")
        self.page.wait_for_function(SETTLED, polling=20)

    def heads(self):
        return dict(
            zip(
                self.page.locator(".heads dt").all_inner_texts(),
                self.page.locator(".heads dd").all_inner_texts(),
                strict=True,
            )
        )

    def test_a_valve_changed(self):
        self.begin("Radiator valve changed", {"which": 2, "emptied": 1, "width": "1200"})
        self.assertEqual(self.heads()["Water out"], "7 L")
        self.assertEqual(self.page.locator(".steps-list .step-title b").first.inner_text(), "Mark the flow")
        self.tick_first()
        self.tab_to(r"\bflow$")
        self.press("ArrowDown", 1)
        self.tab_to("turns")
        self.press("Control+a")
        self.type("1.5")
        self.enter()
        self.assertEqual(self.heads()["Lockshield"], "1.5 turns open")
        self.assertIn("left pipe", self.heads()["Flow"])
        self.assertEqual(self.page.locator("#plan li.done").count(), 1)
        self.tab_to("F1-01")
        self.enter()
        self.assertIn("card", self.page.url)
        self.done("Radiator valve changed")

    def test_a_radiator_hung_on_its_stubs(self):
        self.begin("Radiator hung", {"centres": "1107", "stand": "260", "free": " ", "wall": 4})
        heads = self.heads()
        self.assertEqual((heads["Valve centres"], heads["Trim stubs to"]), ("1104 mm", "191 mm"))
        self.assertIn("springs in the tube", self.page.locator("#plan").inner_text())
        self.tick_first()
        self.done("Radiator hung on its stubs")

    def test_a_radiator_added(self):
        self.begin("Radiator added", {"width": "800", "out": "450", "hangs_later": " "})
        self.assertIn("Blank both valves", self.page.locator("#plan").inner_text())
        self.assertEqual(self.page.locator("#cut tbody tr").count(), 2)
        self.assertIn("22 x 22 x 15 tee", self.page.locator("#parts").inner_text())
        self.tick_first()
        self.enter("8")  # the pack is under Hand over
        self.assertIn("/handover", self.page.url)
        self.done("Radiator added")

    def test_a_falling_pressure_found(self):
        self.begin("Falling pressure", {"house_l": "82", "vessel_l": "12", "precharge_bar": "1"})
        for said in (
            "2026-03-01 07:00 1.30 18C",
            "2026-03-01 19:00 1.62 65C",
            "2026-03-02 07:00 1.19 18C",
            "2026-03-03 07:00 1.08 18C",
        ):
            self.tab_to("reading$")
            self.type(said)
            self.enter()
        self.assertEqual(self.heads()["Verdict"], "leak")
        self.assertEqual(self.page.locator("#story tbody tr").count(), 4)
        self.tab_to("reading$")
        self.type("x")
        self.enter()
        self.assertIn("expected", self.page.locator("#story .refused").inner_text())
        self.assertEqual(self.page.input_value("[name=reading]"), "x")
        self.done("Falling pressure found")

    def test_a_water_heater_changed(self):
        """Three misaligned pairs; the cut risers against sums by hand: over the whole hot riser its pieces come to rise
        - aside + 1.4142 aside - 4 x 7.2 (elbows) + 19 (into the adaptor) - 0.75 (coupling)."""
        keys = 0
        for said, up, aside in (
            ({"new_height": "1450", "new_diameter": "560", "shift": "40"}, 210, 50.0),
            ({"new_centres": "303"}, 260, 50.0),
            ({"new_height": "1300", "shift": "70", "to": 1, "new_diameter": "450"}, 360, 74.33),
        ):
            self.begin("Water heater changed$", {**said, "closed": " ", "house_bar": "3.5"})
            self.assertIn("135 L, 15 L stay", self.heads()["Water out"])
            self.assertIn("12 L", self.heads()["Expansion vessel"])
            rows = [row.split("\t") for row in self.page.locator("#cut tbody tr").all_inner_texts()]
            hot = [float(re.search(r"(\d+) ?mm", " ".join(row))[1]) for row in rows if row[0].startswith("H1")]
            whole = up - aside + math.sqrt(2) * aside - 4 * 7.2 + 19 - 0.75
            self.assertEqual(len(hot), 3)
            self.assertAlmostEqual(sum(hot), whole, delta=1.6)
            self.assertAlmostEqual(hot[1], math.sqrt(2) * aside - 14.4, delta=0.6)
            self.tick_first()
            self.enter("8")  # the pack is under Hand over
            self.assertIn("/handover", self.page.url)
            keys, self.keys = max(keys, self.keys), 0
        self.keys = keys
        self.done("Water heater changed", 600)

    def test_axe_finds_nothing_serious(self):
        for kind in ("hang", "pressure"):
            self.go(f"/small/{kind}")
            self.page.click("button.act")
            self.page.wait_for_function(SETTLED, polling=20)
            found = Axe().run(self.page, options={"resultTypes": ["violations"]}).response["violations"]
            self.assertEqual([one["id"] for one in found if one["impact"] in ("serious", "critical")], [])

    def test_its_pages_hold_on_a_phone(self):
        page = self.open(390, 844)
        for kind in ("valve", "hang", "move", "add", "pump", "guard", "pressure", "joint", "heater", "assembly"):
            self.go(f"/small/{kind}", page)
            self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 390, kind)
            page.click("button.act")
            page.wait_for_function(SETTLED, polling=20)
            self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 390, kind)


if __name__ == "__main__":
    unittest.main()
