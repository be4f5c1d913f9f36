"""A road of straights and arcs that closes on itself."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import cos, radians, sin

import numpy as np
from numpy.typing import NDArray

__all__ = ["Piece", "Road", "lay_out"]

STEP_M = 1.0


@dataclass(frozen=True, slots=True)
class Piece:
    """A straight of `length_m`, or an arc of `radius_m` through `turn_deg` (positive to the left)."""

    length_m: float = 0.0
    radius_m: float = 0.0
    turn_deg: float = 0.0
    code: str | None = None
    """Of the corner that this arc is, or begins."""
    name: str | None = None
    linked_to_next: bool = False

    @property
    def run_m(self) -> float:
        return self.length_m if not self.turn_deg else abs(radians(self.turn_deg)) * self.radius_m


@dataclass(frozen=True, slots=True)
class Road:
    """A closed road, sampled each metre."""

    pieces: tuple[Piece, ...]
    starts_m: tuple[float, ...]
    length_m: float
    curvature: NDArray[np.float64]
    """Shape (samples,), 1/m, positive to the left."""
    xy_m: NDArray[np.float64]
    """Shape (samples, 2)."""


def lay_out(pieces: Sequence[Piece]) -> Road:
    """Close the road by stretching its straights, the longest ones most, and sample it.

    Raises:
        ValueError: the arcs don't turn through a full circle, or no stretching closes the road.
    """
    if abs(abs(sum(piece.turn_deg for piece in pieces)) - 360) > 1e-9:
        raise ValueError("the arcs must turn through 360 degrees")
    straights = [index for index, piece in enumerate(pieces) if not piece.turn_deg]
    ends = _walk(pieces)[1]
    headings = [_walk(pieces[:index])[0] for index in straights]
    # The end moves by cos and sin of its heading for each metre of a straight: the smallest relative change that closes
    # the gap.
    lengths = np.asarray([pieces[index].length_m for index in straights])
    moves = np.asarray([[cos(h), sin(h)] for h in headings]).T * lengths
    change = np.linalg.lstsq(moves, -np.asarray(ends), rcond=None)[0]
    if (change <= -0.9).any():
        raise ValueError("the road doesn't close with straights of sensible length")
    closed = list(pieces)
    for index, share in zip(straights, change, strict=True):
        closed[index] = Piece(length_m=float(pieces[index].length_m * (1 + share)))
    starts = np.concatenate([[0.0], np.cumsum([piece.run_m for piece in closed])])
    length = float(starts[-1])
    at = np.arange(round(length / STEP_M)) * (length / round(length / STEP_M))
    which = np.searchsorted(starts, at, side="right") - 1
    curvature = np.asarray([0.0 if not (p := closed[i]).turn_deg else np.sign(p.turn_deg) / p.radius_m for i in which])
    heading = np.concatenate([[0.0], np.cumsum(curvature * (length / len(at)))])[:-1]
    xy = np.cumsum(np.stack([np.cos(heading), np.sin(heading)], axis=1) * (length / len(at)), axis=0)
    # Sampling leaves a gap of a few centimetres: spread over the lap, nobody sees it.
    xy -= np.outer(np.arange(1, len(at) + 1) / len(at), xy[-1])
    return Road(tuple(closed), tuple(float(s) for s in starts[:-1]), length, curvature, xy)


def _walk(pieces: Sequence[Piece]) -> tuple[float, tuple[float, float]]:
    """Heading and place at the end of some pieces."""
    heading, x, y = 0.0, 0.0, 0.0
    for piece in pieces:
        if not piece.turn_deg:
            x, y = x + piece.length_m * cos(heading), y + piece.length_m * sin(heading)
            continue
        turn = radians(piece.turn_deg)
        radius = piece.radius_m if turn > 0 else -piece.radius_m
        x += radius * (sin(heading + turn) - sin(heading))
        y -= radius * (cos(heading + turn) - cos(heading))
        heading += turn
    return heading, (x, y)
