"""What was learned: written down, confirmed, found again, and back when its track, car or series is."""

from typing import Any
from uuid import UUID, uuid4

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas as s
from fleet_rival.db.tables import Car, Entry, Layout, Series
from fleet_rival.services.log import lessons
from fleet_rival.services.race import sheet
from fleet_rival.services.shared import history
from fleet_rival.services.shared.errors import Conflict, NotThere, Outdated, Refused
from fleet_rival.services.week import entries, series
from tests.filled import Filled
from tests.services.test_plan import TUESDAY, Team, team_of


@pytest.fixture
def team(sessions: sessionmaker[Session], fill_once: Filled) -> Team:
    return fill_once(sessions, team_of)


def key_of(team: Team, table: Any) -> UUID:
    with team.sessions() as session:
        found: UUID = session.scalars(select(table.public_id).where(table.team_id == team.actor.team_id)).first()
    return found


def texts(items: list[lessons.LessonView]) -> list[str]:
    s.LessonList.model_validate({"items": items}, from_attributes=True)
    return [item.text for item in items]


def test_lessons_come_back_where_all_that_they_are_tied_to_does(team: Team) -> None:
    layout, car, of = (key_of(team, table) for table in (Layout, Car, Series))
    driver = team.drivers["Corin Ashgrove"]
    told: list[tuple[str, dict[str, Any]]] = [
        ("brake earlier on cold tyres", {"layout_id": layout, "corner": "T3", "condition": "cold_tyres"}),
        ("the car pushes when full", {"car_id": car}),
        ("both together", {"layout_id": layout, "car_id": car}),
        ("attackers fade after ten laps", {"series_id": of}),
        ("talks too much", {"driver_id": driver}),
    ]
    for words, ties in told:
        lessons.add_lesson(team.sessions, team.actor, {"text": words, **ties})
    back = texts(lessons.lessons_of_week(team.sessions, team.actor, team.week))
    # Of a driver alone comes back with the driver, not with a week.
    assert set(back) == {words for words, _ in told[:4]}
    with pytest.raises(NotThere):
        lessons.lessons_of_week(team.sessions, team.actor, uuid4())
    assert texts(lessons.lessons(team.sessions, team.actor, car_id=car)) == [
        "both together",
        "the car pushes when full",
    ]
    with team.sessions() as session:
        keys = list(session.scalars(select(Entry.public_id).where(Entry.team_id == team.actor.team_id)))
    entries.remove_entries(team.sessions, team.actor, keys)
    with pytest.raises(Conflict, match="learned"):
        series.remove_series(team.sessions, team.actor, of)


def test_words_are_found_whatever_their_case_and_order(team: Team) -> None:
    layout = key_of(team, Layout)
    for words in ("Braking six metres earlier held for all starts", "Übersteuert im Regen", "T3: no grip off line"):
        lessons.add_lesson(team.sessions, team.actor, {"text": words, "layout_id": layout})
    assert texts(lessons.lessons(team.sessions, team.actor, "earl brak")) == [
        "Braking six metres earlier held for all starts"
    ]
    assert texts(lessons.lessons(team.sessions, team.actor, "ubersteuert")) == ["Übersteuert im Regen"]
    assert texts(lessons.lessons(team.sessions, team.actor, "T3 grip")) == ["T3: no grip off line"]
    assert texts(lessons.lessons(team.sessions, team.actor, 'grip +"(*')) == ["T3: no grip off line"]
    assert texts(lessons.lessons(team.sessions, team.actor, "nothing")) == []


def test_a_driver_proposes_and_who_leads_confirms(team: Team) -> None:
    layout = key_of(team, Layout)
    driver, other = team.driver("Ysolde Farrand"), team.driver("Corin Ashgrove")
    made = lessons.add_lesson(
        team.sessions,
        driver,
        {"text": "later turn-in at T3", "layout_id": layout, "driver_id": team.drivers["Ysolde Farrand"]},
    )
    assert (
        lessons.lessons_of_week(team.sessions, team.actor, team.week) == []
        and texts(lessons.lessons(team.sessions, other)) == []
    )
    [mine] = lessons.lessons(team.sessions, driver)
    assert mine.own and mine.confirmed_by is None
    lessons.change_lesson(
        team.sessions, driver, made, mine.version, {"text": "later turn-in", "layout_id": layout, "corner": "T3"}
    )
    with pytest.raises(Outdated):
        lessons.confirm_lesson(team.sessions, team.actor, made, mine.version)
    lessons.confirm_lesson(team.sessions, team.actor, made, mine.version + 1)
    assert (
        texts(lessons.lessons_of_week(team.sessions, driver, team.week))
        == ["later turn-in"]
        == texts(lessons.lessons(team.sessions, other))
    )
    # What stands is no longer the writer's alone.
    with pytest.raises(NotThere):
        lessons.remove_lesson(team.sessions, driver, made, mine.version + 2)
    lessons.remove_lesson(team.sessions, team.actor, made, mine.version + 2)
    assert lessons.lessons(team.sessions, team.actor) == []
    history.undo(team.sessions, team.actor)
    assert texts(lessons.lessons(team.sessions, team.actor)) == ["later turn-in"]


def test_what_cannot_be_is_said(team: Team) -> None:
    layout = key_of(team, Layout)
    for values, words in (
        ({"text": "  ", "layout_id": layout}, "1 to 500"),
        ({"text": "x"}, "where it holds"),
        ({"text": "x", "layout_id": layout, "corner": "T99"}, "no such corner"),
        ({"text": "x", "car_id": key_of(team, Car), "corner": "T3"}, "no such corner"),
        ({"text": "x", "layout_id": layout, "condition": "snow"}, "no condition"),
    ):
        with pytest.raises(Refused, match=words):
            lessons.add_lesson(team.sessions, team.actor, values)
    with pytest.raises(Refused, match="theirs to say"):
        lessons.add_lesson(
            team.sessions, team.driver("Ysolde Farrand"), {"text": "x", "driver_id": team.drivers["Corin Ashgrove"]}
        )


def test_a_race_sheet_goes_with_its_entry_and_comes_back_with_it(team: Team) -> None:
    entry = team.ready()["Ysolde Farrand"]["entry_id"]
    sheet.hand_out(team.sessions, team.actor, entry, lambda: TUESDAY)
    entries.remove_entries(team.sessions, team.actor, [entry])
    history.undo(team.sessions, team.actor)
    assert sheet.sheet(team.sessions, team.actor, entry, lambda: TUESDAY).number == 1
