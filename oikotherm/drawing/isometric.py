"""The pipework of a job as a scene, in any of the four projections."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from ..core.catalogue.loader import MARKS
from ..core.design import Design
from ..core.job.model import Station
from ..core.job.ways import DIRECTIONS, Vec
from ..core.joints.fitted import Fitting, Piece
from ..core.making.holes import joist_lines
from ..core.pipework.trace import station_point
from ..core.quantity import length_text
from ..core.rules.ends import vector_words
from .bands import band_strokes
from .crossings import gaps, remains
from .lines import pipe_lines
from .look import MARGIN, Look, bands, shown
from .placing import Wish, apart, around, beside, place, size
from .scene import XY, Box, Label, Scene, Stroke, Symbol

GAP = 9.0
_BODY = {"emitter": (1000, 600, 100), "boiler": (420, 650, 320)}


class _Sheet:
    """Maps the house to the sheet at the scale that fits."""

    def __init__(self, look: Look, points: Iterable[Vec]) -> None:
        self.flat, self.near = look.projection.functions()
        flat = [self.flat(point) for point in points] or [(0.0, 0.0), (4000.0, 3000.0)]
        left, right = min(x for x, _ in flat), max(x for x, _ in flat)
        top, bottom = min(y for _, y in flat), max(y for _, y in flat)
        wide, high = max(right - left, 500.0), max(bottom - top, 500.0)
        self.scale = min((look.width - 2 * MARGIN) / wide, (look.height - look.head - MARGIN) / high)
        if look.mm_per_m:
            self.scale = look.mm_per_m / 1000
        self.dx = look.width / 2 - (left + right) / 2 * self.scale
        self.dy = (look.height + look.head - MARGIN) / 2 - (top + bottom) / 2 * self.scale

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


BADGE_GAPS = (10.0, 34.0, 60.0, 90.0, 130.0)  # a finding is shown, if need be far off by a thin line
MOST_BADGES = 40


class _Drawer:
    def __init__(self, design: Design, look: Look) -> None:
        self.design = design
        self.look = look
        self.job = design.job
        self.fitted = shown(design, look)
        self.stations = [station for station in self.job.stations if not look.levels or station.level in look.levels]
        self.runs = [run for run in self.job.runs if not look.services or run.service in look.services]
        self.rooms = [room for room in self.job.house.rooms if not look.levels or room.level in look.levels]
        self.heights = bands(design, look.levels) if look.levels else [(-1e9, 1e9)]
        self.floors = {level.id: level.floor_mm for level in self.job.house.levels}
        self.roles = {run.id: run.role for run in self.job.runs}
        self.states = {run.id: run.state for run in self.job.runs}
        self.tints = dict(look.tints)
        self.bodies = {station.id: station_corners(station, self.floors[station.level]) for station in self.stations}
        self.sheet = _Sheet(look, self._extent())
        self.out = Scene(look.width, look.height, f"{self.job.title}: {look.projection.name}")
        at = self.sheet.at
        self.out.origin = at(Vec(0, 0, 0))
        ox, oy = self.out.origin
        east, north, up = (at(Vec(*(1000.0 if n == axis else 0.0 for n in range(3)))) for axis in range(3))
        self.out.axes = ((east[0] - ox, east[1] - oy), (north[0] - ox, north[1] - oy), (up[0] - ox, up[1] - oy))
        self.lines: list[tuple[XY, XY]] = []
        self.compass: list[Label] = []
        self.dimensioned: dict[str, tuple[XY, XY]] = {}

    def _extent(self) -> list[Vec]:
        points = [corner for body in self.bodies.values() for corner in body]
        for piece in self.fitted.pieces.values():
            points += piece.corners
        for room in self.rooms:
            points += [Vec(x, y, self.floors.get(room.level, 0.0)) for x, y in room.outline]
        seen = self.look.levels or set(self.floors)
        for level in seen & set(self.floors):
            points += [Vec(x, y, self.floors[level]) for x, y in self._square(level)]
        for wall in self.job.house.walls:
            if wall.level in seen:
                points += [Vec(x, y, self.floors.get(wall.level, 0.0)) for x, y in (wall.from_xy, wall.to_xy)]
        for one in self.job.house.obstacles:
            if one.level in seen:
                points += [Vec(*corner) for corner in one.box]
        if self.job.house.rooms or self.job.stations:
            return points
        return [*points, Vec(0, 0, 0), Vec(6000, 4500, 0)]

    def scene(self) -> Scene:
        self._levels()
        self._house()
        for station in sorted(self.stations, key=lambda one: one.state == "remove"):
            self._station(station)  # what goes is laid over what comes
        self._compass()
        wishes = [*self._badges(), *self._station_wishes()]
        if self.look.pipes:
            self._pipes()
            self._fittings()
            wishes += [*self._on_pipe(), *self._run_wishes()]
            if self.look.measures:
                wishes += [*self._leg_wishes(), *self._tee_wishes()]
        else:
            wishes += self._ports()
        wishes += self._room_wishes()
        bounds: Box = (2.0, 2.0, self.look.width - 2.0, self.look.height - 2.0)
        self.out.labels = [*self.compass, *place(wishes, self.lines, bounds, self.compass)]
        self._dimension_lines()
        return self.out

    def _dimension_lines(self) -> None:
        """A line of measure through each figure, square ticks at its ends, and witness lines back to the pipe."""
        for label in self.out.labels:
            ends = self.dimensioned.get(label.key) if label.kind.endswith("dimension") and not label.tight else None
            if ends is None:
                continue
            (ax, ay), (bx, by) = ends
            dx, dy = bx - ax, by - ay
            length = (dx * dx + dy * dy) ** 0.5
            nx, ny = -dy / length, dx / length
            off = (label.at[0] - ax) * nx + (label.at[1] - ay) * ny
            a, b = (ax + nx * off, ay + ny * off), (bx + nx * off, by + ny * off)
            sign = 1 if off > 0 else -1
            self.out.strokes.append(Stroke((a, b), "dimension", "", label.key, label.run))
            for (x, y), (px, py) in ((a, (ax, ay)), (b, (bx, by))):
                self.out.strokes.append(
                    Stroke(
                        ((px + nx * sign * 4, py + ny * sign * 4), (x + nx * sign * 3, y + ny * sign * 3)),
                        "dimension",
                        "",
                        label.key,
                        label.run,
                    )
                )
                tick = (
                    (x - (dx + nx * length) / length * 3.5, y - (dy + ny * length) / length * 3.5),
                    (x + (dx + nx * length) / length * 3.5, y + (dy + ny * length) / length * 3.5),
                )
                self.out.strokes.append(Stroke(tick, "dimension", "", label.key, label.run))

    # --- the house ----------------------------------------------------------------------------------------------------

    def _levels(self) -> None:
        at = self.sheet.at
        for level in self.job.house.levels:
            if self.look.levels and level.id not in self.look.levels:
                continue
            square = self._square(level.id)
            if not square:
                continue
            sheet = tuple(at(Vec(x, y, level.floor_mm)) for x, y in square)
            self.out.strokes.append(Stroke(sheet, "level", key=level.id, title=level.name, closed=True))
            for room in (room for room in self.rooms if room.level == level.id and len(room.outline) > 2):
                outline = tuple(at(Vec(x, y, level.floor_mm)) for x, y in room.outline)
                self.out.strokes.append(Stroke(outline, "room", key=room.id, title=room.name, closed=True))

    def _square(self, level: str) -> list[XY]:
        """The corners of a level's sheet: round its rooms and stations; empty where there is nothing."""
        corners = [
            corner for room in self.rooms if room.level == level and len(room.outline) > 2 for corner in room.outline
        ]
        on_it = [corner for station in self.stations if station.level == level for corner in self.bodies[station.id]]
        xs = [x for x, _ in corners] + [corner.x for corner in on_it]
        ys = [y for _, y in corners] + [corner.y for corner in on_it]
        if not xs:
            return []
        over = 0.0 if corners else 300.0
        west, east, south, north = min(xs) - over, max(xs) + over, min(ys) - over, max(ys) + over
        return [(west, south), (east, south), (east, north), (west, north)]

    def _house(self) -> None:
        """Walls as strips on their floor, joists as thin lines, and what is in the way as bodies."""
        at, near = self.sheet.at, self.sheet.near
        house = self.job.house
        seen = self.look.levels or {level.id for level in house.levels}
        plan = self.look.projection.view == "plan"
        for wall in house.walls:
            a, b = (
                Vec(*wall.from_xy, self.floors.get(wall.level, 0.0)),
                Vec(*wall.to_xy, self.floors.get(wall.level, 0.0)),
            )
            if wall.level not in seen or b.minus(a).length < 1:
                continue
            way = b.minus(a).unit()
            half = Vec(-way.y, way.x, 0).times(wall.thickness_mm / 2)
            points = tuple(at(corner) for corner in (a.plus(half), b.plus(half), b.minus(half), a.minus(half)))
            title = f"{wall.id}: {wall.kind} wall, {length_text(wall.thickness_mm, self.job.pace_unit, with_unit=True)}"
            self.out.strokes.append(Stroke(points, "wall", wall.kind, wall.id, title=title, closed=True))
        for field in house.joists if plan or len(seen) == 1 else ():
            if field.level not in seen or len(field.outline) < 3:
                continue
            along, across = (1, 0) if field.along == "N" else (0, 1)
            low, high = min(c[along] for c in field.outline), max(c[along] for c in field.outline)
            z = self.floors.get(field.level, 0.0) - 22
            for line in joist_lines(field):
                ends = [Vec(*((line, end) if across == 0 else (end, line)), z) for end in (low, high)]
                self.out.strokes.append(
                    Stroke(tuple(at(end) for end in ends), "joist", "", field.id, title=f"{field.id}: joists")
                )
        faces = [(0, 1, 2, 3), (4, 5, 6, 7), (0, 1, 5, 4), (1, 2, 6, 5), (2, 3, 7, 6), (3, 0, 4, 7)]
        for one in house.obstacles:
            if one.level not in seen:
                continue
            (x1, y1, z1), (x2, y2, z2) = one.box
            body = [Vec(x, y, z) for z in (z1, z2) for x, y in ((x1, y1), (x2, y1), (x2, y2), (x1, y2))]
            order = sorted(faces, key=lambda face: sum(near(body[corner]) for corner in face))
            for face in order[3:]:
                points = tuple(at(body[corner]) for corner in face)
                self.out.strokes.append(
                    Stroke(points, "obstacle", one.kind, one.id, title=f"{one.id}: {one.kind}", closed=True)
                )

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

    def _marks(self, run: str, key: str = "") -> tuple[str, ...]:
        marks: tuple[str, ...] = (self.states.get(run, "new"),)
        if run == self.look.ghost:
            marks += ("ghost",)
        return (*marks, self.tints[key]) if key in self.tints else marks

    def _pipes(self) -> None:
        at, near = self.sheet.at, self.sheet.near
        parts = pipe_lines(self.fitted)
        segments = [
            (at(a), at(b), near(a), near(b))
            for part in parts
            for a, b in zip(part.points, part.points[1:], strict=False)
        ]
        broken, self.out.crossings = gaps(segments, GAP)
        first = 0
        for part in parts:
            own = range(first, first + len(part.points) - 1)
            first = own.stop
            piece = part.piece
            role, marks = self.roles[piece.run], self._marks(piece.run, piece.key)
            title = self._title(piece)
            if len(own) == 1:
                a, b = segments[own[0]][:2]
                if abs(a[0] - b[0]) + abs(a[1] - b[1]) < 2:
                    self.out.symbols.append(
                        Symbol(a, "endon", (0.0, 0.0), role, piece.key, piece.run, title, marks, part.legs)
                    )
                    continue
                self._arrow(piece, part.straight, a, b)
            self.lines += [segments[n][:2] for n in own]
            flat = tuple(at(point) for point in part.points)
            whole = Stroke(flat, "pipe", role, piece.key, piece.run, title, marks, items=part.legs)
            self.out.pipes.append(whole)
            if not any(n in broken for n in own):
                self.out.strokes.append(whole)
                continue
            for n in own:
                a, b = segments[n][:2]
                for low, high in remains(broken.get(n, [])):
                    bit = tuple((a[0] + (b[0] - a[0]) * share, a[1] + (b[1] - a[1]) * share) for share in (low, high))
                    self.out.strokes.append(
                        Stroke(bit, "pipe", role, piece.key, piece.run, title, marks, items=part.legs)
                    )
        for kit in (
            kit
            for node in self.fitted.pipework.nodes.values()
            if node.kind == "port" and node.key == node.part
            for kit in self.fitted.pipework.ports[node.part].kit
        ):
            run = self.fitted.fittings[kit.key].run
            points = tuple(at(point) for point in (kit.at, kit.mouth))
            self.out.strokes.append(
                Stroke(points, "fitting", self.roles[run], kit.key, run, kit.row.title, self._marks(run, kit.key))
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
                        self._marks(run, kit.key),
                    )
                )
        self._going()
        for trace in self.fitted.pipework.runs.values():
            if trace.finish_at is not None and trace.closing is not None and trace.closing.length > 3:
                points = (at(trace.end), at(trace.finish_at))
                self.out.strokes.append(Stroke(points, "closing", "", trace.run.id, trace.run.id, "closing error"))
            self.out.strokes += band_strokes(trace, at, self.job.pace_unit)

    def _going(self) -> None:
        """Old pipe that goes: thin, crossed out at its middle."""
        runs = {run.id for run in self.runs if run.state == "remove"}
        for straight in self.design.traced.straights.values():
            if straight.run not in runs or straight.length_mm < 1:
                continue
            low, high = sorted((straight.a.z, straight.b.z))
            if not any(low < above and high >= below for below, above in self.heights):
                continue
            a, b = self.sheet.at(straight.a), self.sheet.at(straight.b)
            title = f"{straight.run}: {straight.pipe}, goes"
            self.lines.append((a, b))
            self.out.strokes.append(
                Stroke(
                    (a, b),
                    "pipe",
                    self.roles[straight.run],
                    straight.key,
                    straight.run,
                    title,
                    self._marks(straight.run),
                )
            )
            if abs(a[0] - b[0]) + abs(a[1] - b[1]) > 24:
                middle = ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)
                self.out.symbols.append(
                    Symbol(
                        middle,
                        "gone",
                        self.sheet.way(straight.way),
                        self.roles[straight.run],
                        straight.key,
                        straight.run,
                        title,
                        self._marks(straight.run),
                    )
                )

    def _title(self, piece: Piece) -> str:
        length = length_text(piece.centre_mm, self.job.pace_unit, with_unit=True)
        return f"{self.design.piece_labels[piece.key]}: {piece.pipe}, {length} centre to centre"

    def _arrow(self, piece: Piece, straight: str, a: XY, b: XY) -> None:
        """A small arrow the way the water goes, on pieces with room for it."""
        flow = self.design.flow.get(straight, 0)
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
            if fitting.kind in ("kit", "port", "stub", "bend", "turn"):
                continue
            draw_one.get(fitting.kind, self._collars)(fitting)

    def _collars(self, fitting: Fitting) -> None:
        """The arms of a fitting as short thick pieces, true to its measure but never too small to see."""
        at, marks = self.sheet.at, self._marks(fitting.run, fitting.key)
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
                self._marks(fitting.run, fitting.key),
                self._items(fitting),
            )
        )

    def _on_pipe(self) -> list[Wish]:
        """What sits on pipe without splitting it, a bonding clamp, with what its wire is said to be."""
        wishes, drawn = [], {run.id for run in self.runs}
        for mark in self.fitted.pipework.marks:
            if mark.run not in drawn or not any(low <= mark.at.z < high for low, high in self.heights):
                continue
            at, text = (
                self.sheet.at(mark.at),
                " ".join(
                    word
                    for word in ("bond" if mark.item.part == "clamp" else "", mark.item.name, mark.item.setting)
                    if word
                ),
            )
            key = f"{mark.item.id}/{mark.item.part}"
            way, title = self.sheet.way(mark.way), MARKS.get(mark.item.part, mark.item.part)
            self.out.symbols.append(
                Symbol(
                    at,
                    mark.item.part,
                    way,
                    self.roles[mark.run],
                    key,
                    mark.run,
                    f"{title} {mark.item.setting or ''}".strip(),
                    self._marks(mark.run),
                    (mark.item.id,),
                )
            )
            wishes.append(Wish(text, "point", around(at, *size(text), gap=12), key, mark.run))
        return wishes

    def _ports(self) -> list[Wish]:
        """Every port as a stub the way it faces, with its name."""
        wishes = []
        for port in self.fitted.pipework.ports.values():
            if port.station.id not in self.bodies:
                continue
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
        """Findings where they are, of what is drawn: one badge a place, with its gravest word; the gravest MOST_BADGES
        of them."""
        if not self.look.findings:
            return []
        spots: dict[XY, tuple[str, str]] = {}  # place -> word, severity
        drawn = {run.id for run in self.runs}
        for finding in self.design.open_findings:
            if finding.at is None or finding.severity == "note" or finding.where[0] == self.look.ghost:
                continue
            height, own = finding.at.z, {word for word in finding.where if word in self.roles}
            if not any(low <= height < high for low, high in self.heights) or (own and not own & drawn):
                continue
            at = self.sheet.at(finding.at)
            spots.setdefault((round(at[0]), round(at[1])), (finding.badge or finding.severity, finding.severity))
            if len(spots) == MOST_BADGES:
                break
        return [
            Wish(
                word,
                f"badge-{grave}",
                tuple(spot for gap in BADGE_GAPS for spot in around(at, *size(word), gap=gap)),
                anchor=at,
            )
            for at, (word, grave) in spots.items()
        ]

    def _station_wishes(self) -> list[Wish]:
        wishes = []
        for station in self.stations:
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
        of_run: dict[str, list[Piece]] = {run.id: [] for run in self.runs}
        for piece in self.fitted.pieces.values():
            of_run[piece.run].append(piece)
        for run in self.runs:
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
            legs = trace.run.legs
            for move in trace.moves:
                leg = legs.get(move.item)
                middle = (move.a.z + move.b.z) / 2
                if leg is None or not any(low <= middle < high for low, high in self.heights):
                    continue
                a, b = self.sheet.at(move.a), self.sheet.at(move.b)
                if abs(a[0] - b[0]) + abs(a[1] - b[1]) < 3:
                    continue
                text = length_text(trace.lengths[leg.id], unit) + ("" if leg.basis == "taped" else "?")
                if leg.band_mm:
                    text += f" \N{PLUS-MINUS SIGN}{length_text(leg.band_mm, unit)}"
                if self.look.dimensions:
                    self.dimensioned[leg.id] = (a, b)
                    wishes.append(Wish(text, "measure dimension", apart(a, b, *size(text)), leg.id, trace.run.id))
                else:
                    wishes.append(Wish(text, "measure", beside(a, b, *size(text)), leg.id, trace.run.id))
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
        for room in self.rooms:
            if len(room.outline) < 3 or room.level not in self.floors:
                continue
            points = [self.sheet.at(Vec(x, y, self.floors[room.level])) for x, y in room.outline]
            x, y = sum(p[0] for p in points) / len(points), sum(p[1] for p in points) / len(points)
            spots = [(x, y)] + [
                (x + (p[0] - x) * share, y + (p[1] - y) * share) for share in (0.3, 0.5, 0.65) for p in points
            ]
            wishes.append(Wish(room.name, "room-name", tuple(spots), room.id))
        return wishes
