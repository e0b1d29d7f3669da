"""Many at once: `python -m benchmarks.load [--clients 20] [--seconds 60] [--soak] [--beside]`.

Clients edit the three demo jobs as fitters do, with a pause to think between two edits, and answer a conflict by
sending it again. --soak: a house of 300 emitters as well, and every page, preview and file of all jobs; memory is read
on the way. --beside: in every other half minute one more walks a house of 300 emitters, page after page and pack after
pack; the 95th percentile of the others' edits then and otherwise. The clients run beside the server on the same cores.
"""

from __future__ import annotations

import argparse
import json
import random
import re
import statistics
import threading
import time
from collections import Counter
from contextlib import closing

from oikotherm.core.job.model import Job, Leg
from oikotherm.demo import documents
from oikotherm.store import jobs
from oikotherm.store.database import connect, writing
from tests.serving import Server, Visitor

from .building import building

STAGES = ("survey", "pace", "sizes", "joints", "make", "order", "prove", "handover")
HALF_S = 30.0
LOOKS_S = 1.0  # at a page, before the next
LARGE = (
    *("house", "watch", "small", "handover/sheet", "make/sticks", "make/materials", "make/cards", "assembly?all=yes"),
    *("handover/for-customer.pdf", "handover/for-inspector.pdf", "handover/for-fitter.pdf", "handover/pack.pdf"),
)
FILES = ("export.oikotherm.json", "cuts.csv", "drawing.svg", "network.json", "handover/pack", "handover/sheet")


class Client(threading.Thread):
    """One at work on a job: edits, and with soak all else that is done."""

    def __init__(
        self, server: Server, job: Job, seed: int, until: float, soak: bool, think_s: tuple[float, float]
    ) -> None:
        super().__init__()
        self.think_s = think_s
        self.server, self.job, self.until, self.soak = server, job, until, soak
        self.rng = random.Random(seed)
        self.edits_s: list[float] = []
        self.conflicts_s: list[float] = []
        self.walker: Walker | None = None
        self.when: list[tuple[float, bool]] = []
        """How long each edit took [s], and whether the walker walked meanwhile."""
        self.seen: Counter[str] = Counter()

    def run(self) -> None:
        time.sleep(self.rng.uniform(0, self.think_s[1]))
        try:
            visitor = Visitor(self.server)
            rev = json.loads(visitor.get(f"/jobs/{self.job.uid}/state?page=order"))["rev"]
            while time.monotonic() < self.until:
                if self.soak and self.rng.random() < 0.5:
                    self.look(visitor)
                else:
                    rev = self.edit(visitor, rev)
                time.sleep(self.rng.uniform(*self.think_s))
        except Exception as error:  # noqa: BLE001 - it is counted
            self.seen[f"{type(error).__name__}: {error}"] += 1

    def edit(self, visitor: Visitor, rev: int) -> int:
        """Set a leg; the revision then."""
        legs = [(run, leg) for run in self.job.runs for leg in run.items if isinstance(leg, Leg) and leg.length_mm]
        run, leg = self.rng.choice(legs)
        command = {
            "do": "set_leg",
            "run": run.id,
            "item": leg.id,
            "length_mm": (leg.length_mm or 0) + self.rng.random(),
        }
        for _ in range(9):  # somebody was faster: it is sent again on what they made
            began = time.perf_counter()
            body = {"rev": rev, "page": "pace", "commands": [command]}
            status, answer = visitor.post(f"/jobs/{self.job.uid}/edit", body)
            took_s = time.perf_counter() - began
            self.seen[str(status)] += 1
            rev = int(answer["rev"])
            if status == 200:
                self.edits_s.append(took_s)
                self.when.append((took_s, self.walker is not None and self.walker.walks()))
                break
            self.conflicts_s.append(took_s)
        return rev

    def look(self, visitor: Visitor) -> None:
        """A page, a file, or a line as it is typed."""
        what = self.rng.random()
        if what < 0.3:
            run = self.rng.choice(self.job.runs)
            body = {"text": f"from {run.start} {run.pipe}: U300 E{self.rng.randrange(900)}", "caret": 20}
            self.seen[f"preview {visitor.post(f'/jobs/{self.job.uid}/pace/preview', body)[0]}"] += 1
        else:
            visitor.get(f"/jobs/{self.job.uid}/{self.rng.choice(STAGES if what < 0.85 else FILES)}")
            self.seen["page"] += 1


