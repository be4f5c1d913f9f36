"""Par for this minute: how a session's pace moves while the track dries, rains wet or comes in, from everybody's
laps against their own level.
"""

from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.laps.verdict import tells_of_the_track

__all__ = ["AgainstPar", "Par", "par_of", "session_pars"]

Values = NDArray[np.float64]
_LEAST_DRIVERS: Final = 2
_LEAST_LAPS: Final = 12
_ROUNDS: Final = 6
_WINDOW: Final = 0.35
"""Share of the laps that take part in par at one moment."""
_POINTS: Final = 60


@dataclass(frozen=True, slots=True)
class AgainstPar:
    """A lap and par for its minute.

    Attributes:
        position: of the lap among those of its driver.
        minute: of the session, at which it began.
        behind_us: slower than par; negative: faster.
    """

    position: int
    minute: float
    behind_us: float


@dataclass(frozen=True, slots=True)
class Par:
    """Par over a session, as a share of each driver's own level: 0.01 is 1 % slower than that.

    Attributes:
        minutes: since the first lap's start, ascending.
        shares: at these minutes.
        levels_us: each driver's own level, with the setup of most of their laps.
        setups_us: each driver's own level with each setup, by driver and label.
        begun: when the first of the session's laps began.
    """

    minutes: tuple[float, ...]
    shares: tuple[float, ...]
    levels_us: Mapping[str, float]
    setups_us: Mapping[tuple[str, str | None], float] = field(default_factory=dict)
    begun: datetime | None = None

    def at(self, minute: float) -> float:
        """Par at a minute; before the first and after the last lap as at these."""
        return float(np.interp(minute, self.minutes, self.shares))


def session_pars(
    drivers: Mapping[str, Sequence[JudgedLap]], moves_pct: float
) -> dict[str, tuple[Par | str, dict[str, list[AgainstPar]]]]:
    """Par of each session, and each driver's flying laps held against it.

    Args:
        drivers: name to all laps of each, judged.
        moves_pct: as in `par_of`.

    Returns:
        By session: the curve or the reason why there is none, and with a curve each driver's laps that say something.
    """
    found: dict[str, list[tuple[str, int, JudgedLap]]] = defaultdict(list)
    for name, laps in drivers.items():
        for position, item in enumerate(laps):
            if item.flying and item.lap.started_at is not None and tells_of_the_track(item):
                found[item.lap.session].append((name, position, item))
    out: dict[str, tuple[Par | str, dict[str, list[AgainstPar]]]] = {}
    for session, rows in found.items():
        begun = min(item.lap.started_at for _, _, item in rows if item.lap.started_at)
        minutes = [(item.lap.started_at - begun).total_seconds() / 60 for _, _, item in rows if item.lap.started_at]
        par = par_of(
            [(name, minute, item.lap.time_us) for (name, _, item), minute in zip(rows, minutes, strict=True)],
            moves_pct,
            [item.lap.setup for _, _, item in rows],
        )
        against: dict[str, list[AgainstPar]] = defaultdict(list)
        if isinstance(par, Par):
            par = replace(par, begun=begun)
            for (name, position, item), minute in zip(rows, minutes, strict=True):
                own_us = par.setups_us[name, item.lap.setup] * (1 + par.at(minute))
                against[name].append(AgainstPar(position, minute, item.lap.time_us - own_us))
        out[session] = (par, dict(against))
    return out


