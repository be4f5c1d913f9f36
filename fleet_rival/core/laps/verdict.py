"""For what a lap counts: one verdict, from its marks, for every place that chooses laps.

What a place asks of a lap is a question here, by its name; nowhere else are marks looked at or gathered in sets.
"""

from enum import IntFlag
from typing import Final

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.words import GUEST, PART_FLAGS, Mark

__all__ = [
    "Use",
    "failed",
    "is_cold",
    "is_guests",
    "is_only",
    "is_slow_on_purpose",
    "is_spoiled",
    "race_goes_on",
    "tells_of_the_track",
    "uses",
    "was_among_others",
    "was_driven_through",
    "was_free",
]

_FAULTS: Final[frozenset[Mark]] = frozenset({"invalid", "incident", "spoiled"})
_NOT_THROUGH: Final[frozenset[Mark]] = frozenset({"invalid", "incident", "pit"})
_RACE_STANDS: Final[frozenset[Mark]] = frozenset({"yellow", "pit"})
_NOT_FREE: Final[frozenset[Mark]] = frozenset(
    {"tow", "traffic", "yellow", "pit", "in_part", "carried", "cool", "practice_only"}
)
_OTHERS: Final[frozenset[Mark]] = frozenset(PART_FLAGS)
_SAYS_NOTHING: Final[frozenset[Mark]] = frozenset(
    {"tow", "traffic", "yellow", "pit", "in_part", "incident", "invalid", "cool", "cold", "carried"}
)


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
    """For what a lap counts.

    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> from fleet_rival.core.laps.marks import judge
    >>> from fleet_rival.core.settings import Settings
    >>> _, cold, warm, *_ = judge(TRACK, LAPS, Settings())
    >>> Use.BEST in uses(cold), Use.CLEAN in uses(cold), Use.CLEAN in uses(warm)
    (True, False, True)
    """
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


def failed(item: JudgedLap) -> bool:
    """Whether the driver made something of it that doesn't count: void, an incident, or much slower than usual."""
    return bool(_FAULTS & item.marks.keys())


def was_driven_through(item: JudgedLap) -> bool:
    """Whether it was driven from line to line without a fault, at whatever pace."""
    return not _NOT_THROUGH & item.marks.keys()


def race_goes_on(item: JudgedLap) -> bool:
    """Whether a lap of a race was raced: neither under a yellow flag nor through the pit lane."""
    return not _RACE_STANDS & item.marks.keys()


def was_free(item: JudgedLap) -> bool:
    """Whether nothing but the driver, the car and its tyres made its time, counted along or not.

    >>> from fleet_rival.core.example import TRACK, lap
    >>> from fleet_rival.core.laps.marks import judge
    >>> from fleet_rival.core.settings import Settings
    >>> [was_free(item) for item in judge(TRACK, [lap(2), lap(3, flags=frozenset({"traffic"}))], Settings())]
    [True, False]
    """
    return not _NOT_FREE & item.against


def was_among_others(item: JudgedLap) -> bool:
    """Whether a tow, traffic or a yellow flag made the whole lap's time.

    >>> from fleet_rival.core.example import TRACK, lap
    >>> from fleet_rival.core.laps.marks import judge
    >>> from fleet_rival.core.settings import Settings
    >>> [was_among_others(item) for item in judge(TRACK, [lap(2), lap(3, flags=frozenset({"tow"}))], Settings())]
    [False, True]
    """
    return bool(_OTHERS & item.marks.keys())


def tells_of_the_track(item: JudgedLap) -> bool:
    """Whether its time says something of how fast the track is now; one that is spoiled may be just what tells that
    it rained.
    """
    return not _SAYS_NOTHING & item.against


def is_only(item: JudgedLap, mark: Mark) -> bool:
    """Whether this mark, and no other, keeps it from counting."""
    return set(item.marks) == {mark}


def is_cold(item: JudgedLap) -> bool:
    """Whether it was driven on tyres that weren't warm yet.

    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> from fleet_rival.core.laps.marks import judge
    >>> from fleet_rival.core.settings import Settings
    >>> [item.lap.number for item in judge(TRACK, LAPS, Settings()) if is_cold(item)]
    [2]
    """
    return "cold" in item.marks


def is_spoiled(item: JudgedLap) -> bool:
    """Whether it is much slower than the run's ordinary laps."""
    return "spoiled" in item.marks


def is_slow_on_purpose(lap: Lap) -> bool:
    """Whether its source says that it was driven to cool down.

    >>> from fleet_rival.core.example import lap
    >>> is_slow_on_purpose(lap(3)), is_slow_on_purpose(lap(3, kind="flying", flags=("cool",)))
    (False, True)
    """
    return "cool" in lap.flags


def is_guests(lap: Lap) -> bool:
    """Whether a guest drove it: for comparison only."""
    return GUEST in lap.flags
