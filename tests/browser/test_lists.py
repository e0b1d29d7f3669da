"""The long stages in a browser: the drawing beside a list, sorting, filtering, phases that brighten."""

from tests.browser.pages import SETTLED, BrowserCase


class ListsTest(BrowserCase):
    def settle(self, page=None):
        (page or self.page).wait_for_function(SETTLED, polling=20)

    def lit(self):
        return self.page.eval_on_selector_all("#where-drawing .lit", "all => all.map(e => e.dataset.key)")

    def test_a_row_lights_what_it_is_about_and_a_pipe_leads_to_its_row(self):
        page = self.page
        self.as_new()
        self.go("/jobs/lockhouse/make")
        page.locator("#where-drawing").wait_for()
        row = page.locator("#F1-F")
        row.hover()
        self.assertEqual(set(self.lit()), {row.get_attribute("data-key")})
        row.locator("summary").hover()  # still lit, and from near as well
        self.assertEqual(set(self.lit()), {row.get_attribute("data-key")})
        near = "all => all.map(e => e.dataset.key)"
        self.assertEqual(set(page.eval_on_selector_all(".where-close .lit", near)), {row.get_attribute("data-key")})
        self.assertEqual(page.locator("#where-said").inner_text(), "F1-F")
        ring = page.locator("#where-drawing .ring").bounding_box()
        pipe = page.locator(f"#where-drawing .pipe[data-key='{row.get_attribute('data-key')}']").first.bounding_box()
        self.assertLess(ring["x"], pipe["x"] + pipe["width"] / 2)
        self.assertGreater(ring["x"] + ring["width"], pipe["x"] + pipe["width"] / 2)
        self.assertEqual(page.locator(".where-close svg .ring").count(), 1)
        other = page.locator("#F3-B")
        key = other.get_attribute("data-key")
        page.locator(f"#where-drawing .pipe[data-key='{key}']").first.dispatch_event("click")
        page.wait_for_function("() => document.querySelector('.at-row')?.id === 'F3-B'")
        self.assertEqual(page.evaluate("() => document.activeElement.closest('tr')?.id"), "F3-B")
        page.wait_for_function(
            "() => { const r = document.querySelector('#F3-B').getBoundingClientRect(); "
            "return r.top > 48 && r.bottom < innerHeight; }"
        )

    def test_each_list_has_its_drawing(self):
        for stage, row in (("joints", ".joint-list li[data-lights]"), ("order", ".phase[open] li[data-lights]")):
            self.go(f"/jobs/lockhouse/{stage}")
            self.page.locator("#where-drawing").wait_for()
            self.page.locator(row).nth(1).locator("button").first.focus()
            self.assertGreater(len(self.lit()), 0, stage)
        self.go("/jobs/lockhouse/prove?section=water/SUP.out/1")
        self.assertEqual(self.lit(), [])  # what tests have proved is seen first
        self.page.locator("#dry-head ~ ul li[data-lights]").first.hover()
        self.assertGreater(len(self.lit()), 0)

    def test_the_drawing_is_folded_and_stays_so(self):
        phone = self.open(390, 844, has_touch=True)
        self.go("/jobs/lockhouse/joints", phone)
        self.assertTrue(phone.locator("#where-sheet").is_visible() or phone.locator(".where-close svg").is_visible())
        phone.locator(".where-fold").click()
        self.go("/jobs/lockhouse/order", phone)
        self.assertFalse(phone.locator(".where-views").is_visible())

    def test_a_head_sorts_and_puts_back(self):
        page = self.page
        self.go("/jobs/fernhollow/make")  # in feet and inches
        order = "() => [...document.querySelectorAll('#cuts tbody tr')].map(r => r.dataset.label)"
        cuts = "() => [...document.querySelectorAll('.cut-table tbody tr')].map(r => Number(r.dataset.cutMm))"
        first = page.evaluate(order)
        head = page.locator(".cut-table thead button", has_text="Cut")
        head.click()
        found = page.evaluate(cuts)
        self.assertEqual(found, sorted(found))
        self.assertEqual(page.locator(".cut-table th[aria-sort=ascending]").inner_text().split()[0], "Cut")
        head.press("Enter")
        found = page.evaluate(cuts)
        self.assertEqual(found, sorted(found, reverse=True))
        head.click()
        self.assertEqual(page.evaluate(order), first)

    def test_a_word_leaves_the_rows_that_have_it(self):
        page = self.page
        self.go("/jobs/lockhouse/joints")
        rows = page.locator(".joint-group .joint-list > li")
        whole = rows.count()
        page.locator(".list-filter input").fill("drain cock")
        shown = [row for row in rows.all() if row.is_visible()]
        self.assertTrue(0 < len(shown) < whole)
        self.assertTrue(all("drain cock" in row.inner_text() for row in shown))
        self.assertEqual(page.locator(".list-filter [role=status]").inner_text(), f"{len(shown)} of {whole}")
        page.locator(".list-filter input").press("Escape")
        self.assertEqual(sum(row.is_visible() for row in rows.all()), whole)

    def test_a_tick_brightens_what_it_sets_free(self):
        page = self.page
        self.as_new()
        self.go("/jobs/lockhouse/order")
        isolate = page.locator("li[data-key=isolate]")
        self.assertFalse(isolate.is_visible())
        self.assertIn("waits", isolate.get_attribute("class"))
        page.locator("li[data-key=mark-flow] .tick-button").click()
        self.assertTrue(isolate.is_visible())
        self.assertIn("now", isolate.get_attribute("class"))
        self.assertIn("waits", page.locator("li[data-key='drain:water']").get_attribute("class"))
        page.locator("#queue:empty").wait_for(state="attached")
        self.go("/jobs/lockhouse/order")  # and so it stands when it comes anew
        self.assertIn("now", isolate.get_attribute("class"))
        page.locator(".time-strip a[aria-label^='Pipe, gas']").focus()
        page.keyboard.press("Enter")
        self.assertTrue(page.locator("li[data-key='pipe:G1']").is_visible())
