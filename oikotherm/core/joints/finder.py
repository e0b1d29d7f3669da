"""The transition finder: which chain of parts takes one end to another, lawfully, with the tools that are there.

A chain is a path over ends: from the open end one joint leads into a part, and the part's other end is open next. Paths
are searched best first with the least number of parts still to come as a lower bound (A*, Hart, Nilsson and Raphael
1968).
"""

from __future__ import annotations

import heapq
import itertools
import math
from collections import Counter, deque
from collections.abc import Iterator
from dataclasses import dataclass, field, replace

from ..catalogue import Catalogue, End
from ..catalogue.ends import CONNECTOR_FLARES
from ..catalogue.part import Part
from ..catalogue.parts import end_bore_mm, end_limits, end_od_mm, insertion_mm
from ..errors import Refused, nearest
from ..memory import Memory
from ..quantity import PA_PER_BAR
from ..services import spec
from .chain import Answer, Ask, Chain, ChainJoint, Link
from .law import Question, Verdict, ends_allowed, heat_away_mm, law, metal_of
from .mate import Mate, fit

JOINT_COST, PRICE_COST, STOCK_GAIN, BORE_COST = 10.0, 1.0, 4.0, 12.0
RANK_COST = 2.5  # for each place a method stands lower in the school's list
MOST_PARTS = 6
BETWEEN_MM = 20.0  # typ: bare pipe of a stub between the mouths of two fittings
STUB_CODES = ("cu-m", "cu-l", "cu-soft", "pb-m", "pexa", "mlc", "fe-press")


def find(ask: Ask, catalogue: Catalogue, memory: Memory | None = None, *, explain: bool = True) -> Answer:
    """The chains for a question, best first. Raises Refused for a service or number out of range.

    explain: look for rejected chains even where there is one that holds.
    """
    if not 1 <= ask.at_most <= 12:
        raise Refused("at_most", ask.at_most, "a number from 1 to 12", "4")
    ask = _with_usual(ask)
    memory = Memory() if memory is None else memory
    families = {part.family for part in catalogue.parts.values()}
    if ask.via and ask.via not in families:
        raise Refused("via", ask.via, f"a family of parts such as {nearest(ask.via, families)}", "gas-connector")
    barred = _barred(ask, catalogue)
    if barred:  # whatever joins them: there is no more to say
        none = Chain((), (), 0.0, (), barred, None, 0.0, False, 0)
        return Answer((), (none,))
    graph = _graph(catalogue, memory)
    strict = tuple(_Search(graph, ask, strict=True).run(ask.at_most))
    if strict and not explain:
        return Answer(strict, ())
    taken = {tuple(link.title for link in chain.links) for chain in strict}
    loose = [
        chain
        for chain in _Search(graph, ask, strict=False).run(24)
        if chain.reasons and tuple(link.title for link in chain.links) not in taken
    ]
    # what fits but is not allowed tells more than what does not fit
    loose.sort(key=lambda chain: (any(not joint.method for joint in chain.joints), len(chain.reasons), chain.score))
    return Answer(strict, tuple(loose[: min(ask.at_most, 4)]))


def named_chain(ask: Ask, ids: str, catalogue: Catalogue, memory: Memory | None = None) -> Chain:
    """The chain that somebody chose: parts of the catalogue by their ids joined by +, in the order they stand, each the
    way round it fits.

    What forbids it, or where it does not fit, is in its reasons; none where it can be made. A piece of pipe between two
    parts is written stub-CODE-SIZE. Raises Refused for an id that is not a part in line, more than MOST_PARTS of them,
    or as find() does.
    """
    ask = _with_usual(ask)
    graph = _graph(catalogue, Memory() if memory is None else memory)
    ways: dict[str, list[Link]] = {}
    for links in graph.enters.values():
        for link in links:
            ways.setdefault(link.id, []).append(link)
    wanted = [one.strip() for one in ids.split("+")]
    example = "press-male-15x1/2+cap-coupling-15"
    for one in wanted:
        if one not in ways:
            known = catalogue.parts.get(one)
            expected = (
                f"a part that joins two ends in one line, not {known.title}"
                if known
                else f"a part of the catalogue such as {nearest(one, ways)}"
            )
            raise Refused("chain", one, expected, example)
    if len(wanted) > MOST_PARTS:
        raise Refused("chain", ids, f"at most {MOST_PARTS} parts", example)
    search = _Search(graph, ask, strict=False)
    states = [search.first()]
    for one in wanted:
        states = [new for state in states for link in ways[one] if (new := search.step(state, link))]
    ends = [new for state in states if (new := search.close(state))]
    best = min(ends, key=lambda state: (len(state.reasons), state.cost))
    chain = search.chain(best)
    return replace(chain, reasons=(*_barred(ask, catalogue), *chain.reasons))


