"""A layout: its length, its sectors and corners, and the parts of the lap that follow from them."""

from collections.abc import Sequence
from dataclasses import dataclass, fields
from functools import cached_property
from itertools import pairwise
from math import dist
from typing import Any

__all__ = ["BadTrack", "Corner", "Part", "Pit", "Sector", "Track"]

_SAME_M = 1e-3
"""Boundaries closer than a millimetre are one."""
_CLOSES_WITHIN = 0.01
"""Of the lap: a centreline that misses its own beginning by more isn't one."""


class BadTrack(ValueError):
    """A layout that contradicts itself."""


@dataclass(frozen=True, slots=True)
class Sector:
    """A timed sector; it ends where the next one starts, the last one at the line."""

    code: str
    start_m: float


@dataclass(frozen=True, slots=True)
class Corner:
    """A corner, in metres from the line. `start_m` is where its braking begins."""

    code: str
    start_m: float
    apex_m: float
    end_m: float
    name: str | None = None
    direction: str | None = None
    linked_to_next: bool = False
    """The driver gives up time here for the next corner."""
    given_up_for: str | None = None
    """Code of a corner further on for which time is given up here."""


@dataclass(frozen=True, slots=True)
class Pit:
    """The pit lane, by where it is entered and left, in metres from the line."""

    entry_m: float
    exit_m: float
    side: str | None = None
    """`left` or `right` of the road."""
    limit_kmh: float | None = None


@dataclass(frozen=True, slots=True)
class Part:
    """A stretch of the lap that is timed: a sector or a segment, from `start_m` to `end_m`."""

    code: str
    start_m: float
    end_m: float