class Walker(threading.Thread):
    """One who opens every page and pack of a large house and looks at it for a second, in every other half minute."""

    def __init__(self, server: Server, job: Job, until: float) -> None:
        super().__init__()
        self.server, self.job, self.until = server, job, until
        self.began = time.monotonic()
        self.opened = 0

    def walks(self) -> bool:
        """Whether this is a half minute in which it walks."""
        return int((time.monotonic() - self.began) / HALF_S) % 2 == 1

    def run(self) -> None:
        visitor, legs = Visitor(self.server), [one for one in self.job.runs[-1].items if isinstance(one, Leg)]
        pages, rev = [*STAGES, *LARGE], 1
        while time.monotonic() < self.until:
            for page in pages:
                while not self.walks() and time.monotonic() < self.until:
                    time.sleep(0.05)
                if time.monotonic() >= self.until:
                    return
                visitor.get(f"/jobs/{self.job.uid}/{page}")
                self.opened += 1
                time.sleep(LOOKS_S)
            length_mm = 400.0 + rev
            command = {"do": "set_leg", "run": self.job.runs[-1].id, "item": legs[0].id, "length_mm": length_mm}
            body = {"rev": rev, "page": "watch", "commands": [command]}
            rev = int(visitor.post(f"/jobs/{self.job.uid}/edit", body)[1]["rev"])


def percentile_ms(times_s: list[float], share: float = 0.95) -> float:
    """The time that so many do not pass [ms]."""
    return sorted(times_s)[int(len(times_s) * share)] * 1000 if times_s else float("nan")


def memory_mb(server: Server, field: str = "VmRSS") -> float:
    """What the server holds [MB], by the kernel's account; VmHWM: the most it ever held."""
    return memory_of(server.process.pid, field)


def memory_of(pid: int, field: str = "VmRSS") -> float:
    """What a process holds [MB]."""
    with open(f"/proc/{pid}/status", encoding="ascii") as status:
        found = re.search(rf"{field}:\s+(\d+) kB", status.read())
    return int(found[1]) / 1024 if found else float("nan")


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--clients", type=int, default=20)
    parser.add_argument("--seconds", type=float, default=60)
    parser.add_argument("--think", type=float, default=4, help="mean pause between two edits [s]")
    parser.add_argument("--soak", action="store_true")
    parser.add_argument("--beside", action="store_true")
    args = parser.parse_args()
    server = Server()
    try:
        _measure(server, args)
    finally:
        server.close()
    return 0


def _measure(server: Server, args: argparse.Namespace) -> None:
    """Let the clients work, and print what they and the server took."""
    at_work = list(documents())
    large = building(300, services=True)
    if args.soak or args.beside:
        at_work += [large] if args.soak else []
        with closing(connect(server.data / "oikotherm.sqlite")) as conn, writing(conn):
            jobs.create(conn, large, "made up")
    until = time.monotonic() + args.seconds
    think_s = args.think * 0.5, args.think * 1.5
    clients = [Client(server, at_work[n % len(at_work)], n, until, args.soak, think_s) for n in range(args.clients)]
    walker = Walker(server, large, until) if args.beside else None
    for one in clients:
        one.walker = walker
        one.start()
    if walker is not None:
        walker.start()
    while any(one.is_alive() for one in clients):
        time.sleep(min(args.seconds / 10, 60))
        print(f"{memory_mb(server):6.0f} MB", flush=True)
    seen: Counter[str] = sum((one.seen for one in clients), Counter())
    for name in ("edits_s", "conflicts_s"):
        found = sorted(took for one in clients for took in getattr(one, name))
        if found:
            median_ms, p95_ms = statistics.median(found) * 1000, found[int(len(found) * 0.95)] * 1000
            print(f"{len(found)} {name.removesuffix('_s')}: median {median_ms:.0f} ms, p95 {p95_ms:.0f} ms")
    if walker is not None:
        alone, beside = (
            [took for one in clients for took, with_it in one.when if with_it is on] for on in (False, True)
        )
        ratio = percentile_ms(beside) / percentile_ms(alone)
        print(
            f"{len(alone)} edits alone: p95 {percentile_ms(alone):.0f} ms; {len(beside)} while {walker.opened} pages "
            f"of the large house are opened: p95 {percentile_ms(beside):.0f} ms; ratio {ratio:.2f}"
        )
        for pid in server.children():
            print(f"worker {pid}: most memory {memory_of(pid, 'VmHWM'):.0f} MB")
    print(f"most memory {memory_mb(server, 'VmHWM'):.0f} MB; {dict(seen)}")


if __name__ == "__main__":
    raise SystemExit(main())
