"""Words of the ledger: what each account is called and holds, and a driver's week in sentences."""

from collections.abc import Mapping
from typing import Final

from fleet_rival.core.times import MICROSECONDS, format_time
from fleet_rival.core.words import Account

__all__ = ["ACCOUNT_MEANING", "ACCOUNT_WORDS", "average_words", "lap_words"]

ACCOUNT_WORDS: Final[Mapping[Account, str]] = {
    "reference": "own good lap",
    "setup": "setup",
    "option": "option",
    "tyres": "tyres",
    "fuel": "fuel",
    "track": "track",
    "cold": "cold tyres",
    "traffic": "other cars",
    "slip": "mistakes",
    "carried": "after a mistake",
    "scatter": "scatter",
}
"""What each is called."""
ACCOUNT_MEANING: Final[Mapping[Account, str]] = {
    "reference": "the driver’s own good pass through each part, on fresh warm tyres, with the setup in force",
    "setup": "what the setup of the run costs in each part, against the one in force",
    "option": "what the way that was tried costs in its corner and behind it",
    "tyres": "falloff since the tyres were fresh and warm, where on the lap it shows",
    "fuel": "what fuel on board costs",
    "track": "how much slower the track was at that minute, by everybody’s laps",
    "cold": "what tyres cost that were not warm yet",
    "traffic": "laps and parts with a tow, traffic or a yellow flag",
    "slip": "mistakes: passes much slower than the ordinary ones, or reported",
    "carried": "what a mistake cost further on",
    "scatter": "what is left: ordinary passes against good ones",
}
"""What each holds."""
_LEAST_US: Final = 5_000
"""Less isn't worth a word: it would read 0.00 or 0.01 s."""


def _parts(accounts: Mapping[Account, int | None]) -> list[str]:
    """Accounts that are worth a word, the largest first."""
    told = [
        (value, ACCOUNT_WORDS[name])
        for name, value in accounts.items()
        if name != "reference" and value is not None and abs(value) >= _LEAST_US
    ]
    return [
        f"{'+' if value > 0 else '−'} {abs(value) / MICROSECONDS:.2f} {name}"
        for value, name in sorted(told, key=lambda item: -abs(item[0]))
    ]


def lap_words(time_us: int, accounts: Mapping[Account, int | None]) -> str:
    """A lap's account in a line: `1:06.653 = 1:06.056 own good lap + 0.36 mistakes + 0.13 scatter`."""
    reference = accounts["reference"] or 0
    return " ".join([f"{format_time(time_us)} =", f"{format_time(reference)} own good lap", *_parts(accounts)])


def average_words(laps: int, time_us: int, accounts: Mapping[Account, int | None]) -> str:
    """Where the time of an average lap is.

    Args:
        laps: behind the average.
        time_us, accounts: of the average lap.
    """
    count = "1 flying lap" if laps == 1 else f"{laps} flying laps"
    return f"On average over {count}: {lap_words(time_us, accounts)}."
