"""The state of the house in the browser: a pipe that is clicked, valves turned, colours read."""

from __future__ import annotations

import unittest

from .pages import SETTLED, BrowserCase

COLOUR = """key => {
  const pipes = [...document.querySelectorAll('.house-map .pipe')];
  const style = getComputedStyle(pipes.find(e => e.dataset.key === key));
  return `${style.stroke} ${style.strokeDasharray}`;
}"""
PIECES = """run => [...document.querySelectorAll('.house-map .pipe[data-run="' + run + '"]')].map(e => e.dataset.key)"""


class HouseTest(BrowserCase):
    def colours(self, run: str) -> set[str]:
        return {self.page.evaluate(COLOUR, key) for key in self.page.evaluate(PIECES, run)}

    def test_valves_are_turned_and_pipes_clicked(self) -> None:
        """The valve before the hose shuts C3 behind it alone; the stop valve all cold water. Colour and dash tell."""
        page = self.page
        self.go("/jobs/lockhouse/house")
        live = self.colours("C2")
        self.assertEqual(len(live), 1)
        self.assertEqual(self.colours("F1"), live)
        page.get_by_label("C3: isolating valve", exact=False).check()
        page.get_by_role("button", name="Turn them").click()
        page.wait_for_url("**shut=**")
        page.wait_for_function(SETTLED, polling=20)
        self.assertEqual(page.locator("[data-off]").inner_text(), "HOS")
        self.assertEqual(self.colours("C2"), live)
        shut = self.colours("C3") - live
        self.assertEqual(len(shut), 1)
        page.get_by_label("C1: isolating valve, 200 mm along").check()
        page.get_by_role("button", name="Turn them").click()
        page.wait_for_function(SETTLED, polling=20)
        self.assertIn("SHW", page.locator("[data-off]").inner_text())
        self.assertEqual(self.colours("C2"), shut)
        self.assertEqual(self.colours("F1"), live)

    def test_a_click_says_what_to_shut(self) -> None:
        page = self.page
        self.go("/jobs/lockhouse/house")
        page.locator('.house-map .pipe[data-run="G3"]').first.dispatch_event("click")
        page.wait_for_url("**at=**")
        page.wait_for_function(SETTLED, polling=20)
        self.assertIn("G3: isolating valve", page.locator(".isolation").inner_text())
        self.assertIn("URN", page.locator("[data-off]").inner_text())

    def test_it_holds_on_a_phone(self) -> None:
        page = self.open(390, 844)
        self.go("/jobs/lockhouse/house?at=SOF", page)
        self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 390)
        self.assertTrue(page.locator("[data-litres]").is_visible())


if __name__ == "__main__":
    unittest.main()
