"""What heating adds to a design: its circuits sized, what is wrong with them, how they are worked on, proved and looked after."""

from __future__ import annotations

from ..rooms import ServiceRoom
from .bench import TOOLS
from .care import care
from .demand import demand
from .pack import PACK
from .plan import STEPS
from .proof import TESTS
from .rules import RULES
from .simulate import networks_of
from .sizing import size
from .stations import SPEC
from .templates import TEMPLATES

ROOM = ServiceRoom(
    spec=SPEC, demand=demand, size=size, networks=networks_of, rules=RULES, steps=STEPS, tests=TESTS, care=care, pack=PACK, tools=TOOLS, templates=TEMPLATES
)  # fmt: skip
