"""For what a lap counts: one verdict, from its marks, for every place that chooses laps."""

from enum import IntFlag

from fleet_rival.core.laps.marks import JudgedLap

__all__ = ["Use", "uses"]


class Use(IntFlag):
    """What a lap may be used for; whole numbers, so that a database can hold and ask them."""

    BEST = 1
    """It may be the best lap."""
    IDEALS = 2
    """Its parts that aren't taken count for ideals."""
    PASSES = 4
    """Its parts are evidence of how the driver drives."""
    ELIGIBLE = 8
    """Nothing outside the driver's hands or intent speaks against it."""
    CLEAN = 16
    """It counts for consistency and pace, and is good to be compared with."""
    STANDS = 32
    """Nobody and no rule voids it: neither invalid nor struck, out and in laps among them."""


def uses(item: JudgedLap) -> Use:
    """For what a lap counts."""
    told = {
        Use.BEST: item.may_be_best,
        Use.IDEALS: item.parts_count,
        Use.PASSES: item.has_passes,
        Use.ELIGIBLE: item.eligible,
        Use.CLEAN: item.clean,
        Use.STANDS: item.stands,
    }
    found = Use(0)
    for use, holds in told.items():
        if holds:
            found |= use
    return found
