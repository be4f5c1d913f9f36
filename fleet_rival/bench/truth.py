"""`./fleet bench --truth`: how often intervals hold the truth and odds come true, on made-up drivers whose truth is
known.
"""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.ideals.best_of import LAP_COUNTS, odds_of
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import judge
from fleet_rival.core.pace.falloff import falloff_of
from fleet_rival.core.pace.slope import correlation_of
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import Z_95
from fleet_rival.core.times import MICROSECONDS
from fleet_rival.core.track import Sector, Track

__all__ = ["Held", "Told", "falloff_held", "odds_told", "truth_tables"]

_TRACK: Final = Track("Quernholm", "Short", "street", 1000.0, (Sector("S1", 0.0),), ())
_DRAWS: Final = 2000
_RUN: Final = 10
"""Laps of a run from which odds are told."""
_SLIP_SHARE: Final = 0.15
_SLIP_S: Final = 0.2
_KINDS: Final = ((0.0, False), (0.0, True), (0.3, False), (0.5, False), (0.5, True))
"""Correlation of neighbouring laps, and whether one lap in seven holds a slip."""

Values = NDArray[np.float64]


@dataclass(frozen=True)
class Held:
    """Falloff intervals of some drivers: share that holds the truth, and mean width over that of the interval that
    knows the noise.
    """

    kind: str
    drivers: int
    held: float
    width: float


@dataclass(frozen=True)
class Told:
    """Odds of some drivers: expected Brier score over that of the true odds."""

    kind: str
    drivers: int
    ratio: float


def _scatter(rng: np.random.Generator, count: int, correlation: float) -> Values:
    out = rng.standard_normal(count)
    for at in range(1, count):
        out[at] = correlation * out[at - 1] + sqrt(1 - correlation**2) * out[at]
    return np.asarray(out)


def _slips(rng: np.random.Generator, shape: int | tuple[int, int]) -> Values:
    return np.asarray((rng.random(shape) < _SLIP_SHARE) * rng.exponential(_SLIP_S, shape))


def _named(correlation: float, slips: bool) -> str:
    kind = f"neighbours correlated by {correlation:g}" if correlation else "independent laps"
    return f"{kind}{', with slips' if slips else ''}"


def falloff_held(drivers: int, seed: int) -> list[Held]:
    """Falloff of made-up drivers through all rules, from laps to the interval; each kind of scatter, and all
    together.
    """
    rng = np.random.default_rng(seed)
    found: dict[str, list[tuple[bool, float, float]]] = defaultdict(list)
    for driver in range(drivers):
        correlation, slips = _KINDS[driver % len(_KINDS)]
        scatter, slope, level = (
            float(rng.uniform(0.1, 0.4)),
            float(rng.uniform(-0.02, 0.08)),
            float(rng.uniform(60, 110)),
        )
        laps: list[Lap] = []
        above = below = 0.0
        for run in range(1, int(rng.integers(2, 6)) + 1):
            count = int(rng.integers(7, 16))
            at = np.arange(count, dtype=np.float64)
            times = level + rng.normal(0, 0.3) + slope * at + scatter * _scatter(rng, count, correlation)
            if slips:
                times = times + _slips(rng, count)
            laps.append(Lap("Driver", 0, round((level + 15) * MICROSECONDS), run=run, kind="out"))
            laps += [
                Lap("Driver", number, round(seconds * MICROSECONDS), run=run) for number, seconds in enumerate(times, 1)
            ]
            # The first lap is cold.
            centred = at[1:] - at[1:].mean()
            above += float(centred @ correlation ** np.abs(at[1:, None] - at[None, 1:]) @ centred) * scatter**2
            below += float(centred @ centred)
        slip_variance = 2 * _SLIP_SHARE * _SLIP_S**2 - (_SLIP_SHARE * _SLIP_S) ** 2 if slips else 0.0
        known = 2 * Z_95 * sqrt(above + slip_variance * below) / below
        judged = judge(_TRACK, laps, Settings())
        net = falloff_of(judged, [index for index, item in enumerate(judged) if item.flying], Settings()).net
        if net is None:
            continue
        held = net.low <= slope * MICROSECONDS <= net.high
        for kind in (_named(correlation, slips), "all together"):
            found[kind].append((held, (net.high - net.low) / MICROSECONDS, known))
    return [
        Held(
            kind,
            len(rows),
            float(np.mean([row[0] for row in rows])),
            float(np.sum([row[1] for row in rows]) / np.sum([row[2] for row in rows])),
        )
        for kind, rows in sorted(found.items(), key=lambda item: item[0] == "all together")
    ]


