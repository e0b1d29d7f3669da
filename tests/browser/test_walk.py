"""The demo job from Survey to a finished pack, through all eight stages."""

import io
from pathlib import Path

from pypdf import PdfReader

from tests.browser.pages import BrowserCase
from tests.jobs import whole


class WalkTest(BrowserCase):
    def test_the_demo_from_survey_to_a_finished_pack(self):
        page = self.page
        self.as_new()
        self.go("/jobs/lockhouse/survey")
        self.assertEqual(page.locator("details.station").count(), len(whole().stations))
        page.keyboard.press("Escape")
        page.locator("[data-stage='2']").click()
        page.locator(".remedy button").first.click()
        page.locator(".finding.stop").wait_for(state="detached")
        page.keyboard.press("3")
        page.wait_for_url("**/sizes")
        head = page.locator(".headline b").first.inner_text()
        page.keyboard.press("4")
        page.wait_for_url("**/joints")
        for part in range(page.locator(".blocks a").count()):
            page.locator(".blocks a").nth(part).click()
            page.wait_for_load_state("networkidle")
            for button in page.locator("[data-field=made]").all():
                if button.get_attribute("aria-pressed") == "false":  # a heat is marked with its first joint
                    button.click()
            page.locator("#queue:empty").wait_for(state="attached")
        total = page.locator("#made-count").get_attribute("data-total")
        self.assertEqual(page.locator("#made-count").inner_text(), total)
        page.keyboard.press("5")
        page.wait_for_url("**/make")
        cuts = int(page.locator(".blocks span").inner_text().split()[0])
        page.keyboard.press("6")
        page.wait_for_url("**/order")
        page.locator("#open-phases").click()
        for button in [*page.locator(".checks button").all(), *page.locator(".tick-button").all()]:
            button.click()
        page.locator("#queue:empty").wait_for(state="attached")
        steps = page.locator(".tick-button").count()
        page.keyboard.press("7")
        page.wait_for_url("**/prove")
        held = {"heating": "1.70 bar", "water": "6.65 bar", "gas": "20.2 mbar"}
        sections = page.locator(".sections a").count()
        self.assertEqual(sections, 4)
        for number in range(sections):
            page.locator(".sections a").nth(number).click()
            page.wait_for_load_state("networkidle")
            service = page.locator("[data-section]").get_attribute("data-section").partition("/")[0]
            for part in range(max(page.locator(".blocks a").count(), 1) if service != "gas" else 0):
                if page.locator(".blocks a").count():
                    page.locator(".blocks a").nth(part).click()
                page.locator("#all-dry").click()
                page.locator("#queue:empty").wait_for(state="attached")
            page.locator("#readings").fill(
                "\n".join(f"2026-03-01T10:{minute:02d}, {held[service]}, 15 C" for minute in range(0, 60, 5))
            )
            if service == "gas":
                page.locator("[name=no_supply]").check()
            page.get_by_role("button", name="Judge and keep").click()
            page.locator(".test.pass").wait_for()
        self.assertEqual(page.locator(".sections a.proved").count(), sections)
        page.keyboard.press("8")
        page.wait_for_url("**/handover")
        self.assertIn("Complete at revision", page.locator(".hand").inner_text())
        with page.expect_download() as waiting:
            page.locator("#make-pack").click()
        data = Path(waiting.value.path()).read_bytes()
        text = " ".join(" ".join(one.extract_text() for one in PdfReader(io.BytesIO(data)).pages).split())
        for words in (
            f"Cut list, {cuts} cuts",
            f"Joints, {total}",
            f"Plan of work, {steps} steps",
            "verdict pass",
            f"Pump {head.split()[0]} kPa",
            "Complete.",
        ):
            self.assertIn(words, text)
        self.go("/jobs/lockhouse/handover")
        self.assertEqual(page.locator("#stages li.filled").count(), 8)
