"""A week of a series: what is driven, where, when and under which rules."""

import re
from dataclasses import dataclass, fields
from datetime import date, datetime
from typing import Final

from fleet_rival.core.season.starts import Expanded, expand, read_starts
from fleet_rival.core.season.zones import day_begins, known_zone

__all__ = ["BadChangeable", "Changeable", "Compound", "SeriesWeek", "overlaps", "read_changeables", "write_changeables"]

_RACE_MINUTES_UNKNOWN: Final = 60.0
"""How long a race is taken to be where neither its minutes nor a lap time say."""


class BadChangeable(ValueError):
    """Text that names no setting of a car; the message is the reason."""


@dataclass(frozen=True, slots=True)
class Changeable:
    """A setting of the car that may be changed, with its range and default where those are known."""

    name: str
    default: float | None = None
    low: float | None = None
    high: float | None = None
    step: float | None = None
    unit: str | None = None


@dataclass(frozen=True, slots=True)
class Compound:
    """A tyre compound, and whether a race must use it."""

    name: str
    must: bool = False


@dataclass(frozen=True, slots=True)
class SeriesWeek:
    """One row of a season file. What is None isn't known."""

    series: str
    week: int
    zone: str
    begins: date
    """The column `from`: the day whose midnight in `zone` turns the series over to this week."""
    ends: date
    """The column `to`, exclusive."""
    cars: tuple[str, ...] = ()
    track: str | None = None
    layout: str | None = None
    race_laps: int | None = None
    race_minutes: float | None = None
    starts: str | None = None
    """As written: moments, or a rule."""
    start: str | None = None
    setup: str | None = None
    cautions: bool | None = None
    practice_minutes: float | None = None
    qualifying_minutes: float | None = None
    qualifying_laps: int | None = None
    fuel_rate: float | None = None
    tyre_rate: float | None = None
    compounds: tuple[Compound, ...] = ()
    stops_min: int | None = None
    damage: str | None = None
    repairs: str | None = None
    grid: int | None = None
    strike_limit: int | None = None
    incident_limit: int | None = None
    boost: str | None = None
    session_local: datetime | None = None
    """Date and time of day inside the simulation, without a zone."""
    air_temp_c: float | None = None
    track_temp_c: float | None = None
    wetness: str | None = None
    limits_rule: str | None = None
    note: str | None = None
    changeable: tuple[Changeable, ...] = ()
    """What may be changed in the car."""

    @property
    def window(self) -> tuple[datetime, datetime]:
        """The instants, in UTC, at which the week begins and ends."""
        zone = known_zone(self.zone)
        return day_begins(self.begins, zone), day_begins(self.ends, zone)

    @property
    def place(self) -> str:
        """Track and layout, as far as they are known; empty where neither is."""
        return ", ".join(filter(None, (self.track, self.layout)))

    def busy_minutes(self, lap_us: int | None = None) -> float:
        """How long a start keeps a driver busy: practice, qualifying and race, one after the other.

        Args:
            lap_us: how long a lap takes, for a race whose laps are given and not its minutes; an hour where it isn't
                known.

        >>> week = SeriesWeek("Cup", 1, "UTC", date(2031, 4, 7), date(2031, 4, 14), race_laps=20, practice_minutes=10)
        >>> week.busy_minutes(90_000_000)
        40.0
        """
        race = self.race_minutes
        if race is None:
            race = self.race_laps * lap_us / 60_000_000 if self.race_laps and lap_us else _RACE_MINUTES_UNKNOWN
        return (self.practice_minutes or 0.0) + (self.qualifying_minutes or 0.0) + race

    def expanded(self) -> Expanded:
        """The week's start times; none where nothing was said."""
        return expand(read_starts(self.starts), *self.window) if self.starts else Expanded((), ())

    def differences(self, other: "SeriesWeek") -> tuple[str, ...]:
        """Names of the fields in which another row of the same week says something else."""
        return tuple(field.name for field in fields(self) if getattr(self, field.name) != getattr(other, field.name))


def overlaps(first: SeriesWeek, second: SeriesWeek) -> bool:
    """Whether two weeks of one series share a day."""
    return first.begins < second.ends and second.begins < first.ends


_NUMBER = r"[+-]?[0-9]+(?:[.,][0-9]+)?"
_VALUES = re.compile(
    rf"(?P<default>{_NUMBER})?\s*(?P<unit>[^\s\[\]0-9=|.,+-][^\[\]=|]{{0,15}}?)?"
    rf"\s*(?:\[\s*(?P<low>{_NUMBER})\s*\.\.\s*(?P<high>{_NUMBER})(?:\s+by\s+(?P<step>{_NUMBER}))?\s*\])?"
)


def read_changeables(text: str) -> tuple[Changeable, ...]:
    """Read what may be changed in the car: `brake balance=56 % [50..60 by 0.5] | traction=3 [0..8] | ABS`.

    Raises:
        BadChangeable: a piece that can't be read, a range that is empty, or a default outside it.

    >>> [item.name for item in read_changeables("brake balance=56 % [50..60 by 0.5] | ABS")]
    ['brake balance', 'ABS']
    """
    out = []
    for piece in (part.strip() for part in text.split("|")):
        if not piece:
            continue
        name, sign, rest = piece.partition("=")
        if not sign:
            name, bracket, rest = piece.partition("[")
            rest = bracket + rest
        found = _VALUES.fullmatch(rest.strip())
        name = name.strip()
        if not name or found is None:
            raise BadChangeable(f"{piece} is not a setting such as brake balance=56 % [50..60 by 0.5]")
        default, low, high, step = (_number(found[key]) for key in ("default", "low", "high", "step"))
        if low is not None and high is not None and not low < high:
            raise BadChangeable(f"{name} has an empty range, {low:g} to {high:g}")
        if default is not None and low is not None and high is not None and not low <= default <= high:
            raise BadChangeable(f"{name} is {default:g} by default, outside of {low:g} to {high:g}")
        out.append(Changeable(name, default, low, high, step, (found["unit"] or "").strip() or None))
    names = [item.name.casefold() for item in out]
    if twice := next((name for name in names if names.count(name) > 1), None):
        raise BadChangeable(f"{twice} stands there twice")
    return tuple(out)


def write_changeables(items: tuple[Changeable, ...]) -> str:
    """The text that `read_changeables` reads back as the same.

    >>> write_changeables(read_changeables("brake balance=56 % [50..60 by 0.5] | ABS"))
    'brake balance=56 % [50..60 by 0.5] | ABS'
    """
    return " | ".join(_written(item) for item in items)


def _number(text: str | None) -> float | None:
    return None if text is None else float(text.replace(",", "."))


def _written(item: Changeable) -> str:
    values = "" if item.default is None else f"{item.default:.12g}"
    if item.unit:
        values += f" {item.unit}"
    text = f"{item.name}={values}" if values else item.name
    if item.low is not None and item.high is not None:
        text += f" [{item.low:.12g}..{item.high:.12g}" + ("" if item.step is None else f" by {item.step:.12g}") + "]"
    return text
