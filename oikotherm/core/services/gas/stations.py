"""What fuel gas is, and the stations it runs to."""

from __future__ import annotations

from ..kinds import read_kinds
from ..spec import Role, ServiceSpec

SPEC = ServiceSpec(
    "gas",
    "Gas",
    (Role("gas", "G", "fuel gas", 20.0, 1e4, ("#8a6510", "#e3b94f"), (12.0, 3.0, 2.0, 3.0), "G", phase="gas"),),
    read_kinds(__package__),
)
