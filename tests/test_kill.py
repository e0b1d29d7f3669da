"""The machine dies in the middle of work, twenty times: what was acknowledged is there afterwards."""

import http.client
import threading
import time
import unittest
import urllib.error

from oikotherm.store import jobs
from oikotherm.store.database import connect
from tests.serving import Server, Visitor


class KillTest(unittest.TestCase):
    def test_no_acknowledged_edit_is_lost_by_twenty_kills(self):
        server = Server()
        self.addCleanup(server.close)
        acknowledged: list[tuple[int, str]] = []
        for number in range(20):
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
