"""`python -m benchmarks`: the speeds to hold. Medians of many runs after a warm-up, and as ratio to a fixed numpy
loop."""

from __future__ import annotations

import gc
import gzip
import json
import posixpath
import re
import statistics
import sys
import time
import urllib.request
from collections.abc import Callable
from contextlib import closing

from benchmarks.building import building
from oikotherm.core.catalogue import standard
from oikotherm.core.context import Context
from oikotherm.core.design import Design, derive
from oikotherm.core.job.commands import apply
from oikotherm.core.job.model import Job, Leg
from oikotherm.core.pipework.trace import trace
from oikotherm.demo import documents
from oikotherm.drawing import svg
from oikotherm.drawing.isometric import draw
from oikotherm.drawing.look import Look, usual_levels
from oikotherm.store import jobs
from oikotherm.store.database import connect, writing
from oikotherm.workers import GC_THRESHOLD
from tests.serving import Server, Visitor

NO_LIMIT = float("inf")  # measured, not held yet


def median_ms(work: Callable[[int], object], runs: int = 50, warm_up: int = 5) -> float:
    """Median time of a run [ms]; work is given the number of the run."""
    for number in range(warm_up):
        work(number)
    times = []
    for number in range(runs):
        began = time.perf_counter()
        work(warm_up + number)
        times.append((time.perf_counter() - began) * 1000)
    return statistics.median(times)


def yardstick_ms() -> float:
    """A fixed loop of numpy and of Python, on one thread, by its own time: how fast this machine is right now. Of about
    the length that five products of 300 x 300 take."""
    import numpy

    matrix, words = numpy.linspace(0, 1, 90_000).reshape(300, 300), {str(n): n for n in range(1000)}
    times = []
    for _ in range(15):
        began = time.process_time()
        for _ in range(3):
            matrix @ matrix
        for number in range(8_000):
            words[str(number % 1000)] += number
        times.append((time.process_time() - began) * 1000)
    return statistics.median(times)


def edit_round(job: Job, which: int = 0) -> Callable[[int], object]:
    """One edit in core: a leg of a run changed, then trace, dress, cut, findings, flow and the drawing."""
    run = job.runs[which]
    leg = next(item for item in run.items if isinstance(item, Leg) and item.length_mm)
    context = Context()

    def work(number: int) -> object:
        command = {"do": "set_leg", "run": run.id, "item": leg.id, "length_mm": 300 + number}
        after = apply(job, command, context.catalogue, context.memory)
        design: Design = derive(after, context)
        return design.findings, design.cuts, design.flow, svg.write(draw(design, Look(levels=usual_levels(design))))

    return work


def afresh_ms(work: Callable[[], object], runs: int = 5) -> float:
    """Median time with nothing remembered [ms]: the work makes a memory of its own."""
    times = []
    for _ in range(runs):
        began = time.perf_counter()
        work()
        times.append((time.perf_counter() - began) * 1000)
    return statistics.median(times)


def over_http(server: Server, job: Job, which: int = 0, runs: int = 50) -> float:
    """The same edit as in edit_round, by a page: sent, stored, worked out, and the changed parts of the page come
    back."""
    visitor = Visitor(server)
    with closing(connect(server.data / "oikotherm.sqlite")) as conn:
        if not jobs.exists(conn, job.uid):
            with writing(conn):
                jobs.create(conn, job, "made up")
        rev = jobs.head_rev(conn, job.uid)
    visitor.get(f"/jobs/{job.uid}/pace")
    run = job.runs[which]
    leg = next(item for item in run.items if isinstance(item, Leg) and item.length_mm)
    length_mm = leg.length_mm or 0.0

    def work(number: int) -> None:
        nonlocal rev
        command = {"do": "set_leg", "run": run.id, "item": leg.id, "length_mm": length_mm + 1 + number}
        status, answer = visitor.post(f"/jobs/{job.uid}/edit", {"rev": rev, "page": "pace", "commands": [command]})
        assert status == 200, answer
        rev = answer["rev"]

    return median_ms(work, runs)


