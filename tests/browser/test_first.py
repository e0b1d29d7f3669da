"""The first five minutes: from an empty database to a printed cut sheet with only what the pages tell; the demo; lines
as one says and pastes them."""

from __future__ import annotations

import unittest
from contextlib import closing

from oikotherm.core.job.writing import run_text
from oikotherm.store import jobs
from oikotherm.store.database import connect, writing
from tests.jobs import STYLE
from tests.serving import Server

from .pages import SETTLED, BrowserCase


class EmptyCase(BrowserCase):
    """A server without a job."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.server.close()
        cls.server = Server(demo=False)
        cls.addClassCleanup(cls.server.close)

    def setUp(self):
        super().setUp()
        self.steps = 0
        with closing(connect(self.server.data / "oikotherm.sqlite")) as conn, writing(conn):
            for table in ("job", "job_text", "van_tool", "van_stock", "van_offcut", "price"):
                conn.execute(f"DELETE FROM {table}")

    def press(self, selector: str) -> None:
        """One step: press what is seen."""
        self.page.locator(f"{selector} >> visible=true").first.click()
        self.page.wait_for_function(SETTLED, polling=20)
        self.steps += 1


class FirstTest(EmptyCase):
    def test_from_nothing_to_a_printed_cut_sheet(self) -> None:
        self.page.add_init_script("window.print = () => { window.printed = (window.printed ?? 0) + 1; }")
        self.go("/")
        self.assertTrue(self.page.locator(".invite figcaption").is_visible())
        self.press("a:has-text('A small job')")
        self.press("a:has-text('Radiator added')")
        self.press("button:has-text('Begin')")
        self.press("a:has-text('Hand over')")
        self.press("button:has-text('Cut sheet')")
        self.assertGreaterEqual(self.page.locator("tr[data-label]").count(), 2)
        self.press("button:has-text('Print')")
        self.assertEqual(self.page.evaluate("() => window.printed"), 1)
        print(f"first sheet: {self.steps} steps from an empty database", flush=True)
        self.assertLessEqual(self.steps, 7)

    def test_help_is_for_the_page_one_is_on(self) -> None:
        self.go("/")
        self.page.keyboard.press("?")
        self.assertEqual(self.page.locator("#keys-head").inner_text(), "Jobs")
        self.page.keyboard.press("Escape")
        self.go("/van")
        self.page.keyboard.press("?")
        self.assertEqual(self.page.locator("#keys-head").inner_text(), "Van")

    def test_the_demo_is_one_press_away_and_nothing_of_it_is_empty(self) -> None:
        self.go("/")
        self.press("button:has-text('Look round')")
        self.assertIn("/jobs/lockhouse/pace", self.page.url)
        for path in ("/van", "/people", "/property", "/jobs/lockhouse/prove", "/jobs/lockhouse/make/materials"):
            self.go(path)
            self.assertEqual(self.page.locator("main .empty:visible").all_inner_texts(), [], path)
        self.go("/")
        card = self.page.locator(".job-card[data-uid=lockhouse]")
        card.locator(".job-drawing svg").wait_for()
        self.assertGreater(card.locator(".job-drawing .pipe").count(), 25)
        self.assertEqual(card.locator(".mini-stages li").count(), 8)
        self.assertIn("RT3 ends 15 mm", card.locator(".job-stop").inner_text())

    def test_a_hint_goes_away_for_good(self) -> None:
        self.go("/")
        self.page.fill("input[name=title]", "Boiler change")
        self.press("button:has-text('Start job')")
        self.assertTrue(self.page.locator(".hint-next").is_visible())
        self.press(".hint-next button")
        self.page.reload()
        self.page.wait_for_function(SETTLED, polling=20)
        self.assertFalse(self.page.locator(".hint-next").is_visible())


class SaidTest(BrowserCase):
    PASTE = """text => {
      const data = new DataTransfer();
      data.setData('text/plain', text);
      const paste = new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true});
      document.activeElement.dispatchEvent(paste);
    }"""

    def lines(self) -> list[str]:
        conn = connect(self.server.data / "oikotherm.sqlite")
        job = jobs.head(conn, "lockhouse").job
        conn.close()
        return [run_text(run, STYLE) for run in job.runs]

    def test_pasted_lines_make_runs_and_a_table_makes_one(self) -> None:
        self.as_new()
        self.go("/jobs/lockhouse/pace")
        before = len(self.lines())
        self.page.keyboard.press("/")
        self.page.evaluate(self.PASTE, "F90 from F1.T1 cu-m 15: up 300 east 200 -> cap\nF91 from F90 cu-m 15: N1")
        self.page.locator("#line-error, .line-error, [role=alert]").first.wait_for(state="attached")
        self.page.wait_for_function(SETTLED, polling=20)
        self.assertEqual(len(self.lines()), before)  # all or none: F90 has no point
        self.page.locator("input:focus, textarea:focus").first.fill("")
        self.page.evaluate(
            self.PASTE, "F90 from F1.T1 cu-m 15: up 300 *T1 east 200 -> cap\nF91 from F90.T1 cu-m 15: N400 -> cap"
        )
        self.page.locator("#line-says", has_text="2 runs added").wait_for()
        self.assertEqual(self.lines()[-2], "F90 from F1.T1 cu-m 15: U300 *T1 E200 -> cap")
        self.page.keyboard.type("F92 from F90 cap cu-m 15:")
        self.page.evaluate(self.PASTE, "way,length\nup,350\neast,1200")
        self.page.wait_for_function("() => document.activeElement.value.includes('east')")
        self.assertIn("up,350", self.page.evaluate("() => document.activeElement.value"))


if __name__ == "__main__":
    unittest.main()
