"""Two pipe ends anywhere in space, joined by fittings of the catalogue: which, how far one is turned against the other,
and how long the pieces are.

A stub begins at a point and looks along a way; pieces go from there to a fitting, between fittings, and from the last
one to the other point. A fitting turns the pipe by its angle, in any plane. Two of angles a and b lead from one way
into another along what the two cones about both ways share; three leave a choice, of which the least pipe is taken.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ..catalogue import Catalogue
from ..errors import Refused
from ..job.model import Pipe
from ..job.ways import Vec
from ..joints.fitted import Mating
from ..joints.least import least_piece_mm
from ..joints.takeoff import part_mating, street_mm

if TYPE_CHECKING:
    import numpy as np
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

MEETS_MM = 0.1  # how near pieces come to the other end
TURN_STEP_DEG = 5.0  # of the first fitting of three
SAME_WAY = 1e-6  # sine of ways that count as one line
MOST_MM = 20_000.0
MOST_WAYS = 6
PARTS = {90.0: "elbow", 45.0: "45"}


@dataclass(frozen=True, slots=True)
class JoinedStubs:
    """A way to join two stubs. parts: the fittings from the first stub on; angles_deg: what each turns; turns_deg: how
    far each but the first is turned against the one before, about the piece between (0: on round the same way, 180: the
    other way); centres_mm: from the first point to the first centre, between centres, from the last to the other
    point; pieces_mm: the pipe between, 0 where a street fitting goes straight in; ways: along each of them."""

    parts: tuple[str, ...]
    angles_deg: tuple[float, ...]
    turns_deg: tuple[float, ...]
    centres_mm: tuple[float, ...]
    pieces_mm: tuple[float, ...]
    ways: tuple[Vec, ...]

    @property
    def pipe_mm(self) -> float:
        return sum(self.pieces_mm)


@dataclass(frozen=True, slots=True)
class Kind:
    """A fitting that turns: its angle, what it takes off, and the least from a stub's beginning to its centre [mm]."""

    angle_deg: float
    mating: Mating
    least_mm: float

    @property
    def title(self) -> str:
        return f"{self.angle_deg:g} elbow"


@dataclass(frozen=True, slots=True)
class Fittings:
    """What a pipe can be turned by with a method. between_mm: least between centres, by the two angles, with a piece;
    street_mm: centre to centre where one is a street fitting, None without."""

    kinds: tuple[Kind, ...]
    between_mm: dict[tuple[float, float], float]
    street_mm: dict[tuple[float, float], float | None]


def fittings_of(catalogue: Catalogue, pipe: Pipe, method: str = "") -> Fittings:
    """The elbows of a pipe, by a method or the first of its system that has them. Raises Refused without."""
    for one in (method,) if method else catalogue.methods_of(pipe.code):
        matings = {angle: part_mating(catalogue, pipe, one, part) for angle, part in PARTS.items()}
        found = {angle: mating for angle, mating in matings.items() if mating is not None}
        if 90.0 in found:
            kinds = tuple(
                Kind(angle, mating, mating.take_off_mm + max(mating.insertion_mm, 1.0))
                for angle, mating in found.items()
            )
            between, street = {}, {}
            for a, b in itertools.product(kinds, kinds):
                methods = (a.mating.method, b.mating.method)
                least, _ = least_piece_mm(catalogue, pipe, methods, (a.mating.insertion_mm, b.mating.insertion_mm))
                between[a.angle_deg, b.angle_deg] = a.mating.take_off_mm + least + b.mating.take_off_mm
                street[a.angle_deg, b.angle_deg] = street_mm((a.mating, b.mating))
            return Fittings(kinds, between, street)
    raise Refused("pipe", str(pipe), f"a pipe with elbows{f' to {method}' if method else ''}", "cu-m 22")


