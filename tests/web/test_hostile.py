"""What comes in from outside, meant or not: odd text, hostile files, odd records, guesses at the door."""

import io
import json
import random
import time
import unittest
import uuid
import zipfile
from pathlib import Path
from unittest import mock
from urllib.parse import unquote, urlencode

from oikotherm.core.errors import Refused
from oikotherm.core.job.document import write
from oikotherm.core.reading import read_csv, read_json
from oikotherm.core.work.readings import read_readings
from oikotherm.exchange.bundle_in import unpacked
from oikotherm.store import jobs, records
from oikotherm.store.database import writing
from oikotherm.web import create_app, door
from tests.jobs import demo, edit
from tests.web.test_web import WebCase

DEEP = "[" * 20_000 + "]" * 20_000


class ReadersTest(unittest.TestCase):
    def test_json_gives_data_or_a_refusal(self):
        self.assertEqual(read_json('{"a": [1, 2.5, null, "ä"]}', "x", "{}"), {"a": [1, 2.5, None, "ä"]})
        for bad in (
            "",
            "{",
            "nul",
            DEEP,
            '{"a": NaN}',
            "[Infinity]",
            "[-Infinity]",
            "[1e999]",
            '["\\ud800"]',
            '{"\\udfff": 1}',
            '["\\u0000"]',
            b"\xff\xfe\x00",
            b"\xed\xa0\x80",
            "[" + "9" * 5000 + "]",
        ):
            with self.assertRaises(Refused, msg=bad[:20]):
                read_json(bad, "x", "{}")
        self.assertEqual(read_json("[1e-300]", "x", "{}"), [1e-300])

    def test_csv_gives_rows_or_a_refusal(self):
        self.assertEqual(read_csv("a,b\rc,d\r\ne,f", "x", ""), [["a", "b"], ["c", "d"], ["e", "f"]])
        for bad in ("x" * 200_000, '"' + "y" * 200_000, "a\0b"):
            with self.assertRaises(Refused):
                read_csv(bad, "x", "")
        self.assertEqual(len(read_readings("2026-03-01T10:00, 1.8\r2026-03-01T10:01, 1.8")), 2)
        with self.assertRaises(Refused):
            read_readings("2026-03-01T10:00, " + "1" * 200_000)


