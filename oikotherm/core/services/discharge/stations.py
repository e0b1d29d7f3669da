"""What runs off: the hot discharge of relief valves, the overflow of cold water, the condensate of boilers.

Condensate eats metal and runs in plastic; a relief valve's discharge is hot and runs in copper.
"""

from __future__ import annotations

from ..kinds import read_kinds
from ..spec import Role, ServiceSpec

SPEC = ServiceSpec(
    "discharge",
    "Discharge",
    (
        Role(
            "discharge",
            "D",
            "hot water run off",
            95.0,
            5e4,
            ("#5f6465", "#a7abab"),
            (2.0, 4.0),
            "D",
            falls=1 / 200,
            collects=True,
        ),
        Role(
            "condensate",
            "CD",
            "condensate",
            45.0,
            1e4,
            ("#5f6465", "#a7abab"),
            (2.0, 4.0),
            "D",
            falls=0.044,
            collects=True,
        ),
        Role(
            "overflow",
            "D",
            "cold water run off",
            40.0,
            1e4,
            ("#5f6465", "#a7abab"),
            (2.0, 4.0),
            "D",
            falls=1 / 200,
            collects=True,
        ),
    ),
    read_kinds(__package__),
    runs_off=True,
)
