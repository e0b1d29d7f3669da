"""The pipework of a job as a scene, in any of the four projections."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from ..core.design import Design
from ..core.job.model import Leg, Station
from ..core.job.ways import DIRECTIONS, Vec
from ..core.joints.fitted import Fitting, Piece
from ..core.pipework.trace import station_point
from ..core.quantity import length_text
from ..core.rules.ends import vector_words
from .crossings import gaps, remains
from .placing import Wish, around, beside, place, size
from .projection import Projection
from .scene import XY, Box, Label, Scene, Stroke, Symbol

MARGIN = 34.0
GAP = 9.0
_BODY = {"emitter": (1000, 600, 100), "boiler": (420, 650, 320)}


@dataclass(frozen=True, slots=True)
class Look:
    """What to draw. ghost: a run that is only being typed; pipes: off for the survey, which shows ports in their place; measures: lengths and names of points."""

    projection: Projection = Projection()
    width: float = 960.0
    height: float = 560.0
    ghost: str = ""
    findings: bool = True
    pipes: bool = True
    measures: bool = True


class _Sheet:
    """Maps the house to the sheet at the scale that fits."""

    def __init__(self, look: Look, points: Iterable[Vec]) -> None:
        self.flat, self.near = look.projection.functions()
        flat = [self.flat(point) for point in points] or [(0.0, 0.0), (4000.0, 3000.0)]
        left, right = min(x for x, _ in flat), max(x for x, _ in flat)
        top, bottom = min(y for _, y in flat), max(y for _, y in flat)
        wide, high = max(right - left, 500.0), max(bottom - top, 500.0)
        self.scale = min((look.width - 2 * MARGIN) / wide, (look.height - 2 * MARGIN) / high)
        self.dx = look.width / 2 - (left + right) / 2 * self.scale
        self.dy = look.height / 2 - (top + bottom) / 2 * self.scale

    def at(self, point: Vec) -> XY:
        x, y = self.flat(point)
        return x * self.scale + self.dx, y * self.scale + self.dy

    def way(self, way: Vec) -> XY:
        """A direction on the sheet: unit length, or (0, 0) when it points at the eye."""
        x, y = self.flat(way)
        length = (x * x + y * y) ** 0.5
        return (x / length, y / length) if length > 1e-6 else (0.0, 0.0)


def draw(design: Design, look: Look | None = None) -> Scene:
    """The scene of a design: level sheets and rooms, stations, pipes with gaps where they cross, fittings, labels.

    Deterministic: the same design and look give the same scene.
    """
    return _Drawer(design, look or Look()).scene()


def station_corners(station: Station, floor_mm: float) -> list[Vec]:
    """The eight corners of a station's body: four below, four above, in the same order."""
    wide, high, deep = _BODY.get(station.kind, (120, 120, 60))
    data = station.data
    w = data.width_mm if data.width_mm is not None else wide
    h = data.height_mm if data.height_mm is not None else high
    d = data.depth_mm if data.depth_mm is not None else deep
    return [
        station_point(station, floor_mm, (right, out, up))
        for up in (0.0, h)
        for right, out in ((-w / 2, 0), (w / 2, 0), (w / 2, d), (-w / 2, d))
    ]