class TextTest(WebCase):
    def test_every_field_takes_odd_text_kindly(self):
        surrogate = '{"rev": 1, "commands": [{"do": "set_job", "title": "\\ud800"}]}'
        for path, data in (
            ("/jobs/lockhouse/edit", surrogate),
            ("/jobs/lockhouse/edit", DEEP),
            ("/jobs/lockhouse/edit", '{"rev": NaN, "commands": [{"do": "set_job", "title": "x"}]}'),
            ("/jobs/lockhouse/edit", '{"rev": [1], "commands": [{"do": "set_job", "title": "x"}]}'),
            ("/jobs/lockhouse/edit", '{"rev": 1e99, "commands": [{"do": "set_job", "title": "x"}]}'),
            ("/jobs/lockhouse/order/move", '{"rev": [], "step": "a", "after": "b"}'),
            ("/jobs/lockhouse/order/move", '{"rev": NaN, "step": "a", "after": "b"}'),
            ("/jobs/lockhouse/pace/preview", '{"text": "\\udfff"}'),
            ("/jobs/lockhouse/sizes/simulate", DEEP),
            ("/jobs/lockhouse/records", '{"records": NaN}'),
            ("/api/calc/convert", '{"value": NaN}'),
            ("/api/calc/convert", "\xff"),
        ):
            answer = self.client.post(path, data=data, headers={"Content-Type": "application/json"})
            self.assertEqual(answer.status_code, 422, (path, data[:40]))
            self.assertIn("expected", answer.json["error"])
        for path in ("/jobs/lockhouse/find?q=%00", "/jobs/lock%00house/pace", "/bench/convert?value=%00", "/?%00=1"):
            self.assertIn(self.client.get(path).status_code, (404, 422), path)
        self.assertEqual(self.client.get("/jobs/lockhouse/find?q=" + "x" * 5000).status_code, 422)
        for data in ({"title": "a\0b"}, {"title": "\ud800".encode("utf-8", "surrogatepass")}):
            self.assertIn(self.client.post("/jobs", data=data).status_code, (303, 422))
        self.assertEqual(self.head().rev, 1)

    def test_a_pump_curve_that_is_none_is_refused_as_typed(self):
        self.assertEqual(self.client.get("/jobs/lockhouse/survey").status_code, 200)
        for curve in ("-1 0; 1 0", "1e-300 45; 0 38", "nan 1; 2 3", "1e400 4; 1 2", "0 45; 0 38"):
            form = {"form": "known-BLR", "rev": "1", "pump_curve": curve}
            answer = self.client.post("/jobs/lockhouse/survey", data=form)
            self.assertEqual(answer.status_code, 422, curve)
            self.assertIn("pump_curve", answer.text)

    def test_no_field_of_a_form_gets_into_a_header(self):
        for back in ("R1\r\nSet-Cookie: x=1", "R1\nX: y", "ä b", "x" * 300, "R1"):
            form = {"form": "job", "rev": "1", "title": demo().title, "back": back}
            answer = self.client.post("/jobs/lockhouse/survey", data=form)
            self.assertEqual(answer.status_code, 303)
            self.assertEqual(answer.headers["Location"].endswith("#R1"), back == "R1")

    def test_odd_methods_and_types_are_answered_calmly(self):
        self.assertEqual(self.client.delete("/jobs/lockhouse/pace").status_code, 405)
        self.assertEqual(self.client.post("/jobs/lockhouse/edit", data="x").status_code, 422)
        self.assertEqual(self.client.post("/import", data={"document": "no file"}).status_code, 422)


class BrokenJobTest(WebCase):
    """A job that cannot be worked out fails alone, and says the way back."""

    def setUp(self):
        super().setUp()
        self.app.config.update(TESTING=False, PROPAGATE_EXCEPTIONS=False)
        self.app.logger.disabled = True
        with writing(self.conn):
            jobs.create(self.conn, demo().model_copy(update={"uid": "other", "title": "Another house"}), "demo")
            jobs.commit(self.conn, edit(demo(), {"do": "set_job", "title": "Second"}), 1, "a title", [])

    def alone(self):
        for path in ("/", "/property", "/practice", "/practice?topic=metal-joining&option=press", "/jobs/other/pace"):
            page = self.client.get(path)
            self.assertEqual(page.status_code, 200, path)
            self.assertTrue(path == "/practice" or "Another house" in page.text, path)
        for stage in ("survey", "pace", "sizes", "make", "order", "prove", "handover", "joints"):
            page = self.client.get(f"/jobs/lockhouse/{stage}")
            self.assertIn("This job cannot be shown", page.text)
            self.assertIn("Go back one revision", page.text)
            self.assertIn("a title", page.text)
        self.assertEqual(self.client.get("/jobs/lockhouse/history").status_code, 200)
        exported = self.client.get("/jobs/lockhouse/export.oikotherm.json")
        self.assertEqual((exported.status_code, json.loads(exported.data)["title"]), (200, "Second"))

    def test_of_which_something_cannot_be_worked_out(self):
        real = jobs.head(self.conn, "lockhouse").digest
        from oikotherm.core import layout

        def trace(job, *more):
            if job.title == "Second":
                raise KeyError("RT1")
            return kept(job, *more)

        kept = layout.trace
        with mock.patch.object(layout, "trace", trace):
            self.alone()
            self.assertEqual(self.client.post("/jobs/lockhouse/undo", data={"rev": "2"}).status_code, 303)
            self.assertEqual(self.client.get("/jobs/lockhouse/pace").status_code, 200)
        self.assertNotEqual(jobs.head(self.conn, "lockhouse").digest, real)

    def test_whose_document_cannot_be_read(self):
        found = json.loads(jobs.stored_text(self.conn, "lockhouse", 2))
        found["runs"][0]["start"] = "no anchor"
        text = json.dumps(found)
        self.conn.execute("DROP TRIGGER design_revision_stays")
        from oikotherm.store.differences import digest_of, pack

        sql = "UPDATE design_revision SET document = ?, base = NULL, digest = ? WHERE job = 'lockhouse' AND rev = 2"
        self.conn.execute(sql, (pack(text), digest_of(text)))
        self.alone()
        self.assertEqual(self.client.post("/jobs/lockhouse/undo", data={"rev": "2"}).status_code, 303)
        self.assertEqual(self.client.get("/jobs/lockhouse/pace").status_code, 200)

    def test_an_edit_that_cannot_be_worked_out_is_refused_and_not_stored(self):
        with mock.patch("oikotherm.core.layout.find", side_effect=ZeroDivisionError("no room")):
            answer = self.edit(2, {"do": "set_job", "title": "Third"})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("ZeroDivisionError", answer.json["error"]["said"])
        self.assertEqual(self.head().rev, 2)

    def test_a_full_disk_is_said_and_nothing_is_stored(self):
        import sqlite3

        full = sqlite3.OperationalError("database or disk is full")
        with mock.patch("oikotherm.store.jobs._index", side_effect=full):
            answer = self.edit(2, {"do": "set_job", "title": "Third"})
        self.assertEqual(answer.status_code, 503)
        self.assertIn("database or disk is full", answer.json["error"]["expected"])
        self.assertEqual(self.head().rev, 2)
        self.assertEqual(self.edit(2, {"do": "set_job", "title": "Third"}).status_code, 200)


