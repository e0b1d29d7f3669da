"""Pieces of one pipe on stock lengths, at the least cost."""

from .lay_out import lay_out
from .stock import Bar, Layout, Part, Stock

__all__ = ["Bar", "Layout", "Part", "Stock", "lay_out"]
