"""The machine dies in the middle of work, again and again: what was acknowledged is there afterwards."""

import http.client
import json
import threading
import time
import unittest
import urllib.error
import urllib.request
from datetime import UTC, datetime

from oikotherm.core.work.readings_in import time_of
from oikotherm.store import jobs, live
from oikotherm.store.database import connect, writing
from tests.counts import cases
from tests.serving import Server, Visitor

START = datetime(2026, 3, 1, 10, 0, tzinfo=UTC).timestamp()


class KillTest(unittest.TestCase):
    def test_no_acknowledged_edit_is_lost_by_kills(self):
        server = Server()
        self.addCleanup(server.close)
        acknowledged: list[tuple[int, str]] = []
        for number in range(cases(8, 20)):
            visitor = Visitor(server)
            rev = acknowledged[-1][0] if acknowledged else 1
            count = 0
            while True:
                title = f"kill {number}, edit {count}"
                try:
                    status, answer = visitor.post(
                        "/jobs/lockhouse/edit",
                        {"rev": rev, "page": "pace", "commands": [{"do": "set_job", "title": title}]},
                    )
                except (OSError, urllib.error.URLError, http.client.HTTPException):
                    break
                self.assertEqual(status, 200)
                if count == 0:
                    threading.Timer(0.02 + 0.03 * (number % 7), server.kill).start()
                rev, count = answer["rev"], count + 1
                acknowledged.append((rev, title))
            self.assertGreater(count, 0)
            while server.process.poll() is None:
                time.sleep(0.01)
            server.start()
            conn = connect(server.data / "oikotherm.sqlite")
            try:
                for rev_, title_ in acknowledged[-count:]:
                    self.assertEqual(jobs.revision(conn, "lockhouse", rev_).job.title, title_)
                head = jobs.head(conn, "lockhouse")
                # one more may have been stored whose answer was cut off
                self.assertIn(head.rev - acknowledged[-1][0], (0, 1))
                if head.rev > acknowledged[-1][0]:
                    acknowledged.append((head.rev, head.job.title))
                self.assertEqual(conn.execute("PRAGMA integrity_check").fetchone()[0], "ok")
            finally:
                conn.close()


class KilledGaugeTest(unittest.TestCase):
    def test_no_acknowledged_reading_is_lost_by_kills(self) -> None:
        """A gauge at 1 Hz sends a minute at a time; what was answered is there once, in its order, after every kill."""
        server = Server()
        self.addCleanup(server.close)
        conn = connect(server.data / "oikotherm.sqlite")
        self.addCleanup(conn.close)
        with writing(conn):
            test = live.start(conn, "lockhouse", "gas/MTR.out/1", "tightness", "site lead", {})
        kept = 0
        for number in range(cases(5, 10)):
            alive, timer = True, threading.Timer(0.02 + 0.013 * number, server.kill)
            while alive:
                body = "\n".join(
                    json.dumps({"seq": seq, "at": time_of(START + seq), "pressure_pa": 2050.0 - seq * 0.001})
                    for seq in range(kept, kept + 60)
                )
                try:
                    with urllib.request.urlopen(
                        f"{server.url}/readings/{test.token}", data=body.encode(), timeout=30
                    ) as answer:
                        said = json.load(answer)
                except urllib.error.HTTPError as error:
                    self.fail(f"{error.code}: {error.read().decode()}")
                except (OSError, urllib.error.URLError, http.client.HTTPException):
                    alive = False
                    continue
                # a minute stored whose answer was cut off is there again
                self.assertIn((said["kept"], said["again"]), ((60, 0), (0, 60)))
                kept = said["next"]
                self.assertEqual(kept % 60, 0)
                if timer.ident is None:
                    timer.start()
            timer.join()
            server.start()
            seqs = [row[0] for row in conn.execute("SELECT seq FROM reading WHERE test = ? ORDER BY seq", (test.id,))]
            self.assertEqual(seqs, list(range(len(seqs))))
            self.assertIn(len(seqs) - kept, (0, 60))
        print(f"killed again and again: {kept} readings acknowledged, none lost")
        self.assertGreaterEqual(kept, cases(300, 600))
        self.assertEqual(conn.execute("PRAGMA integrity_check").fetchone()[0], "ok")
