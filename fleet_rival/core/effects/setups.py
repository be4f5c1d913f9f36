"""What a setup shifts in each part, against the one in force, when runs differ by themselves.

A setup is a few runs, and runs differ for no reason: how far, as a share of a part, is estimated over all parts
together by restricted likelihood (Patterson and Thompson, 1971), and enters every interval.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.effects.passes import Passes
from fleet_rival.core.effects.placed import placed
from fleet_rival.core.effects.within import Values, Within

__all__ = ["Setups", "setups_of"]

_SHARES: Final = np.concatenate([[0.0], np.geomspace(2e-4, 0.03, 36)])
"""How far runs may differ, as a share of a part."""


@dataclass(frozen=True, slots=True)
class Setups:
    """Effects of setups.

    Attributes:
        against: the setup in force: the one that most passes were driven with.
        labels: the others.
        shifts_us: slower than `against`, shape (labels, parts).
        low_us, high_us: 95 % intervals; None where each setup was driven in one run alone, so that how far runs differ
            by themselves can't be told.
        totals_us, total_variances: levels of a lap with each setup, `against` first, and how well they are known; shape
            (1 + labels,).
        freedom: degrees of freedom behind these.
        runs_differ: by what share of a part runs differ for no reason that is known.
    """

    against: str
    labels: tuple[str, ...]
    shifts_us: Values
    low_us: Values | None
    high_us: Values | None
    totals_us: Values
    total_variances: Values
    freedom: float
    runs_differ: float

    @property
    def told(self) -> bool:
        """Whether the effects are more than what runs differ by."""
        return self.low_us is not None

    def of_lap(self, first: str, second: str) -> tuple[float, float, float] | None:
        """How much slower a lap is with the second than with the first, in microseconds, with a 95 % interval; None
        where that can't be told.
        """
        labels = (self.against, *self.labels)
        if not self.told or not {first, second} <= set(labels):
            return None
        one, other = labels.index(first), labels.index(second)
        shift = float(self.totals_us[other] - self.totals_us[one])
        reach = float(_quantile(np.asarray(self.freedom))) * sqrt(float(self.total_variances[[one, other]].sum()))
        return shift, shift - reach, shift + reach


@dataclass(frozen=True, slots=True)
class _Runs:
    """Runs with a setup: their middles with all that happens within runs taken out.

    Attributes:
        middles_us: shape (runs, parts).
        errors: variances of the middles by their passes, the same shape; infinite without any.
        columns: middles of the columns, shape (runs, parts, columns).
        setups: number of each run's setup.
    """

    middles_us: Values
    errors: Values
    columns: Values
    setups: NDArray[np.int64]


def setups_of(passes: Passes, times_us: Values, columns: Values, within: Within) -> Setups | str:
    """Effects of the setups that were driven.

    Args:
        times_us: of passes, as `within` was fitted on.
        columns: as there.

    Returns:
        The effects; or the reason why there are none, empty where only one setup was driven.
    """
    labels = _labels(passes)
    if not labels:
        return "no setup is named"
    if len(labels) == 1:
        return ""
    runs = _runs(passes, times_us, columns, within, labels)
    belongs = np.equal.outer(np.arange(len(labels)), runs.setups).astype(np.float64)
    freedom = len(runs.setups) - len(labels)
    base = passes.base_us
    differ = _runs_differ(runs, belongs, base) if freedom else 0.0
    spread = (differ * base) ** 2
    weights = 1 / (runs.errors + spread)
    total = np.maximum(belongs @ weights, 1e-18)
    means = (belongs @ (weights * runs.middles_us)) / total
    middle_columns = np.einsum("kr,rp,rpc->kpc", belongs, weights, runs.columns) / total[:, :, None]
    portions = weights / (belongs.T @ total)
    by_passes = belongs @ (portions**2 * np.where(np.isfinite(runs.errors), runs.errors, 0.0))
    by_runs = belongs @ (portions**2 * spread)
    apart = middle_columns[1:] - middle_columns[:1]
    own = by_passes[1:] + by_passes[:1] + np.einsum("kpi,pij,kpj->kp", apart, within.covariance, apart)
    between = by_runs[1:] + by_runs[:1]
    totals = means.sum(axis=1)
    if not freedom:
        return Setups(labels[0], labels[1:], means[1:] - means[:1], None, None, totals, by_passes.sum(axis=1), 0.0, 0.0)
    alike = _alike(runs, belongs, means, base, differ, freedom)
    lap_by_runs = (1 - alike) * by_runs.sum(axis=1) + alike * np.sqrt(by_runs).sum(axis=1) ** 2
    shifts, variances = placed(means[1:] - means[:1], own + (1 - alike) * between, base, alike * between)
    # Satterthwaite's degrees of freedom: runs are few, and where all parts differ alike they are fewer.
    behind_runs = freedom * len(base) / (1 + (len(base) - 1) * alike)
    within_part = np.maximum(variances - between, 0.0)
    free = (within_part + between) ** 2 / (within_part**2 / within.freedom + between**2 / behind_runs + 1e-30)
    reach = _quantile(np.maximum(free, 1.0)) * np.sqrt(variances)
    return Setups(
        labels[0],
        labels[1:],
        shifts,
        shifts - reach,
        shifts + reach,
        totals,
        by_passes.sum(axis=1) + lap_by_runs,
        behind_runs if differ else within.freedom,
        differ,
    )


def _quantile(freedom: Values) -> Values:
    from scipy.special import stdtrit  # noqa: PLC0415  takes a third of a second to import; not every process needs it

    return np.asarray(stdtrit(freedom, 0.975), dtype=np.float64)


def _labels(passes: Passes) -> tuple[str, ...]:
    """Setups of which passes tell something, the one in force first: with most of them, driven first among equals."""
    counts: dict[str, int] = {}
    told = passes.tells.any(axis=1)
    for row in np.flatnonzero(told):
        label = passes.setups[passes.blocks[row]]
        if label is not None:
            counts[label] = counts.get(label, 0) + 1
    first = max(counts, key=lambda label: counts[label], default=None)
    return () if first is None else (first, *(label for label in counts if label != first))


def _runs(passes: Passes, times_us: Values, columns: Values, within: Within, labels: Sequence[str]) -> _Runs:
    known = np.isfinite(times_us)
    left = np.where(known, times_us - np.einsum("plc,pc->lp", columns, within.effects), 0.0)
    places = [number for number, label in enumerate(passes.setups) if label in labels]
    inside = np.equal.outer(np.asarray(places), passes.blocks).astype(np.float64)
    total = inside @ within.weights
    some = total.sum(axis=1) > 0
    inside, total = inside[some], total[some]
    safe = np.maximum(total, 1e-12)
    return _Runs(
        (inside @ (within.weights * left)) / safe,
        np.where(total > 1e-9, within.variance / safe, np.inf),
        np.einsum("rl,lp,plc->rpc", inside, within.weights, columns) / safe[:, :, None],
        np.asarray([labels.index(passes.setups[place] or "") for place in np.asarray(places)[some].tolist()]),
    )


def _runs_differ(runs: _Runs, belongs: Values, base_us: Values) -> float:
    """By what share of a part runs of one setup differ: the most likely of some, over all parts."""
    best, likely = 0.0, -np.inf
    for share in _SHARES.tolist():
        weights = 1 / (runs.errors + (share * base_us) ** 2)
        total = np.maximum(belongs @ weights, 1e-30)
        means = (belongs @ (weights * runs.middles_us)) / total
        rest = weights * (runs.middles_us - belongs.T @ means) ** 2
        told = weights > 0
        value = float(np.log(weights[told]).sum() - np.log(total).sum() - rest.sum())
        if value > likely:
            best, likely = share, value
    return best


def _alike(runs: _Runs, belongs: Values, means: Values, base_us: Values, differ: float, freedom: int) -> float:
    """How far runs differ in all parts alike, between 0 and 1: the correlation between parts of what a run is slower
    than its setup.
    """
    if not differ or len(base_us) < 2:
        return 0.0
    rest = runs.middles_us - belongs.T @ means
    noise = np.where(np.isfinite(runs.errors), runs.errors, 0.0).mean(axis=0).sum()
    whole = float((rest.sum(axis=1) ** 2).sum()) / freedom - float(noise)
    single = float(((differ * base_us) ** 2).sum())
    return float(np.clip((whole - single) / (float((differ * base_us).sum()) ** 2 - single), 0.0, 1.0))
