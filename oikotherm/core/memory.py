"""Remembers what pure functions made of the very same objects, so that an edit costs what it changes and not the whole
house.

One Memory is made by the program that runs (the web application, a command, a test) and handed down as Context.memory.
Nothing else keeps what is derived; forgetting all of it changes no result.
"""

from __future__ import annotations

import gc
import sys
import threading
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field
from types import FunctionType, ModuleType
from typing import Any, TypeVar

T = TypeVar("T")
Key = tuple[Hashable, ...]
USUAL_BYTES = 110_000_000  # a house of 300 emitters takes 60, and the jobs beside it must not lose theirs
LEFT = 0.8
ENTRY_BYTES = 500  # key, inputs and the table's own share
SAMPLES = 8  # results of a function that are measured, two of big ones; after that each 128th
BIG_BYTES = 50_000
MOST_COUNTED = 200_000  # objects of one result
SAMPLE = 64
WHOLE = type | FunctionType | ModuleType  # never part of a result


@dataclass(slots=True)
class _Table:
    """How big the results of one function are: the mean of those measured."""

    seen: int = 0
    measured: int = 0
    total_bytes: int = 0
    few: list[Key] = field(default_factory=list)
    """The keys of a table that holds only few results."""

    @property
    def mean_bytes(self) -> int:
        return self.total_bytes // max(self.measured, 1)


class _Entry:
    """A result with the inputs it was made of, its bytes by estimate, and when it was last asked for."""

    __slots__ = ("asked", "bytes", "inputs", "result")

    def __init__(self, inputs: tuple[object, ...], result: Any, size: int, asked: int) -> None:
        self.inputs = inputs
        self.result = result
        self.bytes = size
        self.asked = asked


class Memory:
    """Results by the identity of the immutable objects they were made of, and some plain values.

    most_bytes: what it may hold, by estimate (the first results of a function are measured, then samples); over that,
    what was not asked for longest is forgotten, until LEFT of it is held. It may be used from several threads.
    """

    def __init__(self, most_bytes: int = USUAL_BYTES) -> None:
        self.most_bytes = most_bytes
        self.held_bytes = 0
        self._asked = 0
        self._entries: dict[Key, _Entry] = {}
        self._tables: dict[str, _Table] = {}
        self._lock = threading.RLock()

    def __len__(self) -> int:
        return len(self._entries)

    def keep(self, table: str, inputs: tuple[object, ...], values: Hashable, make: Callable[[], T], most: int = 0) -> T:
        """What make() gives for these inputs and values, made once.

        table: which function's result; inputs: compared by identity, and held, so that what they are is not another
        thing later; values: compared by equality. make must be pure in them. most: results of this function to hold at
        most, 0 for any number: few where they are of a whole job, which the next edit makes another.
        """
        key = (table, values, *map(id, inputs))
        entry = self._entries.get(key)
        if entry is None:  # the inputs of an entry are held, so an id stays theirs: equal ids are the same objects
            entry = self._make(key, inputs, make, most)
        self._asked += 1  # a count lost between threads does no harm: it only tells old from new
        entry.asked = self._asked
        found: T = entry.result
        return found

    def _make(self, key: Key, inputs: tuple[object, ...], make: Callable[[], object], most: int) -> _Entry:
        made = make()
        size = self._size(str(key[0]), inputs, made)  # not while others wait: a count lost between threads does no harm
        with self._lock:
            there = self._entries.get(key)
            if there is not None:
                return there  # another thread was first: its object is the one that stays
            entry = _Entry(inputs, made, size, self._asked)
            self._entries[key] = entry
            self.held_bytes += entry.bytes
            if most:
                self._keep_few(self._tables[str(key[0])].few, key, most)
            if self.held_bytes > self.most_bytes:
                self._drop()
        return entry

    def _keep_few(self, few: list[Key], key: Key, most: int) -> None:
        """Forget all but the most of a table that were asked for last."""
        few[:] = sorted((one for one in few if one in self._entries), key=lambda one: self._entries[one].asked)
        for old in few[: max(len(few) - most + 1, 0)]:
            self.held_bytes -= self._entries.pop(old).bytes
        few[:] = [*few[max(len(few) - most + 1, 0) :], key]

    def _drop(self) -> None:
        """Forget what was not asked for longest."""
        for key, entry in sorted(self._entries.items(), key=lambda row: row[1].asked):
            if self.held_bytes <= LEFT * self.most_bytes:
                break
            del self._entries[key]
            self.held_bytes -= entry.bytes

    def forget(self) -> None:
        """Forget everything."""
        with self._lock:
            self._entries.clear()
            self._tables.clear()
            self.held_bytes = 0

    def by_table(self) -> dict[str, tuple[int, int]]:
        """Table -> (results, bytes by estimate), the biggest first."""
        found: dict[str, tuple[int, int]] = {}
        with self._lock:
            for key, entry in self._entries.items():
                count, size = found.get(str(key[0]), (0, 0))
                found[str(key[0])] = count + 1, size + entry.bytes
        return dict(sorted(found.items(), key=lambda row: -row[1][1]))

    def _size(self, name: str, inputs: tuple[object, ...], made: object) -> int:
        table = self._tables.setdefault(name, _Table())
        table.seen += 1
        few = 2 if table.mean_bytes > BIG_BYTES else SAMPLES
        if table.seen <= few or table.seen % 128 == 0 or table.seen in (16, 32, 64):
            table.measured += 1
            table.total_bytes += size_bytes(made, inputs)
        return ENTRY_BYTES + table.mean_bytes


def size_bytes(thing: object, but: tuple[object, ...] = ()) -> int:
    """What an object and all it leads to take [bytes], without the objects of `but` and what these lead to in two
    steps. Of a collection longer than 2 SAMPLE only every so many members are followed, and count for the rest; at
    most MOST_COUNTED objects are looked at."""
    near = gc.get_referents(*but)
    small = [one for one in near if not isinstance(one, dict | tuple | list) or len(one) < 200]
    seen = {id(one) for one in (*but, *near, *gc.get_referents(*small))}
    waiting: list[tuple[object, float]] = [(thing, 1.0)]
    total = 0.0
    while waiting and len(seen) < MOST_COUNTED:
        one, weight = waiting.pop()
        if id(one) in seen or isinstance(one, WHOLE | Memory):
            continue
        seen.add(id(one))
        total += weight * sys.getsizeof(one)
        members = gc.get_referents(one)
        if len(members) > 2 * SAMPLE:
            step = len(members) // SAMPLE | 1  # odd: a dictionary leads to key and value by turns
            few = members[::step]
            weight *= len(members) / len(few)
            members = few
        waiting += [(member, weight) for member in members]
    return round(total)
