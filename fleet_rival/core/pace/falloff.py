"""Falloff: how much slower each further lap of a run is, as driven; the tyres' part of it where that can be told;
and the cliff.
"""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from math import log
from typing import Final

import numpy as np

from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.pace.runs import PaceRun, clean_runs
from fleet_rival.core.pace.slope import Slope, Values, pooled_slope, widening
from fleet_rival.core.pace.warming import Warming, warming_of
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import Z_95, least_squares
from fleet_rival.core.times import MICROSECONDS

__all__ = ["Cliff", "Falloff", "falloff_of"]

_CLIFF_LAPS: Final = 3
"""Clean laps on either side of a cliff, at least."""
_MOST_BENDS: Final = 200
_APART: Final = 0.05
"""How far tyre age and fuel must go apart, as a share of their range, for their parts to be told."""


@dataclass(frozen=True, slots=True)
class Cliff:
    """From where on laps get slower faster.

    Attributes:
        at: tyre age in laps where that is known of all laps, else laps of the run.
        by: `tyre_age` or `lap_of_run`.
        before_us, after_us: slopes, microseconds a lap.
        gain: by how much two pieces are better than one, in BIC.
    """

    at: float
    by: str
    before_us: float
    after_us: float
    gain: float


@dataclass(frozen=True, slots=True)
class Falloff:
    """Slopes in microseconds a lap, with 95 % intervals; None with a reason where the data can't support one.

    Attributes:
        net: as driven: tyres, fuel, track and driver together.
        tyre_us_per_lap, tyre_low_us, tyre_high_us: the tyres alone.
        runs: what it was read from.
        warming: how many laps tyres take to warm up, by the shape of the runs; where they are more than count as cold,
            they and one lap more are left out.
        warm_from: the first lap of a run that isn't left out, from 0 at the pits; 0 where none is.
    """

    net: Slope | None
    tyre_us_per_lap: float | None = None
    tyre_low_us: float | None = None
    tyre_high_us: float | None = None
    cliff: Cliff | None = None
    runs: tuple[PaceRun, ...] = ()
    warming: Warming | None = None
    warm_from: int = 0
    reasons: Mapping[str, str] = field(default_factory=dict)

    def by_set(self) -> dict[str, Slope]:
        """Net slope by tyre set, where a set has a run of its own: made when it is asked for, as it takes longer
        than all the rest.
        """
        sets: dict[str, list[PaceRun]] = defaultdict(list)
        for run in self.runs:
            for label in {lap.tyre_set for lap in run.laps if lap.tyre_set}:
                sets[label].append(run)
        slopes = {label: pooled_slope([(run.numbers, run.times_us) for run in some]) for label, some in sets.items()}
        return {label: slope for label, slope in slopes.items() if slope is not None}


def falloff_of(judged: Sequence[JudgedLap], members: Sequence[int], settings: Settings) -> Falloff:
    """Falloff of a group's runs of `min_clean_laps` clean laps or more.

    Args:
        judged: all laps of the driver, in order.
        members: positions of the group's flying laps in `judged`.

    >>> from fleet_rival.core.example import TRACK, lap
    >>> from fleet_rival.core.laps.marks import judge
    >>> laps = [lap(number, 0.05 * number, tyre_age=number) for number in range(2, 20)]
    >>> found = falloff_of(judge(TRACK, laps, Settings()), range(len(laps)), Settings())
    >>> round(found.net.value, -3) if found.net else found.reasons
    50000.0
    """
    warming = warming_of(judged, members)
    runs, warm_from = _warm(clean_runs(judged, members, settings.min_clean_laps), warming, settings)
    net = pooled_slope([(run.numbers, run.times_us) for run in runs])
    if net is None:
        why = f"no run of {settings.min_clean_laps} clean laps"
        return Falloff(None, warming=warming, reasons=dict.fromkeys(("us_per_lap", "tyre_us_per_lap", "cliff"), why))
    tyre, why_not = _tyres_alone(runs, net, settings)
    cliff = _cliff(runs, settings)
    reasons = {} if tyre is not None else {"tyre_us_per_lap": why_not}
    if cliff is None:
        reasons["cliff"] = "one straight piece tells the pace as well, or too few laps for two"
    alone, low, high = tyre or (None, None, None)
    return Falloff(net, alone, low, high, cliff, tuple(runs), warming, warm_from, reasons)


def _warm(runs: Sequence[PaceRun], warming: Warming | None, settings: Settings) -> tuple[list[PaceRun], int]:
    """Runs without the laps that their shape shows to be cold, and one further: what is left of the cold in it would
    bend the line. And the lap of the run from which they are read, 0 where none is left out.
    """
    if warming is None or warming.laps <= settings.cold_laps or settings.cold_seconds is not None:
        return list(runs), 0
    begins = warming.number + warming.laps
    kept = []
    for run in runs:
        chosen = [at for at, number in enumerate(run.numbers) if number >= begins]
        if len(chosen) >= settings.min_clean_laps:
            positions = tuple(run.positions[at] for at in chosen)
            kept.append(replace(run, positions=positions, laps=tuple(run.laps[at] for at in chosen)))
    return (kept, begins) if kept else (list(runs), 0)


