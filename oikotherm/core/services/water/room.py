"""What fresh water adds to a design: its pipe sized, its rules, how it is proved and drained."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from ..rooms import ServiceRoom
from .assemblies import renewed
from .care import care
from .commissioning import commissioning
from .demand import demand
from .plan import STEPS
from .proof import TESTS
from .rules import RULES
from .sizing import size
from .small import SMALL_JOBS
from .stations import SPEC

if TYPE_CHECKING:
    from ...bench.registry import Tool


def tools() -> Mapping[str, Tool]:
    """The calc tools of fresh water: read when somebody asks for one."""
    from .bench import TOOLS

    return TOOLS


ROOM = ServiceRoom(
    spec=SPEC,
    demand=demand,
    rules=RULES,
    size=size,
    steps=STEPS,
    tests=TESTS,
    commissioning=commissioning,
    care=care,
    renewed=renewed,
    small_jobs=SMALL_JOBS,
    tools=tools,
)