class RightAfterRestoreTest(WebCase):
    def test_an_edit_after_a_restore_shows_the_cut_list_of_what_is_there(self):
        from contextlib import closing

        from oikotherm.core.design import derive
        from oikotherm.exchange.cutlist import cut_csv
        from oikotherm.store.backup import backup
        from oikotherm.store.database import connect
        from oikotherm.store.restore import restore

        folder = Path(self.app.config["DATABASE"]).parent
        copy = backup(self.conn, folder / "copy.sqlite")
        leg = next(item for item in demo().run("F1").items if item.kind == "leg")
        lost = {"do": "set_leg", "run": "F1", "item": leg.id, "length_mm": 999}
        self.assertEqual(self.edit(1, lost, page="make").status_code, 200)
        self.assertIn("cut", self.client.get("/jobs/lockhouse/make").text)
        self.conn.close()
        restore(copy, self.app.config["DATABASE"])
        shown = self.client.post("/jobs/lockhouse/edit", json={"rev": 2, "page": "make", "commands": [lost]})
        self.assertEqual(shown.status_code, 409)  # the page showed a revision that is no more
        title = {"do": "set_job", "title": "After"}
        self.assertEqual(self.edit(1, title, page="make").status_code, 200)
        with closing(connect(self.app.config["DATABASE"])) as conn:
            self.assertEqual(jobs.head_rev(conn, "lockhouse"), 3)
        made = edit(demo(), title)
        self.assertEqual(self.client.get("/jobs/lockhouse/cuts.csv").text, cut_csv(derive(made)))

    def test_a_demo_put_back_over_a_live_server_shows_the_demo(self):
        from contextlib import redirect_stdout

        from oikotherm.cli import main
        from oikotherm.core.design import derive
        from oikotherm.demo import documents
        from oikotherm.exchange.cutlist import cut_csv

        folder = str(Path(self.app.config["DATABASE"]).parent)
        leg = next(item for item in demo().run("F1").items if item.kind == "leg")
        for rev in (1, 2):
            self.edit(rev, {"do": "set_leg", "run": "F1", "item": leg.id, "length_mm": 900 + rev})
        self.client.get("/jobs/lockhouse/make")
        with redirect_stdout(io.StringIO()):
            self.assertEqual(main(["demo", "--fresh", "--jobs-only", "--data", folder]), 0)
        made = next(job for job in documents() if job.uid == "lockhouse")
        self.assertEqual(self.client.get("/jobs/lockhouse/cuts.csv").text, cut_csv(derive(made)))
        title = {"do": "set_job", "title": "After"}
        self.assertEqual(self.edit(3, title).status_code, 409)  # a page that still shows a lost revision
        self.assertEqual(self.edit(1, title).json["rev"], 4)
        self.assertEqual(self.client.get("/jobs/lockhouse/cuts.csv").text, cut_csv(derive(edit(made, title))))


