"""Weather that changes within a session."""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

from fleet_rival.core.words import WETNESSES

__all__ = ["BadWeather", "Weather", "check_weather", "wetness_at"]


class BadWeather(ValueError):
    """Changes of weather that contradict each other; the message says where."""


@dataclass(frozen=True, slots=True)
class Weather:
    """From a moment of the session on, the track is as wet as this."""

    minute: float
    """Since the first lap of the session began."""
    wetness: str


def check_weather(changes: Sequence[Weather]) -> None:
    """Refuse changes that aren't in the order of time, or don't change anything.

    Raises:
        BadWeather: as a sentence's end.
    """
    for change in changes:
        if change.wetness not in WETNESSES:
            raise BadWeather(f"{change.wetness} is not one of {', '.join(WETNESSES)}")
        if not 0 <= change.minute <= 100_000:
            raise BadWeather("a change happens 0 minutes or more after the session began")
    for before, after in itertools.pairwise(changes):
        if after.minute <= before.minute:
            raise BadWeather(f"the change at minute {after.minute:g} comes before the one at minute {before.minute:g}")
        if after.wetness == before.wetness:
            raise BadWeather(f"at minute {after.minute:g} it is {after.wetness} already")


def wetness_at(changes: Sequence[Weather], seconds: float) -> str | None:
    """How wet it was so long after the session began; None before the first change that was noted.

    >>> wetness_at((Weather(0, "dry"), Weather(20, "damp")), 1300)
    'damp'
    """
    found = None
    for change in changes:
        if change.minute * 60 > seconds:
            break
        found = change.wetness
    return found
