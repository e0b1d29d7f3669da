"""What fuel gas adds to a design. Its rules are those of the way to an appliance; sizes are not worked out yet."""

from __future__ import annotations

from ..rooms import ServiceRoom
from .demand import demand
from .proof import TESTS
from .rules import RULES
from .stations import SPEC

ROOM = ServiceRoom(
    spec=SPEC,
    demand=demand,
    rules=RULES,
    tests=TESTS,
)
