"""Which part stands at every node of a pipework, and by which method its joints are made there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from ..catalogue import Catalogue, Device, End, Socket, System, Thread, parse_end
from ..context import Context
from ..job.model import Job, Pipe
from ..job.ways import Vec, inside
from ..pipework.geometry import Node, Pipework, PortPlace, Straight
from ..practice import METAL_JOINING, MULTILAYER, TURNS, chosen
from .finder import SCHOOL, SERVICES, Answer, Ask, Chain, find
from .fitted import Fitted, Fitting, Mating, Stood, Trouble
from .mate import mate
from .takeoff import (
    chain_mating,
    fitting_angle,
    half_mating,
    part_mating,
    parts_title,
    port_mating,
    reducer_mating,
)

ANGLE_TOLERANCE_DEG = 3.0  # what a fitting and its pipe give without harm
UNKNOWN = Mating("", 0.0, 0.0, 0.0, "not known", "", known=False)
PIPE_END = Mating("", 0.0, 0.0, 0.0, "pipe end", "")


HIDDEN = ("wall", "floor", "ceiling", "ground")


@dataclass(frozen=True, slots=True)
class Here:
    """What decides a joint beside the pipe: what runs through it, whether it lies behind a finish, whether a flame is allowed."""

    service: str
    hidden: bool
    flame: bool


_ANSWERS: dict[tuple[int, Ask], Answer] = {}


def _asked(catalogue: Catalogue, ask: Ask) -> Answer:
    """The finder's answer, kept: the same transition is met at many ports. Why others are rejected is told only where there is none."""
    key = (id(catalogue), ask)
    if key not in _ANSWERS:
        if len(_ANSWERS) > 2000:
            _ANSWERS.clear()
        _ANSWERS[key] = find(ask, catalogue, explain=False)
    return _ANSWERS[key]


class Choices:
    """What a job says of joints and bends wherever they are: the methods its practice takes first, those set by hand (override: fitting ->
    method), rooms without a flame, the largest pipe it bends."""

    def __init__(self, job: Job) -> None:
        self.practice = job.practice
        self.preferred = chosen(job, METAL_JOINING)[0].acts
        multilayer = chosen(job, MULTILAYER)[0].acts
        self.order = (*self.preferred, *(method for method in multilayer if method not in self.preferred))
        self.override = {row.target: str(row.value) for row in job.overrides if row.field == "method"}
        self.bent_up_to_mm = float(chosen(job, TURNS)[0].acts[0])
        self.flameless = [room for room in job.house.rooms if not room.flame_allowed]
        self._floors = {level.id: level.floor_mm for level in job.house.levels}

    def flame(self, at: Vec) -> bool:
        """Whether a flame may be lit at a place."""
        for room in self.flameless:
            floor = self._floors.get(room.level, 0.0)
            if floor - 500 <= at.z <= floor + 4000 and inside(room.outline, at.x, at.y):
                return False
        return True


