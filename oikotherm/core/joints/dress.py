"""dress(pipework) -> Fitted: which part stands at every node, how every joint is made, where every pipe ends."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

from ..catalogue import Catalogue, Device, End, Socket, System, Thread, parse_end
from ..context import Context
from ..job.model import Job, Pipe
from ..job.ways import Vec, inside
from ..memo import Remembered
from ..pipework.trace import Node, PassPlace, Pipework, PortPlace, Straight
from ..practice import METAL_JOINING, MULTILAYER, TURNS, chosen
from .finder import SCHOOL, SERVICES, Answer, Ask, Chain, find
from .fitted import Bend, Fitted, Fitting, Joint, Mating, Piece, Trouble
from .least import least_piece_mm
from .mate import mate
from .takeoff import (
    chain_mating,
    fitting_angle,
    half_mating,
    part_mating,
    parts_title,
    port_mating,
    reducer_mating,
    street_mm,
)

ANGLE_TOLERANCE_DEG = 3.0  # what a fitting and its pipe give without harm
STREET_TOLERANCE_MM = 3.0
AT_JOINT_MM = 15.0  # typ: straight pipe between a bend and the mouth of a socket, so that it stays round there
ROUND_PASS_MM = 60.0  # a coupling keeps this far from a wall, floor or ceiling
UNKNOWN = Mating("", 0.0, 0.0, 0.0, "not known", "", known=False)
PIPE_END = Mating("", 0.0, 0.0, 0.0, "pipe end", "")


def dress(job: Job, pipework: Pipework, context: Context) -> Fitted:
    """Put parts and joints on a traced pipework. Never raises: what has no figures or no part becomes a Trouble."""
    return _Dresser(job, pipework, context.catalogue).run()


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
    dresser = _Dresser(job, fitted.pipework, context.catalogue)
    dresser.here = dresser._here(node, fitted.pipework.arms[node.key])
    pipe = max(fitting.pipes.values(), key=dresser._od)
    system = context.catalogue.systems[pipe.code]
    current = {mating.method for mating in fitting.matings.values()}
    return [
        Way(method, context.catalogue.methods[method].title, dresser._unlawful(method, pipe), method in current)
        for method in system.methods
        if all(context.catalogue.method_figures(one.code, one.size, method) for one in fitting.pipes.values())
    ]


_FITTINGS: Remembered[tuple[dict[str, Fitting], list[Trouble]]] = Remembered(30_000)
_CHAINS: Remembered[tuple[dict[str, Piece], dict[str, Fitting], dict[str, Joint], list[Trouble]]] = Remembered(30_000)


_MOVED: Remembered[Fitting] = Remembered(30_000)
_BENDS: Remembered[tuple[float, float] | None] = Remembered(30_000)


def _as_bend(old: Fitting, title: str) -> Fitting:
    """The fitting of a turn that is pulled in the pipe instead."""
    none = Mating("", 0.0, 0.0, 0.0, "bend", "")
    return replace(old, kind="bend", title=title, shape="bend", matings=dict.fromkeys(old.matings, none))


HIDDEN = ("wall", "floor", "ceiling", "ground")


@dataclass(frozen=True, slots=True)
class Here:
    """What decides a joint beside the pipe: what runs through it, whether it lies behind a finish, whether a flame is allowed."""

    service: str
    hidden: bool
    flame: bool


_ANSWERS: dict[tuple[int, Ask], Answer] = {}


def _asked(catalogue: Catalogue, ask: Ask) -> Answer:
    """The finder's answer, kept: the same transition is met at many ports."""
    key = (id(catalogue), ask)
    if key not in _ANSWERS:
        if len(_ANSWERS) > 2000:
            _ANSWERS.clear()
        _ANSWERS[key] = find(ask, catalogue)
    return _ANSWERS[key]


