"""Joints, Order and Prove on a phone that loses its server."""

import sqlite3
from contextlib import closing

from oikotherm.core.work.records import joint_states
from oikotherm.exchange.site import records_of
from tests.browser.pages import BrowserCase


class SiteTest(BrowserCase):
    def setUp(self):
        super().setUp()
        self.as_new()
        with closing(sqlite3.connect(self.server.data / "oikotherm.sqlite")) as conn, conn:
            conn.execute("DELETE FROM record")
        self.phone = self.open(390, 844, has_touch=True)

    def records(self):
        with closing(sqlite3.connect(self.server.data / "oikotherm.sqlite")) as conn:
            return conn.execute("SELECT kind, key, by_role, body FROM record ORDER BY rowid").fetchall()

    def test_ticks_made_without_a_server_arrive_once(self):
        phone = self.phone
        self.go("/jobs/lockhouse/order", phone)
        phone.select_option("#role", "apprentice")
        self.server.kill()
        ticks = phone.locator(".tick-button")
        for number in range(3):
            ticks.nth(number).click()
        phone.locator("#queue", has_text="3 waiting").wait_for()
        self.assertEqual(phone.locator("#done-count").inner_text(), "3")
        self.server.start()
        phone.locator("#queue:empty").wait_for(timeout=40_000, state="attached")
        phone.wait_for_timeout(5000)  # another round of the queue has nothing left to send
        found = self.records()
        self.assertEqual(
            [row[:3] for row in found], [("step", key, "apprentice") for key in ("mark-flow", "isolate", "drain:water")]
        )
        self.go("/jobs/lockhouse/order", phone)
        self.assertEqual(phone.locator("li.done").count(), 3)

    def test_seven_thousand_marks_leave_the_phone_over_a_server_that_dies(self):
        """A correction among them comes before what it corrects, and one is refused and stays to be seen."""
        # the server dies while it answers
        self.ordinary += ["ERR_CONNECTION_RESET", "ERR_EMPTY_RESPONSE", "ERR_CONTENT_LENGTH_MISMATCH"]
        phone = self.phone
        self.go("/jobs/lockhouse/joints", phone)
        src = phone.evaluate("[...document.scripts].map((one) => one.src).find((src) => src.endsWith('app.js'))")
        took_ms = phone.evaluate(
            """async (src) => {
              const {Queue} = await import(src.replace("app.js", "queue.js"));
              const out = async () => { throw new Error("no network"); };
              const queue = new Queue({uid: "lockhouse", rev: 1, say() {}, saved() {}, post: out});
              const mark = (n) => ({kind: "joint", key: `k${n % 6766}`, label: `L${n % 6766}`, by_role: "apprentice",
                made_at: new Date(1767225600000 + (7001 - n) * 1000).toISOString(), body: {dry: n < 6999}});
              const began = performance.now();
              queue.add([...Array(7000).keys()].map(mark).concat([{...mark(7000), by_role: ""}]));
              return performance.now() - began;
            }""",
            src,
        )
        self.assertLess(took_ms, 1500)
        answers = []

        def dies(response):
            if response.url.endswith("/records"):
                answers.append(response.status)
                if len(answers) == 5:
                    self.server.kill()

        phone.on("response", dies)
        self.go("/jobs/lockhouse/joints", phone)
        phone.locator("#queue", has_text="waiting to be sent").wait_for()
        left = int(phone.locator("#queue").inner_text().split()[0])
        self.assertTrue(0 < left < 7001, left)
        self.server.start()
        phone.locator("#queue:empty").wait_for(timeout=60_000, state="attached")
        found = self.records()
        self.assertEqual(len(found), 7000)
        phone.locator("#refused-marks summary", has_text="1 not kept").click()
        self.assertIn("at least 1 character", phone.locator("#refused-marks li").inner_text())
        phone.locator("#forget-refused").click()
        self.assertTrue(phone.locator("#refused-marks").is_hidden())
        # number 6999 came after number 233 and was made before it: the joint is dry
        with closing(sqlite3.connect(self.server.data / "oikotherm.sqlite")) as conn:
            conn.row_factory = sqlite3.Row
            states = joint_states(records_of(conn, "lockhouse"))
        self.assertTrue(states["k233"].yes("dry"))

    def test_a_joint_is_recorded_and_corrected_by_a_new_line(self):
        phone = self.phone
        self.go("/jobs/lockhouse/joints", phone)
        made = phone.locator("[data-field=made]").first
        for _ in range(3):
            made.click()
        phone.locator("#queue:empty").wait_for(state="attached")
        self.assertEqual(phone.locator("#made-count").inner_text(), "1")
        self.assertEqual(
            ["true" if '"made": true' in row[3] else "false" for row in self.records()], ["true", "false", "true"]
        )
        self.go("/jobs/lockhouse/joints", phone)
        self.assertEqual(made.get_attribute("aria-pressed"), "true")
        with closing(sqlite3.connect(self.server.data / "oikotherm.sqlite")) as conn:
            self.assertEqual(conn.execute("SELECT count(*) FROM label").fetchone()[0], 1)  # frozen at the first record

    def test_a_test_is_kept_and_judged(self):
        phone = self.phone
        self.go("/jobs/lockhouse/prove", phone)
        blocks = phone.locator(".blocks a").count()
        for number in range(blocks):
            phone.locator(".blocks a").nth(number).click()
            phone.locator("#all-dry").click()
            phone.locator("#queue:empty").wait_for(state="attached")
        self.assertEqual(phone.locator("#wet-count").inner_text(), "0")
        phone.locator("#readings").fill("soon, 1.5")
        phone.get_by_role("button", name="Judge and keep").click()
        phone.locator(".refused", has_text="soon").wait_for()
        self.assertEqual(phone.locator("#readings").input_value(), "soon, 1.5")
        lines = "\n".join(f"2026-03-01T10:{minute:02d}, 1.70, 15" for minute in range(0, 60, 5))
        phone.locator("#readings").fill(lines)
        phone.get_by_role("button", name="Judge and keep").click()
        phone.locator(".test.pass").wait_for()
        phone.locator("#one-pressure").fill("1.5")
        phone.locator("#add-reading").click()
        self.go("/jobs/lockhouse/prove?section=water/SUP.out/1", phone)  # another section has readings of its own
        self.assertEqual(phone.locator("#readings").input_value(), "")
        self.go("/jobs/lockhouse/prove?section=heating/BLR.flow/1", phone)  # what was noted and not kept is still there
        self.assertRegex(phone.locator("#readings").input_value(), r"^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d, 1\.5$")

    def test_a_step_is_moved_or_the_reason_is_given(self):
        page = self.page
        self.go("/jobs/lockhouse/order")
        step = page.locator("li[data-key='hang:R1']")
        step.locator("summary").click()
        step.locator("select").select_option("hang:R3")
        step.get_by_role("button", name="Move").click()
        page.wait_for_function(
            "() => { const k = [...document.querySelectorAll('.steps-list > li')].map(l => l.dataset.key); return "
            "k.indexOf('hang:R1') > k.indexOf('hang:R3'); }"
        )
        page.locator("#open-phases").click()
        step = page.locator("li[data-key='pipe:F2']")
        step.locator("summary").click()
        step.locator("select").select_option("proof")
        step.get_by_role("button", name="Move").click()
        step.locator(".refused", has_text="the pipe is fixed first").wait_for()

    def test_thumbs_fit_on_the_site_stages(self):
        for stage in ("joints", "order", "prove"):
            self.go(f"/jobs/lockhouse/{stage}", self.phone)
            self.assertLessEqual(self.phone.evaluate("() => document.documentElement.scrollWidth"), 390)
            small = self.phone.eval_on_selector_all(
                "main button, main select, main summary, .stages a",
                "all => all.filter(e => e.offsetParent && e.getBoundingClientRect().height < 43.5).map(e => "
                "e.outerHTML.slice(0, 90))",
            )
            self.assertEqual(small, [], stage)
