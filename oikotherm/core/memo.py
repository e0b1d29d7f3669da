"""Remembers what pure functions made of the very same objects, so that an edit costs what it changes and not the whole house."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

T = TypeVar("T")
Key = tuple[Hashable, ...]


class Remembered(Generic[T]):
    """Results by the identity of immutable inputs and some plain values.

    It keeps two shelves. When the new one holds `most` results it becomes the old one, and what lay on the old one is forgotten; what is
    asked for again moves to the new one. So what is in use stays, however long the work goes on.
    """

    def __init__(self, most: int) -> None:
        self.most = most
        self.new: dict[Key, tuple[tuple[object, ...], T]] = {}
        self.old: dict[Key, tuple[tuple[object, ...], T]] = {}

    def __call__(self, objects: tuple[object, ...], values: Hashable, make: Callable[[], T]) -> T:
        """What make() gives for these objects and values, made once. The objects are kept alive, so that an id stays theirs."""
        key = (*map(id, objects), values)
        found = self.new.get(key)
        if found is None:
            found = self.old.get(key) or (objects, make())
            if len(self.new) >= self.most:
                self.new, self.old = {}, self.new
            self.new[key] = found
        return found[1]

    def forget(self) -> None:
        """Forget everything."""
        self.new, self.old = {}, {}
