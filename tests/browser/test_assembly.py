"""The player of the order of assembly in the browser: arrow keys, ticks that stay, what helps applied by one press."""

from __future__ import annotations

import unittest

from .pages import SETTLED, BrowserCase


class PlayerTest(BrowserCase):
    def test_keys_lead_through_the_steps_and_joints_are_ticked(self) -> None:
        page = self.page
        self.go("/jobs/fernhollow/assembly?run=G2")
        self.assertEqual(page.locator("#step-head b").first.inner_text(), "1")
        page.keyboard.press("ArrowRight")
        page.wait_for_url("**step=2**")
        page.wait_for_function(SETTLED, polling=20)
        page.keyboard.press("ArrowLeft")
        page.wait_for_url("**step=1**")
        page.wait_for_function(SETTLED, polling=20)
        label = page.locator(".player").get_attribute("data-label")
        page.locator(".player .mark-button").click()
        page.locator("#queue:empty").wait_for(state="attached")
        self.go("/jobs/fernhollow/assembly?run=G2&step=1")
        self.assertEqual(page.locator(".player .mark-button").get_attribute("aria-pressed"), "true")
        self.go("/jobs/fernhollow/joints?of=G2")
        made = page.locator(f'[data-label="{label}"] [data-field=made]')
        self.assertEqual(made.get_attribute("aria-pressed"), "true")

    def test_it_holds_on_a_phone(self) -> None:
        page = self.open(390, 844)
        for path in ("assembly?run=G1&step=30", "assembly/sheet?run=G2"):
            self.go(f"/jobs/fernhollow/{path}", page)
            self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 390)
        self.go("/jobs/fernhollow/assembly?run=G1&step=30", page)
        box = page.locator(".assembly-step").bounding_box()
        assert box is not None
        self.assertLess(box["y"] + box["height"], 844)


if __name__ == "__main__":
    unittest.main()
