"""Prove, the backflow page, devices and packs as they are used: what one test says, every page says."""

from __future__ import annotations

import json
import re
import sqlite3
import unittest
import unittest.mock
from datetime import date, timedelta
from typing import Any
from uuid import uuid4

from oikotherm.core.job.document import read, write
from oikotherm.core.services.gas.checks import trap_check
from oikotherm.store import jobs, live, people, records
from oikotherm.store.database import writing
from tests.core.water.faults import RPZ
from tests.jobs import whole
from tests.web.test_web import WebCase

GAS = "gas/MTR.out/1"
DAY = "2026-03-01T10:"
TIGHT = "\n".join(f"{DAY}{minute:02d}, 20.5" for minute in (0, 1, 2, 3))
LEAKS = f"{DAY}00, 20.5\n{DAY}01, 20.5\n{DAY}02, 19.0\n{DAY}03, 17.0"


class ProveTest(WebCase):
    uid = "lockhouse2"

    def setUp(self) -> None:
        super().setUp()
        self.put(whole("lockhouse"), self.uid)
        self.gauge = "manometer 0-200 mbar, 0.1"

    def put(self, job: Any, uid: str) -> None:
        with writing(self.conn):
            jobs.create(self.conn, job.model_copy(update={"uid": uid}), "demo")

    def keep(self, text: str, uid: str = "", section: str = GAS, **said: str) -> tuple[int, str]:
        form = {"section": section, "gauge": self.gauge, "no_supply": "on", "readings": text, "uuid": str(uuid4())}
        answer = self.client.post(f"/jobs/{uid or self.uid}/prove", data={**form, **said})
        return answer.status_code, answer.text

    def page(self, path: str = f"prove?section={GAS}", uid: str = "") -> str:
        answer = self.client.get(f"/jobs/{uid or self.uid}/{path}")
        self.assertEqual(answer.status_code, 200, path)
        return answer.text

    def stands(self) -> str:
        return str(re.search(r'class="standing \w+">([^<:]+)', self.page())[1].strip())

    def test_a_failed_test_takes_the_pass_away_everywhere(self) -> None:
        self.assertEqual(self.keep(TIGHT)[0], 303)
        self.assertEqual(self.stands(), "Proved")
        self.assertRegex(self.page("handover/pack"), r"Gas from MTR.out.*[\s\S]{0,120}proved on \d{4}")
        self.assertEqual(self.keep(LEAKS)[0], 303)
        page = self.page()
        self.assertEqual(self.stands(), "Failed")
        self.assertIn("Soap these first", page)
        self.assertIn("stands no more", page)
        pack = self.page("handover/pack")
        self.assertIn("not proved until a whole test passes", pack)
        self.assertNotIn("proved on", pack)
        self.assertIn("It stands no more", pack)
        self.assertEqual(self.keep(TIGHT)[0], 303)
        self.assertEqual(self.stands(), "Proved")

    def test_the_page_follows_the_test_that_is_chosen(self) -> None:
        self.assertIn('data-value="2000.0"', self.page())
        existing = self.page(f"prove?section={GAS}&variant=existing")
        self.assertIn("diaphragm meter, 6 m3/h", existing)
        self.assertIn("sure to see", existing)
        unsaid = self.page(f"prove?section={GAS}&variant=procedure")
        self.assertIn("what the procedure says", unsaid)
        self.assertNotIn("sure to see", unsaid)
        status, page = self.keep(TIGHT, variant="procedure")
        self.assertEqual(status, 422)
        self.assertIn("by the licensed person", page)
        said = {"procedure_name": "P 7", "procedure_pressure": "37", "procedure_hold": "2", "procedure_drop": "0.25"}
        status, page = self.keep(TIGHT, variant="procedure", **{**said, "procedure_pressure": "12"})
        self.assertIn("not below its working", page)
        at_37 = TIGHT.replace("20.5", "37.0")
        self.assertEqual(self.keep(at_37, variant="procedure", **said)[0], 303)
        self.assertEqual(self.stands(), "Proved")
        self.assertIn("at 37 mbar", self.page("handover/pack"))
        self.assertEqual(self.keep(LEAKS, variant="existing", meter="diaphragm-6", medium="gas")[0], 303)
        self.assertEqual(self.stands(), "Proved")  # 3.5 of 4 mbar that its meter permits

    def test_a_first_stage_is_tested_at_its_own_pressure(self) -> None:
        job = whole("fernhollow")
        stations = [
            one.model_copy(update={"data": one.data.model_copy(update={"outlet_pa": 68_948.0, "set_pa": None})})
            if one.id == "REG"
            else one
            for one in job.stations
        ]
        self.put(job.model_copy(update={"stations": tuple(stations)}), "first")
        page = self.page("prove?section=gas/REG.out/1", "first")
        self.assertIn("<b>Gas from REG.out</b>\n    <span>15 psi air", page)
        self.assertIn("stand clear", page)

    def test_what_a_gauge_cannot_show_is_refused(self) -> None:
        status, page = self.keep(TIGHT.replace("20.5", "207"))
        self.assertEqual(status, 422)
        self.assertIn("this gauge ends at 200.00 mbar", page)
        for odd, words in (("20,5, 18", "20.5, or 20 and 5"), ("2.5 apples", "known unit"), ("", "time, pressure")):
            status, page = self.keep(f"{DAY}00, {odd}")
            self.assertEqual(status, 422)
            self.assertIn(words, page)
        offered = self.page()
        offered = offered[offered.index('name="gauge"') : offered.index('name="thermometer"')]
        self.assertNotIn("0-6 bar", offered)
        self.assertIn("0-6 bar", self.page())  # among those that are not for this test

    def test_a_gauge_out_of_date_gives_no_certificate(self) -> None:
        with writing(self.conn):
            people.put_instrument(self.conn, self.gauge, "electronic", 0.0001, "2024-01-01", "2025-01-01", 0.2)
        self.keep(TIGHT)
        self.assertIn("read on a gauge out of date since 2025-01-01", self.page())
        pack = self.page("handover/pack")
        self.assertIn("No certificate: read on a gauge out of date", pack)
        self.assertNotIn("sign-here", pack)

    def test_no_supply_or_a_let_by_reading(self) -> None:
        self.keep(TIGHT, no_supply="")
        self.assertIn("no let-by reading", self.page())
        self.assertNotEqual(self.stands(), "Proved")
        self.keep(TIGHT, no_supply="", let_by_start="8.0", let_by_end="8.3")
        self.assertIn("let-by: it rose 0.30 mbar", self.page())
        self.assertEqual(self.stands(), "Failed")

    def test_fahrenheit_is_asked_once(self) -> None:
        self.put(whole("fernhollow"), "psi")
        self.gauge, lines = "gas test gauge 0-15 psi, 0.1", "\n".join(f"{DAY}{n:02d}, 3.2, 68" for n in (0, 1, 6, 12))
        status, page = self.keep(lines, "psi", "gas/REG.out/1")
        self.assertEqual(status, 422)
        self.assertIn("68 C, or 68 F", page)
        self.assertEqual(self.keep(lines, "psi", "gas/REG.out/1", temp_unit="F")[0], 303)
        self.assertEqual(self.keep(lines, "psi", "gas/REG.out/1")[0], 303)  # kept for the job
        body = json.loads(self.conn.execute("SELECT body FROM record WHERE job = 'psi'").fetchone()[0])
        self.assertIn("68 F", body["readings"])

    def test_a_continental_job_reads_commas(self) -> None:
        self.put(whole("olmo-vecchio"), "olmo")
        rows = "\n".join(f"{DAY}{n:02d}; 150,4; 18,5" for n in (0, 5, 10, 15, 20))
        self.assertEqual(self.keep(rows, "olmo", GAS)[0], 303)
        self.assertRegex(self.page(f"prove?section={GAS}", "olmo"), r'class="standing proved"')

    # --- tests that run -----------------------------------------------------------------------------------------------

    def begin(self) -> live.Live:
        form = {"section": GAS, "gauge": self.gauge, "no_supply": "on", "by_role": "gas engineer"}
        self.assertEqual(self.client.post(f"/jobs/{self.uid}/prove/live", data=form).status_code, 303)
        return live.running(self.conn, self.uid)[-1]

    def send(self, test: live.Live, text: str) -> Any:
        return self.app.test_client().post(f"/readings/{test.token}", data=text)

    def line(self, seq: int, **more: Any) -> str:
        at = f"2026-03-01T10:{seq % 60:02d}:00Z"
        return json.dumps({"seq": seq, "at": at, "pressure_pa": 2050, **more})

    def test_abandoned_and_withdrawn(self) -> None:
        self.keep(TIGHT)
        test = self.begin()
        self.assertEqual(self.stands(), "Proved")  # nothing is under pressure yet
        self.send(test, self.line(0))
        self.assertEqual(self.stands(), "Failed")
        self.assertIn("in test now: not proved", self.page("handover/pack"))
        self.client.post(f"/jobs/{self.uid}/prove/live/{test.id}/stop", data={"withdrawn": "wrong section"})
        self.assertEqual(self.stands(), "Proved")
        self.assertIn("wrong section", self.page())
        test = self.begin()
        self.send(test, self.line(0))
        self.client.post(f"/jobs/{self.uid}/prove/live/{test.id}/stop")
        self.assertEqual(self.stands(), "Failed")
        self.assertIn("abandoned", self.page())

    def test_hand_file_and_device_keep_their_own_numbers(self) -> None:
        test = self.begin()
        self.client.post(f"/jobs/{self.uid}/prove/live/{test.id}/reading", data={"pressure": "20.5", "temp_c": "18"})
        answer = self.send(test, "\n".join(self.line(n) for n in range(40)))
        self.assertEqual((answer.status_code, answer.json["kept"]), (200, 40))
        self.assertEqual(live.count(self.conn, test.id), 41)
        far = self.send(test, self.line(1_500_000, source="logger 2"))
        self.assertEqual((far.status_code, far.json["kept"], far.json["next"]), (200, 1, 1_500_001))
        self.assertEqual(self.page(f"prove/live/{test.id}").count("42 readings"), 1)

    def test_odd_bodies_are_refused_as_promised(self) -> None:
        test = self.begin()
        good = self.line(0)
        for bad in (
            good.replace("2026-03-01T10:00:00Z", "0001-01-01T00:00:00+05:00"),
            good.replace("2026-03-01T10:00:00Z", "9999-12-31T23:59:00-05:00"),
            "[" * 380_000,
            good.replace("2050", "9" * 400),
            good.replace("2050", "1e999"),
            self.line(0, source="hand"),
            self.line(0, temp_step_k=0),
            '{"seq": 0, "at": "\\ud800"}',
        ):
            answer = self.send(test, bad)
            self.assertEqual((answer.status_code, answer.mimetype), (422, "application/json"), bad[:60])
            self.assertIn("expected", answer.json["error"])
        self.page()
        with unittest.mock.patch("oikotherm.web.live.store.add", side_effect=sqlite3.OperationalError("full")):
            answer = self.send(test, good)
        self.assertEqual((answer.status_code, answer.mimetype), (503, "application/json"))

    # --- packs, small jobs --------------------------------------------------------------------------------------------

    def test_the_inspectors_words_say_what_is_not_made(self) -> None:
        self.keep(TIGHT)
        self.assertRegex(self.page("handover/pack"), r"proved on [\d-]+; 42 of 42 joints are not marked made")

    def test_a_valve_change_is_seen_dry_and_not_held(self) -> None:
        url = self.client.post("/small/valve", data={"practice": "british", "emptied": "house"}).headers["Location"]
        uid = re.search(r"/jobs/([^/]+)/", url)[1]
        page = self.page("prove", uid)
        self.assertIn("cold pressure", page)
        self.assertNotIn('id="readings"', page)
        order = self.page("order", uid)
        steps = re.findall(r'data-key="([^"]+)" data-label', order)
        self.assertIn("Not complete", self.page("handover/pack", uid))
        with writing(self.conn):
            for key in steps:
                kept = {"uuid": str(uuid4()), "job": uid, "kind": "step", "key": key, "label": "x", "rev": 1}
                more = {"made_at": "2026-03-01T10:00:00Z", "by_role": "site lead", "body": {"done": True}}
                records.add(self.conn, {**kept, **more})
        pack = self.page("handover/pack", uid)
        self.assertIn("Complete.", pack)
        self.assertNotIn("Not complete", pack)
        self.assertIn("proved: every joint seen dry", pack)

    def test_the_stage_pipe_means_made(self) -> None:
        def filled() -> list[str]:
            page = self.page("survey")
            return re.findall(r'<li class="filled[^"]*">\s*<a href="/jobs/[^/]+/(\w+)"', page)

        self.assertNotIn("make", filled())
        self.assertNotIn("joints", filled())
        job = jobs.head(self.conn, self.uid).job
        with writing(self.conn):
            for run in job.runs:
                kept = {"uuid": str(uuid4()), "job": self.uid, "kind": "step", "key": f"pipe:{run.id}", "label": "x"}
                more = {"rev": 1, "made_at": "2026-03-01T10:00:00Z", "by_role": "site lead", "body": {"done": True}}
                records.add(self.conn, {**kept, **more})
        self.assertIn("make", filled())

    def test_a_trap_by_what_an_appliance_is(self) -> None:
        for appliance, ok in (
            ("boiler in the hobby room", False),
            ("kitchen range", True),
            ("fire pit", True),
            ("fire-pit", True),
            ("clothes dryer", True),
            ("water heater near the range", False),
            ("gas hob", True),
        ):
            self.assertEqual(trap_check(appliance, 0, "D")[0], ok, appliance)

    def test_another_fuel_says_its_orifices(self) -> None:
        self.assertNotIn("other orifices", self.page("sizes"))
        self.assertIn("other orifices", self.page("sizes?fuel=propane"))


