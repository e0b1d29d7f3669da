"""Pipe systems, ends, threads, fittings, and devices: data with a source word, and its loader."""

from .ends import End, canonical_end, parse_end
from .loader import (
    Catalogue,
    Device,
    KitRow,
    Limit,
    Loss,
    PipeSize,
    Socket,
    System,
    Thread,
)
from .standard import standard

__all__ = [
    "Catalogue",
    "Device",
    "End",
    "KitRow",
    "Limit",
    "Loss",
    "PipeSize",
    "Socket",
    "System",
    "Thread",
    "canonical_end",
    "parse_end",
    "standard",
]
