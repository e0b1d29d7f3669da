"""Backups that make themselves: once a day of use, seven kept, put back as they were."""

from __future__ import annotations

import tempfile
import time
import unittest
from datetime import UTC, datetime, timedelta
from pathlib import Path

from oikotherm.store import backups, jobs
from oikotherm.store.database import connect, open_database, writing
from oikotherm.store.restore import restore
from oikotherm.web import create_app
from tests.jobs import demo

NOW = datetime(2026, 3, 1, 8, tzinfo=UTC)


class BackupsTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.database = Path(folder.name) / "oikotherm.sqlite"
        self.conn = open_database(self.database)
        self.addCleanup(self.conn.close)
        with writing(self.conn):
            jobs.create(self.conn, demo(), "demo")

    def test_once_a_day_and_seven_are_kept(self) -> None:
        self.assertTrue(backups.is_due(self.database, NOW))
        for day in range(10):
            backups.make(self.database, NOW + timedelta(days=day))
        found = backups.kept(self.database)
        self.assertEqual(len(found), 7)
        self.assertEqual(found[0].made_at, NOW + timedelta(days=9))
        self.assertFalse(backups.is_due(self.database, NOW + timedelta(days=9, hours=19)))
        self.assertTrue(backups.is_due(self.database, NOW + timedelta(days=9, hours=20)))
        (self.database.parent / "backups" / "oikotherm-notes.sqlite").write_text("mine")
        self.assertEqual(len(backups.kept(self.database)), 7)

    def test_what_is_kept_can_be_put_back(self) -> None:
        made = backups.make(self.database, NOW)
        with writing(self.conn):
            self.conn.execute("DELETE FROM job")
        self.conn.close()
        restore(made, self.database)
        conn = connect(self.database)
        self.addCleanup(conn.close)
        self.assertTrue(jobs.exists(conn, "lockhouse"))

    def test_the_first_request_makes_one_and_the_page_gives_one(self) -> None:
        app = create_app(self.database.parent, WTF_CSRF_ENABLED=False, TESTING=True, BACKUPS=True)
        client = app.test_client()
        self.assertEqual(client.get("/").status_code, 200)
        until = time.monotonic() + 60
        while not backups.kept(self.database) and time.monotonic() < until:
            time.sleep(0.05)
        self.assertEqual(len(backups.kept(self.database)), 1)
        self.assertIn("<b>0 hours</b> old", client.get("/people").text)
        given = client.post("/backup")
        self.assertTrue(given.data.startswith(b"SQLite format 3"))


if __name__ == "__main__":
    unittest.main()
