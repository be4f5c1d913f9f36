"""Parts that are judged together: a corner that is given up for a later one, and that one."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import ceil
from statistics import median
from typing import Final

from fleet_rival.core.corners.ordinary import ordinary_of
from fleet_rival.core.corners.references import PartFigures
from fleet_rival.core.corners.thresholds import Levels, Scale, Threshold, threshold_above
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.settings import Settings

__all__ = ["JoinedPass", "Together", "together_in"]

_LEAST: Final = 3
"""Passes, and below their share of all, that may be chance."""
_LEAST_SHARE: Final = 0.1


@dataclass(frozen=True, slots=True)
class JoinedPass:
    """A pass through parts that are judged together.

    Attributes:
        stretch: these parts, in the order of the lap.
        excess_us: over the ordinary one; `loss_us`: over the reference.
        slow: whether it is a slip.
        dearest: the part in which most was lost against the middle pass. Where time is given up now and then, what is
            ordinary of a part by itself tells which way it was driven, and not where time was lost.
    """

    stretch: tuple[str, ...]
    excess_us: float
    loss_us: float
    slow: bool
    dearest: str


@dataclass(frozen=True, slots=True)
class _Joined:
    """What is known of parts that are judged together: from when on all of them are slow, and the middle pass of
    each.
    """

    threshold: Threshold
    middle_us: Mapping[str, float]


class Together:
    """Passes of one driver through parts that are judged together.

    Args:
        parts: of the lap, with their passes.
        thresholds: of each part by itself.
        joined: by the codes of the parts.
    """

    def __init__(
        self,
        parts: Mapping[str, PartFigures],
        judged: Sequence[JudgedLap],
        levels: Levels,
        thresholds: Mapping[str, Threshold],
        joined: Mapping[tuple[str, ...], _Joined],
    ) -> None:
        self._parts, self._judged, self._levels, self._thresholds = parts, judged, levels, thresholds
        self._joined = joined
        self._stretches = {code: stretch for stretch in joined for code in stretch}

    def passed(self, lap: int, code: str) -> JoinedPass | None:
        """How a lap went through the parts that are judged together with one; None where it is judged by itself, or one
        of them isn't known.

        Args:
            lap: its position.
        """
        stretch = self._stretches.get(code)
        if stretch is None or not all(lap in self._parts[part].losses_us for part in stretch):
            return None
        references = {part: self._thresholds[part].reference_us for part in stretch}
        times = {part: self._parts[part].losses_us[lap] + references[part] for part in stretch}
        level = {part: self._levels.us(self._judged, lap, part, references[part]) for part in stretch}
        joined = self._joined[stretch]
        loss = sum(times.values()) - joined.threshold.reference_us
        excess = joined.threshold.excess(loss, sum(level.values()))
        dearest = max(stretch, key=lambda part: times[part] - level[part] - joined.middle_us[part])
        return JoinedPass(stretch, excess, loss, excess > joined.threshold.excess_us, dearest)


def together_in(
    stretches: Sequence[Sequence[str]],
    parts: Mapping[str, PartFigures],
    judged: Sequence[JudgedLap],
    levels: Levels,
    thresholds: Mapping[str, Threshold],
    settings: Settings,
) -> Together:
    """Which parts are judged together, and from when on a pass through all of them is a slip, from the sums of their
    times. Who gives nothing up in them is judged part by part, which finds more.

    Args:
        stretches: codes of parts, in the order of the lap.
        thresholds: of each part by itself; where one has none, parts are judged by themselves.
    """
    scale = Scale([item.ordinary.noise_us / item.reference_us for item in thresholds.values()])
    joined = {}
    for stretch in map(tuple, stretches):
        if len(stretch) < 2 or not all(code in thresholds for code in stretch):
            continue
        known = [
            index
            for index in sorted(frozenset.intersection(*(parts[code].passes for code in stretch)))
            if judged[index].taken.own.isdisjoint(stretch)
        ]
        usual = [index for index in known if not any((index, code) in levels.trials for code in stretch)]
        spared = usual if len(usual) >= settings.reference_passes else known
        times = {
            code: [
                parts[code].losses_us[index]
                + thresholds[code].reference_us
                - levels.us(judged, index, code, thresholds[code].reference_us)
                for index in spared
            ]
            for code in stretch
        }
        together = sorted(map(sum, zip(*times.values(), strict=True)))
        if not _gives_up(list(times.values()), settings) or (found := ordinary_of(together, settings)) is None:
            continue
        reference = median(together[: ceil(len(together) / 3)])
        middles = {code: median(values) for code, values in times.items()}
        joined[stretch] = _Joined(threshold_above(found, reference, scale, settings), middles)
    return Together(parts, judged, levels, thresholds, joined)


def _gives_up(times: Sequence[Sequence[float]], settings: Settings) -> bool:
    """Whether time is given up in one of the parts for those behind it, on some laps or on most of them.

    Args:
        times: of the same laps, in each part in the order of the lap, in microseconds.
    """
    for place, here in enumerate(times[:-1]):
        behind = list(map(sum, zip(*times[place + 1 :], strict=True)))
        if _pays(behind, here, settings) or _pays(here, behind, settings):
            return True
    return False


def _pays(won: Sequence[float], lost: Sequence[float], settings: Settings) -> bool:
    """Whether passes that are much faster than usual come again and again, and most of them pay half of it or more
    elsewhere.

    Args:
        won, lost: times of the same laps here and there, in microseconds.
    """
    # Turned round, what is much faster is what else would be much slower.
    usual = ordinary_of([-time for time in won], settings)
    if usual is None:
        return False
    gains = {index: -time - usual.centre_us for index, time in enumerate(won)}
    bound = settings.slip_deviations * usual.noise_us
    fast = [index for index, gain in gains.items() if gain > bound]
    if len(fast) < max(_LEAST, _LEAST_SHARE * len(won)) or len(fast) == len(won):
        return False
    elsewhere = median(time for index, time in enumerate(lost) if gains[index] <= bound)
    paid = [index for index in fast if lost[index] - elsewhere >= gains[index] / 2]
    return 2 * len(paid) > len(fast)
