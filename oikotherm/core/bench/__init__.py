"""The Bench: every calculation alone, no job needed."""

from . import bends, circuits, fitup, fixing, heating, joints, lengths, radiators, units  # noqa: F401 - registers the tools
from .registry import TOOLS, Tool, find_tool

__all__ = ["TOOLS", "Tool", "find_tool"]
