"""How much a pass has to lose before it is a slip: levels of the usual passes, and thresholds above them."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from statistics import fmean, median
from typing import Final

import numpy as np

from fleet_rival.core.corners.ordinary import Ordinary, mirrored, ordinary_of
from fleet_rival.core.corners.references import PartFigures
from fleet_rival.core.effects import Effects
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.settings import Settings
from fleet_rival.core.times import MICROSECONDS

__all__ = ["Levels", "Scale", "Threshold", "levels_of", "threshold_above", "thresholds_of"]

Levelled = Mapping[str, Mapping[int, float]]
"""Microseconds by part and the lap's position; 0 where nothing is told."""


@dataclass(frozen=True, slots=True)
class Levels:
    """What makes passes slower that is no mistake of theirs: the level of their run, the setup of the car, and options
    that are tried, in their corner and behind it.

    Attributes:
        runs: by session and run: how much slower than usual, everywhere alike, as a share.
        moved: by setups and options.
        trials: passes that were to find out, by the lap's position and part: none of them was slow by mistake.
    """

    runs: Mapping[tuple[str, int | None], float]
    moved: Levelled = field(default_factory=dict)
    trials: frozenset[tuple[int, str]] = frozenset()

    def us(self, judged: Sequence[JudgedLap], index: int, code: str, reference_us: float) -> float:
        """What all of them are worth in a part, in microseconds.

        Args:
            index: the lap's position.
        """
        lap = judged[index].lap
        return self.runs.get((lap.session, lap.run), 0.0) * reference_us + self.moved_us(index, code)

    def moved_us(self, index: int, code: str) -> float:
        """What setups and options are worth in a part, in microseconds."""
        return self.moved.get(code, {}).get(index, 0.0)


_LEVEL_PASSES: Final = 8
"""Passes, through whatever parts, from which a run has a level."""


@dataclass(frozen=True, slots=True)
class Threshold:
    """From when on a pass through a part is a slip.

    Attributes:
        ordinary: the driver's ordinary passes.
        excess_us: over their centre.
        reference_us: what losses are told against.
    """

    ordinary: Ordinary
    excess_us: float
    reference_us: float

    def excess(self, loss_us: float, level_us: float) -> float:
        """How much slower than the ordinary pass, the level of its run taken out."""
        return loss_us + self.reference_us - level_us - self.ordinary.centre_us


