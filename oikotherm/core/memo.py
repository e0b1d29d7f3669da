"""Remembers what pure functions made of the very same objects, so that an edit costs what it changes and not the whole house."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

T = TypeVar("T")


class Remembered(Generic[T]):
    """Results by the identity of immutable inputs and some plain values. Forgets all when it holds too many."""

    def __init__(self, most: int) -> None:
        self.most = most
        self.kept: dict[tuple[Hashable, ...], tuple[tuple[object, ...], T]] = {}

    def __call__(self, objects: tuple[object, ...], values: Hashable, make: Callable[[], T]) -> T:
        """What make() gives for these objects and values, made once. The objects are kept alive, so that an id stays theirs."""
        key = (*map(id, objects), values)
        found = self.kept.get(key)
        if found is not None:
            return found[1]
        made = make()
        if len(self.kept) >= self.most:
            self.kept = {}
        self.kept[key] = (objects, made)
        return made
