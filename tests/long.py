"""Long checks with seeds that change from day to day: `.venv/bin/python -m tests.long [SEED]`. Their figures are
printed; any failure ends with status 1.

What takes seconds is in ./check; what takes minutes, over thousands of cases, is here.
"""

from __future__ import annotations

import sys
import time
from collections import Counter
from collections.abc import Callable
from datetime import date

from tests import doors

DOOR_CASES = 1_500


def five_doors(seed: int) -> tuple[str, list[str]]:
    """Mate, finder, fitter, recipe and override asked alike, over pairwise covering cases of pipe, method, role,
    practice and place."""
    heard: Counter[str] = Counter()
    wrong = []
    cases = doors.covering(seed, DOOR_CASES)
    for case in cases:
        said = doors.disagreements(case)
        if said:
            wrong.append(said)
        heard["lawful" if doors.by_mate(case) else "refused"] += 1
        fitted = doors.by_override(case)
        heard["no such fitting" if fitted is None else "fitted by hand" if fitted else "a stop by hand"] += 1
    counts = ", ".join(f"{count} {word}" for word, count in sorted(heard.items()))
    return f"{len(cases)} cases, {len(wrong)} disagree; {counts}", wrong


CHECKS: dict[str, Callable[[int], tuple[str, list[str]]]] = {"five doors": five_doors}


def main() -> int:
    seed = int(sys.argv[1]) if len(sys.argv) > 1 else date.today().toordinal()
    failed = 0
    for name, check in CHECKS.items():
        began = time.perf_counter()
        figures, wrong = check(seed)
        print(f"{name}, seed {seed}: {figures} ({time.perf_counter() - began:.0f} s)", flush=True)
        for said in wrong[:20]:
            print(f"  {said}")
        failed += bool(wrong)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
