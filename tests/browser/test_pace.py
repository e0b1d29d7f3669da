"""Pace-out as it is used: ghost, hover both ways, chips, remedies, projections, conflicts, and text that survives."""

import json
import re
import time
from contextlib import closing

from benchmarks.building import building
from oikotherm.store import jobs
from oikotherm.store.database import connect, writing
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
        self.assertGreaterEqual(self.page.locator(".drawing .pipe.ghost").count(), 2)
        for _ in range(30):
            self.page.keyboard.press("Backspace")
        self.page.locator(".drawing .pipe.ghost").first.wait_for(state="detached")
        self.assertEqual(self.rev(), 1)

    def test_suggestions_are_taken_by_keyboard(self):
        self.type_line("from F1.T1 cu-m 15: U350 [dr")
        self.page.locator("#suggestions button").first.wait_for()
        self.page.keyboard.press("ArrowDown")  # perhaps those for an earlier text are still there
        self.page.keyboard.press("Enter")
        self.page.wait_for_function(
            "() => document.querySelector('#line-text').value === 'from F1.T1 cu-m 15: U350 [drain] '"
        )

    def test_suggestions_for_an_earlier_text_are_never_put_in(self):
        self.type_line("from F1.T1 ")
        self.page.locator("#suggestions button").first.wait_for()
        self.page.route("**/pace/preview", lambda route: (time.sleep(0.6), route.continue_()))
        self.page.keyboard.type("cu-m 15: U350 [dr")
        stale = self.page.locator("#suggestions button").first
        stale.click()  # made for another text
        self.assertEqual(self.page.locator("#line-text").input_value(), "from F1.T1 cu-m 15: U350 [dr")
        self.page.locator("#suggestions button", has_text="drain]").wait_for()
        self.page.locator("#line-text").focus()
        self.page.keyboard.press("ArrowRight")
        self.assertEqual(self.page.locator("#line-text").input_value(), "from F1.T1 cu-m 15: U350 [drain] ")

    def test_pointing_at_a_chip_lights_its_pipe_and_the_other_way(self):
        chip = self.page.locator(".run[data-run=F1] .chip", has_text="S2400")
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
        self.page.locator(".remedy .tried", has_text="tried: clears it").first.wait_for()
        remedy = self.page.locator(".remedy").first
        self.assertIn("S2875 becomes S2890", remedy.inner_text())
        remedy.locator("button").click()
        self.page.locator("#watch .finding.stop").wait_for(state="detached")
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
          const texts = [...document.querySelectorAll('.drawing .l:not(.tight) text')];
          const boxes = texts.map(t => [t.textContent, t.getBoundingClientRect()]);
          const hits = [];
          boxes.forEach(([a, p], i) => boxes.slice(i + 1).forEach(([b, q]) => {
            const across = p.left + 1 < q.right && q.left + 1 < p.right;
            if (across && p.top + 2 < q.bottom && q.top + 2 < p.bottom) hits.push(`${a} on ${b}`);
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
        self.page.locator(".run[data-run=F12]").wait_for()
        other.keyboard.press("/")
        other.keyboard.type("from F1.T2 cu-m 15: N700 -> stub")
        other.keyboard.press("Enter")
        other.locator("#banner", has_text="Yours was not stored").wait_for()
        self.assertIn("N400", other.locator(".run[data-run=F12]").get_attribute("data-line"))
        self.assertEqual(other.locator("#line-text").input_value(), "from F1.T2 cu-m 15: N700 -> stub")
        self.assertEqual(self.rev(other), self.rev())
        other.locator("#line-text").press("Enter")
        other.locator(".run[data-run=F13]").wait_for()
        document = json.loads(other.request.get(f"{self.server.url}/jobs/lockhouse/export.oikotherm.json").text())
        self.assertEqual([run["id"] for run in document["runs"]][-2:], ["F12", "F13"])

    def test_text_not_sent_survives_the_death_of_server_and_page(self):
        self.ordinary.append("ERR_CONNECTION_RESET")  # what was under way when the server died
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
        self.page.locator(".run[data-run=F12]").wait_for()
        self.go("/jobs/lockhouse/pace")
        self.assertEqual(self.page.locator("#line-text").input_value(), "")

    def test_a_finding_is_let_stand_with_a_reason_and_taken_up_again(self):
        self.page.locator(".waive input").first.fill("the radiator is hung next week")
        self.page.locator(".waive button").first.click()
        waived = self.page.locator(".finding.waived", has_text="the radiator is hung next week")
        waived.wait_for()
        waived.get_by_role("button", name="Take it up again").click()
        self.page.locator(".finding.stop").wait_for()

    def test_the_staircase_lights_the_pipe(self):
        self.go("/jobs/lockhouse/sizes")
        self.page.locator(".tread.role-flow").first.hover()
        self.assertGreaterEqual(self.page.locator(".drawing .pipe.lit").count(), 3)
        self.assertEqual(self.page.locator("tr.lit").count(), 1)

    def test_the_unit_and_the_joint_change_the_figures(self):
        self.page.select_option("#units", "in")
        self.page.locator(".run[data-run=F1] .chip", has_text="120mm").wait_for()
        self.go("/jobs/lockhouse/make")
        self.assertIn('"', self.page.locator("#cuts .cut").first.inner_text())
        before = self.page.locator("#F1-G").get_attribute("data-cut-mm")
        self.page.select_option("#metal-joining", "press")
        self.page.locator(".origin", has_text="chosen for this job").wait_for()
        self.assertNotEqual(self.page.locator("#F1-G").get_attribute("data-cut-mm"), before)

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


class DrawingEditTest(BrowserCase):
    """Editing on the drawing: the same commands as the line gives."""

    def setUp(self):
        super().setUp()
        self.as_new()
        self.go("/jobs/lockhouse/pace")

    def pick(self, run, item):
        """Click a leg on the drawing and wait for its handle."""
        self.page.evaluate(
            "([run, item]) => document.querySelector(`#sheet "
            ".pipe[data-run='${run}'][data-items~='${item}']`).dispatchEvent(new MouseEvent('click', {bubbles: true}))",
            [run, item],
        )
        self.page.locator("#leg:not([hidden])").wait_for()
        self.page.locator("#sheet .handle").wait_for()

    def item(self, run, text):
        return self.page.locator(f".run[data-run={run}] .chip", has_text=text).first.get_attribute("data-item")

    def line(self, run):
        return self.page.locator(f".run[data-run={run}]").get_attribute("data-line")

    def test_a_leg_is_picked_and_given_another_length(self):
        item = self.item("F8", "S3390")
        self.pick("F8", item)
        self.page.fill("#leg-length", "3400")
        self.page.keyboard.press("Enter")
        self.page.locator(".run[data-run=F8] .chip", has_text="S3400").wait_for()
        self.assertIn("S3400 U150", self.line("F8"))
        self.page.fill("#leg-length", "x")
        self.page.keyboard.press("Enter")
        self.page.locator("#leg-says", has_text="expected").wait_for()

    def test_the_end_of_a_leg_is_dragged_and_snaps_to_a_port(self):
        self.page.keyboard.press("p")
        self.page.wait_for_function(
            "() => document.querySelector('#sheet svg').getAttribute('aria-label').includes('plan')"
        )
        self.page.wait_for_load_state("networkidle")
        item = self.item("RT3", "S2875")
        self.pick("RT3", item)
        svg = self.page.locator("#sheet svg")
        x, y = self.page.wait_for_function(  # the sheet may just be drawn anew, and the handle with it
            """() => { const r = document.querySelector('#sheet .handle')?.getBoundingClientRect();
            return r?.width ? [r.x + r.width / 2, r.y + r.height / 2] : null; }"""
        ).json_value()
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x, y - 30, steps=4)
        self.page.mouse.move(x, y + 1, steps=4)
        self.page.locator("#leg-says", has_text="level with").wait_for()
        self.page.mouse.up()
        self.page.locator(".run[data-run=RT3] .chip", has_text="S2890").wait_for()
        self.assertTrue(svg.count())
        self.assertIn("S2890?", self.line("RT3"))
        self.page.locator("#watch .finding.stop").wait_for(state="detached")

    def test_arrow_keys_walk_a_leg_onto_the_line(self):
        self.page.keyboard.press("/")
        self.page.keyboard.type("from F9.T1 cu-m 15:")
        self.page.fill("#line-text", "from F1.T1 cu-m 15:")
        self.page.keyboard.press("Escape")
        self.page.fill("#line-text", "F20 from F10.X cu-m 15:")
        self.page.fill("#line-text", "from F1.T1 cu-m 15: ")
        self.page.locator("#sheet").focus()
        for key in ("ArrowRight", "ArrowRight", "Shift+ArrowRight", "PageUp", "ArrowUp", "Backspace"):
            self.page.keyboard.press(key)
        self.page.wait_for_function(
            "text => document.getElementById('line-text').value === text", arg="from F1.T1 cu-m 15: E210? U100?"
        )
        self.page.keyboard.press("Enter")
        self.page.locator(".run[data-run=F12]").wait_for()
        self.assertIn("E210? U100?", self.line("F12"))

    def test_levels_services_and_lines_of_measure(self):
        everything = self.page.locator("#sheet .pipe").count()
        self.page.select_option("#service-filter", "gas")
        self.page.wait_for_function("n => document.querySelectorAll('#sheet .pipe').length < n", arg=everything)
        self.assertEqual(
            set(self.page.locator("#sheet .pipe").evaluate_all("all => all.map(one => one.dataset.run)")),
            {"G1", "G2", "G3"},
        )
        self.page.select_option("#service-filter", "")
        self.page.select_option("#level-filter", "L1")
        self.page.wait_for_function("() => document.querySelectorAll('#sheet .station').length < 20")
        self.page.keyboard.press("d")
        self.page.locator("#sheet .dimension").first.wait_for(state="attached")
        self.go("/jobs/lockhouse/pace")
        self.assertEqual(self.page.locator("[data-act=dims]").get_attribute("aria-pressed"), "true")
        self.assertEqual(self.page.locator("#level-filter").input_value(), "L1")

    def test_a_run_changes_its_state_is_cut_and_written_out(self):
        self.page.select_option("[data-run-state=F9]", "keep")
        self.page.locator(".run[data-run=F9].keep").wait_for()
        self.page.locator(".run[data-run=RT9] button", has_text="write out").click()
        self.page.locator(".run[data-run=RT9] .chip").first.wait_for()
        self.page.locator("[data-cut=F8]").click()
        self.page.keyboard.type("1500")
        self.page.keyboard.press("Enter")
        self.page.locator(".run[data-run=F12]").wait_for()
        self.assertTrue(self.line("F8").endswith(".C1"))

    def test_files_of_the_drawing(self):
        self.page.locator(".files summary").click()
        for name, ending in (("SVG", ".svg"), ("DXF, mm of the house", ".dxf")):
            with self.page.expect_download() as got:
                self.page.locator(".files a", has_text=name).click()
            self.assertTrue(got.value.suggested_filename.endswith(ending))
        self.page.select_option(".files [name=paper]", "a2")
        with self.page.expect_download() as got:
            self.page.locator(".files button").click()
        self.assertEqual(got.value.suggested_filename, "lockhouse-1-50.pdf")


class SurveyPlanTest(BrowserCase):
    def setUp(self):
        super().setUp()
        self.as_new()
        self.go("/jobs/lockhouse/survey")

    def test_a_room_is_drawn_named_and_put(self):
        self.page.locator("[data-draw=room]").click()
        box = self.page.locator("#plan svg").bounding_box()
        self.page.mouse.move(box["x"] + 90, box["y"] + 90)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 150, box["y"] + 140, steps=5)
        self.page.mouse.up()
        self.page.wait_for_function("() => document.getElementById('house-text').value")  # the server writes it
        text = self.page.locator("#house-text").input_value()
        self.assertRegex(text, r"^room K\d on L0 Room: -?\d+,-?\d+ \d+x\d+ 20C$")
        self.page.locator("#house-text").fill(text.replace("Room:", "Pantry:"))
        self.page.keyboard.press("Enter")
        self.page.locator(".house-part", has_text="Pantry").wait_for()
        self.page.locator("#house-text").fill("room Q1 on L0 Store: 0,0")
        self.page.keyboard.press("Enter")
        self.page.locator(".refused", has_text="expected").wait_for()
        self.assertEqual(self.page.locator("#house-text").input_value(), "room Q1 on L0 Store: 0,0")

    def test_a_station_is_dragged_to_where_it_stands(self):
        station = self.page.locator("#plan .station[data-key=URN]").last.bounding_box()
        x, y = station["x"] + station["width"] - 3, station["y"] + station["height"] - 3
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x, y + 30, steps=6)
        self.page.mouse.up()
        self.page.wait_for_function("() => document.querySelector('main').dataset.rev !== '1'")
        at = self.page.locator("#URN .at").first.inner_text()
        self.assertIn("E 3600", at)
        self.assertNotIn("N 1200", at)

    def test_what_is_known_of_a_station_is_kept(self):
        self.page.locator("#R4 > summary").click()
        self.page.locator("#R4 .known > summary").click()
        self.page.locator("#R4 [name=output_w]").fill("1.3 kW")
        self.page.locator("#R4 [name=brings_vents]").check()
        self.page.locator("#R4 .known button").click()
        self.page.wait_for_function("() => document.querySelector('main').dataset.rev !== '1'")
        document = json.loads(self.page.request.get(f"{self.server.url}/jobs/lockhouse/export.oikotherm.json").text())
        (found,) = [one for one in document["stations"] if one["id"] == "R4"]
        self.assertEqual((found["data"]["output_w"], found["brings"]["vents"]), (1300, True))