class _Drawer:
    def __init__(self, design: Design, look: Look) -> None:
        self.design = design
        self.look = look
        self.job = design.job
        self.fitted = design.fitted
        self.floors = {level.id: level.floor_mm for level in self.job.house.levels}
        self.roles = {run.id: run.role for run in self.job.runs}
        self.states = {run.id: run.state for run in self.job.runs}
        self.bodies = {
            station.id: station_corners(station, self.floors[station.level]) for station in self.job.stations
        }
        self.sheet = _Sheet(look, self._extent())
        self.out = Scene(look.width, look.height, f"{self.job.title}: {look.projection.name}")
        self.lines: list[tuple[XY, XY]] = []
        self.compass: list[Label] = []

    def _extent(self) -> list[Vec]:
        points = [corner for body in self.bodies.values() for corner in body]
        for piece in self.fitted.pieces.values():
            points += [piece.a, piece.b]
        for room in self.job.house.rooms:
            points += [Vec(x, y, self.floors.get(room.level, 0.0)) for x, y in room.outline]
        return points

    def scene(self) -> Scene:
        self._levels()
        for station in self.job.stations:
            self._station(station)
        self._compass()
        wishes = [*self._badges(), *self._station_wishes()]
        if self.look.pipes:
            self._pipes()
            self._fittings()
            wishes += self._run_wishes()
            if self.look.measures:
                wishes += [*self._leg_wishes(), *self._tee_wishes()]
        else:
            wishes += self._ports()
        wishes += self._room_wishes()
        bounds: Box = (2.0, 2.0, self.look.width - 2.0, self.look.height - 2.0)
        self.out.labels = [*self.compass, *place(wishes, self.lines, bounds, self.compass)]
        return self.out

    # --- the house ----------------------------------------------------------------------------------------------------

    def _levels(self) -> None:
        at = self.sheet.at
        for level in self.job.house.levels:
            rooms = [room for room in self.job.house.rooms if room.level == level.id and len(room.outline) > 2]
            corners = [corner for room in rooms for corner in room.outline]
            on_it = [
                corner
                for station in self.job.stations
                if station.level == level.id
                for corner in self.bodies[station.id]
            ]
            xs = [x for x, _ in corners] + [corner.x for corner in on_it]
            ys = [y for _, y in corners] + [corner.y for corner in on_it]
            if not xs:
                continue
            over = 0.0 if corners else 300.0
            west, east, south, north = min(xs) - over, max(xs) + over, min(ys) - over, max(ys) + over
            square = [(west, south), (east, south), (east, north), (west, north)]
            sheet = tuple(at(Vec(x, y, level.floor_mm)) for x, y in square)
            self.out.strokes.append(Stroke(sheet, "level", key=level.id, title=level.name, closed=True))
            for room in rooms:
                outline = tuple(at(Vec(x, y, level.floor_mm)) for x, y in room.outline)
                self.out.strokes.append(Stroke(outline, "room", key=room.id, title=room.name, closed=True))

    def _station(self, station: Station) -> None:
        body = self.bodies[station.id]
        faces = [(0, 1, 2, 3), (4, 5, 6, 7), (0, 1, 5, 4), (1, 2, 6, 5), (2, 3, 7, 6), (3, 0, 4, 7)]
        near = self.sheet.near
        order = sorted(faces, key=lambda face: sum(near(body[corner]) for corner in face))
        title = f"{station.id} {station.name or station.kind}"
        for number, face in enumerate(order[3:]):
            points = tuple(self.sheet.at(body[corner]) for corner in face)
            self.lines += list(zip(points, points[1:] + points[:1], strict=True))
            self.out.strokes.append(
                Stroke(
                    points,
                    "station",
                    station.kind,
                    station.id,
                    title=title,
                    marks=(f"face{number}", station.state),
                    closed=True,
                )
            )

    # --- pipes --------------------------------------------------------------------------------------------------------

    def _marks(self, run: str) -> tuple[str, ...]:
        marks = (self.states.get(run, "new"),)
        return (*marks, "ghost") if run == self.look.ghost else marks

    def _pipes(self) -> None:
        at, near = self.sheet.at, self.sheet.near
        pieces = [piece for piece in self.fitted.pieces.values() if piece.centre_mm > 1e-6]
        segments = [(at(piece.a), at(piece.b), near(piece.a), near(piece.b)) for piece in pieces]
        broken, self.out.crossings = gaps(segments, GAP)
        labels = self.design.piece_labels
        unit = self.job.pace_unit
        for index, (piece, (a, b, _, _)) in enumerate(zip(pieces, segments, strict=True)):
            length = length_text(piece.centre_mm, unit, with_unit=True)
            title = f"{labels[piece.key]}: {piece.pipe}, {length} centre to centre"
            role, marks = self.roles[piece.run], self._marks(piece.run)
            if abs(a[0] - b[0]) + abs(a[1] - b[1]) < 2:
                self.out.symbols.append(
                    Symbol(a, "endon", (0.0, 0.0), role, piece.key, piece.run, title, marks, piece.legs)
                )
                continue
            self.lines.append((a, b))
            for low, high in remains(broken.get(index, [])):
                part = tuple((a[0] + (b[0] - a[0]) * share, a[1] + (b[1] - a[1]) * share) for share in (low, high))
                self.out.strokes.append(
                    Stroke(part, "pipe", role, piece.key, piece.run, title, marks, items=piece.legs)
                )
            self._arrow(piece, a, b)
        for kit in (
            kit
            for node in self.fitted.pipework.nodes.values()
            if node.kind == "port" and node.key == node.part
            for kit in self.fitted.pipework.ports[node.part].kit
        ):
            run = self.fitted.fittings[kit.key].run
            points = tuple(at(point) for point in (kit.at, kit.mouth))
            self.out.strokes.append(
                Stroke(points, "fitting", self.roles[run], kit.key, run, kit.row.title, self._marks(run))
            )
            if kit.row.turns:
                self.out.symbols.append(
                    Symbol(
                        at(kit.at),
                        "valve",
                        self.sheet.way(kit.facing),
                        self.roles[run],
                        kit.key,
                        run,
                        kit.row.title,
                        self._marks(run),
                    )
                )
        for trace in self.fitted.pipework.runs.values():
            if trace.finish_at is not None and trace.closing is not None and trace.closing.length > 3:
                points = (at(trace.end), at(trace.finish_at))
                self.out.strokes.append(Stroke(points, "closing", "", trace.run.id, trace.run.id, "closing error"))

    def _arrow(self, piece: Piece, a: XY, b: XY) -> None:
        """A small arrow the way the water goes, on pieces with room for it."""
        flow = self.design.flow.get(piece.key, 0)
        length = ((b[0] - a[0]) ** 2 + (b[1] - a[1]) ** 2) ** 0.5
        if flow and length > 46:
            way = ((b[0] - a[0]) / length * flow, (b[1] - a[1]) / length * flow)
            share = 0.62 if flow > 0 else 0.38
            spot = (a[0] + (b[0] - a[0]) * share, a[1] + (b[1] - a[1]) * share)
            self.out.symbols.append(
                Symbol(
                    spot,
                    "flow",
                    way,
                    self.roles[piece.run],
                    piece.key,
                    piece.run,
                    "way of the water",
                    self._marks(piece.run),
                )
            )

    def _fittings(self) -> None:
        draw_one: dict[str, Callable[[Fitting], None]] = {"device": self._device}
        for fitting in self.fitted.fittings.values():
            if fitting.kind in ("kit", "port", "stub"):
                continue
            draw_one.get(fitting.kind, self._collars)(fitting)

    def _collars(self, fitting: Fitting) -> None:
        """The arms of a fitting as short thick pieces, true to its measure but never too small to see."""
        at, marks = self.sheet.at, self._marks(fitting.run)
        role = self.roles[fitting.run]
        centre = at(fitting.at)
        for arm, way in fitting.arms:
            mating = fitting.matings.get(arm)
            reach = max((mating.face_mm if mating else 0.0) * self.sheet.scale, 5.0)
            flat = self.sheet.way(way)
            end = (centre[0] + flat[0] * reach, centre[1] + flat[1] * reach)
            self.out.strokes.append(
                Stroke(
                    (centre, end),
                    "fitting",
                    role,
                    fitting.key,
                    fitting.run,
                    fitting.title,
                    marks,
                    items=self._items(fitting),
                )
            )
        if fitting.kind in ("open", "cap", "plug"):
            self.out.symbols.append(
                Symbol(
                    centre,
                    fitting.kind,
                    self.sheet.way(fitting.arms[0][1]) if fitting.arms else (0.0, 0.0),
                    role,
                    fitting.key,
                    fitting.run,
                    fitting.title,
                    marks,
                )
            )

    def _items(self, fitting: Fitting) -> tuple[str, ...]:
        """The paced items a fitting comes from: devices, tees and changes their own; a turn belongs to its legs."""
        node = self.fitted.pipework.nodes.get(fitting.key)
        return (node.item,) if node and node.item and node.kind != "turn" else ()

    def _device(self, fitting: Fitting) -> None:
        node = self.fitted.pipework.nodes[fitting.key]
        way = next(
            (way for arm, way in fitting.arms if arm == "out"), fitting.arms[0][1] if fitting.arms else Vec(1, 0, 0)
        )
        out = self.fitted.pipework.arms[node.key].get("out", "")
        against = node.arrow == "against" or node.arrow == "none" and self.design.flow.get(out, 1) < 0
        flat = self.sheet.way(way.times(-1) if against else way)
        name = f"{fitting.title} {node.name}".strip()
        self.out.symbols.append(
            Symbol(
                self.sheet.at(fitting.at),
                fitting.shape,
                flat,
                self.roles[fitting.run],
                fitting.key,
                fitting.run,
                name,
                self._marks(fitting.run),
                self._items(fitting),
            )
        )

    def _ports(self) -> list[Wish]:
        """Every port as a stub the way it faces, with its name."""
        wishes = []
        for port in self.fitted.pipework.ports.values():
            at = self.sheet.at(port.mouth)
            x, y = self.sheet.way(port.facing)
            end = (at[0] + x * 9, at[1] + y * 9)
            self.out.strokes.append(Stroke((at, end), "fitting", port.port.role, port.key, title=port.key))
            self.out.symbols.append(
                Symbol(at, "endon", (0.0, 0.0), port.port.role, port.key, title=f"{port.key}, {port.end}")
            )
            wishes.append(Wish(port.port.name, "point", around(at, *size(port.port.name), gap=5), port.key))
        return wishes

    def _compass(self) -> None:
        """N, E and U as short lines in the lower left corner; a direction that points at the eye is left out."""
        centre = (46.0, self.look.height - 40.0)
        for name in ("N", "E", "U"):
            x, y = self.sheet.way(DIRECTIONS[name])
            if (x, y) == (0.0, 0.0):
                continue
            end = (centre[0] + x * 20, centre[1] + y * 20)
            self.out.strokes.append(Stroke((centre, end), "compass"))
            self.compass.append(Label((centre[0] + x * 30, centre[1] + y * 30), name, "compass", *size(name)))

    # --- labels -------------------------------------------------------------------------------------------------------

    def _badges(self) -> list[Wish]:
        """Findings where they are: one badge a place, with its gravest word."""
        if not self.look.findings:
            return []
        spots: dict[XY, str] = {}
        for finding in self.design.open_findings:
            if finding.at is not None and finding.severity != "note" and finding.where[0] != self.look.ghost:
                at = self.sheet.at(finding.at)
                spots.setdefault((round(at[0]), round(at[1])), finding.severity)
        return [Wish(word, f"badge-{word}", around(at, *size(word), gap=10), anchor=at) for at, word in spots.items()]

    def _station_wishes(self) -> list[Wish]:
        wishes = []
        for station in self.job.stations:
            corners = [self.sheet.at(corner) for corner in self.bodies[station.id]]
            x = sum(corner[0] for corner in corners) / 8
            top, bottom = min(corner[1] for corner in corners), max(corner[1] for corner in corners)
            left, right = min(corner[0] for corner in corners), max(corner[0] for corner in corners)
            middle = (top + bottom) / 2
            width, height = size(station.id)
            spots = (
                (x, middle),
                (x, top - height / 2 - 2),
                (right + width / 2 + 3, middle),
                (left - width / 2 - 3, middle),
                (x, bottom + height / 2 + 2),
            )
            wishes.append(Wish(station.id, "station-id", (*spots, *around((x, middle), width, height)), station.id))
        return wishes

    def _run_wishes(self) -> list[Wish]:
        """Each run's tag by its longest piece on the sheet, so that colour is not the only sign."""
        wishes = []
        of_run: dict[str, list[Piece]] = {run.id: [] for run in self.job.runs}
        for piece in self.fitted.pieces.values():
            of_run[piece.run].append(piece)
        for run in self.job.runs:
            pieces = of_run[run.id]
            if not pieces:
                continue
            ends = [(self.sheet.at(piece.a), self.sheet.at(piece.b)) for piece in pieces]
            ends.sort(key=lambda ab: -((ab[0][0] - ab[1][0]) ** 2 + (ab[0][1] - ab[1][1]) ** 2))
            a, b = ends[0]
            spots = [spot for ab in ends[:4] for spot in beside(*ab, *size(run.id), shares=(0.75, 0.25, 0.5))]
            wishes.append(Wish(run.id, f"tag role-{run.role}", tuple(spots), run.id, run.id))
        return wishes

    def _leg_wishes(self) -> list[Wish]:
        wishes = []
        unit = self.job.pace_unit
        for trace in self.fitted.pipework.runs.values():
            for item in trace.run.items:
                if isinstance(item, Leg) and trace.lengths[item.id] > 0:
                    a, b = (self.sheet.at(end) for end in trace.leg_ends[item.id])
                    if abs(a[0] - b[0]) + abs(a[1] - b[1]) < 3:
                        continue
                    text = length_text(trace.lengths[item.id], unit) + ("" if item.basis == "taped" else "?")
                    wishes.append(Wish(text, "measure", beside(a, b, *size(text)), item.id, trace.run.id))
        closings = [
            trace
            for trace in self.fitted.pipework.runs.values()
            if trace.closing is not None and trace.closing.length > 3
        ]
        for trace in closings:
            assert trace.closing is not None
            text = vector_words(trace.closing, unit)
            wishes.append(
                Wish(
                    text,
                    "closing",
                    around(self.sheet.at(trace.end), *size(text), gap=12),
                    trace.run.id,
                    trace.run.id,
                )
            )
        return wishes

    def _tee_wishes(self) -> list[Wish]:
        nodes = [node for node in self.fitted.pipework.nodes.values() if node.kind == "tee" and node.name]
        return [
            Wish(node.name, "point", around(self.sheet.at(node.at), *size(node.name), gap=4), node.key, node.run)
            for node in nodes
        ]

    def _room_wishes(self) -> list[Wish]:
        wishes = []
        for room in self.job.house.rooms:
            if len(room.outline) < 3 or room.level not in self.floors:
                continue
            points = [self.sheet.at(Vec(x, y, self.floors[room.level])) for x, y in room.outline]
            x, y = sum(p[0] for p in points) / len(points), sum(p[1] for p in points) / len(points)
            spots = [(x, y)] + [
                (x + (p[0] - x) * share, y + (p[1] - y) * share) for share in (0.3, 0.5, 0.65) for p in points
            ]
            wishes.append(Wish(room.name, "room-name", tuple(spots), room.id))
        return wishes


__all__ = ["Look", "draw", "station_corners"]
