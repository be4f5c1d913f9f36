"""Effects estimated together (backfitting; Hastie and Tibshirani, 1990): within runs tyres and options, side by side;
between runs setups, with all of that taken out.
"""

from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass, replace
from math import sqrt

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.effects.passes import Passes, passes_of
from fleet_rival.core.effects.placed import placed
from fleet_rival.core.effects.setups import Setups, setups_of
from fleet_rival.core.effects.tried import Tried, tried_in, under_trial
from fleet_rival.core.effects.within import Values, Within, within_runs
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.options.samples import FURTHER
from fleet_rival.core.pace.falloff import Falloff
from fleet_rival.core.pace.runs import PaceRun
from fleet_rival.core.pace.slope import Slope, pooled_slope
from fleet_rival.core.statistics import Z_95
from fleet_rival.core.track import Track
from fleet_rival.core.words import Depth

__all__ = ["Effects", "Tyres", "effects_of"]


@dataclass(frozen=True, slots=True)
class Tyres:
    """Where on the lap tyres fall off.

    Attributes:
        net: of the lap, with the track's part, setups and options taken out; None where there is a cliff, before which
            the figures of the parts are.
        us_per_lap, low_us, high_us: what a lap more costs each part, with 95 % intervals, by part.
        weights: shares of it, which add up to one.
    """

    net: Slope | None
    us_per_lap: Mapping[str, float]
    low_us: Mapping[str, float]
    high_us: Mapping[str, float]
    weights: Mapping[str, float]

    def eaters(self, base_us: Sequence[float]) -> list[tuple[str, float]]:
        """Which parts eat the tyre: those that lose more than their share of the lap, whatever of it is chance; with
        their shares of the falloff, the largest first.

        Args:
            base_us: what each part takes, in their order.
        """
        total, lap = sum(self.us_per_lap.values()), sum(base_us)
        found = [
            (code, self.weights[code])
            for (code, low), part_us in zip(self.low_us.items(), base_us, strict=True)
            if total > 0 and low > total * part_us / lap
        ]
        return sorted(found, key=lambda item: -item[1])


@dataclass(frozen=True, slots=True)
class Effects:
    """What moves passes of one driver in one group.

    Attributes:
        setup_us, option_us, tyres_us: of each pass, shape (laps, parts); of setups also where what they do is no more
            than what runs differ by.
        trial: passes that were to find out, and are no evidence of habits; the same shape.
        scale_us: scatter of ordinary passes, shape (parts,).
        setups: None with a reason, which is empty where only one was driven.
        tyres: None where nothing says that they fall off.
        no_tyres: why falloff can't be told; empty where it can.
    """

    passes: Passes
    setup_us: Values
    option_us: Values
    tyres_us: Values
    trial: NDArray[np.bool_]
    scale_us: Values
    setups: Setups | None
    no_setups: str
    tyres: Tyres | None
    no_tyres: str


def effects_of(
    track: Track,
    judged: Sequence[JudgedLap],
    chosen: Sequence[int],
    evidence: Mapping[str, Set[int]],
    depth: Depth,
    falloff: Falloff,
    track_shares: Mapping[int, float] | None = None,
) -> Effects | str:
    """Estimate what moves a driver's passes.

    Args:
        judged: all laps of the driver, in order.
        chosen: positions of the group's laps in `judged`, of any kind.
        evidence: by part the positions of laps whose way through it is a pass; of whole laps nothing.
        falloff: of the group: from which runs tyres can be told, and where a cliff lies.
        track_shares: by how much the track was slower than usual, as a share, by the lap's position, where par is
            known.

    Returns:
        The effects, or the reason why nothing can be told.

    >>> from fleet_rival.core.analysis import analyse
    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> (driver,) = analyse(TRACK, LAPS).drivers.values()
    >>> evidence = {code: part.passes for code, part in driver.main.segments.items()}
    >>> effects = effects_of(TRACK, driver.laps, driver.main.members, evidence, "segments", driver.main.falloff)
    >>> effects.no_setups, effects.tyres
    ('no setup is named', None)
    """
    passes = passes_of(track, judged, chosen, evidence, depth)
    if isinstance(passes, str):
        return passes
    passes = _warm(passes, falloff)
    times = passes.times_us - track_us(passes, track_shares or {})
    told = np.where(passes.tells, times, np.nan)
    ages = _ages(passes, falloff)
    columns, within = _fitted(passes, told, ages, tried_in(passes, judged))
    setups = setups_of(passes, told, columns, within)
    options = slice(ages.shape[1], None)
    setup_us = np.zeros(times.shape) if isinstance(setups, str) else _by_setup(passes, setups)
    option_us = np.einsum("plc,pc->lp", columns[:, :, options], within.effects[:, options])
    moved_us = (passes.times_us - times + setup_us + option_us).sum(axis=1)
    tyres_us, tyres = _tyres(passes, ages, within, _net(judged, passes, falloff, moved_us))
    return Effects(
        passes,
        setup_us,
        option_us,
        tyres_us,
        under_trial(passes, judged),
        within.scale_us,
        None if isinstance(setups, str) else setups,
        setups if isinstance(setups, str) else "",
        tyres,
        "" if ages.shape[1] else falloff.reasons["us_per_lap"],
    )


