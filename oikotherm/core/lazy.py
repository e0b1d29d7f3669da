"""What is worked out of an object when it is first asked for."""

from __future__ import annotations

import functools
import sys
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING or sys.version_info >= (3, 12):
    lazy = functools.cached_property
else:

    class lazy(functools.cached_property):  # noqa: N801 - used as a decorator
        """functools.cached_property without its lock, as it is from Python 3.12 on. Before, one lock is held for an
        attribute of all objects: who waits for the findings of a small job waits for those of the largest. Two threads
        that ask at once may both work it out; the first result stays."""

        def __get__(self, instance: Any, owner: type[Any] | None = None) -> Any:
            if instance is None:
                return self
            kept = instance.__dict__
            if self.attrname not in kept:
                kept.setdefault(self.attrname, self.func(instance))
            return kept[self.attrname]
