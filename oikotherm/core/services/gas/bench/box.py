"""The calc tools of gas are kept here."""

from ....bench.registry import ToolBox

tool = ToolBox()
