"""What a race sheet can't say yet, and what would tell it."""

from collections.abc import Sequence
from typing import Final

__all__ = ["MISSING", "incidents_missing", "long_run_missing", "references_missing", "tyres_missing"]

MISSING: Final = {
    "laps": "laps: none has been driven for this week",
    "race_laps": "laps of the race: no lap at pace tells how many there are",
    "qualifying": "qualifying: fewer than eight clean laps in this weather",
    "own_race": "the race from own laps: fewer than ten laps tell",
    "fuel": "fuel or energy: fewer than three laps say what they used",
    "pit": "pit practice: fewer than two in laps and two out laps tell what the lane costs",
    "passing": "passing places: none stands in the track book",
    "track": "the track: it isn’t in the book yet",
}
"""Part of the sheet to why it is empty, where no figure is in the sentence."""


def tyres_missing(laps: int) -> str:
    """
    Args:
        laps: clean ones that tell a compound's pace.
    """
    return f"tyres: no compound has {laps} clean laps in the race's weather"


def incidents_missing(what: str) -> str:
    """
    Args:
        what: strikes or incidents, as the sheet calls them.
    """
    return f"{what}: fewer than eight laps tell how often there are any"


def long_run_missing(longest: int, stint: int) -> str:
    """
    >>> long_run_missing(1, 14)
    'long run: the longest has 1 clean lap, the first stint 14'
    """
    return f"long run: the longest has {longest} clean {'lap' if longest == 1 else 'laps'}, the first stint {stint}"


def references_missing(corners: Sequence[str], most: int) -> str:
    """
    >>> references_missing(["T1", "T2", "T5"], 2)
    'references: nothing confirmed to brake by at T1, T2 and 1 more'
    """
    more = f" and {len(corners) - most} more" if len(corners) > most else ""
    return f"references: nothing confirmed to brake by at {', '.join(corners[:most])}{more}"
