"""A team with a track, a series and two drivers, for tests of what a week is made of."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

import orjson
import pytest
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.season.weeks import SeriesWeek
from fleet_rival.formats.tracks import read_track
from fleet_rival.services.board import board
from fleet_rival.services.drive import files, importing
from fleet_rival.services.drive.importing import Wishes
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import tracks as track
from fleet_rival.services.week import combinations, profiles, series
from fleet_rival.services.week.series import WeekView
from tests.conftest import example, manager_of

TRACK = example("dirty/practice.track.json")
MONDAY = date(2031, 4, 7)
NOON = datetime(2031, 4, 9, 12, 0, tzinfo=UTC)


@dataclass
class Season:
    """The team's desk."""

    sessions: sessionmaker[Session]
    actor: Actor
    series_id: UUID
    track: str
    layout: str
    drivers: dict[str, UUID]

    def facts(self, number: int, **changes: Any) -> SeriesWeek:
        begins = MONDAY + timedelta(weeks=number - 1)
        made = SeriesWeek(
            "Cup",
            number,
            "UTC",
            begins,
            begins + timedelta(weeks=1),
            ("Truck A",),
            self.track,
            self.layout,
            race_minutes=30.0,
            starts="at 18:00 20:00",
            wetness="dry",
        )
        return replace(made, **changes)

    def week(self, number: int, **changes: Any) -> WeekView:
        return series.add_week(self.sessions, self.actor, self.series_id, self.facts(number, **changes))

    def other_series(self, name: str, number: int, **changes: Any) -> WeekView:
        made = series.add_series(self.sessions, self.actor, name)
        return series.add_week(self.sessions, self.actor, made.id, self.facts(number, **changes))

    def combination(self, car: str = "Truck A") -> UUID:
        return next(item.id for item in combinations.combinations(self.sessions, self.actor) if item.car == car)

    def drive(
        self, driver: str, moment: datetime, times: Sequence[float], car: str = "Truck A", **columns: Any
    ) -> None:
        """Laps of a driver, one after the other, from a file."""
        names = ["driver", "session", "run", "lap", "time", "kind", "started_at", *columns]
        rows, label = [], f"{moment:%d %H:%M}"
        for number, seconds in enumerate(times, 1):
            kind = "out" if number == 1 else "flying"
            rows.append(
                [
                    driver,
                    label,
                    1,
                    number,
                    f"{seconds:.3f}",
                    kind,
                    moment.strftime("%Y-%m-%dT%H:%M:%SZ"),
                    *columns.values(),
                ]
            )
            moment += timedelta(seconds=seconds)
        content = "\n".join(",".join(map(str, row)) for row in [names, *rows]).encode()
        combination = self.combination(car)
        seen = combinations.combination(self.sessions, self.actor, combination)
        file_id = files.upload(self.sessions, self.actor, combination, "x.csv", content)
        importing.confirm(self.sessions, self.actor, file_id, Wishes(seen.revision))

    def board(self, day: date | None = None, now: datetime = NOON, actor: Actor | None = None) -> Any:
        return orjson.loads(board(self.sessions, actor or self.actor, day, ZoneInfo("UTC"), lambda: now).body)

    def cell(self, driver: str, shown: Any, column: int = 0) -> Any:
        return next(row for row in shown["drivers"] if row["name"] == driver)["cells"][column]


@pytest.fixture
def season(sessions: sessionmaker[Session]) -> Season:
    return filled_season(sessions)


def filled_season(sessions: sessionmaker[Session]) -> Season:
    actor = manager_of(sessions)
    track.add_track(sessions, actor, TRACK)
    place = read_track(TRACK)
    cup = series.add_series(sessions, actor, "Cup")
    drivers = {name: profiles.add_driver(sessions, actor, name).id for name in ("Corin Ashgrove", "Ysolde Farrand")}
    return Season(sessions, actor, cup.id, place.name, place.layout, drivers)
