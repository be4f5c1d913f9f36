"""What work on mistakes has brought so far, and what more of it will likely bring."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

from scipy.special import gammaincinv

from fleet_rival.core.corners.work import Judged

__all__ = ["Helped", "helped_of"]

_USUAL_LEFT: Final = 0.5
"""Work on a corner halves a mistake, where nothing is known yet."""
_USUAL_WEIGHT: Final = 6.0
"""That opinion weighs as much as six mistakes that would have been made: about one driver's work on one corner in a
week.
"""


@dataclass(frozen=True, slots=True)
class Helped:
    """What some work has brought, over everybody who did it.

    Attributes:
        given: how often it was given.
        judged: how often laps were driven before and after it.
        passed: how often it was passed.
        failed: passes with the mistake since.
        expected: how many there would have been at the rates from before.
        removed: the likely share of mistakes that it takes away, from 0 to 1.
        low, high: an interval that holds that share with 90 %.
    """

    given: int
    judged: int
    passed: int
    failed: int
    expected: float
    removed: float
    low: float
    high: float


def helped_of(worked: Iterable[Judged]) -> Helped:
    """What work has brought, from how each piece of it was judged.

    Mistakes since are counts; their mean is what was expected at the rate from before, times the share that is left.
    With a gamma distribution around the usual opinion (half is left) that share's distribution is a gamma distribution
    again (Gelman and others, Bayesian Data Analysis, 2.6): few laps leave the opinion as it is, many overrule it.

    Args:
        worked: each time that it was given; one without laps before counts as given only.
    """
    items = list(worked)
    known = [item for item in items if item.before and item.driven and item.failed_before]
    failed = sum(item.failed_since for item in known)
    expected = sum(item.failed_before / item.before * item.driven for item in known)
    shape, weight = _USUAL_LEFT * _USUAL_WEIGHT + failed, _USUAL_WEIGHT + expected
    left = [shape / weight, *(float(gammaincinv(shape, share)) / weight for share in (0.95, 0.05))]
    # Work that seems to make it worse is worth nothing, not less: nobody will go on with it.
    removed, low, high = (min(1.0, max(0.0, 1.0 - share)) for share in left)
    return Helped(len(items), len(known), sum(item.passed for item in items), failed, expected, removed, low, high)