class _Dresser:
    def __init__(self, job: Job, pipework: Pipework, catalogue: Catalogue) -> None:
        self.job = job
        self.pipework = pipework
        self.catalogue = catalogue
        self.preferred = chosen(job, METAL_JOINING)[0].acts
        self.bent_up_to_mm = float(chosen(job, TURNS)[0].acts[0])
        multilayer = chosen(job, MULTILAYER)[0].acts
        self.order = (*self.preferred, *(method for method in multilayer if method not in self.preferred))
        self.flameless = [room for room in job.house.rooms if not room.flame_allowed]
        self.floors = {level.id: level.floor_mm for level in job.house.levels}
        self.here = Here("heating", False, True)
        self.override = {row.target: str(row.value) for row in job.overrides if row.field == "method"}
        self.fittings: dict[str, Fitting] = {}
        self.joints: dict[str, Joint] = {}
        self.pieces: dict[str, Piece] = {}
        self.troubles: list[Trouble] = []
        self.told: set[tuple[str, str]] = set()
        self.spans: dict[str, tuple[Vec, Vec]] = {}
        self.piece_of: dict[str, str] = {}
        self.mated: dict[tuple[str | None, ...], Mating | None] = {}
        self.passes: dict[str, list[PassPlace]] = {}
        for one in pipework.passes:
            self.passes.setdefault(one.run, []).append(one)
        self.radii: dict[str, float] = {}  # turn -> radius of the bend pulled there; 0 where the pipe is only sprung

    def run(self) -> Fitted:
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
        work = self.pipework
        for node in work.nodes.values():
            arms = work.arms[node.key]
            place = work.ports[node.part] if node.kind == "port" else None
            self.here = self._here(node, arms)
            met = _FITTINGS(
                (node, place, self.catalogue, *(work.straights[key] for key in arms.values())),
                (tuple(arms), self.order, self.override.get(node.key), self.here, self.job.practice),
                lambda node=node: self._met(makers, node),  # type: ignore[misc]
            )
            self.fittings.update(met[0])
            self.troubles += met[1]
        self._assemble()
        self._leave_old()
        return Fitted(
            self.pipework, self.fittings, self.joints, self.pieces, tuple(self.troubles), self.spans, self.piece_of
        )

    def _leave_old(self) -> None:
        """What is there already is no work: its fittings are marked, its joints and troubles left out."""
        old = {run.id for run in self.job.runs if run.state != "new"}
        if not old:
            return
        work = self.pipework
        for key, fitting in self.fittings.items():
            arms = work.arms.get(key, {})
            runs = {work.straights[name].run for name in arms.values()} or {fitting.run}
            if runs <= old:
                self.fittings[key] = replace(fitting, new=False)
        self.joints = {key: joint for key, joint in self.joints.items() if self.fittings[joint.fitting_key].new}
        self.troubles = [one for one in self.troubles if one.key not in self.fittings or self.fittings[one.key].new]
        self.troubles = [one for one in self.troubles if one.key not in self.pieces or one.run not in old]

    def _met(self, makers: dict[str, Callable[[Node], None]], node: Node) -> tuple[dict[str, Fitting], list[Trouble]]:
        """What stands at one node, and what is wrong with it."""
        kept = self.fittings, self.troubles
        self.fittings, self.troubles = {}, []
        makers[node.kind](node)
        found = self.fittings, self.troubles
        self.fittings, self.troubles = kept
        return found

    # --- which method -------------------------------------------------------------------------------------------------

    def method(self, pipe: Pipe, key: str) -> str | None:
        """The joint method at a fitting: an override, else the practice's choice among those with figures for this pipe."""
        system: System | None = self.catalogue.systems.get(pipe.code)
        if system is None:
            return None
        order = [method for method in self.preferred if method in system.methods and system.material != "multilayer"]
        order += [method for method in system.methods if method not in order]
        known = [method for method in order if self.catalogue.method_figures(pipe.code, pipe.size, method)]
        if self.override.get(key) in known:
            return self.override[key]
        return next((method for method in known if not self._unlawful(method, pipe)), next(iter(known), None))

    def _here(self, node: Node, arms: dict[str, str]) -> Here:
        """What runs through a node, whether any of its pipes lies hidden there, whether a flame is allowed."""
        straights = [self.pipework.straights[key] for key in arms.values()]
        run = self.pipework.runs.get(node.run)
        lies = {one.place_to if one.to_node == node.key else one.place for one in straights}
        return Here(run.run.service if run else "heating", bool(lies & set(HIDDEN)), self._flame(node.at))

    def _flame(self, at: Vec) -> bool:
        for room in self.flameless:
            floor = self.floors.get(room.level, 0.0)
            if floor - 500 <= at.z <= floor + 4000 and inside(room.outline, at.x, at.y):
                return False
        return True

    def _unlawful(self, method: str, pipe: Pipe) -> str:
        """Why this method may not be used here: what runs through it, a finish over it, no flame. Empty when it may."""
        here = self.here
        if not here.flame and method in ("capillary", "braze"):
            return "a flame is not allowed there"
        if here.service == "gas":
            if method.startswith("push-fit"):
                return "push-fit is not for gas"
            if method == "capillary" and self.job.practice != "british":
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
                end, End(pipe.code, pipe.size, "pipe"), self.here.service, False, self.job.practice, self.catalogue
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
        order = (*self.order, *(method for method in SCHOOL if method not in self.order))
        ask = Ask(
            start, goal, service, concealed=self.here.hidden, flame=self.here.flame, undo=undo, near_heat=near_heat and soft, practice=self.job.practice, preferred=order
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

    # --- joints and pieces --------------------------------------------------------------------------------------------

    def _mating(self, node: str, arm: str) -> Mating:
        fitting = self.fittings.get(node)
        return fitting.matings.get(arm, PIPE_END) if fitting else PIPE_END

    def _least(self, straight: Straight) -> tuple[float, str]:
        ends = self._mating(straight.from_node, straight.from_arm), self._mating(straight.to_node, straight.to_arm)
        return least_piece_mm(
            self.catalogue,
            straight.pipe,
            (ends[0].method, ends[1].method),
            (ends[0].insertion_mm, ends[1].insertion_mm),
        )

    def _set_back(self) -> dict[str, float]:
        """How far each thing that shares a spot stands from it [mm], along the leg it is on: as near as can be made."""
        nodes = self.pipework.nodes
        length = {
            straight.key: self._least(straight)[0]
            + self._mating(straight.from_node, straight.from_arm).take_off_mm
            + self._mating(straight.to_node, straight.to_arm).take_off_mm
            for straight in self.pipework.straights.values()
            if straight.close
        }
        placed = {key: 0.0 for key, node in nodes.items() if not node.close}
        waiting = [self.pipework.straights[key] for key in length]
        while waiting:
            later = []
            for straight in waiting:
                if straight.from_node in placed and straight.to_node not in placed:
                    placed[straight.to_node] = placed[straight.from_node] + length[straight.key]
                elif straight.to_node in placed and straight.from_node not in placed:
                    placed[straight.from_node] = placed[straight.to_node] + length[straight.key]
                elif straight.from_node not in placed:
                    later.append(straight)
            if len(later) == len(waiting):
                break
            waiting = later
        return placed

    def _assemble(self) -> None:
        """Move what stands close to a spot to where it can be made, then name pieces and joints."""
        back = self._set_back()
        nodes = self.pipework.nodes
        moved: dict[str, Vec] = {}
        for straight in self.pipework.straights.values():
            for node, outward in ((straight.from_node, 1.0), (straight.to_node, -1.0)):
                if nodes[node].close and not straight.close:
                    moved[node] = nodes[node].at.plus(straight.way, outward * back.get(node, 0.0))
        for straight in self.pipework.straights.values():
            # a thing between two other things at one spot lies on no leg of its own
            for node, outward in ((straight.from_node, -1.0), (straight.to_node, 1.0)):
                if nodes[node].close and node not in moved:
                    moved[node] = nodes[node].at.plus(straight.way, outward * back.get(node, 0.0))
        for key, at in moved.items():
            old = self.fittings[key]
            self.fittings[key] = _MOVED((old,), at, lambda old=old, at=at: replace(old, at=at))  # type: ignore[misc]
        for straight in self.pipework.straights.values():
            self.spans[straight.key] = (
                moved.get(straight.from_node, straight.a),
                moved.get(straight.to_node, straight.b),
            )
        self._bend()
        started: set[str] = set()
        for straight in self.pipework.straights.values():
            if straight.key in started:
                continue
            chain = self._chain(straight)
            started.update(one.key for one in chain)
            first, last = chain[0], chain[-1]
            self._kit_joints(first.from_node)
            street = len(chain) == 1 and self._street(first)
            if not street:
                walls = tuple(one for one in self.passes.get(first.run, ()))
                pieces, fittings, joints, troubles = _CHAINS(
                    (self.catalogue, self.fittings.get(first.from_node), self.fittings.get(last.to_node), *chain, *walls),
                    (self.order, self.job.practice, self.spans[first.key][0], self.spans[last.key][1], tuple(self.radii[one.from_node] for one in chain[1:]),
                     self.override.get(f"{first.key}/join1")),
                    lambda chain=chain: self._made(chain),  # type: ignore[misc]
                )  # fmt: skip
                self.piece_of.update({straight.key: first.key for straight in chain})
                self.pieces.update(pieces)
                self.fittings.update(fittings)
                self.joints.update(joints)
                self.troubles += troubles
            self._kit_joints(last.to_node, from_pipe=True)
            self._inner_joints(last.to_node)

    def _made(
        self, chain: list[Straight]
    ) -> tuple[dict[str, Piece], dict[str, Fitting], dict[str, Joint], list[Trouble]]:
        """The pieces along a chain of straights, with their couplings and joints."""
        kept = self.pieces, self.fittings, self.joints, self.troubles
        self.pieces, self.joints, self.troubles = {}, {}, []
        self.fittings = {key: kept[1][key] for key in (chain[0].from_node, chain[-1].to_node) if key in kept[1]}
        before = set(self.fittings)
        first, last = chain[0], chain[-1]
        self._joint(first, first.from_node, first.from_arm, self.spans[first.key][0], first.way)
        self._pieces(chain)
        self._joint(last, last.to_node, last.to_arm, self.spans[last.key][1], last.way.times(-1))
        found = (
            self.pieces,
            {key: one for key, one in self.fittings.items() if key not in before},
            self.joints,
            self.troubles,
        )
        self.pieces, self.fittings, self.joints, self.troubles = kept
        return found

    # --- bends --------------------------------------------------------------------------------------------------------

    def _bend(self) -> None:
        """Decide which turns are bends in the pipe: all that the practice bends, less those without room for it."""
        work = self.pipework
        angles: dict[str, float] = {}
        for key, node in work.nodes.items():
            if node.kind != "turn":
                continue
            a, b = (work.straights[name] for name in work.arms[key].values())
            bent = _BENDS(
                (node, a, b, self.catalogue), (self.bent_up_to_mm, self.override.get(key, "")),
                lambda node=node: self._bent(node),  # type: ignore[misc]
            )  # fmt: skip
            if bent:
                angles[key], self.radii[key] = bent
        stick = {code: system.stick_mm for code, system in self.catalogue.systems.items()}
        bent_ones = [one for one in work.straights.values() if one.from_node in self.radii or one.to_node in self.radii]
        for straight in bent_ones:
            longest = stick.get(straight.pipe.code)
            if longest and self.fittings_apart_mm(straight) > longest - 500:
                for end in (straight.from_node, straight.to_node):
                    if self.radii.get(end):
                        del self.radii[end]
        lost = True
        while lost:
            lost = False
            for straight in bent_ones:
                for end in self._no_room(straight, angles):
                    del self.radii[end]
                    lost = True
        self._within_a_stick(stick)
        for key in angles:
            if self.radii.get(key):
                node = work.nodes[key]
                old = self.fittings[key]
                pipe = next(iter(old.pipes.values()))
                title = f"bend of {angles[key]:.0f} in {pipe.size}"
                self.fittings[key] = _MOVED((old,), title, lambda old=old, title=title: _as_bend(old, title))  # type: ignore[misc]
        for key, fitting in self.fittings.items():
            if fitting.kind == "turn" and key not in self.radii:
                node = work.nodes[key]
                (way_a, a), (way_b, _) = self._arms(node).values()
                self._trouble(
                    "turn-no-fitting",
                    key,
                    node.run,
                    node.at,
                    angle=f"{fitting_angle(way_a, way_b):.1f}",
                    pipe=str(a.pipe),
                )
        gone = set(self.radii)
        self.troubles = [one for one in self.troubles if not (one.kind == "no-figures" and one.key in gone)]

    def _bent(self, node: Node) -> tuple[float, float] | None:
        """The angle [deg] and radius [mm] of the bend that the practice pulls at a turn, before there is room for it; radius 0 where
        the pipe is only sprung; None where it takes a fitting."""
        (way_a, a), (way_b, b) = self._arms(node).values()
        angle = fitting_angle(way_a, way_b)
        if a.pipe != b.pipe or a.close or b.close:
            return None
        if angle < ANGLE_TOLERANCE_DEG:
            return angle, 0.0
        radius = self.catalogue.bend_radius_mm(a.pipe.code, a.pipe.size)
        asked = self.override.get(node.key, "") in ("", "bend")
        return (angle, radius) if radius and self._od(a.pipe) <= self.bent_up_to_mm and angle <= 100 and asked else None

    def fittings_apart_mm(self, straight: Straight) -> float:
        a, b = self.spans[straight.key]
        return b.minus(a).length

    def _tangent(self, node: str, angles: dict[str, float]) -> float:
        return self.radii[node] * math.tan(math.radians(angles[node]) / 2)

    def _no_room(self, straight: Straight, angles: dict[str, float]) -> list[str]:
        """A bend at one end of a straight that has no room there, the later one first."""
        ends = [(straight.to_node, straight.to_arm), (straight.from_node, straight.from_arm)]
        bends = [node for node, _ in ends if self.radii.get(node)]
        if not bends:
            return []
        need = 0.0
        for node, arm in ends:
            if self.radii.get(node):
                need += self._tangent(node, angles)
            elif node not in self.radii:
                mating = self._mating(node, arm)
                need += mating.take_off_mm + mating.insertion_mm + AT_JOINT_MM
        return bends[:1] if need > self.fittings_apart_mm(straight) + 1e-6 else []

    def _within_a_stick(self, stick: dict[str, float | None]) -> None:
        """Give a bend up where the piece with it would be longer than a stick."""
        length: dict[str, float] = {}  # what a piece is long that ends at this bend
        for straight in self.pipework.straights.values():
            so_far = length.get(straight.from_node, 0.0) if straight.from_node in self.radii else 0.0
            longest = stick.get(straight.pipe.code)
            own = self.fittings_apart_mm(straight)
            if longest and so_far and so_far + own > longest:
                if self.radii.pop(straight.from_node):
                    so_far = 0.0
                else:
                    self.radii[straight.from_node] = 0.0
            if straight.to_node in self.radii:
                length[straight.to_node] = so_far + own

    def _chain(self, straight: Straight) -> list[Straight]:
        """The straights of one piece, from this one on: those joined by bends. Straights come in pacing order."""
        chain = [straight]
        seen = {straight.key}
        while chain[-1].to_node in self.radii:
            arms = self.pipework.arms[chain[-1].to_node]
            after = next((self.pipework.straights[key] for key in arms.values() if key != chain[-1].key), None)
            if after is None or after.from_node != chain[-1].to_node or after.key in seen:
                break
            chain.append(after)
            seen.add(after.key)
        return chain

    def _street(self, straight: Straight) -> bool:
        """Join two socketed fittings without pipe where a street elbow makes just this distance."""
        ends = self._mating(straight.from_node, straight.from_arm), self._mating(straight.to_node, straight.to_arm)
        reach = street_mm(ends)
        kinds = [self.fittings[node].kind for node in (straight.from_node, straight.to_node) if node in self.fittings]
        elbows = [kind in ("elbow", "elbow45") for kind in kinds]
        if reach is None or not any(elbows) or len(kinds) < 2 or straight.close:
            return False
        if (
            abs(self.fittings_apart_mm(straight) - reach) > STREET_TOLERANCE_MM
            or kinds[0] not in _SOCKETED
            or kinds[1] not in _SOCKETED
        ):
            return False
        street, arm, other = (
            (straight.to_node, straight.to_arm, straight.from_node)
            if elbows[1]
            else (straight.from_node, straight.from_arm, straight.to_node)
        )
        old = self.fittings[street]
        mating = old.matings[arm]
        self.fittings[street] = replace(old, title=f"street {old.title}", shape=old.shape)
        key = f"{street}:{arm}"
        at = self.fittings[other].at
        self.joints[key] = Joint(
            key, straight.run, mating.method, at, old.key, f"street {old.title}", other, str(straight.pipe)
        )
        return True

    def _kit_joints(self, node_key: str, *, from_pipe: bool = False) -> None:
        """The joints within a port's kit, in the order they are met."""
        node = self.pipework.nodes[node_key]
        if node.kind != "port" or node_key != node.part:
            return
        place = self.pipework.ports[node.part]
        inner = [f"port {place.key}", *(kit.row.title for kit in place.kit)]
        joints = [
            Joint(f"{kit.key}:in", node.run, kit.row.method, kit.at, kit.key, kit.row.title, other, kit.row.inner_end)
            for kit, other in zip(place.kit, inner, strict=False)
        ]
        joints += self._chain_joints(node_key, f"port {place.key}" if not place.kit else place.kit[-1].row.title)
        for joint in reversed(joints) if from_pipe else joints:
            self.joints[joint.key] = joint

    def _chain_joints(self, node: str, before: str) -> list[Joint]:
        """The joints of a port's transition but the last, which is the pipe's own."""
        fitting = self.fittings.get(node)
        found = []
        for _, chain in fitting.chains if fitting else ():
            for n, (link, joint) in enumerate(zip(chain.links, chain.joints, strict=False)):
                assert fitting is not None
                found.append(
                    Joint(
                        f"{node}/t{n + 1}:in",
                        fitting.run,
                        joint.method,
                        fitting.at,
                        fitting.key,
                        link.title,
                        before,
                        joint.b,
                    )
                )
                before = link.title
        return found

    def _inner_joints(self, node: str) -> None:
        """The joints between the parts of a transition from one pipe system to another."""
        fitting = self.fittings.get(node)
        if fitting is None or fitting.kind != "transition":
            return
        for _, chain in fitting.chains:
            for n, (joint, link) in enumerate(zip(chain.joints[1:-1], chain.links[1:], strict=True)):
                key = f"{node}/t{n + 2}:in"
                self.joints[key] = Joint(
                    key, fitting.run, joint.method, fitting.at, fitting.key, link.title, chain.links[n].title, joint.b
                )

    def _joint(self, straight: Straight, node: str, arm: str, at: Vec, way_out: Vec) -> None:
        fitting = self.fittings.get(node)
        mating = self._mating(node, arm)
        if fitting is None or not mating.method:
            return
        owner = node
        if fitting.kind == "port" and "+" not in node:
            kit = self.pipework.ports[self.pipework.nodes[node].part].kit
            owner = kit[-1].key if kit else node
            if fitting.chains:
                owner = f"{node}/t{len(fitting.chains[0][1].links)}"
        key = f"{owner}:{arm}"
        self.joints[key] = Joint(
            key,
            straight.run,
            mating.method,
            at.plus(way_out, mating.take_off_mm),
            fitting.key,
            fitting.title,
            straight.key,
            str(straight.pipe),
        )

    def _pieces(self, chain: list[Straight]) -> None:
        """The piece along a chain of straights; a straight longer than a stick becomes several, with couplings."""
        first, last = chain[0], chain[-1]
        corners = [self.spans[first.key][0], *(self.spans[straight.key][1] for straight in chain)]
        legs = [b.minus(a).length for a, b in zip(corners, corners[1:], strict=False)]
        bends = []
        axis: Vec | None = None
        for n, (before, after) in enumerate(zip(chain, chain[1:], strict=False)):
            normal = before.way.cross(after.way)
            roll = 0.0
            if normal.length > 1e-9:
                normal = normal.unit()
                if axis is not None:
                    roll = math.degrees(math.atan2(axis.cross(normal).dot(before.way), axis.dot(normal)))
                axis = normal
            angle = round(fitting_angle(before.way.times(-1), after.way), 6)
            bends.append(
                Bend(before.to_node, corners[n + 1], legs[n], angle, round(roll, 3) + 0.0, self.radii[before.to_node])
            )
        titles = [
            self.fittings[node].title if node in self.fittings else "open end"
            for node in (first.from_node, last.to_node)
        ]
        piece = Piece(
            first.key, first.run, first.pipe, corners[0], corners[-1], first.way,
            round(sum(legs), 6), tuple(dict.fromkeys(leg for straight in chain for leg in straight.legs)), titles[0], titles[1],
            self._mating(first.from_node, first.from_arm), self._mating(last.to_node, last.to_arm), first.place, first.close,
            any(straight.assumed for straight in chain), tuple(straight.key for straight in chain), tuple(bends),
        )  # fmt: skip
        if len(chain) == 1 and not first.close:
            parts = self._sticks(first, piece)
        else:
            parts = [piece]
        for part in parts:
            self.pieces[part.key] = part
        if len(parts) == 1 and not piece.bends:
            self._too_short(first, piece)

    def _sticks(self, straight: Straight, piece: Piece) -> list[Piece]:
        """Whole sticks and a rest, joined by couplings that keep out of walls and floors."""
        system = self.catalogue.systems.get(piece.pipe.code)
        whole_mm = piece.centre_mm - piece.from_mating.take_off_mm - piece.to_mating.take_off_mm
        run = self.pipework.runs[straight.run].run
        self.here = Here(run.service, straight.place in HIDDEN, True)
        method = self.method(piece.pipe, f"{straight.key}/join1")
        mating = part_mating(self.catalogue, piece.pipe, method, "coupling") if method else None
        if not system or not system.stick_mm or whole_mm <= system.stick_mm or mating is None:
            return [piece]
        walls = [
            (low - ROUND_PASS_MM, low + (one.item.thickness_mm or 0.0) + ROUND_PASS_MM)
            for one in self.passes.get(straight.run, ())
            if one.way.dot(straight.way) > 0.99
            and one.at.minus(piece.a).plus(straight.way, -(low := one.at.minus(piece.a).dot(straight.way))).length < 1.0
        ]  # fmt: skip
        least_mm = self._least(straight)[0] + 100.0
        parts: list[Piece] = []
        at, take, title, number = 0.0, piece.from_mating, piece.from_title, 1
        coupling = f"{piece.pipe.size} coupling {mating.method}"
        while piece.centre_mm - at - take.take_off_mm - piece.to_mating.take_off_mm > system.stick_mm + 1e-6:
            spot = at + take.take_off_mm + system.stick_mm + mating.take_off_mm
            rest = piece.centre_mm - spot - mating.take_off_mm - piece.to_mating.take_off_mm
            spot -= max(0.0, least_mm - rest)
            for low, high in walls:
                if low < spot < high and low > at + 200:
                    spot = low
            key = f"{straight.key}/join{number}"
            place = piece.a.plus(straight.way, spot)
            parts.append(self._part(piece, number, at, spot, (title, coupling), (take, mating)))
            self.fittings[key] = Fitting(
                key, "coupling", coupling, straight.run, place, (("in", straight.way.times(-1)), ("out", straight.way)),
                {"in": mating, "out": mating}, {"in": piece.pipe, "out": piece.pipe}, shape="coupling",
            )  # fmt: skip
            for arm, sign in (("in", -1.0), ("out", 1.0)):
                self.joints[f"{key}:{arm}"] = Joint(
                    f"{key}:{arm}", straight.run, mating.method, place.plus(straight.way, sign * mating.take_off_mm), key, coupling, straight.key, str(piece.pipe)
                )  # fmt: skip
            at, take, title, number = spot, mating, coupling, number + 1
        parts.append(self._part(piece, number, at, piece.centre_mm, (title, piece.to_title), (take, piece.to_mating)))
        return parts

    def _part(
        self, piece: Piece, number: int, low: float, high: float, titles: tuple[str, str], matings: tuple[Mating, Mating]
    ) -> Piece:  # fmt: skip
        key = piece.key if number == 1 else f"{piece.key}/{number}"
        return replace(
            piece, key=key, a=piece.a.plus(piece.way, low), b=piece.a.plus(piece.way, high), centre_mm=round(high - low, 6),
            from_title=titles[0], to_title=titles[1], from_mating=matings[0], to_mating=matings[1],
        )  # fmt: skip

    def _too_short(self, straight: Straight, piece: Piece) -> None:
        least_mm, why = self._least(straight)
        cut_mm = piece.centre_mm - piece.from_mating.take_off_mm - piece.to_mating.take_off_mm
        if cut_mm < least_mm - 1e-6 and piece.from_mating.known and piece.to_mating.known:
            street = street_mm((piece.from_mating, piece.to_mating))
            self._trouble(
                "leg-short", piece.key, piece.run, piece.a, cut=f"{cut_mm:.1f}", least=f"{least_mm:.1f}", why=why,
                need=f"{least_mm - cut_mm:.3f}", ends=f"{piece.from_title} and {piece.to_title}", leg=piece.legs[-1] if piece.legs else "",
                street="" if street is None or piece.close else f"{street:.3f}", centre=f"{piece.centre_mm:.3f}",
            )  # fmt: skip


_SOCKETED = ("elbow", "elbow45", "tee", "coupling", "reducer")
