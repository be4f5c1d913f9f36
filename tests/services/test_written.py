"""The search over everything that people wrote: found by its words wherever it stands, by filters, and never past
what is one's own.
"""

from typing import Any

import pytest
from sqlalchemy import insert, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas as s
from fleet_rival.core.words import WRITTEN_KINDS
from fleet_rival.db.tables import (
    Assignment,
    Car,
    Combination,
    CorrectionRow,
    Driver,
    Entry,
    Exercise,
    Lap,
    Layout,
    LayoutCorner,
    Lesson,
    OpenQuestion,
    RaceResult,
    ReferenceRow,
    Remark,
    Run,
    Series,
    SeriesWeekRow,
    Setup,
    SetupVersion,
)
from fleet_rival.services.log.written import written
from fleet_rival.services.people.team import make_team
from fleet_rival.services.shared.base import Actor
from tests.conftest import manager_of
from tests.filled import Filled
from tests.services.test_plan import TUESDAY, Team

WORD = "Sumpfdotterblume"


def team_of(sessions: sessionmaker[Session]) -> Team:
    """Ysolde's laps and everything else that can be written of, each with the same word in it."""
    made = Team(sessions, manager_of(sessions))
    plain = sessionmaker(sessions.kw["bind"])
    with plain.begin() as session:
        mine = made.actor.team_id
        driver = session.scalars(select(Driver).where(Driver.name == "Ysolde Farrand")).one()
        lap = session.scalars(select(Lap).where(Lap.driver_id == driver.id)).first()
        assert lap is not None
        combination = session.get_one(Combination, lap.combination_id)
        layout, car = session.get_one(Layout, combination.layout_id), session.get_one(Car, combination.car_id)
        corner = session.scalars(
            select(LayoutCorner).where(LayoutCorner.layout_id == layout.id, LayoutCorner.code == "T3")
        ).one()
        entry = session.scalars(select(Entry).where(Entry.driver_id == driver.id)).first()
        assert entry is not None
        lap.note = combination.note = car.note = layout.pit_exit_note = f"{WORD} by the road"
        session.scalars(select(Series)).first().note = session.get_one(SeriesWeekRow, entry.week_id).note = WORD  # type: ignore[union-attr]
        entry.race = {"remember": f"mind the {WORD}"}
        corner.passing = [{"side": "left", "risk": "low", "wrong": f"over the {WORD}", "yield_when": "außen bei Nässe"}]
        at: dict[str, Any] = {"team_id": mine, "combination_id": combination.id}
        person, of = {"person_id": made.actor.person_id}, {"driver_id": driver.id}
        setup = Setup(team_id=mine, car_id=car.id, name="Low", note=WORD)
        session.add(setup)
        session.flush()
        session.add_all(
            [
                Remark(**at, **person, lap_id=lap.id, corner="T3", text=f"late for the {WORD}"),
                CorrectionRow(**at, **person, lap_id=lap.id, corner="T3", remark=WORD),
                Run(**at, **of, session_id=lap.session_id, number=lap.run, session_kind="practice", note=WORD),
                Assignment(
                    **at,
                    **of,
                    **person,
                    corner="T3",
                    kind="other",
                    title="A",
                    work=WORD,
                    of_passes=5,
                    good_passes=4,
                    begins_at=TUESDAY,
                ),
                Lesson(team_id=mine, **person, **of, text=WORD, layout_id=layout.id, confirmed_at=TUESDAY),
                ReferenceRow(
                    team_id=mine,
                    layout_id=layout.id,
                    corner_id=corner.id,
                    point="braking",
                    kind="board",
                    thing=WORD,
                    offset_words="",
                    variant="usual",
                    state="confirmed",
                    sure="firm",
                    proposed_by=made.actor.person_id,
                ),
                OpenQuestion(
                    team_id=mine,
                    layout_id=layout.id,
                    corner_id=corner.id,
                    text="What?",
                    answer=WORD,
                    asked_by=made.actor.person_id,
                ),
                RaceResult(
                    team_id=mine,
                    entry_id=entry.id,
                    **person,
                    starts_at=TUESDAY,
                    incidents=[{"corner": "T3", "note": WORD}],
                ),
                SetupVersion(
                    team_id=mine, setup_id=setup.id, **person, number=1, purpose="race", reason=WORD, lines=[]
                ),
                Exercise(
                    team_id=mine,
                    code="own",
                    kind="other",
                    title="B",
                    cause="",
                    feel="",
                    work=WORD,
                    of_passes=5,
                    good_passes=4,
                ),
            ]
        )
    return made


