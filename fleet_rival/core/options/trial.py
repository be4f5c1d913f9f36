"""The trial of two options: the shift between them, how far each scatters and fails, and a verdict for the race and
for qualifying.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from math import ceil, sqrt
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.options.samples import (
    WHOLE_LAP,
    Sample,
    detrended_pair,
    samples_of,
    segment_samples,
    switches,
    what_else_changed,
)
from fleet_rival.core.pace.slope import pooled_slope
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import MAD_TO_SD, Z_95, median
from fleet_rival.core.track import Track

__all__ = ["OptionTrial", "Shift", "Side", "Verdict", "option_trial"]

Values = NDArray[np.float64]
_RESAMPLES: Final = 2000
_FEWER: Final = 200
"""Of the bootstrap whose every draw is a median of draws."""
_LEAST: Final = 4
"""Passes of either option below which nothing is compared."""
_MOST_MORE: Final = 200


@dataclass(frozen=True, slots=True)
class Shift:
    """How much slower the second is than the first, in microseconds, with a 95 % interval; negative is faster."""

    value_us: float
    low_us: float
    high_us: float


@dataclass(frozen=True, slots=True)
class Side:
    """One option.

    Attributes:
        n, failed: passes or laps, and how many of them failed.
        median_us, spread_us: of those that didn't fail; the robust deviation.
        mean_us: of all, failures with what they cost.
        failure_low, failure_high: Jeffreys, 90 %.
    """

    label: str
    n: int
    failed: int
    median_us: float
    spread_us: float
    mean_us: float
    failure_low: float
    failure_high: float


@dataclass(frozen=True, slots=True)
class Verdict:
    """For the race, or for qualifying.

    Attributes:
        winner: `first`, `second`, `equal` or `not_yet`.
        shift: what it rests on: means with failures for the race, likely best of n laps for qualifying.
        safer: of `equal`: which one fails less, else scatters less.
        more: of `not_yet`: about how many more passes of each; None: more than can be asked for.
    """

    winner: str
    shift: Shift
    safer: str
    more: int | None = None


@dataclass(frozen=True, slots=True)
class OptionTrial:
    """Two options at one place.

    Attributes:
        where: a corner, `lap` or `setup`.
        switches: how often it was changed between them.
        shift: Hodges-Lehmann, failures left out.
        p_value: by permutation within runs; None where no run has both.
        spread_ratio, spread_p: second over first, and Brown and Forsythe's test.
        race, qualifying: verdicts; None with a reason.
        odds: that the best of `best_of` laps is faster with the second than with the first; with a safe lap in hand,
            that the rest improve on it.
        fragile: the label of the one that is faster when it works, and fails so often that it isn't on the whole.
        from_age: tyre age from which the second is the faster one (or no longer is).
        by_segment: of whole-lap options: shift by segment.
        bundle: what else was changed with it.
        reason: why there is no verdict; empty where there is one.
    """

    where: str
    first: Side | None
    second: Side | None
    switches: int
    shift: Shift | None = None
    p_value: float | None = None
    spread_ratio: float | None = None
    spread_p: float | None = None
    race: Verdict | None = None
    qualifying: Verdict | None = None
    best_of: int = 0
    odds: float | None = None
    odds_in_hand: tuple[float, float] | None = None
    fragile: str | None = None
    from_age: float | None = None
    by_segment: Mapping[str, Shift] = field(default_factory=dict)
    bundle: tuple[str, ...] = ()
    reason: str = ""
    laps: tuple[tuple[int, ...], tuple[int, ...]] = ((), ())
    """Positions of the laps behind either."""


def option_trial(
    track: Track,
    judged: Sequence[JudgedLap],
    members: Sequence[int],
    where: str,
    labels: tuple[str, str],
    settings: Settings,
    *,
    best_of: int = 3,
) -> OptionTrial:
    """Compare two options.

    Args:
        judged: all laps of the driver, in order.
        members: positions of the group's flying laps in `judged`.
        where: a corner's code, `lap` or `setup`.
        labels: of the two.
        best_of: laps of qualifying.

    >>> from fleet_rival.core.example import TRACK, lap
    >>> from fleet_rival.core.laps.marks import judge
    >>> kinds = {0: {"T2": "low"}, 1: {"T2": "high"}}
    >>> laps = [lap(number, -0.2 * (number % 2), options=kinds[number % 2]) for number in range(2, 30)]
    >>> judged = judge(TRACK, laps, Settings())
    >>> trial = option_trial(TRACK, judged, range(len(laps)), "T2", ("high", "low"), Settings())
    >>> trial.first.median_us - trial.second.median_us
    -200000.0
    """
    first, second = (samples_of(track, judged, members, where, label) for label in labels)
    changed = switches(first, second)
    positions = (tuple(item.position for item in first), tuple(item.position for item in second))
    plain = OptionTrial(
        where,
        _side(labels[0], first),
        _side(labels[1], second),
        changed,
        bundle=tuple(what_else_changed(judged, first, second, where)),
        laps=positions,
    )
    one, other = detrended_pair(first, second)
    if min(len(one), len(other)) < _LEAST:
        return replace(plain, reason=f"{len(one)} and {len(other)} that worked; {_LEAST} of each are needed")
    shift = _hodges_lehmann(one, other)
    ratio, spread_p = _spreads(one, other)
    usual = [index for index in members if judged[index].clean] or members
    lap_us = float(median([judged[index].lap.time_us for index in usual]))
    by_segment: dict[str, Shift] = {}
    if where in WHOLE_LAP:
        for part in track.segment_parts:
            pair = detrended_pair(segment_samples(judged, first, part.code), segment_samples(judged, second, part.code))
            if min(len(pair[0]), len(pair[1])) >= _LEAST:
                by_segment[part.code] = _hodges_lehmann(*pair)
    told = replace(
        plain,
        shift=shift,
        p_value=_permutation(first, second, settings.bootstrap_seed),
        spread_ratio=ratio,
        spread_p=spread_p,
        from_age=_from_age(first, second),
        by_segment=by_segment,
    )
    if changed < settings.option_switches:
        words = (
            f"{changed} of the {settings.option_switches} switches between them that it needs: order and option can't "
            "be told apart"
        )
        return replace(told, reason=words)
    return _judged(
        told,
        first,
        second,
        (one, other),
        lap_us,
        _rest_of_lap(judged, members, where, first, second),
        settings,
        best_of,
    )


def _side(label: str, samples: Sequence[Sample]) -> Side | None:
    if not samples:
        return None
    from scipy.special import betaincinv  # noqa: PLC0415  takes a third of a second to import; not every process needs it

    worked = [item.time_us for item in samples if not item.failed] or [item.time_us for item in samples]
    middle = float(median(worked))
    failed, count = sum(item.failed for item in samples), len(samples)
    low = float(betaincinv(failed + 0.5, count - failed + 0.5, 0.05)) if failed else 0.0
    high = float(betaincinv(failed + 0.5, count - failed + 0.5, 0.95)) if failed < count else 1.0
    spread = MAD_TO_SD * float(np.median(np.abs(np.asarray(worked, dtype=np.float64) - middle)))
    return Side(label, count, failed, middle, spread, float(np.mean([item.time_us for item in samples])), low, high)


def _hodges_lehmann(one: Values, other: Values) -> Shift:
    """Median of all differences, with the interval of the rank-sum test turned round (Hodges and Lehmann 1963)."""
    differences = np.sort((other[:, None] - one[None, :]).ravel())
    count = len(differences)
    spread = Z_95 * sqrt(count * (len(one) + len(other) + 1) / 12)
    low, high = max(int(np.floor(count / 2 - spread)), 0), min(int(np.ceil(count / 2 + spread)), count - 1)
    return Shift(float(np.median(differences)), float(differences[low]), float(differences[high]))


def _spreads(one: Values, other: Values) -> tuple[float | None, float | None]:
    """Ratio of mean distances from the median, and Brown and Forsythe's test (1974): an analysis of variance of
    these distances.
    """
    from scipy.special import fdtrc  # noqa: PLC0415  takes a third of a second to import; not every process needs it

    apart = [np.abs(values - np.median(values)) for values in (one, other)]
    near, far = (float(distances.mean()) for distances in apart)
    within = sum(float(((distances - distances.mean()) ** 2).sum()) for distances in apart)
    if near == 0 or far == 0 or within == 0:
        return None, None
    every = np.concatenate(apart)
    between = sum(len(distances) * (float(distances.mean()) - float(every.mean())) ** 2 for distances in apart)
    free = len(every) - 2
    return far / near, float(fdtrc(1, free, between / (within / free)))


def _permutation(first: Sequence[Sample], second: Sequence[Sample], seed: int) -> float | None:
    """How often labels dealt anew within each run would tell at least as large a difference of means; two-sided."""
    rng = np.random.default_rng(seed)
    blocks: dict[tuple[str, int | None], tuple[list[int], list[bool]]] = {}
    for some, is_second in ((first, False), (second, True)):
        for item in some:
            if not item.failed:
                times, whose = blocks.setdefault(item.block, ([], []))
                times.append(item.time_us)
                whose.append(is_second)
    mixed = [
        (np.asarray(times, dtype=np.float64), np.asarray(whose))
        for times, whose in blocks.values()
        if 0 < sum(whose) < len(whose)
    ]
    if not mixed:
        return None
    seen = 0.0
    drawn = np.zeros(_RESAMPLES)
    for values, theirs in mixed:
        about = values - values.mean()
        seen += float(about[theirs].sum())
        order = rng.permuted(np.tile(about, (_RESAMPLES, 1)), axis=1)
        drawn += order[:, : int(theirs.sum())].sum(axis=1)
    return float((1 + np.sum(np.abs(drawn) >= abs(seen) - 1e-9)) / (_RESAMPLES + 1))


def _from_age(first: Sequence[Sample], second: Sequence[Sample]) -> float | None:
    """Tyre age at which the faster one changes, where it lies among the ages driven with both."""
    lines = []
    ages: list[Values] = []
    for some in (first, second):
        known = [item for item in some if item.age is not None and not item.failed]
        x, y = (
            np.asarray([item.age for item in known], dtype=np.float64),
            np.asarray([item.time_us for item in known], dtype=np.float64),
        )
        if len(known) < 2 * _LEAST or np.ptp(x) < 4:
            return None
        order = np.argsort(x, kind="stable")
        slope = pooled_slope([(x[order], y[order])])
        if slope is None:
            return None
        lines.append((slope, float(np.median(y - slope.value * x))))
        ages.append(x)
    (slope, level), (slope_other, level_other) = lines
    apart = slope_other.value - slope.value
    error = sqrt((slope.high - slope.low) ** 2 + (slope_other.high - slope_other.low) ** 2) / 2
    if abs(apart) <= error:
        return None
    age = (level - level_other) / apart
    low, high = max(float(x.min()) for x in ages), min(float(x.max()) for x in ages)
    return age if low <= age <= high else None


def _rest_of_lap(
    judged: Sequence[JudgedLap], members: Sequence[int], where: str, first: Sequence[Sample], second: Sequence[Sample]
) -> Values:
    """What the rest of the lap takes, of all clean laps; zero for whole-lap options."""
    if where in WHOLE_LAP:
        return np.zeros(1)
    times = {item.position: item.time_us for item in (*first, *second)}
    known = [judged[index].lap.time_us - times[index] for index in members if index in times and judged[index].clean]
    return np.asarray(known or [0], dtype=np.float64)


def _judged(
    told: OptionTrial,
    first: Sequence[Sample],
    second: Sequence[Sample],
    worked: tuple[Values, Values],
    lap_us: float,
    rest: Values,
    settings: Settings,
    best_of: int,
) -> OptionTrial:
    """Verdicts by a seeded bootstrap over passes."""
    rng = np.random.default_rng(settings.bootstrap_seed)
    equal_us = settings.equal_pct / 100 * lap_us
    assert told.first is not None and told.second is not None
    assert told.shift is not None
    sides = (told.first, told.second)
    rates = [side.failed / side.n for side in sides]
    safer = (
        told.first.label if (rates[0], told.first.spread_us) <= (rates[1], told.second.spread_us) else told.second.label
    )
    whole = [_with_failures(some, good) for some, good in zip((first, second), worked, strict=True)]
    spreads = sum(float(np.var(values, ddof=1)) for values in whole)

    def verdict(shift: Shift) -> Verdict:
        winner = _winner(shift, equal_us)
        more = _more_laps(shift, spreads, min(side.n for side in sides), equal_us) if winner == "not_yet" else None
        return Verdict(winner, shift, safer, more)

    means = [rng.choice(values, (_RESAMPLES, len(values))).mean(axis=1) for values in whole]
    race = verdict(_shift(float(whole[1].mean() - whole[0].mean()), means[1] - means[0]))
    # Where no lap counts, one is as slow as the slowest that was driven: not faster than anything, and no further than
    # that.
    slowest = max(float(values.max()) for values in whole) + float(rest.max())

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
        qualifying=verdict(_shift(float(np.median(bests[1]) - np.median(bests[0])), medians[1] - medians[0])),
        best_of=best_of,
        odds=float(np.mean(bests[1] < bests[0])),
        odds_in_hand=(float(np.mean(in_hand[0] < safe)), float(np.mean(in_hand[1] < safe))),
        fragile=fragile,
    )


def _with_failures(samples: Sequence[Sample], worked: Values) -> Values:
    failed = [item.time_us for item in samples if item.failed]
    return np.concatenate([worked, np.asarray(failed, dtype=np.float64)])


def _shift(value: float, drawn: Values) -> Shift:
    low, high = np.quantile(drawn, (0.025, 0.975))
    return Shift(value, min(float(low), value), max(float(high), value))


def _winner(shift: Shift, equal_us: float) -> str:
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
