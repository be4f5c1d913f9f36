"""Other layouts of the same track: the road turned round, or made shorter by a link."""

import re
from dataclasses import replace
from itertools import pairwise
from math import dist

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.track import BadTrack, Corner, Pit, Sector, Track

__all__ = ["shortened", "turned_round"]

_SAME_M = 0.1
_NUMBERED = re.compile(r"T\d+")


def turned_round(track: Track, layout: str) -> Track:
    """The same road the other way round.

    Where braking begins can't be known from the other direction: each corner begins where its exit was, until somebody
    corrects it. Corners
    called T1, T2, … are counted anew; which corner is given up for which isn't taken over.

    >>> from fleet_rival.core.example import TRACK
    >>> [corner.apex_m for corner in turned_round(TRACK, "Backwards").corners]
    [270.0, 570.0, 820.0]
    """
    length = track.length_m
    numbered = all(_NUMBERED.fullmatch(corner.code) for corner in track.corners)
    corners = []
    # By where they start then: one that lies across the line is the last one in both directions.
    for number, corner in enumerate(sorted(track.corners, key=lambda corner: length - corner.end_m), 1):
        start, end = length - corner.end_m, length - corner.start_m
        code = f"T{number}" if numbered else corner.code
        corners.append(Corner(code, start, length - corner.apex_m, end, corner.name, _other(corner.direction)))
    starts = [0.0, *(length - sector.start_m for sector in reversed(track.sectors) if sector.start_m > 0)]
    sectors = tuple(Sector(sector.code, start) for sector, start in zip(track.sectors, starts, strict=True))
    points = track.centreline_xy_m
    pit = (
        Pit(-track.pit.exit_m % length, -track.pit.entry_m % length, _other(track.pit.side), track.pit.limit_kmh)
        if track.pit
        else None
    )
    # The first point stays the line's.
    turned = (points[0], *reversed(points[1:])) if points else ()
    return replace(track, layout=layout, sectors=sectors, corners=tuple(corners), centreline_xy_m=turned, pit=pit)


def shortened(track: Track, layout: str, from_m: float, to_m: float, link_m: float | None = None) -> Track:
    """A layout that leaves a stretch out.

    Args:
        from_m: where the road is left, in metres from the line.
        to_m: where it is met again, farther on.
        link_m: length of the link between the two; as the crow flies where missing, which needs a centreline.

    Raises:
        BadTrack: the stretch isn't one inside the lap, or the link's length can't be known.

    >>> from fleet_rival.core.example import TRACK
    >>> shortened(TRACK, "Club", 500, 900, 100).length_m
    700.0
    """
    if not 0 < from_m < to_m < track.length_m:
        raise BadTrack(f"the stretch from {from_m:g} to {to_m:g} m isn't inside the lap of {track.length_m:g} m")
    across_m = dist(*_places(track, np.asarray([from_m, to_m]))) if track.centreline_xy_m else None
    if link_m is None:
        if across_m is None:
            raise BadTrack("without a centreline the length of the link must be given")
        link_m = across_m
    elif across_m is not None and link_m < across_m - _SAME_M:
        raise BadTrack(f"a link of {link_m:g} m doesn't reach across {across_m:.1f} m")
    less = to_m - from_m - link_m
    length = track.length_m - less

    def moved(where: float) -> float:
        return where if where <= from_m else from_m + link_m / 2 if where < to_m else where - less

    corners = tuple(
        replace(
            corner, start_m=moved(corner.start_m), apex_m=moved(corner.apex_m), end_m=min(length, moved(corner.end_m))
        )
        for corner in track.corners
        if not from_m < corner.apex_m < to_m
    )
    # Linked only where they still follow each other.
    kept = [corner.code for corner in corners]
    before = [corner.code for corner in track.corners]
    followers = dict(pairwise(before))
    corners = tuple(
        replace(
            corner,
            linked_to_next=corner.linked_to_next
            and (index + 1 == len(kept) or followers.get(corner.code) == kept[index + 1]),
        )
        for index, corner in enumerate(corners)
    )
    sectors = tuple(
        replace(sector, start_m=moved(sector.start_m)) for sector in track.sectors if not from_m < sector.start_m < to_m
    )
    pit = replace(track.pit, entry_m=moved(track.pit.entry_m), exit_m=moved(track.pit.exit_m)) if track.pit else None
    step = track.centreline_step_m or 0.0
    if track.centreline_xy_m:
        count = max(3, round(length / step))
        step = length / count
        at = np.arange(count) * step
        # Along the old road before and behind the link; across it as the crow flies.
        road = _places(track, np.where(at <= from_m, at, np.maximum(at + less, to_m)))
        ends = _places(track, np.asarray([from_m, to_m]))
        across = ends[0] + (ends[1] - ends[0]) * ((at - from_m) / max(link_m, step))[:, None]
        on_link = (at > from_m) & (at < from_m + link_m)
        line = tuple((float(x), float(y)) for x, y in np.where(on_link[:, None], across, road))
    else:
        line = ()
    return replace(
        track,
        layout=layout,
        length_m=length,
        sectors=sectors,
        corners=corners,
        centreline_step_m=step if line else None,
        centreline_xy_m=line,
        pit=pit,
    )


def _places(track: Track, at_m: NDArray[np.float64]) -> NDArray[np.float64]:
    """Places on the centreline at distances from the line; shape (n, 2)."""
    points = np.asarray([*track.centreline_xy_m, track.centreline_xy_m[0]])
    known = np.append(np.arange(len(points) - 1) * (track.centreline_step_m or 0.0), track.length_m)
    return np.stack([np.interp(at_m, known, points[:, axis]) for axis in (0, 1)], axis=1)


def _other(side: str | None) -> str | None:
    return {"left": "right", "right": "left"}.get(side or "")
