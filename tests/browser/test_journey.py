"""From nothing to a printed cut sheet with the keyboard alone."""

import re

from tests.browser.pages import BrowserCase


class JourneyTest(BrowserCase):
    def tab_to(self, selector, most=90):
        """Press Tab until the focus is on the element; a person without a mouse has no other way."""
        for _ in range(most):
            if self.page.evaluate("s => document.activeElement?.matches(s) ?? false", selector):
                return
            self.page.keyboard.press("Tab")
        self.fail(f"Tab does not reach {selector}")

    def fill(self, **fields):
        for name, text in fields.items():
            self.tab_to(f"form.add [name={name}]")
            self.page.keyboard.type(text)

    def station(self, kind, **fields):
        self.tab_to("form.add [name=kind]")
        self.page.keyboard.type(kind)
        self.fill(**fields)
        with self.page.expect_navigation():
            self.page.keyboard.press("Enter")

    def line(self, text):
        self.page.keyboard.type(text)
        self.page.keyboard.press("Enter")

    def test_a_job_from_nothing_to_the_printed_sheet_by_keyboard(self):
        page = self.page
        page.add_init_script("window.print = () => { window.printed = true; }")
        self.go("/")
        self.tab_to("input[name=title]")
        page.keyboard.type("Canal cottage, one radiator")
        page.keyboard.press("Enter")
        page.wait_for_url("**/survey")
        self.station("", name="Kitchen, north wall", east="2000", north="3000", output="12 kW")
        self.station("p", name="Hall", east="500", north="0", output="1.5 kW")
        uid = page.url.split("/")[4]
        self.tab_to("#R1 > summary", 200)
        page.keyboard.press("Enter")
        self.tab_to("#R1 [name=faces]")
        page.keyboard.type("N")  # it hangs on the south wall
        self.tab_to("#R1 form.row-form button")
        with page.expect_navigation():
            page.keyboard.press("Enter")
        self.assertIn("faces N", page.locator("#R1 > summary").inner_text())

        self.tab_to("[data-stage='2']", 200)
        page.keyboard.press("Enter")
        page.wait_for_url("**/pace")
        page.wait_for_load_state("networkidle")
        page.keyboard.press("/")
        self.line("from BLR.flow cu-m 22: U110 W? D17oo")
        error = page.locator("#line-error")
        error.filter(has_text="17oo").wait_for()
        self.assertRegex(error.inner_text(), r'length: read "17oo", expected a length .* for example 1850')
        self.assertEqual(page.locator("#line-text").get_attribute("aria-invalid"), "true")
        # the wrong word is selected: typing goes over it
        self.assertEqual(page.evaluate("() => getSelection().toString()"), "D17oo")
        page.keyboard.type("D1700 S? =cu-m 15 U? -> R1.left")
        page.keyboard.press("Enter")
        page.locator(".run[data-run=F1]").wait_for()
        self.line("from BLR.return cu-m 22: U110 S200 D1730 W? S? =cu-m 15 U? -> R1.right")
        page.locator(".run[data-run=RT1]").wait_for()
        page.keyboard.press("Escape")
        page.keyboard.press("z")
        page.locator(".run[data-run=RT1]").wait_for(state="detached")
        page.keyboard.press("Shift+Z")
        page.locator(".run[data-run=RT1]").wait_for()

        # what a closed circuit still lacks is put in by its remedies, which say what they do
        for _ in range(8):
            stops = page.locator(".finding.stop").count()
            if not stops:
                break
            # its ways are tried when they are shown; those that do not hold go away again
            page.wait_for_function("() => !document.querySelector('details.finding[open] [data-later]')")
            self.tab_to(".finding.stop .remedy:last-of-type button, .finding.stop .remedy button", 200)
            page.keyboard.press("Enter")
            page.wait_for_function("n => document.querySelectorAll('.finding.stop').length < n", arg=stops)
        self.assertEqual(page.locator(".finding.stop").count(), 0, page.locator("#watch").inner_text())

        page.keyboard.press("5")
        page.wait_for_url("**/make")
        self.tab_to("#changes-of-direction")
        page.keyboard.type("fit")  # no bends in this job: every corner a fitting
        page.locator("small.bends").first.wait_for(state="detached")
        cuts = {
            row.get_attribute("data-label"): float(row.get_attribute("data-cut-mm"))
            for row in page.locator("#cuts tr[data-label]").all()
        }
        # by hand: 22 mm capillary z 16, compression port 19 deep; 15 mm valve 16 deep, reducing elbow with z 16
        self.assertEqual(cuts["F1-A"], 110 + 19 - 16)
        for by_hand in (1700 - 32, 2790 - 32, 71 - 16 + 16):
            self.assertIn(by_hand, cuts.values())
        self.assertEqual(len(cuts), 14)  # eleven legs; safety valve, drain and vessel cut one each

        self.tab_to("#cuts summary")
        page.keyboard.press("8")
        page.wait_for_url("**/handover")
        self.tab_to("#print-sheet", 200)
        page.keyboard.press("Enter")
        page.wait_for_url("**/sheet")
        self.tab_to("[data-act=print]")
        page.keyboard.press("Enter")
        self.assertTrue(page.evaluate("() => window.printed"))
        sheet = {
            row.get_attribute("data-label"): float(row.get_attribute("data-cut-mm"))
            for row in page.locator("tr[data-label]").all()
        }
        self.assertEqual(sheet, cuts)
        self.assertGreater(len(page.pdf()), 10_000)
        self.go(f"/jobs/{uid}/handover")
        self.assertTrue(re.search("This revision was printed", page.locator(".hand").inner_text()))
        self.tab_to("#make-pack", 200)
        with page.expect_download():
            page.keyboard.press("Enter")
        self.go(f"/jobs/{uid}/handover")
        filled = page.locator("#stages li.filled .name").all_inner_texts()
        self.assertEqual(filled, ["Survey", "Pace-out", "Sizes", "Hand over"])
