"""What fresh water is: cold, hot and the recirculation of hot, and the stations that make or treat it."""

from __future__ import annotations

from ..kinds import read_kinds
from ..spec import Role, ServiceSpec

SPEC = ServiceSpec(
    "water",
    "Water",
    (
        Role("hot", "H", "drinking water", 60.0, 6e5, ("#9c4221", "#e89a6f"), (), "H", pair=True),
        Role("cold", "C", "drinking water", 25.0, 6e5, ("#2b5f8a", "#86b6de"), (2.0, 3.0, 9.0, 3.0), "C"),
        Role("recirc", "RC", "drinking water", 60.0, 6e5, ("#9c4221", "#e89a6f"), (), "H", collects=True),
    ),
    read_kinds(__package__),
)
