"""Long checks with seeds that change from day to day: `.venv/bin/python -m tests.long [SEED] [NAME ...]`. Their figures
are printed; any failure ends with status 1.

What takes seconds is in ./check; what takes minutes, over thousands of cases, is here. Two processes share the work.
"""

from __future__ import annotations

import gc
import os
import random
import subprocess
import sys
import time
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from datetime import date

from oikotherm.core.context import Context
from oikotherm.core.design import derive
from oikotherm.core.making.sticks import Part, lay_out
from oikotherm.core.memory import Memory
from oikotherm.core.work.assembling import orders
from oikotherm.demo import documents
from oikotherm.workers import GC_THRESHOLD
from tests import campaign, doors, fuzzing
from tests.core.assembly.replay import Replay
from tests.core.assembly.test_random import agreed
from tests.core.gas.test_sizing import judged
from tests.core.gas.test_tightness import campaign as gauges
from tests.core.test_sticks import demo_lists, drawn_case, least_cost, random_case
from tests.core.test_stubs3d import searched
from tests.core.test_valves import sentences
from tests.core.test_verdict import campaign as judged_twice
from tests.core.test_verdict import sequences
from tests.counts import LONG
from tests.jobs import whole

PROCESSES = 2
Found = tuple[Counter[str], list[str]]
WHOLE_TESTS = (
    "tests.test_kill",
    "tests.core.test_admission.FuzzTest",
    "tests.core.test_joints.FinderTest",
    "tests.core.test_law.DoorsTest",
    "tests.core.gas.test_sizing.NeverUnsafeTest",
    "tests.core.test_document.DocumentTest",
    "tests.core.test_memory",
    "tests.core.test_tried",
    "tests.core.test_walk.LawsTest",
)


def five_doors(seed: int, count: int) -> Found:
    """Mate, finder, fitter, recipe and override asked alike, over pairwise covering cases of pipe, method, role,
    practice and place."""
    heard, wrong = Counter[str](), []
    for case in doors.covering(seed, count):
        said = doors.disagreements(case)
        if said:
            wrong.append(said)
        heard["lawful" if doors.by_mate(case) else "refused"] += 1
        fitted = doors.by_override(case)
        heard["no such fitting" if fitted is None else "fitted by hand" if fitted else "a stop by hand"] += 1
    return heard, wrong


