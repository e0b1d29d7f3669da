"""The calc tools of fresh water are kept here."""

from ....bench.registry import ToolBox

tool = ToolBox()
