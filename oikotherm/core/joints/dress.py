"""dress(pipework) -> Fitted: which part stands at every node, how every joint is made, where every pipe ends.

A fitting's take-off is what the pipe gives up to it. Sockets: the centre-to-stop measure z (EN 1254-1 measures fittings
so), because the pipe ends at the stop; the insertion lies behind the socket's mouth and is not added again. Threads:
centre-to-face A less the made-up thread.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

from ..catalogue import Catalogue, Device, End, Socket, System, Thread, parse_end
from ..context import Context
from ..job.model import Job, Pipe
from ..job.ways import Vec
from ..pipework.trace import Node, Pipework, PortPlace, Straight
from ..practice import METAL_JOINING, chosen
from .fitted import Fitted, Fitting, Joint, Mating, Piece, Trouble
from .least import least_piece_mm

COUPLING_GAP_MM = 1.5  # typ: 1 to 2 mm between the stops of a coupling
ANGLE_TOLERANCE_DEG = 2.0
UNKNOWN = Mating("", 0.0, 0.0, 0.0, "not known", "", known=False)
PIPE_END = Mating("", 0.0, 0.0, 0.0, "pipe end", "")


def dress(job: Job, pipework: Pipework, context: Context) -> Fitted:
    """Put parts and joints on a traced pipework. Never raises: what has no figures or no part becomes a Trouble."""
    return _Dresser(job, pipework, context.catalogue).run()


def socket_z_mm(row: Socket, part: str) -> float:
    """Centre to stop [mm] of a socketed part: elbow and tee z, 45 at 0.45 of it, half the gap of a coupling.

    Source: handbook figures per row; tees have the z of the elbow (typ).
    """
    return {
        "elbow": row.elbow_z_mm,
        "tee": row.elbow_z_mm,
        "45": 0.45 * row.elbow_z_mm,
        "coupling": COUPLING_GAP_MM / 2,
    }[part]


def thread_a_mm(row: Thread, part: str) -> float | None:
    """Centre to face [mm] of a threaded part; None where the catalogue has no figure."""
    half = None if row.coupling_length_mm is None else row.coupling_length_mm / 2
    return {"elbow": row.elbow_a_mm, "tee": row.elbow_a_mm, "45": row.elbow45_a_mm, "coupling": half}[part]


def part_mating(catalogue: Catalogue, pipe: Pipe, method: str, part: str, body: Pipe | None = None) -> Mating | None:
    """How a part (elbow, tee, 45, coupling) takes up a pipe; None without figures.

    body: the largest pipe on the fitting, whose centre measure it has; the insertion is that of the pipe itself.
    """
    body = body or pipe
    own = catalogue.method_figures(pipe.code, pipe.size, method)
    big = catalogue.method_figures(body.code, body.size, method)
    if isinstance(own, Socket) and isinstance(big, Socket):
        z = socket_z_mm(big, part)
        return Mating(
            method, z, own.insertion_mm, 0.0, f"z {z:.4g}", f"z {big.z_source}; insertion {own.insertion_source}"
        )
    if isinstance(own, Thread) and isinstance(big, Thread):
        a = thread_a_mm(big, part)
        if a is None:
            return None
        return Mating(
            method,
            a - own.made_up_mm,
            own.made_up_mm,
            own.loose_mm,
            f"A {a:.4g} less thread {own.made_up_mm:.4g}",
            f"A {big.fitting_source}; thread {own.thread_source}",
        )
    return None


def reducer_mating(catalogue: Catalogue, pipe: Pipe, other: Pipe, method: str) -> Mating | None:
    """How a straight reducer takes up one of its two pipes, measured from its middle; None without figures.

    Sockets: the gap between the stops is 2 mm and half the difference of the outside diameters (typ). Threads: half the
    length of the larger coupling (typ).
    """
    row = catalogue.method_figures(pipe.code, pipe.size, method)
    if isinstance(row, Socket):
        ods = [
            size.od_mm
            for size in (catalogue.pipe(pipe.code, pipe.size), catalogue.pipe(other.code, other.size))
            if size
        ]
        if len(ods) < 2 or ods[0] is None or ods[1] is None:
            return None
        gap = 2 + abs(ods[0] - ods[1]) / 2
        return Mating(
            method,
            gap / 2,
            row.insertion_mm,
            0.0,
            f"half of gap {gap:.4g}",
            f"gap typ; insertion {row.insertion_source}",
        )
    if isinstance(row, Thread):
        lengths = [
            figures.coupling_length_mm
            for size in (pipe, other)
            if isinstance(figures := catalogue.method_figures(size.code, size.size, method), Thread)
            and figures.coupling_length_mm
        ]
        if len(lengths) == 2:
            half = max(lengths) / 2
            return Mating(
                method,
                half - row.made_up_mm,
                row.made_up_mm,
                row.loose_mm,
                f"half length {half:.4g} less thread {row.made_up_mm:.4g}",
                f"length typ; thread {row.thread_source}",
            )
    return None


_SOCKET_METHOD = {"cap": "capillary", "press": "press", "comp": "compression", "push": "push-fit", "exp": "expansion"}
_SOCKET_FAMILY = {"cu": ("cu", "cu-inch"), "fe": ("fe-press",), "mlc": ("mlc",), "pb": ("pb",), "pexa": ("pexa",)}


def port_mating(catalogue: Catalogue, end: End, pipe: Pipe) -> Mating | None:
    """How a port's outer end takes up a pipe directly, measured from the port plane; None if a transition is needed.

    A socket or female thread swallows its insertion behind the plane, so the take-off is negative.
    """
    system = catalogue.systems.get(pipe.code)
    if system is None:
        return None
    if end.form == "socket" and end.size == pipe.size:
        kind, _, metal = end.family.partition("-")
        method = _SOCKET_METHOD[kind]
        if metal == "mlc" and method == "press":
            method = "press-mlc"
        row = catalogue.sockets.get((system.family, pipe.size, method))
        if row and system.family in _SOCKET_FAMILY[metal]:
            depth = row.insertion_mm
            return Mating(method, -depth, depth, 0.0, f"insertion {depth:.4g}", f"insertion {row.insertion_source}")
    fits = {"NPT": "npt", "Rp": "r", "Rc": "r"}
    if end.form == "female" and end.size == pipe.size and fits.get(end.family) == system.family and not end.marks:
        thread = catalogue.method_figures(pipe.code, pipe.size, "thread")
        if isinstance(thread, Thread):
            depth = thread.made_up_mm
            return Mating(
                "thread", -depth, depth, thread.loose_mm, f"thread {depth:.4g}", f"thread {thread.thread_source}"
            )
    return None


def fitting_angle(a: Vec, b: Vec) -> float:
    """How far a pipe turns [deg] between two arms that point out of a fitting: 0 straight on, 90 an elbow."""
    return math.degrees(math.acos(max(-1.0, min(1.0, -a.dot(b)))))


class _Dresser:
    def __init__(self, job: Job, pipework: Pipework, catalogue: Catalogue) -> None:
        self.pipework = pipework
        self.catalogue = catalogue
        self.preferred = chosen(job, METAL_JOINING)[0].acts
        self.override = {row.target: str(row.value) for row in job.overrides if row.field == "method"}
        self.fittings: dict[str, Fitting] = {}
        self.joints: dict[str, Joint] = {}
        self.pieces: dict[str, Piece] = {}
        self.troubles: list[Trouble] = []
        self.told: set[tuple[str, str]] = set()

    def run(self) -> Fitted:
        for node in self.pipework.nodes.values():
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
            makers[node.kind](node)
        self._assemble()
        return Fitted(self.pipework, self.fittings, self.joints, self.pieces, tuple(self.troubles))

    # --- which method -------------------------------------------------------------------------------------------------

    def method(self, pipe: Pipe, key: str) -> str | None:
        """The joint method at a fitting: an override, else the practice's choice among those with figures for this pipe."""
        system: System | None = self.catalogue.systems.get(pipe.code)
        if system is None:
            return None
        order = [method for method in self.preferred if method in system.methods]
        order += [method for method in system.methods if method not in order]
        if self.override.get(key) in order:
            order.insert(0, self.override[key])
        return next((method for method in order if self.catalogue.method_figures(pipe.code, pipe.size, method)), None)

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
            found = part_mating(self.catalogue, pipe, method, part, body) if method else None
            matings[arm] = found or self._no_figures(pipe, node, title)
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
        (way_a, a), (way_b, b) = arms["in"], arms["out"]
        angle = fitting_angle(way_a, way_b)
        sizes = a.pipe.size if a.pipe == b.pipe else f"{a.pipe.size} x {b.pipe.size}"
        if abs(angle - 90) <= ANGLE_TOLERANCE_DEG:
            self._fitting(node, "elbow", f"{sizes} elbow", "elbow")
        elif abs(angle - 45) <= ANGLE_TOLERANCE_DEG:
            self._fitting(node, "elbow45", f"{sizes} 45 elbow", "45")
        else:
            self._trouble("turn-no-fitting", node.key, node.run, node.at, angle=f"{angle:.1f}", pipe=str(a.pipe))
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
        a, b = arms["in"][1].pipe, arms["out"][1].pipe
        if a == b:
            # nothing changes: one pipe runs through; kept as a coupling so that both pieces end somewhere
            self._fitting(node, "coupling", f"{a.size} coupling", "coupling")
            return
        matings: dict[str, Mating] = {}
        for arm, own, other in (("in", a, b), ("out", b, a)):
            method = self.method(own, node.key)
            found = reducer_mating(self.catalogue, own, other, method) if method and own.code == other.code else None
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
            {"in": a, "out": b},
            shape="reducer",
        )

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
        if mating is None and end.form == "pipe" and (end.family, end.size) == (pipe.code, pipe.size):
            method = self.method(pipe, node.key)
            found = part_mating(self.catalogue, pipe, method, "coupling") if method else None
            if found:
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
        if mating is None:
            if self.catalogue.pipe(pipe.code, pipe.size):
                self._trouble("port-end", node.key, node.run, node.at, port=place.key, end=place.end, pipe=str(pipe))
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
        )

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
            self.fittings[key] = replace(self.fittings[key], at=at)
        for straight in self.pipework.straights.values():
            a = moved.get(straight.from_node, straight.a)
            b = moved.get(straight.to_node, straight.b)
            self._piece(straight, a, b)
            self._kit_joints(straight.from_node)
            self._joint(straight, straight.from_node, straight.from_arm, a, straight.way)
            self._joint(straight, straight.to_node, straight.to_arm, b, straight.way.times(-1))
            self._kit_joints(straight.to_node, from_pipe=True)

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
        for joint in reversed(joints) if from_pipe else joints:
            self.joints[joint.key] = joint

    def _joint(self, straight: Straight, node: str, arm: str, at: Vec, way_out: Vec) -> None:
        fitting = self.fittings.get(node)
        mating = self._mating(node, arm)
        if fitting is None or not mating.method:
            return
        owner = node
        if fitting.kind == "port" and "+" not in node:
            kit = self.pipework.ports[self.pipework.nodes[node].part].kit
            owner = kit[-1].key if kit else node
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

    def _piece(self, straight: Straight, a: Vec, b: Vec) -> None:
        titles = [
            self.fittings[node].title if node in self.fittings else "open end"
            for node in (straight.from_node, straight.to_node)
        ]
        centre_mm = round(b.minus(a).dot(straight.way), 6)
        piece = Piece(
            straight.key,
            straight.run,
            straight.pipe,
            a,
            b,
            straight.way,
            centre_mm,
            straight.legs,
            titles[0],
            titles[1],
            self._mating(straight.from_node, straight.from_arm),
            self._mating(straight.to_node, straight.to_arm),
            straight.place,
            straight.close,
            straight.assumed,
        )
        self.pieces[straight.key] = piece
        least_mm, why = self._least(straight)
        cut_mm = centre_mm - piece.from_mating.take_off_mm - piece.to_mating.take_off_mm
        if cut_mm < least_mm - 1e-6 and piece.from_mating.known and piece.to_mating.known:
            self._trouble(
                "leg-short",
                piece.key,
                piece.run,
                a,
                cut=f"{cut_mm:.1f}",
                least=f"{least_mm:.1f}",
                why=why,
                need=f"{least_mm - cut_mm:.3f}",
                ends=f"{titles[0]} and {titles[1]}",
                leg=piece.legs[-1] if piece.legs else "",
            )
