"""What heating adds to a design: its circuits sized, what is wrong with them, how they are worked on, proved and looked
after."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from ..rooms import ServiceRoom
from .boiler_change import commissioning
from .care import care
from .demand import demand
from .pack import PACK
from .plan import STEPS
from .proof import TESTS
from .rules import RULES
from .simulate import networks_of
from .sizing import size
from .small import SMALL_JOBS
from .stations import SPEC
from .templates import TEMPLATES
from .water_work import water_works

if TYPE_CHECKING:
    from ...bench.registry import Tool


def tools() -> Mapping[str, Tool]:
    """The calc tools of heating: read when somebody asks for one."""
    from .bench import TOOLS

    return TOOLS


ROOM = ServiceRoom(
    spec=SPEC,
    demand=demand,
    size=size,
    networks=networks_of,
    rules=RULES,
    steps=STEPS,
    tests=TESTS,
    care=care,
    pack=PACK,
    water_work=water_works,
    tools=tools,
    templates=TEMPLATES,
    small_jobs=SMALL_JOBS,
    commissioning=commissioning,
)
