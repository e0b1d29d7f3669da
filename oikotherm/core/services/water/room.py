"""What fresh water adds to a design. Its sizes are not worked out yet."""

from __future__ import annotations

from ..rooms import ServiceRoom
from .commissioning import commissioning
from .demand import demand
from .plan import STEPS
from .proof import TESTS
from .rules import RULES
from .stations import SPEC

ROOM = ServiceRoom(
    spec=SPEC,
    demand=demand,
    rules=RULES,
    steps=STEPS,
    tests=TESTS,
    commissioning=commissioning,
)
