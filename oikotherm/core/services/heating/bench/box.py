"""The calc tools of heating are kept here."""

from ....bench.registry import ToolBox

tool = ToolBox()
