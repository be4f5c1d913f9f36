"""Verdicts on two options, for the race and for qualifying, by a seeded bootstrap over passes."""

from collections.abc import Sequence
from dataclasses import replace
from math import ceil, sqrt
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.options.odds import Odds, odds_of
from fleet_rival.core.options.results import OptionTrial, Shift, Side, Verdict
from fleet_rival.core.options.shifts import hodges_lehmann
from fleet_rival.core.options.windows import Window, Windows
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import Z_95, median

__all__ = ["equal_band_us", "winner_of", "with_verdicts"]

Values = NDArray[np.float64]
_RESAMPLES: Final = 2000
_FEWER: Final = 200
"""Of the bootstrap whose every draw is a median of draws."""
_MOST_MORE: Final = 200
_REPEATS_CHANCE: Final = 0.01
_REPEATS_RATIO: Final = 1.5
"""From when on one option repeats better: by Brown and Forsythe's test, and by so much that it is worth a choice."""
_Z_99: Final = 2.5758293035489004


def equal_band_us(judged: Sequence[JudgedLap], members: Sequence[int], settings: Settings) -> float:
    """How far apart two options may be to be equal for practical purposes, in microseconds."""
    usual = [index for index in members if judged[index].clean] or members
    return settings.equal_pct / 100 * float(median([judged[index].lap.time_us for index in usual]))


def with_verdicts(
    told: OptionTrial,
    windows: Windows,
    equal_us: float,
    rest: Values,
    settings: Settings,
    best_of: int,
) -> OptionTrial:
    """Verdicts by a seeded bootstrap over passes."""
    rng = np.random.default_rng(settings.bootstrap_seed)
    assert told.first is not None and told.second is not None
    assert told.shift is not None
    sides = (told.first, told.second)
    rates = [side.failed / side.n for side in sides]
    safer = (
        told.first.label if (rates[0], told.first.spread_us) <= (rates[1], told.second.spread_us) else told.second.label
    )
    whole = windows.race.with_failures()
    worked = windows.qualifying.worked

    def verdict(shift: Shift, values: tuple[Values, Values]) -> Verdict:
        winner = winner_of(shift, equal_us)
        spreads = sum(float(np.var(some, ddof=1)) for some in values)
        more = _more_laps(shift, spreads, min(side.n for side in sides), equal_us) if winner == "not_yet" else None
        return Verdict(winner, shift, safer, more)

    means = [rng.choice(values, (_RESAMPLES, len(values))).mean(axis=1) for values in whole]
    race = verdict(_shift(float(whole[1].mean() - whole[0].mean()), means[1] - means[0]), whole)
    race = _because(race, told, whole, windows.race.worked)
    # Where no lap counts, one is as slow as the slowest that was driven: not faster than anything, and no further than
    # that.
    slowest = max(float(values.max()) for values in windows.qualifying.with_failures()) + float(rest.max())

    def best(side: int, good: Values, laps: int, draws: int = _RESAMPLES) -> Values:
        times = rng.choice(good, (draws, laps)) + rng.choice(rest, (draws, laps))
        return np.asarray(np.where(rng.random((draws, laps)) < rates[side], slowest, times).min(axis=1))

    bests = [best(side, good, best_of) for side, good in enumerate(worked)]
    medians = [
        np.asarray([np.median(best(side, rng.choice(good, len(good)), best_of, _FEWER)) for _ in range(_FEWER)])
        for side, good in enumerate(worked)
    ]
    in_hand = [best(side, good, max(best_of - 1, 1)) for side, good in enumerate(worked)]
    safe = rng.choice(worked[0 if safer == told.first.label else 1], _RESAMPLES) + rng.choice(rest, _RESAMPLES)
    fragile = None
    if told.shift.high_us < 0 and rates[1] > rates[0] and race.winner != "second":
        fragile = told.second.label
    elif told.shift.low_us > 0 and rates[0] > rates[1] and race.winner != "first":
        fragile = told.first.label
    return replace(
        told,
        race=race,
        qualifying=verdict(
            _shift(float(np.median(bests[1]) - np.median(bests[0])), medians[1] - medians[0]),
            windows.qualifying.with_failures(),
        ),
        best_of=best_of,
        odds=float(np.mean(bests[1] < bests[0])),
        odds_in_hand=(float(np.mean(in_hand[0] < safe)), float(np.mean(in_hand[1] < safe))),
        comes_off=_comes_off(sides, windows.race),
        fragile=fragile,
    )


def _because(race: Verdict, told: OptionTrial, whole: tuple[Values, Values], worked: tuple[Values, Values]) -> Verdict:
    """The race's verdict with what decides it; where time doesn't, the one that clearly repeats better wins."""
    apart = abs(float(whole[1].mean() - whole[0].mean()))
    error = sqrt(sum(float(np.var(values, ddof=1)) / len(values) for values in whole))
    ratio, chance = told.spread_ratio, told.spread_p
    if (
        ratio is not None
        and chance is not None
        and chance < _REPEATS_CHANCE
        and max(ratio, 1 / ratio) > _REPEATS_RATIO
        and apart < _Z_99 * error
    ):
        return replace(race, winner="first" if ratio > 1 else "second", because="scatter", more=None)
    if race.winner not in ("first", "second") or not any(side and side.failed for side in (told.first, told.second)):
        return race
    shift = hodges_lehmann(*worked)
    by_time = shift.high_us < 0 if race.winner == "second" else shift.low_us > 0
    return race if by_time else replace(race, because="failures")


def _comes_off(sides: tuple[Side, Side], race: Window) -> Odds | None:
    """Whether the one that scatters more comes off or not."""
    values = race.with_failures()
    risky = int(np.std(values[1]) > np.std(values[0]))
    failed = np.arange(len(values[risky])) >= len(race.worked[risky])
    return odds_of(sides[risky].label, values[risky], race.worked[1 - risky], failed)


def _shift(value: float, drawn: Values) -> Shift:
    low, high = np.quantile(drawn, (0.025, 0.975))
    return Shift(value, min(float(low), value), max(float(high), value))


def winner_of(shift: Shift, equal_us: float) -> str:
    """`first`, `second`, `equal` or `not_yet`, by where the interval lies.

    >>> winner_of(Shift(-80e3, -120e3, -40e3), 30e3), winner_of(Shift(-5e3, -20e3, 10e3), 30e3)
    ('second', 'equal')
    """
    if -equal_us <= shift.low_us and shift.high_us <= equal_us:
        return "equal"
    if shift.high_us < 0:
        return "second"
    return "first" if shift.low_us > 0 else "not_yet"


def _more_laps(shift: Shift, spreads: float, fewest: int, equal_us: float) -> int | None:
    """How many more of each until the interval is as narrow as what is to be told: the shift that was seen, or the
    limit of equal.
    """
    wanted = max(abs(shift.value_us), equal_us)
    needed = Z_95**2 * spreads / wanted**2 if wanted > 0 else float("inf")
    more = max(ceil(needed - fewest), 1) if np.isfinite(needed) else _MOST_MORE + 1
    return more if more <= _MOST_MORE else None
