"""A driver's season on one page: figures by series, what recurred by week, and who may see it."""

from datetime import date, datetime, timedelta
from uuid import UUID

import pytest
from sqlalchemy import update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas as s
from fleet_rival.core.season.weeks import SeriesWeek
from fleet_rival.db.tables import Combination
from fleet_rival.services.log import lessons, results, season_book
from fleet_rival.services.shared.errors import NotThere
from fleet_rival.services.week import entries, series
from tests.filled import Filled
from tests.services.test_plan import RACE, Team, team_of
from tests.services.test_race import entry_of


@pytest.fixture
def team(sessions: sessionmaker[Session], fill_once: Filled) -> Team:
    return fill_once(sessions, team_of)


def another_week(team: Team, number: int, begins: date, rate: float, seed: int) -> UUID:
    """A week in which Ysolde drives, with a habit or without."""
    place = team.desk.track
    facts = SeriesWeek(
        "Harbour evenings",
        number,
        "UTC",
        begins,
        begins + timedelta(days=7),
        (team.desk.car.name,),
        place.name,
        place.layout,
    )
    key = series.add_week(team.sessions, team.actor, team.series, facts).id
    entries.enter(team.sessions, team.actor, [key], [team.desk.driver], "must")
    team.desk.drive(rate, seed, datetime.fromisoformat(f"{begins + timedelta(days=1)}T18:00+00:00"))
    return key


def test_a_season_by_weeks_with_what_was_closed(team: Team) -> None:
    second = another_week(team, 2, date(2031, 4, 14), 0.0, 41)
    with team.sessions.begin() as session:
        session.execute(update(Combination).values(target={"rule": "ideal", "time_us": None, "per_cent": 100.0}))
    results.add_result(team.sessions, team.actor, entry_of(team, "Ysolde Farrand"), {"starts_at": RACE, "points": 21.0})
    lessons.add_lesson(team.sessions, team.actor, {"text": "quiet hands", "driver_id": team.desk.driver})
    told = season_book.season_book(team.sessions, team.actor, team.desk.driver)
    s.SeasonBook.model_validate(told)
    assert [(week["number"], week["week_id"]) for week in told["weeks"]] == [(1, team.week), (2, second)]
    first, last = told["weeks"]
    assert first["points"] == 21.0 and last["points"] is None and first["spread_pct"] > last["spread_pct"] > 0
    assert first["gap_pct"] > 0 and 0 < first["clean_rate"] <= 1
    assert told["words"][0].startswith("Harbour evenings, 2 weeks: spread ")
    assert [item.text for item in told["lessons"]] == ["quiet hands"]

    found = season_book.season_mistakes(team.sessions, team.actor, team.desk.driver)
    s.SeasonMistakes.model_validate(found)
    braking = next(item for item in found["items"] if item["kind"] == "early-brake")
    assert (
        braking["costs_us"][0] > 0
        and braking["costs_us"][1] == 0
        and (braking["closed"], braking["state"]) == (1, "closed")
    )
    assert "Closed: braked too early." in found["words"]


def test_weeks_with_hardly_a_lap_tell_nothing_of_mistakes(team: Team) -> None:
    found = season_book.season_mistakes(team.sessions, team.actor, team.desk.other)
    assert found == {"words": [], "items": []}
    assert season_book.season_book(team.sessions, team.actor, team.desk.other)["weeks"] == []


def test_a_season_is_the_drivers_own(team: Team) -> None:
    own, other = team.driver("Ysolde Farrand"), team.driver("Corin Ashgrove")
    assert season_book.season_book(team.sessions, own, team.desk.driver)["driver"] == "Ysolde Farrand"
    for ask in (season_book.season_book, season_book.season_mistakes):
        with pytest.raises(NotThere):
            ask(team.sessions, other, team.desk.driver)
