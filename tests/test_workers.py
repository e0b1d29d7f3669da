"""Workers: what takes long is made beside the server, ends by itself, by Cancel, by time and with the server."""

import json
import os
import re
import signal
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.error
import urllib.request
from contextlib import closing
from pathlib import Path

from benchmarks.building import building
from oikotherm.demo import documents
from oikotherm.demo.firm import load_demo
from oikotherm.store import jobs
from oikotherm.store.database import connect, writing
from oikotherm.web import create_app
from oikotherm.workers import Folder, Made, Pool, Question
from tests.campaign import begun
from tests.serving import Server, Visitor

LOCKHOUSE = next(job for job in documents() if job.uid == "lockhouse")


def alive(pid):
    """Whether a process runs; one that ended and was not yet waited for does not."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except OSError:
        return False


def until(true, seconds=60):
    """Wait for an event."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if found := true():
            return found
        time.sleep(0.05)
    return true()


class Asked(unittest.TestCase):
    """A pool on a data folder of its own, with a job of 60 emitters in it."""

    @classmethod
    def setUpClass(cls):
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.data = Path(folder.name)
        cls.app = create_app(cls.data, TESTING=True, WTF_CSRF_ENABLED=False)
        cls.large = building(60)
        with closing(connect(cls.app.config["DATABASE"])) as conn:
            load_demo(conn)
            with writing(conn):
                jobs.create(conn, cls.large, "made up")

    def setUp(self):
        self.pool = Pool(self.data, 1)
        self.addCleanup(self.pool.close)

    def question(self, name, path, uid="lockhouse", most_s=120.0, hint="", **asked):
        from oikotherm.web.worked import _stand

        with self.app.test_request_context(path):
            rev, mark = _stand(uid)
        return Question(name, str(self.data), uid, rev, mark, path, tuple(sorted(asked.items())), most_s, hint)

    def order(self, **more):
        """A question that takes minutes."""
        return self.question("assembly", "/jobs/building/assembly?all=yes", "building", **more)


