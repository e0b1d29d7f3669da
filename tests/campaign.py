"""Campaigns of odd input at every door: documents and bundles, posts to every route, inputs of every tool, kills.

Each takes a seed and a count, and gives how many were taken and what went wrong; ./check runs small ones, tests.long
the whole.
"""

from __future__ import annotations

import contextlib
import copy
import html.parser
import http.client
import io
import json
import random
import re
import socket
import tempfile
import threading
import time
import uuid
import zipfile
from collections import Counter
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any
from unittest import mock

from flask import got_request_exception

from oikotherm.core.admission import admit
from oikotherm.core.bench import tools
from oikotherm.core.context import Context
from oikotherm.core.errors import Refused
from oikotherm.core.job.document import read, write
from oikotherm.core.memory import Memory
from oikotherm.demo import documents
from oikotherm.exchange import merchant
from oikotherm.exchange.bundle_in import import_bundle
from oikotherm.exchange.pack import bundle
from oikotherm.store import jobs, live
from oikotherm.store.database import connect, open_database, writing
from oikotherm.web import create_app
from tests import fuzzing
from tests.fuzzing import ODD, said_of
from tests.jobs import whole
from tests.serving import Server, Visitor

MOST_S = 5.0  # of a request, but of what workers make
BY_WORKERS = re.compile(r"/assembly|/make/(sticks|cards|materials|corners)|\.pdf|\.zip|\.csv")
JUNK = [
    *(None, "", "x", -1, 0, 0.5, 1e9, 1e308, 1e-300, True, [], {}, "F1.T1", "?", [1, 2], "N+30S", "é" * 300),
    *("\ud800", "\x00", "9" * 400, [[[]]], {"a": 1}, "remove", "keep", float("nan"), 10**30, "1e400"),
]


def mangled(rng: random.Random, found: Any, times: int) -> Any:
    """Some members of nested data taken out, doubled, or replaced by junk."""
    found = copy.deepcopy(found)
    for _ in range(times):
        spot = found
        while isinstance(spot, dict | list) and spot:
            key = rng.choice(list(spot)) if isinstance(spot, dict) else rng.randrange(len(spot))
            inner = spot[key]
            if isinstance(inner, dict | list) and inner and rng.random() < 0.8:
                spot = inner
                continue
            match rng.randrange(4):
                case 0:
                    del spot[key]
                case 1:
                    spot[key] = copy.deepcopy(rng.choice(JUNK))
                case 2 if isinstance(spot, list):
                    spot.append(copy.deepcopy(inner))
                case _ if isinstance(inner, int | float) and not isinstance(inner, bool):
                    spot[key] = inner * rng.choice([0, -1, 1e-9, 0.3, 3, 1e6])
            break
    return found


def torn(rng: random.Random, data: bytes) -> bytes:
    """Bytes with a few changed, or cut short."""
    bad = bytearray(data)
    for _ in range(rng.choice([0, 1, 4, 30])):
        bad[rng.randrange(len(bad))] = rng.randrange(256)
    return bytes(bad[: rng.choice([len(bad), rng.randrange(len(bad))])])


def through_documents(seed: int, count: int) -> tuple[Counter[str], list[str]]:
    """Mangled documents and bundles: refused, or taken in and then everything of them worked out."""
    rng, tally, wrong = random.Random(seed), Counter[str](), []
    sources = [json.loads(write(job)) for job in documents()]
    with tempfile.TemporaryDirectory() as folder, closing(open_database(Path(folder) / "a.sqlite")) as conn:
        with writing(conn):
            for job in documents():
                jobs.create(conn, job, "demo")
        from datetime import date

        bundles = [bundle(conn, job.uid, date(2026, 3, 1)) for job in documents()]
        for number in range(count):
            context = Context(memory=Memory())
            try:
                if number % 5 == 4:
                    uid = import_bundle(conn, _bundle(rng, bundles), context)
                    made = jobs.head(conn, uid).job
                else:
                    text = json.dumps(mangled(rng, rng.choice(sources), rng.randrange(1, 6)))
                    made = read(torn(rng, text.encode()) if rng.random() < 0.1 else text)
                    admit(made, context)
            except Refused as refused:
                tally["refused"] += 1
                if refused.__cause__ is not None:
                    wrong.append(f"{number}: {said_of(refused.__cause__)}")
                continue
            except Exception as error:  # noqa: BLE001 - whatever it is, it is counted
                wrong.append(f"{number}: {said_of(error)}")
                continue
            tally["taken"] += 1
            if number % 7 == 0 and (said := fuzzing.touch(admit(made, context), lines=False)):
                wrong.append(f"{number}: {said}")
    return tally, wrong


