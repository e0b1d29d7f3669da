"""Labels a fitter writes on pipe and reads on the sheet: pieces are letters (F1-A), joints are numbers (F1-04)."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping

LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ"  # without I and O, which are read as figures


def letters(number: int) -> str:
    """0 -> A, 23 -> Z, 24 -> AA."""
    text = ""
    number += 1
    while number:
        number, rest = divmod(number - 1, len(LETTERS))
        text = LETTERS[rest] + text
    return text


def label_all(keys: Iterable[tuple[str, str]], frozen: Mapping[str, str], *, pieces: bool) -> dict[str, str]:
    """Labels for (key, run) in order. A frozen label stays with its key; the others take what is free in their run."""
    taken = set(frozen.values())
    used: dict[str, int] = defaultdict(int)
    result: dict[str, str] = {}
    for key, run in keys:
        if key in frozen:
            result[key] = frozen[key]
            continue
        while True:
            number = used[run]
            used[run] += 1
            label = f"{run}-{letters(number)}" if pieces else f"{run}-{number + 1:02d}"
            if label not in taken:
                break
        result[key] = label
    return result
