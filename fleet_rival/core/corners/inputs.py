"""What the inputs of one pass say beside the reference, and how alike they usually are."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.corners.compare import Comparison
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import MAD_TO_SD

__all__ = ["EXPLAINS", "INPUT_PCT", "LEVEL_SPEED", "SURE", "Cause", "Pass", "Scatter", "scatter_of", "widened"]

SURE: Final = 3.0
"""Deviations of the driver's ordinary passes: one in 700 lies beyond by chance."""


EXPLAINS: Final = 0.6
"""Share of the lost energy that must have been lost from the cause on: more than half, and less than all, since
ordinary passes lose a little too.
"""


_BEGINS: Final = 0.15
"""The loss begins where this share of it is there: the first metres are noise."""


_FORESTALLS_M: Final = 70.0
"""Nobody brakes further ahead than this by mistake."""


LEVEL_SPEED: Final = 0.97
"""Within three per cent of the good pass a car is as fast."""


INPUT_PCT: Final = 12.0
"""Pedals that differ by less are the same foot."""


@dataclass(frozen=True, slots=True)
class Scatter:
    """How far ordinary passes lie about the good one: robust deviations."""

    brake_m: float
    pick_up_m: float
    slowest_kmh: float
    outward_m: float
    widest_m: float
    passes: int


@dataclass(frozen=True, slots=True)
class Cause:
    """What explains a loss.

    Attributes:
        kind: after the vocabulary of mistakes.
        at_m: where it begins.
        facts: what was measured against the good pass, by name; units are in the names.
    """

    kind: str
    at_m: float
    facts: Mapping[str, float] = field(default_factory=dict)


def scatter_of(comparison: Comparison, ordinary: NDArray[np.bool_]) -> Scatter:
    """Scatter of ordinary passes, never below what recorders resolve.

    Args:
        ordinary: which of the passes are, shape (passes,).
    """
    chosen = ordinary & comparison.usable

    def deviation(values: NDArray[np.float64], least: float) -> float:
        known = values[chosen & np.isfinite(values)]
        if len(known) < 4:
            return 2 * least
        return max(MAD_TO_SD * float(np.median(np.abs(known - np.median(known)))), least)

    # A metre and a half at 60 samples a second and 90 m/s; a km/h; a hand's breadth on the road.
    return Scatter(
        deviation(comparison.brake_shift_m, 0.7),
        deviation(comparison.pick_up_shift_m, 1.5),
        deviation(comparison.slowest_kmh, 0.8),
        deviation(comparison.outward_m, 0.25),
        deviation(comparison.widest_m, 0.25),
        int(chosen.sum()),
    )