def join(a: tuple[Vec, Vec], b: tuple[Vec, Vec], fittings: Fittings) -> tuple[JoinedStubs, ...]:
    """The ways to join two stubs (where it begins [mm], the way it looks), best first: fewest fittings, then least
    pipe; none where no three fittings do. Raises Refused for a way of no length or points out of range."""
    for at, way in (a, b):
        if not 1e-9 < way.length < 1e9 or max(abs(one) for one in at) > 1e6:
            raise Refused("way", str(tuple(way)), "a direction of some length, points within 1 km", "U")
    gap = b[0].minus(a[0])
    if gap.length > MOST_MM:
        raise Refused("b", f"{gap.length:.0f} mm away", f"stubs at most {MOST_MM / 1000:.0f} m apart", "400")
    u, w = a[1].unit(), b[1].unit().times(-1)  # w: the way the pipe goes on in b
    found = [*_straight(gap, u, w), *_one(gap, u, w, fittings)]
    for first, second in itertools.product(fittings.kinds, fittings.kinds):
        found += _two(gap, u, w, (first, second), fittings)
    if not found:
        found = list(_three(gap, u, w, fittings))
    found.sort(key=lambda one: (len(one.parts), round(one.pipe_mm, 3)))
    return tuple(found[:MOST_WAYS])


def _straight(gap: Vec, u: Vec, w: Vec) -> Iterator[JoinedStubs]:
    along = gap.dot(u)
    if u.dot(w) > 1 - SAME_WAY and along > 1 and gap.minus(u.times(along)).length < MEETS_MM:
        yield JoinedStubs((), (), (), (along,), (along,), (u,))


def _one(gap: Vec, u: Vec, w: Vec, fittings: Fittings) -> Iterator[JoinedStubs]:
    """One fitting, where the lines of the stubs meet at its angle."""
    for kind in fittings.kinds:
        if abs(u.dot(w) - math.cos(math.radians(kind.angle_deg))) > SAME_WAY:
            continue
        legs = _legs(gap, (u, w))
        if legs is not None and min(legs) >= kind.least_mm - 1e-9:
            yield _made((kind,), legs, (u, w), ())


def _two(gap: Vec, u: Vec, w: Vec, pair: tuple[Kind, Kind], fittings: Fittings) -> Iterator[JoinedStubs]:
    """Two fittings, with a piece between or one of them a street fitting."""
    first, second = pair
    angles = first.angle_deg, second.angle_deg
    for m in _shared(gap, u, w, *angles):
        street = fittings.street_mm[angles]
        between = fittings.between_mm[angles]
        legs = _legs(gap, (u, m, w), (first.least_mm, min(street or between, between), second.least_mm))
        if legs is None:
            continue
        if legs[0] < first.least_mm - 1e-9 or legs[2] < second.least_mm - 1e-9:
            continue
        if street is not None and abs(legs[1] - street) <= MEETS_MM:
            yield _made(pair, (legs[0], street, legs[2]), (u, m, w), (True,))
        elif legs[1] >= between - 1e-9:
            yield _made(pair, legs, (u, m, w), (False,))


def _shared(gap: Vec, u: Vec, w: Vec, first_deg: float, second_deg: float) -> list[Vec]:
    """The ways that make one angle with u and the other with w. Where u and w are one line every turn does, and the way
    to the other stub is taken."""
    a, b = math.cos(math.radians(first_deg)), math.cos(math.radians(second_deg))
    g = u.dot(w)
    normal = u.cross(w)
    if normal.length < SAME_WAY:
        if abs(b - a * g) > SAME_WAY:
            return []
        aside = gap.minus(u.times(gap.dot(u)))
        if aside.length < MEETS_MM:
            return []
        return [u.times(a).plus(aside.unit(), math.sin(math.radians(first_deg)))]
    flat = u.times((a - g * b) / (1 - g * g)).plus(w, (b - g * a) / (1 - g * g))
    rest = 1 - flat.dot(flat)
    if rest < -1e-9:
        return []
    side = normal.unit().times(math.sqrt(max(rest, 0.0)))
    return [flat.plus(side), flat.minus(side)] if side.length > 1e-6 else [flat]


