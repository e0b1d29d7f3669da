"""The machine fails or is asked for nonsense: one plain error and exit status 2, and nothing stored is lost."""

import http.client
import json
import os
import resource
import socket
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from contextlib import closing
from pathlib import Path

from oikotherm.core.job.document import write
from oikotherm.store import jobs
from oikotherm.store.backup import backup
from oikotherm.store.database import connect, open_database, writing
from tests.jobs import demo, edit
from tests.serving import ROOT, Server, Visitor


def oikotherm(*words, **more):
    return subprocess.run(
        [sys.executable, "-m", "oikotherm", *words], cwd=ROOT, capture_output=True, timeout=60, check=False, **more
    )


class CommandsTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def refused(self, *words, **more):
        done = oikotherm(*words, **more)
        self.assertEqual(done.returncode, 2, (words, done.stderr[-300:]))
        self.assertNotIn(b"Traceback", done.stderr)
        self.assertEqual(done.stderr.count(b"\n"), 1, done.stderr)
        error = json.loads(done.stderr)["error"]
        self.assertTrue(error["field"] and error["expected"], error)
        return error

    def test_places_that_cannot_be_used(self):
        file = self.folder / "file"
        file.write_text("x")
        (self.folder / "data").mkdir()
        (self.folder / "data" / "oikotherm.sqlite").mkdir()
        (self.folder / "text").mkdir()
        (self.folder / "text" / "oikotherm.sqlite").write_text("no database " * 100)
        good = self.folder / "job.json"
        good.write_text(write(demo()))
        for data in (file, self.folder / "data", self.folder / "text", "/proc/nowhere", self.folder / ("x" * 300)):
            for words in (("demo",), ("serve", "--port", "0"), ("import", str(good)), ("export", "lockhouse")):
                self.refused(*words, "--data", str(data))
        for words in (
            ("check", str(self.folder)),
            ("check", str(self.folder / "nothing.json")),
            ("takeoff", "/dev/null"),
            ("restore", str(file), "--data", str(self.folder / "new")),
            ("restore", str(self.folder), "--data", str(self.folder / "new")),
            ("backup", "/proc/nowhere/x", "--data", str(self.folder / "fine")),
            ("export", str(good), "--to", str(self.folder)),
            ("size", str(good), "--simulate", str(self.folder)),
        ):
            self.refused(*words)

    def test_a_restore_works_where_the_live_database_is_broken(self):
        with closing(open_database(self.folder / "a" / "oikotherm.sqlite")) as conn:
            with writing(conn):
                jobs.create(conn, demo(), "demo")
            copy = backup(conn, self.folder / "copy.sqlite")
        (self.folder / "b").mkdir()
        (self.folder / "b" / "oikotherm.sqlite").write_bytes(os.urandom(9000))
        done = oikotherm("restore", str(copy), "--data", str(self.folder / "b"))
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("broken", json.loads(done.stdout)["kept"])
        self.assertEqual(
            oikotherm("export", "lockhouse", "--data", str(self.folder / "b")).stdout.decode(), write(demo())
        )

    def test_ports_hosts_and_passphrases(self):
        data = str(self.folder / "data")
        words = self.folder / "words"
        for said in (b"\xff\xfe\x00kettle lantern", b"short"):
            words.write_bytes(said)
            self.refused("serve", "--data", data, "--port", "0", "--lan", "--passphrase-file", str(words))
        words.write_text("kettle lantern towpath")
        for port in ("99999", "-1", "65536", "x"):
            self.refused("serve", "--data", data, "--port", port)
        for host in ("not a host", "256.1.1.1", "x" * 300, "nowhere.invalid", ""):
            self.refused("serve", "--data", data, "--port", "0", "--host", host)
            self.refused(
                "serve",
                "--data",
                data,
                "--port",
                "0",
                "--lan",
                "--passphrase-file",
                str(words),
                "--host",
                host or "a b",
            )
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            self.refused("serve", "--data", data, "--port", str(taken.getsockname()[1]))

    def test_output_that_cannot_be_written(self):
        for words in (("schema",), ("calc", "list"), ("calc", "--help"), ("--help",)):
            with open("/dev/full", "wb") as full:
                done = subprocess.run(
                    [sys.executable, "-m", "oikotherm", *words],
                    cwd=ROOT,
                    stdout=full,
                    stderr=subprocess.PIPE,
                    check=False,
                )
            self.assertEqual(done.returncode, 2, (words, done.stderr))
            self.assertEqual(done.stderr.count(b"\n"), 1, done.stderr)

    def test_input_that_is_no_text(self):
        for data in (b"\xff\xfe", b"", b"[" * 20_000, b'{"value": NaN}', b'{"value": "\\ud800"}'):
            self.refused("calc", "convert", input=data)
        self.refused("calc", "convert", "\udcff")
        self.refused("check", "\udcff.json")

    def test_a_disk_that_is_full_in_the_middle_of_an_import(self):
        data = self.folder / "data"
        self.assertEqual(oikotherm("demo", "--data", str(data)).returncode, 0)
        size = (data / "oikotherm.sqlite").stat().st_size
        big = self.folder / "big.json"
        facts = [{"path": f"a{n}", "value": os.urandom(95).hex(), "basis": "told"} for n in range(4_800)]
        big.write_text(json.dumps({**json.loads(write(demo())), "uid": "big-one", "facts": facts}))

        def little_room():
            resource.setrlimit(resource.RLIMIT_FSIZE, (size + 100_000, size + 100_000))

        self.refused("import", str(big), "--data", str(data), preexec_fn=little_room)
        with closing(connect(data / "oikotherm.sqlite")) as conn:
            self.assertEqual(conn.execute("PRAGMA integrity_check").fetchone()[0], "ok")
            self.assertFalse(jobs.exists(conn, "big-one"))
        self.assertEqual(oikotherm("import", str(big), "--data", str(data)).returncode, 0)


