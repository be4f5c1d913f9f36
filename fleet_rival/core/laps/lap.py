"""A lap as a value: the facts that a file, a driver or a manager stated."""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from datetime import datetime
from operator import attrgetter
from typing import Any, Final, NamedTuple

__all__ = [
    "LINE_END",
    "NO_EVIDENCE_PURPOSES",
    "Crossing",
    "Identity",
    "Incident",
    "Lap",
    "Pull",
    "lap_reference",
    "natural_key",
]

NO_EVIDENCE_PURPOSES: Final = frozenset({"learn", "experiment", "commentary"})
"""Runs driven to learn or to try: no evidence against a driver."""


class Identity(NamedTuple):
    """What makes a lap the same lap."""

    driver: str
    session: str
    run: int
    number: int


class Incident(NamedTuple):
    """A spin, contact or slide that somebody reported, and the corner."""

    what: str
    corner: str


LINE_END: Final = "line"
"""Key of the crossing at the end of a lap; the others go by the part that begins there."""


class Crossing(NamedTuple):
    """How a car came over a boundary, by its trace."""

    speed_kmh: float
    offset_m: float | None
    """From the centreline, left negative."""


class Pull(NamedTuple):
    """A stretch at full throttle, by its trace: the number of its first place, counted from the line in even steps,
    and the speed at each.
    """

    first: int
    speeds_kmh: tuple[float, ...]

    @property
    def last(self) -> int:
        return self.first + len(self.speeds_kmh) - 1

    def at(self, place: int) -> float:
        """Speed at a place of the stretch."""
        return self.speeds_kmh[place - self.first]


@dataclass(frozen=True, slots=True)
class Lap:
    """One lap of one driver. Times are microseconds; `None` is unknown."""

    driver: str
    number: int
    time_us: int
    session: str = "1"
    run: int | None = None
    """The run within the session; `None` until `identify` has told the runs apart."""
    car: str | None = None
    session_kind: str = "practice"
    session_local: datetime | None = None
    """Date and time of day inside the simulation when the session began, without a zone."""
    started_at: datetime | None = None
    kind: str = "flying"
    valid: bool = True
    strikes: tuple[str, ...] = ()
    incidents: tuple[Incident, ...] = ()
    flags: frozenset[str] = frozenset()
    company: str | None = None
    tyre_set: str | None = None
    compound: str | None = None
    tyre_age: float | None = None
    fuel_l: float | None = None
    energy_kwh: float | None = None
    track_temp_c: float | None = None
    air_temp_c: float | None = None
    wetness: str = "dry"
    purpose: str | None = None
    setup: str | None = None
    assists: str | None = None
    options: tuple[tuple[str, str], ...] = ()
    mistakes: tuple[tuple[str, str], ...] = ()
    note: str | None = None
    said: Mapping[str, bool] = field(default_factory=dict)
    """What people said of its marks afterwards, over facts and rules: mark to whether it stands."""
    plus_minus_us: int | None = None
    """How far a hand-timed lap may be from the truth, in 95 of 100; None: timed by a machine."""
    sectors: Mapping[str, int] = field(default_factory=dict)
    segments: Mapping[str, int] = field(default_factory=dict)
    pulls: Mapping[str, Pull] = field(default_factory=dict)
    """Where a trace is known: by segment the longest stretch at full throttle."""
    crossings: Mapping[str, Crossing] = field(default_factory=dict)
    """Where a trace is known: by the code of the part that begins at the boundary; `line` is the end of the lap."""

    def __reduce__(self) -> Any:
        # As its fields one after the other: what is remembered goes by keys of pickled laps, thousands at once.
        return Lap, _IN_ORDER(self)

    @property
    def identity(self) -> Identity:
        """Driver, session, run, lap. Runs must have been told apart before."""
        if self.run is None:
            raise ValueError("the lap's run isn't known yet")
        return Identity(self.driver, self.session, self.run, self.number)


def lap_reference(lap: Lap) -> dict[str, Any]:
    """Session, run and number: how a report names a lap.

    >>> from fleet_rival.core.example import lap
    >>> lap_reference(lap(3))
    {'session': '1', 'run': 1, 'lap': 3}
    """
    return {"session": lap.session, "run": lap.run, "lap": lap.number}


_IN_ORDER: Final = attrgetter(*(item.name for item in fields(Lap)))


def natural_key(label: str) -> tuple[tuple[int, int, str], ...]:
    """Sort key under which session `10` comes after session `9`.

    >>> sorted(["10", "9", "9b"], key=natural_key)
    ['9', '9b', '10']
    """
    return tuple(
        (0, int(piece), "") if piece.isdecimal() and piece.isascii() else (1, 0, piece)
        for piece in re.split(r"([0-9]+)", label)
        if piece
    )
