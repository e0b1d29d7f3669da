"""Every page of a house of 300 emitters with gas and water: how long it takes when it is opened first after an edit and
again, and what it weighs. `python -m benchmarks.pages [emitters]`"""

from __future__ import annotations

import gc
import statistics
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import closing, contextmanager
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

from flask import Flask

from benchmarks.building import building
from oikotherm.core.job.model import Job, Leg
from oikotherm.store import jobs
from oikotherm.store.database import connect, writing
from oikotherm.web import create_app
from oikotherm.workers import GC_THRESHOLD

FILES = ("pdf", "csv", "zip", "json", "svg", "dxf", "ics")
MOST_KB, MOST_NODES = 400, 4_000
FIRST, AGAIN = 100, 40  # yardsticks
BY_WORKERS = ("assembly", "make/sticks", "make/cards", "make/materials")


class _Nodes(HTMLParser):
    """Counts the elements of a page."""

    def __init__(self) -> None:
        super().__init__()
        self.count = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.count += 1


def nodes_of(html: str) -> int:
    """How many elements a page has."""
    parser = _Nodes()
    parser.feed(html)
    return parser.count


def pages_of(app: Flask, job: Job) -> list[str]:
    """The address of every page of a job, from the routes of the application; no files, no parts of pages."""
    found = []
    station = next((one.id for one in job.stations if one.kind == "emitter"), job.stations[0].id)
    known = {"uid": job.uid, "station": station}
    for rule in app.url_map.iter_rules():
        name = rule.rule
        page = name.startswith("/jobs/<uid>") and "GET" in (rule.methods or ()) and name.rpartition(".")[2] not in FILES
        if page and rule.arguments <= known.keys():
            with app.test_request_context():
                found.append(app.url_map.bind("localhost").build(rule.endpoint, {k: known[k] for k in rule.arguments}))
    return sorted(set(found))


@contextmanager
def application(job: Job) -> Iterator[tuple[Flask, Any]]:
    """An application that has one job, and a client of it."""
    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Path(folder), WTF_CSRF_ENABLED=False, TESTING=True)
        with closing(connect(app.config["DATABASE"])) as conn, writing(conn):
            jobs.create(conn, job, "made up")
        yield app, app.test_client()


class Heart(threading.Thread):
    """Beats as long as it is let: the most this process worked between two beats is how long something else held the
    interpreter [s of this process, so that other programs count for nothing]."""

    def __init__(self) -> None:
        super().__init__(daemon=True)
        self.longest_s = 0.0
        self.going = True

    def run(self) -> None:
        last = time.process_time()
        while self.going:
            time.sleep(0.005)
            now = time.process_time()
            self.longest_s = max(self.longest_s, now - last)
            last = now

    def beat(self) -> float:
        """The longest pause since the last time this was asked for [s]."""
        found, self.longest_s = self.longest_s, 0.0
        return found


def edit(client: Any, job: Job, rev: int) -> int:
    """Set a leg of the first branch; the revision then."""
    run = job.runs[-1]
    leg = next(one for one in run.items if isinstance(one, Leg) and one.length_mm)
    command = {"do": "set_leg", "run": run.id, "item": leg.id, "length_mm": 500.0 + rev}
    answer = client.post(f"/jobs/{job.uid}/edit", json={"rev": rev, "page": "watch", "commands": [command]})
    assert answer.status_code == 200, answer.text
    return int(answer.json["rev"])


def main() -> int:
    from benchmarks.__main__ import yardstick_ms

    gc.set_threshold(*GC_THRESHOLD)
    job = building(int(sys.argv[1]) if len(sys.argv) > 1 else 300, services=True)
    yard, bad, rev = yardstick_ms(), 0, 1
    print(f"yardstick {yard:.2f} ms; {len(job.runs)} runs")
    print(f"{'page':38} {'first':>8} {'again':>7} {'KB':>6} {'nodes':>6}   (in yardsticks)")
    with application(job) as (app, client):
        for page in pages_of(app, job):
            rev = edit(client, job, rev)
            times = []
            for _ in range(6):
                began = time.process_time()
                answer = client.get(page)
                times.append((time.process_time() - began) * 1000 / yard)
            again = statistics.median(times[1:])
            html = answer.text if answer.mimetype == "text/html" else ""
            kb, nodes = len(answer.data) / 1000, nodes_of(html)
            by_worker = page.partition(job.uid)[2].strip("/").startswith(BY_WORKERS)
            over = kb > MOST_KB or nodes > MOST_NODES or not by_worker and (times[0] > FIRST or again > AGAIN)
            bad += over
            words = f"{'over' if over else ''} {'a worker' if by_worker else ''}"
            name = page.partition(job.uid)[2] or "/"
            print(
                f"{name:38} {times[0]:8.1f} {again:7.1f} {kb:6.0f} {nodes:6}   {answer.status_code} {words}", flush=True
            )
    return int(bad > 0)


if __name__ == "__main__":
    sys.exit(main())