def _bundle(rng: random.Random, bundles: list[bytes]) -> bytes:
    """A bundle with its bytes torn, or its files mangled and packed again."""
    data = rng.choice(bundles)
    if rng.random() < 0.5:
        return torn(rng, data)
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        for name in old.namelist():
            text = old.read(name)
            if name.endswith(".json") and rng.random() < 0.6:
                text = json.dumps(mangled(rng, json.loads(text) or [{}], rng.randrange(1, 4))).encode()
            new.writestr(name, text)
    return out.getvalue()


def through_tools(seed: int, count: int) -> tuple[Counter[str], list[str]]:
    """The examples of all tools, mangled: refused, or answered with what JSON can say."""
    rng, tally, wrong = random.Random(seed), Counter[str](), []
    context = Context()
    known = list(tools().values())
    for number in range(count):
        tool = known[number % len(known)]
        said = mangled(rng, tool.example, rng.randrange(1, 4)) if number >= len(known) else tool.example
        try:
            json.dumps(tool.run(said, context), allow_nan=False).encode()
        except Refused:
            tally["refused"] += 1
        except Exception as error:  # noqa: BLE001 - whatever it is, it is counted
            wrong.append(f"{tool.name} {str(said)[:160]}: {said_of(error)}")
        else:
            tally["answered"] += 1
    return tally, wrong


class _Forms(html.parser.HTMLParser):
    """The forms of a page: (where to, the fields with their values)."""

    def __init__(self) -> None:
        super().__init__()
        self.found: list[tuple[str, dict[str, str]]] = []
        self.inside: dict[str, str] | None = None
        self.select = ""

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        known = {name: value or "" for name, value in attrs}
        if tag == "form":
            self.inside = {}
            if known.get("method", "").lower() == "post":
                self.found.append((known.get("action", ""), self.inside))
        elif self.inside is None:
            return
        elif tag in ("input", "textarea", "button") and known.get("name"):
            self.inside.setdefault(known["name"], known.get("value", ""))
        elif tag == "select":
            self.select = known.get("name", "")
        elif tag == "option" and self.select and ("selected" in known or self.select not in self.inside):
            self.inside[self.select] = known.get("value", "")

    def handle_endtag(self, tag: str) -> None:
        if tag == "form":
            self.inside = None
        if tag == "select":
            self.select = ""