class Fitter:
    """Puts a part at every node of a traced pipework. stand() fills fittings and troubles."""

    def __init__(self, choices: Choices, pipework: Pipework, catalogue: Catalogue) -> None:
        self.choices = choices
        self.pipework = pipework
        self.catalogue = catalogue
        self.here = Here("heating", False, True)
        self.fittings: dict[str, Fitting] = {}
        self.troubles: list[Trouble] = []
        self.told: set[tuple[str, str]] = set()
        self.mated: dict[tuple[str | None, ...], Mating | None] = {}

    def stand(self) -> Stood:
        """The part at every node of the pipework, and what is wrong there."""
        makers: dict[str, Callable[[Node], None]] = {
            "turn": self._turn,
            "tee": self._tee,
            "device": self._device,
            "change": self._change,
            "port": self._port,
            "cap": self._end,
            "plug": self._end,
            "stub": self._end,
            "open": self._end,
        }
        for node in self.pipework.nodes.values():
            self.here = self._here(node, self.pipework.arms[node.key])
            makers[node.kind](node)
        return Stood(self.fittings, tuple(self.troubles))

    # --- which method -------------------------------------------------------------------------------------------------

    def method(self, pipe: Pipe, key: str) -> str | None:
        """The joint method at a fitting: an override, else the practice's choice among those with figures for this pipe."""
        system: System | None = self.catalogue.systems.get(pipe.code)
        if system is None:
            return None
        order = [
            method for method in self.choices.preferred if method in system.methods and system.material != "multilayer"
        ]
        order += [method for method in system.methods if method not in order]
        known = [method for method in order if self.catalogue.method_figures(pipe.code, pipe.size, method)]
        if self.choices.override.get(key) in known:
            return self.choices.override[key]
        return next((method for method in known if not self._unlawful(method, pipe)), next(iter(known), None))

    def _here(self, node: Node, arms: dict[str, str]) -> Here:
        """What runs through a node, whether any of its pipes lies hidden there, whether a flame is allowed."""
        straights = [self.pipework.straights[key] for key in arms.values()]
        run = self.pipework.runs.get(node.run)
        lies = {one.place_to if one.to_node == node.key else one.place for one in straights}
        return Here(run.run.service if run else "heating", bool(lies & set(HIDDEN)), self.choices.flame(node.at))

    def _unlawful(self, method: str, pipe: Pipe) -> str:
        """Why this method may not be used here: what runs through it, a finish over it, no flame. Empty when it may."""
        here = self.here
        if not here.flame and method in ("capillary", "braze"):
            return "a flame is not allowed there"
        if here.service == "gas":
            if method.startswith("push-fit"):
                return "push-fit is not for gas"
            if method == "capillary" and self.choices.practice != "british":
                return "solder is not for gas here"
        row = self.catalogue.methods.get(method)
        if here.hidden and row and row.concealed.get(here.service, "yes") == "no":
            return f"{row.title} may not lie behind a finish"
        return ""

    def _trouble(self, kind: str, key: str, run: str, at: Vec, **facts: str) -> None:
        self.troubles.append(Trouble(kind, key, run, at, tuple(facts.items())))

    def _no_figures(self, pipe: Pipe, node: Node, what: str) -> Mating:
        """A joint without figures takes nothing off; said once per fitting, and not for a size that is wrong anyway."""
        known = self.catalogue.pipe(pipe.code, pipe.size)
        if known and (node.key, str(pipe)) not in self.told:
            self.told.add((node.key, str(pipe)))
            self._trouble("no-figures", node.key, node.run, node.at, pipe=str(pipe), part=what)
        return UNKNOWN

    # --- fittings -----------------------------------------------------------------------------------------------------

    def _arms(self, node: Node) -> dict[str, tuple[Vec, Straight]]:
        return {
            arm: (self.pipework.way_out(node.key, arm), self.pipework.straights[key])
            for arm, key in self.pipework.arms[node.key].items()
        }

    def _fitting(self, node: Node, kind: str, title: str, part: str, shape: str = "") -> None:
        """A socketed or threaded fitting with the same part measure on every arm."""
        arms = self._arms(node)
        pipes = {arm: straight.pipe for arm, (_, straight) in arms.items()}
        body = max(pipes.values(), key=self._od)
        matings = {}
        for arm, pipe in pipes.items():
            method = self.method(pipe, node.key)
            key = (pipe.code, pipe.size, method, part, body.code, body.size)
            if key not in self.mated:
                self.mated[key] = part_mating(self.catalogue, pipe, method, part, body) if method else None
            matings[arm] = self.mated[key] or self._no_figures(pipe, node, title)
        method_word = next((mating.method for mating in matings.values() if mating.known), "")
        self.fittings[node.key] = Fitting(
            node.key,
            kind,
            f"{title} {method_word}".strip(),
            node.run,
            node.at,
            tuple((arm, way) for arm, (way, _) in arms.items()),
            matings,
            pipes,
            shape=shape or kind,
        )

    def _od(self, pipe: Pipe) -> float:
        row = self.catalogue.pipe(pipe.code, pipe.size)
        return row.od_mm if row and row.od_mm else 0.0

    def _turn(self, node: Node) -> None:
        arms = self._arms(node)
        (way_a, a), (way_b, b) = arms.values()
        angle = fitting_angle(way_a, way_b)
        sizes = a.pipe.size if a.pipe == b.pipe else f"{a.pipe.size} x {b.pipe.size}"
        if abs(angle - 90) <= ANGLE_TOLERANCE_DEG:
            self._fitting(node, "elbow", f"{sizes} elbow", "elbow")
        elif abs(angle - 45) <= ANGLE_TOLERANCE_DEG:
            self._fitting(node, "elbow45", f"{sizes} 45 elbow", "45")
        elif angle < ANGLE_TOLERANCE_DEG:
            self._plain(node, "turn", "sprung", PIPE_END)
        else:
            self._plain(node, "turn", f"turn of {angle:.0f} degrees", UNKNOWN)
        if a.pipe.code != b.pipe.code:
            self._trouble("no-figures", node.key, node.run, node.at, pipe=f"{a.pipe} to {b.pipe}", part="transition")

    def _tee(self, node: Node) -> None:
        arms = self._arms(node)
        through = [
            (p, q)
            for n, p in enumerate(arms)
            for q in list(arms)[n + 1 :]
            if fitting_angle(arms[p][0], arms[q][0]) <= ANGLE_TOLERANCE_DEG
        ]
        if len(arms) == 3:
            if not through:
                self._trouble(
                    "tee-shape", node.key, node.run, node.at, name=node.name, why="no two of its pipes lie in one line"
                )
            p, q = through[0] if through else list(arms)[:2]
            (branch,) = [arm for arm in arms if arm not in (p, q)]
            first, second = sorted((p, q), key=lambda arm: -self._od(arms[arm][1].pipe))
            sizes = [arms[arm][1].pipe.size for arm in (first, second, branch)]
            title = f"{sizes[0]} tee" if len(set(sizes)) == 1 else f"{' x '.join(sizes)} tee"
            if through and abs(fitting_angle(arms[branch][0], arms[p][0]) - 90) > ANGLE_TOLERANCE_DEG:
                self._trouble(
                    "tee-shape",
                    node.key,
                    node.run,
                    node.at,
                    name=node.name,
                    why="its branch is not square to the through",
                )
            self._fitting(node, "tee", title, "tee")
        elif len(arms) > 3:
            self._trouble("tee-shape", node.key, node.run, node.at, name=node.name, why=f"{len(arms)} pipes meet there")
            self._fitting(node, "tee", f"{len(arms)}-way tee", "tee")
        elif len(arms) == 2:
            # nobody on its third end: still a tee, closed or open
            sizes = [straight.pipe.size for _, straight in arms.values()]
            self._fitting(node, "tee", f"{sizes[0]} tee", "tee")
        elif arms:
            self._fitting(node, "tee", f"{next(iter(arms.values()))[1].pipe.size} tee", "tee")

    def _device(self, node: Node) -> None:
        arms = self._arms(node)
        matings: dict[str, Mating] = {}
        row: Device | None = None
        for arm, (_, straight) in arms.items():
            pipe = straight.pipe
            row = self.catalogue.device(node.part, pipe.code, pipe.size) or row
            own = self.catalogue.device(node.part, pipe.code, pipe.size)
            figures = self.catalogue.method_figures(pipe.code, pipe.size, own.method) if own else None
            if own is None or figures is None:
                matings[arm] = self._no_figures(pipe, node, node.part)
            elif isinstance(figures, Thread):
                matings[arm] = Mating(
                    "thread",
                    own.reach_mm - figures.made_up_mm,
                    figures.made_up_mm,
                    figures.loose_mm,
                    f"face {own.reach_mm:.4g} less thread {figures.made_up_mm:.4g}",
                    f"face {own.source}; thread {figures.thread_source}",
                )
            else:
                matings[arm] = Mating(
                    own.method,
                    own.reach_mm,
                    figures.insertion_mm,
                    0.0,
                    f"stop {own.reach_mm:.4g}",
                    f"stop {own.source}; insertion {figures.insertion_source}",
                )
        size = next(iter(arms.values()))[1].pipe.size if arms else ""
        title = f"{size} {row.title if row else node.part}"
        self.fittings[node.key] = Fitting(
            node.key,
            "device",
            title,
            node.run,
            node.at,
            tuple((arm, way) for arm, (way, _) in arms.items()),
            matings,
            {arm: straight.pipe for arm, (_, straight) in arms.items()},
            row.source if row else "",
            row.shape if row else "device",
        )

    def _change(self, node: Node) -> None:
        arms = self._arms(node)
        if len(arms) < 2:
            self._plain(node, "change", "change of pipe", PIPE_END)
            return
        (first, (_, straight_a)), (second, (_, straight_b)) = arms.items()
        a, b = straight_a.pipe, straight_b.pipe
        if a == b:
            # nothing changes: one pipe runs through; kept as a coupling so that both pieces end somewhere
            self._fitting(node, "coupling", f"{a.size} coupling", "coupling")
            return
        if a.code != b.code:
            self._change_of_system(node, first, second, a, b)
            return
        matings: dict[str, Mating] = {}
        for arm, own, other in ((first, a, b), (second, b, a)):
            method = self.method(own, node.key)
            found = reducer_mating(self.catalogue, own, other, method) if method else None
            matings[arm] = found or self._no_figures(own, node, f"transition to {other}")
        word = next((mating.method for mating in matings.values() if mating.known), "")
        self.fittings[node.key] = Fitting(
            node.key,
            "reducer",
            f"{a.size} x {b.size} reducer {word}".strip(),
            node.run,
            node.at,
            tuple((arm, way) for arm, (way, _) in arms.items()),
            matings,
            {first: a, second: b},
            shape="reducer",
        )

    def _change_of_system(self, node: Node, first: str, second: str, a: Pipe, b: Pipe) -> None:
        """One pipe system becomes another: the finder's best parts, half their length to either side."""
        start = End(a.code, a.size, "pipe")
        answer = self._transition(start, b, near_heat=False, undo=False) if self._both_known(a, b) else Answer((), ())
        chain = answer.chains[0] if answer.chains else None
        matings = {first: UNKNOWN, second: UNKNOWN}
        title = f"{a} to {b}"
        if chain:
            enter, leave = chain.links[0].enter, chain.links[-1].leave
            matings = {
                first: half_mating(self.catalogue, chain, chain.joints[0].method, enter),
                second: half_mating(self.catalogue, chain, chain.joints[-1].method, leave),
            }
            title = parts_title(chain)
        elif self._both_known(a, b):
            self._no_way("no-transition", node, "", start, b, answer)
        arms = self._arms(node)
        self.fittings[node.key] = Fitting(
            node.key, "transition", title, node.run, node.at, tuple((arm, way) for arm, (way, _) in arms.items()), matings, {first: a, second: b},
            shape="reducer", chains=(("between", chain),) if chain else (),
        )  # fmt: skip

    def _both_known(self, *pipes: Pipe) -> bool:
        return all(self.catalogue.pipe(pipe.code, pipe.size) for pipe in pipes)

    def _plain(self, node: Node, kind: str, title: str, mating: Mating) -> None:
        arms = self._arms(node)
        self.fittings[node.key] = Fitting(
            node.key,
            kind,
            title,
            node.run,
            node.at,
            tuple((arm, way) for arm, (way, _) in arms.items()),
            dict.fromkeys(arms, mating),
            {arm: straight.pipe for arm, (_, straight) in arms.items()},
            shape=kind,
        )

    def _end(self, node: Node) -> None:
        arms = self._arms(node)
        if not arms:
            return
        if node.kind in ("open", "stub"):
            self._plain(node, node.kind, "open end" if node.kind == "open" else "stub end", PIPE_END)
            return
        arm, (_, straight) = next(iter(arms.items()))
        method = self.method(straight.pipe, node.key)
        row = self.catalogue.method_figures(straight.pipe.code, straight.pipe.size, method) if method else None
        if isinstance(row, Socket):
            mating = Mating(method or "", 0.0, row.insertion_mm, 0.0, "pipe end", f"insertion {row.insertion_source}")
        elif isinstance(row, Thread):
            mating = Mating("thread", 0.0, row.made_up_mm, row.loose_mm, "pipe end", f"thread {row.thread_source}")
        else:
            mating = self._no_figures(straight.pipe, node, node.kind)
        self._plain(node, node.kind, f"{straight.pipe.size} {node.kind} {mating.method}".strip(), mating)

    def _port(self, node: Node) -> None:
        place: PortPlace = self.pipework.ports[node.part]
        arms = self._arms(node)
        for kit in place.kit:
            self.fittings[kit.key] = Fitting(
                kit.key, "kit", kit.row.title, node.run, kit.at, (("out", kit.facing),), {}, {}, kit.row.source, "kit"
            )
        for part in place.unknown_kit:
            self._trouble("no-figures", node.key, node.run, node.at, pipe=place.key, part=part)
        if not arms:
            return
        pipe = arms["out"][1].pipe
        end = parse_end(place.end)
        mating = port_mating(self.catalogue, end, pipe)
        title = f"{place.kit[-1].row.title} {place.key}" if place.kit else place.key
        if mating and self.here.service in SERVICES and self.catalogue.pipe(pipe.code, pipe.size):
            verdict = mate(
                end, End(pipe.code, pipe.size, "pipe"), self.here.service, False, self.choices.practice, self.catalogue
            )
            mating = None if verdict.verdict == "refused" else mating
        if mating is None and end.form == "pipe" and (end.family, end.size) == (pipe.code, pipe.size):
            method = self.method(pipe, node.key)
            found = part_mating(self.catalogue, pipe, method, "coupling") if method else None
            if place.station.data.loop_m:
                mating, title = PIPE_END, f"goes on into the loop of {place.station.id}"
            elif found:
                # the port's pipe ends at the coupling's stop, the run's pipe one gap further on
                mating = Mating(
                    found.method,
                    2 * found.take_off_mm,
                    found.insertion_mm,
                    found.loose_mm,
                    "gap of the coupling",
                    found.source,
                )
                title = f"{pipe.size} coupling {found.method} on {place.key}"
        chains: tuple[tuple[str, Chain], ...] = ()
        if mating is None and self.catalogue.pipe(pipe.code, pipe.size):
            answer = self._transition(end, pipe, near_heat=place.station.kind in ("boiler", "heater"), undo=False)
            if answer.chains:
                chains = (("out", answer.chains[0]),)
                mating = chain_mating(self.catalogue, end, answer.chains[0])
                title = f"{parts_title(answer.chains[0])} on {place.key}"
            else:
                self._no_way("port-end", node, place.key, end, pipe, answer)
        if mating is None:
            mating = UNKNOWN
        self.fittings[node.key] = Fitting(
            node.key,
            "port",
            title,
            node.run,
            node.at,
            (("out", arms["out"][0]),),
            {"out": mating},
            {"out": pipe},
            shape="port",
            chains=chains,
        )

    def _transition(self, start: End, pipe: Pipe, *, near_heat: bool, undo: bool) -> Answer:
        """What the finder says of the way from an end to a pipe here."""
        goal = End(pipe.code, pipe.size, "pipe")
        soft = self.catalogue.systems[pipe.code].material in ("plastic", "multilayer")
        service = self.here.service if self.here.service in SERVICES else "heating"
        order = (*self.choices.order, *(method for method in SCHOOL if method not in self.choices.order))
        ask = Ask(
            start, goal, service, concealed=self.here.hidden, flame=self.here.flame, undo=undo, near_heat=near_heat and soft, practice=self.choices.practice, preferred=order
        )  # fmt: skip
        return _asked(self.catalogue, ask)

    def _no_way(self, kind: str, node: Node, port: str, end: End, pipe: Pipe, answer: Answer) -> None:
        """Say why no parts take the pipe there, and what would be allowed if the place or the flame were otherwise."""
        why = answer.rejected[0].reasons[0] if answer.rejected else "nothing in the catalogue joins the two"
        kept, works = self.here, ""
        for here, words in (
            (replace(kept, hidden=False), "in reach"),
            (replace(kept, flame=True), "with a flame"),
            (replace(kept, hidden=False, flame=True), "in reach, with a flame"),
        ):
            self.here = here
            other = self._transition(end, pipe, near_heat=False, undo=False)
            if other.chains:
                works = f"{words}: {parts_title(other.chains[0])}"
                break
        self.here = kept
        self._trouble(kind, node.key, node.run, node.at, port=port, end=str(end), pipe=str(pipe), why=why, works=works)


@dataclass(frozen=True, slots=True)
class Way:
    """A joint method a fitting could be made by. why: what forbids it there, empty when nothing does; now: the present one."""

    method: str
    title: str
    why: str
    now: bool


def ways_to_join(job: Job, fitted: Fitted, context: Context, fitting_key: str) -> list[Way]:
    """The methods with figures for a fitting's pipes, with what forbids each; empty where the part has its joint by nature."""
    fitting, node = fitted.fittings.get(fitting_key), fitted.pipework.nodes.get(fitting_key)
    if fitting is None or node is None or fitting.kind not in ("elbow", "elbow45", "tee", "coupling", "reducer"):
        return []
    fitter = Fitter(Choices(job), fitted.pipework, context.catalogue)
    fitter.here = fitter._here(node, fitted.pipework.arms[node.key])
    pipe = max(fitting.pipes.values(), key=fitter._od)
    system = context.catalogue.systems[pipe.code]
    current = {mating.method for mating in fitting.matings.values()}
    return [
        Way(method, context.catalogue.methods[method].title, fitter._unlawful(method, pipe), method in current)
        for method in system.methods
        if all(context.catalogue.method_figures(one.code, one.size, method) for one in fitting.pipes.values())
    ]
