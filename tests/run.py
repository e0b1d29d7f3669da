"""Runs ruff, mypy and all tests, and says at the end how many passed and failed. Arguments: test modules to run alone."""

from __future__ import annotations

import subprocess
import sys
import time
import unittest


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


def main() -> int:
    only = sys.argv[1:]
    checks = [] if only else [tool("ruff", "check", "."), tool("ruff", "format", "--check", "-q", "."), tool("mypy")]
    loader = unittest.defaultTestLoader
    suite = loader.loadTestsFromNames(only) if only else loader.discover("tests", top_level_dir=".")
    runner = unittest.TextTestRunner(resultclass=Result, verbosity=1)  # type: ignore[arg-type]
    result = runner.run(suite)
    assert isinstance(result, Result)
    for seconds, name in sorted(result.times, reverse=True)[:5]:
        print(f"  {seconds:6.1f} s  {name}")
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses) + checks.count(False)
    print(f"{result.passed + checks.count(True)} passed, {failed} failed")
    return 1 if failed or result.testsRun == 0 else 0


if __name__ == "__main__":
    sys.exit(main())