class Posts:
    """An application with the demo jobs, posted to as its forms and scripts do, and as nobody should."""

    def __init__(self, folder: Path, seed: int) -> None:
        self.rng = random.Random(seed)
        self.app = create_app(folder, WTF_CSRF_ENABLED=False)
        self.app.logger.disabled = True
        self.client = self.app.test_client()
        self.broke = ""  # what the last request that broke said
        got_request_exception.connect(self._note, self.app)
        self.conn = connect(self.app.config["DATABASE"])
        self.jobs = list(documents())
        with writing(self.conn):
            for job in self.jobs:
                jobs.create(self.conn, job, "demo")
        rules = [rule for rule in self.app.url_map.iter_rules() if rule.endpoint != "static_file"]
        self.posts = sorted(str(rule) for rule in rules if "POST" in (rule.methods or ()))
        self.gets = sorted(str(rule) for rule in rules if "GET" in (rule.methods or ()))
        self.forms: dict[str, list[dict[str, str]]] = {}
        for path in self.pages("lockhouse") + self.pages("fernhollow"):
            reader, answer = _Forms(), self.client.get(path)
            if answer.mimetype != "text/html":  # a file may hold any bytes
                continue
            reader.feed(answer.get_data().decode("utf-8", "replace"))
            for action, fields in reader.found:
                where = (action or path).split("?")[0]
                self.forms.setdefault(re.sub(r"/jobs/[a-z-]+/", "/jobs/<uid>/", where), []).append(fields)

    def _note(self, _: Any, exception: BaseException, **__: Any) -> None:
        self.broke = said_of(exception)

    def fill(self, rule: str, uid: str) -> str:
        """The address of a route with things the job has, mostly."""
        job = jobs.head(self.conn, uid).job
        words = {
            "uid": uid,
            "run_id": self.rng.choice([run.id for run in job.runs] or ["F1"]),
            "station": self.rng.choice([one.id for one in job.stations] or ["R1"]),
            "name": self.rng.choice(list(tools())),
        }
        return re.sub(r"<(?:\w+:)?(\w+)>", lambda found: words.get(found[1], "1"), rule)

    def pages(self, uid: str) -> list[str]:
        """Every page and file of a job, and those beside the jobs."""
        return [self.fill(rule, uid) for rule in self.gets]

    def one(self, rule: str, uid: str) -> Any:
        """A post to a route: a form as its page has it, with fields changed, or JSON as a script sends it."""
        path, rng = self.fill(rule, uid), self.rng
        known = self.forms.get(rule) or self.forms.get(path) or []
        if known and rng.random() < 0.75:
            fields: dict[str, Any] = dict(rng.choice(known))
            for _ in range(rng.choice([0, 1, 1, 2, 5])):
                if fields:
                    fields[rng.choice(list(fields))] = self.value(uid)
            if "rev" in fields and rng.random() < 0.85:
                fields["rev"] = str(jobs.head_rev(self.conn, uid))
            if "uuid" in fields:
                fields["uuid"] = str(uuid.uuid4())
            if rng.random() < 0.2:
                fields["file"] = (io.BytesIO(torn(rng, b"part,count,price\niso-22,3,4.5\n" * 9)), "f.csv")
            return self.client.post(path, data={key: one for key, one in fields.items() if one is not None})
        return self.client.post(path, data=self.body(rule, uid), headers={"Content-Type": "application/json"})

    def value(self, uid: str) -> str:
        job, rng = jobs.head(self.conn, uid).job, self.rng
        words = [one.id for group in job.named() for one in group] or ["F1"]
        odd = [one.encode("utf-8", "replace").decode() for one in ODD]
        numbers = ["0", "-1", "1", "22", "1,5", "1e9", "1e-300", "9" * 30, "nan", "2026-03-01", "2026-03-01T10:00, 1.8"]
        return rng.choice([rng.choice(words), rng.choice(odd), rng.choice(numbers), fuzzing.item(rng, job)])

    def body(self, rule: str, uid: str) -> str:
        """JSON as scripts send it, mangled now and then."""
        job, rng = jobs.head(self.conn, uid).job, self.rng
        rev, texts = jobs.head_rev(self.conn, uid), self.texts(uid)
        mark = {
            "uuid": str(uuid.uuid4()),
            "kind": rng.choice(["joint", "step", "test", "note"]),
            "key": "i1/turn:in",
            "label": "F1-02",
            "rev": rev,
            "made_at": "2026-03-01T10:00:00Z",
            "by_role": "apprentice",
            "body": rng.choice([{"made": True}, {"done": True}, {"turns": 1.5}, {"dry": False, "pipe": "cu-m 22"}]),
        }
        made: dict[str, Any] = {
            "edit": {"commands": [fuzzing.command(rng, job, texts) for _ in range(rng.choice([1, 1, 2]))]},
            "preview": {"text": fuzzing.line(rng, job, texts), "caret": rng.randrange(60)},
            "walk": {"text": fuzzing.line(rng, job, texts), "steps": rng.choices(fuzzing.SIDES, k=3)},
            "draw": {"kind": "wall", "level": job.house.levels[0].id, "from": [0, 0], "to": [3000, 900]},
            "move": {"step": rng.choice(["isolate", "pipe:F1", "x"]), "after": rng.choice(["pipe:F2", "drain:water"])},
            "records": {"records": [mark, {**mark, "uuid": "7"}], "sent_at": "2026-03-01T10:00:00Z"},
            "simulate": {"circuit": "BLR", "emitters": {"R1": {"trv": 0, "turns": 2}}, "flow_c": 55},
            "calc": tools()["convert"].example,
        }
        found = next((body for word, body in made.items() if word in rule), {})
        found = {"rev": rev, "page": rng.choice(["pace", "sizes", "make", "order", "watch"]), **found}
        text = json.dumps(mangled(rng, found, rng.choice([0, 0, 0, 1, 3])))
        return text[: rng.randrange(len(text))] if rng.random() < 0.02 else text

    def texts(self, uid: str) -> dict[str, str]:
        from oikotherm.core.job.words import Style
        from oikotherm.core.job.writing import run_text

        job = jobs.head(self.conn, uid).job
        style = Style(Context().catalogue, job.practice, job.pace_unit)
        return {run.id: run_text(run, style) for run in job.runs}


