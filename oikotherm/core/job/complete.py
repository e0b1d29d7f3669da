"""What could come next in a line of pacing: anchors, pipes, parts, places."""

from __future__ import annotations

import re
from dataclasses import dataclass

from .model import Job, Tee, split_anchor
from .notation import PLACES, Style

MOST = 8


@dataclass(frozen=True, slots=True)
class Suggestion:
    """Text that could stand from start to end of the line; what: a word on what it is."""

    text: str
    start: int
    end: int
    what: str = ""


def complete(job: Job, text: str, caret: int, style: Style) -> list[Suggestion]:
    """Up to eight suggestions for the word before the caret. Never raises; an odd text has none."""
    caret = max(0, min(caret, len(text)))
    before = text[:caret]
    for sign, maker in (("[", _parts), ("(", _passes), ("{", _places)):
        opened = before.rfind(sign)
        if opened >= 0 and not any(closer in before[opened:] for closer in "])}"):
            return maker(before[opened + 1 :].lower(), opened + 1, caret, style)
    word = re.search(r"\S*$", before)
    assert word is not None
    said, start = word[0], word.start()
    head = ":" not in before
    if head:
        words = before[:start].split()
        if "from" not in [w.lower() for w in words]:
            return (
                _pick([("from", "where it starts")], said, start, caret)
                if words or "from".startswith(said.lower())
                else []
            )
        after = words[[w.lower() for w in words].index("from") + 1 :]
        if not after:
            return _pick(_anchors(job, free=True, starts=True), said, start, caret)
        return _pipes(after[1:], said, start, caret, style, ":")
    if re.search(r"->\s*$", before[:start]) or said.startswith("->"):
        cut = 2 if said.startswith("->") else 0
        ends = [
            *_anchors(job, free=True, starts=False),
            ("cap", "an end"),
            ("plug", "an end"),
            ("stub", "left for later"),
        ]
        return _pick(ends, said[cut:], start + cut, caret)
    changing = re.search(r"=(\S*)(\s+\S*)?$", before)
    if changing and not re.search(r"[\])}]", changing[0]):
        code = changing[1]
        if changing[2] is None:
            return _pipes([], code, changing.start() + 1, caret, style, "")
        return _pipes([code], changing[2].strip(), start, caret, style, "")
    return []


def _pick(options: list[tuple[str, str]], said: str, start: int, end: int) -> list[Suggestion]:
    """The options that begin with what is typed, then those that hold it; none when it is typed whole."""
    low = said.lower()
    first = [option for option in options if option[0].lower().startswith(low)]
    rest = [option for option in options if low and low in option[0].lower() and option not in first]
    return [Suggestion(text, start, end, what) for text, what in (first + rest)[:MOST] if text.lower() != low]


def _anchors(job: Job, *, free: bool, starts: bool) -> list[tuple[str, str]]:
    taken = {anchor for run in job.runs for anchor in (run.start, run.finish)}
    found: list[tuple[str, str]] = []
    for station in job.stations:
        for port in station.ports:
            key = f"{station.id}.{port.name}"
            if key not in taken:
                found.append((key, f"{port.role}, {station.name or station.kind}"))
    tees = [
        (f"{run.id}.{item.name}", f"tee on {run.id}")
        for run in job.runs
        for item in run.items
        if isinstance(item, Tee) and not item.closed and f"{run.id}.{item.name}" not in taken
    ]
    sources = {
        station.id for station in job.stations if station.kind in ("boiler", "supply", "meter", "cylinder", "stub")
    }
    if starts:
        return [*tees, *sorted(found, key=lambda pair: split_anchor(pair[0])[0] not in sources)]
    return [*sorted(found, key=lambda pair: split_anchor(pair[0])[0] in sources), *tees]


def _pipes(words: list[str], said: str, start: int, end: int, style: Style, after: str) -> list[Suggestion]:
    """A pipe code, then its sizes."""
    if not words:
        codes = [(code, system.title) for code, system in style.catalogue.systems.items() if system.new]
        return _pick(codes, said, start, end)
    code = words[0].lower()
    code = style.catalogue.aliases.get((code, style.practice), code)
    sizes = [(f"{size}{after}", code) for size in style.catalogue.sizes(code)]
    return _pick([*sizes, (f"?{after}", "size it later")], said, start, end)


def _parts(inside: str, start: int, end: int, style: Style) -> list[Suggestion]:
    if " " in inside:
        return []
    return _pick([(f"{part}]", title) for part, title in style.catalogue.device_titles().items()], inside, start, end)


def _passes(inside: str, start: int, end: int, style: Style) -> list[Suggestion]:
    words = [
        ("wall 110)", "and its thickness"),
        ("floor 22)", "and its thickness"),
        ("ceiling 13)", "and its thickness"),
        ("joists 4)", "how many"),
    ]
    return [] if " " in inside else _pick(words, inside, start, end)


def _places(inside: str, start: int, end: int, style: Style) -> list[Suggestion]:
    if " " in inside:
        return []
    return _pick(
        [*((f"{place}}}", "how it lies") for place in PLACES), ("lag 13}", "lagging wall")], inside, start, end
    )
