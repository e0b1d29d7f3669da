"""The Bench: every calculation alone, no job needed. Tools of one service are in its room."""

from ..errors import Refused, nearest
from ..services.rooms import rooms
from . import assembly, bends, fitup, fixing, joints, lengths, rows, sticks, units  # noqa: F401 - keeps the tools
from .registry import Tool, ToolBox, tool

__all__ = ["Tool", "ToolBox", "find_tool", "tools"]


def tools() -> dict[str, Tool]:
    """Every calc tool by its name: those of all services, then those of each."""
    return {**tool.tools, **{name: one for room in rooms().values() for name, one in room.tools().items()}}


def find_tool(name: str) -> Tool:
    """The tool of that name. Raises Refused with the nearest."""
    known = tools()
    if name not in known:
        raise Refused("tool", name, f"a calc tool such as {nearest(name, known)}", "convert")
    return known[name]
