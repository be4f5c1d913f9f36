"""Mistakes: slips of one kind at one corner, and whether they are more than chance and worth the work."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from statistics import fmean, median
from typing import Final

from scipy.special import bdtrc, betaincinv

from fleet_rival.core.corners.references import PartFigures
from fleet_rival.core.corners.slips import Slip
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.settings import Settings
from fleet_rival.core.times import MICROSECONDS
from fleet_rival.core.words import Sure

__all__ = ["Mistake", "jeffreys", "mistakes_of", "significant"]

_THIN_PASSES: Final = 12
"""Fewer passes hold one slip in four only by luck of the draw: their rate's interval is half as wide as all rates."""
_FIRM_PASSES: Final = 30
_FIRM_CHANCE: Final = 1e-4
"""A hundred times less likely by chance than what is told at all."""


@dataclass(frozen=True, slots=True)
class Mistake:
    """All slips of one kind at one corner.

    Attributes:
        rate, rate_low, rate_high: share of passes, with Jeffreys' interval of 90 %.
        mean_loss_us, knock_on_us: of the slips: over the reference, and over ordinary passes behind.
        cost_us: a lap: rate times what a slip costs in all; `cost_high_us` with the upper bound of the rate.
        chance: odds of so many by the driver's stray rate alone.
        recurring: more than chance, and worth the work.
    """

    corner: str
    kind: str
    slips: tuple[Slip, ...]
    passes: int
    runs: int
    rate: float
    rate_low: float
    rate_high: float
    mean_loss_us: float
    knock_on_us: float
    chance: float
    recurring: bool

    @property
    def cost_us(self) -> float:
        return self.rate * (self.mean_loss_us + self.knock_on_us)

    @property
    def cost_high_us(self) -> float:
        return self.rate_high * max(0.0, self.mean_loss_us + self.knock_on_us)

    @property
    def source(self) -> str:
        """What most of the slips' kinds rest on."""
        sources = [slip.source for slip in self.slips]
        return max(sorted(set(sources)), key=sources.count)

    @property
    def typical(self) -> Slip:
        """The slip whose loss is nearest to the mean; one with a cause where any has."""
        return min(self.slips, key=lambda slip: (slip.cause is None, abs(slip.loss_us - self.mean_loss_us)))

    def sure(self, figures: PartFigures | None) -> Sure:
        """How sure it is, by how much was driven and how odd it would be by chance.

        Args:
            figures: of its corner.
        """
        candidate = figures is not None and figures.reference is not None and figures.reference.candidate
        if candidate or not self.recurring or self.passes < _THIN_PASSES:
            return "thin"
        return "firm" if self.passes >= _FIRM_PASSES and self.chance < _FIRM_CHANCE else "likely"


def jeffreys(successes: int, tries: int, coverage: float = 0.9) -> tuple[float, float]:
    """Jeffreys' interval of a rate: equal tails of Beta(x + ½, n − x + ½), 0 and 1 where nothing or everything
    succeeded (Brown, Cai and DasGupta, 2001).

    >>> [round(end, 3) for end in jeffreys(3, 20)]
    [0.056, 0.314]
    >>> jeffreys(0, 20)[0]
    0.0
    """
    tail = (1 - coverage) / 2
    low = 0.0 if successes == 0 else float(betaincinv(successes + 0.5, tries - successes + 0.5, tail))
    high = 1.0 if successes == tries else float(betaincinv(successes + 0.5, tries - successes + 0.5, 1 - tail))
    return low, high


def significant(chances: Sequence[float], tests: int, rate: float) -> list[bool]:
    """Which of some tests stay below a rate of false discoveries (Benjamini and Hochberg, 1995).

    Args:
        chances: of those that have any; the others are 1.
        tests: all of them.

    >>> significant([0.001, 0.2, 0.012], tests=5, rate=0.05)
    [True, False, True]
    """
    ordered = sorted(chances)
    bound = max((chance for place, chance in enumerate(ordered, 1) if chance <= rate * place / tests), default=-1.0)
    return [chance <= bound for chance in chances]


def mistakes_of(
    slips: Sequence[Slip],
    passes: Mapping[str, int],
    judged: Sequence[JudgedLap],
    settings: Settings,
    corners: Sequence[str],
) -> list[Mistake]:
    """Slips grouped by corner and kind, the costliest first.

    Args:
        passes: through each part.
        corners: parts that may hold mistakes; the stray rate is read from them.
    """
    groups: dict[tuple[str, str], list[Slip]] = defaultdict(list)
    for slip in slips:
        groups[slip.cause_corner, slip.kind].append(slip)
    counted = [code for code in corners if passes.get(code, 0)]
    kinds = sorted({kind for _, kind in groups})
    rates = {(code, kind): len(groups.get((code, kind), ())) / passes[code] for code in counted for kind in kinds}
    told = []
    for (corner, kind), members in groups.items():
        tries = max(passes.get(corner, 0), len(members))
        others = [rates[code, kind] for code in counted if code != corner]
        stray = max(settings.stray_rate, median(others) if others else 0.0)
        chance = float(bdtrc(len(members) - 1, tries, stray))
        low, high = jeffreys(len(members), tries)
        runs = len({(judged[slip.lap].lap.session, judged[slip.lap].lap.run) for slip in members})
        loss, knock = fmean(slip.loss_us for slip in members), fmean(slip.knock_on_us for slip in members)
        told.append(
            Mistake(
                corner,
                kind,
                tuple(members),
                tries,
                runs,
                len(members) / tries,
                low,
                high,
                loss,
                knock,
                chance,
                recurring=False,
            )
        )
    real = significant([item.chance for item in told], max(1, len(counted) * len(kinds)), settings.false_discoveries)
    worth, surely = (MICROSECONDS * cost for cost in (settings.recurring_cost_s, settings.recurring_surely_s))
    out = [
        replace(
            item,
            recurring=more
            and len(item.slips) >= settings.recurring_slips
            and item.runs >= settings.recurring_runs
            and item.rate * item.mean_loss_us >= worth
            and item.rate_low * item.mean_loss_us >= surely,
        )
        for item, more in zip(told, real, strict=True)
    ]
    return sorted(out, key=lambda item: (-item.cost_us, item.corner, item.kind))
