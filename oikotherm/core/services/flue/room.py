"""What a flue adds to a design: the rules of vent connectors."""

from __future__ import annotations

from ...layout import Layout
from ..rooms import ServiceRoom
from .rules import RULES
from .stations import SPEC

ROOM: ServiceRoom[Layout] = ServiceRoom(
    spec=SPEC,
    rules=RULES,
)