def _with_usual(ask: Ask) -> Ask:
    """With what the water or gas becomes where nobody has said. Raises Refused for a service or number out of range."""
    usual = spec.role(ask.role) if ask.role else spec.service(ask.service)
    temp_c = usual.temp_c if ask.temp_c is None else ask.temp_c
    pressure_bar = usual.pressure_pa / PA_PER_BAR if ask.pressure_bar is None else ask.pressure_bar
    if not -30 <= temp_c <= 400 or not 0 <= pressure_bar <= 50:
        raise Refused("temp_c", f"{temp_c:g} C, {pressure_bar:g} bar", "-30 to 400 C and 0 to 50 bar", "80")
    return replace(ask, temp_c=temp_c, pressure_bar=pressure_bar)


def _barred(ask: Ask, catalogue: Catalogue) -> tuple[str, ...]:
    """What forbids the two ends themselves, whatever joins them."""
    question = replace(
        ask.question(ask.start, ask.goal), temp_c=ask.temp_c, pressure_pa=(ask.pressure_bar or 0.0) * PA_PER_BAR
    )
    return tuple(reason.text for reason in ends_allowed(catalogue, question))


# --- the graph of ends
# ---------------------------------------------------------------------------------------------------


@dataclass(slots=True)
class _Graph:
    """Oriented parts and stubs by the end they are entered at, and which ends go together, found when asked for."""

    catalogue: Catalogue
    memory: Memory
    enters: dict[End, list[Link]] = field(default_factory=dict)
    tokens: dict[tuple[object, ...], list[End]] = field(default_factory=dict)

    def partners_of(self, end: End) -> list[tuple[End, Mate]]:
        """Ends of parts that meet this end, or seem to, with the verdict."""
        return self.memory.keep("partners of an end", (self,), end, lambda: self._partners(end))

    def _partners(self, end: End) -> list[tuple[End, Mate]]:
        near = dict.fromkeys(other for token in _tokens(self.catalogue, end) for other in self.tokens.get(token, ()))
        pairs = ((other, fit(self.catalogue, end, other)) for other in near)
        return [(other, verdict) for other, verdict in pairs if verdict.verdict != "refused" or verdict.tempting]

    def law(self, question: Question) -> Verdict:
        """The verdict on a question, without proposals."""
        return self.memory.keep(
            "verdict", (self.catalogue,), question, lambda: law(self.catalogue, question, suggest=False)
        )

    def parts_to_go(self, goal: End) -> dict[End, int]:
        """End -> the least number of parts that still stand between it and the goal, through pairs that fit."""
        return self.memory.keep("parts to go", (self,), goal, lambda: self._parts_to_go(goal))

    def _parts_to_go(self, goal: End) -> dict[End, int]:
        found: dict[End, int] = {}
        waiting: deque[tuple[End, int]] = deque()
        reached = {goal}
        waiting.append((goal, 0))
        while waiting:
            end, steps = waiting.popleft()
            for other, verdict in self.partners_of(end):
                if verdict.verdict == "refused":
                    continue
                found.setdefault(other, steps)
                for link in self.enters[other]:
                    if link.leave not in reached:
                        reached.add(link.leave)
                        waiting.append((link.leave, steps + 1))
        return found


def _graph(catalogue: Catalogue, memory: Memory) -> _Graph:
    return memory.keep("parts by their ends", (catalogue,), None, lambda: _make_graph(catalogue, memory), most=4)


