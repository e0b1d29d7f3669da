"""Pieces of pipe between the things that stand: set back, bent, cut at sticks, with the joints at their ends."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace

from ..catalogue import Catalogue
from ..job.ways import Vec
from ..pipework.geometry import Node, PassPlace, Pipework, Straight
from .choices import Choices, Here
from .fitted import Bend, Fitting, Joint, Mating, NodeFittings, Piece, RunJoints
from .fitter import ANGLE_TOLERANCE_DEG, PIPE_END, Fitter
from .least import least_piece_mm
from .takeoff import fitting_angle, goes_in, part_mating, street_mm

STREET_TOLERANCE_MM = 3.0
AT_JOINT_MM = 15.0  # typ: straight pipe between a bend and the mouth of a socket, so that it stays round there
IN_ONE_PIECE = Mating("", 0.0, 0.0, 0.0, "bend", "")
REST_MM = 100.0  # what is left behind the last coupling is longer than the least piece by this
FIRST_MM = 200.0  # and a coupling is at least this far along its stick
ROUND_PASS_MM = 60.0  # a coupling keeps this far from a wall, floor or ceiling


def _as_bend(old: Fitting, title: str) -> Fitting:
    """The fitting of a turn that is pulled in the pipe instead."""
    matings = dict.fromkeys(old.matings, IN_ONE_PIECE)
    return Fitting(
        old.key, "bend", title, old.run, old.at, old.arms, matings, old.pipes, old.source, "bend", old.new, old.chains
    )


@dataclass(frozen=True, slots=True)
class _Spot:
    """Where a coupling stands: which straight of the piece, how far along it [mm], how it takes up the pipe, its
    key."""

    straight: int
    along_mm: float
    mating: Mating
    key: str


class Assembler(Fitter):
    """Moves what stands at the nodes of a pipework to where it can be made, and names the pieces and joints between.

    own: the straights that pieces are made of; stood: what stands at their nodes; at_ports: at the ports they end at;
    ends: at their ends on other runs, which stays as it is.
    """

    def __init__(
        self,
        choices: Choices,
        pipework: Pipework,
        catalogue: Catalogue,
        own: Iterable[str],
        stood: NodeFittings,
        at_ports: dict[str, NodeFittings],
        ends: dict[str, Fitting],
    ) -> None:
        super().__init__(choices, pipework, catalogue)
        self.own = [pipework.straights[key] for key in own]
        self.joints: dict[str, Joint] = {}
        self.pieces: dict[str, Piece] = {}
        self.spans: dict[str, tuple[Vec, Vec]] = {}
        self.apart_mm: dict[str, float] = {}  # straight -> from one end of its span to the other
        self.piece_of: dict[str, str] = {}
        self.passes: dict[str, list[PassPlace]] = {}
        for one in pipework.passes:
            self.passes.setdefault(one.run, []).append(one)
        self.radii: dict[str, float] = {}  # turn -> radius of the bend pulled there; 0 where the pipe is only sprung
        self.angles: dict[str, float] = {}  # turn -> how far a bend there turns [deg]
        self.spots: dict[str, list[_Spot]] = {}  # first straight of a piece -> where its sticks are coupled
        self.ends = ends
        for key, node in pipework.nodes.items():
            if key in at_ports:
                self.fittings.update(at_ports[key].fittings)
                self.troubles += at_ports[key].troubles
            elif key in ends:
                self.fittings[key] = ends[key]
            elif key in stood.fittings:
                self.fittings[key] = stood.fittings[key].at_place(node.at)
        self.troubles += [replace(one, at=pipework.nodes[one.key].at) for one in stood.troubles]

    def made(self) -> RunJoints:
        self._assemble()
        for key in self.ends:
            del self.fittings[key]
        return RunJoints(
            self.fittings,
            self.joints,
            self.pieces,
            tuple(self.troubles),
            self.spans,
            self.piece_of,
            self.apart_mm,
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
            for straight in self.own
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
        for straight in self.own:
            for node, outward in ((straight.from_node, 1.0), (straight.to_node, -1.0)):
                if nodes[node].close and not straight.close and nodes[node].run == straight.run:
                    moved[node] = nodes[node].at.plus(straight.way, outward * back.get(node, 0.0))
        for straight in self.own:
            # a thing between two other things at one spot lies on no leg of its own
            for node, outward in ((straight.from_node, -1.0), (straight.to_node, 1.0)):
                if nodes[node].close and node not in moved:
                    moved[node] = nodes[node].at.plus(straight.way, outward * back.get(node, 0.0))
        for straight in self.own:
            if straight.piece_mm:
                start = moved.get(straight.from_node, straight.a)
                takes = (
                    self._mating(straight.from_node, straight.from_arm).take_off_mm
                    + self._mating(straight.to_node, straight.to_arm).take_off_mm
                )
                moved[straight.to_node] = start.plus(straight.way, straight.piece_mm + takes)
        for key, at in moved.items():
            self.fittings[key] = self.fittings[key].at_place(at)
        for straight in self.own:
            a, b = moved.get(straight.from_node, straight.a), moved.get(straight.to_node, straight.b)
            self.spans[straight.key] = a, b
            self.apart_mm[straight.key] = b.minus(a).length
        self._bend()
        started: set[str] = set()
        for straight in self.own:
            if straight.key in started:
                continue
            chain = self._chain(straight)
            started.update(one.key for one in chain)
            first, last = chain[0], chain[-1]
            self._kit_joints(first.from_node)
            if not (len(chain) == 1 and self._street(first)):
                self._joint(first, first.from_node, first.from_arm, self.spans[first.key][0], first.way)
                self._pieces(chain)
                self._joint(last, last.to_node, last.to_arm, self.spans[last.key][1], last.way.times(-1))
            self._kit_joints(last.to_node, from_pipe=True)
            self._inner_joints(last.to_node)

    # --- bends --------------------------------------------------------------------------------------------------------

    def _bend(self) -> None:
        """Decide which turns are bends in the pipe: all that the practice bends, less those without room for it."""
        work = self.pipework
        angles: dict[str, float] = {}
        for key, node in work.nodes.items():
            if node.kind != "turn" or key in self.ends:
                continue
            a, b = (work.straights[name] for name in work.arms[key].values())
            bent = self._bent(node)
            if bent:
                angles[key], self.radii[key] = bent
        bent_ones = [one for one in self.own if one.from_node in self.radii or one.to_node in self.radii]
        lost = True
        while lost:
            lost = False
            for straight in bent_ones:
                for end in self._no_room(straight, angles):
                    del self.radii[end]
                    lost = True
        self.angles = angles
        self._with_couplings()
        for key in angles:
            if self.radii.get(key):
                node = work.nodes[key]
                old = self.fittings[key]
                pipe = next(iter(old.pipes.values()))
                title = f"bend of {angles[key]:.0f} in {pipe.size}"
                self.fittings[key] = _as_bend(old, title)
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
        """The angle [deg] and radius [mm] of the bend that the practice pulls at a turn, before there is room for it;
        radius 0 where the pipe is only sprung; None where it takes a fitting."""
        (way_a, a), (way_b, b) = self._arms(node).values()
        angle = fitting_angle(way_a, way_b)
        if a.pipe != b.pipe or a.close or b.close or (a.to_node == node.key) == (b.to_node == node.key):
            return None  # two runs that come from either side are two pieces
        if angle < ANGLE_TOLERANCE_DEG:
            return angle, 0.0
        radius = self.catalogue.bend_radius_mm(a.pipe.code, a.pipe.size)
        asked = self.choices.override.get(node.key, "") in ("", "bend")
        return (
            (angle, radius)
            if radius and self.od_mm(a.pipe) <= self.choices.bent_up_to_mm and angle <= 100 and asked
            else None
        )

    def _tangent(self, node: str, angles: dict[str, float]) -> float:
        return self.radii[node] * math.tan(math.radians(angles[node]) / 2)

    def _gain(self, node: str) -> float:
        """What a bend saves over its legs [mm]: 2 R tan(t / 2) - R t."""
        return 2 * self._tangent(node, self.angles) - self.radii[node] * math.radians(self.angles[node])

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
        return bends[:1] if need > self.apart_mm[straight.key] + 1e-6 else []

    def _with_couplings(self) -> None:
        """Decide where the sticks of longer pieces are coupled, on their straights; a bend gives way where none of the
        straights before it has room for a coupling."""
        seen: set[str] = set()
        for straight in self.own:
            if straight.key in seen:
                continue
            while True:
                chain = self._chain(straight)
                spots, stuck = self._split(chain)
                if not stuck:
                    break
                if self.radii.pop(stuck) == 0.0:  # only sprung there: no fitting can take it over
                    self.radii[stuck] = 0.0
                    break
            seen.update(one.key for one in chain)
            if spots:
                self.spots[straight.key] = spots

    def _split(self, chain: list[Straight]) -> tuple[list[_Spot], str]:
        """Where the sticks of a piece along these straights are coupled, as late as each stick allows; and the bend
        that leaves no room for it, "" where there is none."""
        first, last = chain[0], chain[-1]
        system = self.catalogue.systems.get(first.pipe.code)
        if system is None or not system.stick_mm or first.close:
            return [], ""
        reached, so_far = [], 0.0  # length of the pipe, laid straight, to where each straight begins
        for n, straight in enumerate(chain):
            so_far -= self._gain(straight.from_node) if n else 0.0
            reached.append(so_far)
            so_far += self.apart_mm[straight.key]
        to_take = self._mating(last.to_node, last.to_arm)
        at, take_mm = 0.0, self._mating(first.from_node, first.from_arm).take_off_mm
        spots: list[_Spot] = []
        stick_mm = min([system.stick_mm, *(one.longest_mm for one in chain if one.longest_mm)])
        while so_far - at - take_mm - to_take.take_off_mm > stick_mm + 1e-6:
            limit = at + take_mm + stick_mm
            found = self._farthest(chain, reached, (at, limit, so_far), to_take, spots)
            if found is None:
                bends = [one.from_node for n, one in enumerate(chain) if n and at < reached[n] <= limit]
                return spots, next((node for node in reversed(bends) if self.radii.get(node)), "")
            spots.append(found)
            at, take_mm = reached[found.straight] + found.along_mm, found.mating.take_off_mm
        return spots, ""

    def _farthest(
        self,
        chain: list[Straight],
        reached: list[float],
        along: tuple[float, float, float],
        to_mating: Mating,
        before: list[_Spot],
    ) -> _Spot | None:
        """The last spot for a coupling that one stick reaches: on a straight, off bends, out of walls and floors, with
        a piece behind it that can be made. along: where the stick begins, ends, and where all of it ends."""
        at, limit, whole = along
        for n in range(len(chain) - 1, -1, -1):
            straight = chain[n]
            if reached[n] > limit:
                continue
            key = f"{straight.key}/join{1 + sum(one.straight == n for one in before)}"
            mating = self._coupling(straight, key)
            if mating is None:
                return None
            off = mating.face_mm + AT_JOINT_MM
            low = self._tangent(straight.from_node, self.angles) + off if n else 0.0
            high = self.apart_mm[straight.key]
            high -= self._tangent(straight.to_node, self.angles) + off if n + 1 < len(chain) else 0.0
            spot = min(high, limit + mating.take_off_mm - reached[n])
            least_mm, _ = least_piece_mm(
                self.catalogue,
                straight.pipe,
                (mating.method, to_mating.method),
                (mating.insertion_mm, to_mating.insertion_mm),
            )
            rest = whole - reached[n] - spot - mating.take_off_mm - to_mating.take_off_mm
            spot -= max(0.0, least_mm + REST_MM - rest)
            for wall in self._walls(straight):
                if wall[0] < spot < wall[1] and reached[n] + wall[0] > at + FIRST_MM:
                    spot = wall[0]
            if spot >= low and reached[n] + spot > at + FIRST_MM:
                return _Spot(n, spot, mating, key)
        return None

    def _coupling(self, straight: Straight, key: str) -> Mating | None:
        """How a coupling on a straight takes up its pipe; None where nothing lawful has figures."""
        method = self.method(straight.pipe, key, self._on(straight))
        return part_mating(self.catalogue, straight.pipe, method, "coupling") if method else None

    def _on(self, straight: Straight) -> Here:
        """What decides a joint on a straight."""
        run = self.pipework.runs[straight.run].run
        return Here(run.service, run.role, straight.place, self.choices.flame(straight.a))

    def _walls(self, straight: Straight) -> list[tuple[float, float]]:
        """Where a straight goes through walls and floors [mm from its start], with what passes freely."""
        a = self.spans[straight.key][0]
        found = []
        for one in self.passes.get(straight.run, ()):
            if one.way.dot(straight.way) > 0.99:
                low = one.at.minus(a).dot(straight.way)
                if one.at.minus(a).plus(straight.way, -low).length < 1.0:
                    found.append((low - ROUND_PASS_MM, low + (one.item.thickness_mm or 0.0) + ROUND_PASS_MM))
        return found

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
            abs(self.apart_mm[straight.key] - reach) > STREET_TOLERANCE_MM
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
        at = self.spans[straight.key][0 if other == straight.from_node else 1]
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
        ends = [place.port.end, *(kit.row.outer_end for kit in place.kit)]
        joints = [
            Joint(
                f"{kit.key}:in",
                node.run,
                kit.row.method,
                kit.at,
                kit.key,
                kit.row.title,
                other,
                goes_in(before, kit.row.inner_end),
            )
            for kit, other, before in zip(place.kit, inner, ends, strict=False)
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
                if "set" in link.enter.marks:  # it lies in the body before it: one joint, made with the pipe
                    before = link.title
                    continue
                found.append(
                    Joint(
                        f"{node}/t{n + 1}:in",
                        fitting.run,
                        joint.method,
                        fitting.at,
                        fitting.key,
                        link.title,
                        before,
                        goes_in(joint.a, joint.b),
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
                if "set" in link.enter.marks:
                    continue
                key = f"{node}/t{n + 2}:in"
                self.joints[key] = Joint(
                    key,
                    fitting.run,
                    joint.method,
                    fitting.at,
                    fitting.key,
                    link.title,
                    chain.links[n].title,
                    goes_in(joint.a, joint.b),
                )

    def _joint(self, straight: Straight, node: str, arm: str, at: Vec, way_out: Vec) -> None:
        fitting = self.fittings.get(node)
        mating = self._mating(node, arm)
        if fitting is None or not (mating.method or mating.why):
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
            mating.why,
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
            first.key,
            first.run,
            first.pipe,
            corners[0],
            corners[-1],
            first.way,
            round(sum(legs), 6),
            tuple(dict.fromkeys(leg for straight in chain for leg in straight.legs)),
            titles[0],
            titles[1],
            self._mating(first.from_node, first.from_arm),
            self._mating(last.to_node, last.to_arm),
            first.place,
            first.close,
            any(straight.assumed for straight in chain),
            tuple(straight.key for straight in chain),
            tuple(bends),
        )
        spots = self.spots.get(first.key, [])
        parts = self._parts(chain, legs, piece, spots) if spots else [piece]
        for part in parts:
            self.pieces[part.key] = part
            for key in part.straights:
                self.piece_of.setdefault(key, part.key)
        if len(parts) == 1 and not piece.bends:
            self._too_short(first, piece)

    def _parts(self, chain: list[Straight], legs: list[float], piece: Piece, spots: list[_Spot]) -> list[Piece]:
        """The sticks of a piece, joined by couplings at these spots."""
        parts: list[Piece] = []
        begin, take, title = (0, 0.0), piece.from_mating, piece.from_title
        for number, spot in enumerate(spots, 1):
            straight = chain[spot.straight]
            word, service = self._made_by([spot.mating], self._on(straight))
            lap = spot.mating.method == "slip"  # one length goes into the next, without a part
            coupling = f"{piece.pipe.size} {'slip joint' if lap else f'coupling {word}'}"
            place = self.spans[straight.key][0].plus(straight.way, spot.along_mm)
            end = (spot.straight, spot.along_mm)
            parts.append(self._part(chain, legs, piece, number, (begin, end), (title, coupling), (take, spot.mating)))
            self.fittings[spot.key] = Fitting(
                spot.key,
                "lap" if lap else "coupling",
                coupling,
                straight.run,
                place,
                (("in", straight.way.times(-1)), ("out", straight.way)),
                {"in": spot.mating, "out": spot.mating},
                {"in": piece.pipe, "out": piece.pipe},
                shape="coupling",
                service=service,
            )
            for arm, sign in (("in", -1.0), ("out", 1.0))[: 1 if lap else 2]:
                self.joints[f"{spot.key}:{arm}"] = Joint(
                    f"{spot.key}:{arm}",
                    straight.run,
                    spot.mating.method,
                    place.plus(straight.way, sign * spot.mating.take_off_mm),
                    spot.key,
                    coupling,
                    straight.key,
                    str(piece.pipe),
                )
            begin, take, title = end, spot.mating, coupling
        end = (len(chain) - 1, legs[-1])
        parts.append(
            self._part(
                chain, legs, piece, len(spots) + 1, (begin, end), (title, piece.to_title), (take, piece.to_mating)
            )
        )
        return parts

    def _part(
        self,
        chain: list[Straight],
        legs: list[float],
        piece: Piece,
        number: int,
        ends: tuple[tuple[int, float], tuple[int, float]],
        titles: tuple[str, str],
        matings: tuple[Mating, Mating],
    ) -> Piece:
        """One stick of a piece, between two places on its straights [which, mm along it]."""
        (m, low), (n, high) = ends
        bends = list(piece.bends[m:n])
        if bends:  # the first of a piece is turned against nothing
            bends[0] = replace(bends[0], leg_mm=bends[0].leg_mm - low, roll_deg=0.0)
        length = sum(legs[m:n]) - low + high
        on = chain[m : n + 1]
        return replace(
            piece,
            key=piece.key if number == 1 else f"{piece.key}/{number}",
            a=self.spans[chain[m].key][0].plus(chain[m].way, low),
            b=self.spans[chain[n].key][0].plus(chain[n].way, high),
            way=chain[m].way,
            centre_mm=round(length, 6),
            legs=tuple(dict.fromkeys(leg for straight in on for leg in straight.legs)),
            place=chain[m].place,
            straights=tuple(straight.key for straight in on),
            bends=tuple(bends),
            from_title=titles[0],
            to_title=titles[1],
            from_mating=matings[0],
            to_mating=matings[1],
        )

    def _too_short(self, straight: Straight, piece: Piece) -> None:
        least_mm, why = self._least(straight)
        cut_mm = piece.centre_mm - piece.from_mating.take_off_mm - piece.to_mating.take_off_mm
        if cut_mm < least_mm - 1e-6 and piece.from_mating.known and piece.to_mating.known:
            street = street_mm((piece.from_mating, piece.to_mating))
            self._trouble(
                "leg-short",
                piece.key,
                piece.run,
                piece.a,
                cut=f"{cut_mm:.1f}",
                least=f"{least_mm:.1f}",
                why=why,
                need=f"{least_mm - cut_mm:.3f}",
                ends=f"{piece.from_title} and {piece.to_title}",
                leg=piece.legs[-1] if piece.legs else "",
                street="" if street is None or piece.close else f"{street:.3f}",
                centre=f"{piece.centre_mm:.3f}",
            )


_SOCKETED = ("elbow", "elbow45", "tee", "coupling", "reducer")
