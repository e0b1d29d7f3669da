"""Small jobs and commissioning by their plain forms."""

from __future__ import annotations

import re
import unittest

from oikotherm.core.services.rooms import small_jobs
from oikotherm.store import records as records_store
from tests.web.test_web import WebCase


class SmallTest(WebCase):
    def begin(self, kind: str, **said: str) -> str:
        """The address of the page of a small job just begun."""
        answer = self.client.post(f"/small/{kind}", data={"practice": "british", "place": "Mill cottage", **said})
        self.assertEqual(answer.status_code, 303, answer.text[:400])
        return str(answer.headers["Location"])

    def answer(self, url: str, **said: str):
        rev = re.search(r'data-rev="(\d+)"', self.client.get(url).text).group(1)
        return self.client.post(url, data={"rev": rev, **said})

    def test_home_leads_to_every_kind_and_each_has_its_page_and_pack(self) -> None:
        home = self.client.get("/").text
        for kind, one in small_jobs().items():
            with self.subTest(kind=kind):
                self.assertIn(f'href="/small/{kind}"', home)
                self.assertIn(one.title, self.client.get(f"/small/{kind}").text)
                url = self.begin(kind)
                page = self.client.get(url).text
                for word in ("Steps", "Parts and tools", "Joint records", "Pack"):
                    self.assertIn(word, page)
                self.assertIn(one.title, self.client.get(url.replace("/small", "/handover/pack")).text)

    def test_what_cannot_be_read_comes_back_as_typed(self) -> None:
        bad = self.client.post("/small/hang", data={"practice": "british", "width": "wide", "stand": "120"})
        self.assertEqual(bad.status_code, 422)
        self.assertIn('value="wide"', bad.text)
        self.assertIn('value="120"', bad.text)
        self.assertRegex(bad.text, r"Radiator, width</b>: read <q>wide</q>, expected\s+200 to 3000 mm")
        self.assertEqual(self.client.get("/small/nothing").status_code, 422)

    def test_inches_are_read_and_shown(self) -> None:
        url = self.begin("hang", practice="north-american", width="40", stand="9")
        page = self.client.get(url).text
        self.assertIn("Radiator, width 3&#39;4&#34;", page)
        form = self.client.get("/small/hang").text  # the practice of the last one
        self.assertIn('placeholder="cu-l 1/2"', form)

    def test_answers_stay_with_the_job_and_a_late_one_is_refused(self) -> None:
        url = self.begin("valve", emptied="alone")
        self.assertEqual(self.answer(url, turns="2.25", flow="right", emptied="alone").status_code, 303)
        page = self.client.get(url).text
        self.assertIn("2.25 turns open", page)
        self.assertIn("the right pipe", page)
        late = self.client.post(url, data={"rev": "1", "turns": "3"})
        self.assertEqual(late.status_code, 409)
        self.assertIn("2.25 turns open", late.text)
        self.assertEqual(self.answer(url, turns="many").status_code, 422)

    def test_readings_of_the_gauge_come_and_go(self) -> None:
        url = self.begin("pressure")
        self.assertEqual(self.answer(url, form="reading", reading="2026-03-01 07:00 1.3 bar 18 C").status_code, 303)
        self.assertEqual(self.answer(url, form="reading", reading="2026-03-01 19:00 22 psi 149 F").status_code, 303)
        page = self.client.get(url).text
        self.assertIn("1.52 bar", page)  # 22 psi
        self.assertIn("65 °C", page)
        self.assertEqual(self.answer(url, form="off", name="reading 1").status_code, 303)
        self.assertNotIn("1.30 bar", self.client.get(url).text)


class CommissionTest(WebCase):
    def test_a_reading_is_kept_once_and_corrected_by_a_new_one(self) -> None:
        key, base = "commission:BLR:cold-bar", "/jobs/lockhouse/prove"
        self.assertIn("Commissioning", self.client.get(base).text)
        for said in ("1.2", "1.2", "1.3"):
            answer = self.client.post(f"{base}/commission", data={key: said, "by_role": "site lead"})
            self.assertEqual(answer.status_code, 303)
        with self.app.app_context():
            from oikotherm.web import db

            kept = [row for row in records_store.of_job(db.get(), "lockhouse") if row["kind"] == "commission"]
        self.assertEqual([row["body"]["said"] for row in kept], ["1.2", "1.3"])
        self.assertIn('value="1.3"', self.client.get(base).text)
        pack = self.client.get("/jobs/lockhouse/handover/pack").text
        self.assertIn("Commissioning of BLR", pack)
        self.assertIn("1.3 bar", pack)
        self.assertIn("not read", pack)


if __name__ == "__main__":
    unittest.main()
