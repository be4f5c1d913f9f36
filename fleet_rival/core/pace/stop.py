"""Stop now: over the minutes in the seat, laps tell when tiredness shows, and when more laps of the same bring nothing.

Tiredness: a cumulative sum (Page 1954) of the log-likelihood ratio between a driver who is as usual and one who is
    slower and slips more.
Nothing more: the last laps against those before, where a run is driven to get faster.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from math import log
from typing import Final, Literal

import numpy as np
from scipy.special import stdtrit

from fleet_rival.core.words import StopKind

__all__ = ["SeatLap", "Stop", "Usual", "seat_of", "stop_now"]

_WARM: Final = 8
"""Laps from which is told what is usual today."""
_BASE: Final = 24
"""Of more laps the last ones before the doubt began."""
_MEDIAN: Final = float(np.pi / 2)
"""The variance of the middle of many laps, over that of their mean."""
_SLOWER: Final = 1.6
"""In deviations of a lap: how much slower somebody is who is tired."""
_SLIPS_MORE: Final = 3.0
_MOST_RATE: Final = 0.6
_FARTHEST: Final = 3.0
"""No lap tells more than one three deviations away: one lap is no tiredness."""
_ALARM: Final = 6.0
"""Chosen so that fewer than one session in twenty of sixty laps raises it without reason."""
_PLATEAU: Final = 12
"""Laps against the twelve before."""
_WORTH: Final = 0.0005
"""Of the lap: less isn't worth an evening."""
_SURE: Final = 0.8
_LEAST_SCATTER: Final = 0.001


@dataclass(frozen=True, slots=True)
class SeatLap:
    """A flying lap as it counts here.

    Attributes:
        begins: in seconds since any moment.
        seconds: how long it took.
        fair: neither a slip nor traffic, a flag or a tow in it: it tells of pace.
        slip: a slip, a strike or an incident was in it.
        into_run: laps since the run began.
    """

    begins: float
    seconds: float
    fair: bool
    slip: bool
    into_run: int = 0


@dataclass(frozen=True, slots=True)
class Usual:
    """What is usual for the driver here.

    Attributes:
        scatter: deviation of a lap, as a share of it.
        slip_rate: of laps with a slip.
        falloff: seconds a lap and lap of the run.
    """

    scatter: float = 0.004
    slip_rate: float = 0.1
    falloff: float = 0.0


@dataclass(frozen=True, slots=True)
class Stop:
    """Why somebody should get up.

    Attributes:
        kind: `tired`, or `nothing_more`.
        lap: place of the lap at which it showed.
        since: place of the lap since which it has been so.
        slower: share of the lap; None where nothing tells. Of `nothing_more`: what the last laps brought, as a share of
            the lap.
        slips, laps: since then.
    """

    kind: StopKind
    lap: int
    since: int
    slower: float | None
    slips: int
    laps: int


def seat_of(laps: Sequence[SeatLap], break_seconds: float) -> Sequence[SeatLap]:
    """The laps since the last break: a stretch between two laps of which at least so much is no lap.

    >>> [lap.begins for lap in seat_of([SeatLap(t, 60.0, True, False) for t in (0, 60, 2000)], 600)]
    [2000]
    """
    first = 0
    for number in range(1, len(laps)):
        if laps[number].begins - laps[number - 1].begins - laps[number - 1].seconds >= break_seconds:
            first = number
    return laps[first:]


def stop_now(laps: Sequence[SeatLap], usual: Usual, *, improving: bool = False) -> Stop | None:
    """Whether somebody should get up, by the laps since they sat down.

    What is usual today is told by the laps before the doubt began.

    Args:
        laps: in the order in which they were driven, since the last break.
        improving: the run is driven to get faster, so that it matters when that ends.
    """
    tired = _tired(laps, usual)
    if tired is not None or not improving:
        return tired
    return _nothing_more(laps, usual)


def _tired(laps: Sequence[SeatLap], usual: Usual) -> Stop | None:
    scatter = max(usual.scatter, _LEAST_SCATTER)
    rate = min(max(usual.slip_rate, 0.02), 0.5)
    worse = min(_MOST_RATE, _SLIPS_MORE * rate + 0.05)
    fair: list[tuple[int, float]] = []
    base: float | None = None
    amount, since = 0.0, 0
    for number, lap in enumerate(laps):
        if amount <= 0.0:
            amount, since = 0.0, number
        before = [time for place, time in fair if place < since][-_BASE:]
        # Without enough laps nothing tells yet what is usual today.
        base = float(np.median(before)) if len(before) >= _WARM else None
        told = 0.0
        if number >= _WARM:
            told += log(worse / rate) if lap.slip else log((1 - worse) / (1 - rate))
        if lap.fair:
            adjusted = _adjusted(lap, usual)
            if base is not None:
                # The middle of so many laps is itself not known better than this.
                unsure = scatter * float(np.sqrt(1 + _MEDIAN / len(before)))
                away = float(np.clip((adjusted / base - 1) / unsure, -_FARTHEST, _FARTHEST))
                told += _SLOWER * away - _SLOWER**2 / 2
            fair.append((number, adjusted))
        amount += told
        if amount >= _ALARM:
            return _stop("tired", laps, number, since, usual, base)
    return None


def _nothing_more(laps: Sequence[SeatLap], usual: Usual) -> Stop | None:
    """The first lap at which the last twelve fair ones are surely no more than a trifle faster than the twelve
    before.
    """
    fair = [(number, _adjusted(lap, usual)) for number, lap in enumerate(laps) if lap.fair]
    for end in range(2 * _PLATEAU, len(fair) + 1):
        before = np.array([time for _, time in fair[end - 2 * _PLATEAU : end - _PLATEAU]])
        last = np.array([time for _, time in fair[end - _PLATEAU : end]])
        gained = float(before.mean() - last.mean()) / float(before.mean())
        spread = float(np.sqrt((before.var(ddof=1) + last.var(ddof=1)) / _PLATEAU)) / float(before.mean())
        # What at most was gained, as sure as it has to be.
        most = gained + float(stdtrit(2 * _PLATEAU - 2, _SURE)) * max(spread, 1e-6)
        if most <= _WORTH + max(usual.scatter, _LEAST_SCATTER) / 4:
            first, lap = fair[end - _PLATEAU][0], fair[end - 1][0]
            return Stop(
                "nothing_more", lap, first, gained, sum(item.slip for item in laps[first : lap + 1]), lap - first + 1
            )
    return None


def _stop(
    kind: Literal["tired"], laps: Sequence[SeatLap], lap: int, since: int, usual: Usual, base: float | None
) -> Stop:
    own = laps[since : lap + 1]
    fair = [_adjusted(item, usual) for item in own if item.fair]
    slower = float(np.median(fair)) / base - 1 if fair and base is not None else None
    return Stop(kind, lap, since, slower, sum(item.slip for item in own), len(own))


def _adjusted(lap: SeatLap, usual: Usual) -> float:
    """What the lap would have taken at the beginning of its run."""
    return lap.seconds - usual.falloff * lap.into_run