def _tyres_alone(
    runs: Sequence[PaceRun], net: Slope, settings: Settings
) -> tuple[tuple[float, float, float] | None, str]:
    """The tyres' part: net and the fuel's worth where that is declared, else told apart by runs that began
    otherwise.
    """
    if settings.seconds_per_litre is not None:
        burnt = pooled_slope([run for run in (_fuel(item) for item in runs) if run is not None])
        if burnt is None:
            return None, "what a litre costs is declared, and the laps don't say how much fuel was on board"
        back = -burnt.value * settings.seconds_per_litre * MICROSECONDS
        return (net.value + back, net.low + back, net.high + back), ""
    return _by_different_starts(runs, net)


def _fuel(run: PaceRun) -> tuple[list[float], list[float]] | None:
    known = [lap.fuel_l for lap in run.laps if lap.fuel_l is not None]
    return (run.numbers, known) if len(known) == len(run.laps) else None


def _by_different_starts(runs: Sequence[PaceRun], net: Slope) -> tuple[tuple[float, float, float] | None, str]:
    """Least squares over tyre age and fuel, an intercept for each session, where runs of one session began
    differently.
    """
    blocks: dict[str, list[Values]] = defaultdict(list)
    parts: list[tuple[Values, Values]] = []
    for run in runs:
        ages, fuel = run.ages, _fuel(run)
        if ages is not None and fuel is not None:
            blocks[run.session].append(np.column_stack([ages, fuel[1], run.times_us]).astype(np.float64))
            parts.append((np.asarray(run.numbers), np.asarray(run.times_us, dtype=np.float64)))
    if not parts:
        return None, "tyres and fuel can't be told apart inside a run, and the laps don't say both tyre age and fuel"
    centred = np.concatenate([whole - whole.mean(axis=0) for whole in map(np.concatenate, blocks.values())])
    design, values = centred[:, :2], centred[:, 2]
    scaled = design / np.maximum(np.abs(design).max(axis=0), 1e-12)
    free = len(values) - len(blocks) - 2
    if free < 1 or np.linalg.svd(scaled, compute_uv=False)[-1] < _APART * np.sqrt(len(values)):
        return None, "fuel and tyre age rise together in every run"
    found = least_squares(design, values)
    rest = values - design @ found
    variance = float(rest @ rest) / free * np.linalg.inv(design.T @ design)[0, 0]
    error = Z_95 * float(np.sqrt(variance * widening(parts, net.correlation)))
    return (float(found[0]), float(found[0]) - error, float(found[0]) + error), ""


def _cliff(runs: Sequence[PaceRun], settings: Settings) -> Cliff | None:
    """The bend that makes two straight pieces, the second steeper, better than one by `cliff_bic` or more (least
    squares).
    """
    by_age = all(run.ages is not None for run in runs)
    places = [np.asarray(run.ages if by_age else run.numbers, dtype=np.float64) for run in runs]
    values = [np.asarray(run.times_us, dtype=np.float64) for run in runs]
    count = sum(len(x) for x in places)
    if count < 4 * _CLIFF_LAPS:
        return None

    sizes = np.asarray([len(x) for x in places])
    begins = np.concatenate([[0], np.cumsum(sizes)[:-1]])

    def centred(column: Values) -> Values:
        return np.asarray(column - np.repeat(np.add.reduceat(column, begins) / sizes, sizes))

    across = np.concatenate(places)
    straight_column, target = centred(across), centred(np.concatenate(values))

    def fit(bend: float | None) -> tuple[float, Values]:
        columns = [straight_column] if bend is None else [straight_column, centred(np.maximum(across - bend, 0.0))]
        design = np.column_stack(columns)
        found, *_ = np.linalg.lstsq(design, target, rcond=None)
        rest = target - design @ found
        return float(rest @ rest), np.asarray(found)

    whole = np.sort(across)
    straight, _ = fit(None)
    bends = np.unique(whole)
    bends = bends[
        (np.searchsorted(whole, bends) >= _CLIFF_LAPS)
        & (count - np.searchsorted(whole, bends, side="right") >= _CLIFF_LAPS)
    ]
    fits = [(fit(float(bend)), float(bend)) for bend in bends[:: -(-len(bends) // _MOST_BENDS) or 1]]
    fits = [item for item in fits if item[0][1][1] > 0]
    if not fits or straight <= 0:
        return None
    (rest, (before, more)), at = min(fits, key=lambda item: item[0][0])
    # Two parameters more: the bend and the second slope.
    gain = count * log(straight / max(rest, 1e-9)) - 2 * log(count)
    if gain < settings.cliff_bic:
        return None
    return Cliff(at, "tyre_age" if by_age else "lap_of_run", float(before), float(before + more), gain)