class PoolTest(Asked):
    def test_what_is_made_lies_under_its_key(self):
        question = self.question("order", "/jobs/lockhouse/make/materials.csv")
        task = self.pool.ask(question, 60)
        self.assertEqual((task.state, task.says), ("made", task.says))
        made = self.pool.folder.get(question.key)
        self.assertEqual((made.mimetype, made.filename), ("text/csv", "lockhouse-order.csv"))
        with self.app.test_request_context(question.path):
            from oikotherm.web.worked import worked

            self.assertEqual(worked("order", "lockhouse").data, made.data)

    def test_a_task_is_over_time(self):
        task = self.pool.ask(self.order(most_s=3.0, hint="Take one run alone."), 60)
        self.assertEqual(task.state, "failed")
        self.assertEqual(task.says, "It took more than 3 s and was stopped. Take one run alone.")
        self.assertEqual(self.pool.ask(self.question("order", "/a"), 60).state, "made")

    def test_cancel_ends_one_at_work_and_one_that_waits(self):
        first, second = self.order(), self.question("cards", "/jobs/lockhouse/make/cards", runs="")
        self.pool.ask(first, 0)
        self.pool.ask(second, 0)
        self.assertTrue(until(lambda: self.pool.processes() and self.pool.look(first.key).state == "works"))
        (process,) = self.pool.processes()
        self.assertEqual(self.pool.look(second.key).state, "waits")
        for question in (second, first):
            self.pool.cancel(question.key)
            self.assertEqual(self.pool.look(question.key).state, "cancelled")
        self.assertTrue(until(lambda: not alive(process)))
        self.assertEqual(self.pool.ask(self.question("order", "/b"), 60).state, "made")

    def test_a_crash_is_said_and_the_next_is_answered(self):
        question = self.order()
        self.pool.ask(question, 0)
        self.assertTrue(until(lambda: self.pool.processes() and self.pool.look(question.key).state == "works"))
        os.kill(self.pool.processes()[0], signal.SIGKILL)
        task = self.pool.ask(question, 60)
        self.assertEqual((task.state, task.says[:12]), ("failed", "It broke off"))
        self.assertEqual(self.pool.ask(self.question("order", "/c"), 60).state, "made")

    def test_what_is_refused_and_what_is_no_question_of_ours(self):
        task = self.pool.ask(
            self.question("assembly-cures", "/jobs/lockhouse/assembly/cures?run=XX9&service=drain"), 60
        )
        self.assertIn(task.state, ("made", "refused"))
        task = self.pool.ask(self.question("nothing-of-that-name", "/"), 60)
        self.assertEqual((task.state, task.says[:19]), ("failed", "The program made a "))
        self.assertTrue(self.pool.processes())

    def test_a_job_that_changed_meanwhile_is_not_answered_under_the_old_key(self):
        question = self.question("order", "/d")
        with closing(connect(self.app.config["DATABASE"])) as conn, writing(conn):
            conn.execute("INSERT INTO setting (name, value) VALUES ('rate:made-up', '1')")
        self.assertNotEqual(self.question("order", "/d").key, question.key)
        task = self.pool.ask(question, 60)
        self.assertEqual((task.state, task.refused["field"]), ("refused", "revision"))
        self.assertIsNone(self.pool.folder.get(question.key))

    def test_the_key_follows_what_is_seen_and_nothing_else(self):
        def key():
            return self.question("order", "/e").key

        before = key()
        with closing(connect(self.app.config["DATABASE"])) as conn:
            token = begun(self.app.test_client(), conn, "lockhouse")
            begun_key = key()
            self.assertNotEqual(begun_key, before)
            client, keys = self.app.test_client(), []
            for seq in range(3):  # the first brings it under pressure, which packs say; the others change nothing
                line = {"seq": seq, "at": f"2026-03-01T10:00:0{seq}Z", "pressure_pa": 2000 + seq}
                self.assertEqual(client.post(f"/readings/{token}", data=json.dumps(line)).status_code, 200)
                keys.append(key())
            self.assertNotEqual(keys[0], begun_key)
            self.assertEqual(len(set(keys)), 1)
            for sql, seen in (
                ("INSERT OR REPLACE INTO setting (name, value) VALUES ('printed:fernhollow', '1')", False),
                ("INSERT OR REPLACE INTO setting (name, value) VALUES ('left:somebody', '1')", False),
                ("INSERT OR REPLACE INTO setting (name, value) VALUES ('rate:bend', '9')", True),
                ("UPDATE price SET price = price + 1", True),
            ):
                last = key()
                with writing(conn):
                    conn.execute(sql)
                self.assertEqual(key() != last, seen, sql)

    def test_no_more_questions_than_may_wait(self):
        self.pool.ask(self.order(), 0)
        states = [self.pool.ask(self.question("order", f"/{n}"), 0).state for n in range(42)]
        self.assertEqual(states[-1], "failed")
        self.assertEqual(set(states[:-2]), {"waits"})


class FolderTest(unittest.TestCase):
    def test_old_and_damaged_ones_go(self):
        with tempfile.TemporaryDirectory() as name:
            folder = Folder(Path(name))
            self.assertIsNone(folder.get("a" * 32))
            for n in range(6):
                folder.put(f"{n}" * 32, Made(bytes(1000), "text/plain", "a.txt"))
                os.utime(folder.path / (f"{n}" * 32), (n, n))
            folder.get("0" * 32)  # asked for now: it stays
            folder.trim(most=3)
            self.assertEqual(sorted(one.name[0] for one in folder.path.iterdir()), ["0", "4", "5"])
            folder.trim(most_bytes=1500)
            self.assertEqual([one.name[0] for one in folder.path.iterdir()], ["0"])
            (folder.path / ("0" * 32)).write_bytes(b'{"bytes": 4}\nabc')
            self.assertIsNone(folder.get("0" * 32))

    def test_a_worker_has_a_bound_on_memory_and_is_nice(self):
        code = (
            "import os, sys, time; from oikotherm.workers import bounded\n"
            "def over(): sys.stdout.write('over '); sys.stdout.flush(); os._exit(0)\n"
            "bounded(over, 150_000_000); print(os.nice(0) >= 10, flush=True)\n"
            "try: held = bytearray(900_000_000)\n"
            "except MemoryError: print('bounded', flush=True)\n"
            "held = [bytes(1_000_000).replace(b'\\0', b'x') for _ in range(300)]\n"
            "time.sleep(60)"
        )
        out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout
        self.assertEqual(out.split(), ["True", "bounded", "over"])


