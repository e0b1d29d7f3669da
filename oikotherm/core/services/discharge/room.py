"""What discharge adds to a design: its pipes fall."""

from __future__ import annotations

from ...design import Design
from ..rooms import ServiceRoom
from .rules import RULES
from .stations import SPEC

ROOM: ServiceRoom[Design] = ServiceRoom(
    spec=SPEC,
    rules=RULES,
)