def page_weight(server: Server) -> int:
    """Bytes on the wire for Pace-out with an empty cache: page, styles, scripts and fonts, gzipped as sent."""

    def fetch(path: str) -> bytes:
        request = urllib.request.Request(server.url + path, headers={"Accept-Encoding": "gzip"})
        with urllib.request.urlopen(request, timeout=10) as response:
            data: bytes = response.read()
        fetch.total += len(data)  # type: ignore[attr-defined]
        return gzip.decompress(data) if data[:2] == b"\x1f\x8b" else data

    fetch.total = 0  # type: ignore[attr-defined]
    page = fetch("/jobs/lockhouse/pace").decode()
    seen: set[str] = set()
    waiting = re.findall(r'(?:href|src)="(/static/[^"]+)"', page)
    while waiting:
        path = waiting.pop()
        if path in seen:
            continue
        seen.add(path)
        text = fetch(path)
        base = path.rsplit("/", 1)[0]
        if path.endswith(".css") and b"@font-face" in text and "vendor/bootstrap" not in path:
            names = re.findall(r'url\("([^"]+)"\)', text.decode())
            waiting += [posixpath.normpath(f"{base}/{name}") for name in names]
        if path.endswith(".js"):
            waiting += [f"{base}/{name}" for name in re.findall(r'from "\./([^"]+)"', text.decode())]
    return int(fetch.total)  # type: ignore[attr-defined]


def first_page_s() -> float:
    """From starting the process to the first page [s], median of five."""
    times = []
    for _ in range(5):
        server = Server()
        server.kill()
        began = time.perf_counter()
        server.start()
        with urllib.request.urlopen(f"{server.url}/jobs/lockhouse/pace", timeout=10) as response:
            response.read()
        times.append(time.perf_counter() - began)
        server.close()
    return statistics.median(times)


def memory_mb(server: Server) -> float:
    """Most memory the server has held [MB], by the kernel's account."""
    with open(f"/proc/{server.process.pid}/status", encoding="ascii") as status:
        found = re.search(r"VmHWM:\s+(\d+) kB", status.read())
    return int(found[1]) / 1024 if found else float("nan")


def main() -> int:
    gc.set_threshold(*GC_THRESHOLD)
    yard = yardstick_ms()
    rows: list[tuple[str, float, float, str]] = []
    demo = next(job for job in documents() if job.uid == "lockhouse")
    rows.append(("edit round trip, Lockhouse, in core", median_ms(edit_round(demo)), 60, "ms"))
    large = building(300)
    rows.append(("trace of 300 emitters, nothing remembered", afresh_ms(lambda: trace(large, standard())), 400, "ms"))
    rows.append(("edit of a branch, 300 emitters, in core", median_ms(edit_round(large, -1), 20, 3), 600, "ms"))
    rows.append(("edit of the trunk, which moves half of it", median_ms(edit_round(large), 20, 3), 600, "ms"))
    server = Server()
    try:
        rows.append(("edit round trip, Lockhouse, over HTTP", over_http(server, demo), 120, "ms"))
        rows.append(("the branch over HTTP", over_http(server, large, -1, 20), 600, "ms"))
        rows.append(("the trunk over HTTP", over_http(server, large, 0, 20), 600, "ms"))
        rows.append(("page weight, Pace-out, cold, gzip", page_weight(server) / 1024, 450, "KB"))
        rows.append(("server memory, most", memory_mb(server), 220, "MB"))
    finally:
        server.close()
    rows.append(("process start to first page", first_page_s() * 1000, 1500, "ms"))
    print(f"yardstick: {yard:.2f} ms")
    print(f"{'what':42} {'median':>9} {'limit':>7} {'of limit':>9} {'yardsticks':>11}")
    for what, value, limit, unit in rows:
        sticks = f"{value / yard:11.1f}" if unit == "ms" else " " * 11
        bound = "     --        --" if limit == NO_LIMIT else f"{limit:4.0f} {unit} {value / limit:8.0%}"
        print(f"{what:42} {value:6.1f} {unit} {bound} {sticks}")
    if "--json" in sys.argv:
        print(json.dumps({what: value for what, value, _, _ in rows}))
    return 0 if all(value <= limit for _, value, limit, _ in rows) else 1


if __name__ == "__main__":
    sys.exit(main())