def odds_told(drivers: int, seed: int) -> list[Told]:
    """Odds of the best of n laps from 30 to 60 clean laps, at targets that are reached in one, two or four cases of
    five.
    """
    rng = np.random.default_rng(seed)
    found: dict[str, list[tuple[float, float]]] = defaultdict(list)
    for driver in range(drivers):
        correlation, slips = _KINDS[driver % len(_KINDS)]
        scatter, fails = float(rng.uniform(0.1, 0.4)), float(rng.uniform(0, 0.25))

        def drive(
            count: int, correlation: float = correlation, slips: bool = slips, scatter: float = scatter
        ) -> Values:
            times = 90 + scatter * _scatter(rng, count, correlation)
            return times + _slips(rng, count) if slips else times

        eligible = int(rng.integers(40, 71))
        failed = rng.random(eligible) < fails
        whole = np.concatenate([drive(_RUN) for _ in range(-(-eligible // _RUN))])[:eligible]
        clean = whole[~failed]
        if len(clean) < 30:
            continue
        clean_us = [round(seconds * MICROSECONDS) for seconds in clean]
        at = np.arange(eligible)
        of_runs = [(at // _RUN == run) & ~failed for run in range(at[-1] // _RUN + 1)]
        alike = correlation_of(
            [
                ((at[mask] % _RUN).astype(float), whole[mask])
                for mask in of_runs
                if mask.sum() >= Settings().min_clean_laps
            ],
            0.0,
        )
        runs = np.asarray([drive(max(LAP_COUNTS)) for _ in range(_DRAWS)])
        runs[rng.random(runs.shape) < fails] = np.inf
        for laps in LAP_COUNTS:
            bests = runs[:, :laps].min(axis=1)
            for share in (0.2, 0.4, 0.8):
                target = float(np.sort(bests)[int(share * len(bests))])
                if not np.isfinite(target):
                    continue
                true = float(np.mean(bests <= target))
                told = odds_of(clean_us, len(clean) / eligible, laps, round(target * MICROSECONDS), alike)
                plain = true * (1 - true)
                for kind in (_named(correlation, slips), "all together"):
                    found[kind].append((plain + (told - true) ** 2, plain))
    count = {kind: len(rows) // (3 * len(LAP_COUNTS)) for kind, rows in found.items()}
    return [
        Told(kind, count[kind], float(sum(row[0] for row in rows) / sum(row[1] for row in rows)))
        for kind, rows in sorted(found.items(), key=lambda item: item[0] == "all together")
    ]


def truth_tables(held: Sequence[Held], told: Sequence[Told]) -> str:
    """Both as tables."""
    lines = [
        "| falloff, 95 % interval | drivers | holds the truth | width over that of the interval that knows the noise |",
        "|---|---|---|---|",
    ]
    for row in held:
        lines.append(
            f"| {row.kind} | {row.drivers} | {row.held:.1%}{_aim(row.kind, '≥ 92.5 %')} | "
            f"{row.width:.2f}{_aim(row.kind, '≤ 1.3')} |"
        )
    lines += [
        "",
        "| odds of the best of n laps | drivers | expected Brier score over that of the true odds |",
        "|---|---|---|",
    ]
    lines += [f"| {row.kind} | {row.drivers} | {row.ratio:.3f}{_aim(row.kind, '≤ 1.05')} |" for row in told]
    return "\n".join(lines) + "\n"


def _aim(kind: str, aim: str) -> str:
    return f" (aim {aim})" if kind == "all together" else ""
