"""Taken parts: what an incident or a strike spoils beyond the place where it happened, and what others spoil."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Track

__all__ = ["Taken", "flagged_parts", "taken_parts"]


@dataclass(frozen=True, slots=True)
class Taken:
    """Segments of one lap that count for nothing."""

    own: frozenset[str]
    """Where an incident or strike of this lap happened."""
    by_others: frozenset[str]
    """Taken by something that happened before, on this lap or the one before; or by others: traffic, a yellow flag or
    a tow that was said of a part.
    """
    carried: bool
    """An incident on the lap before took a part of this one."""

    @property
    def segments(self) -> frozenset[str]:
        return self.own | self.by_others


_NOTHING: Final = Taken(frozenset(), frozenset(), carried=False)


def flagged_parts(lap: Lap) -> list[tuple[str, str]]:
    """Flags that were said of parts of a lap, each with the code of its part, in order.

    >>> from fleet_rival.core.example import lap
    >>> flagged_parts(lap(3, flags=frozenset({"traffic:T2", "boost"})))
    [('traffic', 'T2')]
    """
    if lap.said.get("in_part") is False:
        return []
    return sorted((flag, part) for flag, sign, part in (token.partition(":") for token in lap.flags) if sign)


def taken_parts(track: Track, laps: Sequence[Lap], next_lap: Sequence[int | None], settings: Settings) -> list[Taken]:
    """Which segments are taken, lap by lap.

    An incident takes its segment and the next two, a strike its segment and the next one, both across the line within a
    run. A flag that names a part takes that part alone.

    Args:
        laps: all laps of a driver, out and in laps too.
        next_lap: for each lap the index of the one that followed it, or None (see `following`).
    """
    codes = [part.code for part in track.segment_parts]
    place = {code: index for index, code in enumerate(codes)}
    own: dict[int, set[str]] = defaultdict(set)
    earlier: dict[int, set[str]] = defaultdict(set)
    carried = [False] * len(laps)
    for index, lap in enumerate(laps):
        if lap.flags and (flagged := flagged_parts(lap)):
            for part in (*track.sector_parts, *track.segment_parts):
                if any(code == part.code for _, code in flagged):
                    earlier[index] |= track.segments_of(part)
        if not lap.incidents and not lap.strikes:
            continue
        events = [(incident.corner, settings.incident_takes, True) for incident in lap.incidents]
        events += [(corner, settings.strike_takes, False) for corner in lap.strikes]
        for corner, reach, incident in events:
            if corner not in place:
                continue
            own[index].add(corner)
            at = index
            segment = place[corner]
            for _ in range(reach):
                segment += 1
                if segment == len(codes):
                    segment = 0
                    after = next_lap[at]
                    if after is None:
                        break
                    at = after
                    carried[at] |= incident
                # Somebody said that this lap was spared what the one before began.
                if not (incident and at != index and laps[at].said.get("carried") is False):
                    earlier[at].add(codes[segment])
    return [
        Taken(frozenset(own.get(index, ())), frozenset(earlier.get(index, ())), carried[index])
        if index in own or index in earlier or carried[index]
        else _NOTHING
        for index in range(len(laps))
    ]
