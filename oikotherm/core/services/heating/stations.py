"""What heating is: flow and return, and the stations of a closed circuit."""

from __future__ import annotations

from ..kinds import read_kinds
from ..spec import Role, ServiceSpec

SPEC = ServiceSpec(
    "heating",
    "Heating",
    (
        Role("flow", "F", "heating water", 80.0, 3e5, ("#b5502f", "#e58a64"), (), "F"),
        Role("return", "RT", "heating water", 80.0, 3e5, ("#6a3f6b", "#c79ac8"), (11.0, 4.0), "R", collects=True),
    ),
    read_kinds(__package__),
    through=True,
)
