"""What fuel gas adds to a design. Its sizes are not worked out yet."""

from __future__ import annotations

from ..rooms import ServiceRoom
from .demand import demand
from .proof import TESTS
from .stations import SPEC

ROOM = ServiceRoom(
    spec=SPEC,
    demand=demand,
    tests=TESTS,
)
