"""A group's laps as a table: times of their parts, and which of them tell how the driver drives."""

from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.laps.taken import flagged_parts
from fleet_rival.core.laps.verdict import is_cold, was_among_others
from fleet_rival.core.options.samples import label_of
from fleet_rival.core.track import Track
from fleet_rival.core.words import Depth

__all__ = ["WHOLE", "Passes", "passes_of"]

WHOLE: Final[Depth] = "lap"
"""The only part of a lap of which nothing but its time is known."""


@dataclass(frozen=True, slots=True)
class Passes:
    """Laps of which a part is timed, in the order of driving.

    Attributes:
        depth: of the parts.
        codes: parts in the order of the lap.
        positions: of the laps among the driver's laps, shape (laps,).
        times_us: shape (laps, parts), whole microseconds; 0 where unknown.
        timed: whether it is known; the same shape.
        tells: whether a pass is evidence: warm, with nobody in the way and without an incident; shape (laps, parts).
        cold: whether it was driven on cold tyres; the same shape.
        only_cold: and nothing else speaks against it.
        others: whether a tow, traffic or a yellow flag made its time; the same shape.
        blocks: number of the stretch of a run with one setup that a lap belongs to, shape (laps,).
        since: laps of the run before it, the out lap among them, shape (laps,).
        ages: laps that the tyres had done, shape (laps,); NaN where unknown.
        setups: by block; None: not named.
        base_us: medians of the parts, shape (parts,).
    """

    depth: Depth
    codes: tuple[str, ...]
    positions: NDArray[np.int64]
    times_us: NDArray[np.int64]
    timed: NDArray[np.bool_]
    tells: NDArray[np.bool_]
    cold: NDArray[np.bool_]
    only_cold: NDArray[np.bool_]
    others: NDArray[np.bool_]
    blocks: NDArray[np.int64]
    since: NDArray[np.float64]
    ages: NDArray[np.float64]
    setups: tuple[str | None, ...]
    base_us: NDArray[np.float64]


def passes_of(
    track: Track,
    judged: Sequence[JudgedLap],
    chosen: Sequence[int],
    evidence: Mapping[str, Set[int]],
    depth: Depth,
) -> Passes | str:
    """The table of a group's laps.

    Args:
        judged: all laps of the driver, in order.
        chosen: positions of the group's laps in `judged`, of any kind.
        evidence: by part of this depth the positions of laps whose way through it is a pass; of whole laps nothing.

    Returns:
        The table, or the reason why there is none.
    """
    codes = tuple(evidence) or (WHOLE,)
    rows = [(index, times) for index in chosen if any(times := _times(judged[index].lap, codes, depth))]
    if not rows:
        return "no lap with a time of any part"
    driven = [judged[index] for index, _ in rows]
    laps = [item.lap for item in driven]
    times_us = np.asarray([times for _, times in rows], dtype=np.int64)
    inside = _inside(track, codes, depth)
    tells = np.asarray(
        [
            [
                index in evidence[code] and not inside[code] & judged[index].taken.own
                if evidence
                else judged[index].clean
                for code in codes
            ]
            for index, _ in rows
        ],
        dtype=np.bool_,
    )
    if not tells.any(axis=0).all():
        return "a part of the lap without a pass that tells anything"
    cold = np.asarray([[_was_cold(item, inside[code]) for code in codes] for item in driven], dtype=np.bool_)
    firsts: dict[tuple[str, int | None], int] = {}
    for item in judged:
        key = (item.lap.session, item.lap.run)
        firsts[key] = min(item.lap.number, firsts.get(key, item.lap.number))
    numbers: dict[tuple[str, int | None, str | None], int] = {}
    blocks = [numbers.setdefault((lap.session, lap.run, label_of(lap, "setup")), len(numbers)) for lap in laps]
    return Passes(
        depth,
        codes,
        np.asarray([index for index, _ in rows], dtype=np.int64),
        times_us,
        times_us > 0,
        tells,
        cold,
        cold & ~np.asarray([[item.spoilt_when_cold] for item in driven], dtype=np.bool_),
        np.asarray([_with_others(track, item, inside) for item in driven], dtype=np.bool_),
        np.asarray(blocks, dtype=np.int64),
        np.asarray([lap.number - firsts[lap.session, lap.run] for lap in laps], dtype=np.float64),
        np.asarray([np.nan if lap.tyre_age is None else lap.tyre_age for lap in laps], dtype=np.float64),
        tuple(setup for _, _, setup in numbers),
        np.asarray([np.median(times_us[tells[:, column], column]) for column in range(len(codes))]),
    )


def _times(lap: Lap, codes: Sequence[str], depth: Depth) -> list[int]:
    """Times of all parts; 0 where one isn't known."""
    if depth == WHOLE:
        return [lap.time_us]
    known = lap.segments if depth == "segments" else lap.sectors
    return [known.get(code) or 0 for code in codes]


def _inside(track: Track, codes: Sequence[str], depth: Depth) -> dict[str, frozenset[str]]:
    """Segments in each part; of a whole lap all."""
    if depth == WHOLE:
        return {code: frozenset(part.code for part in track.segment_parts) for code in codes}
    placed = track.segment_parts if depth == "segments" else track.sector_parts
    return {part.code: track.segments_of(part) for part in placed}


def _was_cold(item: JudgedLap, segments: frozenset[str]) -> bool:
    return item.flying and (is_cold(item) or bool(item.cold_parts & segments))


def _with_others(track: Track, item: JudgedLap, inside: Mapping[str, frozenset[str]]) -> list[bool]:
    if was_among_others(item):
        return [True] * len(inside)
    flagged = {code for _, code in flagged_parts(item.lap)} if item.lap.flags else set()
    if not flagged:
        return [False] * len(inside)
    places = (*track.sector_parts, *track.segment_parts)
    taken = frozenset[str]().union(*(track.segments_of(part) for part in places if part.code in flagged))
    return [bool(taken & segments) for segments in inside.values()]
