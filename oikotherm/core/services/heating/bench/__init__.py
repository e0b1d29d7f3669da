"""Calc tools of heating: emitters, circuits, pumps, radiators."""

from . import circuits, emitters, radiators  # noqa: F401 - keeps the tools
from .box import tool

TOOLS = tool.tools
