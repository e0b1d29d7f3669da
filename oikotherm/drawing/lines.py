"""The pipe of a fitted job as lines in the house."""

from __future__ import annotations

from dataclasses import dataclass

from ..core.job.ways import Vec
from ..core.joints.fitted import Fitted, Piece
from ..core.making.bends import tangent_mm


@dataclass(frozen=True, slots=True)
class PipeLine:
    """A stretch of a piece as it is drawn: straight, or the chords of a pulled bend. legs: the paced items it comes
    from."""

    piece: Piece
    straight: str
    points: tuple[Vec, ...]
    legs: tuple[str, ...]


def pipe_lines(fitted: Fitted) -> list[PipeLine]:
    """All pipe as lines in the house: the straights, cut back to where their bends begin, and the bends."""
    found = []
    straights = fitted.pipework.straights
    for piece in fitted.pieces.values():
        corners = piece.corners
        backs = [0.0, *(tangent_mm(bend.radius_mm, bend.angle_deg) for bend in piece.bends), 0.0]
        for n, (a, b) in enumerate(zip(corners, corners[1:], strict=False)):
            straight = straights[piece.straights[n] if piece.bends else piece.straights[0]]
            length = b.minus(a).length
            if length < 1e-6:
                continue
            way = b.minus(a).times(1 / length)
            start, end = a.plus(way, backs[n]), b.plus(way, -backs[n + 1])
            found.append(PipeLine(piece, straight.key, (start, end), straight.legs))
            if n < len(piece.bends) and backs[n + 1] > 1e-6:
                out = corners[n + 2].minus(b).unit()
                to = b.plus(out, backs[n + 1])
                curve = tuple(end.times((1 - t) ** 2).plus(b, 2 * t * (1 - t)).plus(to, t * t) for t in _CHORDS)
                found.append(PipeLine(piece, straight.key, curve, straight.legs))
    return found


_CHORDS = (0.0, 0.2, 0.4, 0.6, 0.8, 1.0)