def edits(seed: int, count: int) -> Found:
    """Lines and commands, edit on edit; of every fourth that is taken everything is worked out, and all lines read
    back."""
    tally, wrong = Counter[str](), []
    houses = list(documents())
    for number in range(count // 100):
        job = houses[number % len(houses)]
        for commands, _, design, said in fuzzing.walk(seed * 1_000 + number, job, Context(memory=Memory()), 100):
            tally["taken" if design else "refused"] += 1
            if design is not None and tally["taken"] % 4 == 0:
                said = said or fuzzing.touch(design)
                tally["worked out whole"] += 1
            if said:
                wrong.append(f"{job.uid} {str(commands)[:300]}: {said}")
    return tally, wrong


def gas(seed: int, count: int) -> Found:
    """Random gas networks sized by three rules and solved anew: none accepted delivers below its limit."""
    rng, tally, wrong = random.Random(seed), Counter[str](), []
    for number in range(count):
        tried, refused, said = judged(rng, number)
        tally.update({"sizes accepted": tried, "smallest refused": refused})
        wrong += said
    return tally, wrong


def gauge(seed: int, count: int) -> Found:
    """The stand-in gauge on tight and on leaking pipe: at most 2 % false fails and 2 % missed leaks."""
    cases, false, missed = gauges(seed, count)
    tally = Counter({"tight pipes failed": false, "leaks missed": missed})
    most = 0.02 * cases
    return tally, [f"{false} false fails, {missed} missed of {cases}"] if max(false, missed) > most else []


def stubs(seed: int, count: int) -> Found:
    """Pairs of stubs joined in space and laid out again; one in ten of those called impossible is searched."""
    joined, looked, wrong = searched(seed, count, count // 10)
    return Counter({"joined": joined, "impossible ones searched": looked}), wrong


def assemblies(seed: int, count: int) -> Found:
    """Random assemblies by the planner and by an exhaustive search; the largest demo replayed."""
    tally, wrong = agreed(seed * count, count)
    design = derive(whole("lockhouse"))
    for one in orders(design):
        said = Replay(one.assembly).replay([step.joint for step in one.plan.steps])
        tally["demo joints replayed"] += len(one.plan.steps)
        wrong += [f"lockhouse {one.service}: {said or one.plan.verdict}"] * (one.plan.verdict != "order" or bool(said))
    return tally, wrong


def whole_tests(seed: int, count: int) -> Found:
    """The tests that ./check runs with fewer cases."""
    names = WHOLE_TESTS[seed % 2 :: 2]  # each process has its share
    done = subprocess.run(
        [sys.executable, "-m", "unittest", *names],
        env={**os.environ, LONG: "1"},
        capture_output=True,
        text=True,
        check=False,
    )
    return Counter({"modules": len(names)}), [] if done.returncode == 0 else [done.stderr[-2000:]]


def sticks(seed: int, count: int) -> Found:
    """Random pieces on random stock by the program and by trying every layout; cut lists of the demos proven."""
    rng = random.Random(seed)
    heard, wrong = Counter[str](), []
    for _ in range(count):
        pieces, stock, kerf_mm = random_case(rng, rng.randint(3, 8))
        found = lay_out([Part(str(n), one) for n, one in enumerate(pieces)], stock, kerf_mm)
        least = least_cost(pieces, stock, kerf_mm)
        if abs(found.cost - least) > 1e-6 or found.gap:
            wrong.append(f"{pieces} on {stock}: {found.cost} with gap {found.gap}, the least is {least}")
        heard["layouts"] += 1
    lists = demo_lists()
    for _ in range(count // 10):
        pieces, stock, kerf_mm = drawn_case(rng, lists)
        found = lay_out([Part(str(n), one) for n, one in enumerate(pieces)], stock, kerf_mm)
        heard["cut lists proven" if not found.gap else "cut lists with a gap"] += 1
    return heard, wrong


def verdicts(seed: int, count: int) -> Found:
    """Random tests of every school judged twice: no pass another judge would not give, no fail of a sound settled
    pipe."""
    found = judged_twice(seed, count)
    names = ("pass", "fail", "proves nothing", "sound passed")
    return Counter({name: found[name] for name in names}), [
        str(one) for one in (*found["wrong"], *found["sound failed"])
    ]


def standings(seed: int, count: int) -> Found:
    """Sequences of tests and changes: what is proved equals a brute-force fold."""
    compared, wrong = sequences(seed, count)
    return Counter({"compared": compared}), [str(one) for one in wrong]


def valves(seed: int, count: int) -> Found:
    """Sentences that say what a valve shuts, on random houses, against a flood."""
    looked, wrong = sentences(seed, count)
    return Counter({"sentences": looked}), wrong


CHECKS: dict[str, tuple[Callable[[int, int], Found], int]] = {
    "five doors": (five_doors, 1_500),
    "edits": (edits, 60_000),
    "gas": (gas, 2_000),
    "gauge": (gauge, 500),
    "verdicts": (verdicts, 3_000),
    "standings": (standings, 2_000),
    "valves": (valves, 60),
    "stubs": (stubs, 2_000),
    "assemblies": (assemblies, 2_000),
    "sticks": (sticks, 4_000),
    "documents": (campaign.through_documents, 6_000),
    "posts": (campaign.through_posts, 10_000),
    "tools": (campaign.through_tools, 12_000),
    "readings": (campaign.through_readings, 2_000),
    "merchants": (campaign.through_merchants, 1_000),
    "kills": (campaign.through_kills, 100),
    "whole tests": (whole_tests, PROCESSES),
}


def _part(name: str, seed: int, count: int) -> Found:
    gc.set_threshold(*GC_THRESHOLD)
    return CHECKS[name][0](seed, count)


def main() -> int:
    words = sys.argv[1:]
    seed = int(words.pop(0)) if words and words[0].isdigit() else date.today().toordinal()
    failed = 0
    for name in words or CHECKS:
        began, count = time.perf_counter(), CHECKS[name][1]
        tally, wrong = Counter[str](), []
        with ProcessPoolExecutor(PROCESSES) as pool:
            parts = [pool.submit(_part, name, seed * PROCESSES + n, count // PROCESSES) for n in range(PROCESSES)]
            for part in parts:
                heard, said = part.result()
                tally += heard
                wrong += said
        counts = ", ".join(f"{number} {word}" for word, number in sorted(tally.items()))
        took = time.perf_counter() - began
        print(f"{name}, seed {seed}: {count} cases, {len(wrong)} wrong; {counts} ({took:.0f} s)", flush=True)
        for said in wrong[:20]:
            print(f"  {said}")
        failed += bool(wrong)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
