"""Nothing is lost: differences restored exactly, old databases brought up, backups sealed, faults survived."""

import json
import random
import sqlite3
import stat
import subprocess
import sys
import tempfile
import unittest
import zlib
from contextlib import closing
from pathlib import Path

from oikotherm.core.errors import Refused
from oikotherm.core.job.document import read
from oikotherm.core.job.model import Leg
from oikotherm.demo import documents
from oikotherm.store import jobs, records
from oikotherm.store.backup import backup, seal_holds
from oikotherm.store.database import APPLICATION_ID, MIGRATIONS, connect, open_database, writing
from oikotherm.store.differences import difference, pack, restored, text_of, unpack
from oikotherm.store.restore import UNKNOWN_REVISIONS, restore
from oikotherm.web import create_app
from tests import fuzzing
from tests.jobs import demo, edit
from tests.serving import ROOT

DATA = ROOT / "tests" / "data"


class FolderCase(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.path = self.folder / "oikotherm.sqlite"

    def opened(self):
        conn = open_database(self.path)
        self.addCleanup(conn.close)
        return conn

    def filled(self):
        conn = self.opened()
        with writing(conn):
            jobs.create(conn, demo(), "demo")
        return conn


class DifferencesTest(FolderCase):
    def test_a_text_comes_back_from_its_difference_exactly(self):
        rng = random.Random(3)
        words = ["x\n", "\n", "é\u2028\n", "\r\n", "last", "\x0b\n", '{"a": 1}\n']
        for _ in range(400):
            base, text = ("".join(rng.choices(words, k=rng.randrange(12))) for _ in range(2))
            self.assertEqual(restored(base, difference(base, text)), text)

    def test_a_job_reads_back_from_its_text(self):
        for made in documents():
            self.assertEqual(read(text_of(made)), made)

    def test_every_revision_of_a_long_afternoon_comes_back(self):
        conn, rng = self.filled(), random.Random(8)
        kept = {1: demo()}
        rev = 1
        for _ in range(150):
            head = kept[rev]
            run = rng.choice(
                [run for run in head.runs if any(isinstance(one, Leg) and one.length_mm for one in run.items)]
            )
            leg = rng.choice([one for one in run.items if isinstance(one, Leg) and one.length_mm])
            made = edit(head, {"do": "set_leg", "run": run.id, "item": leg.id, "length_mm": rng.randrange(200, 3000)})
            with writing(conn):
                if rng.random() < 0.1 and rev > 2:
                    back = jobs.undo_target(conn, "lockhouse")
                    jobs.move_head(conn, "lockhouse", rev, back)
                    rev = back
                    continue
                rev = jobs.commit(conn, made, rev, "leg", [])
            kept[rev] = made
        for number, made in kept.items():
            self.assertEqual(jobs.revision(conn, "lockhouse", number).job, made)
        bases = conn.execute("SELECT count(*) FROM design_revision WHERE base IS NULL").fetchone()[0]
        self.assertTrue(1 < bases < len(kept) / 4, bases)

    def test_an_edit_of_a_large_job_takes_less_than_six_kilobytes(self):
        from benchmarks.building import building

        conn, rng = self.opened(), random.Random(1)
        made = building(300)
        with writing(conn):
            jobs.create(conn, made, "made up")
        rev = 1
        for _ in range(30):
            run = rng.choice(made.runs)
            leg = next((one for one in run.items if isinstance(one, Leg) and one.length_mm), None)
            if leg is None:
                continue
            made = edit(made, {"do": "set_leg", "run": run.id, "item": leg.id, "length_mm": rng.randrange(200, 3000)})
            with writing(conn):
                rev = jobs.commit(conn, made, rev, "leg", [])
        sql = "SELECT avg(length(document)), max(length(document)) FROM design_revision WHERE rev > 1"
        mean, most = conn.execute(sql).fetchone()
        self.assertLess(mean, 6_000)
        self.assertLess(most, 60_000)
        self.assertEqual(jobs.head(conn, made.uid).job, made)

    def test_damaged_bytes_are_said_and_never_shown_as_a_job(self):
        conn = self.filled()
        with writing(conn):
            jobs.commit(conn, edit(demo(), {"do": "set_job", "title": "two"}), 1, "two", [])
        conn.execute("DROP TRIGGER design_revision_stays")
        blob = bytearray(conn.execute("SELECT document FROM design_revision WHERE rev = 2").fetchone()[0])
        for bad in (
            b"",
            b"no zlib",
            bytes(blob[:-9]),
            pack("[[0, 999999]]"),
            pack("{}"),
            pack("[1]"),
            zlib.compress(b"\xff"),
        ):
            conn.execute("UPDATE design_revision SET document = ? WHERE rev = 2", (bad,))
            with self.assertRaises(Refused, msg=bad):
                jobs.head(conn, "lockhouse")
        self.assertEqual(jobs.revision(conn, "lockhouse", 1).job, demo())
        with self.assertRaises(Refused):
            unpack(zlib.compress(bytes(70_000_000)))


def at_version(path, upto):
    """A database as the program of that version made it, with a job as it stored one."""
    conn = sqlite3.connect(path, isolation_level=None)
    for script in sorted(MIGRATIONS.glob("*.sql")):
        number = int(script.name[:3])
        if number <= upto:
            conn.executescript(f"BEGIN;\n{script.read_text()}\nPRAGMA user_version = {number};\nCOMMIT;")
    stamp = "2026-03-01T10:00:00.000Z"
    document = (DATA / "version-1.oikotherm.json").read_bytes() if upto < 3 else text_of(demo()).encode()
    uid = json.loads(document)["uid"]
    conn.execute("INSERT INTO job (uid, head, made_at, opened_at) VALUES (?, 2, ?, ?)", (uid, stamp, stamp))
    for rev, parent in ((1, None), (2, 1)):
        sql = """INSERT INTO design_revision (job, rev, parent, made_at, by_role, summary, commands, document)
                 VALUES (?, ?, ?, ?, 'site lead', 'made', '[]', ?)"""
        conn.execute(sql, (uid, rev, parent, stamp, zlib.compress(document, 3)))
    conn.execute("INSERT INTO job_text (uid, title, place, body) VALUES (?, 'Old', '', 'R1')", (uid,))
    conn.execute(
        "INSERT INTO label (job, key, label, frozen_at, rev) VALUES (?, 'i1/pipe', 'F1-A', ?, 1)", (uid, stamp)
    )
    first, second = "0" * 8 + "-0000-0000-0000-000000000001", "0" * 8 + "-0000-0000-0000-000000000002"
    for ident, body, corrects in ((first, '{"made": true}', None), (second, '{"made": false}', first)):
        sql = """INSERT INTO record (uuid, job, kind, key, label, rev, made_at, received_at, by_role, body, corrects)
                 VALUES (?, ?, 'joint', 'i1/turn:in', 'F1-01', 1, ?, ?, 'apprentice', ?, ?)"""
        conn.execute(sql, (ident, uid, stamp, stamp, body, corrects))
    conn.close()
    return uid, document


class OldDatabasesTest(FolderCase):
    def test_a_database_of_every_older_version_is_brought_up_whole(self):
        for upto in (1, 2, 3, 4):
            with self.subTest(version=upto):
                self.path = self.folder / f"v{upto}" / "oikotherm.sqlite"
                self.path.parent.mkdir()
                uid, document = at_version(self.path, upto)
                conn = self.opened()
                self.assertEqual(conn.execute("PRAGMA application_id").fetchone()[0], APPLICATION_ID)
                self.assertEqual(jobs.head(conn, uid).job, read(document))
                self.assertEqual(jobs.stored_text(conn, uid, 1), document.decode())
                self.assertEqual(jobs.labels(conn, uid), (("i1/pipe", "F1-A"),))
                kept = records.of_job(conn, uid)
                self.assertEqual([one["body"]["made"] for one in kept], [True, False])
                self.assertEqual(kept[1]["corrects"], kept[0]["uuid"])
                with writing(conn):
                    made = edit(jobs.head(conn, uid).job, {"do": "set_job", "title": "On"})
                    self.assertEqual(jobs.commit(conn, made, 2, "on", []), 3)
                self.assertEqual(jobs.head(conn, uid).job, made)
                self.assertEqual(jobs.move_head(conn, uid, 3, 2), 2)
                with self.assertRaises(sqlite3.IntegrityError):
                    conn.execute("UPDATE design_revision SET summary = 'x'")
                self.assertEqual(conn.execute("PRAGMA foreign_key_check").fetchall(), [])
                copies = list(self.path.parent.glob("*-before-*.sqlite"))
                self.assertEqual(len(copies), 1)
                restore(copies[0], self.path.parent / "again.sqlite")  # a backup of the old version, without a seal
                with closing(connect(self.path.parent / "again.sqlite")) as again:
                    self.assertEqual(jobs.revision(again, uid, 2).job, read(document))

    def test_a_database_of_something_else_is_refused(self):
        with closing(sqlite3.connect(self.path)) as other:
            other.execute("PRAGMA application_id = 77")
            other.execute("CREATE TABLE theirs (x)")
        with self.assertRaises(Refused):
            open_database(self.path)

    def test_many_open_an_empty_folder_at_once(self):
        code = "import sys, pathlib; from oikotherm.store.database import open_database, version\n"
        code += "print(version(open_database(pathlib.Path(sys.argv[1]))))"
        for upto in (0, 1):
            path = self.folder / f"many{upto}" / "oikotherm.sqlite"
            path.parent.mkdir()
            if upto:
                at_version(path, 1)
            command = [sys.executable, "-c", code, str(path)]
            each = [
                subprocess.Popen(command, cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
                for _ in range(5)
            ]
            said = [one.communicate() for one in each]
            newest = str(max(int(script.name[:3]) for script in MIGRATIONS.glob("*.sql")))
            self.assertEqual([(out.strip(), error) for out, error in said], [(newest, "")] * 5)


class BackupsTest(FolderCase):
    def test_one_changed_bit_anywhere_is_seen(self):
        copy = backup(self.filled(), self.folder / "copy.sqlite")
        self.assertTrue(seal_holds(copy))
        data, rng = copy.read_bytes(), random.Random(60)
        before = self.path.read_bytes()
        for number in range(60):
            changed = bytearray(data)
            changed[rng.randrange(len(data))] ^= 1 << rng.randrange(8)
            bad = self.folder / f"bad{number}.sqlite"
            bad.write_bytes(changed)
            with self.assertRaises(Refused):
                restore(bad, self.path)
            bad.unlink()
        for cut in (0, 100, len(data) // 2, len(data) - 1):
            (self.folder / "cut.sqlite").write_bytes(data[:cut])
            with self.assertRaises(Refused):
                restore(self.folder / "cut.sqlite", self.path)
        self.assertEqual(self.path.read_bytes(), before)

    def test_what_is_no_backup_of_ours_is_refused(self):
        self.filled()
        other = self.folder / "other.sqlite"
        with closing(sqlite3.connect(other)) as conn:
            conn.execute("CREATE TABLE design_revision (x)")
        for bad in (other, self.folder, self.folder / "lock", self.path):  # the live file itself has no seal
            with self.assertRaises(Refused, msg=bad):
                restore(bad, self.folder / "new.sqlite")
        self.assertFalse((self.folder / "new.sqlite").exists())

    def test_a_broken_or_absent_database_is_put_right_and_the_broken_one_kept(self):
        copy = backup(self.filled(), self.folder / "copy.sqlite")
        for state in ("absent", "empty", "text", "torn"):
            with self.subTest(state=state):
                path = self.folder / state / "oikotherm.sqlite"
                path.parent.mkdir()
                if state == "empty":
                    path.touch()
                if state == "text":
                    path.write_text("no database " * 500)
                if state == "torn":
                    data = bytearray(copy.read_bytes())
                    data[4096:20000] = bytes(20000 - 4096)
                    path.write_bytes(data)
                broken = path.read_bytes() if path.exists() else b""
                kept = restore(copy, path)
                with closing(connect(path)) as conn:
                    self.assertEqual(jobs.head(conn, "lockhouse").job, demo())
                    self.assertEqual(
                        conn.execute("SELECT count(*) FROM sqlite_master WHERE name = 'seal'").fetchone()[0], 0
                    )
                    floor = jobs.last_rev(conn, "lockhouse")
                self.assertEqual(kept.read_bytes() if kept else b"", broken if state in ("text", "torn") else b"")
                self.assertEqual(floor, 1 + UNKNOWN_REVISIONS if kept else 1)

    def test_a_number_that_was_given_is_not_given_again_after_a_restore(self):
        conn = self.filled()
        copy = backup(conn, self.folder / "copy.sqlite")
        for rev in range(1, 5):
            with writing(conn):
                jobs.commit(conn, edit(demo(), {"do": "set_job", "title": f"lost {rev}"}), rev, "lost", [])
        conn.close()
        kept = restore(copy, self.path)
        self.assertTrue(seal_holds(kept))
        again = self.opened()
        with writing(again):
            self.assertEqual(jobs.commit(again, edit(demo(), {"do": "set_job", "title": "new"}), 1, "new", []), 6)

    def test_files_and_folders_are_for_this_user_alone(self):
        folder = self.folder / "data"
        create_app(folder)
        with closing(connect(folder / "oikotherm.sqlite")) as conn:
            with writing(conn):
                jobs.create(conn, demo(), "demo")
            backup(conn, folder / "copy.sqlite")
        self.assertEqual(stat.S_IMODE(folder.stat().st_mode), 0o700)
        for path in folder.iterdir():
            self.assertEqual(stat.S_IMODE(path.stat().st_mode), 0o600, path.name)

    def test_a_form_key_without_a_key_in_it_is_made_anew(self):
        for broken in ("", "short", "z" * 64, "\x00" * 64):
            (self.folder / "form-key").write_text(broken)
            key = create_app(self.folder).config["SECRET_KEY"]
            self.assertRegex(key, "^[0-9a-f]{64}$")
            self.assertEqual(create_app(self.folder).config["SECRET_KEY"], key)
            self.assertEqual(stat.S_IMODE((self.folder / "form-key").stat().st_mode), 0o600)


class RecordsInOrderTest(FolderCase):
    def test_records_count_by_when_they_were_made_however_late_they_come(self):
        from oikotherm.core.work.records import joint_states, ticked
        from oikotherm.exchange.site import records_of

        conn = self.filled()
        rows = [
            ("3", "joint", "k", {"made": True}, "2026-03-01T10:00:00Z", None),
            ("2", "joint", "k", {"made": False}, "2026-03-01T09:00:00Z", "1"),  # the correction comes before
            ("1", "joint", "k", {"made": True}, "2026-03-01T08:00:00Z", None),
            ("5", "joint", "l", {"dry": False}, "2026-03-01T12:00:00+02:00", "4"),
            ("4", "joint", "l", {"dry": True}, "2026-03-01T11:30:00+02:00", None),
            ("7", "step", "s", {"done": False}, "2026-03-01T10:00:01.5Z", None),
            ("6", "step", "s", {"done": True}, "2026-03-01T10:00:00Z", None),
        ]
        uid = "00000000-0000-0000-0000-00000000000{}"
        for number, kind, key, body, at, corrects in rows:
            with writing(conn):
                records.add(
                    conn,
                    {
                        "uuid": uid.format(number),
                        "job": "lockhouse",
                        "kind": kind,
                        "key": key,
                        "label": "x",
                        "rev": 1,
                        "made_at": at,
                        "by_role": "apprentice",
                        "body": body,
                        "corrects": corrects and uid.format(corrects),
                    },
                    720.0 if number == "3" else 2.0,
                )
        found = records_of(conn, "lockhouse")
        states = joint_states(found)
        self.assertTrue(states["k"].yes("made"))
        self.assertEqual(states["k"].mark("made")[1], "apprentice (clock 12 min fast)")
        self.assertFalse(states["l"].yes("dry"))
        self.assertEqual(ticked(found), {})


class TouchedTest(unittest.TestCase):
    def test_the_fuzzer_would_see_a_page_that_breaks(self):
        from unittest import mock

        from oikotherm.core.design import derive

        with mock.patch("oikotherm.core.design.plan", side_effect=KeyError("RT1")):
            self.assertIn("KeyError", fuzzing.touch(derive(demo())))


if __name__ == "__main__":
    unittest.main()