@pytest.fixture
def team(sessions: sessionmaker[Session], fill_once: Filled) -> Team:
    return fill_once(sessions, team_of)


def kinds(team: Team, text: str, actor: Actor | None = None, **filters: Any) -> list[str]:
    items = written(team.sessions, actor or team.actor, text, **filters)
    s.WrittenList.model_validate({"items": items}, from_attributes=True)
    return sorted(item.kind for item in items)


def test_whatever_was_written_is_found_by_a_word_that_begins_like_it(team: Team) -> None:
    assert kinds(team, "SUMPFDOTTER") == sorted(WRITTEN_KINDS)
    with_the = ["car", "combination", "corner", "lap", "race", "remark", "track"]
    assert kinds(team, "the sumpfdotterblume") == with_the, "also with a word that stands in no index"
    assert kinds(team, f"{WORD} late") == ["remark"]
    assert kinds(team, "") == kinds(team, "+*") == kinds(team, "nowhere at all") == []
    [found] = written(team.sessions, team.actor, f"{WORD} late")
    assert (found.driver, found.corner) == ("Ysolde Farrand", "T3") and found.by
    assert found.combination_id and found.session and found.run is not None and found.place and found.car
    [found] = written(team.sessions, team.actor, WORD, kind="corner")
    assert (
        found.text == f"passing: over the {WORD}, außen bei Nässe"
        and kinds(team, "nasse") == ["corner"]
        and found.corner == "T3"
    )


def test_filters_leave_what_is_of_something_else(team: Team) -> None:
    [of_lap] = written(team.sessions, team.actor, WORD, kind="lap")
    everything = {"lesson", "remark", "run", "lap", "correction", "work", "result", "race"}
    assert set(kinds(team, WORD, driver_id=of_lap.driver_id)) == everything
    assert kinds(team, WORD, driver_id=team.drivers["Corin Ashgrove"]) == []
    assert {"car", "setup", "version", "lap"} <= set(kinds(team, WORD, car_id=of_lap.car_id)) and "corner" not in kinds(
        team, WORD, car_id=of_lap.car_id
    )
    assert {"corner", "reference", "question", "track", "week", "lap", "lesson"} <= set(
        kinds(team, WORD, layout_id=of_lap.layout_id)
    )


def test_a_driver_finds_no_other_ones_driving_and_no_other_team_anything(
    team: Team, sessions: sessionmaker[Session]
) -> None:
    assert kinds(team, WORD, team.driver("Ysolde Farrand")) == sorted(WRITTEN_KINDS)
    others = set(kinds(team, WORD, team.driver("Corin Ashgrove")))
    assert others == set(WRITTEN_KINDS) - {"lesson", "remark", "run", "lap", "correction", "work", "result", "race"}
    assert kinds(team, WORD, make_team(sessions, "Others", "Keziah Marl")) == []


def test_what_nobody_confirmed_is_its_writers(team: Team) -> None:
    plain = sessionmaker(team.sessions.kw["bind"])
    with plain.begin() as session:
        session.execute(
            insert(Lesson).values(team_id=team.actor.team_id, person_id=team.actor.person_id, text="unheard of")
        )
    assert kinds(team, "unheard") == ["lesson"] and kinds(team, "unheard", team.driver("Corin Ashgrove")) == []
