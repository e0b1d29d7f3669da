"""Pipe systems, ends, threads, fittings, devices and stations: data with a source word, and its loader."""

from .ends import End, canonical_end, parse_end
from .loader import (
    Catalogue,
    Device,
    KitRow,
    Limit,
    Loss,
    PipeSize,
    PortRow,
    Socket,
    StationKind,
    System,
    Thread,
    standard,
)

__all__ = [
    "Catalogue",
    "Device",
    "End",
    "KitRow",
    "Limit",
    "Loss",
    "PipeSize",
    "PortRow",
    "Socket",
    "StationKind",
    "System",
    "Thread",
    "canonical_end",
    "parse_end",
    "standard",
]