def _make_graph(catalogue: Catalogue, memory: Memory) -> _Graph:
    graph = _Graph(catalogue, memory)
    for part in catalogue.parts.values():
        if part.inline:
            a, b = part.ends
            graph.enters.setdefault(a, []).append(Link(part, a, b, part.title))
            if a != b:
                graph.enters.setdefault(b, []).append(Link(part, b, a, part.title))
    for code, size in catalogue.pipes:
        if code in STUB_CODES:
            end = End(code, size, "pipe")
            graph.enters.setdefault(end, []).append(Link(None, end, end, f"{code} {size} stub"))
    for end in graph.enters:
        for token in _tokens(catalogue, end):
            graph.tokens.setdefault(token, []).append(end)
    return graph


def _tokens(catalogue: Catalogue, end: End) -> list[tuple[object, ...]]:
    """What an end can be looked up by: two ends that meet share a token."""
    found: list[tuple[object, ...]] = []
    if end.form in ("pipe", "socket"):
        od = end_od_mm(catalogue, end)
        if od is not None:
            base = round(od)
            found += [("od", base + n) for n in ((-1, 0, 1) if end.form == "pipe" else (0,))]
    if end.family in ("R", "Rp", "Rc", "G", "NPT", "fe-40", "fe-m", "galv"):
        found.append(("thread", end.size))
    if end.family == "flare-45" or catalogue.material(end.family) == "copper":
        found.append(("flare", end.size))
    if end.family == "conn":
        found.append(("flare", CONNECTOR_FLARES[end.size]))
    if end.family in ("csst", "union", "vent", "hose"):
        found.append((end.family, end.size))
    return found


# --- the search ---------------------------------------------------------------------------------------------


@dataclass(slots=True)
class _State:
    """A partial chain: how far it has come and what it has done. side: base metal met since the last insulating
    part."""

    cost: float
    end: End
    metal: str
    side: str
    undone: bool
    passed: bool
    shielded: bool
    links: tuple[Link, ...]
    joints: tuple[ChainJoint, ...]
    reasons: tuple[str, ...]
    bore: float | None


