"""Calc tools of fresh water: flow at once, the wait for hot, the expansion vessel, discharge, the softener."""

from . import backflow, fresh, heaters, softener  # noqa: F401 - keeps the tools
from .box import tool

TOOLS = tool.tools
