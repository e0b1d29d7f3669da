"""What a flue adds to a design: nothing beyond its pipe and joints."""

from __future__ import annotations

from ...design import Design
from ..rooms import ServiceRoom
from .stations import SPEC

ROOM: ServiceRoom[Design] = ServiceRoom(
    spec=SPEC,
)
