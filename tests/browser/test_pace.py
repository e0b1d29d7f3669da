"""Pace-out as it is used: ghost, hover both ways, chips, remedies, projections, conflicts, and text that survives."""

import json

from tests.browser.pages import BrowserCase
from tests.serving import Visitor


class PaceTest(BrowserCase):
    def setUp(self):
        super().setUp()
        self.as_new()
        self.go("/jobs/lockhouse/pace")

    def type_line(self, text):
        self.page.keyboard.press("/")
        self.page.keyboard.type(text)

    def lit(self, selector):
        return self.page.locator(f"{selector}.lit").count()

    def test_the_ghost_follows_and_is_not_stored(self):
        self.type_line("from F1.T1 cu-m 15: U350 W900")
        self.page.locator(".drawing .pipe.ghost").first.wait_for(state="attached")
        self.page.locator("#line-says", has_text="W 900, U 350").wait_for()
        self.assertEqual(self.page.locator(".drawing .pipe.ghost").count(), 2)
        for _ in range(30):
            self.page.keyboard.press("Backspace")
        self.page.locator(".drawing .pipe.ghost").first.wait_for(state="detached")
        self.assertEqual(self.rev(), 1)

    def test_suggestions_are_taken_by_keyboard(self):
        self.type_line("from F1.T1 cu-m 15: U350 [dr")
        self.page.locator("#suggestions button").first.wait_for()
        self.page.keyboard.press("ArrowDown")
        self.page.keyboard.press("Enter")
        self.assertEqual(self.page.locator("#line-text").input_value(), "from F1.T1 cu-m 15: U350 [drain] ")

    def test_pointing_at_a_chip_lights_its_pipe_and_the_other_way(self):
        chip = self.page.locator(".run[data-run=F1] .chip", has_text="W2900")
        chip.hover()
        item = chip.get_attribute("data-item")
        self.assertGreater(self.lit(f".drawing .pipe[data-items~={item}]"), 0)
        box = self.page.locator(".drawing .pipe[data-run=F2] .hit").first.bounding_box()
        self.page.mouse.move(box["x"] + box["width"] * 0.4, box["y"] + box["height"] * 0.6)
        self.page.locator(".run[data-run=F2] .chip.lit").first.wait_for()

    def test_a_chip_is_typed_over_refused_and_left(self):
        chip = self.page.locator(".run[data-run=RT3] .chip.doubt")
        chip.click()
        self.page.keyboard.type("S28q90")
        self.page.keyboard.press("Enter")
        self.page.locator(".chip-error", has_text="28q90").wait_for()
        self.page.locator(".chip-edit").fill("S2890")
        self.page.keyboard.press("Enter")
        self.page.locator(".run[data-run=RT3] .chip", has_text="S2890").wait_for()
        self.page.locator(".finding.stop").wait_for(state="detached")
        self.page.locator(".run[data-run=F2] .chip").first.click()
        self.page.keyboard.press("Escape")
        self.assertEqual(self.page.locator(".chip-edit").count(), 0)

    def test_a_remedy_says_its_effect_and_does_it(self):
        remedy = self.page.locator(".remedy").first
        self.assertIn("S2875 becomes S2890", remedy.inner_text())
        remedy.locator("button").click()
        self.page.locator("#watch .empty").wait_for()
        self.assertIn("S2890", self.page.locator(".run[data-run=RT3]").get_attribute("data-line"))

    def test_projections_turns_zoom_and_fit_by_key(self):
        svg = self.page.locator("#sheet svg")
        seen = {svg.get_attribute("aria-label")}
        for key in ("p", "e", "s", "i", "t"):
            before = svg.get_attribute("aria-label")
            self.page.keyboard.press(key)
            self.page.wait_for_function(
                "b => document.querySelector('#sheet svg').getAttribute('aria-label') !== b", arg=before
            )
            seen.add(svg.get_attribute("aria-label"))
        self.assertEqual(len(seen), 5)
        box = svg.get_attribute("viewBox")
        for _ in range(4):
            self.page.keyboard.press("+")
        self.assertNotEqual(svg.get_attribute("viewBox"), box)
        self.assertIn("near", svg.get_attribute("class"))
        self.page.keyboard.press("f")
        self.assertEqual(svg.get_attribute("viewBox"), box)

    def test_labels_on_the_screen_do_not_collide(self):
        script = """() => {
          const boxes = [...document.querySelectorAll('.drawing .l:not(.tight) text')].map(t => [t.textContent, t.getBoundingClientRect()]);
          const hits = [];
          boxes.forEach(([a, p], i) => boxes.slice(i + 1).forEach(([b, q]) => {
            if (p.left + 1 < q.right && q.left + 1 < p.right && p.top + 2 < q.bottom && q.top + 2 < p.bottom) hits.push(`${a} on ${b}`);
          }));
          return [boxes.length, hits];
        }"""
        for key in ("i", "t", "p", "e", "s"):
            self.page.keyboard.press(key)
            self.page.wait_for_timeout(250)
            count, hits = self.page.evaluate(script)
            self.assertGreater(count, 15)
            self.assertEqual(hits, [], key)

    def test_a_second_browser_sees_the_conflict_and_the_newer_state(self):
        other = self.open()
        self.go("/jobs/lockhouse/pace", other)
        self.type_line("from F1.T1 cu-m 15: N400 -> stub")
        self.page.keyboard.press("Enter")
        self.page.locator(".run[data-run=F4]").wait_for()
        other.keyboard.press("/")
        other.keyboard.type("from F1.T2 cu-m 15: N700 -> stub")
        other.keyboard.press("Enter")
        other.locator("#banner", has_text="Yours was not stored").wait_for()
        self.assertIn("N400", other.locator(".run[data-run=F4]").get_attribute("data-line"))
        self.assertEqual(other.locator("#line-text").input_value(), "from F1.T2 cu-m 15: N700 -> stub")
        self.assertEqual(self.rev(other), self.rev())
        other.locator("#line-text").press("Enter")
        other.locator(".run[data-run=F5]").wait_for()
        document = json.loads(other.request.get(f"{self.server.url}/jobs/lockhouse/export.oikotherm.json").text())
        self.assertEqual([run["id"] for run in document["runs"]][-2:], ["F4", "F5"])

    def test_text_not_sent_survives_the_death_of_server_and_page(self):
        text = "from F1.T1 cu-m 15: N400 W350"
        self.type_line(text)
        self.server.kill()
        self.page.keyboard.press("Enter")
        self.page.locator("#banner", has_text="does not answer").wait_for()
        self.assertEqual(self.page.locator("#line-text").input_value(), text)
        self.server.start()
        self.go("/jobs/lockhouse/pace")
        self.assertEqual(self.page.locator("#line-text").input_value(), text)
        self.page.locator("#line-says", has_text="unsent text restored").wait_for()
        self.page.locator("#line-text").press("Enter")
        self.page.locator(".run[data-run=F4]").wait_for()
        self.go("/jobs/lockhouse/pace")
        self.assertEqual(self.page.locator("#line-text").input_value(), "")

    def test_a_finding_is_let_stand_with_a_reason_and_taken_up_again(self):
        self.page.locator(".waive input").first.fill("the radiator is hung next week")
        self.page.locator(".waive button").first.click()
        self.page.locator(".finding.waived").wait_for()
        self.assertIn("the radiator is hung next week", self.page.locator(".finding.waived").inner_text())
        self.page.get_by_role("button", name="Take it up again").click()
        self.page.locator(".finding.stop").wait_for()

    def test_the_staircase_lights_the_pipe(self):
        self.go("/jobs/lockhouse/sizes")
        self.page.locator(".tread.role-flow").first.hover()
        self.assertGreater(self.page.locator(".drawing .pipe.lit").count(), 5)
        self.assertEqual(self.page.locator("tr.lit").count(), 1)

    def test_the_unit_and_the_joint_change_the_figures(self):
        self.page.select_option("#units", "in")
        self.page.locator(".run[data-run=F1] .chip", has_text="120mm").wait_for()
        self.go("/jobs/lockhouse/make")
        self.assertIn('"', self.page.locator("#cuts .cut").first.inner_text())
        before = self.page.locator("#F1-E").get_attribute("data-cut-mm")
        self.page.select_option("#metal-joining", "press")
        self.page.locator(".origin", has_text="chosen for this job").wait_for()
        self.assertNotEqual(self.page.locator("#F1-E").get_attribute("data-cut-mm"), before)

    def test_a_rush_of_edits_ends_at_the_last_one(self):
        visitor = Visitor(self.server)
        for number in range(5):
            visitor.post(
                "/jobs/lockhouse/edit",
                {"rev": self.rev() + number, "page": "pace", "commands": [{"do": "set_job", "title": f"t{number}"}]},
            )
        self.page.locator(".run[data-run=F3] .take-out").click()
        self.page.locator("#banner", has_text="not stored").wait_for()
        self.assertEqual(self.page.locator(".run[data-run=F3]").count(), 1)
