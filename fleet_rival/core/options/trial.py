"""The trial of two options: the shift between them, how far each scatters and fails, and a verdict for the race and
for qualifying.
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.options.results import OptionTrial, Shift, Side
from fleet_rival.core.options.samples import (
    LEAST_PASSES,
    WHOLE_LAP,
    Sample,
    detrended_pair,
    samples_of,
    segment_samples,
    switches,
    what_else_changed,
)
from fleet_rival.core.options.shifts import from_age, hodges_lehmann, permuted, spreads
from fleet_rival.core.options.verdicts import equal_band_us, with_verdicts
from fleet_rival.core.options.windows import windows_of
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import MAD_TO_SD, median
from fleet_rival.core.track import Track

__all__ = ["option_trial"]

Values = NDArray[np.float64]


def option_trial(
    track: Track,
    judged: Sequence[JudgedLap],
    members: Sequence[int],
    where: str,
    labels: tuple[str, str],
    settings: Settings,
    *,
    best_of: int = 3,
    verdicts: bool = True,
) -> OptionTrial:
    """Compare two options.

    Args:
        judged: all laps of the driver, in order.
        members: positions of the group's flying laps in `judged`.
        where: a corner's code, `lap` or `setup`.
        labels: of the two.
        best_of: laps of qualifying.
        verdicts: whether they are wanted: they take most of the time.

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
    windows = windows_of(track, judged, members, where, labels)
    positions = (tuple(item.position for item in first), tuple(item.position for item in second))
    sides = [[judged[item.position].lap for item in side] for side in (first, second)]
    plain = OptionTrial(
        where,
        _side(labels[0], first),
        _side(labels[1], second),
        changed,
        bundle=tuple(what_else_changed(sides[0], sides[1], where)),
        laps=positions,
    )
    one, other = windows.race.worked
    if min(len(one), len(other)) < LEAST_PASSES:
        return replace(plain, reason=f"{len(one)} and {len(other)} that worked; {LEAST_PASSES} of each are needed")
    shift = hodges_lehmann(one, other)
    # What follows scatters by itself: how an option repeats shows in its corner.
    ratio, spread_p = spreads(*detrended_pair(first, second))
    by_segment: dict[str, Shift] = {}
    if where in WHOLE_LAP:
        for part in track.segment_parts:
            pair = detrended_pair(segment_samples(judged, first, part.code), segment_samples(judged, second, part.code))
            if min(len(pair[0]), len(pair[1])) >= LEAST_PASSES:
                by_segment[part.code] = hodges_lehmann(*pair)
    told = replace(
        plain,
        shift=shift,
        p_value=permuted(first, second, settings.bootstrap_seed),
        spread_ratio=ratio,
        spread_p=spread_p,
        from_age=from_age(first, second),
        by_segment=by_segment,
    )
    if changed < settings.option_switches:
        words = (
            f"{changed} of the {settings.option_switches} switches between them that it needs: order and option can't "
            "be told apart"
        )
        return replace(told, reason=words)
    if not verdicts:
        return told
    rest = _rest_of_lap(judged, members, where, *windows.qualifying.sides)
    return with_verdicts(told, windows, equal_band_us(judged, members, settings), rest, settings, best_of)


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


def _rest_of_lap(
    judged: Sequence[JudgedLap], members: Sequence[int], where: str, first: Sequence[Sample], second: Sequence[Sample]
) -> Values:
    """What the rest of the lap takes, of all clean laps; zero for whole-lap options."""
    if where in WHOLE_LAP:
        return np.zeros(1)
    times = {item.position: item.time_us for item in (*first, *second)}
    known = [judged[index].lap.time_us - times[index] for index in members if index in times and judged[index].clean]
    return np.asarray(known or [0], dtype=np.float64)
