"""The catalogue that ships with the program."""

from __future__ import annotations

import functools

from .loader import Catalogue, read_catalogue
from .parts import with_parts


@functools.cache
def standard() -> Catalogue:
    """The catalogue that ships with the program, read once."""
    return with_parts(read_catalogue())
