"""Why a block stands where it stands in a plan, or in none."""

from collections.abc import Sequence
from typing import Final

from fleet_rival.wording.clinic import seconds

__all__ = [
    "LEFT_OUT",
    "LOCKED",
    "NOT_WITH_LOCKED",
    "UNPROVEN",
    "brings_words",
    "counts_words",
    "dropped_words",
    "no_time_words",
]

LEFT_OUT: Final = {
    "no-room": "No free time before the race is long enough for it.",
    "needs": "What it needs first found no place.",
    "crowded": "Everything that stands there is worth more.",
}
"""Why a block that would help has no place."""
LOCKED: Final = "Somebody put it there: it stays."
NOT_WITH_LOCKED: Final = "It can't be placed together with what is locked."
UNPROVEN: Final = "Both plans are the best that were found in time, not proven to be the best there are."


def counts_words(gain_us: int) -> str:
    """
    Args:
        gain_us: of a block, microseconds a lap, weighted by how much its entry matters.
    """
    return f"It counts {seconds(gain_us)} in the plan, as this entry matters."


def no_time_words(minutes: int) -> str:
    """
    >>> no_time_words(25)
    'There is no free time of 25 minutes for it before its race.'
    """
    return f"There is no free time of {minutes} minutes for it before its race."


def brings_words(gained_us: int, out: Sequence[str]) -> str:
    """What a block brings to the plan, or would cost it.

    Args:
        gained_us: microseconds a lap that the best plan with it is worth more than the best one without it.
        out: blocks that stand in the plan without it alone.
    """
    names = "; ".join(out)
    if gained_us >= 0:
        instead = f", although {names} would fit then" if names else ""
        return f"With it the plan is worth {seconds(gained_us)} more than without it{instead}."
    return f"It would cost {seconds(-gained_us)} more than it brings: {names or 'better places'} would have to go."


def dropped_words(blocks: Sequence[str]) -> str:
    """
    >>> dropped_words(["review of Ysolde Farrand", "long run of Corin Ashgrove"])
    'Out would be: review of Ysolde Farrand; long run of Corin Ashgrove.'
    """
    return f"Out would be: {'; '.join(blocks)}."
