"""Every door for JSON from outside is listed here, and hostile texts are brought to each."""

import ast
import io
import json
import tempfile
import unittest
import zipfile
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from unittest import mock

from oikotherm import cli
from oikotherm.core.bench import tools
from oikotherm.core.errors import Refused
from oikotherm.core.job.document import read
from oikotherm.core.work.readings_in import read_lines
from oikotherm.exchange import merchant
from oikotherm.exchange.bundle_in import DOCUMENT, read_bundle
from oikotherm.web.bench_fields import _value
from oikotherm.web.water.assemblies import _read
from tests.test_merchant import LINES
from tests.web.test_web import WebCase

ROOT = Path(__file__).parents[1] / "oikotherm"
HOSTILE = (
    "[" * 30_000,
    '{"a":' * 30_000,
    '{"a": 1e999}',
    '{"a": NaN}',
    '{"a": ' + "9" * 400 + "}",
    '{"a": ' + "9" * 6_000 + "}",
    '{"a": "\\ud800"}',
    '{"a": "x\\u0000y"}',
    "{",
    "nothing",
    '{"a": 1}' * 3,
    "",
    "\ufeff\x00",
)
OWN = {  # what we wrote ourselves, or an answer of our own
    "web/worked.py",
    "workers.py",
    "exchange/gauge_sender.py",
    "store/records.py",
    "store/differences.py",
    "store/live.py",
    "core/bench/example.py",
    "core/reading.py",
}


def _bundle(text):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr(DOCUMENT, text.encode("utf-8", "surrogatepass"))
    return read_bundle(out.getvalue())


def _quoted(text):
    with mock.patch.object(merchant, "_answer", return_value=text.encode("utf-8", "surrogatepass")):
        return merchant.ask(merchant.USUAL, LINES)


def _command(*words):
    def door(text):
        with tempfile.NamedTemporaryFile("w", suffix=".json", encoding="utf-8") as file:
            file.write(text)
            file.flush()
            said = io.StringIO()
            with redirect_stderr(said), redirect_stdout(said), mock.patch("sys.stdin", io.StringIO(text)):
                status = cli.main([file.name if word == "FILE" else word for word in words])
        if status == 0:
            return said.getvalue()
        if "Traceback" in said.getvalue():
            raise AssertionError(said.getvalue()[-300:])
        raise Refused("command", text[:20], said.getvalue()[:80])

    return door


def _field(text):
    name, field = next(iter(tools()["recover"].input.model_fields.items())) if "recover" in tools() else ("x", None)
    field = field or next(iter(next(iter(tools().values())).input.model_fields.values()))
    return _value(name, field, text if text.startswith(("[", "{")) else "{" + text)


DOORS = {
    "core/job/document.py": [read, lambda text: read(text.encode("utf-8", "surrogatepass"))],
    "core/work/readings_in.py": [lambda text: read_lines(text or "x")],
    "exchange/bundle_in.py": [_bundle],
    "exchange/merchant.py": [_quoted],
    "web/bench_fields.py": [_field],
    "web/water/assemblies.py": [lambda text: _read("rpz", {"sent": text or "x"}, "psi", False)],
    "web/incoming.py": [],  # by every route, below
    "cli.py": [
        _command("calc", "convert"),
        _command("calc", "emitter"),
        _command("takeoff", "FILE"),
        _command("size", str(ROOT / "demo" / "lockhouse.oikotherm.json"), "--simulate", "FILE"),
    ],
}


def calls_of(name):
    """The files that call a function of that name."""
    found = set()
    for path in ROOT.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.Call) and ast.unparse(node.func) == name:
                found.add(str(path.relative_to(ROOT)))
    return found


class DoorsTest(unittest.TestCase):
    def test_the_list_is_whole(self):
        self.assertEqual(calls_of("read_json"), set(DOORS))
        self.assertEqual(calls_of("json.loads") - OWN, set())
        self.assertEqual(calls_of("json.load"), set())

    def test_each_refuses_what_is_hostile(self):
        for name, doors in DOORS.items():
            for number, door in enumerate(doors):
                for text in HOSTILE:
                    with self.subTest(door=f"{name} {number}", text=text[:30]), self.assertRaises(Refused):
                        door(text)


class RoutesTest(WebCase):
    def test_every_route_that_takes_posts_answers_hostile_json(self):
        rules = [rule for rule in self.app.url_map.iter_rules() if "POST" in (rule.methods or ())]
        self.assertGreater(len(rules), 30)
        words = {
            "uid": "lockhouse",
            "name": "emitter",
            "station": "R1",
            "kind": "valve",
            "ident": "1",
            "token": "x" * 32,
        }
        for rule in rules:
            known = {name: words.get(name, "1") for name in rule.arguments}
            path = self.app.url_map.bind("localhost").build(rule.endpoint, known, method="POST")
            for text in HOSTILE:
                with self.subTest(path=path, text=text[:30]):
                    answer = self.client.post(path, data=text.encode(), content_type="application/json")
                    self.assertLess(answer.status_code, 500)
                    if answer.is_json and answer.status_code == 422:
                        self.assertIn("expected", json.loads(answer.data)["error"])


if __name__ == "__main__":
    unittest.main()