class _Search:
    def __init__(self, graph: _Graph, ask: Ask, *, strict: bool) -> None:
        self.graph = graph
        self.ask = ask
        self.strict = strict
        self.catalogue = graph.catalogue
        self.stock = dict(ask.stock)
        self.temp_c, self.pressure_bar = ask.temp_c or 0.0, ask.pressure_bar or 0.0
        self.rank = {method: n * RANK_COST for n, method in enumerate(ask.preferred)}
        self.rank.setdefault(
            "compression-mlc", self.rank.get("compression", 0.0)
        )  # where nobody has said: as other clamps
        bores = [bore for end in (ask.start, ask.goal) if (bore := end_bore_mm(self.catalogue, end))]
        self.bore = min(bores) if bores else None
        self.steps: dict[End, int | None] = {}

    def run(self, most: int) -> Iterator[Chain]:
        ask = self.ask
        far = self.graph.parts_to_go(ask.goal)
        ids = itertools.count()
        heap: list[tuple[float, int, _State]] = [(0.0, next(ids), self.first())]
        seen: dict[tuple[object, ...], int] = {}
        told: list[_Mark] = []
        given = pops = 0
        last = math.inf  # nothing much worse than the best is worth telling
        limit = most + 2 if self.strict else 4
        while heap and given < most and pops < 3000:
            bound, _, state = heapq.heappop(heap)
            pops += 1
            if bound > last:
                return
            if state.end is _DONE:
                mark = self._mark(state)
                if not any(_says_no_more(mark, one) for one in told):
                    told.append(mark)
                    given += 1
                    last = min(last, 1.3 * state.cost + 20)
                    yield self.chain(state)
                continue
            key = (state.end, state.undone, state.passed, state.shielded, state.side, bool(state.reasons))
            seen[key] = seen.get(key, 0) + 1
            if seen[key] > limit:
                continue
            met = fit(self.catalogue, state.end, ask.goal)
            fits = met.verdict != "refused" or (met.tempting and not self.strict)
            if fits and (done := self.close(state)):
                heapq.heappush(heap, (done.cost, next(ids), done))
            if len(state.links) >= MOST_PARTS:
                continue
            for new, to_go in self._longer(state, far):
                heapq.heappush(heap, (new.cost + (to_go + 1) * JOINT_COST, next(ids), new))

    def _longer(self, state: _State, far: dict[End, int]) -> Iterator[tuple[_State, int]]:
        """A chain with one part more, each way there is, and the least number of parts still to come."""
        for enter, verdict in self.graph.partners_of(state.end):
            if verdict.verdict == "refused" and (self.strict or state.links != ()):
                continue
            for link in self.graph.enters[enter]:
                if self._again(state, link) or (new := self.step(state, link)) is None:
                    continue
                to_go = self.steps.get(new.end, -1)
                if to_go == -1:
                    to_go = self.steps[new.end] = self._steps(new.end, far)
                if to_go is not None and len(new.links) + to_go <= MOST_PARTS:
                    yield new, to_go

    def _again(self, state: _State, link: Link) -> bool:
        """Whether a part is in the chain already, or a stub would follow a stub."""
        if link.part is None:
            return bool(state.links) and state.links[-1].part is None
        return any(link.part is one.part for one in state.links)

    def first(self) -> _State:
        """The open start."""
        ask = self.ask
        metal = metal_of(self.catalogue, ask.start)
        return _State(0.0, ask.start, metal, _side(metal, ""), False, not ask.via, not ask.near_heat, (), (), (), None)

    def _mark(self, state: _State) -> _Mark:
        """What sets a chain apart for a fitter: its joints, special parts, bore, and what is on the van."""
        special = frozenset(mark for link in state.links if link.part for mark in link.part.marks & _SPECIAL)
        return (
            Counter([joint.method for joint in state.joints] + list(state.reasons)),
            special,
            state.bore or 0.0,
            self._on_van(state),
        )

    def _on_van(self, state: _State) -> int:
        return sum(bool(link.part and self.stock.get(link.part.id)) for link in state.links)

    def _steps(self, end: End, far: dict[End, int]) -> int | None:
        """The least number of parts still to come: 0 where the open end meets the goal."""
        if fit(self.catalogue, end, self.ask.goal).verdict != "refused":
            return 0
        best: int | None = None
        for other, verdict in self.graph.partners_of(end):
            if verdict.verdict != "refused":
                for link in self.graph.enters[other]:
                    steps = far.get(link.leave)
                    if steps is not None and (best is None or steps + 1 < best):
                        best = steps + 1
        return best

    def _joint(
        self, state: _State, other: End, metal: str, part: Part | None = None
    ) -> tuple[ChainJoint, float, list[str]] | None:
        """The joint of the open end with another (of a part), what it costs, and what forbids it."""
        marks = part.marks | {"plastic"} if part and metal == "plastic" else part.marks if part else frozenset()
        hot = self.ask.near_heat and not state.shielded
        verdict = self.graph.law(self.ask.question(state.end, other, hot=hot, marks=marks & _LEGAL))
        if verdict.refused and self.strict:
            return None
        reasons = [reason.text for reason in verdict.reasons]
        tool = _tool_missing(self.catalogue, self.ask.tools, verdict.method, state.end, other)
        if tool:
            reasons.append(f"It takes {tool}, which is not on the van.")
        if self.ask.service == "water" and {_side(metal, ""), state.side} == {"copper", "steel"}:
            reasons.append("Copper on steel or zinc in fresh water: a dielectric or a brass valve stands between.")
        if reasons and self.strict:
            return None
        if "set" in other.marks:  # a reducing set lies in the body that takes the pipe: one joint, made with the pipe
            return ChainJoint(str(state.end), str(other), verdict.method, verdict.needs, verdict.why), 0.0, reasons
        cost = JOINT_COST + self.rank.get(verdict.method, 0.0)
        if any("access" in need for need in verdict.needs) and not any(
            "access" in need for one in state.joints for need in one.needs
        ):
            cost += 12.0
        cost += 1.0 if verdict.verdict == "with" else 0.0
        return ChainJoint(str(state.end), str(other), verdict.method, verdict.needs, verdict.why), cost, reasons

    def step(self, state: _State, link: Link) -> _State | None:
        """The state with a part put on its open end; None where that is not allowed."""
        ask, part = self.ask, link.part
        metal = part.metal if part else metal_of(self.catalogue, link.enter)
        made = self._joint(state, link.enter, metal, part)
        if made is None:
            return None
        joint, cost, reasons = made
        reasons += self._unfit(link)
        if reasons and self.strict:
            return None
        shield = ask.near_heat and part is None and metal in ("copper", "steel")
        stub_mm = 0.0 if part else self._stub_mm(state, away=shield and not state.shielded)
        cost += self._part_cost(part) if part else self._stub_cost(link)
        bore = part.bore_mm if part else end_bore_mm(self.catalogue, link.enter)
        if bore is not None and self.bore and bore < 0.92 * self.bore:
            cost += BORE_COST * (1 - bore / self.bore)
        bores = [one for one in (state.bore, bore) if one is not None]
        undone = state.undone or self._undone(joint) or (part is not None and "undone" in part.marks)
        insulating = part is not None and ("dielectric" in part.marks or "valve" in part.marks or metal == "plastic")
        side = "" if insulating or metal == "plastic" else _side(metal, state.side)
        return _State(
            state.cost + cost + (9.0 if reasons else 0.0),
            link.leave,
            metal,
            side,
            undone,
            state.passed or (part is not None and part.family == ask.via),
            state.shielded or shield,
            (*state.links, Link(part, link.enter, link.leave, link.title, stub_mm)),
            (*state.joints, joint),
            (*state.reasons, *reasons),
            min(bores) if bores else None,
        )

    def _stub_mm(self, state: _State, *, away: bool) -> float:
        """Length of a bare piece of pipe [mm], far enough from the heat where it goes away from it. The other insertion
        is taken as this one: the stub is cut when both are known."""
        depth = insertion_mm(self.catalogue, state.end) or 0.0
        return round(2 * depth + (heat_away_mm(self.catalogue, self.ask.practice) if away else BETWEEN_MM), 1)

    def _stub_cost(self, link: Link) -> float:
        """A piece of the pipe that is there is nearer at hand than another."""
        if link.enter.family in (self.ask.start.family, self.ask.goal.family):
            return 1.5
        return 2.0 if link.enter.family in ("cu-m", "cu-l") else 8.0

    def _part_cost(self, part: Part) -> float:
        """What a part costs: its price class, less where it is on the van, its loss, and more for what nobody asked
        for."""
        cost = part.price * PRICE_COST - (STOCK_GAIN if self.stock.get(part.id) else 0.0) + (part.k or 0.0)
        unasked = self.ask.via != part.family
        if "valve" in part.marks and unasked and self.ask.via != "gas-connector":  # which has its valve before it
            cost += 8.0
        if "connector" in part.marks and unasked:
            cost += 15.0
        if part.shape == "union" or "slip" in part.ends[0].marks:
            cost += 2.0  # dearer to make than what it replaces
        return cost

    def _unfit(self, link: Link) -> list[str]:
        """What forbids a part itself, whatever it is joined to: what it is made for, the heat and pressure it bears."""
        ask, part, reasons = self.ask, link.part, []
        title = f"{link.title[:1].upper()}{link.title[1:]}"
        services = part.services if part else self.catalogue.systems[link.enter.family].services
        if not {ask.service, spec.service(ask.service).like} & set(services):
            reasons.append(f"{title} is not for {ask.service}.")
        t_max, p_max = (part.t_max_c, part.p_max_bar) if part else end_limits()[link.enter.family][:2]
        if t_max < self.temp_c:
            reasons.append(f"{title} bears {t_max:g} C, it becomes {self.temp_c:g} C (typ).")
        if p_max < self.pressure_bar:
            reasons.append(f"{title} bears {p_max:g} bar, it becomes {self.pressure_bar:g} bar (typ).")
        return reasons

    def _undone(self, joint: ChainJoint) -> bool:
        row = self.catalogue.methods.get(joint.method)
        return bool(row and row.undone == "yes")

    def close(self, state: _State) -> _State | None:
        """The state with its last joint made to the goal; None where that is not allowed."""
        ask, goal = self.ask, self.ask.goal
        metal = metal_of(self.catalogue, goal)
        made = self._joint(state, goal, metal)
        if made is None:
            return None
        joint, cost, reasons = made
        if ask.undo and not (state.undone or self._undone(joint)):
            reasons.append("None of its joints comes apart again.")
        if not state.passed:
            reasons.append(f"It does not pass {ask.via}.")
        if reasons and self.strict:
            return None
        undone = state.undone or self._undone(joint)
        return _State(
            state.cost + cost + (9.0 if reasons else 0.0),
            _DONE,
            metal,
            state.side,
            undone,
            state.passed,
            state.shielded,
            state.links,
            (*state.joints, joint),
            (*state.reasons, *reasons),
            state.bore,
        )

    def chain(self, state: _State) -> Chain:
        """What a state has become, in words."""
        links = tuple(self._cut(state, n) for n in range(len(state.links)))
        in_stock = self._on_van(state)
        count = sum(not joint.b.endswith(" set") for joint in state.joints)
        words = [f"{count} joint{'s' if count != 1 else ''}: {_methods(state.joints)}"]
        if state.undone:
            words.append("comes apart again")
        elif not any(joint.method in ("thread",) for joint in state.joints):
            words.append("permanent")
        if in_stock:
            words.append(f"{in_stock} of {sum(link.part is not None for link in links)} parts on the van")
        if state.bore and self.bore and state.bore < 0.92 * self.bore:
            words.append(f"bore falls to {state.bore:.1f} mm")
        if any("access" in need for joint in state.joints for need in joint.needs):
            words.append("behind an access panel")
        return Chain(
            links,
            state.joints,
            round(state.cost, 1),
            tuple(words),
            tuple(dict.fromkeys(state.reasons)),
            state.bore,
            round(sum(link.length_mm for link in links), 2),
            state.undone,
            in_stock,
        )

    def _cut(self, state: _State, n: int) -> Link:
        """A stub with the insertions of both its ends."""
        link = state.links[n]
        if link.part is not None:
            return link
        before = state.links[n - 1].leave if n else self.ask.start
        after = state.links[n + 1].enter if n + 1 < len(state.links) else self.ask.goal
        depths = (insertion_mm(self.catalogue, before) or 0.0) + (insertion_mm(self.catalogue, after) or 0.0)
        free = link.stub_mm - 2 * (insertion_mm(self.catalogue, before) or 0.0)
        return Link(None, link.enter, link.leave, link.title, round(free + depths, 1))


