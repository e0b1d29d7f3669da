"""What could come next in a line of pacing: anchors, pipes, parts, places."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ..services import spec
from .items import PLACES
from .model import Job, Pipe, Tee, split_anchor
from .ways import way_vector
from .words import Style
from .writing import exact_length

MOST = 8


@dataclass(frozen=True, slots=True)
class Suggestion:
    """Text that could stand from start to end of the line; what: a word on what it is."""

    text: str
    start: int
    end: int
    what: str = ""


@dataclass(frozen=True, slots=True)
class _At:
    """Where the caret stands in a line. before: the line up to it; said: the word begun; start: where that begins."""

    job: Job
    before: str
    said: str
    start: int
    caret: int
    style: Style

    def pick(self, found: list[tuple[str, str]]) -> list[Suggestion]:
        return _pick(found, self.said, self.start, self.caret)


def complete(job: Job, text: str, caret: int, style: Style, run: str | None = None) -> list[Suggestion]:
    """Up to eight suggestions for the word before the caret, the likeliest first. Never raises; an odd text has none.

    run: the run that is being retyped, whose own ends are free again.
    """
    caret = max(0, min(caret, len(text)))
    before = text[:caret]
    if run:
        job = job.model_copy(update={"runs": tuple(one for one in job.runs if one.id != run)})
    for sign, maker in (("[", _parts), ("(", _passes), ("{", _places)):
        opened = before.rfind(sign)
        if opened >= 0 and not any(closer in before[opened:] for closer in "])}"):
            return maker(before[opened + 1 :].lower(), opened + 1, caret, style)
    word = re.search(r"\S*$", before)
    assert word is not None
    at = _At(job, before, word[0], word.start(), caret, style)
    if ":" not in before:
        return _in_head(at)
    for part in (_at_finish, _at_change, _at_items):
        found = part(at)
        if found is not None:
            return found
    return []


def _in_head(at: _At) -> list[Suggestion]:
    """Before the colon: from, where it starts, the pipe."""
    words = at.before[: at.start].split()
    lower = [word.lower() for word in words]
    if "from" not in lower:
        begins = bool(words) or "from".startswith(at.said.lower())
        return at.pick([("from", "where it starts")]) if begins else []
    after = words[lower.index("from") + 1 :]
    if not after:
        return at.pick(_anchors(at.job, free=True, starts=True))
    after = _said_start(at.job, after)
    found: list[Suggestion] = []
    if len(after) == 1:
        likely = _likely_pipe(at.job, after[0], at.style)
        if likely and f"{likely}".startswith(at.said):
            found.append(Suggestion(f"{likely}:", at.start, at.caret, "as its neighbours"))
        station = at.job.station(after[0].upper())
        if station is not None:  # its port may be a word of its own
            found += at.pick([(port.name, port.role) for port in station.ports])
    return [*found, *_pipes(after[1:], at.said, at.start, at.caret, at.style, ":")][:MOST]


def _at_finish(at: _At) -> list[Suggestion] | None:
    """Behind the arrow: where it may end."""
    begun = at.said.startswith("->")
    if not begun and not re.search(r"->\s*$", at.before[: at.start]):
        return None
    cut = 2 if begun else 0
    line = at.before[: at.start + cut].replace("->", " ")
    ends = [*_ends(at.job, line, at.style), ("cap", "an end"), ("plug", "an end"), ("stub", "left for later")]
    return _pick(ends, at.said[cut:], at.start + cut, at.caret)


def _at_change(at: _At) -> list[Suggestion] | None:
    """Behind an equals sign: the pipe it goes on in."""
    changing = re.search(r"=(\S*)(\s+\S*)?$", at.before)
    if not changing or re.search(r"[\])}]", changing[0]):
        return None
    code = changing[1]
    if changing[2] is None:
        return _pipes([], code, changing.start() + 1, at.caret, at.style, "")
    return _pipes([code], changing[2].strip(), at.start, at.caret, at.style, "")


def _at_items(at: _At) -> list[Suggestion] | None:
    """Among the items: a twin, what is crossed over, or the end it may reach from here."""
    items = at.before[at.before.index(":") + 1 :].strip()
    said, job = at.said, at.job
    if not items and not said:
        twins = _twins(job, at.before)
        return [Suggestion(twin, at.caret, at.caret, "beside it, with the same tees") for twin in twins]
    if re.fullmatch(r"twin\s+\S*", items, re.IGNORECASE):
        runs = [(one.id, f"{one.role} from {one.start}") for one in job.runs if not one.twin_of]
        begun = said.lower() != "twin"
        return _pick(runs, said if begun else "", at.start if begun else at.caret, at.caret)
    over = re.search(r"\^\S+\s+over\s+(\S*)$", at.before)
    if over:
        runs = [(one.id, str(one.role)) for one in job.runs]
        obstacles = [(one.id, str(one.kind)) for one in job.house.obstacles]
        return _pick([*runs, *obstacles], over[1], at.caret - len(over[1]), at.caret)
    if not said and items and not items.endswith(("[", "(", "{")):
        ends = _ends(job, at.before, at.style)[:4]
        return [Suggestion(f"-> {anchor}", at.caret, at.caret, what) for anchor, what in ends]
    return None


def _walked(job: Job, line: str, style: Style) -> tuple[Job, str] | None:
    """The job with the line as far as it is typed, and the run it became; None for a line that cannot be read."""
    from ..errors import Refused
    from .commands import apply

    try:
        after = apply(job, {"do": "put_run", "text": line}, style.catalogue)
    except Refused:
        return None
    known = {one.id for one in job.runs}
    new = next((one.id for one in after.runs if one.id not in known), None)
    return (after, new) if new else None


def _ends(job: Job, line: str, style: Style) -> list[tuple[str, str]]:
    """Where the line could finish: free ports of its own role, the nearest to where it has come first; then other ports
    and tees.

    A leg until level reaches any port along its way: it counts as being there.
    """
    from ..pipework.trace import trace
    from .model import Leg

    plain = _anchors(job, free=True, starts=False)
    found = _walked(job, line, style)
    if found is None:
        return plain
    after, ident = found
    work = trace(after, style.catalogue)
    walked = work.runs[ident]
    plain = [pair for pair in plain if pair[0] != walked.run.start]
    open_ways = [way_vector(item.dir) for item in walked.run.items if isinstance(item, Leg) and item.length_mm is None]
    leader = work.runs.get(walked.run.twin_of.run) if walked.run.twin_of else None

    def far(anchor: str) -> float:
        place = work.ports.get(anchor)
        if place is None:
            return 1e9
        if leader is not None:
            return (
                0.0
                if split_anchor(leader.run.finish)[0] == place.station.id
                else 1e8 + place.mouth.minus(leader.end).length
            )
        rest = place.mouth.minus(walked.end)
        idle = 0.0
        for way in open_ways:
            along = rest.dot(way)
            idle += 1e5 if along < 1 else 0.0
            if along > 0:
                rest = rest.plus(way, -along)
        away = place.mouth.minus(walked.end).length / 1e4
        return (
            rest.length
            + away
            + idle
            + (1e6 if place.facing.dot(walked.moves[-1].way if walked.moves else place.facing) > 0.5 else 0.0)
        )

    same = [pair for pair in plain if pair[0] in work.ports and work.ports[pair[0]].port.role == walked.run.role]
    return [*sorted(same, key=lambda pair: far(pair[0])), *(pair for pair in plain if pair not in same)]


def _said_start(job: Job, words: list[str]) -> list[str]:
    """The words after from, with a station and the word that names its port as one."""
    station = job.station(words[0].upper()) if words else None
    if station is not None and len(words) > 1 and any(port.name == words[1].lower() for port in station.ports):
        return [f"{words[0]}.{words[1]}", *words[2:]]
    return words or [""]


def _likely_pipe(job: Job, anchor: str, style: Style) -> Pipe | None:
    """The pipe a run from here usually has: as other branches of the same run, or the next size down; at a port the
    size of its end."""
    owner, name = split_anchor(anchor.upper() if "." in anchor else anchor)
    parent = job.run(owner)
    if parent is None:
        station = job.station(owner)
        port = next((one for one in station.ports if one.name == name.lower()), None) if station else None
        if port is None:
            return None
        size = next(
            (
                word
                for word in (style.catalogue.kits[port.kit[-1].part].outer_end if port.kit else port.end).split()
                if word[0].isdigit()
            ),
            None,
        )
        codes = [one.pipe.code for one in job.runs if one.role == port.role] or [one.pipe.code for one in job.runs]
        code = (
            codes[-1]
            if codes
            else {"british": "cu-m", "continental": "fe-press", "north-american": "cu-l"}[style.practice]
        )
        return Pipe(code=code, size=size) if size and style.catalogue.pipe(code, size) else None
    brothers = [one.pipe for one in job.runs if split_anchor(one.start)[0] == owner]
    if brothers:
        return brothers[-1]
    sizes = style.catalogue.sizes(parent.pipe.code)
    at = sizes.index(parent.pipe.size) if parent.pipe.size in sizes else 0
    return Pipe(code=parent.pipe.code, size=sizes[at - 1]) if at else parent.pipe


def _twins(job: Job, head: str) -> list[str]:
    """Twins a return could be: beside the flow to a station whose return is still free, on the side its first level leg
    leaves open."""
    words = head.split()
    if "from" not in [word.lower() for word in words] or len(words) < 2:
        return []
    anchor = _said_start(job, words[[word.lower() for word in words].index("from") + 1 :])[0]
    owner, name = split_anchor(anchor.upper())
    parent, station = job.run(owner), job.station(owner)
    role = (
        parent.role
        if parent
        else next((port.role for port in station.ports if port.name == name.lower()), "")
        if station
        else ""
    )
    if role != "return":
        return []
    taken = {one for run in job.runs for one in (run.start, run.finish)}
    found = []
    for run in job.runs:
        if run.role != "flow" or run.twin_of:
            continue
        end = job.station(split_anchor(run.finish)[0])
        free = end is not None and any(
            port.role == "return" and f"{end.id}.{port.name}" not in taken for port in end.ports
        )
        begins = split_anchor(run.start)[1] == name or station is not None and split_anchor(run.start)[0] == station.id
        if free and not any(other.twin_of and other.twin_of.run == run.id for other in job.runs):
            first = next(
                (item.dir for item in run.items if item.kind == "leg" and item.dir in ("N", "E", "S", "W")), "E"
            )
            side = "N" if first in ("E", "W") else "E"
            found.append((not begins, f"twin {run.id} {side}50" if job.pace_unit == "mm" else f"twin {run.id} {side}2"))
    return [text for _, text in sorted(found)][:3]


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
        for item in job.points_of(run.id).values()
        if isinstance(item, Tee) and not item.closed and f"{run.id}.{item.name}" not in taken
    ]
    sources = {station.id for station in job.stations if spec.kind(station.kind).sources or station.kind == "stub"}
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


WALKED = re.compile(r"(?:^|(?<=\s))(?P<way>[A-Z]{1,2})(?P<length>\d[^\s?]*)\?$")


def walked(text: str, way: str, step_mm: float, style: Style) -> str | None:
    """A line with a step more: the last leg made longer where it goes that way and was walked, else a leg begun.
    Lengths walked are not taped. step_mm below 0 takes the last leg that was walked off again. None where the line has
    no colon yet."""
    body, arrow, finish = text.partition("->")
    head, colon, items = body.partition(":")
    if not colon:
        return None
    items = items.strip()
    last = WALKED.search(items)
    rest = items[: last.start()].rstrip() if last else items
    length_mm = step_mm
    if last and (step_mm < 0 or last["way"] == way):
        length_mm += style.length_mm(last["length"], "items", (0, len(text)))
        items = rest
    if step_mm > 0:
        said = exact_length(length_mm, style.pace_unit)
        items = f"{items} {way}{said.replace('.', ',') if style.decimal_comma else said}?"
    end = f" -> {finish.strip()}" if arrow else ""
    return f"{head}: {items.strip()}{end}".rstrip()