def _legs(gap: Vec, ways: Sequence[Vec], least_mm: Sequence[float] = ()) -> tuple[float, ...] | None:
    """How far to go along each way to come to the gap's end; None where they do not lead there. What is free between
    ways of one line or plane goes into their first, none below the least."""
    import numpy as np  # not before it is asked for

    matrix = np.array(ways, float).T
    wanted = np.array(gap, float)
    legs, _, rank, _ = np.linalg.lstsq(matrix, wanted, rcond=1e-9)
    if np.linalg.norm(matrix @ legs - wanted) > MEETS_MM / 2:
        return None
    if rank < len(ways) and least_mm:
        from scipy.optimize import linprog

        rounded = np.round(matrix, 12)
        solved = linprog(
            [1.0] * len(ways),
            A_eq=rounded[_rows(rounded, rank)],
            b_eq=wanted[_rows(rounded, rank)],
            bounds=[(least, None) for least in least_mm],
        )
        if not solved.success or np.linalg.norm(matrix @ solved.x - wanted) > MEETS_MM / 2:
            return None
        legs = solved.x
    return tuple(float(leg) for leg in legs)


def _rows(matrix: Any, rank: int) -> list[int]:
    """Rows of a matrix that say all it says."""
    import numpy as np

    kept: list[int] = []
    for n in range(len(matrix)):
        if np.linalg.matrix_rank(matrix[[*kept, n]], tol=1e-9) > len(kept):
            kept.append(n)
    return kept[:rank]


def _made(kinds: Sequence[Kind], centres: Sequence[float], ways: Sequence[Vec], street: Sequence[bool]) -> JoinedStubs:
    pieces = []
    for n, centre in enumerate(centres):
        before = kinds[n - 1].mating.take_off_mm if n else 0.0
        behind = kinds[n].mating.take_off_mm if n < len(kinds) else 0.0
        pieces.append(0.0 if 0 < n <= len(street) and street[n - 1] else centre - before - behind)
    titles = [f"street {one.title}" if n and street[n - 1] else one.title for n, one in enumerate(kinds)]
    turns = [_turned_deg(ways[n], ways[n + 1], ways[n + 2]) for n in range(len(kinds) - 1)]
    return JoinedStubs(
        tuple(titles),
        tuple(one.angle_deg for one in kinds),
        tuple(turns),
        tuple(centres),
        tuple(pieces),
        tuple(ways),
    )


def _turned_deg(before: Vec, m: Vec, behind: Vec) -> float:
    """How far the second of two fittings is turned against the first, about the way between them [deg, -180 to 180]."""
    p, q = before.cross(m), m.cross(behind)
    return math.degrees(math.atan2(p.cross(q).dot(m), p.dot(q)))


def _three(gap: Vec, u: Vec, w: Vec, fittings: Fittings) -> Iterator[JoinedStubs]:
    """The best way with three fittings of each set of angles, the first turned in steps."""
    for kinds in itertools.product(fittings.kinds, repeat=3):
        best = None
        for street in ((False, False), (True, False), (False, True)):
            made = _best_of_three(gap, u, w, kinds, fittings, street)
            if made is not None and (best is None or made.pipe_mm < best.pipe_mm):
                best = made
        if best is not None:
            yield best


def _best_of_three(
    gap: Vec, u: Vec, w: Vec, kinds: Sequence[Kind], fittings: Fittings, street: tuple[bool, bool]
) -> JoinedStubs | None:
    """The way with the least pipe over all turns of the first fitting."""
    import numpy as np

    first, middle, last = kinds
    pairs = ((first.angle_deg, middle.angle_deg), (middle.angle_deg, last.angle_deg))
    fixed = [fittings.street_mm[pair] if straight else None for pair, straight in zip(pairs, street, strict=True)]
    if any(straight and one is None for one, straight in zip(fixed, street, strict=True)):
        return None
    least = np.array([first.least_mm, *(fittings.between_mm[pair] for pair in pairs), last.least_mm])
    m1, m2 = _ways_of_three(u, w, *(math.cos(math.radians(kind.angle_deg)) for kind in kinds))
    if not len(m1):
        return None
    to, uu, ww = (np.array(one, float) for one in (gap, u, w))
    legs = _shortest(to, uu, m1, m2, ww, least, fixed)
    if legs is None:
        return None
    n, centres = legs
    ways = (u, Vec(*map(float, m1[n])), Vec(*map(float, m2[n])), w)
    return _made(kinds, [float(one) for one in centres], ways, street)


