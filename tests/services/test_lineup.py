"""Who drives which race, and the season ahead, in a team's hands."""

from datetime import UTC, date, datetime
from typing import Any
from uuid import UUID

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas as s
from fleet_rival.core.season.weeks import SeriesWeek
from fleet_rival.db.tables import Entry, Series
from fleet_rival.services.plan import lineup, outlook
from fleet_rival.services.shared import history
from fleet_rival.services.shared.errors import Outdated, Refused
from fleet_rival.services.week import entries, profiles, series
from tests.conftest import manager_of
from tests.filled import Filled
from tests.services.test_plan import EVENINGS, TUESDAY, Team

WITH_SATURDAYS = {**EVENINGS, "weekly": [*EVENINGS["weekly"], {"days": [5], "begins": "17:00", "ends": "21:30"}]}


def team_of(sessions: sessionmaker[Session]) -> Team:
    made = Team(sessions, manager_of(sessions))
    for driver in made.drivers.values():
        found = profiles.profile(sessions, made.actor, driver)
        profiles.change_profile(sessions, made.actor, driver, found.version, {"availability": WITH_SATURDAYS})
    return made


@pytest.fixture
def team(sessions: sessionmaker[Session], fill_once: Filled) -> Team:
    return fill_once(sessions, team_of)


def proposed(team: Team, **wish: Any) -> dict[str, Any]:
    told = lineup.propose(team.sessions, team.actor, clock=lambda: TUESDAY, **wish)
    s.LineupOut.model_validate(told)
    return told


def cells(told: dict[str, Any]) -> dict[str, Any]:
    return {row["driver"]: row["cells"][0] for row in told["rows"]}


def test_who_is_nearer_to_the_target_drives_where_there_is_one_place(team: Team) -> None:
    everybody = cells(proposed(team))
    assert {name for name, cell in everybody.items() if cell["chosen"]} >= {"Ysolde Farrand", "Corin Ashgrove"}
    with team.sessions() as session:
        key = session.scalars(select(Series.public_id).where(Series.team_id == team.actor.team_id)).one()
    told = cells(proposed(team, places={key: 1}))
    assert [name for name, cell in told.items() if cell["chosen"]] == ["Ysolde Farrand"]
    best = told["Ysolde Farrand"]
    assert "over qualifying and race" in best["because"] and "in recurring mistakes" in best["because"]
    assert best["margin"] > 0 and "with Corin Ashgrove instead" in best["words"]
    assert "as elsewhere" in told["Corin Ashgrove"]["because"] or "no lap anywhere" in told["Corin Ashgrove"]["because"]


def test_who_has_no_time_for_a_start_is_not_proposed(team: Team) -> None:
    found = profiles.profile(team.sessions, team.actor, team.drivers["Ysolde Farrand"])
    away = {**WITH_SATURDAYS, "off": [{"first": "2031-04-12", "last": "2031-04-12"}]}
    profiles.change_profile(team.sessions, team.actor, found.id, found.version, {"availability": away})
    told = cells(proposed(team))
    assert not told["Ysolde Farrand"]["chosen"] and told["Ysolde Farrand"]["points"] is None
    assert told["Ysolde Farrand"]["words"] == "No start fits their free time."


def entry_of(team: Team, driver: str) -> Any:
    with team.sessions() as session:
        rows = session.scalars(select(Entry).where(Entry.team_id == team.actor.team_id)).all()
        views = {row.public_id for row in rows}
    return next(entry for key in views if (entry := entries.entry(team.sessions, team.actor, key)).driver == driver)


