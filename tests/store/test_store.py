"""The store: revisions, conflicts, records, migrations, backups."""

import sqlite3
import tempfile
import unittest
import uuid
from pathlib import Path

from oikotherm.core.errors import Refused
from oikotherm.store import jobs, records
from oikotherm.store.backup import backup
from oikotherm.store.database import (
    MIGRATIONS,
    connect,
    migrate,
    open_database,
    pending,
    version,
    writing,
)
from oikotherm.store.restore import restore
from tests.jobs import demo, edit

NEWEST = max(int(path.name[:3]) for path in MIGRATIONS.glob("*.sql"))


class StoreCase(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "oikotherm.sqlite"
        self.conn = open_database(self.path)
        self.addCleanup(self.conn.close)
        self.job = demo()
        with writing(self.conn):
            jobs.create(self.conn, self.job, "demo")

    def change(self, base, title):
        with writing(self.conn):
            return jobs.commit(
                self.conn,
                edit(jobs.head(self.conn, "lockhouse").job, {"do": "set_job", "title": title}),
                base,
                title,
                [],
            )

    def title(self):
        return jobs.head(self.conn, "lockhouse").job.title


class RevisionsTest(StoreCase):
    def test_undo_goes_to_the_parent_and_redo_to_the_newest_child(self):
        self.change(1, "two")
        self.change(2, "three")
        jobs.move_head(self.conn, "lockhouse", 3, jobs.undo_target(self.conn, "lockhouse"))
        self.assertEqual(self.title(), "two")
        self.assertEqual(self.change(2, "other three"), 4)
        jobs.move_head(self.conn, "lockhouse", 4, 2)
        self.assertEqual(jobs.redo_target(self.conn, "lockhouse"), 4)
        self.assertEqual([row["rev"] for row in jobs.history(self.conn, "lockhouse")], [2, 1])
        self.assertEqual(jobs.revision(self.conn, "lockhouse", 3).job.title, "three")

    def test_a_stale_edit_stores_nothing(self):
        self.change(1, "two")
        with self.assertRaises(jobs.Stale) as caught:
            self.change(1, "late")
        self.assertEqual((caught.exception.head, self.title()), (2, "two"))

    def test_a_revision_is_never_changed(self):
        with self.assertRaises(sqlite3.IntegrityError):
            self.conn.execute("UPDATE design_revision SET summary = 'x'")

    def test_a_stored_job_comes_back_equal(self):
        self.assertEqual(jobs.head(self.conn, "lockhouse").job, self.job)
        with self.assertRaises(jobs.NoJob):
            jobs.head(self.conn, "nobody")

    def test_find_sees_stations_and_titles_by_their_beginnings(self):
        for words, hits in (("lock", 1), ("scull", 1), ("R3 sitt", 1), ("zebra", 0), ('"', 0), ("a* OR", 0)):
            self.assertEqual(len(jobs.find(self.conn, words)), hits, words)

    def test_frozen_labels_stay(self):
        self.assertEqual(jobs.freeze_labels(self.conn, "lockhouse", 1, [{"i1/pipe": "F1-A"}]), 1)
        self.assertEqual(jobs.freeze_labels(self.conn, "lockhouse", 1, [{"i1/pipe": "F1-Z", "i2/pipe": "F1-B"}]), 1)
        self.assertEqual(jobs.labels(self.conn, "lockhouse"), (("i1/pipe", "F1-A"), ("i2/pipe", "F1-B")))


class RecordsTest(StoreCase):
    def record(self, **changes):
        made = {
            "uuid": str(uuid.UUID(int=7)),
            "job": "lockhouse",
            "kind": "joint",
            "key": "i1/turn:in",
            "label": "F1-02",
            "rev": 1,
        }
        return {**made, "made_at": "2026-03-01T10:00:00Z", "by_role": "apprentice", "body": {"made": True}, **changes}

    def test_a_record_sent_twice_arrives_once(self):
        self.assertTrue(records.add(self.conn, self.record()))
        self.assertFalse(records.add(self.conn, self.record()))
        self.assertEqual(len(records.of_job(self.conn, "lockhouse")), 1)

    def test_a_record_is_corrected_by_a_new_one_never_changed(self):
        records.add(self.conn, self.record())
        with self.assertRaises(Refused):
            records.add(self.conn, self.record(body={"made": False}))
        records.add(
            self.conn, self.record(uuid=str(uuid.UUID(int=8)), body={"made": False}, corrects=str(uuid.UUID(int=7)))
        )
        self.assertEqual(
            [row["body"]["made"] for row in records.of_job(self.conn, "lockhouse", "joint")], [True, False]
        )
        with self.assertRaises(sqlite3.IntegrityError):
            self.conn.execute("UPDATE record SET kind = 'test'")

    def test_a_record_without_uuid_or_field_is_refused(self):
        with self.assertRaises(Refused):
            records.add(self.conn, self.record(uuid="seven"))
        with self.assertRaises(Refused):
            records.add(self.conn, {"uuid": str(uuid.UUID(int=7))})


class MigrationTest(StoreCase):
    def scripts(self, **texts):
        folder = self.path.parent / "scripts"
        folder.mkdir()
        for name, text in texts.items():
            (folder / f"{name[1:]}.sql").write_text(text)
        return folder

    def test_a_migration_backs_up_first_and_is_applied_once(self):
        folder = self.scripts(_099_more="CREATE TABLE more (x INTEGER) STRICT;")
        self.assertEqual(migrate(self.conn, self.path, folder), ["099_more.sql"])
        self.assertEqual(migrate(self.conn, self.path, folder), [])
        copies = list(self.path.parent.glob("oikotherm-before-099*.sqlite"))
        self.assertEqual(len(copies), 1)
        old = connect(copies[0])
        self.addCleanup(old.close)
        self.assertEqual((version(old), jobs.head(old, "lockhouse").rev), (NEWEST, 1))

    def test_a_failing_migration_leaves_nothing_behind(self):
        folder = self.scripts(_099_bad="CREATE TABLE half (x INTEGER) STRICT; INSERT INTO nowhere VALUES (1);")
        with self.assertRaises(sqlite3.OperationalError):
            migrate(self.conn, self.path, folder)
        self.assertEqual((version(self.conn), len(pending(self.conn, folder))), (NEWEST, 1))
        self.assertEqual(self.conn.execute("SELECT count(*) FROM sqlite_master WHERE name = 'half'").fetchone()[0], 0)

    def test_a_newer_database_is_refused(self):
        self.conn.execute("PRAGMA user_version = 999")
        with self.assertRaises(Refused):
            open_database(self.path)

    def test_backup_and_restore(self):
        copy = backup(self.conn, self.path.with_name("copy.sqlite"))
        with self.assertRaises(Refused):
            backup(self.conn, copy)
        self.change(1, "changed later")
        self.conn.close()
        restore(copy, self.path)
        self.conn = connect(self.path)
        self.addCleanup(self.conn.close)
        self.assertEqual(self.title(), self.job.title)
        self.assertEqual(len(list(self.path.parent.glob("*before-restore*"))), 1)
        (self.path.parent / "not.sqlite").write_text("no database")
        for bad in ("not.sqlite", "missing.sqlite"):
            with self.assertRaises(Refused):
                restore(self.path.parent / bad, self.path)