def _ways_of_three(u: Vec, w: Vec, a: float, b: float, c: float) -> tuple[Floats, Floats]:
    """Pairs of ways between three fittings: the first makes cosine a with u, the second b with the first and c with
    w."""
    import numpy as np

    aside = (Vec(1, 0, 0) if abs(u.x) < 0.9 else Vec(0, 1, 0)).cross(u).unit()
    other = u.cross(aside)
    turn = np.radians(np.arange(0, 360, TURN_STEP_DEG))[:, None]
    uu, ww = np.array(u, float), np.array(w, float)
    m1 = a * uu + math.sqrt(1 - a * a) * (np.cos(turn) * np.array(aside) + np.sin(turn) * np.array(other))
    g = m1 @ ww
    keep = 1 - g * g > 1e-9
    m1, g = m1[keep], g[keep]
    flat = ((b - g * c) / (1 - g * g))[:, None] * m1 + ((c - g * b) / (1 - g * g))[:, None] * ww
    rest = 1 - (flat**2).sum(axis=1)
    keep = rest >= 0
    m1, flat, rest = m1[keep], flat[keep], rest[keep]
    normal = np.cross(m1, ww)
    side = normal / np.linalg.norm(normal, axis=1)[:, None] * np.sqrt(rest)[:, None]
    return np.concatenate([m1, m1]), np.concatenate([flat + side, flat - side])


def _shortest(
    to: Floats, u: Floats, m1: Floats, m2: Floats, w: Floats, least: Floats, fixed: list[float | None]
) -> tuple[int, Floats] | None:
    """Which of the pairs of ways leads there with least, and how far along each of the four; None where none does."""
    import numpy as np

    count = len(m1)
    ways = np.stack([np.broadcast_to(u, (count, 3)), m1, m2, np.broadcast_to(w, (count, 3))], axis=2)
    held = next((n for n in (1, 2) if fixed[n - 1] is not None), None)
    found = [_chosen(to, ways, least, free, fixed) for free in ((0, 1, 2, 3) if held is None else (held,))]
    best = min((one for one in found if one is not None), key=lambda one: one[0], default=None)
    return None if best is None else best[1:]


def _chosen(
    to: Floats, ways: Floats, least: Floats, free: int, fixed: list[float | None]
) -> tuple[float, int, Floats] | None:
    """The shortest with one of the four legs chosen and the others following from it: (pipe, which ways, legs); None
    where none does. A street fitting's leg is not chosen but held."""
    import numpy as np

    rest = [n for n in range(4) if n != free]
    square = ways[:, :, rest]
    sound = np.abs(np.linalg.det(square)) > 1e-4
    if not sound.any():
        return None
    index, square, column = np.nonzero(sound)[0], square[sound], ways[sound][:, :, free]
    held = fixed[free - 1] if free in (1, 2) else None
    base_free = held if held is not None else least[free]
    base = np.linalg.solve(square, (to - base_free * column)[:, :, None])[:, :, 0]
    slope = -np.linalg.solve(square, column[:, :, None])[:, :, 0]
    bound = least[rest]
    best: tuple[float, int, Floats] | None = None
    steps = [np.zeros(len(index))]
    if held is None:
        with np.errstate(divide="ignore", invalid="ignore"):
            steps += [
                np.nan_to_num((bound[n] - base[:, n]) / slope[:, n], nan=-1, posinf=-1, neginf=-1) for n in range(3)
            ]
    for step in steps:
        legs = base + step[:, None] * slope
        holds = (step >= -1e-9) & (legs >= bound - 1e-7).all(axis=1) & (step < MOST_MM) & (legs < MOST_MM).all(axis=1)
        if holds.any():
            total = np.where(holds, legs.sum(axis=1) + step, np.inf)
            n = int(np.argmin(total))
            if best is None or total[n] < best[0]:
                whole = np.insert(legs[n], free, base_free + step[n])
                best = float(total[n]), int(index[n]), whole
    return best