_DONE = End("done", "", "")
_SPECIAL = frozenset({"valve", "dielectric", "union", "undone", "connector"})
_Mark = tuple[Counter[str], frozenset[str], float, int]


def _says_no_more(mark: _Mark, before: _Mark) -> bool:
    """Whether a chain only makes longer, or says again, what a better one already does."""
    return before[0] <= mark[0] and before[1] == mark[1] and mark[2] < before[2] * 1.05 and mark[3] <= before[3]


def _methods(joints: tuple[ChainJoint, ...]) -> str:
    return ", ".join(dict.fromkeys(joint.method or "refused" for joint in joints))


def _side(metal: str, before: str) -> str:
    return metal if metal in ("copper", "steel") else before


_LEGAL = frozenset(
    {"union", "connector", "dielectric", "bush", "plastic", "heat-sensitive"}
)  # marks of a part the law looks at


def _tool_missing(catalogue: Catalogue, tools: frozenset[str] | None, method: str, a: End, b: End) -> str:
    """The tool a joint takes that is not owned; empty when it is there, or none is needed."""
    if tools is None or not method:
        return ""
    need = catalogue.methods[method].tool
    owned = {word.lower() for word in tools}
    size = a.size
    if need in ("press", "press-mlc"):
        marks = [
            mark.removeprefix("contour-").lower() for end in (a, b) for mark in end.marks if mark.startswith("contour-")
        ]
        fits = {method, f"{method} {size}", *(f"press {mark} {size}" for mark in marks)}
        fits |= {
            f"press {letter} {size}"
            for letter in (("v", "m") if method == "press" else ("th", "u", "h", "b", "f"))
            if not marks
        }
        return "" if fits & owned else f"a press tool with a {size} jaw"
    if need == "expander":
        return "" if {"expander", f"expander {size}"} & owned else f"an expander with a {size} head"
    if need == "threader":
        if "pipe" not in (a.form, b.form):
            return ""
        return "" if {"threader", f"threader {size}"} & owned else "a threader"
    return "" if not need or need in owned else f"a {need}"
