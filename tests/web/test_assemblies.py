"""The yearly test of a backflow assembly: read, failed, repaired, passed; certificate, reminder, property."""

from __future__ import annotations

import json
import re
import unittest
from datetime import date, timedelta
from uuid import uuid4

from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.document import read, write
from oikotherm.core.quantity import PA_PER_PSI
from oikotherm.core.services.water.assemblies import assemblies, tested
from oikotherm.core.work.care import reminders
from oikotherm.core.work.record_in import record_in
from oikotherm.core.work.steps import months_on
from oikotherm.exchange.site import records_of
from oikotherm.store import jobs
from oikotherm.store.database import writing
from tests.core.water.faults import BROKEN, CONTAINED, RPZ
from tests.web.test_web import WebCase

RPZ_PASSES = {"check1": "7.2", "relief": "2.6", "check2": "1.8"}


class AssembliesTest(WebCase):
    uid = "assembly-job"

    def setUp(self) -> None:
        super().setUp()
        self.job = read(write(RPZ.model_copy(update={"uid": self.uid, "place": "Mill Row"})))
        self.key = assemblies(derive(self.job))[0].key
        with writing(self.conn):
            jobs.create(self.conn, self.job, "demo")

    def send(self, **said: str) -> tuple[int, str]:
        form = {"assembly": self.key, "uuid": str(uuid4()), "unit": "psi", "stage": "yearly", "licence": "BT-1"}
        form["gauge"] = "differential gauge 0-15 psi, 0.1"
        answer = self.client.post(f"/jobs/{self.uid}/backflow", data={**form, **said, "csrf_token": self.token()})
        return answer.status_code, answer.text

    def token(self) -> str:
        return re.search(r'name="csrf_token" value="([^"]+)"', self.page())[1]

    def page(self, path: str = "backflow") -> str:
        answer = self.client.get(f"/jobs/{self.uid}/{path}")
        self.assertEqual(answer.status_code, 200)
        return answer.text

    def test_failed_repaired_and_passed(self) -> None:
        """A first check of 3.1 psi over a relief of 2.4 fails both its own least and its buffer; repaired, it passes;
        the next is due a year later, for the calendar, the pack and the property alike."""
        self.assertIn("Never", self.page())
        status, _ = self.send(**{**RPZ_PASSES, "check1": "3.1", "relief": "2.4"}, stage="installed")
        self.assertEqual(status, 303)
        page = self.page()
        self.assertTrue("repair the first check" in page and "What was repaired" in page)
        self.assertIn('value="repaired" selected', page)
        self.assertIn("0.7 psi over the relief, 3.0 at least", page)
        status, _ = self.send(**RPZ_PASSES, stage="repaired", repairs="first check cleaned, new rubber", serial="S-77")
        self.assertEqual(status, 303)
        due = months_on(date.today(), 12).isoformat()
        page = self.page()
        self.assertTrue(f"next test by <b>{due}</b>" in page and "new rubber" in page)
        self.assertIn("49.6 kPa", page)  # 7.2 psi
        (one,) = tested(derive(self.job), records_of(self.conn, self.uid))
        self.assertEqual([test.verdict.passed for test in one.tests], [True, False])
        start = date.today() - timedelta(days=400)
        found = reminders(derive(self.job), start, records_of(self.conn, self.uid))
        (reminder,) = [one for one in found if one.key == tested(derive(self.job), [])[0].assembly.key]
        self.assertEqual(reminder.due.isoformat(), due)
        self.assertIn(f"DTSTART;VALUE=DATE:{due.replace('-', '')}", self.page("handover/reminders.ics"))
        self.assertTrue("S-77" in self.page(f"backflow/certificate/{one.tests[0].record.uuid}"))
        self.assertIn("Backflow assemblies", self.page("handover/pack"))
        self.assertIn(due, self.client.get("/property").text)

    def test_the_certificate_says_what_was_read(self) -> None:
        self.send(**RPZ_PASSES, line="62")
        (one,) = tested(derive(self.job), records_of(self.conn, self.uid))
        page = self.page(f"backflow/certificate/{one.tests[0].record.uuid}")
        for words in ("PASS", "17.9 kPa", "licence BT-1", "calibration of the gauge not known", "reduced-pressure"):
            self.assertIn(words, page)
        self.assertEqual(self.client.get(f"/jobs/{self.uid}/backflow/certificate/none").status_code, 404)

    def test_a_gauge_sends_its_readings(self) -> None:
        """What `oikotherm sim backflow` prints is taken as it is, and stays marked simulated."""
        sent = json.dumps({"simulated": True, "unit": "psi", "readings": {"check1": 8, "relief": 2.7, "check2": 2}})
        self.assertEqual(self.send(sent=sent)[0], 303)
        (one,) = tested(derive(self.job), records_of(self.conn, self.uid))
        body = one.tests[0].record.body
        self.assertTrue(body["simulated"])
        self.assertAlmostEqual(body["readings_pa"]["check1"], 8 * PA_PER_PSI)
        self.assertIn("simulated", self.page())

    def test_what_cannot_be_read_comes_back(self) -> None:
        for said in (
            {**RPZ_PASSES, "relief": "dripping"},
            {**RPZ_PASSES, "check2": ""},
            {**RPZ_PASSES, "licence": ""},
            {**RPZ_PASSES, "gauge": "a stick"},
            {**RPZ_PASSES, "unit": "feet"},
            {**RPZ_PASSES, "check1": "900"},
            {"sent": "{"},
            {**RPZ_PASSES, "assembly": "none"},
        ):
            status, page = self.send(**said)
            self.assertEqual(status, 422, said)
            self.assertIn('role="alert"', page)
        self.assertIn('value="7.2"', page)
        self.assertEqual(records_of(self.conn, self.uid), [])

    def test_records_hold_every_reading_of_their_kind(self) -> None:
        body = {
            "kind": "dc",
            "stage": "yearly",
            "readings_pa": {"check1": 9000.0},
            "gauge": {"name": "g", "resolution_pa": 700.0},
            "licence": "x",
        }
        record = {
            "uuid": str(uuid4()),
            "job": self.uid,
            "kind": "backflow",
            "key": self.key,
            "label": "C1",
            "rev": 1,
            "made_at": "2026-03-01T10:00:00Z",
            "by_role": "tester",
            "body": body,
        }
        with self.assertRaises(Refused):
            record_in(record)
        record_in({**record, "body": {**body, "readings_pa": {"check1": 9000.0, "check2": 8000.0}}})

    def test_each_kind_is_told(self) -> None:
        kinds = [assemblies(derive(job))[0].kind for job in (CONTAINED, RPZ, BROKEN)]
        self.assertEqual(kinds, ["dc", "rpz", "pvb"])
        (one,) = assemblies(derive(CONTAINED))
        self.assertEqual((one.size, one.up_mm, one.guards), ("22", 400.0, "protects the street"))
        self.assertEqual(months_on(date(2028, 2, 29), 12), date(2029, 2, 28))


if __name__ == "__main__":
    unittest.main()