def through_posts(seed: int, count: int, every: int = 20) -> tuple[Counter[str], list[str]]:
    """Posts to all routes in turn; every page is looked at after each so many accepted ones."""
    tally, wrong = Counter[str](), []
    with tempfile.TemporaryDirectory() as folder:
        posts = Posts(Path(folder), seed)
        with closing(posts.conn):
            accepted = 0
            for number in range(count):
                rule, uid = posts.posts[number % len(posts.posts)], posts.jobs[number % 3].uid
                began = time.process_time()
                answer = posts.one(rule, uid)
                took_s = time.process_time() - began
                tally[str(answer.status_code)] += 1
                if answer.status_code >= 500 or took_s > MOST_S and not BY_WORKERS.search(rule):
                    wrong.append(f"{number}: {rule} on {uid}: {answer.status_code} {took_s:.1f} s {posts.broke}")
                if answer.status_code in (200, 302, 303):
                    accepted += 1
                    if accepted % every == 0:
                        for path in posts.pages(uid):
                            status, took_s = timed(lambda path=path: posts.client.get(path))  # type: ignore[misc]
                            tally["pages"] += 1
                            if status >= 500 or took_s > MOST_S and not BY_WORKERS.search(path):
                                said = f"{status} {took_s:.1f} s {posts.broke}"
                                wrong.append(f"{number}: page {path} after {rule}: {said}")
                if number % 400 == 399:  # back to houses that make sense
                    for job in posts.jobs:
                        with writing(posts.conn):
                            jobs.move_head(posts.conn, job.uid, jobs.head_rev(posts.conn, job.uid), 1)
    return tally, wrong


def through_readings(seed: int, count: int) -> tuple[Counter[str], list[str]]:
    """Bodies sent to the address of a running test: lines of a gauge, mangled, torn, doubled, out of order, or no lines
    at all. Kept, refused, or turned away; never a 500."""
    rng, tally, wrong = random.Random(seed), Counter[str](), []
    with tempfile.TemporaryDirectory() as folder:
        posts = Posts(Path(folder), seed)
        with closing(posts.conn):
            with writing(posts.conn):
                jobs.create(posts.conn, whole("lockhouse").model_copy(update={"uid": "livejob"}), "demo")
            token = begun(posts.client, posts.conn, "livejob")
            for number in range(count):
                with mock.patch("oikotherm.web.live.MOST_POSTS", count):
                    status, took_s = timed(lambda: posts.client.post(f"/readings/{token}", data=_readings(rng)))
                tally[str(status)] += 1
                if status >= 500 or took_s > MOST_S:
                    wrong.append(f"{number}: {status} in {took_s:.1f} s {posts.broke}")
                if number % 100 == 99 and posts.client.get("/jobs/livejob/prove").status_code >= 500:
                    wrong.append(f"{number}: the page {posts.broke}")
    return tally, wrong


def begun(client: Any, conn: Any, uid: str) -> str:
    """The token of a gas test that was begun."""
    page = client.get(f"/jobs/{uid}/prove?section=gas/MTR.out/1").text
    gauge = re.findall(r'<option[^>]*\svalue="([^"]+)">', page[page.index('name="gauge"') :])[0]
    data = {"section": "gas/MTR.out/1", "variant": "british", "gauge": gauge, "no_supply": "on", "by_role": "fitter"}
    answer = client.post(f"/jobs/{uid}/prove/live", data=data)
    assert answer.status_code == 303, answer.text[:300]
    return live.running(conn, uid)[0].token


def _readings(rng: random.Random) -> bytes:
    """What a logger sends, or what nobody should."""
    first = rng.randrange(10 ** rng.randrange(1, 7))
    rows = [
        {
            "seq": first + n,
            "at": f"2026-03-01T10:{n % 60:02}:{rng.randrange(60):02}Z",
            "pressure_pa": rng.gauss(2000, 9),
        }
        | ({"temp_c": rng.gauss(18, 1)} if rng.random() < 0.5 else {})
        | ({"source": rng.choice(["gauge", "logger 3", "hand", "file", "x" * 50])} if rng.random() < 0.3 else {})
        for n in range(rng.choice([0, 1, 5, 60]))
    ]
    if rng.random() < 0.6:
        rows = mangled(rng, rows, rng.randrange(1, 4))
    text = "\n".join(json.dumps(one) if rng.random() < 0.99 else rng.choice(ODD) for one in rows)
    data = text.encode("utf-8", "replace")
    return torn(rng, data) if data and rng.random() < 0.3 else data