class BackflowTest(WebCase):
    uid = "assembly-job"
    passes = {"check1": "7.2", "relief": "2.6", "check2": "1.8"}

    def setUp(self) -> None:
        super().setUp()
        self.job = read(write(RPZ.model_copy(update={"uid": self.uid})))
        with writing(self.conn):
            jobs.create(self.conn, self.job, "demo")

    def send(self, **said: str) -> tuple[int, str]:
        page = self.client.get(f"/jobs/{self.uid}/backflow").text
        form = {
            "assembly": re.search(r'name="assembly" value="([^"]+)"', page)[1],
            "unit": "psi",
            "stage": "yearly",
            "licence": "BT-1",
            "gauge": "differential gauge 0-15 psi, 0.1",
            **self.passes,
        }
        answer = self.client.post(f"/jobs/{self.uid}/backflow", data={**form, **said})
        return answer.status_code, answer.text if answer.status_code != 303 else self.client.get(
            f"/jobs/{self.uid}/backflow"
        ).text

    def test_what_cannot_be_is_refused_in_a_testers_words(self) -> None:
        for said, words in (
            ({"check1": "83 mbar", "gauge": "water gauge 0-30 mbar"}, "a differential gauge"),
            ({"check1": "19"}, "this gauge ends at"),
            ({"check1": "-1"}, "over the first check"),
            ({"check1": "9", "line": "3"}, "less than the 3.00 psi in the line"),
            ({"sent": "[" * 30_000}, "JSON"),
        ):
            status, page = self.send(**said)
            self.assertEqual(status, 422, said)
            self.assertIn(words, page)
            self.assertNotIn("readings_pa", page)

    def test_failed_is_due_now_and_the_decimals_that_decide_are_said(self) -> None:
        status, page = self.send(unit="kPa", check1="49", relief="18", check2="6.89")
        self.assertEqual(status, 303)
        self.assertIn("0.999 psi, 1.0 at least", page)
        self.assertIn("due now", page)
        calendar = self.client.get(f"/jobs/{self.uid}/handover/reminders.ics").text
        self.assertIn(f"DTSTART;VALUE=DATE:{date.today():%Y%m%d}", calendar)

    def test_an_overdue_gauge_gives_no_certificate(self) -> None:
        past = (date.today() - timedelta(days=40)).isoformat()
        with writing(self.conn):
            name = "differential gauge 0-15 psi, 0.1"
            people.put_instrument(self.conn, name, "differential", 0.00689, "2025-01-01", past, 1.0342)
        _, page = self.send()
        self.assertIn("No certificate", page)
        self.assertNotIn(">Certificate<", page)

    def test_another_serial_is_asked_about(self) -> None:
        self.send(serial="S-77")
        status, page = self.send(serial="S-78")
        self.assertEqual(status, 422)
        self.assertIn("a new assembly, or mistyped", page)
        self.assertEqual(self.send(serial="S-78", serial_is="mistyped")[0], 303)
        self.assertIn('value="S-77"', self.client.get(f"/jobs/{self.uid}/backflow").text)
        _, page = self.send(serial="S-78", serial_is="new")
        self.assertIn("in place of", page)


if __name__ == "__main__":
    unittest.main()