def par_of(laps: Sequence[tuple[str, float, int]], moves_pct: float, setups: Sequence[str | None] = ()) -> Par | str:
    """Par of a session.

    Where a team tries setups in one order, everybody is slower at once with the slower one. That is the setup, and no
    matter of the track: each driver has a level of their own with each setup.

    Args:
        laps: driver, minute at which it was driven, and time in microseconds, of flying laps without tow, traffic or a
            fault.
        moves_pct: how far pace must move, in per cent, for there to be one.
        setups: of these laps; empty: all the same.

    Returns:
        The curve, or the reason why there is none.

    >>> par_of([("Ada", 0.0, 60_000_000)], 0.3)
    "one driver alone: track and driver can't be told apart"
    """
    drivers = sorted({driver for driver, _, _ in laps})
    if len(drivers) < _LEAST_DRIVERS:
        return "one driver alone: track and driver can't be told apart"
    if len(laps) < _LEAST_LAPS:
        return f"{len(laps)} laps in this session, {_LEAST_LAPS} are needed"
    order = sorted(range(len(laps)), key=lambda index: laps[index][1])
    who = np.asarray([drivers.index(laps[index][0]) for index in order])
    driven = [(laps[index][0], setups[index] if setups else None) for index in order]
    counts = Counter(driven)
    own = sorted(counts, key=lambda key: (key[0], -counts[key]))
    which = np.asarray([own.index(key) for key in driven])
    minutes = np.asarray([laps[index][1] for index in order])
    logs = np.log(np.asarray([laps[index][2] for index in order], dtype=np.float64))
    curve = np.zeros(len(logs))
    levels = np.zeros(len(own))
    near = _nearness(minutes, minutes)
    for _ in range(_ROUNDS):
        # By turns: each driver's level with the track's part taken out, the track's with the drivers' taken out.
        levels = np.asarray([np.median((logs - curve)[which == number]) for number in range(len(own))])
        curve = _smooth(minutes, logs - levels[which], near, near, minutes)
        curve -= np.median(curve)
    overlap = [np.ptp(minutes[who == number]) > 0.5 * np.ptp(minutes) for number in range(len(drivers))]
    if sum(overlap) < _LEAST_DRIVERS:
        return "the drivers were not out at the same time"
    grid = np.linspace(float(minutes[0]), float(minutes[-1]), _POINTS)
    shares = np.expm1(_smooth(minutes, logs - levels[which], near, _nearness(minutes, grid), grid))
    if (np.ptp(shares)) * 100 < moves_pct:
        return f"pace moves by less than {moves_pct:g} %"
    setups_us = {key: float(np.exp(level)) for key, level in zip(own, levels, strict=True)}
    return Par(
        tuple(float(value) for value in grid),
        tuple(float(value) for value in shares),
        # The first of each driver's is that of most laps.
        {driver: level for (driver, _), level in reversed(setups_us.items())},
        setups_us,
    )


def _smooth(x: Values, y: Values, near: Values, near_at: Values, at: Values) -> Values:
    """Locally weighted lines with robust weights (Cleveland 1979).

    Args:
        near, near_at: how near laps are to each other, and to the places that are asked for, after `_nearness`.
        at: these places.
    """
    robust = np.ones(len(x))
    for _ in range(3):
        rest = y - _lines(x, y, near * robust, x)
        scale = 6 * float(np.median(np.abs(rest)))
        robust = np.clip(1 - (rest / scale) ** 2, 0, None) ** 2 if scale > 0 else np.ones(len(x))
    return _lines(x, y, near_at * robust, at)


def _nearness(x: Values, at: Values) -> Values:
    """Weights of laps around each place, by time alone: shape (places, laps)."""
    reach = max(int(np.ceil(_WINDOW * len(x))), 5)
    apart = np.abs(at[:, None] - x[None, :])
    width = np.maximum(np.sort(apart, axis=1)[:, min(reach, len(x)) - 1], 1e-6)
    return np.asarray(np.clip(1 - (apart / width[:, None]) ** 3, 0, None) ** 3)


def _lines(x: Values, y: Values, weights: Values, at: Values) -> Values:
    weights = weights + 1e-12
    total = weights.sum(axis=1)
    middle, level = weights @ x / total, weights @ y / total
    apart = x - middle[:, None]
    weighted = weights * apart
    # Around the middle the weighted distances add up to nothing, so that the level needn't be taken from y.
    across = weighted @ (y - y.mean())
    squares = (weighted * apart).sum(axis=1)
    slope = np.where(squares > 1e-9, across / np.maximum(squares, 1e-9), 0.0)
    return np.asarray(level + slope * (at - middle))