@dataclass(frozen=True)
class Track:
    """One layout of a track.

    Raises:
        BadTrack: sectors or corners that don't ascend, lie outside the lap, or share a code; a centreline that doesn't
            close. It says where.
    """

    name: str
    layout: str
    kind: str
    length_m: float
    sectors: tuple[Sector, ...]
    corners: tuple[Corner, ...]
    centreline_step_m: float | None = None
    centreline_xy_m: tuple[tuple[float, float], ...] = ()
    pit: Pit | None = None

    def __post_init__(self) -> None:
        if not self.length_m > 0:
            raise BadTrack("length_m must be more than 0")
        if not self.sectors or self.sectors[0].start_m != 0:
            raise BadTrack("the first sector must start at 0")
        codes = [sector.code for sector in self.sectors] + [corner.code for corner in self.corners]
        if self.corners and self.corners[0].start_m > 0:
            codes.append("L0")
        folded = [code.casefold() for code in codes]
        for code in codes:
            if not code.strip() or folded.count(code.casefold()) > 1:
                raise BadTrack(f"the code {code!r} is empty or stands twice")
        for corner in self.corners:
            # Laps name corners in lists such as `T3 T9` and `spin:T5`.
            if any(sign.isspace() or sign in ":=" for sign in corner.code):
                raise BadTrack(f"the corner code {corner.code!r} holds a blank, a colon or an equals sign")
        self._check_order("sector", [(sector.code, sector.start_m) for sector in self.sectors])
        self._check_order("corner", [(corner.code, corner.start_m) for corner in self.corners])
        for corner in self.corners:
            self._check_corner(corner)
        for what, where in (("entry", self.pit.entry_m), ("exit", self.pit.exit_m)) if self.pit else ():
            if not 0 <= where < self.length_m:
                raise BadTrack(f"the pit {what} at {where:g} m lies outside the lap of {self.length_m:g} m")
        if self.centreline_xy_m:
            self._check_centreline()

    def __getstate__(self) -> dict[str, Any]:
        # Without the parts that are worked out once somebody asks for them: keys of what is remembered are made of
        # pickled layouts.
        return {item.name: getattr(self, item.name) for item in fields(self)}

    def _check_order(self, what: str, starts: Sequence[tuple[str, float]]) -> None:
        for code, start in starts:
            if not 0 <= start < self.length_m:
                raise BadTrack(f"{what} {code} starts at {start:g} m, outside the lap of {self.length_m:g} m")
        for (first, before), (second, after) in pairwise(starts):
            if after <= before:
                raise BadTrack(
                    f"{what} {second} starts at {after:g} m, not after {first} at {before:g} m: they must ascend"
                )

    def _check_corner(self, corner: Corner) -> None:
        """Start, apex and end in this order; the last corner's may lie across the line."""
        for what, where in (("apex", corner.apex_m), ("end", corner.end_m)):
            if not 0 <= where <= self.length_m:
                raise BadTrack(
                    f"the {what} of corner {corner.code} at {where:g} m lies outside the lap of {self.length_m:g} m"
                )
        last = corner is self.corners[-1]
        apex, end = (
            where + self.length_m if last and where < corner.start_m else where
            for where in (corner.apex_m, corner.end_m)
        )
        if not corner.start_m <= apex <= end:
            raise BadTrack(
                f"corner {corner.code} must start, have its apex and end in this order, "
                f"not at {corner.start_m:g}, {corner.apex_m:g} and {corner.end_m:g} m"
            )

    def _check_centreline(self) -> None:
        points, step = self.centreline_xy_m, self.centreline_step_m
        if not step or len(points) < 3:
            raise BadTrack("a centreline needs a step of more than 0 and at least 3 points")
        allowed = step + _CLOSES_WITHIN * self.length_m
        gap = dist(points[-1], points[0])
        if gap > allowed:
            raise BadTrack(f"the centreline ends {gap:.1f} m from where it begins, more than 1 % of the lap")
        if abs(len(points) * step - self.length_m) > allowed:
            raise BadTrack(
                f"the centreline's {len(points)} steps of {step:g} m are {len(points) * step:.1f} m, not the lap's "
                f"{self.length_m:g} m"
            )
        for index, (first, second) in enumerate(pairwise(points)):
            if dist(first, second) > 2 * step + _SAME_M:
                raise BadTrack(
                    f"the centreline jumps by {dist(first, second):.1f} m after point {index}, at {index * step:.0f} m"
                )

    @cached_property
    def sector_parts(self) -> tuple[Part, ...]:
        """The sectors as parts; they partition the lap."""
        return _parts([(sector.code, sector.start_m) for sector in self.sectors], self.length_m)

    @cached_property
    def segment_parts(self) -> tuple[Part, ...]:
        """`L0` from the line to the first corner, then one segment a corner; they partition the lap. Empty without
        corners.
        """
        if not self.corners:
            return ()
        starts = [(corner.code, corner.start_m) for corner in self.corners]
        if starts[0][1] > 0:
            starts.insert(0, ("L0", 0.0))
        return _parts(starts, self.length_m)

    def overlapping(self, part: Part, others: Sequence[Part]) -> tuple[Part, ...]:
        """Those of `others` that share more than a point with `part`."""
        return tuple(o for o in others if min(o.end_m, part.end_m) - max(o.start_m, part.start_m) > _SAME_M)

    def segments_of(self, part: Part) -> frozenset[str]:
        """Codes of the segments that a part shares; on a track without corners, its own code."""
        shared = self.overlapping(part, self.segment_parts) if self.segment_parts else (part,)
        return frozenset(segment.code for segment in shared)

    @cached_property
    def stretches(self) -> tuple[tuple[str, ...], ...]:
        """Segments by how they are judged, in the order of the lap: one by one, but a corner that is given up for a
        later one together with it and with what lies between. Across the line nothing is judged together: there
        another lap begins.
        """
        codes = [part.code for part in self.segment_parts]
        place = {code: index for index, code in enumerate(codes)}
        reach = list(range(len(codes)))
        for corner in self.corners:
            at = place[corner.code]
            wanted = place.get(corner.given_up_for or "", at + corner.linked_to_next)
            if at < wanted < len(codes):
                reach[at] = wanted
        out: list[tuple[str, ...]] = []
        first = 0
        while first < len(codes):
            last = first
            # What is given up within a stretch may reach further on.
            for at in range(first, len(codes)):
                if at > last:
                    break
                last = max(last, reach[at])
            out.append(tuple(codes[first : last + 1]))
            first = last + 1
        return tuple(out)

    def closed_boundaries(self, parts: Sequence[Part]) -> frozenset[int]:
        """Boundaries at which two laps may not be joined for want of boundary speeds.

        A boundary is closed when it lies strictly between the start of a corner that is `linked_to_next` and the end of
        its successor's segment. For segments that is the boundary between the two; for sectors it may be any inside
        them.

        Returns:
            Indices of the parts at whose start the boundary lies; 0 is the line.
        """
        segments = {part.code: part for part in self.segment_parts}
        closed: set[int] = set()
        for index, corner in enumerate(self.corners):
            if not corner.linked_to_next:
                continue
            successor = segments[self.corners[(index + 1) % len(self.corners)].code]
            start, end = corner.start_m, successor.end_m
            if end <= start:
                end += self.length_m
            for boundary, part in enumerate(parts):
                for position in (part.start_m, part.start_m + self.length_m):
                    if start + _SAME_M < position < end - _SAME_M:
                        closed.add(boundary)
        return frozenset(closed)


def _parts(starts: Sequence[tuple[str, float]], length_m: float) -> tuple[Part, ...]:
    ends = [start for _, start in starts[1:]] + [length_m]
    return tuple(Part(code, start, end) for (code, start), end in zip(starts, ends, strict=True))
