"""The Bench: every calculation alone, no job needed. Tools of one service are in its room."""

from . import bends, fitup, fixing, joints, lengths, units  # noqa: F401 - keeps the tools
from .registry import Tool, ToolBox, find_tool, tools

__all__ = ["Tool", "ToolBox", "find_tool", "tools"]