class BundlesTest(unittest.TestCase):
    def packed(self, files, how=zipfile.ZIP_DEFLATED):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", how) as archive:
            for name, data in files.items():
                archive.writestr(name, data)
        return out.getvalue()

    def test_only_what_is_wanted_is_unpacked_and_only_so_far(self):
        bomb = self.packed({"job.oikotherm.json": b" " * 400_000_000})
        self.assertLess(len(bomb), 500_000)
        began = time.process_time()
        with self.assertRaises(Refused) as caught:
            unpacked(bomb)
        self.assertIn("unpacked", caught.exception.expected)
        self.assertLess(time.process_time() - began, 2)
        each = self.packed({"job.oikotherm.json": b" " * 5_000_000, "records.json": b" " * 5_000_000})
        with self.assertRaises(Refused):
            unpacked(each)
        self.assertEqual(unpacked(self.packed({"other": b" " * 50_000_000})), {})

    def test_a_size_that_lies_is_not_believed(self):
        good = bytearray(self.packed({"job.oikotherm.json": b" " * 20_000_000}))
        for at in (good.find(b"PK\x01\x02") + 24, good.find(b"PK\x03\x04") + 22):
            good[at : at + 4] = (5).to_bytes(4, "little")
        with self.assertRaises(Refused):
            unpacked(bytes(good))

    def test_other_ways_to_pack_are_refused(self):
        for how in (zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA):
            with self.assertRaises(Refused) as caught:
                unpacked(self.packed({"job.oikotherm.json": b" " * 9_000}, how))
            self.assertIn("stored or deflated", caught.exception.expected)
        with self.assertRaises(Refused):
            unpacked(self.packed({f"{n}": b"" for n in range(100)}))

    def test_damaged_bytes_are_refused_or_read(self):
        data, rng = self.packed({"job.oikotherm.json": write(demo()).encode()}), random.Random(4)
        for _ in range(400):
            bad = bytearray(data)
            for _ in range(rng.choice([1, 3, 20])):
                bad[rng.randrange(len(bad))] = rng.randrange(256)
            cut = bytes(bad[: rng.choice([len(bad), len(bad), rng.randrange(len(bad))])])
            try:
                unpacked(cut)
            except Refused:
                continue


