"""A real server of its own, as a process, on a data folder that goes away."""

from __future__ import annotations

import http.cookiejar
import json
import os
import random
import re
import signal
import socket
import subprocess
import sys
import tempfile
import unittest
import urllib.error
import urllib.request
from pathlib import Path

ROOT = Path(__file__).parents[1]


def free_port() -> int:
    """A port nobody listens on, below those the system gives out by itself: while a server is killed and started again,
    no other process comes to have it."""
    for port in random.Random().sample(range(20_000, 32_000), 200):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return port
    raise OSError("no free port between 20000 and 32000")


class Server:
    """`oikotherm serve` on a free port. kill() is SIGKILL; start() serves the same data again."""

    def __init__(self, *, demo: bool = True, firm: bool = False) -> None:
        self.folder = tempfile.TemporaryDirectory()
        self.data = Path(self.folder.name)
        self.port = free_port()
        if demo:
            self.run("demo", *([] if firm else ["--jobs-only"]))
        self.start()

    def run(self, *words: str) -> str:
        command = [sys.executable, "-m", "oikotherm", words[0], "--data", str(self.data), *words[1:]]
        return subprocess.run(command, cwd=ROOT, check=True, capture_output=True, text=True).stdout

    def start(self) -> None:
        command = [sys.executable, "-m", "oikotherm", "serve", "--data", str(self.data), "--port", str(self.port)]
        self.process = subprocess.Popen(
            command, cwd=ROOT, stdout=subprocess.PIPE, text=True, env={**os.environ, "PYTHONUNBUFFERED": "1"}
        )
        assert self.process.stdout is not None
        line = self.process.stdout.readline()
        found = re.search(r"127\.0\.0\.1:(\d+)", line)
        assert found, f"the server said {line!r}"
        self.port = int(found[1])

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def kill(self) -> None:
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()
        assert self.process.stdout is not None
        self.process.stdout.close()

    def children(self) -> list[int]:
        """The numbers of the processes it began."""
        command = ["ps", "-o", "pid=", "--ppid", str(self.process.pid)]
        return [int(one) for one in subprocess.run(command, capture_output=True, text=True, check=False).stdout.split()]

    def close(self) -> None:
        if self.process.poll() is None:
            self.kill()
        self.folder.cleanup()


class Visitor:
    """Speaks to a server as a browser's scripts do: cookies and the form key."""

    def __init__(self, server: Server) -> None:
        self.server = server
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(http.cookiejar.CookieJar()))
        page = self.get("/")
        found = re.search(r'name="csrf" content="([^"]+)"', page)
        assert found
        self.token = found[1]

    def get(self, path: str) -> str:
        with self.opener.open(self.server.url + path, timeout=30) as response:
            return str(response.read().decode())

    def post(self, path: str, body: object) -> tuple[int, dict]:
        request = urllib.request.Request(
            self.server.url + path,
            json.dumps(body).encode(),
            {"Content-Type": "application/json", "X-CSRFToken": self.token, "Accept": "application/json"},
        )
        try:
            with self.opener.open(request, timeout=30) as response:
                return response.status, json.loads(response.read())
        except urllib.error.HTTPError as error:
            return error.code, json.loads(error.read())

    def import_text(self, text: str) -> str:
        """Import a job document as the form on the first page does; its uid."""
        edge = "edge-of-the-form"
        parts = [
            f'--{edge}\r\nContent-Disposition: form-data; name="csrf_token"\r\n\r\n{self.token}\r\n',
            f'--{edge}\r\nContent-Disposition: form-data; name="document"; filename="a.json"\r\n\r\n{text}\r\n',
            f"--{edge}--\r\n",
        ]
        kind = {"Content-Type": f"multipart/form-data; boundary={edge}"}
        request = urllib.request.Request(self.server.url + "/import", "".join(parts).encode(), kind)
        with self.opener.open(request, timeout=30) as response:
            return str(response.url.split("/")[4])


class ServerCase(unittest.TestCase):
    """Tests that share one server."""

    @classmethod
    def setUpClass(cls):
        cls.server = Server()
        cls.addClassCleanup(cls.server.close)
