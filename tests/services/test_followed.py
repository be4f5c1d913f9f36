"""Planned blocks and what was driven, from the database: purposes of runs, laps without a time, wet ones, other
cars, and runs that wait.
"""

from datetime import timedelta
from typing import Any
from uuid import UUID

import pytest
from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.planning.follow import Followed
from fleet_rival.db.tables import (
    ChangeSet,
    Combination,
    Driver,
    Entry,
    Lap,
    Layout,
    PlanBlock,
    SeriesWeekCar,
    SeriesWeekRow,
)
from fleet_rival.services.drive.runs import declare
from fleet_rival.services.plan.followed import became_of, driven_runs_since
from fleet_rival.services.week import cars, combinations
from fleet_rival.services.week.entered import combinations_of
from tests.filled import Filled
from tests.services.test_fix import EVENING
from tests.services.test_plan import Team, team_of
from tests.services.test_race import entry_of

AFTER = EVENING + timedelta(hours=5)
LATER = EVENING + timedelta(minutes=40)
"""When the second run begins, of work on a corner."""


@pytest.fixture
def team(sessions: sessionmaker[Session], fill_once: Filled) -> Team:
    return fill_once(sessions, team_of)


@pytest.fixture
def entry(team: Team) -> UUID:
    return entry_of(team, "Ysolde Farrand")


def became(team: Team, at: Any = AFTER) -> list[Followed]:
    """What became of all blocks, in the order in which they were planned."""
    with team.sessions() as session:
        rows = session.scalars(select(PlanBlock).order_by(PlanBlock.begins_at)).all()
        told = became_of(session, team.actor, rows, at)
        return [told[row.id] for row in rows]


def block(team: Team, entry: UUID, begins: Any, kind: str = "long", **values: Any) -> None:
    team.put(entry, begins, 30)
    with team.sessions.begin() as session:
        key = session.scalars(select(PlanBlock.id).order_by(PlanBlock.id.desc()).limit(1)).one()
        session.execute(
            update(PlanBlock).where(PlanBlock.id == key).values(kind=kind, numbers={"laps_planned": 12}, **values)
        )


def laps(team: Team, **values: Any) -> None:
    with team.sessions.begin() as session:
        session.execute(update(Lap).values(**values))


def test_nothing_planned_is_nothing_asked(team: Team) -> None:
    assert became(team) == []


def test_runs_take_the_blocks_of_their_purpose(team: Team, entry: UUID) -> None:
    block(team, entry, EVENING)
    block(team, entry, LATER, "qualifying")
    long, qualifying = became(team)
    assert (long.state, long.laps) == ("done", 14)
    assert qualifying.state == "replaced" and qualifying.purpose == "corner"
    assert [item.state for item in became(team, EVENING - timedelta(days=1))] == ["done", "coming"], (
        "what was driven is done whatever the clock says"
    )


def test_half_of_it_is_done_less_is_cut_short(team: Team, entry: UUID) -> None:
    block(team, entry, EVENING)
    for planned, state in ((28, "done"), (29, "short")):
        with team.sessions.begin() as session:
            session.execute(update(PlanBlock).values(numbers={"laps_planned": planned}))
        assert [item.state for item in became(team)] == [state]


def test_people_have_the_last_word(team: Team, entry: UUID) -> None:
    block(team, entry, EVENING, said="missed")
    block(team, entry, EVENING + timedelta(days=2), said="done")
    assert [item.state for item in became(team)] == ["missed", "done"]


def test_laps_without_a_time_count_from_when_they_came_in(team: Team, entry: UUID) -> None:
    block(team, entry, EVENING)
    laps(team, started_at=None)
    assert [item.state for item in became(team)] == ["missed"], "they came in years ago, by the clock of the evening"
    with team.sessions.begin() as session:
        session.execute(update(ChangeSet).values(made_at=EVENING + timedelta(minutes=1)))
    assert [item.state for item in became(team)] == ["done"]


def test_another_drivers_laps_are_theirs(team: Team, entry: UUID) -> None:
    block(team, entry, EVENING)
    with team.sessions.begin() as session:
        other = session.scalars(select(Driver.id).where(Driver.name == "Corin Ashgrove")).one()
        session.execute(update(Lap).values(driver_id=other))
    assert [item.state for item in became(team)] == ["missed"]


def test_who_is_entered_in_one_car_practises_in_that(team: Team, entry: UUID) -> None:
    with team.sessions() as session:
        layout = session.scalars(select(Layout.public_id)).one()
    other = cars.add_car(team.sessions, team.actor, "Ostelind Volant").id
    second = combinations.add_combination(team.sessions, team.actor, layout, "Ostelind Volant").id
    with team.sessions.begin() as session:
        own = session.scalars(select(SeriesWeekRow)).one()
        key = session.execute(select(Combination.id, Combination.car_id).where(Combination.public_id == second)).one()
        team_id = team.actor.team_id
        session.connection().execute(
            SeriesWeekCar.__table__.insert(),
            [{"team_id": team_id, "week_id": own.id, "car_id": key.car_id, "place": 2}],
        )  # type: ignore[attr-defined]
        row = session.scalars(select(Entry.id).where(Entry.public_id == entry)).one()
        both = combinations_of(session, team.actor, {row})[row]
        assert len(both) == 2 and str(key.id) in both
        session.execute(update(Entry).where(Entry.id == row).values(car_id=key.car_id))
        assert combinations_of(session, team.actor, {row}) == {row: {str(key.id)}}
    block(team, entry, EVENING)
    assert [item.state for item in became(team)] == ["replaced"], "laps in another car aren't practice for it"
    assert other is not None


def test_wet_laps_are_told_as_wet(team: Team) -> None:
    with team.sessions() as session:
        driver = session.scalars(select(Driver.id).where(Driver.name == "Ysolde Farrand")).one()
        since = EVENING - timedelta(hours=1)
        assert [run.wet for run in driven_runs_since(session, team.actor, since, {driver})] == [False, False]
    with team.sessions.begin() as session:
        session.execute(update(Lap).where(Lap.purpose == "corner").values(wetness="damp"))
        runs = {run.purpose: run for run in driven_runs_since(session, team.actor, since, {driver})}
        assert runs["corner"].wet and not runs["long"].wet and runs["long"].laps == 14
        assert driven_runs_since(session, team.actor, AFTER, {driver}) == [], "what is over isn't asked for"
        assert driven_runs_since(session, team.actor, since, set()) == []


def test_a_run_that_waits_for_its_first_lap_has_its_block(team: Team, entry: UUID) -> None:
    key = declare.declare(
        team.sessions, team.actor, team.desk.combination, team.desk.driver, {"purpose": "qualifying"}, ()
    ).id
    with team.sessions() as session:
        driver = session.scalars(select(Driver.id).where(Driver.name == "Ysolde Farrand")).one()
        waiting = [
            run
            for run in driven_runs_since(session, team.actor, EVENING - timedelta(days=3000), {driver})
            if run.key.startswith("run:")
        ]
    assert [(run.purpose, run.laps) for run in waiting] == [("qualifying", 0)] and key is not None
    begins = waiting[0].begins
    block(team, entry, begins - timedelta(minutes=5), "qualifying")
    [told] = became(team, begins + timedelta(minutes=1))
    assert told.state == "under_way" and told.runs == (waiting[0].key,)
