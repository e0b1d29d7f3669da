"""What a flue adds to a design: nothing beyond its pipe and joints."""

from __future__ import annotations

from ...layout import Layout
from ..rooms import ServiceRoom
from .stations import SPEC

ROOM: ServiceRoom[Layout] = ServiceRoom(
    spec=SPEC,
)
