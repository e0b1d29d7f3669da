"""The long stages over HTTP: the drawing beside a list, phases, House practice as a table, what was done again."""

import re
from datetime import UTC, date, datetime

from benchmarks.building import building
from oikotherm.core.design import derive
from oikotherm.store import jobs
from oikotherm.store.database import writing
from tests.jobs import demo, whole
from tests.web.test_web import WebCase


class ListsTest(WebCase):
    def put(self, job):
        with writing(self.conn):
            jobs.create(self.conn, job, "test")

    def test_the_drawing_beside_a_list_has_what_its_rows_are_about(self):
        self.put(whole("olmo-vecchio"))
        answer = self.client.get("/jobs/olmo-vecchio/where?w=380&h=360").get_json()
        self.assertEqual((answer["rev"], answer["level"]), (1, ""))
        self.assertNotIn("badge-", answer["html"])
        keys = set(re.findall(r'data-(?:key|run)="([^"]+)"', answer["html"]))
        for page in ("make", "joints", "order"):
            text = self.client.get(f"/jobs/olmo-vecchio/{page}").text
            lights = re.findall(r'data-lights="([^"]+)"(?:\s+data-lights-else="([^"]+)")?', text)
            self.assertGreater(len(lights), 20, page)
            for own, other in lights:
                names = {*own.split(), *other.split(), *(one.partition(".")[0] for one in own.split())}
                self.assertTrue(names & keys, (page, own))

    def test_of_a_large_building_the_level_of_a_thing_is_drawn(self):
        job = building(150)
        self.put(job)
        design = derive(job)
        levels = {level.id for level in job.house.levels}
        first = self.client.get(f"/jobs/{job.uid}/where").get_json()
        self.assertIn(first["level"], levels)
        station = next(one for one in job.stations if one.level != first["level"])
        answer = self.client.get(f"/jobs/{job.uid}/where?on={station.id}").get_json()
        self.assertEqual(answer["level"], station.level)
        self.assertIn(f'data-key="{station.id}"', answer["html"])
        self.assertNotIn(f'data-key="{station.id}"', first["html"])
        cut = next(cut for cut in design.cuts if cut.piece.a.z > 3000 and cut.piece.b.z > 3000)
        answer = self.client.get(f"/jobs/{job.uid}/where?on={cut.key.replace('/', '%2F')}").get_json()
        self.assertIn(answer["level"], levels - {first["level"]})
        self.assertEqual(self.client.get(f"/jobs/{job.uid}/where?on=nothing").get_json()["level"], first["level"])

    def test_a_phase_is_open_where_something_can_be_done(self):
        page = self.client.get("/jobs/lockhouse/order").text
        phases = re.findall(r'<details class="phase" id="phase-([^"]+)" data-where="[^"]+"( open)?>', page)
        steps = derive(demo()).plan
        self.assertEqual(phases[0], (steps[0].key, " open"))
        self.assertIn("", {opened for _, opened in phases})
        for step in steps:
            self.assertEqual(page.count(f'<li data-key="{step.key}" '), 1)
            needs = re.search(rf'<li data-key="{re.escape(step.key)}".*?</li>\n(?=<li data-key|</ol>)', page, re.S)[0]
            for need in step.needs:
                self.assertIn(f'data-need="{need.key}"', needs)

    def test_house_practice_opens_one_topic(self):
        page = self.client.get("/practice").text
        rows = re.findall(r'<tr id="t-([^"]+)"', page)
        self.assertGreater(len(rows), 8)
        self.assertNotIn("open-topic", page)
        opened = self.client.get(f"/practice?topic={rows[1]}").text
        self.assertEqual(opened.count('class="open-topic"'), 1)
        self.assertNotIn("Make it the firm", opened)
        shown = self.client.get("/practice?topic=metal-joining&option=").text  # back to each practice's own
        self.assertIn("Make it the firm", shown)

    def test_what_was_done_today_is_due_a_year_on(self):
        page = self.client.get("/property").text
        self.assertIn('value="service/BLR"', page)
        answer = self.client.post("/property/done", data={"job": "lockhouse", "key": "service/BLR"})
        self.assertEqual(answer.status_code, 303)
        kept = self.conn.execute("SELECT kind, key, body FROM record").fetchone()
        self.assertEqual(tuple(kept), ("care", "service/BLR", '{"done": true}'))
        today = datetime.now(UTC).date()
        due = date(today.year + 1, today.month, min(today.day, 28) if today.month == 2 else today.day)
        self.assertIn(f">{due}</b> <span>Service BLR", self.client.get("/property").text)
        refused = self.client.post("/property/done", data={"job": "lockhouse", "key": "service/NONE"})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("something that comes round", refused.text)
        self.assertEqual(self.conn.execute("SELECT count(*) FROM record").fetchone()[0], 1)

    def test_cards_of_some_runs(self):
        whole_list = self.client.get("/jobs/lockhouse/make/cards").text
        own = self.client.get("/jobs/lockhouse/make/cards?runs=F2,nothing").text
        labels = re.findall(r'id="card-([^"]+)"', own)
        self.assertTrue(labels)
        self.assertEqual({label.rpartition("-")[0] for label in labels}, {"F2"})
        self.assertLess(len(labels), len(re.findall(r'id="card-', whole_list)))
