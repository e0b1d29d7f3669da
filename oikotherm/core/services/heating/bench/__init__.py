"""Calc tools of heating: emitters, circuits, pumps, radiators, boilers."""

from . import boiler, circuits, emitters, radiators  # noqa: F401 - keeps the tools
from .box import tool

TOOLS = tool.tools
