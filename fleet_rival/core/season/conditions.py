"""Whether laps were practised in the conditions in which the race is driven."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Final

from fleet_rival.core.settings import Settings

__all__ = ["Conditions", "Difference", "differences", "like"]

_DAY_MINUTES: Final = 24 * 60


@dataclass(frozen=True, slots=True)
class Conditions:
    """Conditions in a session or a race. What is None isn't known."""

    session_local: datetime | None = None
    """Date and time of day inside the simulation."""
    air_temp_c: float | None = None
    track_temp_c: float | None = None
    wetness: str | None = None


@dataclass(frozen=True, slots=True)
class Difference:
    """One way in which practice differs from the race."""

    what: str
    """`time_of_day` (minutes after midnight), `air_temp_c`, `track_temp_c` or `wetness`."""
    practised: float | str
    race: float | str
    by: float | None
    """How far apart, in minutes or degrees; None for the weather."""
    matters: bool
    """Whether it is more than the setting allows."""


def differences(practised: Conditions, race: Conditions, settings: Settings) -> tuple[Difference, ...]:
    """What differs, of that which both sides know. The clock is a circle: 23:30 and 00:30 are an hour apart.

    Args:
        settings: `condition_minutes`, `condition_air_c` and `condition_track_c` say from where on a difference matters.

    >>> found = differences(Conditions(wetness="dry"), Conditions(wetness="wet"), Settings())
    >>> [(item.what, item.matters) for item in found]
    [('wetness', True)]
    """
    out = []
    if practised.wetness and race.wetness and practised.wetness != race.wetness:
        out.append(Difference("wetness", practised.wetness, race.wetness, None, matters=True))
    if practised.session_local and race.session_local:
        there, here = _minutes(practised.session_local), _minutes(race.session_local)
        apart = abs(there - here)
        apart = min(apart, _DAY_MINUTES - apart)
        if apart:
            out.append(Difference("time_of_day", there, here, apart, matters=apart > settings.condition_minutes))
    pairs: Sequence[tuple[str, float | None, float | None, float]] = (
        ("track_temp_c", practised.track_temp_c, race.track_temp_c, settings.condition_track_c),
        ("air_temp_c", practised.air_temp_c, race.air_temp_c, settings.condition_air_c),
    )
    for what, had, wanted, allowed in pairs:
        if had is not None and wanted is not None and had != wanted:
            out.append(Difference(what, had, wanted, abs(had - wanted), matters=abs(had - wanted) > allowed))
    return tuple(out)


def like(practised: Conditions, race: Conditions, settings: Settings) -> bool:
    """Whether nothing that is known differs by more than the settings allow."""
    return not any(item.matters for item in differences(practised, race, settings))


def _minutes(moment: datetime) -> int:
    return moment.hour * 60 + moment.minute