class RecordsTest(WebCase):
    def record(self, **changes):
        made = {
            "uuid": str(uuid.uuid4()),
            "kind": "joint",
            "key": "i1/turn:in",
            "label": "F1-02",
            "rev": 1,
            "made_at": "2026-03-01T10:00:00Z",
            "by_role": "apprentice",
            "body": {"made": True},
        }
        return {**made, **changes}

    def rig(self, **changes):
        made = {"test_bar": 1.5, "resolution_bar": 0.02, "volume_l": 50, "gas_l": 8, "joints": 3, "dry": 3}
        return {**made, **changes}

    def test_each_kind_is_checked_at_the_door(self):
        readings = "2026-03-01T10:00, 1.8\n2026-03-01T10:30, 1.8"
        test = {"readings": readings, "rig": self.rig()}
        gauge = {"name": "g", "resolution_pa": 2000.0}
        good = [
            self.record(),
            self.record(kind="step", body={"done": True}),
            self.record(kind="test", body={**test, "gauge": gauge}),
            self.record(kind="note", body={"flow_c": 60.0, "return_c": 50, "turns": 1.5}),
            self.record(corrects=str(uuid.uuid4())),  # what it corrects may still come
        ]
        bad = [
            self.record(made_at="yesterday"),
            self.record(made_at="1999-01-01T00:00:00Z"),
            self.record(made_at="2999-01-01T00:00:00Z"),
            self.record(uuid="7"),
            self.record(rev=-1),
            self.record(rev="1"),
            self.record(by_role=""),
            self.record(key="x" * 300),
            self.record(kind="poem"),
            self.record(body={"made": "yes"}),
            self.record(body={"made": True, "mode": 1}),
            self.record(body=[]),
            self.record(more=1),
            self.record(kind="step", body={}),
            self.record(kind="note", body={"turns": 9000}),
            self.record(kind="note", body={"flow_c": 1e9}),
            self.record(kind="test", body={"readings": "x", "rig": self.rig()}),
            self.record(kind="test", body={**test, "rig": self.rig(resolution_bar=0)}),
            self.record(kind="test", body={**test, "rig": self.rig(test_bar="1")}),
            self.record(kind="test", body={**test, "gauge": "g"}),
            self.record(kind="test", body={**test, "gauge": {"name": "g", "resolution_pa": -1}}),
            self.record(kind="test", body={"readings": readings}),
            "x",
        ]
        answer = self.client.post("/jobs/lockhouse/records", json={"records": [*good, *bad]})
        self.assertEqual(answer.status_code, 200)
        self.assertEqual(answer.json["kept"], [one["uuid"] for one in good])
        self.assertEqual(len(answer.json["refused"]), len(bad))
        self.assertTrue(all(one["error"]["expected"] for one in answer.json["refused"]))
        for page in ("joints", "order", "prove", "handover", "handover/pack", "sizes/balance"):
            self.assertEqual(self.client.get(f"/jobs/lockhouse/{page}").status_code, 200)

    def test_pages_survive_odd_old_records(self):
        bodies = [
            {},
            {"gauge": "g", "rig": {}, "readings": 7},
            {"rig": {"test_bar": "x"}},
            {"joints": [], "spec": 4},
            {"made": "x", "method": 7},
            {"turns": "many"},
            {"done": "yes"},
            {"rig": self.rig(resolution_bar=0)},
        ]
        sql = """INSERT INTO record (uuid, job, kind, key, label, rev, made_at, received_at, by_role, body)
                 VALUES (?, 'lockhouse', ?, ?, 'x', 1, ?, 'x', 'x', ?)"""
        for number, kind in enumerate(("joint", "step", "test", "note", "poem")):
            for more, body in enumerate(bodies):
                ident = str(uuid.UUID(int=number * 100 + more))
                key = "balance:R1" if kind == "note" else "fill-and-leak"
                self.conn.execute(sql, (ident, kind, key, "no time" if more % 2 else "2026-03-01", json.dumps(body)))
        self.assertEqual(len(records.of_job(self.conn, "lockhouse")), 40)
        for page in (
            "joints",
            "order",
            "prove",
            "handover",
            "handover/pack",
            "sizes",
            "sizes/balance",
            "handover/pack.pdf",
        ):
            self.assertEqual(self.client.get(f"/jobs/lockhouse/{page}").status_code, 200, page)

    def test_a_clock_that_is_off_is_marked(self):
        body = {"records": [self.record()], "sent_at": "2020-01-01T00:00:00Z"}
        self.assertEqual(len(self.client.post("/jobs/lockhouse/records", json=body).json["kept"]), 1)
        self.assertLess(records.of_job(self.conn, "lockhouse")[0]["clock_off_s"], -1e8)