@dataclass(slots=True)
class Scale:
    """Noise of parts with few passes: pooled over all parts, in shares of the part."""

    shares: list[float] = field(default_factory=list)

    def share(self) -> float:
        ordered = sorted(self.shares)
        return ordered[len(ordered) // 2] if ordered else 0.0


def levels_of(
    parts: Mapping[str, PartFigures], judged: Sequence[JudgedLap], settings: Settings, effects: Effects | None = None
) -> Levels:
    """How much slower each run was than usual, everywhere alike, and what setups and options are worth.

    Who still learns a track, drives on a green one or carries more fuel is slower in every part of the lap. That is no
    mistake of any corner: a run's level is the median, over all its passes through all parts, of what they were slower
    than the driver's middle pass there. Slips are few and in few parts, so they don't move it. An option that is slower
    than another one is no mistake either: it was to be tried; nor is a setup that is slower in a part.

    Args:
        parts: in the order of the lap.
        effects: of setups and options; None where nothing was tried.
    """
    moved, trials = _moved(effects) if effects is not None else ({}, frozenset[tuple[int, str]]())
    shares: dict[tuple[str, int | None], list[float]] = defaultdict(list)
    for code, figures in parts.items():
        if figures.reference is None or len(figures.passes) < settings.reference_passes:
            continue
        reference, here = float(figures.reference.time_us), moved.get(code, {})
        times = {
            index: figures.losses_us[index] + reference - here.get(index, 0.0)
            for index in figures.passes
            if code not in judged[index].taken.own
        }
        if not times:
            continue
        middle = median(times.values())
        for index, time in times.items():
            shares[judged[index].lap.session, judged[index].lap.run].append(time / middle - 1)
    runs = {run: median(values) for run, values in shares.items() if len(values) >= _LEVEL_PASSES}
    return Levels(runs, moved, trials)


def _moved(effects: Effects) -> tuple[Levelled, frozenset[tuple[int, str]]]:
    passes = effects.passes
    moved_us = effects.setup_us + effects.option_us
    moved: dict[str, dict[int, float]] = defaultdict(dict)
    for row, column in np.argwhere(moved_us != 0).tolist():
        moved[passes.codes[column]][int(passes.positions[row])] = float(moved_us[row, column])
    trials = frozenset(
        (int(passes.positions[row]), passes.codes[column]) for row, column in np.argwhere(effects.trial).tolist()
    )
    return dict(moved), trials


def thresholds_of(
    parts: Mapping[str, PartFigures], judged: Sequence[JudgedLap], levels: Levels, settings: Settings
) -> dict[str, Threshold]:
    """From when on a pass is a slip, part by part, from the warm passes with the level and the trend of their run
    taken out.

    Args:
        parts: in the order of the lap.
    """
    ordinary: dict[str, Ordinary] = {}
    references = {
        code: float(figures.reference.time_us) for code, figures in parts.items() if figures.reference is not None
    }
    level = {
        code: {
            index: loss + references[code] - levels.us(judged, index, code, references[code])
            for index, loss in parts[code].losses_us.items()
        }
        for code in references
    }
    scale = Scale()
    codes = list(parts)
    for code, following in zip(codes, [*codes[1:], None], strict=True):
        if code not in references:
            continue
        whole = [index for index in sorted(parts[code].passes) if code not in judged[index].taken.own]
        usual = [index for index in whole if (index, code) not in levels.trials]
        spared = usual if len(usual) >= settings.reference_passes else whole
        times = {index: level[code][index] for index in spared}
        found = ordinary_of(list(times.values()), settings)
        if (
            found is not None
            and found.mixed
            and following in references
            and _paid_back(found, times, level[following], settings)
        ):
            found = mirrored(list(times.values()))
        if found is not None:
            ordinary[code] = found
            if found.passes >= settings.reference_passes:
                scale.shares.append(found.noise_us / references[code])
    return {code: threshold_above(item, references[code], scale, settings) for code, item in ordinary.items()}


def _paid_back(found: Ordinary, times: Mapping[int, float], behind: Mapping[int, float], settings: Settings) -> bool:
    """Whether the faster passes lose in the next part half or more of what they win here.

    Who brakes too late for the next corner is fast in this part: such passes are no measure of what is ordinary.
    """
    bound = found.centre_us + settings.slip_deviations * found.noise_us
    fast, slow = (
        [index for index in times if (times[index] <= bound) == quick and index in behind] for quick in (True, False)
    )
    if not fast or not slow:
        return False
    won = fmean(times[index] for index in slow) - fmean(times[index] for index in fast)
    kept = fmean(times[index] + behind[index] for index in slow) - fmean(times[index] + behind[index] for index in fast)
    return kept < 0.5 * won


def threshold_above(ordinary: Ordinary, reference_us: float, scale: Scale, settings: Settings) -> Threshold:
    """From when on a pass through a part is a slip.

    Args:
        ordinary: what is ordinary here, in microseconds.
        reference_us: the driver's own good pass.
        scale: the noise of all parts together, in per cent, for parts of which few passes tell.
    """
    if ordinary.passes < settings.mixture_passes:
        # The scatter of so few says little: that of all parts together, in per cent, is the least that is believed.
        ordinary = replace(ordinary, noise_us=max(ordinary.noise_us, scale.share() * reference_us))
    floor = max(settings.slip_floor_s * MICROSECONDS, settings.slip_floor_pct / 100 * reference_us)
    return Threshold(ordinary, max(settings.slip_deviations * ordinary.noise_us, floor), reference_us)
