"""Pipe as a tree: from a source the reaches of one size between its partings, and the ends they come to."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from ..job.model import Job, Pipe
from ..job.ways import Vec
from ..joints.fitted import Fitted
from ..pipework.geometry import Pipework, Straight


@dataclass(frozen=True, slots=True)
class Reach:
    """Pipe of one size that carries one flow, along the flow. nodes: where it begins, what lies within it, where it
    ends; keys: its straights; item: the change of pipe its size is said by, None at the start of its run; above: the
    reach that feeds it, "" at the source; came: the last straight before it, "" behind a station; alone: it is all that
    goes on there."""

    id: str
    run: str
    item: str | None
    pipe: Pipe
    keys: tuple[str, ...]
    nodes: tuple[str, ...]
    length_m: float
    above: str
    came: str
    alone: bool

    @property
    def start(self) -> str:
        return self.nodes[0]

    @property
    def end(self) -> str:
        return self.nodes[-1]


@dataclass
class Tree:
    """Reaches as they are walked, each after the one that feeds it. ends: port -> the reach that comes to it; rings:
    whether pipe closes a ring, which is then counted as if it were cut there."""

    reaches: list[Reach] = field(default_factory=list)
    ends: dict[str, str] = field(default_factory=dict)
    rings: bool = False


def walk(
    job: Job,
    fitted: Fitted,
    source: str,
    carries: Callable[[str, str], bool],
    handed_on: Callable[[str], Sequence[tuple[str, str]]],
) -> Tree:
    """The reaches from a source (a port) on. carries: whether the medium goes on from a straight ("" at a port) into
    another; handed_on: from a node that
    is a port, where its station lets the medium on: (port, the straight on it)."""
    work, tree = fitted.pipework, Tree()
    seen: set[str] = set()
    waiting = [(source, straight, "", "", False) for straight in work.arms[source].values() if carries("", straight)]
    while waiting:
        node, straight, above, came, alone = waiting.pop(0)
        if straight in seen:
            tree.rings = True
            continue
        keys: list[str] = []
        nodes = [node]
        while True:
            seen.add(straight)
            keys.append(straight)
            one = work.straights[straight]
            node = one.to_node if one.from_node == node else one.from_node
            nodes.append(node)
            onward = [key for key in work.arms[node].values() if key != straight and carries(straight, key)]
            same = [key for key in onward if _alike(work, one, key)]
            if len(onward) != 1 or not same or onward[0] in seen:
                break
            straight = onward[0]
        one = work.straights[keys[0]]
        number = sum(made.run == one.run for made in tree.reaches) + 1
        made = Reach(
            f"{one.run}-{number}",
            one.run,
            _item(job, work, one.run, one.pipe, keys),
            one.pipe,
            tuple(keys),
            tuple(nodes),
            sum(length_mm(fitted, key) for key in keys) / 1000,
            above,
            came,
            alone,
        )
        tree.reaches.append(made)
        if work.nodes[node].kind == "port":
            tree.ends[work.nodes[node].part] = made.id
            waiting += [(port, key, made.id, "", False) for port, key in handed_on(node) if carries("", key)]
        for key in onward:
            if key in seen:
                tree.rings = True
            else:
                waiting.append((node, key, made.id, straight, len(onward) == 1))
    return tree


def _alike(work: Pipework, one: Straight, key: str) -> bool:
    """Whether another straight is of the same pipe and carries the same."""
    other = work.straights[key]
    return other.pipe == one.pipe and work.runs[other.run].run.role == work.runs[one.run].run.role


def way(work: Pipework, node: str, straight: str) -> Vec:
    """The way out of a node along one of its straights."""
    return work.way_out(node, next(arm for arm, key in work.arms[node].items() if key == straight))


def length_mm(fitted: Fitted, key: str) -> float:
    """The length of a straight between the ends its fittings leave it [mm]."""
    straight = fitted.pipework.straights[key]
    a, b = fitted.spans.get(key, (straight.a, straight.b))
    return float(b.minus(a).length)


def named(work: Pipework, node: str) -> str:
    """What a node is called: a port, a tee by its run and name, else its run."""
    here = work.nodes[node]
    if here.kind == "port":
        return here.part
    return f"{here.run}.{here.name}" if here.name else here.run


def _item(job: Job, work: Pipework, run: str, pipe: Pipe, keys: Sequence[str]) -> str | None:
    """Where the size of a reach is said: the change of pipe before it, None at the start of its run."""
    found = job.run(run)
    said: str | None = None
    if found is None or pipe == found.pipe and not any(item.kind == "pipe" for item in found.items):
        return None
    legs = {leg for key in keys for leg in work.straights[key].legs}
    for item in found.items:
        if item.kind == "pipe":
            said = item.id
        if item.id in legs:
            return said
    return None
