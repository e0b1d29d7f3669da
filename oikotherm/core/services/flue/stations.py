"""What a flue is: the way of burnt gas."""

from __future__ import annotations

from ..kinds import read_kinds
from ..spec import Role, ServiceSpec

SPEC = ServiceSpec(
    "flue",
    "Flue",
    (
        Role(
            "flue", "V", "flue gas", 200.0, 0.0, ("#5f6465", "#a7abab"), (), "V", pair=True, collects=True, phase="gas"
        ),
    ),
    read_kinds(__package__),
    runs_off=True,
)