class LargeJobTest(BrowserCase):
    """A building of 300 emitters, 642 runs, of which a page lists those its drawing shows: it answers a hand."""

    def test_a_large_building_is_read_and_edited(self):
        large = building(300)
        with closing(connect(self.server.data / "oikotherm.sqlite")) as conn, writing(conn):
            jobs.create(conn, large, "made up")
        page = self.page
        self.go(f"/jobs/{large.uid}/pace")
        listed = page.locator(".run").evaluate_all("runs => runs.map((run) => run.dataset.run)")
        self.assertIn("F0", listed)
        self.assertEqual(
            {one for one in listed if "B" in one}, {f"{way}B{n}" for way in ("F", "RT") for n in range(1, 16)}
        )
        with page.expect_response(re.compile("/drawing")):
            page.locator("#level-filter").select_option("L4")
        page.locator(".run[data-run=FB61]").wait_for()
        self.assertEqual(page.locator(".run[data-run=FB7]").count(), 0)
        page.locator("#level-filter").select_option("L0")
        page.locator(".run[data-run=FB7]").wait_for()
        self.assertEqual(page.locator(".chip").count(), 0)  # they come when asked for
        run = page.locator(".run[data-run=FB7]")
        run.locator("[data-whole]").click()
        run.locator(".chip").first.wait_for()
        run.locator(".chip", has_text="S900").click()
        page.keyboard.type("S950")
        page.keyboard.press("Enter")
        page.locator("main[data-rev='2']").wait_for(state="attached")
        self.assertIn("S950", run.get_attribute("data-line"))
        # its chips stay open, with the one just typed over in focus, so that the next can be typed over at once
        self.assertEqual(page.evaluate("document.activeElement.textContent"), "S950")
        run.locator(".chip", has_text="D1900").click()
        page.keyboard.type("D1910")
        page.keyboard.press("Enter")
        page.locator("main[data-rev='3']").wait_for(state="attached")
        self.assertIn("D1910", run.get_attribute("data-line"))
        page.locator("[data-step=undo]").click()
        run.locator(".chip", has_text="D1900").wait_for()
        self.assertLessEqual(page.locator(".finding").count(), 40)
        self.assertRegex(page.locator(".watch .more").inner_text(), r"and \d+ more: \d+ ")
        page.goto(f"{self.server.url}/jobs/{large.uid}/make")
        row = page.locator("#FB7-A")
        self.assertEqual(row.locator(".steps").count(), 0)  # in a list this long, workings come when asked for
        row.locator("summary").click()
        row.locator(".steps li").first.wait_for()
        self.assertEqual(
            row.locator(".steps li b").last.inner_text(), f"{float(row.get_attribute('data-cut-mm')):g} mm"
        )
        page.goto(f"{self.server.url}/jobs/{large.uid}/pace")
        page.locator(".watch .more a").click()
        page.wait_for_url("**/watch")
        blocks = page.locator(".blocks a")
        self.assertGreater(blocks.count(), 1)
        shown = page.locator("#all-findings .finding").count()
        self.assertTrue(0 < shown <= 100)
        total = int(page.locator(".blocks span").inner_text().split()[0])
        self.assertGreater(total, 40)
