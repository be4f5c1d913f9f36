"""Which samples belong to which lap, where a recorder didn't cut at the line."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Final

import numpy as np

from fleet_rival.core.telemetry.trace import Samples, Trace

__all__ = ["cut_at_line", "kinds_by_speed", "same_samples"]

_LATE, _EARLY = 0.9, 0.1
"""A distance that falls from beyond the first share of the lap to below the second came over the line."""
_WHOLE_LAP = 0.5
"""From this share of the lap on, what follows the line is a lap, not the end of the one before."""
_SLOW: Final = 0.6
"""A lap whose line was crossed slower than this share of the usual speed came out of the pits, or went in."""
_AGREES: Final = {"time_s": 0.0015, "distance_m": 0.05, "speed_kmh": 0.25}
Channels = Mapping[str, Samples]


@dataclass(slots=True)
class _Pieces:
    """A recorder's lap, taken apart: what belongs to the lap before, laps, what belongs to the lap after."""

    head: Channels | None
    laps: list[Trace]
    tail: Channels | None


def cut_at_line(traces: Iterable[Trace], length_m: float) -> Iterator[Trace]:
    """One trace a lap.

    Recorders count a lap a few samples early or late: those samples come to the lap that they belong to, and stay with
        the one that they were
    counted to, their distance counted on over the line, since they tell best when it was crossed. One that didn't count
    laps at all gets them counted here.

    Args:
        traces: as they were recorded; each driver's in order.
        length_m: of the lap.
    """
    held: dict[tuple[str, str, int | None], tuple[Trace, Channels | None]] = {}
    for trace in traces:
        pieces = _taken_apart(trace, length_m)
        key = (trace.driver, trace.session, trace.run)
        before = held.pop(key, None)
        if before is not None:
            last, tail = before
            follows = pieces.laps[0].lap == last.lap + 1
            if follows and pieces.head is not None and tail is None:
                last = replace(last, channels=_joined(last.channels, pieces.head, _step(last)))
            if follows and tail is not None and pieces.head is None:
                first = pieces.laps[0]
                pieces.laps[0] = replace(first, channels=_begun_by(tail, first.channels, _step(first)))
            yield last
        yield from pieces.laps[:-1]
        held[key] = (pieces.laps[-1], pieces.tail)
    for last, _ in held.values():
        yield last


def _taken_apart(trace: Trace, length_m: float) -> _Pieces:
    distance = trace.channels["distance_m"]
    known = np.flatnonzero(np.isfinite(distance))
    seen = distance[known]
    falls = known[1:][(seen[:-1] > _LATE * length_m) & (seen[1:] < _EARLY * length_m)] if len(known) > 1 else known[:0]
    edges = [0, *(int(edge) for edge in falls), len(trace)]
    spans = list(pairwise(edges))
    # A piece is a lap of its own when it holds a good part of one.
    laps = [
        index
        for index, (first, after) in enumerate(spans)
        if np.ptp(distance[first:after][np.isfinite(distance[first:after])]) > _WHOLE_LAP * length_m
    ]
    if len(spans) == 1 or not laps:
        return _Pieces(None, [trace], None)
    head = tail = None
    made = []
    for number, index in enumerate(laps):
        first, after = spans[index]
        shift = np.zeros(len(trace))
        if number == 0 and index > 0:
            head = _part(trace, spans[0][0], first)
            shift[:first] = -length_m
            first = spans[0][0]
        if index == laps[-1] and index == len(spans) - 2:
            tail = _part(trace, after, spans[-1][1])
            shift[after:] = length_m
            after = spans[-1][1]
        channels = _part(trace, first, after)
        channels["distance_m"] = channels["distance_m"] + shift[first:after]
        if number:
            channels["time_s"] = channels["time_s"] - channels["time_s"][0]
        made.append(replace(trace, lap=trace.lap + number, channels=channels))
    return _Pieces(head, made, tail)


def _part(trace: Trace, first: int, after: int) -> dict[str, Samples]:
    return {name: values[first:after] for name, values in trace.channels.items()}


def _step(trace: Trace) -> float:
    time = trace.channels["time_s"]
    return float(time[-1] - time[0]) / max(len(time) - 1, 1)


def _joined(before: Channels, after: Channels, step: float) -> dict[str, Samples]:
    """Two parts of a lap, the second on a clock of its own that began one step after the first ended."""
    moved = {**after, "time_s": after["time_s"] - after["time_s"][0] + before["time_s"][-1] + step}
    return {name: np.concatenate([before[name], moved[name]]) for name in before}


def _begun_by(before: Channels, after: Channels, step: float) -> dict[str, Samples]:
    moved = {**before, "time_s": before["time_s"] - before["time_s"][-1] + after["time_s"][0] - step}
    return {name: np.concatenate([moved[name], after[name]]) for name in after}


def kinds_by_speed(begins: Sequence[float | None], ends: Sequence[float | None]) -> list[str]:
    """What kind each lap is, told by how fast the line was crossed before and after it: traces don't say.

    Args:
        begins, ends: speed over the line in one unit, of each lap of a file; None or NaN where it isn't known, which
            counts as fast.

    Returns:
        `flying`, `out`, `in` or `outin` of each.

    >>> kinds_by_speed([60.0, 190.0, 192.0, 191.0], [190.0, 192.0, 191.0, 58.0])
    ['out', 'flying', 'flying', 'in']
    """
    first, last = (np.array(speeds, dtype=float) for speeds in (begins, ends))
    usual = float(np.median(known)) if len(known := first[np.isfinite(first)]) else 0.0
    names = {(True, True): "outin", (True, False): "out", (False, True): "in", (False, False): "flying"}
    return [
        names[bool(begin < _SLOW * usual), bool(end < _SLOW * usual)] for begin, end in zip(first, last, strict=True)
    ]


def same_samples(one: Trace, other: Trace) -> bool:
    """Whether two traces of a lap agree: as many samples, each the same to within what rounding does."""
    if len(one) != len(other):
        return False
    return all(
        bool(np.allclose(one.channels[name], other.channels[name], rtol=0, atol=limit, equal_nan=True))
        for name, limit in _AGREES.items()
    )
