"""When a mistake happens, and whether it is getting better."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import comb, erfc, sqrt

from fleet_rival.core.corners.recurring import Mistake, jeffreys
from fleet_rival.core.corners.slips import Slip
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.settings import Settings
from fleet_rival.core.times import MICROSECONDS

__all__ = ["RunRate", "Share", "Trend", "When", "trend_of", "when_of"]

_EARLY_LAPS = 3
_FEW = 0.05
"""Odds below which a circumstance or a trend is told: one in twenty."""
_CROWDED = ("behind", "pack")


@dataclass(frozen=True, slots=True)
class Share:
    """How often of some passes, and how often of all others."""

    slips: int
    passes: int
    other_slips: int
    other_passes: int
    chance: float
    """Odds of a difference like this, or a larger one, where there is none (Fisher's exact test, one side); 1 where
    nothing can be compared.
    """

    @property
    def rate(self) -> float | None:
        return self.slips / self.passes if self.passes else None

    @property
    def clear(self) -> bool:
        """Whether it is worth telling."""
        return self.chance < _FEW and self.slips > 0


@dataclass(frozen=True, slots=True)
class When:
    """Under which circumstances a mistake is more frequent.

    Attributes:
        early, late: in the first laps behind the pits, and in the last third of runs.
        after_slip: on laps on which something had gone wrong before, or on the lap before.
        in_traffic: with others close ahead.
    """

    early: Share
    late: Share
    after_slip: Share
    in_traffic: Share


@dataclass(frozen=True, slots=True)
class RunRate:
    """A run's passes and slips."""

    session: str
    run: int | None
    passes: int
    slips: int


@dataclass(frozen=True, slots=True)
class Trend:
    """How a mistake went from run to run.

    Attributes:
        runs: in the order of driving; those with a pass through the corner.
        chance: two-sided odds of a trend like this without any (Cochran and Armitage, 1955); None with fewer than three
            runs.
        falls: the rate goes down rather than up.
        closed: over the last runs the upper bound of what it costs is below what is worth any work.
        returned: it was closed before its last slips.
    """

    runs: tuple[RunRate, ...]
    chance: float | None
    falls: bool
    closed: bool
    returned: bool

    @property
    def clear(self) -> bool:
        """Whether it went one way."""
        return self.chance is not None and self.chance < _FEW


def when_of(mistake: Mistake, passes: Sequence[int], slips: Sequence[Slip], judged: Sequence[JudgedLap]) -> When:
    """Circumstances of a mistake.

    Args:
        passes: positions of the laps whose way through the corner is a pass.
        slips: all of the driver's slips in the group.
    """
    own = {slip.lap for slip in mistake.slips}
    first: dict[tuple[str, int | None], int] = {}
    last: dict[tuple[str, int | None], int] = {}
    for item in judged:
        key = (item.lap.session, item.lap.run)
        first[key] = min(first.get(key, item.lap.number), item.lap.number)
        last[key] = max(last.get(key, item.lap.number), item.lap.number)
    disturbed = {slip.lap for slip in slips if slip not in mistake.slips}
    after = {
        index for index in passes if index in disturbed or any(judged[lap].next_lap == index for lap in disturbed | own)
    }

    def place(index: int) -> tuple[int, int]:
        lap = judged[index].lap
        key = (lap.session, lap.run)
        return lap.number - first[key], last[key] - first[key]

    early = {index for index in passes if place(index)[0] <= _EARLY_LAPS}
    late = {
        index for index in passes if place(index)[1] >= 2 * _EARLY_LAPS and place(index)[0] > 2 / 3 * place(index)[1]
    }
    crowded = {index for index in passes if judged[index].lap.company in _CROWDED}
    return When(*(_share(chosen, set(passes), own) for chosen in (early, late, after, crowded)))


def _share(chosen: set[int], passes: set[int], slips: set[int]) -> Share:
    others = passes - chosen
    counts = (len(slips & chosen), len(chosen), len(slips & others), len(others))
    return Share(*counts, _fisher(*counts) if chosen and others else 1.0)


def _fisher(slips: int, passes: int, other_slips: int, other_passes: int) -> float:
    """One-sided exact test that the first rate is higher: tail of the hypergeometric distribution."""
    whole, marked = passes + other_passes, slips + other_slips

    ways = sum(comb(passes, k) * comb(other_passes, marked - k) for k in range(slips, min(passes, marked) + 1))
    return ways / comb(whole, marked)


def trend_of(mistake: Mistake, passes: Sequence[int], judged: Sequence[JudgedLap], settings: Settings) -> Trend:
    """A mistake from run to run.

    Args:
        passes: positions of the laps whose way through the corner is a pass.
    """
    runs: dict[tuple[str, int | None], list[int]] = {}
    for index in sorted(passes):
        runs.setdefault((judged[index].lap.session, judged[index].lap.run), [0, 0])[0] += 1
    for slip in mistake.slips:
        key = (judged[slip.lap].lap.session, judged[slip.lap].lap.run)
        counted = runs.setdefault(key, [0, 0])
        counted[1] += 1
        counted[0] = max(counted)
    rates = tuple(RunRate(*key, *counted) for key, counted in runs.items())
    worth = max(0.0, mistake.mean_loss_us + mistake.knock_on_us)
    closed = _closed(rates, worth, settings)
    returned = not closed and any(_closed(rates[:end], worth, settings) for end in range(2, len(rates)))
    chance, falls = _cochran_armitage(rates)
    return Trend(rates, chance, falls, closed, returned)


def _closed(rates: Sequence[RunRate], worth_us: float, settings: Settings) -> bool:
    """Whether over the last runs, two at least, the upper bound of the cost is next to nothing."""
    passes = slips = 0
    for count, rate in enumerate(reversed(rates), 1):
        passes, slips = passes + rate.passes, slips + rate.slips
        if (
            count >= settings.recurring_runs
            and jeffreys(slips, passes)[1] * worth_us < settings.recurring_cost_s * MICROSECONDS
        ):
            return True
    return False


def _cochran_armitage(rates: Sequence[RunRate]) -> tuple[float | None, bool]:
    whole, hits = sum(rate.passes for rate in rates), sum(rate.slips for rate in rates)
    if len(rates) < 3 or not 0 < hits < whole:
        return None, False
    share = hits / whole
    middle = sum(place * rate.passes for place, rate in enumerate(rates)) / whole
    score = sum((place - middle) * (rate.slips - share * rate.passes) for place, rate in enumerate(rates))
    variance = share * (1 - share) * sum(rate.passes * (place - middle) ** 2 for place, rate in enumerate(rates))
    z = score / sqrt(variance) if variance > 0 else 0.0
    return erfc(abs(z) / sqrt(2)), z < 0
