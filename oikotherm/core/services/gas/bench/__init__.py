"""Calc tools of gas: what a pipe carries, the wrong gas, traps, rooms, connectors, tanks, nipples, proving."""

from . import fuel, pipes, proving  # noqa: F401 - keeps the tools
from .box import tool

TOOLS = tool.tools