class ServedTest(unittest.TestCase):
    """By a real server."""

    @classmethod
    def setUpClass(cls):
        cls.server = Server()
        cls.addClassCleanup(cls.server.close)
        with closing(connect(cls.server.data / "oikotherm.sqlite")) as conn, writing(conn):
            jobs.create(conn, building(60), "made up")
        cls.visitor = Visitor(cls.server)

    def ask(self, path):
        """Status, kind and bytes of an address."""
        try:
            with self.visitor.opener.open(self.server.url + path, timeout=60) as response:
                return response.status, response.headers.get_content_type(), response.read()
        except urllib.error.HTTPError as error:
            return error.code, error.headers.get_content_type(), error.read()

    def wait_for(self, path):
        """The answer once it is there, and how often it was still being made."""
        waited = 0
        while (found := self.ask(path))[0] == 202:
            waited += 1
            self.assertLess(waited, 200)
            key = re.search(rb'data-working="([0-9a-f]{32})"', found[2])[1].decode()
            until(lambda key=key: self.visitor.get(f"/working/{key}").find('"made"') > 0)
        return found

    def test_a_pack_comes_when_it_is_ready_and_is_there_the_next_time(self):
        path = "/jobs/lockhouse/handover/for-customer.pdf"
        status, kind, data = self.wait_for(path)
        self.assertEqual((status, kind, data[:5]), (200, "application/pdf", b"%PDF-"))
        self.assertEqual(self.ask(path), (status, kind, data))
        rev = int(re.search(r'data-rev="(\d+)"', self.visitor.get("/jobs/lockhouse/pace"))[1])
        run = LOCKHOUSE.runs[0]
        leg = next(one for one in run.items if one.kind == "leg" and one.length_mm)
        command = {"do": "set_leg", "run": run.id, "item": leg.id, "length_mm": leg.length_mm + 100}
        status, _ = self.visitor.post("/jobs/lockhouse/edit", {"rev": rev, "page": "pace", "commands": [command]})
        self.assertEqual(status, 200)
        self.assertNotEqual(self.wait_for(path)[2], data)  # of the job as it is now

    def test_the_parts_of_a_page_have_the_form_key_of_whom_it_is_shown_to(self):
        page = self.wait_for("/jobs/lockhouse/make/materials")[2].decode()
        token = re.search(r'name="csrf" content="([^"]+)"', page)[1]
        keys = re.findall(r'name="csrf_token" value="([^"]+)"', page)
        self.assertGreater(len(keys), 10)
        self.assertEqual(set(keys), {token})
        uuids = re.findall(r'name="uuid" value="([^"]+)"', page)
        self.assertEqual(len(uuids), len(set(uuids)))
        self.assertNotIn("whom-it-is-shown", page)

    def test_a_long_one_waits_and_is_cancelled(self):
        status, _, page = self.ask("/jobs/building/assembly?all=yes")
        self.assertEqual(status, 202)
        key = re.search(rb'data-working="([0-9a-f]{32})"', page)[1].decode()
        self.assertIn('"work', self.visitor.get(f"/working/{key}"))
        self.assertIn("runs of one service", self.wait_for("/jobs/building/assembly")[2].decode())  # the other worker
        self.assertEqual(
            self.visitor.post(f"/working/{key}/cancel", {}),
            (200, {"state": "cancelled", "says": "Cancelled.", "seconds": 0}),
        )
        status, _, page = self.ask("/jobs/building/assembly?all=yes&run=")
        self.assertEqual(self.visitor.post("/working/not-a-key/cancel", {})[0], 200)

    def test_when_the_server_is_killed_no_worker_stays(self):
        server = Server()
        self.addCleanup(server.close)
        with closing(connect(server.data / "oikotherm.sqlite")) as conn, writing(conn):
            jobs.create(conn, building(60), "made up")
        visitor = Visitor(server)
        visitor.get("/jobs/building/assembly?all=yes")
        visitor.get("/jobs/lockhouse/make/cards")
        workers = until(lambda: len(found := server.children()) == 2 and found)
        self.assertTrue(workers)
        server.kill()
        self.assertTrue(until(lambda: not any(alive(one) for one in workers)))


if __name__ == "__main__":
    unittest.main()
