"""Which part stands at every node of a pipework, and by which method its joints are made there."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace

from ..catalogue import Catalogue, Device, End, KitRow, Socket, System, Thread, parse_end
from ..catalogue.ends import THREAD_MARKS, THREADS
from ..catalogue.loader import COUPLINGS
from ..errors import Refused
from ..job.model import Pipe, Port
from ..job.ways import Vec
from ..memory import Memory
from ..pipework.geometry import Node, Pipework, PortPlace, Straight
from ..quantity import amount
from ..services import spec
from .chain import SCHOOL, Answer, Ask, Chain
from .choices import NOWHERE, Choices, Here
from .finder import find, named_chain
from .fitted import Fitting, Mating, NodeFittings, Trouble
from .law import HIDDEN, Verdict, law, mouth
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


def _asked(catalogue: Catalogue, ask: Ask, memory: Memory) -> Answer:
    """The finder's answer, kept: the same transition is met at many ports. Why others are rejected is told only where
    there is none."""
    return memory.keep("transition", (catalogue,), ask, lambda: find(ask, catalogue, memory, explain=False))


class Fitter:
    """Puts a part at every node of a traced pipework. stand() fills fittings and troubles."""

    def __init__(self, choices: Choices, pipework: Pipework, catalogue: Catalogue) -> None:
        self.choices = choices
        self.pipework = pipework
        self.catalogue = catalogue
        self.memory = pipework.memory
        self.judged: dict[tuple[Here, str, Pipe], Verdict] = {}
        self.fittings: dict[str, Fitting] = {}
        self.troubles: list[Trouble] = []
        self.told: set[tuple[str, str]] = set()
        self.mated: dict[tuple[str | None, ...], Mating | None] = {}

    def stand(self) -> NodeFittings:
        """The part at every node of the pipework, and what is wrong there."""
        makers: dict[str, Callable[[Node, Here], None]] = {
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
            makers[node.kind](node, self.here_at(node))
            if node.key in self.choices.chain and not self._between(node):
                self._chain_trouble(node, "Parts are chosen by hand only where a run meets a port or another pipe.")
        return NodeFittings(self.fittings, tuple(self.troubles))

    # --- which method -------------------------------------------------------------------------------------------------

    def method(self, pipe: Pipe, key: str, here: Here) -> str | None:
        """The joint method at a fitting: the one set by hand if it is lawful and fits, else the practice's choice among
        those that are.

        None where nothing lawful has figures for this pipe: then there is no joint, and a Trouble says why.
        """
        if not self.catalogue.pipe(pipe.code, pipe.size):
            return None
        known = self._known_methods(pipe)
        wanted = self.choices.override.get(key, "")
        if wanted and wanted != "bend":
            why = self.unlawful(wanted, pipe, here)
            if not why:
                return wanted
            self._trouble_once("override", key, pipe, method=wanted, why=why)
        found = next((method for method in known if not self.judge(method, pipe, here).refused), None)
        if found is None and known:
            verdicts = [self.judge(method, pipe, here) for method in known]
            texts = dict.fromkeys(reason.text for verdict in verdicts for reason in verdict.reasons)
            self._trouble_once("joint-unlawful", key, pipe, why=" ".join(texts), instead=self._instead(verdicts))
        return found

    def _known_methods(self, pipe: Pipe) -> list[str]:
        """The methods with figures for a pipe, those the practice takes first before the others."""
        system: System | None = self.catalogue.systems.get(pipe.code)
        if system is None:
            return []
        first = [one for one in self.choices.preferred if one in system.methods and system.material != "multilayer"]
        order = [*first, *(one for one in system.methods if one not in first)]
        return [one for one in order if self.catalogue.method_figures(pipe.code, pipe.size, one)]

    def _in_one_body(self, pipes: Iterable[Pipe], key: str, here: Here) -> dict[Pipe, str] | None:
        """The methods by which one fitting takes pipes of several systems, all in the same kind of body; None where
        there is none such."""
        wanted = self.choices.override.get(key, "")
        ways: list[dict[tuple[str, bool], tuple[Pipe, str]]] = []  # for each pipe: body, in inches -> how it goes in
        for pipe in dict.fromkeys(pipes):
            known = self._known_methods(pipe)
            bodies: dict[tuple[str, bool], tuple[Pipe, str]] = {}
            for method in sorted(known, key=lambda one: one != wanted):
                socket = mouth(self.catalogue, method, End(pipe.code, pipe.size, "pipe"))
                if socket and not self.judge(method, pipe, here).refused:
                    bodies.setdefault((socket.family, amount(socket.size) < 5), (pipe, method))
            ways.append(bodies)
        common = next((body for body in ways[0] if all(body in others for others in ways)), None)
        return None if common is None else dict(bodies[common] for bodies in ways)

    def here_at(self, node: Node) -> Here:
        """What runs through a node, where it lies (hidden if any of its pipes does there), whether a flame is
        allowed."""
        straights = [self.pipework.straights[key] for key in self.pipework.arms[node.key].values()]
        trace = self.pipework.runs.get(node.run) or next(
            (self.pipework.runs[one.run] for one in straights if one.run in self.pipework.runs), None
        )
        if trace is None:
            return NOWHERE
        run = trace.run
        lies = [one.place_to if one.to_node == node.key else one.place for one in straights]
        place = next((one for one in lies if one in HIDDEN), lies[0] if lies else "")
        return Here(run.service, run.role, place, self.choices.flame(node.at))

    def judge(self, method: str, pipe: Pipe, here: Here) -> Verdict:
        """What the law says of a method on a pipe here."""
        key = (here, method, pipe)
        found = self.judged.get(key)
        if found is None:
            question = here.question(self.choices.practice, End(pipe.code, pipe.size, "pipe"), None, method)
            found = self.judged[key] = law(self.catalogue, question)
        return found

    def unlawful(self, method: str, pipe: Pipe, here: Here) -> str:
        """Why this method may not or cannot be used here: the law's reasons, or that there are no fittings. Empty when
        it may."""
        if method not in self.catalogue.methods:
            return f"There is no joint method {method}."
        verdict = self.judge(method, pipe, here)
        if verdict.refused:
            return verdict.text
        if not self.catalogue.method_figures(pipe.code, pipe.size, method):
            return f"There are no fittings for {pipe} by {self.catalogue.methods[method].title}."
        return ""

    def _instead(self, verdicts: list[Verdict]) -> str:
        """What the refusals say may be used in place, in words."""
        named = dict.fromkeys(method for verdict in verdicts for method in verdict.instead)
        return " or ".join(self.catalogue.methods[method].title for method in named)

    def _trouble_once(self, kind: str, key: str, pipe: Pipe, **facts: str) -> None:
        """A trouble of a node, said once for each of its pipes."""
        if (f"{kind} {key}", str(pipe)) not in self.told:
            self.told.add((f"{kind} {key}", str(pipe)))
            node = self.pipework.nodes.get(key)
            straight = self.pipework.straights.get(key.rpartition("/")[0])
            run, at = (node.run, node.at) if node else (straight.run, straight.a) if straight else ("", Vec(0, 0, 0))
            self._trouble(kind, key, run, at, pipe=str(pipe), **facts)

    def _trouble(self, kind: str, key: str, run: str, at: Vec, **facts: str) -> None:
        self.troubles.append(Trouble(kind, key, run, at, tuple(facts.items())))

    def _no_figures(self, pipe: Pipe, node: Node, what: str) -> Mating:
        """A joint without figures takes nothing off; said once per fitting, and not for a size that is wrong anyway."""
        known = self.catalogue.pipe(pipe.code, pipe.size)
        if known and (node.key, str(pipe)) not in self.told:
            self.told.add((node.key, str(pipe)))
            self._trouble("no-figures", node.key, node.run, node.at, pipe=str(pipe), part=what)
        return replace(UNKNOWN, why=f"There is no {what} for {pipe} in the catalogue.")

    def _no_joint(self, method: str | None, pipe: Pipe, node: Node, what: str) -> Mating:
        """A joint that is not made: nothing lawful, which is said already, or no figures for it."""
        barred = method is None and (f"joint-unlawful {node.key}", str(pipe)) in self.told
        if not barred:
            return self._no_figures(pipe, node, what)
        why = next(
            (one.fact("why") for one in self.troubles if one.kind == "joint-unlawful" and one.key == node.key), ""
        )
        return replace(UNKNOWN, why=why)

    # --- fittings -----------------------------------------------------------------------------------------------------

    def _arms(self, node: Node) -> dict[str, tuple[Vec, Straight]]:
        return {
            arm: (self.pipework.way_out(node.key, arm), self.pipework.straights[key])
            for arm, key in self.pipework.arms[node.key].items()
        }

    def _fitting(self, node: Node, kind: str, title: str, part: str, here: Here, shape: str = "") -> None:
        """A socketed or threaded fitting with the same part measure on every arm."""
        arms = self._arms(node)
        pipes = {arm: straight.pipe for arm, (_, straight) in arms.items()}
        body = max(pipes.values(), key=self.od_mm)
        matings = {}
        mixed: dict[Pipe, str] | None = None
        if len({pipe.code for pipe in pipes.values()}) > 1 and self._both_known(*pipes.values()):
            mixed = self._in_one_body(pipes.values(), node.key, here)
            if mixed is None:
                self._no_body(node, kind, title, pipes)
                return
            wanted = self.choices.override.get(node.key, "")
            if wanted and wanted not in mixed.values():
                both = " and ".join(dict.fromkeys(str(pipe) for pipe in pipes.values()))
                title_ = self.catalogue.methods[wanted].title if wanted in self.catalogue.methods else wanted
                self._trouble_once(
                    "override", node.key, body, method=wanted, why=f"No one {kind} takes {both} by {title_}."
                )
        for arm, pipe in pipes.items():
            method = mixed[pipe] if mixed else self.method(pipe, node.key, here)
            body_method = mixed[body] if mixed else ""
            key = (pipe.code, pipe.size, method, part, body.code, body.size, body_method)
            if key not in self.mated:
                found = part_mating(self.catalogue, pipe, method, part, body, body_method) if method else None
                self.mated[key] = found
            matings[arm] = self.mated[key] or self._no_joint(method, pipe, node, title)
        method_word, service = self._made_by(matings.values(), here)
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
            service=service,
        )

    def _no_body(self, node: Node, kind: str, title: str, pipes: dict[str, Pipe]) -> None:
        """A fitting that would have to take pipes of two systems which no one body takes."""
        both = " and ".join(dict.fromkeys(str(pipe) for pipe in pipes.values()))
        self._trouble("no-figures", node.key, node.run, node.at, pipe=both, part=f"{title} that takes both")
        self._plain(node, kind, title, replace(UNKNOWN, why=f"No {title} takes {both}: change the pipe beside it."))

    def _made_by(self, matings: Iterable[Mating], here: Here) -> tuple[str, str]:
        """The joint of a fitting as its title has it, and the service it is marked for, "" where one serves all."""
        word = next((mating.method for mating in matings if mating.known), "")
        row = self.catalogue.methods.get(word)
        marked = here.service if row and row.socket == "press" and here.service == "gas" else ""
        return (f"{marked} {word}" if marked else word), marked

    def od_mm(self, pipe: Pipe) -> float:
        """Outside diameter [mm], 0 where it is not known."""
        row = self.catalogue.pipe(pipe.code, pipe.size)
        return row.od_mm if row and row.od_mm else 0.0

    def _turn(self, node: Node, here: Here) -> None:
        arms = self._arms(node)
        (way_a, a), (way_b, b) = arms.values()
        angle = fitting_angle(way_a, way_b)
        sizes = a.pipe.size if a.pipe == b.pipe else f"{a.pipe.size} x {b.pipe.size}"
        if abs(angle - 90) <= ANGLE_TOLERANCE_DEG:
            self._fitting(node, "elbow", f"{sizes} elbow", "elbow", here)
        elif abs(angle - 45) <= ANGLE_TOLERANCE_DEG:
            self._fitting(node, "elbow45", f"{sizes} 45 elbow", "45", here)
        elif angle < ANGLE_TOLERANCE_DEG:
            self._plain(node, "turn", "sprung", PIPE_END)
        else:
            why = f"There is no fitting of {angle:.0f} degrees."
            self._plain(node, "turn", f"turn of {angle:.0f} degrees", replace(UNKNOWN, why=why))

    def _tee(self, node: Node, here: Here) -> None:
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
            first, second = sorted((p, q), key=lambda arm: -self.od_mm(arms[arm][1].pipe))
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
            self._fitting(node, "tee", title, "tee", here)
        elif len(arms) > 3:
            self._trouble("tee-shape", node.key, node.run, node.at, name=node.name, why=f"{len(arms)} pipes meet there")
            self._fitting(node, "tee", f"{len(arms)}-way tee", "tee", here)
        elif len(arms) == 2:
            # nobody on its third end: still a tee, closed or open
            sizes = [straight.pipe.size for _, straight in arms.values()]
            self._fitting(node, "tee", f"{sizes[0]} tee", "tee", here)
        elif arms:
            self._fitting(node, "tee", f"{next(iter(arms.values()))[1].pipe.size} tee", "tee", here)

    def _device(self, node: Node, here: Here) -> None:
        arms = self._arms(node)
        if node.part in COUPLINGS and arms:
            word = "slip coupling" if node.part == "slip" else "coupling"
            size = next(iter(arms.values()))[1].pipe.size
            self._fitting(node, "coupling", f"{size} {word}", node.part, here, "coupling")
            return
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
            if own and matings[arm].known:
                self._lawful_device(node, own, pipe, here)
        size = next(iter(arms.values()))[1].pipe.size if arms else ""
        title = f"{size} {row.title if row else node.part}"
        self._no_choice(node)
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

    def _lawful_device(self, node: Node, own: Device, pipe: Pipe, here: Here) -> None:
        """Ask the law about a device's own joints. Whether they may lie behind a finish is a rule's to say, joint by
        joint."""
        why = self.unlawful(own.method, pipe, replace(here, place=""))
        if why:
            self._trouble_once("device-unlawful", node.key, pipe, part=own.title, method=own.method, why=why)

    def _change(self, node: Node, here: Here) -> None:
        arms = self._arms(node)
        if len(arms) < 2:
            self._plain(node, "change", "change of pipe", PIPE_END)
            return
        (first, (_, straight_a)), (second, (_, straight_b)) = arms.items()
        a, b = straight_a.pipe, straight_b.pipe
        if a == b:
            # nothing changes: one pipe runs through; kept as a coupling so that both pieces end somewhere
            self._fitting(node, "coupling", f"{a.size} coupling", "coupling", here)
            return
        if a.code != b.code:
            self._change_of_system(node, first, second, a, b, here)
            return
        matings: dict[str, Mating] = {}
        for arm, own, other in ((first, a, b), (second, b, a)):
            method = self.method(own, node.key, here)
            found = reducer_mating(self.catalogue, own, other, method) if method else None
            matings[arm] = found or self._no_joint(method, own, node, f"transition to {other}")
        word, service = self._made_by(matings.values(), here)
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
            service=service,
        )

    def _change_of_system(self, node: Node, first: str, second: str, a: Pipe, b: Pipe, here: Here) -> None:
        """One pipe system becomes another: the finder's best parts, half their length to either side."""
        start = End(a.code, a.size, "pipe")
        known = self._both_known(a, b)
        answer = Answer((), ())
        chain = self._by_hand(node, start, b, here, near_heat=False) if known else None
        if chain is None and known:
            answer = self.transition(start, b, here, near_heat=False, undo=False)
            chain = next(iter(answer.chains), None)
        matings = dict.fromkeys((first, second), replace(UNKNOWN, why=f"No parts take {a} to {b}."))
        title = f"{a} to {b}"
        if chain:
            enter, leave = chain.links[0].enter, chain.links[-1].leave
            matings = {
                first: half_mating(self.catalogue, chain, chain.joints[0].method, enter),
                second: half_mating(self.catalogue, chain, chain.joints[-1].method, leave),
            }
            title = parts_title(chain)
        elif known:
            self._no_way("no-transition", node, "", start, b, answer, here)
        arms = self._arms(node)
        self.fittings[node.key] = Fitting(
            node.key,
            "transition",
            title,
            node.run,
            node.at,
            tuple((arm, way) for arm, (way, _) in arms.items()),
            matings,
            {first: a, second: b},
            shape="reducer",
            chains=(("between", chain),) if chain else (),
        )

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

    def _end(self, node: Node, here: Here) -> None:
        arms = self._arms(node)
        if not arms:
            return
        if node.kind in ("open", "stub"):
            self._plain(node, node.kind, "open end" if node.kind == "open" else "stub end", PIPE_END)
            return
        arm, (_, straight) = next(iter(arms.items()))
        method = self.method(straight.pipe, node.key, here)
        row = self.catalogue.method_figures(straight.pipe.code, straight.pipe.size, method) if method else None
        if isinstance(row, Socket):
            mating = Mating(method or "", 0.0, row.insertion_mm, 0.0, "pipe end", f"insertion {row.insertion_source}")
        elif isinstance(row, Thread):
            mating = Mating("thread", 0.0, row.made_up_mm, row.loose_mm, "pipe end", f"thread {row.thread_source}")
        else:
            mating = self._no_joint(method, straight.pipe, node, node.kind)
        word, _ = self._made_by([mating], here)
        self._plain(node, node.kind, f"{straight.pipe.size} {node.kind} {word}".strip(), mating)

    def _port(self, node: Node, here: Here) -> None:
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
        self._kit_ends(node, place, here)
        self._no_choice(node)
        pipe = arms["out"][1].pipe
        end = outer_end(place)
        mating = port_mating(self.catalogue, end, pipe)
        title = f"{place.kit[-1].row.title} {place.key}" if place.kit else place.key
        if mating and self.catalogue.pipe(pipe.code, pipe.size):
            in_reach = replace(here, place="")  # a port is where its station is worked on
            question = in_reach.question(self.choices.practice, end, End(pipe.code, pipe.size, "pipe"))
            mating = None if law(self.catalogue, question).refused else mating
        if mating is None and end.form == "pipe" and (end.family, end.size) == (pipe.code, pipe.size):
            method = self.method(pipe, node.key, here)
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
        known = self._both_known(pipe)
        near_heat = is_hot(place)
        chain = self._by_hand(node, end, pipe, here, near_heat=near_heat) if known else None
        if chain is None and mating is None and known:
            answer = self.transition(end, pipe, here, near_heat=near_heat, undo=False)
            chain = next(iter(answer.chains), None)
            if chain is None:
                self._no_way("port-end", node, place.key, end, pipe, answer, here)
        if chain:
            mating = chain_mating(self.catalogue, end, chain)
            title = f"{parts_title(chain)} on {place.key}"
        if mating is None:
            mating = replace(UNKNOWN, why=f"No parts take {end} to {pipe}.")
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
            chains=(("out", chain),) if chain else (),
        )

    def _kit_ends(self, node: Node, place: PortPlace, here: Here) -> None:
        """Ask the law about the joints within a port's kit: port with first part, each part with the next."""
        before, said = port_end(place.port), f"port {place.key}"
        for kit in place.kit:
            inner = kit_end(kit.row, kit.row.inner_end)
            verdict = law(
                self.catalogue, replace(here, place="", flame=True).question(self.choices.practice, before, inner)
            )
            if verdict.refused:
                facts = {
                    "part": kit.row.title,
                    "inner": str(inner),
                    "before": said,
                    "end": str(before),
                    "why": verdict.text,
                }
                self._trouble("kit-end", kit.key, node.run, kit.at, port=place.key, **facts)
            before, said = kit_end(kit.row, kit.row.outer_end), kit.row.title

    def _no_choice(self, node: Node) -> None:
        """A method set by hand on what has its joint by nature is said, not passed over."""
        wanted = self.choices.override.get(node.key, "")
        if wanted:
            why = "What stands there has its joints by nature: another part, or another end on the port, changes them."
            self._trouble("override", node.key, node.run, node.at, method=wanted, why=why, pipe="")

    def _between(self, node: Node) -> bool:
        """Whether a chain of parts can stand at a node: on a port, or where one pipe becomes another."""
        pipes = {self.pipework.straights[key].pipe for key in self.pipework.arms[node.key].values()}
        return node.kind == "port" or (node.kind == "change" and len({pipe.code for pipe in pipes}) > 1)

    def _by_hand(self, node: Node, start: End, pipe: Pipe, here: Here, *, near_heat: bool) -> Chain | None:
        """The parts chosen by hand for the way from an end to a pipe, if they are lawful there and fit; else a Trouble
        says why not."""
        ids = self.choices.chain.get(node.key, "")
        if not ids:
            return None
        ask = self._ask(start, pipe, here, near_heat=near_heat, undo=False)
        try:
            chain = self.memory.keep(
                "chain by hand",
                (self.catalogue,),
                (ask, ids),
                lambda: named_chain(ask, ids, self.catalogue, self.memory),
            )
        except Refused as refused:
            self._chain_trouble(node, f"{refused.said}: expected {refused.expected}.")
            return None
        if chain.reasons:
            self._chain_trouble(node, " ".join(chain.reasons))
            return None
        return chain

    def _chain_trouble(self, node: Node, why: str) -> None:
        self._trouble(
            "override",
            node.key,
            node.run,
            node.at,
            field="chain",
            method=self.choices.chain[node.key],
            why=why,
            pipe="",
        )

    def _ask(self, start: End, pipe: Pipe, here: Here, *, near_heat: bool, undo: bool) -> Ask:
        """What the finder is asked of the way from an end to a pipe here."""
        goal = End(pipe.code, pipe.size, "pipe")
        soft = self.catalogue.material(pipe.code) in ("plastic", "multilayer")
        order = (*self.choices.order, *(method for method in SCHOOL if method not in self.choices.order))
        return Ask(
            start,
            goal,
            here.service,
            concealed=here.hidden,
            flame=here.flame,
            undo=undo,
            near_heat=near_heat and soft,
            practice=self.choices.practice,
            preferred=order,
            role=here.role,
        )

    def transition(self, start: End, pipe: Pipe, here: Here, *, near_heat: bool, undo: bool) -> Answer:
        """What the finder says of the way from an end to a pipe here."""
        return _asked(self.catalogue, self._ask(start, pipe, here, near_heat=near_heat, undo=undo), self.memory)

    def _no_way(self, kind: str, node: Node, port: str, end: End, pipe: Pipe, answer: Answer, here: Here) -> None:
        """Say why no parts take the pipe there, and what would be allowed if the place or the flame were otherwise."""
        why = answer.rejected[0].reasons[0] if answer.rejected else "nothing in the catalogue joins the two"
        works = ""
        for there, words in (
            (replace(here, place=""), "in reach"),
            (replace(here, flame=True), "with a flame"),
            (replace(here, place="", flame=True), "in reach, with a flame"),
        ):
            other = self.transition(end, pipe, there, near_heat=False, undo=False)
            if other.chains:
                works = f"{words}: {parts_title(other.chains[0])}"
                break
        self._trouble(kind, node.key, node.run, node.at, port=port, end=str(end), pipe=str(pipe), why=why, works=works)


def port_end(port: Port) -> End:
    """The port's own end, with what it is made of."""
    return _of_metal(parse_end(port.end), port.metal or "")


def kit_end(row: KitRow, text: str) -> End:
    """An end of a kit part, with what the part is made of."""
    return _of_metal(parse_end(text), row.metal)


def is_hot(place: PortPlace) -> bool:
    """Whether plastic softens at a port: its station is a boiler, a heater or the like."""
    return "hot" in spec.kind(place.station.kind).traits


def outer_end(place: PortPlace) -> End:
    """The end a run meets: of the last part of the kit, or the port's own."""
    return kit_end(place.kit[-1].row, place.kit[-1].row.outer_end) if place.kit else port_end(place.port)


def _of_metal(end: End, metal: str) -> End:
    if metal in THREAD_MARKS and metal not in end.marks and end.family in THREADS:
        return replace(end, marks=tuple(sorted((*end.marks, metal))))
    return end