def _warm(passes: Passes, falloff: Falloff) -> Passes:
    """Passes without those that the shape of the runs shows to be cold, as the falloff of the lap leaves them out."""
    if falloff.warming is None or not falloff.warm_from:
        return passes
    tells = passes.tells & (passes.since >= falloff.warm_from)[:, None]
    if not tells.any(axis=0).all():
        return passes
    early = (passes.since >= falloff.warming.number - 1) & (passes.since < falloff.warm_from - 1)
    cold = passes.tells & early[:, None]
    return replace(passes, tells=tells, cold=passes.cold | cold, only_cold=passes.only_cold | cold)


def track_us(passes: Passes, shares: Mapping[int, float]) -> Values:
    """What the track cost each pass, in microseconds, shape (laps, parts).

    Args:
        shares: by how much it was slower than usual, by the lap's position.

    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> from fleet_rival.core.laps.marks import judge
    >>> from fleet_rival.core.settings import Settings
    >>> passes = passes_of(TRACK, judge(TRACK, LAPS, Settings()), [2], {}, "lap")
    >>> float(track_us(passes, {2: 0.01})[0, 0])
    600200.0
    """
    return np.outer([shares.get(index, 0.0) for index in passes.positions.tolist()], passes.base_us)


def _ages(passes: Passes, falloff: Falloff) -> Values:
    """Laps that tyres had done beyond the freshest warm ones, and those beyond the cliff: shape (laps, columns); no
    column without a run that is long enough.
    """
    if falloff.net is None:
        return np.zeros((len(passes.positions), 0))
    told = passes.tells.any(axis=1)
    by_age = bool(np.isfinite(passes.ages[told]).all())
    at = np.nan_to_num(passes.ages) if by_age else passes.since
    columns = [np.maximum(at - at[told].min(), 0.0)]
    if falloff.cliff is not None and (falloff.cliff.by == "tyre_age") == by_age:
        columns.append(np.maximum(at - falloff.cliff.at, 0.0))
    return np.column_stack(columns)


def _fitted(passes: Passes, told: Values, ages: Values, tried: Sequence[Tried]) -> tuple[Values, Within]:
    """Columns of ages and of what was tried, shape (parts, laps, columns), and the fit within runs."""

    def fit(some: Sequence[Tried]) -> tuple[Values, Within]:
        each = [[item for item in some if item.part == part] for part in range(len(passes.codes))]
        columns = np.zeros((len(passes.codes), len(told), ages.shape[1] + max(map(len, each), default=0)))
        columns[:, :, : ages.shape[1]] = ages
        for part, items in enumerate(each):
            for place, item in enumerate(items, ages.shape[1]):
                columns[part, :, place] = item.column
        return columns, within_runs(told, columns, passes.blocks, passes.base_us)

    columns, within = fit(tried)
    kept: list[Tried] = []
    places: dict[int, int] = {}
    for item in tried:
        place = places[item.part] = places.get(item.part, ages.shape[1] - 1) + 1
        error = sqrt(max(float(within.covariance[item.part, place, place]), 0.0))
        if item.behind < 2 or abs(float(within.effects[item.part, place])) > FURTHER * error > 0:
            kept.append(item)
    return fit(kept) if len(kept) < len(tried) else (columns, within)


def _by_setup(passes: Passes, setups: Setups) -> Values:
    shifts = dict(zip(setups.labels, setups.shifts_us, strict=True))
    nothing = np.zeros(len(passes.codes))
    return np.asarray([nothing if label is None else shifts.get(label, nothing) for label in passes.setups])[
        passes.blocks
    ]


def _net(judged: Sequence[JudgedLap], passes: Passes, falloff: Falloff, moved_us: NDArray[np.float64]) -> Slope | None:
    """Falloff of the lap with all else that is known taken out, read as falloff as driven is: laps in which all parts
    were slow together say less than so many parts.

    Args:
        moved_us: by track, setups and options, of each lap, shape (laps,).
    """
    rows = {index: row for row, index in enumerate(passes.positions.tolist())}

    def levelled(run: PaceRun) -> list[float]:
        pairs = zip(run.positions, run.times_us, strict=True)
        return [time - (float(moved_us[rows[index]]) if index in rows else 0.0) for index, time in pairs]

    return pooled_slope([(run.numbers, levelled(run)) for run in falloff.runs])


def _tyres(passes: Passes, ages: Values, within: Within, net: Slope | None) -> tuple[Values, Tyres | None]:
    """What old tyres cost each pass, where the lap as a whole says that they cost anything."""
    nothing = np.zeros(passes.times_us.shape)
    count = ages.shape[1]
    if not count or net is None or (count == 1 and net.low <= 0 <= net.high):
        return nothing, None
    # With a cliff the lap's slope is of two pieces, and each is read off the parts.
    total = (net.value, ((net.high - net.low) / (2 * Z_95)) ** 2) if count == 1 else None
    values, errors = zip(
        *(
            placed(within.effects[:, column], within.slope_variance(column), passes.base_us, total=total)
            for column in range(count)
        ),
        strict=True,
    )
    slope, reach = values[0], Z_95 * np.sqrt(errors[0])
    whole = float(slope.sum())
    weights = slope / whole if whole else passes.base_us / passes.base_us.sum()
    rows = (slope, slope - reach, slope + reach, weights)
    told = [dict(zip(passes.codes, row.tolist(), strict=True)) for row in rows]
    return ages @ np.stack(values), Tyres(net if count == 1 else None, *told)
