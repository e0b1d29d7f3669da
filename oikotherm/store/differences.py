"""The text of a stored revision, and the difference of one from another: only what an edit touched is stored again.

The text is JSON with every member of the job's lists on a line of its own; a difference is made of whole lines.
"""

from __future__ import annotations

import difflib
import hashlib
import json
import zlib
from collections.abc import Iterator, Sequence
from typing import Any

from pydantic import BaseModel

from ..core.errors import Refused
from ..core.job.model import Job

MOST_TEXT_BYTES = 64_000_000  # what is unpacked of one revision at most
LEVEL = 6


def text_of(job: Job) -> str:
    """The job as text: the same job gives the same text."""
    return "".join(_written(job))


def _written(model: BaseModel) -> Iterator[str]:
    """A model as JSON, its lists of models with a line for each member."""
    mark = "{"
    for name in type(model).model_fields:
        value = getattr(model, name)
        if value is None:
            continue
        yield f"{mark}{json.dumps(name)}:"
        mark = ","
        if isinstance(value, tuple):
            yield "["
            for number, one in enumerate(value):
                yield f"{',' if number else ''}\n{one.model_dump_json(exclude_none=True)}"
            yield "\n]" if value else "]"
        elif isinstance(value, BaseModel):
            yield from _written(value)
        elif isinstance(value, dict):
            plain = {key: one.model_dump(mode="json", exclude_none=True) for key, one in value.items()}
            yield json.dumps(plain, ensure_ascii=False)
        else:
            yield json.dumps(value, ensure_ascii=False)
    yield "}"


def digest_of(text: str) -> str:
    """What a revision is known by: SHA-256 of its text, in hex."""
    return hashlib.sha256(text.encode()).hexdigest()


def pack(text: str) -> bytes:
    """A whole text for storing."""
    return zlib.compress(text.encode(), LEVEL)


def unpack(blob: bytes) -> str:
    """The whole text. Raises Refused for damaged bytes."""
    try:
        unpacker = zlib.decompressobj()
        data = unpacker.decompress(blob, MOST_TEXT_BYTES)
        if unpacker.unconsumed_tail or not unpacker.eof:
            raise ValueError("it has no end")
        return data.decode()
    except (zlib.error, ValueError) as error:
        raise Refused("revision", f"damaged bytes ({error})", "a revision as it was stored", "a backup") from None


def difference(base: str, text: str) -> bytes:
    """What makes a text out of its base: [from line, count] to take over, or a list with one text to put in."""
    old, new = _lines(base), _lines(text)
    steps: list[Any] = []
    for kind, a, b, c, d in _changes(old, new):
        if kind == "equal":
            steps.append([a, b - a])
        elif d > c:
            steps.append(["".join(new[c:d])])
    return pack(json.dumps(steps, ensure_ascii=False, separators=(",", ":")))


def _lines(text: str) -> list[str]:
    """The lines with their ends; only a line feed ends one, which JSON never holds within a string."""
    found = text.split("\n")
    return [*(f"{line}\n" for line in found[:-1]), found[-1]]


def _changes(old: Sequence[str], new: Sequence[str]) -> Iterator[tuple[str, int, int, int, int]]:
    """As difflib gives them, with the same beginning and end taken off first: an edit changes few lines of many."""
    most = min(len(old), len(new))
    head = next((n for n in range(most) if old[n] != new[n]), most)
    tail = next((n for n in range(most - head) if old[-1 - n] != new[-1 - n]), most - head)
    if head:
        yield "equal", 0, head, 0, head
    middle = difflib.SequenceMatcher(None, old[head : len(old) - tail], new[head : len(new) - tail], autojunk=False)
    for kind, a, b, c, d in middle.get_opcodes():
        yield kind, a + head, b + head, c + head, d + head
    if tail:
        yield "equal", len(old) - tail, len(old), len(new) - tail, len(new)


def restored(base: str, blob: bytes) -> str:
    """The text that a difference makes of its base. Raises Refused for damaged bytes."""
    lines = _lines(base)
    found: list[str] = []
    try:
        for step in json.loads(unpack(blob)):
            found.append(step[0] if isinstance(step[0], str) else "".join(lines[step[0] : step[0] + step[1]]))
    except (ValueError, TypeError, LookupError) as error:
        raise Refused("revision", f"damaged bytes ({error})", "a revision as it was stored", "a backup") from None
    return "".join(found)
