"""A statement that forgets the team fails before it is sent, whatever it would have found."""

from typing import Any
from uuid import uuid4

import pytest
from sqlalchemy import Engine, delete, func, insert, select, update
from sqlalchemy.orm import aliased

from fleet_rival.db.session import make_engine, make_sessions
from fleet_rival.db.tables import Combination, Driver, Lap, Layout, Membership, Person, Team
from fleet_rival.db.tenancy import ForgottenTeam, for_all_teams, loose_tables

OTHER = aliased(Lap)
WHOSE = Combination.public_id == uuid4()


@pytest.mark.parametrize(
    ("statement", "loose"),
    [
        (select(Combination).where(WHOSE), {"combination"}),
        (select(func.count()).select_from(Lap), {"lap"}),
        (select(Driver.name).where(Driver.name == "Ysolde Farrand"), {"driver"}),
        (select(Lap).join(Driver, (Driver.team_id == Lap.team_id) & (Driver.id == Lap.driver_id)), {"lap", "driver"}),
        (
            select(Lap.id).where(
                Lap.team_id == 1, Lap.combination_id == select(Combination.id).where(WHOSE).scalar_subquery()
            ),
            {"combination"},
        ),
        (select(Lap.id).where(Lap.team_id == 1, ~select(Driver.id).where(Driver.name == "x").exists()), {"driver"}),
        (update(Combination).where(WHOSE).values(note="x"), {"combination"}),
        (delete(Lap).where(Lap.number > 3), {"lap"}),
        (select(Membership).join(Person, Person.id == Membership.person_id).where(Person.name == "x"), {"membership"}),
        (select(Combination).where(WHOSE, Combination.team_id == 1), set()),
        (
            select(Lap)
            .join(Driver, (Driver.team_id == Lap.team_id) & (Driver.id == Lap.driver_id))
            .where(Driver.team_id == 1),
            set(),
        ),
        (select(Lap.id, OTHER.id).join(OTHER, OTHER.team_id == Lap.team_id).where(Lap.team_id == 1), set()),
        (select(Lap).where(Lap.combination_id.in_([1, 2])), set()),
        (select(Membership).join(Team, Team.id == Membership.team_id).where(Team.id == 1), set()),
        (select(Person).where(Person.name == "x"), set()),
        (insert(Layout).values(team_id=1), set()),
        (insert(Layout).from_select(["name"], select(Driver.name)), {"driver"}),
    ],
)
def test_what_names_no_team_is_seen(statement: Any, loose: set[str]) -> None:
    assert loose_tables(statement) == loose


def test_it_is_refused_unless_it_is_meant_for_all(engine: Engine, database_url: str) -> None:
    own = make_engine(database_url)
    try:
        with make_sessions(own)() as session:
            for _ in range(2):
                with pytest.raises(ForgottenTeam, match="combination"):
                    session.scalars(select(Combination).where(WHOSE)).all()
            assert session.scalars(for_all_teams(select(Combination).where(WHOSE))).all() == []
            assert session.scalars(select(Combination).where(WHOSE, Combination.team_id == 1)).all() == []
            with pytest.raises(ForgottenTeam):
                session.scalars(select(Combination).where(WHOSE)).all()
    finally:
        own.dispose()


def test_a_statement_is_looked_at_once_however_many_values_it_looks_for(
    database_url: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    own, looked = make_engine(database_url), []
    monkeypatch.setattr("fleet_rival.db.tenancy.loose_tables", lambda statement: looked.append(statement) or set())
    try:
        with make_sessions(own)() as session:
            for count in range(1, 6):
                session.scalars(select(Lap.id).where(Lap.team_id == 1, Lap.combination_id.in_(range(count)))).all()
    finally:
        own.dispose()
    assert len(looked) == 1