class ServersTest(unittest.TestCase):
    def test_half_sent_requests_do_not_shut_others_out(self):
        server = Server()
        self.addCleanup(server.close)
        half = []
        for number in range(130):
            one = socket.create_connection(("127.0.0.1", server.port))
            one.sendall(b"POST /jobs/lockhouse/edit HTTP/1.1\r\nHost: 127.0.0.1\r\n" if number % 2 else b"GET / HT")
            half.append(one)
        self.assertIn("Lock", Visitor(server).get("/"))
        for one in half:  # it is answered while all of them still wait
            one.setblocking(False)
            with self.assertRaises(BlockingIOError):
                one.recv(1)
            one.close()

    def test_a_body_that_is_too_large_is_turned_away_while_it_comes(self):
        server = Server(demo=False)
        self.addCleanup(server.close)
        with socket.create_connection(("127.0.0.1", server.port)) as one:
            one.sendall(b"POST /import HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 900000000\r\n\r\n" + b"x" * 1000)
            one.settimeout(10)
            self.assertIn(b"413", one.recv(200))

    def test_two_servers_on_an_empty_folder(self):
        with tempfile.TemporaryDirectory() as folder:
            command = [sys.executable, "-m", "oikotherm", "serve", "--data", f"{folder}/new", "--port", "0"]
            both = [subprocess.Popen(command, cwd=ROOT, stdout=subprocess.PIPE, text=True) for _ in range(2)]
            try:
                said = [one.stdout.readline() for one in both]
                self.assertTrue(all("serves on" in line for line in said), said)
                keys = {line.split("(data")[0][-40:] for line in said}
                self.assertEqual(len(keys), 2)
            finally:
                for one in both:
                    one.kill()
                    one.wait()
                    one.stdout.close()

    def test_many_write_at_once_and_nothing_is_lost(self):
        """Three writers on three jobs and one that imports, the server killed in between."""
        server = Server()
        self.addCleanup(server.close)
        kept: dict[str, list[str]] = {}
        lock = threading.Lock()

        def writer(uid):
            visitor = Visitor(server)
            rev = json.loads(visitor.get(f"/jobs/{uid}/state"))["rev"]
            for number in range(40):
                title = f"{uid} {number}"
                try:
                    body = {"rev": rev, "page": "survey", "commands": [{"do": "set_job", "title": title}]}
                    status, answer = visitor.post(f"/jobs/{uid}/edit", body)
                except (OSError, http.client.HTTPException):
                    return
                self.assertEqual(status, 200)
                rev = answer["rev"]
                with lock:
                    kept.setdefault(uid, []).append(title)

        threads = [threading.Thread(target=writer, args=(uid,)) for uid in ("lockhouse", "fernhollow", "olmo-vecchio")]
        for one in threads:
            one.start()
        while min(len(kept.get(uid, ())) for uid in ("lockhouse", "fernhollow", "olmo-vecchio")) < 5:
            time.sleep(0.01)
        server.kill()
        for one in threads:
            one.join()
        with closing(connect(server.data / "oikotherm.sqlite")) as conn:
            self.assertEqual(len(kept), 3)
            for uid, titles in kept.items():
                stored = [jobs.revision(conn, uid, row["rev"]).job.title for row in jobs.history(conn, uid)]
                self.assertEqual(stored[::-1][1 : len(titles) + 1], titles)
        self.assertTrue(edit)


if __name__ == "__main__":
    unittest.main()
