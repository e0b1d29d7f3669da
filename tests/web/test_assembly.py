"""The player of the order of assembly: its steps in words and as pictures, what stops it, what helps, its sheet."""

from __future__ import annotations

import json
import re
import unittest
from html import unescape

from oikotherm.core.design import derive
from oikotherm.core.work.assembling import order_of_run
from oikotherm.drawing.assembly_step import clock_hour, step_picture
from oikotherm.store import jobs
from oikotherm.store.database import writing
from tests.jobs import edit, retyped, whole
from tests.web.test_web import WebCase


class PlayerTest(WebCase):
    def page(self, path: str) -> str:
        answer = self.client.get(path)
        self.assertEqual(answer.status_code, 200)
        return answer.text

    def test_every_step_of_a_branch_can_be_read(self) -> None:
        """The oven's branch of the Fernhollow: as many steps as it has joints, each with its picture, the last one
        closing at what comes apart; the words name what moves and what it goes into."""
        with writing(self.conn):
            jobs.create(self.conn, whole("fernhollow"), "demo")
        order = order_of_run(derive(whole("fernhollow")), "G3")
        many = len(order.plan.steps)
        self.assertEqual(order.plan.verdict, "order")
        titles = {one.key: one.title for one in order.assembly.parts}
        for number, step in enumerate(order.plan.steps, 1):
            page = unescape(self.page(f"/jobs/fernhollow/assembly?run=G3&step={number}"))
            self.assertIn(f"<b>{number}</b> of {many}", page)
            self.assertIn('class="drawing assembly-step"', page)
            for key in step.moves[:2]:
                self.assertIn(titles[key], page)
            self.assertEqual("Second wrench on" in page, step.turns)
            self.assertEqual('rel="next"' in page, number < many)
        self.assertIn("closes, nothing turns", page)
        sheet = self.page("/jobs/fernhollow/assembly/sheet?run=G3")
        self.assertEqual(sheet.count('class="drawing assembly-step"'), many)

    def test_the_plan_names_the_bench_groups(self) -> None:
        """Of threaded runs: what is carried to its place as one, and the union last; soldered pipe has the link."""
        with writing(self.conn):
            jobs.create(self.conn, whole("fernhollow"), "demo")
        page = unescape(self.page("/jobs/fernhollow/order?part=all"))
        step = page.partition('data-key="pipe:G2"')[2].partition("</li>")[0]
        self.assertIn("On the bench: G2-G + 1/2 tee thread;", step)
        self.assertIn("Made last: 1/2 union of G2.", step)
        self.assertIn("assembly?run=C1", page)
        self.assertNotIn("On the bench", page.partition('data-key="pipe:C1"')[2].partition("</li>")[0])

    def test_the_picture_holds_what_moves_and_where_it_ends(self) -> None:
        """An elbow of the trunk turned onto upright pipe: what moves is drawn as moving and nothing that is not yet
        there; its outlet looks west, three hours left of north seen from above."""
        order = order_of_run(derive(whole("fernhollow")), "G1")
        parts = {one.key: one for one in order.assembly.parts}
        for step in order.plan.steps:
            picture = step_picture(order.assembly, step)
            moving = sum(len(parts[key].capsules) for key in step.moves)
            self.assertEqual(len(re.findall(r'class="as-move', picture)), moving)
            if step.where != "bench":
                standing = sum(len(parts[key].capsules) for key in step.standing if key not in step.moves)
                self.assertEqual(len(re.findall(r'class="as-stand', picture)), standing)
        hours = {step.joint: clock_hour(order.assembly, step) for step in order.plan.steps if "i35/turn" in step.moves}
        self.assertTrue(set(hours.values()) <= {3, 9, None, 12, 6} and hours)

    def test_what_stops_it_and_what_helps(self) -> None:
        job = whole("olmo-vecchio")
        job = edit(job, retyped(job, "RT1", ("E565 [coupling] E140", "E705"))).model_copy(update={"uid": "stuck-one"})
        with writing(self.conn):
            jobs.create(self.conn, job, "demo")
        page = self.page("/jobs/stuck-one/assembly?service=heating")
        self.assertTrue("It cannot be put together like this" in page and "does not go through its hole" in page)
        page = self.page("/jobs/stuck-one/assembly/cures?service=heating")
        said = re.findall(r'data-commands="([^"]+)"', page.partition("What helps")[2])
        self.assertGreaterEqual(len(said), 2)
        self.assertEqual(json.loads(unescape(said[0]))[0]["do"], "retype_item")
        self.assertIn("tried: it goes together", page)

    def test_what_is_hard_to_take_out_and_what_is_not_there(self) -> None:
        with writing(self.conn):
            jobs.create(self.conn, whole("fernhollow"), "demo")
        page = self.page("/jobs/fernhollow/assembly?service=water&step=999")
        self.assertTrue("<b>WH</b> 18 joints come off at WH.hot" in page and "<b>36</b> of 36" in page)
        self.assertIn("No run is called NONE", self.page("/jobs/fernhollow/assembly?run=none"))


if __name__ == "__main__":
    unittest.main()