class DoorTest(unittest.TestCase):
    def setUp(self):
        import tempfile

        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.app = self.served("kettle lantern towpath")
        self.client = self.app.test_client()

    def served(self, words):
        return create_app(self.folder, PASSPHRASE=words, WTF_CSRF_ENABLED=False)

    def come_in(self, client, words="kettle lantern towpath", path="/enter", address="10.0.0.7"):
        return client.post(path, data={"passphrase": words}, environ_overrides={"REMOTE_ADDR": address})

    def cookie_of(self, client):
        return client.get_cookie("session").value

    def test_come_in_and_leave(self):
        self.assertEqual(self.client.get("/").status_code, 303)
        self.assertEqual(self.client.get("/api/calc/convert", json={}).status_code, 401)
        self.assertEqual(self.come_in(self.client).headers["Location"], "/")
        page = self.client.get("/")
        self.assertEqual(page.status_code, 200)
        self.assertIn('action="/leave"', page.text)
        self.assertEqual(self.client.post("/leave").status_code, 303)
        self.assertEqual(self.client.get("/").status_code, 303)

    def test_another_passphrase_shuts_old_cookies_out(self):
        self.come_in(self.client)
        other = self.served("another lantern here").test_client()
        other.set_cookie("session", self.cookie_of(self.client))
        self.assertEqual(other.get("/").status_code, 303)
        again = self.served("kettle lantern towpath").test_client()
        again.set_cookie("session", self.cookie_of(self.client))
        self.assertEqual(again.get("/").status_code, 200)

    def test_a_session_ends_after_twelve_idle_hours(self):
        self.come_in(self.client)
        now = time.time()
        for hours, status in ((11.9, 200), (23.7, 200), (35.8, 303)):
            with mock.patch.object(door.time, "time", return_value=now + hours * 3600):
                self.assertEqual(self.client.get("/").status_code, status, hours)

    def test_wrong_guesses_are_locked_out_by_address_without_holding_a_thread(self):
        began = time.process_time()
        said = [self.come_in(self.client, "wrong").status_code for _ in range(door.FREE_GUESSES + 3)]
        self.assertLess(time.process_time() - began, 2)
        self.assertEqual(said, [403] * door.FREE_GUESSES + [429] * 3)
        locked = self.come_in(self.client)
        self.assertEqual((locked.status_code, locked.headers["Retry-After"]), (429, "2"))
        self.assertEqual(self.come_in(self.app.test_client(), address="10.0.0.8").status_code, 303)
        now = time.monotonic()
        with mock.patch.object(door.time, "monotonic", return_value=now + 3):
            self.assertEqual(self.come_in(self.client, "wrong").headers["Retry-After"], "4")
        with mock.patch.object(door.time, "monotonic", return_value=now + 9):
            self.assertEqual(self.come_in(self.client).status_code, 303)
        guesses = door.Guesses()
        waits = [guesses.note("a", 0.0) for _ in range(60)]
        self.assertEqual((waits[door.FREE_GUESSES - 1], waits[-1]), (door.FIRST_WAIT_S, door.LONGEST_WAIT_S))

    def test_the_door_leads_on_to_own_paths_alone(self):
        for target in (
            *("/%09/evil.example", "/\t/evil", "//evil.example", "/\\evil", "https://evil.example", "\\\\evil", "evil"),
            *("/%0d%0aSet-Cookie:x", "/\r\nX: y", "javascript:alert(1)", "///evil.example", "/a b", "http:evil", ""),
        ):
            answer = self.come_in(self.app.test_client(), path="/enter?" + urlencode({"next": unquote(target)}))
            self.assertEqual(answer.headers["Location"], "/", target)
            self.assertNotIn("Set-Cookie:x", str(answer.headers))
        onward = self.come_in(self.app.test_client(), path="/enter?next=/jobs/lockhouse/pace%3Frun%3DF1")
        self.assertEqual(onward.headers["Location"], "/jobs/lockhouse/pace?run=F1")


if __name__ == "__main__":
    unittest.main()
