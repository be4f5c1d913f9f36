"""How much a pass has to lose before it is a slip: levels of the usual passes, and thresholds above them."""

from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from statistics import fmean, median
from typing import Final

from fleet_rival.core.corners.ordinary import Ordinary, mirrored, ordinary_of
from fleet_rival.core.corners.references import PartFigures
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.settings import Settings
from fleet_rival.core.times import MICROSECONDS

__all__ = ["Levels", "Scale", "Threshold", "levels_of", "threshold_above", "thresholds_of", "tried_at"]

Tried = tuple[tuple[str, str], ...]
"""Options that bear on a part, with their labels."""


@dataclass(frozen=True, slots=True)
class Levels:
    """What makes passes slower that is no mistake of theirs: the level of their run, the setup of the car, and options
    that are tried.

    Attributes:
        runs: by session and run: how much slower than usual, everywhere alike, as a share.
        bearing: by part: the options that bear on it, those of its corner, of the corner before, and of whole laps.
        setups: of which enough passes tell; each bears on all parts.
        tried: by part and what was tried there: microseconds behind the fastest; None where so few tell nothing.
    """

    runs: Mapping[tuple[str, int | None], float]
    bearing: Mapping[str, frozenset[str]] = field(default_factory=dict)
    setups: frozenset[str] = frozenset()
    tried: Mapping[tuple[str, Tried], float | None] = field(default_factory=dict)

    def us(self, lap: Lap, code: str, reference_us: float) -> float:
        """What both are worth in a part, in microseconds."""
        return self.runs.get((lap.session, lap.run), 0.0) * reference_us + (self._tried(lap, code) or 0.0)

    def judges(self, lap: Lap, code: str) -> bool:
        """Whether enough passes tried the same, to say that this one was slow for it."""
        return self._tried(lap, code) is not None

    def _tried(self, lap: Lap, code: str) -> float | None:
        return (
            self.tried.get((code, tried_at(lap, self.bearing[code], self.setups)), 0.0) if code in self.bearing else 0.0
        )


_CAR: Final = "car setup"
"""Where a setup is tried: no option can be called so, as it holds a blank."""


def tried_at(lap: Lap, places: frozenset[str], setups: frozenset[str] = frozenset()) -> Tried:
    """What a lap tried at certain places, and with which of some setups.

    >>> from fleet_rival.core.example import lap
    >>> tried_at(lap(3, options=(("T2", "high"), ("T3", "late"))), frozenset({"T1", "T2"}))
    (('T2', 'high'),)
    """
    told = sorted((where, label) for where, label in lap.options if where in places)
    return (*told, (_CAR, lap.setup)) if lap.setup in setups else tuple(told)


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


def levels_of(parts: Mapping[str, PartFigures], judged: Sequence[JudgedLap], settings: Settings) -> Levels:
    """How much slower each run was than usual, everywhere alike, and what options that were tried are worth.

    Who still learns a track, drives on a green one or carries more fuel is slower in every part of the lap. That is no
    mistake of any corner: a run's level is the median, over all its passes through all parts, of what they were slower
    than the driver's middle pass there. Slips are few and in few parts, so they don't move it. An option that is slower
    than another one is no mistake either: it was to be tried; nor is a setup that is slower in a part.

    Args:
        parts: in the order of the lap.
    """
    shares: dict[tuple[str, int | None], list[float]] = defaultdict(list)
    for code, figures in parts.items():
        if figures.reference is None or len(figures.passes) < settings.reference_passes:
            continue
        reference = float(figures.reference.time_us)
        times = {
            index: figures.losses_us[index] + reference
            for index in figures.passes
            if code not in judged[index].taken.own
        }
        if not times:
            continue
        middle = median(times.values())
        for index, time in times.items():
            shares[judged[index].lap.session, judged[index].lap.run].append(time / middle - 1)
    runs = Levels({run: median(values) for run, values in shares.items() if len(values) >= _LEVEL_PASSES})
    return _with_options(runs, parts, judged, settings)


def _with_options(
    levels: Levels, parts: Mapping[str, PartFigures], judged: Sequence[JudgedLap], settings: Settings
) -> Levels:
    places = {
        where
        for index in {index for figures in parts.values() for index in figures.passes}
        for where, _ in judged[index].lap.options
    }
    setups = _setups(parts, judged, settings)
    if not places and not setups:
        return levels
    bearing: dict[str, frozenset[str]] = {}
    tried: dict[tuple[str, Tried], float | None] = {}
    before: str | None = None
    for code, figures in parts.items():
        bearing[code] = frozenset(where for where in places if where in (code, before) or where not in parts)
        before = code
        if figures.reference is None or not (bearing[code] or setups):
            continue
        groups: dict[Tried, list[float]] = defaultdict(list)
        for index in figures.passes:
            if code not in judged[index].taken.own:
                lap = judged[index].lap
                groups[tried_at(lap, bearing[code], setups)].append(
                    figures.losses_us[index] - levels.us(lap, code, float(figures.reference.time_us))
                )
        middles = {what: median(values) for what, values in groups.items() if len(values) >= settings.reference_passes}
        if len(groups) > 1:
            fastest = min(middles.values(), default=0.0)
            tried |= {(code, what): middles[what] - fastest if what in middles else None for what in groups}
    return replace(levels, bearing=bearing, setups=setups, tried=tried)


def _setups(parts: Mapping[str, PartFigures], judged: Sequence[JudgedLap], settings: Settings) -> frozenset[str]:
    """Setups of which enough laps tell, where there are two at least."""
    laps = {index for figures in parts.values() for index in figures.passes}
    driven = Counter(setup for index in laps if (setup := judged[index].lap.setup))
    known = frozenset(setup for setup, count in driven.items() if count >= settings.reference_passes)
    return known if len(known) > 1 else frozenset()


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
            index: loss + references[code] - levels.us(judged[index].lap, code, references[code])
            for index, loss in parts[code].losses_us.items()
        }
        for code in references
    }
    scale = Scale()
    codes = list(parts)
    for code, following in zip(codes, [*codes[1:], None], strict=True):
        if code not in references:
            continue
        spared = [
            index
            for index in sorted(parts[code].passes)
            if code not in judged[index].taken.own and levels.judges(judged[index].lap, code)
        ]
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