class Pass:
    """One pass over the good one, with what every look asks for."""

    def __init__(
        self, comparison: Comparison, index: int, scatter: Scatter, settings: Settings, limiter_rpm: float | None
    ) -> None:
        self.comparison, self.index, self.scatter, self.settings, self.limiter_rpm = (
            comparison,
            index,
            scatter,
            settings,
            limiter_rpm,
        )
        self.marks, self.at = comparison.marks, comparison.at_m
        self.own = {name: values[index] for name, values in comparison.passes.items()}
        self.good = comparison.good
        self.stop = int(np.searchsorted(self.at, comparison.road.end_m))
        lost = comparison.lost[index].copy()
        lost[self.stop :] = 0.0
        # What was lost on the way here belongs to the corner before, unless it was lost by braking for this one.
        before = np.arange(len(lost)) <= self.marks.start
        if self.marks.brake is not None and self.has("brake_pct"):
            before &= ~(
                (self.own["brake_pct"] > settings.brake_on_pct) & (self.at >= self.at[self.marks.brake] - _FORESTALLS_M)
            )
        lost[before] = 0.0
        start = self.marks.start
        self.begins = self._begins(lost, before)
        lost[: self.begins] = 0.0
        self.lost = lost
        self.total = float(lost.sum())
        own, good = float(self.own["speed_kmh"][start]), float(self.good["speed_kmh"][start])
        self.arrives_kmh = own - good
        # Only what is clearly slower where the segment begins was slowed before.
        self.brought = max(0.0, (good**2 - own**2) / 2) if own < LEVEL_SPEED * good else 0.0

    def _begins(self, lost: NDArray[np.float64], before: NDArray[np.bool_]) -> int:
        """Where the longest climb of what is missing begins: what was brought along and came back meanwhile is none
        of it.
        """
        lack = (self.good["speed_kmh"] ** 2 - self.own["speed_kmh"] ** 2) / 2
        lack = np.where(before | (np.arange(len(lack)) >= self.stop), np.nan, lack)
        if not np.isfinite(lack).any():
            return self.stop
        climb = lack - np.fmin.accumulate(lack)
        worst = int(np.nanargmax(climb))
        if not climb[worst] > 0:
            return self.stop
        return int(np.flatnonzero(climb[: worst + 1] <= _BEGINS * climb[worst])[-1])

    def lost_from(self, at_m: float) -> float:
        """Share of the lost energy that was lost from a place on."""
        return self.lost_where(self.at >= at_m - self.comparison.step_m)

    def lost_where(self, mask: NDArray[np.bool_]) -> float:
        return float(self.lost[mask].sum()) / self.total if self.total else 0.0

    def has(self, *names: str) -> bool:
        """Whether channels are known throughout the segment, of this pass and of the good one."""
        inside = slice(self.marks.start, self.stop)
        return all(
            name in self.good and name in self.own and bool(np.isfinite(self.own[name][inside]).all()) for name in names
        )

    def more(self, name: str, least: float) -> NDArray[np.bool_]:
        return np.asarray(self.own[name] > self.good[name] + least)

    def less(self, name: str, least: float) -> NDArray[np.bool_]:
        return np.asarray(self.own[name] < self.good[name] - least)

    def brakes_for_the_next(self) -> bool:
        """Whether most was lost with the brakes on towards the segment's end, where the good pass isn't braking yet."""
        if not self.has("brake_pct"):
            return False
        on = self.settings.brake_on_pct
        soon = (
            (self.own["brake_pct"] > on)
            & (self.good["brake_pct"] <= on)
            & (self.at >= self.at[self.stop - 1] - _FORESTALLS_M)
        )
        return self.marks.leaves < self.begins and self.lost_where(widened(soon, 1)) >= EXPLAINS

    def begun_here(self, mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """The mask without what was under way already where the segment begins: that was begun in the corner before."""
        out = mask.copy()
        place = self.marks.start
        while place < len(out) and out[place]:
            out[place] = False
            place += 1
        out[: self.marks.start] = False
        return out

    def braked_on(self) -> NDArray[np.bool_]:
        """Where the brake is held though the car is slower than the good pass already, up to where that one leaves
        its slowest place.
        """
        if not self.has("brake_pct"):
            return np.zeros(len(self.at), dtype=bool)
        held = (
            (self.own["brake_pct"] > self.settings.brake_on_pct)
            & self.more("brake_pct", 0.0)
            & self.less("speed_kmh", 0.0)
        )
        return np.asarray(held & (np.arange(len(self.at)) <= self.marks.leaves + 1))

    def soon_after(self, place: int) -> bool:
        """Whether the loss begins no more than a second and a half behind a place: so long does a car take to
        settle.
        """
        begins = self.at[min(self.begins, len(self.at) - 1)]
        return bool(-10.0 <= begins - self.at[place] <= max(10.0, 1.5 * self.own["speed_kmh"][place] / 3.6))

    def away(self, places: NDArray[np.intp], within_m: float) -> bool:
        """Whether the first of the places lies no further than this behind where the loss begins."""
        return bool(len(places)) and self.at[places[0]] <= self.at[min(self.begins, len(self.at) - 1)] + within_m


def widened(mask: NDArray[np.bool_], points: int) -> NDArray[np.bool_]:
    """The mask with so many points on either side: speed follows the foot by a moment.

    >>> widened(np.array([False, True, False, False]), 1).tolist()
    [True, True, True, False]
    """
    out = mask.copy()
    for by in range(1, points + 1):
        out[by:] |= mask[:-by]
        out[:-by] |= mask[by:]
    return out