def test_points_count_by_the_series_rule_and_teach_what_a_gap_is_worth(team: Team) -> None:
    assert "an opinion" in proposed(team)["rule"]
    entry = entry_of(team, "Ysolde Farrand")
    entries.change_entry(team.sessions, team.actor, entry.id, entry.version, {"points": 31.0})
    with team.sessions() as session:
        row = session.scalars(select(Series).where(Series.team_id == team.actor.team_id)).one()
    series.set_counting(team.sessions, team.actor, row.public_id, row.version, 1)
    with pytest.raises(Outdated):
        series.set_counting(team.sessions, team.actor, row.public_id, row.version, 2)
    told = proposed(team)
    assert "learned from 1 starts" in told["rule"]
    [standing] = [item for item in told["standings"] if item["series"] == "Harbour evenings"]
    assert standing["best_weeks"] == 1
    assert [(item["driver"], item["total"], item["weeks"][0]["dropped"]) for item in standing["drivers"]] == [
        ("Ysolde Farrand", 31.0, False)
    ]
    # A driver says nothing of points.
    driver = team.driver("Ysolde Farrand")
    with pytest.raises(Refused):
        entries.change_entry(team.sessions, driver, entry.id, entry.version + 1, {"points": 99.0})
    history.undo(team.sessions, team.actor)
    history.undo(team.sessions, team.actor)
    assert all(not item["drivers"] for item in proposed(team)["standings"])


def ahead(team: Team, actor: Any = None) -> dict[str, Any]:
    told = outlook.outlook(team.sessions, actor or team.actor, lambda: TUESDAY)
    s.OutlookOut.model_validate(told)
    return told


def test_the_season_ahead_says_what_is_known_and_when_to_begin(team: Team) -> None:
    told = ahead(team)
    [race] = told["steps"][0]["races"]
    assert race["missing"][0] == "1 of 2 don’t know the track"
    drivers = {item["driver"]: item["weeks"] for item in told["drivers"]}
    assert drivers["Corin Ashgrove"][0]["needed"] > drivers["Ysolde Farrand"][0]["needed"] > 0
    assert drivers["Corin Ashgrove"][0]["blocks"][0] == "walk the track"
    # Wednesday is half over, and there are three evenings and a Saturday of two and a half hours at most.
    assert 0 < drivers["Corin Ashgrove"][0]["there"] <= 10.0
    assert all(week["needed"] == 0 and week["words"] == "" for week in drivers["Corin Ashgrove"][1:])
    team.enter_in_a_later_week("Corin Ashgrove")
    found = profiles.profile(team.sessions, team.actor, team.drivers["Corin Ashgrove"])
    off = [{"first": "2031-04-15", "last": "2031-04-22"}]
    profiles.change_profile(
        team.sessions, team.actor, found.id, found.version, {"availability": {**EVENINGS, "off": off}}
    )
    later = {item["driver"]: item["weeks"] for item in ahead(team)["drivers"]}["Corin Ashgrove"][1]
    assert later["there"] == 0 and later["begin"] == 0 and "begin now" in later["words"]


def test_a_driver_looks_ahead_for_themselves(team: Team) -> None:
    told = ahead(team, team.driver("Corin Ashgrove"))
    assert [item["driver"] for item in told["drivers"]] == ["Corin Ashgrove"] and "Ysolde" not in str(told)
    assert told["steps"][0]["races"][0]["missing"][0] == "you don’t know the track yet"
    assert isinstance(told["drivers"][0]["driver_id"], UUID)
    assert told["steps"][0]["begins_at"] == datetime(2031, 4, 8, 22, tzinfo=UTC)


def test_a_whole_season_is_lined_up_however_far_away_its_weeks_are(team: Team) -> None:
    place = team.desk.track
    days = (date(2031, 6, 16), date(2031, 6, 23))
    facts = SeriesWeek(
        "Harbour evenings", 9, "UTC", *days, (team.desk.car.name,), place.name, place.layout, starts="2031-06-21T18:00Z"
    )
    series.add_week(team.sessions, team.actor, team.series, facts)
    assert [race["step"] for race in proposed(team)["races"]] == [0]
    told = proposed(team, whole_season=True)
    # Between two weeks of a series the next one counts. Nobody has driven for it, and everybody may.
    assert [race["step"] for race in told["races"]] == [0, 9]
    assert all(row["cells"][1]["chosen"] for row in told["rows"] if row["driver"] in team.drivers)
