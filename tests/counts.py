"""How many cases a test goes through: fewer in ./check, all of them in tests.long."""

import os

LONG = "OIKOTHERM_TESTS_LONG"


def cases(usual: int, whole: int) -> int:
    """usual in ./check; whole where tests.long runs the test."""
    return whole if os.environ.get(LONG) else usual
