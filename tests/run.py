"""Runs ruff, mypy and all tests, and says at the end how many passed and failed. Arguments: test modules to run alone.

The tests in a browser run beside the others, in two processes of their own: they wait more than they work.
"""

from __future__ import annotations

import re
import subprocess
import sys
import time
import unittest
from pathlib import Path

BROWSER = ("joints", "journey", "site", "pace", "walk", "small", "gas", "live", "house", "assembly", "first", "lists")
BESIDE = {
    "all pages": ["tests.browser.test_pages", *(f"tests.test_{name}" for name in ("kill", "cli", "pack", "packs"))],
    "in the browser": [*(f"tests.browser.test_{name}" for name in BROWSER), "tests.test_faults", "tests.test_campaign"],
}
"""What waits on servers and browsers more than it works, each in a process of its own beside the others."""
SLOWEST = 20  # tests named with their time
ROOMS = ("tests.core", "tests.store", "tests.drawing", "tests.web")


class Result(unittest.TextTestResult):
    """Counts what passed and how long each test took."""

    def __init__(self, *args: object) -> None:
        super().__init__(*args)  # type: ignore[arg-type]
        self.passed = 0
        self.times: list[tuple[float, str]] = []

    def startTest(self, test: unittest.TestCase) -> None:  # noqa: N802 - unittest's name
        self.began = time.perf_counter()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:  # noqa: N802
        self.times.append((time.perf_counter() - self.began, test.id()))
        super().stopTest(test)

    def addSuccess(self, test: unittest.TestCase) -> None:  # noqa: N802
        self.passed += 1
        super().addSuccess(test)


def tool(*command: str) -> bool:
    print(f"== {' '.join(command)}", flush=True)
    return subprocess.run([sys.executable, "-m", *command], check=False).returncode == 0


def run(suite: unittest.TestSuite) -> tuple[int, int]:
    """Run a suite: (passed, failed). A suite without a test has failed."""
    runner = unittest.TextTestRunner(stream=sys.stdout, resultclass=Result, verbosity=1)  # type: ignore[arg-type]
    result = runner.run(suite)
    assert isinstance(result, Result)
    print(f"  {sum(seconds for seconds, _ in result.times):6.1f} s in all, the slowest:")
    for seconds, name in sorted(result.times, reverse=True)[:SLOWEST]:
        print(f"  {seconds:6.1f} s  {name}")
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    return result.passed, failed if result.testsRun else failed + 1


def all_but_pages(loader: unittest.TestLoader) -> unittest.TestSuite:
    suite = unittest.TestSuite(loader.discover(room.replace(".", "/"), top_level_dir=".") for room in ROOMS)
    beside = {name for part in BESIDE.values() for name in part}
    here = sorted(f"tests.{path.stem}" for path in Path("tests").glob("test_*.py"))
    suite.addTests(loader.loadTestsFromNames([name for name in here if name not in beside]))
    return suite


def _begun(part: str) -> subprocess.Popen[str]:
    """A part of the tests in a process of its own."""
    command = [sys.executable, "-m", "tests.run", "--part", part]
    return subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)


def main() -> int:
    only = sys.argv[1:]
    loader = unittest.defaultTestLoader
    if only[:1] == ["--part"]:
        passed, failed = run(loader.loadTestsFromNames(BESIDE[only[1]]))
    elif only:
        passed, failed = run(loader.loadTestsFromNames(only))
    else:
        parts = {name: _begun(name) for name in BESIDE}
        checks = [tool("ruff", "check", "."), tool("ruff", "format", "--check", "-q", "."), tool("mypy")]
        passed, failed = run(all_but_pages(loader))
        passed, failed = passed + checks.count(True), failed + checks.count(False)
        for name, part in parts.items():
            print(f"== {name}", flush=True)
            said, _ = part.communicate()
            print(said)
            found = re.search(r"^(\d+) passed, (\d+) failed$", said, re.MULTILINE)
            passed, failed = passed + (int(found[1]) if found else 0), failed + (int(found[2]) if found else 1)
    print(f"{passed} passed, {failed} failed", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