def through_merchants(seed: int, count: int) -> tuple[Counter[str], list[str]]:
    """Answers of a merchant on this machine, mangled and torn, in bytes: taken or refused, each in the time for it."""
    rng, tally, wrong = random.Random(seed), Counter[str](), []
    lines = [mock.Mock(item="cap-elbow-22", title="22 elbow"), mock.Mock(item="iso-22", title="valve")]
    good = {"merchant": "m", "quotes": [{"item": "cap-elbow-22", "price": 1.15, "in_stock": True, "days": 2}]}
    says: list[bytes] = [b""]
    listening = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        with contextlib.suppress(OSError):
            while True:
                connection, _ = listening.accept()
                with contextlib.suppress(OSError):
                    connection.recv(65_536)
                    connection.sendall(says[0])
                connection.close()

    threading.Thread(target=serve, daemon=True).start()
    url = f"http://127.0.0.1:{listening.getsockname()[1]}"
    with closing(listening):
        for number in range(count):
            body = json.dumps(mangled(rng, good, rng.choice([0, 1, 2, 4]))).encode("utf-8", "surrogatepass")
            body = rng.choice([body, body, torn(rng, body), rng.choice(ODD).encode("utf-8", "replace")])
            head = rng.choice(["200 OK", "200 OK", "302 Found\r\nLocation: http://10.0.0.1/", "500 Broken", "9", ""])
            long = rng.choice([len(body), len(body), len(body), 0, 10**9, -4])
            says[0] = f"HTTP/1.1 {head}\r\nContent-Length: {long}\r\n\r\n".encode() + body
            if rng.random() < 0.1:
                says[0] = torn(rng, says[0])
            began = time.process_time()
            try:
                merchant.ask(url, lines)
                tally["taken"] += 1
            except Refused:
                tally["refused"] += 1
            except Exception as error:  # noqa: BLE001 - whatever it is, it is counted
                wrong.append(f"{number}: {says[0][:80]!r} {said_of(error)}")
            if time.process_time() - began > MOST_S:
                wrong.append(f"{number}: over {MOST_S} s")
    return tally, wrong


def timed(request: Callable[[], Any]) -> tuple[int, float]:
    """The status of a request, and how long it took of this process [s]."""
    began = time.process_time()
    status = request().status_code
    return status, time.process_time() - began


def through_kills(seed: int, count: int) -> tuple[Counter[str], list[str]]:
    """Three writers and one who imports, the server killed again and again: what was acknowledged is there."""
    rng, tally, wrong = random.Random(seed), Counter[str](), []
    server = Server()
    kept: dict[str, list[tuple[int, str]]] = {}
    imported: list[str] = []

    def write_on(uid: str, dead: threading.Event) -> None:
        try:
            visitor = Visitor(server)
            rev = json.loads(visitor.get(f"/jobs/{uid}/state?page=survey"))["rev"]
            while not dead.is_set():
                title = f"{uid} {uuid.uuid4()}"
                body = {"rev": rev, "page": "survey", "commands": [{"do": "set_job", "title": title}]}
                status, answer = visitor.post(f"/jobs/{uid}/edit", body)
                rev = answer["rev"]
                if status == 200:
                    kept.setdefault(uid, []).append((rev, title))
        except (OSError, http.client.HTTPException, ValueError):
            return

    def bring_in(dead: threading.Event) -> None:
        text = write(next(iter(documents())))
        try:
            visitor = Visitor(server)
            while not dead.is_set():
                uid = visitor.import_text(text)
                imported.append(uid)
        except (OSError, http.client.HTTPException, ValueError):
            return

    try:
        for _ in range(count):
            dead = threading.Event()
            names = ("lockhouse", "fernhollow", "olmo-vecchio")
            threads = [threading.Thread(target=write_on, args=(uid, dead)) for uid in names]
            threads.append(threading.Thread(target=bring_in, args=(dead,)))
            for one in threads:
                one.start()
            before, until = sum(map(len, kept.values())) + len(imported), time.monotonic() + 15
            while sum(map(len, kept.values())) + len(imported) < before + 4 and time.monotonic() < until:
                time.sleep(0.01)  # all are at work
            time.sleep(rng.uniform(0, 0.5))
            server.kill()
            dead.set()
            for one in threads:
                one.join()
            with closing(connect(server.data / "oikotherm.sqlite")) as conn:
                if conn.execute("PRAGMA integrity_check").fetchone()[0] != "ok":
                    wrong.append("the database is damaged")
                for uid, rows in kept.items():
                    for rev, title in rows[-30:]:
                        if jobs.revision(conn, uid, rev).job.title != title:
                            wrong.append(f"{uid} {rev}: {title} is not there")
                wrong += [f"{uid} was imported and is not there" for uid in imported if not jobs.exists(conn, uid)]
            tally["kills"] += 1
            server.start()
    finally:
        server.close()
    tally["edits"] = sum(map(len, kept.values()))
    tally["imports"] = len(imported)
    return tally, wrong
