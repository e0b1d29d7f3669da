"""How many cases a test goes through: fewer in ./check, all of them in tests.long."""

import os
from typing import TypeVar

LONG = "OIKOTHERM_TESTS_LONG"


T = TypeVar("T")


def cases(usual: T, whole: T) -> T:
    """usual in ./check; whole where tests.long runs the test."""
    return whole if os.environ.get(LONG) else usual
