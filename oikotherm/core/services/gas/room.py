"""What fuel gas adds to a design: its pipe sized, rules of the way to an appliance, how it is proved."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from ..rooms import ServiceRoom
from .demand import demand
from .pack import PACK
from .plan import STEPS
from .proof import TESTS
from .rules import RULES
from .sizing import size
from .stations import SPEC

if TYPE_CHECKING:
    from ...bench.registry import Tool


def tools() -> Mapping[str, Tool]:
    """The calc tools of gas: read when somebody asks for one."""
    from .bench import TOOLS

    return TOOLS


ROOM = ServiceRoom(
    spec=SPEC,
    demand=demand,
    rules=RULES,
    tests=TESTS,
    steps=STEPS,
    size=size,
    pack=PACK,
    tools=tools,
)
